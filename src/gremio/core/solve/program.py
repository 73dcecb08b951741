"""A rig made ready to run: flat arrays, in the order in which they can be computed."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt

from gremio.core.frames import matrices
from gremio.core.problem import Note
from gremio.core.rig.carrying import part_levels
from gremio.core.rig.channels import CHANNELS, channels_of, free_of, freed, home_value, key
from gremio.core.rig.check import own_faults, stops_are_sound
from gremio.core.rig.constraints import numbers
from gremio.core.rig.joints import APPLIED
from gremio.core.rig.loops import Loop
from gremio.core.rig.model import Constraint, Link, Rig
from gremio.core.rig.order import arrange
from gremio.core.rig.trains import Train
from gremio.core.shape.paths import comes_back, length
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.constraint_steps import GeometryOf
from gremio.core.solve.drives import Drive, drives_of
from gremio.core.solve.limits import Limits, as_slice, limits_of
from gremio.core.solve.link_steps import levels_of
from gremio.core.solve.steps import DriveStep, Level, RollStep

Array = npt.NDArray[np.float64]
# So many copies of a repeated part are shown at most.
MOST_COPIES = 2000.0
Rows = npt.NDArray[np.intp]


@dataclass(frozen=True)
class JointStep:
    """Every part that moves along, or turns about, one of its axes.

    channel: its name, "turn z". parts: (k,) part rows. rows: (k,) channel rows.
    """

    channel: str
    parts: Rows | slice
    rows: Rows | slice


@dataclass(frozen=True)
class Program:
    """Everything about a rig that does not change while it is posed. P parts, C channels.

    part_ids: (P,) in computing order: every part comes after its parent.
    part_row, channel_row: from id or key to row.
    channel_keys: (C,) controls first, then the parts' free channels, then the constraints'
    numbers.
    home, low, high: (C,) SI; −inf and +inf where there is no stop. soft: (2, C) from how far
    before the low, and before the high stop a channel slows down; never at home, so that what
    rests on its stop at home is there.
    inputs: (C,) True where nothing sets the channel, so that it stands where it is put.
    first: the stops of the inputs.
    steps: levels in computing order.
    parents: (P,) part row of the parent, −1 on the ground.
    levels: (start, stop) part rows of each depth below the ground.
    mounts: (4, 3, P, 1) the columns of each mount: three axes, then the origin.
    joint_steps: in the order in which a joint's channels are applied.
    drives: what leads each led channel. trains, loops: the train, or the closed linkage, of each
    channel that is in one.
    faults: why some of the rig was left out.
    """

    rig: Rig
    part_ids: tuple[str, ...]
    part_row: dict[str, int]
    channel_keys: tuple[str, ...]
    channel_row: dict[str, int]
    home: Array
    low: Array
    high: Array
    soft: Array
    inputs: npt.NDArray[np.bool_]
    first: Limits
    steps: tuple[Level, ...]
    parents: Rows
    levels: tuple[tuple[int, int], ...]
    mounts: Array
    joint_steps: tuple[JointStep, ...]
    drives: dict[str, Drive]
    trains: dict[str, Train]
    loops: dict[str, Loop]
    faults: tuple[Note, ...]

    def link(self, channel: str) -> Link | None:
        """The link that sets a channel (by key); None when a hand or a screw does."""
        drive = self.drives.get(channel)
        return self.rig.links.get(drive.links[0]) if drive else None

    def applied(self, part: str) -> list[tuple[str, int]]:
        """(channel name, channel row) of a part's free channels, in the order applied."""
        free = freed(self.rig.parts[part].joint)
        return [(c, self.channel_row[key(part, c)]) for c in APPLIED if c in free]

    @cached_property
    def growing(self) -> tuple[str, ...]:
        """Keys of the channels that grow by how far something goes, from frame to frame."""
        return tuple(
            self.channel_keys[step.follower]
            for level in self.steps
            for step in level.adds
            if isinstance(step, RollStep | DriveStep)
        )

    @cached_property
    def memo(self) -> dict[str, Any]:
        """What others have found out about the program and want to keep; it never changes, so
        neither does that."""
        return {}

    @cached_property
    def asked_range(self) -> tuple[Array, Array]:
        """(C,) low and high: what a channel can be asked for before it is held at a stop."""
        return self.low - self.soft[0], self.high + self.soft[1]

    @cached_property
    def leads_to(self) -> dict[str, list[str]]:
        """Keys of the channels that each channel leads directly."""
        found: dict[str, list[str]] = {}
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

    @cached_property
    def mount_rows(self) -> Array:
        """(P, 3, 4) the mounts as rows, one part after another in memory."""
        return np.ascontiguousarray(self.mounts[..., 0].transpose(2, 1, 0))

    @cached_property
    def joint_table(self) -> tuple[Rows, Rows, Rows]:
        """Every part's channels one after another: (P + 1,) where each part's begin, and the
        (J,) place of each channel among the nine, and its row."""
        counts = np.zeros(len(self.part_ids) + 1, dtype=np.intp)
        kinds: list[Rows] = []
        parts: list[Rows] = []
        rows: list[Rows] = []
        every = np.arange(max(len(self.part_ids), len(self.channel_keys)))
        for step in self.joint_steps:
            parts.append(every[step.parts])
            rows.append(every[step.rows])
            kinds.append(np.full(len(parts[-1]), CHANNELS.index(step.channel)))
        if not parts:
            nothing = np.zeros(0, dtype=np.intp)
            return counts, nothing, nothing
        part = np.concatenate(parts)
        order = np.argsort(part, kind="stable")
        np.add.at(counts, part + 1, 1)
        return np.cumsum(counts), np.concatenate(kinds)[order], np.concatenate(rows)[order]


def compile_rig(rig: Rig, geometry: GeometryOf = geometry_of) -> Program:
    """Make a rig ready to run. The same rig gives the same program, bit for bit.

    geometry: finds the surface of a solid, for what sits on it; boxes stand in for models.
    A rig with faults is compiled without what is at fault; `faults` says what that was.
    """
    depth, mount_notes = part_levels(rig)
    part_ids = tuple(part for level in depth for part in level)
    part_row = {part: row for row, part in enumerate(part_ids)}
    channel_keys = (
        *rig.controls,
        *(key(part, channel) for part in part_ids for channel in free_of(rig.parts[part])),
        *(channel for constraint in rig.constraints for channel in channels_of(rig, constraint)),
    )
    channel_row = {channel: row for row, channel in enumerate(channel_keys)}
    arrangement = arrange(rig)
    low, high, soft = _limits(rig, part_ids, channel_keys)
    home = np.array([home_value(rig, channel) for channel in channel_keys], dtype=float)
    steps, formula_notes = levels_of(
        rig, arrangement, part_row, channel_row, home, (low, high, soft), geometry
    )
    set_rows = [row for level in steps for row in level.written]
    inputs = np.ones(len(channel_keys), dtype=bool)
    inputs[set_rows] = False
    ends = np.cumsum([0] + [len(level) for level in depth])
    return Program(
        rig=rig,
        part_ids=part_ids,
        part_row=part_row,
        channel_keys=channel_keys,
        channel_row=channel_row,
        home=home,
        low=low,
        high=high,
        soft=soft,
        inputs=inputs,
        first=limits_of(np.flatnonzero(inputs), low, high, soft),
        steps=steps,
        parents=_parent_rows(rig, part_ids, part_row, depth),
        levels=tuple((int(a), int(b)) for a, b in itertools.pairwise(ends)),
        mounts=_mounts(rig, part_ids),
        joint_steps=_joint_steps(rig, part_ids, channel_row),
        drives=drives_of(arrangement),
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
        faults=(*own_faults(rig), *mount_notes, *arrangement.notes, *formula_notes),
    )


def _limits(
    rig: Rig, part_ids: Sequence[str], channel_keys: Sequence[str]
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
        for number in numbers(constraint):
            low[row], high[row] = _range(rig, constraint, number)
            row += 1
    return low, high, soft


def _range(rig: Rig, constraint: Constraint, number: str) -> tuple[float, float]:
    """Between what a number of a constraint can be; a way only where its path has ends."""
    if number == "influence":
        return 0.0, 1.0
    if number.startswith("weight") or number == "distance":
        return 0.0, np.inf
    path = rig.paths.get(constraint.targets[0].path) if constraint.targets else None
    if number in ("way", "share") and path is not None and not comes_back(path):
        return 0.0, 1.0 if number == "share" else length(path)
    return -np.inf, np.inf


def _parent_rows(
    rig: Rig, part_ids: Sequence[str], row: dict[str, int], levels: list[list[str]]
) -> Rows:
    ground = set(levels[0]) if levels else set()
    rows = [-1 if part in ground else row[rig.parts[part].parent or ""] for part in part_ids]
    return np.array(rows, dtype=np.intp)


def _mounts(rig: Rig, part_ids: Sequence[str]) -> Array:
    frames = matrices([rig.parts[part].mount for part in part_ids])
    return np.ascontiguousarray(frames[:, :3, :].transpose(2, 1, 0)[..., None])


def _joint_steps(
    rig: Rig, part_ids: Sequence[str], channel_row: dict[str, int]
) -> tuple[JointStep, ...]:
    found: dict[str, tuple[list[int], list[int]]] = {channel: ([], []) for channel in APPLIED}
    for row, part in enumerate(part_ids):
        for channel in freed(rig.parts[part].joint):
            parts, rows = found[channel]
            parts.append(row)
            rows.append(channel_row[key(part, channel)])
    return tuple(
        JointStep(channel, as_slice(parts), as_slice(rows))
        for channel, (parts, rows) in found.items()
        if parts
    )
