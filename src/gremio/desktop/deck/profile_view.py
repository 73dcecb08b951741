"""A cam's profile drawn on paper: stations, curve, and where the lead is now."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from gremio.core.mechanics.profiles import Array, Profile, acceleration, speed, value
from gremio.core.quantity import UNITS, show_short
from gremio.desktop.theme.dress import digit_font, text_font
from gremio.desktop.theme.inks import DAY, Inks

_LEFT, _RIGHT, _TOP, _FOOT = 62, 16, 12, 34
# The strips of speed and acceleration under the profile: their share of the height.
_STRIP, _GAP = 0.17, 6
# How near the hand must come to a station to take it (px, across plus down).
_REACH = 12


class ProfileView(QWidget):
    """One follower of a cam over its lead.

    lead_moved: the line was dragged (SI). station_moved: a station of this profile, counted
    from 0, was dragged to a lead and a follower value (SI). station_wanted: one was asked for
    at a lead and a follower value (SI). let_go: the hand was taken off.
    """

    lead_moved = pyqtSignal(float)
    station_moved = pyqtSignal(int, float, float)
    station_wanted = pyqtSignal(float, float)
    let_go = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.inks: Inks = DAY
        self.profile: Profile | None = None
        self.lead, self.lead_name, self.lead_unit, self.unit = 0.0, "", "deg", "deg"
        self.range = (0.0, 1.0)
        # The station in the hand, and the heights of the page since it was taken: a page that
        # grew under the hand would carry it off.
        self._held: int | None = None
        self._held_heights: tuple[float, float] | None = None
        self.setMouseTracking(True)
        self._leads, self._curve = np.zeros(1), np.zeros(1)
        self._rates: tuple[Array, Array] = (np.zeros(1), np.zeros(1))
        self.setMinimumSize(220, 110)
        self.setAccessibleName("Profile")

    def show_profile(
        self, profile: Profile, span: tuple[float, float], lead_name: str, units: tuple[str, str]
    ) -> None:
        """Show a profile over a span of the lead (SI)."""
        self.profile = profile
        if self._held is None:
            self.range = span
        self._leads = np.linspace(*self.range, 240)
        self._curve = value(profile, self._leads)
        self._rates = (speed(profile, self._leads), acceleration(profile, self._leads))
        self.lead_name, (self.lead_unit, self.unit) = lead_name, units
        self.update()

    def set_lead(self, lead: float) -> None:
        """Move the line of the present lead value."""
        self.lead = lead
        self.update()

    def _heights(self) -> tuple[float, float]:
        if self._held_heights is not None:
            return self._held_heights
        low, high = float(self._curve.min()), float(self._curve.max())
        room = (high - low) * 0.06 or 0.5
        return low - room, high + room

    def _box(self) -> QRectF:
        whole = self._whole()
        return whole.adjusted(0, 0, 0, -2 * (_STRIP * whole.height() + _GAP))

    def _whole(self) -> QRectF:
        """The page inside its margins: the profile, and two strips under it."""
        return QRectF(_LEFT, _TOP, self.width() - _LEFT - _RIGHT, self.height() - _TOP - _FOOT)

    def _strips(self) -> tuple[QRectF, QRectF]:
        whole = self._whole()
        tall = _STRIP * whole.height()
        low = QRectF(whole.left(), whole.bottom() - tall, whole.width(), tall)
        return low.translated(0, -tall - _GAP), low

    def point(self, lead: float, at: float) -> QPointF:
        """Where on the page a lead value and a follower value meet."""
        return self._points(np.array([lead]), np.array([at]))[0]

    def _points(self, leads: Array, heights: Array) -> list[QPointF]:
        box, (low, high) = self._box(), self._heights()
        x = box.left() + (leads - self.range[0]) / (self.range[1] - self.range[0]) * box.width()
        y = box.bottom() - (heights - low) / (high - low) * box.height()
        return [QPointF(*spot) for spot in zip(x.tolist(), y.tolist(), strict=True)]

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Ruling, curve, stations, and the line of the present value."""
        if self.profile is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = self._box()
        painter.fillRect(box, QColor(self.inks.field))
        painter.setPen(QPen(QColor(self.inks.rule), 1))
        for part in np.linspace(0, 1, 11):
            x = box.left() + part * box.width()
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        for part in np.linspace(0, 1, 5):
            y = box.top() + part * box.height()
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
        self._draw_words(painter, box)
        for strip, rates, word in zip(
            self._strips(), self._rates, ("speed", "accel."), strict=True
        ):
            self._draw_strip(painter, strip, rates, word)
        curve = QPolygonF(self._points(self._leads, self._curve))
        painter.setPen(QPen(QColor(self.inks.ink), 2))
        painter.drawPolyline(curve)
        painter.setBrush(QColor(self.inks.panel))
        painter.setPen(QPen(QColor(self.inks.ink), 1.6))
        for spot in self._points(self.profile.x, value(self.profile, self.profile.x)):
            painter.drawRect(QRectF(spot.x() - 4, spot.y() - 4, 8, 8))
        self._draw_lead(painter, box)

    def _draw_strip(self, painter: QPainter, strip: QRectF, rates: Array, word: str) -> None:
        """Speed or acceleration over the same leads, about its own zero."""
        painter.fillRect(strip, QColor(self.inks.field))
        most = float(np.abs(rates).max()) or 1.0
        low = min(0.0, float(rates.min()) / most)
        high = max(0.0, float(rates.max()) / most)
        room = (high - low) or 1.0
        x = strip.left() + np.linspace(0, 1, len(rates)) * strip.width()
        y = strip.bottom() - 2 - (rates / most - low) / room * (strip.height() - 4)
        zero = strip.bottom() - 2 - (0 - low) / room * (strip.height() - 4)
        painter.setPen(QPen(QColor(self.inks.rule), 1))
        painter.drawLine(QPointF(strip.left(), zero), QPointF(strip.right(), zero))
        painter.setPen(QPen(QColor(self.inks.second), 1.3))
        spots = [QPointF(*spot) for spot in zip(x.tolist(), y.tolist(), strict=True)]
        painter.drawPolyline(QPolygonF(spots))
        painter.setPen(QColor(self.inks.second))
        painter.setFont(text_font(8))
        words = QRectF(0, strip.top(), _LEFT - 8, strip.height())
        painter.drawText(words, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, word)

    def _draw_words(self, painter: QPainter, box: QRectF) -> None:
        assert self.profile is not None
        painter.setPen(QColor(self.inks.second))
        painter.setFont(digit_font(8.5))
        for height in (float(self._curve.min()), float(self._curve.max())):
            spot = self.point(self.range[0], height)
            room = QRectF(0, spot.y() - 9, _LEFT - 8, 18)
            painter.drawText(
                room,
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                show_short(height, self.unit),
            )
        foot = QRectF(box.left(), self._whole().bottom() + 6, box.width(), 16)
        ends = (Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight)
        for end, side in zip(self.range, ends, strict=True):
            painter.drawText(foot, side, show_short(end, self.lead_unit))
        painter.setFont(text_font(8.5))
        painter.drawText(foot, Qt.AlignmentFlag.AlignHCenter, self.lead_name)

    def _draw_lead(self, painter: QPainter, box: QRectF) -> None:
        assert self.profile is not None
        lead = min(max(self.lead, self.range[0]), self.range[1])
        spot = self.point(lead, float(value(self.profile, lead)))
        hand = QColor(self.inks.hand)
        painter.setPen(QPen(hand, 1.4))
        foot = self._whole().bottom()
        painter.drawLine(QPointF(spot.x(), box.top()), QPointF(spot.x(), foot))
        painter.setBrush(hand)
        painter.drawEllipse(spot, 3.5, 3.5)
        painter.setFont(digit_font(8.5))
        text = show_short(lead, self.lead_unit)
        width = painter.fontMetrics().horizontalAdvance(text)
        right = spot.x() + 6 + width < box.right()
        x = spot.x() + 6 if right else spot.x() - 6 - width
        painter.drawText(QPointF(x, box.bottom() - 6), text)

    def _station_at(self, spot: QPointF) -> int | None:
        """Which station is under the hand."""
        if self.profile is None:
            return None
        stations = self._points(self.profile.x, value(self.profile, self.profile.x))
        far = [(station - spot).manhattanLength() for station in stations]
        nearest = int(np.argmin(far))
        return nearest if far[nearest] <= _REACH else None

    def _meant(self, spot: QPointF, free: bool) -> tuple[float, float]:
        """The lead and the follower value under the hand; round ones unless it is free."""
        box, (low, high) = self._box(), self._heights()
        wide = self.range[1] - self.range[0]
        lead = self.range[0] + (spot.x() - box.left()) / max(box.width(), 1) * wide
        at = low + (box.bottom() - spot.y()) / max(box.height(), 1) * (high - low)
        if free:
            return lead, at
        return _rounded(lead, wide, self.lead_unit), _rounded(at, high - low, self.unit)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of a station, or else of the line."""
        assert event is not None
        self._held = self._station_at(event.position())
        if self._held is None:
            self.mouseMoveEvent(event)
        else:
            self._held_heights = self._heights()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """What is held follows the hand: a station between its neighbours, or the lead."""
        assert event is not None
        if self.profile is None:
            return
        if not event.buttons() & Qt.MouseButton.LeftButton:
            over = self._station_at(event.position()) is not None
            shape = Qt.CursorShape.SizeAllCursor if over else Qt.CursorShape.ArrowCursor
            self.setCursor(shape)
            return
        free = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        lead, at = self._meant(event.position(), free or self._held is None)
        if self._held is None:
            self.lead_moved.emit(min(max(lead, self.range[0]), self.range[1]))
            return
        stations = self.profile.x
        least = (self.range[1] - self.range[0]) / 1000
        low = self.range[0] if self._held == 0 else stations[self._held - 1] + least
        last = self._held == len(stations) - 1
        high = self.range[1] if last else stations[self._held + 1] - least
        self.station_moved.emit(self._held, float(min(max(lead, low), high)), at)

    def mouseReleaseEvent(self, _event: QMouseEvent | None) -> None:
        """Let go."""
        self._held = self._held_heights = None
        self.update()
        self.let_go.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """A station where the hand points."""
        assert event is not None
        if self.profile is not None and self._station_at(event.position()) is None:
            self.station_wanted.emit(*self._meant(event.position(), free=False))


def _rounded(at: float, wide: float, unit: str) -> float:
    """The roundest value (1, 2 or 5 of the unit shown) within a hundredth of the page."""
    size = UNITS[unit].size
    hundredth = wide / size / 100
    ten = 10.0 ** np.floor(np.log10(hundredth))
    step = next(ten * s for s in (10, 5, 2, 1) if ten * s <= hundredth * 1.0001)
    return float(round(at / size / step) * step * size)
