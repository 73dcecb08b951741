"""The Card on which one chooses, of many changes, what is taken and what is left."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QWidget

from gremio.core.problem import counted_words
from gremio.core.records import Record
from gremio.core.rig.ids import NOTHING, ThingId
from gremio.core.shape.geometry import Geometry
from gremio.desktop.document.document import Document
from gremio.desktop.fields.drawing import Drawing
from gremio.desktop.fields.pieces import Sheet, WideCheck, heading, rule, second, title, verb
from gremio.desktop.theme.inks import Inks

# Of more of a kind only so many are listed; the rest goes as the head is ticked.
_MOST = 60
# How wide the name of a thing is at most (px).
_ROOM = 150
_PICTURE = QSize(46, 34)


class Offered(Record, frozen=True):
    """A change that can be taken. head: of those that it stands among. name: of what is changed.
    words: how. thing: its id in the rig, to be selected. ticked: whether it is taken unless it is
    said. must: it can't be left. told: a warning beside it. picture: what it looks like.
    """

    head: str
    name: str
    words: str = ""
    thing: ThingId = NOTHING
    ticked: bool = True
    must: bool = False
    told: str = ""
    picture: Geometry | None = None


class TakingSheet(Sheet):
    """Changes under their heads, each to be ticked; a click on a name selects what it is of.

    take: is called with the indices of what is ticked, when that is to be taken. asks: what else is
    chosen, by the word of its row.
    """

    def __init__(
        self,
        document: Document,
        inks: Inks,
        head: str,
        words: str,
        offered: Sequence[Offered],
        take: Callable[[list[int]], object],
        done: Callable[[], None],
        *,
        main: str = "Take what is ticked",
        asks: Sequence[tuple[str, QWidget]] = (),
    ) -> None:
        super().__init__()
        self.document, self.inks, self.offered = document, inks, offered
        self._take = take
        self._ticks: dict[int, WideCheck] = {}
        self._heads: dict[str, WideCheck] = {}
        self.add(title(head))
        self.add(second(words))
        for word, widget in asks:
            self.row(word, widget)
        for name in dict.fromkeys(one.head for one in offered):
            self._add_head(name)
        self.add(rule())
        if offered:
            self.add(verb(main, self._done, "Ctrl Z takes it back", main=True))
        self.add(verb("Leave it" if offered else "Done", done, "Escape"))
        self.end()

    def _add_head(self, head: str) -> None:
        those = [i for i, one in enumerate(self.offered) if one.head == head]
        self.add(rule())
        if len(those) > 1:
            tick = WideCheck(f"{head}, {len(those)}")
            tick.setFont(heading("").font())
            tick.setChecked(all(self.offered[i].ticked for i in those))
            tick.setToolTip("All of these, or none")
            tick.clicked.connect(partial(self._tick_all, those))
            self._heads[head] = tick
            self.add(tick)
        else:
            self.add(heading(head))
        before = ""
        for index in those[:_MOST]:
            self._add_line(index, again=self.offered[index].name == before)
            before = self.offered[index].name
        if len(those) > _MOST:
            more = counted_words(len(those) - _MOST, "more")
            self.add(second(f"And {more}, which go as the head is ticked."))

    def _add_line(self, index: int, *, again: bool) -> None:
        """again: it is of the same thing as the one before, whose name is not said again."""
        one = self.offered[index]
        tick = WideCheck("")
        tick.setAccessibleName(f"Take {one.head.lower()}: {one.name}")
        tick.setChecked(one.ticked or one.must)
        tick.setEnabled(not one.must)
        tick.setFixedWidth(22)
        tick.clicked.connect(lambda _checked: self._tell_heads())
        self._ticks[index] = tick
        line = QHBoxLayout()
        line.setSpacing(6)
        line.addWidget(tick, 0, Qt.AlignmentFlag.AlignTop)
        if one.picture is not None:
            drawing = Drawing(self.inks, one.picture, _PICTURE)
            drawing.setAccessibleName(f"{one.name} as it is now")
            line.addWidget(drawing, 0, Qt.AlignmentFlag.AlignTop)
        words = second(one.words)
        if again and one.words:
            line.addWidget(words, 1)
            self.add_line(line)
        else:
            line.addWidget(self._name(one), 1)
            self.add_line(line)
            if one.words:
                words.setContentsMargins(28, 0, 0, 0)
                self.add(words)
        if one.told:
            told = QLabel(one.told)
            told.setProperty("warning", True)
            told.setWordWrap(True)
            told.setContentsMargins(28, 0, 0, 0)
            self.add(told)

    def _name(self, one: Offered) -> QPushButton | QLabel:
        """The name of what is changed; it selects that, where it is in the rig."""
        if self.document.knows(one.thing):
            name: QPushButton | QLabel = verb("", partial(self.document.select, one.thing))
            # A long name must not widen the Card.
            name.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            name.setStyleSheet("text-align: left;")
        else:
            name = QLabel()
        name.setToolTip(one.name)
        name.setAccessibleName(one.name)
        name.setText(name.fontMetrics().elidedText(one.name, Qt.TextElideMode.ElideRight, _ROOM))
        return name

    # ── what hands do ──────────────────────────────────────────────

    def _tick_all(self, those: list[int], on: bool) -> None:
        for index in those:
            if index in self._ticks and not self.offered[index].must:
                self._ticks[index].setChecked(on)

    def _tell_heads(self) -> None:
        for head, tick in self._heads.items():
            those = [i for i in self._ticks if self.offered[i].head == head]
            tick.setChecked(all(self._ticks[i].isChecked() for i in those))

    def ticked(self) -> list[int]:
        """The indices of what is to be taken."""
        found = []
        for index, one in enumerate(self.offered):
            tick = self._ticks.get(index, self._heads.get(one.head))
            if one.must or (tick is not None and tick.isChecked()):
                found.append(index)
        return found

    def _done(self) -> None:
        self._take(self.ticked())
