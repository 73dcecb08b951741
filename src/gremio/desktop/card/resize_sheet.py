"""The Card on which what is selected, or the whole rig, is made larger or smaller."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from gremio.core.make.resizing import resized
from gremio.core.problem import counted_words
from gremio.core.rig.lengths import length_unit
from gremio.desktop.bench.view import Bench
from gremio.desktop.document.document import Document
from gremio.desktop.fields.pieces import Sheet, choice, rule, second, title, verb
from gremio.desktop.fields.quantity_field import QuantityField

_WHOLE = "the whole rig"


class ResizeSheet(Sheet):
    """Asks by how much, told as a factor, or by how large the selected part is to be."""

    of_selection = True

    def __init__(self, document: Document, bench: Bench, done: Callable[[], None]) -> None:
        super().__init__()
        self.document, self._done = document, done
        self.roots = document.chosen_parts
        rig = document.rig
        self.words = _WHOLE
        if self.roots:
            name = rig.parts[self.roots[-1]].name
            several = len(self.roots) > 1
            self.words = counted_words(len(self.roots), "part") if several else name
        self.add(title("Resize"))
        self.add(second("Every length goes along: mounts, shapes, stops, ways, links and keys. "
                        "Turns stay."))  # fmt: skip
        self.add(rule())
        self.whole = not self.roots
        if self.roots:
            what = choice([self.words, _WHOLE], self.words, "What is resized", self._set_what)
            self.row("Resize", what)
        self.factor = QuantityField("number", "", "How many times as large", self)
        self.factor.set_value(1.0)
        self.factor.committed.connect(self._take_factor)
        self.factor.refused.connect(document.said)
        self.row("Times", self.factor)
        self.present = self._size(bench)
        if self.present > 0:
            unit = length_unit(rig, self.roots[-1])
            self.measures = QuantityField("length", unit, "How large the part is to be", self)
            self.measures.set_value(self.present)
            self.measures.committed.connect(self._take_size)
            self.measures.refused.connect(document.said)
            self.measures.setToolTip("The longest side of the box that the selected part fills")
            self.row("It measures", self.measures)
        self.add(verb("Resize it", self._make, main=True))
        self.add(verb("Leave it", done, "Escape"))
        self.end()

    def _size(self, bench: Bench) -> float:
        """The longest side of the box that the selected part fills, in its own frame (m)."""
        if not self.roots:
            return 0.0
        part = self.roots[-1]
        scene, row = bench.scene(), self.document.program.part_row[part]
        corners = scene.corners[scene.of_parts({row})].reshape(-1, 3)
        return float(np.ptp(corners, axis=0).max()) if len(corners) else 0.0

    # ── what hands do ──────────────────────────────────────────────

    def _set_what(self, text: str) -> None:
        self.whole = text == _WHOLE

    def _take_factor(self, factor: float) -> None:
        if self.present > 0:
            self.measures.set_value(self.present * factor)

    def _take_size(self, size: float) -> None:
        self.factor.set_value(size / self.present)

    def _make(self) -> None:
        for field in (self.factor, *((self.measures,) if self.present > 0 else ())):
            if field.isModified():
                field.commit()
            if field.isModified():
                return
        factor, document = self.factor.value or 0.0, self.document
        roots = () if self.whole else tuple(self.roots)
        words = _WHOLE if self.whole else self.words
        if document.edit(f"resize {words}", lambda rig: resized(rig, factor, roots)):
            document.settle()
            self._done()
            times = f"{factor:.6g}"
            document.said.emit(f"{words[0].upper()}{words[1:]} is {times} times as large.")
