"""A taut rope over sheaves that stand anyhow in space: where it touches, leaves and lies."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array, Flags

_ROUNDS = 30
_SMALL = 1e-12
# A wrap at home is told from one turn more or less by this: clear of its sheave by up to a third
# of a turn, or round it by up to two thirds (rad).
_FROM = -2 * math.pi / 3
_TURN = 2 * math.pi


class Sheaves(NamedTuple):
    """What a rope goes round, at F times. middles: (F, n, 3) m. axes: (F, n, 3) unit vectors.
    radii: (n,) m, below zero where the rope runs clockwise about the axis; 0 is a plain point."""

    middles: Array
    axes: Array
    radii: Array

    def last(self) -> Sheaves:
        """As they are at the last of the times."""
        return Sheaves(self.middles[-1:], self.axes[-1:], self.radii)


class Run(NamedTuple):
    """Straight runs between two sheaves, with any leading axes. start, end: (..., 3) where one
    leaves the one and meets the other (m). out, into: (..., 3) which way it goes in the plane of
    each. ok: (...) whether it can be laid."""

    start: Array
    end: Array
    out: Array
    into: Array
    ok: Flags

    def one(self, *at: int) -> Run:
        """One of many."""
        return Run(*(each[at] for each in self))


class Laid(NamedTuple):
    """A rope over sheaves. places: (m, 3) along it, always as many. length: m. falls: how many
    straight runs. wraps: (n,) how far it goes round each sheave (rad), below zero where it would
    have to go back to touch it, and so is clear of it. touched: (n,) whether it goes over it.
    fleet: the greatest angle at which it leaves the plane of a sheave (rad). crossed: sheaves that
    it is clear of and yet runs through, as it came round to their other side. apart: pairs
    between which no run can be laid. rate: by how much it went on round a sheave at most from one
    time to the next (rad)."""

    places: Array
    length: float
    falls: int
    wraps: Array
    touched: Flags
    fleet: float
    crossed: tuple[int, ...]
    apart: tuple[tuple[int, int], ...]
    rate: float


def runs_between(sheaves: Sheaves, ones: Sequence[int], twos: Sequence[int]) -> Run:
    """(F, k) the straight runs from k sheaves to k others.

    A run leaves the rim of the one, and meets that of the other, where it does not cut either: it
    has no part along the spoke there (what goes sideways out of the plane of a sheave its groove
    holds: the fleet angle). For sheaves in one plane that is their common tangent, from a
    closed form; for others it is found from there by Newton's method on both angles. A plain end
    within a sheave is fastened to it: the rope comes out to the rim where it is.
    """
    c, d = sheaves.middles[:, ones], sheaves.middles[:, twos]
    n, m = sheaves.axes[:, ones], sheaves.axes[:, twos]
    r, s = sheaves.radii[ones], sheaves.radii[twos]
    along = _dot(n, m)
    way, other = _heading(d - c, n, r, s * along), _heading(d - c, m, r * along, s)
    fast = _fastened(sheaves, ones, twos)
    plain, bare = (r == 0) | fast, (s == 0) | fast
    for _ in range(_ROUNDS):
        g, h = _cross(n, way), _cross(m, other)
        span = (d - s[:, None] * h) - (c - r[:, None] * g)
        f, k = np.where(plain, 0.0, _dot(span, g)), np.where(bare, 0.0, _dot(span, h))
        size = np.maximum(_size(span), _SMALL)
        if bool((np.maximum(np.abs(f), np.abs(k)) <= 1e-13 * size).all()):
            break
        a, b = np.where(plain, 1.0, -_dot(span, way)), np.where(plain, 0.0, s * _dot(other, g))
        e, i = np.where(bare, 0.0, -r * _dot(way, h)), np.where(bare, 1.0, -_dot(span, other))
        det = a * i - b * e
        det = np.where(np.abs(det) > _SMALL * size**2, det, np.inf)
        way = _turned(way, n, np.clip((b * k - i * f) / det, -0.5, 0.5))
        other = _turned(other, m, np.clip((e * f - a * k) / det, -0.5, 0.5))
    g, h = _cross(n, way), _cross(m, other)
    start, end = c - r[:, None] * g, d - s[:, None] * h
    span = end - start
    size = _size(span)
    leaves = (np.abs(_dot(span, g)) <= 1e-9 * size) & (_dot(span, way) > 0)
    meets = (np.abs(_dot(span, h)) <= 1e-9 * size) & (_dot(span, other) > 0)
    ok = (size > _SMALL) & (leaves | (r == 0)) & (meets | (s == 0))
    return Run(start, end, way, other, ok | fast)


def _fastened(sheaves: Sheaves, ones: Sequence[int], twos: Sequence[int]) -> Flags:
    """(F, k) whether a run begins or ends at a plain end of the rope that is within the sheave at
    its other end."""
    last = len(sheaves.radii) - 1
    found = np.zeros((len(sheaves.middles), len(ones)), dtype=bool)
    for i, (one, two) in enumerate(zip(ones, twos, strict=True)):
        for end, at in ((one, two), (two, one)):
            radius = abs(float(sheaves.radii[at]))
            if end in (0, last) and radius and not sheaves.radii[end]:
                apart = sheaves.middles[:, end] - sheaves.middles[:, at]
                far = _size(_cross(apart, sheaves.axes[:, at]))
                found[:, i] |= (far <= radius * (1 + 1e-9)) & (far > 1e-9 * radius)
    return found


def _heading(apart: Array, normal: Array, one: Array, two: Array) -> Array:
    """(..., 3) which way a run goes in the plane across a normal, from a circle to another that
    is `apart` from it: their common tangent, as near to one as there can be."""
    flat = apart - normal * _dot(apart, normal)[..., None]
    far = _size(flat)
    ahead = flat / np.maximum(far, _SMALL)[..., None]
    lost = far <= _SMALL
    if lost.any():
        ahead[lost] = _across(normal[lost])
    sine = np.clip((two - one) / np.maximum(far, _SMALL), -1.0, 1.0)[..., None]
    return np.asarray(ahead * np.sqrt(1 - sine**2) - _cross(normal, ahead) * sine)


def _across(normal: Array) -> Array:
    """(k, 3) unit vectors across normals."""
    side = _cross(normal, np.eye(3)[np.argmin(np.abs(normal), axis=-1)])
    return np.asarray(side / _size(side)[:, None])


def _turned(way: Array, about: Array, angle: Array) -> Array:
    """(..., 3) unit vectors across an axis, turned about it by (...) angles (rad)."""
    return np.asarray(
        np.cos(angle)[..., None] * way + np.sin(angle)[..., None] * _cross(about, way)
    )


def _dot(one: Array, two: Array) -> Array:
    return np.asarray(np.einsum("...i,...i->...", one, two))


def _size(one: Array) -> Array:
    return np.sqrt(_dot(one, one))


def _cross(one: Array, two: Array) -> Array:
    """What `numpy.cross` gives for (..., 3), at a fifth of its cost for a few."""
    a, b, c = one[..., 0], one[..., 1], one[..., 2]
    x, y, z = two[..., 0], two[..., 1], two[..., 2]
    return np.stack([b * z - c * y, c * x - a * z, a * y - b * x], axis=-1)


def _wrap(axis: Array, radius: Array, into: Array, out: Array) -> Array:
    """(...) how far a rope goes round sheaves from where it meets them to where it leaves (rad),
    but for whole turns."""
    turned = np.arctan2(_dot(_cross(into, out), axis), _dot(into, out))
    return np.asarray(turned * np.where(radius > 0, 1.0, -1.0))


def laid(sheaves: Sheaves, steps: int = 32) -> Laid:
    """A taut rope from the first point over sheaves to the last, as it lies at the last of the
    times.

    How often it goes round each is followed from the first of the times, where it goes round by up
    to two thirds of a turn or is clear by up to a third; between two times it may go on by less
    than half a turn. The rope is clear of those sheaves that it could only touch by going back;
    what is left is looked at again, until it touches all that it should.
    """
    count = len(sheaves.radii)
    runs = runs_between(sheaves, range(count - 1), range(1, count))
    wraps, rate = _followed(sheaves, runs)
    rope = _Rope(sheaves.last(), wraps, runs)
    over = list(range(count))
    for _ in range(3 * count):
        turned = {k: rope.wrap(a, k, b) for a, k, b in _threes(over) if sheaves.radii[k]}
        least = min(turned, key=turned.__getitem__, default=0)
        if turned and turned[least] < -1e-12:
            over.remove(least)
        elif again := [k for k in range(count) if k not in over and rope.meets(over, k)]:
            over = sorted([*over, again[0]])
        else:
            break
    return rope.over(over, steps, rate)


def _followed(sheaves: Sheaves, runs: Run) -> tuple[Array, float]:
    """(n,) how far a rope that is held to all its sheaves goes round each at the last of the times
    (rad), not a number where two leave no room for a run; and by how much that went on at most
    from one time to the next."""
    wraps = np.zeros(len(sheaves.radii))
    inner = _wrap(sheaves.axes[:, 1:-1], sheaves.radii[1:-1], runs.into[:, :-1], runs.out[:, 1:])
    there = runs.ok[:, :-1] & runs.ok[:, 1:]
    rate = 0.0
    for k in np.flatnonzero(sheaves.radii[1:-1]):
        known = np.flatnonzero(there[:, k])
        if len(known):
            wrap = np.unwrap(inner[known, k])
            rate = max(rate, float(np.abs(np.diff(wrap)).max(initial=0.0)))
            wraps[k + 1] = wrap[-1] - wrap[0] + (wrap[0] - _FROM) % _TURN + _FROM
        if not there[-1, k]:
            wraps[k + 1] = np.nan
    return wraps, rate


def _threes(over: Sequence[int]) -> list[tuple[int, int, int]]:
    return list(zip(over, over[1:], over[2:], strict=False))


class _Rope:
    """A rope at one time, as it is tried over some of its sheaves. wraps: how far it goes round
    each when held to all; of what is found anew, the turn nearest to them is taken. runs: (F, k)
    between neighbours, the last of them those of this time."""

    def __init__(self, sheaves: Sheaves, wraps: Array, runs: Run) -> None:
        self.sheaves, self.wraps = sheaves, wraps
        pairs = itertools.pairwise(range(len(wraps)))
        self._runs = {pair: runs.one(-1, i) for i, pair in enumerate(pairs)}

    def run(self, one: int, two: int) -> Run:
        """The run from one to another, found once."""
        if (one, two) not in self._runs:
            self._runs[one, two] = runs_between(self.sheaves, [one], [two]).one(0, 0)
        return self._runs[one, two]

    def wrap(self, before: int, at: int, after: int) -> float:
        """How far it goes round a sheave between two others (rad)."""
        axis, radius = self.sheaves.axes[0, at], self.sheaves.radii[at]
        found = float(_wrap(axis, radius, self.run(before, at).into, self.run(at, after).out))
        near = self.wraps[at] if math.isfinite(self.wraps[at]) else found
        return found + _TURN * round((near - found) / _TURN)

    def meets(self, over: Sequence[int], at: int) -> bool:
        """Whether it would go round a sheave that it was taken off."""
        before, after = _beside(over, at)
        return self.wrap(before, at, after) > 1e-9

    def over(self, over: Sequence[int], steps: int, rate: float) -> Laid:
        """As it lies over some of its sheaves: the last word."""
        pairs = list(itertools.pairwise(over))
        runs = [self.run(*pair) for pair in pairs]
        spans = [run.end - run.start for run in runs]
        wraps = self.wraps.copy()
        for a, k, b in _threes(over):
            if self.sheaves.radii[k]:
                wraps[k] = self.wrap(a, k, b)
        touched = np.isin(np.arange(len(wraps)), over)
        round_ = float((np.abs(self.sheaves.radii) * np.where(touched, wraps, 0.0)).sum())
        return Laid(
            places=self._places(over, wraps, steps),
            length=sum(float(np.linalg.norm(span)) for span in spans) + round_,
            falls=sum(bool(np.linalg.norm(span) > _SMALL) for span in spans),
            wraps=wraps,
            touched=touched,
            fleet=max(map(self._fleet, pairs)),
            crossed=tuple(k for k in range(len(wraps)) if k not in over and self._through(over, k)),
            apart=tuple(p for p, run in zip(pairs, runs, strict=True) if not run.ok),
            rate=rate,
        )

    def _fleet(self, pair: tuple[int, int]) -> float:
        """The greater angle between a run and the planes of the sheaves it is between (rad)."""
        run = self.run(*pair)
        span = run.end - run.start
        span = span / max(float(np.linalg.norm(span)), _SMALL)
        axes = [self.sheaves.axes[0, k] for k in pair if self.sheaves.radii[k]]
        return max((math.asin(min(abs(float(span @ axis)), 1.0)) for axis in axes), default=0.0)

    def _through(self, over: Sequence[int], at: int) -> bool:
        """Whether the run past a sheave that it is clear of goes through the sheave."""
        run = self.run(*_beside(over, at))
        axis, middle = self.sheaves.axes[0, at], self.sheaves.middles[0, at]
        start, end = ((p - middle) - axis * ((p - middle) @ axis) for p in run[:2])
        way = end - start
        share = np.clip(-(start @ way) / max(float(way @ way), _SMALL), 0.0, 1.0)
        near = float(np.linalg.norm(start + share * way))
        return bool(near < abs(self.sheaves.radii[at]) * (1 - 1e-6))

    def _places(self, over: Sequence[int], wraps: Array, steps: int) -> Array:
        """(m, 3) along it: `steps` for each sheave between its ends, whether it touches it or
        not, so that one pose has as many as another."""
        last = len(wraps) - 1
        found = [self.run(0, over[1]).start[None]]
        for k in range(1, last):
            if k not in over:
                before, after = _beside(over, k)
                run = self.run(before, after)
                share = (k - before + np.linspace(0.0, 0.5, steps)[:, None]) / (after - before)
                found.append(run.start + share * (run.end - run.start))
            elif self.sheaves.radii[k]:
                found.append(self._arc(k, self.run(_beside(over, k)[0], k), float(wraps[k]), steps))
            else:
                found.append(self.sheaves.middles[:, k])
        return np.concatenate([*found, self.run(over[-2], last).end[None]])

    def _arc(self, at: int, before: Run, wrap: float, steps: int) -> Array:
        """(steps, 3) where it lies on a sheave; of many rounds, which lie on each other, one."""
        middle, axis = self.sheaves.middles[0, at], self.sheaves.axes[0, at]
        r = float(self.sheaves.radii[at])
        if wrap > _TURN:
            wrap = _TURN + wrap % _TURN
        angle = np.copysign(np.linspace(0.0, wrap, steps), r)
        way = _turned(before.into, axis, angle)
        return np.asarray(middle - r * _cross(axis, way))


def _beside(over: Sequence[int], at: int) -> tuple[int, int]:
    """Those before and after one, of the sheaves that a rope goes over."""
    return max(k for k in over if k < at), min(k for k in over if k > at)
