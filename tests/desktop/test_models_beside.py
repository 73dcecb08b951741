"""Models are read beside the window: boxes stand in, it can be stopped, and nothing is wrong then
without a word."""

from __future__ import annotations

import itertools
import re
import sys
import time
from pathlib import Path

import pytest
import trimesh
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication, QFileDialog, QWidget
from pytestqt.qtbot import QtBot

import gremio
from gremio.core.files.model_in import read_model
from gremio.core.surfaces.models import Tell
from gremio.desktop.bench.canvas import Canvas
from gremio.desktop.shell import models
from gremio.desktop.shell.app import make_window
from gremio.desktop.shell.reading import Reading
from gremio.desktop.shell.recovery import Keeper, Work
from gremio.desktop.shell.screen import fit_on_screen
from gremio.desktop.shell.waiting import Strip
from gremio.desktop.shell.window import Window


@pytest.fixture
def rig_file(tmp_path: Path) -> Path:
    scene = trimesh.Scene()
    for number in range(3):
        ball = trimesh.creation.icosphere(3, 0.3 + 0.1 * number)
        at = trimesh.transformations.translation_matrix([number, 0, 0])
        names = {"node_name": f"Ball {number}", "geom_name": f"ball {number}"}
        scene.add_geometry(ball, transform=at, **names)
    model = tmp_path / "balls.glb"
    model.write_bytes(scene.export(file_type="glb"))
    path = tmp_path / "balls.gremio"
    gremio.save(gremio.bring_in(gremio.Rig(), model), path)
    return path


def triangles(window: Window) -> list[int]:
    return sorted(len(batch.geometry.triangles) for batch in window.bench.scene().batches)


def test_a_rig_is_shown_with_its_models(window: Window, rig_file: Path) -> None:
    assert window.files.open_path(rig_file)
    assert triangles(window) == [1280] * 3
    assert not window.document.looking.notes()


def test_boxes_stand_in_while_a_large_model_is_read(
    window: Window, rig_file: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(models, "_LARGE", 0)
    shown: list[list[int]] = []
    preview = Canvas.preview

    def looked(bench: Canvas, rig: gremio.Rig | None, *words: str) -> None:
        preview(bench, rig, *words)
        if rig is not None:
            shown.append(sorted(len(b.geometry.triangles) for b in bench.scene().batches))
            assert bench._title() == "boxes, until the model is read"

    monkeypatch.setattr(Canvas, "preview", looked)
    assert window.files.open_path(rig_file)
    assert shown == [[12]], "one box, at three places"
    assert triangles(window) == [1280] * 3


@pytest.mark.parametrize("large", [False, True])
def test_a_window_that_opens_with_large_models_is_there_while_they_are_read(
    qtbot: QtBot, rig_file: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, large: bool
) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.setattr(models, "_LARGE", 0 if large else 10**9)
    window = make_window(rig_file)
    qtbot.addWidget(window)
    assert window.isVisible() == large
    assert triangles(window) == [1280] * 3


def test_a_window_with_its_frame_stays_on_the_screen(window: Window, qtbot: QtBot) -> None:
    room = window.screen().availableGeometry()
    window.resize(room.width() + 200, room.height() + 100)
    window.move(150, 70)
    qtbot.wait(50)
    fit_on_screen(window)
    qtbot.waitUntil(lambda: room.contains(window.frameGeometry()), timeout=2000)
    window.resize(room.width() - 200, room.height() - 100)
    window.move(300, 200)
    qtbot.wait(50)
    fit_on_screen(window)
    qtbot.waitUntil(lambda: room.contains(window.frameGeometry()), timeout=2000)
    assert window.width() == room.width() - 200 and window.height() == room.height() - 100


def test_what_reads_models_is_loaded_while_a_file_is_chosen(
    window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    loaded: list[str] = []
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_args: ("", ""))
    monkeypatch.setattr(models.importlib, "import_module", loaded.append)
    window.files.bring_in()
    assert loaded == [], "it is there already"
    monkeypatch.delitem(sys.modules, "trimesh")
    window.files.bring_in()
    qtbot.waitUntil(lambda: loaded == ["trimesh"], timeout=2000)


def test_stopping_leaves_boxes_and_says_so(
    window: Window, rig_file: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with monkeypatch.context() as stopped:
        stopped.setattr(Reading, "wait", lambda *_args: None)
        assert window.files.open_path(rig_file)
    assert triangles(window) == [12]
    (note,) = window.document.looking.notes()
    assert "balls.glb was not read" in note.text and "Look at the models again" in note.text
    with pytest.raises(gremio.GremioError, match="was not read"):
        part = next(iter(window.document.rig.parts.values()))
        window.document.shelf.surface(window.document.rig, part.shapes[0].solid)
    window.act("rig.models")
    assert triangles(window) == [1280] * 3 and not window.document.looking.notes()


def test_a_model_that_is_gone_is_told_as_before(window: Window, rig_file: Path) -> None:
    rig_file.with_name("balls.glb").unlink()
    assert window.files.open_path(rig_file)
    assert [note.code for note in window.document.looking.notes()] == ["model-missing"]


def test_what_is_drawn_is_ready_when_a_model_is_prepared(rig_file: Path) -> None:
    model = read_model(rig_file.with_name("balls.glb")).prepared()
    for node in model.nodes:
        for piece in node.pieces:
            assert {"_drawn", "_rough"} <= piece.geometry.__dict__.keys()
            drawn = piece.geometry.drawn
            assert drawn is piece.geometry.drawn and drawn.closed
            assert len(drawn.corners) == len(piece.geometry.triangles)


def test_surfaces_come_to_the_screen_a_few_at_a_time(window: Window, qtbot: QtBot) -> None:
    window.open_demo()
    renderer = window.bench.renderer
    assert renderer is not None
    window.bench.makeCurrent()
    renderer._drawn.clear()
    renderer.load(window.bench.scene())
    assert not renderer.load_on(0.0)
    with qtbot.waitSignal(window.bench.frame_drawn, timeout=5000):
        window.bench._refresh()
    qtbot.waitUntil(lambda: renderer.load_on(0.0), timeout=5000)
    assert len(renderer._drawn) == len(window.bench.scene().batches)


def test_reading_tells_how_far_it_is_and_goes_on_no_more_when_it_is_stopped(
    window: Window,
) -> None:
    said: list[str] = []

    def endless(tell: Tell) -> None:
        for number in itertools.count():
            tell("surfaces read", number, 10_000_000)
            time.sleep(0.001)

    def stop() -> None:
        (strip,) = [w for w in QApplication.topLevelWidgets() if isinstance(w, Strip)]
        said.append(strip._words.text())
        strip.reject()

    QTimer.singleShot(900, stop)
    reading = Reading(endless)
    assert reading.wait(window, "Reading all") is None
    assert re.fullmatch(r"Reading all: \d+ of 10,000,000 surfaces read, \d s", said[0])
    reading._thread.join(5)
    assert not reading._thread.is_alive()


def test_whatever_shows_a_rig_reads_its_models_beside_the_window(
    window: Window, rig_file: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    wait, words = Reading.wait, []

    def waited(reading: Reading[object], _window: QWidget, told: str, stop: str) -> object:
        words.append(told)
        return wait(reading, _window, told, stop)

    monkeypatch.setattr(Reading, "wait", waited)
    empty = tmp_path / "empty.gremio"
    gremio.save(gremio.Rig(), empty)
    kept = Keeper(tmp_path / "elsewhere")
    kept.keep(Work(gremio.load(rig_file), rig_file))
    for do in (
        lambda: window.files.open_path(rig_file),
        lambda: window.files.open_copy_path(rig_file),
        lambda: window.files.open_kept(kept.files[0]),
        lambda: window.act("rig.models"),
    ):
        words.clear()
        do()
        assert len(words) == 1 and words[0].startswith("Reading balls.glb")
        assert triangles(window) == [1280] * 3
        window.document._saved = window.document.rig
    window.files.open_path(empty)
    words.clear()
    window.files.compare_path(rig_file)
    assert len(words) == 1


def test_a_kit_of_a_model_is_read_beside_the_window_and_put_in(
    window: Window, rig_file: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    kit = tmp_path / "ball kit.gremio"
    gremio.keep_kit(gremio.load(rig_file), "Ball 1", to=kit)
    assert window.deck.kits is not None, "what is done with kits comes with their page"
    waited: list[str] = []
    wait = Reading.wait
    monkeypatch.setattr(
        Reading, "wait", lambda self, *told: (waited.append(told[1]), wait(self, *told))[1]
    )
    window.kits.put(kit)
    assert len(waited) == 1 and window.card.making is not None
