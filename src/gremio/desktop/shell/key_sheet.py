"""The keys: a sheet that lists them, where each can be changed."""

from __future__ import annotations

from PyQt6.QtCore import Qt
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

from gremio.core.files.atomic import FileProblem
from gremio.desktop.actions.action import Action
from gremio.desktop.shell.keys import Keys
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


class KeySheet(QDialog):
    """Lists every action with its key, to be read and changed."""

    def __init__(self, keys: Keys, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys and hands")
        self.setModal(False)
        self.resize(460, 600)
        self._keys = keys
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
        for line, action in enumerate(keys.table, start=len(HANDS) + 1):
            words = f"{action.words} (also {action.second})" if action.second else action.words
            grid.addWidget(QLabel(words), line, 0)
            edit = QKeySequenceEdit(keys.entries[action.id].shortcut())
            edit.setClearButtonEnabled(True)
            edit.setAccessibleName(f"Key for {action.words}")
            edit.editingFinished.connect(lambda a=action: self._change(a))
            self.edits[action.id] = edit
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

    def _change(self, action: Action) -> None:
        entries = self._keys.entries
        keys = self.edits[action.id].keySequence()
        other = next(
            (a for a in self._keys.table if a is not action and keys in entries[a.id].shortcuts()),
            None,
        )
        if other is not None and not keys.isEmpty():
            self.message.setText(
                f"{keys.toString()} is the key for “{other.words}”. Choose another."
            )
            self.edits[action.id].setKeySequence(entries[action.id].shortcut())
            return
        self._keys.set(action.id, keys)
        try:
            self._keys.keep()
        except FileProblem as problem:
            self.message.setText(str(problem))
            return
        self.message.setText(f"“{action.words}” is on {keys.toString() or 'no key'} now.")
