"""Drawing the faces of controls over the Bench, in the drafting style."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from gremio.core.rig.scales import shown as reading
from gremio.desktop.bench.faces import LABEL, ROOM, Shown
from gremio.desktop.makes.draw import draw_make
from gremio.desktop.theme.dress import digit_font, text_font
from gremio.desktop.theme.inks import Inks


def draw_face(painter: QPainter, face: Shown, inks: Inks, selected: bool) -> None:
    """A face: its plate, its name and value, and what is taken hold of."""
    plate = face.plate
    second = QColor(inks.hand if selected else inks.second)
    painter.save()
    painter.setTransform(face.place, True)
    paper = QColor(inks.panel)
    paper.setAlpha(238)
    painter.setPen(QPen(second, 1.6 if selected else 1.1))
    painter.setBrush(paper)
    painter.drawRoundedRect(plate, 3, 3)
    _draw_label(painter, face, inks)
    draw_make(painter, face.body, face.standing, inks)
    painter.restore()


def draw_pointer(painter: QPainter, face: Shown, inks: Inks, selected: bool) -> None:
    """The line from a face to what it belongs to."""
    if not face.fixed:
        second = QColor(inks.hand if selected else inks.second)
        painter.setPen(QPen(second, 1.2))
        painter.drawLine(face.anchor, _nearest_edge(face))
        painter.setBrush(second)
        painter.drawEllipse(face.anchor, 2.4, 2.4)


def _draw_label(painter: QPainter, face: Shown, inks: Inks) -> None:
    now, plate = face.standing, face.plate
    line = QRectF(ROOM, ROOM - 4, plate.width() - 2 * ROOM, LABEL)
    value = "" if now.make in ("switch", "pad") else reading(now.entry, now.value)
    sides = [Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight]
    if now.entry.label == "right":
        sides.reverse()
    painter.setFont(digit_font(8))
    wide = painter.fontMetrics().horizontalAdvance(value) if value else 0
    if now.make == "dial":
        # A dial is narrow: its value stands in the middle of its foot.
        wide, value = 0, ""
    painter.setPen(QColor(inks.hand))
    painter.drawText(line, sides[1] | Qt.AlignmentFlag.AlignVCenter, value)
    painter.setFont(text_font(8))
    painter.setPen(QColor(inks.ink))
    name = painter.fontMetrics().elidedText(
        now.entry.name, Qt.TextElideMode.ElideRight, int(line.width() - wide - 4)
    )
    painter.drawText(line, sides[0] | Qt.AlignmentFlag.AlignVCenter, name)


def _nearest_edge(face: Shown) -> QPointF:
    """Where the line from the anchor meets the plate."""
    room = face.place.mapRect(face.plate)
    x = min(max(face.anchor.x(), room.left() + 6), room.right() - 6)
    y = room.bottom() if face.anchor.y() > room.center().y() else room.top()
    return QPointF(x, y)
