"""The Cam page laid out: values to pixels and back, what is under a hand, what it means."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gremio.core.mechanics.profiles import profile_of, speed, value
from gremio.desktop.deck.chart import Chart, Track, rounded_to


def track(channel: str, y: list[float], kinds: list[str], unit: str = "m") -> Track:
    x = np.linspace(0, 1, len(y))
    return Track(channel, channel, unit, profile_of(x, y, kinds), tuple(range(len(y))))


@pytest.fixture
def chart() -> Chart:
    door = track("door", [0.0, 0.5, 2.0], ["free", "free"])
    latch = track("latch", [0.9, 0.2, 0.2], ["smooth", "smooth"])
    tracks = (door, latch)
    heights = tuple(one.heights for one in tracks)
    return Chart(tracks, (0.0, 1.0), heights, (60.0, 10.0, 400.0, 100.0), "%")


@given(st.floats(-0.5, 1.5), st.floats(-3, 3))
def test_pixels_and_values_are_each_others_inverse(lead: float, at: float) -> None:
    one = track("door", [0.0, 0.5, 2.0], ["free", "free"])
    made = Chart((one,), (0.0, 1.0), (one.heights,), (60.0, 10.0, 400.0, 100.0), "%")
    assert made.lead_at(float(made.x(lead))) == pytest.approx(lead, abs=1e-9)
    assert made.value_at(0, float(made.y(0, at))) == pytest.approx(at, abs=1e-9)


def test_every_track_fills_the_page_in_its_own_scale(chart: Chart) -> None:
    for index in range(2):
        _, down = chart.curve(index)
        assert down.min() == pytest.approx(10 + 100 * 0.06 / 1.12, abs=0.5)
        assert down.max() == pytest.approx(110 - 100 * 0.06 / 1.12, abs=0.5)


def test_the_name_of_a_track_lies_clear_of_every_curve_and_name(chart: Chart) -> None:
    bolt = track("bolt", [0.0, 1.0, 0.0], ["smooth", "smooth"])
    three = Chart((*chart.tracks, bolt), chart.span, (*chart.heights, bolt.heights), chart.box, "%")
    sizes = [(90.0, 11.0), (60.0, 11.0)]
    spots = three.name_spots(sizes)
    for (left, top), (wide, tall) in zip(spots, sizes, strict=True):
        assert left >= 60 and left + wide <= 460 and top >= 10 and top + tall <= 110
        for index in range(3):
            across, down = three.curve(index)
            under = down[(across >= left) & (across <= left + wide)]
            assert not ((under > top) & (under < top + tall)).any()
    (left, top), (other, above) = spots
    assert left + 90 <= other or other + 60 <= left or abs(top - above) >= 11


def test_the_track_worked_on_is_taken_before_others(chart: Chart) -> None:
    spot = chart.spots(0)[1]
    assert chart.station_at(spot, 12) == (0, 1)
    assert chart.station_at(chart.spots(1)[0], 12) == (1, 0)
    assert chart.station_at((5.0, 5.0), 12) is None


def test_handles_lie_along_the_slope_of_free_spans(chart: Chart) -> None:
    handles = chart.handles()
    assert [(nth, way) for nth, way, _ in handles] == [(0, 1), (1, -1), (1, 1), (2, -1)]
    profile = chart.tracks[0].profile
    for nth, way, (x, y) in handles:
        lead = chart.lead_at(x)
        slope = (chart.value_at(0, y) - profile.y[nth]) / (lead - profile.x[nth])
        wanted = float(speed(profile, profile.x[nth] + way * 1e-9))
        assert slope == pytest.approx(wanted, abs=1e-4)
        assert chart.slope_to(nth, way, (x, y), free=True) == pytest.approx(wanted, abs=1e-4)
    assert chart.handle_at(handles[2][2], 10) == (1, 1)


def test_a_handle_pulled_level_is_level_unless_it_is_free(chart: Chart) -> None:
    x, y = chart.spots(0)[1]
    assert chart.slope_to(1, 1, (x + 40, y - 3), free=False) == 0.0
    assert chart.slope_to(1, 1, (x + 40, y - 3), free=True) > 0.0
    # Pulled past its own station it stays on its side.
    assert math.isfinite(chart.slope_to(1, 1, (x - 30, y - 20), free=False))


def test_a_station_takes_round_values_and_the_heights_of_others(chart: Chart) -> None:
    x, y = float(chart.x(0.3021)), float(chart.y(0, 1.234))
    lead, at = chart.meant(0, (x, y), free=False)
    assert lead == pytest.approx(0.30) and at == pytest.approx(1.24, abs=0.011)
    assert chart.meant(0, (x, y), free=True) == pytest.approx((0.3021, 1.234))
    near = float(chart.y(0, 0.5)) + 3
    assert chart.meant(0, (x, near), free=False)[1] == 0.5
    assert chart.meant(0, (x, near), free=False, but=1)[1] != 0.5


def test_a_rubber_band_takes_what_is_inside(chart: Chart) -> None:
    whole = chart.inside((0.0, 0.0), (500.0, 200.0))
    assert len(whole) == 6
    (x, y), _, _ = chart.spots(0)
    assert chart.inside((x + 3, y + 3), (x - 3, y - 3)) == [(0, 0)]


def test_speed_and_acceleration_are_of_the_track_worked_on(chart: Chart) -> None:
    fast, hard = chart.rates()
    leads = np.linspace(0, 1, len(fast))
    assert fast == pytest.approx(speed(chart.tracks[0].profile, leads))
    assert len(hard) == len(fast)


@pytest.mark.parametrize(
    ("at", "wide", "unit", "wanted"),
    [
        (0.3021, 1.0, "m", 0.30),
        (math.radians(33.3), math.radians(90), "deg", math.radians(33.5)),
        (0.4567, 10.0, "m", 0.5),
        (2 * math.pi * 1.26, 2 * math.pi * 4, "turn", 2 * math.pi * 1.26),
        (-0.0004, 0.05, "mm", -0.0005),
    ],
)
def test_round_values_are_round_in_the_unit_shown(
    at: float, wide: float, unit: str, wanted: float
) -> None:
    assert rounded_to(at, wide, unit) == pytest.approx(wanted)


def test_a_still_follower_has_a_page_all_the_same() -> None:
    one = track("still", [0.4, 0.4], ["smooth"])
    low, high = one.heights
    assert low < 0.4 < high and value(one.profile, 0.5) == 0.4
