"""From the links of a rig to the steps that compute them."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from gremio.core.mechanics.profile_bank import bank_of
from gremio.core.mechanics.profiles import Profile, profile_of, straight
from gremio.core.problem import Note
from gremio.core.rig.blocks import Block
from gremio.core.rig.channels import adds, followers, split
from gremio.core.rig.model import Cam, Driving, Formula, Link, Planetary, Ratio, Rig, Rolling
from gremio.core.rig.order import Arrangement
from gremio.core.rig.trains import Train
from gremio.core.solve.constraint_steps import ConstraintBatch, GeometryOf, constraint_batches
from gremio.core.solve.formula_steps import formula_steps
from gremio.core.solve.limits import limits_of
from gremio.core.solve.loop_steps import batches, loop_step
from gremio.core.solve.reach_steps import ReachStep, reach_step
from gremio.core.solve.steps import (
    CamsStep,
    DriveStep,
    FreedomsStep,
    Level,
    OneWayStep,
    PathRollStep,
    RollStep,
    TrainStep,
    ValueStep,
)

Array = npt.NDArray[np.float64]
Stops = tuple[Array, Array, Array]


def levels_of(
    rig: Rig,
    arrangement: Arrangement,
    part_row: dict[str, int],
    row: dict[str, int],
    home: Array,
    stops: Stops,
    geometry: GeometryOf,
) -> tuple[tuple[Level, ...], list[Note]]:
    """The steps of a rig, level by level, and what is wrong with its formulas.

    part_row, row: from part id, and channel key, to row. home: (C,). stops: low, high and soft,
    (C,) each. geometry: finds the surface of a solid, for what sits on it.
    """
    levels: list[Level] = []
    notes: list[Note] = []
    for blocks in arrangement.levels:
        trains = [block.train for block in blocks if block.train is not None]
        one_way = [
            (link_id, rig.links[link_id], block.writes[0])
            for block in blocks
            if block.train is None and block.loop is None and not block.constraint
            for link_id in block.links
        ]
        loops = [block.loop for block in blocks if block.loop is not None]
        steps, faults = _value_steps(rig, one_way, row)
        notes += faults
        written = _written(rig, blocks, row)
        given = [row[channel] for block in blocks for channel in block.writes]
        levels.append(
            Level(
                tuple(_train_steps(trains, row, home, stops)),
                tuple(step for step in steps if not step.adds),
                tuple(step for step in steps if step.adds),
                limits_of(given, *stops),
                written,
                batches([loop_step(rig, loop, row, home, *stops[:2]) for loop in loops]),
                _constraint_steps(rig, blocks, part_row, row, stops, geometry),
            )
        )
    return tuple(levels), notes


def _constraint_steps(
    rig: Rig,
    blocks: tuple[Block, ...],
    part_row: dict[str, int],
    row: dict[str, int],
    stops: Stops,
    geometry: GeometryOf,
) -> tuple[ConstraintBatch | ReachStep, ...]:
    reads = {
        block.constraint: np.array([row[c] for c in (*block.reads, *block.writes)], dtype=np.intp)
        for block in blocks
        if block.constraint
    }
    chains = [i for i in reads if rig.constraints[i].kind == "reach"]
    others = [i for i in reads if i not in chains]
    made = constraint_batches(rig, others, part_row, row, stops[:2], geometry, reads)
    return (*made, *(reach_step(rig, i, row, stops[:2], reads[i]) for i in chains))


def _written(rig: Rig, blocks: tuple[Block, ...], row: dict[str, int]) -> npt.NDArray[np.intp]:
    """Rows of the channels that are set: what is only added to, or changed by a constraint,
    stands where it is put."""
    return np.array(
        [
            row[channel]
            for block in blocks
            if not block.constraint
            if block.train is not None
            or block.loop is not None
            or not adds(rig.links[block.links[0]])
            for channel in block.writes
        ],
        dtype=np.intp,
    )


def _value_steps(
    rig: Rig, links: list[tuple[str, Link, str]], row: dict[str, int]
) -> tuple[list[ValueStep], list[Note]]:
    steps: list[ValueStep] = []
    formulas: list[Formula] = []
    cams: list[tuple[Cam, str]] = []
    for _, link, channel in links:
        match link:
            case Cam():
                cams.append((link, channel))
            case Formula():
                formulas.append(link)
            case Rolling():
                part, name = split(channel)
                if link.path:
                    path = rig.paths[link.path]
                    steps.append(
                        PathRollStep(part, name, row[channel], link.radius, path, path.on or "")
                    )
                else:
                    steps.append(RollStep(part, name, row[channel], link.radius))
            case Driving():
                rows = [row[c] for c in followers(link)]
                steps.append(
                    DriveStep(
                        row[link.travel],
                        row[link.steering] if link.steering else -1,
                        rows[2],
                        rows.index(row[channel]),
                        row[channel],
                        link.wheelbase,
                        link.axle,
                    )
                )
            case Planetary():
                pass
            case Ratio():
                steps.append(
                    OneWayStep(
                        np.array([row[link.lead]]),
                        np.array([row[channel]]),
                        np.array([[link.ratio]]),
                        np.array([[link.offset]]),
                        link.adds,
                    )
                )
    for adding in (False, True):
        together = [(cam, channel) for cam, channel in cams if cam.adds == adding]
        # Two cams that add to one channel add one after the other.
        while together:
            once = dict(reversed([(channel, cam) for cam, channel in together]))
            steps.append(_cams_step([(once[c], c) for c in once], row, adding))
            together = [(cam, c) for cam, c in together if once[c] is not cam]
    made, notes = formula_steps(rig, formulas, row)
    return steps + list(made), notes


def _cams_step(cams: list[tuple[Cam, str]], row: dict[str, int], adding: bool) -> CamsStep:
    return CamsStep(
        np.array([row[cam.lead] for cam, _ in cams], dtype=np.intp),
        np.array([row[channel] for _, channel in cams], dtype=np.intp),
        bank_of([cam_profile(cam, channel) for cam, channel in cams]),
        adding,
    )


def cam_profile(cam: Cam, channel: str) -> Profile:
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
    trains: list[Train], row: dict[str, int], home: Array, stops: Stops
) -> list[TrainStep | FreedomsStep]:
    single = [train for train in trains if len(train.inputs) == 1]
    others = [train for train in trains if len(train.inputs) != 1 and train.shares]
    steps: list[TrainStep | FreedomsStep] = []
    if single:
        steps.append(_single(single, row, stops))
    return steps + [_several(train, row, home, stops) for train in others]


def _single(trains: list[Train], row: dict[str, int], stops: Stops) -> TrainStep:
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
    )


def _several(train: Train, row: dict[str, int], home: Array, stops: Stops) -> FreedomsStep:
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
    )
