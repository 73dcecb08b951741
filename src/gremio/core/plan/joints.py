"""The frame that a joint's channels make, for one part at a time."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from gremio.core.arrays import Array
from gremio.core.rig.channels import MOVES, SCALES, TURNS

# A joint shifts first, then turns about z, y and x in that order, then scales, so that
# the turns of a free joint are those about the fixed x, then y, then z axis, and a wheel
# is steered before it spins.
APPLIED = (*MOVES, *reversed(TURNS), *SCALES)


def joint_matrix(values: Mapping[str, float]) -> Array:
    """(4, 4) frame of a part in its mount, from its channels (m, rad) by name."""
    rows = [[1.0, 0.0, 0.0, 0.0], [0.0, 1.0, 0.0, 0.0], [0.0, 0.0, 1.0, 0.0]]
    for name in APPLIED:
        if name in values:
            _put_behind(rows, name, values[name])
    return np.array([*rows, [0.0, 0.0, 0.0, 1.0]])


def _put_behind(rows: list[list[float]], name: str, value: float) -> None:
    """Put what one channel makes behind the rows (3, 4) of a frame: by plain numbers, for a few
    of them arrays take many times as long."""
    verb, axis = name.split()
    index = "xyz".index(axis)
    if verb == "move":
        for row in rows:
            row[3] += row[index] * value
    elif verb == "scale":
        for row in rows:
            row[index] *= value
    else:
        a, b = (index + 1) % 3, (index + 2) % 3
        cos, sin = math.cos(value), math.sin(value)
        for row in rows:
            row[a], row[b] = row[a] * cos + row[b] * sin, row[b] * cos - row[a] * sin


def outer_matrix(values: Mapping[str, float], channel: str) -> Array:
    """(4, 4) frame, in the mount, in which a channel works: after those applied before it."""
    before = APPLIED[: APPLIED.index(channel)]
    return joint_matrix({name: v for name, v in values.items() if name in before})
