"""Taut ropes over sheaves: in one plane against convex hulls, anywhere in space against what a
taut rope is, and followed round and round."""

from __future__ import annotations

import math

import numpy as np
import pytest
import shapely
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from gremio.core.mechanics.ropes import Laid, Sheaves, laid, runs_between

UP = np.array([0.0, -1.0, 0.0])


def rope_over(
    middles: list[tuple[float, float, float]],
    radii: list[float],
    axes: list[tuple[float, float, float]] | None = None,
) -> Laid:
    """A rope where it stands, as at home."""
    axis = np.array(axes if axes is not None else [UP] * len(radii), dtype=float)
    sheaves = Sheaves(np.array([middles], dtype=float), axis[None], np.array(radii))
    return laid(sheaves)


def until(sheaves: Sheaves) -> list[Laid]:
    """The rope at each of the times."""
    return [
        laid(Sheaves(sheaves.middles[:i], sheaves.axes[:i], sheaves.radii))
        for i in range(1, len(sheaves.middles) + 1)
    ]


def drawn_length(rope: Laid) -> float:
    return float(np.linalg.norm(np.diff(rope.places, axis=0), axis=1).sum())


@given(st.floats(0.1, 0.8), st.floats(1.5, 5.0))
def test_over_a_pulley_it_is_as_long_as_its_runs_and_half_the_wheel(r: float, high: float) -> None:
    rope = rope_over([(0, 0, 0), (r, 0, high), (2 * r, 0, 0.5)], [0, -r, 0])
    assert rope.length == pytest.approx(high + math.pi * r + high - 0.5)
    assert rope.falls == 2 and rope.fleet < 1e-9 and not rope.apart
    assert drawn_length(rope) == pytest.approx(rope.length, rel=2e-3)
    assert rope.places[:, 2].max() == pytest.approx(high + r, rel=2e-3)


def test_falls_share_the_way() -> None:
    """Four falls between two blocks: the hook goes a quarter of what the rope does (common
    practice)."""

    def rope(hook: float) -> float:
        top = 5.0
        sheaves = [(0.0, hook, 0.1), (0.2, top, -0.1), (0.4, hook, 0.1), (0.6, top, -0.1)]
        middles = [(-0.1, 0.0, top), *((x, 0.0, z) for x, z, _ in sheaves), (0.7, 0.0, 0.0)]
        return rope_over(middles, [0.0, *(r for _, _, r in sheaves), 0.0]).length

    assert rope(1.0) - rope(2.0) == pytest.approx(4.0, abs=1e-6)


def test_of_many_sheaves_it_touches_those_that_a_hull_does() -> None:
    """A taut line above any discs is the upper side of their convex hull: its length from
    `shapely`, which knows nothing of tangents (discs of 4,000 corners)."""
    rng = np.random.default_rng(7)
    clear = 0
    for _ in range(300):
        count = int(rng.integers(1, 6))
        x = np.sort(rng.uniform(-4, 4, count))
        discs = np.column_stack([x, rng.uniform(0.45, 1.4, count)])
        radii = rng.uniform(0.25, 0.4, count)
        if count > 1 and (np.diff(x) < 0.5).any():
            continue
        ends = shapely.Point(-5, 0), shapely.Point(5, 0)
        round_ = [
            shapely.Point(*c).buffer(r, quad_segs=1000) for c, r in zip(discs, radii, strict=True)
        ]
        hull = shapely.convex_hull(shapely.union_all([*ends, *round_]))
        middles = [(-5, 0, 0), *((a, 0, b) for a, b in discs), (5, 0, 0)]
        rope = rope_over(middles, [0, *(-radii), 0])
        assert rope.length == pytest.approx(hull.length - 10, rel=1e-5)
        clear += int((~rope.touched).sum())
    assert clear > 60


def test_it_leaves_a_sheave_that_its_end_has_risen_past() -> None:
    """What goes up past the tangent pulls the rope off; the length has no step there."""
    heights = np.linspace(-2.0, 4.0, 401)
    middles = np.zeros((len(heights), 3, 3))
    middles[:, 1] = (2.0, 0, 1.0)
    middles[:, 2, 0], middles[:, 2, 2] = 4.0, heights
    sheaves = Sheaves(middles, np.tile(UP, (len(heights), 3, 1)), np.array([0, -0.3, 0.0]))
    ropes = until(sheaves)
    lengths = np.array([rope.length for rope in ropes])
    assert np.abs(np.diff(lengths)).max() < 1.01 * np.diff(heights)[0]
    off = np.array([not rope.touched[1] for rope in ropes])
    assert not off[0] and off[-1] and np.abs(np.diff(off.astype(int))).sum() == 1
    straight = np.hypot(4.0, heights[off])
    assert lengths[off] == pytest.approx(straight)
    assert len({len(rope.places) for rope in ropes}) == 1


@given(st.integers(-3, 3), st.floats(0.0, 6.28))
@settings(max_examples=40)
def test_an_end_that_goes_round_and_round_winds_it_on_and_off(turns: int, more: float) -> None:
    """An end that goes round a bollard winds the rope on by as much as it goes round, and
    comes off again the other way: plain trigonometry."""
    r, far = 0.5, 3.0
    angle = turns * 2 * math.pi + more
    looks = 40 + math.ceil(abs(angle) / 0.3)
    way = np.linspace(0.0, angle, looks)
    middles = np.zeros((looks, 3, 3))
    # It comes along the level through the bollard's top.
    middles[:, 0] = (-far, 0, r)
    middles[:, 2, 0], middles[:, 2, 2] = far * np.cos(way), -far * np.sin(way)
    sheaves = Sheaves(middles, np.tile(UP, (looks, 3, 1)), np.array([0, -r, 0.0]))
    rope = laid(sheaves)
    wrap = angle + math.pi / 2 - math.acos(r / far)
    if wrap > 1e-9:
        assert rope.length == pytest.approx(far + r * wrap + math.sqrt(far**2 - r**2))
    elif wrap < -1e-9:
        straight = float(np.linalg.norm(middles[-1, 2] - middles[-1, 0]))
        assert rope.length == pytest.approx(straight)


TRIPLE = st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda v: math.hypot(*v) > 0.2)


@given(TRIPLE, TRIPLE, TRIPLE, st.floats(0.05, 0.3), st.floats(-0.3, -0.05), st.booleans())
@settings(max_examples=200)
def test_between_sheaves_askew_a_run_cuts_neither(
    one: tuple[float, float, float], two: tuple[float, float, float],
    way: tuple[float, float, float], r: float, s: float, same: bool,
) -> None:  # fmt: skip
    """What a taut rope in a groove is: the run begins and ends on the rims, goes on from each the
    way that the sheave goes round, and seen along an axis comes no nearer than the radius."""
    axes = np.array([one, two])
    axes /= np.linalg.norm(axes, axis=1, keepdims=True)
    middles = np.array([[0, 0, 0], np.array(way) * 2.0])
    radii = np.array([r, -s if same else s])
    run = runs_between(Sheaves(middles[None], axes[None], radii), [0], [1]).one(0, 0)
    apart = [np.linalg.norm(np.cross(middles[1] - middles[0], axis)) for axis in axes]
    # One behind the other on one axle no way is the way round.
    assume(max(apart) > 1e-6)
    if min(apart) > np.abs(radii).sum() + 0.01:
        assert run.ok
    if not run.ok:
        return
    ends = run.start, run.end
    span = ends[1] - ends[0]
    # Almost along an axis, digits are lost: seven of them are left then.
    near = 1e-9 if min(apart) > 1e-3 else 1e-7
    for middle, axis, radius, end in zip(middles, axes, radii, ends, strict=True):
        spoke = end - middle
        assert np.linalg.norm(spoke) == pytest.approx(abs(radius))
        assert spoke @ axis == pytest.approx(0.0, abs=1e-12)
        assert np.cross(axis, spoke) @ span * math.copysign(1, radius) > 0
        line = ends[0] - middle + np.linspace(0, 1, 400)[:, None] * span
        seen = np.linalg.norm(line - np.outer(line @ axis, axis), axis=1)
        assert seen.min() >= abs(radius) - near


def test_a_quarter_turn_belt_leaves_each_pulley_in_the_plane_of_the_other() -> None:
    """Two pulleys with axes at right angles, set so that what leaves one is in the plane of
    the next: that run has no fleet angle (the rule for quarter-turn belts: common practice)."""
    r = 0.4
    # The one turns about z at the origin; what leaves it at (r, 0, 0) goes along y, and there
    # meets the other, which turns about x with its plane at x = r.
    sheaves = Sheaves(
        np.array([[(0.0, 0, 0), (r, 3.0, -0.3)]]),
        np.array([[(0.0, 0, 1), (1.0, 0, 0)]]), np.array([r, -0.3]),
    )  # fmt: skip
    run = runs_between(sheaves, [0], [1]).one(0, 0)
    assert run.ok and run.start == pytest.approx((r, 0, 0), abs=1e-9)
    assert run.end == pytest.approx((r, 3.0, 0.0), abs=1e-9)


def test_what_leaves_no_room_is_told() -> None:
    inside = rope_over([(0, 0, 0), (1, 0, 0), (1.1, 0, 0.1), (3, 0, 0)], [0, -0.4, 0, 0])
    assert inside.apart == ((1, 2),)
    assert np.isfinite(inside.places).all()
    along = rope_over([(0, 0, 0), (0, 2.0, 0)], [0.3, 0.0])
    assert along.apart == ((0, 1),) and np.isfinite(along.places).all()
    # Crossed runs need room for both sheaves, open ones do not.
    assert rope_over([(0, 0, 0), (0.5, 0, 0)], [0.3, -0.3]).apart
    assert not rope_over([(0, 0, 0), (0.5, 0, 0)], [0.3, 0.3]).apart


def test_what_came_round_to_the_other_side_of_a_sheave_is_told() -> None:
    """The end goes up and over to the rope's own side, and on until it comes from below."""
    angle = np.linspace(0.3, -5.98, 80)
    middles = np.zeros((80, 3, 3))
    middles[:, 0] = (-3, 0, 0)
    middles[:, 2, 0], middles[:, 2, 2] = 3 * np.cos(angle), -3 * np.sin(angle)
    sheaves = Sheaves(middles, np.tile(UP, (80, 3, 1)), np.array([0, -0.5, 0.0]))
    ropes = until(sheaves)
    assert ropes[0].touched[1] and not ropes[40].touched[1]
    assert not ropes[40].crossed and ropes[-1].crossed == (1,)
