"""A hand at the face of a control in the Bench."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtCore import QPointF

from gremio.core.edit.controls import change_control
from gremio.core.rig.numbers import owner_name
from gremio.core.solve.pose import Pose
from gremio.desktop.bench.camera import Camera, Size
from gremio.desktop.bench.drag import level_shift
from gremio.desktop.bench.faces import Shown, frame_of_face, moved_by
from gremio.desktop.document.document import Document
from gremio.desktop.makes.makes import Pull


class FaceHold:
    """From where a face was taken hold of: its body moves the control, its plate the face.

    The face stays, for the hand, where it was when it was taken, even if its carrier moves.
    """

    def __init__(
        self, document: Document, face: Shown, what: str, at: QPointF, camera: Camera
    ) -> None:
        self.document, self.face, self.camera = document, face, camera
        self._at = at
        self._moved = False
        spot = face.inside(at)
        self._pull = None
        if what == "body" and spot is not None:
            self._pull = Pull(face.body, face.standing, spot)
            if self._pull.moves_at_once:
                self._send(spot)
        self._pose: Pose = document.pose

    def _send(self, spot: QPointF) -> None:
        assert self._pull is not None
        for control, value in self._pull.to(spot).items():
            self.document.move(control, value, f"drag {self.face.standing.control}")

    def to(self, at: QPointF, size: Size) -> None:
        """The hand has come to a point of the Bench."""
        if self._pull is not None:
            spot = self.face.inside(at)
            if spot is not None:
                self._send(spot)
            return
        step = at - self._at
        if not self._moved and abs(step.x()) + abs(step.y()) < 4:
            return
        self._moved = True
        self._carry(step, size)

    def _carry(self, step: QPointF, size: Size) -> None:
        """Move the face in the plane of the screen; the value stays."""
        control = self.face.standing.control
        grip = frame_of_face(self._pose, self.face.face)[:3, 3]
        anchor = self.face.anchor + step
        shift = level_shift(self.camera, size, grip, (anchor.x(), anchor.y()))
        face = moved_by(self._pose, self.face.face, shift)
        entry = replace(self.document.rig.controls[control], face=face)
        name = owner_name(self.document.rig, control)
        self.document.edit(
            f"place the face of {name}",
            lambda rig: change_control(rig, control, entry),
            f"place face {control}",
        )

    def let_go(self) -> None:
        """The hand is taken off; a lever that springs goes home."""
        entry = self.face.standing.entry
        if self._pull is not None and entry.make == "lever" and entry.springs:
            control = self.face.standing.control
            self.document.move(control, entry.home, f"drag {control}")
        self.document.settle()
