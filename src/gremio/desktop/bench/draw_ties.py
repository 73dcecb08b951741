"""Drawing constraints and paths over the Bench: quiet lines, each with its symbol."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from gremio.core.arrays import Array
from gremio.desktop.bench.ties import Tie, Track
from gremio.desktop.theme.inks import Inks
from gremio.desktop.theme.symbols import draw_symbol

Points = Callable[[npt.ArrayLike], list[QPointF]]
_SYMBOL = 13.0
# A line shorter than this on the screen is left out, and the symbol stands beside the part.
_SHORT = 26.0
# Half of a tick across a path (px).
_TICK = 3.5


def draw_tie(painter: QPainter, tie: Tie, points: Points, inks: Inks) -> None:
    """A thin line from the part to each target, with the symbol on the first, on a scrap of
    paper. Switched off, it is broken."""
    colour = QColor(inks.hand if tie.hot else inks.second)
    pen = QPen(colour, 1.3 if tie.hot else 0.8)
    pen.setDashPattern([2, 4] if tie.off else [6, 2, 1, 2])
    spots = points(tie.ends.reshape(-1, 3))
    pairs = list(zip(spots[::2], spots[1::2], strict=True))
    for one, two in pairs:
        if math.hypot(two.x() - one.x(), two.y() - one.y()) >= _SHORT:
            painter.setPen(pen)
            painter.drawLine(one, two)
            painter.setBrush(QColor(inks.panel))
            painter.setPen(QPen(colour, 1.0))
            painter.drawEllipse(two, 2.2, 2.2)
    one, two = pairs[0]
    near = math.hypot(two.x() - one.x(), two.y() - one.y()) < _SHORT
    if near and not tie.hot:
        return
    middle = one + QPointF(14, -12) if near else (one + two) / 2
    _symbol(painter, tie.symbol, middle, colour, inks)


def _symbol(painter: QPainter, name: str, at: QPointF, colour: QColor, inks: Inks) -> None:
    paper = QColor(inks.paper)
    paper.setAlpha(225)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(paper)
    half = _SYMBOL / 2
    painter.drawEllipse(at, half + 2.5, half + 2.5)
    draw_symbol(painter, name, at - QPointF(half, half), colour.name(), _SYMBOL)


def draw_track(painter: QPainter, track: Track, points: Points, inks: Inks) -> None:
    """A path: a thin line; of the selected one, its points as squares to be pulled."""
    if len(track.line) < 2:
        return
    colour = QColor(inks.hand if track.hot else inks.second)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(inks.paper), 3.0))
    line = QPolygonF(points(track.line))
    painter.drawPolyline(line)
    painter.setPen(QPen(colour, 1.6 if track.hot else 1.0))
    painter.drawPolyline(line)
    if len(track.ticks):
        _draw_ticks(painter, points(track.ticks.reshape(-1, 3)), inks)
    painter.setPen(QPen(QColor(inks.paper), 1.4))
    painter.setBrush(QColor(inks.hand))
    for spot in points(track.points) if len(track.points) else []:
        painter.drawRect(QRectF(spot.x() - 5, spot.y() - 5, 10, 10))


def _draw_ticks(painter: QPainter, spots: Sequence[QPointF], inks: Inks) -> None:
    """Short strokes across a line, where time or a control has gone on by one step: the nearer
    together, the slower. spots: each, and a place a little on."""
    painter.setPen(QPen(QColor(inks.time), 1.2))
    for here, on in zip(spots[::2], spots[1::2], strict=True):
        across = QPointF(here.y() - on.y(), on.x() - here.x())
        size = math.hypot(across.x(), across.y())
        if size > 1e-9:
            across *= _TICK / size
            painter.drawLine(here - across, here + across)


def near_line(pixels: Array, at: QPointF, reach: float) -> bool:
    """Whether a line through pixels (n, 2) passes within `reach` pixels of a point."""
    if len(pixels) < 2:
        return False
    p = np.array([at.x(), at.y()])
    side = np.diff(pixels, axis=0)
    square = (side * side).sum(axis=1)
    share = np.clip(((p - pixels[:-1]) * side).sum(axis=1) / np.where(square > 0, square, 1), 0, 1)
    away = np.linalg.norm(pixels[:-1] + share[:, None] * side - p, axis=1)
    return float(away.min()) <= reach
