"""The lines of a routine: a ruler, and a line a channel with its keys, to be dragged."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from gremio.core.edit.desk import groups_of
from gremio.core.edit.hand_offs import move_hand_off, remove_hand_off
from gremio.core.edit.routines import SAME_TIME, Key, remove_keys, retimed, set_keys
from gremio.core.mechanics.clock import frame_at, time_of
from gremio.core.mechanics.profiles import value
from gremio.core.rig.channels import split
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import Routine
from gremio.core.rig.numbers import exists, label
from gremio.core.solve.cam_steps import cam_profile
from gremio.desktop.deck.carrier_bars import CarrierBars, Edge
from gremio.desktop.deck.line_curves import draw_curve, draw_name, draw_now, draw_ruler
from gremio.desktop.document.document import Document
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import DAY, Inks

_NAMES, _RIGHT, _RULER, _ROW = 176, 26, 26, 21
_NEAR = 6.0
_DRAG = 3.0
_OWN = (Qt.Key.Key_Delete, Qt.Key.Key_Backspace, Qt.Key.Key_Space)
EMPTY = (
    "Nothing is keyed yet. Select a control or a part that can move and press E, or turn Writing "
    "on and move it: a key stands at the time now. Click the ruler for another time."
)


class TimeLines(QWidget):
    """A line for each keyed channel, in the order of the Desk, with the ruler above, and a bar for
    each part that is carried in turn between.

    said: what can't be. chosen: keys, as (channel, time). hand_off_chosen: another one is, or none.
    """

    said = pyqtSignal(str)
    hand_off_chosen = pyqtSignal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.inks: Inks = DAY
        self.chosen: set[Key] = set()
        self.bars = CarrierBars(document)
        self._press: QPointF | None = None
        self._held: str = ""
        self._by = 0.0
        self._band: QRectF | None = None
        self._ordered: tuple[int, int, list[ChannelKey]] = (0, 0, [])
        # Where the time was drawn last (px).
        self._drawn_at = 0.0
        # What stands while the time goes by, of what is seen, and where that is (px).
        self._still: tuple[QRect, QPixmap] | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Keys of the routine")
        self.setMouseTracking(True)

    # ── where things are ───────────────────────────────────────────

    def _routine(self) -> Routine | None:
        return self.document.timing.routine

    def channels(self) -> list[ChannelKey]:
        """The channels that have a line: controls as they stand on the Desk, then the others."""
        routine, rig = self._routine(), self.document.rig
        if routine is None:
            return []
        # Asked for with every picture while time goes by.
        if self._ordered[:2] != (id(rig), id(routine)):
            self._ordered = (id(rig), id(routine), self._in_order(routine))
        return self._ordered[2]

    def _in_order(self, routine: Routine) -> list[ChannelKey]:
        desk = [ChannelKey(c) for group in groups_of(self.document.rig).values() for c in group]
        order = {channel: place for place, channel in enumerate(desk)}
        keyed = [c for c in routine.keys if exists(self.document.rig, c)]
        return sorted(keyed, key=lambda c: order.get(c, len(order)))

    def sizeHint(self) -> QSize:
        """As tall as its lines."""
        return QSize(400, self.tall())

    def tall(self) -> int:
        """How tall all lines are together (px)."""
        return _RULER + _ROW * max(len(self.bars.parts()) + len(self.channels()), 2) + 6

    def x_of(self, time: float) -> float:
        """Where a time (s) is, in pixels."""
        routine = self._routine()
        length = routine.length if routine is not None else 1.0
        wide = max(self.width() - _NAMES - _RIGHT, 1)
        return _NAMES + wide * time / length

    def time_at(self, x: float, *, free: bool = False) -> float:
        """The time (s) at a place, on a frame."""
        routine = self._routine()
        if routine is None:
            return 0.0
        wide = max(self.width() - _NAMES - _RIGHT, 1)
        time = min(max((x - _NAMES) / wide, 0.0), 1.0) * routine.length
        return time if free else time_of(frame_at(time, routine.rate), routine.rate)

    def y_of(self, row: int) -> float:
        """The middle of a channel's line, in pixels."""
        return self.y_of_bar(row + len(self.bars.parts()))

    def y_of_bar(self, row: int) -> float:
        """The middle of a part's bar, in pixels."""
        return _RULER + (row + 0.5) * _ROW

    def key_at(self, at: QPointF) -> Key | None:
        """The key at a place."""
        routine, channel = self._routine(), self.channel_at(at)
        if routine is None or channel is None:
            return None
        found = [(abs(self.x_of(s.lead) - at.x()), s.lead) for s in routine.keys[channel].stations]
        near = min(found, default=(_NEAR + 1, 0.0))
        return (channel, near[1]) if near[0] <= _NEAR else None

    def channel_at(self, at: QPointF) -> ChannelKey | None:
        """The channel whose line is at a place."""
        bars, channels = len(self.bars.parts()), self.channels()
        row = int((at.y() - _RULER) // _ROW) - bars
        return channels[row] if at.y() >= _RULER and 0 <= row < len(channels) else None

    def bar_at(self, at: QPointF) -> PartId | None:
        """The part whose bar is at a place."""
        row, parts = int((at.y() - _RULER) // _ROW), self.bars.parts()
        return parts[row] if at.y() >= _RULER and 0 <= row < len(parts) else None

    def edge_at(self, at: QPointF) -> Edge | None:
        """The hand-off at a place."""
        part = self.bar_at(at)
        return None if part is None else self.bars.edge_at(part, at.x(), self.x_of)

    def take_time(self) -> None:
        """Draw the time where it is now; the rest stands."""
        for x in (self._drawn_at, self.x_of(self.document.timing.time)):
            super().update(int(x) - 8, 0, 17, self.height())

    def update(self) -> None:
        """Draw all of it anew."""
        self._still = None
        super().update()

    # ── drawing ────────────────────────────────────────────────────

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """The ruler, the lines, the keys, and the time now; of those that are seen."""
        assert event is not None
        routine = self._routine()
        if routine is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        seen = self.visibleRegion().boundingRect()
        if event.rect().contains(seen):
            # Another picture altogether, also where the window says so.
            self._still = None
            self._draw_still(painter, routine, seen)
        else:
            if self._still is None or self._still[0] != seen:
                self._still = seen, self._picture(routine, seen)
            painter.drawPixmap(QPointF(seen.topLeft()), self._still[1])
        self._draw_now(painter)
        if self._band is not None:
            painter.setPen(QPen(QColor(self.inks.time), 1, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self._band)

    def _picture(self, routine: Routine, seen: QRect) -> QPixmap:
        dense = self.devicePixelRatioF()
        picture = QPixmap(seen.size() * dense)
        picture.setDevicePixelRatio(dense)
        picture.fill(Qt.GlobalColor.transparent)
        painter = QPainter(picture)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.translate(-QPointF(seen.topLeft()))
        self._draw_still(painter, routine, seen)
        painter.end()
        return picture

    def _draw_still(self, painter: QPainter, routine: Routine, seen: QRect) -> None:
        """All but the time now, of what is seen."""
        played = self.document.timing.range()
        redone = self.document.timing.redone()
        draw_ruler(painter, self.inks, routine, played, _RULER - 6.0, self.x_of, redone)
        bars, channels = self.bars.parts(), self.channels()
        first, last = (int((y - _RULER) // _ROW) for y in (seen.top(), seen.bottom()))
        for row, part in enumerate(bars):
            middle = self.y_of_bar(row)
            if not first <= row <= last:
                continue
            name = self.document.rig.parts[part].name
            self._draw_name(painter, middle, name, part == self.document.selected)
            self.bars.draw(painter, self.inks, routine, part, middle, self.x_of)
        for row, channel in enumerate(channels, start=len(bars)):
            if first <= row <= last:
                ends = float(seen.left()), float(seen.right())
                self._draw_line(painter, routine, self.y_of_bar(row), channel, ends)
        if not channels and not bars:
            painter.setPen(QColor(self.inks.second))
            painter.setFont(text_font(9))
            room = QRectF(_NAMES, _RULER + 8, self.width() - _NAMES - _RIGHT, 60)
            painter.drawText(room, Qt.TextFlag.TextWordWrap, EMPTY)

    def _draw_line(
        self,
        painter: QPainter,
        routine: Routine,
        middle: float,
        channel: ChannelKey,
        seen: tuple[float, float],
    ) -> None:
        """A channel's line, between the left and the right end of what is seen."""
        ink = QColor(self.inks.ink)
        selected = split(channel)[0] == self.document.selected
        if seen[0] < _NAMES or selected:
            self._draw_name(painter, middle, label(self.document.rig, channel), selected)
        painter.setPen(QPen(QColor(self.inks.rule), 1))
        painter.drawLine(QPointF(self.x_of(0), middle), QPointF(self.x_of(routine.length), middle))
        cam = routine.keys[channel]
        draw_curve(painter, self.inks, cam, channel, middle, self.x_of, seen)
        for time in (station.lead for station in cam.stations):
            here = (channel, time) in self.chosen
            x = self.x_of(time + (self._by if here and self._held == "keys" else 0.0))
            painter.setPen(QPen(ink if here else QColor(self.inks.time), 1.4 if here else 0.8))
            painter.setBrush(QColor(self.inks.time))
            painter.drawRect(QRectF(x - 2.2, middle - 6.5, 4.4, 13))

    def _draw_name(self, painter: QPainter, middle: float, name: str, selected: bool) -> None:
        row = QRectF(2, middle - _ROW / 2 + 1, self.width() - 4, _ROW - 2)
        room = QRectF(14, middle - _ROW / 2, _NAMES - 20, _ROW)
        draw_name(painter, self.inks, row, room, name, selected=selected)

    def _draw_now(self, painter: QPainter) -> None:
        timing = self.document.timing
        x = self._drawn_at = self.x_of(timing.time)
        draw_now(painter, self.inks, x, _RULER - 12.0, self.height() - 2.0, on=timing.on)

    # ── hands ──────────────────────────────────────────────────────

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of the time, of keys, or draw a band round some."""
        assert event is not None
        at = event.position()
        if event.button() != Qt.MouseButton.LeftButton or self._routine() is None:
            return
        self.setFocus()
        self._press, self._by = at, 0.0
        if at.y() < _RULER:
            self._held = "time"
            self.document.timing.go_to(self.time_at(at.x()))
            return
        edge, part = self.edge_at(at), self.bar_at(at)
        self.choose_hand_off(edge)
        if part is not None:
            self.chosen = set()
            self._held = "edge" if edge is not None else ""
            self.document.select(part)
            self.update()
            return
        found = self.key_at(at)
        more = event.modifiers() & (
            Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier
        )
        if found is not None:
            if more:
                self.chosen ^= {found}
            elif found not in self.chosen:
                self.chosen = {found}
            self._held = "keys"
        else:
            self._held = "band"
            if not more:
                self.chosen = set()
        channel = self.channel_at(at)
        if channel is not None:
            self.document.select(ThingId(split(channel)[0]))
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """The time, or keys, follow the hand."""
        assert event is not None
        at = event.position()
        if self._press is None:
            over = at.y() < _RULER or bool(self.key_at(at) or self.edge_at(at))
            self.setCursor(Qt.CursorShape.SizeHorCursor if over else Qt.CursorShape.ArrowCursor)
            return
        free = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if self._held == "time":
            self.document.timing.go_to(self.time_at(at.x(), free=free), to_frame=not free)
            return
        if self._held in ("keys", "edge") and abs(at.x() - self._press.x()) > _DRAG:
            raw = self.time_at(at.x(), free=True) - self.time_at(self._press.x(), free=True)
            routine = self._routine()
            if routine is not None and not free:
                raw = time_of(frame_at(raw, routine.rate), routine.rate)
            self._by = raw
            self.bars.by = raw if self._held == "edge" else 0.0
        elif self._held == "band":
            self._band = QRectF(self._press, at).normalized()
            self._choose_in(self._band)
        self.update()

    def _choose_in(self, band: QRectF) -> None:
        routine = self._routine()
        assert routine is not None
        self.chosen = {
            (channel, station.lead)
            for row, channel in enumerate(self.channels())
            if band.top() <= self.y_of(row) <= band.bottom()
            for station in routine.keys[channel].stations
            if band.left() <= self.x_of(station.lead) <= band.right()
        }

    def mouseReleaseEvent(self, _event: QMouseEvent | None) -> None:
        """Let go: keys are where they were dragged to, as one step."""
        held, by = self._held, self._by
        self._press, self._held, self._band, self._by = None, "", None, 0.0
        self.bars.by = 0.0
        if held == "keys" and by:
            self.move_chosen(by)
        elif held == "edge" and by and self.bars.chosen is not None:
            self.move_hand_off(self.bars.chosen[1] + by)
        self.update()

    def choose_hand_off(self, edge: Edge | None) -> None:
        """Take a hand-off to hand, or none."""
        if edge != self.bars.chosen:
            self.bars.chosen = edge
            self.hand_off_chosen.emit()

    def move_hand_off(self, to: float) -> None:
        """Let the hand-off at hand be at another time (s)."""
        routine_id, chosen = self.document.timing.routine_id, self.bars.chosen
        if chosen is None:
            return
        part, time = chosen
        if self.document.edit(
            "move a hand-off", lambda rig: move_hand_off(rig, routine_id, part, time, to)
        ):
            self.choose_hand_off((part, to))
        self.document.settle()

    def remove_hand_off(self) -> None:
        """Take the hand-off at hand out."""
        routine_id, chosen = self.document.timing.routine_id, self.bars.chosen
        if chosen is not None:
            what = "take a hand-off out"
            self.document.edit(what, lambda rig: remove_hand_off(rig, routine_id, *chosen))
            self.document.settle()
            self.choose_hand_off(None)
        self.update()

    def move_chosen(self, by: float) -> None:
        """Move the chosen keys by a time (s)."""
        self._retime("move keys", lambda time: time + by)

    def _some_chosen(self) -> bool:
        """Whether keys are chosen; says how to, where none are."""
        if not self.chosen:
            self.said.emit("No key is chosen. Click one, or draw a band round some.")
        return bool(self.chosen)

    def _retime(self, what: str, go: Callable[[float], float], *, copies: bool = False) -> None:
        timing, chosen = self.document.timing, list(self.chosen)
        done = self.document.edit(
            what,
            lambda rig: retimed(rig, timing.routine_id, chosen, go, copies=copies),
        )
        self.document.settle()
        if done:
            self.chosen = {(channel, max(go(time), 0.0)) for channel, time in chosen}
        self.update()

    def mirror_chosen(self) -> None:
        """Turn the chosen keys round in time, between their first and their last."""
        if self._some_chosen():
            times = [time for _, time in self.chosen]
            ends = min(times) + max(times)
            self._retime("mirror keys", lambda time: ends - time)

    def stretch_chosen(self, factor: float) -> None:
        """Stretch the chosen keys from their first on, by a factor."""
        routine = self._routine()
        if not self._some_chosen() or routine is None:
            return
        first, rate = min(time for _, time in self.chosen), routine.rate

        def go(time: float) -> float:
            far = first + (time - first) * factor
            return time_of(frame_at(far, rate), rate)

        self._retime("stretch keys", go)

    def copy_chosen(self) -> None:
        """Copy the chosen keys, the first of them to the time now."""
        if self._some_chosen():
            by = self.document.timing.time - min(time for _, time in self.chosen)
            self._retime("copy keys", lambda time: time + by, copies=True)

    def remove_chosen(self) -> None:
        """Take the chosen keys out."""
        if self.bars.chosen is not None and not self.chosen:
            self.remove_hand_off()
            return
        chosen, timing = list(self.chosen), self.document.timing
        if self._some_chosen() and self.document.edit(
            "remove keys", lambda rig: remove_keys(rig, timing.routine_id, chosen)
        ):
            self.document.settle()
            self.chosen = set()
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """A double click on a line leaves a key there, of the value it goes through; on its name it
        shows the keys as a curve."""
        assert event is not None
        channel, routine = self.channel_at(event.position()), self._routine()
        if channel is None or routine is None:
            return
        if event.position().x() < _NAMES:
            self.document.timing.curve_wanted.emit(channel)
            return
        time = self.time_at(event.position().x())
        here = float(value(cam_profile(routine.keys[channel], channel), np.array([time]))[0])
        timing = self.document.timing
        self.document.edit(
            "leave a key", lambda rig: set_keys(rig, timing.routine_id, time, {channel: here})
        )
        self.document.settle()
        self.chosen = {(channel, time)}
        self.update()

    def event(self, event: QEvent | None) -> bool:
        """Its own keys are its own before they are anything else's: Delete takes keys out here, and
        not what is selected."""
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.ShortcutOverride
            and event.key() in _OWN
            and not event.modifiers()
        ):
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows go a frame back or on, Delete takes keys out."""
        assert event is not None
        timing = self.document.timing
        keys: Sequence[int] = (Qt.Key.Key_Left, Qt.Key.Key_Right)
        if event.key() in keys and not event.modifiers() & Qt.KeyboardModifier.AltModifier:
            way = 1 if event.key() == Qt.Key.Key_Right else -1
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                timing.to_key(way)
            else:
                timing.step(way)
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove_chosen()
        elif event.key() == Qt.Key.Key_Space and not event.modifiers():
            timing.play()
        elif event.key() == Qt.Key.Key_Home:
            timing.go_to(timing.range()[0])
        else:
            super().keyPressEvent(event)

    def drop_lost(self) -> None:
        """What is no key, and no hand-off, any more is not chosen."""
        if self.bars.chosen is not None and self.bars.chosen_hand_off() is None:
            self.choose_hand_off(None)
        routine = self._routine()
        if routine is None:
            self.chosen = set()
            return
        self.chosen = {
            (channel, time)
            for channel, time in self.chosen
            if channel in routine.keys
            and any(abs(s.lead - time) <= SAME_TIME for s in routine.keys[channel].stations)
        }
