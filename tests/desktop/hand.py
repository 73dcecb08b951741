from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QMenu,
    QMessageBox,
    QScrollArea,
    QWidget,
)
from pytestqt.qtbot import QtBot

from gremio.core.frames import matrix
from gremio.core.rig.find import part_id
from gremio.desktop.bench.camera import project
from gremio.desktop.desk.instrument import Instrument
from gremio.desktop.fields.sections import Section
from gremio.desktop.shell.window import Window

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


def act(window: Window, words: str) -> None:
    """Do an action by its words."""
    (action_id,) = [action.id for action in window.keys.table if action.words == words]
    window.act(action_id)


class Hand:
    """A hand at the screen: mouse and keys go to the window, which finds who they are for."""

    def __init__(self, window: Window, qtbot: QtBot) -> None:
        self.window, self.qtbot = window, qtbot
        self.said: list[str] = []
        window.document.said.connect(self.said.append)

    def _spot(self, widget: QWidget, at: QPointF) -> QPoint:
        return widget.mapTo(self.window, at).toPoint()

    def reach(self, widget: QWidget) -> None:
        """Scroll until a widget can be seen."""
        above = widget.parentWidget()
        while above is not None and not isinstance(above, QScrollArea):
            above = above.parentWidget()
        if above is not None and above.widget() is not None:
            above.ensureWidgetVisible(widget)
            self.rest()

    def press(self, widget: QWidget, at: QPointF, button: Qt.MouseButton = LEFT) -> None:
        self.reach(widget)
        QTest.mousePress(self.window.windowHandle(), button, pos=self._spot(widget, at))
        self.rest()

    def move(self, widget: QWidget, at: QPointF) -> None:
        QTest.mouseMove(self.window.windowHandle(), self._spot(widget, at))
        self.rest()

    def release(self, widget: QWidget, at: QPointF, button: Qt.MouseButton = LEFT) -> None:
        QTest.mouseRelease(self.window.windowHandle(), button, pos=self._spot(widget, at))
        self.rest()

    def click(self, widget: QWidget, at: QPointF | None = None) -> None:
        at = QPointF(widget.rect().center()) if at is None else at
        self.press(widget, at)
        self.release(widget, at)

    def drag(
        self, widget: QWidget, *way: QPointF, button: Qt.MouseButton = LEFT, let_go: bool = True
    ) -> None:
        self.press(widget, way[0], button)
        for at in way[1:]:
            self.move(widget, at)
        if let_go:
            self.release(widget, way[-1], button)

    def pick(self, what: str, entry: str) -> None:
        """Click words that open a menu, and an entry of it."""
        self.click(self.named(what))
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu)
        action = next(a for a in menu.actions() if a.text() == entry)
        QTest.mouseClick(menu, LEFT, pos=menu.actionGeometry(action).center())
        self.rest(20)

    def keys(self, keys: str | Qt.Key, modifier=Qt.KeyboardModifier.NoModifier) -> None:
        handle = self.window.windowHandle()
        if isinstance(keys, str):
            for letter in keys:
                QTest.keyClick(handle, letter, modifier)
        else:
            QTest.keyClick(handle, keys, modifier)
        self.rest()

    def type_into(self, field: QWidget, text: str) -> None:
        self.click(field)
        field.selectAll()
        self.keys(text or Qt.Key.Key_Backspace)
        self.keys(Qt.Key.Key_Return)

    def rest(self, ms: int = 5) -> None:
        self.qtbot.wait(ms)

    # ── finding things ──

    def on_part(self, name: str, inside: tuple[float, float, float]) -> QPointF:
        """The pixel of a point given in a part's own frame (m)."""
        bench, pose = self.window.bench, self.window.document.pose
        world = pose.world(part_id(pose.program.rig, name)) @ np.append(inside, 1.0)
        (pixel,), _ = project(bench.camera, bench.logical_size(), world[:3])
        return QPointF(*pixel)

    def instrument(self, name: str) -> Instrument:
        for instrument in self.window.desk.instruments.values():
            if instrument.accessibleName() == name:
                return instrument
        raise AssertionError(f"no control {name} on the Desk")

    def slider(self, name: str) -> QPointF:
        instrument = self.instrument(name)
        value = self.window.document.pose.at(instrument.control)
        return QPointF(instrument.x_of(value), 34)

    def value(self, name: str, channel: str = "") -> float:
        return self.window.document.pose.value(name, channel)

    def mount(self, part: str) -> np.ndarray:
        """(4, 4) where the joint of a part (id) stands, in the world."""
        pose = self.window.document.pose
        entry = pose.program.rig.parts[part]
        return pose.frame_of(entry.parent) @ matrix(entry.mount)

    def named(self, what: str) -> QWidget:
        """The field, choice or button on the Card, the deck or the Desk with this name; a folded
        section that holds it is opened."""
        self.rest(10)
        found = self._seen(what)
        for section in self.window.card.findChildren(Section):
            if found is None and section.folded and section.button.isEnabled():
                self.click(section.button)
                self.rest(5)
                found = self._seen(what)
        assert found is not None, f"nothing on the screen is called {what}"
        return found

    def _seen(self, what: str) -> QWidget | None:
        for widget in self.window.findChildren(QWidget):
            words = widget.text() if isinstance(widget, QAbstractButton) else None
            if widget.isVisible() and what in (widget.accessibleName(), words):
                return widget
        return None

    def do(self, words: str) -> None:
        """Click a word on a Card, or choose it among what is behind its dots."""
        self.rest(10)
        button = self._seen(words)
        if button is None and (dots := self._seen("More")) is not None:
            self.click(dots)
            menu = QApplication.activePopupWidget()
            assert isinstance(menu, QMenu)
            action = next((a for a in menu.actions() if a.text() == words), None)
            if action is not None:
                QTest.mouseClick(menu, LEFT, pos=menu.actionGeometry(action).center())
                self.rest(20)
                return
            menu.close()
        self.click(self.named(words))

    def choose(self, what: str, text: str) -> None:
        """Choose an entry of a choice: by a key where it is the next one, else by a click."""
        box = self.named(what)
        assert isinstance(box, QComboBox)
        entries = [box.itemText(i) for i in range(box.count())]
        steps = entries.index(text) - box.currentIndex()
        self.reach(box)
        if abs(steps) == 1:
            box.setFocus()
            self.keys(Qt.Key.Key_Down if steps > 0 else Qt.Key.Key_Up)
        elif steps:
            box.showPopup()
            self.rest(20)
            view = box.view()
            index = box.model().index(entries.index(text), box.modelColumn())
            view.scrollTo(index)
            QTest.mouseClick(view.viewport(), LEFT, pos=view.visualRect(index).center())
        self.rest(20)


def answer(words: str) -> list[str]:
    """Click the button of these words in the next question; what was asked is put in the list."""
    asked: list[str] = []

    def click(waited: int = 0) -> None:
        box = QApplication.activeModalWidget()
        if not isinstance(box, QMessageBox):
            # Asked later, on a busy machine.
            assert waited < 10_000, "nothing was asked"
            QTimer.singleShot(30, lambda: click(waited + 30))
            return
        asked.append(f"{box.text()} {box.informativeText()}")
        found = [b for b in box.buttons() if b.text() == words]
        if not found:
            box.reject()
        found[0].click()

    QTimer.singleShot(60, click)
    return asked
