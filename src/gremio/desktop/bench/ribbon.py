"""The ribbon at the foot of the Bench: control — link — part — link — part."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from gremio.core.rig.channels import full_label, label, split
from gremio.core.solve.backward import drive_line
from gremio.desktop.card.links import drive_words
from gremio.desktop.document import Document
from gremio.desktop.theme.dress import text_font


class Ribbon(QWidget):
    """The drive line of what is selected; each word is a way to it."""

    def __init__(self, document: Document, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("ribbon")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.document = document
        self._line = QHBoxLayout(self)
        self._line.setContentsMargins(12, 2, 12, 2)
        self._line.setSpacing(7)
        document.rig_changed.connect(self.rebuild)
        document.selection_changed.connect(self.rebuild)
        self.rebuild()

    def words(self) -> list[tuple[str, str]]:
        """(word, id of the thing it stands for) along the drive line."""
        program, rig = self.document.program, self.document.rig
        selected = self.document.selected
        if selected in rig.links:
            channel = next(
                iter(c for c, k in program.leads_of.items() if k is rig.links[selected]), ""
            )
        else:
            moving = selected
            if selected in rig.parts:
                moving = self.document.moving_part(selected) or selected
            channels = self.document.channels_of(moving)
            led = [c for c in channels if c in program.leads_of]
            channel = (led or channels or [""])[0]
        if not channel:
            return (
                [(rig.parts[selected].name, selected), ("grounded", "")]
                if selected in rig.parts
                else []
            )
        ids = {id(link): link_id for link_id, link in rig.links.items()}
        found: list[tuple[str, str]] = []
        line = drive_line(program, channel)
        for step in line:
            link = program.leads_of.get(step)
            if link is not None:
                found.append((drive_words(rig, link), ids[id(link)]))
            owner = split(step)[0]
            text = full_label(rig, step) if step == channel else label(rig, step)
            found.append((text, owner))
        found += [
            ("leads " + ", ".join(more), "")
            for more in [[label(rig, c) for c, k in program.leads_of.items() if k.lead == channel]]
            if more
        ]
        return found

    def rebuild(self) -> None:
        """Spell the drive line anew."""
        while item := self._line.takeAt(0):
            if item.widget() is not None:
                item.widget().deleteLater()
        words = self.words()
        for index, (word, thing) in enumerate(words):
            if index:
                dash = QLabel("—")
                dash.setProperty("second", True)
                self._line.addWidget(dash)
            self._line.addWidget(self._word(word, thing))
        self._line.addStretch()
        self.setVisible(bool(words))

    def _word(self, word: str, thing: str) -> QWidget:
        if not thing:
            plain = QLabel(word)
            plain.setProperty("second", True)
            return plain
        button = QPushButton(word)
        button.setProperty("word", True)
        here = thing == self.document.selected
        is_link = thing in self.document.rig.links
        button.setFont(text_font(8.5 if is_link else 9, bold=here or not is_link))
        button.setCursor(Qt.CursorShape.PointingHandCursor)
        button.clicked.connect(lambda _checked=False: self.document.select(thing))
        return button
