"""The totals of many cubic profiles at many places, by a compiled loop."""

from __future__ import annotations

import numba
import numpy as np

from gremio.core.arrays import Array, Rows
from gremio.core.mechanics.profiles import Profile, areas


def totals(profiles: list[Profile], at: Array, less: Array) -> Array:
    """(M, F) as `profiles.total` has it of each, at places (F,), less so much of each (M,)."""
    counts = [len(profile.x) for profile in profiles]
    first = np.concatenate([[0], np.cumsum(counts)]).astype(np.intp)
    x = np.concatenate([profile.x for profile in profiles])
    ends = np.array([[profile.y[0], profile.y[-1]] for profile in profiles])
    c, upto = np.zeros((len(x), 4)), np.zeros(len(x))
    for profile, start in zip(profiles, first.tolist(), strict=False):
        spans = len(profile.x) - 1
        c[start : start + spans] = profile.c.T
        upto[start + 1 : start + spans + 1] = np.cumsum(areas(profile.c, np.diff(profile.x)))
    less = np.ascontiguousarray(less)
    result = np.empty((len(profiles), len(at)))
    _fill(first, x, c, upto, ends, less, np.ascontiguousarray(at, dtype=float), result)
    return result


@numba.njit(cache=True, error_model="numpy")
def _fill(
    first: Rows,
    x: Array,
    c: Array,
    upto: Array,
    ends: Array,
    less: Array,
    at: Array,
    result: Array,
) -> None:
    """Fill result (M, F). first: (M + 1,) where the stations of each begin."""
    for i in range(result.shape[0]):
        begin, last = first[i], first[i + 1] - 2
        j, low, high = begin, x[begin], x[last + 1]
        for f in range(result.shape[1]):
            asked = at[f]
            q = min(max(asked, low), high)
            # From one frame to the next a time mostly stays in its span.
            while j > begin and x[j] > q:
                j -= 1
            while j < last and x[j + 1] <= q:
                j += 1
            u = q - x[j]
            area = (((c[j, 0] / 4 * u + c[j, 1] / 3) * u + c[j, 2] / 2) * u + c[j, 3]) * u
            found = upto[j] + area
            if asked < low:
                found += (asked - low) * ends[i, 0]
            elif asked > high:
                found += (asked - high) * ends[i, 1]
            result[i, f] = found - less[i]
