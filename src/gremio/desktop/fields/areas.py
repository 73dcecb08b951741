"""Changing what is on the screen once the present event is done."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, Qt, QTimer
from PyQt6.QtGui import QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QLayout, QScrollArea, QWidget

from gremio.desktop.fields.keyboard import remembered


def soon(owner: QObject, do: Callable[[], None]) -> QTimer:
    """A timer that does something once the present event is done, once for many starts."""
    timer = QTimer(owner)
    timer.setSingleShot(True)
    timer.setInterval(0)
    timer.timeout.connect(do)
    return timer


def clear(line: QLayout) -> None:
    """Take everything out of a layout, and out of those in it; its widgets go when their own
    events are done."""
    while item := line.takeAt(0):
        inner = item.layout()
        if inner is not None:
            clear(inner)
            inner.deleteLater()
        widget = item.widget()
        if widget is not None:
            widget.hide()
            widget.deleteLater()


class WholeRows(QScrollArea):
    """A column of rows of one height, none of which is cut at its foot. row: how tall one is, with
    what is between two (px)."""

    def __init__(self, row: int) -> None:
        super().__init__()
        self._row = row
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.verticalScrollBar().setSingleStep(row)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """As many rows as there is room for."""
        super().resizeEvent(event)
        self.setViewportMargins(0, 0, 0, self.height() % self._row if self.height() else 0)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """A row at a time."""
        bar = self.verticalScrollBar()
        if event is not None and bar is not None:
            steps = -round(event.angleDelta().y() / 120) or (
                -1 if event.angleDelta().y() > 0 else 1
            )
            bar.setValue((bar.value() // self._row + steps) * self._row)
            event.accept()


def show_in(area: QScrollArea, sheet: QWidget) -> None:
    """Show a sheet in place of the one before.

    The old one goes when its own events are done: often it is a field of it, just typed
    into, that asks for the new one. The same field has the keyboard again.
    """
    # Looked at before it is taken out, for what is taken out has no focus any more.
    old = area.widget()
    again = None
    if old is not None:
        again = remembered(old)
        area.takeWidget()
        old.hide()
        old.deleteLater()
    area.setWidget(sheet)
    if again is not None:
        again(sheet)
