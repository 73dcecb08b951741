"""Changing what is there from a script, by the names of things."""

from __future__ import annotations

from gremio.core.edit import notes, ranges
from gremio.core.edit.builder import Typed, values_by_key
from gremio.core.edit.ranges import Keeps
from gremio.core.problem import NotFound
from gremio.core.rig.find import channel_key, control_id, named_things, nothing_called
from gremio.core.rig.ids import ThingId
from gremio.core.rig.links import followers, members
from gremio.core.rig.model import Rig


def set_range(rig: Rig, control: str, low: Typed, high: Typed, *, keeps: Keeps = "ends") -> Rig:
    """The rig with another range of a control, by name: set_range(rig, "Lift", 0, "20 deg").

    low, high: typed, or in SI. keeps: "ends", what it leads stands at the new ends where it stood
    at the old ones; "proportion", it goes as far for so much of the control as before. Raises
    NotFound, GremioError for an empty range.
    """
    found = control_id(rig, control)
    ends = [next(iter(values_by_key(rig, {control: end}).values())) for end in (low, high)]
    return ranges.set_range(rig, found, ends[0], ends[1], keeps=keeps)


def write_note(rig: Rig, thing: str, text: str) -> Rig:
    """The rig with something written about a thing, by name; of the name of a channel, about the
    link that leads it. "" takes the note away. Raises NotFound."""
    return notes.set_note(rig, _thing_called(rig, thing), text)


def _thing_called(rig: Rig, name: str) -> ThingId:
    named = named_things(rig)
    for things in named.values():
        for thing_id, thing in things.items():
            if thing.name == name:
                return thing_id
    try:
        channel = channel_key(rig, name)
    except NotFound:
        every = [thing.name for things in named.values() for thing in things.values()]
        raise NotFound(nothing_called(name, "thing", every)) from None
    # A ratio leads either way: its lead may be what is led in the end.
    for of in (followers, members):
        for link_id, link in rig.links.items():
            if channel in of(link):
                return link_id
    raise NotFound(f"Nothing leads {name} by a link, so that there is no link to write about.")
