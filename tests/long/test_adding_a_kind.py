"""The house is ready to grow: a small link, a constraint and a thing are added to a copy of the
source by a kept patch, in no more files than docs/decisions/18 lists, and are used from every
floor there."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
PATCH = Path(__file__).with_name("added_kinds.patch")
PAGE = ROOT / "docs/decisions/18-to-add-a-kind.md"


def test_the_patch_touches_no_more_than_the_page_lists() -> None:
    listed = set(re.findall(r"`((?:core|desktop)/[\w/]+\.py)`", PAGE.read_text()))
    touched = {
        name.removeprefix("src/gremio/")
        for name in re.findall(r"^\+\+\+ b/(src/\S+)", PATCH.read_text(), re.M)
    }
    new = {"core/edit/lamps.py", "desktop/card/lamp_sheet.py"}
    assert touched - new <= listed, touched - new - listed
    for name in listed:
        assert (ROOT / "src/gremio" / name).is_file(), name


@pytest.fixture(scope="module")
def grown(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A copy of the source with the kinds added."""
    copy = tmp_path_factory.mktemp("grown")
    for name in ("src", "tests"):
        shutil.copytree(ROOT / name, copy / name, ignore=shutil.ignore_patterns("__pycache__"))
    shutil.copy(ROOT / "pyproject.toml", copy)
    done = subprocess.run(
        ["git", "apply", "-C1", str(PATCH)], cwd=copy, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    return copy


def _run(copy: Path, *command: str) -> subprocess.CompletedProcess[str]:
    surroundings = {**os.environ, "PYTHONPATH": str(copy / "src")}
    surroundings.pop("DISPLAY", None)
    return subprocess.run(
        [sys.executable, "-m", *command], cwd=copy, env=surroundings, capture_output=True,
        text=True, check=False,
    )  # fmt: skip


def test_the_added_kinds_are_used_from_every_floor(grown: Path) -> None:
    done = _run(
        grown, "pytest", "-q", "-p", "no:cacheprovider",
        "tests/desktop/test_added_kinds.py", "tests/core/rig/test_tables.py",
    )  # fmt: skip
    assert done.returncode == 0, done.stdout[-4000:]
    assert "[100%]" in done.stdout


def test_the_types_still_hold_and_a_forgotten_place_is_found(grown: Path) -> None:
    done = _run(grown, "mypy")
    assert done.returncode == 0, done.stdout[-4000:]
    # A kind that is forgotten where kinds are matched is found before anything runs.
    matched = grown / "src/gremio/core/make/constraining.py"
    text = matched.read_text()
    matched.write_text(
        text.replace("ConstantVolume() | Reach() | Level()", "ConstantVolume() | Reach()")
    )
    done = _run(grown, "mypy")
    matched.write_text(text)
    assert done.returncode != 0 and "assert_never" in done.stdout
