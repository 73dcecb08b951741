"""A rig made ready to run: flat arrays, in the order in which they can be computed."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, fields
from functools import cached_property

import numpy as np

from gremio.core.arrays import Array, Flags, Rows
from gremio.core.plan.arrangement import Arrangement
from gremio.core.plan.arranging import arrange
from gremio.core.plan.carrying import part_levels
from gremio.core.plan.check import own_faults, stops_are_sound
from gremio.core.plan.islands import Island
from gremio.core.plan.loops import Loop
from gremio.core.plan.trains import Train
from gremio.core.problem import Note
from gremio.core.rig.channels import free_of, key, split
from gremio.core.rig.constraints import numbers, targets_of
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.links import members
from gremio.core.rig.model import AnyConstraint, Link, Rig
from gremio.core.rig.number import Number
from gremio.core.rig.numbers import (
    MOST_COPIES,
    SHOWN,
    channels_of,
    exists,
    home_value,
    number,
    stop_keys,
)
from gremio.core.shape.geometry import GeometryOf
from gremio.core.shape.paths import comes_back, length
from gremio.core.solve.dimensions import Led, led_dimensions
from gremio.core.solve.drives import Drive, drives_of
from gremio.core.solve.limits import Limits, as_slice, limits_of
from gremio.core.solve.link_steps import levels_of
from gremio.core.solve.steps import DriveStep, Level, RollStep
from gremio.core.solve.tree import Tree, tree_of


@dataclass(frozen=True)
class Program(Tree):
    """Everything about a rig that does not change while it is posed. C channels; its parts
    are as in Tree.

    geometry: finds the surface of a solid, as it was handed in. channel_row: from key to row.
    channel_keys: (C,) controls first, then the parts' free channels, then the constraints'
    numbers, then those numbers of anything that a link leads or is led by.
    home, low, high: (C,) SI; −inf and +inf where there is no stop. soft: (2, C) from how far
    before the low, and before the high stop a channel slows down; never at home, so that what
    rests on its stop at home is there.
    inputs: (C,) True where nothing sets the channel, so that it stands where it is put.
    first: the stops of the inputs.
    steps: levels in computing order.
    drives: what leads each led channel. trains, loops: the train, or the closed linkage, of each
    channel that is in one.
    led_ends: rows of the low and the high end of a channel that something leads, −1 for one that
    stands still, by the channel's row. led_dimensions: those that something leads.
    arrangement: the order it is computed in. faults: why some of the rig was left out.
    """

    rig: Rig
    geometry: GeometryOf
    channel_keys: tuple[ChannelKey, ...]
    channel_row: dict[ChannelKey, int]
    home: Array
    low: Array
    high: Array
    soft: Array
    inputs: Flags
    first: Limits
    steps: tuple[Level, ...]
    drives: dict[ChannelKey, Drive]
    trains: dict[ChannelKey, Train]
    loops: dict[ChannelKey, Loop]
    led_ends: dict[int, tuple[int, int]]
    led_dimensions: tuple[Led, ...]
    arrangement: Arrangement
    faults: tuple[Note, ...]

    def link(self, channel: ChannelKey) -> Link | None:
        """The link that sets a channel (by key); None when a hand or a screw does."""
        drive = self.drives.get(channel)
        return self.rig.links.get(drive.links[0]) if drive else None

    @property
    def islands(self) -> tuple[Island, ...]:
        """What is computed together, apart from all else."""
        return self.arrangement.islands

    @cached_property
    def growing(self) -> tuple[ChannelKey, ...]:
        """Keys of the channels that grow by how far something goes, from frame to frame."""
        return tuple(
            self.channel_keys[step.follower]
            for level in self.steps
            for step in level.adds
            if isinstance(step, RollStep | DriveStep)
        )

    @cached_property
    def hidden_at_home(self) -> frozenset[PartId]:
        """Ids of the parts that are not shown where nothing leads that."""
        return frozenset(i for i, part in self.rig.parts.items() if not part.shown)

    @cached_property
    def shown_rows(self) -> dict[PartId, int]:
        """Of the parts for which it is led whether they are shown, that row; by id."""
        ends = ((split(channel), row) for channel, row in self.channel_row.items())
        return {PartId(part): row for (part, name), row in ends if name == SHOWN}

    @cached_property
    def asked_range(self) -> tuple[Array, Array]:
        """(C,) low and high: what a channel can be asked for before it is held at a stop."""
        return self.low - self.soft[0], self.high + self.soft[1]

    @cached_property
    def leads_to(self) -> dict[ChannelKey, list[ChannelKey]]:
        """Keys of the channels that each channel leads directly."""
        found: dict[ChannelKey, list[ChannelKey]] = {}
        for channel, drive in self.drives.items():
            for lead in drive.leads:
                found.setdefault(lead, []).append(channel)
        return found

    @cached_property
    def given_rows(self) -> Rows | slice:
        """The rows that no step writes: the inputs, and what a faulty formula should lead."""
        given = np.ones(len(self.channel_keys), dtype=bool)
        for level in self.steps:
            for step in (*level.trains, *level.sets):
                given[step.followers] = False
            for batch in level.loops:
                given[batch.rows[:, batch.found]] = False
        rows = np.flatnonzero(given)
        return as_slice(rows) if len(rows) else rows


def compile_rig(rig: Rig, geometry: GeometryOf) -> Program:
    """Make a rig ready to run. The same rig gives the same program, bit for bit.

    geometry: finds the surface of a solid, for what sits on it, or is measured.
    A rig with faults is compiled without what is at fault; `faults` says what that was.
    """
    depth, mount_notes = part_levels(rig)
    part_ids = tuple(part for level in depth for part in level)
    channel_keys = (
        *rig.controls,
        *(key(part, channel) for part in part_ids for channel in free_of(rig.parts[part])),
        *(channel for constraint in rig.constraints for channel in channels_of(rig, constraint)),
    )
    channel_keys = (*channel_keys, *_in_use(rig, set(channel_keys)))
    channel_row = {channel: row for row, channel in enumerate(channel_keys)}
    tree = tree_of(rig, depth, channel_row)
    arrangement = arrange(rig)
    drives = drives_of(arrangement)
    led_ends = _led_ends(channel_row, arrangement.stops)
    low, high, soft = _limits(rig, part_ids, channel_keys, led_ends)
    home = np.array([home_value(rig, channel) for channel in channel_keys], dtype=float)
    steps, formula_notes = levels_of(
        rig, arrangement, tree, channel_row, home, (low, high, soft), geometry
    )
    set_rows = [row for level in steps for row in level.written]
    inputs = np.ones(len(channel_keys), dtype=bool)
    inputs[set_rows] = False
    return Program(
        rig=rig,
        geometry=geometry,
        **{field.name: getattr(tree, field.name) for field in fields(Tree)},
        channel_keys=channel_keys,
        channel_row=channel_row,
        home=home,
        low=low,
        high=high,
        soft=soft,
        inputs=inputs,
        first=limits_of(np.flatnonzero(inputs), low, high, soft),
        steps=steps,
        drives=drives,
        trains={
            channel: block.train
            for level in arrangement.levels
            for block in level
            if block.train is not None
            for channel in (*block.train.inputs, *block.train.shares)
        },
        loops={
            channel: block.loop
            for level in arrangement.levels
            for block in level
            if block.loop is not None
            for channel in block.loop.channels
        },
        led_ends=led_ends,
        led_dimensions=led_dimensions(rig, channel_row),
        arrangement=arrangement,
        faults=(*own_faults(rig), *mount_notes, *arrangement.notes, *formula_notes),
    )


def _limits(
    rig: Rig,
    part_ids: Sequence[PartId],
    channel_keys: Sequence[ChannelKey],
    led_ends: Mapping[int, tuple[int, int]],
) -> tuple[Array, Array, Array]:
    low = np.full(len(channel_keys), -np.inf)
    high = np.full(len(channel_keys), np.inf)
    soft = np.zeros((2, len(channel_keys)))
    row = 0
    for control in rig.controls.values():
        low[row], high[row] = control.low, max(control.low, control.high)
        row += 1
    for part in part_ids:
        entry = rig.parts[part]
        for channel in free_of(entry):
            stops = entry.stops.get(channel)
            if stops is not None and stops_are_sound(stops):
                low[row] = -np.inf if stops.low is None else stops.low
                high[row] = np.inf if stops.high is None else stops.high
                home = home_value(rig, channel_keys[row])
                ends = home - low[row], high[row] - home
                soft[:, row] = [min(stops.soft, max(far, 0.0)) for far in ends]
            elif channel == "count":
                low[row], high[row] = 0.0, MOST_COPIES
            row += 1
    for constraint in rig.constraints.values():
        for name, own in numbers(rig, constraint).items():
            low[row], high[row] = _range(rig, constraint, name, own)
            row += 1
    for channel in channel_keys[row:]:
        found = number(rig, channel)
        if found is not None:
            low[row], high[row] = found.low, found.high
        row += 1
    # Ends that something leads are held where they are known.
    for held, led in led_ends.items():
        for end, bound, free in zip(led, (low, high), (-np.inf, np.inf), strict=True):
            if end >= 0:
                bound[held] = free
    return low, high, soft


def _in_use(rig: Rig, known: set[ChannelKey]) -> list[ChannelKey]:
    """Keys of the numbers that links lead, or are led by, besides those that move things."""
    found: dict[ChannelKey, None] = {}
    for link in rig.links.values():
        for channel in members(link):
            if channel not in known and channel not in found and exists(rig, channel):
                found[channel] = None
    return list(found)


def _led_ends(
    row: Mapping[ChannelKey, int], stops: Mapping[ChannelKey, Iterable[ChannelKey]]
) -> dict[int, tuple[int, int]]:
    """Rows of the ends that something leads, by the row of what they hold; −1 for none."""
    return {
        row[held]: (row[low] if low in ends else -1, row[high] if high in ends else -1)
        for held, ends in stops.items()
        for low, high in [stop_keys(held)]
    }


def _range(rig: Rig, constraint: AnyConstraint, name: str, own: Number) -> tuple[float, float]:
    """Between what a number of a constraint can be; a way only where its path has ends."""
    targets = targets_of(constraint)
    path = rig.paths.get(targets[0].path) if targets else None
    if name in ("way", "share") and path is not None and not comes_back(path):
        return 0.0, 1.0 if name == "share" else length(path)
    return own.low, own.high
