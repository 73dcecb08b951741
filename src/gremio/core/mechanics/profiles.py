"""Profiles of a cam between its stations, as cubic spans.

A profile is (x, c): stations x (n,), and c (4, n-1), the coefficients of
y = c0·u³ + c1·u² + c2·u + c3 with u = x − x[i], as in scipy's PPoly.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]


class Profile(NamedTuple):
    """Cubic spans: x (n,) rising, c (4, n-1)."""

    x: Array
    c: Array


def straight(x: npt.ArrayLike, y: npt.ArrayLike) -> Profile:
    """Straight lines through the points; x (n,) rising, y (n,), n >= 2."""
    xs, ys = np.asarray(x, dtype=float), np.asarray(y, dtype=float)
    zero = np.zeros(len(xs) - 1)
    return Profile(xs, np.stack([zero, zero, np.diff(ys) / np.diff(xs), ys[:-1]]))


def smooth(x: npt.ArrayLike, y: npt.ArrayLike) -> Profile:
    """A smooth curve through the points that never overshoots a station.

    Monotone piecewise cubic: Fritsch and Butland, "A method for constructing local
    monotone piecewise cubic interpolants", SIAM J. Sci. Stat. Comput. 5 (1984).
    """
    xs, ys = np.asarray(x, dtype=float), np.asarray(y, dtype=float)
    h = np.diff(xs)
    rise = np.diff(ys) / h
    if len(xs) == 2:
        return straight(xs, ys)
    slope = np.zeros_like(xs)
    before, after = rise[:-1], rise[1:]
    w_before = 2 * h[1:] + h[:-1]
    w_after = h[1:] + 2 * h[:-1]
    turns = before * after <= 0
    with np.errstate(divide="ignore", invalid="ignore"):
        inner = (w_before + w_after) / (w_before / before + w_after / after)
    slope[1:-1] = np.where(turns, 0.0, inner)
    slope[0] = _end_slope(h[0], h[1], rise[0], rise[1])
    slope[-1] = _end_slope(h[-1], h[-2], rise[-1], rise[-2])
    return hermite(xs, ys, slope)


def _end_slope(h0: float, h1: float, rise0: float, rise1: float) -> float:
    """Three-point slope at an end, held back so that the curve does not overshoot."""
    slope = ((2 * h0 + h1) * rise0 - h0 * rise1) / (h0 + h1)
    if np.sign(slope) != np.sign(rise0):
        return 0.0
    if np.sign(rise0) != np.sign(rise1) and abs(slope) > 3 * abs(rise0):
        return 3 * rise0
    return slope


def hermite(x: Array, y: Array, slope: Array) -> Profile:
    """Cubic spans through points (x, y) with the given slopes there, each (n,)."""
    h = np.diff(x)
    rise = np.diff(y) / h
    bend = (slope[:-1] + slope[1:] - 2 * rise) / h
    return Profile(x, np.stack([bend / h, (rise - slope[:-1]) / h - bend, slope[:-1], y[:-1]]))


def value(profile: Profile, at: npt.ArrayLike) -> Array:
    """The profile at lead values of any shape; held before the first and after the last."""
    x = np.clip(np.asarray(at, dtype=float), profile.x[0], profile.x[-1])
    span = np.clip(np.searchsorted(profile.x, x, side="right") - 1, 0, len(profile.x) - 2)
    u = x - profile.x[span]
    c = profile.c
    result: Array = ((c[0][span] * u + c[1][span]) * u + c[2][span]) * u + c[3][span]
    return result


def leads_at(profile: Profile, wanted: float, near: float) -> float | None:
    """The lead value closest to `near` at which the profile has the wanted value.

    None when the profile never has it. Along a dwell every lead value fits.
    """
    tolerance = 1e-12 * max(1.0, abs(wanted))
    found: list[float] = []
    for i in range(len(profile.x) - 1):
        start, end = float(profile.x[i]), float(profile.x[i + 1])
        cubic = profile.c[:, i].copy()
        cubic[3] -= wanted
        if np.all(
            np.abs(cubic * [(end - start) ** 3, (end - start) ** 2, end - start, 1]) <= tolerance
        ):
            found.append(min(max(near, start), end))
            continue
        roots = np.roots(np.where(np.abs(cubic) < 1e-300, 0.0, cubic))
        real = roots[np.abs(roots.imag) <= 1e-7 * (end - start)].real
        slack = 1e-9 * (end - start)
        found += [
            start + float(min(max(r, 0.0), end - start))
            for r in real
            if -slack <= r <= end - start + slack
        ]
    for x, y in zip(profile.x, value(profile, profile.x), strict=True):
        if abs(y - wanted) <= tolerance:
            found.append(float(x))
    return min(found, key=lambda x: abs(x - near)) if found else None
