"""The Bench asks: for a part, a place, or several, which the next clicks answer."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtWidgets import QWidget

from gremio.core.arrays import Array
from gremio.core.frames import carried
from gremio.core.rig.ids import GROUND, NOTHING, ChannelKey, PartId, ThingId
from gremio.core.shape.surfaces import surface_of
from gremio.desktop.bench.camera import project, ray
from gremio.desktop.bench.canvas import Canvas
from gremio.desktop.bench.draw_ties import near_line
from gremio.desktop.bench.question import (
    NumberQuestion,
    PartQuestion,
    PlaceQuestion,
    PointsQuestion,
    Question,
    TargetQuestion,
)
from gremio.desktop.bench.snapping import Spot, nearest_place
from gremio.desktop.bench.ties import Track
from gremio.desktop.document.change import Change
from gremio.desktop.document.document import Document

# A path is clicked where the pointer is within so many pixels of it.
_REACH = 6.0
_MARK = 4.5
# A place is behind what is nearer by more than this share; what has more triangles is not looked
# through, for it would take too long under a moving hand.
_BEHIND, _LOOKED_THROUGH = 2e-3, 60_000


class Asking(Canvas):
    """The canvas, with a question that the next clicks answer. question: None for none."""

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(document, parent)
        # What was under the pointer before: a hole's centre is often covered by another part.
        self._left: int | None = None
        self.question: Question | None = None
        document.selection_changed.connect(self._end_with_selection)
        document.asked_number = self.number_clicked

    def _take_rig(self, change: Change) -> None:
        super()._take_rig(change)
        self._left = None
        if self.question is not None and not self.question.goes_on:
            self.stop_asking()

    def _end_with_selection(self) -> None:
        """What is asked for a part is not carried over to another."""
        part = getattr(self.question, "part", "")
        if part and self.document.selected != part:
            self.stop_asking()

    # ── questions ──────────────────────────────────────────────────

    def ask(self, question: Question) -> None:
        """Let the next clicks answer a question, in place of the one before."""
        if self.question is not None and self.question is not question:
            self.question.stopped()
        self.question = question
        self.setFocus()
        self._refresh()

    def frame_anew(self) -> None:
        """No question is carried over to another rig."""
        if self.question is not None:
            self.stop_asking()
        super().frame_anew()

    def asking(self) -> bool:
        """Whether the next click answers a question."""
        return self.question is not None

    def stop_asking(self) -> None:
        """Clicks select again."""
        before, self.question = self.question, None
        self.overlay.drawn.nearest = None
        if before is not None:
            before.stopped()
        self._refresh()

    def finish(self) -> bool:
        """Take what has been clicked so far for all of it; whether that was asked for."""
        question = self.question
        if question is None or not question.takes_enter():
            return False
        if question.finish() and self.question is question:
            self.stop_asking()
        return True

    def part_listed(self, part: PartId) -> None:
        """A part was clicked in the list: that answers too, where one is asked for."""
        self.part_answers(part)

    def part_answers(self, part: PartId) -> bool:
        """A part was chosen by its name: whether that was an answer."""
        question = self.question
        if not isinstance(question, PartQuestion) or question.surface:
            return False
        self._answered(question, question.take(part, None))
        return True

    def number_clicked(self, channel: ChannelKey) -> bool:
        """A number (key) was clicked somewhere: whether that was an answer."""
        question = self.question
        if not isinstance(question, NumberQuestion):
            return False
        self._answered(question, question.take_number(channel))
        return True

    def _answered(self, question: Question, following: Question | None) -> None:
        """What is asked after an answer; the answer itself may have asked something else."""
        if self.question is not question and self.question is not None:
            return
        if following is None:
            self.stop_asking()
        else:
            self.ask(following)

    def _picked(self) -> list[Spot]:
        return [] if self.question is None else self.question.picked()

    def _sketch(self) -> Array:
        return np.zeros((0, 3)) if self.question is None else self.question.sketch()

    def _asks_places(self) -> bool:
        return isinstance(self.question, PlaceQuestion)

    def _asked(self) -> str:
        return "" if self.question is None else self.question.words

    # ── answers ────────────────────────────────────────────────────

    def _places(self) -> list[Spot]:
        """Places to snap to: those of the part asked for, and of the part under the pointer."""
        if not isinstance(self.question, PlaceQuestion):
            return []
        under = {row for row in (self._hovered, self._left) if row is not None}
        return self.question.spots(self.scene(), self.pose, under)

    def _nearest_place(self, at: QPointF) -> int | None:
        spots = self.overlay.drawn.places
        row, rows = self._hovered, self.pose.program.part_ids
        under = rows[row] if row is not None else None
        return nearest_place(
            spots, self.camera, self.logical_size(), (at.x(), at.y()), under, self._is_hidden
        )

    def _is_hidden(self, spot: Spot, place: Array) -> bool:
        """Whether its own part stands before a place of a spot (3,). Another part may: a hole's
        middle is often covered by what goes through it."""
        part = spot.anchor.part
        surface = surface_of(self.pose.rig.parts[part], self.document.geometry)
        if surface is None or len(surface.corners) > _LOOKED_THROUGH:
            return False
        ((x, y),), _ = project(self.camera, self.logical_size(), [place])
        hit = self.place_on(part, QPointF(float(x), float(y)))
        if hit is None:
            return False
        eye, _ = ray(self.camera, self.logical_size(), (float(x), float(y)))
        far = float(np.linalg.norm(place - eye))
        return float(np.linalg.norm(hit - eye)) < far * (1.0 - _BEHIND)

    def place_on(self, part: PartId, at: QPointF) -> Array | None:
        """(3,) where the sight line through a point meets a part, in the world."""
        surface = surface_of(self.pose.rig.parts[part], self.document.geometry)
        if surface is None:
            return None
        start, way = ray(self.camera, self.logical_size(), (at.x(), at.y()))
        world = self.pose.world(part)
        back = np.linalg.inv(world)
        hit = surface.hit(carried(back, start), back[:3, :3] @ way)
        return None if hit is None else carried(world, hit)

    def mark_at(self, at: QPointF) -> ThingId:
        """Id of the pin, or the strut, whose mark is at a point; "" where none is."""
        for place, _, thing in self.overlay.drawn.pins:
            (spot,) = self.overlay.points([place])
            if abs(spot.x() - at.x()) <= _MARK and abs(spot.y() - at.y()) <= _MARK:
                return thing
        return NOTHING

    def line_at(self, at: QPointF, *, strands: bool = True) -> ThingId:
        """Id of the path, or the strand, that passes through a point; "" where none does."""
        drawn = self.overlay.drawn
        lines: list[Track] = [*drawn.tracks, *(drawn.strands if strands else [])]
        for track in lines:
            pixels, depth = project(self.camera, self.logical_size(), track.line)
            if len(pixels) and bool((depth > 0).all()) and near_line(pixels, at, _REACH):
                return track.path
        return NOTHING

    def _click(self, at: QPointF) -> None:
        """A click selects, or answers what was asked."""
        match self.question:
            case PointsQuestion() as question:
                self._answer_point(question, at)
            case PlaceQuestion() as question:
                self._answer_place(question, at)
            case PartQuestion() as question:
                self._answer_part(question, at)
            case _:
                part = self.part_at(at)
                # A mark, or a line over a part, is small, and was aimed at.
                self.document.select(self.mark_at(at) or self.line_at(at) or part or GROUND)

    def _answer_part(self, question: PartQuestion, at: QPointF) -> None:
        part = self.part_at(at)
        if isinstance(question, TargetQuestion):
            path = self.line_at(at, strands=False)
            ground = self._on_the_ground(at)
            if path:
                self._answered(question, question.take_path(path))
                return
            if part is None and ground is not None:
                self._answered(question, question.take_ground(ground))
                return
        if part is None:
            return
        place = self.place_on(part, at)
        if place is not None or not question.surface:
            self._answered(question, question.take(part, place))

    def _answer_point(self, question: PointsQuestion, at: QPointF) -> None:
        """A point: a place to snap to, else on the part there, else on the ground."""
        nearest = self._nearest_place(at)
        if nearest is not None:
            self._answered(question, question.take(self.overlay.drawn.places[nearest]))
            return
        part = self.part_at(at)
        place = self.place_on(part, at) if part is not None else self._on_the_ground(at)
        if place is None:
            self.document.said.emit("The ground is not in sight there. Click lower down.")
            return
        self._answered(question, question.take_point(place, part or GROUND))

    def _on_the_ground(self, at: QPointF) -> Array | None:
        """(3,) where the sight line through a point meets the ground; None over the horizon."""
        start, way = ray(self.camera, self.logical_size(), (at.x(), at.y()))
        if way[2] > -1e-6:
            return None
        place: Array = start - way * (start[2] / way[2])
        return place

    def _answer_place(self, question: PlaceQuestion, at: QPointF) -> None:
        nearest = self._nearest_place(at)
        if nearest is None:
            self.document.said.emit("Nothing to snap to here. Click nearer to a mark.")
            return
        self._answered(question, question.take(self.overlay.drawn.places[nearest]))
