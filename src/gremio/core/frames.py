"""Rest frames and turns: right-handed, z up, x forward (ISO 8855); metres and radians.

A turn of a frame is a unit quaternion (w, x, y, z). Three angles, where a person types
them, turn about the fixed x, then y, then z axis (roll, pitch, yaw of ISO 8855):
R = Rz·Ry·Rx.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array, Flags
from gremio.core.problem import GremioError

Triple = tuple[float, float, float]
Quaternion = tuple[float, float, float, float]


class Frame(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A place to stand: at (m), turn (unit quaternion w, x, y, z), scale (per axis)."""

    at: Triple = (0.0, 0.0, 0.0)
    turn: Quaternion = (1.0, 0.0, 0.0, 0.0)
    scale: Triple = (1.0, 1.0, 1.0)


IDENTITY = Frame()


def tidy_frame(at: npt.ArrayLike, turn: npt.ArrayLike, scale: npt.ArrayLike) -> Frame:
    """A frame of plain floats, without the last digit's dust, so that files read well."""
    w, x, y, z = _dusted(turn)
    frame = Frame(triple(at), (w, x, y, z), triple(scale))
    return Frame(
        IDENTITY.at if frame.at == IDENTITY.at else frame.at,
        IDENTITY.turn if frame.turn == IDENTITY.turn else frame.turn,
        IDENTITY.scale if frame.scale == IDENTITY.scale else frame.scale,
    )


def _dusted(values: npt.ArrayLike) -> list[float]:
    numbers = [float(v) for v in np.asarray(values, dtype=float)]
    return [0.0 if abs(v) < 1e-15 else v for v in numbers]


def triple(values: npt.ArrayLike) -> Triple:
    """The three numbers of a vector (3,) as plain floats, with no dust about zero."""
    x, y, z = _dusted(values)
    return x, y, z


def turn_matrix(turn: Quaternion) -> Array:
    """(3, 3) rotation matrix of a quaternion, which is normalised first."""
    result: Array = matrices([Frame(turn=turn)])[0, :3, :3]
    return result


def matrix(frame: Frame) -> Array:
    """(4, 4) homogeneous matrix of a frame: scale, then turn, then shift.

    One at a time, in plain floats: a tenth of the time that `matrices` takes for one.
    """
    w, x, y, z = frame.turn
    size = math.sqrt(w * w + x * x + y * y + z * z)
    w, x, y, z = w / size, x / size, y / size, z / size
    a, b, c = frame.scale
    at = frame.at
    return np.array(
        [
            [
                (1 - 2 * (y * y + z * z)) * a,
                2 * (x * y - z * w) * b,
                2 * (x * z + y * w) * c,
                at[0],
            ],
            [
                2 * (x * y + z * w) * a,
                (1 - 2 * (x * x + z * z)) * b,
                2 * (y * z - x * w) * c,
                at[1],
            ],
            [
                2 * (x * z - y * w) * a,
                2 * (y * z + x * w) * b,
                (1 - 2 * (x * x + y * y)) * c,
                at[2],
            ],
            [0.0, 0.0, 0.0, 1.0],
        ]
    )


def matrices(frames: Sequence[Frame]) -> Array:
    """(N, 4, 4) homogeneous matrices of frames."""
    result = np.zeros((len(frames), 4, 4))
    if not frames:
        return result
    turn = np.array([frame.turn for frame in frames])
    w, x, y, z = (turn / np.linalg.norm(turn, axis=1, keepdims=True)).T
    result[:, 0, :3] = np.stack(
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)], axis=1
    )
    result[:, 1, :3] = np.stack(
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)], axis=1
    )
    result[:, 2, :3] = np.stack(
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)], axis=1
    )
    result[:, :3, :3] *= np.array([frame.scale for frame in frames])[:, None, :]
    result[:, :3, 3] = [frame.at for frame in frames]
    result[:, 3, 3] = 1.0
    return result


def quaternions(rotations: Array) -> Array:
    """Unit quaternions (..., 4) as w, x, y, z of rotation matrices (..., 3, 3), w >= 0.

    Shepperd, "Quaternion from rotation matrix", J. Guidance and Control 1 (1978): the
    largest of the four squares is rooted, so no digit is lost near half turns.
    """
    m = np.asarray(rotations, dtype=float)
    trace = m[..., 0, 0] + m[..., 1, 1] + m[..., 2, 2]
    squares = np.stack([trace, m[..., 0, 0], m[..., 1, 1], m[..., 2, 2]], axis=-1)
    largest = np.argmax(squares, axis=-1)
    wx = m[..., 2, 1] - m[..., 1, 2]
    wy = m[..., 0, 2] - m[..., 2, 0]
    wz = m[..., 1, 0] - m[..., 0, 1]
    xy = m[..., 0, 1] + m[..., 1, 0]
    yz = m[..., 1, 2] + m[..., 2, 1]
    xz = m[..., 0, 2] + m[..., 2, 0]
    rows = [
        (1 + trace, wx, wy, wz),
        (wx, 1 - trace + 2 * m[..., 0, 0], xy, xz),
        (wy, xy, 1 - trace + 2 * m[..., 1, 1], yz),
        (wz, xz, yz, 1 - trace + 2 * m[..., 2, 2]),
    ]
    choices = np.stack([np.stack(row, axis=-1) for row in rows], axis=-2)
    q = np.take_along_axis(choices, largest[..., None, None], axis=-2)[..., 0, :]
    q = q / np.linalg.norm(q, axis=-1, keepdims=True)
    result: Array = np.where(q[..., :1] < 0, -q, q)
    return result


def carried(frame: npt.NDArray[np.floating[Any]], points: npt.ArrayLike) -> Array:
    """Where points (…, 3) of a frame (4, 4) stand outside it."""
    found: Array = np.asarray(points) @ frame[:3, :3].T + frame[:3, 3]
    return found


def unit_columns(m: npt.ArrayLike) -> Array:
    """(3, 3) the axes of a (4, 4) matrix, each of length one."""
    axes = np.asarray(m, dtype=float)[:3, :3]
    result: Array = axes / np.linalg.norm(axes, axis=0)
    return result


def frame_of(m: npt.ArrayLike) -> Frame:
    """The frame of a (4, 4) matrix; a mirrored one gets a negative x scale.

    Shear can't be held by a frame and is lost; `holds` tells beforehand. Raises GremioError for
    what is no place.
    """
    return frames_of(np.asarray(m, dtype=float)[None])[0]


def frames_of(m: npt.ArrayLike) -> list[Frame]:
    """The frames of (N, 4, 4) matrices, each as `frame_of` has it. Raises GremioError for what is
    no place."""
    full = np.asarray(m, dtype=float)
    if len(full) == 0:
        return []
    if not np.isfinite(full).all():
        raise GremioError("A place can't be held: one of its numbers is none. Give plain numbers.")
    columns = full[:, :3, :3]
    scales = np.linalg.norm(columns, axis=1)
    scales = np.where(scales < 1e-12, 1.0, scales)
    scales[np.linalg.det(columns) < 0, 0] *= -1.0
    u, _, vt = np.linalg.svd(columns / scales[:, None, :])
    upright = np.ones((len(full), 1, 3))
    upright[:, 0, 2] = np.linalg.det(u @ vt)
    turns = quaternions((u * upright) @ vt)
    scales[np.abs(scales - 1.0).max(axis=1) <= 1e-12] = 1.0
    return [
        tidy_frame(at, turn, scale)
        for at, turn, scale in zip(full[:, :3, 3], turns, scales, strict=True)
    ]


def holds(m: npt.ArrayLike) -> bool:
    """Whether a frame can hold the (4, 4) matrix exactly (it has no shear)."""
    return bool(all_held(np.asarray(m, dtype=float)[None])[0])


def all_held(m: Array) -> Flags:
    """(N,) whether a frame can hold each of (N, 4, 4) matrices exactly."""
    if len(m) == 0:
        return np.zeros(0, dtype=bool)
    sizes = np.maximum(1.0, np.abs(m).max(axis=(1, 2)))
    # As near as np.allclose asks.
    near = 1e-9 * sizes[:, None, None] + 1e-5 * np.abs(m)
    held: Flags = (np.abs(matrices(frames_of(m)) - m) <= near).all(axis=(1, 2))
    return held


def turn_of_angles(angles: Triple) -> Quaternion:
    """Quaternion of turns (rad) about the fixed x, then y, then z axis."""
    (cx, sx), (cy, sy), (cz, sz) = ((math.cos(a / 2), math.sin(a / 2)) for a in angles)
    return (
        cz * cy * cx + sz * sy * sx,
        cz * cy * sx - sz * sy * cx,
        cz * sy * cx + sz * cy * sx,
        sz * cy * cx - cz * sy * sx,
    )


def angles_of_turn(turn: Quaternion) -> Triple:
    """Turns (rad) about the fixed x, then y, then z axis that give the quaternion."""
    m = turn_matrix(turn)
    level = math.hypot(float(m[0, 0]), float(m[1, 0]))
    y = math.atan2(-m[2, 0], level)
    if level < 1e-9:
        return triple((math.atan2(-m[1, 2], m[1, 1]), y, 0.0))
    return triple((math.atan2(m[2, 1], m[2, 2]), y, math.atan2(m[1, 0], m[0, 0])))


def between(one: Frame, two: Frame, share: float) -> Frame:
    """A frame on the way from one to another: straight, and turned the shorter way at an even pace
    (Shoemake, "Animating rotation with quaternion curves", SIGGRAPH 1985). share: 0 at the first,
    1 at the second."""
    ends = [np.array(frame.turn) / np.linalg.norm(frame.turn) for frame in (one, two)]
    cosine = float(ends[0] @ ends[1])
    if cosine < 0.0:
        ends[1], cosine = -ends[1], -cosine
    angle = math.acos(min(cosine, 1.0))
    if angle < 1e-9:
        turn = ends[0] + share * (ends[1] - ends[0])
    else:
        weights = math.sin((1 - share) * angle), math.sin(share * angle)
        turn = (weights[0] * ends[0] + weights[1] * ends[1]) / math.sin(angle)
    places = [np.array(part) for part in (one.at, two.at, one.scale, two.scale)]
    at = places[0] + share * (places[1] - places[0])
    return tidy_frame(at, turn, places[2] + share * (places[3] - places[2]))
