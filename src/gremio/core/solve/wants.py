"""What constraints want in a pose, and how far from it their parts are held."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from gremio.core.arrays import Array, Flags, Rows
from gremio.core.problem import Note
from gremio.core.quantity import show_short
from gremio.core.rig.constraints import CONSTRAINTS, constraint_words
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Rig
from gremio.core.solve.constraint_goals import Goal

_MISSED = 1e-9
# A chain is begun anew from so many other places where it comes to rest short of its target.
OTHER_STARTS = 24


class Want(NamedTuple):
    """What one constraint wants in F frames, as in Goal, and how much of it is had.

    has, grip: (F,). place, normal: (F, 3). turn: (F, 3, 3). missing: (F,). proven: (F,) whether
    what is missing can't be had in any way. jumps: (F,) where it stands otherwise than in the frame
    before for no more than a better place.
    """

    has: Flags
    grip: Array
    place: Array | None
    turn: Array | None
    whole: bool
    missing: Array | None
    normal: Array | None
    proven: Flags | None = None
    jumps: Flags | None = None

    def frames(self, some: slice | Rows) -> Want:
        """What it wants in some of the frames."""
        arrays = (self.place, self.turn, self.missing, self.normal, self.proven, self.jumps)
        cut: list[Any] = [None if a is None else a[some] for a in arrays]
        place, turn, missing, normal, proven, jumps = cut
        has, grip = self.has[some], self.grip[some]
        return Want(has, grip, place, turn, self.whole, missing, normal, proven, jumps)

    def spread(self, frames: int) -> Want:
        """The same in many frames, of what is wanted in one."""
        return self.frames(np.zeros(frames, dtype=np.intp))


def want_of(goal: Goal, index: int, grip: Array) -> Want:
    """What one of several constraints wants. grip: (F,)."""
    arrays = (goal.place, goal.turn, goal.missing, goal.normal)
    cut = [None if a is None else a[index] for a in arrays]
    return Want(goal.has[index], grip, cut[0], cut[1], goal.whole, *cut[2:])


def want_notes(rig: Rig, wants: dict[ThingId, Want]) -> list[Note]:
    """What constraints can't have in the first frame."""
    notes = []
    for constraint_id, want in wants.items():
        constraint = rig.constraints[constraint_id]
        if float(want.grip[0]) == 0.0:
            continue
        name, told = rig.parts[constraint.part].name, constraint_words(rig, constraint)
        if not want.has[0]:
            why = CONSTRAINTS[constraint.kind].empty
            notes.append(Note("constraint-empty", name, f"{told}. {why}",
                              "warning"))  # fmt: skip
        elif want.missing is not None and float(want.missing[0]) > _MISSED:
            short = show_short(float(want.missing[0]), "mm")
            text = (
                f"{told}, but its joint keeps it {short} too far off, however it moves. Give it "
                "more distance, or free another channel."
            )
            if constraint.kind == "reach":
                limit = want.proven is not None and bool(want.proven[0])
                how = (
                    f"its arms end {short} from there, however they are turned"
                    if limit
                    else f"no nearer than {short} was found in {OTHER_STARTS + 1} starts"
                )
                text = (
                    f"{told}, but {how}. Bring the target nearer, move a stop, or let another "
                    "joint move."
                )
            notes.append(Note("constraint-short", name, text, "warning"))
        if want.jumps is not None and bool(want.jumps[0]):
            text = (
                f"{told}, and here it goes over to another way of reaching, in one frame. Put its "
                "joints nearer to that, or give them stops."
            )
            notes.append(Note("reach-jump", name, text, "warning"))
    return notes
