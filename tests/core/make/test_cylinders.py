"""A barrel and a rod with eyes, brought in, made a cylinder in one act."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
import trimesh

from gremio.core.edit.controls import set_values
from gremio.core.edit.parts import set_joint
from gremio.core.edit.prepare import mount_along, mount_at
from gremio.core.files.bring_in import bring_in
from gremio.core.files.model_in import read_model
from gremio.core.files.sources import model_shelf
from gremio.core.frames import carried, matrix
from gremio.core.make.cylinders import make_cylinder
from gremio.core.make.vertices import width_along
from gremio.core.problem import GremioError
from gremio.core.rig.channels import key
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Joint, Part, Rig, Shape
from gremio.core.rig.solids import Mesh
from gremio.core.shape.geometry import Geometry, GeometryOf
from gremio.core.solve.ask import solve

_LUGS = np.array([0.2, 0.0, 0.1]), np.array([0.9, 0.0, 0.62])


def _eye(at: np.ndarray, wide: float = 0.04) -> trimesh.Trimesh:
    ring = trimesh.creation.annulus(0.02, 0.04, wide, sections=32)
    ring.apply_transform(trimesh.transformations.rotation_matrix(math.pi / 2, (1, 0, 0)))
    ring.apply_translation(at)
    return ring


def _bar(radius: float, start: np.ndarray, end: np.ndarray) -> trimesh.Trimesh:
    return trimesh.creation.cylinder(radius, segment=[start, end], sections=32)


def machine_file(tmp_path: Path, *, eyes: bool = True) -> Path:
    """A model of a bed with a lug, an arm with another, and between them a barrel and its rod."""
    low, high = _LUGS
    way = (high - low) / np.linalg.norm(high - low)
    whole = float(np.linalg.norm(high - low))
    barrel = [_bar(0.03, low + 0.03 * way, low + 0.6 * whole * way)]
    rod = [_bar(0.015, low + 0.35 * whole * way, high - 0.03 * way)]
    if eyes:
        barrel.append(_eye(low))
        rod.append(_eye(high))
    bed = trimesh.creation.box((2.0, 0.6, 0.02))
    bed.apply_translation((0, 0, -0.01))
    arm = trimesh.creation.box((1.2, 0.1, 0.06))
    arm.apply_translation((0.6, 0, 0.7))
    pieces = {
        "Bed": trimesh.util.concatenate([bed, _eye(low, 0.1)]),
        "Arm": trimesh.util.concatenate([arm, _eye(high, 0.1)]),
        "Rod": trimesh.util.concatenate(rod),
        "Barrel": trimesh.util.concatenate(barrel),
    }
    scene = trimesh.Scene()
    for name, mesh in pieces.items():
        scene.add_geometry(mesh, node_name=name, geom_name=name)
    # glTF is y up and z forward: its x, y, z are the rig's y, z, x.
    scene.apply_transform(np.eye(4)[[1, 2, 0, 3]])
    file = tmp_path / "arm.glb"
    scene.export(file)
    return file


def machine(tmp_path: Path, *, eyes: bool = True) -> tuple[Rig, GeometryOf]:
    """The bed, the arm on a hinge, and between them the barrel and the rod."""
    shelf = model_shelf()
    model = read_model(machine_file(tmp_path, eyes=eyes), 1.0, None)
    shelf.put(model)
    rig, _ = bring_in(Rig(name="Arm"), model)
    bare = rig

    def geometry(solid: object) -> object:
        return shelf.geometry(bare, solid)

    arm_id = part_id(rig, "Arm")
    rig = set_joint(rig, arm_id, Joint("hinge", "y"))
    back = np.linalg.inv(solve(rig, geometry=geometry).world(arm_id))
    rig = mount_at(rig, arm_id, (back @ (0, 0, 0.7, 1))[:3])
    rig = mount_along(rig, arm_id, "y", back[:3, :3] @ (0, 1, 0))
    return rig, geometry


@pytest.mark.parametrize("order", [("Barrel", "Rod"), ("Rod", "Barrel")])
def test_barrel_and_rod_stay_in_line_and_are_pinned_to_what_has_their_holes(
    order: tuple[str, str], tmp_path: Path
) -> None:
    rig, geometry = machine(tmp_path)
    stood = {n: solve(rig, geometry=geometry).world(part_id(rig, n)) for n in ("Bed", "Arm")}
    made, strut_id = make_cylinder(
        rig, part_id(rig, order[0]), part_id(rig, order[1]), geometry=geometry
    )
    strut = made.struts[strut_id]
    assert made.parts[strut.barrel].name == "Barrel" and made.parts[strut.rod].name == "Rod"
    assert made.parts[strut.barrel].parent == part_id(made, "Bed")
    assert made.closures[strut.closure].two == part_id(made, "Arm")
    whole = float(np.linalg.norm(_LUGS[1] - _LUGS[0]))
    assert strut.barrel_length == pytest.approx(0.6 * whole, rel=0.02)
    assert strut.rod_length == pytest.approx(0.65 * whole, rel=0.02)
    arm = part_id(made, "Arm")
    for angle in (-0.25, 0.0, 0.2):
        posed = set_values(made, {key(arm, "turn y"): angle})
        pose = solve(posed, geometry=geometry)
        assert pose.at(key(arm, "turn y")) == pytest.approx(angle, abs=1e-9)
        # The eyes' places, carried by bed and arm, and the line both bodies lie along.
        low = _LUGS[0]
        high = (pose.world(arm) @ np.linalg.inv(stood["Arm"]) @ (*_LUGS[1], 1.0))[:3]
        way = (high - low) / np.linalg.norm(high - low)
        for body in (strut.barrel, strut.rod):
            frame = pose.world(body)
            off = np.cross(frame[:3, 3] - low, way)
            assert np.linalg.norm(off) < 1e-6
            assert abs(frame[:3, 0] @ way) == pytest.approx(1.0, abs=1e-9)


def test_nothing_moves_when_it_is_made(tmp_path: Path) -> None:
    rig, geometry = machine(tmp_path)
    names = ("Bed", "Arm", "Barrel", "Rod")

    def corners(of: Rig) -> dict[str, np.ndarray]:
        pose, found = solve(of, geometry=geometry), {}
        for name in names:
            part = part_id(of, name)
            (shape,) = of.parts[part].shapes
            frame = pose.world(part) @ matrix(shape.place)
            found[name] = carried(frame, geometry(shape.solid).vertices)
        return found

    before = corners(rig)
    made, _ = make_cylinder(rig, part_id(rig, "Barrel"), part_id(rig, "Rod"), geometry=geometry)
    for name, places in corners(made).items():
        assert places == pytest.approx(before[name], abs=1e-6), name


def test_bare_bars_are_taken_at_their_ends(tmp_path: Path) -> None:
    rig, geometry = machine(tmp_path, eyes=False)
    barrel, rod = part_id(rig, "Barrel"), part_id(rig, "Rod")
    with pytest.raises(GremioError, match="two parts"):
        # Nothing holds either: both would stand on the ground.
        make_cylinder(rig, barrel, rod, geometry=geometry)


@pytest.mark.parametrize("way", [(1.0, 0.0, 0.0), (0.3, -0.4, 0.8)])
def test_a_rod_with_a_wide_eye_is_no_barrel(way: tuple[float, float, float]) -> None:
    """What counts is how wide its bar is, not its eye with its many corners."""
    axis = np.array(way) / np.linalg.norm(way)
    rod = trimesh.util.concatenate([
        _bar(0.02, 0.1 * axis, 0.9 * axis), _eye(0.95 * axis, 0.06),
        trimesh.creation.icosphere(4, 0.09).apply_translation(0.95 * axis),
    ])  # fmt: skip
    surface = Geometry(np.asarray(rod.vertices), np.asarray(rod.faces))
    solid = Mesh(source="s1", piece="Rod", centre=(0, 0, 0), size=(1, 1, 1))
    rig = Rig(parts={"p1": Part("Rod", shapes=(Shape(solid),))})
    pose = solve(rig, geometry=lambda _solid: surface)
    wide = width_along(rig, pose, "p1", np.zeros(3), axis, lambda _solid: surface)
    assert wide == pytest.approx(0.04, rel=0.02)
