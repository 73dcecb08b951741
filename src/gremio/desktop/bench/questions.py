"""The Bench asks: for a part, a place, or several, which the next clicks answer."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPointF, pyqtSignal
from PyQt6.QtWidgets import QWidget

from gremio.core.rig.model import StrandKind
from gremio.core.shape.surfaces import surface_of
from gremio.desktop.bench.asking import Ask
from gremio.desktop.bench.camera import project, ray
from gremio.desktop.bench.canvas import Canvas
from gremio.desktop.bench.draw_ties import near_line
from gremio.desktop.bench.snapping import Spot, nearest_place
from gremio.desktop.bench.ties import Track
from gremio.desktop.document import Document

Array = npt.NDArray[np.float64]
# A path is clicked where the pointer is within so many pixels of it.
_REACH = 6.0


class Asking(Canvas):
    """The canvas, with questions.

    place_picked, axis_picked: a Spot for a part's mount, or for its axis. measured: the Spots
    picked so far. part_picked: a part clicked while one was asked for. target_picked: the part
    or the path (ids) that was clicked, neither for the ground, and where in the world (3,).
    copy_picked: a part, and
    where on it; more may come. pinned, strutted: the two Spots of a pin, or of a strut.
    drawn_through: the places (3,) in the world of a path, and the id of the part they all lie
    on, or "". round_picked: ids of the wheels a path goes round. loop_picked: a Spot on an edge.
    stranded: the kind of a strand, and the Spots it goes through.
    """

    place_picked = pyqtSignal(str, object)
    axis_picked = pyqtSignal(str, object)
    measured = pyqtSignal(object)
    part_picked = pyqtSignal(str)
    target_picked = pyqtSignal(str, str, object)
    copy_picked = pyqtSignal(str, object)
    pinned = pyqtSignal(object, object)
    strutted = pyqtSignal(object, object)
    drawn_through = pyqtSignal(object, str)
    round_picked = pyqtSignal(object)
    loop_picked = pyqtSignal(object)
    stranded = pyqtSignal(str, object)

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(document, parent)
        # What was under the pointer before: a hole's centre is often covered by another part.
        self._left: int | None = None
        self._ask: Ask | None = None
        self._drawn: list[tuple[Array, str]] = []

    def _take_rig(self) -> None:
        super()._take_rig()
        self._left = None
        if self._ask is not None and not self._ask.goes_on:
            self.stop_asking()

    def _asks_places(self) -> bool:
        return self._ask is not None and self._ask.of_places

    def _asked(self) -> str:
        return "" if self._ask is None else self._ask.words

    # ── questions ──────────────────────────────────────────────────

    def ask_place(self, part: str) -> None:
        """Let the next click choose a place on the geometry for a part's mount."""
        name = self.document.rig.parts[part].name
        self._asks(Ask("place", f"click a corner, an edge, a circle or a face for {name}", part))

    def ask_axis(self, part: str) -> None:
        """Let the next click choose an edge, a circle or a face for a part's axis to lie along."""
        name = self.document.rig.parts[part].name
        words = f"click an edge, a circle or a face for the axis of {name}"
        self._asks(Ask("axis", words, part))

    def ask_measure(self) -> None:
        """Let the next clicks choose what to measure."""
        self._picked = []
        self._asks(Ask("measure", "click what to measure, or two things for the way between"))

    def ask_pin(self) -> None:
        """Let the next two clicks choose the places, on two parts, that are pinned together."""
        self._picked = []
        self._asks(Ask("pin", "click a place on the first part to pin"))

    def ask_strut(self) -> None:
        """Let the next two clicks choose the places, on two parts, that a strut goes between."""
        self._picked = []
        self._asks(Ask("strut", "click where the barrel of the strut begins"))

    def ask_strand(self, kind: StrandKind) -> None:
        """Let the next clicks choose where a strand goes: two places, or for a rope as many as
        there are, until Enter; the middle of a wheel is gone round."""
        self._picked, self._drawn = [], []
        words = {
            "rope": "click where the rope goes, wheels by their middle, then press Enter",
        }.get(kind, f"click where the {kind} begin{'s' * (kind != 'bellows')}")
        self._asks(Ask(kind, words))

    def ask_part(self, words: str = "click the part that should follow") -> None:
        """Let the next click choose a part."""
        self._asks(Ask("part", words))

    def ask_target(self, words: str) -> None:
        """Let the next click choose a part or a path, and where on it."""
        self._asks(Ask("target", words))

    def ask_copies(self, part: str) -> None:
        """Let each click put a copy of a part on a surface, until Escape."""
        name = self.document.rig.parts[part].name
        self._asks(Ask("copies", f"click where on a surface {name} goes, one after another"))

    def ask_path(self) -> None:
        """Let the next clicks choose the points of a path, until Enter."""
        self._drawn = []
        self._asks(Ask("path", "click the points of the path, then press Enter"))

    def ask_wheels(self) -> None:
        """Let the next clicks choose the wheels that a path goes round, until Enter."""
        self._drawn = []
        self._asks(Ask("wheels", "click the wheels in the order of the band, then press Enter"))

    def ask_edge_loop(self) -> None:
        """Let the next click choose an edge, whose loop becomes a path."""
        self._asks(Ask("edges", "click the middle of an edge, or the centre of a circle"))

    def _asks(self, ask: Ask) -> None:
        self._ask = ask
        self.setFocus()
        self._refresh()

    def asking(self) -> bool:
        """Whether the next click answers a question."""
        return self._ask is not None

    def asking_part(self) -> bool:
        """Whether the next click chooses a part, here or in the list of parts."""
        return self._ask is not None and self._ask.kind in ("part", "target", "wheels")

    def asked_kind(self) -> str:
        """What kind of question is asked, as of `Ask`; "" for none."""
        return "" if self._ask is None else self._ask.kind

    def stop_asking(self) -> None:
        """Clicks select again."""
        self._ask = None
        self._picked = []
        self._drawn = []
        self.overlay.drawn.nearest = None
        self.measured.emit([])
        self._refresh()

    def finish(self) -> bool:
        """Take what has been clicked so far for all of it; whether that was asked for."""
        ask, drawn = self._ask, self._drawn
        if ask is not None and ask.kind == "rope" and len(self._picked) > 1:
            spots = list(self._picked)
            self.stop_asking()
            self.stranded.emit("rope", spots)
            return True
        if ask is None or ask.kind not in ("path", "wheels", "rope"):
            return False
        if len(drawn) < 2:
            self.document.said.emit("Two are needed at least. Click on, or press Esc to stop.")
            return True
        self.stop_asking()
        if ask.kind == "wheels":
            self.round_picked.emit([part for _, part in drawn])
            return True
        parts = {part for _, part in drawn}
        on = parts.pop() if len(parts) == 1 else ""
        self.drawn_through.emit([place for place, _ in drawn], on)
        return True

    def _sketch(self) -> Array:
        places = [place for place, _ in self._drawn]
        if self._ask is not None and self._ask.kind == "rope":
            places = [spot.world for spot in self._picked]
        return np.array(places, dtype=float).reshape(-1, 3)

    # ── answers ────────────────────────────────────────────────────

    def _places(self) -> list[Spot]:
        """Places to snap to: those of the part asked for, and of the part under the pointer."""
        if self._ask is None or not self._ask.of_places:
            return []
        under = {row for row in (self._hovered, self._left) if row is not None}
        return self._ask.spots(self.scene(), self.pose, under)

    def _nearest_place(self, at: QPointF) -> int | None:
        spots = self.overlay.drawn.places
        return nearest_place(spots, self.camera, self.logical_size(), (at.x(), at.y()))

    def place_on(self, part: str, at: QPointF) -> Array | None:
        """(3,) where the sight line through a point meets a part, in the world."""
        surface = surface_of(self.document.rig.parts[part], self.document.geometry)
        if surface is None:
            return None
        start, way = ray(self.camera, self.logical_size(), (at.x(), at.y()))
        world = self.pose.world(part)
        back = np.linalg.inv(world)
        hit = surface.hit(back[:3, :3] @ start + back[:3, 3], back[:3, :3] @ way)
        return None if hit is None else world[:3, :3] @ hit + world[:3, 3]

    def line_at(self, at: QPointF, strands: bool = True) -> str:
        """Id of the path, or the strand, that passes through a point; "" where none does."""
        drawn = self.overlay.drawn
        lines: list[Track] = [*drawn.tracks, *(drawn.strands if strands else [])]
        for track in lines:
            pixels, depth = project(self.camera, self.logical_size(), track.line)
            if len(pixels) and bool((depth > 0).all()) and near_line(pixels, at, _REACH):
                return track.path
        return ""

    def _click(self, at: QPointF) -> None:
        """A click selects, or answers what was asked."""
        ask = self._ask
        if ask is not None and ask.kind == "path":
            self._answer_point(at)
        elif ask is not None and ask.of_places:
            self._answer_place(at)
        elif ask is not None:
            self._answer_part(ask, at)
        else:
            part = self.part_at(at)
            # A line over a part is thin, and was aimed at.
            self.document.select(self.line_at(at) or part or "")

    def _answer_part(self, ask: Ask, at: QPointF) -> None:
        part = self.part_at(at)
        if ask.kind == "target":
            path = self.line_at(at, strands=False)
            if path or part is not None:
                self.stop_asking()
                place = None if path or part is None else self.place_on(part, at)
                self.target_picked.emit("" if path else part, path, place)
            elif (ground := self._on_the_ground(at)) is not None:
                self.stop_asking()
                self.target_picked.emit("", "", ground)
        elif part is None:
            return
        elif ask.kind == "copies":
            place = self.place_on(part, at)
            if place is not None:
                self.copy_picked.emit(part, place)
        elif ask.kind == "wheels":
            self.add_wheel(part)
        else:
            self.stop_asking()
            self.part_picked.emit(part)

    def add_wheel(self, part: str) -> None:
        """One more wheel that the path goes round."""
        self._drawn.append((self.pose.world(part)[:3, 3], part))
        self._refresh()

    def _answer_point(self, at: QPointF) -> None:
        """A point of a path: a place to snap to, else on the part there, else on the ground."""
        nearest = self._nearest_place(at)
        if nearest is not None:
            spot = self.overlay.drawn.places[nearest]
            self._drawn.append((spot.world, spot.anchor.part))
        else:
            part = self.part_at(at)
            place = self.place_on(part, at) if part is not None else self._on_the_ground(at)
            if place is None:
                self.document.said.emit("The ground is not in sight there. Click lower down.")
                return
            self._drawn.append((place, part or ""))
        self._refresh()

    def _on_the_ground(self, at: QPointF) -> Array | None:
        """(3,) where the sight line through a point meets the ground; None over the horizon."""
        start, way = ray(self.camera, self.logical_size(), (at.x(), at.y()))
        if way[2] > -1e-6:
            return None
        place: Array = start - way * (start[2] / way[2])
        return place

    def _answer_place(self, at: QPointF) -> None:
        nearest = self._nearest_place(at)
        if nearest is None:
            self.document.said.emit("Nothing to snap to here. Click nearer to a mark.")
            return
        assert self._ask is not None
        spot, ask = self.overlay.drawn.places[nearest], self._ask
        if ask.kind == "rope":
            self._picked = [*self._picked, spot]
            self._refresh()
            return
        if ask.kind in ("pin", "strut", "spring", "bellows", "hose"):
            self._answer_two(ask.kind, spot)
            return
        if ask.kind == "measure":
            self._picked = [*self._picked, spot] if len(self._picked) < 2 else [spot]
            self.measured.emit(list(self._picked))
            self._refresh()
            return
        self.stop_asking()
        if ask.kind == "edges":
            self.loop_picked.emit(spot)
            return
        picked = self.place_picked if ask.kind == "place" else self.axis_picked
        picked.emit(ask.part, spot)

    def _answer_two(self, kind: str, spot: Spot) -> None:
        """The first place of a pin or a strut, and then the second, on another part."""
        if not self._picked:
            self._picked = [spot]
            name = self.document.rig.parts[spot.anchor.part].name
            words = {
                "pin": f"click the place on another part that {name} is pinned to",
                "strut": "click the place on another part where the rod of the strut ends",
            }
            self._asks(
                Ask(kind, words.get(kind, f"click where the {kind} end{'s' * (kind != 'bellows')}"))
            )
            return
        if spot.anchor.part == self._picked[0].anchor.part:
            self.document.said.emit("That is the same part. Click a place on another one.")
            return
        one = self._picked[0]
        self.stop_asking()
        if kind in ("pin", "strut"):
            (self.pinned if kind == "pin" else self.strutted).emit(one, spot)
        else:
            self.stranded.emit(kind, [one, spot])
