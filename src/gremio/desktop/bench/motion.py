"""A motion shown once: the machine runs through poses, and nothing in the rig changes."""

from __future__ import annotations

import time

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtWidgets import QWidget

from gremio.core.solve.pose import Pose, Poses

_SECONDS = 1.8


class Motion(QObject):
    """Shows poses one after another."""

    def __init__(self, bench: QWidget) -> None:
        super().__init__(bench)
        self._bench = bench
        self._poses: Poses | None = None
        self._since = 0.0
        self._timer = QTimer(self)
        self._timer.setInterval(16)
        self._timer.timeout.connect(self._step)

    @property
    def running(self) -> bool:
        """Whether a motion is being shown now."""
        return self._timer.isActive()

    def start(self, poses: Poses) -> None:
        """Show poses, from the first to the last."""
        self._poses, self._since = poses, time.monotonic()
        self._timer.start()

    def _step(self) -> None:
        if time.monotonic() - self._since > _SECONDS:
            self._timer.stop()
            self._poses = None
        self._bench.update()

    def shown(self, pose: Pose) -> Pose:
        """The pose to draw now; the one given when nothing is being shown of its program."""
        poses = self._poses
        if poses is None or poses.program is not pose.program:
            return pose
        share = min((time.monotonic() - self._since) / _SECONDS, 1.0)
        return poses.frame(round(share * (poses.frames - 1)))
