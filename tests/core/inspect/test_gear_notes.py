"""Notes on rings, racks and wheels that no pair of plain gears would show."""

from __future__ import annotations

import math

import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.builder import shape
from gremio.core.edit.links import add_link
from gremio.core.inspect.findings import inspect
from gremio.core.make.meshing import interlock
from gremio.core.problem import GremioError
from gremio.core.rig.find import channel_key, part_id
from gremio.core.rig.model import Ratio, Rig
from gremio.core.rig.solids import AnySolid, Box, Cylinder, InternalGear, RackBar, SpurGear
from gremio.core.shape.solids import geometry_of

M = 0.01
PINION = SpurGear(module=M, teeth=20, width=0.05)


def ring(teeth: int) -> InternalGear:
    return InternalGear(module=M, teeth=teeth, width=0.05, rim=M * (teeth + 8))


def pair(one: AnySolid, two: AnySolid, at: tuple, joint: str, ratio: float, kind: str) -> Rig:
    build = gremio.Builder("Pair")
    build.part("One", shape(one), joint="spin z")
    build.part("Two", shape(two), at=at, joint=joint)
    link = Ratio("p1 turn z", channel_key(build.rig, "Two"), ratio, kind=kind)
    return add_link(build.rig, link)[0]


def codes(rig: Rig) -> list[str]:
    return [finding.note.code for finding in inspect(rig, geometry=geometry_of)]


def test_a_pinion_placed_in_its_ring_has_nothing_to_mend() -> None:
    rig = pair(ring(60), PINION, (0.2, 0, 0), "spin z", 3.0, "gear pair")
    assert codes(interlock(rig, "p1", "p2", geometry=geometry_of)) == []


def test_a_pinion_too_near_the_middle_of_its_ring_is_told_and_placed() -> None:
    rig = pair(ring(60), PINION, (0.19, 0, 0), "spin z", 3.0, "gear pair")
    (finding,) = inspect(rig, geometry=geometry_of)
    assert finding.note.code == "gear-distance"
    assert "190.00 mm apart and should be 200.00 mm" in finding.note.text
    # A ring is not shifted; it is only placed.
    assert [mend.words for mend in finding.mends] == ["place Two anew"]
    placed = finding.mends[0].edit(rig)
    assert codes(placed) == []
    assert placed.parts["p2"].mount.at[:2] == pytest.approx((0.2, 0.0))


def test_a_ring_with_fewer_teeth_than_its_pinion_can_not_be() -> None:
    rig = pair(ring(18), PINION, (0.02, 0, 0), "spin z", 18 / 20, "gear pair")
    assert "gear-teeth" in codes(rig)
    (note,) = [f.note for f in inspect(rig, geometry=geometry_of) if f.note.code == "gear-teeth"]
    assert "needs more teeth than the pinion" in note.text


def test_a_rack_beside_its_pitch_line_is_told_and_placed() -> None:
    rack = RackBar(module=M, teeth=20, width=0.05, back=0.02)
    rig = pair(PINION, rack, (0, -0.105, 0), "slide x", 0.1, "rack and pinion")
    assert codes(rig) == ["gear-distance"]
    placed = interlock(rig, "p1", "p2", geometry=geometry_of)
    assert codes(placed) == []
    assert placed.parts["p2"].mount.at[1] == pytest.approx(-0.1)


def test_a_rack_led_by_another_radius_is_told_what_the_teeth_say() -> None:
    rack = RackBar(module=M, teeth=20, width=0.05, back=0.02)
    rig = pair(PINION, rack, (0, -0.1, 0), "slide x", 0.08, "rack and pinion")
    rig = interlock(rig, "p1", "p2", geometry=geometry_of)
    (finding,) = inspect(rig, geometry=geometry_of)
    assert finding.note.code == "gear-ratio"
    mended = finding.mends[0].edit(rig)
    (link,) = mended.links.values()
    assert link.ratio == pytest.approx(0.1) and codes(mended) == []


def test_unlike_angles_are_made_alike() -> None:
    odd = SpurGear(module=M, teeth=30, width=0.05, pressure_angle=math.radians(25))
    rig = pair(PINION, odd, (0.25, 0, 0), "spin z", -20 / 30, "gear pair")
    (finding,) = inspect(rig, geometry=geometry_of)
    assert finding.note.code == "gear-angles" and "20° and 25°" in finding.note.text
    solid = finding.mends[0].edit(rig).parts["p2"].shapes[0].solid
    assert isinstance(solid, SpurGear)
    assert solid.pressure_angle == pytest.approx(math.radians(20))


# ── what geometry proposes ─────────────────────────────────────────────


def proposed(rig: Rig, lead: str, follower: str):
    from gremio.core.make.pairs import propose

    return propose(rig, gremio.solve(rig), part_id(rig, lead), part_id(rig, follower))


def test_a_ring_and_its_pinion_turn_together() -> None:
    rig = pair(ring(60), PINION, (0.2, 0, 0), "spin z", 3.0, "gear pair")
    found = proposed(rig, "One", "Two")
    assert found.words == "60 ÷ 20, inside mesh, turns with: 3" and found.ratio().ratio == 3.0


def test_gears_that_stand_apart_are_joined_by_a_chain() -> None:
    rig = pair(PINION, replace(PINION, teeth=40), (1.0, 0, 0), "spin z", 0.5, "chain")
    found = proposed(rig, "One", "Two")
    assert found.kind == "chain" and found.ratio().ratio == 0.5


def test_axes_that_cross_propose_a_bevel_pair() -> None:
    build = gremio.Builder("Corner")
    build.part("One", shape(PINION), joint="spin z")
    build.part("Two", shape(replace(PINION, teeth=40)), at=("0.1 m", 0, "0.2 m"),
               turned=(0, "90 deg", 0), joint="spin z")  # fmt: skip
    found = proposed(build.rig, "One", "Two")
    assert found.kind == "bevel pair" and abs(found.ratio().ratio) == 0.5


def test_pistons_propose_their_areas_and_a_screw_its_lead() -> None:
    build = gremio.Builder("Press")
    for name, wide, x in (("Small", 0.02, 0.0), ("Large", 0.06, 1.0)):
        piston = shape(Cylinder(diameter=wide, height=0.1))
        build.part(name, piston, at=(x, 0, 0), joint="slide z")
    build.part("Spindle", joint="screw z 4 mm")
    build.part("Nut", shape(Box(length=0.1, width=0.1, height=0.1)), joint="slide z")
    rig = build.rig
    hydraulic = proposed(rig, "Small", "Large")
    # Equal volumes: the areas are as the squares of the diameters.
    assert hydraulic.kind == "hydraulic pair"
    assert hydraulic.ratio().ratio == pytest.approx((0.02 / 0.06) ** 2)
    screw = proposed(rig, "Spindle", "Nut")
    assert screw.kind == "lead screw"
    assert screw.ratio().ratio * 2 * math.pi == pytest.approx(0.004)


def test_a_grounded_part_proposes_nothing_and_says_so() -> None:
    build = gremio.Builder("Still")
    build.part("One", shape(PINION), joint="spin z")
    build.part("Two", shape(PINION), at=(0.2, 0, 0))
    with pytest.raises(GremioError, match="Two is grounded"):
        proposed(build.rig, "One", "Two")


def test_gears_of_which_nothing_can_be_proposed_are_looked_over_all_the_same() -> None:
    """On one shaft they are no pair, whatever a link between them says."""
    rig = pair(PINION, SpurGear(module=M, teeth=33, width=0.05), (0, 0, 0.2), "spin z", -0.5,
               "gear pair")  # fmt: skip
    assert "gear-ratio" not in codes(rig)
