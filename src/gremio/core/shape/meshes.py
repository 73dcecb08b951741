"""Meshes by compiled loops: welding, normals, edges."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array, Flags
from gremio.core.kernels.library import Kernel, address, check_rows, had_room

Indices = npt.NDArray[np.int64]
Small = npt.NDArray[np.uint32]
# The bit of an edge's first end that says that it is always drawn.
ALWAYS = np.uint32(1 << 31)

# More are not told apart by the numbers of edges.
_MOST = 2**31
# What is nearer than this share of all that a surface fills, or than this (m), is at one place.
_GRAIN, _LEAST = 1e-7, 1e-12

_TIDY = Kernel("gremio_tidy", "wppwpddpppp")
_MOMENTS = Kernel("gremio_moments", "wpppp")
_FACES = Kernel("gremio_face_normals", "wppp")
_CORNERS = Kernel("gremio_corner_normals", "wpwppdp")
_SHADED = Kernel("gremio_shaded", "wpwppdppp")
_EDGES = Kernel("gremio_edges", "wpwppddpp")


class Tidied(NamedTuple):
    """What is usable of a surface. points: (V, 3). triangles: (M, 3). kept: (T,) which of all its
    triangles those are. broken: how many had a corner that is no place, or not there."""

    points: Array
    triangles: Indices
    kept: Flags
    broken: int


def tidied(points: Array, triangles: Indices, turn: Array) -> Tidied:
    """A surface of points (V, 3), turned by (3, 3), and triangles (T, 3), made usable: points at
    one place are one, what no triangle has is left out, and so are triangles without area."""
    given = np.ascontiguousarray(points, dtype=np.float64).reshape(-1, 3)
    faces = np.ascontiguousarray(triangles, dtype=np.int64).reshape(-1, 3)
    turn = np.ascontiguousarray(turn, dtype=np.float64).reshape(3, 3)
    found, made = np.empty_like(given), np.empty_like(faces)
    kept, told = np.empty(len(faces), dtype=bool), np.zeros(3, dtype=np.int64)
    at = [address(array) for array in (given, turn, faces, found, made, kept, told)]
    size = len(given), *at[:2], len(faces), at[2], _GRAIN, _LEAST
    had_room(_TIDY.beside(*size, *at[3:]))
    corners, count, broken = told.tolist()
    return Tidied(found[:corners].copy(), made[:count].copy(), kept, broken)


def moments(points: Array, triangles: Indices, middle: Array) -> Array:
    """(7,) the area (m²) of triangles (T, 3) over points (V, 3), and its second moments about a
    middle (3,): xx, yy, zz, xy, yz, zx (m⁴). For flat triangles these are exact, each counting by
    the middles of its sides (the rule of degree two: Strang and Fix, "An Analysis of the Finite
    Element Method", 1973)."""
    points, triangles = _checked(points, triangles)
    told = np.empty(7)
    middle = np.ascontiguousarray(middle, dtype=np.float64).reshape(3)
    at = [address(array) for array in (triangles, points, middle, told)]
    _MOMENTS.beside(len(triangles), *at)
    return told


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


def shaded(
    points: Array, triangles: Indices, faces: Array, near: float
) -> tuple[npt.NDArray[np.float32], Small, Small]:
    """What is drawn of a surface: (K, 6) places and normals, those of `corner_normals`, each once,
    (T, 3) which of them each triangle has, and (V,) which is the first of each point."""
    points, triangles = _checked(points, triangles)
    faces = _of_faces(triangles, faces)
    # What is not filled takes no memory.
    vertices = np.empty((3 * len(triangles), 6), dtype=np.float32)
    corners, of_point = np.empty((len(triangles), 3), np.uint32), np.zeros(len(points), np.uint32)
    made = 0
    if len(triangles):
        one, two, three = (address(a) for a in (triangles, points, faces))
        filled = (address(a) for a in (vertices, corners, of_point))
        made = had_room(
            _SHADED.beside(len(triangles), one, len(points), two, three, near, *filled),
        )
    return vertices[:made].copy(), corners, of_point


def edges(
    points: Array, triangles: Indices, faces: Array, sharp: float, flat: float
) -> tuple[Small, bool]:
    """The edges of triangles (T, 3) over points (V, 3) that are borders or sharp, with a cosine
    between their faces' normals (T, 3) below `sharp`, or may be an outline, below `flat`: (E, 4)
    the points at their ends, of which the first has its highest bit set where the edge is always
    drawn, and the faces beside them, twice the same at a border; and whether the surface is closed,
    all of it outside out."""
    points, triangles = _checked(points, triangles)
    faces = _of_faces(triangles, faces)
    found, closed = np.empty((3 * len(triangles), 4), np.uint32), np.zeros(1, dtype=np.int64)
    made = 0
    if len(triangles):
        one, two, three, *filled = (address(a) for a in (triangles, points, faces, found, closed))
        made = had_room(
            _EDGES.beside(len(triangles), one, len(points), two, three, sharp, flat, *filled),
        )
    return found[:made].copy(), bool(closed[0])


def _checked(points: Array, triangles: Indices) -> tuple[Array, Indices]:
    points = np.ascontiguousarray(points, dtype=np.float64).reshape(-1, 3)
    triangles = np.ascontiguousarray(triangles, dtype=np.int64).reshape(-1, 3)
    check_rows(triangles, 0, len(points), "triangles")
    if max(len(points), len(triangles)) >= _MOST:
        raise ValueError("a surface has less than two thousand million triangles")
    return points, triangles


def _of_faces(triangles: Indices, faces: Array) -> Array:
    faces = np.ascontiguousarray(faces, dtype=np.float64)
    if faces.shape != (len(triangles), 3):
        raise ValueError("there is one normal for each triangle")
    return faces
