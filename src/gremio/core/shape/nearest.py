"""The nearest place on many triangles, by boxes in boxes."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array, Rows
from gremio.core.kernels.library import Kernel, address, had_room

_BOXES = Kernel("gremio_boxes", "wppppp")
_NEAREST = Kernel("gremio_nearest", "pppppwppp")
# From so many points on, other threads may run meanwhile.
_MANY = 500


class Boxes(NamedTuple):
    """Triangles in boxes in boxes. N boxes, the outermost first.

    corners: (T, 9) of each triangle, in the order of the leaves. which: (T,) what triangle that
    was. boxes: (N, 6) low and high corner. first: (N,) of a leaf, its first triangle, else the
    first of its two boxes, which follow one another. counts: (N,) triangles in a leaf, else 0.
    """

    corners: Array
    which: Rows
    boxes: Array
    first: Rows
    counts: Rows


def boxes_of(corners: Array) -> Boxes:
    """Triangles with corners (T, 3, 3) in boxes. Raises ValueError where there are none, or a
    corner is no plain number."""
    corners = np.ascontiguousarray(corners, dtype=np.float64)
    if not len(corners) or not np.isfinite(corners).all():
        raise ValueError("boxes are made of triangles with plain numbers")
    order = np.empty(len(corners), dtype=np.intp)
    boxes = np.empty((2 * len(corners) + 1, 6))
    first, count = (np.zeros(len(boxes), dtype=np.intp) for _ in range(2))
    told = [address(array) for array in (corners, order, boxes, first, count)]
    made = had_room(_BOXES.beside(len(corners), *told))
    flat = np.ascontiguousarray(corners.reshape(-1, 9)[order])
    return Boxes(flat, order, boxes[:made].copy(), first[:made].copy(), count[:made].copy())


def nearest(boxes: Boxes, points: Array) -> tuple[Array, Rows]:
    """(Q, 3) the place nearest to each of some points (Q, 3), and (Q,) on which triangle. Of points
    that are no plain numbers the places are none either. Of triangles that are as near, as on both
    sides of an edge, it is the first."""
    points = np.ascontiguousarray(points, dtype=np.float64).reshape(-1, 3)
    places = np.full((len(points), 3), np.nan)
    found = np.zeros(len(points), dtype=np.intp)
    if len(points):
        run = _NEAREST.beside if len(points) >= _MANY else _NEAREST.alone
        told = [address(a) for a in (boxes.corners, boxes.boxes, boxes.which, *boxes[3:])]
        run(*told, len(points), *(address(array) for array in (points, places, found)))
    return places, boxes.which[found]
