"""What things and numbers of a rig are referred to by. To the type checker they are kinds of
their own, so that a name never stands where an id is wanted, nor a channel where a part is; at
run time each is a `str`. A thing's id alone can stand for a number: it is the key of a control,
and formulas call a measure by it."""

from __future__ import annotations

from typing import NewType

# Of a number that can change: "p3 turn z", "c1", "x4 grip".
ChannelKey = NewType("ChannelKey", str)
# Of anything in a rig: "p3", "c1", "k2".
ThingId = NewType("ThingId", ChannelKey)
# Of a part: "p3".
PartId = NewType("PartId", ThingId)


def part(text: str) -> PartId:
    """A part's id as it stands in a text, a file or a table."""
    return PartId(ThingId(ChannelKey(text)))


def thing(text: str) -> ThingId:
    """A thing's id as it stands in a text, a file or a table."""
    return ThingId(ChannelKey(text))


# Stands where a table of parts has a row for what stands on the ground.
GROUND = part("")
# Where there is none.
NOTHING = thing("")
# The time now (s): it leads what is keyed.
CLOCK = ChannelKey("clock")
