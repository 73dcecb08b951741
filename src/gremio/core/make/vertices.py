"""The vertices of a part's shapes, where they stand."""

from __future__ import annotations

import numpy as np

from gremio.core.arrays import Array
from gremio.core.frames import carried, matrix
from gremio.core.problem import GremioError
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Rig
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.pose import Pose


def world_vertices(rig: Rig, pose: Pose, part: PartId, geometry: GeometryOf) -> Array:
    """(n, 3) the vertices of a part's shapes in the world (m), in the order of the shapes. Raises
    GremioError for a part without a shape."""
    world = pose.world(part)
    found = [
        carried(world @ matrix(shape.place), geometry(shape.solid).vertices)
        for shape in rig.parts[part].shapes
    ]
    if not found:
        raise GremioError(f"{rig.parts[part].name} has no shape. Choose a part that has one.")
    return np.concatenate(found)
