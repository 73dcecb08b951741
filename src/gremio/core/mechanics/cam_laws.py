"""The laws of cam design: how a follower rises from 0 to 1 while its lead goes from 0 to 1.

Each law gives place, speed and acceleration at shares u (any shape) between 0 and 1. Equations
as in handbooks of cam design (Norton, "Cam Design and Manufacturing Handbook"; from memory,
and confirmed by their peaks, see the tests).
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array

_PI = np.pi


class Law(NamedTuple):
    """Place, speed and acceleration of a rise from 0 to 1 over 1, and the peaks of the last
    two: × h/β and × h/β² for a rise h over β."""

    place: Callable[[Array], Array]
    speed: Callable[[Array], Array]
    acceleration: Callable[[Array], Array]
    peak_speed: float
    peak_acceleration: float


def _dwell(u: Array) -> Array:
    return np.zeros_like(u)


def _harmonic(u: Array) -> Array:
    return (1 - np.cos(_PI * u)) / 2


def _cycloidal(u: Array) -> Array:
    return u - np.sin(2 * _PI * u) / (2 * _PI)


def _345(u: Array) -> Array:
    return u**3 * (10 - 15 * u + 6 * u**2)


def _4567(u: Array) -> Array:
    return u**4 * (35 - 84 * u + 70 * u**2 - 20 * u**3)


def _modified_sine(u: Array) -> Array:
    side = (_PI * u - np.sin(4 * _PI * u) / 4) / (4 + _PI)
    middle = (2 + _PI * u - 9 / 4 * np.sin(4 * _PI * u / 3 + _PI / 3)) / (4 + _PI)
    return np.where(u < 1 / 8, side, np.where(u <= 7 / 8, middle, side + 4 / (4 + _PI)))


def _modified_sine_speed(u: Array) -> Array:
    side = (_PI - _PI * np.cos(4 * _PI * u)) / (4 + _PI)
    middle = (_PI - 3 * _PI * np.cos(4 * _PI * u / 3 + _PI / 3)) / (4 + _PI)
    return np.where((u < 1 / 8) | (u > 7 / 8), side, middle)


def _modified_sine_acceleration(u: Array) -> Array:
    side = 4 * _PI**2 * np.sin(4 * _PI * u) / (4 + _PI)
    middle = 4 * _PI**2 * np.sin(4 * _PI * u / 3 + _PI / 3) / (4 + _PI)
    return np.where((u < 1 / 8) | (u > 7 / 8), side, middle)


# The modified trapezoid's greatest acceleration; its second half mirrors the first.
_A = 8 * _PI / (2 + _PI)


def _mirrored(u: Array) -> Array:
    return np.minimum(u, 1 - u)


def _modified_trapezoid(u: Array) -> Array:
    w = _mirrored(u)
    rising = _A / (4 * _PI) * (w - np.sin(4 * _PI * w) / (4 * _PI))
    at_one = _A / (4 * _PI) * (1 / 8 - 1 / (4 * _PI))
    flat = at_one + _A / (4 * _PI) * (w - 1 / 8) + _A / 2 * (w - 1 / 8) ** 2
    at_three = at_one + _A / (16 * _PI) + _A / 32
    falling = (
        at_three
        + (_A / (4 * _PI) + _A / 4) * (w - 3 / 8)
        + _A / (16 * _PI**2) * (1 - np.cos(4 * _PI * (w - 3 / 8)))
    )
    half = np.where(w < 1 / 8, rising, np.where(w < 3 / 8, flat, falling))
    return np.where(u <= 0.5, half, 1 - half)


def _modified_trapezoid_speed(u: Array) -> Array:
    w = _mirrored(u)
    rising = _A / (4 * _PI) * (1 - np.cos(4 * _PI * w))
    flat = _A / (4 * _PI) + _A * (w - 1 / 8)
    falling = _A / (4 * _PI) + _A / 4 + _A / (4 * _PI) * np.sin(4 * _PI * (w - 3 / 8))
    return np.where(w < 1 / 8, rising, np.where(w < 3 / 8, flat, falling))


def _modified_trapezoid_acceleration(u: Array) -> Array:
    w = _mirrored(u)
    falling = _A * np.cos(4 * _PI * (w - 3 / 8))
    half = np.where(w < 1 / 8, _A * np.sin(4 * _PI * w), np.where(w < 3 / 8, _A, falling))
    return np.where(u <= 0.5, half, -half)


LAWS: dict[str, Law] = {
    "dwell": Law(_dwell, _dwell, _dwell, 0.0, 0.0),
    "harmonic": Law(
        _harmonic,
        lambda u: _PI / 2 * np.sin(_PI * u),
        lambda u: _PI**2 / 2 * np.cos(_PI * u),
        _PI / 2,
        _PI**2 / 2,
    ),
    "cycloidal": Law(
        _cycloidal,
        lambda u: 1 - np.cos(2 * _PI * u),
        lambda u: 2 * _PI * np.sin(2 * _PI * u),
        2.0,
        2 * _PI,
    ),
    "3-4-5": Law(
        _345,
        lambda u: 30 * u**2 * (1 - u) ** 2,
        lambda u: 60 * u * (1 - 3 * u + 2 * u**2),
        15 / 8,
        10 / np.sqrt(3),
    ),
    "4-5-6-7": Law(
        _4567,
        lambda u: 140 * u**3 * (1 - u) ** 3,
        lambda u: 420 * u**2 * (1 - u) ** 2 * (1 - 2 * u),
        35 / 16,
        84 * np.sqrt(5) / 25,
    ),
    "modified sine": Law(
        _modified_sine,
        _modified_sine_speed,
        _modified_sine_acceleration,
        4 * _PI / (4 + _PI),
        4 * _PI**2 / (4 + _PI),
    ),
    "modified trapezoid": Law(
        _modified_trapezoid,
        _modified_trapezoid_speed,
        _modified_trapezoid_acceleration,
        2.0,
        _A,
    ),
}
