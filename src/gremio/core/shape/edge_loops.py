"""The loop of edges round a face, from one of its edges."""

from __future__ import annotations

import numpy as np

from gremio.core.arrays import Array
from gremio.core.shape.geometry import Geometry

_SAME = 1e-3


def edge_loop(geometry: Geometry, near: Array, toward: Array) -> tuple[Array, bool]:
    """(n, 3) corners along the sharp edges that bound a face, and whether they come back to the
    first; (0, 3) where the surface has no sharp edge.

    near: (3,) a place on one of its edges. toward: (3,) of the two faces beside that edge, the
    one that looks this way more is meant.
    """
    edges = geometry.edges
    ends, normals = edges.ends[edges.sharp], edges.normals[edges.sharp]
    if len(ends) == 0:
        return np.zeros((0, 3)), False
    first = _nearest(geometry.vertices[ends], near)
    face = normals[first][int(np.argmax(normals[first] @ toward))]
    bounds = (np.abs(normals - face).max(axis=2) < _SAME).any(axis=1)
    beside: dict[int, list[int]] = {}
    for a, b in ends[bounds].tolist():
        beside.setdefault(a, []).append(b)
        beside.setdefault(b, []).append(a)
    start, ahead = (int(v) for v in ends[first])
    way = _walk(beside, start, ahead)
    if way[-1] == start:
        return geometry.vertices[way[:-1]], True
    back = _walk(beside, ahead, start)[2:]
    return geometry.vertices[[*reversed(back), *way]], False


def _nearest(segments: Array, near: Array) -> int:
    """Which of some segments (E, 2, 3) passes nearest to a place."""
    one, along = segments[:, 0], segments[:, 1] - segments[:, 0]
    square = (along * along).sum(axis=1)
    share = ((near - one) * along).sum(axis=1) / np.where(square > 0, square, 1.0)
    foot = one + np.clip(share, 0.0, 1.0)[:, None] * along
    return int(np.argmin(((foot - near) ** 2).sum(axis=1)))


def _walk(beside: dict[int, list[int]], before: int, here: int) -> list[int]:
    """Vertices from one along an edge and on, until the way closes, parts or ends."""
    way = [before, here]
    while len(beside[here]) == 2 and here != way[0]:
        one, two = beside[here]
        before, here = here, two if one == before else one
        way.append(here)
    return way
