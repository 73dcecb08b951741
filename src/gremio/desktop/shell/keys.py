"""The actions of a window with their keys."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import QApplication, QWidget

from gremio.desktop.actions.action import Action
from gremio.desktop.shell.keys_file import chosen_keys, keep_keys

# By the place of a key on the keyboard (its X11 code), what a layout for English writes with it.
_AT_PLACE = {
    **{10 + place: figure for place, figure in enumerate("1234567890")},
    34: "[",
    35: "]",
}


def put_keys(entry: QAction, action: Action, key: QKeySequence) -> None:
    """Give an action a key, beside its second one."""
    second = [QKeySequence(action.second)] if action.second else []
    entry.setShortcuts([key, *second] if not key.isEmpty() else second)


class Keys:
    """The actions of a window with their keys: those to begin with, and those chosen."""

    def __init__(self, table: Sequence[Action], entries: Mapping[str, QAction]) -> None:
        self.table, self.entries = table, entries

    def told(self, action_id: str) -> str:
        """The key that an action has now, as people write it; "" for none."""
        entry = self.entries.get(action_id)
        return "" if entry is None else entry.shortcut().toString()

    def load(self) -> None:
        """Give actions the keys that were chosen for them before."""
        for action_id, key in chosen_keys(self.table).items():
            self.set(action_id, QKeySequence(key))

    def set(self, action_id: str, key: QKeySequence) -> None:
        """Give an action another key; a second one that it has stays."""
        action = next(action for action in self.table if action.id == action_id)
        put_keys(self.entries[action_id], action, key)

    def at_place(self, event: QKeyEvent) -> QAction | None:
        """The action of the key that stands where one was pressed that means nothing itself: on
        many layouts brackets and figures are behind Shift or AltGr. None where it has none, or
        where its key does not count."""
        if event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier:
            return None
        written = _AT_PLACE.get(event.nativeScanCode())
        if written is None or event.text() == written:
            return None
        key, focus = QKeySequence(written), QApplication.focusWidget()
        for entry in self.entries.values():
            if entry.shortcut() != key or not entry.isEnabled():
                continue
            views = entry.associatedObjects()
            near = entry.shortcutContext() == Qt.ShortcutContext.WindowShortcut or any(
                isinstance(view, QWidget)
                and focus is not None
                and (view is focus or view.isAncestorOf(focus))
                for view in views
            )
            return entry if near else None
        return None

    def keep(self) -> None:
        """Keep the keys that differ for the next time. Raises FileProblem."""
        now = {action.id: self.entries[action.id].shortcut() for action in self.table}
        keep_keys(
            {
                action.id: now[action.id].toString()
                for action in self.table
                if now[action.id] != QKeySequence(action.key)
            }
        )
