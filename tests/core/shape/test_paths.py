"""Paths: the way gone along a line through points."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gremio
from gremio.core.problem import GremioError
from gremio.core.rig.edit.paths import add_path, remove_path
from gremio.core.rig.model import Path, Rig
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
    with pytest.raises(GremioError, match="'Ramp' is none"):
        add_path(rig, RAMP)
    with pytest.raises(GremioError, match="needs a name"):
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
