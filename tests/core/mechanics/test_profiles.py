from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from gremio.core.mechanics.profiles import leads_at, smooth, straight, value

points = st.lists(st.tuples(st.floats(0.05, 5), st.floats(-10, 10)), min_size=2, max_size=9).map(
    lambda pairs: (np.cumsum([x for x, _ in pairs]), np.array([y for _, y in pairs]))
)


@settings(max_examples=80)
@given(points)
def test_the_smooth_profile_is_the_monotone_cubic_of_scipy(xy: tuple) -> None:
    x, y = xy
    at = np.linspace(x[0], x[-1], 60)
    reference = PchipInterpolator(x, y)(at)
    assert value(smooth(x, y), at) == pytest.approx(reference, abs=1e-9)


@settings(max_examples=80)
@given(points)
def test_the_smooth_profile_never_overshoots_its_stations(xy: tuple) -> None:
    x, y = xy
    heights = value(smooth(x, y), np.linspace(x[0], x[-1], 200))
    assert heights.min() >= y.min() - 1e-9 and heights.max() <= y.max() + 1e-9


def test_the_straight_profile_is_linear_interpolation() -> None:
    x, y = [0.0, 1.0, 4.0], [0.0, 3.0, -3.0]
    at = np.linspace(-1, 5, 50)
    assert value(straight(x, y), at) == pytest.approx(np.interp(at, x, y), abs=1e-12)


def test_a_profile_is_held_beyond_its_ends() -> None:
    profile = smooth([0.0, 1.0, 2.0], [5.0, 6.0, 9.0])
    assert value(profile, [-3.0, 7.0]) == pytest.approx([5.0, 9.0])


@settings(max_examples=80)
@given(points, st.floats(0, 1))
def test_the_lead_of_a_height_gives_that_height(xy: tuple, share: float) -> None:
    x, y = xy
    profile = smooth(x, y)
    lead = float(x[0] + share * (x[-1] - x[0]))
    wanted = float(value(profile, lead))
    found = leads_at(profile, wanted, lead)
    assert found is not None
    assert float(value(profile, found)) == pytest.approx(wanted, abs=1e-7)


def test_of_several_leads_the_nearest_is_taken() -> None:
    there_and_back = straight([0.0, 1.0, 2.0], [0.0, 10.0, 0.0])
    assert leads_at(there_and_back, 4.0, near=0.1) == pytest.approx(0.4)
    assert leads_at(there_and_back, 4.0, near=1.9) == pytest.approx(1.6)
    assert leads_at(there_and_back, 11.0, near=1.0) is None


def test_along_a_dwell_the_lead_stays_where_it_is() -> None:
    profile = smooth([0.0, 1.0, 3.0], [0.0, 5.0, 5.0])
    assert leads_at(profile, 5.0, near=2.2) == pytest.approx(2.2)
