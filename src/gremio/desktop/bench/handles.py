"""What a hand can take hold of: a joint as an arc, a ring, a rail. No toolkit; world metres."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array
from gremio.core.plan.joints import joint_matrix
from gremio.core.records import Record
from gremio.core.rig.channels import freed, key, main_channel
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.numbers import shown_unit
from gremio.core.solve.axes import channel_axis, channel_frame
from gremio.core.solve.pose import Pose
from gremio.desktop.bench.scene import Scene, corners_of


class Handle(Record, frozen=True):
    """The handle of one part's joint.

    channel: key. origin: (3,) on the axis. axis: (3,) unit. arm: (3,) from the axis to the
    knob now; of a slide, zero. value, low, high: SI; infinite where there is no stop.
    reach: length of the arm, or half the length of a rail without stops (m). unit: that the value
    is shown in.
    """

    part: PartId
    channel: ChannelKey
    kind: Literal["arc", "ring", "rail"]
    origin: Array
    axis: Array
    arm: Array
    value: float
    low: float
    high: float
    reach: float
    unit: str = ""

    @property
    def knob(self) -> Array:
        """(3,) where the hand takes hold."""
        return self.origin + self.arm

    def at(self, value: float) -> Array:
        """(3,) where the knob would be at another value."""
        if self.kind == "rail":
            return self.knob + self.axis * (value - self.value)
        return self.origin + turned(self.arm, self.axis, value - self.value)

    def path(self) -> Array:
        """(N, 3) the way the knob can go, from the low to the high stop."""
        low, high = self.ends()
        count = 2 if self.kind == "rail" else max(2, math.ceil((high - low) / 0.08) + 1)
        values = np.linspace(low, high, count) - self.value
        if self.kind == "rail":
            return self.knob + values[:, None] * self.axis
        return self.origin + turned(self.arm, self.axis, values)

    def ends(self) -> tuple[float, float]:
        """The values between which the path is drawn."""
        if self.kind == "ring":
            return self.value - math.pi, self.value + math.pi
        span = self.reach if self.kind == "rail" else math.pi
        low = self.low if math.isfinite(self.low) else self.value - span
        high = self.high if math.isfinite(self.high) else self.value + span
        return low, high


def turned(vector: Array, axis: Array, angle: npt.ArrayLike) -> Array:
    """A vector (3,) turned about a unit axis by angles of any shape (Rodrigues' formula)."""
    turn = np.asarray(angle, dtype=float)[..., None]
    along = axis * float(axis @ vector)
    result: Array = along + (vector - along) * np.cos(turn) + np.cross(axis, vector) * np.sin(turn)
    return result


def handles_of(pose: Pose, scene: Scene, part: PartId, eye: Array) -> list[Handle]:
    """A handle for each channel of a part's joint, the main one first; none for a free joint,
    which is taken hold of anywhere.

    eye: (3,) where the eye is; an arc is drawn at the end of the axis that is nearer to it.
    """
    joint = pose.program.rig.parts[part].joint
    if joint.kind == "free":
        return []
    main = main_channel(joint)
    names = [c for c in freed(joint) if not c.startswith("scale")]
    names.sort(key=lambda name: name != main)
    return [_handle(pose, scene, part, name, eye) for name in names]


def handle_of(pose: Pose, scene: Scene, part: PartId, eye: Array) -> Handle | None:
    """The main handle of a part; None when its joint frees nothing, or everything."""
    found = handles_of(pose, scene, part, eye)
    return found[0] if found else None


def _handle(pose: Pose, scene: Scene, part: PartId, name: str, eye: Array) -> Handle:
    program = pose.program
    channel = key(part, name)
    row = program.part_row[part]
    world = pose.worlds[row]
    pivot, axis = channel_axis(pose, channel)
    corners = corners_of(scene, pose, {row})
    if len(corners) == 0:
        corners = world[:3, 3] + np.array([[0.1, 0.1, 0.1], [-0.1, -0.1, -0.1]])
    low, high = pose.ends(channel)
    value, unit = pose.at(channel), shown_unit(program.rig, channel)
    if name.startswith("move"):
        middle = (corners.min(axis=0) + corners.max(axis=0)) / 2
        reach = max(float(np.ptp(corners @ axis)), 0.1)
        return Handle(
            part, channel, "rail", middle, axis, np.zeros(3), value, low, high, reach, unit
        )
    # The arm goes with the turn: it is counted in the frame that this channel turns.
    turned_frame = channel_frame(pose, part, name)[:3, :3] @ joint_matrix({name: value})[:3, :3]
    origin, arm, reach = _arm(pivot, axis, corners, turned_frame, eye)
    if program.rig.parts[part].joint.kind == "planar":
        # The turn of a part that goes about is taken hold of close to it.
        arm, reach = arm * 0.5, reach * 0.5
    bounded = math.isfinite(low) and math.isfinite(high) and high - low < 2 * math.pi
    kind: Literal["arc", "ring"] = "arc" if bounded else "ring"
    return Handle(part, channel, kind, origin, axis, arm, value, low, high, reach, unit)


def _arm(
    pivot: Array, axis: Array, corners: Array, turn: Array, eye: Array
) -> tuple[Array, Array, float]:
    """Where on the axis an arc is drawn, and its arm: at its near end, toward the part's far
    side; for a part all round the axis, along the part's own first cross direction."""
    offsets = corners - pivot
    heights = offsets @ axis
    across = offsets - np.outer(heights, axis)
    far = float(np.linalg.norm(across, axis=1).max())
    side = across.mean(axis=0)
    size = float(np.linalg.norm(side))
    if size < 0.15 * far:
        side = next(c - axis * (c @ axis) for c in turn.T if abs(c @ axis) < 0.7)
        size = float(np.linalg.norm(side))
        reach = far * 1.12
    else:
        reach = far * 0.62
    near = heights.max() if float((eye - pivot) @ axis) >= 0 else heights.min()
    origin = pivot + axis * near
    return origin, side / size * reach, reach


def stop_moves(handle: Handle) -> list[Array]:
    """(4, 4) moves, in the world, from the pose to each stop the part is not at already."""
    moves = []
    for stop in (handle.low, handle.high):
        if not math.isfinite(stop) or abs(stop - handle.value) < 1e-9:
            continue
        move = np.eye(4)
        if handle.kind == "rail":
            move[:3, 3] = handle.axis * (stop - handle.value)
        else:
            spin = np.stack(
                [turned(unit, handle.axis, stop - handle.value) for unit in np.eye(3)], axis=1
            )
            move[:3, :3] = spin
            move[:3, 3] = handle.origin - spin @ handle.origin
        moves.append(move)
    return moves
