"""Rolling without slip: how far a wheel turns as it is carried along."""

from __future__ import annotations

import numpy as np

from gremio.core.arrays import Array, crossed

_LEVEL = 1e-6


def rolled(frames: Array, axle: int, radius: float, *, upright: bool = True) -> Array:
    """(F,) turn (rad) about its axle of a wheel carried through frames, 0 in the first.

    frames: (F, 3, 4) of the wheel's centre, steered and not spun, as seen from what it rolls over,
    whose z is upright. axle: 0, 1, 2 for a wheel on the x, y, z axis of its frame. radius: m.
    It heads along axle × up: a wheel on the y axis that goes along +x turns by +distance ÷
    radius, and one on the x axis that goes along −y likewise. upright: whether up is the frame's
    z, wherever that goes; else it is what is upright in the first frame. A wheel on an upright
    axle does not roll.

    Between two frames the wheel is taken to go with a steady speed and a steady turn of its
    heading: the forward part of the logarithm of the planar motion, which is exact along an
    arc of any radius (Murray, Li and Sastry, "A Mathematical Introduction to Robotic
    Manipulation", 1994, planar twists).
    """
    turn, place = frames[:, :, :3], frames[:, :, 3]
    turn = turn / np.linalg.norm(turn, axis=1, keepdims=True)
    up = _up_of(np.eye(3) if upright else turn[0], axle)
    if up is None:
        return np.zeros(len(frames))
    side = turn[:, :, axle]
    heading = turn @ crossed(np.eye(3)[axle], up)
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


def _up_of(first: Array, axle: int) -> Array | None:
    """(3,) which way is up in the frame of a wheel (3, 3), square to its axle; None where that is
    upright itself."""
    up = first[2] - first[2, axle] * np.eye(3)[axle]
    size = float(np.linalg.norm(up))
    return up / size if size > _LEVEL else None


def rolled_ball(places: Array, start: Array, radius: float) -> Array:
    """(F, 3, 3) turns of a ball that rolls without slip or spin on a level plane.

    places: (F, 3) of its middle, as seen from what it rolls over, whose z is upright. start:
    (3, 3) its turn in the first frame. radius: m.

    On a straight way Δp it turns about n × Δp by |Δp| ÷ radius; one turn comes after the other,
    which is why a ball that is rolled round a closed way stands turned (the plate and ball of
    Frobenius' theorem; Jurdjevic, "The geometry of the plate-ball problem", Archive for Rational
    Mechanics and Analysis 124, 1993).
    """
    from scipy.spatial.transform import Rotation

    steps = np.diff(places, axis=0) / radius
    about = np.stack([-steps[:, 1], steps[:, 0], np.zeros(len(steps))], axis=-1)
    turns = np.empty((len(places), 3, 3))
    turns[0] = start
    for i, step in enumerate(Rotation.from_rotvec(about).as_matrix()):
        turns[i + 1] = step @ turns[i]
    return turns


def driven(
    travel: Array,
    steering: Array,
    heading: float,
    wheelbase: float,
    axle: float,
    turning: Array | None = None,
) -> tuple[Array, Array, Array]:
    """Moves x and y (m) and turn (rad), each (F,) from 0, of a carriage along its heading.

    travel: (F,) way gone by the middle of the unsteered axle (m). steering: (F,) angle of a
    wheel in the middle of the steered axle (rad). heading: in the first frame. axle: how far
    that axle lies before the carriage's own zero. turning: (F,) a turn that it makes besides (rad).

    The single-track model of vehicle dynamics (handbooks; from memory): the carriage turns by
    way · tan δ / wheelbase about a centre in line with its unsteered axle. Between frames the
    steering stands at its middle, so that every step is an arc.
    """
    gone = np.diff(travel)
    middle = (steering[1:] + steering[:-1]) / 2
    turns = gone * np.tan(middle) / wheelbase
    if turning is not None:
        turns = turns + np.diff(turning)
    turn = np.concatenate([[0.0], np.cumsum(turns)])
    chord = gone * np.sinc(turns / (2 * np.pi))
    ahead = heading + turn[:-1] + turns / 2
    x = np.concatenate([[0.0], np.cumsum(chord * np.cos(ahead))])
    y = np.concatenate([[0.0], np.cumsum(chord * np.sin(ahead))])
    # From the axle to the carriage's own zero, which swings round it.
    x -= axle * (np.cos(heading + turn) - np.cos(heading))
    y -= axle * (np.sin(heading + turn) - np.sin(heading))
    return x, y, turn
