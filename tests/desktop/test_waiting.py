"""A solve that takes long can be stopped from the window."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QPushButton
from tests.core.solve.test_patience import never_repeats

from gremio.desktop.shell import waiting
from gremio.desktop.shell.window import Window


@pytest.mark.parametrize("by_key", [False, True], ids=["button", "Esc"])
def test_a_strip_stops_it(window: Window, monkeypatch: pytest.MonkeyPatch, by_key: bool) -> None:
    document = window.document
    document.start(never_repeats(1000.0), None)
    (turn,) = document.rig.controls
    # Shown at once, so that the test need not wait.
    monkeypatch.setattr(waiting, "_QUIET", -1.0)
    seen = []

    def stop() -> None:
        strip = QApplication.activeModalWidget()
        assert strip is not None
        seen.append(strip.windowTitle())
        if by_key:
            QTest.keyClick(strip, Qt.Key.Key_Escape)
        else:
            (button,) = strip.findChildren(QPushButton)
            QTest.mouseClick(button, Qt.MouseButton.LeftButton)

    QTimer.singleShot(0, stop)
    document.move(turn, 900.0)
    assert seen == ["Solving"]
    (note,) = document.pose.notes
    assert "was stopped" in note.text
    assert QApplication.activeModalWidget() is None
    # It stands where it was put, and is followed to the end the next time.
    assert document.inputs()[turn] == 900.0
    document.solve_anew()
    assert not document.pose.notes
