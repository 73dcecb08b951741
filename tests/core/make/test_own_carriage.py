"""Carriages of models whose parts all stand at the origin of their file, however they head."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
import trimesh

import gremio
from gremio.core.edit.controls import set_values
from gremio.core.edit.parts import add_part
from gremio.core.edit.prepare import mount_along
from gremio.core.files.bring_in import bring_in
from gremio.core.files.model_in import read_model
from gremio.core.files.sources import model_shelf
from gremio.core.frames import frame_of
from gremio.core.make.carriage import LimitOf, make_carriage
from gremio.core.make.vertices import world_vertices
from gremio.core.rig.channels import key
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.model import Part, Rig
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.ask import solve

_WHEELS = {"FL": (1.35, 0.75), "FR": (1.35, -0.75), "RL": (-1.35, 0.75), "RR": (-1.35, -0.75)}
_RADII = {"FL": 0.40, "FR": 0.40, "RL": 0.55, "RR": 0.55}


def car(tmp_path: Path, heading: float, aside: tuple[float, float]) -> tuple[Rig, GeometryOf]:
    """A body and four wheels that head so (rad, from x), their middle off the origin."""
    scene = trimesh.Scene()
    turn = trimesh.transformations.rotation_matrix(heading, (0, 0, 1))
    turn[:2, 3] = aside
    pieces = {"Body": trimesh.creation.box((4.0, 1.4, 0.8))}
    pieces["Body"].apply_translation((0, 0, 1.0))
    for name, (x, y) in _WHEELS.items():
        wheel = trimesh.creation.cylinder(_RADII[name], 0.2, sections=64)
        wheel.apply_transform(trimesh.transformations.rotation_matrix(math.pi / 2, (1, 0, 0)))
        wheel.apply_translation((x, y, _RADII[name]))
        pieces[name] = wheel
    for name, mesh in pieces.items():
        mesh.apply_transform(turn)
        scene.add_geometry(mesh, node_name=name, geom_name=name)
    # glTF is y up and z forward: its x, y, z are the rig's y, z, x.
    scene.apply_transform(np.eye(4)[[1, 2, 0, 3]])
    file = tmp_path / "car.glb"
    scene.export(file)
    shelf = model_shelf()
    model = read_model(file, 1.0, None)
    shelf.put(model)
    rig, _ = bring_in(Rig(name="Car"), model)
    bare = rig
    return rig, lambda solid: shelf.geometry(bare, solid)


@pytest.mark.parametrize("heading", [0.0, math.pi / 2, math.pi, -math.pi / 2, 0.6])
@pytest.mark.parametrize("aside", [(0.0, 0.0), (3.0, -2.0)])
def test_it_goes_ahead_and_steers_wherever_it_heads(
    heading: float, aside: tuple[float, float], tmp_path: Path
) -> None:
    rig, geometry = car(tmp_path, heading, aside)
    wheels = [part_id(rig, name) for name in _WHEELS]
    front = [part_id(rig, name) for name in ("FL", "FR")]
    before = {part: solve(rig, geometry=geometry).world(part) for part in rig.parts}
    made = make_carriage(rig, part_id(rig, "Body"), wheels, front, geometry=geometry)
    home = solve(made, geometry=geometry)
    for part, world in before.items():
        if part not in wheels:
            assert home.world(part) == pytest.approx(world, abs=1e-9), "nothing moves"
    gone = solve(made, {"Body travel": 1.0}, geometry=geometry)
    step = (gone.world(part_id(made, "Body")) - home.world(part_id(made, "Body")))[:3, 3]
    ahead = np.array([math.cos(heading), math.sin(heading), 0.0])
    assert step == pytest.approx(ahead, abs=1e-6)
    for name, radius in _RADII.items():
        spun = gone.at(key(part_id(made, name), "turn y"))
        assert spun == pytest.approx(1.0 / radius, rel=2e-3)
    # Ackermann, with wheelbase 2.7 and track 1.5: a mean of 35° is 41.0° inside, 30.4° outside.
    turned = solve(made, {"Body steering": math.radians(35)}, geometry=geometry)
    inner, outer = (math.degrees(turned.at(key(part_id(made, n), "turn z"))) for n in ("FL", "FR"))
    assert (inner, outer) == (pytest.approx(41.0, abs=0.05), pytest.approx(30.4, abs=0.05))
    assert control_id(made, "Body travel")


@pytest.mark.parametrize(
    ("limit_of", "name", "mean"), [("inner", "FL", 30.38), ("outer", "FR", 41.0), ("mean", "", 35)]
)
def test_the_limit_is_of_the_wheel_that_is_named(
    limit_of: LimitOf, name: str, mean: float, tmp_path: Path
) -> None:
    """cot δ_outer − cot δ_inner = track ÷ wheelbase (Ackermann): with 2.7 and 1.5, by hand, a
    wheel at 35° inside is a mean of cot⁻¹(cot 35° + 1.5 ÷ 5.4) = 30.4°, outside of 41.0°."""
    rig, geometry = car(tmp_path, 0.0, (0.0, 0.0))
    wheels, front = ([part_id(rig, n) for n in some] for some in (_WHEELS, ("FL", "FR")))
    body, limit = part_id(rig, "Body"), math.radians(35)
    made = make_carriage(rig, body, wheels, front, limit, limit_of, geometry=geometry)
    control = made.controls[control_id(made, "Body steering")]
    assert math.degrees(control.high) == pytest.approx(mean, abs=0.05)
    assert control.low == pytest.approx(-control.high)
    if name:
        turned = solve(made, {"Body steering": control.high}, geometry=geometry)
        angle = turned.at(key(part_id(made, name), "turn z"))
        assert angle == pytest.approx(limit, abs=1e-5)


def test_wheels_made_here_are_as_they_were() -> None:
    lock = gremio.load(Path(gremio.__file__).parent / "demo" / "saltmarsh.gremio")
    pose = gremio.solve(lock, {"Inspection trolley travel": 1.0})
    assert pose.value("Inspection trolley travel") == pytest.approx(1.0)


def test_nothing_seen_moves_as_wheels_are_fitted_also_what_they_carry(tmp_path: Path) -> None:
    """Wheels whose axes were picked before, so that their own frames are turned in their mounts;
    one carries a cap."""
    rig, geometry = car(tmp_path, 0.0, (0.0, 0.0))
    rig, cap = add_part(rig, Part("Cap", part_id(rig, "FL"), frame_of(np.eye(4))))
    for name in ("FL", "RR"):
        wheel = part_id(rig, name)
        rig = mount_along(rig, wheel, "x", (0.3, 0.4, 0.8))
        assert rig.parts[wheel].own != Part("x").own
    before = solve(rig, geometry=geometry)
    seen = {n: world_vertices(rig, before, part_id(rig, n), geometry) for n in _WHEELS}
    wheels = [part_id(rig, name) for name in _WHEELS]
    made = make_carriage(rig, part_id(rig, "Body"), wheels, wheels[:2], geometry=geometry)
    after = solve(made, geometry=geometry)
    for name, corners in seen.items():
        found = world_vertices(made, after, part_id(made, name), geometry)
        assert found == pytest.approx(corners, abs=1e-9), name
    assert after.world(cap) == pytest.approx(before.world(cap), abs=1e-9)
    # And it goes round its axle.
    gone = solve(set_values(made, {key(control_id(made, "Body travel")): 1.0}), geometry=geometry)
    corners = world_vertices(made, gone, part_id(made, "RR"), geometry)
    assert np.ptp(corners, axis=0) == pytest.approx([1.1, 0.2, 1.1], abs=5e-3)
