"""Racks and sprockets that were brought in: counted, proposed, placed tooth in space."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
import trimesh
from msgspec.structs import replace
from shapely import affinity
from shapely.geometry import Polygon
from tests.core.make.test_cogs import brought_in, outline, placed, solid, surface

import gremio
from gremio.core.edit.parts import change_part, set_joint
from gremio.core.frames import frame_of, matrix
from gremio.core.make.own_teeth import interlock_own, rack_pair
from gremio.core.make.pairs import propose
from gremio.core.problem import GremioError
from gremio.core.rig.find import part_id
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Joint, Rig
from gremio.core.shape.racks import straight_teeth_on


def bar(teeth: int, module: float, start: float = 0.0) -> Polygon:
    """A rack of trapezoidal teeth of full depth (ISO 53), its pitch line at y = 0, teeth up."""
    pitch, top, bottom = math.pi * module, module, -1.25 * module
    tan = math.tan(math.radians(20))
    corners = [(start - 0.5 * pitch, -6 * module), (start - 0.5 * pitch, bottom)]
    for tooth in range(teeth):
        middle = start + tooth * pitch
        # A little backlash, as trapezoidal teeth of the pinion ask for.
        foot = pitch / 4 + 1.25 * module * tan - 0.08 * module
        head = pitch / 4 - module * tan - 0.08 * module
        corners += [(middle - foot, bottom), (middle - head, top), (middle + head, top),
                    (middle + foot, bottom)]  # fmt: skip
    end = start + (teeth - 0.5) * pitch
    return Polygon([*corners, (end, bottom), (end, -6 * module)])


@pytest.mark.parametrize("teeth", [5, 12, 40])
@pytest.mark.parametrize("module", [0.001, 0.02])
def test_the_teeth_of_a_rack_are_counted_and_measured(
    teeth: int, module: float, rng: np.random.Generator
) -> None:
    mesh = solid(bar(teeth, module), 3 * module)
    away = trimesh.transformations.random_rotation_matrix(rng.random(3))
    away[:3, 3] = rng.uniform(-1, 1, 3)
    mesh.apply_transform(away)
    found = straight_teeth_on(surface(mesh))
    assert found is not None and found.teeth == teeth
    assert found.module == pytest.approx(module, rel=2e-3)
    assert abs(float(found.along @ away[:3, 0])) == pytest.approx(1.0, abs=1e-4)
    assert float(found.up @ away[:3, 1]) == pytest.approx(1.0, abs=1e-4)
    inside = np.linalg.inv(away) @ np.append(found.first, 1.0)
    share = inside[0] / (math.pi * module)
    assert abs(share - round(share)) < 0.01
    assert inside[1] == pytest.approx(module, rel=1e-2)


@pytest.mark.parametrize("mesh", [
    trimesh.creation.box((0.1, 0.2, 0.9)),
    trimesh.creation.cylinder(0.02, 0.9),
    trimesh.creation.icosphere(3),
    solid(outline(30, 0.005)),
])  # fmt: skip
def test_what_has_no_row_of_teeth_has_none(mesh: trimesh.Trimesh) -> None:
    assert straight_teeth_on(surface(mesh)) is None


def rig_of(tmp_path: Path, angle: float, shift: float, teeth: int = 19) -> tuple[Rig, object]:
    """A pinion at the origin above a rack that lies at an angle, and slides along itself."""
    module = 0.01
    rack = solid(bar(24, module, start=-0.3))
    radius = module * teeth / 2
    rack.apply_translation((shift, -radius * 1.003, 0.0))
    rack.apply_transform(trimesh.transformations.rotation_matrix(angle, (0, 0, 1)))
    rig, geometry = brought_in(
        tmp_path,
        ("Pinion", placed(outline(teeth, module, 0.31), 0.0)),
        ("Rack", rack),
        round_ones=False,
    )
    part = part_id(rig, "Rack")
    return _sliding(rig, part, (math.cos(angle), math.sin(angle), 0.0)), geometry


def _sliding(rig: Rig, part: PartId, way: tuple[float, float, float]) -> Rig:
    """A part that slides along a way, its own frame kept."""
    rig = set_joint(rig, part, Joint("fixed"))
    entry = rig.parts[part]
    x = np.array(way)
    frame = np.eye(4)
    frame[:3, 0], frame[:3, 2] = x, (0, 0, 1)
    frame[:3, 1] = np.cross(frame[:3, 2], x)
    own = np.linalg.inv(frame) @ matrix(entry.mount) @ matrix(entry.own)
    entry = replace(entry, mount=frame_of(frame), own=frame_of(own))
    return set_joint(change_part(rig, part, entry), part, Joint("slide", "x"))


@pytest.mark.parametrize("angle", [0.0, 0.7, -2.0])
@pytest.mark.parametrize("moved", ["Rack", "Pinion"])
def test_a_rack_and_a_pinion_run_tooth_in_space(
    angle: float, moved: str, tmp_path: Path, rng: np.random.Generator
) -> None:
    """Checked on sections of both, moved together through a pitch: nothing cuts (shapely)."""
    teeth, module, shift = 19, 0.01, float(rng.uniform(-0.05, 0.05))
    rig, geometry = rig_of(tmp_path, angle, shift, teeth)
    names = ("Pinion", "Rack") if moved == "Rack" else ("Rack", "Pinion")
    ids = part_id(rig, names[0]), part_id(rig, names[1])
    pose = gremio.solve(rig)
    found = propose(rig, pose, *ids, geometry=geometry)
    assert found is not None and found.kind == "rack and pinion" and found.cogs
    assert f"{teeth} teeth counted" in found.words
    radius = module * teeth / 2
    assert found.figures["pitch radius"] == pytest.approx(radius, rel=2e-3)
    before = {name: pose.world(part_id(rig, name)) for name in names}
    rig = interlock_own(rig, *ids, geometry=geometry)
    after = {name: gremio.solve(rig).world(part_id(rig, name)) for name in names}
    turned = after["Pinion"][:2, :2] @ before["Pinion"][:2, :2].T
    beta = math.atan2(turned[1, 0], turned[0, 0])
    slid = after["Rack"][:2, 3] - before["Rack"][:2, 3]
    assert abs(beta) * radius <= math.pi * module / 2 + 1e-9
    assert np.linalg.norm(slid) <= math.pi * module / 2 + 1e-9
    pinion = outline(teeth, module, 0.31)
    rack = affinity.rotate(
        affinity.translate(bar(24, module, start=-0.3), shift, -radius * 1.003), angle, (0, 0), True
    )
    way = np.array([math.cos(angle), math.sin(angle)])
    ratio = found.ratio()
    turn_leads = ratio.lead.endswith("turn z")
    for step in np.linspace(0, 2 * math.pi / teeth, 7):
        gone = ratio.ratio * step if turn_leads else step / ratio.ratio
        here = affinity.rotate(pinion, beta + step, (0, 0), True)
        there = affinity.translate(rack, *(slid + gone * way))
        cut = here.intersection(there).area
        assert cut < 0.03 * module**2, f"{cut / module**2} square modules at {step}"


def test_a_rack_out_of_reach_is_no_pair(tmp_path: Path) -> None:
    rig, geometry = rig_of(tmp_path, 0.0, 0.9)
    ids = part_id(rig, "Pinion"), part_id(rig, "Rack")
    assert rack_pair(rig, gremio.solve(rig), *ids, geometry) is None
    with pytest.raises(GremioError, match="no pair"):
        interlock_own(rig, *ids, geometry=geometry)


def test_two_sprockets_apart_are_proposed_a_chain(tmp_path: Path) -> None:
    rig, geometry = brought_in(
        tmp_path, ("Crank", placed(outline(42, 0.004), 0.0)),
        ("Hub", placed(outline(18, 0.004), 0.5)), ("Other", placed(outline(18, 0.009), 1.0)),
    )  # fmt: skip
    crank, hub, other = (part_id(rig, name) for name in ("Crank", "Hub", "Other"))
    found = propose(rig, gremio.solve(rig), crank, hub, geometry=geometry)
    assert found is not None and found.kind == "chain"
    # A chain turns both the same way, by their teeth (common practice).
    assert found.ratio().ratio == pytest.approx(42 / 18)
    assert not found.cogs, "nothing is to be placed"
    unlike = propose(rig, gremio.solve(rig), crank, other, geometry=geometry)
    assert unlike is None or unlike.kind != "chain"
