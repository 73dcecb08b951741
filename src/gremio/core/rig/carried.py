"""Who carries what over a routine, and hand-offs that can't be."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import NamedTuple

from gremio.core.rig.ids import PartId
from gremio.core.rig.model import HandOff, Rig, Routine

# By part, what carries it: id of a part, None for the ground.
Carriers = Mapping[PartId, PartId | None]
GROUND_WORD = "the ground"


class Mark(NamedTuple):
    """What is handed over at one time (s), by part; and what carries parts that are ever handed
    over from then on."""

    time: float
    handed: Mapping[PartId, HandOff]
    carriers: Carriers


class Unsound(NamedTuple):
    """A hand-off that can't be, and why."""

    part: PartId
    hand_off: HandOff
    why: str


class CarriedInTurn(NamedTuple):
    """The hand-offs of a routine in the order of time, and those that can't be."""

    marks: tuple[Mark, ...]
    unsound: tuple[Unsound, ...]


def carrier_name(rig: Rig, carrier: PartId | None) -> str:
    """What a carrier is called."""
    return GROUND_WORD if carrier is None else rig.parts[carrier].name


def carried_in_turn(rig: Rig, routine: Routine) -> CarriedInTurn:
    """The hand-offs of a routine that can be, in the order of time, and those that can't."""
    unsound: list[Unsound] = []
    by_time: dict[float, dict[PartId, HandOff]] = {}
    for part, hand_offs in routine.carried.items():
        for one in hand_offs:
            why = _alone(rig, routine, part, one)
            if not why and part in by_time.get(one.time, {}):
                why = f"{rig.parts[part].name} is handed over twice at {one.time:.6g} s"
            if why:
                unsound.append(Unsound(part, one, why))
            else:
                by_time.setdefault(one.time, {})[part] = one
    carriers: dict[PartId, PartId | None] = {
        part: rig.parts[part].parent for part in routine.carried if part in rig.parts
    }
    marks = []
    for time in sorted(by_time):
        handed = by_time[time]
        before = dict(carriers)
        carriers.update({part: one.carrier for part, one in handed.items()})
        # One that is taken back stays where it rode, and others may come to ride on it: asked anew.
        while (wrong := _on_itself(rig, carriers, handed)) is not None:
            one = handed.pop(wrong)
            name, other = rig.parts[wrong].name, carrier_name(rig, one.carrier)
            why = f"{other} rides on {name} itself at {time:.6g} s"
            unsound.append(Unsound(wrong, one, why))
            carriers[wrong] = before[wrong]
        if handed:
            marks.append(Mark(time, handed, dict(carriers)))
    return CarriedInTurn(tuple(marks), tuple(unsound))


def _alone(rig: Rig, routine: Routine, part: PartId, one: HandOff) -> str:
    """Why a hand-off can't be, whatever else is; "" where it can."""
    if part not in rig.parts:
        return "what is handed over is not in the rig"
    if one.carrier is not None and one.carrier not in rig.parts:
        return f"what should carry {rig.parts[part].name} is not in the rig"
    if not 0.0 <= one.time <= routine.length:
        return f"{one.time:.6g} s is not in {routine.name}"
    if not (math.isfinite(one.over) and one.over >= 0.0 and any(one.place.turn)):
        return f"how {rig.parts[part].name} settles is no plain number"
    return ""


def _on_itself(rig: Rig, carriers: Carriers, handed: Mapping[PartId, HandOff]) -> PartId | None:
    """The first of those handed over that rides on itself."""
    return next((part for part in handed if _rides_on_itself(rig, carriers, part)), None)


def _rides_on_itself(rig: Rig, carriers: Carriers, part: PartId) -> bool:
    seen: set[PartId] = set()
    here = carriers[part]
    while here is not None and here in rig.parts and here not in seen:
        if here == part:
            return True
        seen.add(here)
        here = carriers[here] if here in carriers else rig.parts[here].parent
    return False


def carriers_at(rig: Rig, routine: Routine, time: float) -> Carriers:
    """What carries the parts that are ever handed over, at a time (s)."""
    found: Carriers = {p: rig.parts[p].parent for p in routine.carried if p in rig.parts}
    for mark in carried_in_turn(rig, routine).marks:
        if mark.time <= time:
            found = mark.carriers
    return found
