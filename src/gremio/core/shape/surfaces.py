"""Surfaces: the nearest place on one, and which way is outward there."""

from __future__ import annotations

import functools
from collections.abc import Callable
from functools import cached_property

import numpy as np

from gremio.core.arrays import Array, Rows, crossed, size_of
from gremio.core.frames import Frame, matrix
from gremio.core.records import Record
from gremio.core.rig.model import Part
from gremio.core.rig.solids import AnySolid
from gremio.core.shape.geometry import Geometry, moved
from gremio.core.shape.nearest import Boxes, boxes_of, nearest


class Surface(Record, frozen=True, eq=False):
    """Triangles to sit on. corners: (T, 3, 3) of each (m); none without area. normals:
    (T, 3, 3) outward at each corner, smooth over shallow edges."""

    corners: Array
    normals: Array

    @cached_property
    def boxes(self) -> Boxes:
        """The triangles in boxes in boxes."""
        return boxes_of(self.corners)

    def nearest(self, points: Array) -> tuple[Array, Array]:
        """(Q, 3) the place on the surface nearest to each of some points (Q, 3), and (Q, 3) the
        unit normal there, outward. Points that are no plain numbers have none."""
        places, triangles = nearest(self.boxes, points)
        return places, self._normals_at(places, triangles)

    def hit(self, start: Array, way: Array) -> Array | None:
        """(3,) where a ray from a place (3,) along a way (3,) first meets the surface; None
        where it goes by.

        Möller and Trumbore, "Fast, minimum storage ray/triangle intersection", J. Graphics
        Tools 2 (1997).
        """
        a, b, c = np.moveaxis(self.corners, 1, 0)
        across = crossed(way, c - a)
        size = ((b - a) * across).sum(axis=1)
        facing = np.abs(size) > 1e-300
        share = 1.0 / np.where(facing, size, 1.0)
        from_a = start - a
        u = (from_a * across).sum(axis=1) * share
        turned = crossed(from_a, b - a)
        v = (turned @ way) * share
        far = ((c - a) * turned).sum(axis=1) * share
        met = facing & (u >= 0) & (v >= 0) & (u + v <= 1) & (far > 0)
        return start + way * far[met].min() if met.any() else None

    def _normals_at(self, places: Array, triangles: Rows) -> Array:
        """(Q, 3) unit normals at places on triangles, between those of the corners."""
        corners, normals = self.corners[triangles], self.normals[triangles]
        a = corners[:, 0]
        to_b, to_c, to_place = corners[:, 1] - a, corners[:, 2] - a, places - a
        whole = crossed(to_b, to_c)
        area = (whole * whole).sum(axis=1)
        at_b = ((crossed(to_place, to_c) * whole).sum(axis=1) / area)[:, None]
        at_c = ((crossed(to_b, to_place) * whole).sum(axis=1) / area)[:, None]
        mixed = normals[:, 0] * (1 - at_b - at_c) + normals[:, 1] * at_b + normals[:, 2] * at_c
        size = size_of(mixed)[:, None]
        flat = whole / np.sqrt(area)[:, None]
        result: Array = np.where(size > 1e-9, mixed / np.where(size > 1e-9, size, 1.0), flat)
        return result


def surface_of(part: Part, geometry: Callable[[AnySolid], Geometry]) -> Surface | None:
    """The surface of all shapes of a part, in its frame; None where there are no faces.

    geometry: finds the triangles of a solid. The same geometry in the same place gives the
    same surface, made once.
    """
    pieces = tuple((geometry(shape.solid), shape.place) for shape in part.shapes)
    made = _joined(tuple(piece for piece in pieces if len(piece[0].triangles)))
    return made if len(made.corners) else None


@functools.lru_cache(maxsize=64)
def _joined(pieces: tuple[tuple[Geometry, Frame], ...]) -> Surface:
    placed = [moved(found, matrix(place)) for found, place in pieces]
    if not placed:
        return Surface(np.zeros((0, 3, 3)), np.zeros((0, 3, 3)))
    corners = np.concatenate([piece.vertices[piece.triangles] for piece in placed])
    normals = np.concatenate([piece.corner_normals for piece in placed])
    across = crossed(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    whole = np.linalg.norm(across, axis=1) > 1e-18
    return Surface(np.ascontiguousarray(corners[whole]), normals[whole])
