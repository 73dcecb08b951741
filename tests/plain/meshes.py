"""Welding, normals and edges by arrays."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array, Flags
from gremio.core.shape.geometry import _FLAT, _SHARP, _SMOOTH, Edges, Geometry, Indices


def face_normals(geometry: Geometry) -> Array:
    """(T, 3) unit normals; zero for a triangle without area."""
    a, b, c = (geometry.vertices[geometry.triangles[:, i]] for i in range(3))
    cross = np.cross(b - a, c - a)
    length = np.linalg.norm(cross, axis=1, keepdims=True)
    normals: Array = cross / np.where(length > 0, length, 1.0)
    return normals


def corner_normals(geometry: Geometry) -> Array:
    """(T, 3, 3) normal at each corner of each triangle, smooth over shallow edges."""
    corners = geometry.triangles.ravel()
    # Corners that share a vertex and lie in one plane are alike: one of a kind will do.
    level = np.round(face_normals(geometry) * 1000).astype(np.int64) + 1000
    plane = (level[:, 0] * 2001 + level[:, 1]) * 2001 + level[:, 2]
    _, first, kind = np.unique(
        corners * 2001**3 + np.repeat(plane, 3), return_index=True, return_inverse=True
    )
    normal = face_normals(geometry)[first // 3]
    weighted = normal * np.bincount(kind, corner_angles(geometry).ravel())[:, None]
    mine, other = _pairs_within(corners[first])
    near = np.einsum("ij,ij->i", normal[mine], normal[other]) > _SMOOTH
    mine, other = mine[near], other[near]
    total = np.stack(
        [np.bincount(mine, weighted[other, i], minlength=len(first)) for i in range(3)], axis=1
    )
    length = np.linalg.norm(total, axis=1, keepdims=True)
    smooth = np.where(length > 0, total / np.where(length > 0, length, 1.0), normal)
    return smooth[kind].reshape(-1, 3, 3)


def corner_angles(geometry: Geometry) -> Array:
    """(T, 3) the angle at each corner (rad): by it a face counts, in however many triangles it
    was cut (Thürmer and Wüthrich, "Computing vertex normals from polygonal facets", Journal of
    Graphics Tools 3, 1998)."""
    corners = geometry.vertices[geometry.triangles]
    ahead, back = np.roll(corners, -1, axis=1) - corners, np.roll(corners, 1, axis=1) - corners
    across = np.linalg.norm(np.cross(ahead, back), axis=2)
    angles: Array = np.arctan2(across, (ahead * back).sum(axis=2))
    return angles


def edges(geometry: Geometry) -> Edges:
    """The edges worth drawing: sharp ones, borders, and those that may be an outline."""
    t = geometry.triangles
    pairs = np.sort(np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]]), axis=1)
    faces = np.tile(np.arange(len(t)), 3)
    size = max(len(geometry.vertices), 1)
    code = pairs[:, 0] * size + pairs[:, 1]
    order = np.argsort(code, kind="stable")
    code, faces = code[order], faces[order]
    starts = np.flatnonzero(np.diff(code, prepend=-1))
    counts = np.diff(np.concatenate([starts, [len(code)]]))
    normals = face_normals(geometry)
    one = normals[faces[starts]]
    two = normals[faces[np.minimum(starts + 1, len(faces) - 1)]] if len(code) else one
    two = np.where((counts == 2)[:, None], two, one)
    cosine = np.einsum("ij,ij->i", one, two)
    sharp = (counts != 2) | (cosine < _SHARP)
    kept = sharp | (cosine < _FLAT)
    ends = np.stack([code[starts] // size, code[starts] % size], axis=1)
    return Edges(ends[kept], np.stack([one, two], axis=1)[kept], sharp[kept])


def _pairs_within(groups: Indices) -> tuple[Indices, Indices]:
    """Every ordered pair of places at which a rising array (N,) has the same value."""
    counts = np.bincount(groups)
    degree = counts[groups]
    starts = np.cumsum(counts) - counts
    mine = np.repeat(np.arange(len(groups)), degree)
    step = np.arange(len(mine)) - np.repeat(np.cumsum(degree) - degree, degree)
    return mine, np.repeat(starts[groups], degree) + step


def welded_kept(vertices: npt.ArrayLike, triangles: npt.ArrayLike) -> tuple[Geometry, Flags]:
    """The same, and which of the (T, 3) triangles are in it."""
    points = np.asarray(vertices, dtype=float).reshape(-1, 3)
    faces = np.asarray(triangles, dtype=np.int64).reshape(-1, 3)
    if len(points) == 0:
        return Geometry(points, faces), np.ones(len(faces), dtype=bool)
    grain = max(float(np.ptp(points, axis=0).max()) * 1e-7, 1e-12)
    cells = np.round((points - points.min(axis=0)) / grain).astype(np.int64)
    order = np.lexsort(cells.T)
    new = np.concatenate([[True], np.any(np.diff(cells[order], axis=0) != 0, axis=1)])
    index = np.empty(len(points), dtype=np.int64)
    index[order] = np.cumsum(new) - 1
    faces = index[faces]
    a, b, c = faces.T
    whole = (a != b) & (b != c) & (c != a)
    return Geometry(points[order][new], faces[whole]), whole
