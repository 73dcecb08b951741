"""Meshes by compiled loops: welding, normals, edges."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array, Flags
from gremio.core.kernels.library import Kernel, address, check_rows, had_room

Indices = npt.NDArray[np.int64]

_WELD = Kernel("gremio_weld", "wppdpp")
_FACES = Kernel("gremio_face_normals", "wppp")
_CORNERS = Kernel("gremio_corner_normals", "wpwppdp")
_EDGES = Kernel("gremio_edges", "wpwpddppp")


def weld(points: Array, low: Array, grain: float) -> tuple[Indices, Indices]:
    """Points (V, 3) that lie in one cell of a grid from low (3,) are one: (V,) the place of each
    among those kept, and (K,) which those are. Raises ValueError where one is no plain number."""
    points = np.ascontiguousarray(points, dtype=np.float64)
    if not np.isfinite(points).all() or not (np.ptp(points, axis=0) <= grain * 2.0**52).all():
        raise ValueError("only plain numbers are welded")
    index, first = (np.empty(len(points), dtype=np.int64) for _ in range(2))
    low = np.ascontiguousarray(low, dtype=np.float64)
    told = address(points), address(low), grain, address(index), address(first)
    kept = had_room(_WELD.beside(len(points), *told))
    return index, first[:kept].copy()


def face_normals(points: Array, triangles: Indices) -> Array:
    """(T, 3) unit normals of triangles (T, 3) over points (V, 3); zero where there is no area."""
    points, triangles = _checked(points, triangles)
    normals = np.empty((len(triangles), 3))
    if len(triangles):
        told = [address(array) for array in (triangles, points, normals)]
        _FACES.beside(len(triangles), *told)
    return normals


def corner_normals(points: Array, triangles: Indices, faces: Array, near: float) -> Array:
    """(T, 3, 3) normals at each corner, smooth over edges whose faces' normals (T, 3) have a cosine
    above `near`. Each face counts by its angle (Thürmer and Wüthrich, "Computing vertex normals
    from polygonal facets", Journal of Graphics Tools 3, 1998)."""
    points, triangles = _checked(points, triangles)
    faces = _of_faces(triangles, faces)
    normals = np.empty((len(triangles), 3, 3))
    if len(triangles):
        one, two, three, four = (address(a) for a in (triangles, points, faces, normals))
        had_room(
            _CORNERS.beside(len(triangles), one, len(points), two, three, near, four),
        )
    return normals


def edges(
    points: int, triangles: Indices, faces: Array, sharp: float, flat: float
) -> tuple[Indices, Array, Flags]:
    """The edges of triangles (T, 3) over so many points that are borders or sharp, with a cosine
    between their faces' normals (T, 3) below `sharp`, or may be an outline, below `flat`: (E, 2)
    their ends, (E, 2, 3) the normals beside them, and (E,) whether they are always drawn."""
    triangles = np.ascontiguousarray(triangles, dtype=np.int64)
    check_rows(triangles, 0, points, "triangles")
    faces = _of_faces(triangles, faces)
    most = 3 * len(triangles)
    # What is not filled of these takes no memory.
    ends, normals = np.empty((most, 2), dtype=np.int64), np.empty((most, 2, 3))
    always = np.empty(most, dtype=bool)
    made = 0
    if most:
        one, two, *rest = (address(a) for a in (triangles, faces, ends, normals, always))
        made = had_room(
            _EDGES.beside(len(triangles), one, points, two, sharp, flat, *rest),
        )
    return ends[:made].copy(), normals[:made].copy(), always[:made].copy()


def _checked(points: Array, triangles: Indices) -> tuple[Array, Indices]:
    points = np.ascontiguousarray(points, dtype=np.float64).reshape(-1, 3)
    triangles = np.ascontiguousarray(triangles, dtype=np.int64).reshape(-1, 3)
    check_rows(triangles, 0, len(points), "triangles")
    return points, triangles


def _of_faces(triangles: Indices, faces: Array) -> Array:
    faces = np.ascontiguousarray(faces, dtype=np.float64)
    if faces.shape != (len(triangles), 3):
        raise ValueError("there is one normal for each triangle")
    return faces
