"""The file menu in the real window: what is asked, what is said, and what is on disk."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import trimesh
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QFileDialog
from tests.desktop.hand import Hand
from tests.desktop.hand import act as do_act

from gremio.core.files import rig_file
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.solids import Mesh
from gremio.desktop.shell.window import Window


class Answers:
    """What a person answers when a file is asked for; "" closes the question."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.path = ""
        self.asked: list[str] = []
        for name in ("getOpenFileName", "getSaveFileName"):
            monkeypatch.setattr(QFileDialog, name, self._answer)

    def _answer(
        self, _parent: object, title: str, *_more: object, **_named: object
    ) -> tuple[str, str]:
        self.asked.append(title)
        return self.path, ""


@pytest.fixture
def answers(monkeypatch: pytest.MonkeyPatch) -> Answers:
    return Answers(monkeypatch)


def act(hand: Hand, words: str) -> None:
    do_act(hand.window, words)
    hand.rest(40)


@pytest.fixture
def crate(tmp_path: Path) -> Path:
    """A model of one box, 2 × 1 × 1 m."""
    file = tmp_path / "crate.glb"
    trimesh.creation.box((2.0, 1.0, 1.0)).export(file)
    return file


def brought_in(hand: Hand, answers: Answers, file: Path) -> str:
    """Bring a model in through the menu; returns the id of its one part."""
    answers.path = str(file)
    act(hand, "Bring in parts")
    hand.click(hand.named("Bring in 1 part"))
    (part,) = hand.window.document.rig.parts
    return part


def drop(window: Window, file: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(file))])
    at, left = window.rect().center(), Qt.MouseButton.LeftButton
    none = Qt.KeyboardModifier.NoModifier
    enter = QDragEnterEvent(at, Qt.DropAction.CopyAction, data, left, none)
    window.dragEnterEvent(enter)
    assert enter.isAccepted()
    window.dropEvent(QDropEvent(QPointF(at), Qt.DropAction.CopyAction, data, left, none))


def test_saving_as_asks_where_and_opening_brings_it_back(
    at_lock: Hand, answers: Answers, tmp_path: Path
) -> None:
    document = at_lock.window.document
    document.move(control_id(document.rig, "Upper gates"), 0.5)
    answers.path = str(tmp_path / "mine")
    act(at_lock, "Save as")
    file = tmp_path / "mine.gremio"
    assert rig_file.read(file) == document.rig and not document.changed
    act(at_lock, "New rig")
    assert document.rig.parts == {}
    answers.path = str(file)
    act(at_lock, "Open")
    assert at_lock.value("Upper gates") == pytest.approx(0.5)
    assert answers.asked == ["Save the rig", "Open a rig"]
    # From now on it is saved there without asking.
    document.move(control_id(document.rig, "Upper gates"), 0.25)
    act(at_lock, "Save")
    assert answers.asked == ["Save the rig", "Open a rig"]
    assert rig_file.read(file) == document.rig


def test_a_question_that_is_closed_changes_nothing(at_lock: Hand, answers: Answers) -> None:
    document = at_lock.window.document
    before = document.rig
    document.select(control_id(before, "Upper gates"))
    for words in (
        "Open", "Save as", "Bring in parts", "Export the parts as posed",
        "Export a control's travel", "Export as URDF",
    ):  # fmt: skip
        act(at_lock, words)
        if words == "Export a control's travel":
            at_lock.click(at_lock.named("Write a GLB…"))
    assert document.rig is before and len(answers.asked) == 6


def test_the_parts_as_posed_are_exported(at_lock: Hand, answers: Answers, tmp_path: Path) -> None:
    document = at_lock.window.document
    document.move(control_id(document.rig, "Upper gates"), 0.5)
    answers.path = str(tmp_path / "posed.glb")
    act(at_lock, "Export the parts as posed")
    assert "The parts as posed are in posed.glb." in at_lock.said
    scene = trimesh.load(tmp_path / "posed.glb")
    found, _ = scene.graph.get("Upper gate, east")
    # glTF is y up and z forward: its x, y, z are the rig's y, z, x.
    world = document.pose.world(part_id(document.rig, "Upper gate, east"))
    order = [1, 2, 0]
    assert found[:3, 3] == pytest.approx(world[order, 3], abs=1e-6)
    assert found[:3, :3] == pytest.approx(world[np.ix_(order, order)], abs=1e-6)


def test_travel_is_exported_for_a_control_that_is_selected(
    at_lock: Hand, answers: Answers, tmp_path: Path
) -> None:
    answers.path = str(tmp_path / "travel.glb")
    at_lock.window.document.select(control_id(at_lock.window.document.rig, "Upper gates"))
    act(at_lock, "Export a control's travel")
    at_lock.click(at_lock.named("Write a GLB…"))
    assert (tmp_path / "travel.glb").stat().st_size > 1000
    told = at_lock.said[-1]
    assert told.startswith("The travel of Upper gates is in travel.glb.")
    assert "keys; between them every part is within 0.1 mm and 0.05°" in told
    # On whole frames only it says how far off it is between them.
    act(at_lock, "Export a control's travel")
    at_lock.type_into(at_lock.named("Takes"), "1 s")
    at_lock.choose("Keys", "whole frames, 24 a second")
    answers.path = str(tmp_path / "frames.glb")
    at_lock.click(at_lock.named("Write a GLB…"))
    assert " off, at " in at_lock.said[-1]


def test_a_place_that_takes_no_file_is_told(
    at_lock: Hand, answers: Answers, tmp_path: Path
) -> None:
    (tmp_path / "taken").write_text("a file, not a folder")
    answers.path = str(tmp_path / "taken" / "out")
    for words in ("Export the parts as posed", "Export as URDF", "Save as"):
        act(at_lock, words)
        assert "taken" in at_lock.said.pop(), words
    assert (tmp_path / "taken").read_text() == "a file, not a folder"


def test_a_model_that_moved_is_found_again(
    hand: Hand, answers: Answers, crate: Path, tmp_path: Path
) -> None:
    document = hand.window.document
    brought_in(hand, answers, crate)
    answers.path = str(tmp_path / "yard.gremio")
    act(hand, "Save as")
    (tmp_path / "models").mkdir()
    moved = crate.rename(tmp_path / "models" / "crate.glb")
    hand.window.files.open_path(tmp_path / "yard.gremio")
    assert [n.code for n in document.looking.notes()] == ["model-missing"]
    answers.path = str(moved)
    act(hand, "Find a model")
    assert answers.asked[-1] == "Find crate.glb" and hand.said[-1] == (
        "crate.glb is taken up: nothing in it is otherwise."
    )
    assert document.looking.notes() == []
    corners = hand.window.bench.corners()
    assert np.ptp(corners, axis=0).max() == pytest.approx(2.0)
    act(hand, "Undo")
    assert [n.code for n in document.looking.notes()] == ["model-missing"]


def test_a_model_that_can_not_be_read_takes_nothing_away(
    hand: Hand, answers: Answers, crate: Path, tmp_path: Path
) -> None:
    part = brought_in(hand, answers, crate)
    before = hand.window.document.rig
    bad = tmp_path / "bad.glb"
    bad.write_bytes(b"glTF but not really")
    answers.path = str(bad)
    act(hand, "Take up a later model")
    assert hand.window.document.rig is before
    assert "bad.glb" in hand.said[-1]
    assert isinstance(before.parts[part].shapes[0].solid, Mesh)


def test_a_rig_without_models_has_nothing_to_find(at_lock: Hand, answers: Answers) -> None:
    act(at_lock, "Find a model")
    assert answers.asked == [] and "no models from files" in at_lock.said[-1]


def test_a_changed_model_is_looked_at_again(hand: Hand, answers: Answers, crate: Path) -> None:
    brought_in(hand, answers, crate)
    trimesh.creation.box((3.0, 1.0, 1.0)).export(crate)
    act(hand, "Look at the models again")
    assert [n.code for n in hand.window.document.looking.notes()] == ["model-changed"]
    act(hand, "Find a model")
    # It is where it was, so nothing is asked; and the older one is there no more.
    assert not [text for text in answers.asked if text.startswith("Find")]
    hand.click(hand.named("Take what is ticked"))
    assert hand.window.document.looking.notes() == []
    assert np.ptp(hand.window.bench.corners(), axis=0).max() == pytest.approx(3.0)


def test_files_are_dropped_on_the_window(hand: Hand, crate: Path, tmp_path: Path, lock) -> None:
    drop(hand.window, crate)
    assert hand.window.card.making is not None and hand.window.document.rig.parts == {}
    rig_file.write(lock, tmp_path / "lock.gremio")
    drop(hand.window, tmp_path / "lock.gremio")
    assert hand.window.document.rig == lock and hand.window.card.making is None


def test_a_model_is_read_again_in_another_unit(hand: Hand, answers: Answers, crate: Path) -> None:
    answers.path = str(crate)
    act(hand, "Bring in parts")
    hand.choose("Unit of the file", "millimetres")
    hand.click(hand.named("Bring in 1 part"))
    corners = hand.window.bench.corners()
    assert np.ptp(corners, axis=0).max() == pytest.approx(0.002)


def test_a_car_of_four_kilometres_is_doubted_and_turned_to_face_along_x(
    hand: Hand, answers: Answers, tmp_path: Path
) -> None:
    file = tmp_path / "car.glb"
    trimesh.creation.box((1500.0, 4200.0, 1400.0)).export(file)
    answers.path = str(file)
    act(hand, "Bring in parts")
    hand.choose("Upright axis", "z")
    hand.choose("Axis of its front", "y")
    hand.click(hand.named("Read it in millimetres"))
    assert hand.named("Axis of its front").currentText() == "y"
    hand.click(hand.named("Bring in 1 part"))
    hand.rest(40)
    ((part, entry),) = hand.window.document.rig.parts.items()
    corners = hand.window.bench.corners_of_family(part)
    assert np.ptp(corners, axis=0) == pytest.approx([4.2, 1.5, 1.4], abs=1e-6)
    assert entry.own.turn != (1.0, 0.0, 0.0, 0.0)
