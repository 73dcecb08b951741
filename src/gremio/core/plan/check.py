"""What a rig says that can't be so: found when it is opened, and before each edit."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable

from gremio.core.plan.arranging import arrange
from gremio.core.plan.carrying import part_levels
from gremio.core.plan.touched import Touched
from gremio.core.problem import Note
from gremio.core.quantity import UNITS, show_short
from gremio.core.rig.channels import channel_unit, freed
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Control, Measure, Part, Rig, Stops
from gremio.core.rig.solids import Mesh


def faults(rig: Rig) -> list[Note]:
    """Everything that keeps the rig from being what it says, in a steady order."""
    return [*own_faults(rig), *part_levels(rig)[1], *arrange(rig).notes]


def own_faults(rig: Rig) -> list[Note]:
    """What is wrong with names, stops, ranges and sources, each looked at by itself."""
    return [*_names(rig), *_of(rig, rig.parts, rig.controls, rig.measures)]


def has_faults(rig: Rig, change: Touched) -> bool:
    """Whether an edit gave a rig, that had nothing wrong in itself, something that is."""
    things: list[Part | Control] = [*rig.parts.values(), *rig.controls.values()]
    names = [thing.name for thing in things]
    if len(set(names)) < len(names) or "" in names:
        return True
    # A measure is of parts that may have gone.
    measures = rig.measures if change.parts else change.things["measures"]
    return bool(_of(rig, change.parts, change.things["controls"], measures))


def _of(
    rig: Rig, parts: Iterable[PartId], controls: Iterable[ThingId], measures: Iterable[ThingId]
) -> list[Note]:
    """What is wrong with some things of a rig, by id, of those that are there."""
    notes = []
    for part in (rig.parts[i] for i in parts if i in rig.parts):
        notes += _stops(part)
        notes += _sources(rig, part)
    for control in (rig.controls[i] for i in controls if i in rig.controls):
        notes += _range(control)
    for measure in (rig.measures[i] for i in measures if i in rig.measures):
        notes += _measure(rig, measure)
    return notes


def stops_are_sound(stops: Stops) -> bool:
    """Whether the low stop is not above the high one and both are numbers."""
    low = -math.inf if stops.low is None else stops.low
    high = math.inf if stops.high is None else stops.high
    return low <= high


def _names(rig: Rig) -> list[Note]:
    things: list[Part | Control] = [*rig.parts.values(), *rig.controls.values()]
    counts = Counter(thing.name for thing in things)
    notes = [
        Note("name-twice", name, f"{count} things are called {name!r}. Rename all but one.")
        for name, count in counts.items()
        if count > 1
    ]
    if counts.get(""):
        notes.append(Note("name-empty", "", "A part or control has no name. Give it one."))
    return notes


def _stops(part: Part) -> list[Note]:
    notes = []
    for channel, stops in part.stops.items():
        if channel in freed(part.joint) and not stops_are_sound(stops):
            unit = channel_unit(channel)
            low, high = show_short(stops.low or 0.0, unit), show_short(stops.high or 0.0, unit)
            text = (
                f"The low stop of {part.name} ({low}) is above its high stop ({high}), "
                f"so {channel} runs without stops. Set one of them anew on its Card."
            )
            notes.append(Note("stops-crossed", part.name, text))
    return notes


def _sources(rig: Rig, part: Part) -> list[Note]:
    for shape in part.shapes:
        if isinstance(shape.solid, Mesh) and shape.solid.source not in rig.sources:
            text = f"The shape of {part.name} comes from a model that the rig does not list."
            return [Note("source-lost", part.name, text + " Bring the model in again.")]
    return []


def _measure(rig: Rig, measure: Measure) -> list[Note]:
    wanted = 2 if measure.kind in ("distance", "angle") else 1
    if len(measure.ends) == wanted and all(end.part in rig.parts for end in measure.ends):
        return []
    text = f"{measure.name} measures something that is not in the rig. Remove it, and measure anew."
    return [Note("measure-lost", measure.name, text)]


def _range(control: Control) -> list[Note]:
    if control.unit not in UNITS or UNITS[control.unit].kind != control.kind:
        text = (
            f"{control.name} is shown in {control.unit!r}, which is no unit for its kind, "
            f"{control.kind}. Choose another unit on its Card."
        )
        return [Note("unit-wrong", control.name, text)]
    if not control.low < control.high:
        text = (
            f"{control.name} has an empty range, from {show_short(control.low, control.unit)} "
            f"to {show_short(control.high, control.unit)}. Make its high end the greater."
        )
        return [Note("range-empty", control.name, text)]
    return []
