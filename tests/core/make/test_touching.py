"""Stops where a part touches: plane geometry (no published source)."""

from __future__ import annotations

import math

import pytest

import gremio
from gremio.core.make.touching import stops_where_it_touches, touch_words, touched_at
from gremio.core.rig.channels import key
from gremio.core.rig.find import channel_key, part_id
from gremio.core.rig.model import Rig, Stops
from gremio.core.rig.solids import Box
from gremio.core.script.posing import surfaces_of

shape = gremio.shape


def gate() -> gremio.Builder:
    """A leaf of 0.9 m, 0.04 m thick on either side of its hinge line, between two posts."""
    b = gremio.Builder("Gate")
    b.part("Leaf", shape(Box(length=0.9, width=0.08, height=2), at=(0.45, 0, 0)), joint="hinge z",
           stops=("-10 deg", "10 deg"))  # fmt: skip
    b.part("Left post", shape(Box(length=0.2, width=0.2, height=2)), at=(0, 0.7, 0))
    b.part("Right post", shape(Box(length=0.2, width=0.2, height=2)), at=(0.2, -0.7, 0))
    return b


def stops(rig: Rig, **how: object) -> tuple[Stops, str]:
    channel = channel_key(rig, "Leaf turn z")
    made, found = stops_where_it_touches(
        rig,
        gremio.solve(rig),
        channel,
        geometry=surfaces_of(rig),
        **how,  # type: ignore[arg-type]
    )
    return made.parts[part_id(made, "Leaf")].stops["turn z"], touch_words(made, channel, found)


def wanted(corners: list[tuple[float, float]], side: float) -> float:
    """The least turn at which a face 0.04 m beside the line from the hinge meets a corner."""
    turns = []
    for x, y in corners:
        angle, radius = math.atan2(y, x), math.hypot(x, y)
        turns.append(angle - side * math.asin(0.04 / radius))
    return min(turns, key=abs)


LEFT = wanted([(-0.1, 0.6), (0.1, 0.6), (0.1, 0.8)], 1.0)
RIGHT = wanted([(0.1, -0.6), (0.3, -0.6), (0.3, -0.8)], -1.0)


def test_both_stops_are_set_beyond_those_that_were_there() -> None:
    found, words = stops(gate().rig)
    assert found.high == pytest.approx(LEFT, abs=1e-6)
    assert found.low == pytest.approx(RIGHT, abs=1e-6)
    assert "Left post" in words and "Right post" in words


def test_one_stop_alone_leaves_the_other() -> None:
    found, _ = stops(gate().rig, ends=("high",))
    assert found.high == pytest.approx(LEFT, abs=1e-6)
    assert found.low == pytest.approx(math.radians(-10))


def test_against_chosen_parts_alone() -> None:
    rig = gate().rig
    found, words = stops(rig, against=[part_id(rig, "Right post")])
    # On its way round it comes to the right post from the other side.
    assert found.high is not None and found.high > math.pi
    assert "Left post" not in words


def test_what_is_led_goes_by_its_lead() -> None:
    b = gate()
    b.control("Wheel", 0, 100, kind="number", unit="")
    b.ratio("Wheel", "Leaf turn z", 0.01)
    rig = b.rig
    leaf = part_id(rig, "Leaf")
    found = touched_at(rig, gremio.solve(rig), key(leaf, "turn z"), "high",
                       geometry=surfaces_of(rig))  # fmt: skip
    # The wheel ends at 1 rad, before anything is touched.
    assert not found.touches and found.value == pytest.approx(1.0)
    wide = gremio.set_range(rig, "Wheel", 0, 200, keeps="proportion")
    found = touched_at(wide, gremio.solve(wide), key(leaf, "turn z"), "high",
                       geometry=surfaces_of(wide))  # fmt: skip
    assert found.touches and found.value == pytest.approx(LEFT, abs=1e-6)


def test_where_nothing_is_touched_that_is_said_and_nothing_changed() -> None:
    b = gremio.Builder("Gate")
    b.part("Leaf", shape(Box(length=0.9, width=0.08, height=2)), joint="hinge z")
    with pytest.raises(gremio.GremioError, match="touches nothing"):
        stops(b.rig)
    b.part("Floor", shape(Box(length=9, width=9, height=0.1)), at=(0, 0, -1.05))
    # It stands on the floor, and slides on it all the way round.
    with pytest.raises(gremio.GremioError, match="touches nothing"):
        stops(b.rig)


def test_what_can_not_move_is_refused() -> None:
    rig = gate().rig
    with pytest.raises(gremio.GremioError, match="joint"):
        stops_where_it_touches(
            rig, gremio.solve(rig), key(part_id(rig, "Left post"), "turn z"),
            geometry=surfaces_of(rig),
        )  # fmt: skip


def test_by_name_from_a_script() -> None:
    rig = gremio.stops_where_it_touches(gate().rig, "Leaf turn z", against=["Left post"],
                                        ends="high")  # fmt: skip
    assert rig.parts[part_id(rig, "Leaf")].stops["turn z"].high == pytest.approx(LEFT, abs=1e-6)
    with pytest.raises(gremio.GremioError, match="low, high or both"):
        gremio.stops_where_it_touches(gate().rig, "Leaf turn z", ends="up")
