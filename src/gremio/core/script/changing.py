"""Changing what is there from a script, by the names of things."""

from __future__ import annotations

from collections.abc import Sequence

from gremio.core.edit import notes, ranges
from gremio.core.edit.builder import Typed, values_by_key
from gremio.core.edit.controls import all_home
from gremio.core.edit.ranges import Keeps
from gremio.core.make import touching
from gremio.core.make.in_step import keep_in_step, midway_between
from gremio.core.problem import GremioError, NotFound
from gremio.core.rig.find import channel_key, control_id, named_things, nothing_called, part_id
from gremio.core.rig.ids import ThingId
from gremio.core.rig.links import followers, members
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import ENDS
from gremio.core.script.posing import solve, surfaces_of


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


def in_step(rig: Rig, lead: str, follower: str) -> Rig:
    """The rig with as many copies of one part as of another, as far apart, by names:
    in_step(rig, "Post", "Rivet"). Raises NotFound, GremioError as the lead must be repeated."""
    ends = part_id(rig, lead), part_id(rig, follower)
    return keep_in_step(rig, *ends, solve(all_home(rig)))


def midway(rig: Rig, lead: str, follower: str) -> Rig:
    """The rig with one part in each gap between the copies of another, by names:
    midway(rig, "Post", "Panel"). Raises NotFound, GremioError where that can't be."""
    ends = part_id(rig, lead), part_id(rig, follower)
    return midway_between(rig, *ends, solve(all_home(rig)), geometry=surfaces_of(rig))


def stops_where_it_touches(
    rig: Rig, channel: str, *, ends: str = "both", against: Sequence[str] | None = None
) -> Rig:
    """The rig with stops where a part touches on its way, by the name of its channel:
    stops_where_it_touches(rig, "Leaf turn z", against=["Post"]).

    ends: "low", "high" or "both". against: parts by name; without them all that is shown. Raises
    NotFound, and GremioError where nothing is touched.
    """
    if ends not in (*ENDS, "both"):
        raise GremioError(f"The stops to set are low, high or both, not {ends}.")
    others = None if against is None else [part_id(rig, name) for name in against]
    wanted = ENDS if ends == "both" else (ends,)
    return touching.stops_where_it_touches(
        rig, solve(rig), channel_key(rig, channel), wanted, against=others,
        geometry=surfaces_of(rig),
    )[0]  # fmt: skip


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
