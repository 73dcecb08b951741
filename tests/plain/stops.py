"""Stops by arrays."""

from __future__ import annotations

import numpy as np

from gremio.core.arrays import Array
from gremio.core.solve.limits import Limits, softly


def hold(limits: Limits, channels: Array) -> None:
    """Bring (C, F) channels within their stops, in place."""
    if len(limits.low) == 0:
        return
    values = channels[limits.rows]
    if limits.any_soft:
        channels[limits.rows] = softly(values, limits.low, limits.high, limits.soft)
        return
    channels[limits.rows] = np.minimum(np.maximum(values, limits.low), limits.high)
