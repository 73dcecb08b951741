"""The totals of many cubic profiles at many places."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gremio.core.arrays import Array
from gremio.core.kernels.library import Kernel, address
from gremio.core.mechanics.profiles import Profile, areas

_TOTALS = Kernel("gremio_totals", "wpppppppwp")


def totals(profiles: Sequence[Profile], at: Array, less: Array) -> Array:
    """(M, F) as `profiles.total` has it of each, at places (F,), less so much of each (M,)."""
    result = np.empty((len(profiles), len(at)))
    if not result.size:
        return result
    if len(less) != len(profiles):
        raise ValueError("there is one number to take away for each profile")
    counts = [len(profile.x) for profile in profiles]
    first = np.concatenate([[0], np.cumsum(counts)]).astype(np.intp)
    x = np.concatenate([profile.x for profile in profiles])
    ends = np.array([[profile.y[0], profile.y[-1]] for profile in profiles])
    c, upto = np.zeros((len(x), 4)), np.zeros(len(x))
    for profile, start in zip(profiles, first.tolist(), strict=False):
        spans = len(profile.x) - 1
        c[start : start + spans] = profile.c.T
        upto[start + 1 : start + spans + 1] = np.cumsum(areas(profile.c, np.diff(profile.x)))
    arrays = [np.ascontiguousarray(array, dtype=float) for array in (x, c, upto, ends, less, at)]
    told = [address(array) for array in (first, *arrays)]
    _TOTALS.beside(len(profiles), *told, len(at), address(result))
    return result
