"""The canvas of the Bench: the machine as it stands, drawn; what is looked at, and from where."""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial

import numpy as np
from PyQt6.QtCore import QPointF, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QResizeEvent
from PyQt6.QtOpenGLWidgets import QOpenGLWidget
from PyQt6.QtWidgets import QWidget

from gremio.core.arrays import Array
from gremio.core.edit.parts import descendants, rigid_family
from gremio.core.frames import carried
from gremio.core.rig import ids
from gremio.core.rig.ids import NOTHING, PartId, ThingId
from gremio.core.rig.model import Rig
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.pose import Pose
from gremio.core.solve.program import Program
from gremio.desktop.bench.about import parts_about
from gremio.desktop.bench.camera import Camera, Size, framed, project
from gremio.desktop.bench.faces import Shown, shown_faces
from gremio.desktop.bench.frames import Frames, View
from gremio.desktop.bench.handles import Handle, handles_of, stop_moves
from gremio.desktop.bench.measuring import drawn_measures
from gremio.desktop.bench.motion import Motion
from gremio.desktop.bench.overlay import Drawn, Overlay
from gremio.desktop.bench.renderer import Renderer
from gremio.desktop.bench.scene import (
    HOVERED,
    SELECTED,
    Instances,
    Scene,
    box_edges,
    carried_alike,
    corners_of,
    scene_of,
)
from gremio.desktop.bench.snapping import Spot
from gremio.desktop.bench.ties import Track, strands, ties, tracks
from gremio.desktop.bench.wiggle import Wiggle
from gremio.desktop.document.change import Change
from gremio.desktop.document.document import Document
from gremio.desktop.theme.inks import DAY, Inks


class Canvas(QOpenGLWidget):
    """Shows the machine. frame_drawn: a frame has been drawn. hidden_changed: other parts, by id,
    are left out."""

    frame_drawn = pyqtSignal()
    hidden_changed = pyqtSignal(object)

    def __init__(self, document: Document, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.document = document
        self.inks: Inks = DAY
        self.camera = Camera()
        self.overlay = Overlay(self)
        self.overlay.inks = self.inks
        self.setMinimumSize(240, 160)
        self._preview: Pose | None = None
        self._preview_words = ""
        self._scene: Scene | None = None
        self._scene_stale = True
        self._dimensions: tuple[float, ...] = ()
        self._solved: Program | None = None
        self._framed = False
        self._hovered: int | None = None
        self.light = False
        self.textured = False
        self.with_faces = True
        self.hidden: frozenset[PartId] = frozenset()
        # What would be made, as ghosts.
        self._beside: list[Array] = []
        self._stood: tuple[Scene, Pose, dict[int, int], Instances] | None = None
        self.frames = Frames(self)
        self._wiggle = Wiggle(self)
        self.motion = Motion(self)
        document.rig_changed.connect(self._take_rig)
        document.pose_changed.connect(self._take_pose)
        document.selection_changed.connect(self._take_pose)

    # ── what is asked, where something is ──────────────────────────

    def _places(self) -> list[Spot]:
        """Places to snap to, where one is asked for."""
        return []

    def _asks_places(self) -> bool:
        """Whether a place on the geometry is asked for, so that handles would be in the way."""
        return False

    def _picked(self) -> list[Spot]:
        """Places that were picked, where some are asked for."""
        return []

    def _sketch(self) -> Array:
        """(n, 3) points of a path that is being drawn."""
        return np.zeros((0, 3))

    def _asked(self) -> str:
        """What the next click is for; "" for nothing."""
        return ""

    # ── what is shown ──────────────────────────────────────────────

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self.inks = self.overlay.inks = inks
        self._refresh()

    def preview(self, rig: Rig | None, words: str = "what would be brought in") -> None:
        """Show another rig than the document's, to look at only; None goes back. words: what is
        seen."""
        self._preview, self._preview_words = None, words
        if rig is not None:
            self._preview = evaluate(
                compile_rig(rig, partial(self.document.shelf.geometry, rig)), rig.at
            ).frame(0)
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

    def hide_parts(self, parts: Iterable[PartId]) -> None:
        """Leave parts, by id, out of the picture; none shows everything."""
        self.hidden = frozenset(parts)
        self._scene_stale = True
        self._hovered = None
        self._refresh()
        self.hidden_changed.emit(self.hidden)

    def set_light(self, light: bool) -> None:
        """Show stand-ins for heavy shapes, or the shapes themselves."""
        self.light = light
        self._scene_stale = True
        self._refresh()

    def set_textured(self, textured: bool) -> None:
        """Show models in the base colours of their materials, or in their paints."""
        self.textured = textured
        self._scene_stale = True
        self._refresh()

    def try_axis(self, part: PartId) -> None:
        """Wiggle a part a little about, or along, its main channel; nothing is changed."""
        self._wiggle.start(part)

    def logical_size(self) -> Size:
        """Width and height in the units of mouse positions."""
        return max(self.width(), 1), max(self.height(), 1)

    def scene(self) -> Scene:
        """The scene of the rig on show."""
        return self._scene_of(self.pose)

    def _scene_of(self, pose: Pose) -> Scene:
        """The scene of a pose; it stands as long as no shape changes, nor a led dimension."""
        stale = self._scene_stale or pose.dimensions != self._dimensions
        if self._scene is None or stale or not carried_alike(pose.program, self._solved):
            rows, shelf = pose.program.part_row, self.document.shelf
            self._scene = scene_of(
                pose.rig, rows, shelf, light=self.light, textured=self.textured, hidden=self.hidden
            )
            self._scene_stale = False
            self._dimensions = pose.dimensions
        self._solved = pose.program
        return self._scene

    def _take_rig(self, change: Change) -> None:
        if not change.compiles:
            return
        # Links and controls have no shape: the scene stands as long as no shape changes.
        if change.touches("sources", "strands", "treads") or self._reshaped(change):
            self._scene_stale = True
        self._hovered = None

    def _reshaped(self, change: Change) -> bool:
        """Whether parts came or went, or one has other shapes, or is carried by another."""
        before, after = change.before.parts, change.after.parts
        if change.anew or not change.same_order("parts"):
            return True
        return any(
            getattr(before[part], field) != getattr(after[part], field)
            for part in map(ids.part, change.things("parts"))
            for field in ("shapes", "stand_in", "repeat", "parent")
        )

    def _take_pose(self) -> None:
        if not self._framed and self.document.rig.parts and self.isVisible():
            self.show_all()
        self._refresh()

    def _refresh(self) -> None:
        """Draw soon without anti-aliasing, and again with it when things rest."""
        self._lay_overlay()
        self.frames.moved()

    def handles(self) -> list[Handle]:
        """The handles of the selected part, or of what carries it, the main one first."""
        selected = self.document.selected
        rig = self.document.rig
        if self._preview is not None or selected not in rig.parts or rig.locked:
            return []
        moving = self.document.moving_part(PartId(selected))
        found = handles_of(self.pose, self.scene(), moving, self.camera.eye) if moving else []
        # What a constraint gives has no handle: the part itself is pulled.
        drives = self.document.program.drives
        return [
            handle for handle in found
            if handle.channel not in drives or drives[handle.channel].links[0]
            not in rig.constraints
        ]  # fmt: skip

    def faces(self) -> list[Shown]:
        """The faces of controls to be seen."""
        if self._preview is not None or not self.with_faces:
            return []
        return shown_faces(self.pose, self.camera, self.logical_size())

    def _pins(self) -> list[tuple[Array, bool, ThingId]]:
        """Where loops are closed, whether it is what is selected, and what is there: the pin, or
        the strut that it belongs to."""
        pose, selected = self.pose, self.document.selected
        struts = {strut.closure: i for i, strut in pose.program.rig.struts.items()}
        found = []
        for closure_id, closure in pose.program.rig.closures.items():
            if closure.one in pose.program.part_row:
                world = pose.world(closure.one)
                place = carried(world, closure.at_one)
                own = struts.get(closure_id, closure_id)
                hot = selected in (own, closure_id, closure.one, closure.two)
                found.append((place, hot, own))
        return found

    def _lay_overlay(self) -> None:
        handles = [] if self._asks_places() else self.handles()
        about = self.document.selected, self._picked(), self.document.geometry
        measures = [] if self._preview else drawn_measures(self.pose, *about)
        drawn = Drawn(title=self._title(), measures=measures)
        if handles:
            drawn.handle, *drawn.others = handles
            drawn.ghosts = self._ghosts(handles[0])
        drawn.ghosts = [*drawn.ghosts, *self._beside]
        drawn.pins = self._pins()
        drawn.ties = ties(self.pose, self.document.selected)
        drawn.tracks = tracks(self.pose, self.document.selected)
        drawn.strands = strands(self.pose, self.document.selected)
        if len(sketch := self._sketch()):
            drawn.tracks.append(Track(NOTHING, sketch, sketch, True))
        drawn.faces, drawn.selected = self.faces(), self.document.selected
        drawn.places, drawn.nearest = self._places(), self.overlay.drawn.nearest
        if drawn.nearest is not None and drawn.nearest >= len(drawn.places):
            drawn.nearest = None
        self.overlay.camera = self.camera
        self.overlay.drawn = drawn
        self.overlay.update()

    def show_beside(self, ghosts: list[Array]) -> None:
        """Show ghosts of what would be made: (E, 2, 3) world ends of the edges of each."""
        self._beside = ghosts
        self._lay_overlay()

    def _title(self) -> str:
        if self._asked():
            return f"{self._asked()}; Esc stops"
        view = "perspective" if self._preview is None else self._preview_words
        away = sum(part in self.document.rig.parts for part in self.hidden)
        shown = [
            ("stand-ins", self.light),
            ("textured", self.textured),
            (f"{away} hidden", away > 0),
            ("what adds up still as before", self.document.timing.behind),
        ]
        return ", ".join([view, *(word for word, on in shown if on)])

    def _ghosts(self, handle: Handle) -> list[Array]:
        ends = box_edges(self.scene(), self.pose, self._rigid_family(handle.part))
        return [carried(move, ends) for move in stop_moves(handle)]

    def _rigid_family(self, part: PartId) -> list[int]:
        """Rows of a part and of all that is fixed to it."""
        rows = self.document.program.part_row
        return [rows[one] for one in rigid_family(self.document.rig, part)]

    # ── OpenGL ─────────────────────────────────────────────────────

    def initializeGL(self) -> None:
        """Make the renderer in the window's own context."""
        self.frames.begin()

    @property
    def renderer(self) -> Renderer | None:
        """What draws; None before there is something to draw with."""
        return self.frames.renderer

    def paintGL(self) -> None:
        """Draw one frame."""
        if self.renderer is None:
            return
        shown = self._shown()
        scene = self._scene_of(shown)
        if not self._framed and len(scene.parts):
            self.show_all()
        ratio = self.devicePixelRatioF()
        size = (round(self.width() * ratio), round(self.height() * ratio))
        standing = self._standing(scene, shown)
        if self.frames.paint(View(scene, standing, self.camera, self.inks, size, ratio)):
            self.frame_drawn.emit()

    def _standing(self, scene: Scene, shown: Pose) -> Instances:
        """Where everything stands; found anew where that, or what a hand does, is another."""
        about = scene, shown, self._states()
        if self._stood is None or self._stood[0] is not scene or self._stood[1:3] != about[1:]:
            self._stood = (*about, scene.instances(shown, about[2]))
        return self._stood[3]

    def _shown(self) -> Pose:
        """The pose that is drawn: a motion being shown goes before where things stand."""
        return self.motion.shown(self._wiggle.shown(self.pose))

    def _states(self) -> dict[int, int]:
        states: dict[int, int] = {}
        rows = self.pose.program.part_row
        if self._hovered is not None:
            states[self._hovered] = HOVERED
        for part in self.document.chosen_parts:
            if part in rows:
                states[rows[part]] = SELECTED
        return states

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        """It shows that keys go here."""
        super().focusInEvent(event)
        self.overlay.update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        """Keys go elsewhere."""
        super().focusOutEvent(event)
        self.overlay.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The sheet over the Bench is as large as the Bench."""
        super().resizeEvent(event)
        self.overlay.setGeometry(self.rect())
        self._lay_overlay()

    def part_at(self, at: QPointF, *, now: bool = False) -> PartId | None:
        """Id of the part seen at a point. Of a large model that is just being shown, what is not
        there yet is waited for, for a click must not miss it; now: it is not."""
        if self.renderer is None or self._preview is not None:
            return None
        scene = self.scene()
        self.makeCurrent()
        if now:
            self.frames.load(scene, 0.0)
        else:
            self.frames.wait_for_all(scene)
        standing = self._standing(scene, self.pose)
        pixel = int(at.x()), int(at.y())
        row = self.renderer.pick(self.logical_size(), self.camera, standing, pixel)
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
        """Bring the selected part, with all it carries, into the picture; of what is no part, those
        that it has to do with."""
        rig, rows = self.pose.program.rig, self.pose.program.part_row
        parts = parts_about(rig, self.document.selected)
        if not parts:
            self.document.said.emit("Select a part first; then it can be brought into the picture.")
            return
        family = {rows[one] for part in parts for one in (part, *descendants(rig, part))}
        corners = corners_of(self.scene(), self.pose, family)
        if len(corners):
            self.camera = framed(self.camera, self.logical_size(), corners, margin=1.7)
        self._refresh()

    def corners_of_family(self, part: PartId) -> Array:
        """(N, 3) world corners of the boxes round a part and all it carries."""
        rows = self.pose.program.part_row
        rig = self.pose.program.rig
        family = {rows[one] for one in (part, *descendants(rig, part))}
        return corners_of(self.scene(), self.pose, family)

    def show_if_away(self, part: PartId) -> None:
        """Bring a part into the picture, where its middle is outside of it."""
        row = self.pose.program.part_row.get(part)
        corners = np.zeros((0, 3)) if row is None else corners_of(self.scene(), self.pose, {row})
        if len(corners) == 0:
            return
        middle = (corners.min(axis=0) + corners.max(axis=0)) / 2
        width, height = self.logical_size()
        ((x, y),), depth = project(self.camera, (width, height), middle)
        if depth[0] <= 0 or not (0 <= x <= width and 0 <= y <= height):
            self.show_selected()

    def frame_anew(self) -> None:
        """Another rig is on the table: show all of it, with nothing left over from the one
        before."""
        self._framed = False
        self.camera = Camera()
        self.light = self.textured = False
        self.hide_parts(())
        self._take_pose()
