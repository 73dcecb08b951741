"""Surfaces: the nearest place on one, and which way is outward there."""

from __future__ import annotations

import functools
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from gremio.core.arrays import Array, Rows
from gremio.core.frames import Frame, matrix
from gremio.core.rig.model import Part
from gremio.core.rig.solids import AnySolid
from gremio.core.shape.geometry import Geometry, moved

if TYPE_CHECKING:
    from gremio.core.shape.compiled_surface import Tree

# Up to so many triangles × points everything is simply looked at.
_FEW = 200_000


@dataclass(frozen=True, eq=False)
class Surface:
    """Triangles to sit on. corners: (T, 3, 3) of each (m); none without area. normals:
    (T, 3, 3) outward at each corner, smooth over shallow edges."""

    corners: Array
    normals: Array

    @cached_property
    def tree(self) -> Tree:
        """The triangles in boxes in boxes, for many."""
        from gremio.core.shape.compiled_surface import tree_of

        return tree_of(self.corners)

    @cached_property
    def boxes(self) -> tuple[Array, Array]:
        """(T, 3) low and (T, 3) high corners of the boxes round the triangles."""
        return self.corners.min(axis=1), self.corners.max(axis=1)

    def nearest(self, points: Array) -> tuple[Array, Array]:
        """(Q, 3) the place on the surface nearest to each of some points (Q, 3), and (Q, 3) the
        unit normal there, outward."""
        if len(points) * len(self.corners) <= _FEW:
            places, triangles = _nearest_of_all(self, points)
        else:
            from gremio.core.shape.compiled_surface import nearest

            places, triangles = nearest(self.tree, points)
        return places, self._normals_at(places, triangles)

    def hit(self, start: Array, way: Array) -> Array | None:
        """(3,) where a ray from a place (3,) along a way (3,) first meets the surface; None
        where it goes by.

        Möller and Trumbore, "Fast, minimum storage ray/triangle intersection", J. Graphics
        Tools 2 (1997).
        """
        a, b, c = np.moveaxis(self.corners, 1, 0)
        across = np.cross(way, c - a)
        size = ((b - a) * across).sum(axis=1)
        facing = np.abs(size) > 1e-300
        share = 1.0 / np.where(facing, size, 1.0)
        from_a = start - a
        u = (from_a * across).sum(axis=1) * share
        turned = np.cross(from_a, b - a)
        v = (turned @ way) * share
        far = ((c - a) * turned).sum(axis=1) * share
        met = facing & (u >= 0) & (v >= 0) & (u + v <= 1) & (far > 0)
        return start + way * far[met].min() if met.any() else None

    def _normals_at(self, places: Array, triangles: Rows) -> Array:
        """(Q, 3) unit normals at places on triangles, between those of the corners."""
        a, b, c = np.moveaxis(self.corners[triangles], 1, 0)
        whole = np.cross(b - a, c - a)
        area = (whole * whole).sum(axis=1)
        at_b = (np.cross(places - a, c - a) * whole).sum(axis=1) / area
        at_c = (np.cross(b - a, places - a) * whole).sum(axis=1) / area
        shares = np.stack([1 - at_b - at_c, at_b, at_c], axis=1)
        mixed = (self.normals[triangles] * shares[:, :, None]).sum(axis=1)
        size = np.linalg.norm(mixed, axis=1, keepdims=True)
        flat = whole / np.sqrt(area)[:, None]
        result: Array = np.where(size > 1e-9, mixed / np.where(size > 1e-9, size, 1.0), flat)
        return result


def _nearest_of_all(surface: Surface, points: Array) -> tuple[Array, Rows]:
    """(Q, 3) nearest places, and (Q,) on which triangle, by looking at the box round every
    triangle; closely only at those whose box is as near as the triangle of the nearest box."""
    low, high = surface.boxes
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
    crossed = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    whole = np.linalg.norm(crossed, axis=1) > 1e-18
    return Surface(np.ascontiguousarray(corners[whole]), normals[whole])
