"""Files that were broken by anything: each opens, or is refused in words; none crashes, and what
opens is posed and looked over."""

from __future__ import annotations

import copy
import json
import random
from pathlib import Path
from typing import Any

import pytest
from tests.attack.conftest import LONG

from gremio.core.files import rig_file
from gremio.core.files.sources import model_shelf
from gremio.core.inspect.drive_map import drive_map
from gremio.core.inspect.findings import inspect
from gremio.core.inspect.ledger import ledger_csv, ledger_rows
from gremio.core.problem import GremioError
from gremio.core.rig.model import Rig
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate

VERSIONS = Path(__file__).parents[1] / "files/versions"
FILES = sorted(VERSIONS.glob("*.gremio"))
_ODD: list[Any] = [
    *(None, True, False, 0, -1, 1e308, -1e308, 1e-308, "", "x", "p1", "c1 low end", [], {}, [1, 2]),
    *("p1 turn z", "k1", "{p1 turn z}", {"kind": "ride"}, "∞", 10**30),
]


def _places(value: Any, trail: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    inside = value.items() if isinstance(value, dict) else enumerate(value)
    found = [trail] if trail else []
    for name, one in inside:
        here = (*trail, name)
        found += _places(one, here) if isinstance(one, dict | list) else [here]
    return found


def _broken(plain: Any, rng: random.Random) -> Any:
    """The same with one to three things in it put, taken out, doubled or swapped."""
    plain = copy.deepcopy(plain)
    for _ in range(rng.randint(1, 3)):
        places = _places(plain)
        trail = rng.choice(places)
        above = plain
        for name in trail[:-1]:
            above = above[name]
        match rng.randrange(4):
            case 0:
                above[trail[-1]] = rng.choice(_ODD)
            case 1:
                del above[trail[-1]]
            case 2:
                other = plain
                for name in rng.choice(places):
                    other = other[name]
                above[trail[-1]] = copy.deepcopy(other)
            case _ if isinstance(above, dict):
                above[f"{trail[-1]}9"] = copy.deepcopy(above[trail[-1]])
    return plain


def _used(rig: Rig) -> None:
    program = compile_rig(rig, geometry_of)
    pose = evaluate(program, rig.at).frame(0)
    inspect(rig, pose, geometry=geometry_of)
    drive_map(program)
    ledger_csv(pose, ledger_rows(program))
    _ = pose.notes, pose.rig, pose.hidden
    model_shelf().notes(rig)


@pytest.mark.parametrize("seed", range(40 if LONG else 1))
@pytest.mark.parametrize("file", FILES, ids=[file.stem for file in FILES])
def test_a_broken_file_opens_or_is_refused_in_words(file: Path, seed: int, tmp_path: Path) -> None:
    rng = random.Random(f"{file.stem} {seed}")
    plain = json.loads(file.read_text())
    for number in range(6):
        broken = tmp_path / f"broken {number}.gremio"
        broken.write_text(json.dumps(_broken(plain, rng)))
        try:
            opened = rig_file.open_file(broken)
        except GremioError as refused:
            assert len(str(refused)) > 20
            continue
        try:
            _used(opened.rig)
        except GremioError as refused:
            assert len(str(refused)) > 20


@pytest.mark.parametrize("seed", range(60 if LONG else 6))
def test_a_file_with_other_bytes_opens_or_is_refused_in_words(seed: int, tmp_path: Path) -> None:
    rng = random.Random(seed)
    data = bytearray(rng.choice(FILES).read_bytes())
    for _ in range(rng.randint(1, 30)):
        data[rng.randrange(len(data))] = rng.randrange(256)
    if rng.random() < 0.3:
        del data[rng.randrange(len(data)) :]
    broken = tmp_path / "broken.gremio"
    broken.write_bytes(data)
    try:
        opened = rig_file.open_file(broken)
        _used(opened.rig)
    except GremioError as refused:
        assert len(str(refused)) > 20
