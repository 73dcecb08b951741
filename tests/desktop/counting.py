"""A hand whose acts are counted, and shapes for models of one's own."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import trimesh
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QWidget
from shapely.geometry import Polygon
from tests.desktop.hand import CTRL, LEFT, Hand
from tests.desktop.test_files_on_screen import Answers

from gremio.core.rig.find import part_id
from gremio.desktop.bench.camera import project


class Counting(Hand):
    """A hand whose acts are counted."""

    acts = 0
    answers: Answers

    def act_click(self, widget: QWidget, at: QPointF | None = None) -> None:
        self.acts += 1
        self.click(widget, at)
        self.rest(40)

    def act_key(self, key: str | Qt.Key, modifier: object = Qt.KeyboardModifier.NoModifier) -> None:
        self.acts += 1
        self.keys(key, modifier)  # type: ignore[arg-type]
        self.rest(40)

    def act_type(self, word: str) -> None:
        """One typed word or number, into what has the keyboard."""
        self.acts += 1
        self.keys(word)
        self.rest(20)

    def act_field(self, name: str, word: str) -> None:
        self.act_click(self.named(name))
        self.act_type(word)
        self.act_key(Qt.Key.Key_Return)

    def act_choose(self, box: str, text: str) -> None:
        """Open a choice, and click an entry."""
        self.acts += 2
        self.choose(box, text)
        self.rest(40)

    def act_do(self, words: str) -> None:
        self.acts += 1 if self._seen(words) is not None else 2
        self.do(words)
        self.rest(40)

    def act_row(
        self, name: str, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
    ) -> None:
        """Click a row of the list of parts."""
        self.acts += 1
        tree = self.window.parts.tree
        (item,) = [i for i in self.window.parts._items.values() if i.text(0) == name]
        tree.scrollToItem(item)
        spot = tree.visualItemRect(item).center()
        QTest.mouseClick(tree.viewport(), LEFT, modifier, spot)
        self.rest(60)

    def act_rows(self, *names: str) -> None:
        """Choose several rows of the list of parts."""
        self.act_row(names[0])
        for name in names[1:]:
            self.act_row(name, CTRL)

    def act_mount(self, on: str, *names: str) -> None:
        """Drag rows of the list of parts, which are chosen first where they are several, onto
        another."""
        self.acts += len(names) if len(names) > 1 else 0
        self.acts += 1
        document = self.window.document
        document.choose([part_id(document.rig, name) for name in names])
        self.window.parts.tree.dropped.emit(part_id(document.rig, on))
        self.rest(40)

    def act_bring_in(self, file: Path, unit: str = "", faces: str = "") -> None:
        """The key, the name of the file, Enter, its unit where it is none of metres, the axis that
        its front faces where that is not x, and the button on the Card."""
        self.answers.path = str(file)
        self.act_key("i", CTRL)
        self.acts += 2
        if unit:
            self.act_choose("Unit of the file", unit)
        if faces:
            self.act_choose("Axis of its front", faces)
        buttons = [b for b in self.window.card.findChildren(QWidget) if b.property("main")]
        self.act_click(buttons[0])
        self.rest(60)

    def act_world(self, place: tuple[float, float, float]) -> None:
        """Click the Bench where a place of the world is seen."""
        self.acts += 1
        bench = self.window.bench
        (pixel,), _ = project(bench.camera, bench.logical_size(), np.array([place]))
        spot = QPointF(*pixel)
        self.move(bench, spot)
        self.rest(30)
        self.click(bench, spot)
        self.rest(50)

    def act_on(self, name: str, inside: tuple[float, float, float]) -> None:
        """Click the Bench at a place of a part, in its own frame (m)."""
        self.acts += 1
        spot = self.on_part(name, inside)
        self.move(self.window.bench, spot)
        self.rest(30)
        self.click(self.window.bench, spot)
        self.rest(50)

    def act_stops_and_control(self, low: str, high: str) -> None:
        """Stops of the part that is selected, a control of it, and its travel seen."""
        self.act_field("High stop", high)
        self.act_field("Low stop", low)
        self.act_key("c")
        (control,) = self.window.document.rig.controls.values()
        self.drags_control(control.name)

    def drags_control(self, name: str, far: float = 400) -> None:
        """Drag a control's slider to the right, or to the left (pixels)."""
        self.acts += 1
        start, way = self.slider(name), QPointF(far, 0)
        self.drag(self.instrument(name), start, start + 0.15 * way, start + way)
        self.rest(40)


def scene(file: Path, **pieces: trimesh.Trimesh) -> Path:
    found = trimesh.Scene()
    for name, mesh in pieces.items():
        called = name.replace("_", " ")
        found.add_geometry(mesh, node_name=called, geom_name=called)
    # glTF is y up and z forward: its x, y, z are the rig's y, z, x.
    found.apply_transform(np.eye(4)[[1, 2, 0, 3]])
    found.export(file)
    return file


def box(size: tuple[float, float, float], at: tuple[float, float, float]) -> trimesh.Trimesh:
    mesh = trimesh.creation.box(size)
    mesh.apply_translation(at)
    return mesh


def bar(radius: float, long: float, at: tuple[float, float, float], way: str) -> trimesh.Trimesh:
    mesh = trimesh.creation.cylinder(radius, long, sections=48)
    turns = {"x": ((0, 1, 0), math.pi / 2), "y": ((1, 0, 0), math.pi / 2), "z": ((0, 0, 1), 0.0)}
    axis, angle = turns[way]
    mesh.apply_transform(trimesh.transformations.rotation_matrix(angle, axis))
    mesh.apply_translation(at)
    return mesh


def eye(
    at: tuple[float, float, float], hole: float, outside: float, wide: float, way: str = "y"
) -> trimesh.Trimesh:
    """A ring of a hole's radius."""
    ring = trimesh.creation.annulus(hole, outside, wide, sections=48)
    if way != "z":
        axis = (1, 0, 0) if way == "y" else (0, 1, 0)
        ring.apply_transform(trimesh.transformations.rotation_matrix(math.pi / 2, axis))
    ring.apply_translation(at)
    return ring


def cog(
    teeth: int, module: float, at: tuple[float, float, float], tall: float = 0.02
) -> trimesh.Trimesh:
    tip, root = module * (teeth + 2) / 2, module * (teeth - 2.5) / 2
    corners = []
    for tooth in range(teeth):
        for share, radius in ((-0.30, root), (-0.15, tip), (0.15, tip), (0.30, root)):
            turn = 2 * math.pi * (tooth + share) / teeth
            corners.append((radius * math.cos(turn), radius * math.sin(turn)))
    mesh = trimesh.creation.extrude_polygon(Polygon(corners), tall)
    mesh.apply_translation(at)
    return mesh
