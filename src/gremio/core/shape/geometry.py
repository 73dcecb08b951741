"""Triangles: their normals, and the edges that an inked drawing shows."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array, Flags
from gremio.core.frames import carried
from gremio.core.records import Record
from gremio.core.rig.solids import AnySolid
from gremio.core.shape import meshes
from gremio.core.shape.meshes import ALWAYS, Indices, Small
from gremio.core.shape.rough import Rough, roughened

Singles = npt.NDArray[np.float32]

_SHARP = np.cos(np.radians(30))
_FLAT = np.cos(np.radians(1))
_SMOOTH = np.cos(np.radians(40))


class Edges(NamedTuple):
    """Edges of a surface. E edges.

    ends: (E, 2) vertex indices. normals: (E, 2, 3) of the faces beside each edge; both
    the same at the border of an open surface. sharp: (E,) True where the edge is always
    drawn; the others are drawn where they are the outline.
    """

    ends: Indices
    normals: Array
    sharp: Flags


class Drawn(NamedTuple):
    """A surface as it is drawn, in numbers as short as will do. vertices: (K, 6) places and
    normals, each once. corners: (T, 3) which of them each triangle has. faces: (T, 3) normals.
    edges: (E, 4) of each edge the vertices at its ends, of which the first has its highest bit set
    where it is always drawn, and the faces beside it. closed: whether nothing of its inside is seen
    from without."""

    vertices: Singles
    corners: Small
    faces: Singles
    edges: Small
    closed: bool


class Geometry(Record, frozen=True, eq=False):
    """A surface. vertices: (V, 3) in metres. triangles: (T, 3), anticlockwise from outside."""

    vertices: Array
    triangles: Indices

    @cached_property
    def bounds(self) -> Array:
        """(2, 3) lowest and highest corner of the box it fills."""
        if len(self.vertices) == 0:
            return np.zeros((2, 3))
        return np.stack([self.vertices.min(axis=0), self.vertices.max(axis=0)])

    @cached_property
    def face_normals(self) -> Array:
        """(T, 3) unit normals; zero for a triangle without area."""
        return meshes.face_normals(self.vertices, self.triangles)

    @cached_property
    def corner_normals(self) -> Array:
        """(T, 3, 3) normal at each corner of each triangle, smooth over shallow edges."""
        return meshes.corner_normals(self.vertices, self.triangles, self.face_normals, _SMOOTH)

    @cached_property
    def edges(self) -> Edges:
        """The edges worth drawing: sharp ones, borders, and those that may be an outline."""
        found, _ = self._inked(self.face_normals)
        ends = (found[:, :2] & ~ALWAYS).astype(np.int64)
        return Edges(ends, self.face_normals[found[:, 2:]], found[:, 0] >= ALWAYS)

    @property
    def drawn(self) -> Drawn:
        """What is drawn of it, made of no more than what lies there.

        Kept without the lock that a cached property has for all geometries together: many are made
        ready in a thread while a window asks for others.
        """
        found: Drawn | None = self.__dict__.get("_drawn")
        if found is None:
            found = self.__dict__["_drawn"] = self._made_to_be_drawn()
        return found

    @property
    def rough(self) -> tuple[Rough, ...]:
        """What may be drawn instead of it where it is small on the screen and things move, the
        finest first. Kept as `drawn` is."""
        found: tuple[Rough, ...] | None = self.__dict__.get("_rough")
        if found is None:
            vertices, corners, *_ = self.drawn
            found = self.__dict__["_rough"] = roughened(vertices, corners, self.bounds)
        return found

    def _made_to_be_drawn(self) -> Drawn:
        faces = meshes.face_normals(self.vertices, self.triangles)
        edges, closed = self._inked(faces)
        vertices, corners, of_point = meshes.shaded(self.vertices, self.triangles, faces, _SMOOTH)
        always = edges[:, 0] & ALWAYS
        edges[:, :2] = of_point[edges[:, :2] & ~ALWAYS]
        edges[:, 0] |= always
        return Drawn(vertices, corners, faces.astype(np.float32), edges, closed)

    def _inked(self, faces: Array) -> tuple[Small, bool]:
        """The edges, as `meshes.edges` has them, and whether the surface is closed. faces: (T, 3)
        normals."""
        return meshes.edges(self.vertices, self.triangles, faces, _SHARP, _FLAT)


# Finds the surface of a solid: the one thing by which models come into the core.
GeometryOf = Callable[[AnySolid], Geometry]


def welded(vertices: npt.ArrayLike, triangles: npt.ArrayLike) -> Geometry:
    """A geometry whose corners at one place are one vertex, without empty triangles."""
    found = meshes.tidied(np.asarray(vertices), np.asarray(triangles), np.eye(3))
    return Geometry(found.points, found.triangles)


def moved(geometry: Geometry, frame: Array) -> Geometry:
    """A geometry put elsewhere by a (4, 4) matrix; turned outside out if that mirrors."""
    vertices = carried(frame, geometry.vertices)
    mirrors = np.linalg.det(frame[:3, :3]) < 0
    return Geometry(vertices, geometry.triangles[:, ::-1] if mirrors else geometry.triangles)
