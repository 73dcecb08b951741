"""Stops: nothing passes them, and some are approached softly."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array, Rows


def as_slice(rows: npt.ArrayLike) -> Rows | slice:
    """Rows that follow one another as a slice, which needs no copy to be read."""
    every = np.asarray(rows, dtype=np.intp)
    if np.array_equal(every, np.arange(every[0], every[0] + len(every))):
        return slice(int(every[0]), int(every[0]) + len(every))
    return every


class Limits(NamedTuple):
    """Stops of some channels, in SI. rows: k of them. low, high: (k, 1), −inf and +inf where a
    channel runs free. soft: (2, k, 1) before each. any_soft: whether there is any."""

    rows: Rows | slice
    low: Array
    high: Array
    soft: Array
    any_soft: bool


def limits_of(rows: npt.ArrayLike, low: Array, high: Array, soft: Array) -> Limits:
    """The stops of those of some rows that have one. low, high: (C,). soft: (2, C)."""
    among = np.asarray(rows, dtype=np.intp)
    stopped = among[np.isfinite(low[among]) | np.isfinite(high[among])]
    ends = (low[stopped, None], high[stopped, None], soft[:, stopped, None])
    found = as_slice(stopped) if len(stopped) else stopped
    return Limits(found, *ends, bool(np.any(soft[:, stopped] > 0)))


def softly(values: Array, low: Array, high: Array, soft: Array) -> Array:
    """Values held within stops, slowing down evenly from `soft` before a stop.

    soft: (2, …) before the low and before the high stop. From a = stop − s on,
    y = a + u − u² / (4 s) with u = x − a, so that speed falls from one to nothing where
    u = 2 s: the parabola that joins both straight lines (common practice).
    """
    at_low, at_high = soft
    with np.errstate(invalid="ignore"):
        over = np.clip(values - (high - at_high), 0.0, 2 * at_high)
        under = np.clip((low + at_low) - values, 0.0, 2 * at_low)
    high_safe, low_safe = (np.where(s > 0, 4 * s, 1.0) for s in (at_high, at_low))
    held = np.where(over > 0, high - at_high + over - over**2 / high_safe, values)
    held = np.where(under > 0, low + at_low - under + under**2 / low_safe, held)
    held = np.where(values >= high + at_high, high, np.where(values <= low - at_low, low, held))
    result: Array = np.clip(held, low, high)
    return result


def asked_for(wanted: float, low: float, high: float, soft: tuple[float, float]) -> float:
    """The value to ask for so that `softly` gives the wanted one, within the stops."""
    wanted = min(max(wanted, low), high)
    for stop, way, reach in ((high, 1.0, soft[1]), (low, -1.0, soft[0])):
        left = (stop - wanted) * way
        if left < reach:
            # y = stop − s + u − u²/(4 s), solved for u between 0 and 2 s.
            u = 2 * reach * (1 - np.sqrt(max(left, 0.0) / reach))
            return float(stop - way * reach + way * u)
    return wanted
