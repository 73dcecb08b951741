"""A Card made of declared fields: what stands under what, and the sections that fold."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from gremio.core.edit.notes import note_of, set_note
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.numbers import kind_of
from gremio.desktop.card.field_sheet import FieldSheet
from gremio.desktop.card.forms import (
    Act,
    Amount,
    Check,
    Field,
    Ground,
    Head,
    Line,
    Menu,
    Number,
    Own,
    Pick,
    Rail,
    Rule,
    Several,
    Thing,
    Title,
    Words,
)
from gremio.desktop.card.rail import StopsRail
from gremio.desktop.document.document import Document
from gremio.desktop.fields.note_field import NoteField
from gremio.desktop.fields.pieces import (
    Hatched,
    Slab,
    menu_button,
    rule,
    second,
    title,
    title_field,
)
from gremio.desktop.fields.quantity_field import QuantityField
from gremio.desktop.fields.sections import Section
from gremio.desktop.theme.dress import digit_font, text_font
from gremio.desktop.theme.inks import Inks


class FormSheet(FieldSheet):
    """One Card of declared fields, on one thing of the rig."""

    def __init__(self, document: Document, thing: ThingId, inks: Inks) -> None:
        super().__init__(document, thing, inks)
        # Its sections, each with the fields in it.
        self._sections: list[tuple[Section, list[Field]]] = []

    # ── what is shown ──────────────────────────────────────────────

    def lay(self, *fields: Field | Iterable[Field] | None) -> None:
        """Put fields one under another; None is none. A head begins a section, to which all after
        it belong."""
        head: Head | None = None
        own: list[Field] = []
        for field in _flat(fields):
            if isinstance(field, Head):
                self._lay_section(head, own)
                head, own = field, []
            elif head is None:
                self._lay(field)
            else:
                own.append(field)
        self._lay_section(head, own)

    def _lay_section(self, head: Head | None, fields: list[Field]) -> None:
        """A section, whose fields are made when it is first open."""
        if head is None:
            return
        gist = head.gist

        def told() -> str:
            return gist if isinstance(gist, str) else gist()

        name = f"{type(self).__name__} {head.name or head.text}"
        fill = partial(self._fill, fields) if fields else None
        section = Section(head.text, name, head.folded, fill, told)
        self._again.append(section.take_pose)
        self._sections.append((section, fields))
        self.go_on_in(self.column)
        self.add(section)

    def _fill(self, fields: list[Field], column: QVBoxLayout) -> None:
        self.go_on_in(column)
        for field in fields:
            self._lay(field)
        self.go_on_in(self.column)

    def reveal(self, channel: ChannelKey) -> None:
        """Open the section in which a number stands."""
        for section, fields in self._sections:
            if any(channel == key for field in fields for key in _keys_of(field)):
                section.fold(False)

    def end(self) -> None:
        """Nothing more comes but what is written about the thing."""
        written = note_of(self._rig, self.thing)
        self.lay(Head("Note", self._note_gist, folded=not written), Own(self._note_field))
        super().end()

    def _note_gist(self) -> str:
        return note_of(self._rig, self.thing).partition("\n")[0] or "nothing is written"

    def _note_field(self) -> list[QWidget]:
        field = NoteField("Note")
        field.setPlaceholderText("What whoever opens this later should know")
        field.setToolTip("Enter takes it over; Shift and Enter begins another line")

        def take(text: str) -> None:
            if self.edit("note", lambda rig: set_note(rig, self.thing, text)):
                field.taken()

        def again() -> None:
            field.show_text(note_of(self._rig, self.thing))

        field.typed.connect(take)
        self._again.append(again)
        again()
        return [field]

    def _lay(self, field: Field) -> None:
        match field:
            case Title():
                self._lay_title(field)
            case Head():
                self._lay_section(field, [])
            case Words():
                self._lay_words(field)
            case Rule():
                self.add(rule())
            case Thing():
                show = partial(self.document.select, field.thing)
                self.add(Slab(self.inks, field.symbol, field.text, field.more, show))
            case Ground():
                hatched = Hatched(self.inks, field.text)
                hatched.setToolTip(f"Can not change: {field.help or field.text}")
                menu = [] if field.menu is None else [self._dots(field.menu)]
                self.row(field.word, hatched, *menu)
            case Act() | Menu():
                self.add(*self._widgets(field))
            case Check():
                self.add(self._check(field))
            case Several():
                self.row(field.word, *(w for f in field.fields for w in self._widgets(f)))
            case Number() | Amount() | Pick() | Line():
                self.row(field.word, *self._widgets(field))
            case Rail():
                self._lay_rail(field)
            case Own():
                widgets = field.make()
                if field.word:
                    self.row(field.word, *widgets)
                else:
                    for widget in widgets:
                        self.add(widget)

    def _lay_title(self, field: Title) -> None:
        """The name, and the dots behind which stands what is done less often."""
        line = QHBoxLayout()
        line.setSpacing(4)
        name = field.get(self._rig)
        if field.rename is None:
            line.addWidget(title(name), 1)
        else:
            line.addWidget(title_field(name, "Name", partial(self._rename, field)), 1)
        if field.more:
            dots = menu_button("⋯", "More", {act.words: act.do for act in field.more}, "More")
            dots.setProperty("verb", False)
            dots.setProperty("dots", True)
            line.addWidget(dots, 0, Qt.AlignmentFlag.AlignTop)
        self.column.addLayout(line)

    def _lay_rail(self, field: Rail) -> None:
        """The instrument, and the numbers of its stops in small print under it."""
        usual = math.pi if kind_of(self._rig, field.key) == "angle" else self.usual_reach()
        rail = StopsRail(self.document, field.key, usual, self.inks)
        rail.pulled.connect(self.pulled)
        self._again.append(rail.update)
        self.add(rail)
        # The stops are typed one after the other, so they are made first.
        ends = [self._small(self._number(end)[:-1]) for end in (field.low, field.high)]
        line = QWidget()
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 2)
        row.setSpacing(2)
        low, high = ends
        high[-1].setAlignment(Qt.AlignmentFlag.AlignRight)
        for widget in low:
            row.addWidget(widget)
        row.addStretch(1)
        if field.soft is not None:
            word = second(field.soft.word)
            word.setFont(text_font(8))
            word.setWordWrap(False)
            row.addWidget(word)
            (soft,) = self._small([self._amount(field.soft)])
            row.addWidget(soft)
            row.addStretch(1)
        for widget in high:
            row.addWidget(widget)
        self.add(line)
        QWidget.setTabOrder(low[-1], high[-1])
        if field.soft is not None:
            QWidget.setTabOrder(high[-1], soft)

    @staticmethod
    def _small(widgets: list[QWidget]) -> list[Any]:
        """A field, and the mark before it, as small print: as wide as its number."""
        typed = widgets[-1]
        assert isinstance(typed, QuantityField)
        typed.setProperty("quiet", True)
        typed.setFont(digit_font(8.5))
        typed.hugs = True
        typed.setAlignment(Qt.AlignmentFlag.AlignLeft)
        return widgets

    def row(self, word: str, *widgets: QWidget) -> None:
        """A word, which tells the unit of lengths where {m} stands, and its values."""
        super().row(word.replace("{m}", self.usual_unit("length")), *widgets)

    def usual_reach(self) -> float:
        """How far a channel without stops is shown to go (m)."""
        return 1.0

    def _lay_words(self, field: Words) -> None:
        text = field.text
        label = second(text if isinstance(text, str) else text())
        label.setToolTip(field.help)
        if field.digits:
            label.setFont(digit_font(8.5))
        if field.word:
            self.row(field.word, label)
        else:
            self.add(label)
        if isinstance(text, str):
            return

        def again() -> None:
            label.setText(text())
            if not field.word:
                # Where there is nothing to say no gap is left.
                label.setVisible(bool(label.text()))

        self._again.append(again)
        if not label.text():
            again()

    def _rename(self, field: Title, name: str) -> None:
        old, rename = field.get(self._rig), field.rename
        assert rename is not None
        if not self.document.edit(f"rename {old}", lambda rig: rename(rig, name)):
            for line in self.findChildren(QLineEdit):
                if line.accessibleName() == "Name":
                    line.setText(old)


def _flat(fields: Iterable[Field | Iterable[Field] | None]) -> Iterator[Field]:
    """Fields one after another, without those that are none."""
    for field in fields:
        if isinstance(field, Iterable):
            yield from _flat(field)
        elif field is not None:
            yield field


def _keys_of(field: Field) -> list[ChannelKey]:
    """The channels that a field is of."""
    match field:
        case Number() | Pick():
            return [field.key]
        case Several():
            return [one.key for one in field.fields if isinstance(one, Number | Pick)]
        case Rail():
            return [field.key, field.low.key, field.high.key]
    return []
