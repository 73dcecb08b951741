"""A shape as a small inked drawing, for lists."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QLineF, QSize
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from gremio.core.arrays import Array
from gremio.core.rig.solids import Box
from gremio.core.shape.geometry import Geometry
from gremio.core.shape.solids import geometry_of
from gremio.desktop.theme.inks import Inks

# Seen from above, before and the right, as assembly drawings are: two axes of the paper in x, y, z.
_RIGHT = np.array([-0.5, 0.866, 0.0])
_UP = np.array([-0.35, -0.2, 0.915])
_MOST, _MANY = 600, 20_000
_ROOM = 4.0


class Drawing(QWidget):
    """A drawing of a surface by its sharp edges. geometry: None for nothing to draw."""

    def __init__(self, inks: Inks, geometry: Geometry | None, size: QSize) -> None:
        super().__init__()
        self.inks = inks
        self.setFixedSize(size)
        self.lines = np.zeros((0, 2, 2)) if geometry is None else seen(geometry)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Its edges, as large as there is room."""
        if len(self.lines) == 0:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(self.inks.ink), 0.8))
        points = self.lines.reshape(-1, 2)
        low, high = points.min(axis=0), points.max(axis=0)
        room = np.array([self.width(), self.height()]) - 2 * _ROOM
        scale = float((room / np.maximum(high - low, 1e-9)).min())
        middle = np.array([self.width(), self.height()]) / 2
        placed = (self.lines - (low + high) / 2) * [scale, -scale] + middle
        painter.drawLines(*(QLineF(*one, *two) for one, two in placed.tolist()))


def seen(geometry: Geometry) -> Array:
    """(n, 2, 2) the sharp edges of a surface on the paper, and those of its outline; of one of
    very many triangles, whose edges take long to find, those of the box that it fills."""
    if len(geometry.triangles) > _MANY:
        geometry = geometry_of(Box(*np.ptp(geometry.bounds, axis=0).tolist()))
    edges = geometry.edges
    ahead = np.cross(_RIGHT, _UP)
    facing = edges.normals @ ahead
    outline = facing[:, 0] * facing[:, 1] < 0
    shown = edges.ends[edges.sharp | outline]
    # Of very many every so many will do, as small as it is.
    shown = shown[:: max(1, len(shown) // _MOST)]
    ends = geometry.vertices[shown]
    lines: Array = np.stack([ends @ _RIGHT, ends @ _UP], axis=-1)
    return lines
