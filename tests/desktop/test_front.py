"""The picture that is there until the window is: shown only where nothing of it is otherwise."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest
from PyQt6.QtCore import QEvent
from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from gremio.desktop import kept
from gremio.desktop.shell import app as starting
from gremio.desktop.shell import sign
from gremio.desktop.shell.front import front_folder, front_of, keep_front, mark_of
from gremio.desktop.shell.screen import keep_screen
from gremio.desktop.shell.window import Window


@pytest.fixture(autouse=True)
def own_folders(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))


def test_it_is_of_the_bytes_the_models_the_version_and_how_the_window_was_left(
    tmp_path: Path,
) -> None:
    rig, model = tmp_path / "hut.gremio", tmp_path / "hut.glb"
    rig.write_text("{}")
    model.write_bytes(b"glTF")
    keep_front(mark_of(rig), "1", [str(model)], b"PNG", {})
    found = front_of(mark_of(rig), "1")
    assert found is not None and found.read_bytes() == b"PNG"
    assert front_of(mark_of(rig), "2") is None
    kept.keep("window", {"size": [900, 600]})
    assert front_of(mark_of(rig), "1") is None
    kept.keep("window", {})
    assert front_of(mark_of(rig), "1") is not None
    model.write_bytes(b"glTF, another")
    assert front_of(mark_of(rig), "1") is None
    model.unlink()
    assert front_of(mark_of(rig), "1") is None
    rig.write_text('{"name": "Another"}')
    assert front_of(mark_of(rig), "1") is None
    assert mark_of(tmp_path / "none.gremio") == "" and front_of("", "1") is None


def test_no_more_are_kept_than_a_few_and_what_is_broken_is_none() -> None:
    for number in range(12):
        keep_front(f"{number}", "1", [], b"PNG", {})
    assert len(list(front_folder().glob("*.png"))) == 8
    assert front_of("11", "1") is not None and front_of("0", "1") is None
    for broken in ("", "[]", '{"11": 3}', '{"11": {"version": "1", "models": 4}}'):
        (front_folder() / "index.json").write_text(broken)
        assert front_of("11", "1") is None
    keep_front("11", "1", [], b"PNG", {})
    assert front_of("11", "1") is not None


def test_a_folder_that_can_not_be_written_to_is_no_fault(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "file"))
    keep_front("1", "1", [], b"PNG", {})
    assert front_of("1", "1") is None


def test_an_opened_rig_is_kept_and_is_the_sign_the_next_time(
    window: Window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
) -> None:
    monkeypatch.setattr(starting, "_AT_REST", 50)
    # Kept is what is seen once it rests, smooth and with all that is read.
    window.bench.frames._resting.setInterval(50)
    starting.keep_its_picture(window)
    window.open_demo()
    path = tmp_path / "lock.gremio"
    assert window.files.save_path(path)
    keep_screen(window)
    window.files.open_path(path)
    version = starting.__version__
    qtbot.waitUntil(lambda: front_of(mark_of(path), version) is not None, timeout=8000)
    found = QImage(str(front_of(mark_of(path), version)))
    assert found.size() == window.size() * window.devicePixelRatioF()
    # All of it is paper, ink or paint: nothing is seen through.
    middle = found.pixelColor(found.width() // 2, found.height() // 6)
    assert middle.alpha() == 255 and middle.lightness() > 200
    monkeypatch.setattr(sign, "_shown", [])
    shown = sign.show_sign("opening lock.gremio …", path)
    assert shown.picture is not None and shown.size() == window.size()
    assert sign.show_sign("again", path) is shown
    shown.close()


@pytest.mark.usefixtures("qapp")
def test_without_a_picture_it_is_a_small_sheet(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sign, "_shown", [])
    shown = sign.show_sign("opening …", None)
    assert shown.picture is None and shown.width() < 400
    grabbed: QPixmap = shown.grab()
    assert not grabbed.isNull()
    QApplication.sendEvent(shown, QEvent(QEvent.Type.Close))
    shown.close()


def test_nothing_large_is_loaded_before_the_first_drag_and_the_rest_beside_the_window(
    tmp_path: Path,
) -> None:
    """Each of these takes as long to load as all of Gremio; what Cards are made of is there before
    a hand is."""
    code = """
import os, sys
from PyQt6.QtCore import QTimer
from gremio.desktop.shell import app
from gremio.desktop.shell.sign import make_application
held = make_application()
LARGE = "scipy", "trimesh", "pint", "av"
large = [name for name in LARGE if name in sys.modules]
def look():
    more = [name for name in LARGE if name in sys.modules]
    there = "gremio.desktop.card.control_sheet" in sys.modules
    if there:
        print(large + more, flush=True)
        os._exit(0)
timer = QTimer()
timer.timeout.connect(look)
timer.start(50)
app.run(demo=True)
"""
    about = {**os.environ, "XDG_STATE_HOME": str(tmp_path), "XDG_CACHE_HOME": str(tmp_path)}
    done = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=False,
        env=about,
    )  # fmt: skip
    assert done.stdout.strip() == "[]", done.stderr[-2000:]
