"""The head of the window: menus, the rig's name, find anything, and the count of notes."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenuBar, QPushButton, QWidget

from gremio.desktop.document.document import Document
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import DAY, Inks

# Shown for the number of notes while it is not known.
_LOOKING = -2


class Head(QWidget):
    """One line across the top. find_wanted, notes_wanted: they were clicked."""

    find_wanted = pyqtSignal()
    notes_wanted = pyqtSignal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.inks: Inks = DAY
        self.setObjectName("head")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(35)
        line = QHBoxLayout(self)
        line.setContentsMargins(14, 0, 14, 0)
        line.setSpacing(8)
        name = QLabel("Gremio")
        name.setFont(text_font(10.5, bold=True))
        self.menus = QMenuBar()
        self.menus.setNativeMenuBar(False)
        self.title = QLabel()
        self.title.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.finding = QPushButton("Find anything    Ctrl K")
        self.finding.setFixedWidth(176)
        self.finding.clicked.connect(lambda _checked=False: self.find_wanted.emit())
        self.notes = QPushButton()
        self.notes.setProperty("word", True)
        self.notes.setMinimumWidth(64)
        self.notes.clicked.connect(lambda _checked=False: self.notes_wanted.emit())
        line.addWidget(name)
        line.addWidget(self.menus, 0, Qt.AlignmentFlag.AlignVCenter)
        line.addWidget(self.title, 1)
        line.addWidget(self.finding)
        line.addWidget(self.notes)
        self._shown = ("", False, -1)
        document.file_changed.connect(self.take)
        document.looking.done.connect(self._take_notes)
        self._count = 0
        self.take()

    def set_inks(self, inks: Inks) -> None:
        """Draw by day or by night."""
        self.inks, self._shown = inks, ("", False, -1)
        self.take()

    def take(self) -> None:
        """Show the rig's name, whether it is saved, and how many notes there are."""
        document = self.document
        name = document.rig.name
        count = self._count if self._count or document.looking.judged else _LOOKING
        shown = name, document.changed, count
        if shown != self._shown:
            self._shown = shown
            self._show(*shown)

    def _take_notes(self) -> None:
        self._count = len(self.document.looking.notes())
        self.take()

    def _show(self, name: str, changed: bool, count: int) -> None:
        dot = f"  <span style='color: {self.inks.hand}'>●</span>" if changed else ""
        plain = name.replace("&", "&amp;").replace("<", "&lt;")
        self.title.setText(plain + dot)
        where = str(self.document.path or "In no file yet")
        self.title.setToolTip(f"{where}, with changes that are not saved" if changed else where)
        told = f"{count} note{'s' if count != 1 else ''}" if count else "no notes"
        self.notes.setText("looking…" if count == _LOOKING else told)
        self.notes.setStyleSheet(f"color: {self.inks.time if count > 0 else self.inks.second};")
