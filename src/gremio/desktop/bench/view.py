"""The Bench: the machine, and what hands do to it."""

from __future__ import annotations

import math

from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from gremio.core.arrays import Array
from gremio.core.problem import listed
from gremio.core.rig.ids import PartId
from gremio.core.rig.numbers import full_label
from gremio.desktop.bench.camera import Camera, orbited, panned, project, zoomed
from gremio.desktop.bench.drag import Drag, FreeDrag, PointDrag, grip_on, is_held, take_hold
from gremio.desktop.bench.face_hold import FaceHold
from gremio.desktop.bench.handles import Handle
from gremio.desktop.bench.overlay import KNOB
from gremio.desktop.bench.path_hold import PathHold
from gremio.desktop.bench.questions import Asking
from gremio.desktop.bench.scene import corners_of
from gremio.desktop.bench.sliding import SurfaceDrag, slide_on
from gremio.desktop.document.document import Document

_CLICK = 4
Hold = Drag | FreeDrag | PointDrag | SurfaceDrag


class Bench(Asking):
    """The 3D view, with hands. menu_wanted: what can be done with what is chosen, at a place of the
    screen."""

    menu_wanted = pyqtSignal(QPoint)

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(document, parent)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName("Bench")
        self._press: QPointF | None = None
        self._last = QPointF()
        self._hold: Hold | None = None
        self._face: FaceHold | None = None
        self._point: PathHold | None = None
        self._said_held = False
        self._orbiting = False
        # Where a rectangle that chooses parts begins.
        self._band: QPointF | None = None

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
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._band = event.position()
            return
        size, pixel = self.logical_size(), (event.position().x(), event.position().y())
        if self._take_face(event.position()):
            return
        self._point = PathHold.at(self.document, self.overlay, event.position(), self.camera)
        if self._point is not None:
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
            by_point = PointDrag.on(pose, part, camera, size, grip, self.document.to_move())
            if is_held(pose, moving) or len(by_point.leads) > 1:
                self._hold = by_point
                self._tell_puller(self._hold)
                return
            self._hold = slide_on(self.document, moving, camera, size, pixel) or take_hold(
                pose, scene, moving, camera, size, grip, pixel
            )

    def _tell_puller(self, hold: PointDrag) -> None:
        """Say what a pull will move, before it does."""
        if hold.leads:
            rig = self.document.rig
            leads = listed(full_label(rig, lead) for lead in hold.leads)
            self.document.said.emit(f"A pull at {rig.parts[hold.part].name} moves {leads}.")

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
        if self._band is not None:
            self.overlay.drawn.band = QRectF(self._band, at).normalized()
            self.overlay.update()
            return
        if self._face is not None:
            self._face.to(at, self.logical_size())
        elif self._point is not None:
            self._point.to(at, self.logical_size())
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
            self._pull_point(self._hold, *self._hold.target((at.x(), at.y())))
            return
        moves = self._hold.moves((at.x(), at.y()))
        if isinstance(self._hold, SurfaceDrag):
            name = self.document.rig.parts[self._hold.part].name
            self.document.put(moves, f"slide {name}", f"slide {self._hold.part}")
            return
        if self._said_held:
            return
        gesture = f"drag {self._hold.part}"
        if moves and not self.document.move_all(moves, "", gesture):
            self._said_held = True
            self.setCursor(Qt.CursorShape.ForbiddenCursor)

    def _pull_point(self, hold: PointDrag, target: Array, sight: Array) -> None:
        """Pull by the inputs that were said; where they can't follow the hand to begin with, by the
        one that can, which is said then."""
        moved = self.document.pull(hold.part, hold.inside, target, hold.leads, sight)
        if moved is None and not hold.begun:
            moved = self.document.pull(hold.part, hold.inside, target, (), sight)
        if moved is not None:
            changed = moved != hold.leads
            self._hold = replace(hold, leads=moved, begun=True)
            if changed:
                self._tell_puller(self._hold)

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
        part = self.part_at(at, now=True)
        row = None if part is None else self.document.program.part_row[part]
        changed = row != self._hovered
        if changed and self._hovered is not None:
            self._left = self._hovered
        self._hovered = row
        if self._asks_places():
            self.overlay.drawn.places = self._places() if changed else self.overlay.drawn.places
            self.overlay.drawn.nearest = self._nearest_place(at)
            self.overlay.update()
        self.setCursor(self._cursor(part, at))
        if changed:
            self._refresh()

    def _cursor(self, part: PartId | None, at: QPointF) -> Qt.CursorShape:
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
        band, self._band = self._band, None
        if band is not None:
            self.overlay.drawn.band = None
            self.overlay.update()
            if not clicked:
                self._choose_in(QRectF(band, event.position()).normalized())
                self._press = None
                return
        face, self._face = self._face, None
        if face is not None:
            face.let_go()
            self._press = None
            return
        held = self._hold is not None or self._point is not None
        self._point = None
        self._hold, self._orbiting, self._press = None, False, None
        if held:
            self.document.settle()
        if clicked and event.button() == Qt.MouseButton.RightButton and not self.asking():
            self._ask_menu(event.position())
        more = event.modifiers() & Qt.KeyboardModifier.ControlModifier
        if clicked and event.button() == Qt.MouseButton.LeftButton:
            if more and not self.asking():
                self._choose_too(event.position())
            else:
                self._click(event.position())
        self._hover(event.position())

    def _ask_menu(self, at: QPointF) -> None:
        """The right button on a part that is not chosen chooses it first."""
        part = self.part_at(at)
        if part is None:
            return
        if part not in self.document.chosen_parts:
            self.document.select(part)
        self.menu_wanted.emit(self.mapToGlobal(at.toPoint()))

    def _choose_in(self, room: QRectF) -> None:
        """Choose the parts whose shapes stand wholly in a rectangle of the picture."""
        scene, pose = self.scene(), self.pose
        found = []
        for part, row in pose.program.part_row.items():
            corners = corners_of(scene, pose, {row})
            if len(corners) == 0:
                continue
            pixels, depth = project(self.camera, self.logical_size(), corners)
            left, top = pixels.min(axis=0)
            right, bottom = pixels.max(axis=0)
            seen = QRectF(QPointF(float(left), float(top)), QPointF(float(right), float(bottom)))
            if bool((depth > 0).all()) and room.contains(seen):
                found.append(part)
        self.document.choose(found)
        if not found:
            self.document.said.emit("No part stands wholly in there.")

    def _choose_too(self, at: QPointF) -> None:
        """Choose the part there besides those that are chosen, or no more."""
        part = self.part_at(at)
        if part is None:
            return
        chosen = self.document.chosen_parts
        rest = [one for one in chosen if one != part]
        self.document.choose(rest if part in chosen else [*rest, part])

    def leaveEvent(self, event: QEvent | None) -> None:
        """The pointer is over nothing here any more."""
        super().leaveEvent(event)
        if self._hovered is not None:
            self._hovered = None
            self._refresh()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom at the pointer."""
        assert event is not None
        at = event.position()
        factor = 0.88 ** (event.angleDelta().y() / 120)
        self._look(zoomed(self.camera, self.logical_size(), (at.x(), at.y()), factor))
