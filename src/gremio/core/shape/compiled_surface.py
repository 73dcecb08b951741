"""The nearest place on many triangles, by boxes in boxes, in a compiled loop."""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np

from gremio.core.arrays import Array, Rows

# So many triangles lie together in the smallest boxes.
_LEAF = 6
_DEEP = 96


class Tree(NamedTuple):
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


def tree_of(corners: Array) -> Tree:
    """The tree of triangles with corners (T, 3, 3)."""
    order = np.arange(len(corners))
    boxes = np.empty((2 * len(corners) + 1, 6))
    first, count = (np.zeros(len(boxes), dtype=np.intp) for _ in range(2))
    low, high, middle = corners.min(axis=1), corners.max(axis=1), corners.mean(axis=1)
    made = _split(low, high, middle, order, boxes, first, count)
    flat = np.ascontiguousarray(corners.reshape(-1, 9)[order])
    return Tree(flat, order, boxes[:made].copy(), first[:made].copy(), count[:made].copy())


def nearest(tree: Tree, points: Array) -> tuple[Array, Rows]:
    """(Q, 3) the place nearest to each of some points (Q, 3), and (Q,) on which triangle."""
    places = np.empty((len(points), 3))
    found = np.empty(len(points), dtype=np.intp)
    _search(tree, np.ascontiguousarray(points), places, found)
    return places, tree.which[found]


@numba.njit(cache=True)
def _split(
    low: Array, high: Array, middle: Array, order: Rows, boxes: Array, first: Rows, count: Rows
) -> int:
    """Put triangles in boxes, each split in the middle of its longest side. Returns how many
    boxes there are; sorts `order` so that a leaf's triangles lie together."""
    starts, ends = np.zeros(len(boxes), dtype=np.intp), np.zeros(len(boxes), dtype=np.intp)
    ends[0] = len(order)
    made, here = 1, 0
    while here < made:
        start, end = starts[here], ends[here]
        for k in range(3):
            boxes[here, k], boxes[here, 3 + k] = np.inf, -np.inf
        spread_low, spread_high = np.full(3, np.inf), np.full(3, -np.inf)
        for i in range(start, end):
            t = order[i]
            for k in range(3):
                boxes[here, k] = min(boxes[here, k], low[t, k])
                boxes[here, 3 + k] = max(boxes[here, 3 + k], high[t, k])
                spread_low[k] = min(spread_low[k], middle[t, k])
                spread_high[k] = max(spread_high[k], middle[t, k])
        if end - start <= _LEAF:
            first[here], count[here] = start, end - start
        else:
            axis = int(np.argmax(spread_high - spread_low))
            those = order[start:end].copy()
            order[start:end] = those[np.argsort(middle[those, axis])]
            half = (start + end) // 2
            first[here] = made
            starts[made], ends[made] = start, half
            starts[made + 1], ends[made + 1] = half, end
            made += 2
        here += 1
    return made


@numba.njit(cache=True, inline="always")
def _away(box: Array, x: float, y: float, z: float) -> float:
    """The square of the distance of a point from a box (6,)."""
    a = max(box[0] - x, 0.0, x - box[3])
    b = max(box[1] - y, 0.0, y - box[4])
    c = max(box[2] - z, 0.0, z - box[5])
    square: float = a * a + b * b + c * c
    return square


@numba.njit(cache=True)
def _search(tree: Tree, points: Array, places: Array, found: Rows) -> None:
    waiting = np.empty(_DEEP, dtype=np.intp)
    place = np.empty(3)
    for q in range(len(points)):
        x, y, z = points[q]
        best = np.inf
        waiting[0] = 0
        depth = 1
        while depth:
            depth -= 1
            box = waiting[depth]
            if _away(tree.boxes[box], x, y, z) >= best:
                continue
            start = tree.first[box]
            if tree.counts[box]:
                for t in range(start, start + tree.counts[box]):
                    away = _on_triangle(tree.corners[t], points[q], place)
                    if away < best:
                        best = away
                        found[q] = t
                        places[q] = place
                continue
            one, two = _away(tree.boxes[start], x, y, z), _away(tree.boxes[start + 1], x, y, z)
            # The nearer box is looked into first.
            waiting[depth] = start + 1 if one <= two else start
            waiting[depth + 1] = start if one <= two else start + 1
            depth += 2


@numba.njit(cache=True)
def _on_triangle(t: Array, p: Array, place: Array) -> float:
    """The place (3,) on a triangle (9,) nearest to a point, and the square of its distance.

    By the regions of the plane about a triangle: Ericson, "Real-Time Collision Detection"
    (2005), 5.1.5.
    """
    abx, aby, abz = t[3] - t[0], t[4] - t[1], t[5] - t[2]
    acx, acy, acz = t[6] - t[0], t[7] - t[1], t[8] - t[2]
    apx, apy, apz = p[0] - t[0], p[1] - t[1], p[2] - t[2]
    d1 = abx * apx + aby * apy + abz * apz
    d2 = acx * apx + acy * apy + acz * apz
    bpx, bpy, bpz = p[0] - t[3], p[1] - t[4], p[2] - t[5]
    d3 = abx * bpx + aby * bpy + abz * bpz
    d4 = acx * bpx + acy * bpy + acz * bpz
    cpx, cpy, cpz = p[0] - t[6], p[1] - t[7], p[2] - t[8]
    d5 = abx * cpx + aby * cpy + abz * cpz
    d6 = acx * cpx + acy * cpy + acz * cpz
    vc, vb, va = d1 * d4 - d3 * d2, d5 * d2 - d1 * d6, d3 * d6 - d5 * d4
    # v and w: how far along the two edges from the first corner.
    v, w = 0.0, 0.0
    if d1 <= 0 and d2 <= 0:
        pass
    elif d3 >= 0 and d4 <= d3:
        v = 1.0
    elif d6 >= 0 and d5 <= d6:
        w = 1.0
    elif vc <= 0 and d1 >= 0 and d3 <= 0:
        v = d1 / (d1 - d3)
    elif vb <= 0 and d2 >= 0 and d6 <= 0:
        w = d2 / (d2 - d6)
    elif va <= 0 and d4 - d3 >= 0 and d5 - d6 >= 0:
        w = (d4 - d3) / ((d4 - d3) + (d5 - d6))
        v = 1.0 - w
    else:
        whole = va + vb + vc
        v, w = vb / whole, vc / whole
    place[0] = t[0] + v * abx + w * acx
    place[1] = t[1] + v * aby + w * acy
    place[2] = t[2] + v * abz + w * acz
    x, y, z = place[0] - p[0], place[1] - p[1], place[2] - p[2]
    square: float = x * x + y * y + z * z
    return square
