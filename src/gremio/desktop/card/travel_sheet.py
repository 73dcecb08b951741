"""The Card while a travel is exported: what runs, from where to where, and in what time."""

from __future__ import annotations

from collections.abc import Callable

from gremio.core.files.formats import Travel
from gremio.core.problem import GremioError
from gremio.core.quantity import show
from gremio.core.rig.find import control_id
from gremio.desktop.document.document import Document
from gremio.desktop.fields.areas import clear
from gremio.desktop.fields.pieces import Sheet, choice, number_field, rule, second, title, verb
from gremio.desktop.fields.quantity_field import QuantityField

# Whole frames a second that films have.
RATES = (24.0, 25.0, 30.0, 50.0, 60.0)
_NEEDED = "as many as needed"
_CHOSEN, _POSES = "all chosen on the Desk", "the kept poses, one by one"


class TravelSheet(Sheet):
    """Asks what the export of a travel needs to be told. export: with that."""

    of_selection = True

    def __init__(
        self,
        document: Document,
        name: str,
        seconds: float,
        export: Callable[[Travel], object],
        done: Callable[[], None],
    ) -> None:
        super().__init__()
        self.document, self._export, self._done = document, export, done
        self.rates = {f"whole frames, {rate:g} a second": rate for rate in RATES}
        self.runs, self.seconds, self.rate = name, seconds, _NEEDED
        self._build()

    def _build(self) -> None:
        clear(self.column)
        self.go_on_in(self.column)
        rig = self.document.rig
        self.add(title("Export a travel"))
        self.add(rule())
        offered = [entry.name for entry in rig.controls.values()]
        chosen = [rig.controls[c].name for c in rig.controls if c in self.document.chosen]
        if len(chosen) > 1:
            offered.append(_CHOSEN)
        if len(rig.poses) > 1:
            offered.append(_POSES)
        self.row("Runs", choice(offered, self.runs, "What runs", self._set_runs))
        self._ends = self._end_fields()
        if self._ends:
            self.row("From, to", *self._ends)
        takes = number_field(self.document, self, "time", "Takes")
        takes.set_value(self.seconds)
        takes.committed.connect(self._set_seconds)
        self.row("Takes", takes)
        self.row("Keys", choice([_NEEDED, *self.rates], self.rate, "Keys", self._set_rate))
        self.add(second("As many as needed keeps all between them within 0.1 mm and 0.05°."))
        self.add(verb("Write a GLB…", self._write, main=True))
        self.add(verb("Leave it", self._done, "Escape"))
        self.end()

    def _end_fields(self) -> list[QuantityField]:
        """Where one control begins and ends; none for several, or for poses."""
        rig = self.document.rig
        if self.runs in (_CHOSEN, _POSES):
            return []
        entry = rig.controls[control_id(rig, self.runs)]
        fields = []
        for word, value in (("From", entry.low), ("To", entry.high)):
            field = QuantityField(entry.kind, entry.unit, word, self)
            field.set_value(value)
            field.refused.connect(self.document.said)
            fields.append(field)
        return fields

    def travel(self) -> Travel:
        """What is asked for."""
        rig, rate = self.document.rig, self.rates.get(self.rate)
        if self.runs == _POSES:
            poses = tuple(pose.name for pose in rig.poses.values())
            return Travel(seconds=self.seconds, fps=rate, poses=poses)
        if self.runs == _CHOSEN:
            first, *others = [
                rig.controls[c].name for c in rig.controls if c in self.document.chosen
            ]
            return Travel(first, self.seconds, rate, others=tuple(others))
        entry = rig.controls[control_id(rig, self.runs)]
        ends = [
            None if field.value == usual else show(field.value or 0.0, entry.unit, 9)
            for field, usual in zip(self._ends, (entry.low, entry.high), strict=True)
        ]
        return Travel(self.runs, self.seconds, rate, ends[0], ends[1])

    def _write(self) -> None:
        for field in self._ends:
            field.commit()
            if field.isModified():
                return
        travel = self.travel()
        try:
            travel.way(self.document.rig)
        except GremioError as problem:
            # Said before it is asked where to.
            self.document.said.emit(str(problem))
            return
        self._export(travel)

    def _set_runs(self, name: str) -> None:
        self.runs = name
        self._build()

    def _set_seconds(self, seconds: float) -> None:
        self.seconds = seconds

    def _set_rate(self, words: str) -> None:
        self.rate = words
