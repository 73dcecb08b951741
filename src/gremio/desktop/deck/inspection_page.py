"""The Inspection page: what is wrong with the rig, its models, and the present pose."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from gremio.core.problem import Note
from gremio.core.rig import ids
from gremio.desktop.document.document import Document
from gremio.desktop.fields.areas import show_in
from gremio.desktop.fields.pieces import second, verb
from gremio.desktop.theme.dress import text_font

NOTHING = (
    "Nothing is wrong: every link can be computed, teeth meet spaces, wheels stand on the ground, "
    "and every model is where it was."
)
# So many lines are made at once: of a large rig there may be thousands.
_AT_ONCE = 100
LOOKING = "The machine is being looked over…"

if TYPE_CHECKING:
    from gremio.core.inspect.finding import Finding, Mend


class InspectionPage(QScrollArea):
    """A line a note, with a way to what it is about, and what would mend it."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self._shown: list[Note] | None = None
        self._column = QVBoxLayout()
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        document.looking.done.connect(self.take_notes)
        document.rig_changed.connect(lambda _change: self._wait())

    def _wait(self) -> None:
        """Say that it is not known yet, where nothing was wrong before the change."""
        if not self._shown and not self.document.looking.judged:
            self._shown = None
            self._show([second(LOOKING)])

    def take_notes(self) -> None:
        """Show the notes of now."""
        findings = self.document.looking.findings()
        notes = [finding.note for finding in findings]
        if notes == self._shown:
            return
        self._shown = notes
        self._show([] if findings else [second(NOTHING)])
        self._add(findings)

    def _show(self, lines: Sequence[QWidget]) -> None:
        """Show other lines than before."""
        sheet = QWidget()
        self._column = QVBoxLayout(sheet)
        self._column.setContentsMargins(16, 8, 16, 8)
        self._column.setSpacing(5)
        for line in lines:
            self._column.addWidget(line)
        self._column.addStretch()
        show_in(self, sheet)

    def _add(self, findings: Sequence[Finding]) -> None:
        """Show the first of some findings below the others, and a way to the rest of them."""
        for finding in findings[:_AT_ONCE]:
            self._column.insertLayout(self._column.count() - 1, self._line(finding))
        rest = findings[_AT_ONCE:]
        if not rest:
            return
        way = QWidget()
        row = QHBoxLayout(way)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(second(f"and {len(rest)} more"))

        def more() -> None:
            self._column.removeWidget(way)
            way.hide()
            way.deleteLater()
            self._add(rest)

        row.addWidget(verb(f"show the next {min(len(rest), _AT_ONCE)}", more))
        row.addStretch()
        self._column.insertWidget(self._column.count() - 1, way)

    def _line(self, finding: Finding) -> QHBoxLayout:
        note = finding.note
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
        for mend in finding.mends:
            line.addWidget(verb(mend.words, partial(self._mend, note, mend)))
        thing = self._thing(note.part)
        if thing:
            line.addWidget(verb("show it", partial(self.document.select, ids.thing(thing))))
        return line

    def _mend(self, note: Note, mend: Mend) -> None:
        what = f"{mend.words} ({note.part})" if note.part else mend.words
        if self.document.edit(what, mend.edit):
            self.document.said.emit(f"Mended: {what}. Ctrl Z takes it back.")

    def _thing(self, name: str) -> str:
        rig = self.document.rig
        for things in (rig.parts, rig.controls):
            for thing_id, thing in things.items():
                if name and thing.name == name:
                    return thing_id
        return ""
