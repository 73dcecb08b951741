"""Constraints as steps of a program: from what they want to the channels of their parts."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from gremio.core.mechanics import turns
from gremio.core.rig.channels import CHANNELS, SCALES, key
from gremio.core.rig.constraints import numbers
from gremio.core.rig.model import Constraint, Path, Rig, Target
from gremio.core.rig.solids import AnySolid
from gremio.core.shape.geometry import Geometry
from gremio.core.shape.surfaces import Surface, surface_of
from gremio.core.solve import constraint_goals as goals
from gremio.core.solve.constraint_goals import Goal, Kept, Seen, kept_of
from gremio.core.solve.frames import Finder
from gremio.core.solve.wants import Want, want_of

Array = npt.NDArray[np.float64]
Rows = npt.NDArray[np.intp]
GeometryOf = Callable[[AnySolid], Geometry]
_TURN = 2 * math.pi


@dataclass(frozen=True)
class ConstraintBatch:
    """Constraints of one make. n of them.

    ids, made: each. part_rows: (n,). rows: (n, 9) channel rows of their parts, −1 where one is
    grounded. given: which of the nine (moves, turns, scales) they give. number_rows: (n,) rows
    of their numbers, by name. paths: of each target, the path that it is. surface: of a seat.
    low, high: (n, 9). reads: rows of all channels that they depend on, their own among them.
    """

    ids: tuple[str, ...]
    made: tuple[Constraint, ...]
    part_rows: Rows
    rows: Rows
    given: tuple[int, ...]
    number_rows: dict[str, Rows]
    paths: tuple[Path | None, ...]
    surface: Surface | None
    low: Array
    high: Array
    reads: Rows

    @cached_property
    def kept(self) -> Kept:
        """What they say, as arrays."""
        return kept_of(self.made)

    @cached_property
    def followers(self) -> Rows:
        """Rows of the channels that are given."""
        return self.rows[:, self.given].ravel()

    def run(self, finder: Finder, asked: Array) -> dict[str, Want]:
        """Give the channels: what they are asked for, before any stop. Returns what is wanted,
        by constraint."""
        channels = finder.channels
        usual = np.array([1.0 if c in SCALES else 0.0 for c in CHANNELS])
        values = np.where((self.rows >= 0)[..., None], channels[self.rows], usual[:, None])
        base = np.moveaxis(values, 1, 2)
        seen = self._seen(finder, base)
        goal = self._goal(seen)
        influence = np.clip(seen.number("influence"), 0.0, 1.0)
        share = np.where(goal.has, influence, 0.0)
        found = base.copy()
        if goal.place is not None:
            found[..., :3] = self._moved(seen, goal.place, share)
        sought = [i - 3 for i in self.given if 3 <= i < 6]
        if goal.turn is not None and sought:
            found[..., 3:6] = self._turned(seen, goal, share, sought)
        if goal.scales is not None:
            adds = self.made[0].adds
            to = goal.scales * seen.scales if adds else goal.scales
            found[..., 6:] = seen.scales + share[..., None] * (to - seen.scales)
        for i in self.given:
            channels[self.rows[:, i]] = asked[self.rows[:, i]] = found[..., i]
        return {one: want_of(goal, i, influence[i]) for i, one in enumerate(self.ids)}

    def _seen(self, finder: Finder, base: Array) -> Seen:
        frames = finder.channels.shape[1]
        program = finder.program
        mounts = finder.mounts(self.part_rows)
        count = len(self.made[0].targets)
        targets = np.zeros((len(self.made), count, frames, 4, 4))
        weights = np.ones((len(self.made), count, frames))
        for i in range(count):
            on = [_carrier(program.rig, one.targets[i]) for one in self.made]
            targets[:, i] = finder.frames(on)
            if count > 1:
                weights[:, i] = np.maximum(self._number(finder, f"weight {i + 1}"), 0.0)
        toward = np.zeros((0, 0, 4, 4))
        if self.made[0].upright == "target":
            toward = finder.frames([one.toward.on for one in self.made])
        moving = tuple(i for i in self.given if i < 3)
        return Seen(
            self.made, self.kept, mounts, base[..., :3], base[..., 3:6], base[..., 6:], targets,
            weights, toward, lambda name: self._number(finder, name), moving,
        )  # fmt: skip

    def _number(self, finder: Finder, name: str) -> Array:
        values: Array = finder.channels[self.number_rows[name]]
        return values

    def _goal(self, seen: Seen) -> Goal:
        match self.made[0].kind:
            case "ride":
                return goals.ride(seen)
            case "pin":
                return goals.pin(seen)
            case "match":
                return goals.match(seen)
            case "aim":
                return goals.aim(seen, self.paths, whole={3, 4, 5} <= set(self.given))
            case "tether":
                return goals.tether(seen)
            case "seat":
                return goals.seat(seen, self.surface)
            case "follow path":
                assert self.paths[0] is not None
                return goals.follow_path(seen, self.paths[0])
            case "constant volume":
                return goals.constant_volume(seen, tuple(i - 6 for i in self.given))
            case "reach":
                raise AssertionError("a chain is a step of its own")

    def _moved(self, seen: Seen, place: Array, share: Array) -> Array:
        """(n, F, 3) moves that bring the parts to places in the world."""
        back = np.linalg.inv(seen.mounts)
        local = (back[..., :3, :3] @ place[..., None])[..., 0] + back[..., :3, 3]
        to = seen.moves + local if self.made[0].adds else local
        way = share[..., None]
        # All of it is taken as it is, so that no digit is lost.
        result: Array = np.where(way == 1.0, to, seen.moves + way * (to - seen.moves))
        return result

    def _turned(self, seen: Seen, goal: Goal, share: Array, sought: Sequence[int]) -> Array:
        """(n, F, 3) turns that bring the parts as near to what is wanted as they can."""
        assert goal.turn is not None
        profile = np.swapaxes(turns.turn_of(seen.mounts), -1, -2) @ goal.turn
        if len(sought) == 3 and goal.whole:
            to = turns.angles_of(profile)
        else:
            to = turns.nearest_angles(profile, seen.turns, sought)
        if len(sought) == 1:
            to = self._one_turned(seen.turns, to, share)
        elif self.made[0].adds or not np.all(share == 1.0):
            now, wanted = turns.of_angles(seen.turns), turns.of_angles(to)
            if self.made[0].adds:
                mixed = turns.share(wanted, share) @ now
            else:
                mixed = now @ turns.share(np.swapaxes(now, -1, -2) @ wanted, share)
            part_way = (
                turns.angles_of(mixed)
                if len(sought) == 3
                else turns.nearest_angles(mixed, seen.turns, sought)
            )
            whole = (share == 1.0)[..., None] & (not self.made[0].adds)
            to = np.where(whole, to, part_way)
        return self._within(to, sought)

    def _one_turned(self, now: Array, to: Array, share: Array) -> Array:
        """One angle, the shorter way round."""
        if self.made[0].adds:
            result: Array = now + share[..., None] * to
            return result
        way = np.mod(to - now + math.pi, _TURN) - math.pi
        return np.where(share[..., None] == 1.0, to, now + share[..., None] * way)

    def _within(self, angles: Array, sought: Sequence[int]) -> Array:
        """Angles, a whole turn more or less where that is within the stops and they are not."""
        for i in sought:
            low, high = self.low[:, 3 + i, None], self.high[:, 3 + i, None]
            value = angles[..., i]
            value = np.where((value < low) & (value + _TURN <= high), value + _TURN, value)
            value = np.where((value > high) & (value - _TURN >= low), value - _TURN, value)
            angles[..., i] = value
        return angles


def _carrier(rig: Rig, target: Target) -> str | None:
    """Id of the part that a target, or the path that it is, is on."""
    path = rig.paths.get(target.path)
    return path.on if path is not None else target.on


def constraint_batches(
    rig: Rig,
    ids: Sequence[str],
    part_row: dict[str, int],
    row: dict[str, int],
    limits: tuple[Array, Array],
    geometry: GeometryOf,
    reads: Mapping[str, Rows],
) -> tuple[ConstraintBatch, ...]:
    """Constraints of a rig put together by their make. ids: of those that can be computed at
    one time. reads: rows of what each depends on. row: from channel key to row. limits: (C,)
    low and high of all channels. geometry: finds the surface of a solid."""
    makes: dict[tuple[object, ...], list[str]] = {}
    for constraint_id in ids:
        one = rig.constraints[constraint_id]
        given = _given(one, row)
        make = (
            one.kind, given, one.adds, one.upright, one.reach, one.stands, one.by_share,
            one.banked_for, len(one.targets), tuple(target.path for target in one.targets),
            one.targets[0].on if one.kind == "seat" else None,
        )  # fmt: skip
        makes.setdefault(make, []).append(constraint_id)
    return tuple(
        _batch(
            rig, those, part_row, row, limits, geometry,
            np.array(sorted({int(r) for i in those for r in reads[i]}), dtype=np.intp),
        )
        for those in makes.values()
    )  # fmt: skip


def _given(one: Constraint, row: dict[str, int]) -> tuple[int, ...]:
    names = [c for c in one.channels if key(one.part, c) in row]
    return tuple(sorted(CHANNELS.index(c) for c in names))


def _batch(
    rig: Rig,
    ids: list[str],
    part_row: dict[str, int],
    row: dict[str, int],
    limits: tuple[Array, Array],
    geometry: GeometryOf,
    reads: Rows,
) -> ConstraintBatch:
    made = tuple(rig.constraints[i] for i in ids)
    rows = np.array([[row.get(key(one.part, c), -1) for c in CHANNELS] for one in made])
    first = made[0]
    seat_on = rig.parts[first.targets[0].on or ""] if first.kind == "seat" else None
    return ConstraintBatch(
        ids=tuple(ids),
        made=made,
        part_rows=np.array([part_row[one.part] for one in made], dtype=np.intp),
        rows=rows,
        given=_given(first, row),
        number_rows={
            name: np.array([row[key(i, name)] for i in ids], dtype=np.intp)
            for name in numbers(first)
        },
        paths=tuple(rig.paths.get(target.path) for target in first.targets),
        surface=surface_of(seat_on, geometry) if seat_on is not None else None,
        low=limits[0][rows],
        high=limits[1][rows],
        reads=reads,
    )
