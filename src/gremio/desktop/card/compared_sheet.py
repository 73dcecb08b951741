"""The Card of what is otherwise in the open rig than in a file."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QSizePolicy

from gremio.core.inspect.comparing import Difference, How
from gremio.core.problem import counted_words
from gremio.core.rig.ids import thing as as_thing
from gremio.desktop.document.document import Document
from gremio.desktop.fields.pieces import Sheet, heading, rule, second, title, verb

# Of more of a kind only so many are listed; the rest is counted.
_MOST = 60
# How wide the name of a thing is at most (px).
_ROOM = 138
_HEADS: dict[How, str] = {
    "new": "New here",
    "gone": "Gone",
    "renamed": "Under another name",
    "changed": "Otherwise",
}


class ComparedSheet(Sheet):
    """The differences, each with what it is now; a click on one selects it."""

    def __init__(
        self, document: Document, file: str, found: list[Difference], done: Callable[[], None]
    ) -> None:
        super().__init__()
        self.document = document
        self.add(title(f"Compared with {file}"))
        if not found:
            self.add(second("Both say the same."))
        for how, head in _HEADS.items():
            those = [difference for difference in found if difference.how == how]
            if not those:
                continue
            self.add(rule())
            self.add(heading(f"{head}, {len(those)}"))
            before = ""
            for difference in those[:_MOST]:
                named = f"{difference.word} {difference.name}"
                self._add(difference, again=named == before)
                before = named
            if len(those) > _MOST:
                more = counted_words(len(those) - _MOST, "more")
                self.add(second(f"And {more}; gremio compare lists them all."))
        self.add(rule())
        self.add(verb("Leave it", done, "Escape"))
        self.end()

    def _add(self, difference: Difference, *, again: bool) -> None:
        """again: it is of the same thing as the one before."""
        thing = as_thing(difference.thing)
        if not again:
            known = difference.how != "gone" and self.document.knows(thing)
            name = difference.name or self.document.rig.name
            select = verb(name, partial(self.document.select, thing), f"Select {name}")
            select.setEnabled(known)
            select.setAccessibleName(name)
            metrics = select.fontMetrics()
            select.setText(metrics.elidedText(name, Qt.TextElideMode.ElideRight, _ROOM))
            # A long name must not widen the Card.
            select.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            self.row(difference.word, select)
        if difference.how == "renamed":
            self.add(second(f"was {difference.before}"))
        elif difference.how == "changed":
            before, after = difference.before or "none", difference.after or "none"
            self.add(second(f"{difference.aspect}: {before} → {after}"))
