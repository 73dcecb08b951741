"""Trying an axis: the part moves a little to and fro, and nothing in the rig changes."""

from __future__ import annotations

import math
import time
from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtWidgets import QWidget

from gremio.core.rig.channels import main_channel
from gremio.core.rig.edit.parts import descendants
from gremio.core.rig.joints import joint_matrix
from gremio.core.solve.axes import channel_frame
from gremio.core.solve.pose import Pose

_SECONDS = 1.1
_SWINGS = 2
_ANGLE = math.radians(9)
_WAY = 0.06


class Wiggle(QObject):
    """Shows a part going to and fro about, or along, its main channel."""

    def __init__(self, bench: QWidget) -> None:
        super().__init__(bench)
        self._bench = bench
        self._part = ""
        self._since = 0.0
        self._timer = QTimer(self)
        self._timer.setInterval(16)
        self._timer.timeout.connect(self._step)

    @property
    def running(self) -> bool:
        """Whether a part is moving to and fro now."""
        return self._timer.isActive()

    def start(self, part: str) -> None:
        """Begin with a part, by id."""
        self._part, self._since = part, time.monotonic()
        self._timer.start()

    def _step(self) -> None:
        if time.monotonic() - self._since > _SECONDS:
            self._timer.stop()
        self._bench.update()

    def shown(self, pose: Pose) -> Pose:
        """A pose with the part a little away from where it stands, while it moves."""
        parts = pose.program.rig.parts
        if not self.running or self._part not in parts:
            return pose
        channel = main_channel(parts[self._part].joint)
        if not channel:
            return pose
        share = min((time.monotonic() - self._since) / _SECONDS, 1.0)
        swing = math.sin(share * _SWINGS * 2 * math.pi) * (1 - share)
        size = _ANGLE if channel.startswith("turn") else _WAY
        frame = channel_frame(pose, self._part, channel)
        move = frame @ joint_matrix({channel: swing * size}) @ np.linalg.inv(frame)
        rows = pose.program.part_row
        worlds = pose.poses.worlds.copy()
        for part in (self._part, *descendants(pose.program.rig, self._part)):
            worlds[0, rows[part]] = move @ worlds[0, rows[part]]
        return Pose(replace(pose.poses, worlds=worlds))
