"""Many profiles at many lead values, by a compiled loop."""

from __future__ import annotations

import numba
import numpy as np

from gremio.core.arrays import Array, Flags, Rows
from gremio.core.mechanics.bank import Bank

Whole = Rows


def values(bank: Bank, channels: Array, rows: Whole) -> tuple[Array, Whole]:
    """As `profile_bank._values`, with the same arithmetic in the same order. The spans are
    told only where a profile follows a law."""
    result = np.empty((len(rows), channels.shape[1]))
    span = np.empty(result.shape if bank.laws else (0, 0), dtype=np.intp)
    ends = (bank.first[:, 0], bank.end[:, 0], bank.slopes[..., 0], bank.rounds[..., 0])
    _fill(bank.x, bank.c, bank.last, *ends, channels, rows, result, span)
    return result, span


@numba.njit(cache=True, error_model="numpy")
def _fill(
    x: Array,
    c: Array,
    last: Whole,
    first: Array,
    end: Array,
    slopes: Array,
    rounds: Flags,
    channels: Array,
    rows: Whole,
    result: Array,
    span: Whole,
) -> None:
    """Fill result and span (k, F). The arrays are as in Bank, without the axis of length 1."""
    told = len(span) > 0
    for i in range(result.shape[0]):
        j, row, low, high = 0, rows[i], first[i], end[i]
        stations, before, after = x[i], slopes[0, i], slopes[1, i]
        start, stop = stations[0], stations[1]
        a, b, s, d = c[i, 0]
        for f in range(result.shape[1]):
            asked = channels[row, f]
            q = asked
            if asked < low:
                q = low + np.mod(asked - low, high - low) if rounds[0, i] else low
            elif asked > high:
                q = low + np.mod(asked - low, high - low) if rounds[1, i] else high
            if q < start or q >= stop:
                # From one frame to the next a lead mostly stays in its span.
                while j > 0 and stations[j] > q:
                    j -= 1
                while j < last[i] and stations[j + 1] <= q:
                    j += 1
                start, stop = stations[j], stations[j + 1]
                a, b, s, d = c[i, j]
            u = q - start
            y = ((a * u + b) * u + s) * u + d
            if asked < low and not rounds[0, i]:
                y += (asked - low) * before
            elif asked > high and not rounds[1, i]:
                y += (asked - high) * after
            result[i, f] = y
            if told:
                span[i, f] = j
