"""Dimensions and ends that something leads: a rig's data as they are in a pose."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.rig.channels import split
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.model import Part, Rig, Stops
from gremio.core.rig.numbers import COUNTS, counted


class Led(NamedTuple):
    """A dimension that something leads. part: id. shape: which of its shapes. name: of the
    dimension. row: of its channel."""

    part: PartId
    shape: int
    name: str
    row: int


def led_dimensions(
    rig: Rig, row: Mapping[ChannelKey, int], parts: Iterable[PartId] | None = None
) -> tuple[Led, ...]:
    """The dimensions that are rows of a program; of some parts, by id, or of all."""
    wanted = None if parts is None else set(parts)
    found = []
    for channel, number in row.items():
        owner, name = split(channel)
        part = PartId(owner)
        if not name.startswith("shape ") or part not in rig.parts:
            continue
        if wanted is None or part in wanted:
            _, index, dimension = name.split(" ", 2)
            found.append(Led(part, int(index), dimension, number))
    return tuple(found)


def with_dimensions(rig: Rig, led: Iterable[Led], channels: Array) -> Rig:
    """The rig with its led dimensions as they are in one frame. channels: (C,)."""
    parts = dict(rig.parts)
    for one in led:
        parts[one.part] = _with_dimension(parts[one.part], one, float(channels[one.row]))
    return replace(rig, parts=parts)


def with_ends(
    rig: Rig, keys: Sequence[ChannelKey], led: Mapping[int, tuple[int, int]], channels: Array
) -> Rig:
    """The rig with its led stops, and led ends of controls, as they are in one frame. keys: of
    the channels, by row. led: rows of the low and the high end by the row that they hold, −1 for
    one that stands still. channels: (C,). Ends that cross meet at the high one."""
    parts, controls = dict(rig.parts), dict(rig.controls)
    for held, rows in led.items():
        thing, name = split(keys[held])
        ends = {
            end: float(channels[row])
            for end, row in zip(("low", "high"), rows, strict=True)
            if row >= 0
        }
        if thing in controls:
            control = replace(controls[thing], **ends)
            controls[thing] = replace(control, low=min(control.low, control.high))
        else:
            part = PartId(thing)
            stops = replace(parts[part].stops.get(name, Stops()), **ends)
            if stops.low is not None and stops.high is not None:
                stops = replace(stops, low=min(stops.low, stops.high))
            parts[part] = replace(parts[part], stops={**parts[part].stops, name: stops})
    return replace(rig, parts=parts, controls=controls)


def _with_dimension(part: Part, led: Led, value: float) -> Part:
    shapes = list(part.shapes)
    solid = shapes[led.shape].solid
    present = getattr(solid, led.name)
    number: float = max(int(counted(value)), 1) if led.name in COUNTS else value
    if number == present:
        return part
    shapes[led.shape] = replace(shapes[led.shape], solid=replace(solid, **{led.name: number}))
    return replace(part, shapes=tuple(shapes))
