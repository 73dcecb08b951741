"""Dimensions that something leads: the shapes of a part as they are in a pose."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from gremio.core.rig.channels import split
from gremio.core.rig.model import Part, Rig

Array = npt.NDArray[np.float64]


class Led(NamedTuple):
    """A dimension that something leads. part: id. shape: which of its shapes. name: of the
    dimension. row: of its channel."""

    part: str
    shape: int
    name: str
    row: int


def led_dimensions(
    rig: Rig, row: Mapping[str, int], parts: Iterable[str] | None = None
) -> tuple[Led, ...]:
    """The dimensions that are rows of a program; of some parts, by id, or of all."""
    wanted = None if parts is None else set(parts)
    found = []
    for channel, number in row.items():
        part, name = split(channel)
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


def _with_dimension(part: Part, led: Led, value: float) -> Part:
    shapes = list(part.shapes)
    solid = shapes[led.shape].solid
    present = getattr(solid, led.name)
    number: float = max(round(value), 1) if isinstance(present, int) else value
    if number == present:
        return part
    shapes[led.shape] = replace(shapes[led.shape], solid=replace(solid, **{led.name: number}))
    return replace(part, shapes=tuple(shapes))
