from __future__ import annotations

import math

import pytest

from gremio.core.mechanics import gears


def test_diameters_of_a_gear_after_iso_21771_and_iso_53() -> None:
    # m = 4 mm, z = 20, α = 20°: d = 80, d_a = 88, d_f = 70, d_b = 80 cos 20° = 75.175 mm.
    module, teeth = 0.004, 20
    assert gears.pitch_diameter(module, teeth) == pytest.approx(0.080)
    assert gears.tip_diameter(module, teeth) == pytest.approx(0.088)
    assert gears.root_diameter(module, teeth) == pytest.approx(0.070)
    assert gears.base_diameter(module, teeth) == pytest.approx(0.0751754, abs=1e-7)


def test_thickness_pitch_and_rack_travel() -> None:
    # s = π m / 2 and p = π m (ISO 21771).
    assert gears.tooth_thickness(0.004) == pytest.approx(math.pi * 0.004 / 2)
    assert gears.pitch(0.004) == pytest.approx(math.pi * 0.004)
    assert gears.rack_travel(0.012, 18) == pytest.approx(math.pi * 0.012 * 18)


def test_centre_distance_and_ratio_of_an_external_pair() -> None:
    # a = m (z1 + z2) / 2; ω2/ω1 = −z1/z2 (ISO 21771).
    assert gears.centre_distance(0.012, 18, 72) == pytest.approx(0.540)
    assert gears.external_ratio(18, 72) == pytest.approx(-0.25)


def test_three_gears_in_a_row() -> None:
    # 60, 20 and 45 teeth turn 1 : −3 : +1.333 (common practice, computed).
    second = gears.external_ratio(60, 20)
    assert second == pytest.approx(-3)
    assert second * gears.external_ratio(20, 45) == pytest.approx(4 / 3)


def test_the_involute_of_twenty_degrees() -> None:
    # inv 20° = 0.014904 (handbook tables of the involute function, from memory).
    assert gears.involute(math.radians(20)) == pytest.approx(0.014904, abs=1e-6)
