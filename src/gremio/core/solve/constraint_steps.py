"""Constraints as steps of a program: from what they want to the channels of their parts."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from functools import cached_property

import numpy as np

from gremio.core.arrays import Array, Flags, Rows
from gremio.core.mechanics import turns
from gremio.core.records import Record
from gremio.core.rig.channels import CHANNELS, SCALES, key
from gremio.core.rig.constraints import adds_to, numbers, targets_of
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import Aim, AnyConstraint, Path, Rig, Seat, Target
from gremio.core.shape.geometry import GeometryOf
from gremio.core.shape.surfaces import Surface, surface_of
from gremio.core.solve.constraint_goals import GOALS, Goal, Kept, Seen, kept_of
from gremio.core.solve.dimensions import Led, led_dimensions, with_dimensions
from gremio.core.solve.frames import Finder
from gremio.core.solve.tree import Tree
from gremio.core.solve.wants import Want, want_of

_TURN = 2 * math.pi
# What channels are that are not there.
_USUAL = np.array([1.0 if c in SCALES else 0.0 for c in CHANNELS])
# Rounds in which what is not at its joint turns toward its goal.
_TURNING = 60
# What the steps look at for each constraint by itself; by all else they are put together.
_EACH = {
    *("name", "part", "channels", "grip", "off", "freed", "targets"),
    *("offset", "axis", "second", "toward", "distance", "stand_off"),
}
_EACH_TARGET = {"on", "at", "weight", "offset"}


class Ground(Record, frozen=True):
    """What constraints sit on. surface: as it is at home. rig, led, geometry: for one with
    dimensions that something leads, which makes it anew in each frame."""

    surface: Surface | None
    rig: Rig
    part: PartId
    led: tuple[Led, ...]
    geometry: GeometryOf | None

    def surfaces(self, channels: Array) -> tuple[Surface | None, ...]:
        """One for all frames, or one for each. channels: (C, F)."""
        if self.geometry is None:
            return (self.surface,)
        found = []
        for frame in channels.T:
            part = with_dimensions(self.rig, self.led, frame).parts[self.part]
            found.append(surface_of(part, self.geometry))
        return tuple(found)


class LedStops(Record, frozen=True):
    """Stops of one channel that something leads. place: (constraint, which of the nine). low,
    high: rows of their channels, −1 where that end is not led."""

    place: tuple[int, int]
    low: int
    high: int


class ConstraintBatch(Record, frozen=True):
    """Constraints of one make. n of them.

    ids, made: each. part_rows: (n,). rows: (n, 9) channel rows of their parts, −1 where one is
    grounded. given: which of the nine (moves, turns, scales) they give. number_rows: (n,) rows
    of their numbers, by name. carriers: ids of what carries the targets of each. paths: of each
    target, the path that it is. ground: of a seat. low, high: (n, 9); led: those of them that
    something leads. owns: (n, 1, 4, 4) the parts' own frames; None where none has one. reads:
    rows of all channels that they depend on, their own among them.
    """

    ids: tuple[ThingId, ...]
    made: tuple[AnyConstraint, ...]
    part_rows: Rows
    rows: Rows
    given: tuple[int, ...]
    number_rows: dict[str, Rows]
    carriers: tuple[tuple[PartId | None, ...], ...]
    paths: tuple[Path | None, ...]
    ground: Ground | None
    low: Array
    high: Array
    led: tuple[LedStops, ...]
    owns: Array | None
    reads: Rows

    def is_of(self, ids: Sequence[ThingId], made: Sequence[AnyConstraint], reads: Rows) -> bool:
        """Whether it is made of just these constraints, and depends on just these rows."""
        return (
            list(ids) == list(self.ids)
            and all(a is b for a, b in zip(self.made, made, strict=True))
            and np.array_equal(self.reads, reads)
        )

    @property
    def parts(self) -> set[PartId]:
        """Ids of the parts that it gives channels of, and of that on which they sit."""
        return {one.part for one in self.made} | ({self.ground.part} if self.ground else set())

    @cached_property
    def kept(self) -> Kept:
        """What they say, as arrays."""
        return kept_of(self.made)

    @cached_property
    def own_turns(self) -> Array | None:
        """(n, 1, 3, 3) how the parts' own frames are turned; None where none has one."""
        return None if self.owns is None else turns.turn_of(self.owns)

    @cached_property
    def there(self) -> Flags:
        """(n, 9) which channels of their parts there are."""
        return np.asarray(self.rows >= 0)

    @cached_property
    def stopped(self) -> tuple[bool, ...]:
        """Of x, y and z, whether a turn about it may have stops."""
        ended = np.isfinite(self.low[:, 3:6]) | np.isfinite(self.high[:, 3:6])
        led = {stops.place[1] - 3 for stops in self.led}
        return tuple(bool(ended[:, i].any()) or i in led for i in range(3))

    @cached_property
    def followers(self) -> Rows:
        """Rows of the channels that are given."""
        return self.rows[:, self.given].ravel()

    def run(self, finder: Finder, asked: Array) -> dict[ThingId, Want]:
        """Give the channels: what they are asked for, before any stop. Returns what is wanted,
        by constraint."""
        channels = finder.channels
        values = np.where(self.there[..., None], channels[self.rows], _USUAL[:, None])
        base = values.transpose(0, 2, 1)
        seen = self._seen(finder, base)
        goal = GOALS[self.made[0].kind](seen)
        grip = np.clip(seen.number("grip"), 0.0, 1.0)
        share = np.where(goal.has, grip, 0.0)
        found = base.copy()
        sought = [i - 3 for i in self.given if 3 <= i < 6]
        if goal.turn is not None and sought:
            found[..., 3:6] = self._turned(finder, seen, goal, share, sought)
            if self.owns is not None and goal.place is None:
                goal, found[..., 3:6] = self._turned_aside(finder, seen, found, share, sought)
        if goal.scales is not None:
            to = goal.scales * seen.scales if self._adds else goal.scales
            found[..., 6:] = seen.scales + share[..., None] * (to - seen.scales)
        if goal.place is not None:
            found[..., :3] = self._moved(seen, goal.place, share, found)
        for i in self.given:
            channels[self.rows[:, i]] = asked[self.rows[:, i]] = found[..., i]
        return {one: want_of(goal, i, grip[i]) for i, one in enumerate(self.ids)}

    @property
    def _adds(self) -> bool:
        return adds_to(self.made[0])

    def _lever(self, values: Array, turned: Array) -> Array:
        """(n, F, 3) from where the joints move to where the parts are, along the mounts' axes.
        values: (n, F, 9) of the channels. turned: (n, F, 3, 3) how those turn."""
        if self.owns is None:
            return np.zeros(values.shape[:2] + (3,))
        off = values[..., 6:] * self.owns[..., :3, 3]
        lever: Array = (turned @ off[..., None])[..., 0]
        return lever

    def _seen(self, finder: Finder, base: Array) -> Seen:
        frames = finder.channels.shape[1]
        mounts = finder.mounts(self.part_rows)
        first = self.made[0]
        count = len(targets_of(first))
        weights = np.ones((len(self.made), count, frames))
        if count == 1:
            targets = finder.frames([on[0] for on in self.carriers])[:, None]
        else:
            targets = np.zeros((len(self.made), count, frames, 4, 4))
            for i in range(count):
                targets[:, i] = finder.frames([on[i] for on in self.carriers])
                weights[:, i] = np.maximum(self._number(finder, f"weight {i + 1}"), 0.0)
        toward = np.zeros((0, 0, 4, 4))
        if isinstance(first, Aim) and first.upright == "target":
            toward = finder.frames([one.toward.on for one in self.made if isinstance(one, Aim)])
        turned, mounted = turns.of_angles(base[..., 3:6]), turns.turn_of(mounts)
        stands = mounted @ turned
        if self.own_turns is not None:
            stands = stands @ self.own_turns
        lever = self._lever(base, turned)
        return Seen(
            made=self.made,
            kept=self.kept,
            mounts=mounts,
            mounted=mounted,
            moves=base[..., :3],
            turns=base[..., 3:6],
            scales=base[..., 6:],
            places=_placed(mounts, base[..., :3] + lever),
            stands=stands,
            lever=lever,
            targets=targets,
            weights=weights,
            toward=toward,
            number=lambda name: self._number(finder, name),
            moving=tuple(i for i in self.given if i < 3),
            scaling=tuple(i - 6 for i in self.given if i >= 6),
            whole={3, 4, 5} <= set(self.given),
            paths=self.paths,
            surfaces=() if self.ground is None else self.ground.surfaces(finder.channels),
        )

    def _number(self, finder: Finder, name: str) -> Array:
        values: Array = finder.channels[self.number_rows[name]]
        return values

    def _moved(self, seen: Seen, place: Array, share: Array, found: Array) -> Array:
        """(n, F, 3) moves that bring the parts to places in the world. found: (n, F, 9) their
        channels, the turns as they will be."""
        local = _placed(np.asarray(np.linalg.inv(seen.mounts), dtype=np.float64), place)
        if self._adds:
            rest = 0.0 if self.owns is None else self.owns[..., :3, 3]
            to = seen.moves + local - rest
        else:
            to = local - self._lever(found, turns.of_angles(found[..., 3:6]))
        way = share[..., None]
        # All of it is taken as it is, so that no digit is lost.
        result: Array = np.where(way == 1.0, to, seen.moves + way * (to - seen.moves))
        return result

    def _turned_aside(
        self, finder: Finder, seen: Seen, found: Array, share: Array, sought: Sequence[int]
    ) -> tuple[Goal, Array]:
        """What is wanted, and (n, F, 3) the turns, of parts that are not at their joints: as they
        turn they go elsewhere, and see their targets from there."""
        angles: Array = found[..., 3:6]
        for _ in range(_TURNING):
            turned = np.concatenate([found[..., :3], angles, found[..., 6:]], axis=-1)
            lever = self._lever(turned, turns.of_angles(angles))
            places = _placed(seen.mounts, seen.moves + lever)
            goal = GOALS[self.made[0].kind](seen._replace(places=places))
            before, angles = angles, self._turned(finder, seen, goal, share, sought)
            if float(np.abs(angles - before).max(initial=0.0)) < 1e-13:
                break
        return goal, angles

    def _turned(
        self, finder: Finder, seen: Seen, goal: Goal, share: Array, sought: Sequence[int]
    ) -> Array:
        """(n, F, 3) turns that bring the parts as near to what is wanted as they can."""
        assert goal.turn is not None
        profile = np.swapaxes(seen.mounted, -1, -2) @ goal.turn
        if self.own_turns is not None:
            profile = profile @ np.swapaxes(self.own_turns, -1, -2)
        if len(sought) == 3 and goal.whole:
            to = turns.angles_of(profile)
        else:
            to = turns.nearest_angles(profile, seen.turns, sought)
        if len(sought) == 1:
            to = self._one_turned(seen.turns, to, share)
        elif self._adds or not np.all(share == 1.0):
            now, wanted = turns.of_angles(seen.turns), turns.of_angles(to)
            if self._adds:
                mixed = turns.share(wanted, share) @ now
            else:
                mixed = now @ turns.share(np.swapaxes(now, -1, -2) @ wanted, share)
            part_way = (
                turns.angles_of(mixed)
                if len(sought) == 3
                else turns.nearest_angles(mixed, seen.turns, sought)
            )
            whole = (share == 1.0)[..., None] & (not self._adds)
            to = np.where(whole, to, part_way)
        return self._within(finder, to, sought)

    def _one_turned(self, now: Array, to: Array, share: Array) -> Array:
        """One angle, the shorter way round."""
        if self._adds:
            result: Array = now + share[..., None] * to
            return result
        way = np.mod(to - now + math.pi, _TURN) - math.pi
        return np.where(share[..., None] == 1.0, to, now + share[..., None] * way)

    def _within(self, finder: Finder, angles: Array, sought: Sequence[int]) -> Array:
        """Angles, a whole turn more or less where that is within the stops and they are not."""
        for i in sought:
            if not self.stopped[i]:
                continue
            shape = angles.shape[:2]
            low = np.broadcast_to(self.low[:, 3 + i, None], shape)
            high = np.broadcast_to(self.high[:, 3 + i, None], shape)
            for stops in self.led:
                if stops.place[1] == 3 + i:
                    low, high = _with_led(low, high, stops, finder.channels)
            value = angles[..., i]
            value = np.where((value < low) & (value + _TURN <= high), value + _TURN, value)
            value = np.where((value > high) & (value - _TURN >= low), value - _TURN, value)
            angles[..., i] = value
        return angles


def _placed(frames: Array, points: Array) -> Array:
    """(n, F, 3) points (n, F, 3) of frames (n, F, 4, 4), in the world."""
    result: Array = (frames[..., :3, :3] @ points[..., None])[..., 0] + frames[..., :3, 3]
    return result


def _with_led(low: Array, high: Array, stops: LedStops, channels: Array) -> tuple[Array, Array]:
    """(n, F) stops, those that something leads as they are now."""
    ends = [low.copy(), high.copy()]
    for end, row in zip(ends, (stops.low, stops.high), strict=True):
        if row >= 0:
            end[stops.place[0]] = channels[row]
    return ends[0], ends[1]


def _carrier(rig: Rig, target: Target) -> PartId | None:
    """Id of the part that a target, or the path that it is, is on."""
    path = rig.paths.get(target.path)
    return path.on if path is not None else target.on


def make_of(rig: Rig, constraint_id: ThingId, row: Mapping[ChannelKey, int]) -> tuple[object, ...]:
    """By what constraints are put together: all that they say but what is looked at for each by
    itself. A field that is added to a kind counts here from the start."""
    one = rig.constraints[constraint_id]
    fields = [getattr(one, f) for f in one.__struct_fields__ if f not in _EACH]
    targets = targets_of(one)
    shared = [f for f in Target.__struct_fields__ if f not in _EACH_TARGET]
    to = tuple(tuple(getattr(target, f) for f in shared) for target in targets)
    ground = targets[0].on if isinstance(one, Seat) else None
    return (one.kind, _given(one, row), *fields, to, ground)


def constraint_batches(
    rig: Rig,
    ids: Sequence[ThingId],
    tree: Tree,
    row: dict[ChannelKey, int],
    limits: tuple[Array, Array],
    geometry: GeometryOf,
    reads: Mapping[ThingId, Rows],
    kept: Sequence[ConstraintBatch] = (),
) -> tuple[ConstraintBatch, ...]:
    """Constraints of a rig put together by their make. ids: of those that can be computed at
    one time. reads: rows of what each depends on. row: from channel key to row. limits: (C,)
    low and high of all channels. geometry: finds the surface of a solid. kept: batches of an
    older program that are the same where they are of the same constraints."""
    makes: dict[tuple[object, ...], list[ThingId]] = {}
    for constraint_id in ids:
        makes.setdefault(make_of(rig, constraint_id, row), []).append(constraint_id)
    found = []
    for those in makes.values():
        made = [rig.constraints[i] for i in those]
        read = np.array(sorted({int(r) for i in those for r in reads[i]}), dtype=np.intp)
        same = next((one for one in kept if one.is_of(those, made, read)), None)
        found.append(same or _batch(rig, those, tree, row, limits, geometry, read))
    return tuple(found)


def _given(one: AnyConstraint, row: Mapping[ChannelKey, int]) -> tuple[int, ...]:
    names = [c for c in one.channels if key(one.part, c) in row]
    return tuple(sorted(CHANNELS.index(c) for c in names))


def _batch(
    rig: Rig,
    ids: list[ThingId],
    tree: Tree,
    row: dict[ChannelKey, int],
    limits: tuple[Array, Array],
    geometry: GeometryOf,
    reads: Rows,
) -> ConstraintBatch:
    made = tuple(rig.constraints[i] for i in ids)
    rows = np.array([[row.get(key(one.part, c), -1) for c in CHANNELS] for one in made])
    first = made[0]
    part_rows = np.array([tree.part_row[one.part] for one in made], dtype=np.intp)
    with_own = bool((tree.own_place[part_rows] >= 0).any())
    owns = np.array([tree.own_matrix(one.part) for one in made])[:, None] if with_own else None
    return ConstraintBatch(
        ids=tuple(ids),
        made=made,
        part_rows=part_rows,
        rows=rows,
        given=_given(first, row),
        number_rows={
            name: np.array([row[key(i, name)] for i in ids], dtype=np.intp)
            for name in numbers(rig, first)
        },
        carriers=tuple(tuple(_carrier(rig, t) for t in targets_of(one)) for one in made),
        paths=tuple(rig.paths.get(target.path) for target in targets_of(first)),
        ground=_ground(rig, first, row, geometry),
        low=limits[0][rows],
        high=limits[1][rows],
        led=_led_stops(made, row),
        owns=owns,
        reads=reads,
    )


def _ground(
    rig: Rig, first: AnyConstraint, row: Mapping[ChannelKey, int], geometry: GeometryOf
) -> Ground | None:
    """What seats sit on; None for other kinds."""
    on = first.targets[0].on if isinstance(first, Seat) else None
    if on is None:
        return None
    led = led_dimensions(rig, row, [on])
    surface = surface_of(rig.parts[on], geometry)
    return Ground(surface, rig, on, led, geometry if led else None)


def _led_stops(
    made: Sequence[AnyConstraint], row: Mapping[ChannelKey, int]
) -> tuple[LedStops, ...]:
    found = []
    for i, one in enumerate(made):
        for j, channel in enumerate(CHANNELS):
            ends = [row.get(key(one.part, f"{end} stop {channel}"), -1) for end in ("low", "high")]
            if max(ends) >= 0:
                found.append(LedStops((i, j), ends[0], ends[1]))
    return tuple(found)
