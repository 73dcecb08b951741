"""What is wrong with routines: keys that move nothing."""

from __future__ import annotations

from functools import partial

from msgspec.structs import replace

from gremio.core.edit.change import without
from gremio.core.edit.routines import change_routine
from gremio.core.inspect.finding import Finding, Mend
from gremio.core.motion.routines import unheard
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.model import Rig
from gremio.core.solve.program import Program


def routine_findings(rig: Rig, program: Program) -> list[Finding]:
    """Keys that move nothing, of all routines of a rig. program: of the rig, or of one that
    differs from it in its routines alone."""
    found = []
    for routine_id, routine in rig.routines.items():
        for channel, note in unheard(program, routine).items():
            mend = Mend("remove these keys", partial(_without, routine=routine_id, channel=channel))
            told = replace(note, text=f"In {routine.name}: {note.text}")
            found.append(Finding(told, (mend,)))
    return found


def _without(rig: Rig, routine: ThingId, channel: ChannelKey) -> Rig:
    entry = rig.routines[routine]
    return change_routine(rig, routine, replace(entry, keys=without(entry.keys, channel)))
