"""What is drawn over the Bench: handles, ghosts, labels, places to snap to."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy.typing as npt
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from gremio.core.arrays import Array
from gremio.core.quantity import show, show_short
from gremio.core.rig.ids import NOTHING, ThingId
from gremio.core.shape.features import Place
from gremio.desktop.bench.camera import Camera, project
from gremio.desktop.bench.draw_faces import draw_face, draw_pointer
from gremio.desktop.bench.draw_ties import draw_tie, draw_track
from gremio.desktop.bench.faces import Shown
from gremio.desktop.bench.handles import Handle
from gremio.desktop.bench.measuring import Line
from gremio.desktop.bench.snapping import Spot
from gremio.desktop.bench.ties import Tie, Track
from gremio.desktop.theme.dress import digit_font, text_font
from gremio.desktop.theme.inks import Inks

KNOB = 7.5


@dataclass
class Drawn:
    """What the overlay shows now. ghosts: (E, 2, 3) world ends of each ghost's edges. pins: (3,)
    world places where loops are closed, whether each is selected, and its id. band: a rectangle
    that chooses parts."""

    handle: Handle | None = None
    others: list[Handle] = field(default_factory=list)
    ghosts: list[Array] = field(default_factory=list)
    places: list[Spot] = field(default_factory=list)
    nearest: int | None = None
    measures: list[Line] = field(default_factory=list)
    pins: list[tuple[Array, bool, ThingId]] = field(default_factory=list)
    ties: list[Tie] = field(default_factory=list)
    tracks: list[Track] = field(default_factory=list)
    strands: list[Track] = field(default_factory=list)
    faces: list[Shown] = field(default_factory=list)
    selected: ThingId = NOTHING
    title: str = ""
    band: QRectF | None = None


class Overlay(QWidget):
    """A clear sheet over the Bench."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setAttribute(Qt.WidgetAttribute.WA_NoSystemBackground)
        self.camera = Camera()
        self.inks: Inks | None = None
        self.drawn = Drawn()
        # What words already stand on in this picture: none is laid over another.
        self._taken: list[QRectF] = []

    def points(self, world: npt.ArrayLike) -> list[QPointF]:
        """Where world points (N, 3) are on the sheet."""
        pixels, _ = project(self.camera, (self.width(), self.height()), world)
        return [QPointF(float(x), float(y)) for x, y in pixels]

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Ghosts below, then the handle, then words."""
        if self.inks is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._taken = []
        for ghost in self.drawn.ghosts:
            self._draw_ghost(painter, ghost)
        for track in (*self.drawn.tracks, *(s for s in self.drawn.strands if s.hot)):
            draw_track(painter, track, self.points, self.inks)
        for tie in self.drawn.ties:
            draw_tie(painter, tie, self.points, self.inks)
        for measure in self.drawn.measures:
            self._draw_measure(painter, measure)
        for other in self.drawn.others:
            self._draw_handle(painter, other)
        if self.drawn.handle is not None:
            self._draw_handle(painter, self.drawn.handle)
        self._draw_pins(painter)
        for draw in (draw_pointer, draw_face):
            for face in self.drawn.faces:
                draw(painter, face, self.inks, face.standing.control == self.drawn.selected)
        self._draw_places(painter)
        if self.drawn.band is not None:
            painter.setPen(QPen(QColor(self.inks.hand), 1.2, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.drawn.band)
        self._draw_title(painter)

    def _draw_title(self, painter: QPainter) -> None:
        assert self.inks is not None
        painter.setFont(text_font(9))
        wide = QFontMetricsF(painter.font()).horizontalAdvance(self.drawn.title)
        paper = QColor(self.inks.paper)
        paper.setAlpha(200)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(paper)
        painter.drawRoundedRect(QRectF(9, 7, 66 + wide, 23), 3, 3)
        painter.setFont(text_font(10.5, bold=True))
        painter.setPen(QColor(self.inks.ink))
        painter.drawText(QPointF(15, 23), "Bench")
        parent = self.parentWidget()
        if parent is not None and parent.hasFocus():
            # Keys go here.
            painter.fillRect(QRectF(15, 27, 40, 2), QColor(self.inks.ink))
        painter.setFont(text_font(9))
        painter.setPen(QColor(self.inks.second))
        painter.drawText(QPointF(68, 23), self.drawn.title)

    def _draw_ghost(self, painter: QPainter, ends: Array) -> None:
        assert self.inks is not None
        if len(ends) == 0:
            return
        size = (self.width(), self.height())
        pixels, depth = project(self.camera, size, ends.reshape(-1, 3))
        ahead = (depth.reshape(-1, 2) > 0).all(axis=1)
        lines = [QLineF(*map(float, line)) for line in pixels.reshape(-1, 4)[ahead]]
        pen = QPen(QColor(self.inks.second), 1.0)
        pen.setDashPattern([4, 4])
        painter.setPen(pen)
        if lines:
            painter.drawLines(*lines)

    def _draw_handle(self, painter: QPainter, handle: Handle) -> None:
        assert self.inks is not None
        hand = QColor(self.inks.hand)
        path = QPolygonF(self.points(handle.path()))
        axis = self.points(
            [
                handle.origin - handle.axis * handle.reach,
                handle.origin + handle.axis * 0.35 * handle.reach,
            ]
        )
        if handle.kind != "rail":
            pen = QPen(hand, 1.0)
            pen.setDashPattern([9, 3, 2, 3])
            painter.setPen(pen)
            painter.drawLine(axis[0], axis[1])
        painter.setPen(QPen(QColor(self.inks.paper), 4.5))
        painter.drawPolyline(path)
        painter.setPen(QPen(hand, 2.0))
        painter.drawPolyline(path)
        knob, origin = self.points([handle.knob, handle.origin])
        self._taken.append(QRectF(knob.x() - KNOB, knob.y() - KNOB, 2 * KNOB, 2 * KNOB))
        if handle.kind != "rail":
            painter.setPen(QPen(hand, 1.2))
            painter.drawLine(origin, knob)
            painter.setPen(QPen(QColor(self.inks.ink), 1.3))
            painter.setBrush(QColor(self.inks.panel))
            painter.drawEllipse(origin, 4.0, 4.0)
        text = show(handle.value, "turn" if handle.kind == "ring" else handle.unit)
        self._label(painter, knob + QPointF(13, -9), text, self.inks.hand, digits=True)
        self._draw_stops(painter, handle)
        painter.setPen(QPen(QColor(self.inks.paper), 1.6))
        painter.setBrush(hand)
        painter.drawEllipse(knob, KNOB, KNOB)

    def _draw_stops(self, painter: QPainter, handle: Handle) -> None:
        """A bar across the path at each stop, with its word and value outside."""
        assert self.inks is not None
        for stop, word in ((handle.low, "low stop"), (handle.high, "high stop")):
            if not math.isfinite(stop):
                continue
            inward = (
                0.02 * (handle.high - handle.low)
                if math.isfinite(handle.high - handle.low)
                else 0.05
            )
            inner = stop + (inward if word == "low stop" else -inward)
            end, before, root = self.points([handle.at(stop), handle.at(inner), handle.origin])
            way = end - before
            length = math.hypot(way.x(), way.y()) or 1.0
            way /= length
            across = QPointF(-way.y(), way.x()) * 6.5
            at_stop = abs(stop - handle.value) < 1e-9
            painter.setPen(QPen(QColor(self.inks.hand), 3.4 if at_stop else 2.0))
            painter.drawLine(end - across, end + across)
            out = end - root if handle.kind != "rail" else way * length
            size = math.hypot(out.x(), out.y()) or 1.0
            spot = end + way * 14 + out / size * 6
            text = f"{word} {show_short(stop, handle.unit)}"
            self._label(painter, spot, text, self.inks.second, centred=way.x() < -0.2)

    def _label(
        self,
        painter: QPainter,
        at: QPointF,
        text: str,
        colour: str,
        *,
        digits: bool = False,
        centred: bool = False,
    ) -> None:
        """Words on a scrap of paper, kept inside the sheet."""
        assert self.inks is not None
        painter.setFont(digit_font(11) if digits else text_font(8.5))
        metrics = QFontMetricsF(painter.font())
        width, height = metrics.horizontalAdvance(text), metrics.height()
        x, y = self._free_spot(at, width, height, centred=centred)
        paper = QColor(self.inks.paper)
        paper.setAlpha(215)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(paper)
        painter.drawRoundedRect(
            QRectF(x - 3, y - metrics.ascent() - 1, width + 6, height + 1), 2, 2
        )
        painter.setPen(QColor(colour))
        painter.drawText(QPointF(x, y), text)

    def _free_spot(
        self, at: QPointF, width: float, height: float, *, centred: bool
    ) -> tuple[float, float]:
        """Where words can stand near a point, on no others: there, else a line lower or higher."""
        x = at.x() - width if centred else at.x()
        x = min(max(x, 6.0), self.width() - width - 6.0)
        place = QRectF()
        for step in (0, 1, -1, 2, -2, 3, -3):
            y = min(max(at.y() + step * height, height + 34.0), self.height() - 58.0)
            place = QRectF(x - 3, y - height, width + 6, height + 3)
            if not any(place.intersects(other) for other in self._taken):
                break
        self._taken.append(place)
        return x, place.bottom() - 3

    def _draw_pins(self, painter: QPainter) -> None:
        """A small ring with its middle at each place where a loop is closed."""
        assert self.inks is not None
        for place, hot, _ in self.drawn.pins:
            (spot,) = self.points([place])
            colour = QColor(self.inks.hand if hot else self.inks.second)
            painter.setPen(QPen(colour, 2.0 if hot else 1.2))
            painter.setBrush(QColor(self.inks.panel))
            size = 5.0 if hot else 3.2
            painter.drawEllipse(spot, size, size)
            painter.setBrush(colour)
            painter.drawEllipse(spot, 1.0, 1.0)

    def _draw_measure(self, painter: QPainter, measure: Line) -> None:
        """A dimension line: a line between two bars, with its value on it."""
        assert self.inks is not None
        one, two = self.points(measure.ends)
        colour = self.inks.hand if measure.hot else self.inks.ink
        way = two - one
        length = math.hypot(way.x(), way.y())
        painter.setPen(QPen(QColor(colour), 1.4))
        if length > 1:
            across = QPointF(-way.y(), way.x()) / length * 6
            painter.drawLine(one, two)
            for end, sign in ((one, 1.0), (two, -1.0)):
                painter.drawLine(end - across, end + across)
                tip = way / length * 7 * sign
                painter.drawLine(end, end + tip + across / 2.4)
                painter.drawLine(end, end + tip - across / 2.4)
        else:
            painter.drawEllipse(one, 4.0, 4.0)
        self._label(painter, (one + two) / 2 + QPointF(8, -8), measure.text, colour)

    def _draw_places(self, painter: QPainter) -> None:
        """Corners as squares, middles of edges as bars, centres of circles as targets, centres
        of faces as crosses."""
        assert self.inks is not None
        if not self.drawn.places:
            return
        spots = self.points([place.world for place in self.drawn.places])
        for index, (found, spot) in enumerate(zip(self.drawn.places, spots, strict=True)):
            place = found.place
            near = index == self.drawn.nearest
            colour = QColor(self.inks.hand if near else self.inks.second)
            size = 6.0 if near else 2.6
            if near and len(found.line):
                painter.setPen(QPen(colour, 3.0))
                painter.drawPolyline(QPolygonF(self.points(found.line)))
            painter.setPen(QPen(colour, 1.8 if near else 1.0))
            painter.setBrush(QColor(self.inks.panel))
            if place.kind == "corner":
                painter.drawRect(QRectF(spot.x() - size, spot.y() - size, 2 * size, 2 * size))
            elif place.kind == "axis":
                painter.drawLine(spot - QPointF(size, 0), spot + QPointF(size, 0))
                painter.drawLine(spot - QPointF(0, size), spot + QPointF(0, size))
            elif place.kind == "edge middle":
                painter.drawLine(spot - QPointF(size, 0), spot + QPointF(size, 0))
                painter.drawLine(spot - QPointF(0, size * 0.6), spot + QPointF(0, size * 0.6))
            elif place.kind == "face centre":
                painter.drawLine(spot - QPointF(size, size), spot + QPointF(size, size))
                painter.drawLine(spot - QPointF(size, -size), spot + QPointF(size, -size))
            else:
                painter.drawEllipse(spot, size, size)
                painter.drawEllipse(spot, 0.8, 0.8)
            if near:
                self._label(painter, spot + QPointF(12, -8), _told(place), self.inks.hand)


def _told(place: Place) -> str:
    """What would be picked; of something round, how round it is where it is not."""
    words = {"edge middle": "edge", "circle centre": "circle", "face centre": "face"}
    word = words.get(place.kind, place.kind)
    off = place.error / place.size if place.size else 0.0
    return f"{word}, round to {off * 100:.2g} %" if off > 2e-4 else word
