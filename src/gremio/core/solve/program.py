"""A rig made ready to run: flat arrays, in the order in which they can be computed."""

from __future__ import annotations

import math
from functools import cached_property

import numpy as np

from gremio.core.arrays import Array, Flags, Rows
from gremio.core.plan.arrangement import Arrangement
from gremio.core.plan.islands import Island
from gremio.core.plan.loops import Loop
from gremio.core.plan.trains import Train
from gremio.core.problem import Note
from gremio.core.rig.channels import split
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.model import Link, Rig
from gremio.core.rig.numbers import SHOWN, ends_something
from gremio.core.shape.geometry import GeometryOf
from gremio.core.shape.paths import comes_back, length
from gremio.core.solve.course import Piece, course_of
from gremio.core.solve.dimensions import Led, led_dimensions
from gremio.core.solve.drives import Drive, drives_of
from gremio.core.solve.limits import Limits, as_slice, limits_of
from gremio.core.solve.link_steps import levels_of
from gremio.core.solve.making import Making, Old
from gremio.core.solve.rows import Keys, Values
from gremio.core.solve.steps import (
    GROWING,
    BallRollStep,
    DriveStep,
    FormulaStep,
    Level,
    PathRollStep,
    RollStep,
)
from gremio.core.solve.tree import Tree


class Program(Tree, frozen=True):
    """Everything about a rig that does not change while it is posed. C channels; its parts
    are as in Tree.

    geometry: finds the surface of a solid, as it was handed in. keys: of the channels.
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
    keys: Keys
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

    @property
    def channel_keys(self) -> tuple[ChannelKey, ...]:
        """(C,) keys of the channels: controls first, then the parts' free channels, then the
        constraints' numbers, then those numbers of anything that a link leads or is led by."""
        return self.keys.keys

    @property
    def channel_row(self) -> dict[ChannelKey, int]:
        """From key to row."""
        return self.keys.row

    def __repr__(self) -> str:
        return f"<program of {self.rig!r}>"

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
            self.channel_keys[int(row)]
            for level in self.steps
            for step in level.adds
            if isinstance(step, GROWING)
            for row in step.followers
        )

    @cached_property
    def turning_under(self) -> tuple[Rows, Array]:
        """Rows of the channels that turn what rolling wheels ride on and roll over, or carry them
        round a path; and how much (rad) one of each counts, so that in half a turn together all of
        it could still be seen from frame to frame."""
        counts: dict[int, float] = {}
        for level in self.steps:
            for step in level.adds:
                if not isinstance(step, RollStep | BallRollStep | PathRollStep | DriveStep):
                    continue
                if isinstance(step, DriveStep):
                    counts[step.heading] = 1.0
                    continue
                round_it = 0.0
                if isinstance(step, PathRollStep) and comes_back(step.path):
                    round_it = 2 * math.pi / length(step.path)
                # The way of a ball is straight from frame to frame, not an arc.
                turned = 25.0 if isinstance(step, BallRollStep) else 1.0
                own = {int(row) for row in step.followers}
                for part in self._carrying(step.part) + self._carrying(step.on):
                    for channel, row in self.applied(part):
                        count = turned if channel.startswith("turn") else round_it
                        if row not in own and count > counts.get(row, 0.0):
                            counts[row] = count
        return np.array(list(counts), dtype=np.intp), np.array(list(counts.values()))

    def _carrying(self, part: PartId) -> list[PartId]:
        """A part and all that carries it; nothing for the ground."""
        row, found = self.part_row.get(part, -1), []
        while row >= 0:
            found.append(self.part_ids[row])
            row = int(self.parents[row])
        return found

    @cached_property
    def by_formula(self) -> tuple[ChannelKey, ...]:
        """Keys of the channels that formulas give."""
        steps = [step for level in self.steps for step in (*level.sets, *level.adds)]
        rows = [r for step in steps if isinstance(step, FormulaStep) for r in step.followers]
        return tuple(self.channel_keys[row] for row in dict.fromkeys(map(int, rows)))

    @cached_property
    def hidden_at_home(self) -> frozenset[PartId]:
        """Ids of the parts that are not shown where nothing leads that."""
        return frozenset(i for i, part in self.rig.parts.items() if not part.shown)

    @cached_property
    def shown_rows(self) -> dict[PartId, int]:
        """Of the parts for which it is led whether they are shown, that row; by id."""
        ends = ((split(channel), row) for channel, row in used_rows(self.keys).items())
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
    def course(self) -> tuple[Piece, ...]:
        """What is run, one after another."""
        return course_of(len(self.home), self.given_rows, self.first, self.steps)

    @cached_property
    def put_rows(self) -> tuple[int, ...]:
        """The rows of the inputs to which links only add, or that constraints change."""
        return tuple(
            int(row)
            for level in self.steps
            for step in (*level.adds, *level.constraints)
            for row in step.followers
            if self.inputs[row]
        )

    @cached_property
    def input_row(self) -> dict[ChannelKey, int]:
        """Rows of the channels that are given from without, by key."""
        inputs = self.inputs.tolist()
        return {channel: row for channel, row in self.channel_row.items() if inputs[row]}

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


def program_of(
    rig: Rig,
    geometry: GeometryOf,
    arrangement: Arrangement,
    keys: Keys,
    tree: Tree,
    led: dict[int, tuple[int, int]],
    values: Values,
    faults: tuple[Note, ...],
    before: Program | None = None,
    old: Old | None = None,
) -> Program:
    """A program of what is known of a rig. faults: those known before formulas are read. before:
    an older program, and old: its steps, of which what did not change is taken over."""
    home, low, high, soft = values
    notes: list[Note] = []
    ends_used = any(ends_something(channel) for channel in used_rows(keys))
    making = Making(rig, tree, keys.row, home, (low, high, soft), geometry, notes, ends_used)
    steps = levels_of(making, arrangement, old)
    inputs = np.ones(len(keys.keys), dtype=bool)
    for level in steps:
        inputs[level.written] = False
    led_by = before if before is not None and before.arrangement is arrangement else None
    return Program(
        rig=rig,
        geometry=geometry,
        **{name: getattr(tree, name) for name in Tree.__struct_fields__},
        keys=keys,
        home=home,
        low=low,
        high=high,
        soft=soft,
        inputs=inputs,
        first=limits_of(np.flatnonzero(inputs), low, high, soft),
        steps=steps,
        drives=drives_of(arrangement) if led_by is None else led_by.drives,
        trains=_trains(arrangement) if led_by is None else led_by.trains,
        loops=_loops(arrangement) if led_by is None else led_by.loops,
        led_ends=led,
        led_dimensions=led_dimensions(rig, used_rows(keys)),
        arrangement=arrangement,
        faults=(*faults, *notes),
    )


def _trains(arrangement: Arrangement) -> dict[ChannelKey, Train]:
    trains = [b.train for level in arrangement.levels for b in level if b.train is not None]
    return {c: train for train in trains for c in (*train.inputs, *train.shares)}


def _loops(arrangement: Arrangement) -> dict[ChannelKey, Loop]:
    loops = [b.loop for level in arrangement.levels for b in level if b.loop is not None]
    return {channel: loop for loop in loops for channel in loop.channels}


def used_rows(keys: Keys) -> dict[ChannelKey, int]:
    """The rows of the numbers in use that move nothing by themselves."""
    first = len(keys.keys) - keys.used
    return {channel: first + i for i, channel in enumerate(keys.keys[first:])}
