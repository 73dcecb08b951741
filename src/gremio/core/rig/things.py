"""Everything a rig is made of, in one table: what each kind of thing is called, and where it
stands in the rig."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Rig


class ThingRecord(NamedTuple):
    """A kind of thing. word: what it is called. field: where the things of this kind stand in a
    rig, by id. named: whether they have names, all in one space. selected: whether one can be
    selected. moves: whether what one says counts when the rig is posed."""

    word: str
    field: str
    named: bool = True
    selected: bool = True
    moves: bool = True

    def of(self, rig: Rig) -> Mapping[ThingId, Any]:
        """Those of a rig, by id."""
        found: Mapping[ThingId, Any] = getattr(rig, self.field)
        return found


THINGS: tuple[ThingRecord, ...] = (
    ThingRecord("part", "parts"),
    ThingRecord("control", "controls"),
    ThingRecord("link", "links", named=False),
    ThingRecord("source", "sources", named=False, selected=False),
    ThingRecord("measure", "measures"),
    ThingRecord("strut", "struts"),
    ThingRecord("closure", "closures", named=False),
    ThingRecord("constraint", "constraints"),
    ThingRecord("strand", "strands"),
    ThingRecord("tread", "treads"),
    ThingRecord("path", "paths"),
    ThingRecord("pose", "poses", selected=False, moves=False),
    ThingRecord("routine", "routines", selected=False, moves=False),
)


def thing_of(rig: Rig, thing_id: ThingId) -> ThingRecord | None:
    """What kind of thing that can be selected an id is; None where there is none."""
    return next((one for one in THINGS if one.selected and thing_id in one.of(rig)), None)
