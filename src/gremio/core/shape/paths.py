"""Paths: places along a line through points, by the way gone."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from gremio.core.rig.model import Path

Array = npt.NDArray[np.float64]


def _corners(path: Path) -> Array:
    points = np.asarray(path.points, dtype=float).reshape(-1, 3)
    return np.concatenate([points, points[:1]]) if path.closed and len(points) else points


def length(path: Path) -> float:
    """How long a path is (m)."""
    return float(np.linalg.norm(np.diff(_corners(path), axis=0), axis=1).sum())


def along(path: Path, ways: npt.ArrayLike) -> Array:
    """(n, 4, 4) frames at ways (n,) gone along a path (m), x forward and z as upright as it
    can be. A closed path goes round; an open one is carried straight on at its ends."""
    gone = np.asarray(ways, dtype=float)
    corners = _corners(path)
    if len(corners) < 2:
        return np.repeat(np.eye(4)[None], len(gone), axis=0)
    sides = np.diff(corners, axis=0)
    sizes = np.linalg.norm(sides, axis=1)
    starts = np.concatenate([[0.0], np.cumsum(sizes)])
    if path.closed:
        gone = np.mod(gone, starts[-1])
    side = np.clip(np.searchsorted(starts, gone, side="right") - 1, 0, len(sides) - 1)
    forward = sides[side] / np.where(sizes[side] > 0, sizes[side], 1.0)[:, None]
    frames = np.repeat(np.eye(4)[None], len(gone), axis=0)
    frames[:, :3, 0] = forward
    left = np.cross([0.0, 0.0, 1.0], forward)
    steep = np.linalg.norm(left, axis=1) < 1e-9
    left[steep] = [0.0, 1.0, 0.0]
    left /= np.linalg.norm(left, axis=1, keepdims=True)
    frames[:, :3, 1] = left
    frames[:, :3, 2] = np.cross(forward, left)
    frames[:, :3, 3] = corners[side] + forward * (gone - starts[side])[:, None]
    return frames


def way_to(path: Path, points: Array) -> Array:
    """(n,) way gone along a path (m) to the place nearest to each of some points (n, 3)."""
    corners = _corners(path)
    sides = np.diff(corners, axis=0)
    sizes = np.linalg.norm(sides, axis=1)
    starts = np.concatenate([[0.0], np.cumsum(sizes)])[:-1]
    safe = np.where(sizes > 0, sizes, 1.0)
    offset = points[:, None, :] - corners[None, :-1, :]
    share = np.clip((offset * sides).sum(axis=2) / safe**2, 0.0, 1.0)
    away = np.linalg.norm(offset - share[..., None] * sides, axis=2)
    nearest = np.argmin(away, axis=1)
    each = np.arange(len(points))
    result: Array = starts[nearest] + share[each, nearest] * sizes[nearest]
    return result
