"""What a program does, one step after another: trains, cams, formulas, rolling wheels.

Every step gives the values of some channels, (k, F) for F frames, from others.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from functools import cached_property

import numpy as np

from gremio.core.arrays import Array, Flags, Rows
from gremio.core.mechanics.bank import Bank
from gremio.core.mechanics.profile_bank import values
from gremio.core.mechanics.rolling import driven, rolled, rolled_ball
from gremio.core.mechanics.turns import angles_of, of_angles, turn_of
from gremio.core.plan.trains import Train
from gremio.core.records import Record
from gremio.core.rig.ids import GROUND, ChannelKey, PartId
from gremio.core.rig.model import Cam, Formula, Path
from gremio.core.shape.paths import comes_back, length, way_to
from gremio.core.solve.constraint_steps import ConstraintBatch
from gremio.core.solve.frames import Finder
from gremio.core.solve.limits import Limits, as_slice, softly
from gremio.core.solve.loop_steps import LoopBatch
from gremio.core.solve.reach_steps import ReachStep
from gremio.core.solve.tree import Tree

# The tangent of what a mount may be askew of upright and count as standing so.
_ASKEW = 1e-9


class LedEnds(Record, frozen=True):
    """Stops of some followers of trains that something leads. places: (n,) which followers.
    rows: (n,) of the channels that are the stops. low: (n,) whether each is a low stop. soft: (n,)
    from how far before it the follower slows down."""

    places: Rows
    rows: Rows
    low: Flags
    soft: Array

    def each(self) -> Iterator[tuple[int, int, bool, float]]:
        """One after another."""
        columns = self.places, self.rows, self.low, self.soft
        return zip(*(column.tolist() for column in columns), strict=True)


class TrainStep(Record, frozen=True):
    """Trains of one freedom, all at once: q[followers] = ratio · q[lead] + offset.

    inputs: (n,) channel rows, one a train. low, high: (n, 1) between what values of its
    input a train can go before one of its members is at a stop. soft: (2, n, 1) from how far
    before those ends it slows down, all of it together. held: (n,) whether the
    input is itself a part, which then stops with the others. train: (k,) which train a
    follower belongs to. followers: (k,). ratio, offset: (k, 1). made_of: (n,) the trains.
    """

    inputs: Rows
    low: Array
    high: Array
    soft: Array
    held: Flags
    train: Rows
    followers: Rows
    ratio: Array
    offset: Array
    stopped: bool
    led: LedEnds | None = None
    made_of: tuple[Train, ...] = ()

    def run(self, channels: Array, asked: Array) -> None:
        """Fill in the followers: as asked, and as far as the stops let the train go."""
        lead = channels[self.inputs]
        asked[self.followers] = lead[self.train] * self.ratio + self.offset
        if self.stopped or self.led is not None:
            low, high, soft = self.ends(channels)
            lead = softly(lead, low, high, soft)
            channels[self.inputs[self.held]] = lead[self.held]
            channels[self.followers] = lead[self.train] * self.ratio + self.offset
        else:
            channels[self.followers] = asked[self.followers]

    def ends(self, channels: Array) -> tuple[Array, Array, Array]:
        """(n, F) between what values of its input each train can go, and (2, n, F) how softly."""
        if self.led is None:
            return self.low, self.high, self.soft
        frames = channels.shape[1]
        low, high, soft = (np.repeat(a, frames, axis=-1) for a in (self.low, self.high, self.soft))
        for place, row, is_low, way in self.led.each():
            ratio, offset = float(self.ratio[place, 0]), float(self.offset[place, 0])
            if ratio == 0.0:
                continue
            end, train = (channels[row] - offset) / ratio, self.train[place]
            if is_low == (ratio > 0.0):
                soft[0, train] = np.where(end > low[train], way / abs(ratio), soft[0, train])
                low[train] = np.maximum(low[train], end)
            else:
                soft[1, train] = np.where(end < high[train], way / abs(ratio), soft[1, train])
                high[train] = np.minimum(high[train], end)
        return low, high, soft


class FreedomsStep(Record, frozen=True):
    """A train of several freedoms: q[followers] = shares · q[inputs] + constant.

    inputs: (n,) rows; followers: (k,) rows; shares: (k, n); constant: (k, 1). home: (n, 1)
    inputs at home. low, high: (k, 1). soft: (2, k, 1). held: (n,) as in TrainStep.
    """

    inputs: Rows
    followers: Rows
    shares: Array
    constant: Array
    home: Array
    low: Array
    high: Array
    soft: Array
    held: Flags
    led: LedEnds | None = None

    @cached_property
    def start(self) -> Array:
        """(k, 1) the followers at home."""
        return self.shares @ self.home + self.constant

    def run(self, channels: Array, asked: Array) -> None:
        """Go from home toward what is asked until a member is at a stop; all of it slows down
        where that member does."""
        wanted = channels[self.inputs]
        asked[self.followers] = self.shares @ wanted + self.constant
        start = self.start
        way = asked[self.followers] - start
        low, high = self._ends(channels)
        with np.errstate(divide="ignore", invalid="ignore"):
            to_high = np.where(way > 0, (high - start) / way, np.inf)
            to_low = np.where(way < 0, (low - start) / way, np.inf)
            softness = np.where(way > 0, self.soft[1], self.soft[0]) / np.abs(way)
        ends = np.minimum(to_high, to_low)
        first = ends.argmin(axis=0), np.arange(ends.shape[1])
        end = np.maximum(ends[first], 0.0)
        soft = np.where(np.isfinite(end), softness[first], 0.0)
        far = softly(np.ones_like(end), np.full_like(end, -np.inf), end, np.stack([0 * soft, soft]))
        reached = self.home + (wanted - self.home) * far
        reached = np.where(far < 1.0, reached, wanted)
        channels[self.inputs[self.held]] = reached[self.held]
        channels[self.followers] = self.shares @ reached + self.constant

    def _ends(self, channels: Array) -> tuple[Array, Array]:
        """(k, 1) or (k, F) between what values each follower can go."""
        if self.led is None:
            return self.low, self.high
        ends = [np.repeat(e, channels.shape[1], axis=1) for e in (self.low, self.high)]
        for place, row, is_low, _ in self.led.each():
            ends[0 if is_low else 1][place] = channels[row]
        return ends[0], ends[1]


class HoldStep(Record, frozen=True):
    """Holds channels within stops that something leads.

    rows: (n,) of the channels. low, high: (n, 1) stops that stand still. low_rows, high_rows:
    (n,) rows of those that are led, −1 where one is not. soft: (2, n, 1).
    """

    rows: Rows
    low: Array
    high: Array
    low_rows: Rows
    high_rows: Rows
    soft: Array

    def run(self, channels: Array) -> None:
        """Bring the channels within their stops, in place."""
        low = np.where(self.low_rows[:, None] >= 0, channels[self.low_rows], self.low)
        high = np.where(self.high_rows[:, None] >= 0, channels[self.high_rows], self.high)
        # Where the stops have crossed, the high one holds.
        channels[self.rows] = softly(channels[self.rows], np.minimum(low, high), high, self.soft)


class CamsStep(Record, frozen=True):
    """Followers of cams, all at once. leads, followers: (k,) channel rows. bank: k profiles.
    made_of: (k,) the cam, and the channel that it leads."""

    leads: Rows
    followers: Rows
    bank: Bank
    adds: bool
    made_of: tuple[tuple[Cam, ChannelKey], ...] = ()

    @cached_property
    def where(self) -> Rows | slice:
        """The rows it gives, as a slice where they follow one another."""
        return as_slice(self.followers)

    def values(self, finder: Finder) -> Array:
        """(k, F) what the profiles say."""
        return values(self.bank, finder.channels, self.leads)


class OneWayStep(Record, frozen=True):
    """Ratios that run one way: q[followers] = ratio · q[leads] + offset. All (k,) or (k, 1)."""

    leads: Rows
    followers: Rows
    ratio: Array
    offset: Array
    adds: bool

    def values(self, finder: Finder) -> Array:
        """(k, F) in proportion to the leads."""
        result: Array = finder.channels[self.leads] * self.ratio + self.offset
        return result


class FormulaStep(Record, frozen=True):
    """Formulas of one shape, all at once.

    followers: (k,). run: from the values of the leaves to the result. leaves: one function
    for each leaf, that finds its values (k, F) or (k, 1). unit: (k, 1) what a result is
    multiplied by. made_of: (k,) the formulas.
    """

    followers: Rows
    run: Callable[[list[Array]], Array]
    leaves: tuple[Callable[[Finder], Array], ...]
    unit: Array
    adds: bool
    made_of: tuple[Formula, ...] = ()

    @cached_property
    def where(self) -> Rows | slice:
        """The rows it gives, as a slice where they follow one another."""
        return as_slice(self.followers)

    @cached_property
    def has_unit(self) -> bool:
        """Whether a result is multiplied by anything."""
        return bool((self.unit != 1.0).any())

    def values(self, finder: Finder) -> Array:
        """(k, F) what the formulas say; not finite where they say nothing."""
        with np.errstate(all="ignore"):
            result = self.run([leaf(finder) for leaf in self.leaves])
            if self.has_unit:
                result = result * self.unit
        shape = len(self.followers), finder.channels.shape[1]
        return result if result.shape == shape else np.broadcast_to(result, shape)


class RollStep(Record, frozen=True):
    """A wheel that rolls along its own heading. part: its id. channel: name of its turn.

    follower: row of its turn. radius: m. on: id of the part that it rolls over; "" for the ground.
    slip: row of the share by which it turns more than it rolls; −1 for none.
    """

    part: PartId
    channel: str
    follower: int
    radius: float
    on: PartId = GROUND
    slip: int = -1
    adds: bool = True

    @property
    def followers(self) -> Rows:
        """(1,) the row it gives."""
        return np.array([self.follower])

    def values(self, finder: Finder) -> Array:
        """(1, F) how far it has turned since the first frame."""
        frames = _seen_from(finder, self.on, finder.world(self.part, before=self.channel))
        axle = {"x": 0, "y": 1, "z": 2}[self.channel[-1]]
        # Laid along an axle, a mount may have its z anywhere about it.
        tree = finder.tree
        x, y, z = tree.mounts[2][:, tree.part_row[self.part], 0]
        upright = axle != 2 and z > 0 and math.hypot(x, y) < _ASKEW * z
        turns = rolled(frames[:, :3], axle, self.radius, upright=bool(upright))
        if upright and self._hangs(tree):
            turns = -turns
        if self.slip >= 0:
            slip = finder.channels[self.slip]
            more = np.diff(turns) * (1.0 + (slip[1:] + slip[:-1]) / 2)
            turns = np.concatenate([[0.0], np.cumsum(more)])
        return turns[None]

    def _hangs(self, tree: Tree) -> bool:
        """Whether the wheel's mount has its z downward at home, as on the twin of a carriage."""
        over = tree.upward_at_home(self.on) if self.on in tree.part_row else np.array([0, 0, 1.0])
        return bool(tree.upward_at_home(self.part, mounted=True) @ over < 0)


class BallRollStep(Record, frozen=True):
    """One of the three turns of a ball that rolls in any direction. part: its id. which: 0, 1, 2
    for its turn about x, y, z. rows: (3,) of these turns. radius: m. on: as RollStep has it."""

    part: PartId
    which: int
    rows: Rows
    radius: float
    on: PartId = GROUND
    adds: bool = True

    @property
    def followers(self) -> Rows:
        """(1,) the row it gives."""
        return self.rows[self.which : self.which + 1]

    def values(self, finder: Finder) -> Array:
        """(1, F) by how much the turn has changed since the first frame."""
        mounts = _seen_from(finder, self.on, finder.world(self.part, before="turn z"))
        mounted, start = turn_of(mounts), finder.channels[self.rows, 0]
        turns = rolled_ball(mounts[:, :3, 3], mounted[0] @ of_angles(start), self.radius)
        angles = angles_of(np.swapaxes(mounted, -1, -2) @ turns)
        # About x and z it goes on from where it was; y stays within a quarter turn.
        whole: Array = np.unwrap(angles, axis=0)
        grown: Array = whole[:, self.which] - whole[0, self.which]
        return grown[None]


def _seen_from(finder: Finder, on: PartId, frames: Array) -> Array:
    """(F, 4, 4) a frame as seen from a part; "" for the ground."""
    if not on:
        return frames
    seen: Array = np.linalg.inv(finder.world(on)) @ frames
    return seen


class PathRollStep(Record, frozen=True):
    """A wheel that rolls along a path: its turn is the way gone along it ÷ radius.

    part: its id. channel: name of its turn. follower: row of it. on: id of the part whose
    frame the path is in; "" for the ground's.
    """

    part: PartId
    channel: str
    follower: int
    radius: float
    path: Path
    on: PartId
    adds: bool = True

    @property
    def followers(self) -> Rows:
        """(1,) the row it gives."""
        return np.array([self.follower])

    def values(self, finder: Finder) -> Array:
        """(1, F) the way gone from the path's beginning, as a turn; round and round counts."""
        places = finder.world(self.part, before=self.channel)[:, :3, 3]
        if self.on:
            frames = finder.world(self.on)
            offset = places - frames[:, :3, 3]
            places = np.einsum("fij,fj->fi", np.linalg.inv(frames[:, :3, :3]), offset)
        way = way_to(self.path, places)
        if comes_back(self.path):
            way = np.unwrap(way, period=length(self.path))
        return (way / self.radius)[None]


class DriveStep(Record, frozen=True):
    """One of the three channels of a carriage that goes along its own heading.

    travel, steering, turning: rows; −1 for a carriage that has no steering, or makes no other turn.
    heading: row of its turn. which: 0 and 1 for its place, 2 for its turn. follower: row.
    """

    travel: int
    steering: int
    turning: int
    heading: int
    which: int
    follower: int
    wheelbase: float
    axle: float
    adds: bool = True

    @property
    def followers(self) -> Rows:
        """(1,) the row it gives."""
        return np.array([self.follower])

    def values(self, finder: Finder) -> Array:
        """(1, F) how far it has gone since the first frame."""
        channels = finder.channels
        nothing = np.zeros(channels.shape[1])
        steering, turning = (
            channels[row] if row >= 0 else nothing for row in (self.steering, self.turning)
        )
        start, size = float(channels[self.heading, 0]), (self.wheelbase, self.axle)
        way = driven(channels[self.travel], steering, start, *size, turning)
        return way[self.which][None]


class TotalStep(Record, frozen=True):
    """What a rate adds up to: it stands where it is put, as whoever knows the time puts it.

    follower: row of what grows.
    """

    follower: int
    adds: bool = True

    @property
    def followers(self) -> Rows:
        """(1,) the row it gives."""
        return np.array([self.follower])

    def values(self, finder: Finder) -> Array:
        """(1, F) nothing: no frame knows what time went by before."""
        return np.zeros((1, finder.channels.shape[1]))


class RumbleStep(Record, frozen=True):
    """Rumbles: q[followers] += q[amounts] · share · Σ height · sin(speed · q[clock] + phase).

    amounts, followers: (k,). clock: row of the time (s). share: (k, 1). speed, height, phase:
    (k, n, 1), as `mechanics.rumble.waves`.
    """

    amounts: Rows
    followers: Rows
    clock: int
    share: Array
    speed: Array
    height: Array
    phase: Array
    adds: bool = True

    def values(self, finder: Finder) -> Array:
        """(k, F) how far each is shaken."""
        channels = finder.channels
        waves = self.height * np.sin(self.speed * channels[self.clock] + self.phase)
        shaken: Array = channels[self.amounts] * self.share * waves.sum(axis=1)
        return shaken


ValueStep = (
    CamsStep
    | OneWayStep
    | RollStep
    | BallRollStep
    | PathRollStep
    | DriveStep
    | TotalStep
    | RumbleStep
    | FormulaStep
)


# What grows by how far something goes, from frame to frame.
GROWING = (RollStep, BallRollStep, DriveStep)


class Level(Record, frozen=True):
    """Steps that can be computed from what is known before them.

    trains first write their channels; setting steps then give values, adding ones add to
    them, constraints change what parts have otherwise, and limits hold what was written. loops:
    closed linkages, closed last. holds: what is held within stops that something leads.
    """

    trains: tuple[TrainStep | FreedomsStep, ...]
    sets: tuple[ValueStep, ...]
    adds: tuple[ValueStep, ...]
    limits: Limits
    written: Rows
    loops: tuple[LoopBatch, ...] = ()
    constraints: tuple[ConstraintBatch | ReachStep, ...] = ()
    holds: HoldStep | None = None
