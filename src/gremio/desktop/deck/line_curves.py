"""What is drawn along the lines of a routine: the ruler, and what the keys of a channel do."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QFontMetricsF, QPainter, QPen, QPolygonF

from gremio.core.arrays import Array
from gremio.core.mechanics.profiles import value
from gremio.core.remembered import Bounded
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.model import Cam, Routine
from gremio.core.solve.cam_steps import cam_profile
from gremio.desktop.makes.draw import tick_step
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import Inks

# A curve between two keys is drawn by so many places, so high over and under its line (px).
_PLACES, _HIGH = 24, 6.0


class _Span(NamedTuple):
    """Between two keys. start, end: (s). rests: nothing moves. times, shares: (n,) where it is of
    all that its keys go through."""

    start: float
    end: float
    rests: bool
    times: Array
    shares: Array


# By the cam, which is kept too, so that no other can come to stand at its place in memory.
_SPANS: Bounded[int, tuple[Cam, list[_Span]]] = Bounded(lambda _kept: 1, 2000)


def _spans(cam: Cam, channel: ChannelKey) -> list[_Span]:
    times = [station.lead for station in cam.stations]
    heights = [station.values[channel] for station in cam.stations]
    low, high = min(heights), max(heights)
    profile = cam_profile(cam, channel)
    found = []
    for one, two, a, b in zip(times, times[1:], heights, heights[1:], strict=False):
        every = np.linspace(one, two, _PLACES)
        share = (value(profile, every) - low) / ((high - low) or 1.0)
        found.append(_Span(one, two, a == b, every, share))
    return found


def draw_curve(
    painter: QPainter,
    inks: Inks,
    cam: Cam,
    channel: ChannelKey,
    middle: float,
    x_of: Callable[[float], float],
    seen: tuple[float, float],
) -> None:
    """What the keys of a channel do between the left and the right end of what is seen (px): rest
    is dashed, a rise or a return drawn as it goes."""
    spans = _SPANS.of(id(cam), lambda _id: (cam, _spans(cam, channel)))[1]
    begin, second = x_of(0.0), x_of(1.0) - x_of(0.0)
    for span in spans:
        left, right = begin + second * span.start, begin + second * span.end
        if right < seen[0] or left > seen[1]:
            continue
        if span.rests:
            painter.setPen(QPen(QColor(inks.second), 1.1, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(left, middle), QPointF(right, middle))
            continue
        xs = (begin + second * span.times).tolist()
        ys = (middle + _HIGH - 2 * _HIGH * span.shares).tolist()
        painter.setPen(QPen(QColor(inks.ink), 1.3))
        painter.drawPolyline(QPolygonF(list(map(QPointF, xs, ys))))


def draw_ruler(
    painter: QPainter,
    inks: Inks,
    routine: Routine,
    played: tuple[float, float],
    base: float,
    x_of: Callable[[float], float],
    redone: float | None,
) -> None:
    """Seconds along a routine, the stretch that is played, and hatched what is not yet followed
    anew. base: where it lies (px). redone: up to when it is followed (s); None for all."""
    ink, second = QColor(inks.ink), QColor(inks.second)
    painter.setFont(text_font(8.5))
    painter.setPen(QPen(ink, 1.2))
    painter.drawLine(QPointF(x_of(0), base), QPointF(x_of(routine.length), base))
    step = tick_step(routine.length)
    metrics = QFontMetricsF(painter.font())
    for number in range(int(routine.length / step + 1e-9) + 1):
        time = number * step
        x = x_of(time)
        painter.setPen(QPen(ink, 1))
        painter.drawLine(QPointF(x, base - 5), QPointF(x, base))
        text = f"{time:g} s"
        painter.setPen(second)
        painter.drawText(QPointF(x - metrics.horizontalAdvance(text) / 2, base - 8), text)
    if redone is not None:
        hatched = QBrush(QColor(inks.time), Qt.BrushStyle.BDiagPattern)
        painter.fillRect(
            QRectF(x_of(redone), base - 6, x_of(routine.length) - x_of(redone), 6), hatched
        )
    start, end = played
    painter.setPen(QPen(QColor(inks.time), 3))
    painter.drawLine(QPointF(x_of(start), base + 3), QPointF(x_of(end), base + 3))


def draw_now(painter: QPainter, inks: Inks, x: float, top: float, foot: float, *, on: bool) -> None:
    """The time now, as a line with a mark at its head; dotted where no routine is followed."""
    ochre = QColor(inks.time)
    style = Qt.PenStyle.SolidLine if on else Qt.PenStyle.DotLine
    painter.setPen(QPen(ochre, 1.6, style))
    painter.drawLine(QPointF(x, top + 2), QPointF(x, foot))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ochre)
    painter.drawPolygon(QPolygonF([QPointF(x - 5, top), QPointF(x + 5, top), QPointF(x, top + 8)]))


def draw_name(
    painter: QPainter, inks: Inks, row: QRectF, room: QRectF, name: str, *, selected: bool
) -> None:
    """What a line is called, shortened in its middle where there is no room for all of it; the row
    washed where it is selected."""
    if selected:
        painter.fillRect(row, QColor(inks.wash))
    painter.setFont(text_font(9, bold=selected))
    painter.setPen(QColor(inks.ink))
    wide = int(room.width()) - 8
    text = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, wide)
    painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)
