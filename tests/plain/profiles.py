"""Heights of many cubic profiles by arrays."""

from __future__ import annotations

import numpy as np

from gremio.core.arrays import Array, Rows
from gremio.core.mechanics.bank import Bank
from gremio.core.mechanics.profile_bank import _inside


def values(bank: Bank, leads: Array) -> tuple[Array, Rows]:
    """Heights as if every span were a cubic, and which span each is in."""
    x = _inside(bank, leads)
    span = (bank.x[:, 1:, None] <= x[:, None, :]).sum(axis=1)
    span = np.minimum(span, bank.last[:, None])
    row = np.arange(len(x))[:, None]
    u = x - bank.x[row, span]
    a, b, s, d = (bank.c[row, span, i] for i in range(4))
    result = ((a * u + b) * u + s) * u + d
    if bank.slopes.any():
        before, after = leads - bank.first, leads - bank.end
        goes_on = np.where(bank.rounds[0], 0.0, np.minimum(before, 0.0)) * bank.slopes[0]
        goes_on += np.where(bank.rounds[1], 0.0, np.maximum(after, 0.0)) * bank.slopes[1]
        result = result + goes_on
    return result, span
