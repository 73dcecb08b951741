"""Pulling at a point of any part: one input, the nearest along its chain, follows the hand; or
those together that are chosen."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array, Flags
from gremio.core.plan.carrying import carriers
from gremio.core.rig.channels import freed, key, split
from gremio.core.rig.constraints import constraint_words, constraints_of
from gremio.core.rig.ids import CLOCK, NOTHING, ChannelKey, PartId
from gremio.core.rig.numbers import label
from gremio.core.solve.backward import (
    Hand,
    Held,
    drive_line,
    held_by_clock,
    inputs_above,
    not_driven_back,
)
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.pose import Pose
from gremio.core.solve.program import Program

_PULLS = 24
# What of a step is tried, the whole of it and less.
_SHARES = np.array([0.0, 1.0, 0.6, 0.3, 0.1, 0.03])
# No farther than this the part turns at a time, in one step of a pull (rad).
_FARTHEST = 0.6
# The nearest input along a chain is taken when it leaves no more than this of the way.
_NEARER = 0.9
# So little a point goes for an input, for its size (m), that this does not move it.
_STANDS = 1e-8
# So much of a way along the line of sight counts.
_DEEP = 0.1


class _Goal(NamedTuple):
    """Where a point of a part should come to. point: (4,) in the part's frame; place: (3,) in the
    world (m). counts: (3, 3) how much of a way to there counts."""

    point: Array
    place: Array
    counts: Array

    @classmethod
    def of(cls, at: npt.ArrayLike, target: npt.ArrayLike, sight: Array | None) -> _Goal:
        """Of a point (3,), a place (3,) and the way that is looked along."""
        counts = np.eye(3)
        if sight is not None:
            counts -= (1 - _DEEP) * np.outer(sight, sight)
        point = np.append(np.asarray(at, dtype=float), 1.0)
        return cls(point, np.asarray(target, dtype=float), counts)

    def off(self, stands: Array) -> Array:
        """(..., 3) the way from the place to the point where a part stands (..., 3, 4)."""
        return np.asarray((stands @ self.point - self.place) @ self.counts)

    def away(self, stands: Array) -> Array:
        """(...) how long that is."""
        return np.asarray(np.linalg.norm(self.off(stands), axis=-1))


def pull(
    program: Program,
    pose: Pose,
    part: PartId,
    at: npt.ArrayLike,
    target: npt.ArrayLike,
    chosen: ChannelKey = NOTHING,
    sight: Array | None = None,
) -> Hand | Held:
    """The input that brings a point of a part nearest to a target, within all stops.

    part: id. at: (3,) the point in the part's frame (m). target: (3,) in the world (m). chosen:
    key of the input that is moved, where that moves the part; else it is the nearest along its
    chain that brings it nearer by some of the way, or the best where none does. The present pose
    decides between several answers. sight: (3,) unit, the way that is looked along; how far off a
    point is along it counts a tenth, so that it comes to the hand on the screen.
    """
    goal = _Goal.of(at, target, sight)
    inputs = {c: pose.at(c) for c in program.channel_keys if program.inputs[program.channel_row[c]]}
    row = program.part_row[part]
    before = float(goal.away(pose.worlds[row, :3]))
    leads = _inputs_of(program, part)
    best: tuple[float, Hand] | None = None
    for lead in [chosen] if chosen in leads else leads:
        away, value = _nearest(pose, inputs, lead, row, goal)
        if best is None or away < best[0] - 1e-9:
            best = (away, Hand(lead, value))
        if away < _NEARER * before:
            break
    if best is None:
        if (held := _what_can_not_be_driven(program, part)) is not None:
            return held
        if CLOCK in program.channel_row:
            chain = (key(p, name) for p in carriers(program.rig, part)
                     for name in freed(program.rig.parts[p].joint))  # fmt: skip
            clocks = (held_by_clock(program, channel) for channel in chain)
            if (held := next((one for one in clocks if one is not None), None)) is not None:
                return held
        name = program.rig.parts[part].name
        grounded = f"{name} is grounded: nothing that can move carries it."
        return Held(_what_ties(program, part) or grounded)
    return best[1] if best[0] < before - 1e-12 else Held(_what_holds(program, pose, part))


def pull_together(
    program: Program,
    pose: Pose,
    part: PartId,
    at: npt.ArrayLike,
    target: npt.ArrayLike,
    chosen: Sequence[ChannelKey],
    sight: Array | None = None,
) -> dict[ChannelKey, float] | Held:
    """Where several inputs (SI by key) bring a point of a part nearest to a target together, within
    all stops, each moved by as little as will do; arguments as of `pull`.

    Gauss-Newton over the inputs that are not at an end, each scaled by how far it moves and turns
    the part, with the least step that does it, or straight downhill; the best of several shares
    of each step.
    """
    goal = _Goal.of(at, target, sight)
    inputs = {c: pose.at(c) for c in program.channel_keys if program.inputs[program.channel_row[c]]}
    row = program.part_row[part]
    ends = np.array([pose.ends(c) for c in chosen])
    here = np.clip([inputs[c] for c in chosen], ends[:, 0], ends[:, 1])

    def stands(values: Array) -> Array:
        """(F, 3, 4) how the part stands at values (F, k) of the inputs."""
        tried = {**inputs, **dict(zip(chosen, values.T, strict=True))}
        worlds: Array = evaluate(program, tried).worlds[:, row, :3]
        return worlds

    before = away = float(goal.away(pose.worlds[row, :3]))
    for _ in range(_PULLS):
        step = np.where(here + 1e-5 <= ends[:, 1], 1e-5, -1e-5)
        around = stands(np.vstack([here, here + np.diag(step)]))
        off = goal.off(around)
        slopes = ((off[1:] - off[0]) / step[:, None]).T
        turning = np.linalg.norm((around[1:] - around[0])[..., :3], axis=(1, 2)) / np.abs(step)
        reach = np.linalg.norm(slopes, axis=0)
        size = reach + 0.1 * reach.max() * turning / max(turning.max(), _STANDS)
        ways = _ways(slopes, size, -off[0], here <= ends[:, 0], here >= ends[:, 1])
        farthest = np.maximum(np.abs(ways * turning).max(axis=1, keepdims=True), 1e-300)
        ways = ways * np.minimum(1.0, _FARTHEST / farthest)
        tried = here + (_SHARES[:, None, None] * ways).reshape(-1, len(chosen))
        tried = np.clip(tried, ends[:, 0], ends[:, 1])
        distances = goal.away(stands(tried))
        best = int(np.argmin(distances))
        if distances[best] > away - 1e-10:
            break
        here, away = tried[best], float(distances[best])
    if away < before - 1e-12:
        return dict(zip(chosen, map(float, here), strict=True))
    return Held(_what_holds(program, pose, part))


def _ways(slopes: Array, size: Array, off: Array, at_low: Flags, at_high: Flags) -> Array:
    """(2, k) which way inputs go to bring a point nearer that is (3,) off, with slopes (3, k):
    Gauss-Newton's way and straight downhill. size: (k,) what each is scaled by. What is at an end
    does not go beyond it."""
    ways = np.zeros((2, len(size)))
    for number in range(2):
        free = size > _STANDS
        while free.any():
            scaled = slopes[:, free] / size[free]
            down = scaled.T @ off
            if number == 0:
                found = np.linalg.lstsq(scaled, off, rcond=1e-3)[0]
            else:
                found = (
                    down * float(down @ down) / max(float(np.square(scaled @ down).sum()), 1e-300)
                )
            way = np.zeros(len(size))
            way[free] = found / size[free]
            out = (way > 0) & at_high | (way < 0) & at_low
            if not out.any():
                ways[number] = way
                break
            free &= ~out
    return ways


def pullers(
    program: Program,
    pose: Pose,
    part: PartId,
    at: npt.ArrayLike,
    chosen: Collection[ChannelKey] = (),
) -> tuple[ChannelKey, ...]:
    """Keys of the inputs that a pull at a point of a part moves: those chosen, where they move the
    part; else the one that `puller` says, if any."""
    leads = _inputs_of(program, part)
    found = tuple(lead for lead in leads if lead in chosen)
    if found:
        return found
    lead = puller(program, pose, part, at)
    return (lead,) if lead else ()


def puller(
    program: Program,
    pose: Pose,
    part: PartId,
    at: npt.ArrayLike,
) -> ChannelKey:
    """Key of the input that a pull at a point (3,) of a part moves, where none is chosen: the
    nearest along its chain toward the ground that moves the point; of those that move it nowhere
    here the nearest; "" where there is none."""
    leads = _inputs_of(program, part)
    point, row = np.append(np.asarray(at, dtype=float), 1.0), program.part_row[part]
    inputs = {c: pose.at(c) for c in program.channel_keys if program.inputs[program.channel_row[c]]}
    for lead in leads:
        low, high = pose.ends(lead)
        tried = np.clip(inputs[lead] + np.array([0.0, 1e-3, -1e-3]), low, high)
        places = evaluate(program, {**inputs, lead: tried}).worlds[:, row, :3] @ point
        if float(np.abs(places - places[0]).max()) > _STANDS:
            return lead
    return leads[0] if leads else NOTHING


def _what_ties(program: Program, part: PartId) -> str:
    """The constraint that keeps a part, or what carries it, where it is; "" for none."""
    rig = program.rig
    for carrier in carriers(rig, part):
        for constraint_id in constraints_of(rig, carrier):
            if not rig.constraints[constraint_id].off:
                told = constraint_words(rig, rig.constraints[constraint_id])
                return f"{told}, so it comes no nearer. Switch the constraint off on its Card."
    return ""


def _what_can_not_be_driven(program: Program, part: PartId) -> Held | None:
    """The link that holds a part which is pulled, for its follower can't drive it back."""
    waiting = [key(p, name) for p in carriers(program.rig, part)
               for name in freed(program.rig.parts[p].joint)]  # fmt: skip
    seen: set[ChannelKey] = set()
    while waiting:
        channel = waiting.pop(0)
        if channel in seen or channel not in program.drives:
            continue
        seen.add(channel)
        if (held := not_driven_back(program, channel)) is not None:
            return held
        waiting += program.drives[channel].leads
    return None


def _inputs_of(program: Program, part: PartId) -> list[ChannelKey]:
    """Keys of the inputs that move a part: of its own channels, and of what carries it."""
    found: dict[ChannelKey, None] = {}
    for carrier in carriers(program.rig, part):
        for channel in (key(carrier, name) for name in freed(program.rig.parts[carrier].joint)):
            if channel in program.channel_row:
                above = inputs_above(program, channel, drivable=True)
                found.update(dict.fromkeys(above))
    return list(found)


def _nearest(
    pose: Pose,
    inputs: dict[ChannelKey, float],
    lead: ChannelKey,
    row: int,
    goal: _Goal,
) -> tuple[float, float]:
    """How near (m) an input can bring a point to a goal, and its value there: Gauss-Newton along
    the one input, the best of several steps each time."""
    program, (low, high) = pose.program, pose.ends(lead)

    def stands(values: Array) -> Array:
        """(F, 3, 4) how the part stands at values of the input, the present one first."""
        worlds: Array = evaluate(program, {**inputs, lead: values}).worlds[:, row, :3]
        return worlds

    here = min(max(inputs[lead], low), high)
    away = math.inf
    for _ in range(_PULLS):
        step = 1e-5 if here + 1e-5 <= high else -1e-5
        both = stands(np.array([here, here + step]))
        at, beside = goal.off(both)
        away = float(np.linalg.norm(at))
        slope = (beside - at) / step
        square = float(slope @ slope)
        if square < 1e-16:
            break
        # What turns fast for its input is turned by little, what is geared down by as much as it
        # takes to come to the hand.
        turning = float(np.linalg.norm((both[1] - both[0])[:, :3])) / abs(step)
        most = _FARTHEST / turning if turning > 0.0 else math.inf
        way = min(max(-float(slope @ at) / square, -most), most)
        tried = np.clip(here + way * _SHARES, low, high)
        distances = goal.away(stands(tried))
        best = int(np.argmin(distances))
        if distances[best] > away - 1e-10:
            break
        here, away = float(tried[best]), float(distances[best])
    return away, here


def _what_holds(program: Program, pose: Pose, part: PartId) -> str:
    """Why a part comes no nearer: the stop that something of its machine is at."""
    rig = program.rig
    near = set(carriers(rig, part))
    moving = {c for p in near for c in program.channel_keys if split(c)[0] == p}
    for channel in list(moving):
        moving |= set(drive_line(program, channel))
        loop = program.loops.get(channel)
        moving |= set(loop.channels) if loop is not None else set()
    for channel in program.channel_keys:
        if channel not in moving:
            continue
        value = pose.at(channel)
        for end, stop in zip(("low", "high"), pose.ends(channel), strict=True):
            if math.isfinite(stop) and abs(value - stop) <= 1e-6 * max(1.0, abs(stop)):
                word = "end of the range" if not split(channel)[1] else "stop"
                return (
                    f"{rig.parts[part].name} is held by the {end} {word} of {label(rig, channel)}."
                )
    tied = _what_ties(program, part)
    return tied or f"{rig.parts[part].name} comes no nearer: its joints lead another way."
