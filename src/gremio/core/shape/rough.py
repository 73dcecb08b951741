"""Surfaces of fewer triangles, for what is looked at from afar while it moves."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array
from gremio.core.kernels.library import Kernel, address, check_rows, had_room
from gremio.core.shape.meshes import Small

_ROUGH = Kernel("gremio_rough", "wpwppdpp")
# How many cells make the longest side of what a surface fills, the finest first.
_CELLS = 48, 16, 6, 3
# A surface has about so many triangles a cell of a side's square; fewer are not made of it.
_A_CELL = 8
# Of so many times the triangles that are left it is worth it.
_FEWER = 2


class Rough(NamedTuple):
    """A surface of fewer triangles. corners: (C, 3) over the same vertices. side: how far at most,
    along each axis, a corner is from where it was (m)."""

    corners: Small
    side: float


def roughened(
    vertices: npt.NDArray[np.float32], corners: Small, bounds: Array
) -> tuple[Rough, ...]:
    """Surfaces of fewer and fewer triangles than one of corners (T, 3) over vertices (K, 6), places
    and normals, that fills a box (2, 3). Raises ValueError for corners that are not there."""
    made: list[Rough] = []
    for cells in _CELLS:
        least = len(made[-1].corners) if made else len(corners)
        if least < _A_CELL * cells**2:
            continue
        one = rougher(vertices, corners, bounds, cells)
        if one is not None and _FEWER * len(one.corners) <= least:
            made.append(one)
    return tuple(made)


def rougher(
    vertices: npt.NDArray[np.float32], corners: Small, bounds: Array, cells: int
) -> Rough | None:
    """A surface whose vertices in one cell of a grid are one. cells: of the longest side of the box
    (2, 3) that it fills; None where that has no size. Raises ValueError for corners that are not
    there."""
    check_rows(corners, 0, len(vertices), "corners")
    side = float(np.max(bounds[1] - bounds[0])) / cells
    if not (np.isfinite(bounds).all() and 0.0 < side < np.inf):
        return None
    vertices = np.ascontiguousarray(vertices, dtype=np.float32).reshape(-1, 6)
    corners = np.ascontiguousarray(corners, dtype=np.uint32).reshape(-1, 3)
    low = np.ascontiguousarray(bounds[0], dtype=np.float64)
    counts = np.clip((bounds[1] - bounds[0]) / side, 0, cells).astype(np.int64) + 1
    found = np.empty_like(corners)
    at = [address(array) for array in (vertices, corners, low, counts, found)]
    made = had_room(
        _ROUGH.beside(len(vertices), at[0], len(corners), at[1], at[2], side, at[3], at[4])
    )
    return Rough(found[:made].copy(), side)
