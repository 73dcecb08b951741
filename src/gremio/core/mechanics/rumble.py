"""Shaking as a sum of sine waves of random phase, after Rice, "Mathematical analysis of random
noise", Bell System Technical Journal 23 (1944), 3.

What is shaken so has a mean of nothing, never goes beyond its bound, and is known at any time
without what was before.
"""

from __future__ import annotations

import functools
import math

import numpy as np

from gremio.core.arrays import Array

# Waves in an octave, and octaves from the speed upwards.
_WAVES, _OCTAVES = 4, 4
# A wave lies so far from the middle of its octave at most (of it).
_SPREAD = 0.25


@functools.lru_cache(maxsize=1024)
def waves(speed: float, seed: int, smoothness: float) -> tuple[Array, Array, Array]:
    """The waves of a rumble: angular frequencies (rad/s), heights that add up to 1, and phases
    (rad), (n,) each. speed: of the slowest octave (Hz). seed: another one shakes otherwise.
    smoothness: from 0, all octaves alike, to 1, the slowest alone."""
    # The raw stream of a generator is the same in every version and on every machine.
    raw = np.random.PCG64(seed).random_raw(2 * _WAVES * _OCTAVES)
    uniform = (np.asarray(raw, dtype=np.uint64) >> np.uint64(11)) * 2.0**-53
    octaves = np.repeat(np.arange(_OCTAVES), _WAVES)
    middles = speed * 2.0**octaves
    spread = 1.0 + _SPREAD * (2.0 * uniform[: len(octaves)] - 1.0)
    heights = np.asarray((1.0 - smoothness) ** octaves, dtype=np.float64)
    phases = np.asarray(2.0 * math.pi * uniform[len(octaves) :], dtype=np.float64)
    speeds: Array = 2.0 * math.pi * middles * spread
    return speeds, heights / float(heights.sum()), phases


def shake(times: Array, speed: float, seed: int, smoothness: float) -> Array:
    """(F,) from −1 to 1 at times (F,), s. As `waves`."""
    speeds, heights, phases = waves(speed, seed, smoothness)
    found: Array = heights @ np.sin(speeds[:, None] * times + phases[:, None])
    return found
