"""A motion shown once: the machine runs through poses, and nothing in the rig changes."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from gremio.core.solve.pose import Pose, Poses
from gremio.desktop.bench.showing import Showing

_SECONDS = 1.8


class Motion(Showing):
    """Shows poses one after another."""

    def __init__(self, bench: QWidget) -> None:
        super().__init__(bench, _SECONDS)
        self._poses: Poses | None = None

    def start(self, poses: Poses) -> None:
        """Show poses, from the first to the last."""
        self._poses = poses
        self.begin()

    def shown(self, pose: Pose) -> Pose:
        """The pose to draw now; the one given when nothing is being shown of its program."""
        poses = self._poses
        if not self.running or poses is None or poses.program is not pose.program:
            return pose
        return poses.frame(round(self.share * (poses.frames - 1)))
