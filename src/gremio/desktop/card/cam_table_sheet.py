"""The Card while a CSV becomes a cam: which channel each column is, and in what unit."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QPushButton

from gremio.core.files.cam_csv import CamTable, cam_of_table, proposed_channels
from gremio.core.problem import counted_words
from gremio.core.quantity import units_of
from gremio.core.rig.ids import NOTHING, ChannelKey, ThingId
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import full_label, kind_of, shown_unit
from gremio.desktop.document.document import Document
from gremio.desktop.fields.pieces import Sheet, choice, heading, rule, second, verb
from gremio.desktop.theme.dress import text_font

_NO_UNIT = "plain number"


class CamTableSheet(Sheet):
    """Asks what a table needs to be told. link_id: of a cam that it replaces; "" makes one."""

    of_selection = True

    def __init__(
        self,
        document: Document,
        table: CamTable,
        file_name: str,
        link_id: ThingId,
        done: Callable[[], None],
    ) -> None:
        super().__init__()
        self.document, self.table, self.link_id, self.done = document, table, link_id, done
        rig, program = document.rig, document.program
        self.names = {full_label(rig, c): c for c in program.channel_keys}
        keys = proposed_channels(rig, table)
        rest = [c for c in program.channel_keys if c not in keys]
        self.channels = [key or (rest.pop(0) if rest else NOTHING) for key in keys]
        self.units = [unit if unit is not None else "" for unit in table.units]
        for i, channel in enumerate(self.channels):
            if channel and self.units[i] not in units_of(kind_of(rig, channel)):
                self.units[i] = shown_unit(rig, channel)
        title = heading("A cam from a table")
        title.setFont(text_font(11.5, bold=True))
        self.add(title)
        self.add(second(f"{file_name}, {counted_words(len(table.rows), 'station')}"))
        self.add(rule())
        for i, name in enumerate(table.names):
            self._add_column(i, name)
        make = QPushButton("Make the cam")
        make.setProperty("main", True)
        make.clicked.connect(lambda _checked=False: self._accept())
        self.add(make)
        self.add(verb("Leave it", self.done))
        self.end()

    def _add_column(self, i: int, name: str) -> None:
        self.add(heading(f"{'Lead' if i == 0 else 'Follower'}: {name}"))
        present = self.channels[i]
        if not present:
            self.add(second("Nothing in the rig is left for this column."))
            return
        rig = self.document.rig
        what = f"Channel of column {i + 1}"
        self.row("Is", choice(list(self.names), full_label(rig, present), what,
                              lambda text: self._choose(i, self.names[text])))  # fmt: skip
        units = [unit or _NO_UNIT for unit in units_of(kind_of(rig, present))]
        unit = choice(
            units, self.units[i] or _NO_UNIT, f"Unit of column {i + 1}",
            lambda text: self._set_unit(i, "" if text == _NO_UNIT else text),
        )  # fmt: skip
        self.row("In", unit)
        if self.table.units[i] is None:
            self.add(second("Its heading names no unit: say which."))

    def _choose(self, i: int, channel: ChannelKey) -> None:
        self.channels[i] = channel
        if self.units[i] not in units_of(kind_of(self.document.rig, channel)):
            self.units[i] = shown_unit(self.document.rig, channel)

    def _set_unit(self, i: int, unit: str) -> None:
        self.units[i] = unit

    def _accept(self) -> None:
        channels, units = list(self.channels), list(self.units)

        def change(rig: Rig) -> tuple[Rig, ThingId]:
            return cam_of_table(rig, self.table, channels, units, self.link_id)

        if "" not in channels and self.document.make("make a cam of a table", change):
            self.done()
