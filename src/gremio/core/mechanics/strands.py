"""Centre lines of what hangs or coils between two points: catenaries, coils, ropes on sheaves."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array

_ROUNDS = 60
_LEVEL = 1e-9


def hanging(one: Array, two: Array, length: float, count: int) -> Array:
    """(count, 3) places along a line of a length (m) that hangs between two points (3,) in
    gravity along −z; straight where it is no longer than the way between them.

    The catenary: with horizontal span d and rise h, sinh(u) / u = √(L² − h²) / d, u = d / 2a
    (any handbook of mechanics; from memory, checked against its own length).
    """
    share = np.linspace(0.0, 1.0, count)[:, None]
    way = two - one
    span, rise = math.hypot(way[0], way[1]), float(way[2])
    if length <= float(np.linalg.norm(way)) * (1 + 1e-12):
        return np.asarray(one + share * way)
    if span < _LEVEL * max(length, 1e-12):
        return _folded(one, rise, length, count)
    u = _sinhc_inverse(math.sqrt(length**2 - rise**2) / span)
    a = span / (2 * u)
    # The arc of a catenary from its lowest point is a·sinh(x / a).
    middle = math.atanh(rise / length)
    start = a * (middle - u)
    arc = a * math.sinh(start / a) + share[:, 0] * length
    x = a * np.arcsinh(arc / a)
    level = way * [1, 1, 0] / span
    height = a * (np.cosh(x / a) - math.cosh(start / a))
    return np.asarray(one + (x - start)[:, None] * level + height[:, None] * [0.0, 0.0, 1.0])


def _folded(one: Array, rise: float, length: float, count: int) -> Array:
    """Straight down and up again, where both ends are one above the other."""
    down = (length - rise) / 2
    gone = np.linspace(0.0, length, count)
    height = np.where(gone <= down, -gone, gone - 2 * down)
    return np.asarray(one + height[:, None] * [0.0, 0.0, 1.0])


def _sinhc_inverse(value: float) -> float:
    """u > 0 with sinh(u) / u = value > 1, by Newton's method from above."""
    u = (
        math.sqrt(6 * (value - 1))
        if value < 3
        else math.log(2 * value) + math.log(math.log(2 * value))
    )
    for _ in range(_ROUNDS):
        gap = math.sinh(u) / u - value
        slope = (math.cosh(u) - math.sinh(u) / u) / u
        step = gap / slope
        u = max(u - step, u / 4)
        if abs(step) < 1e-15 * u:
            break
    return u


def coil(one: Array, two: Array, across: Array, radius: float, coils: float, count: int) -> Array:
    """(count, 3) places along a coil from one point to another, (3,) each, with its count of
    turns kept however long it is. across: (3,) which way its first turn begins. The last
    tenth of its length at either end runs in to the middle, where its eyes are."""
    way = two - one
    size = float(np.linalg.norm(way))
    axis = way / max(size, 1e-12)
    side = across - axis * float(across @ axis)
    if float(np.linalg.norm(side)) < 1e-9:
        side = np.cross(axis, np.eye(3)[int(np.argmin(np.abs(axis)))])
    side = side / np.linalg.norm(side)
    other = np.cross(axis, side)
    share = np.linspace(0.0, 1.0, count)
    run_in = np.clip(np.minimum(share, 1 - share) / 0.08, 0.0, 1.0)
    wide = radius * np.sin(run_in * math.pi / 2)
    turn = 2 * math.pi * coils * np.clip((share - 0.08) / 0.84, 0.0, 1.0)
    round_ = np.cos(turn)[:, None] * side + np.sin(turn)[:, None] * other
    return np.asarray(one + share[:, None] * way + wide[:, None] * round_)


class Sheave(NamedTuple):
    """What a rope goes round: its middle (3,), and its radius (m), below zero where the rope
    runs clockwise about the normal; 0 is a plain point."""

    middle: Array
    radius: float


class Reeved(NamedTuple):
    """A rope over sheaves. places: (n, 3) along it. length: m. falls: how many straight runs."""

    places: Array
    length: float
    falls: int


def reeved(round_: Sequence[Sheave], normal: Array, steps: int = 20) -> Reeved:
    """A taut rope from the first point over sheaves to the last, in the plane across a normal
    (3,); what lies beside the plane is gone to evenly along each run."""
    normal = normal / np.linalg.norm(normal)
    heights = [float(sheave.middle @ normal) for sheave in round_]
    flat = [sheave.middle - normal * h for sheave, h in zip(round_, heights, strict=True)]
    ways, sides = [], []
    radii = [sheave.radius for sheave in round_]
    for (a, r), (b, s) in itertools.pairwise(zip(flat, radii, strict=True)):
        apart = b - a
        far = max(float(np.linalg.norm(apart)), 1e-12)
        ahead = apart / far
        sine = min(max((s - r) / far, -1.0), 1.0)
        left = np.cross(normal, ahead)
        way = ahead * math.sqrt(1 - sine**2) - left * sine
        ways.append(way)
        sides.append(np.cross(normal, way))
    places: list[Array] = []
    length = 0.0
    last = len(round_) - 1
    for k, (sheave, middle) in enumerate(zip(round_, flat, strict=True)):
        first_side = sides[k - 1] if k else sides[0]
        last_side = sides[k] if k < last else sides[-1]
        start = middle - sheave.radius * first_side
        if 0 < k < last and sheave.radius:
            turned = math.atan2(
                float(np.cross(ways[k - 1], ways[k]) @ normal), float(ways[k - 1] @ ways[k])
            )
            if sheave.radius > 0:
                turned %= 2 * math.pi
            else:
                turned = -(-turned % (2 * math.pi))
            angles = np.linspace(0.0, turned, steps)[:, None]
            out = -first_side * math.copysign(1.0, sheave.radius)
            along = np.cross(normal, out)
            arc = middle + abs(sheave.radius) * (np.cos(angles) * out + np.sin(angles) * along)
            places += list(arc + normal * heights[k])
            length += abs(turned * sheave.radius)
        else:
            places.append(start + normal * heights[k])
        if k < last:
            end = flat[k + 1] - round_[k + 1].radius * sides[k]
            begin = middle - sheave.radius * last_side
            run = end - begin + normal * (heights[k + 1] - heights[k])
            length += float(np.linalg.norm(run))
    return Reeved(np.array(places), length, last)
