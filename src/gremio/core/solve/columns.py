"""Frames of one part in many frames as columns: three axes, then the origin."""

from __future__ import annotations

import numpy as np

from gremio.core.arrays import Array, Rows

_AXIS = {"x": 0, "y": 1, "z": 2}
_OTHER_TWO = {"x": (1, 2), "y": (2, 0), "z": (0, 1)}


def as_matrices(columns: Array) -> Array:
    """(F, P, 4, 4) matrices of (4, 3, P, F) columns."""
    worlds = np.zeros((columns.shape[3], columns.shape[2], 4, 4))
    worlds[:, :, :3, :] = columns.transpose(3, 2, 1, 0)
    worlds[:, :, 3, 3] = 1.0
    return worlds


def put_behind(local: Array, channel: str, parts: Rows | slice | int, q: Array) -> None:
    """Put the frame that a channel makes behind some of (4, 3, P, F) columns, in place."""
    verb, axis = channel.split()
    if verb == "move":
        local[3][:, parts] += local[_AXIS[axis]][:, parts] * q
    elif verb == "turn":
        cos, sin = np.cos(q), np.sin(q)
        first, second = _OTHER_TWO[axis]
        a, b = local[first][:, parts], local[second][:, parts]
        turned = a * cos + b * sin
        local[second][:, parts] = b * cos - a * sin
        local[first][:, parts] = turned
    else:
        local[_AXIS[axis]][:, parts] *= q
