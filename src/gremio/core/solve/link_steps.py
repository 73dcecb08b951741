"""From the links of a rig to the steps that compute them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from gremio.core.arrays import Array, Rows
from gremio.core.mechanics.rumble import waves
from gremio.core.plan.arrangement import Arrangement
from gremio.core.plan.blocks import Block
from gremio.core.plan.loops import Loop
from gremio.core.plan.trains import Train
from gremio.core.rig.channels import split
from gremio.core.rig.ids import CLOCK, GROUND, ChannelKey, PartId
from gremio.core.rig.links import adds, followers, link_kind
from gremio.core.rig.model import LinkKind, Rig
from gremio.core.rig.numbers import home_value, stop_keys
from gremio.core.solve.cam_steps import cam_steps
from gremio.core.solve.constraint_steps import ConstraintBatch, constraint_batches
from gremio.core.solve.formula_steps import formula_steps
from gremio.core.solve.limits import limits_of
from gremio.core.solve.loop_steps import LoopBatch, batches, loop_step
from gremio.core.solve.making import Making, Old, Stops, Taking, one_at_a_time
from gremio.core.solve.reach_steps import ReachStep, reach_step
from gremio.core.solve.steps import (
    BallRollStep,
    DriveStep,
    FormulaStep,
    HoldStep,
    Level,
    OneWayStep,
    PathRollStep,
    RollStep,
    RumbleStep,
    TotalStep,
    ValueStep,
)
from gremio.core.solve.train_steps import train_steps


def levels_of(making: Making, arrangement: Arrangement, old: Old | None) -> tuple[Level, ...]:
    """The steps of a rig, level by level; the notes of what is at hand are filled with what is
    wrong with its formulas. old: steps of an older program that may be taken over."""
    trains = [b.train for blocks in arrangement.levels for b in blocks if b.train is not None]
    alone = _single_stops(making, trains)
    return tuple(
        _level(making, blocks, Taking(old, depth), alone)
        for depth, blocks in enumerate(arrangement.levels)
    )


def _level(making: Making, blocks: tuple[Block, ...], taking: Taking, alone: Stops) -> Level:
    """alone: the stops of each channel as it comes to them by itself."""
    trains = [block.train for block in blocks if block.train is not None]
    loops = [block.loop for block in blocks if block.loop is not None]
    row = making.row
    steps = _value_steps(making, blocks, taking)
    given = [row[c] for block in blocks if not block.holds for c in block.writes]
    return Level(
        tuple(train_steps(making, trains, taking)),
        tuple(step for step in steps if not step.adds),
        tuple(step for step in steps if step.adds),
        limits_of(given, *alone),
        _written(making.rig, blocks, row, taking),
        _loop_batches(making, loops, taking),
        _constraint_steps(making, blocks, taking),
        _holds(making, [block.holds for block in blocks if block.holds], alone[2]),
    )


def _single_stops(making: Making, trains: list[Train]) -> Stops:
    """Low, high and soft of each channel, (C,) each: as hard as can be for the members of trains,
    which slow down together and not each by itself."""
    low, high, soft = making.stops
    members = [making.row[c] for train in trains for c in (*train.shares, *train.inputs)]
    if not members or not soft[:, members].any():
        return making.stops
    soft = soft.copy()
    soft[:, members] = 0.0
    return low, high, soft


def _loop_batches(making: Making, loops: list[Loop], taking: Taking) -> tuple[LoopBatch, ...]:
    """Closed linkages; one that is planned as it was, and stands and stops as it did, is as it
    was, and what was found of it at home is known already."""
    if not loops:
        return ()
    old = [] if taking.level is None else [s for b in taking.level.loops for s in b.steps]
    known = {id(step.loop): step for step in old}
    steps = []
    for loop in loops:
        made = loop_step(making.rig, loop, making.row, making.home, *making.stops[:2])
        before = known.get(id(loop))
        steps.append(made if before is None else before.moved_to(made))
    together = batches(steps)
    kept = [] if taking.level is None else taking.level.loops
    return tuple(next((one for one in kept if one.is_of(batch.steps)), batch) for batch in together)


def _holds(making: Making, channels: list[ChannelKey], soft: Array) -> HoldStep | None:
    """What holds channels within stops that something leads. soft: (2, C)."""
    if not channels:
        return None
    row = making.row
    rows = np.array([row[channel] for channel in channels], dtype=np.intp)
    ends = [[row.get(end, -1) for end in stop_keys(c)] for c in channels]
    led = np.array(ends, dtype=np.intp)
    own = np.array([[home_value(making.rig, end) for end in stop_keys(c)] for c in channels])
    return HoldStep(rows, own[:, :1], own[:, 1:], led[:, 0], led[:, 1], soft[:, rows][:, :, None])


def _constraint_steps(
    making: Making, blocks: tuple[Block, ...], taking: Taking
) -> tuple[ConstraintBatch | ReachStep, ...]:
    rig, row, limits = making.rig, making.row, making.stops[:2]
    reads = {
        block.constraint: np.array(
            [row[c] for c in (*block.reads, *block.writes) if c in row], dtype=np.intp
        )
        for block in blocks
        if block.constraint
    }
    if not reads:
        return ()
    chains = [i for i in reads if rig.constraints[i].kind == "reach"]
    others = [i for i in reads if i not in chains]
    old = () if taking.level is None else taking.level.constraints
    kept = [
        one
        for one in old
        if isinstance(one, ConstraintBatch)
        and taking.same_rows
        and taking.same_parts
        and taking.still(one.parts, "paths", "links")
    ]
    made = constraint_batches(rig, others, making.tree, row, limits, making.geometry, reads, kept)
    return (*made, *(reach_step(rig, i, row, limits, reads[i]) for i in chains))


def _written(
    rig: Rig, blocks: tuple[Block, ...], row: dict[ChannelKey, int], taking: Taking
) -> Rows:
    """Rows of the channels that are set: what is only added to, changed by a constraint, or held
    within stops, stands where it is put."""
    if taking.level is not None and taking.old is not None and blocks is taking.blocks:
        return taking.old.row[taking.level.written]
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


def _value_steps(making: Making, blocks: tuple[Block, ...], taking: Taking) -> list[ValueStep]:
    """The steps of one-way links, those of one kind made together."""
    rig = making.rig
    if blocks is taking.blocks and taking.same_rows and taking.same_kinds and taking.same_links:
        return list(taking.value_steps)
    of_kind: dict[LinkKind, list[tuple[Any, ChannelKey]]] = {}
    for block in blocks:
        if block.train is not None or block.loop is not None or block.constraint or block.holds:
            continue
        for link_id in block.links:
            link = rig.links[link_id]
            of_kind.setdefault(link_kind(link), []).append((link, block.writes[0]))
    return [
        step
        for kind in STEPS
        if kind in of_kind
        for step in STEPS[kind](making, of_kind[kind], taking)
    ]


def _roll_steps(
    making: Making, links: list[tuple[Any, ChannelKey]], _taking: Taking
) -> list[ValueStep]:
    steps: list[ValueStep] = []
    for link, channel in links:
        owner, name = split(channel)
        part, row = PartId(owner), making.row[channel]
        on = link.on or GROUND
        if link.ball:
            turns = followers(link)
            rows = np.array([making.row[turn] for turn in turns], dtype=np.intp)
            which = turns.index(channel)
            steps.append(BallRollStep(part, which, rows, link.radius, on))
        elif link.path:
            path = making.rig.paths[link.path]
            steps.append(PathRollStep(part, name, row, link.radius, path, path.on or GROUND))
        else:
            slip = making.row[link.slip] if link.slip else -1
            steps.append(RollStep(part, name, row, link.radius, on, slip))
    return steps


def _drive_steps(
    making: Making, links: list[tuple[Any, ChannelKey]], _taking: Taking
) -> list[ValueStep]:
    row = making.row
    steps: list[ValueStep] = []
    for link, channel in links:
        rows = [row[c] for c in followers(link)]
        steering, turning = (row[c] if c else -1 for c in (link.steering, link.turning))
        which = rows.index(row[channel])
        made = (row[link.travel], steering, turning, rows[2], which, row[channel])
        steps.append(DriveStep(*made, link.wheelbase, link.axle))
    return steps


def _one_way_steps(
    making: Making, links: list[tuple[Any, ChannelKey]], _taking: Taking
) -> list[ValueStep]:
    row = making.row
    return [
        OneWayStep(
            np.array([row[link.lead] for link, _ in those], dtype=np.intp),
            np.array([row[channel] for _, channel in those], dtype=np.intp),
            np.array([[link.ratio] for link, _ in those]),
            np.array([[link.offset] for link, _ in those]),
            adding,
        )
        for adding, those in one_at_a_time(links)
    ]


def _formula_steps(
    making: Making, links: list[tuple[Any, ChannelKey]], taking: Taking
) -> list[ValueStep]:
    formulas = [link for link, _ in links]
    old = [step for step in taking.value_steps if isinstance(step, FormulaStep)]
    before = [formula for step in old for formula in step.made_of]
    alike = {id(formula) for formula in before} == {id(formula) for formula in formulas}
    if alike and taking.same_rows and taking.same_kinds:
        return list(old)
    steps, notes = formula_steps(making.rig, formulas, making.row, making.geometry)
    making.notes.extend(notes)
    return list(steps)


def _motor_steps(
    making: Making, links: list[tuple[Any, ChannelKey]], taking: Taking
) -> list[ValueStep]:
    del taking
    return [TotalStep(making.row[channel]) for _, channel in links]


def _rumble_steps(
    making: Making, links: list[tuple[Any, ChannelKey]], taking: Taking
) -> list[ValueStep]:
    del taking
    row = making.row
    steps: list[ValueStep] = []
    for _, those in one_at_a_time(links):
        each = [waves(link.speed, link.seed, link.smoothness) for link, _ in those]
        speed, height, phase = (np.array(some)[:, :, None] for some in zip(*each, strict=True))
        amounts = np.array([row[link.amount] for link, _ in those], dtype=np.intp)
        followers = np.array([row[channel] for _, channel in those], dtype=np.intp)
        share = np.array([[link.share] for link, _ in those])
        steps.append(RumbleStep(amounts, followers, row[CLOCK], share, speed, height, phase))
    return steps


def _no_steps(
    making: Making, links: list[tuple[Any, ChannelKey]], taking: Taking
) -> list[ValueStep]:
    del making, links, taking
    return []


# What steps are made of the one-way links of each kind, many at a time. A planetary set is
# always in a train.
STEPS: dict[LinkKind, Callable[[Making, list[tuple[Any, ChannelKey]], Taking], list[ValueStep]]] = {
    "rolling": _roll_steps,
    "driving": _drive_steps,
    "motor": _motor_steps,
    "rumble": _rumble_steps,
    "ratio": _one_way_steps,
    "planetary": _no_steps,
    "cam": cam_steps,
    "formula": _formula_steps,
}
