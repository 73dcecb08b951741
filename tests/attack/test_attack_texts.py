"""Texts of every kind that are broken or wild: tables, models, URDF, formulas, what is typed. Each
is read, or refused in Gremio's own words; nothing else is raised, and no code is run."""

from __future__ import annotations

import copy
import math
import random
from pathlib import Path
from typing import Any

import pytest
import trimesh
from tests.attack.conftest import Rounds
from tests.core.files.textured import Made, Read, sheet

import gremio
from gremio.core.edit.formulas import write
from gremio.core.files.atomic import FileProblem
from gremio.core.files.bring_in import bring_in
from gremio.core.files.cam_csv import cam_csv, read_table_file
from gremio.core.files.glb_out import glb
from gremio.core.files.model_in import read_model
from gremio.core.files.sources import model_shelf
from gremio.core.files.urdf_in import read_urdf
from gremio.core.files.urdf_out import write_urdf
from gremio.core.problem import GremioError
from gremio.core.quantity import UNITS
from gremio.core.rig.find import channel_key
from gremio.core.rig.model import Rig
from gremio.core.surfaces.shown import shown
from gremio.core.typed import parse, parse_list

_WILD = [
    "",
    "\0",
    "1e999",
    "nan",
    "-",
    "9" * 400,
    "é",
    "\ufeff",
    '"',
    ";",
    ",",
    "\n",
    "(",
    "∞",
    "__",
]


def broken(data: bytes, rng: random.Random) -> bytes:
    """Cut, changed, doubled, or with something wild put in."""
    made = bytearray(data)
    for _ in range(rng.randint(1, 4)):
        at = rng.randrange(len(made) + 1)
        match rng.randrange(5):
            case 0:
                del made[at:]
            case 1:
                made[at : at + 1] = bytes([rng.randrange(256)])
            case 2:
                made[at:at] = made[max(at - 40, 0) : at]
            case 3:
                made[at : at + rng.randint(1, 20)] = b""
            case _:
                made[at:at] = rng.choice(_WILD).encode()
    return bytes(made)


@pytest.mark.parametrize("ending", [".glb", ".obj", ".ply", ".stl"])
def test_models(rounds: Rounds, tmp_path: Path, ending: str) -> None:
    scene = trimesh.Scene(trimesh.creation.icosphere(subdivisions=1))
    made = scene.export(file_type=ending[1:])
    whole = made if isinstance(made, bytes) else made.encode()
    file = tmp_path / f"model{ending}"
    for rng in rounds(60):
        file.write_bytes(broken(whole, rng))
        try:
            read_model(file)
        except FileProblem as refused:
            assert str(refused).startswith(file.name)


def spoilt(tree: Any, rng: random.Random) -> None:
    """A description with one thing in it gone, doubled, or another."""
    places: list[tuple[Any, Any]] = []
    waiting = [tree]
    while waiting:
        here = waiting.pop()
        for key in list(here) if isinstance(here, dict) else range(len(here)):
            places.append((here, key))
            if isinstance(here[key], dict | list):
                waiting.append(here[key])
    here, key = rng.choice(places)
    wild = [None, -1, 0, 1, 7, 10**9, 10**30, 0.5, "", "banana", [], {}, [0], {"index": 0}, True]
    if rng.random() < 0.3:
        del here[key]
    else:
        here[key] = rng.choice(wild)


def test_textured_models(rounds: Rounds, tmp_path: Path) -> None:
    """A GLB whose description says something else: refused, or it goes all the way out again."""
    whole = Read(sheet(tmp_path / "sheet.glb").read_bytes())
    file, out = tmp_path / "model.glb", tmp_path / "out.glb"
    for rng in rounds(80):
        made = Made()
        made.tree, made.blob = copy.deepcopy(whole.tree), bytearray(whole.blob)
        for _ in range(rng.choice([1, 1, 2, 3])):
            spoilt(made.tree, rng)
        file.write_bytes(made.packed())
        try:
            model = read_model(file)
            rig, _ = bring_in(Rig("R"), model)
            for piece in (piece for node in model.nodes for piece in node.pieces):
                if piece.look is not None:
                    shown(piece.look)
            out.write_bytes(glb(rig, model_shelf(), gremio.solve(rig).poses))
        except GremioError:
            continue
        again = read_model(out)
        assert len(again.nodes) >= len(model.nodes)


def test_tables(rounds: Rounds, tmp_path: Path, lock: Rig) -> None:
    link = next(i for i, link in lock.links.items() if hasattr(link, "stations"))
    whole = cam_csv(lock, link).encode()
    file = tmp_path / "cam.csv"
    for rng in rounds(300):
        file.write_bytes(broken(whole, rng))
        try:
            table = read_table_file(file)
        except FileProblem:
            continue
        assert all(v is None or math.isfinite(v) for row in table.rows for v in row)


def test_urdf(rounds: Rounds, tmp_path: Path, hatch: Rig) -> None:
    shelf = model_shelf()
    write_urdf(hatch, tmp_path / "hatch.urdf", shelf)
    whole = (tmp_path / "hatch.urdf").read_bytes()
    file = tmp_path / "broken.urdf"
    for rng in rounds(200):
        file.write_bytes(broken(whole, rng))
        try:
            rig, _ = read_urdf(file, shelf)
            gremio.solve(rig)
        except GremioError:
            continue


_PIECES = [
    *("Open", "Flap", "{p2 turn y}", "1", "2.5", "1e9", "(", ")", "+", "-", "*", "/", "^", ","),
    *("sin", "atan2", "sqrt", "if", "clamp", "deg", "mm", "m", "turn", "<", "==", "and", "not"),
    *("__import__('os')", "lambda: 0", "[", "]", ";", "{", "}", "'", '"', "½", "·", "²", "π"),
    *("exec", "open('/etc/passwd')", ".__class__", "0x1", "1_0", "1.", ".5", "…", "\u200b"),
]


def test_formulas(rounds: Rounds, hatch: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    """Pieces of formulas, and of what is none, in any order."""

    def never(*_args: object, **_named: object) -> None:
        raise AssertionError("code of a formula was run")

    for name in ("eval", "exec", "compile"):
        monkeypatch.setattr(f"gremio.core.formula.parse.{name}", never, raising=False)
    shutter = channel_key(hatch, "Shutter")
    for rng in rounds(600):
        text = " ".join(rng.choice(_PIECES) for _ in range(rng.randint(1, 9)))
        if rng.random() < 0.1:
            text = "(" * rng.randint(1, 3000) + text
        try:
            rig, _ = write(hatch, shutter, text)
        except GremioError:
            continue
        value = gremio.solve(rig, {"Open": 0.3}).value("Shutter")
        assert math.isfinite(value)


_TYPED = [*"0123456789", ".", ",", " ", "\u2009", "-", "−", "+", "/", "*", "=", "(", ")", "'", '"',
          "°", "e", "½", "ft", "in", "mm", "m", "turn", "deg", "%", "∞", "nan", "x"]  # fmt: skip


def test_what_is_typed(rounds: Rounds) -> None:
    """It is a plain number, or it is refused."""
    kinds = sorted({unit.kind for unit in UNITS.values()})
    for rng in rounds(3000):
        text = "".join(rng.choice(_TYPED) for _ in range(rng.randint(1, 12)))
        kind = rng.choice(kinds)
        for read in (parse, parse_list):
            try:
                found = read(text, kind)
            except GremioError:
                continue
            values = found if isinstance(found, list) else [found]
            assert all(math.isfinite(v) for v in values)
