"""From the names people use to the ids the rig uses."""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Mapping

from gremio.core.problem import NotFound
from gremio.core.rig.channels import free_of, freed, key
from gremio.core.rig.constraints import numbers
from gremio.core.rig.model import Constraint, Control, Part, Rig


def part_id(rig: Rig, name: str) -> str:
    """Id of the part of this name. Raises NotFound with the nearest names."""
    return _id_of(rig.parts, name, "part")


def control_id(rig: Rig, name: str) -> str:
    """Id of the control of this name. Raises NotFound with the nearest names."""
    return _id_of(rig.controls, name, "control")


def constraint_id(rig: Rig, name: str) -> str:
    """Id of the constraint of this name. Raises NotFound with the nearest names."""
    return _id_of(rig.constraints, name, "constraint")


def channel_key(rig: Rig, name: str) -> str:
    """Key of a channel by its name: a control's, "Upper gate, east turn z", "Lamp ride
    influence".

    A part's name alone will do when its joint leaves one channel free.
    """
    for control, entry in rig.controls.items():
        if entry.name == name:
            return control
    for part, candidate in rig.parts.items():
        if candidate.name == name and len(freed(candidate.joint)) == 1:
            return key(part, freed(candidate.joint)[0])
        for channel in free_of(candidate):
            if name == f"{candidate.name} {channel}":
                return key(part, channel)
    for constraint_id, constraint in rig.constraints.items():
        for number in numbers(constraint):
            if name == f"{constraint.name} {number}":
                return key(constraint_id, number)
    raise NotFound(_nothing_called(name, "control or free channel", _all_names(rig)))


def free_name(taken: Iterable[str], wanted: str) -> str:
    """`wanted`, or `wanted 2`, `wanted 3` … when the name is taken."""
    names = set(taken)
    if wanted not in names:
        return wanted
    number = 2
    while f"{wanted} {number}" in names:
        number += 1
    return f"{wanted} {number}"


def names_in(rig: Rig) -> set[str]:
    """All names of parts, controls, measures, struts, strands and constraints: one space, so
    that no formula can mistake."""
    return {
        *(part.name for part in rig.parts.values()),
        *(control.name for control in rig.controls.values()),
        *(measure.name for measure in rig.measures.values()),
        *(strut.name for strut in rig.struts.values()),
        *(constraint.name for constraint in rig.constraints.values()),
        *(strand.name for strand in rig.strands.values()),
    }


def _id_of(
    things: Mapping[str, Part] | Mapping[str, Control] | Mapping[str, Constraint],
    name: str,
    what: str,
) -> str:
    for thing_id, thing in things.items():
        if thing.name == name:
            return thing_id
    raise NotFound(_nothing_called(name, what, [thing.name for thing in things.values()]))


def _all_names(rig: Rig) -> list[str]:
    channels = [f"{p.name} {channel}" for p in rig.parts.values() for channel in free_of(p)]
    own = [f"{c.name} {number}" for c in rig.constraints.values() for number in numbers(c)]
    return [control.name for control in rig.controls.values()] + channels + own


def _nothing_called(name: str, what: str, names: list[str]) -> str:
    near = difflib.get_close_matches(name, names, n=3, cutoff=0.4)
    hint = f" Did you mean {' or '.join(repr(n) for n in near)}?" if near else ""
    return f"The rig has no {what} called {name!r}.{hint}"
