"""The nearest place on triangles, by looking at all that may be near."""

from __future__ import annotations

import numpy as np

from gremio.core.arrays import Array, Rows
from gremio.core.shape.surfaces import Surface


def nearest(surface: Surface, points: Array) -> tuple[Array, Rows]:
    """(Q, 3) nearest places, and (Q,) on which triangle, by looking at the box round every
    triangle; closely only at those whose box is as near as the triangle of the nearest box."""
    low, high = surface.corners.min(axis=1), surface.corners.max(axis=1)
    p = points[:, None]
    gap = np.maximum(np.maximum(low - p, p - high), 0.0)
    box = np.einsum("qti,qti->qt", gap, gap)
    each = np.arange(len(points))
    _, reach = _on_triangles(surface.corners[np.argmin(box, axis=1)], points)
    point, triangle = np.nonzero(box <= reach[:, None] * (1 + 1e-9) + 1e-30)
    places, apart = _on_triangles(surface.corners[triangle], points[point])
    # Pairs come point by point, each with one triangle at least: the nearest of each.
    order = np.lexsort((apart, point))
    first = order[np.searchsorted(point[order], each)]
    return places[first], triangle[first]


def _on_triangles(corners: Array, points: Array) -> tuple[Array, Array]:
    """(K, 3) the place on each triangle (K, 3, 3) nearest to each point (K, 3), and (K,) the
    square of its distance."""
    a, b, c = np.moveaxis(corners, 1, 0)
    best = _on_faces(points, a, b, c)
    apart = ((best - points) ** 2).sum(axis=1)
    for one, two in ((a, b), (b, c), (c, a)):
        along = two - one
        share = ((points - one) * along).sum(axis=1) / (along * along).sum(axis=1)
        place = one + np.clip(share, 0.0, 1.0)[:, None] * along
        off = ((place - points) ** 2).sum(axis=1)
        nearer = off < apart
        best, apart = np.where(nearer[:, None], place, best), np.where(nearer, off, apart)
    return best, apart


def _on_faces(p: Array, a: Array, b: Array, c: Array) -> Array:
    """(K, 3) feet of the perpendiculars on triangles; far away where they are outside."""
    normal = np.cross(b - a, c - a)
    square = (normal * normal).sum(axis=1)
    foot = p - (((p - a) * normal).sum(axis=1) / square)[:, None] * normal
    inside = np.ones(len(foot), dtype=bool)
    for one, two in ((a, b), (b, c), (c, a)):
        inside &= (np.cross(two - one, foot - one) * normal).sum(axis=1) >= 0
    result: Array = np.where(inside[:, None], foot, 1e150)
    return result
