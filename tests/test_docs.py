from __future__ import annotations

import re
from pathlib import Path

import pytest

import gremio
from gremio.core.files import rig_file

ROOT = Path(__file__).parent.parent


def test_the_example_of_the_guide_runs(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    (example,) = re.findall(r"```python\n(.*?)```", (ROOT / "docs/guide.md").read_text(), re.S)
    exec(compile(example, "guide.md", "exec"), {})
    rig = gremio.load(tmp_path / "hatch.gremio")
    assert gremio.solve(rig, {"Open lid": "50"}).value("Lid") == pytest.approx(0.95)


def test_the_example_of_the_file_format_reads() -> None:
    (example,) = re.findall(r"```json\n(.*?)```", (ROOT / "docs/file-format.md").read_text(), re.S)
    rig = rig_file.decode(example.replace('"parent": "p1",', "").encode())
    assert gremio.solve(rig).notes == []
    assert gremio.solve(rig).value("Lid") == pytest.approx(0.475)


def test_every_picture_of_the_readme_is_there() -> None:
    pictures = set(re.findall(r"docs/screenshots/[\w-]+\.png", (ROOT / "README.md").read_text()))
    kept = {f"docs/screenshots/{path.name}" for path in (ROOT / "docs/screenshots").glob("*.png")}
    assert pictures == kept and len(kept) < 20
