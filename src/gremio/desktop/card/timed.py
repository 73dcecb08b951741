"""The section of a Card that says what routines have of a thing: its keys, and its carriers."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from gremio.core.motion.run_up import adding_up
from gremio.core.problem import counted_words
from gremio.core.rig.carried import carrier_name
from gremio.core.rig.channels import split
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import Rig, Routine
from gremio.core.rig.numbers import number_word
from gremio.desktop.card.forms import Act, Field, Head, Words
from gremio.desktop.document.document import Document


def timed(rig: Rig, thing: ThingId) -> tuple[tuple[ThingId, str], ...]:
    """In which routines (ids) a thing has keys, and of which channel; "" for hand-offs."""
    found: list[tuple[ThingId, str]] = []
    for routine_id, routine in rig.routines.items():
        found += [(routine_id, channel) for channel in routine.keys if split(channel)[0] == thing]
        if thing in routine.carried:
            found.append((routine_id, ""))
    return tuple(found)


def timed_section(document: Document, thing: ThingId) -> Iterator[Field]:
    """What routines have of a thing; nothing where they have nothing."""
    every = timed(document.rig, thing)
    adding = [c for c in adding_up(document.mounted) if split(c)[0] == thing]
    if not every and not (adding and document.rig.routines):
        return
    names = {document.rig.routines[routine_id].name for routine_id, _ in every}
    yield Head("In routines", ", ".join(sorted(names)) or "adds up")
    yield from (Words(partial(_adds_up, document, c)) for c in adding)
    for routine_id, channel in every:
        if channel:
            key = ChannelKey(channel)
            yield Words(partial(_keys, document, routine_id, key))
            yield Act("Show its curve", partial(_show, document, routine_id, key),
                      "The keys as stations, on the Cam page",
                      name=f"Curve of {number_word(document.rig, key) or 'it'}")  # fmt: skip
        else:
            yield Words(partial(_carried, document, routine_id, PartId(thing)))


def _routine(document: Document, routine_id: ThingId) -> Routine | None:
    return document.rig.routines.get(routine_id)


def _keys(document: Document, routine_id: ThingId, channel: ChannelKey) -> str:
    routine = _routine(document, routine_id)
    cam = None if routine is None else routine.keys.get(channel)
    if routine is None or cam is None:
        return ""
    word = number_word(document.rig, channel)
    count = counted_words(len(cam.stations), "key")
    times = [station.lead for station in cam.stations]
    span = f"{times[0]:.4g} s to {times[-1]:.4g} s" if times else ""
    return f"{routine.name}: {word + ', ' if word else ''}{count}, {span}"


def _adds_up(document: Document, channel: ChannelKey) -> str:
    timing, word = document.timing, number_word(document.rig, channel)
    if timing.on and timing.routine is not None:
        return f"{word}: added up from the beginning of {timing.routine.name}"
    return f"{word}: off the routine it goes on from where it is, which no routine reads"


def _carried(document: Document, routine_id: ThingId, part: PartId) -> str:
    routine = _routine(document, routine_id)
    hand_offs = () if routine is None else routine.carried.get(part, ())
    rig = document.rig
    told = [
        f"{carrier_name(rig, one.carrier)} from {one.time:.4g} s"
        for one in hand_offs
        if one.carrier is None or one.carrier in rig.parts
    ]
    return f"{routine.name}: carried by {', then '.join(told)}" if routine and told else ""


def _show(document: Document, routine_id: ThingId, channel: ChannelKey) -> None:
    if document.timing.routine_id != routine_id:
        document.timing.choose(routine_id)
    document.timing.curve_wanted.emit(channel)
