"""Profiles of a cam drawn on paper: stations, curves, handles, and where the lead is now."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from gremio.core.arrays import Array
from gremio.core.mechanics.profiles import value
from gremio.core.quantity import show_short
from gremio.desktop.deck.chart import Chart, Spot, Track
from gremio.desktop.theme.dress import digit_font, text_font
from gremio.desktop.theme.inks import DAY, Inks

_LEFT, _RIGHT, _TOP, _FOOT = 62, 16, 12, 34
# The strips of speed and acceleration under the profile: their share of the height.
_STRIP, _GAP = 0.17, 6
# How near the hand must come to a station or a handle to take it (px, across plus down).
_REACH = 12
_NEAR_LINE = 6
_TAKES_OUT = (Qt.Key.Key_Delete, Qt.Key.Key_Backspace)
_DASHES: tuple[list[float], ...] = ([], [7, 3], [2, 3], [9, 3, 2, 3])

Point = tuple[str, int]


class ProfileView(QWidget):
    """Followers of a cam over its lead; the first is worked on, the others stay behind it.

    lead_moved: the line was dragged (SI). points_moved: points (channel, station of the cam)
    go from where they were by so much of the lead, and of each channel. slope_moved: a station
    of the cam should be so steep. station_wanted: one was asked for at a lead and a value of
    the follower worked on (SI). removed: stations of the cam should go. picked: another
    follower was taken hold of. let_go: the hand was taken off.
    """

    lead_moved = pyqtSignal(float)
    points_moved = pyqtSignal(object, float, object)
    slope_moved = pyqtSignal(int, float)
    station_wanted = pyqtSignal(float, float)
    picked = pyqtSignal(str)
    removed = pyqtSignal(object)
    let_go = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.inks: Inks = DAY
        self.tracks: tuple[Track, ...] = ()
        self.lead, self.lead_name, self.lead_unit = 0.0, "", "deg"
        self._told: Callable[[float], str] = str
        self.range = (0.0, 1.0)
        self.chosen: set[Point] = set()
        # What is in the hand, and the page since it was taken: a page that grew under the hand
        # would carry it off.
        self._grip: tuple[int, int] | None = None
        self._grip_at: tuple[float, float] = (0.0, 0.0)
        self._handle: tuple[int, int] | None = None
        self._line = False
        self._band: tuple[Spot, Spot] | None = None
        self._frozen: Chart | None = None
        self.setMouseTracking(True)
        self.setMinimumSize(220, 110)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName("Profile")

    def show_tracks(
        self,
        tracks: tuple[Track, ...],
        span: tuple[float, float],
        lead_name: str,
        unit: str,
        told: Callable[[float], str],
    ) -> None:
        """Show followers over a span of the lead (SI). told: how a value of the lead is read."""
        self.tracks = tracks
        if self._frozen is None:
            self.range = span
        self.lead_name, self.lead_unit, self._told = lead_name, unit, told
        known = {(track.channel, index) for track in tracks for index in track.stations}
        self.chosen &= known
        self.update()

    def set_lead(self, lead: float) -> None:
        """Move the line of the present lead value."""
        self.lead = lead
        self.update()

    # ── the page ───────────────────────────────────────────────────

    def chart(self) -> Chart:
        """How the page is laid out; the profiles are those of now, the scales those of when
        something was taken in the hand."""
        box = self._box()
        rect = (box.left(), box.top(), box.width(), box.height())
        if self._frozen is not None:
            return replace(self._frozen, tracks=self.tracks, box=rect)
        heights = tuple(track.heights for track in self.tracks)
        return Chart(self.tracks, self.range, heights, rect, self.lead_unit)

    def _whole(self) -> QRectF:
        """The page inside its margins: the profile, and two strips under it."""
        return QRectF(_LEFT, _TOP, self.width() - _LEFT - _RIGHT, self.height() - _TOP - _FOOT)

    def _box(self) -> QRectF:
        whole = self._whole()
        return whole.adjusted(0, 0, 0, -2 * (_STRIP * whole.height() + _GAP))

    def _strips(self) -> tuple[QRectF, QRectF]:
        whole = self._whole()
        tall = _STRIP * whole.height()
        low = QRectF(whole.left(), whole.bottom() - tall, whole.width(), tall)
        return low.translated(0, -tall - _GAP), low

    def point(self, lead: float, at: float) -> QPointF:
        """Where on the page a lead value and a value of the follower worked on meet."""
        chart = self.chart()
        return QPointF(float(chart.x(lead)), float(chart.y(0, at)))

    # ── drawing ────────────────────────────────────────────────────

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Ruling, curves, stations, handles, and the line of the present value."""
        if not self.tracks:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        chart, box = self.chart(), self._box()
        self._draw_ruling(painter, box)
        self._draw_words(painter, chart, box)
        for strip, rates, word in zip(
            self._strips(), chart.rates(), ("speed", "accel."), strict=True
        ):
            self._draw_strip(painter, strip, rates, word)
        painter.save()
        painter.setClipRect(box.adjusted(-6, -6, 6, 6))
        for track in reversed(range(len(self.tracks))):
            self._draw_track(painter, chart, track)
        self._draw_handles(painter, chart)
        painter.restore()
        self._draw_lead(painter, chart, box)
        self._name_tracks(painter, chart)
        if self._band is not None:
            painter.setPen(QPen(QColor(self.inks.hand), 1, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(QPointF(*self._band[0]), QPointF(*self._band[1])).normalized())

    def _draw_ruling(self, painter: QPainter, box: QRectF) -> None:
        painter.fillRect(box, QColor(self.inks.field))
        painter.setPen(QPen(QColor(self.inks.rule), 1))
        for part in np.linspace(0, 1, 11):
            x = box.left() + part * box.width()
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        for part in np.linspace(0, 1, 5):
            y = box.top() + part * box.height()
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))

    def _draw_track(self, painter: QPainter, chart: Chart, track: int) -> None:
        across, down = (part.tolist() for part in chart.curve(track))
        ink = QColor(self.inks.second if track else self.inks.ink)
        pen = QPen(ink, 1.3 if track else 2)
        if track:
            pen.setDashPattern(_DASHES[1 + (track - 1) % (len(_DASHES) - 1)])
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF([QPointF(*s) for s in zip(across, down, strict=True)]))
        entry = self.tracks[track]
        for index, (x, y) in zip(entry.stations, chart.spots(track), strict=True):
            chosen = (entry.channel, index) in self.chosen
            size = 5 if chosen else 3 if track else 4
            painter.setPen(QPen(QColor(self.inks.hand) if chosen else ink, 1.8 if chosen else 1.4))
            painter.setBrush(QColor(self.inks.panel))
            painter.drawRect(QRectF(x - size, y - size, 2 * size, 2 * size))

    def _name_tracks(self, painter: QPainter, chart: Chart) -> None:
        """The names of the followers that stay behind, with the ends of their scales."""
        painter.setFont(text_font(8))
        painter.setPen(QColor(self.inks.second))
        names = []
        for entry in chart.tracks[1:]:
            ends = float(entry.profile.y.min()), float(entry.profile.y.max())
            low, high = (show_short(end, entry.unit) for end in ends)
            names.append(f"{entry.name}, {low} to {high}")
        metrics = painter.fontMetrics()
        sizes = [(float(metrics.horizontalAdvance(n)), float(metrics.height())) for n in names]
        for text, (left, top) in zip(names, chart.name_spots(sizes), strict=True):
            self._write(painter, QPointF(left, top + metrics.ascent()), text)

    def _write(self, painter: QPainter, start: QPointF, text: str) -> None:
        """Words on the page, on a ground of their own, so that no curve runs through them."""
        words = QRectF(painter.fontMetrics().boundingRect(text)).translated(start)
        painter.fillRect(words.adjusted(-2, 0, 2, 0), QColor(self.inks.field))
        painter.drawText(start, text)

    def _draw_handles(self, painter: QPainter, chart: Chart) -> None:
        hand = QColor(self.inks.hand)
        spots = chart.spots(0)
        for nth, _, spot in chart.handles():
            painter.setPen(QPen(hand, 1))
            painter.drawLine(QPointF(*spots[nth]), QPointF(*spot))
            painter.setBrush(QColor(self.inks.panel))
            painter.drawEllipse(QPointF(*spot), 3.5, 3.5)

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

    def _draw_words(self, painter: QPainter, chart: Chart, box: QRectF) -> None:
        track = self.tracks[0]
        painter.setPen(QColor(self.inks.second))
        painter.setFont(digit_font(8.5))
        heights = value(track.profile, np.linspace(*self.range, 120))
        ends = sorted({float(heights.min()), float(heights.max())})
        for height in ends:
            y = float(chart.y(0, height))
            painter.drawText(
                QRectF(0, y - 9, _LEFT - 8, 18),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                show_short(height, track.unit),
            )
        foot = QRectF(box.left(), self._whole().bottom() + 6, box.width(), 16)
        sides = (Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight)
        for end, side in zip(self.range, sides, strict=True):
            painter.drawText(foot, side, self._told(end))
        painter.setFont(text_font(8.5))
        painter.drawText(foot, Qt.AlignmentFlag.AlignHCenter, self.lead_name)

    def _draw_lead(self, painter: QPainter, chart: Chart, box: QRectF) -> None:
        lead = min(max(self.lead, self.range[0]), self.range[1])
        x = float(chart.x(lead))
        y = float(chart.y(0, float(value(self.tracks[0].profile, lead))))
        hand = QColor(self.inks.hand)
        painter.setPen(QPen(hand, 1.4))
        painter.drawLine(QPointF(x, box.top()), QPointF(x, self._whole().bottom()))
        painter.setBrush(hand)
        painter.drawEllipse(QPointF(x, y), 3.5, 3.5)
        painter.setFont(digit_font(8.5))
        text = self._told(lead)
        width = painter.fontMetrics().horizontalAdvance(text)
        left = x + 6 if x + 6 + width < box.right() else x - 6 - width
        self._write(painter, QPointF(left, self._whole().bottom() - 4), text)

    # ── hands ──────────────────────────────────────────────────────

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of a station, a handle, or the line; or begin to choose on the paper."""
        assert event is not None
        if not self.tracks or event.button() != Qt.MouseButton.LeftButton:
            return
        chart, spot = self.chart(), _spot(event)
        adding = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        grip = chart.station_at(spot, _REACH)
        handle = chart.handle_at(spot, _REACH - 2)
        if grip is not None:
            self._take(chart, grip, adding)
        elif handle is not None:
            self._handle, self._frozen = handle, chart
        elif (
            abs(float(chart.x(self.lead)) - spot[0]) <= _NEAR_LINE or spot[1] > self._box().bottom()
        ):
            self._line = True
            self._drag_line(spot)
        else:
            if not adding:
                self.chosen = set()
            self._band = (spot, spot)
        self.update()

    def _take(self, chart: Chart, grip: tuple[int, int], adding: bool) -> None:
        track = self.tracks[grip[0]]
        point = (track.channel, track.stations[grip[1]])
        if adding:
            self.chosen ^= {point}
        elif point not in self.chosen:
            self.chosen = {point}
        self._grip, self._frozen = grip, chart
        profile = track.profile
        self._grip_at = float(profile.x[grip[1]]), float(profile.y[grip[1]])
        self._points = sorted(self.chosen)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """What is held follows the hand."""
        assert event is not None
        if not self.tracks:
            return
        spot = _spot(event)
        if not event.buttons() & Qt.MouseButton.LeftButton:
            self._show_cursor(spot)
            return
        free = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if self._grip is not None:
            self._drag_points(spot, free)
        elif self._handle is not None:
            nth, way = self._handle
            slope = self.chart().slope_to(nth, way, spot, free)
            self.slope_moved.emit(self.tracks[0].stations[nth], slope)
        elif self._line:
            self._drag_line(spot)
        elif self._band is not None:
            self._band = (self._band[0], spot)
            self.update()

    def event(self, event: QEvent | None) -> bool:
        """Delete is for the stations, chosen or not, and never for what is selected: a second press
        must not take the control out after the stations."""
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.ShortcutOverride
            and event.key() in _TAKES_OUT
            and not event.modifiers()
        ):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Delete takes the chosen stations out; none of them, where none is chosen."""
        assert event is not None
        if event.key() in _TAKES_OUT:
            self.removed.emit(sorted({index for _, index in self.chosen}))
            self.chosen = set()
        else:
            super().keyPressEvent(event)

    def _show_cursor(self, spot: Spot) -> None:
        chart = self.chart()
        if chart.station_at(spot, _REACH) or chart.handle_at(spot, _REACH - 2):
            self.setCursor(Qt.CursorShape.SizeAllCursor)
        elif abs(float(chart.x(self.lead)) - spot[0]) <= _NEAR_LINE:
            self.setCursor(Qt.CursorShape.SplitHCursor)
        else:
            self.setCursor(Qt.CursorShape.ArrowCursor)

    def _drag_line(self, spot: Spot) -> None:
        lead = self.chart().lead_at(spot[0])
        self.lead_moved.emit(min(max(lead, self.range[0]), self.range[1]))

    def _drag_points(self, spot: Spot, free: bool) -> None:
        """All that is chosen goes as far as the one in the hand; each follower in its scale."""
        assert self._grip is not None and self._frozen is not None
        chart, (track, nth) = self._frozen, self._grip
        lead, at = chart.meant(track, spot, free, nth)
        lead = min(max(lead, self.range[0]), self.range[1])
        low, high = chart.heights[track]
        share = (at - self._grip_at[1]) / (high - low)
        up = {
            entry.channel: share * (chart.heights[i][1] - chart.heights[i][0])
            for i, entry in enumerate(chart.tracks)
        }
        up[chart.tracks[track].channel] = at - self._grip_at[1]
        self.points_moved.emit(self._points, lead - self._grip_at[0], up)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Let go; a click on the paper brings the lead there, one on a follower behind takes
        that one up."""
        assert event is not None
        if self._band is not None:
            (x, y), spot = self._band[0], _spot(event)
            if abs(spot[0] - x) + abs(spot[1] - y) < 4:
                self._drag_line(spot)
            else:
                chart = self.chart()
                for track, nth in chart.inside(*self._band):
                    entry = chart.tracks[track]
                    self.chosen.add((entry.channel, entry.stations[nth]))
        grip = self._grip
        self._grip = self._handle = self._band = self._frozen = None
        self._line = False
        self.update()
        self.let_go.emit()
        if grip is not None and grip[0] and len(self.chosen) == 1:
            self.picked.emit(self.tracks[grip[0]].channel)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """A station where the hand points."""
        assert event is not None
        chart = self.chart()
        if self.tracks and chart.station_at(_spot(event), _REACH) is None:
            self.station_wanted.emit(*chart.meant(0, _spot(event), free=False))


def _spot(event: QMouseEvent) -> Spot:
    return event.position().x(), event.position().y()
