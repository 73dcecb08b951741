"""Rolling without slip: how far a wheel turns as it is carried along."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]


def rolled(frames: Array, axle: int, radius: float) -> Array:
    """(F,) turn (rad) about its axle of a wheel carried through frames, 0 in the first.

    frames: (F, 3, 4) of the wheel's centre, steered and not spun. axle: 0 for a wheel on the
    x axis, 1 for y. radius: m. z is upright, so a wheel on the y axis that goes along +x
    turns by +distance ÷ radius, and one on the x axis that goes along −y likewise.

    Between two frames the wheel is taken to go with a steady speed and a steady turn of its
    heading: the forward part of the logarithm of the planar motion, which is exact along an
    arc of any radius (Murray, Li and Sastry, "A Mathematical Introduction to Robotic
    Manipulation", 1994, planar twists).
    """
    turn, place = frames[:, :, :3], frames[:, :, 3]
    turn = turn / np.linalg.norm(turn, axis=1, keepdims=True)
    heading, side = (turn[:, :, 0], turn[:, :, 1]) if axle == 1 else (-turn[:, :, 1], turn[:, :, 0])
    step = place[1:] - place[:-1]
    along = np.einsum("fi,fi->f", heading[:-1], step)
    across = np.einsum("fi,fi->f", side[:-1], step)
    cos = np.einsum("fi,fi->f", heading[:-1], heading[1:])
    sin = np.einsum("fi,fi->f", side[:-1], heading[1:])
    half = np.arctan2(sin, cos) / 2
    # half · cot(half), by its series where the heading hardly changes.
    small = np.abs(half) < 1e-4
    safe = np.where(small, 1.0, half)
    cot = np.where(small, 1 - half**2 / 3, safe / np.tan(safe))
    distance = along * cot + across * half
    return np.concatenate([[0.0], np.cumsum(distance)]) / radius
