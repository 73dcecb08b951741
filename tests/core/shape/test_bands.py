"""Bands round wheels, against belts and chains of the handbooks, and their links."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.integrate import quad
from scipy.spatial import ConvexHull

from gremio.core.arrays import Array
from gremio.core.shape.bands import band_round, laid_round

UP = np.array([0.0, 0.0, 1.0])
# About −y a band in x and z goes counter-clockwise as seen from −y.
AXLE = np.array([0.0, -1.0, 0.0])


def flat(*places: tuple[float, float]) -> Array:
    return np.array([(x, 0.0, z) for x, z in places])


@pytest.mark.parametrize(("far", "big", "small"), [(1.0, 0.4, 0.4), (1.3, 0.5, 0.2), (0.9, 0.8, 0.05)])  # noqa: E501  # fmt: skip
def test_an_open_belt_is_as_long_as_the_handbook_says(far: float, big: float, small: float) -> None:
    """L = 2 C cos φ + π (D + d)/2 + φ (D − d), sin φ = (D − d)/2C: any handbook of machine
    elements, derived anew."""
    band = band_round(flat((0, 0), (far, 0)), np.array([big, small]), AXLE)
    assert band is not None
    phi = math.asin((big - small) / far)
    wanted = 2 * far * math.cos(phi) + math.pi * (big + small) + 2 * phi * (big - small)
    assert band.course.length == pytest.approx(wanted, rel=1e-12)
    assert band.wrap == pytest.approx([math.pi + 2 * phi, math.pi - 2 * phi], rel=1e-12)


def test_round_many_wheels_it_is_the_hull_of_their_rims() -> None:
    """Against scipy's convex hull of points on the rims, whose perimeter is less by at most the
    sagitta of their spacing."""
    rng = np.random.default_rng(3)
    for _ in range(20):
        count = int(rng.integers(3, 8))
        angles = np.sort(rng.uniform(0, 2 * math.pi, count))
        places = np.stack([1.5 * np.cos(angles), np.sin(angles)], axis=1)
        radii = rng.uniform(0.05, 0.15, count)
        if np.linalg.norm(places - np.roll(places, 1, axis=0), axis=1).min() < 0.35:
            continue
        centres = np.stack([places[:, 0], np.zeros(count), places[:, 1]], axis=1)
        band = band_round(centres, radii, AXLE)
        assert band is not None
        turn = np.linspace(0, 2 * math.pi, 4001)
        rim = np.stack([np.cos(turn), np.sin(turn)], axis=1)
        points = (places[:, None] + radii[:, None, None] * rim).reshape(-1, 2)
        assert band.course.length == pytest.approx(ConvexHull(points).area, rel=1e-6)


def test_a_wheel_that_it_does_not_touch_is_passed() -> None:
    places = flat((0, 0), (2, 0), (1, 0.1))
    band = band_round(places, np.array([0.4, 0.4, 0.1]), AXLE)
    assert band is not None and band.touched.tolist() == [0, 1]
    alone = band_round(places[:2], np.array([0.4, 0.4]), AXLE)
    assert alone is not None and band.course.length == alone.course.length


def test_on_the_other_side_of_a_wheel_it_bends_in() -> None:
    """A wheel that presses the upper run down makes the band longer, and both its tangents meet it
    from outside."""
    places, radii = flat((0, 0), (2, 0), (1, 0.55)), np.array([0.4, 0.4, -0.2])
    band = band_round(places, radii, AXLE)
    assert band is not None and band.touched.tolist() == [0, 1, 2]
    assert band.course.length > 4 + 0.8 * math.pi
    at = band.course.places(np.linspace(0, band.course.length, 4000)).at
    for centre, radius in zip(places, np.abs(radii), strict=True):
        assert np.linalg.norm(at - centre, axis=1).min() > radius - 1e-9


def test_what_can_not_be_has_no_band() -> None:
    assert band_round(flat((0, 0), (0.2, 0)), np.array([0.5, 0.1]), AXLE) is None
    assert band_round(flat((0, 0)), np.array([0.5]), AXLE) is None


@pytest.mark.parametrize("hangs", [False, True])
def test_its_longest_run_hangs_as_deep_as_is_said(hangs: bool) -> None:
    places, radii = flat((0, 0), (3, 0)), np.array([0.3, 0.3])
    band = band_round(places, radii, AXLE, 0.12, UP, hangs=hangs)
    assert band is not None
    at = band.course.places(np.linspace(0, band.course.length, 20001)).at
    middle = at[abs(at[:, 0] - 1.5) < 2e-3]
    upper, lower = middle[middle[:, 2] > 0], middle[middle[:, 2] < 0]
    assert upper[:, 2].min() == pytest.approx(0.3 - 0.12, abs=1e-5)
    assert lower[:, 2].min() == pytest.approx(-0.3 - (0.12 if hangs else 0.0), abs=1e-5)
    # It bends nowhere at once: forward turns as the curvature says.
    forward = band.course.places(np.linspace(0, band.course.length, 20001)).forward
    step = np.linalg.norm(np.diff(forward, axis=0), axis=1)
    assert step.max() < 1.1 * (band.course.length / 20000) / 0.3


def test_a_shallow_run_is_longer_by_its_sag_as_a_parabola_is() -> None:
    """A flat cable is S (1 + 8/3 (s/S)²) long: any handbook of structures; by quadrature too."""
    places, radii = flat((0, 0), (4, 0)), np.array([0.2, 0.2])
    bare, hung = (band_round(places, radii, AXLE, sag, UP) for sag in (0.0, 0.08))
    assert bare is not None and hung is not None
    more = hung.course.length - bare.course.length
    assert more == pytest.approx(4 * 8 / 3 * (0.08 / 4) ** 2, rel=0.12)
    parabola = quad(lambda x: math.hypot(1, 8 * 0.08 / 16 * (x - 2)), 0, 4)[0] - 4
    assert more == pytest.approx(parabola, rel=0.12)


@pytest.mark.parametrize("count", [24, 60, 217])
def test_links_are_equally_far_apart_and_close(count: int) -> None:
    """From pin to pin to 1e-9 of the band, wherever the first is."""
    places = flat((0, 0), (2, 0), (2.2, 0.5), (1.1, 0.85), (0.1, 0.6))
    radii = np.array([0.3, 0.25, 0.2, -0.15, 0.2])
    band = band_round(places, radii, AXLE, 0.02, UP)
    assert band is not None
    for at, share in ((0.0, 0.0), (1.234, 0.4), (band.course.length - 0.01, 0.99)):
        laid = laid_round(band.course, count, at, share)
        assert laid is not None
        apart = np.linalg.norm(np.diff(laid.pins, axis=0), axis=1)
        assert np.ptp(apart) < 1e-12 and abs(laid.pins[0] - laid.pins[-1]).max() < 1e-12
        assert laid.pitch == pytest.approx(apart[0], rel=1e-12)
        # Each pin lies on the band.
        on = band.course.places(np.mod(laid.ways, band.course.length)).at
        assert abs(on - laid.pins[:-1]).max() < 1e-12


def test_a_chain_has_as_many_links_as_iso_606_says() -> None:
    """Length in links 2 C/p + (z₁ + z₂)/2 + ((z₂ − z₁)/2π)² p/C (ISO 606 annex; from memory), of
    08B with p = 12.7 mm; the links laid are that many times the pitch, to a share of a link."""
    p, far = 0.0127, 0.5
    for one, two in ((17, 38), (19, 19), (12, 57)):
        radii = np.array([p / (2 * math.sin(math.pi / z)) for z in (one, two)])
        band = band_round(flat((0, 0), (far, 0)), radii, AXLE)
        assert band is not None
        wanted = 2 * far / p + (one + two) / 2 + ((two - one) / (2 * math.pi)) ** 2 * p / far
        count = round(wanted)
        laid = laid_round(band.course, count, 0.0, 0.0)
        assert laid is not None
        assert count * laid.pitch / p == pytest.approx(wanted, abs=0.12)


def test_too_few_or_too_long_links_are_none() -> None:
    band = band_round(flat((0, 0), (1, 0)), np.array([0.2, 0.2]), AXLE)
    assert band is not None
    assert laid_round(band.course, 2, 0.0, 0.0) is None
