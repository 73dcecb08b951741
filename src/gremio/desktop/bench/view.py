"""The Bench: the machine, and what hands do to it."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from gremio.desktop.bench.asking import Ask
from gremio.desktop.bench.camera import Camera, orbited, panned, zoomed
from gremio.desktop.bench.canvas import Canvas
from gremio.desktop.bench.drag import Drag, FreeDrag, PointDrag, grip_on, in_loop, take_hold
from gremio.desktop.bench.face_hold import FaceHold
from gremio.desktop.bench.handles import Handle
from gremio.desktop.bench.overlay import KNOB
from gremio.desktop.bench.snapping import Spot, nearest_place
from gremio.desktop.document import Document

_CLICK = 4


class Bench(Canvas):
    """The 3D view, with hands.

    place_picked, axis_picked: a Spot for a part's mount, or for its axis. measured: the Spots
    picked so far. part_picked: a part clicked while one was asked for. pinned, strutted: the
    two Spots of a pin, or of a strut.
    """

    place_picked = pyqtSignal(str, object)
    axis_picked = pyqtSignal(str, object)
    measured = pyqtSignal(object)
    part_picked = pyqtSignal(str)
    pinned = pyqtSignal(object, object)
    strutted = pyqtSignal(object, object)

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(document, parent)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName("Bench")
        # What was under the pointer before: a hole's centre is often covered by another part.
        self._left: int | None = None
        self._press: QPointF | None = None
        self._last = QPointF()
        self._hold: Drag | FreeDrag | PointDrag | None = None
        self._face: FaceHold | None = None
        self._said_held = False
        self._orbiting = False
        self._ask: Ask | None = None

    def _take_rig(self) -> None:
        super()._take_rig()
        self._left = None
        if self.asking():
            self.stop_asking()

    def _asks_places(self) -> bool:
        return self._ask is not None and self._ask.of_places

    def _asked(self) -> str:
        return "" if self._ask is None else self._ask.words

    # ── asking for a place or a part ───────────────────────────────

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

    def ask_part(self, words: str = "click the part that should follow") -> None:
        """Let the next click choose a part."""
        self._asks(Ask("part", words))

    def _asks(self, ask: Ask) -> None:
        self._ask = ask
        self.setFocus()
        self._refresh()

    def asking(self) -> bool:
        """Whether the next click answers a question."""
        return self._ask is not None

    def asking_part(self) -> bool:
        """Whether the next click chooses a part."""
        return self._ask is not None and self._ask.kind == "part"

    def stop_asking(self) -> None:
        """Clicks select again."""
        self._ask = None
        self._picked = []
        self.overlay.drawn.nearest = None
        self.measured.emit([])
        self._refresh()

    def _places(self) -> list[Spot]:
        """Places to snap to: those of the part asked for, and of the part under the pointer."""
        if self._ask is None or not self._ask.of_places:
            return []
        under = {row for row in (self._hovered, self._left) if row is not None}
        return self._ask.spots(self.scene(), self.pose, under)

    def _nearest_place(self, at: QPointF) -> int | None:
        spots = self.overlay.drawn.places
        return nearest_place(spots, self.camera, self.logical_size(), (at.x(), at.y()))

    # ── hands ──────────────────────────────────────────────────────

    def on_knob(self, at: QPointF) -> Handle | None:
        """The handle whose knob a point is on."""
        drawn = self.overlay.drawn
        for handle in (drawn.handle, *drawn.others):
            if handle is not None:
                knob = self.overlay.points([handle.knob])[0]
                if math.hypot(knob.x() - at.x(), knob.y() - at.y()) <= KNOB + 4:
                    return handle
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Left on a part takes hold of it; on paper it orbits; right pans."""
        assert event is not None
        self._press = self._last = event.position()
        self._said_held = False
        if event.button() != Qt.MouseButton.LeftButton or self.asking():
            return
        size, pixel = self.logical_size(), (event.position().x(), event.position().y())
        if self._take_face(event.position()):
            return
        if self.document.rig.locked:
            self._orbiting = self.part_at(event.position()) is None
            return
        knob = self.on_knob(event.position())
        if knob is not None:
            self._hold = Drag(knob, self.camera, size, knob.knob, pixel)
            return
        part = self.part_at(event.position())
        if part is None:
            self._orbiting = True
            return
        moving = self.document.moving_part(part)
        if moving is not None:
            pose, scene, camera = self.pose, self.scene(), self.camera
            grip = grip_on(pose, scene, part, camera, size, pixel)
            if in_loop(pose, moving):
                self._hold = PointDrag.on(pose, part, camera, size, grip)
                return
            self._hold = take_hold(pose, scene, moving, camera, size, grip, pixel)

    def _take_face(self, at: QPointF) -> bool:
        """Take hold of the face of a control, topmost first: of its knob, or of its plate."""
        for face in reversed(self.overlay.drawn.faces):
            what = face.hit(at)
            if what:
                self.document.select(face.standing.control)
                self._face = FaceHold(self.document, face, what, at, self.camera)
                return True
        return False

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag what was taken hold of, turn the view, or show what is under the pointer."""
        assert event is not None
        at, step = event.position(), event.position() - self._last
        self._last = at
        buttons = event.buttons()
        if self._face is not None:
            self._face.to(at, self.logical_size())
        elif self._hold is not None:
            self._pull(at)
        elif buttons & Qt.MouseButton.RightButton or buttons & Qt.MouseButton.MiddleButton:
            self._look(panned(self.camera, self.logical_size(), step.x(), step.y()))
        elif self._orbiting or (buttons & Qt.MouseButton.LeftButton and self.asking()):
            self._look(orbited(self.camera, step.x(), step.y()))
        elif buttons & Qt.MouseButton.LeftButton:
            self._say_grounded(at)
        else:
            self._hover(at)

    def _look(self, camera: Camera) -> None:
        self.camera = camera
        self._refresh()

    def _pull(self, at: QPointF) -> None:
        assert self._hold is not None
        if self._press is not None and self._near(at, self._press):
            return
        self._press = None
        if isinstance(self._hold, PointDrag):
            target = self._hold.target((at.x(), at.y()))
            self.document.pull(self._hold.part, self._hold.inside, target, "pull a linkage")
            return
        moves = self._hold.moves((at.x(), at.y()))
        if self._said_held:
            return
        gesture = f"drag {self._hold.part}"
        moved = [self.document.move(channel, to, gesture) for channel, to in moves.items()]
        if moved and not any(moved):
            self._said_held = True
            self.setCursor(Qt.CursorShape.ForbiddenCursor)

    @staticmethod
    def _near(a: QPointF, b: QPointF) -> bool:
        return abs(a.x() - b.x()) + abs(a.y() - b.y()) < _CLICK

    def _say_grounded(self, at: QPointF) -> None:
        if self._press is None or self._near(at, self._press):
            return
        part = self.part_at(self._press)
        self._press = None
        if part is not None:
            self.setCursor(Qt.CursorShape.ForbiddenCursor)
            self.document.select(part)
            self.document.said.emit(self.document.grounded_text(part))

    def _hover(self, at: QPointF) -> None:
        part = self.part_at(at)
        row = None if part is None else self.document.program.part_row[part]
        changed = row != self._hovered
        if changed and self._hovered is not None:
            self._left = self._hovered
        self._hovered = row
        if self._ask is not None and self._ask.of_places:
            self.overlay.drawn.places = self._places() if changed else self.overlay.drawn.places
            self.overlay.drawn.nearest = self._nearest_place(at)
            self.overlay.update()
        self.setCursor(self._cursor(part, at))
        if changed:
            self._refresh()

    def _cursor(self, part: str | None, at: QPointF) -> Qt.CursorShape:
        if self.asking():
            return Qt.CursorShape.CrossCursor
        if on_face := next((w for f in self.overlay.drawn.faces if (w := f.hit(at))), ""):
            hand = on_face == "body"
            return Qt.CursorShape.OpenHandCursor if hand else Qt.CursorShape.SizeAllCursor
        if self.document.rig.locked:
            return Qt.CursorShape.ArrowCursor
        if self.on_knob(at) or (part and self.document.moving_part(part)):
            return Qt.CursorShape.OpenHandCursor
        return Qt.CursorShape.ArrowCursor

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """A press that went nowhere is a click: it selects, or answers what was asked."""
        assert event is not None
        clicked = self._press is not None and self._near(event.position(), self._press)
        face, self._face = self._face, None
        if face is not None:
            face.let_go()
            self._press = None
            return
        held = self._hold is not None
        self._hold, self._orbiting, self._press = None, False, None
        if held:
            self.document.settle()
        if clicked and event.button() == Qt.MouseButton.LeftButton:
            self._click(event.position())
        self._hover(event.position())

    def _click(self, at: QPointF) -> None:
        if self._ask is not None and self._ask.of_places:
            self._answer_place(at)
            return
        part = self.part_at(at)
        if self.asking_part():
            if part is not None:
                self.stop_asking()
                self.part_picked.emit(part)
            return
        self.document.select(part or "")

    def _answer_place(self, at: QPointF) -> None:
        nearest = self._nearest_place(at)
        if nearest is None:
            self.document.said.emit("Nothing to snap to here. Click nearer to a mark.")
            return
        assert self._ask is not None
        spot, ask = self.overlay.drawn.places[nearest], self._ask
        if ask.kind in ("pin", "strut"):
            self._answer_two(ask.kind, spot)
            return
        if ask.kind == "measure":
            self._picked = [*self._picked, spot] if len(self._picked) < 2 else [spot]
            self.measured.emit(list(self._picked))
            self._refresh()
            return
        self.stop_asking()
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
            self._asks(Ask(kind, words[kind]))
            return
        if spot.anchor.part == self._picked[0].anchor.part:
            self.document.said.emit("That is the same part. Click a place on another one.")
            return
        one = self._picked[0]
        self.stop_asking()
        (self.pinned if kind == "pin" else self.strutted).emit(one, spot)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom at the pointer."""
        assert event is not None
        at = event.position()
        factor = 0.88 ** (event.angleDelta().y() / 120)
        self._look(zoomed(self.camera, self.logical_size(), (at.x(), at.y()), factor))
