"""The shapes of parts as bodies that can touch: gaps, and what gets in the way."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import fcl
import numpy as np

from gremio.core.arrays import Array, Flags, crossed
from gremio.core.frames import carried, matrix
from gremio.core.records import Record
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Rig
from gremio.core.shape.geometry import GeometryOf
from gremio.core.shape.meshes import Indices

_MOST_CONTACTS = 20_000
# The way is into a face, and not along it, where their angle is steeper than this (its sine).
_HEAD_ON = 0.5


class Body(Record, frozen=True, eq=False):
    """All shapes of a part as one surface in the part's own frame.

    triangles: (T, 3, 3) by their corners. normals: (T, 3) of them. flats: (T,) in which plane each
    lies, by number. corners: (8, 3) of the box that it fills. middle, radius: of a ball round it
    (m).
    """

    part: PartId
    triangles: Array
    normals: Array
    flats: Indices
    corners: Array
    middle: Array
    radius: float
    shape: Any

    def placed(self, world: Array) -> Any:
        """The body at a frame (4, 4)."""
        return fcl.CollisionObject(self.shape, fcl.Transform(world[:3, :3], world[:3, 3]))


def bodies_of(rig: Rig, parts: Iterable[PartId], geometry: GeometryOf) -> dict[PartId, Body]:
    """The bodies of parts, by id; of those without a shape none."""
    made = {part: _body(rig, part, geometry) for part in parts}
    return {part: body for part, body in made.items() if body is not None}


def _body(rig: Rig, part: PartId, geometry: GeometryOf) -> Body | None:
    vertices, triangles, normals, count = [], [], [], 0
    for shape in rig.parts[part].shapes:
        surface = geometry(shape.solid)
        if not len(surface.triangles):
            continue
        place = matrix(shape.place)
        vertices.append(carried(place, surface.vertices))
        triangles.append(surface.triangles + count)
        # A scaled or mirrored place turns normals as its inverse says.
        turned = surface.face_normals @ np.linalg.inv(place[:3, :3])
        normals.append(turned / np.maximum(np.linalg.norm(turned, axis=1, keepdims=True), 1e-300))
        count += len(surface.vertices)
    if not vertices:
        return None
    points = np.concatenate(vertices)
    low, high = points.min(axis=0), points.max(axis=0)
    corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1])
                        for z in (low[2], high[2])])  # fmt: skip
    middle = (low + high) / 2
    radius = float(np.linalg.norm(points - middle, axis=1).max())
    faces = np.concatenate(triangles)
    model = fcl.BVHModel()
    model.beginModel(len(points), len(faces))
    model.addSubModel(points, faces)
    model.endModel()
    faced = np.concatenate(normals)
    flats = _flats(points[faces[:, 0]], faced, radius)
    return Body(part, points[faces], faced, flats, corners, middle, radius, model)


def _flats(places: Array, normals: Array, size: float) -> Indices:
    """(T,) by number in which plane a triangle lies, of a point of each (T, 3) and its normal."""
    away = np.einsum("ij,ij->i", places, normals) / max(size, 1e-300)
    planes = np.round(np.column_stack([normals, away]), 4) + 0.0
    _, found = np.unique(planes, axis=0, return_inverse=True)
    flats: Indices = found.reshape(-1)
    return flats


def gap(one: Body, two: Body, relative: Array) -> float:
    """How far two bodies are from one another (m); 0 where they touch or their surfaces cross.

    relative: (4, 4) the first in the frame of the second. The distance between the triangles of
    both, by the bounding-volume hierarchies of the Flexible Collision Library (Pan, Chitta and
    Manocha, ICRA 2012).
    """
    found = fcl.distance(one.placed(relative), two.placed(np.eye(4)))
    return max(float(found), 0.0)


def in_the_way(one: Body, two: Body, relative: Array, after: Array) -> frozenset[int]:
    """The planes with faces of the second that the first touches, and goes against head-on, by
    number.

    relative, after: (4, 4) the first in the frame of the second, and where it comes to next. A face
    that is met at less than 30 degrees is slid along, and not in the way.
    """
    result = fcl.CollisionResult()
    request = fcl.CollisionRequest(num_max_contacts=_MOST_CONTACTS, enable_contact=True)
    fcl.collide(one.placed(relative), two.placed(np.eye(4)), request, result)
    if not result.contacts:
        return frozenset()
    # Which triangles cross is found well; where, not always.
    own = np.array([contact.b1 for contact in result.contacts])
    others = np.array([contact.b2 for contact in result.contacts])
    places = _where_they_cross(
        carried(relative, one.triangles[own].reshape(-1, 3)).reshape(-1, 3, 3),
        two.triangles[others],
    )
    crossing = np.isfinite(places[:, 0])
    own, others, places = own[crossing], others[crossing], places[crossing]
    inside = carried(np.linalg.inv(relative), places)
    way = carried(after, inside) - places
    length = np.linalg.norm(way, axis=1, keepdims=True)
    way = way / np.where(length > 0.0, length, 1.0)
    against = np.einsum("ij,ij->i", way, two.normals[others]) < -_HEAD_ON
    return frozenset(two.flats[others[against]].tolist())


def _where_they_cross(ones: Array, twos: Array) -> Array:
    """(n, 3) the middle of the line along which two triangles cross each, of (n, 3, 3) corners of
    either; nan where they only lie in one plane. By edges through planes (Möller, A Fast
    Triangle-Triangle Intersection Test, 1997)."""
    places, known = np.zeros((len(ones), 3)), np.zeros(len(ones))
    for edges, faces in ((ones, twos), (twos, ones)):
        normals = crossed(faces[:, 1] - faces[:, 0], faces[:, 2] - faces[:, 0])
        away = np.einsum("nkj,nj->nk", edges - faces[:, :1], normals)
        for k in range(3):
            start, end = away[:, k], away[:, (k + 1) % 3]
            apart = start - end
            through = (start * end <= 0.0) & (apart != 0.0)
            share = np.divide(start, apart, out=np.zeros_like(start), where=through)
            at = edges[:, k] + share[:, None] * (edges[:, (k + 1) % 3] - edges[:, k])
            hit = through & _inside(at, faces, normals)
            places[hit] += at[hit]
            known[hit] += 1.0
    return places / np.where(known > 0.0, known, np.nan)[:, None]


def _inside(points: Array, faces: Array, normals: Array) -> Flags:
    """(n,) whether points (n, 3) in the planes of triangles lie in them, their edges among it."""
    size = np.einsum("ni,ni->n", normals, normals)
    inside: Flags = size > 0.0
    for k in range(3):
        edge = faces[:, (k + 1) % 3] - faces[:, k]
        turned = np.einsum("ni,ni->n", crossed(edge, points - faces[:, k]), normals)
        inside &= turned >= -1e-9 * size
    return inside
