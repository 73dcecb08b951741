"""The example of every function of the scripting face runs, on the rig of the examples."""

from __future__ import annotations

import inspect
import runpy
import warnings
from pathlib import Path

import pytest

import gremio

ROOT = Path(__file__).parent.parent.parent
EXAMPLES: dict[str, str] = runpy.run_path(str(ROOT / "scripts" / "build_pages.py"))["examples"]()


def test_every_function_has_an_example() -> None:
    functions = {n for n in gremio.__all__ if inspect.isfunction(getattr(gremio, n))}
    assert set(EXAMPLES) - {""} == functions


@pytest.mark.parametrize("name", sorted(set(EXAMPLES) - {""}))
def test_the_example_runs(name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    assert f"gremio.{name}(" in EXAMPLES[name]
    variables: dict[str, object] = {}
    with warnings.catch_warnings():
        # What is told besides is a warning, and no fault of an example.
        warnings.simplefilter("ignore")
        for text in (EXAMPLES[""], EXAMPLES[name]):
            exec(compile(text, name, "exec"), variables)
    for made in variables.values():
        if isinstance(made, gremio.Rig):
            assert not [n.text for n in gremio.solve(made).notes if n.severity == "error"]
