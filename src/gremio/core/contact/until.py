"""How far something goes until it touches."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Collection, Mapping, Sequence

import numpy as np

from gremio.core.arrays import Array
from gremio.core.contact.bodies import Body, bodies_of, gap, in_the_way
from gremio.core.frames import carried
from gremio.core.problem import GremioError
from gremio.core.records import Record
from gremio.core.rig.ids import GROUND, ChannelKey, PartId
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.patience import may_go_on
from gremio.core.solve.pose import Pose
from gremio.core.solve.program import Program

# The way is looked at in so many pieces at first, and each is halved so often at most.
_PIECES = 72
_HALVINGS = 5
# An arc is at most so much longer than its chord.
_ARC = 1.05
# Where two slide on one another each piece is looked at in so many steps, and so far onward
# (shares) to see which way they go.
_SLIDING = 10
_ONWARD = 1e-5
# The end of the free way is found to this share of the whole way.
_EXACT = 1e-9


class Touch(Record, frozen=True):
    """What a way came to.

    value: of the channel, the last at which nothing touches (SI); the end of the way where nothing
    does. part, other: ids of what touches then; "" for nothing. left_out: pairs that touch where
    they stand, between which only what is head-on in the way was counted.
    """

    value: float
    part: PartId = GROUND
    other: PartId = GROUND
    left_out: tuple[tuple[PartId, PartId], ...] = ()

    @property
    def touches(self) -> bool:
        """Whether it came to touch anything."""
        return bool(self.part)


def until_touch(
    program: Program,
    inputs: Mapping[ChannelKey, float],
    channel: ChannelKey,
    end: float,
    *,
    against: Collection[PartId] | None = None,
    geometry: GeometryOf,
) -> Touch:
    """How far an input (by key) goes on its way to a value until something that it moves touches.

    inputs: where everything stands (SI). end: where the way would end (SI). against: ids of what
    may be touched; everything that is shown where it is None. Between what does not touch at first
    no contact is passed over that is not thinner than 1/2300 of the way: gaps bound the steps
    (conservative advancement; Mirtich, Impulse-based Dynamic Simulation of Rigid Body Systems,
    1996, 2.3). geometry: finds the surface of a solid. Raises GremioError where whoever waits for
    it stops it.
    """
    way = _Way(program, inputs, channel, end)
    bodies = _bodies(program, way.pose(0.0), geometry)
    limit, found, left_out = 1.0, (GROUND, GROUND), []
    for one, two in _pairs(way, bodies, against):
        touching = gap(one, two, way.relative(0.0, one, two)) == 0.0
        if touching:
            left_out.append((one.part, two.part))
        at = (_first_in_the_way if touching else _first_touch)(way, one, two, limit)
        if at < limit:
            limit, found = at, (one.part, two.part)
    return Touch(way.value(limit), *found, tuple(left_out))


class _Way:
    """The poses along the way, at shares of it, each solved once."""

    def __init__(
        self, program: Program, inputs: Mapping[ChannelKey, float], channel: ChannelKey, end: float
    ) -> None:
        self.program, self.channel, self.end = program, channel, end
        row = program.channel_row[channel]
        self.start = float(inputs.get(channel, program.home[row]))
        self._inputs = dict(inputs)
        self.shares = [float(share) for share in np.linspace(0.0, 1.0, _PIECES + 1)]
        self._poses: dict[float, Pose] = {}
        self.look_at(self.shares)

    def value(self, share: float) -> float:
        """The value of the channel at a share of the way."""
        return self.start + (self.end - self.start) * share

    def look_at(self, shares: Sequence[float]) -> None:
        """Solve many poses at once."""
        if not may_go_on():
            raise GremioError("Looking for what touches was stopped; nothing is changed.")
        new = [share for share in shares if share not in self._poses]
        if not new:
            return
        values = np.array([self.value(share) for share in new])
        poses = evaluate(self.program, {**self._inputs, self.channel: values})
        self._poses.update({share: poses.frame(i) for i, share in enumerate(new)})

    def pose(self, share: float) -> Pose:
        """The pose at a share of the way."""
        self.look_at([share])
        return self._poses[share]

    def relative(self, share: float, one: Body, two: Body) -> Array:
        """(4, 4) where one body is in the frame of another."""
        pose = self.pose(share)
        found: Array = np.linalg.inv(pose.world(two.part)) @ pose.world(one.part)
        return found


def _bodies(program: Program, pose: Pose, geometry: GeometryOf) -> dict[PartId, Body]:
    """The bodies of all parts that are shown."""
    shown = [part for part in program.part_ids if part not in pose.hidden]
    return bodies_of(program.rig, shown, geometry)


def _pairs(
    way: _Way, bodies: Mapping[PartId, Body], against: Collection[PartId] | None
) -> list[tuple[Body, Body]]:
    """What may come to touch, the nearest first: a body that moves, and another against which it
    does."""
    found: list[tuple[float, Body, Body]] = []
    worlds = {
        part: np.array([way.pose(share).world(part) for share in way.shares]) for part in bodies
    }
    moving = [part for part in bodies if _differ(worlds[part])]
    middles = {
        part: np.einsum("fij,j->fi", worlds[part][:, :3], np.append(bodies[part].middle, 1.0))
        for part in bodies
    }
    for one in moving:
        for two in bodies:
            if two == one or (against is not None and two not in against):
                continue
            # Of two that both move the pair is in the list once.
            if against is None and two in moving and two < one:
                continue
            apart = np.linalg.norm(middles[one] - middles[two], axis=1)
            apart -= bodies[one].radius + bodies[two].radius
            steps = np.linalg.norm(np.diff(middles[one] - middles[two], axis=0), axis=1)
            if apart.min() > _ARC * steps.max(initial=0.0):
                continue
            relative = np.linalg.inv(worlds[two]) @ worlds[one]
            if _differ(relative):
                found.append((float(apart.min()), bodies[one], bodies[two]))
    found.sort(key=lambda entry: entry[0])
    return [(one, two) for _, one, two in found]


def _differ(frames: Array) -> bool:
    size = max(1.0, float(np.abs(frames[:, :3, 3]).max()))
    return float(np.abs(frames - frames[0]).max()) > 1e-9 * size


def _travel(way: _Way, one: Body, two: Body, ends: tuple[float, float]) -> float:
    """No point of one goes farther, as seen from the other, between two shares of the way (m)."""
    first, last = (carried(way.relative(end, one, two), one.corners) for end in ends)
    return _ARC * float(np.linalg.norm(last - first, axis=1).max())


def _first_touch(way: _Way, one: Body, two: Body, limit: float) -> float:
    """The last share of the way at which two bodies that do not touch at first do not yet."""
    gaps: dict[float, float] = {}

    def gap_at(share: float) -> float:
        if share not in gaps:
            gaps[share] = gap(one, two, way.relative(share, one, two))
        return gaps[share]

    def free_until(low: float, high: float, finer: int) -> float:
        """The last free share from a free one to another, or that itself."""
        if gap_at(low) + gap_at(high) > _travel(way, one, two, (low, high)):
            return high
        if finer == 0 or high - low < _EXACT:
            if gap_at(high) > 0.0:
                return high
            return _last_free(lambda share: gap_at(share) > 0.0, low, high)
        middle = (low + high) / 2
        reached = free_until(low, middle, finer - 1)
        if reached < middle:
            return reached
        return free_until(middle, high, finer - 1)

    for low, high in itertools.pairwise(way.shares):
        if low >= limit:
            break
        reached = free_until(low, high, _HALVINGS)
        if reached < high:
            return min(reached, limit)
    return limit


def _last_free(is_free: Callable[[float], bool], low: float, high: float) -> float:
    """The last free share, between a free one and one that is not."""
    while high - low > _EXACT:
        middle = (low + high) / 2
        low, high = (middle, high) if is_free(middle) else (low, middle)
    return low


def _first_in_the_way(way: _Way, one: Body, two: Body, limit: float) -> float:
    """The last share of the way at which nothing new is head-on in the way of two bodies that touch
    at first."""

    def faces(share: float) -> frozenset[int]:
        after = way.relative(share + _ONWARD, one, two)
        return in_the_way(one, two, way.relative(share, one, two), after)

    first = faces(0.0)

    def is_free(share: float) -> bool:
        return faces(share) <= first

    for begins, ends in itertools.pairwise(way.shares):
        finer = [float(share) for share in np.linspace(begins, ends, _SLIDING + 1)]
        way.look_at([*finer, *(share + _ONWARD for share in finer)])
        for low, high in itertools.pairwise(finer):
            if low >= limit:
                return limit
            if not is_free(high):
                return min(_last_free(is_free, low, high), limit)
    return limit
