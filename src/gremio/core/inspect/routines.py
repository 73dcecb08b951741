"""What is wrong with routines: keys that move nothing, hand-offs that do not count."""

from __future__ import annotations

from functools import partial

from msgspec.structs import replace

from gremio.core.edit.change import without
from gremio.core.edit.routines import change_routine
from gremio.core.inspect.finding import Finding, Mend
from gremio.core.motion.routines import unheard
from gremio.core.motion.stretches import faults_on_the_way, unsound_note
from gremio.core.rig.carried import Unsound, carried_in_turn
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.model import Rig
from gremio.core.solve.program import Program


def routine_findings(rig: Rig, program: Program) -> list[Finding]:
    """Keys that move nothing and hand-offs that do not count, of all routines of a rig. program: of
    the rig, or of one that differs from it in its routines alone."""
    found = []
    for routine_id, routine in rig.routines.items():
        for channel, note in unheard(program, routine).items():
            mend = Mend("remove these keys", partial(_without, routine=routine_id, channel=channel))
            told = replace(note, text=f"In {routine.name}: {note.text}")
            found.append(Finding(told, (mend,) if channel in routine.keys else ()))
        for one in carried_in_turn(rig, routine).unsound:
            change = partial(_without_hand_off, routine=routine_id, unsound=one)
            told = unsound_note(rig, one)
            told = replace(told, text=f"In {routine.name}: {told.text}")
            found.append(Finding(told, (Mend("take it out", change),)))
        if routine.carried:
            found += [Finding(note) for note in faults_on_the_way(program, routine)]
    return found


def _without_hand_off(rig: Rig, routine: ThingId, unsound: Unsound) -> Rig:
    entry, part = rig.routines[routine], unsound.part
    left = tuple(h for h in entry.carried[part] if h is not unsound.hand_off)
    carried = {**entry.carried, part: left} if left else without(entry.carried, part)
    return change_routine(rig, routine, replace(entry, carried=carried))


def _without(rig: Rig, routine: ThingId, channel: ChannelKey) -> Rig:
    entry = rig.routines[routine]
    return change_routine(rig, routine, replace(entry, keys=without(entry.keys, channel)))
