"""Setting any number that is a channel, by its key: each owner has its own way."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

from msgspec.structs import replace

from gremio.core.edit.constraints import change_constraint
from gremio.core.edit.controls import change_control, set_values
from gremio.core.edit.parts import change_part, set_repeat, set_shapes, set_stops
from gremio.core.edit.strands import change_strand
from gremio.core.edit.treads import change_tread
from gremio.core.problem import GremioError
from gremio.core.quantity import show_short
from gremio.core.rig.channels import split
from gremio.core.rig.constraints import targets_of
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import Rig, Stops, Target, Targeted
from gremio.core.rig.number import Number
from gremio.core.rig.numbers import COUNTS, SHOWN, full_label, number, owner_of, shown_unit
from gremio.core.shape.solids import check_dimensions


def set_numbers(rig: Rig, values: Mapping[ChannelKey, float]) -> Rig:
    """Set numbers (SI), by key: what a hand puts is put, all else is changed in its thing.

    Raises GremioError for a number that is not there, out of its range, or grounded.
    """
    put: dict[ChannelKey, float] = {}
    for channel, value in values.items():
        found = _must_have(rig, channel)
        if found.field:
            rig = set_number(rig, channel, value)
        else:
            put[channel] = value
    return set_values(rig, put)


def set_number(rig: Rig, channel: ChannelKey, value: float) -> Rig:
    """Set a number (SI), by key, in the data of its thing. Raises as `set_numbers` does."""
    found = _must_have(rig, channel)
    if not found.field:
        return set_values(rig, {channel: value})
    if math.isnan(value) or (found.whole and math.isinf(value)):
        raise GremioError(f"{full_label(rig, channel)} takes a plain number. Type one.")
    if found.whole and abs(value - round(value)) > 1e-9:
        name = full_label(rig, channel)
        raise GremioError(f"{name} takes whole numbers, and {value:g} is none. Type another.")
    if not found.low <= value <= found.high:
        raise GremioError(_out_of_range(rig, channel, found, value))
    thing, _ = split(channel)
    owner = owner_of(rig, thing)
    assert owner is not None
    return _SETTERS[owner.word](rig, thing, found.field, value)


def _must_have(rig: Rig, channel: ChannelKey) -> Number:
    found = number(rig, channel)
    if found is None:
        raise GremioError(f"The rig has no number {channel!r} that is free.")
    return found


def _out_of_range(rig: Rig, channel: ChannelKey, found: Number, value: float) -> str:
    unit = shown_unit(rig, channel)
    ends = [show_short(end, unit) for end in (found.low, found.high)]
    name, wrong = full_label(rig, channel), show_short(value, unit)
    if not math.isfinite(found.high):
        return f"{name} can't be {wrong}. It is {ends[0]} at least."
    return f"{name} can't be {wrong}. It goes from {ends[0]} to {ends[1]}."


def _set_of_part(rig: Rig, thing: ThingId, field: str, value: float) -> Rig:
    part_id = PartId(thing)
    part = rig.parts[part_id]
    if field == SHOWN:
        return change_part(rig, part_id, replace(part, shown=bool(value)))
    if field in ("count", "pitch", "shift"):
        assert part.repeat is not None
        one = round(value) if field == "count" else value
        return set_repeat(rig, part_id, replace(part.repeat, **{field: one}))
    if field.startswith("shape "):
        _, index, dimension = field.split(" ", 2)
        shapes = list(part.shapes)
        solid = shapes[int(index)].solid
        solid = replace(solid, **{dimension: round(value) if dimension in COUNTS else value})
        check_dimensions(solid)
        shapes[int(index)] = replace(shapes[int(index)], solid=solid)
        return set_shapes(rig, part_id, tuple(shapes))
    end, _, channel = field.partition(" stop ")
    stops = part.stops.get(channel, Stops())
    kept = value if math.isfinite(value) else None
    return set_stops(rig, part_id, channel, replace(stops, **{end: kept}))


def _set_of_control(rig: Rig, control_id: ThingId, field: str, value: float) -> Rig:
    changed = replace(rig.controls[control_id], **{field: value})
    return change_control(rig, control_id, changed)


def _set_of_constraint(rig: Rig, constraint_id: ThingId, field: str, value: float) -> Rig:
    constraint = rig.constraints[constraint_id]
    if not field.startswith("weight "):
        changed = replace(constraint, **{field: value})
        return change_constraint(rig, constraint_id, changed)
    assert isinstance(constraint, Targeted)
    targets: list[Target] = list(targets_of(constraint))
    index = int(field.split(" ")[1])
    targets[index] = replace(targets[index], weight=value)
    return change_constraint(rig, constraint_id, replace(constraint, targets=tuple(targets)))


def _set_of_strand(rig: Rig, strand_id: ThingId, field: str, value: float) -> Rig:
    changed = replace(rig.strands[strand_id], **{field: value})
    return change_strand(rig, strand_id, changed)


def _set_of_tread(rig: Rig, tread_id: ThingId, field: str, value: float) -> Rig:
    return change_tread(rig, tread_id, replace(rig.treads[tread_id], **{field: value}))


_SETTERS: dict[str, Callable[[Rig, ThingId, str, float], Rig]] = {
    "part": _set_of_part,
    "control": _set_of_control,
    "constraint": _set_of_constraint,
    "strand": _set_of_strand,
    "tread": _set_of_tread,
}
