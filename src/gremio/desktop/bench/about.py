"""Which parts a thing has to do with, to bring it into the picture."""

from __future__ import annotations

from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Rig


def parts_about(rig: Rig, thing: ThingId) -> list[PartId]:
    """The parts that a thing (id) has to do with: itself, or those that it joins; none of a control
    or a link."""
    found: list[PartId | None] = []
    if thing in rig.parts:
        found = [PartId(thing)]
    elif (tread := rig.treads.get(thing)) is not None:
        found = [tread.link, *(wheel.on for wheel in tread.wheels)]
    elif (strand := rig.strands.get(thing)) is not None:
        found = [point.on for point in strand.through]
    elif (strut := rig.struts.get(thing)) is not None:
        found = [strut.barrel, *strut.stages, strut.rod]
    elif (closure := rig.closures.get(thing)) is not None:
        found = [closure.one, closure.two]
    elif (constraint := rig.constraints.get(thing)) is not None:
        found = [constraint.part]
    return [part for part in found if part is not None and part in rig.parts]
