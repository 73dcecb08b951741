"""The Inspection page: what is wrong with the rig, its models, and the present pose."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from gremio.core.problem import Note
from gremio.desktop.areas import show_in
from gremio.desktop.card.rows import link_button, second
from gremio.desktop.document import Document
from gremio.desktop.theme.dress import text_font

NOTHING = "Nothing is wrong: every link can be computed, every model is where it was."


class InspectionPage(QScrollArea):
    """A line a note; a click on the name selects the thing."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self._shown: list[Note] | None = None
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        document.pose_changed.connect(self.take_notes)
        self.take_notes()

    def take_notes(self) -> None:
        """Show the notes of now."""
        notes = self.document.notes()
        if notes == self._shown:
            return
        self._shown = notes
        sheet = QWidget()
        column = QVBoxLayout(sheet)
        column.setContentsMargins(16, 8, 16, 8)
        column.setSpacing(5)
        for note in notes:
            column.addLayout(self._line(note))
        if not notes:
            column.addWidget(second(NOTHING))
        column.addStretch()
        show_in(self, sheet)

    def _line(self, note: Note) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(12)
        kind = QLabel("must be mended" if note.severity == "error" else "worth a look")
        kind.setProperty("warning", True)
        kind.setFont(text_font(8.5, bold=note.severity == "error"))
        kind.setFixedWidth(104)
        line.addWidget(kind, 0, Qt.AlignmentFlag.AlignTop)
        text = QLabel(note.text)
        text.setWordWrap(True)
        text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        line.addWidget(text, 1)
        thing = self._thing(note.part)
        if thing:
            line.addWidget(link_button("show it", lambda: self.document.select(thing)))
        return line

    def _thing(self, name: str) -> str:
        rig = self.document.rig
        for things in (rig.parts, rig.controls):
            for thing_id, thing in things.items():
                if name and thing.name == name:
                    return thing_id
        return ""
