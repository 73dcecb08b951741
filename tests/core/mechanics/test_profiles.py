from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from gremio.core.mechanics.profiles import (
    acceleration,
    jumps,
    leads_at,
    peaks,
    profile_of,
    smooth,
    speed,
    straight,
    value,
)

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


# Peak velocity (× h/β) and acceleration (× h/β²): handbook tables, from memory; all computed.
TABLE = {
    "harmonic": (1.571, 4.935),
    "cycloidal": (2.000, 6.283),
    "3-4-5": (1.875, 5.774),
    "4-5-6-7": (2.188, 7.513),
    "modified sine": (1.760, 5.528),
    "modified trapezoid": (2.000, 4.888),
}


@pytest.mark.parametrize("law", TABLE)
def test_the_peaks_of_the_laws_are_those_of_the_handbooks(law: str) -> None:
    rise, span = 3.0, 0.5
    profile = profile_of([1.0, 1.0 + span], [2.0, 2.0 + rise], [law])
    at = np.linspace(1.0, 1.0 + span, 20001)
    fast = np.abs(speed(profile, at)).max() * span / rise
    hard = np.abs(acceleration(profile, at)).max() * span**2 / rise
    assert (fast, hard) == pytest.approx(TABLE[law], abs=6e-4)
    told = peaks(profile)
    assert (told[0] * span / rise, told[1] * span**2 / rise) == pytest.approx(
        (fast, hard), rel=1e-6
    )


@pytest.mark.parametrize("law", TABLE)
def test_a_law_between_dwells_joins_without_a_jump(law: str) -> None:
    x, y = [0.0, 1.0, 3.0, 4.0], [1.0, 1.0, 4.0, 4.0]
    profile = profile_of(x, y, ["dwell", law, "dwell"])
    assert jumps(profile) == []
    eps = 1e-7
    for station in (1.0, 3.0):
        for order in (value, speed):
            assert order(profile, station - eps) == pytest.approx(
                order(profile, station + eps), abs=1e-5
            )
    if law not in ("harmonic",):
        # All laws but the harmonic promise that acceleration does not jump either.
        for station in (1.0, 3.0):
            before, after = (float(acceleration(profile, station + e)) for e in (-eps, eps))
            assert before == pytest.approx(after, abs=1e-4)


@pytest.mark.parametrize("kind", ["smooth", "straight", "free", *TABLE])
def test_speed_and_acceleration_are_derivatives(kind: str) -> None:
    profile = profile_of([0, 1, 2.5, 4], [0, 2, 1, 5], [kind] * 3, [1.0, 0.5, -0.3, 2.0])
    at = np.linspace(0.05, 3.95, 400)
    at = at[np.min(np.abs(at[:, None] - [1.0, 2.5]), axis=1) > 1e-3]
    eps = 1e-6
    slope = (value(profile, at + eps) - value(profile, at - eps)) / (2 * eps)
    bend = (speed(profile, at + eps) - speed(profile, at - eps)) / (2 * eps)
    assert speed(profile, at) == pytest.approx(slope, abs=1e-6)
    assert acceleration(profile, at) == pytest.approx(bend, abs=1e-5)


def test_a_dwell_before_another_height_is_a_jump_in_place() -> None:
    profile = profile_of([0, 1, 2], [0, 3, 3], ["dwell", "smooth"])
    (jump,) = jumps(profile)
    assert (jump.station, jump.what, jump.size) == (1, "place", 3.0)
    (kink,) = jumps(straight([0, 1, 2], [0, 1, 3]))
    assert (kink.station, kink.what, kink.size) == (1, "speed", 1.0)


def test_smooth_spans_take_over_the_slope_beside_them() -> None:
    profile = profile_of([0, 1, 2, 3], [0, 1, 2.5, 2.5], ["straight", "smooth", "dwell"])
    assert jumps(profile) == []
    assert float(speed(profile, 1.0)) == pytest.approx(1.0)
    heights = value(profile, np.linspace(1, 2, 100))
    assert np.all(np.diff(heights) >= -1e-12)


def test_four_metres_to_sixty_degrees_and_beyond() -> None:
    # 15° a metre, beyond the range too when it carries on (common practice, no source).
    x, y = [0.0, 4.0], [0.0, np.radians(60)]
    carried = profile_of(x, y, ["straight"], before="carry on", after="carry on")
    assert value(carried, [-2.0, 1.0, 6.0]) == pytest.approx(np.radians([-30, 15, 90]))
    assert value(profile_of(x, y, ["straight"]), [-2.0, 6.0]) == pytest.approx([0, np.radians(60)])
    assert leads_at(carried, float(np.radians(90)), near=3.0) == pytest.approx(6.0)
    assert speed(carried, [9.0]) == pytest.approx(np.radians([15]))


def test_a_profile_that_repeats_goes_round_and_is_smooth_across_the_join() -> None:
    x, y = [0.0, 1.0, 2.0, 3.0], [0.0, 2.0, -1.0, 0.0]
    profile = profile_of(x, y, ["smooth"] * 3, before="repeat", after="repeat")
    at = np.linspace(0, 3, 50, endpoint=False)
    assert value(profile, at + 6) == pytest.approx(value(profile, at))
    assert value(profile, at - 3) == pytest.approx(value(profile, at))
    assert jumps(profile) == []
    assert leads_at(profile, 2.0, near=13.2) == pytest.approx(13.0)
    open_ended = profile_of(x, [0, 2, 1, 4], ["smooth"] * 3, after="repeat")
    assert [j.what for j in jumps(open_ended)] == ["place"]


@pytest.mark.parametrize("law", TABLE)
def test_a_law_runs_backwards(law: str) -> None:
    profile = profile_of([0, 2, 3], [0, 1, -4], [law, law])
    for lead in (0.3, 1.1, 1.9, 2.4):
        wanted = float(value(profile, lead))
        assert leads_at(profile, wanted, near=lead + 0.05) == pytest.approx(lead, abs=1e-8)
    assert leads_at(profile, 2.0, near=1.0) is None


@given(points, st.sampled_from(["smooth", "cycloidal", "harmonic", "3-4-5", "straight"]))
@settings(max_examples=60)
def test_the_peaks_are_those_that_the_profile_has(xy: tuple, law: str) -> None:
    """Of spans of unlike length, against 4,000 places each."""
    x, y = xy
    profile = profile_of(x, y, [law] * (len(x) - 1))
    fast, hard = peaks(profile)
    spans = list(itertools.pairwise(x))
    at = np.concatenate([np.linspace(a, b, 4000)[1:-1] for a, b in spans])
    most = float(np.abs(speed(profile, at)).max())
    assert fast == pytest.approx(most, rel=2e-3, abs=1e-9)
    most = float(np.abs(acceleration(profile, at)).max())
    assert hard == pytest.approx(most, rel=1e-2, abs=1e-6)


def test_easing_out_of_rest_and_into_it_are_parabolas() -> None:
    """Constant acceleration: s = ½·a·t² from rest, v² = 2·a·s (kinematics of any textbook)."""
    profile = profile_of([0, 2, 3, 5], [1, 5, 9, 13], ["ease out of rest", "straight",
                                                       "ease into rest"])  # fmt: skip
    at = np.linspace(0, 2, 9)
    assert value(profile, at) == pytest.approx(1 + at**2)
    assert speed(profile, at[:-1]) == pytest.approx(2 * at[:-1])
    assert value(profile, 3 + at) == pytest.approx(13 - (2 - at) ** 2)
    # A door that is pushed off and runs on: no speed jumps, for all three meet at 4 for 1.
    assert jumps(profile) == [] and peaks(profile) == pytest.approx((4.0, 2.0))
    assert leads_at(profile, 2.0, near=0.5) == pytest.approx(1.0)
    beside = profile_of([0, 1, 2], [0, 1, 2], ["ease out of rest", "smooth"])
    assert jumps(beside) == []
