"""How wide round things are: bars, tubes, gears, and models that look round."""

from __future__ import annotations

import math

from gremio.core.edit.change import must_have
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Rig
from gremio.core.rig.solids import AnySolid, Ball, Cylinder, Mesh, SpurGear, Tube

_ALIKE = 0.03


def widest_round(rig: Rig, part: PartId) -> float:
    """Diameter of the widest round shape of a part (m); 0 when it has none."""
    shapes = must_have(rig.parts, part, "part").shapes
    return max((round_diameter(shape.solid) for shape in shapes), default=0.0)


def round_diameter(solid: AnySolid) -> float:
    """Diameter of a round solid (m), of a gear at its pitch circle; 0 for one that is not round.

    A model is taken to be round where two sides of the box it fills are alike.
    """
    match solid:
        case Cylinder() | Ball():
            return solid.diameter
        case Tube():
            return solid.outer_diameter
        case SpurGear():
            return solid.module * solid.teeth
        case Mesh():
            x, y, z = solid.size
            pairs = ((x, y), (y, z), (z, x))
            alike = [a for a, b in pairs if a > 0 and math.isclose(a, b, rel_tol=_ALIKE)]
            return max(alike, default=0.0)
    return 0.0
