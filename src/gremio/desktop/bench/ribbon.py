"""The ribbon at the foot of the Bench: control — link — part — link — part."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from gremio.core.edit.constraints import given_keys
from gremio.core.inspect.words import drive_words
from gremio.core.rig.channels import split
from gremio.core.rig.ids import NOTHING, ChannelKey, PartId, ThingId
from gremio.core.rig.links import followers
from gremio.core.rig.numbers import full_label, label
from gremio.core.solve.backward import drive_line
from gremio.desktop.document.document import Document
from gremio.desktop.fields.areas import clear
from gremio.desktop.theme.dress import text_font

# So many of the channels that a selected one leads are named.
_LED = 2


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
        document.rig_changed.connect(lambda _change: self.rebuild())
        document.selection_changed.connect(self.rebuild)
        self.rebuild()

    def _channel(self) -> ChannelKey:
        """Key of the channel whose drive line is told; "" when there is none."""
        program, selected = self.document.program, self.document.selected
        link = self.document.rig.links.get(selected)
        if link is not None:
            return followers(link)[0]
        if selected in self.document.rig.constraints:
            given = given_keys(self.document.rig, selected)
            return next((c for c in given if c in program.drives), NOTHING)
        if selected in self.document.rig.parts:
            selected = self.document.moving_part(PartId(selected)) or selected
        channels = self.document.channels_of(selected)
        led = [channel for channel in channels if channel in program.drives]
        return (led or channels or [NOTHING])[0]

    def words(self) -> list[tuple[str, ThingId]]:
        """(word, id of the thing it stands for) along the drive line."""
        program, rig = self.document.program, self.document.rig
        channel = self._channel()
        if not channel:
            part = rig.parts.get(PartId(self.document.selected))
            return [(part.name, self.document.selected), ("grounded", NOTHING)] if part else []
        found: list[tuple[str, ThingId]] = []
        for step in drive_line(program, channel):
            drive = program.drives.get(step)
            if drive is not None:
                known = self.document.knows(drive.links[0]) and drive.links[0] not in rig.parts
                word = drive_words(rig, drive.links[0], step)
                found.append((word, drive.links[0] if known else NOTHING))
            text = full_label(rig, step) if step == channel else label(rig, step)
            found.append((text, split(step)[0]))
        led = [label(rig, c) for c, drive in program.drives.items() if channel in drive.leads]
        if led:
            more = f" and {len(led) - _LED} more" if len(led) > _LED else ""
            found.append((f"leads {', '.join(led[:_LED])}{more}", NOTHING))
        return found

    def rebuild(self) -> None:
        """Spell the drive line anew; where it is too long, the middle is left out."""
        words = self.words()
        self._spell(words)
        while len(words) > 5 and self._line.sizeHint().width() > self.width() > 100:
            middle = len(words) // 2
            words = [*words[: middle - 1], ("…", NOTHING), *words[middle + 1 :]]
            self._spell(words)
        self.setVisible(bool(words))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Another width, other words."""
        super().resizeEvent(event)
        self.rebuild()

    def _spell(self, words: list[tuple[str, ThingId]]) -> None:
        clear(self._line)
        for index, (word, thing) in enumerate(words):
            if index:
                dash = QLabel("—")
                dash.setProperty("second", True)
                self._line.addWidget(dash)
            self._line.addWidget(self._word(word, thing))
        self._line.addStretch()

    def _word(self, word: str, thing: ThingId) -> QWidget:
        if not thing:
            plain = QLabel(word)
            plain.setProperty("second", True)
            return plain
        button = QPushButton(word)
        button.setProperty("word", True)
        here = thing == self.document.selected
        is_link = thing in self.document.rig.links or thing in self.document.rig.constraints
        button.setFont(text_font(8.5 if is_link else 9, bold=here or not is_link))
        button.setCursor(Qt.CursorShape.PointingHandCursor)
        button.clicked.connect(lambda _checked=False: self.document.select(thing))
        return button
