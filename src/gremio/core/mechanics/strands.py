"""Centre lines of what hangs or coils between two points: catenaries and coils."""

from __future__ import annotations

import math

import numpy as np

from gremio.core.arrays import Array, crossed

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
        side = crossed(axis, np.eye(3)[int(np.argmin(np.abs(axis)))])
    side = side / np.linalg.norm(side)
    other = crossed(axis, side)
    share = np.linspace(0.0, 1.0, count)
    run_in = np.clip(np.minimum(share, 1 - share) / 0.08, 0.0, 1.0)
    wide = radius * np.sin(run_in * math.pi / 2)
    turn = 2 * math.pi * coils * np.clip((share - 0.08) / 0.84, 0.0, 1.0)
    round_ = np.cos(turn)[:, None] * side + np.sin(turn)[:, None] * other
    return np.asarray(one + share[:, None] * way + wide[:, None] * round_)
