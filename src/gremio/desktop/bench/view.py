"""The Bench: the machine, and what hands do to it."""

from __future__ import annotations

import math
from collections.abc import Iterable

import moderngl
import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPointF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QResizeEvent, QWheelEvent
from PyQt6.QtOpenGLWidgets import QOpenGLWidget
from PyQt6.QtWidgets import QWidget

from gremio.core.rig.edit.parts import descendants, rigid_family
from gremio.core.rig.model import Rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.pose import Pose
from gremio.core.solve.program import compile_rig
from gremio.desktop.bench.asking import Ask
from gremio.desktop.bench.camera import (
    Camera,
    Size,
    framed,
    orbited,
    panned,
    zoomed,
)
from gremio.desktop.bench.drag import Drag, FreeDrag, grip_on, take_hold
from gremio.desktop.bench.face_hold import FaceHold
from gremio.desktop.bench.faces import Shown, shown_faces
from gremio.desktop.bench.handles import Handle, handles_of, stop_moves
from gremio.desktop.bench.measuring import drawn_measures
from gremio.desktop.bench.motion import Motion
from gremio.desktop.bench.overlay import KNOB, Drawn, Overlay
from gremio.desktop.bench.renderer import Renderer
from gremio.desktop.bench.scene import Scene, box_edges, corners_of, scene_of
from gremio.desktop.bench.snapping import Spot, nearest_place
from gremio.desktop.bench.wiggle import Wiggle
from gremio.desktop.document import Document
from gremio.desktop.theme.inks import DAY, Inks

Array = npt.NDArray[np.float64]
_REST = 160
_CLICK = 4
_HEAVY = 1.8
_HOVERED = 1.5


class Bench(QOpenGLWidget):
    """The 3D view.

    place_picked, axis_picked: a Spot for a part's mount, or for its axis. measured: the Spots
    picked so far. part_picked: a part clicked while one was asked for. frame_drawn: a frame
    has been drawn.
    """

    place_picked = pyqtSignal(str, object)
    axis_picked = pyqtSignal(str, object)
    measured = pyqtSignal(object)
    part_picked = pyqtSignal(str)
    frame_drawn = pyqtSignal()

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.document = document
        self.inks: Inks = DAY
        self.camera = Camera()
        self.renderer: Renderer | None = None
        self.overlay = Overlay(self)
        self.overlay.inks = self.inks
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setMinimumSize(240, 160)
        self.setAccessibleName("Bench")
        self._preview: Pose | None = None
        self._scene: Scene | None = None
        self._scene_stale = True
        self._framed = False
        self._hovered: int | None = None
        # What was under the pointer before: a hole's centre is often covered by another part.
        self._left: int | None = None
        self._press: QPointF | None = None
        self._last = QPointF()
        self._hold: Drag | FreeDrag | None = None
        self._face: FaceHold | None = None
        self._said_held = False
        self._orbiting = False
        self._ask: Ask | None = None
        self._picked: list[Spot] = []
        self.light = False
        self.with_faces = True
        self.hidden: frozenset[str] = frozenset()
        self._wiggle = Wiggle(self)
        self.motion = Motion(self)
        self._resting = QTimer(self)
        self._resting.setSingleShot(True)
        self._resting.setInterval(_REST)
        self._resting.timeout.connect(self.update)
        document.rig_changed.connect(self._take_rig)
        document.pose_changed.connect(self._take_pose)
        document.selection_changed.connect(self._take_pose)

    # ── what is shown ──────────────────────────────────────────────

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self.inks = self.overlay.inks = inks
        self._refresh()

    def preview(self, rig: Rig | None) -> None:
        """Show another rig than the document's, to look at only; None goes back."""
        self._preview = None
        if rig is not None:
            self._preview = evaluate(compile_rig(rig), rig.at).frame(0)
        self._scene_stale = True
        self._hovered = None
        self.show_all()

    @property
    def pose(self) -> Pose:
        """The pose on show."""
        return self._preview or self.document.pose

    def show_faces(self, shown: bool) -> None:
        """Show the faces of controls, or leave them out for a picture."""
        self.with_faces = shown
        self._refresh()

    def hide_parts(self, parts: Iterable[str]) -> None:
        """Leave parts, by id, out of the picture; none shows everything."""
        self.hidden = frozenset(parts)
        self._scene_stale = True
        self._hovered = None
        self._refresh()

    def set_light(self, light: bool) -> None:
        """Show stand-ins for heavy shapes, or the shapes themselves."""
        self.light = light
        self._scene_stale = True
        self._refresh()

    def try_axis(self, part: str) -> None:
        """Wiggle a part a little about, or along, its main channel; nothing is changed."""
        self._wiggle.start(part)

    def logical_size(self) -> Size:
        """Width and height in the units of mouse positions."""
        return max(self.width(), 1), max(self.height(), 1)

    def scene(self) -> Scene:
        """The scene of the rig on show."""
        if self._scene is None or self._scene_stale:
            program = self.pose.program
            shelf = self.document.shelf
            self._scene = scene_of(program.rig, program.part_row, shelf, self.light, self.hidden)
            self._scene_stale = False
        return self._scene

    def _take_rig(self) -> None:
        self._scene_stale = True
        self._hovered = self._left = None
        if self.asking():
            self.stop_asking()

    def _take_pose(self) -> None:
        if not self._framed and self.document.rig.parts and self.isVisible():
            self.show_all()
        self._refresh()

    def _refresh(self) -> None:
        """Draw soon without anti-aliasing, and again with it when things rest."""
        self._resting.start()
        self._lay_overlay()
        self.update()

    def handles(self) -> list[Handle]:
        """The handles of the selected part, or of what carries it, the main one first."""
        selected = self.document.selected
        rig = self.document.rig
        if self._preview is not None or selected not in rig.parts or rig.locked:
            return []
        moving = self.document.moving_part(selected)
        return handles_of(self.pose, self.scene(), moving, self.camera.eye) if moving else []

    def faces(self) -> list[Shown]:
        """The faces of controls to be seen."""
        if self._preview is not None or not self.with_faces:
            return []
        return shown_faces(self.pose, self.camera, self.logical_size())

    def _lay_overlay(self) -> None:
        places = self._ask is not None and self._ask.of_places
        handles = [] if places else self.handles()
        about = self.document.selected, self._picked, self.document.geometry
        measures = [] if self._preview else drawn_measures(self.pose, *about)
        drawn = Drawn(title=self._title(), measures=measures)
        if handles:
            drawn.handle, *drawn.others = handles
            drawn.ghosts = self._ghosts(handles[0])
        drawn.faces, drawn.selected = self.faces(), self.document.selected
        drawn.places, drawn.nearest = self._places(), self.overlay.drawn.nearest
        if drawn.nearest is not None and drawn.nearest >= len(drawn.places):
            drawn.nearest = None
        self.overlay.camera = self.camera
        self.overlay.drawn = drawn
        self.overlay.update()

    def _title(self) -> str:
        if self._ask is not None:
            return f"{self._ask.words}; Esc stops"
        if self._preview is not None:
            return "what would be brought in"
        return "perspective"

    def _ghosts(self, handle: Handle) -> list[Array]:
        ends = box_edges(self.scene(), self.pose, self._rigid_family(handle.part))
        return [ends @ move[:3, :3].T + move[:3, 3] for move in stop_moves(handle)]

    def _rigid_family(self, part: str) -> list[int]:
        """Rows of a part and of all that is fixed to it."""
        rows = self.document.program.part_row
        return [rows[one] for one in rigid_family(self.document.rig, part)]

    # ── OpenGL ─────────────────────────────────────────────────────

    def initializeGL(self) -> None:
        """Make the renderer in the window's own context."""
        self.renderer = Renderer(moderngl.create_context(require=330))

    def paintGL(self) -> None:
        """Draw one frame."""
        if self.renderer is None:
            return
        scene = self.scene()
        self._load(scene)
        if not self._framed:
            self.show_all()
        context = self.renderer.context
        target = context.detect_framebuffer(self.defaultFramebufferObject())
        ratio = self.devicePixelRatioF()
        size = (round(self.width() * ratio), round(self.height() * ratio))
        self.renderer.draw(
            target,
            size,
            self.camera,
            scene.instances(self._shown(), self._weights()),
            self.inks,
            smooth=not self._resting.isActive(),
            scale=ratio,
        )
        self.frame_drawn.emit()

    def _shown(self) -> Pose:
        """The pose that is drawn: a motion being shown goes before where things stand."""
        return self.motion.shown(self._wiggle.shown(self.pose))

    def _load(self, scene: Scene) -> None:
        """Hand the scene to the renderer; the OpenGL context must be current."""
        if self.renderer is not None and self.renderer.scene is not scene:
            self.renderer.load(scene)

    def _weights(self) -> dict[int, float]:
        weights: dict[int, float] = {}
        rows = self.pose.program.part_row
        if self._hovered is not None:
            weights[self._hovered] = _HOVERED
        if self.document.selected in rows:
            weights[rows[self.document.selected]] = _HEAVY
        return weights

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The sheet over the Bench is as large as the Bench."""
        super().resizeEvent(event)
        self.overlay.setGeometry(self.rect())
        self._lay_overlay()

    def part_at(self, at: QPointF) -> str | None:
        """Id of the part seen at a point."""
        if self.renderer is None or self._preview is not None:
            return None
        scene = self.scene()
        self.makeCurrent()
        self._load(scene)
        row = self.renderer.pick(
            self.logical_size(),
            self.camera,
            scene.instances(self.pose, {}),
            (int(at.x()), int(at.y())),
        )
        self.doneCurrent()
        return None if row is None else self.document.program.part_ids[row]

    def corners(self) -> Array:
        """(N, 3) world corners of the boxes round everything on show."""
        return corners_of(self.scene(), self.pose)

    # ── looking ────────────────────────────────────────────────────

    def show_all(self) -> None:
        """Bring the whole rig into the picture."""
        corners = self.corners()
        if len(corners):
            self.camera = framed(self.camera, self.logical_size(), corners)
            self._framed = True
        self._refresh()

    def show_selected(self) -> None:
        """Bring the selected part, with all it carries, into the picture."""
        selected = self.document.selected
        if selected not in self.document.rig.parts:
            self.document.said.emit("Select a part first; X then brings it into the picture.")
            return
        rows = self.pose.program.part_row
        family = {rows[part] for part in (selected, *descendants(self.document.rig, selected))}
        corners = corners_of(self.scene(), self.pose, family)
        if len(corners):
            self.camera = framed(self.camera, self.logical_size(), corners, margin=1.7)
        self._refresh()

    def frame_anew(self) -> None:
        """Another rig is on the table: show all of it."""
        self._framed = False
        self._take_pose()

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
        if ask.kind == "measure":
            self._picked = [*self._picked, spot] if len(self._picked) < 2 else [spot]
            self.measured.emit(list(self._picked))
            self._refresh()
            return
        self.stop_asking()
        picked = self.place_picked if ask.kind == "place" else self.axis_picked
        picked.emit(ask.part, spot)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom at the pointer."""
        assert event is not None
        at = event.position()
        factor = 0.88 ** (event.angleDelta().y() / 120)
        self._look(zoomed(self.camera, self.logical_size(), (at.x(), at.y()), factor))
