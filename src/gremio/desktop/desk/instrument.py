"""A control as an instrument: a scale with ticks, stops, notches, and a slider to take hold of."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from gremio.core.quantity import UNITS, show_short
from gremio.core.solve.backward import led_parts
from gremio.desktop.document import Document
from gremio.desktop.fields import QuantityField, nudge_factor, nudge_step
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import Inks

_HEIGHT = 62
_MARGIN = 14
_RAIL = 34
_SNAP = 5


def tick_step(span: float) -> float:
    """A round distance between ticks, so that there are four to nine of them."""
    if span <= 0:
        return 1.0
    power = 10.0 ** math.floor(math.log10(span))
    for factor in (0.1, 0.2, 0.25, 0.5, 1.0):
        if 4 <= span / (power * factor) <= 9.5:
            return power * factor
    return power / 5


class Instrument(QWidget):
    """One control on the Desk."""

    def __init__(self, document: Document, control: str, inks: Inks) -> None:
        super().__init__()
        self.document, self.control, self.inks = document, control, inks
        entry = document.rig.controls[control]
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(entry.name)
        self.setCursor(Qt.CursorShape.ArrowCursor)
        self.field = QuantityField(entry.kind, entry.unit, entry.name, self)
        self.field.setProperty("quiet", True)
        self.field.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.field.committed.connect(lambda value: self._set(value, ""))
        self.field.refused.connect(document.said)
        count = len(led_parts(document.program, control))
        parts = "part" if count == 1 else "parts"
        self.leads = f"leads {count} {parts}" if count else "leads nothing yet"
        self._grip: float | None = None
        self._value_ink = ""
        self.take_pose()

    def sizeHint(self) -> QSize:
        """Wide enough to read a scale."""
        return QSize(240, _HEIGHT)

    def take_pose(self) -> None:
        """Show where the control stands now."""
        self.field.set_value(self.document.pose.at(self.control))
        ink = self.inks.hand if self.document.selected == self.control else self.inks.ink
        if ink != self._value_ink:
            self._value_ink = ink
            self.field.setStyleSheet(f"color: {ink};")
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The value stays at the right."""
        super().resizeEvent(event)
        self.field.setGeometry(self.width() - 120 - _MARGIN + 4, 3, 116, 20)

    def _ends(self) -> tuple[float, float]:
        return float(_MARGIN), float(self.width() - _MARGIN)

    def x_of(self, value: float) -> float:
        """Where on the scale a value (SI) is, in pixels."""
        entry = self.document.rig.controls[self.control]
        left, right = self._ends()
        span = entry.high - entry.low
        share = (value - entry.low) / span if span > 0 else 0.0
        return left + min(max(share, 0.0), 1.0) * (right - left)

    def _value_at(self, x: float) -> float:
        entry = self.document.rig.controls[self.control]
        left, right = self._ends()
        value = entry.low + (x - left) / max(right - left, 1.0) * (entry.high - entry.low)
        for notch in entry.notches:
            if abs(self.x_of(notch) - x) <= _SNAP:
                return notch
        return value

    def _set(self, value: float, gesture: str) -> None:
        self.document.move(self.control, value, gesture)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Name and value, the scale, and what it leads."""
        entry = self.document.rig.controls.get(self.control)
        if entry is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        selected = self.document.selected == self.control
        if selected:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(self.inks.wash))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(5, 1, -5, -1), 4, 4)
        if self.hasFocus():
            painter.setPen(QPen(QColor(self.inks.second), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(5.5, 1.5, -5.5, -1.5), 4, 4)
        painter.setPen(QColor(self.inks.ink))
        painter.setFont(text_font(9, bold=selected))
        room = QRectF(_MARGIN, 3, self.width() - 2 * _MARGIN - 96, 20)
        name = painter.fontMetrics().elidedText(
            entry.name, Qt.TextElideMode.ElideRight, int(room.width())
        )
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, name)
        self._draw_scale(painter)
        self._draw_foot(painter)

    def _draw_scale(self, painter: QPainter) -> None:
        entry = self.document.rig.controls[self.control]
        left, right = self._ends()
        ink = QColor(self.inks.ink)
        painter.setPen(QPen(ink, 1.2))
        painter.drawLine(QPointF(left, _RAIL), QPointF(right, _RAIL))
        size = UNITS[entry.unit].size
        span = (entry.high - entry.low) / size
        step = tick_step(span)
        mark = math.ceil(entry.low / size / step) * step
        painter.setPen(QPen(QColor(self.inks.second), 1))
        while mark * size < entry.high - 1e-12:
            x = self.x_of(mark * size)
            painter.drawLine(QPointF(x, _RAIL - 4), QPointF(x, _RAIL))
            mark += step
        painter.setPen(QPen(ink, 2.2))
        for x in (left, right):
            painter.drawLine(QPointF(x, _RAIL - 7), QPointF(x, _RAIL + 7))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(self.inks.second))
        home = self.x_of(entry.home)
        painter.drawPolygon(
            QPolygonF(
                [
                    QPointF(home, _RAIL + 2),
                    QPointF(home - 4, _RAIL + 9),
                    QPointF(home + 4, _RAIL + 9),
                ]
            )
        )
        for notch in entry.notches:
            painter.drawEllipse(QPointF(self.x_of(notch), _RAIL + 4), 1.5, 1.5)
        x = self.x_of(self.document.pose.at(self.control))
        painter.setPen(QPen(ink, 1.3))
        painter.setBrush(QColor(self.inks.hand))
        painter.drawRoundedRect(QRectF(x - 5, _RAIL - 10, 10, 20), 2, 2)
        painter.setPen(QPen(QColor(self.inks.panel), 1.2))
        painter.drawLine(QPointF(x, _RAIL - 6), QPointF(x, _RAIL + 6))

    def _draw_foot(self, painter: QPainter) -> None:
        entry = self.document.rig.controls[self.control]
        painter.setFont(text_font(8))
        painter.setPen(QColor(self.inks.second))
        foot = QRectF(_MARGIN, 45, self.width() - 2 * _MARGIN, 15)
        painter.drawText(foot, Qt.AlignmentFlag.AlignLeft, show_short(entry.low, entry.unit))
        painter.drawText(foot, Qt.AlignmentFlag.AlignHCenter, self.leads)
        painter.drawText(foot, Qt.AlignmentFlag.AlignRight, show_short(entry.high, entry.unit))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of the slider; a press beside it brings it there."""
        assert event is not None
        self.document.select(self.control)
        self.setFocus()
        if event.button() != Qt.MouseButton.LeftButton or event.position().y() < 22:
            return
        x = self.x_of(self.document.pose.at(self.control))
        self._grip = event.position().x() - x if abs(event.position().x() - x) <= 9 else 0.0
        if self._grip == 0.0:
            self._drag_to(event.position().x())

    def _drag_to(self, x: float) -> None:
        assert self._grip is not None
        self._set(self._value_at(x - self._grip), f"drag {self.control}")

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """The slider follows the hand, and stays within its ends."""
        assert event is not None
        if self._grip is not None:
            self._drag_to(event.position().x())

    def mouseReleaseEvent(self, _event: QMouseEvent | None) -> None:
        """Let go."""
        self._grip = None
        self.document.settle()

    def mouseDoubleClickEvent(self, _event: QMouseEvent | None) -> None:
        """A double click goes home."""
        self.document.settle()
        self.document.send_home([self.control])

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """The wheel nudges the control that has the focus."""
        assert event is not None
        if self.hasFocus():
            self._nudge(event.angleDelta().y() / 120 * nudge_factor(event.modifiers()))
            event.accept()
        else:
            event.ignore()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows nudge; a digit begins typing a value."""
        assert event is not None
        ways = {
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_Up: 1,
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Down: -1,
        }
        way = ways.get(Qt.Key(event.key()))
        if way is not None:
            self._nudge(way * nudge_factor(event.modifiers()))
        elif event.text() and event.text() in "0123456789.-=":
            self.field.setFocus()
            self.field.setText(event.text())
            self.field.setModified(True)
        else:
            super().keyPressEvent(event)

    def _nudge(self, steps: float) -> None:
        unit = self.document.rig.controls[self.control].unit
        value = self.document.pose.at(self.control) + steps * nudge_step(unit)
        self._set(value, f"nudge {self.control}")
