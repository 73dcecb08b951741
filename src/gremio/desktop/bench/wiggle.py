"""Trying an axis: the part moves a little to and fro, and nothing in the rig changes."""

from __future__ import annotations

import math

import numpy as np
from msgspec.structs import replace
from PyQt6.QtWidgets import QWidget

from gremio.core.edit.parts import descendants
from gremio.core.plan.joints import joint_matrix
from gremio.core.rig.channels import main_channel
from gremio.core.rig.ids import GROUND, PartId
from gremio.core.solve.axes import channel_frame
from gremio.core.solve.pose import Pose
from gremio.desktop.bench.showing import Showing

_SECONDS = 1.1
_SWINGS = 2
_ANGLE = math.radians(9)
_WAY = 0.06


class Wiggle(Showing):
    """Shows a part going to and fro about, or along, its main channel."""

    def __init__(self, bench: QWidget) -> None:
        super().__init__(bench, _SECONDS)
        self._part = GROUND

    def start(self, part: PartId) -> None:
        """Begin with a part, by id."""
        self._part = part
        self.begin()

    def shown(self, pose: Pose) -> Pose:
        """A pose with the part a little away from where it stands, while it moves."""
        parts = pose.program.rig.parts
        if not self.running or self._part not in parts:
            return pose
        channel = main_channel(parts[self._part].joint)
        if not channel:
            return pose
        share = self.share
        swing = math.sin(share * _SWINGS * 2 * math.pi) * (1 - share)
        size = _ANGLE if channel.startswith("turn") else _WAY
        frame = channel_frame(pose, self._part, channel)
        move = frame @ joint_matrix({channel: swing * size}) @ np.linalg.inv(frame)
        rows = pose.program.part_row
        worlds = pose.poses.worlds.copy()
        for part in (self._part, *descendants(pose.program.rig, self._part)):
            worlds[0, rows[part]] = move @ worlds[0, rows[part]]
        return Pose(replace(pose.poses, worlds=worlds))
