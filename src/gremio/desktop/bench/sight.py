"""What is in sight: which of the drawn places can be seen at all, and which one looks out of."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array, Flags
from gremio.desktop.bench.camera import Camera, Size

# What is smaller than this on the screen is not drawn (pixels).
_SPECK = 0.7
# How far the corners of the nearest that is seen are from the eye, over how far its middle is.
_WIDE = 1.5


class Sight(NamedTuple):
    """(N,) of each place: whether it is out of sight, and whether its inside may be seen: the eye
    may be within it, or it is turned inside out by a scale below zero."""

    hidden: Flags
    inside: Flags


def in_sight(
    places: npt.NDArray[np.void], batch: npt.NDArray[np.intp], balls: Array, camera: Camera,
    seen: Array, size: Size,
) -> Sight:  # fmt: skip
    """What is in sight of places (N,) whose "rows" are their frames. batch: (N,) of which surface
    each is. balls: (B, 4) middle and radius of a ball round each surface. seen: (4, 4) from the
    world to the screen."""
    rows = places["rows"].astype(np.float64)
    ball = balls[batch]
    middle = np.einsum("nij,nj->ni", rows[:, :, :3], ball[:, :3]) + rows[:, :, 3]
    radius = ball[:, 3] * np.sqrt(np.square(rows[:, :, :3]).sum(axis=1).max(axis=1))
    # The sides of what is seen, each a plane: Gribb and Hartmann, "Fast extraction of viewing
    # frustum planes from the world-view-projection matrix" (2001).
    planes = np.concatenate([seen[3] + seen[:2], seen[3] - seen[:2], seen[3:4] + seen[2:3]])
    length = np.linalg.norm(planes[:, :3], axis=1)
    far = (middle @ planes[:, :3].T + planes[:, 3]) / length
    hidden = (far < -radius[:, None]).any(axis=1)
    away = np.linalg.norm(middle - camera.eye, axis=1)
    # How many pixels a length of one is at a distance of one.
    pixels = np.linalg.norm(seen[1, :3]) * size[1] / 2
    hidden |= 2 * radius * pixels < _SPECK * np.maximum(away - radius, 1e-12)
    inside = (away < radius + _WIDE * camera.near) | (np.linalg.det(rows[:, :, :3]) < 0.0)
    return Sight(hidden, inside)
