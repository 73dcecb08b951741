"""Profiles of a cam: what its follower does between its stations, and beyond them.

A profile has stations x (n,), rising, with heights y (n,), and n − 1 spans between them. A
span is a cubic, y = c0·u³ + c1·u² + c2·u + c3 with u = x − x[i] as in scipy's PPoly, or it
follows one of the laws of cam design.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NamedTuple

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array
from gremio.core.mechanics.cam_laws import LAWS

Beyond = Literal["hold", "carry on", "repeat"]
_CUBIC = ("smooth", "straight", "ease out of rest", "ease into rest", "free")
# Parabolas: the slopes with which they begin and end, for a mean slope of 1. Constant acceleration
# from rest, or to it (as any textbook of kinematics has it).
_EASES = {"ease out of rest": (0.0, 2.0), "ease into rest": (2.0, 0.0)}


class Profile(NamedTuple):
    """Spans between stations. x, y: (n,). kinds: (n − 1,) "straight", "smooth", "free", or the
    name of a law. c: (4, n − 1), of the cubic ones. before, after: what it does beyond."""

    x: Array
    y: Array
    kinds: tuple[str, ...]
    c: Array
    before: Beyond = "hold"
    after: Beyond = "hold"


def straight(x: npt.ArrayLike, y: npt.ArrayLike) -> Profile:
    """Straight lines through the points; x (n,) rising, y (n,), n >= 2."""
    return profile_of(x, y, ["straight"] * (np.size(x) - 1))


def smooth(x: npt.ArrayLike, y: npt.ArrayLike) -> Profile:
    """A smooth curve through the points that never overshoots a station."""
    return profile_of(x, y, ["smooth"] * (np.size(x) - 1))


def profile_of(
    x: npt.ArrayLike,
    y: npt.ArrayLike,
    kinds: Sequence[str],
    slopes: npt.ArrayLike | None = None,
    before: Beyond = "hold",
    after: Beyond = "hold",
) -> Profile:
    """A profile through points. x (n,) rising, y (n,), n >= 2; kinds (n − 1,).

    slopes: (n,) at the stations, for free spans; nan takes the smooth one. Where smooth spans
    meet others they take over the others' slope, so that speed does not jump. A profile that
    repeats is smooth across the join when its first and last span are.
    """
    xs, ys = np.asarray(x, dtype=float), np.asarray(y, dtype=float)
    repeats = "repeat" in (before, after)
    given = np.full(len(xs), np.nan) if slopes is None else np.asarray(slopes, dtype=float)
    fair = _fair_slopes(xs, ys, kinds, given, repeats)
    free = np.where(np.isfinite(given), given, fair)
    h, rise = np.diff(xs), np.diff(ys) / np.diff(xs)
    spans = list(zip(kinds, rise, strict=True))
    at_start = np.array([_end_of(k, 0, free[i], fair[i], r) for i, (k, r) in enumerate(spans)])
    at_end = np.array(
        [_end_of(k, 1, free[i + 1], fair[i + 1], r) for i, (k, r) in enumerate(spans)]
    )
    bend = (at_start + at_end - 2 * rise) / h
    c = np.stack([bend / h, (rise - at_start) / h - bend, at_start, ys[:-1]])
    return Profile(xs, ys, tuple(kinds), c, before, after)


def _end_of(kind: str, end: int, free: float, fair: float, rise: float) -> float:
    """The slope with which a cubic span begins (end 0) or ends (1)."""
    if kind in _EASES:
        return _EASES[kind][end] * rise
    return {"straight": rise, "free": free}.get(kind, fair)


def _fair_slopes(x: Array, y: Array, kinds: Sequence[str], given: Array, repeats: bool) -> Array:
    """(n,) slopes of the smooth spans at the stations.

    Monotone piecewise cubic: Fritsch and Butland, "A method for constructing local monotone
    piecewise cubic interpolants", SIAM J. Sci. Stat. Comput. 5 (1984). Beside a span of
    another kind a smooth one takes over that span's slope, held back so that it does not
    overshoot.
    """
    h, rise = np.diff(x), np.diff(y) / np.diff(x)
    slope = np.zeros_like(x)
    before, after = rise[:-1], rise[1:]
    w_before, w_after = 2 * h[1:] + h[:-1], h[1:] + 2 * h[:-1]
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        inner = (w_before + w_after) / (w_before / before + w_after / after)
    slope[1:-1] = np.where(before * after <= 0, 0.0, inner)
    if len(rise) == 1:
        slope[:] = rise[0]
    else:
        slope[0] = _end_slope(h[0], h[1], rise[0], rise[1])
        slope[-1] = _end_slope(h[-1], h[-2], rise[-1], rise[-2])
    if repeats and kinds[0] == kinds[-1] == "smooth" and len(rise) > 1:
        slope[0] = slope[-1] = _joined(h, rise)
    for i in range(1, len(kinds)):
        one, two = kinds[i - 1], kinds[i]
        if one == "smooth" != two:
            slope[i] = _taken_over(two, 0, rise[i], given[i], slope[i], rise[i - 1])
        elif two == "smooth" != one:
            slope[i] = _taken_over(one, 1, rise[i - 1], given[i], slope[i], rise[i])
    return slope


def _taken_over(beside: str, end: int, rise: float, given: float, fair: float, own: float) -> float:
    """The slope with which a smooth span of its own rise joins the beginning (end 0) or the end
    (1) of a span of another kind and of a rise."""
    if beside == "free":
        return _held(given, own) if np.isfinite(given) else fair
    known = beside in _CUBIC
    return _held(_end_of(beside, end, fair, fair, rise) if known else 0.0, own)


def _held(slope: float, rise: float) -> float:
    """A slope that a monotone cubic of a rise can begin with: at most three times its own."""
    if slope * rise <= 0:
        return 0.0
    return float(np.sign(rise) * min(abs(slope), 3 * abs(rise)))


def _joined(h: Array, rise: Array) -> float:
    """The slope where the end of a profile that repeats meets its beginning."""
    if rise[-1] * rise[0] <= 0:
        return 0.0
    w_before, w_after = 2 * h[0] + h[-1], h[0] + 2 * h[-1]
    return float((w_before + w_after) / (w_before / rise[-1] + w_after / rise[0]))


def _end_slope(h0: float, h1: float, rise0: float, rise1: float) -> float:
    """Three-point slope at an end, held back so that the curve does not overshoot."""
    slope = ((2 * h0 + h1) * rise0 - h0 * rise1) / (h0 + h1)
    if np.sign(slope) != np.sign(rise0):
        return 0.0
    if np.sign(rise0) != np.sign(rise1) and abs(slope) > 3 * abs(rise0):
        return 3 * rise0
    return slope


def value(profile: Profile, at: npt.ArrayLike) -> Array:
    """The profile's height at lead values of any shape."""
    return _evaluated(profile, at, 0)


def speed(profile: Profile, at: npt.ArrayLike) -> Array:
    """Its slope there: height for each lead. At a station, that of the span after it."""
    return _evaluated(profile, at, 1)


def acceleration(profile: Profile, at: npt.ArrayLike) -> Array:
    """Its second derivative there: height for each lead squared."""
    return _evaluated(profile, at, 2)


def all_cubic(profile: Profile) -> bool:
    """Whether it is cubic throughout and holds beyond its stations, so that `total` has it."""
    return profile.before == profile.after == "hold" and set(profile.kinds) <= set(_CUBIC)


def total(profile: Profile, at: npt.ArrayLike) -> Array:
    """The area under an `all_cubic` profile from its first station to lead values (F,), exactly:
    its spans' cubics integrated."""
    asked = np.asarray(at, dtype=float)
    h = np.diff(profile.x)
    upto = np.concatenate([[0.0], np.cumsum(areas(profile.c, h))])
    x = np.clip(asked, profile.x[0], profile.x[-1])
    span = np.clip(np.searchsorted(profile.x, x, side="right") - 1, 0, len(h) - 1)
    inside = upto[span] + areas(profile.c[:, span], x - profile.x[span])
    before = np.minimum(asked - profile.x[0], 0.0) * profile.y[0]
    found: Array = inside + before + np.maximum(asked - profile.x[-1], 0.0) * profile.y[-1]
    return found


def areas(c: Array, u: Array) -> Array:
    """The integral of cubics (4, n) from 0 to u (n,)."""
    area: Array = (((c[0] / 4 * u + c[1] / 3) * u + c[2] / 2) * u + c[3]) * u
    return area


def _evaluated(profile: Profile, at: npt.ArrayLike, order: int) -> Array:
    asked = np.asarray(at, dtype=float)
    first, last = float(profile.x[0]), float(profile.x[-1])
    x = np.clip(_wrapped(profile, asked), first, last)
    span = np.clip(np.searchsorted(profile.x, x, side="right") - 1, 0, len(profile.kinds) - 1)
    u = x - profile.x[span]
    c = profile.c
    if order == 0:
        result = ((c[0][span] * u + c[1][span]) * u + c[2][span]) * u + c[3][span]
    elif order == 1:
        result = (3 * c[0][span] * u + 2 * c[1][span]) * u + c[2][span]
    else:
        result = 6 * c[0][span] * u + 2 * c[1][span]
    for i, kind in enumerate(profile.kinds):
        if kind not in _CUBIC:
            here = span == i
            if np.any(here):
                result = np.where(here, _by_law(profile, i, u, order), result)
    return _beyond(profile, asked, result, order)


def _wrapped(profile: Profile, asked: Array) -> Array:
    """Lead values brought into the stations where a profile repeats."""
    first, last = float(profile.x[0]), float(profile.x[-1])
    round_it = first + np.mod(asked - first, last - first)
    x = np.where((asked < first) & (profile.before == "repeat"), round_it, asked)
    result: Array = np.where((asked > last) & (profile.after == "repeat"), round_it, x)
    return result


def _by_law(profile: Profile, i: int, u: Array, order: int) -> Array:
    span = float(profile.x[i + 1] - profile.x[i])
    rise = float(profile.y[i + 1] - profile.y[i])
    law = LAWS[profile.kinds[i]]
    share = np.clip(u / span, 0.0, 1.0)
    if order == 0:
        place: Array = profile.y[i] + rise * law.place(share)
        return place
    if order == 1:
        return rise / span * law.speed(share)
    return rise / span**2 * law.acceleration(share)


def _beyond(profile: Profile, asked: Array, inside: Array, order: int) -> Array:
    """What holds before the first and after the last station."""
    result = inside
    ends = (
        (profile.before, asked < profile.x[0], profile.x[0], profile.y[0], 0),
        (profile.after, asked > profile.x[-1], profile.x[-1], profile.y[-1], -1),
    )
    for what, out, station, height, which in ends:
        if what == "repeat" or not np.any(out):
            continue
        slope = end_speed(profile, which) if what == "carry on" else 0.0
        outside = (height + slope * (asked - station), np.full_like(asked, slope), 0 * asked)
        result = np.where(out, outside[order], result)
    return result


def end_speed(profile: Profile, which: int) -> float:
    """The slope at the first (0) or the last (−1) station."""
    kind = profile.kinds[which]
    if kind not in _CUBIC:
        return 0.0
    c, u = profile.c[:, which], 0.0 if which == 0 else float(profile.x[-1] - profile.x[-2])
    return float((3 * c[0] * u + 2 * c[1]) * u + c[2])


def peaks(profile: Profile) -> tuple[float, float]:
    """The greatest speed and acceleration between the stations, without sign."""
    fast = [0.0]
    hard = [0.0]
    for i, kind in enumerate(profile.kinds):
        span = float(profile.x[i + 1] - profile.x[i])
        rise = abs(float(profile.y[i + 1] - profile.y[i]))
        if kind in _CUBIC:
            a, b, s, _ = profile.c[:, i]
            turns = [-b / (3 * a)] if a else []
            at = [0.0, span, *(u for u in turns if 0 < u < span)]
            fast += [abs((3 * a * u + 2 * b) * u + s) for u in at]
            hard += [abs(6 * a * u + 2 * b) for u in (0.0, span)]
        else:
            fast.append(LAWS[kind].peak_speed * rise / span)
            hard.append(LAWS[kind].peak_acceleration * rise / span**2)
    return max(fast), max(hard)


def extent(profile: Profile) -> tuple[float, float]:
    """The lowest and the highest value between the stations."""
    heights = [*profile.y.tolist()]
    for i, kind in enumerate(profile.kinds):
        if kind in _CUBIC:
            a, b, s, d = (float(v) for v in profile.c[:, i])
            span = float(profile.x[i + 1] - profile.x[i])
            heights += [((a * u + b) * u + s) * u + d for u in _level(a, b, s) if 0 < u < span]
    return min(heights), max(heights)


def _level(a: float, b: float, s: float) -> list[float]:
    """Where the slope 3a·u² + 2b·u + s of a cubic is zero."""
    if not a:
        return [-s / (2 * b)] if b else []
    root = b * b - 3 * a * s
    return [] if root < 0 else [(-b - root**0.5) / (3 * a), (-b + root**0.5) / (3 * a)]


class Jump(NamedTuple):
    """A station at which a profile is not smooth. what: "place" or "speed". size: how much."""

    station: int
    what: Literal["place", "speed"]
    size: float


def jumps(profile: Profile) -> list[Jump]:
    """Where place or speed jumps: between spans, and across the join of one that repeats."""
    found: list[Jump] = []
    height = max(float(np.ptp(profile.y)), 1e-12)
    steep = max(peaks(profile)[0], height / float(np.ptp(profile.x)))
    ends = [_ends(profile, i) for i in range(len(profile.kinds))]
    joins = [(i + 1, ends[i][1], ends[i + 1][0]) for i in range(len(ends) - 1)]
    if "repeat" in (profile.before, profile.after):
        joins.append((0, ends[-1][1], ends[0][0]))
    for station, (y1, s1), (y2, s2) in joins:
        if abs(y2 - y1) > 1e-9 * height:
            found.append(Jump(station, "place", abs(y2 - y1)))
        elif abs(s2 - s1) > 1e-6 * steep:
            found.append(Jump(station, "speed", abs(s2 - s1)))
    return found


def _ends(profile: Profile, i: int) -> tuple[tuple[float, float], tuple[float, float]]:
    """Height and slope of a span where it begins and where it ends."""
    y0, y1 = float(profile.y[i]), float(profile.y[i + 1])
    if profile.kinds[i] == "dwell":
        return (y0, 0.0), (y0, 0.0)
    if profile.kinds[i] not in _CUBIC:
        return (y0, 0.0), (y1, 0.0)
    a, b, s, _ = (float(v) for v in profile.c[:, i])
    u = float(profile.x[i + 1] - profile.x[i])
    return (y0, s), (y1, (3 * a * u + 2 * b) * u + s)


def leads_at(profile: Profile, wanted: float, near: float) -> float | None:
    """The lead value closest to `near` at which the profile has the wanted value.

    None when the profile never has it. Along a dwell every lead value fits.
    """
    inside = float(_wrapped(profile, np.array(near)))
    found = [
        lead for i in range(len(profile.kinds)) for lead in _leads_in(profile, i, wanted, inside)
    ]
    tolerance = 1e-12 * max(1.0, abs(wanted))
    found += [
        float(x) for x, y in zip(profile.x, profile.y, strict=True) if abs(y - wanted) <= tolerance
    ]
    for what, which, way in ((profile.before, 0, -1.0), (profile.after, -1, 1.0)):
        slope = end_speed(profile, which) if what == "carry on" else 0.0
        if slope:
            lead = float(profile.x[which] + (wanted - profile.y[which]) / slope)
            if (lead - profile.x[which]) * way > 0:
                found.append(lead)
    # Where it repeats, the same round that the lead is in now.
    shift = near - inside
    return min((x + shift for x in found), key=lambda x: abs(x - near), default=None)


def _leads_in(profile: Profile, i: int, wanted: float, near: float) -> list[float]:
    """The lead values within a span at which the profile has the wanted value."""
    tolerance = 1e-12 * max(1.0, abs(wanted))
    start, end = float(profile.x[i]), float(profile.x[i + 1])
    if profile.kinds[i] not in _CUBIC:
        return _leads_by_law(profile, i, wanted, near)
    cubic = profile.c[:, i].copy()
    cubic[3] -= wanted
    sizes = [(end - start) ** 3, (end - start) ** 2, end - start, 1]
    if np.all(np.abs(cubic * sizes) <= tolerance):
        return [min(max(near, start), end)]
    roots = np.roots(np.where(np.abs(cubic) < 1e-300, 0.0, cubic))
    real = roots[np.abs(roots.imag) <= 1e-7 * (end - start)].real
    slack = 1e-9 * (end - start)
    return [
        start + float(min(max(r, 0.0), end - start))
        for r in real
        if -slack <= r <= end - start + slack
    ]


def _leads_by_law(profile: Profile, i: int, wanted: float, near: float) -> list[float]:
    """By halving: a law goes one way only."""
    start, end = float(profile.x[i]), float(profile.x[i + 1])
    y0, y1 = float(profile.y[i]), float(profile.y[i + 1])
    if y0 == y1 or profile.kinds[i] == "dwell":
        return [min(max(near, start), end)] if abs(wanted - y0) <= 1e-12 * max(1, abs(y0)) else []
    share = (wanted - y0) / (y1 - y0)
    if not 0 <= share <= 1:
        return []
    low, high = 0.0, 1.0
    place = LAWS[profile.kinds[i]].place
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (middle, high) if float(place(np.array(middle))) < share else (low, middle)
    return [start + (end - start) * (low + high) / 2]
