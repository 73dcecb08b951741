"""The Cards of measuring: what is being measured, and a measure that is kept."""

from __future__ import annotations

from collections.abc import Callable

from gremio.core.edit.measures import add_measure, change_measure, remove_measure
from gremio.core.quantity import UNITS, units_of
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Measure
from gremio.desktop.bench.measuring import in_fitting_unit, likely_measure, measure_value, told
from gremio.desktop.bench.snapping import Spot
from gremio.desktop.card.form_sheet import FormSheet
from gremio.desktop.card.forms import Act, Pick, Rule, Title, Words
from gremio.desktop.document.document import Document
from gremio.desktop.fields.pieces import (
    Sheet,
    heading,
    rule,
    second,
    verb,
)
from gremio.desktop.theme.dress import digit_font, text_font
from gremio.desktop.theme.inks import Inks

_KINDS = {
    "distance": "distance between two points",
    "length": "length of an edge",
    "radius": "radius of a circle",
    "size": "size of a part",
    "angle": "angle between two faces",
}


class MeasuringSheet(Sheet):
    """What the picked places measure, to be kept under a name or only looked at."""

    def __init__(self, document: Document, picked: list[Spot], done: Callable[[], None]) -> None:
        super().__init__()
        self.document, self._done = document, done
        title = heading("Measuring")
        title.setFont(text_font(11.5, bold=True))
        self.add(title)
        self.add(rule())
        if not picked:
            self.add(
                second(
                    "Click an edge for its length, a circle for its radius, a face for the size of "
                    "its part. Click a second thing for the way between the two, or the angle of "
                    "two faces."
                )
            )
            self.add(verb("Stop measuring", done, "Escape"))
            self.end()
            return
        measure = likely_measure(document.rig, picked)
        value = measure_value(document.rig, document.pose, measure, document.geometry)
        measure = in_fitting_unit(measure, value)
        self.add(second(_KINDS[measure.kind]))
        result = heading(told(value, measure.unit))
        result.setFont(digit_font(13))
        result.setAccessibleName("Measured")
        self.add(result)
        if picked[0].place.error > 5e-6 and len(picked) == 1:
            off = picked[0].place.error / max(picked[0].place.size, 1e-12) * 100
            self.add(second(f"the rim is round to {off:.2g} %"))
        if picked[0].place.kind == "circle centre" and len(picked) == 1:
            self.add(second(f"diameter {told(2 * value, measure.unit)}"))
        keep = verb("Keep this measure", lambda: self._keep(measure), main=True)
        self.add(keep)
        self.add(second("A measure that is kept can be used in formulas, by its name."))
        self.add(verb("Stop measuring", done, "Escape"))
        self.end()

    def _keep(self, measure: Measure) -> None:
        self._done()
        self.document.make(f"keep {measure.name}", lambda rig: add_measure(rig, measure))


class MeasureSheet(FormSheet):
    """What is known of one kept measure."""

    change = staticmethod(change_measure)

    def __init__(self, document: Document, measure_id: ThingId, inks: Inks) -> None:
        super().__init__(document, measure_id, inks)
        measure = self.entry
        units = {unit: unit for unit in units_of(UNITS[measure.unit].kind)}
        axes = {f"along {axis}": axis for axis in "xyz"}
        names = [document.rig.parts[end.part].name for end in measure.ends
                 if end.part in document.rig.parts]  # fmt: skip
        self.lay(
            Title(self.get("name"), self.set("name"), [Act("Remove this measure", self._remove)]),
            Words(f"measure, {_KINDS[measure.kind]}"),
            Rule(),
        )
        self.value = heading("")
        self.value.setFont(digit_font(12))
        self.value.setAccessibleName("Measured")
        self.row("Value", self.value)
        self.lay(
            Pick("Unit", units, self.get("unit"), self.set("unit"), "unit"),
            Pick("Size", axes, self.get("axis"), self.set("axis"), "axis", "Axis")
            if measure.kind == "size"
            else None,
            Words("on " + " and ".join(dict.fromkeys(names))),
            Words(f"In a formula it is called {measure.name}. A measure is read, not led."),
        )
        self.end()
        self.take_pose()

    @property
    def entry(self) -> Measure:
        """The measure as it is now."""
        return self.document.rig.measures[self.thing]

    def take_pose(self) -> None:
        """Show the value of now."""
        super().take_pose()
        if self.is_there():
            pose = self.document.pose
            value = measure_value(pose.rig, pose, self.entry, self.document.geometry)
            self.value.setText(told(value, self.entry.unit))

    def _remove(self) -> None:
        name = self.entry.name
        self.document.edit(f"remove {name}", lambda rig: remove_measure(rig, self.thing))
