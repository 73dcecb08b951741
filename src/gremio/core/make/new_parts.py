"""New parts of solids: as large as what is there, beside it, on the ground."""

from __future__ import annotations

import math

from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.edit.change import numbers_of
from gremio.core.edit.parts import add_part
from gremio.core.frames import Frame
from gremio.core.rig.ids import PartId
from gremio.core.rig.lengths import NO_LENGTHS, size_of
from gremio.core.rig.model import Part, Rig, Shape
from gremio.core.rig.solids import AnySolid, InternalGear, RackBar, SpurGear
from gremio.core.shape.solids import geometry_of

_TOOTHED = SpurGear | InternalGear | RackBar


def add_beside(rig: Rig, name: str, solid: AnySolid | None, corners: Array) -> tuple[Rig, PartId]:
    """The rig with a new part, and its id: of a solid, as large as fits what is there, or an empty
    mount; beside all else, on the ground.

    corners: (N, 3) of the boxes round what is there, in the world (m); none in an empty rig.
    """
    if solid is None:
        return add_part(rig, Part(name))
    solid = _like_neighbours(rig, scaled(solid, _factor(rig)))
    low, high = geometry_of(solid).bounds
    x = 0.0
    corners = numbers_of(corners, (len(corners), 3), f"What {name} stands beside")
    if len(corners):
        room = 0.15 * float(high[0] - low[0])
        x = float(corners[:, 0].max()) + room - float(low[0])
    mount = Frame(at=(x, 0.0, -float(low[2])))
    return add_part(rig, Part(name, mount=mount, shapes=(Shape(solid),)))


def scaled(solid: AnySolid, factor: float) -> AnySolid:
    """A solid with all its lengths so many times as long."""
    changed: dict[str, object] = {}
    for field in solid.__struct_fields__:
        value = getattr(solid, field)
        if field not in NO_LENGTHS and isinstance(value, int | float):
            changed[field] = round(value * factor, 9)
        elif field == "holes":
            changed[field] = tuple(tuple(v * factor for v in hole) for hole in value)
    return replace(solid, **changed)


def _factor(rig: Rig) -> float:
    """How much larger than usual a new part is: a third of the largest that is there, rounded."""
    largest = max((size_of(part) for part in rig.parts.values()), default=0.0)
    if not largest:
        return 1.0
    third = largest / 3
    power = 10.0 ** math.floor(math.log10(third))
    return next(f * power for f in (5.0, 2.0, 1.0) if f * power <= third * (1 + 1e-9))


def _like_neighbours(rig: Rig, solid: AnySolid) -> AnySolid:
    """A gear with the module, and as wide, as those that are there; its bore goes along."""
    if not isinstance(solid, _TOOTHED):
        return solid
    there = [
        shape.solid
        for part in rig.parts.values()
        for shape in part.shapes
        if isinstance(shape.solid, _TOOTHED)
    ]
    if not there:
        return solid
    like = scaled(solid, there[-1].module / solid.module)
    return replace(like, width=there[-1].width)
