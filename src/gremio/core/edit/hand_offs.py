"""Edits on hand-offs: what carries a part from when on."""

from __future__ import annotations

import math

from msgspec.structs import replace

from gremio.core.edit.change import check_frame, must_have, without
from gremio.core.edit.routines import SAME_TIME, change_routine
from gremio.core.frames import IDENTITY, Frame
from gremio.core.problem import GremioError
from gremio.core.rig.carried import carried_in_turn, carrier_name, carriers_at
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import HandOff, Rig, Routine


def hand_over(
    rig: Rig,
    routine_id: ThingId,
    part_id: PartId,
    time: float,
    carrier: PartId | None,
    *,
    over: float = 0.0,
    place: Frame = IDENTITY,
) -> Rig:
    """The rig in which a part rides on another carrier from a time of a routine on (s), and stays
    where it stands then. One at the same time is replaced.

    carrier: id of a part; None for the ground. over: how long it then takes to settle into a place
    of the carrier (s); 0: it stays. place: in the carrier's frame. Raises GremioError for a time
    outside the routine, and for a carrier that rides on the part then.
    """
    routine = must_have(rig.routines, routine_id, "routine")
    part = must_have(rig.parts, part_id, "part")
    if carrier is not None:
        must_have(rig.parts, carrier, "part")
    if not (math.isfinite(time) and -SAME_TIME <= time <= routine.length + SAME_TIME):
        raise GremioError(
            f"{routine.name} is {routine.length:g} s long, and nothing can be handed over at "
            f"{time:g} s. Make it longer."
        )
    if not (math.isfinite(over) and over >= 0.0):
        raise GremioError(f"To settle, {part.name} needs a time of 0 s or more.")
    check_frame(place, f"The place where {part.name} settles")
    time = min(max(time, 0.0), routine.length)
    others = [h for h in routine.carried.get(part_id, ()) if abs(h.time - time) > SAME_TIME]
    without_it = _with(routine, part_id, others)
    if carriers_at(rig, without_it, time).get(part_id, part.parent) == carrier and not over:
        raise GremioError(
            f"{part.name} rides on {carrier_name(rig, carrier)} already at {time:.6g} s. Choose "
            "another carrier, or another time."
        )
    made = HandOff(time, carrier, over, place)
    return _changed(rig, routine_id, _with(routine, part_id, [*others, made]))


def move_hand_off(
    rig: Rig, routine_id: ThingId, part_id: PartId, time: float, to: float
) -> Rig:  # fmt: skip
    """The rig in which a hand-off that is at a time (s) is at another; it stays between those
    before and after it. Raises GremioError."""
    routine = must_have(rig.routines, routine_id, "routine")
    found = _at(rig, routine, part_id, time)
    every = routine.carried[part_id]
    place = every.index(found)
    low = every[place - 1].time if place else 0.0
    high = every[place + 1].time if place + 1 < len(every) else routine.length
    if not low <= to <= high or (place and to - low <= SAME_TIME):
        raise GremioError(
            f"The hand-off of {rig.parts[part_id].name} at {found.time:.6g} s can't come to "
            f"{to:.6g} s, past another or the end. Move that first."
        )
    moved = [*every[:place], replace(found, time=to), *every[place + 1 :]]
    return _changed(rig, routine_id, _with(routine, part_id, moved))


def settle_into(
    rig: Rig, routine_id: ThingId, part_id: PartId, time: float, over: float, place: Frame
) -> Rig:
    """The rig in which a part that is handed over at a time (s) settles into a place of its carrier
    (in its frame) over a time (s). Raises GremioError."""
    routine = must_have(rig.routines, routine_id, "routine")
    found = _at(rig, routine, part_id, time)
    return hand_over(rig, routine_id, part_id, found.time, found.carrier, over=over, place=place)


def remove_hand_off(rig: Rig, routine_id: ThingId, part_id: PartId, time: float) -> Rig:
    """The rig without a hand-off at a time (s): the part rides on as before it."""
    routine = must_have(rig.routines, routine_id, "routine")
    found = _at(rig, routine, part_id, time)
    others = [h for h in routine.carried[part_id] if h is not found]
    return change_routine(rig, routine_id, _with(routine, part_id, others))


def _at(rig: Rig, routine: Routine, part_id: PartId, time: float) -> HandOff:
    part = must_have(rig.parts, part_id, "part")
    for one in routine.carried.get(part_id, ()):
        if abs(one.time - time) <= SAME_TIME:
            return one
    raise GremioError(f"{part.name} is not handed over at {time:.6g} s in {routine.name}.")


def _with(routine: Routine, part_id: PartId, hand_offs: list[HandOff]) -> Routine:
    carried = without(routine.carried, part_id)
    if hand_offs:
        carried = {**carried, part_id: tuple(sorted(hand_offs, key=lambda h: h.time))}
    return replace(routine, carried=carried)


def _changed(rig: Rig, routine_id: ThingId, routine: Routine) -> Rig:
    """The rig with a routine whose hand-offs can all be that could before."""
    before = {(u.part, u.hand_off) for u in
              carried_in_turn(rig, rig.routines[routine_id]).unsound}  # fmt: skip
    for one in carried_in_turn(rig, routine).unsound:
        if (one.part, one.hand_off) not in before:
            name, carrier = rig.parts[one.part].name, carrier_name(rig, one.hand_off.carrier)
            raise GremioError(
                f"{name} can't be handed over to {carrier}: {one.why}. Hand {carrier} over to "
                "something else first, or choose another carrier."
            )
    return change_routine(rig, routine_id, routine)
