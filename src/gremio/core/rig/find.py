"""From the names people use to the ids the rig uses."""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Mapping, Sequence
from typing import TypeVar

from gremio.core.problem import NotFound
from gremio.core.rig.channels import freed, key
from gremio.core.rig.ids import CLOCK, ChannelKey, PartId, ThingId
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import OWNERS, Named, Owner, full_label
from gremio.core.rig.things import THINGS

Id = TypeVar("Id", bound=ThingId)


# So few names are all told where none is near.
_FEW = 12


def part_id(rig: Rig, name: str) -> PartId:
    """Id of the part of this name. Raises NotFound with the nearest names."""
    return _id_of(rig.parts, name, "part")


def control_id(rig: Rig, name: str) -> ThingId:
    """Id of the control of this name. Raises NotFound with the nearest names."""
    return _id_of(rig.controls, name, "control")


def path_id(rig: Rig, name: str) -> ThingId:
    """Id of the path of this name. Raises NotFound with the nearest names."""
    return _id_of(rig.paths, name, "path")


def constraint_id(rig: Rig, name: str) -> ThingId:
    """Id of the constraint of this name. Raises NotFound with the nearest names."""
    return _id_of(rig.constraints, name, "constraint")


def channel_key(rig: Rig, name: str) -> ChannelKey:
    """Key of a number by its name: a control's, "Upper gate, east turn z", "Lamp ride grip",
    "Gate low stop", "Rivet count".

    A part's name alone will do when its joint leaves one channel free.
    """
    for control, entry in rig.controls.items():
        if entry.name == name:
            return key(control)
    for owner in OWNERS:
        for thing, named in owner.things(rig).items():
            if name.startswith(named.name) and (found := _number_of(rig, owner, thing, name)):
                return found
    if name == CLOCK:
        return CLOCK
    raise NotFound(nothing_called(name, "control or free channel", _all_names(rig)))


def _number_of(rig: Rig, owner: Owner, thing: ThingId, name: str) -> ChannelKey | None:
    """Key of the number of a thing that is called by a name; None where it has none."""
    part = rig.parts.get(PartId(thing))
    if part is not None and part.name == name and len(freed(part.joint)) == 1:
        return key(thing, freed(part.joint)[0])
    for number in owner.names(rig, thing):
        called = key(thing, number)
        spelled = f"{owner.things(rig)[thing].name} {number}"
        if name in (full_label(rig, called), spelled):
            return called
    return None


def free_name(taken: Iterable[str], wanted: str) -> str:
    """`wanted`, or `wanted 2`, `wanted 3` … when the name is taken."""
    names = set(taken)
    if wanted not in names:
        return wanted
    number = 2
    while f"{wanted} {number}" in names:
        number += 1
    return f"{wanted} {number}"


def named_things(rig: Rig) -> dict[str, Mapping[ThingId, Named]]:
    """Everything that has a name, by id, and by the word for what it is: one space of names, so
    that no formula, script or person can mistake one for another."""
    return {one.word: one.of(rig) for one in THINGS if one.named}


def names_in(rig: Rig) -> set[str]:
    """All names that are taken."""
    return {thing.name for things in named_things(rig).values() for thing in things.values()}


def _id_of(things: Mapping[Id, Named], name: str, what: str) -> Id:
    for thing_id, thing in things.items():
        if thing.name == name:
            return thing_id
    raise NotFound(nothing_called(name, what, [thing.name for thing in things.values()]))


def _all_names(rig: Rig) -> list[str]:
    return [
        full_label(rig, key(thing, number))
        for owner in OWNERS
        for thing in owner.things(rig)
        for number in owner.names(rig, thing)
    ]


def nothing_called(name: str, what: str, names: Sequence[str]) -> str:
    """That there is nothing of a name, and which names are near to it."""
    near = difflib.get_close_matches(name, names, n=3, cutoff=0.4)
    hint = f" Did you mean {' or '.join(repr(n) for n in near)}?" if near else ""
    if not near and 0 < len(names) <= _FEW:
        hint = f" There is {', '.join(names)}."
    return f"The rig has no {what} called {name!r}.{hint}"
