"""Paths: the way gone along a line through points."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import quad

import gremio
from gremio.core.edit.paths import add_path, remove_path
from gremio.core.problem import GremioError
from gremio.core.rig.model import Path, Rig
from gremio.core.shape.courses import course_of
from gremio.core.shape.paths import along, length, way_to

SQUARE = Path("Yard", ((0, 0, 0), (2, 0, 0), (2, 2, 0), (0, 2, 0)), closed=True)
RAMP = Path("Ramp", ((0, 0, 0), (3, 0, 4), (3, 0, 10)))


def test_length_counts_the_closing_side() -> None:
    assert length(SQUARE) == pytest.approx(8.0)
    assert length(RAMP) == pytest.approx(5.0 + 6.0)


def test_a_closed_path_goes_round_and_back() -> None:
    frames = along(SQUARE, [1.0, 3.0, 5.0, 7.0, 9.0, -1.0])
    assert frames[:4, :2, 3] == pytest.approx(np.array([[1, 0], [2, 1], [1, 2], [0, 1]]))
    assert frames[4] == pytest.approx(frames[0])
    assert frames[5] == pytest.approx(frames[3])


def test_an_open_path_is_carried_straight_on_at_its_ends() -> None:
    before, after = along(RAMP, [-5.0, 13.0])[:, :3, 3]
    assert before == pytest.approx([-3.0, 0.0, -4.0])
    assert after == pytest.approx([3.0, 0.0, 12.0])


@given(st.integers(-20, 20), st.floats(0.1, 0.9))
def test_frames_look_forward_and_stand_upright(metre: int, rest: float) -> None:
    # Every corner is at a whole metre, so a small step stays on its side.
    way = metre + rest
    for path in (SQUARE, RAMP):
        (frame,) = along(path, [way])
        turn = frame[:3, :3]
        assert turn.T @ turn == pytest.approx(np.eye(3), abs=1e-12)
        assert np.linalg.det(turn) == pytest.approx(1.0)
        (ahead,) = along(path, [way + 1e-7])
        step = ahead[:3, 3] - frame[:3, 3]
        assert step / 1e-7 == pytest.approx(turn[:, 0], abs=1e-6)


@given(st.floats(0.01, 10.9))
def test_the_way_to_a_place_on_the_path_is_the_way_that_leads_there(way: float) -> None:
    place = along(RAMP, [way])[:, :3, 3]
    assert way_to(RAMP, place)[0] == pytest.approx(way, abs=1e-9)


def test_the_way_to_a_place_beside_the_path_is_that_of_the_nearest() -> None:
    beside = np.array([[1.0, -3.0, 0.0], [9.0, 1.5, 0.0], [-1.0, 0.5, 0.0]])
    assert way_to(SQUARE, beside) == pytest.approx([1.0, 3.5, 7.5])


def test_a_path_of_one_place_has_no_way() -> None:
    assert along(Path("Dot", ((1, 2, 3),)), [0.0, 5.0]) == pytest.approx(np.stack([np.eye(4)] * 2))


def test_paths_that_can_not_be_are_refused(hatch: Rig) -> None:
    rig, _ = add_path(hatch, RAMP)
    with pytest.raises(GremioError, match="'Ramp' is already the name"):
        add_path(rig, RAMP)
    with pytest.raises(GremioError, match="can't be empty"):
        add_path(rig, Path(" ", RAMP.points))
    with pytest.raises(GremioError, match="two different points"):
        add_path(rig, Path("Dot", ((1, 1, 1), (1, 1, 1))))
    with pytest.raises(GremioError, match=r"no part|not in the rig"):
        add_path(rig, Path("Lost", RAMP.points, on="p99"))


def test_a_path_that_is_used_stays() -> None:
    build = gremio.Builder("Rails")
    build.part("Bogie", joint="slide x")
    build.part("Wheel", on="Bogie", joint="spin y")
    rig = gremio.path(build.rig, "Rail", [(0, 0, 0), (5, 0, 0)])
    (path_id,) = rig.paths
    rolling = gremio.roll(rig, "Wheel", 0.1, along="Rail")
    with pytest.raises(GremioError, match="Rail is used by the rolling for Wheel"):
        remove_path(rolling, path_id)
    assert remove_path(rig, path_id).paths == {}


# ── what bends ─────────────────────────────────────────────────────

ARC = Path("Arc", ((1, 0, 0), (0, -1, 0), (0, 1, 0)), kind="arc")
ROUND = Path("Round", ((1, 0, 2), (0, 1, 2), (-1, 0, 2)), kind="circle")
WINDING = Path("Winding", ((0, 0, 0), (1, 0, 1), (2, 1, 0), (3, 0, 0)), kind="spline")
RING = Path("Ring", ((0, 0, 0), (2, 0, 1), (2, 2, 0), (0, 2, -1)), closed=True, kind="spline")
TREAD = Path("Tread", ((0, 0, 0), (3, 0, 0), (1.5, 0, 1.5)), kind="wrap", radii=(0.5, 0.6, 0.3))
BENT = (ARC, ROUND, WINDING, RING, TREAD)


def test_an_arc_is_as_long_as_its_angle_says() -> None:
    assert length(ARC) == pytest.approx(1.5 * np.pi)
    assert length(ROUND) == pytest.approx(2 * np.pi)


@pytest.mark.parametrize("path", [WINDING, RING])
def test_a_spline_is_as_long_as_a_reference_library_says(path: Path) -> None:
    """Against `scipy.integrate.quad` of its speed."""
    curve = course_of(path).curve  # type: ignore[union-attr]
    whole = sum(
        quad(lambda t: float(np.linalg.norm(curve(t, 1))), a, b, epsabs=1e-13)[0]
        for a, b in itertools.pairwise(curve.x)
    )
    assert length(path) == pytest.approx(whole, abs=1e-10)


def test_a_spline_goes_through_its_points() -> None:
    ways = way_to(WINDING, np.array(WINDING.points))
    assert along(WINDING, ways)[:, :3, 3] == pytest.approx(np.array(WINDING.points), abs=1e-9)


def test_a_belt_is_as_long_as_the_handbook_says() -> None:
    """Open belt: L = 2 √(a² − (R − r)²) + π (R + r) + 2 (R − r) asin((R − r) / a); crossed:
    2 √(a² − (R + r)²) + (π + 2 asin((R + r) / a)) (R + r). Handbook formulas, from memory."""
    far, small, wide = 3.0, 0.5, 1.0
    lean = math.asin((wide - small) / far)
    flat = math.sqrt(far**2 - (wide - small) ** 2)
    ends = ((0.0, 0.0, 0.0), (far, 0.0, 0.0))
    straight = Path("Belt", ends, kind="wrap", radii=(small, wide))
    assert length(straight) == pytest.approx(
        2 * flat + math.pi * (wide + small) + 2 * (wide - small) * lean
    )
    cross = Path("Crossed", ends, kind="wrap", radii=(small, -wide))
    lean, flat = math.asin((wide + small) / far), math.sqrt(far**2 - (wide + small) ** 2)
    assert length(cross) == pytest.approx(2 * flat + (math.pi + 2 * lean) * (wide + small))


@pytest.mark.parametrize("path", BENT, ids=lambda path: path.name)
@given(st.floats(0.001, 0.999))
def test_ways_are_lengths_and_lead_back(path: Path, share: float) -> None:
    way = share * length(path)
    before, here, after = along(path, [way - 1e-6, way, way + 1e-6])[:, :3, 3]
    assert np.linalg.norm(after - before) == pytest.approx(2e-6, rel=1e-4)
    assert way_to(path, here[None])[0] == pytest.approx(way, abs=1e-7)


@pytest.mark.parametrize("path", [ROUND, RING, TREAD], ids=lambda path: path.name)
def test_what_goes_round_joins_without_a_corner(path: Path) -> None:
    before, after = along(path, [-1e-9, 1e-9])
    assert after == pytest.approx(before, abs=1e-6)


def test_a_band_lies_on_its_wheels_and_never_turns_over() -> None:
    frames = along(TREAD, np.linspace(0, length(TREAD), 400))
    gaps = np.linalg.norm(frames[:, None, :3, 3] - np.array(TREAD.points), axis=2) - TREAD.radii
    assert gaps.min() == pytest.approx(0.0, abs=1e-4)
    assert np.abs(frames[1:, :3, 2] - frames[:-1, :3, 2]).max() < 0.1
    # Outward, so below at the bottom.
    assert frames[np.argmin(frames[:, 2, 3]), 2, 2] == pytest.approx(-1.0, abs=0.1)


@pytest.mark.parametrize(
    ("path", "said"),
    [
        (Path("A", ((0, 0, 0), (1, 0, 0), (2, 0, 0)), kind="arc"), "in one line"),
        (Path("A", ((0, 0, 0), (1, 0, 0)), kind="circle"), "three points"),
        (Path("A", ((0, 0, 0), (1, 0, 0)), kind="wrap", radii=(2.0, 0.5)), "in one another"),
        (Path("A", ((0, 0, 0), (1, 0, 0)), kind="wrap", radii=(1.0,)), "each with its radius"),
        (Path("A", ((0, 0, math.nan), (1, 0, 0))), "no place"),
    ],
)
def test_points_that_make_no_path_are_refused(path: Path, said: str) -> None:
    with pytest.raises(GremioError, match=said):
        add_path(Rig(), path)
    assert length(path) == 0.0
