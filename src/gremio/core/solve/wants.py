"""What constraints want in a pose, and how far from it their parts are held."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np
import numpy.typing as npt

from gremio.core.frames import turn_matrix
from gremio.core.mechanics import turns
from gremio.core.problem import Note
from gremio.core.quantity import show_short
from gremio.core.rig.constraints import constraint_words
from gremio.core.rig.model import Constraint, Rig
from gremio.core.solve.constraint_goals import Goal, axis_of

if TYPE_CHECKING:
    from gremio.core.solve.pose import Pose

Array = npt.NDArray[np.float64]
_MISSED = 1e-9


class Want(NamedTuple):
    """What one constraint wants in F frames, as in Goal, and how much of it is had.

    has, influence: (F,). place, normal: (F, 3). turn: (F, 3, 3). missing: (F,).
    """

    has: npt.NDArray[np.bool_]
    influence: Array
    place: Array | None
    turn: Array | None
    whole: bool
    missing: Array | None
    normal: Array | None

    def frames(self, some: slice) -> Want:
        """What it wants in some of the frames."""
        arrays = (self.place, self.turn, self.missing, self.normal)
        cut = [None if a is None else a[some] for a in arrays]
        return Want(self.has[some], self.influence[some], cut[0], cut[1], self.whole, *cut[2:])

    def spread(self, frames: int) -> Want:
        """The same in many frames, of what is wanted in one."""
        arrays = (self.place, self.turn, self.missing, self.normal)
        wide = [None if a is None else np.broadcast_to(a, (frames, *a.shape[1:])) for a in arrays]
        has = np.broadcast_to(self.has, (frames,))
        influence = np.broadcast_to(self.influence, (frames,))
        return Want(has, influence, wide[0], wide[1], self.whole, *wide[2:])


def want_of(goal: Goal, index: int, influence: Array) -> Want:
    """What one of several constraints wants. influence: (F,)."""
    arrays = (goal.place, goal.turn, goal.missing, goal.normal)
    cut = [None if a is None else a[index] for a in arrays]
    return Want(goal.has[index], influence, cut[0], cut[1], goal.whole, *cut[2:])


def off_by(pose: Pose, constraint_id: str) -> tuple[float | None, float | None]:
    """How far a part stands from the place (m), and from the turn (rad), that a constraint
    wants of it; None where it wants none. Of an aim, the angle between axis and target."""
    want = pose.poses.wants.get(constraint_id)
    if want is None or not want.has[0]:
        return None, None
    constraint = pose.program.rig.constraints[constraint_id]
    if want.missing is not None and constraint.kind == "reach":
        return float(want.missing[0]), None
    world = pose.world(constraint.part)
    away = None if want.place is None else float(np.linalg.norm(world[:3, 3] - want.place[0]))
    if want.turn is None or not any(c.startswith("turn") for c in constraint.channels):
        return away, None
    stands = turns.turn_of(world)
    if want.whole:
        return away, _angle_between(stands, want.turn[0])
    return away, _pointing_off(stands, want.turn[0], constraint)


def _angle_between(one: Array, two: Array) -> float:
    """The angle of the turn from one to another (rad)."""
    apart = one.T @ two
    sine = np.linalg.norm([apart[2, 1] - apart[1, 2], apart[0, 2] - apart[2, 0],
                           apart[1, 0] - apart[0, 1]])  # fmt: skip
    return float(np.arctan2(sine, np.trace(apart) - 1))


def _pointing_off(stands: Array, profile: Array, constraint: Constraint) -> float:
    """The angle between the axis that points and where it should (rad)."""
    axis = turn_matrix(constraint.offset.turn).T @ axis_of(constraint.axis)
    # The profile is t·aᵀ, with the axis as it is kept.
    goal = profile @ axis
    now = stands @ axis
    return float(np.arctan2(np.linalg.norm(np.cross(now, goal)), now @ goal))


def want_notes(rig: Rig, wants: dict[str, Want]) -> list[Note]:
    """What constraints can't have in the first frame."""
    notes = []
    for constraint_id, want in wants.items():
        constraint = rig.constraints[constraint_id]
        if float(want.influence[0]) == 0.0:
            continue
        name, told = rig.parts[constraint.part].name, constraint_words(rig, constraint)
        if not want.has[0]:
            notes.append(Note("constraint-empty", name, f"{told}. {_WHY[constraint.kind]}",
                              "warning"))  # fmt: skip
        elif want.missing is not None and float(want.missing[0]) > _MISSED:
            short = show_short(float(want.missing[0]), "mm")
            text = (
                f"{told}, but its joint keeps it {short} too far off, however it moves. Give it "
                "more distance, or free another channel."
            )
            if constraint.kind == "reach":
                text = (
                    f"{told}, but its joints bring it no nearer than {short}. Bring the target "
                    "nearer, move a stop, or let another joint move."
                )
            notes.append(Note("constraint-short", name, text, "warning"))
    return notes


_NO_WEIGHT = "No target counts here: all their weights are 0. Give one some weight."
_WHY = {
    "ride": _NO_WEIGHT,
    "pin": _NO_WEIGHT,
    "match": _NO_WEIGHT,
    "tether": _NO_WEIGHT,
    "aim": (
        "Here the target is where the part is, or no target has a weight, so there is no way to "
        "point. Move one of them."
    ),
    "seat": "Its target has no faces to sit on. Choose a part with a shape.",
    "follow path": "The path has no length. Move its points apart.",
    "reach": _NO_WEIGHT,
    "constant volume": "A scale of 0 has no volume to keep. Give it some.",
}
