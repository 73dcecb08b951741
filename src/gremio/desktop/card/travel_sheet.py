"""The Card while a control's travel is exported: how long it takes, and where its keys are."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QPushButton

from gremio.desktop.document.document import Document
from gremio.desktop.fields.pieces import (
    Sheet,
    choice,
    heading,
    number_field,
    rule,
    second,
    verb,
)
from gremio.desktop.theme.dress import text_font

# Whole frames a second that films have.
RATES = (24.0, 25.0, 30.0, 50.0, 60.0)
_NEEDED = "as many as needed"


class TravelSheet(Sheet):
    """Asks what the export of a travel needs to be told. export: with seconds, and the whole
    frames a second at which alone there are keys, or None."""

    of_selection = True

    def __init__(
        self,
        document: Document,
        name: str,
        seconds: float,
        export: Callable[[float, float | None], object],
        done: Callable[[], None],
    ) -> None:
        super().__init__()
        self.rates = {f"whole frames, {rate:g} a second": rate for rate in RATES}
        self.seconds, self.rate = seconds, _NEEDED
        title = heading("Export a travel")
        title.setFont(text_font(11.5, bold=True))
        self.add(title)
        self.add(second(f"{name}, from end to end"))
        self.add(rule())
        takes = number_field(document, self, "time", "Takes")
        takes.set_value(seconds)
        takes.committed.connect(self._set_seconds)
        self.row("Takes", takes)
        self.row("Keys", choice([_NEEDED, *self.rates], _NEEDED, "Keys", self._set_rate))
        self.add(second("As many as needed keeps all between them within 0.1 mm and 0.05 °."))
        write = QPushButton("Write a GLB…")
        write.setProperty("main", True)
        write.clicked.connect(
            lambda _checked=False: export(self.seconds, self.rates.get(self.rate))
        )
        self.add(write)
        self.add(verb("Leave it", done))
        self.end()

    def _set_seconds(self, seconds: float) -> None:
        self.seconds = seconds

    def _set_rate(self, words: str) -> None:
        self.rate = words
