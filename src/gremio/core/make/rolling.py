"""Letting a part roll: about which of its turns, and on what radius."""

from __future__ import annotations

import numpy as np

from gremio.core.edit.change import must_have
from gremio.core.frames import matrix
from gremio.core.make.axes import own_axis
from gremio.core.make.round_things import widest_round
from gremio.core.problem import GremioError
from gremio.core.rig.channels import freed, key
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Rig, Rolling
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.pose import Pose

# The sine of how much an axis may stand up for a wheel to roll about it: some 60°, as of a wheel
# on a steep cone.
_UPRIGHT = 0.87


def wheel_radius(rig: Rig, part: PartId, geometry: GeometryOf) -> float:
    """The radius (m) of what a part is round about, or of its widest round shape. Raises
    GremioError for a part that is not round."""
    axis = own_axis(rig, part, geometry)
    if axis is not None:
        return axis.size
    diameter = widest_round(rig, part)
    if diameter <= 0:
        raise GremioError(
            f"{rig.parts[part].name} has no round shape to read a radius from. Give it a "
            "cylinder or a tube, or a model of a wheel."
        )
    return diameter / 2


def rolling_of(rig: Rig, part: PartId, pose: Pose, *, geometry: GeometryOf) -> Rolling:
    """The rolling of a part over the ground: about the levelest of the axes that it turns about, in
    every direction where it turns about all three; on the radius of its shape.

    pose: where it stands. Raises GremioError for a part that can't turn, turns about an upright
    axis alone, or is not round.
    """
    entry = must_have(rig.parts, part, "part")
    turns = [c for c in freed(entry.joint) if c.startswith("turn")]
    if not turns:
        raise GremioError(
            f"{entry.name} can't turn, so it can't roll. Give it a spin, a wheel or a ball joint."
        )
    ball = len(turns) == 3
    frame = pose.frame_of(entry.parent) @ matrix(entry.mount)
    axes = frame[:3, :3] / np.linalg.norm(frame[:3, :3], axis=0)
    stands = {turn: abs(float(axes[2, "xyz".index(turn[-1])])) for turn in turns}
    turn = turns[0] if ball else min(turns, key=lambda one: stands[one])
    if not ball and stands[turn] > _UPRIGHT:
        raise GremioError(
            f"{entry.name} turns about an upright axis, so it can't roll over the ground. Lay its "
            "axis level first (Pick its axis)."
        )
    return Rolling(key(part, turn), wheel_radius(rig, part, geometry), ball=ball)
