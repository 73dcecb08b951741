"""From the links of a rig to the steps that compute them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np

from gremio.core.arrays import Array, Flags, Rows
from gremio.core.mechanics.profile_bank import bank_of, some_of
from gremio.core.mechanics.profiles import Profile, profile_of, straight
from gremio.core.plan.arrangement import Arrangement
from gremio.core.plan.blocks import Block
from gremio.core.plan.loops import Loop
from gremio.core.plan.touched import Touched
from gremio.core.plan.trains import Train
from gremio.core.problem import Note
from gremio.core.remembered import Bounded
from gremio.core.rig.channels import split
from gremio.core.rig.ids import GROUND, ChannelKey, PartId
from gremio.core.rig.links import adds, followers, link_kind
from gremio.core.rig.model import Cam, LinkKind, Rig
from gremio.core.rig.numbers import home_value, stop_keys
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.constraint_steps import ConstraintBatch, constraint_batches
from gremio.core.solve.formula_steps import formula_steps
from gremio.core.solve.limits import limits_of
from gremio.core.solve.loop_steps import LoopBatch, batches, loop_step
from gremio.core.solve.reach_steps import ReachStep, reach_step
from gremio.core.solve.steps import (
    CamsStep,
    DriveStep,
    FormulaStep,
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
    notes: filled with what is wrong. ends_used: whether the end of a range is a channel in use."""

    rig: Rig
    tree: Tree
    row: dict[ChannelKey, int]
    home: Array
    stops: Stops
    geometry: GeometryOf
    notes: list[Note]
    ends_used: bool


class Old(NamedTuple):
    """The steps of an older program, of which those that did not change are taken over.

    steps: its levels. blocks: what each level computes. row: (C + 1,) the new row of each of its
    channels, −1 where it is gone, and last −1 for none. same, same_parts: whether every channel,
    and every part, has the row that it had. change: what differs between the two rigs.
    """

    steps: tuple[Level, ...]
    blocks: tuple[tuple[Block, ...], ...]
    row: Rows
    same: bool
    same_parts: bool
    change: Touched


def levels_of(making: Making, arrangement: Arrangement, old: Old | None) -> tuple[Level, ...]:
    """The steps of a rig, level by level; the notes of what is at hand are filled with what is
    wrong with its formulas. old: steps of an older program that may be taken over."""
    return tuple(
        _level(making, blocks, _Taking(old, depth))
        for depth, blocks in enumerate(arrangement.levels)
    )


class _Taking:
    """What can be taken over from a level of an older program; nothing where there is none."""

    def __init__(self, old: Old | None, depth: int) -> None:
        there = old is not None and depth < len(old.steps)
        self.old = old if there else None
        self.level = old.steps[depth] if old is not None and there else None
        self.blocks = old.blocks[depth] if old is not None and there else ()

    @property
    def same_rows(self) -> bool:
        """Whether every channel has the row that it had."""
        return self.old is not None and self.old.same

    @property
    def same_parts(self) -> bool:
        """Whether every part has the row that it had."""
        return self.old is not None and self.old.same_parts

    @property
    def value_steps(self) -> tuple[ValueStep, ...]:
        """The steps that gave values."""
        return () if self.level is None else (*self.level.sets, *self.level.adds)

    @property
    def same_kinds(self) -> bool:
        """Whether every number is of the kind and the shape that it was."""
        if self.old is None:
            return False
        change = self.old.change
        others = change.any("controls", "constraints", "strands", "measures")
        return not (others or change.built or change.shaped)

    @property
    def same_links(self) -> bool:
        """Whether every link says what it said, and goes along the same path."""
        return self.old is not None and not self.old.change.any("links", "paths")

    def still(self, parts: Iterable[PartId], *fields: str) -> bool:
        """Whether nothing changed in some fields of the rig, nor in some parts but their names."""
        if self.old is None or self.old.change.any(*fields):
            return False
        change = self.old.change
        moved = change.built | change.placed | change.stopped | change.shaped
        return moved.isdisjoint(parts)


def _level(making: Making, blocks: tuple[Block, ...], taking: _Taking) -> Level:
    row, stops = making.row, making.stops
    trains = [block.train for block in blocks if block.train is not None]
    loops = [block.loop for block in blocks if block.loop is not None]
    steps = _value_steps(making, blocks, taking)
    given = [row[c] for block in blocks if not block.holds for c in block.writes]
    return Level(
        tuple(_train_steps(making, trains, taking)),
        tuple(step for step in steps if not step.adds),
        tuple(step for step in steps if step.adds),
        limits_of(given, *stops),
        _written(making.rig, blocks, row, taking),
        _loop_batches(making, loops, taking),
        _constraint_steps(making, blocks, taking),
        _holds(making, [block.holds for block in blocks if block.holds]),
    )


def _loop_batches(making: Making, loops: list[Loop], taking: _Taking) -> tuple[LoopBatch, ...]:
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
    making: Making, blocks: tuple[Block, ...], taking: _Taking
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
    rig: Rig, blocks: tuple[Block, ...], row: dict[ChannelKey, int], taking: _Taking
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


def _value_steps(making: Making, blocks: tuple[Block, ...], taking: _Taking) -> list[ValueStep]:
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
    making: Making, links: list[tuple[Any, ChannelKey]], _taking: _Taking
) -> list[ValueStep]:
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


def _drive_steps(
    making: Making, links: list[tuple[Any, ChannelKey]], _taking: _Taking
) -> list[ValueStep]:
    row = making.row
    steps: list[ValueStep] = []
    for link, channel in links:
        rows = [row[c] for c in followers(link)]
        steering = row[link.steering] if link.steering else -1
        which = rows.index(row[channel])
        made = (row[link.travel], steering, rows[2], which, row[channel])
        steps.append(DriveStep(*made, link.wheelbase, link.axle))
    return steps


def _one_way_steps(
    making: Making, links: list[tuple[Any, ChannelKey]], _taking: _Taking
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
        for adding, those in _one_at_a_time(links)
    ]


def _cam_steps(
    making: Making, cams: list[tuple[Any, ChannelKey]], taking: _Taking
) -> list[ValueStep]:
    old = [step for step in taking.value_steps if isinstance(step, CamsStep)]
    if taking.old is not None and _are_those(old, cams):
        row = taking.old.row
        return [replace(s, leads=row[s.leads], followers=row[s.followers]) for s in old]
    known = {
        (id(cam), channel): (step, i)
        for step in old
        for i, (cam, channel) in enumerate(step.made_of)
    }
    return [_cams_step(those, making.row, adding, known) for adding, those in _one_at_a_time(cams)]


def _are_those(old: list[CamsStep], cams: list[tuple[Any, ChannelKey]]) -> bool:
    """Whether steps are of just these followers of just these cams, in their order, where one of
    them is for all; those that set and those that add are looked at each by itself."""
    if len(old) != 1 or len(old[0].made_of) != len(cams):
        return False
    pairs = zip(old[0].made_of, cams, strict=True)
    return all(a is b and one == two for (a, one), (b, two) in pairs)


def _one_at_a_time(
    links: list[tuple[Any, ChannelKey]],
) -> Iterator[tuple[bool, list[tuple[Any, ChannelKey]]]]:
    """Links that can be computed together: those that set, then those that add; two that add to
    one channel add one after the other. With whether they add."""
    for adding in (False, True):
        together = [(link, channel) for link, channel in links if link.adds == adding]
        while together:
            once: dict[ChannelKey, Any] = {}
            for link, channel in together:
                once.setdefault(channel, link)
            yield adding, [(once[c], c) for c in once]
            together = [(link, c) for link, c in together if once[c] is not link]


def _formula_steps(
    making: Making, links: list[tuple[Any, ChannelKey]], taking: _Taking
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


def _no_steps(
    making: Making, links: list[tuple[Any, ChannelKey]], taking: _Taking
) -> list[ValueStep]:
    del making, links, taking
    return []


# What steps are made of the one-way links of each kind, many at a time. A planetary set is
# always in a train.
STEPS: dict[
    LinkKind, Callable[[Making, list[tuple[Any, ChannelKey]], _Taking], list[ValueStep]]
] = {
    "rolling": _roll_steps,
    "driving": _drive_steps,
    "ratio": _one_way_steps,
    "planetary": _no_steps,
    "cam": _cam_steps,
    "formula": _formula_steps,
}


def _cams_step(
    cams: list[tuple[Cam, ChannelKey]],
    row: dict[ChannelKey, int],
    adding: bool,
    known: Mapping[tuple[int, ChannelKey], tuple[CamsStep, int]],
) -> CamsStep:
    """known: of cams of an older program the step and the place in it, by the cam's identity."""
    kept = [known.get((id(cam), channel)) for cam, channel in cams]
    fresh = [cam_profile(*cam) for cam, old in zip(cams, kept, strict=True) if old is None]
    banks = {id(old[0]): old[0].bank for old in kept if old is not None}
    starts, at = {}, 0
    for name, bank in banks.items():
        starts[name], at = at, at + len(bank.x)
    order, new = [], at
    for old in kept:
        if old is None:
            order.append(new)
            new += 1
        else:
            order.append(starts[id(old[0])] + old[1])
    return CamsStep(
        np.array([row[cam.lead] for cam, _ in cams], dtype=np.intp),
        np.array([row[channel] for _, channel in cams], dtype=np.intp),
        some_of([*banks.values(), *([bank_of(fresh)] if fresh else ())], order),
        adding,
        tuple(cams),
    )


# Profiles of cams looked at last, by the cam's identity; the cam is kept too, so that no other can
# come to stand at the same place in memory.
_PROFILES: Bounded[tuple[int, ChannelKey], tuple[Cam, Profile]] = Bounded(lambda _kept: 1, 20_000)


def cam_profile(cam: Cam, channel: ChannelKey) -> Profile:
    """The profile of one follower of a cam, through the stations that speak of it."""
    return _PROFILES.of((id(cam), channel), lambda _at: (cam, _profile(cam, channel)))[1]


def _profile(cam: Cam, channel: ChannelKey) -> Profile:
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
    making: Making, trains: list[Train], taking: _Taking
) -> list[TrainStep | FreedomsStep]:
    single = [train for train in trains if len(train.inputs) == 1]
    others = [train for train in trains if len(train.inputs) != 1 and train.shares]
    steps: list[TrainStep | FreedomsStep] = []
    if single:
        old = () if taking.level is None else taking.level.trains
        before = next((step for step in old if isinstance(step, TrainStep)), None)
        known = None if before is None or taking.old is None else (before, taking.old.row)
        steps.append(_single(making, single, known))
    return steps + [_several(making, train) for train in others]


class _Members(NamedTuple):
    """Trains of one freedom as rows. inputs, held, counts: (n,) of each train. followers, ratio,
    offset: (k,) of all followers, one train's after another's."""

    inputs: Rows
    held: Flags
    counts: Rows
    followers: Rows
    ratio: Array
    offset: Array


def _members(trains: list[Train], row: dict[ChannelKey, int]) -> _Members:
    shares = [(train.inputs[0], share) for train in trains for share in train.shares.values()]
    return _Members(
        np.array([row[train.inputs[0]] for train in trains], dtype=np.intp),
        np.array([" " in train.inputs[0] for train in trains], dtype=bool),
        np.array([len(train.shares) for train in trains], dtype=np.intp),
        np.array([row[c] for train in trains for c in train.shares], dtype=np.intp),
        np.array([share.factors.get(lead, 0.0) for lead, share in shares], dtype=float),
        np.array([share.constant for _, share in shares], dtype=float),
    )


def _taken(
    trains: list[Train], row: dict[ChannelKey, int], old: TrainStep, new_row: Rows
) -> _Members:
    """As `_members`, what an older step says of the same trains taken from it."""
    place = {id(train): i for i, train in enumerate(old.made_of)}
    kept = [place.get(id(train), -1) for train in trains]
    fresh = _members([t for t, at in zip(trains, kept, strict=True) if at < 0], row)
    order = np.array(kept, dtype=np.intp)
    order[order < 0] = len(old.made_of) + np.arange(len(fresh.inputs))
    counts = np.bincount(old.train, minlength=len(old.made_of)).astype(np.intp)
    pool = np.concatenate([counts, fresh.counts])
    starts = np.cumsum(pool) - pool
    counts = pool[order]
    first = np.repeat(starts[order] - (np.cumsum(counts) - counts), counts)
    each = first + np.arange(len(first))
    return _Members(
        np.concatenate([new_row[old.inputs], fresh.inputs])[order],
        np.concatenate([old.held, fresh.held])[order],
        counts,
        np.concatenate([new_row[old.followers], fresh.followers])[each],
        np.concatenate([old.ratio[:, 0], fresh.ratio])[each],
        np.concatenate([old.offset[:, 0], fresh.offset])[each],
    )


def _single(making: Making, trains: list[Train], known: tuple[TrainStep, Rows] | None) -> TrainStep:
    """known: the step of an older program, and the new rows of its channels."""
    row = making.row
    found = _members(trains, row) if known is None else _taken(trains, row, *known)
    inputs, held, counts, followers, ratio, offset = found
    of_train = np.repeat(np.arange(len(trains)), counts)
    low, high, _ = making.stops
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
        held=held,
        train=of_train,
        followers=followers,
        ratio=ratio[:, None],
        offset=offset[:, None],
        stopped=bool(np.isfinite(lowest).any() or np.isfinite(highest).any()),
        led=_led_ends(making, [c for train in trains for c in train.shares]),
        made_of=tuple(trains),
    )


def _led_ends(making: Making, channels: list[ChannelKey]) -> LedEnds | None:
    """The stops of a train's followers that something leads."""
    row = making.row
    found = [
        (place, row[end], end == stop_keys(channel)[0])
        for place, channel in enumerate(channels if making.ends_used else ())
        for end in stop_keys(channel)
        if end in row
    ]
    if not found:
        return None
    places, rows, low = zip(*found, strict=True)
    return LedEnds(np.array(places, dtype=np.intp), np.array(rows, dtype=np.intp), np.array(low))


def _several(making: Making, train: Train) -> FreedomsStep:
    row, home, stops = making.row, making.home, making.stops
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
        _led_ends(making, list(train.shares)),
    )
