"""Turns as matrices, against `scipy`'s own rotations and its minimisers."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import minimize_scalar
from scipy.spatial.transform import Rotation

from gremio.core.mechanics import turns

ANGLES = st.tuples(*[st.floats(-3.1, 3.1)] * 3)
UNIT = st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda v: math.hypot(*v) > 0.1)


@given(UNIT, st.floats(-3.14159, 3.14159), st.floats(0, 1))
def test_a_share_of_a_turn_is_about_the_same_line(
    line: tuple[float, float, float], angle: float, share: float
) -> None:
    way = np.array(line) / np.linalg.norm(line)
    whole = Rotation.from_rotvec(angle * way).as_matrix()
    want = Rotation.from_rotvec(share * angle * way).as_matrix()
    assert turns.share(whole[None], np.array([share]))[0] == pytest.approx(want, abs=1e-7)


@given(UNIT, st.floats(-1e-7, 1e-7), st.floats(0, 1))
def test_next_to_half_a_turn_it_still_goes_the_shorter_way(
    line: tuple[float, float, float], off: float, share: float
) -> None:
    """Short of half a turn one way, past it the other: about the line, or against it."""
    way = np.array(line) / np.linalg.norm(line)
    whole = Rotation.from_rotvec((math.pi + off) * way)
    part = turns.share(whole.as_matrix()[None], np.array([share]))[0]
    short = whole.as_rotvec()
    ways = [Rotation.from_rotvec(share * short).as_matrix()]
    if abs(off) < 3e-8:
        # At half a turn either way is as short.
        back = short - 2 * math.pi * short / np.linalg.norm(short)
        ways.append(Rotation.from_rotvec(share * back).as_matrix())
    assert min(np.abs(part - one).max() for one in ways) < 1e-6


@given(ANGLES, ANGLES, st.integers(0, 2))
@settings(max_examples=80)
def test_one_angle_brings_it_as_near_as_can_be(
    wanted: tuple[float, float, float], others: tuple[float, float, float], axis: int
) -> None:
    """No angle found by `scipy.optimize` is nearer, the other two as they stand."""
    profile = turns.of_angles(np.array([wanted]))
    found = turns.nearest_angles(profile, np.array([others]), [axis])
    rest = [i for i in range(3) if i != axis]
    assert found[0, rest] == pytest.approx(np.array(others)[rest])

    def far(angle: float) -> float:
        tried = np.array([others])
        tried[0, axis] = angle
        return -float(np.trace(turns.of_angles(tried)[0].T @ profile[0]))

    starts = np.linspace(-math.pi, math.pi, 7)
    best = min(minimize_scalar(far, bounds=(a, a + 1.2), method="bounded").fun for a in starts)
    assert far(float(found[0, axis])) <= best + 1e-9


@given(ANGLES)
def test_three_angles_bring_it_all_the_way(wanted: tuple[float, float, float]) -> None:
    profile = turns.of_angles(np.array([wanted]))
    want = Rotation.from_euler("xyz", wanted).as_matrix()
    assert profile[0] == pytest.approx(want, abs=1e-12)
    again = turns.of_angles(turns.angles_of(profile))
    assert again == pytest.approx(profile, abs=1e-9)
