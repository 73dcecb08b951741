"""What is said of an action where the pointer rests on it: its words, and the key it has now."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QWidget

# Tells the key of an action, by its id; the window puts its own here.
_keys: list[Callable[[str], str]] = []


def tell_keys(key_of: Callable[[str], str]) -> None:
    """From now on keys are told by this."""
    _keys[:] = [key_of]


def with_key(words: str, action_id: str) -> str:
    """Words with the key of an action after them, where it has one."""
    key = _keys[0](action_id) if _keys else ""
    return f"{words} ({key})" if key else words


class _Hint(QObject):
    """Says what a widget is for, with the key as it is when it is asked."""

    def __init__(self, widget: QWidget, words: str, action_id: str) -> None:
        super().__init__(widget)
        self._widget, self._words, self._action = widget, words, action_id

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """The pointer rests on it."""
        if event is not None and event.type() == QEvent.Type.ToolTip:
            self._widget.setToolTip(with_key(self._words, self._action))
        return super().eventFilter(watched, event)


def hint(widget: QWidget, words: str, action_id: str) -> None:
    """Let a widget say what it is for, with the key of an action."""
    widget.setToolTip(words)
    widget.installEventFilter(_Hint(widget, words, action_id))
