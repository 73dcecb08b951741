"""What is in sight: which of the drawn places can be seen at all, which one looks out of, how large
they are, and which are under a point of the screen."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array, Flags
from gremio.desktop.bench.camera import FIELD_OF_VIEW, Camera, Size, ray

# What is smaller than this on the screen is not drawn (pixels).
_SPECK = 0.7
# How far the corners of the nearest that is seen are from the eye, over how far its middle is.
_WIDE = 1.5


class Sight(NamedTuple):
    """(N,) of each place: whether it is out of sight; whether its inside may be seen: the eye may
    be within it, or it is turned inside out by a scale below zero; and how many pixels a metre of
    its surface is at most."""

    hidden: Flags
    inside: Flags
    pixels: Array


class Balls(NamedTuple):
    """Balls round N places. middle: (N, 3). radius: (N,). scale: (N,) how much larger than its
    surface each is at most."""

    middle: Array
    radius: Array
    scale: Array


def balls_round(places: npt.NDArray[np.void], batch: npt.NDArray[np.intp], balls: Array) -> Balls:
    """Balls round places (N,) whose "rows" are their frames. batch: (N,) of which surface each is.
    balls: (B, 4) middle and radius of a ball round each surface."""
    rows = places["rows"].astype(np.float64)
    ball = balls[batch]
    middle = np.einsum("nij,nj->ni", rows[:, :, :3], ball[:, :3]) + rows[:, :, 3]
    # No frame makes anything larger than this (Gershgorin's bound of AᵀA); where its axes are
    # square to one another it is the longest of them.
    turned = rows[:, :, :3]
    square = np.abs(np.einsum("nki,nkj->nij", turned, turned))
    scale = np.sqrt(square.sum(axis=2).max(axis=1, initial=0.0))
    return Balls(middle, ball[:, 3] * scale, scale)


def under(balls: Balls, camera: Camera, size: Size, pixel: tuple[float, float]) -> Flags:
    """(N,) whether the line of sight through a pixel may meet each ball; never no for one that it
    meets within a pixel."""
    eye, way = ray(camera, size, pixel)
    off = balls.middle - eye
    along = off @ way
    apart = np.linalg.norm(off - along[:, None] * way, axis=1)
    pixel_at = 2 * math.tan(FIELD_OF_VIEW / 2) / size[1] * np.linalg.norm(off, axis=1)
    met: Flags = (apart <= balls.radius + 2 * pixel_at) & (along >= -balls.radius)
    return met


def in_sight(
    places: npt.NDArray[np.void], batch: npt.NDArray[np.intp], balls: Array, camera: Camera,
    seen: Array, size: Size,
) -> Sight:  # fmt: skip
    """What is in sight of places, given as `balls_round` has them. seen: (4, 4) from the world to
    the screen."""
    middle, radius, scale = balls_round(places, batch, balls)
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
    turned = np.linalg.det(places["rows"][:, :, :3].astype(np.float64)) < 0.0
    inside = (away < radius + _WIDE * camera.near) | turned
    nearest = np.maximum(away - radius, camera.near)
    return Sight(hidden, inside, scale * pixels / nearest)
