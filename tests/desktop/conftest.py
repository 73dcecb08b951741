from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot
from tests.desktop.counting import Counting
from tests.desktop.hand import Hand
from tests.desktop.test_files_on_screen import Answers

from gremio.desktop.document import redoing
from gremio.desktop.shell.app import make_application
from gremio.desktop.shell.recovery import Keeper
from gremio.desktop.shell.window import Window


@pytest.fixture(scope="session")
def qapp() -> object:
    return make_application()


def nothing_to_save(window: Window) -> None:
    """Let it close without a question."""
    window.document._saved = window.document.rig


@pytest.fixture
def window(qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Window]:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    # However slow the machine, what is shown is of now; marking what is not has tests of its own.
    monkeypatch.setattr(redoing, "AT_ONCE", 60.0)
    window = Window(Keeper(tmp_path / "kept"))
    # Folded on the first start; most hands here go to its pages.
    window.deck.fold(False)
    qtbot.addWidget(window, before_close_func=nothing_to_save)
    with qtbot.waitSignal(window.bench.frame_drawn, timeout=20000):
        window.move(0, 0)
        window.show()
    # Anti-aliasing a frame at rest takes a third of the tests' time, and has a test of its own.
    window.bench.frames._resting.setInterval(60_000)
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow, timeout=5000)
    yield window


@pytest.fixture
def hand(window: Window, qtbot: QtBot) -> Hand:
    return Hand(window, qtbot)


@pytest.fixture
def at_lock(hand: Hand) -> Hand:
    """A hand at the demo."""
    hand.window.open_demo()
    hand.rest(50)
    return hand


@pytest.fixture
def own(window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> Counting:
    """A hand at an empty rig, whose acts are counted."""
    made = Counting(window, qtbot)
    made.answers = Answers(monkeypatch)
    made.window.bench.setFocus()
    return made
