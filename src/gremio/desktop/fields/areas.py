"""Changing what is on the screen once the present event is done."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer
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
    """Take everything out of a layout; its widgets go when their own events are done."""
    while item := line.takeAt(0):
        widget = item.widget()
        if widget is not None:
            widget.hide()
            widget.deleteLater()


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
