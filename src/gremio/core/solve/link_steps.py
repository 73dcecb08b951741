"""From the links of a rig to the steps that compute them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np

from gremio.core.arrays import Array, Rows
from gremio.core.mechanics.profile_bank import bank_of
from gremio.core.mechanics.profiles import Profile, profile_of, straight
from gremio.core.plan.arrangement import Arrangement
from gremio.core.plan.blocks import Block
from gremio.core.plan.trains import Train
from gremio.core.problem import Note
from gremio.core.rig.channels import split
from gremio.core.rig.ids import GROUND, ChannelKey, PartId
from gremio.core.rig.links import adds, followers, link_kind
from gremio.core.rig.model import Cam, LinkKind, Rig
from gremio.core.rig.numbers import home_value, stop_keys
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.constraint_steps import ConstraintBatch, constraint_batches
from gremio.core.solve.formula_steps import formula_steps
from gremio.core.solve.limits import limits_of
from gremio.core.solve.loop_steps import batches, loop_step
from gremio.core.solve.reach_steps import ReachStep, reach_step
from gremio.core.solve.steps import (
    CamsStep,
    DriveStep,
    FreedomsStep,
    HoldStep,
    LedEnds,
    Level,
    OneWayStep,
    PathRollStep,
    RollStep,
    TrainStep,
    ValueStep,
)
from gremio.core.solve.tree import Tree

Stops = tuple[Array, Array, Array]


class Making(NamedTuple):
    """What is at hand while steps are made. row: from channel key to row. tree: of the parts.
    home: (C,). stops: low, high and soft, (C,) each. geometry: finds the surface of a solid.
    notes: filled with what is wrong."""

    rig: Rig
    tree: Tree
    row: dict[ChannelKey, int]
    home: Array
    stops: Stops
    geometry: GeometryOf
    notes: list[Note]


def levels_of(
    rig: Rig,
    arrangement: Arrangement,
    tree: Tree,
    row: dict[ChannelKey, int],
    home: Array,
    stops: Stops,
    geometry: GeometryOf,
) -> tuple[tuple[Level, ...], list[Note]]:
    """The steps of a rig, level by level, and what is wrong with its formulas.

    row: from channel key to row. home: (C,). stops: low, high and soft, (C,) each. geometry:
    finds the surface of a solid, for what sits on it, or is measured.
    """
    making = Making(rig, tree, row, home, stops, geometry, [])
    levels = tuple(_level(making, blocks) for blocks in arrangement.levels)
    return levels, making.notes


def _level(making: Making, blocks: tuple[Block, ...]) -> Level:
    row, stops = making.row, making.stops
    trains = [block.train for block in blocks if block.train is not None]
    loops = [block.loop for block in blocks if block.loop is not None]
    steps = _value_steps(making, blocks)
    given = [row[c] for block in blocks if not block.holds for c in block.writes]
    return Level(
        tuple(_train_steps(trains, row, making.home, stops)),
        tuple(step for step in steps if not step.adds),
        tuple(step for step in steps if step.adds),
        limits_of(given, *stops),
        _written(making.rig, blocks, row),
        batches([loop_step(making.rig, loop, row, making.home, *stops[:2]) for loop in loops]),
        _constraint_steps(making, blocks),
        _holds(making, [block.holds for block in blocks if block.holds]),
    )


def _holds(making: Making, channels: list[ChannelKey]) -> HoldStep | None:
    """What holds channels within stops that something leads."""
    if not channels:
        return None
    row, soft = making.row, making.stops[2]
    rows = np.array([row[channel] for channel in channels], dtype=np.intp)
    ends = [[row.get(end, -1) for end in stop_keys(c)] for c in channels]
    led = np.array(ends, dtype=np.intp)
    own = np.array([[home_value(making.rig, end) for end in stop_keys(c)] for c in channels])
    return HoldStep(rows, own[:, :1], own[:, 1:], led[:, 0], led[:, 1], soft[:, rows][:, :, None])


def _constraint_steps(
    making: Making, blocks: tuple[Block, ...]
) -> tuple[ConstraintBatch | ReachStep, ...]:
    rig, row, limits = making.rig, making.row, making.stops[:2]
    reads = {
        block.constraint: np.array(
            [row[c] for c in (*block.reads, *block.writes) if c in row], dtype=np.intp
        )
        for block in blocks
        if block.constraint
    }
    chains = [i for i in reads if rig.constraints[i].kind == "reach"]
    others = [i for i in reads if i not in chains]
    made = constraint_batches(rig, others, making.tree, row, limits, making.geometry, reads)
    return (*made, *(reach_step(rig, i, row, limits, reads[i]) for i in chains))


def _written(rig: Rig, blocks: tuple[Block, ...], row: dict[ChannelKey, int]) -> Rows:
    """Rows of the channels that are set: what is only added to, changed by a constraint, or held
    within stops, stands where it is put."""
    return np.array(
        [
            row[channel]
            for block in blocks
            if not block.constraint and not block.holds
            if block.train is not None
            or block.loop is not None
            or not adds(rig.links[block.links[0]])
            for channel in block.writes
        ],
        dtype=np.intp,
    )


def _value_steps(making: Making, blocks: tuple[Block, ...]) -> list[ValueStep]:
    """The steps of one-way links, those of one kind made together."""
    rig = making.rig
    of_kind: dict[LinkKind, list[tuple[Any, ChannelKey]]] = {}
    for block in blocks:
        if block.train is not None or block.loop is not None or block.constraint or block.holds:
            continue
        for link_id in block.links:
            link = rig.links[link_id]
            of_kind.setdefault(link_kind(link), []).append((link, block.writes[0]))
    return [
        step for kind in STEPS if kind in of_kind for step in STEPS[kind](making, of_kind[kind])
    ]


def _roll_steps(making: Making, links: list[tuple[Any, ChannelKey]]) -> list[ValueStep]:
    steps: list[ValueStep] = []
    for link, channel in links:
        owner, name = split(channel)
        part, row = PartId(owner), making.row[channel]
        if link.path:
            path = making.rig.paths[link.path]
            steps.append(PathRollStep(part, name, row, link.radius, path, path.on or GROUND))
        else:
            steps.append(RollStep(part, name, row, link.radius))
    return steps


def _drive_steps(making: Making, links: list[tuple[Any, ChannelKey]]) -> list[ValueStep]:
    row = making.row
    steps: list[ValueStep] = []
    for link, channel in links:
        rows = [row[c] for c in followers(link)]
        steering = row[link.steering] if link.steering else -1
        which = rows.index(row[channel])
        made = (row[link.travel], steering, rows[2], which, row[channel])
        steps.append(DriveStep(*made, link.wheelbase, link.axle))
    return steps


def _one_way_steps(making: Making, links: list[tuple[Any, ChannelKey]]) -> list[ValueStep]:
    row = making.row
    return [
        OneWayStep(np.array([row[link.lead]]), np.array([row[channel]]),
                   np.array([[link.ratio]]), np.array([[link.offset]]), link.adds)
        for link, channel in links
    ]  # fmt: skip


def _cam_steps(making: Making, cams: list[tuple[Any, ChannelKey]]) -> list[ValueStep]:
    steps: list[ValueStep] = []
    for adding in (False, True):
        together = [(cam, channel) for cam, channel in cams if cam.adds == adding]
        # Two cams that add to one channel add one after the other.
        while together:
            once = dict(reversed([(channel, cam) for cam, channel in together]))
            steps.append(_cams_step([(once[c], c) for c in once], making.row, adding))
            together = [(cam, c) for cam, c in together if once[c] is not cam]
    return steps


def _formula_steps(making: Making, links: list[tuple[Any, ChannelKey]]) -> list[ValueStep]:
    formulas = [link for link, _ in links]
    steps, notes = formula_steps(making.rig, formulas, making.row, making.geometry)
    making.notes.extend(notes)
    return list(steps)


def _no_steps(making: Making, links: list[tuple[Any, ChannelKey]]) -> list[ValueStep]:
    del making, links
    return []


# What steps are made of the one-way links of each kind, many at a time. A planetary set is
# always in a train.
STEPS: dict[LinkKind, Callable[[Making, list[tuple[Any, ChannelKey]]], list[ValueStep]]] = {
    "rolling": _roll_steps,
    "driving": _drive_steps,
    "ratio": _one_way_steps,
    "planetary": _no_steps,
    "cam": _cam_steps,
    "formula": _formula_steps,
}


def _cams_step(
    cams: list[tuple[Cam, ChannelKey]], row: dict[ChannelKey, int], adding: bool
) -> CamsStep:
    return CamsStep(
        np.array([row[cam.lead] for cam, _ in cams], dtype=np.intp),
        np.array([row[channel] for _, channel in cams], dtype=np.intp),
        bank_of([cam_profile(cam, channel) for cam, channel in cams]),
        adding,
    )


def cam_profile(cam: Cam, channel: ChannelKey) -> Profile:
    """The profile of one follower of a cam, through the stations that speak of it."""
    told = [station for station in cam.stations if channel in station.values]
    usual = next(f.profile for f in cam.followers if f.channel == channel)
    x = [station.lead for station in told]
    y = [station.values[channel] for station in told]
    if len(told) < 2:
        # Nothing to go between: it stands where its one station has it.
        start, height = (x[0], y[0]) if told else (0.0, 0.0)
        return straight([start, start + 1.0], [height, height])
    kinds = [station.spans.get(channel, usual) for station in told[:-1]]
    slopes = [station.slopes.get(channel, np.nan) for station in told]
    return profile_of(x, y, kinds, slopes, cam.before, cam.after)


def _train_steps(
    trains: list[Train], row: dict[ChannelKey, int], home: Array, stops: Stops
) -> list[TrainStep | FreedomsStep]:
    single = [train for train in trains if len(train.inputs) == 1]
    others = [train for train in trains if len(train.inputs) != 1 and train.shares]
    steps: list[TrainStep | FreedomsStep] = []
    if single:
        steps.append(_single(single, row, stops))
    return steps + [_several(train, row, home, stops) for train in others]


def _single(trains: list[Train], row: dict[ChannelKey, int], stops: Stops) -> TrainStep:
    inputs = np.array([row[train.inputs[0]] for train in trains], dtype=np.intp)
    counts = [len(train.shares) for train in trains]
    of_train = np.repeat(np.arange(len(trains)), counts)
    followers = np.array([row[c] for train in trains for c in train.shares], dtype=np.intp)
    ratio = np.array(
        [
            share.factors.get(train.inputs[0], 0.0)
            for train in trains
            for share in train.shares.values()
        ]
    )
    offset = np.array([s.constant for train in trains for s in train.shares.values()])
    low, high, _ = stops
    with np.errstate(divide="ignore", invalid="ignore"):
        ends = np.stack([(low[followers] - offset) / ratio, (high[followers] - offset) / ratio])
    ends = np.where(ratio == 0.0, np.array([[-np.inf], [np.inf]]), np.sort(ends, axis=0))
    lowest, highest = np.full(len(trains), -np.inf), np.full(len(trains), np.inf)
    np.maximum.at(lowest, of_train, ends[0])
    np.minimum.at(highest, of_train, ends[1])
    # Stops that leave a train no place at all hold each member by itself.
    sound = lowest <= highest
    lowest, highest = np.where(sound, lowest, -np.inf), np.where(sound, highest, np.inf)
    return TrainStep(
        inputs=inputs,
        low=lowest[:, None],
        high=highest[:, None],
        held=np.array([" " in train.inputs[0] for train in trains]),
        train=of_train,
        followers=followers,
        ratio=ratio[:, None],
        offset=offset[:, None],
        stopped=bool(np.isfinite(lowest).any() or np.isfinite(highest).any()),
        led=_led_ends([c for train in trains for c in train.shares], row),
    )


def _led_ends(channels: list[ChannelKey], row: dict[ChannelKey, int]) -> LedEnds | None:
    """The stops of a train's followers that something leads."""
    found = [
        (place, row[end], end == stop_keys(channel)[0])
        for place, channel in enumerate(channels)
        for end in stop_keys(channel)
        if end in row
    ]
    if not found:
        return None
    places, rows, low = zip(*found, strict=True)
    return LedEnds(np.array(places, dtype=np.intp), np.array(rows, dtype=np.intp), np.array(low))


def _several(train: Train, row: dict[ChannelKey, int], home: Array, stops: Stops) -> FreedomsStep:
    inputs = np.array([row[c] for c in train.inputs], dtype=np.intp)
    followers = np.array([row[c] for c in train.shares], dtype=np.intp)
    shares = np.array(
        [[s.factors.get(c, 0.0) for c in train.inputs] for s in train.shares.values()]
    ).reshape(len(followers), len(inputs))
    constant = np.array([[share.constant] for share in train.shares.values()])
    low, high = stops[0][followers, None], stops[1][followers, None]
    start = shares @ home[inputs, None] + constant
    sound = (start >= low) & (start <= high)
    return FreedomsStep(
        inputs,
        followers,
        shares,
        constant,
        home[inputs, None],
        np.where(sound, low, -np.inf),
        np.where(sound, high, np.inf),
        np.array([" " in channel for channel in train.inputs], dtype=bool),
        _led_ends(list(train.shares), row),
    )
