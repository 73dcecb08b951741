"""Where the keyboard goes: from field to field, back to the Bench, and to the same field again when
what it stands in is made anew."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QTimer
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QScrollArea,
    QWidget,
)
from PyQt6.sip import isdeleted

# The property of what waits for Enter or Escape, such as a proposal.
ASKS = "asks"
_FIELDS = (QLineEdit, QComboBox, QPlainTextEdit)
# Fields in one line are no farther apart than this, up or down (px).
_LINE = 6
_STEPS = (QKeySequence.StandardKey.Undo, QKeySequence.StandardKey.Redo)


def give_back(widget: QWidget) -> None:
    """Give the keyboard back to what asks a question, if the widget stands in that; else to the
    Bench of its window; where it has none, to nothing."""
    home: object = widget.parentWidget()
    while isinstance(home, QWidget) and not home.property(ASKS):
        home = home.parentWidget()
    home = home or getattr(widget.window(), "bench", None)
    if isinstance(home, QWidget) and home.isVisible():
        home.setFocus()
    else:
        widget.clearFocus()


def give_back_soon(widget: QWidget) -> None:
    """The same once the present event is done, if the widget has the keyboard then."""

    def now() -> None:
        if not isdeleted(widget) and widget.hasFocus():
            give_back(widget)

    # Not a timer of the widget's own: it may go, and take the timer along, while this runs.
    QTimer.singleShot(0, now)


def to_next_field(widget: QWidget, forward: bool) -> bool:
    """Give the keyboard to the next field, or the one before, of what a field stands in, past the
    buttons between them; False where there is none."""
    area = _area(widget)
    there: QWidget | None = widget
    while there is not None:
        there = there.nextInFocusChain() if forward else there.previousInFocusChain()
        if there is widget:
            return False
        if there is None or not isinstance(there, _FIELDS) or not area.isAncestorOf(there):
            continue
        inner = isinstance(there.parentWidget(), QComboBox)
        if not inner and there.isVisible() and there.isEnabled():
            if _wraps(widget, there, area, forward):
                return False
            there.setFocus()
            return True
    return False


def _area(widget: QWidget) -> QWidget:
    above = widget.parentWidget()
    while above is not None and not isinstance(above, QScrollArea) and not above.isWindow():
        above = above.parentWidget()
    return above or widget


def _wraps(here: QWidget, there: QWidget, area: QWidget, forward: bool) -> bool:
    """Whether a field stands in a line before that of the one that it should come after; in one
    line the low and the high stop come before what is between them."""
    one, two = (w.mapTo(area, w.rect().center()).y() for w in (here, there))
    return two < one - _LINE if forward else two > one + _LINE


def undoes_the_rig(event: QEvent | None, changed: bool) -> bool:
    """Whether a key in a field is the rig's and not the field's: an undo or redo, where nothing was
    typed."""
    if changed or not isinstance(event, QKeyEvent):
        return False
    if event.type() != QEvent.Type.ShortcutOverride:
        return False
    return any(event.matches(step) for step in _STEPS)


def remembered(old: QWidget) -> Callable[[QWidget], None] | None:
    """What gives the keyboard to the same field of what comes in place of a widget, with what was
    being typed into it; None where nothing in it has the keyboard."""
    focused = old.focusWidget()
    if focused is None or not focused.hasFocus():
        return None
    kind, name = type(focused), _name(focused)
    place = _alike(old, kind, name).index(focused)
    typed = (
        (focused.text(), focused.cursorPosition())
        if isinstance(focused, QLineEdit) and focused.isModified()
        else None
    )

    def again(new: QWidget) -> None:
        same = _alike(new, kind, name)
        if not same:
            give_back(new)
            return
        field = same[min(place, len(same) - 1)]
        field.setFocus()
        if typed is not None and isinstance(field, QLineEdit):
            field.setText(typed[0])
            field.setCursorPosition(typed[1])
            field.setModified(True)

    return again


def _alike(sheet: QWidget, kind: type[QWidget], name: str) -> list[QWidget]:
    return [w for w in sheet.findChildren(kind) if _name(w) == name]


def _name(widget: QWidget) -> str:
    """What a widget is called: a button without another name by its words."""
    words = widget.text() if isinstance(widget, QAbstractButton) else ""
    return widget.accessibleName() or words
