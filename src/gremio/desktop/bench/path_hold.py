"""Pulling a point of the selected path, in the plane of the screen."""

from __future__ import annotations

import math

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QPointF

from gremio.core.arrays import Array
from gremio.core.edit.paths import change_path
from gremio.core.frames import carried
from gremio.core.records import Record
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Rig, Triple
from gremio.desktop.bench.camera import Camera, Size
from gremio.desktop.bench.drag import level_shift
from gremio.desktop.bench.overlay import Overlay
from gremio.desktop.document.document import Document

_REACH = 9.0


class PathHold(Record, frozen=True):
    """A point of a path, taken hold of. index: which. grip: (3,) in the world."""

    document: Document
    path: ThingId
    index: int
    grip: Array
    camera: Camera

    @classmethod
    def at(
        cls, document: Document, overlay: Overlay, at: QPointF, camera: Camera
    ) -> PathHold | None:
        """Take hold of the point of the selected path at a place of the sheet, if one is there."""
        for track in overlay.drawn.tracks:
            if track.path != document.selected or document.rig.locked:
                continue
            for index, spot in enumerate(overlay.points(track.points)):
                if math.hypot(spot.x() - at.x(), spot.y() - at.y()) <= _REACH:
                    return cls(document, track.path, index, track.points[index], camera)
        return None

    def to(self, at: QPointF, size: Size) -> None:
        """Bring the point to where the pointer is."""
        entry = self.document.rig.paths[self.path]
        place = self.grip + level_shift(self.camera, size, self.grip, (at.x(), at.y()))
        frame = self.document.pose.frame_of(entry.on)
        back = np.linalg.inv(frame)
        x, y, z = (float(v) for v in carried(back, place))
        points: list[Triple] = list(entry.points)
        points[self.index] = (x, y, z)

        def change(rig: Rig) -> Rig:
            return change_path(rig, self.path, replace(entry, points=tuple(points)))

        self.document.edit(f"move a point of {entry.name}", change, f"point {self.index}")
