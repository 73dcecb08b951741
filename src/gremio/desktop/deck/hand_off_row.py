"""The row that says of the hand-off at hand when it is, and where the part settles."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from gremio.core.edit.hand_offs import settle_into
from gremio.core.frames import Triple
from gremio.core.quantity import Kind
from gremio.core.rig.model import HandOff
from gremio.desktop.deck.time_lines import TimeLines
from gremio.desktop.document.document import Document
from gremio.desktop.fields.areas import clear
from gremio.desktop.fields.pieces import second, verb
from gremio.desktop.fields.quantity_field import QuantityField

_AXES = ("x", "y", "z")


class HandOffRow(QWidget):
    """When the hand-off at hand is, how long it takes to settle, and where. pick: lets a click in
    the Bench choose that place."""

    def __init__(self, document: Document, lines: TimeLines, pick: Callable[[], object]) -> None:
        super().__init__()
        self.document, self._lines, self._pick = document, lines, pick
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(14, 0, 14, 0)
        self._row.setSpacing(6)
        self._shown: HandOff | None = None
        lines.hand_off_chosen.connect(self.rebuild)
        self.hide()

    def rebuild(self) -> None:
        """Show the hand-off at hand; nothing where there is none."""
        bars = self._lines.bars
        found = bars.chosen_hand_off()
        if found == self._shown and self.isVisible() == (found is not None):
            return
        self._shown = found
        clear(self._row)
        self.setVisible(found is not None)
        if found is None or bars.chosen is None:
            return
        part = bars.chosen[0]
        name = self.document.rig.parts[part].name
        words = second(f"{name} to {bars.name(found.carrier)} at")
        words.setWordWrap(False)
        self._row.addWidget(words)
        self._field("Time of the hand-off", "time", found.time, self._lines.move_hand_off)
        self._row.addWidget(second("settles over"))
        self._field("Time to settle", "time", found.over, lambda v: self._settle(v, None))
        if found.over:
            self._row.addWidget(second("into"))
            for i, axis in enumerate(_AXES):
                self._row.addWidget(second(axis))
                self._field(
                    f"Place {axis} on the carrier", "length", found.place.at[i], self._put(i)
                )
            self._row.addWidget(verb("Pick it", self._pick, "Click the place in the Bench"))
        self._row.addWidget(verb("Take it out", self._lines.remove_hand_off,
                                 "The part rides on as before this"))  # fmt: skip
        self._row.addStretch()

    def _field(self, what: str, kind: Kind, value: float, put: Callable[[float], object]) -> None:
        unit = "s" if kind == "time" else self.document.rig.lengths or "m"
        field = QuantityField(kind, unit, what)
        field.setFixedWidth(74)
        field.set_value(value)
        field.committed.connect(put)
        field.refused.connect(self.document.said)
        self._row.addWidget(field)

    def _put(self, axis: int) -> Callable[[float], None]:
        def put(value: float) -> None:
            assert self._shown is not None
            at = list(self._shown.place.at)
            at[axis] = value
            self._settle(None, (at[0], at[1], at[2]))

        return put

    def _settle(self, over: float | None, at: Triple | None) -> None:
        chosen, found = self._lines.bars.chosen, self._shown
        if chosen is None or found is None:
            return
        part, time = chosen
        takes = found.over if over is None else over
        place = found.place if at is None else replace(found.place, at=at)
        routine_id = self.document.timing.routine_id
        self.document.edit(
            "settle into a place",
            lambda rig: settle_into(rig, routine_id, part, time, takes, place),
        )
        self.document.settle()
        self.rebuild()
