"""How far something goes until it touches: against closed forms of plane geometry, and against
shapely for outlines that turn."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely
import shapely.affinity

import gremio
from gremio.core.contact.until import Touch, until_touch
from gremio.core.rig.find import channel_key, part_id
from gremio.core.rig.model import Rig
from gremio.core.rig.solids import Box, Cylinder
from gremio.core.script.posing import surfaces_of
from gremio.core.solve.compiling import compile_rig

shape = gremio.shape


def touch(rig: Rig, channel: str, end: float, against: list[str] | None = None) -> Touch:
    program = compile_rig(rig, surfaces_of(rig))
    others = None if against is None else [part_id(rig, name) for name in against]
    return until_touch(
        program, rig.at, channel_key(rig, channel), end, against=others, geometry=surfaces_of(rig)
    )


def names(rig: Rig, found: Touch) -> set[str]:
    return {rig.parts[part].name for part in (found.part, found.other) if part}


def bolt(gap: float = 0.25) -> Rig:
    """A bolt of 0.4 m that slides along x, and a wall face at 0.2 + gap."""
    b = gremio.Builder("Bolt")
    b.part("Bolt", shape(Box(length=0.4, width=0.05, height=0.05)), joint="slide x")
    b.part("Wall", shape(Box(length=0.1, width=1, height=1)), at=(0.25 + gap, 0, 0))
    return b.rig


@pytest.mark.parametrize("gap", [0.25, 1e-3, 3.0])
def test_a_bolt_slides_until_the_wall(gap: float) -> None:
    rig = bolt(gap)
    found = touch(rig, "Bolt move x", 5.0)
    assert found.value == pytest.approx(gap, abs=1e-7)
    assert names(rig, found) == {"Bolt", "Wall"}
    assert touch(rig, "Bolt move x", -5.0).value == -5.0


def test_a_thin_sheet_is_not_jumped() -> None:
    b = gremio.Builder("Bolt")
    b.part("Bolt", shape(Box(length=0.4, width=0.05, height=0.05)), joint="slide x")
    b.part("Sheet", shape(Box(length=1e-4, width=1, height=1)), at=(7.0, 0, 0))
    found = touch(b.rig, "Bolt move x", 20.0)
    assert found.value == pytest.approx(7.0 - 0.2 - 5e-5, abs=1e-6)


def test_a_door_turns_until_the_wall_beside_it() -> None:
    """A leaf 0.9 m long and 0.04 thick about its corner edge; a post's face at x = −0.3, from
    y = 0.5 to 0.7: the leaf's outer face comes to the post's far corner (−0.3, 0.7)."""
    b = gremio.Builder("Door")
    b.part("Leaf", shape(Box(length=0.9, width=0.04, height=2), at=(0.45, 0.02, 0)),
           joint="hinge z")  # fmt: skip
    b.part("Post", shape(Box(length=0.2, width=0.2, height=2)), at=(-0.4, 0.6, 0))
    found = touch(b.rig, "Leaf turn z", 2 * math.pi)
    # The face lies 0.04 left of the line through the hinge: distance of the corner from the hinge
    # is r, its direction a; the face touches it where sin(a − turn) · r = 0.04.
    radius, angle = math.hypot(0.3, 0.7), math.atan2(0.7, -0.3)
    assert found.value == pytest.approx(angle - math.asin(0.04 / radius), abs=1e-6)


def test_a_pawl_turns_until_a_tooth_as_shapely_says() -> None:
    """Two flat prisms of any outline: the overlap of their outlines is the touch."""
    rng = np.random.default_rng(5)
    b = gremio.Builder("Pawl")
    b.part("Pawl", shape(Box(length=0.5, width=0.06, height=0.1), at=(0.2, 0.05, 0)),
           joint="hinge z")  # fmt: skip
    turned = float(rng.uniform(0, 1))
    b.part("Tooth", shape(Box(length=0.1, width=0.14, height=0.1)), at=(-0.2, 0.3, 0),
           turned=(0, 0, turned))  # fmt: skip
    found = touch(b.rig, "Pawl turn z", math.pi)
    pawl = shapely.box(-0.05, 0.02, 0.45, 0.08)
    tooth = shapely.affinity.translate(
        shapely.affinity.rotate(shapely.box(-0.05, -0.07, 0.05, 0.07), turned, (0, 0), True),
        -0.2, 0.3,
    )  # fmt: skip

    def apart(angle: float) -> float:
        return float(shapely.affinity.rotate(pawl, angle, (0, 0), True).distance(tooth))

    assert 0.0 <= apart(found.value) < 1e-6
    assert apart(found.value + 1e-5) == 0.0
    assert all(apart(turn) > 0 for turn in np.linspace(0, found.value, 300)[:-1])


def cylinder_in_housing() -> Rig:
    """A rod that slides in a sleeve it just fills, to an end plate: touching from the first."""
    b = gremio.Builder("Housing")
    wall = 0.02
    b.part(
        "Housing",
        *[
            shape(Box(length=1, width=0.3, height=wall), at=(0.5, 0, 0.1 + wall / 2)),
            shape(Box(length=1, width=0.3, height=wall), at=(0.5, 0, -0.1 - wall / 2)),
            shape(Box(length=wall, width=0.3, height=0.24), at=(1.0 + wall / 2, 0, 0)),
        ],
    )
    b.part("Piston", shape(Box(length=0.3, width=0.3, height=0.2), at=(0.15, 0, 0)),
           joint="slide x")  # fmt: skip
    return b.rig


def test_what_slides_in_its_housing_goes_to_the_end_plate() -> None:
    rig = cylinder_in_housing()
    found = touch(rig, "Piston move x", 3.0)
    assert found.value == pytest.approx(0.7, abs=1e-6)
    assert [{rig.parts[p].name for p in pair} for pair in found.left_out] == [{"Piston", "Housing"}]
    assert touch(rig, "Piston move x", -3.0).value == -3.0


def test_a_leaf_that_touches_its_frame_at_the_hinge_goes_to_its_stop() -> None:
    """The knuckle overlaps the frame all the way round; a nib of the same frame stops the leaf."""
    b = gremio.Builder("Leaf")
    b.part(
        "Frame",
        *[
            shape(Cylinder(diameter=0.04, height=2)),
            shape(Box(length=0.05, width=0.05, height=0.05), at=(-0.6, 0.4, 0)),
        ],
    )
    b.part("Leaf", *[shape(Cylinder(diameter=0.04, height=1.5)),
                    shape(Box(length=0.9, width=0.02, height=1), at=(0.45, 0, 0))],
           joint="hinge z")  # fmt: skip
    found = touch(b.rig, "Leaf turn z", 2 * math.pi)
    leaf = shapely.box(0.0, -0.01, 0.9, 0.01)
    nib = shapely.box(-0.625, 0.375, -0.575, 0.425)

    def hits(angle: float) -> bool:
        return bool(shapely.affinity.rotate(leaf, angle, (0, 0), True).distance(nib) == 0)

    high = next(angle for angle in np.linspace(0, math.pi, 2001) if hits(angle))
    low = high - math.pi / 2000
    while high - low > 1e-9:
        middle = (low + high) / 2
        low, high = (low, middle) if hits(middle) else (middle, high)
    assert found.value == pytest.approx(low, abs=2e-6)


def test_only_what_is_chosen_stops_it() -> None:
    b = gremio.Builder("Bolt")
    b.part("Bolt", shape(Box(length=0.4, width=0.05, height=0.05)), joint="slide x")
    b.part("Near", shape(Box(length=0.1, width=1, height=1)), at=(1, 0, 0))
    b.part("Far", shape(Box(length=0.1, width=1, height=1)), at=(2, 0, 0))
    assert touch(b.rig, "Bolt move x", 5.0).value == pytest.approx(0.75, abs=1e-7)
    assert touch(b.rig, "Bolt move x", 5.0, ["Far"]).value == pytest.approx(1.75, abs=1e-7)


def test_what_is_carried_counts_and_what_is_hidden_does_not() -> None:
    b = gremio.Builder("Crane")
    b.part("Jib", shape(Box(length=1, width=0.1, height=0.1), at=(0.5, 0, 2)), joint="spin z")
    b.part("Hook", shape(Box(length=0.1, width=0.1, height=1)), on="Jib", at=(0.9, 0, 1))
    b.part("Stack", shape(Box(length=0.2, width=0.2, height=1)), at=(0, 0.9, 0.5))
    found = touch(b.rig, "Jib turn z", math.pi)
    assert names(b.rig, found) == {"Hook", "Stack"}
    # The hook's flank is 0.05 ahead of its middle at 0.95 outward; the stack's face at y = 0.8.
    assert 0.9 < found.value < 1.4
    from gremio.core.edit.numbers import set_numbers

    hidden = set_numbers(b.rig, {channel_key(b.rig, "Stack shown"): 0.0})
    assert touch(hidden, "Jib turn z", math.pi).value == pytest.approx(math.pi)


def test_two_that_move_against_one_another() -> None:
    """Jaws led by one handle, toward each other: each goes half the gap."""
    b = gremio.Builder("Jaws")
    for name, x in (("Left", -1.0), ("Right", 1.0)):
        b.part(name, shape(Box(length=0.2, width=0.2, height=0.2)), at=(x, 0, 0), joint="slide x")
    b.control("Grip", 0.0, 2.0, kind="length")
    b.ratio("Grip", "Left move x", 1.0)
    b.ratio("Grip", "Right move x", -1.0)
    assert touch(b.rig, "Grip", 2.0).value == pytest.approx(0.9, abs=1e-7)


def test_round_shapes_touch_as_their_facets_do() -> None:
    """Two discs rolled toward each other: a facet's sagitta off the true radius at most."""
    b = gremio.Builder("Discs")
    b.part("One", shape(Cylinder(diameter=0.6, height=0.1)), joint="slide x")
    b.part("Two", shape(Cylinder(diameter=0.4, height=0.1)), at=(2, 0.1, 0))
    found = touch(b.rig, "One move x", 3.0).value
    exact = 2 - math.sqrt(0.5**2 - 0.1**2)
    assert exact - 1e-9 <= found <= exact + 0.004
