"""The vertices of a part's shapes, where they stand."""

from __future__ import annotations

import numpy as np

from gremio.core.arrays import Array
from gremio.core.edit.change import must_have, numbers_of
from gremio.core.frames import carried, matrix
from gremio.core.problem import GremioError
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Rig
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.pose import Pose

# Into so many slices the middle of a part is cut.
_SLICES = 15


def world_vertices(rig: Rig, pose: Pose, part: PartId, geometry: GeometryOf) -> Array:
    """(n, 3) the vertices of a part's shapes in the world (m), in the order of the shapes. Raises
    GremioError for a part without a shape."""
    world = pose.world(part)
    found = [
        carried(world @ matrix(shape.place), geometry(shape.solid).vertices)
        for shape in rig.parts[part].shapes
    ]
    if not found:
        raise _bare(rig, part)
    return np.concatenate(found)


def _bare(rig: Rig, part: PartId) -> GremioError:
    return GremioError(f"{rig.parts[part].name} has no shape. Choose a part that has one.")


def width_along(
    rig: Rig, pose: Pose, part: PartId, start: Array, way: Array, geometry: GeometryOf
) -> float:
    """How wide a part is, square to a line, in the middle third of its length (m): across its bar,
    whatever eyes, heads and collars it has, and however many corners they have.

    start: (3,) on the line; way: (3,) unit along it. It is cut into slices, each as wide as the
    edges that cross it are far from the middle between them; the middle of these widths counts.
    Raises GremioError for a part without a shape.
    """
    entry = must_have(rig.parts, part, "part")
    if not entry.shapes:
        raise _bare(rig, part)
    start = numbers_of(start, (3,), "The start of the line")
    way = numbers_of(way, (3,), "The way of the line")
    world = pose.world(part)
    ends = []
    for shape in entry.shapes:
        surface = geometry(shape.solid)
        points = carried(world @ matrix(shape.place), surface.vertices) - start
        triangles = surface.triangles
        for one, two in ((0, 1), (1, 2), (2, 0)):
            ends.append(points[triangles[:, [one, two]]])
    edges = np.concatenate(ends)
    along = edges @ way
    low, high = float(along.min()), float(along.max())
    widths = []
    for cut in np.linspace(low + (high - low) / 3, high - (high - low) / 3, _SLICES):
        crossing = (along[:, 0] - cut) * (along[:, 1] - cut) < 0
        if not crossing.any():
            continue
        first, last = edges[crossing, 0], edges[crossing, 1]
        share = (cut - along[crossing, 0]) / (along[crossing, 1] - along[crossing, 0])
        flat = first + share[:, None] * (last - first)
        flat = flat - (flat @ way)[:, None] * way
        middle = (flat.min(axis=0) + flat.max(axis=0)) / 2
        widths.append(2 * float(np.linalg.norm(flat - middle, axis=1).max()))
    return float(np.median(widths)) if widths else 0.0
