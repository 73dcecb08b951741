"""How far a part stands from where a constraint wants it."""

from __future__ import annotations

import numpy as np

from gremio.core.arrays import Array, crossed
from gremio.core.frames import turn_matrix
from gremio.core.mechanics import turns
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import AnyConstraint
from gremio.core.solve.constraint_goals import axis_of, axis_that_counts, offset_of
from gremio.core.solve.pose import Pose


def off_by(pose: Pose, constraint_id: ThingId) -> tuple[float | None, float | None]:
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


def _pointing_off(stands: Array, profile: Array, constraint: AnyConstraint) -> float:
    """The angle between the axis that points and where it should (rad)."""
    axis = turn_matrix(offset_of(constraint).turn).T @ axis_of(axis_that_counts(constraint))
    # The profile is t·aᵀ, with the axis as it is kept.
    goal = profile @ axis
    now = stands @ axis
    return float(np.arctan2(np.linalg.norm(crossed(now, goal)), now @ goal))
