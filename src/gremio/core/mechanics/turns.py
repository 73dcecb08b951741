"""Turns as matrices: many at a time, with any leading axes (..., 3, 3).

Angles are those of a joint: about z first, then y, then x of what is turned,
R = Rz(z) · Ry(y) · Rx(x) (roll, pitch and yaw of ISO 8855).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array, crossed, size_of

# So many rounds at most where several angles are sought one after the other.
_ROUNDS = 80
_STILL = 1e-14
_NONE = np.eye(3)
_NONE.flags.writeable = False


def about(axis: int, angle: npt.ArrayLike) -> Array:
    """(..., 3, 3) turns by angles (...) (rad) about x (0), y (1) or z (2)."""
    q = np.asarray(angle, dtype=float)
    cos, sin = np.cos(q), np.sin(q)
    made = np.zeros((*q.shape, 3, 3))
    a, b = (axis + 1) % 3, (axis + 2) % 3
    made[..., axis, axis] = 1.0
    made[..., a, a] = made[..., b, b] = cos
    made[..., a, b], made[..., b, a] = -sin, sin
    return made


def of_angles(angles: Array) -> Array:
    """(..., 3, 3) turns of angles (..., 3) about x, y and z (rad)."""
    cos, sin = np.cos(angles), np.sin(angles)
    cx, cy, cz = cos[..., 0], cos[..., 1], cos[..., 2]
    sx, sy, sz = sin[..., 0], sin[..., 1], sin[..., 2]
    made = np.empty((*angles.shape, 3))
    made[..., 0, 0], made[..., 1, 0], made[..., 2, 0] = cz * cy, sz * cy, -sy
    leaning = cz * sy, sz * sy
    made[..., 0, 1] = leaning[0] * sx - sz * cx
    made[..., 1, 1] = leaning[1] * sx + cz * cx
    made[..., 2, 1] = cy * sx
    made[..., 0, 2] = leaning[0] * cx + sz * sx
    made[..., 1, 2] = leaning[1] * cx - cz * sx
    made[..., 2, 2] = cy * cx
    return made


def angles_of(turns: Array) -> Array:
    """(..., 3) angles about x, y and z (rad) of turns; y within a quarter turn. Where y is a
    quarter turn, x and z turn about one line, and z is taken as nothing."""
    level = np.hypot(turns[..., 0, 0], turns[..., 1, 0])
    y = np.arctan2(-turns[..., 2, 0], level)
    usual = level > 1e-9
    x = np.where(
        usual,
        np.arctan2(turns[..., 2, 1], turns[..., 2, 2]),
        np.arctan2(-turns[..., 1, 2], turns[..., 1, 1]),
    )
    z = np.where(usual, np.arctan2(turns[..., 1, 0], turns[..., 0, 0]), 0.0)
    return np.stack([x, y, z], axis=-1)


def unit(vectors: Array) -> Array:
    """Vectors (..., 3) of length one; nothing where they have no length."""
    size = size_of(vectors)
    result: Array = vectors / np.where(size > 1e-300, size, 1.0)[..., None]
    return result


def turn_of(frames: Array) -> Array:
    """(..., 3, 3) the turn of frames (..., 3 or 4, 4), without their scale."""
    axes = frames[..., :3, :3]
    size = np.sqrt(np.einsum("...ij,...ij->...j", axes, axes))
    result: Array = axes / np.where(size > 1e-300, size, 1.0)[..., None, :]
    return result


def least(one: Array, two: Array) -> Array:
    """(..., 3, 3) the least turns that take unit vectors `one` to `two`, (..., 3) each; where
    they are opposite, half a turn about a line across them."""
    axis = crossed(one, two)
    cos = (one * two).sum(axis=-1)
    opposite = cos < -1 + 1e-12
    # R = I + [v]× + [v]×² / (1 + cos), from Rodrigues' formula.
    v = skew(axis)
    made: Array = _NONE + v + v @ v / np.where(opposite, 1.0, 1.0 + cos)[..., None, None]
    if not opposite.any():
        return made
    helper = _NONE[np.argmin(np.abs(one), axis=-1)]
    across = unit(crossed(one, helper))
    half = 2 * across[..., :, None] * across[..., None, :] - _NONE
    result: Array = np.where(opposite[..., None, None], half, made)
    return result


def skew(vectors: Array) -> Array:
    """(..., 3, 3) matrices that take the cross product with vectors (..., 3)."""
    made = np.zeros((*vectors.shape, 3))
    x, y, z = vectors[..., 0], vectors[..., 1], vectors[..., 2]
    made[..., 0, 1], made[..., 0, 2] = -z, y
    made[..., 1, 0], made[..., 1, 2] = z, -x
    made[..., 2, 0], made[..., 2, 1] = -y, x
    return made


def share(turns: Array, shares: Array) -> Array:
    """(..., 3, 3) shares (...) of turns, about the same lines: none at 0, all at 1."""
    sine = np.stack(
        [
            turns[..., 2, 1] - turns[..., 1, 2],
            turns[..., 0, 2] - turns[..., 2, 0],
            turns[..., 1, 0] - turns[..., 0, 1],
        ],
        axis=-1,
    )
    size = size_of(sine)
    cosine = np.trace(turns, axis1=-2, axis2=-1) - 1
    angle = np.arctan2(size, cosine)
    # Near half a turn the line is read off the symmetric part, R + Rᵀ = 2 (1 − cos) u uᵀ + …
    square = (turns + np.swapaxes(turns, -1, -2)) / 2 + _NONE
    widest = np.argmax(np.diagonal(square, axis1=-2, axis2=-1), axis=-1)
    far = unit(np.take_along_axis(square, widest[..., None, None], axis=-1)[..., 0])
    sign = np.where((far * sine).sum(axis=-1, keepdims=True) < 0, -1.0, 1.0)
    axis = np.where((size < 1e-6)[..., None] & (cosine < 0)[..., None], far * sign, unit(sine))
    k = skew(axis)
    q = (angle * shares)[..., None, None]
    result: Array = _NONE + np.sin(q) * k + (1 - np.cos(q)) * (k @ k)
    return result


def mean(turns: Array, weights: Array) -> Array:
    """(..., 3, 3) the mean of turns (..., m, 3, 3) with weights (..., m): the turn nearest to
    their weighted sum.

    Moakher, "Means and averaging in the group of rotations", SIAM J. Matrix Analysis and
    Applications 24 (2002): the Euclidean mean, by its polar part.
    """
    total = (turns * weights[..., None, None]).sum(axis=-3)
    u, _, vt = np.linalg.svd(total)
    flip = np.ones(u.shape[:-1])
    flip[..., 2] = np.sign(np.linalg.det(u @ vt))
    result: Array = u @ (flip[..., None] * vt)
    return result


def nearest_angles(profile: Array, angles: Array, sought: Sequence[int]) -> Array:
    """(..., 3) angles about x, y and z, of which some (0, 1, 2) are sought, so that the turn R
    lies as near to a profile B (..., 3, 3) as they can bring it: the trace of Rᵀ·B is greatest.

    With B a turn, R is as near to it as can be; with B = t·aᵀ it points a toward t (Wahba, "A
    least squares estimate of satellite attitude", SIAM Review 7, 1965). angles: the others as
    they stand. One angle is found at once; several one after the other, until they rest.
    """
    found = angles.copy()
    found[..., list(sought)] = 0.0
    for _ in range(_ROUNDS if len(sought) > 1 else 1):
        before = found.copy()
        # Outermost first: a pan before a tilt.
        for axis in sorted(sought, reverse=True):
            found[..., axis] = _one_angle(profile, found, axis)
        if float(np.abs(found - before).max(initial=0.0)) < _STILL:
            break
    return found


def _one_angle(profile: Array, angles: Array, axis: int) -> Array:
    """(...) the angle about one axis that brings the turn nearest to a profile, the other
    angles as they are."""
    # trace((O Rq I)ᵀ B) = trace(Rqᵀ (Oᵀ B Iᵀ)): the outer ones undone, outermost first, and so the
    # inner ones, innermost first.
    seen = profile
    for other in range(2, axis, -1):
        seen = about(other, -angles[..., other]) @ seen
    for other in range(axis):
        seen = seen @ about(other, -angles[..., other])
    a, b = (axis + 1) % 3, (axis + 2) % 3
    sine = seen[..., b, a] - seen[..., a, b]
    cosine = seen[..., a, a] + seen[..., b, b]
    # Where every angle will do, it stays at nothing.
    found: Array = np.where(np.hypot(sine, cosine) < 1e-12, 0.0, np.arctan2(sine, cosine))
    return found
