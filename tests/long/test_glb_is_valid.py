"""What Gremio writes is glTF 2.0 by the letter: the validator of those who keep the standard has
nothing against it, neither an error nor a warning."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path

import pytest
import trimesh
from tests.core.files.textured import picture, sheet

import gremio
from gremio.core.files.bring_in import bring_in
from gremio.core.files.glb_out import baked_glb, glb
from gremio.core.files.model_in import read_model
from gremio.core.files.sources import model_shelf
from gremio.core.rig.model import Rig

VALIDATOR = Path(__file__).parents[2] / "build" / "validator"
ERROR, WARNING = 0, 1


def said(*files: Path) -> list[tuple[str, ...]]:
    """What the validator has against some files, but for hints."""
    assert VALIDATOR.is_dir(), "Run it with make long, which fetches the validator."
    command = ["node", VALIDATOR / "validate.js", *files]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    found = json.loads(done.stdout)
    assert set(found) == set(map(str, files))
    return [
        (Path(file).name, *map(str, message[1:]))
        for file, messages in found.items()
        for message in messages
        if message[0] in (ERROR, WARNING)
    ]


def test_the_validator_does_find_fault(tmp_path: Path) -> None:
    path = tmp_path / "wrong.gltf"
    path.write_text('{"asset": {"version": "2.0"}, "nodes": [{"mesh": 3}]}')
    assert said(path)


def test_the_lock_as_posed_and_its_travels(lock: Rig, tmp_path: Path) -> None:
    (tmp_path / "posed.glb").write_bytes(glb(lock, model_shelf(), gremio.solve(lock).poses))
    names = [control.name for control in lock.controls.values()][:6]
    for number, name in enumerate(names):
        data, _ = baked_glb(lock, model_shelf(), name, 4.0)
        (tmp_path / f"travel {number}.glb").write_bytes(data)
    data, _ = baked_glb(lock, model_shelf(), names[0], 4.0, 24)
    (tmp_path / "frames.glb").write_bytes(data)
    assert said(*sorted(tmp_path.glob("*.glb"))) == []


@pytest.mark.parametrize("kind", ["glb", "obj", "ply"])
def test_what_was_brought_in_textured(kind: str, tmp_path: Path) -> None:
    path = tmp_path / f"in.{kind}"
    if kind == "glb":
        sheet(path)
    if kind == "obj":
        (tmp_path / "in.mtl").write_text("newmtl Boards\nKd 1 1 1\nd 0.5\nmap_Kd boards.png\n")
        (tmp_path / "boards.png").write_bytes(picture((9, 90, 30)))
        path.write_text(
            "mtllib in.mtl\no Lid\nv 0 0 0\nv 2 0 0\nv 2 1 0\nvt 0 0\nvt 1 0\nvt 1 1\n"
            "vn 0 0 2\nusemtl Boards\nf 1/1/1 2/2/1 3/3/1\n"
        )
    if kind == "ply":
        box = trimesh.creation.box((1, 2, 3))
        box.visual.vertex_colors = [[20 * i, 90, 200, 255 - 9 * i] for i in range(8)]
        box.export(path)
    rig, _ = bring_in(Rig("R"), read_model(path))
    out = tmp_path / "out.glb"
    out.write_bytes(glb(rig, model_shelf(), gremio.solve(rig).poses))
    assert said(out) == []
