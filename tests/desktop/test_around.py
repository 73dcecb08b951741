"""What stands around the work: rigs of before, travels to be exported, long reading, help."""

from __future__ import annotations

import json
import threading
from pathlib import Path

import numpy as np
import pygltflib
import pytest
import trimesh
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QTimer
from PyQt6.QtGui import QHelpEvent, QKeySequence
from PyQt6.QtWidgets import QApplication, QDialog, QLabel, QMenu
from tests.desktop.hand import CTRL, Hand, act
from tests.desktop.test_files_on_screen import Answers

from gremio.core.edit.desk import keep_pose
from gremio.core.edit.links import change_link
from gremio.core.rig.find import channel_key, control_id
from gremio.desktop.shell import files, help
from gremio.desktop.shell.recent import last_folder, recent

_ = pytest.fixture(name="answers")(lambda monkeypatch: Answers(monkeypatch))


def times_in(file: Path) -> list[np.ndarray]:
    """The key times (s) of a GLB."""
    glb = pygltflib.GLTF2.load(str(file))
    (animation,) = glb.animations
    found = []
    for sampler in animation.samplers:
        accessor = glb.accessors[sampler.input]
        view = glb.bufferViews[accessor.bufferView]
        start = (view.byteOffset or 0) + (accessor.byteOffset or 0)
        found.append(np.frombuffer(glb.binary_blob(), "<f4", accessor.count, start))
    return found


# ── files ────────────────────────────────────────────────────────────


def test_a_rig_without_a_name_takes_its_files_and_is_opened_again(
    hand: Hand, answers: Answers, tmp_path: Path
) -> None:
    window, document = hand.window, hand.window.document
    act(window, "Add a box")
    assert window.windowTitle() == "Untitled[*] – Gremio" and window.isWindowModified()
    answers.path = str(tmp_path / "Weir.gremio")
    hand.keys("s", CTRL)
    hand.rest(30)
    assert document.rig.name == "Weir" and window.windowTitle() == "Weir[*] – Gremio"
    assert not window.isWindowModified() and json.loads(Path(answers.path).read_text())
    assert recent() == [tmp_path / "Weir.gremio"] and last_folder() == tmp_path
    act(window, "New rig")
    menu = next(m for m in window.findChildren(QMenu) if m.title() == "Open one of before")
    menu.aboutToShow.emit()
    (entry,) = menu.actions()
    entry.trigger()
    assert document.rig.name == "Weir" and document.path == tmp_path / "Weir.gremio"
    (tmp_path / "Weir.gremio").unlink()
    menu.aboutToShow.emit()
    assert [a.text() for a in menu.actions()] == ["None yet"]


def test_a_rig_is_renamed_on_its_card(at_lock: Hand) -> None:
    at_lock.type_into(at_lock.named("Name"), "Lower lock")
    assert at_lock.window.document.rig.name == "Lower lock"
    assert "Lower lock" in at_lock.window.head.title.text()


# ── travels ──────────────────────────────────────────────────────────


def test_part_of_a_travel_is_exported(at_lock: Hand, answers: Answers, tmp_path: Path) -> None:
    window, document = at_lock.window, at_lock.window.document
    answers.path = str(tmp_path / "part.glb")
    document.select(control_id(document.rig, "Upper gates"))
    act(window, "Export a control's travel")
    at_lock.type_into(at_lock.named("From"), "61 deg")
    at_lock.type_into(at_lock.named("To"), "30 deg")
    at_lock.type_into(at_lock.named("Takes"), "2 s")
    at_lock.do("Write a GLB…")
    at_lock.rest(60)
    assert max(times.max() for times in times_in(Path(answers.path))) == pytest.approx(2.0)
    said = at_lock.said[-1]
    assert said.startswith("The travel of Upper gates is in part.glb."), said
    act(window, "Export a control's travel")
    at_lock.type_into(at_lock.named("To"), "80 deg")
    at_lock.do("Write a GLB…")
    assert "outside the range" in at_lock.said[-1]


def test_poses_are_exported_one_by_one(at_lock: Hand, answers: Answers, tmp_path: Path) -> None:
    window, document = at_lock.window, at_lock.window.document
    gates = control_id(document.rig, "Upper gates")
    for name, value in (("Shut", 0.0), ("Open", 1.2)):
        values = {channel_key(document.rig, "Upper gates"): value}
        document.edit("keep", lambda rig, n=name, v=values: keep_pose(rig, n, v)[0])
    document.select(gates)
    answers.path = str(tmp_path / "poses.glb")
    act(window, "Export a control's travel")
    at_lock.choose("What runs", "the kept poses, one by one")
    at_lock.do("Write a GLB…")
    at_lock.rest(60)
    assert at_lock.said[-1].startswith("The travel of Shut, Open is in poses.glb.")


# ── reading ──────────────────────────────────────────────────────────


def test_reading_a_model_can_be_stopped(
    hand: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "crate.glb"
    trimesh.creation.box((2.0, 1.0, 1.0)).export(file)
    goes_on = threading.Event()
    real = files.read_model

    def slow(*given: object) -> object:
        goes_on.wait(20)
        return real(*given)

    monkeypatch.setattr(files, "read_model", slow)
    seen: list[str] = []

    def stop() -> None:
        (strip,) = [w for w in QApplication.topLevelWidgets()
                    if isinstance(w, QDialog) and w.windowTitle() == "Reading"]  # fmt: skip
        seen.append(strip._words.text())
        strip.reject()

    QTimer.singleShot(900, stop)
    hand.window.files.bring_in_path(file)
    goes_on.set()
    assert seen and seen[0].startswith("Reading crate.glb, ")
    assert hand.window.document.rig.parts == {} and hand.window.card.making is None
    assert "stopped" in hand.said[-1]
    hand.window.files.bring_in_path(file)
    hand.do("Bring in 1 part")
    assert len(hand.window.document.rig.parts) == 1


# ── the Ledger ───────────────────────────────────────────────────────


def test_the_ledger_keeps_its_place_when_a_row_is_edited(at_lock: Hand) -> None:
    window, document = at_lock.window, at_lock.window.document
    window.deck.show_page("Ledger")
    at_lock.rest(60)
    page = window.deck.ledger
    page.view.selectRow(20)
    chosen = [row.follower for row in page.chosen()]
    bar = page.view.verticalScrollBar()
    bar.setValue(14)
    row = next(r for r in page.table.rows if r.word == "ratio")
    link = document.rig.links[row.link_id]
    document.edit("ratio", lambda rig: change_link(rig, row.link_id, replace(link, ratio=0.77)))
    at_lock.rest(60)
    assert bar.value() == 14 and [row.follower for row in page.chosen()] == chosen
    at_lock.click(page.with_free)
    at_lock.rest(30)
    assert any(row.word == "nothing" for row in page.table.rows)
    assert [row.follower for row in page.chosen()] == chosen


# ── help ─────────────────────────────────────────────────────────────


def test_the_guide_is_read_inside(hand: Hand) -> None:
    hand.window.act("help.guide")
    hand.rest(50)
    (guide,) = hand.window.findChildren(help.GuideWindow)
    words = [guide.contents.item(i).text() for i in range(guide.contents.count())]
    assert "The first ten minutes" in words and len(words) > 10
    guide.contents.setCurrentRow(len(words) - 1)
    hand.rest(20)
    assert guide.text.verticalScrollBar().value() > 500
    assert "Upper gates" in guide.text.toPlainText()
    guide.close()
    hand.window.act("help.about")
    (about,) = hand.window.findChildren(help.AboutWindow)
    assert any("version" in label.text() for label in about.findChildren(QLabel))
    about.close()


def test_a_tooltip_tells_the_key_that_an_action_has_now(at_lock: Hand) -> None:
    window = at_lock.window
    add = window.desk.add

    def told() -> str:
        spot = QPointF(5, 5).toPoint()
        event = QHelpEvent(QHelpEvent.Type.ToolTip, spot, add.mapToGlobal(spot))
        QApplication.sendEvent(add, event)
        return add.toolTip()

    assert told() == "Make a control (C)"
    window.keys.entries["link.control"].setShortcut(QKeySequence("B"))
    assert told() == "Make a control (B)"
