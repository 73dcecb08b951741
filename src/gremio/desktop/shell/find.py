"""Find anything: every part, control, link, number and action by name."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial
from itertools import islice

from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QAction, QKeyEvent
from PyQt6.QtWidgets import QLabel, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from gremio.core.records import Record
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.links import link_label
from gremio.core.rig.numbers import OWNERS, closure_label, full_label, number_word, numbers_of
from gremio.core.rig.things import THINGS
from gremio.desktop.document.document import Document
from gremio.desktop.shell.keys import Keys

_MOST = 12


class Entry(Record, frozen=True):
    """Something that can be found: its name, what it is, and what choosing it does. note: what is
    written about it."""

    name: str
    kind: str
    do: Callable[[], object]
    note: str = ""


def entries_of(
    document: Document, actions: Iterable[QAction], show_thing: Callable[[ThingId], None]
) -> list[Entry]:
    """Everything there is to find. show_thing: selects one, and brings it into view."""
    rig = document.rig
    found = [
        Entry(thing.name, one.word, partial(show_thing, thing_id), thing.note)
        for one in THINGS
        if one.named and one.selected
        for thing_id, thing in one.of(rig).items()
    ]
    found += [
        Entry(link_label(rig, link).removeprefix("the "), "link", partial(show_thing, i), link.note)
        for i, link in rig.links.items()
    ]
    found += [
        Entry(
            closure_label(rig, closure).removeprefix("the "),
            "closure",
            partial(show_thing, i),
            closure.note,
        )
        for i, closure in rig.closures.items()
    ]
    for action in actions:
        if action.isEnabled() and action.text():
            keys = action.shortcut().toString()
            kind = f"action   {keys}" if keys else "action"
            found.append(Entry(action.text().replace("&", "").rstrip("…"), kind, action.trigger))
    return found


def numbers_called(
    document: Document, text: str, show: Callable[[ChannelKey], None]
) -> list[Entry]:
    """The first numbers, of whatever there is, whose name holds all words typed."""
    rig, words = document.rig, text.lower().split()
    if not words:
        return []
    found = (
        (key, full_label(rig, key))
        for owner in OWNERS
        for thing, entry in owner.things(rig).items()
        for rest in [[word for word in words if word not in entry.name.lower()]]
        for key in numbers_of(rig, thing)
        if key not in rig.controls
        and all(word in number_word(rig, key).lower() for word in rest)
    )  # fmt: skip
    return [Entry(name, "number", partial(show, key)) for key, name in islice(found, _MOST)]


def matching(entries: list[Entry], text: str) -> list[Entry]:
    """Entries that hold all words typed: first what is called just that, then what begins so; last
    those that only their notes hold, which are told then."""
    words, whole = text.lower().split(), text.lower().strip()
    held = [e for e in entries if all(word in e.name.lower() for word in words)]
    noted = [
        replace(e, kind=f"{e.kind}: {' '.join(e.note.split())}")
        for e in entries
        if words and e.note and e not in held
        and all(word in f"{e.name} {e.note}".lower() for word in words)
    ]  # fmt: skip
    named = sorted(
        held, key=lambda e: (e.name.lower() != whole, not e.name.lower().startswith(whole))
    )
    return [*named, *noted]


class Finder(QWidget):
    """A field and what matches; arrows and Enter choose, Escape leaves."""

    def __init__(
        self,
        document: Document,
        keys: Keys,
        show_thing: Callable[[ThingId], None],
        show_number: Callable[[ChannelKey], None],
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self._show_thing, self._show_number = show_thing, show_number
        self.setObjectName("find")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.document, self.keys = document, keys
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        self.field = QLineEdit()
        self.field.setPlaceholderText("A part, a control, a link, a number, or something to do")
        self.field.setAccessibleName("Find anything")
        self.field.textChanged.connect(self._fill)
        self.field.installEventFilter(self)
        self.list = QListWidget()
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.itemClicked.connect(self._choose)
        self.nothing = QLabel("Nothing here has that name.")
        self.nothing.setProperty("second", True)
        layout.addWidget(self.field)
        layout.addWidget(self.list)
        layout.addWidget(self.nothing)
        self._shown: list[Entry] = []
        self.hide()

    def open(self) -> None:
        """Come up over the window."""
        parent = self.parentWidget()
        assert parent is not None
        self.setGeometry(parent.width() // 2 - 230, 46, 460, 340)
        self.field.clear()
        self._fill("")
        self.show()
        self.raise_()
        self.field.setFocus()

    def _fill(self, text: str) -> None:
        found = matching(
            entries_of(self.document, self.keys.entries.values(), self._show_thing), text
        )
        if len(found) < _MOST:
            found += matching(numbers_called(self.document, text, self._show_number), text)
        self._shown = found[:_MOST]
        self.list.clear()
        for entry in self._shown:
            self.list.addItem(QListWidgetItem(f"{entry.name}    {entry.kind}"))
        self.list.setCurrentRow(0)
        self.list.setVisible(bool(self._shown))
        self.nothing.setVisible(not self._shown)

    def _choose(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self._shown):
            self.hide()
            self._shown[row].do()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Arrows go through the list while the field has the focus."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            row = self.list.currentRow()
            if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                self.list.setCurrentRow(max(0, min(len(self._shown) - 1, row + step)))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._choose()
                return True
            if event.key() == Qt.Key.Key_Escape:
                self.hide()
                return True
        if event is not None and event.type() == QEvent.Type.FocusOut:
            self.hide()
        return super().eventFilter(watched, event)
