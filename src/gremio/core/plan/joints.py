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
    result = np.eye(4)
    for name in APPLIED:
        if name in values:
            result = result @ _one(name, values[name])
    return result


def _one(name: str, value: float) -> Array:
    """(4, 4) frame that one channel makes."""
    verb, axis = name.split()
    index = "xyz".index(axis)
    made = np.eye(4)
    if verb == "move":
        made[index, 3] = value
    elif verb == "scale":
        made[index, index] = value
    else:
        a, b = (index + 1) % 3, (index + 2) % 3
        cos, sin = math.cos(value), math.sin(value)
        made[a, a], made[a, b], made[b, a], made[b, b] = cos, -sin, sin, cos
    return made


def outer_matrix(values: Mapping[str, float], channel: str) -> Array:
    """(4, 4) frame, in the mount, in which a channel works: after those applied before it."""
    before = APPLIED[: APPLIED.index(channel)]
    return joint_matrix({name: v for name, v in values.items() if name in before})
