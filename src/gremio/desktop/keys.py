"""The keys: a sheet that lists them, where each can be changed."""

from __future__ import annotations

import json

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import (
    QDialog,
    QGridLayout,
    QKeySequenceEdit,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from gremio.core.files.atomic import FileProblem, write
from gremio.desktop.recovery import state_folder
from gremio.desktop.theme.dress import text_font

HANDS = (
    ("Drag a part or its knob", "moves its joint"),
    ("Drag on paper", "looks round"),
    ("Right drag", "shifts the view"),
    ("Wheel", "zooms at the pointer"),
    ("Arrows on a control or field", "nudge; Shift × 10, Ctrl ÷ 10"),
    ("Double click on a control", "goes home"),
    ("F2 in the parts list", "renames"),
    ("Escape", "stops what was begun"),
)


def load_keys(actions: dict[str, QAction]) -> None:
    """Give actions the keys that were chosen for them before."""
    try:
        chosen = json.loads((state_folder() / "keys.json").read_text())
    except (OSError, ValueError):
        return
    for name, keys in chosen.items() if isinstance(chosen, dict) else []:
        if name in actions and isinstance(keys, str):
            actions[name].setShortcut(QKeySequence(keys))


def save_keys(actions: dict[str, QAction]) -> None:
    """Keep the keys for the next time. Raises FileProblem."""
    folder = state_folder()
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileProblem(f"The keys can't be kept in {folder}: {error}.") from None
    chosen = {name: action.shortcut().toString() for name, action in actions.items()}
    write(folder / "keys.json", json.dumps(chosen, indent=1).encode())


class KeySheet(QDialog):
    """Lists every action with its key, to be read and changed."""

    def __init__(self, actions: dict[str, QAction], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys and hands")
        self.setModal(False)
        self.resize(460, 600)
        self._actions = actions
        self.edits: dict[str, QKeySequenceEdit] = {}
        layout = QVBoxLayout(self)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        sheet = QWidget()
        grid = QGridLayout(sheet)
        for line, (hand, does) in enumerate(HANDS):
            grid.addWidget(QLabel(hand), line, 0)
            label = QLabel(does)
            label.setProperty("second", True)
            grid.addWidget(label, line, 1)
        head = QLabel("Keys")
        head.setFont(text_font(10.5, bold=True))
        grid.addWidget(head, len(HANDS), 0)
        for line, (name, action) in enumerate(actions.items(), start=len(HANDS) + 1):
            grid.addWidget(QLabel(name), line, 0)
            edit = QKeySequenceEdit(action.shortcut())
            edit.setClearButtonEnabled(True)
            edit.setAccessibleName(f"Key for {name}")
            edit.editingFinished.connect(lambda n=name: self._change(n))
            self.edits[name] = edit
            grid.addWidget(edit, line, 1)
        scroll.setWidget(sheet)
        layout.addWidget(scroll)
        self.message = QLabel("Click a key and press another to change it.")
        self.message.setProperty("second", True)
        self.message.setWordWrap(True)
        layout.addWidget(self.message)
        close = QPushButton("Close")
        close.setAutoDefault(False)
        close.clicked.connect(self.close)
        layout.addWidget(close, 0, Qt.AlignmentFlag.AlignRight)

    def _change(self, name: str) -> None:
        keys = self.edits[name].keySequence()
        other = next(
            (n for n, a in self._actions.items() if n != name and a.shortcut() == keys), None
        )
        if other is not None and not keys.isEmpty():
            self.message.setText(f"{keys.toString()} is the key for “{other}”. Choose another.")
            self.edits[name].setKeySequence(self._actions[name].shortcut())
            return
        self._actions[name].setShortcut(keys)
        try:
            save_keys(self._actions)
        except FileProblem as problem:
            self.message.setText(str(problem))
            return
        self.message.setText(f"“{name}” is on {keys.toString() or 'no key'} now.")
