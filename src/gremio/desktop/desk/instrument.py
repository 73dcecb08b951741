"""A control as an instrument on the Desk: its name and value, what to take hold of, what it
leads."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from gremio.core.inspect.odometer import come_to
from gremio.core.inspect.reach import Reach, told
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.model import Control
from gremio.core.rig.numbers import label
from gremio.core.rig.scales import meant, position_at, reads, share_of, shown
from gremio.core.solve.backward import led_parts
from gremio.desktop.actions.channel_menu import channel_menu
from gremio.desktop.document.document import Document
from gremio.desktop.fields.quantity_field import QuantityField, narrow, nudge_factor, nudge_step
from gremio.desktop.fields.reading_field import value_field
from gremio.desktop.makes.draw import draw_make
from gremio.desktop.makes.makes import MAKES, Pull, Standing, Stops, knob, standing
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import Inks

_HEAD, _FOOT = 17, 13
_MARGIN, _VALUE = 14, 104
_CARRY = 7


class Instrument(QWidget):
    """One control on the Desk.

    moved: controls, by id, should go somewhere (SI), in a gesture. chosen_too: it was clicked
    to be moved with others. carried: it is being carried to another place on the Desk, by a
    point on the screen. dropped: it was put down there. Its fields, and what it says, are made
    when it is first seen; then `seen_first` is called with it.
    """

    moved = pyqtSignal(object, str)
    chosen_too = pyqtSignal()
    carried = pyqtSignal(QPoint)
    dropped = pyqtSignal(QPoint)

    def __init__(
        self,
        document: Document,
        control: ThingId,
        inks: Inks,
        seen_first: Callable[[Instrument], None],
    ) -> None:
        super().__init__()
        self.document, self.control, self.inks = document, control, inks
        self._seen_first = seen_first
        self.chosen = False
        self.reach: Reach | None = None
        self.across_reach: Reach | None = None
        entry = self._entry(control)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(entry.name)
        self.setCursor(Qt.CursorShape.ArrowCursor)
        self._make = self.standing().make
        self._pull: Pull | None = None
        self._carry: QPointF | None = None
        self._value_ink = ""
        self._leads: str | None = None

    @property
    def seen(self) -> bool:
        """Whether it has been seen, so that its fields are there."""
        return "field" in self.__dict__

    @cached_property
    def field(self) -> QuantityField:
        """The number that it stands at."""
        self._seen_first(self)
        field = self._field(self._entry(self.control), self.control)
        self._lay(field)
        field.setVisible(self._make != "switch")
        return field

    @cached_property
    def across(self) -> QuantityField | None:
        """Of a pad, the number of its other axis."""
        if self._make != "pad":
            return None
        other = self._entry(self.control).across
        field = self._field(self._entry(other), other)
        self._lay_across(field)
        field.show()
        return field

    @property
    def leads(self) -> str:
        """What the control leads, and what leads it, in words."""
        if self._leads is None:
            self._leads = self._told()
        return self._leads

    def tell_leads(self) -> None:
        """What the control leads may be something else: it is looked for when it is seen."""
        self._leads = None
        self.update()

    def _told(self) -> str:
        document, control = self.document, self.control
        count = len(led_parts(document.program, control))
        parts = "part" if count == 1 else "parts"
        words = f"leads {count} {parts}" if count else "leads nothing yet"
        drive = document.program.drives.get(control)
        if drive is not None and drive.leads:
            words = f"led by {label(document.rig, drive.leads[0])}; {words}"
        lesson = document.teaching.lesson
        return "being taught" if lesson is not None and lesson.lead == control else words

    def _field(self, entry: Control, control: ChannelKey) -> QuantityField:
        field = value_field(entry, entry.name, self)
        field.setProperty("quiet", True)
        field.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        field.committed.connect(lambda v: self.moved.emit({control: meant(entry, v)}, ""))
        field.refused.connect(self.document.said)
        field.answers = lambda: self.document.asked_number(control)
        field.offer = channel_menu(self.document, control)
        return field

    def standing(self) -> Standing:
        """The control as it stands now."""
        entry = self._entry(self.control)
        pose = self.document.pose
        at = {c: pose.at(c) for c in (self.control, entry.across) if c}
        return standing(pose.rig, self.control, at, self._stops)

    def _entry(self, control: ThingId) -> Control:
        """A control with its range as it stands now."""
        return self.document.pose.rig.controls[control]

    def sizeHint(self) -> QSize:
        """Wide enough to read a scale."""
        return QSize(240, int(_HEAD + MAKES[self._make].body + _FOOT))

    def body(self) -> QRectF:
        """The room of the slider, dial, lever, switch or pad."""
        return QRectF(_MARGIN, _HEAD, self.width() - 2 * _MARGIN, MAKES[self._make].body)

    def take_pose(self) -> None:
        """Show where the control stands now, once it has been seen."""
        if not self.seen:
            return
        now = self.standing()
        self.field.set_value(reads(now.entry, now.value))
        if self.across is not None and now.across_entry is not None:
            self.across.set_value(reads(now.across_entry, now.across_value))
        ink = self.inks.hand if self.document.selected == self.control else self.inks.ink
        if ink != self._value_ink:
            self._value_ink = ink
            self.field.setStyleSheet(f"color: {ink};")
        self.update()

    def furnish(self) -> None:
        """Make the fields, and show where the control stands."""
        assert self.field is not None
        self.take_pose()

    def show_reach(self, reach: Reach, across: Reach | None) -> None:
        """Show where the machine stops before the range ends; across: of a pad's second axis."""
        self.reach, self.across_reach = reach, across
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The value stays on the side where the name is not."""
        super().resizeEvent(event)
        if not self.seen:
            return
        self._lay(self.field)
        if self.across is not None:
            self._lay_across(self.across)

    def _lay(self, field: QuantityField) -> None:
        right = self.document.rig.controls[self.control].label == "right"
        left = _MARGIN - 2 if right else self.width() - _VALUE - _MARGIN + 2
        field.setGeometry(left, 1, _VALUE, 18)

    def _lay_across(self, field: QuantityField) -> None:
        field.setGeometry(self.width() - _VALUE - _MARGIN + 2, _HEAD + 15, _VALUE, 18)

    # ── drawing ────────────────────────────────────────────────────

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Name and value, what to take hold of, and what it leads."""
        if self.control not in self.document.rig.controls:
            return
        now = self.standing()
        if now.make != self._make:
            return
        if not self.seen:
            self.furnish()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._draw_frame(painter)
        selected = self.document.selected == self.control
        painter.setPen(QColor(self.inks.ink))
        painter.setFont(text_font(9, bold=selected))
        # The name has all the room that the value leaves.
        value = QFontMetricsF(self.field.font()).horizontalAdvance(self.field.text()) + 8
        value += 8 if self.document.timing.keyed(self.control) else 0
        wide = self.width() - 2 * _MARGIN - (0 if now.make == "switch" else value)
        at_right = now.entry.label == "right"
        room = QRectF(self.width() - _MARGIN - wide if at_right else _MARGIN, 1, wide, 18)
        side = Qt.AlignmentFlag.AlignRight if at_right else Qt.AlignmentFlag.AlignLeft
        name = now.entry.name
        if now.make == "switch":
            name += f": {position_at(now.entry, now.value) or shown(now.entry, now.value)}"
        name = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(wide))
        painter.drawText(room, side | Qt.AlignmentFlag.AlignVCenter, name)
        draw_make(painter, self.body(), now, self.inks)
        if now.make != "switch":
            self._draw_keyed(painter, now)
        self._draw_foot(painter, now)

    def _draw_frame(self, painter: QPainter) -> None:
        if self.document.selected == self.control:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(self.inks.wash))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(4, 0, -4, 0), 4, 4)
        if self.hasFocus():
            painter.setPen(QPen(QColor(self.inks.second), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(4.5, 0.5, -4.5, -0.5), 4, 4)
        if self.chosen:
            painter.fillRect(QRectF(3, 4, 3, self.height() - 8), QColor(self.inks.hand))

    def _draw_keyed(self, painter: QPainter, now: Standing) -> None:
        """A small upright bar beside the value of what is keyed: filled where there is a key now;
        dotted where a hand has put it elsewhere meanwhile."""
        keyed = self.document.timing.keyed(self.control)
        if not keyed:
            return
        metrics = QFontMetricsF(self.field.font())
        wide = metrics.horizontalAdvance(self.field.text()) + 12
        at_right = now.entry.label == "right"
        x = _MARGIN + wide if at_right else self.width() - _MARGIN - wide
        pen = QPen(QColor(self.inks.time), 1.2)
        if keyed == "over":
            pen.setStyle(Qt.PenStyle.DotLine)
        painter.setPen(pen)
        painter.setBrush(QColor(self.inks.time) if keyed == "now" else Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(x - 2, 4.5, 3.6, 10))

    def _stops(self, control: ThingId) -> Stops:
        """Where the machine stops it, or its second axis."""
        reach = self.reach if control == self.control else self.across_reach
        if reach is None:
            return None, None
        return (
            reach.low if reach.low_by else None,
            reach.high if reach.high_by else None,
        )

    def _draw_foot(self, painter: QPainter, now: Standing) -> None:
        painter.setFont(text_font(8))
        painter.setPen(QColor(self.inks.second))
        foot = QRectF(_MARGIN, self.height() - 15, self.width() - 2 * _MARGIN, 14)
        middle = come_to(self.document.pose, self.control) or self.leads
        if self.reach is not None:
            middle = told(self.document.rig, self.control, self.reach) or middle
        ends = [narrow(shown(now.entry, end)) for end in (now.entry.low, now.entry.high)]
        wide = int(foot.width())
        if now.make in ("slider", "dial", "lever"):
            painter.drawText(foot, Qt.AlignmentFlag.AlignLeft, ends[0])
            painter.drawText(foot, Qt.AlignmentFlag.AlignRight, ends[1])
            metrics = painter.fontMetrics()
            wide -= 2 * max(metrics.horizontalAdvance(end) for end in ends) + 8
        if now.make == "pad" and now.across_entry is not None:
            painter.drawText(
                QRectF(foot.left() + 92, _HEAD, foot.width() - 92, 16),
                Qt.AlignmentFlag.AlignRight,
                painter.fontMetrics().elidedText(
                    now.across_entry.name, Qt.TextElideMode.ElideMiddle, int(foot.width()) - 96
                ),
            )
        middle = painter.fontMetrics().elidedText(middle, Qt.TextElideMode.ElideRight, wide)
        painter.drawText(foot, Qt.AlignmentFlag.AlignHCenter, middle)

    # ── hands ──────────────────────────────────────────────────────

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of it; a press beside a slider's knob brings it there. Ctrl chooses it
        besides others."""
        assert event is not None
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self.document.asked_number(self.control):
            return
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier and event.position().y() < _HEAD:
            self.chosen_too.emit()
            return
        self.document.select(self.control)
        self.setFocus()
        if event.position().y() < _HEAD:
            self._carry = event.position()
            return
        body = self.body()
        if event.position().y() > body.bottom() + 4:
            return
        self._pull = Pull(body, self.standing(), event.position())
        if self._pull.moves_at_once:
            self._drag_to(event)

    def _drag_to(self, event: QMouseEvent) -> None:
        assert self._pull is not None
        free = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        self.moved.emit(self._pull.to(event.position(), free=free), f"drag {self.control}")

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """It follows the hand, and stays within its ends."""
        assert event is not None
        if self._pull is not None:
            self._drag_to(event)
        elif self._carry is not None:
            way = event.position() - self._carry
            if abs(way.x()) + abs(way.y()) > _CARRY:
                self.setCursor(Qt.CursorShape.ClosedHandCursor)
                self.carried.emit(event.globalPosition().toPoint())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Let go; a lever that springs goes home."""
        assert event is not None
        pulled, self._pull = self._pull, None
        if self._carry is not None:
            way = event.position() - self._carry
            self._carry = None
            self.setCursor(Qt.CursorShape.ArrowCursor)
            if abs(way.x()) + abs(way.y()) > _CARRY:
                self.dropped.emit(event.globalPosition().toPoint())
                return
        entry = self.document.rig.controls.get(self.control)
        if pulled is not None and entry is not None and entry.make == "lever" and entry.springs:
            self.moved.emit({self.control: entry.home}, f"drag {self.control}")
        self.document.settle()

    def mouseDoubleClickEvent(self, _event: QMouseEvent | None) -> None:
        """A double click goes home."""
        self.document.settle()
        now = self.standing()
        self.document.send_home([self.control, *([now.across] if now.across else [])])

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """What can be copied from it and pasted on it."""
        assert event is not None
        channel_menu(self.document, self.control)(self).popup(event.globalPos())

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """The wheel nudges the control that has the focus."""
        assert event is not None
        if self.hasFocus():
            self._nudge(event.angleDelta().y() / 120 * nudge_factor(event.modifiers()))
            event.accept()
        else:
            event.ignore()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows nudge, on a pad both ways; a digit begins typing a value."""
        assert event is not None
        if not self.seen:
            self.furnish()
        across = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}
        up = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}
        key = Qt.Key(event.key())
        if key in across or key in up:
            way = {**across, **up}[key] * nudge_factor(event.modifiers())
            self._nudge(way, second=key in up and self._make == "pad")
        elif event.text() and event.text() in "0123456789.-=" and self._make != "switch":
            self.field.setFocus()
            self.field.setText(event.text())
            self.field.setModified(True)
        else:
            super().keyPressEvent(event)

    def _nudge(self, steps: float, *, second: bool = False) -> None:
        now = self.standing()
        control, entry, value = now.control, now.entry, now.value
        if second and now.across_entry is not None:
            control, entry, value = now.across, now.across_entry, now.across_value
        if now.make == "switch":
            beyond = [n for n in entry.notches if (n - value) * steps > 1e-9]
            value = min(beyond, key=lambda n: abs(n - value), default=value)
        elif entry.scale is not None:
            value += steps * (entry.high - entry.low) / 100
        else:
            value += steps * nudge_step(entry.unit)
        self.moved.emit({control: value}, f"nudge {control}")

    def knob(self) -> QPointF:
        """Where a hand takes hold."""
        return knob(self.body(), self.standing())

    def x_of(self, value: float) -> float:
        """Where on a slider's scale a value (SI) is, in pixels."""
        body, share = self.body(), share_of(self.standing().entry, value)
        return body.left() + min(max(share, 0.0), 1.0) * body.width()
