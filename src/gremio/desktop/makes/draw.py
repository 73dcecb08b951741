"""Drawing a slider, dial, lever, switch or pad in a room, on the Desk or in the Bench."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from gremio.core.quantity import UNITS
from gremio.core.rig.model import Control, ControlMake
from gremio.core.rig.scales import at_share, reads, share_of
from gremio.desktop.makes.makes import (
    Standing,
    Stops,
    cells,
    dial,
    dial_angle,
    knob,
    lean,
    one_to_one,
    pad_room,
    pivot,
    way_at,
)
from gremio.desktop.theme.dress import digit_font, text_font
from gremio.desktop.theme.inks import Inks

# How far one line of a hatch is from the next (pixels).
_APART = 5.0
_HOME_HALF = 3.8  # half the width of the triangle that marks home, pixels


def tick_step(span: float) -> float:
    """A round distance between ticks, so that there are four to nine of them."""
    if span <= 0:
        return 1.0
    power = 10.0 ** math.floor(math.log10(span))
    for factor in (0.1, 0.2, 0.25, 0.5, 1.0):
        if 4 <= span / (power * factor) <= 9.5:
            return power * factor
    return power / 5


def ticks(entry: Control) -> list[float]:
    """Values (SI) of the ticks on a control's scale, round in what is read on it."""
    if entry.scale is not None:
        low, high = sorted((reads(entry, entry.low), reads(entry, entry.high)))
        size = 1.0
    else:
        size = UNITS[entry.unit].size
        low, high = entry.low / size, entry.high / size
    if not low < high:
        return []
    step = tick_step(high - low)
    count = math.floor((high - low) / step) + 2
    marks = [math.ceil(low / step) * step + i * step for i in range(count)]
    marks = [mark for mark in marks if low < mark < high - 1e-12 * abs(high)]
    if entry.scale is None:
        return [mark * size for mark in marks]
    ends = entry.scale
    return [at_share(entry, (mark - ends[0]) / (ends[1] - ends[0])) for mark in marks]


def draw_make(painter: QPainter, rect: QRectF, shown: Standing, inks: Inks) -> None:
    """Draw a control in a room."""
    DRAWN[shown.make](painter, rect, shown, inks)


def _x(rect: QRectF, entry: Control, value: float) -> float:
    return rect.left() + min(max(share_of(entry, value), 0.0), 1.0) * rect.width()


def _draw_home(painter: QPainter, tip: QPointF, back: QPointF, ink: QColor) -> None:
    """The triangle of home: its tip on the scale, the middle of its back away from it. Leaves
    the painter with no pen and this ink for a brush."""
    along = back - tip
    across = QPointF(-along.y(), along.x()) * (_HOME_HALF / math.hypot(along.x(), along.y()))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ink)
    painter.drawPolygon(QPolygonF([tip, back + across, back - across]))


def _draw_slider(
    painter: QPainter,
    rect: QRectF,
    shown: Standing,
    inks: Inks,
) -> None:
    """A rail with ticks, bars at its ends, home as a triangle, notches as dots."""
    entry, rail = shown.entry, rect.center().y() - 1
    ink, second = QColor(inks.ink), QColor(inks.second)
    painter.setPen(QPen(ink, 1.2))
    painter.drawLine(QPointF(rect.left(), rail), QPointF(rect.right(), rail))
    painter.setPen(QPen(second, 1))
    for mark in ticks(entry):
        x = _x(rect, entry, mark)
        painter.drawLine(QPointF(x, rail - 4), QPointF(x, rail))
    painter.setPen(QPen(ink, 2.2))
    for x, out in ((rect.left(), -1), (rect.right(), 1)):
        if entry.open:
            _draw_goes_on(painter, QPointF(x, rail), out)
        else:
            painter.drawLine(QPointF(x, rail - 7), QPointF(x, rail + 7))
    for stop, end in zip(shown.stops, (rect.left(), rect.right()), strict=True):
        if stop is not None:
            x = _x(rect, entry, stop)
            painter.setPen(QPen(ink, 1.6))
            painter.drawLine(QPointF(x, rail - 6), QPointF(x, rail + 6))
            low, high = sorted((x, end))
            line = [QPointF(at, rail) for at in np.arange(low, high, _APART)]
            _hatch(painter, line, [QPointF(0.0, 1.0)] * len(line), 6.0, inks)
    home = _x(rect, entry, entry.home)
    _draw_home(painter, QPointF(home, rail + 2), QPointF(home, rail + 8), second)
    for notch in entry.notches:
        painter.drawEllipse(QPointF(_x(rect, entry, notch), rail + 4), 1.5, 1.5)
    x = knob(rect, shown).x()
    painter.setPen(QPen(ink, 1.3))
    painter.setBrush(QColor(inks.hand))
    painter.drawRoundedRect(QRectF(x - 4, rail - 8, 8, 16), 2, 2)
    painter.setPen(QPen(QColor(inks.panel), 1.2))
    painter.drawLine(QPointF(x, rail - 5), QPointF(x, rail + 5))


def _draw_goes_on(painter: QPainter, end: QPointF, out: int) -> None:
    """A mark at the end of a rail that goes on beyond."""
    tip = end + QPointF(5.0 * out, 0.0)
    for side in (-4.5, 4.5):
        painter.drawLine(tip, end + QPointF(0.0, side))


def _hatch(
    painter: QPainter, line: Sequence[QPointF], out: Sequence[QPointF], size: float, inks: Inks
) -> None:
    """The ground hatch along a line that the machine does not follow. out: which way it goes from
    each place (of length 1); size: how far (pixels)."""
    painter.setPen(QPen(QColor(inks.second), 1))
    for place, way in zip(line, out, strict=True):
        aside = QPointF(way.y(), -way.x()) * (0.65 * size)
        painter.drawLine(place + way * size, place + aside)


def _hatch_arc(
    painter: QPainter,
    middle: QPointF,
    radius: float,
    turns: tuple[float, float],
    size: float,
    inks: Inks,
) -> None:
    """The hatch outside an arc between two turns from upright, clockwise (rad)."""
    low, high = sorted(turns)
    ways = [way_at(turn) for turn in np.arange(low, high, _APART / max(radius, 1.0))]
    _hatch(painter, [middle + way * radius for way in ways], ways, size, inks)


def _hatch_room(painter: QPainter, room: QRectF, inks: Inks) -> None:
    """The hatch over a room that the machine does not follow."""
    painter.save()
    painter.setClipRect(room)
    painter.setPen(QPen(QColor(inks.second), 1))
    for x in np.arange(room.left() - room.height(), room.right(), _APART):
        painter.drawLine(QPointF(x, room.bottom()), QPointF(x + room.height(), room.top()))
    painter.restore()


def _draw_dial(
    painter: QPainter,
    rect: QRectF,
    shown: Standing,
    inks: Inks,
) -> None:
    """A disc with a pointer; ticks round it; the turns counted in its middle."""
    entry = shown.entry
    middle, radius = dial(rect)
    ink, second = QColor(inks.ink), QColor(inks.second)
    painter.setPen(QPen(ink, 1.4))
    painter.setBrush(QColor(inks.field))
    painter.drawEllipse(middle, radius * 0.82, radius * 0.82)
    marks = (
        [math.radians(30 * i) for i in range(12)]
        if one_to_one(entry)
        else [dial_angle(entry, v) for v in (entry.low, *ticks(entry), entry.high)]
    )
    painter.setPen(QPen(second, 1))
    for turn in marks:
        way = way_at(turn)
        painter.drawLine(middle + way * (radius * 0.88), middle + way * radius)
    for stop, end in zip(shown.stops, (entry.low, entry.high), strict=True):
        if stop is not None and not one_to_one(entry):
            turn = dial_angle(entry, stop)
            _hatch_arc(
                painter, middle, radius * 0.9, (turn, dial_angle(entry, end)), radius * 0.14, inks
            )
            way = way_at(turn)
            painter.setPen(QPen(ink, 2))
            painter.drawLine(middle + way * (radius * 0.8), middle + way * (radius + 2))
    way = way_at(dial_angle(entry, entry.home))
    _draw_home(painter, middle + way * (radius * 0.86), middle + way * (radius + 2.5), second)
    at = knob(rect, shown)
    painter.setPen(QPen(QColor(inks.hand), 2.4))
    painter.drawLine(middle + (at - middle) * 0.45, middle + (at - middle) * 1.18)
    painter.setPen(QPen(ink, 1.2))
    painter.setBrush(QColor(inks.hand))
    painter.drawEllipse(at, 5.0, 5.0)
    if one_to_one(entry):
        painter.setPen(ink)
        painter.setFont(digit_font(8))
        turns = math.floor(shown.value / (2 * math.pi) + 1e-9)
        room = QRectF(middle.x() - 12, middle.y() - 8, 24, 16)
        painter.drawText(room, Qt.AlignmentFlag.AlignCenter, str(turns))


def _draw_lever(painter: QPainter, rect: QRectF, shown: Standing, inks: Inks) -> None:
    """An arm on a pivot, over an arc with its ends; a coil at the foot where it springs."""
    entry = shown.entry
    foot, length = pivot(rect)
    ink, second = QColor(inks.ink), QColor(inks.second)
    turns = [lean(entry, entry.low + i / 24 * (entry.high - entry.low)) for i in range(25)]
    arc = [foot + way_at(t) * (length * 0.8) for t in turns]
    painter.setPen(QPen(ink, 1.2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(QPolygonF(arc))
    marks = [(entry.low, True), (entry.high, True), *((tick, False) for tick in ticks(entry))]
    for value, strong in marks:
        turn = lean(entry, value)
        way = way_at(turn)
        painter.setPen(QPen(ink if strong else second, 2.2 if strong else 1))
        size = 0.1 if strong else 0.06
        painter.drawLine(foot + way * (length * (0.8 - size)), foot + way * (length * (0.8 + size)))
    for stop, end in zip(shown.stops, (entry.low, entry.high), strict=True):
        if stop is not None:
            turn = lean(entry, stop)
            _hatch_arc(painter, foot, length * 0.82, (turn, lean(entry, end)), length * 0.12, inks)
            painter.setPen(QPen(ink, 2))
            way = way_at(turn)
            painter.drawLine(foot + way * (length * 0.72), foot + way * (length * 0.9))
    way = way_at(lean(entry, entry.home))
    _draw_home(painter, foot + way * (length * 0.76), foot + way * (length * 0.62), second)
    at = knob(rect, shown)
    painter.setPen(QPen(ink, 3))
    painter.drawLine(foot, at)
    painter.setPen(QPen(ink, 1.3))
    painter.setBrush(QColor(inks.panel))
    painter.drawEllipse(foot, 4, 4)
    painter.setBrush(QColor(inks.hand))
    painter.drawEllipse(at, 6.5, 6.5)
    if entry.springs:
        painter.setPen(QPen(second, 1.2))
        coil = [QPointF(foot.x() + 8 + i * 3, foot.y() + (3 if i % 2 else -3)) for i in range(7)]
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(coil))


def _draw_switch(painter: QPainter, rect: QRectF, shown: Standing, inks: Inks) -> None:
    """A row of named positions with a block that stands on one of them."""
    entry = shown.entry
    at = knob(rect, shown)
    painter.setFont(text_font(8.5))
    for i, cell in enumerate(cells(rect, entry)):
        name = entry.positions[i] if i < len(entry.positions) else str(i + 1)
        here = cell.contains(at)
        painter.setPen(QPen(QColor(inks.ink), 1.2))
        painter.setBrush(QColor(inks.hand) if here else QColor(inks.field))
        painter.drawRect(cell)
        if _is_beyond(shown.stops, entry.notches[i]):
            _hatch_room(painter, cell, inks)
        painter.setPen(QColor(inks.panel if here else inks.ink))
        text = painter.fontMetrics().elidedText(
            name, Qt.TextElideMode.ElideRight, int(cell.width()) - 6
        )
        painter.drawText(cell, Qt.AlignmentFlag.AlignCenter, text)


def _is_beyond(stops: Stops, value: float) -> bool:
    """Whether the machine stops before a value (SI)."""
    low, high = stops
    slack = 1e-9 * max(1.0, abs(value))
    return (low is not None and value < low - slack) or (high is not None and value > high + slack)


def _draw_pad(painter: QPainter, rect: QRectF, shown: Standing, inks: Inks) -> None:
    """A square with rulings, home as a cross, and a round knob with its two lines."""
    assert shown.across_entry is not None
    room = pad_room(rect)
    ink = QColor(inks.ink)
    painter.setPen(QPen(ink, 1.4))
    painter.setBrush(QColor(inks.field))
    painter.drawRect(room)
    painter.setPen(QPen(QColor(inks.rule), 1))
    for part in (0.25, 0.5, 0.75):
        x, y = room.left() + part * room.width(), room.top() + part * room.height()
        painter.drawLine(QPointF(x, room.top()), QPointF(x, room.bottom()))
        painter.drawLine(QPointF(room.left(), y), QPointF(room.right(), y))
    for beyond in _beyond_pad(room, shown):
        _hatch_room(painter, beyond, inks)
    home = QPointF(
        room.left() + share_of(shown.entry, shown.entry.home) * room.width(),
        room.bottom() - share_of(shown.across_entry, shown.across_entry.home) * room.height(),
    )
    painter.setPen(QPen(QColor(inks.second), 1.4))
    painter.drawLine(home - QPointF(4, 0), home + QPointF(4, 0))
    painter.drawLine(home - QPointF(0, 4), home + QPointF(0, 4))
    at = knob(rect, shown)
    painter.setPen(QPen(QColor(inks.hand), 1))
    painter.drawLine(QPointF(room.left(), at.y()), QPointF(room.right(), at.y()))
    painter.drawLine(QPointF(at.x(), room.top()), QPointF(at.x(), room.bottom()))
    painter.setPen(QPen(ink, 1.3))
    painter.setBrush(QColor(inks.hand))
    painter.drawEllipse(at, 6.0, 6.0)


def _beyond_pad(room: QRectF, shown: Standing) -> list[QRectF]:
    """What of a pad's room the machine does not follow."""
    assert shown.across_entry is not None
    (left, right), (bottom, top) = shown.stops, shown.across_stops
    found = []
    if left is not None:
        found.append(QRectF(room.topLeft(), QPointF(_x(room, shown.entry, left), room.bottom())))
    if right is not None:
        found.append(QRectF(QPointF(_x(room, shown.entry, right), room.top()), room.bottomRight()))
    for value, edge in ((bottom, room.bottom()), (top, room.top())):
        if value is not None:
            y = room.bottom() - share_of(shown.across_entry, value) * room.height()
            found.append(QRectF(room.left(), min(y, edge), room.width(), abs(edge - y)))
    return found


# How each kind of control is drawn.
DRAWN: dict[ControlMake, Callable[[QPainter, QRectF, Standing, Inks], None]] = {
    "slider": _draw_slider,
    "dial": _draw_dial,
    "lever": _draw_lever,
    "switch": _draw_switch,
    "pad": _draw_pad,
}
