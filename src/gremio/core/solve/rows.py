"""The channels of a program: which there are, their rows, and where each is at home and stops."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array
from gremio.core.plan.carrying import part_levels
from gremio.core.plan.check import stops_are_sound
from gremio.core.problem import Note
from gremio.core.rig.channels import free_of, key, split
from gremio.core.rig.constraints import numbers, targets_of
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.links import members
from gremio.core.rig.model import AnyConstraint, Control, Part, Rig
from gremio.core.rig.number import Number
from gremio.core.rig.numbers import (
    MOST_COPIES,
    channels_of,
    control_ends,
    exists,
    home_value,
    number,
    stop_keys,
)
from gremio.core.shape.paths import comes_back, length

_FREE = (-np.inf, np.inf)


class Keys(NamedTuple):
    """depth: ids of parts by their depth below the ground. of_part: keys of the channels of each
    part. keys: of all channels, controls first, then the parts' free channels, then the
    constraints' numbers, then, `used` of them, those numbers of anything that a link leads or is
    led by. row: from key to row. notes: faults in the mounting."""

    depth: list[list[PartId]]
    of_part: dict[PartId, tuple[ChannelKey, ...]]
    keys: tuple[ChannelKey, ...]
    used: int
    row: dict[ChannelKey, int]
    notes: tuple[Note, ...]


class Values(NamedTuple):
    """home, low, high: (C,) SI, −inf and +inf where there is no stop. soft: (2, C) from how far
    before the low, and before the high stop a channel slows down."""

    home: Array
    low: Array
    high: Array
    soft: Array


def keys_of(rig: Rig) -> Keys:
    """The channels of a rig."""
    depth, notes = part_levels(rig)
    of_part = {part: own_keys(part, rig.parts[part]) for level in depth for part in level}
    return with_used(rig, depth, of_part, tuple(notes), None)


def own_keys(part_id: PartId, part: Part) -> tuple[ChannelKey, ...]:
    """Keys of the channels that move a part."""
    return tuple(key(part_id, channel) for channel in free_of(part))


def with_used(
    rig: Rig,
    depth: list[list[PartId]],
    of_part: dict[PartId, tuple[ChannelKey, ...]],
    notes: tuple[Note, ...],
    used: Sequence[ChannelKey] | None,
) -> Keys:
    """The channels of a rig, from those of its parts in computing order. used: the numbers in
    use, where they are known."""
    moving: list[ChannelKey] = [*rig.controls]
    for level in depth:
        for part in level:
            moving += of_part[part]
    moving += [c for constraint in rig.constraints for c in channels_of(rig, constraint)]
    more = in_use(rig, set(moving)) if used is None else used
    keys = (*moving, *more)
    row = {channel: i for i, channel in enumerate(keys)}
    return Keys(depth, of_part, keys, len(more), row, notes)


def in_use(rig: Rig, known: set[ChannelKey]) -> list[ChannelKey]:
    """Keys of the numbers that links lead, or are led by, besides those that move things."""
    found: dict[ChannelKey, None] = {}
    for link in rig.links.values():
        for channel in members(link):
            if channel not in known and channel not in found and exists(rig, channel):
                found[channel] = None
    return list(found)


def values_of(rig: Rig, keys: Keys, led: Mapping[int, tuple[int, int]]) -> Values:
    """Where the channels of a rig are at home, and stop. led: rows of the ends that something
    leads, which are held where they are known."""
    count = len(keys.keys)
    values = Values(
        np.zeros(count), np.full(count, -np.inf), np.full(count, np.inf), np.zeros((2, count))
    )
    put(rig, keys, values, range(count), led)
    return values


def put(
    rig: Rig,
    keys: Keys,
    values: Values,
    rows: Iterable[int],
    led: Mapping[int, tuple[int, int]],
) -> None:
    """Say anew of some rows where they are at home and stop, in place."""
    home, low, high, soft = values
    for row in rows:
        channel = keys.keys[row]
        home[row], low[row], high[row], near, far = _at(rig, channel)
        soft[:, row] = near, far
        if row in led:
            for end, bound, free in zip(led[row], (low, high), _FREE, strict=True):
                if end >= 0:
                    bound[row] = free


def _at(rig: Rig, channel: ChannelKey) -> tuple[float, float, float, float, float]:
    """Home, low, high, and how far before each stop a channel slows down; never at home, so that
    what rests on its stop at home is there."""
    owner, name = split(channel)
    part = rig.parts.get(PartId(owner))
    if part is not None and name in free_of(part):
        return _of_part(rig, part, channel, name)
    if not name and owner in rig.controls:
        control: Control = rig.controls[owner]
        return control.home, *control_ends(control), 0.0, 0.0
    home = home_value(rig, channel)
    constraint = rig.constraints.get(owner)
    if constraint is not None and name in (own := numbers(rig, constraint)):
        return home, *_range(rig, constraint, name, own[name]), 0.0, 0.0
    found = number(rig, channel)
    low, high = _FREE if found is None else (found.low, found.high)
    return home, low, high, 0.0, 0.0


def _of_part(
    rig: Rig, part: Part, channel: ChannelKey, name: str
) -> tuple[float, float, float, float, float]:
    stops = part.stops.get(name)
    home = home_value(rig, channel)
    if stops is not None and stops_are_sound(stops):
        low = -np.inf if stops.low is None else stops.low
        high = np.inf if stops.high is None else stops.high
        near, far = (min(stops.soft, max(way, 0.0)) for way in (home - low, high - home))
        return home, low, high, near, far
    low, high = (0.0, MOST_COPIES) if name == "count" else _FREE
    return home, low, high, 0.0, 0.0


def _range(rig: Rig, constraint: AnyConstraint, name: str, own: Number) -> tuple[float, float]:
    """Between what a number of a constraint can be; a way only where its path has ends."""
    targets = targets_of(constraint)
    path = rig.paths.get(targets[0].path) if targets else None
    if name in ("way", "share") and path is not None and not comes_back(path):
        return 0.0, 1.0 if name == "share" else length(path)
    return own.low, own.high


def led_ends(
    row: Mapping[ChannelKey, int], stops: Mapping[ChannelKey, Iterable[ChannelKey]]
) -> dict[int, tuple[int, int]]:
    """Rows of the ends that something leads, by the row of what they hold; −1 for none."""
    return {
        row[held]: (row[low] if low in ends else -1, row[high] if high in ends else -1)
        for held, ends in stops.items()
        for low, high in [stop_keys(held)]
    }
