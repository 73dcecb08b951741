"""A channel with its stops as an instrument on a Card: pulled by its knob, and by its stops."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from gremio.core.edit.numbers import set_number
from gremio.core.quantity import UNITS
from gremio.core.rig.channels import split
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.numbers import full_label, home_value, shown_unit, stop_keys
from gremio.core.rig.scales import round_step
from gremio.desktop.actions.channel_menu import is_led
from gremio.desktop.document.document import Document
from gremio.desktop.makes.draw import tick_step
from gremio.desktop.theme.inks import Inks

_TALL, _EDGE, _NEAR = 26, 9.0, 6.0
_KNOB = 5.5


def extent_of(
    low: float, high: float, value: float, home: float, usual: float
) -> tuple[float, float]:
    """Between what a rail is drawn (SI): the stops with some room beyond, or, where there is none
    on a side, as far as is usual; always with the value and home."""
    one = low if math.isfinite(low) else min(home, value, high) - usual
    two = high if math.isfinite(high) else max(home, value, low) + usual
    one, two = min(one, value, home), max(two, value, home)
    room = 0.08 * (two - one) if two > one else usual
    return one - room, two + room


class StopsRail(QWidget):
    """One channel on a rail between its stops. pulled: something is taken hold of, or let go."""

    pulled = pyqtSignal(bool)

    def __init__(self, document: Document, channel: ChannelKey, usual: float, inks: Inks) -> None:
        super().__init__()
        self.document, self.channel, self.inks = document, channel, inks
        self._usual = usual
        self._held = ""
        self._frozen: tuple[float, float] | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(f"Rail of {full_label(document.rig, channel)}")
        self.setToolTip(
            "Pull the knob, or a stop; a stop is set here with [ and ]. A double click goes home"
        )
        self.setMouseTracking(True)

    def sizeHint(self) -> QSize:
        """One line of a Card."""
        return QSize(180, _TALL)

    # ── where things are ───────────────────────────────────────────

    def _stops(self) -> tuple[float, float]:
        low, high = stop_keys(self.channel)
        pose = self.document.pose
        return pose.at(low), pose.at(high)

    def extent(self) -> tuple[float, float]:
        """Between what it is drawn (SI); while it is pulled, as it was before."""
        if self._frozen is not None:
            return self._frozen
        value = self.document.pose.at(self.channel)
        return extent_of(
            *self._stops(), value, home_value(self.document.rig, self.channel), self._usual
        )

    def x_of(self, value: float) -> float:
        """Where a value (SI) is, in pixels."""
        low, high = self.extent()
        share = min(max((value - low) / (high - low), 0.0), 1.0)
        return _EDGE + share * (self.width() - 2 * _EDGE)

    def value_at(self, x: float) -> float:
        """The value (SI) at a place, in round steps of its unit."""
        low, high = self.extent()
        wide = self.width() - 2 * _EDGE
        value = low + (x - _EDGE) / wide * (high - low)
        size = UNITS[shown_unit(self.document.rig, self.channel)].size
        step = round_step((high - low) / wide / size) * size
        return round(value / step) * step

    def knob(self) -> QPointF:
        """Where the hand takes hold."""
        return QPointF(self.x_of(self.document.pose.at(self.channel)), _TALL / 2)

    def stop(self, end: str) -> QPointF:
        """Where a stop ("low" or "high") is taken hold of: at the end of the rail where there is
        none."""
        value = self._stops()[end == "high"]
        if math.isfinite(value):
            x = self.x_of(value)
        else:
            x = _EDGE if end == "low" else self.width() - _EDGE
        return QPointF(x, _TALL / 2)

    def what_is_at(self, at: QPointF) -> str:
        """ "knob", "low", "high" or "" for nothing: the nearest that a hand means."""
        found = [
            (abs(spot.x() - at.x()), word)
            for word, spot in (("knob", self.knob()), ("low", self.stop("low")),
                               ("high", self.stop("high")))
        ]  # fmt: skip
        near = [(away, word) for away, word in found if away <= _NEAR]
        # A part at its stop: above the rail the knob is meant, below it the stop.
        if len(near) > 1 and at.y() > _TALL / 2 + 4:
            near = [entry for entry in near if entry[1] != "knob"]
        return next((word for away, word in near if word == "knob"), min(near)[1] if near else "")

    # ── drawing ────────────────────────────────────────────────────

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """The rail with its ticks, its stops as bars, home as a triangle, and the knob."""
        if not self.document.knows(split(self.channel)[0]):
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ink, second = QColor(self.inks.ink), QColor(self.inks.second)
        middle = _TALL / 2
        painter.setPen(QPen(second, 1.1))
        painter.drawLine(QPointF(2, middle), QPointF(self.width() - 2, middle))
        low, high = self.extent()
        size = UNITS[shown_unit(self.document.rig, self.channel)].size
        step = tick_step((high - low) / size) * size
        tick = math.ceil(low / step) * step
        while tick < high:
            x = self.x_of(tick)
            painter.drawLine(QPointF(x, middle - 3), QPointF(x, middle))
            tick += step
        value = self.document.pose.at(self.channel)
        for end, stop in zip(("low", "high"), self._stops(), strict=True):
            spot = self.stop(end)
            there = math.isfinite(stop)
            at_it = there and abs(value - stop) < 1e-9
            pen = QPen(ink if there else second, 3.4 if at_it else 2.4 if there else 1.0)
            if not there:
                pen.setDashPattern([2, 3])
            painter.setPen(pen)
            painter.drawLine(QPointF(spot.x(), middle - 8), QPointF(spot.x(), middle + 8))
        x = self.x_of(home_value(self.document.rig, self.channel))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(second)
        painter.drawPolygon(
            QPolygonF([QPointF(x, middle + 4), QPointF(x - 3.8, middle + 11),
                       QPointF(x + 3.8, middle + 11)])
        )  # fmt: skip
        painter.setPen(QPen(ink, 1.2))
        painter.setBrush(QColor(self.inks.hand))
        painter.drawEllipse(QRectF(self.knob() - QPointF(_KNOB, _KNOB),
                                   self.knob() + QPointF(_KNOB, _KNOB)))  # fmt: skip

    # ── hands ──────────────────────────────────────────────────────

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of the knob or a stop; a press beside them brings the knob there."""
        assert event is not None
        if event.button() != Qt.MouseButton.LeftButton:
            return
        held = self.what_is_at(event.position()) or "knob"
        if held != "knob":
            key = stop_keys(self.channel)[held == "high"]
            if is_led(self.document, key):
                return
        self._held, self._frozen = held, self.extent()
        if not self.what_is_at(event.position()):
            self._pull(event.position())
        # From here on it may be another rig; the Card stays until the hand lets go.
        self.pulled.emit(True)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """What is held follows the hand."""
        assert event is not None
        if self._held:
            self._pull(event.position())
        elif self.what_is_at(event.position()):
            self.setCursor(Qt.CursorShape.SizeHorCursor)
        else:
            self.unsetCursor()

    def _pull(self, at: QPointF) -> None:
        document, value = self.document, self.value_at(at.x())
        if self._held == "knob":
            document.move(self.channel, value, f"drag {self.channel}")
        else:
            low, high = self._stops()
            key = stop_keys(self.channel)[self._held == "high"]
            value = min(value, high) if self._held == "low" else max(value, low)
            name = full_label(document.rig, self.channel)
            what = f"move {self._held} stop of {name}"
            document.edit(what, lambda rig: set_number(rig, key, value), f"stop {key}")
        self.update()

    def mouseReleaseEvent(self, _event: QMouseEvent | None) -> None:
        """Let go: what was done is one step."""
        if self._held:
            self._held, self._frozen = "", None
            self.document.settle()
            self.update()
            self.pulled.emit(False)

    def mouseDoubleClickEvent(self, _event: QMouseEvent | None) -> None:
        """A double click goes home."""
        self.document.settle()
        self.document.send_home([self.channel])
