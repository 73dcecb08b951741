"""The actions of a window with their keys."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PyQt6.QtGui import QAction, QKeySequence

from gremio.desktop.actions.action import Action
from gremio.desktop.shell.keys_file import chosen_keys, keep_keys


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
            self.entries[action_id].setShortcut(QKeySequence(key))

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
