"""What goes along with an edit: what rolls or drives as a control is put back within a narrower
range, and treads as their wheels are resized."""

from __future__ import annotations

from gremio.core.edit.controls import set_values
from gremio.core.rig.channels import key
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import control_ends
from gremio.core.solve.evaluate import rolled_on
from gremio.core.solve.program import Program


def followed(program: Program, before: Rig, after: Rig) -> Rig:
    """A rig after an edit, with all that rolls or drives where it comes to as controls go back
    within ranges that the edit made narrower, and treads on wheels that it made larger or smaller.
    program: of the rig before."""
    if after.treads and before.parts is not after.parts:
        from gremio.core.make.tread_changes import treads_fitted

        after = treads_fitted(program, before, after)
    if not program.growing or before.controls is after.controls:
        return after
    back = {}
    for control, entry in after.controls.items():
        was = before.controls.get(control)
        if was is None or entry.open or control_ends(was) == control_ends(entry):
            continue
        at = before.at.get(key(control), was.home)
        if not entry.low <= at <= entry.high:
            back[key(control)] = min(max(at, entry.low), entry.high)
    if not back:
        return after
    rolled = rolled_on(program, before.at, {**before.at, **back})
    return set_values(after, {c: v for c, v in rolled.items() if v != before.at.get(c)})
