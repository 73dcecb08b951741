"""Lines that hang and coil."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import brentq

from gremio.core.mechanics.strands import coil, hanging

POINT = st.tuples(st.floats(-3, 3), st.floats(-3, 3), st.floats(-3, 3))


def length_of(places: np.ndarray) -> float:
    return float(np.linalg.norm(np.diff(places, axis=0), axis=1).sum())


@given(POINT, POINT, st.floats(1.001, 6.0))
def test_what_hangs_is_as_long_as_it_is_and_ends_where_it_should(
    one: tuple[float, float, float], two: tuple[float, float, float], more: float
) -> None:
    a, b = np.array(one), np.array(two)
    away = float(np.linalg.norm(b - a))
    if away < 0.05:
        return
    places = hanging(a, b, more * away, 4001)
    assert places[0] == pytest.approx(a, abs=1e-9) and places[-1] == pytest.approx(b, abs=1e-6)
    assert length_of(places) == pytest.approx(more * away, rel=1e-3)


def test_the_sag_is_that_of_a_catenary() -> None:
    """Level ends 2 m apart, 3 m long: the sag a (cosh(d / 2a) − 1), with a from
    2a sinh(d / 2a) = L solved by `scipy.optimize.brentq`."""
    a = brentq(lambda a: 2 * a * math.sinh(1 / a) - 3, 0.2, 5)
    places = hanging(np.zeros(3), np.array([2.0, 0, 0]), 3.0, 2001)
    assert -places[:, 2].min() == pytest.approx(a * (math.cosh(1 / a) - 1), abs=1e-6)


def test_too_short_it_is_straight() -> None:
    places = hanging(np.zeros(3), np.array([2.0, 0, 1.0]), 1.0, 5)
    assert np.cross(places - places[0], places[-1] - places[0]) == pytest.approx(
        np.zeros((5, 3)), abs=1e-12
    )


@given(st.floats(0.1, 3.0))
def test_a_coil_keeps_its_count_however_long_it_is(away: float) -> None:
    places = coil(np.zeros(3), np.array([0, 0, away]), np.array([1.0, 0, 0]), 0.1, 6.0, 1201)
    angle = np.unwrap(np.arctan2(places[100:-100, 1], places[100:-100, 0]))
    whole = np.unwrap(np.arctan2(places[1:-1, 1], places[1:-1, 0]))
    assert (whole[-1] - whole[0]) / (2 * math.pi) == pytest.approx(6.0, abs=0.01)
    assert np.all(np.diff(angle) >= -1e-9)
    assert np.hypot(places[:, 0], places[:, 1]).max() == pytest.approx(0.1)
    assert places[[0, -1]] == pytest.approx(np.array([[0, 0, 0], [0, 0, away]]))
