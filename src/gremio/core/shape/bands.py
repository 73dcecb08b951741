"""Bands round wheels: where they lie, how they sag, and how links of one pitch lie along them."""

from __future__ import annotations

import math

import numpy as np

from gremio.core.arrays import Array, Rows, crossed
from gremio.core.records import Record
from gremio.core.shape.courses import Stretches, wrapped

_ROUND = 2 * math.pi
# How near to a whole turn a band turns altogether.
_WHOLE = 1e-6
# A sagging run meets its wheels by so much of its bend's radius beside them.
_BESIDE = 1e-9
_NO_SAG = 1e-12
_ROUNDS, _EXACT = 40, 1e-14


class Band(Record, frozen=True, eq=False):
    """A band as it lies. course: its line. touched: (k,) which of the wheels it lies on, in their
    order. wrap: (k,) how far round each of them (rad). on: (k, 2) the way at which it comes to
    each, and leaves it (m)."""

    course: Stretches
    touched: Rows
    wrap: Array
    on: Array


def band_round(
    centres: Array, radii: Array, normal: Array, sag: float = 0.0, up: Array | None = None,
    *, hangs: bool = False,
) -> Band | None:  # fmt: skip
    """The band round wheels; None where two lie in one another, or there are fewer than two.

    centres: (n, 3) in one plane, in their order round it, counter-clockwise about the normal (3,).
    radii: (n,) m, below zero where the band runs on the other side of a wheel. A wheel that the
    band does not touch is passed. sag: how far its longest level run hangs down in its middle (m);
    others as the square of how long they are, as what hangs by one pull does (a parabola's sag is
    w s² / 8 H; any handbook of mechanics), and as they lie level. up: (3,) unit. hangs: runs on the
    underside hang too, and do not lie on something.
    """
    touched = _touched(centres, radii, normal)
    if touched is None:
        return None
    middles, sizes = centres[touched], radii[touched]
    bare = wrapped(middles, sizes, normal)
    own = np.arange(len(touched))
    if sag > _NO_SAG and up is not None:
        middles, sizes, own = _sagging(middles, sizes, normal, bare, sag, up, hangs)
        found = wrapped(middles, sizes, normal)
        if np.isfinite(found.sizes).all():
            bare = found
        else:
            middles, sizes, own = centres[touched], radii[touched], np.arange(len(touched))
    return _with_wheels(bare, touched, own, len(sizes))


def _touched(centres: Array, radii: Array, normal: Array) -> Rows | None:
    """Which wheels a band lies on."""
    kept = np.arange(len(centres))
    while len(kept) >= 2:
        middles, sizes = centres[kept], radii[kept]
        after = np.roll(np.arange(len(kept)), -1)
        apart = np.linalg.norm(middles[after] - middles, axis=1)
        within = apart <= np.abs(sizes[after] - sizes)
        if within.any():
            return None
        turned = _turned(wrapped(middles, sizes, normal), len(kept))
        if turned.sum() <= _ROUND + _WHOLE or len(kept) == 2:
            return kept
        # What it would go round nearly whole, it does not touch.
        worst = int(np.argmax(turned)) if sizes[np.argmax(turned)] > 0 else -1
        if worst < 0:
            return kept
        kept = np.delete(kept, worst)
    return None


def _turned(course: Stretches, count: int) -> Array:
    """(n,) how far a band turns at each wheel (rad), with the sign of its side."""
    # The arc of each wheel comes behind the straight one to it.
    straight = np.flatnonzero(course.curvature == 0.0)
    found = np.zeros(count)
    for place, row in enumerate(straight.tolist()):
        wheel = (place + 1) % count
        arc = row + 1
        if arc < len(course.sizes) and course.curvature[arc] != 0.0:
            found[wheel] = course.sizes[arc] * course.curvature[arc] * _side(course, arc)
    return found


def _side(course: Stretches, arc: int) -> float:
    assert course.plane is not None
    turns = crossed(course.forward[arc], course.inward[arc]) @ course.plane
    return math.copysign(1.0, float(turns))


def _sagging(
    middles: Array, sizes: Array, normal: Array, bare: Stretches, sag: float, up: Array, hangs: bool
) -> tuple[Array, Array, Rows]:
    """The wheels with one more in each run that hangs, which it lies along: a bend between two
    wheels, touching both. And which of all are wheels of the band's own."""
    straight = np.flatnonzero(bare.curvature == 0.0)
    longs = bare.sizes[straight]
    longest = float(longs.max())
    centres: list[Array] = []
    radii: list[float] = []
    own: list[int] = []
    for place in range(len(sizes)):
        own.append(len(centres))
        centres.append(middles[place])
        radii.append(float(sizes[place]))
        forward, long = bare.forward[straight[place]], float(longs[place])
        out = crossed(forward, normal)
        level = float(out @ up)
        depth = sag * (long / longest) ** 2 * abs(level)
        if depth <= _NO_SAG or long <= 0.0 or (level < 0 and not hangs):
            continue
        after = (place + 1) % len(sizes)
        bend = _bend(middles[[place, after]], sizes[[place, after]], out, long, depth, level > 0)
        if bend is not None:
            centres.append(bend[0])
            radii.append(bend[1])
    return np.array(centres), np.array(radii), np.array(own, dtype=np.intp)


def _bend(
    middles: Array, sizes: Array, out: Array, long: float, depth: float, inward: bool
) -> tuple[Array, float] | None:
    """The middle and the radius of a bend that touches two wheels, and hangs so far down in its
    middle; below zero where it hangs toward the inside. From a chord and its height: R = s²/8d +
    d/2."""
    mean = float(sizes.mean())
    radius = (long * long / 4 + depth * depth) / (2 * depth) + (-mean if inward else mean)
    far = (radius + sizes if inward else radius - sizes) * (1 + _BESIDE)
    if radius <= 0 or (far <= 0).any():
        return None
    apart = middles[1] - middles[0]
    size = float(np.linalg.norm(apart))
    along = (far[0] ** 2 - far[1] ** 2 + size * size) / (2 * size)
    high = far[0] ** 2 - along * along
    if high <= 0:
        return None
    ahead = apart / size
    aside = out - ahead * float(out @ ahead)
    aside = aside / np.linalg.norm(aside)
    way = math.sqrt(high) * (1.0 if inward else -1.0)
    return middles[0] + along * ahead + way * aside, -radius if inward else radius


def _with_wheels(course: Stretches, touched: Rows, own: Rows, count: int) -> Band:
    turned = _turned(course, count)
    straight = np.flatnonzero(course.curvature == 0.0)
    starts = course.starts
    on = np.zeros((len(touched), 2))
    for row, wheel in enumerate(own.tolist()):
        before = int(straight[(wheel - 1) % count])
        begin = float(starts[before + 1])
        arc = before + 1 < len(course.sizes) and course.curvature[before + 1] != 0.0
        on[row] = begin, begin + (float(course.sizes[before + 1]) if arc else 0.0)
    return Band(course, touched, np.abs(turned[own]), on)


class Laid(Record, frozen=True, eq=False):
    """Links along a band. ways: (n,) of the pins between them (m), pin j before link j. pins: (n +
    1, 3) where they are, the last on the first. pitch: from each to the next (m)."""

    ways: Array
    pins: Array
    pitch: float


def laid_round(course: Stretches, count: int, at: float, share: float) -> Laid | None:
    """As many links as there are, laid round a closed course so that from pin to pin it is equally
    far in a straight line, and the last ends where the first begins.

    at: a way (m), at which the first link is gone through by a share (0 at its first pin, 1 at its
    second). Newton's method on the ways of the pins and the pitch together. None for fewer than
    three links, or where they can't be laid.
    """
    if count < 3:
        return None
    whole = course.length
    ways = at + (np.arange(count, dtype=np.float64) - share) * (whole / count)
    pitch = whole / count
    for _ in range(_ROUNDS):
        every = np.append(ways, ways[0] + whole)
        places = course.places(np.mod(every, whole))
        chords = np.diff(places.at, axis=0)
        sizes = np.linalg.norm(chords, axis=1)
        if not (np.isfinite(sizes).all() and (sizes > 0).all()):
            return None
        unit = chords / sizes[:, None]
        ahead = (unit * places.forward[1:]).sum(axis=1)
        behind = (unit * places.forward[:-1]).sum(axis=1)
        if (ahead <= 0.05).any() or (behind <= 0.05).any():
            return None
        missing = sizes - pitch
        first = (1 - share) * ways[0] + share * every[1] - at
        if max(float(np.abs(missing).max()), abs(first)) <= _EXACT * whole:
            return Laid(ways, places.at, pitch)
        # δ of each pin from that of the first, that of the pitch, and what is missing.
        grown = np.cumprod(behind / ahead)
        per_pitch = grown * np.cumsum(1 / ahead / grown)
        per_gap = grown * np.cumsum(-missing / ahead / grown)
        # The last is the first; and the first link is gone through as is asked.
        rows = np.array([
            [grown[-1] - 1.0, per_pitch[-1]],
            [1 - share + share * grown[0], share * per_pitch[0]],
        ])  # fmt: skip
        try:
            by, stretch = np.linalg.solve(rows, [-per_gap[-1], -first - share * per_gap[0]])
        except np.linalg.LinAlgError:
            return None
        step = np.concatenate([[by], grown[:-1] * by + per_pitch[:-1] * stretch + per_gap[:-1]])
        ways = np.asarray(ways + step, dtype=np.float64)
        pitch += float(stretch)
    return None if float(np.abs(missing).max()) > 1e-9 * whole else Laid(ways, places.at, pitch)
