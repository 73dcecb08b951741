"""Stand-ins: a light box, hull or outline for the shapes of a part while working."""

from __future__ import annotations

import functools
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import crossed
from gremio.core.frames import Triple, matrix, triple
from gremio.core.rig.model import Part, Rig
from gremio.core.rig.solids import Box
from gremio.core.shape.geometry import Geometry, moved, welded
from gremio.core.shape.solids import geometry_of
from gremio.core.surfaces.shelf import Shelf


class StandIn(NamedTuple):
    """A surface, where its middle is in the part's frame, and how far it is stretched."""

    geometry: Geometry
    middle: Triple = (0.0, 0.0, 0.0)
    stretch: Triple = (1.0, 1.0, 1.0)


def stand_in(rig: Rig, part: Part, shelf: Shelf) -> StandIn:
    """What is shown for a part with shapes while working light: a box round all of it, its
    convex hull, or a thin outline of its widest side."""
    surfaces = tuple(
        moved(shelf.geometry(rig, shape.solid), matrix(shape.place)) for shape in part.shapes
    )
    points = np.concatenate([surface.vertices for surface in surfaces])
    low, high = points.min(axis=0), points.max(axis=0)
    size = np.maximum(high - low, 1e-6)
    middle = (low + high) / 2
    if part.stand_in == "box" or len(points) < 4:
        unit = geometry_of(Box(length=1.0, width=1.0, height=1.0))
        return StandIn(unit, triple(middle), triple(size))
    if part.stand_in == "outline":
        thin = int(np.argmin(size))
        points = points.copy()
        points[:, thin] = np.where(points[:, thin] > middle[thin], high[thin], low[thin])
    return StandIn(_hull(points.tobytes()))


@functools.lru_cache(maxsize=1024)
def _hull(data: bytes) -> Geometry:
    """The convex hull of points, by qhull; their box where they lie in one plane."""
    from scipy.spatial import ConvexHull, QhullError

    points = np.frombuffer(data).reshape(-1, 3)
    try:
        hull = ConvexHull(points)
    except QhullError:
        low, high = points.min(axis=0), points.max(axis=0)
        box = np.diag([*np.maximum(high - low, 1e-6), 1.0])
        box[:3, 3] = (low + high) / 2
        return moved(geometry_of(Box(length=1.0, width=1.0, height=1.0)), box)
    faces = hull.simplices.copy()
    a, b, c = (points[faces[:, i]] for i in range(3))
    inward = np.einsum("ij,ij->i", crossed(b - a, c - a), hull.equations[:, :3]) < 0
    faces[inward] = faces[inward][:, ::-1]
    return welded(points, faces)
