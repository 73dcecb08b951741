"""What is written about things of a rig."""

from __future__ import annotations

from msgspec.structs import replace

from gremio.core.edit.change import with_entry
from gremio.core.problem import GremioError, NotFound
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Rig
from gremio.core.rig.things import thing_of

_LONGEST = 4000


def note_of(rig: Rig, thing_id: ThingId) -> str:
    """What is written about a thing, by id; "" for nothing."""
    record = thing_of(rig, thing_id)
    return "" if record is None else record.of(rig)[thing_id].note


def set_note(rig: Rig, thing_id: ThingId, text: str) -> Rig:
    """The rig with a note on a part, control, link or anything else that can be selected, by id;
    "" takes it away. Raises NotFound for what is not there, GremioError for more than is read."""
    record = thing_of(rig, thing_id)
    if record is None:
        raise NotFound(f"The rig has nothing with the id {thing_id!r} to write about.")
    text = text.strip()
    if len(text) > _LONGEST:
        raise GremioError(
            f"The note has {len(text)} letters, and {_LONGEST} are kept. Write a shorter one."
        )
    things = record.of(rig)
    if text == things[thing_id].note:
        return rig
    noted = with_entry(things, thing_id, replace(things[thing_id], note=text))
    return replace(rig, **{record.field: noted})
