"""The bars of a routine's parts that are carried in turn: a piece a carrier, with edges to drag."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from gremio.core.edit.routines import SAME_TIME
from gremio.core.rig.carried import GROUND_WORD
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import HandOff, Routine
from gremio.desktop.document.document import Document
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import Inks

# A hand-off: what is handed over, and when (s).
Edge = tuple[PartId, float]
_NEAR = 6.0
_HALF = 7.5
_HATCH = 6.0


class CarrierBars:
    """What carries parts, over the routine that is shown. chosen: the hand-off at hand; by: how far
    (s) it is dragged meanwhile."""

    def __init__(self, document: Document) -> None:
        self.document = document
        self.chosen: Edge | None = None
        self.by = 0.0

    def parts(self) -> list[PartId]:
        """Ids of the parts that have a bar, as they stand in the rig."""
        routine, rig = self.document.timing.routine, self.document.rig
        if routine is None:
            return []
        return [part for part in rig.parts if part in routine.carried]

    def edge_at(self, part: PartId, x: float, x_of: Callable[[float], float]) -> Edge | None:
        """The hand-off of a part that is at a place along its bar."""
        routine = self.document.timing.routine
        if routine is None:
            return None
        found = [(abs(x_of(one.time) - x), one.time) for one in routine.carried.get(part, ())]
        near = min(found, default=(_NEAR + 1, 0.0))
        return (part, near[1]) if near[0] <= _NEAR else None

    def chosen_hand_off(self) -> HandOff | None:
        """The hand-off at hand."""
        routine = self.document.timing.routine
        if routine is None or self.chosen is None:
            return None
        part, time = self.chosen
        for one in routine.carried.get(part, ()):
            if abs(one.time - time) <= SAME_TIME:
                return one
        return None

    def name(self, carrier: PartId | None) -> str:
        """What a carrier is called, also where it is gone."""
        parts = self.document.rig.parts
        if carrier is None:
            return GROUND_WORD
        return parts[carrier].name if carrier in parts else "nothing"

    def draw(
        self,
        painter: QPainter,
        inks: Inks,
        routine: Routine,
        part: PartId,
        middle: float,
        x_of: Callable[[float], float],
    ) -> None:
        """The bar of a part: what carries it, from when to when, and where it settles."""
        pieces: list[tuple[float, float, PartId | None, HandOff | None]] = []
        begin, carrier, since = 0.0, self.document.rig.parts[part].parent, None
        for one in routine.carried[part]:
            time = one.time + (self.by if self.chosen == (part, one.time) else 0.0)
            pieces.append((begin, time, carrier, since))
            begin, carrier, since = time, one.carrier, one
        pieces.append((begin, routine.length, carrier, since))
        for start, end, rides_on, hand_off in pieces:
            room = QRectF(QPointF(x_of(start), middle - _HALF), QPointF(x_of(end), middle + _HALF))
            self._draw_piece(painter, inks, room, rides_on)
            if hand_off is not None and hand_off.over:
                self._draw_settling(painter, inks, room, x_of(start + hand_off.over))
        for one in routine.carried[part]:
            here = self.chosen == (part, one.time)
            x = x_of(one.time + (self.by if here else 0.0))
            painter.setPen(QPen(QColor(inks.ink if here else inks.time), 1.4 if here else 0.8))
            painter.setBrush(QColor(inks.time))
            painter.drawRect(QRectF(x - 2.2, middle - _HALF - 1.5, 4.4, 2 * _HALF + 3))

    def _draw_piece(
        self, painter: QPainter, inks: Inks, room: QRectF, carrier: PartId | None
    ) -> None:
        if room.width() <= 0:
            return
        painter.setPen(QPen(QColor(inks.second), 1))
        painter.setBrush(QColor(inks.paper if carrier is None else inks.wash))
        painter.drawRect(room)
        painter.save()
        painter.setClipRect(room)
        if carrier is None:
            # The ground, as a kinematic diagram has it.
            painter.setPen(QPen(QColor(inks.rule), 1))
            x = room.left() - room.height()
            while x < room.right():
                painter.drawLine(QPointF(x, room.bottom()), QPointF(x + 2 * _HALF, room.top()))
                x += _HATCH
        painter.setFont(text_font(8.5))
        metrics = painter.fontMetrics()
        inner = room.adjusted(7, 0, -7, 0)
        text = metrics.elidedText(
            self.name(carrier), Qt.TextElideMode.ElideRight, max(int(inner.width()), 0)
        )
        wide = metrics.horizontalAdvance(text)
        if carrier is None and text:
            plate = QRectF(inner.left() - 3, room.top() + 1, wide + 6, room.height() - 2)
            painter.fillRect(plate, QColor(inks.paper))
        painter.setPen(QColor(inks.ink))
        painter.drawText(inner, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)
        painter.restore()

    def _draw_settling(self, painter: QPainter, inks: Inks, room: QRectF, end: float) -> None:
        """A wedge, as long as it takes to settle."""
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(inks.time))
        right = min(end, room.right())
        painter.drawPolygon(QPolygonF([
            room.bottomLeft(), QPointF(right, room.bottom()),
            QPointF(room.left(), room.bottom() - 4.0),
        ]))  # fmt: skip
