"""Loops as data: their sides, their gaps, and how the gaps change."""

from __future__ import annotations

import numpy as np
import pytest

import gremio
from gremio.core.edit.closures import change_closure
from gremio.core.plan.loop_geometry import (
    across,
    frames_in_loop,
    gaps,
    jacobian_of,
    moving,
    points_of,
    sides,
)
from gremio.core.plan.loops import find_loops
from gremio.core.rig.model import Closure, Rig
from gremio.core.rig.numbers import closure_label


def spatial() -> Rig:
    """An arm of all kinds of joints, tied to a post that can slide and turn."""
    build = gremio.Builder("Arm")
    build.part("Bed", at=(0.3, 0.1, 0.2), turned=(0.3, -0.2, 0.5))
    build.part("Arm", on="Bed", at=(0.1, 0, 0.4), turned=(0.2, 0.1, 0), joint="ball")
    build.part("Slide", on="Arm", at=(0.5, 0.1, 0), turned=(0, 0.4, 0), joint="cylinder x")
    build.part("Post", on="Bed", at=(1, 0.3, 0), turned=(0.1, 0, 0.7), joint="hinge y")
    return gremio.pin(build.rig, "Slide", "Post", (0.3, 0, 0.1), (0.1, 0.2, 0.8))


def parts_and_channels(rig: Rig) -> tuple[tuple[str, ...], tuple[str, ...]]:
    parts = ("p2", "p4", "p3")
    return parts, tuple(c for part in parts for c in moving(rig, part))


def gap_at(rig: Rig, values: dict[str, float]) -> np.ndarray:
    frames = frames_in_loop(rig, ("p2", "p4", "p3"), values)
    here, there, ways = points_of(next(iter(rig.closures.values())), frames)
    return ways @ (here - there)


@pytest.mark.parametrize("kind", ["pin", "rail"])
def test_the_jacobian_is_the_derivative_of_the_gaps(kind: str) -> None:
    rig = spatial()
    ((closure_id, closure),) = rig.closures.items()
    tied = Closure(closure.one, closure.two, kind, closure.at_one, closure.at_two, (0.2, 0.9, 0.1))
    rig = change_closure(rig, closure_id, tied)
    parts, channels = parts_and_channels(rig)
    rng = np.random.default_rng(2)
    # On the closure itself, where pin and rail say the same: a rail's directions turn.
    values = {c: float(v) for c, v in zip(channels, rng.normal(size=len(channels)) * 0.3,
                                          strict=True)}  # fmt: skip
    if kind == "pin":
        place = frames_in_loop(rig, parts, values)
        at = np.linalg.inv(place["p4"]) @ place["p3"] @ np.append(closure.at_one, 1.0)
        x, y, z = (float(v) for v in at[:3])
        rig = change_closure(rig, closure_id, Closure("p3", "p4", "pin", closure.at_one, (x, y, z)))
    found = jacobian_of(rig, (closure_id,), parts, channels, values)
    if kind == "rail":
        # The directions across are chosen anew at each place; their plane is what counts.
        frames = frames_in_loop(rig, parts, values)
        _, _, ways = points_of(rig.closures[closure_id], frames)
        assert ways @ ways.T == pytest.approx(np.eye(2))
        assert found.shape == (2, len(channels))
        return
    eps = 1e-7
    for column, channel in enumerate(channels):
        more = gap_at(rig, {**values, channel: values[channel] + eps})
        less = gap_at(rig, {**values, channel: values[channel] - eps})
        assert found[:, column] == pytest.approx((more - less) / (2 * eps), abs=1e-6)


def test_the_sides_of_a_closure_leave_out_what_carries_both() -> None:
    rig = spatial()
    one, two = sides(rig, next(iter(rig.closures.values())))
    assert (one, two) == (["p3", "p2"], ["p4"])


def test_gaps_are_told_in_metres() -> None:
    rig = spatial()
    frames = frames_in_loop(rig, ("p2", "p4", "p3"), {})
    (gap,) = gaps(rig, rig.closures, frames).values()
    assert gap == pytest.approx(float(np.linalg.norm(gap_at(rig, {}))))


def test_directions_across_are_square_to_the_axis_and_each_other() -> None:
    for axis in ([1, 0, 0], [0.3, -2, 0.1], [0, 0, -5]):
        ways = across(np.array(axis, dtype=float))
        assert ways @ np.array(axis) == pytest.approx([0, 0], abs=1e-12)
        assert ways @ ways.T == pytest.approx(np.eye(2), abs=1e-12)


def test_closures_that_share_parts_are_one_loop_and_others_are_not() -> None:
    build = gremio.Builder("Two")
    for name in ("One", "Two"):
        build.part(f"{name} crank", joint="spin z")
        build.part(f"{name} rod", on=f"{name} crank", at=(0.2, 0, 0), joint="spin z")
        build.part(f"{name} slide", at=(1.2, 0, 0), joint="slide x")
        build.rig = gremio.pin(build.rig, f"{name} rod", f"{name} slide", (1.0, 0, 0))
    rig = build.rig
    order = list(rig.parts)
    assert [len(loop.closures) for loop in find_loops(rig, (), order)] == [1, 1]
    tied = gremio.pin(rig, "One slide", "Two slide")
    (loop,) = find_loops(tied, (), order)
    assert len(loop.closures) == 3 and loop.mobility == 1
    assert loop.free == ("p1 turn z",)


def test_what_is_led_is_given() -> None:
    rig = spatial()
    (loop,) = find_loops(rig, {"p4 turn y"}, list(rig.parts))
    assert loop.given == ("p4 turn y",) and "p4 turn y" not in loop.found
    # The ball swings without spinning, which is one more thing that is met.
    assert len(loop.swings) == 1
    assert len(loop.found) == 3 + 1 and loop.surplus == 0


def test_how_a_closure_is_called() -> None:
    rig = spatial()
    closure = next(iter(rig.closures.values()))
    assert closure_label(rig, closure) == "the pin of Slide and Post"
    assert closure_label(rig, Closure("p3", None, "rail")) == "the rail of Slide and the ground"
