"""Ratios that hang together: a train, solved as a linear system.

Every ratio is a row Σ factor · channel = constant. Rows of two channels join them into a
class, in which each is a multiple of one; rows of three (Willis' equation for planetary
sets and differentials) are then solved among the classes. What is left over are the
train's freedoms.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Mapping
from typing import Literal, NamedTuple

from gremio.core.records import Record
from gremio.core.rig.ids import NOTHING, ChannelKey, ThingId

_ZERO = 1e-12


class Row(NamedTuple):
    """Σ factor · channel = constant. link: id of the link, or of the screw, that says so."""

    factors: dict[ChannelKey, float]
    constant: float
    link: ThingId


class Share(NamedTuple):
    """What a member is: Σ factor · input + constant."""

    factors: dict[ChannelKey, float]
    constant: float


class Fault(NamedTuple):
    """What is wrong with a row.

    kind: "locked", nothing in the loop can move; "disagrees", the train can't be put
    together at all; "twice", its channels are led already. link: id of the row's link.
    loop: channels, once round. factor: what once round multiplies by, 1 for a loop that
    agrees. drivers: for "twice", the channels that lead already.
    """

    kind: Literal["locked", "disagrees", "twice"]
    link: ThingId
    loop: tuple[ChannelKey, ...] = ()
    factor: float = 1.0
    drivers: tuple[ChannelKey, ...] = ()


class Train(Record, frozen=True):
    """Channels that move together.

    inputs: channels whose value is given from outside, one for each freedom. shares: every
    other member, from the inputs. rows: those that hold, in the order given.
    """

    inputs: tuple[ChannelKey, ...]
    shares: dict[ChannelKey, Share]
    rows: tuple[Row, ...]


def solve_trains(
    rows: Iterable[Row], driven: Iterable[ChannelKey]
) -> tuple[list[Train], list[Fault]]:
    """The trains that rows make, and the rows that are at fault.

    driven: channels whose value is decided elsewhere (controls, followers of cams); they
    become inputs. A train may have as many of them as it has freedoms. Every row has two or
    three channels, with no factor of zero. A row at fault with "twice" or "disagrees" is
    left out; one that is "locked" holds.
    """
    given = list(rows)
    classes = _Classes(driven)
    faults: list[Fault] = []
    kept: list[Row] = []
    wide: list[Row] = []
    for row in given:
        if len(row.factors) > 2:
            for channel in row.factors:
                classes.find(channel)
            wide.append(row)
        elif (fault := classes.join(row)) is None or fault.kind == "locked":
            kept.append(row)
            faults += [fault] if fault else []
        else:
            faults.append(fault)
    pivots, more, held = _eliminate(wide, classes)
    faults += more
    return _trains(classes, pivots, [*kept, *held]), faults


class _Classes:
    """Channels that are multiples of one another: each is weight · root + constant."""

    def __init__(self, driven: Iterable[ChannelKey]) -> None:
        self._driven = set(driven)
        self._above: dict[ChannelKey, tuple[ChannelKey, float, float]] = {}
        self.driver: dict[ChannelKey, ChannelKey] = {}
        self.fixed: dict[ChannelKey, float] = {}
        self._beside: dict[ChannelKey, list[ChannelKey]] = {}

    @property
    def channels(self) -> list[ChannelKey]:
        """Every channel met, in order."""
        return list(self._above)

    def find(self, channel: ChannelKey) -> tuple[ChannelKey, float, float]:
        """Root, weight and constant of a channel."""
        if channel not in self._above:
            self._above[channel] = (channel, 1.0, 0.0)
            if channel in self._driven:
                self.driver[channel] = channel
        trail: list[ChannelKey] = []
        here = channel
        while self._above[here][0] != here:
            trail.append(here)
            here = self._above[here][0]
        weight, constant = 1.0, 0.0
        for step in reversed(trail):
            _, w, c = self._above[step]
            weight, constant = w * weight, w * constant + c
            self._above[step] = (here, weight, constant)
        return here, weight, constant

    def join(self, row: Row) -> Fault | None:
        """Take in a row of two channels; the fault when it can't be, or locks."""
        (x, a), (y, b) = reversed(row.factors.items())
        root_x, w_x, c_x = self.find(x)
        root_y, w_y, c_y = self.find(y)
        rest = row.constant - a * c_x - b * c_y
        if root_x == root_y:
            return self._close(row, (x, y), (a * w_x, b * w_y), rest)
        drivers = [self.driver[r] for r in (root_x, root_y) if r in self.driver]
        if len(drivers) == 2:
            return Fault("twice", row.link, drivers=tuple(drivers))
        if root_x in self.fixed and root_y in self.fixed:
            return Fault("disagrees", row.link, (x, y))
        self._above[root_y] = (root_x, -a * w_x / (b * w_y), rest / (b * w_y))
        if root_y in self.driver:
            self.driver[root_x] = self.driver.pop(root_y)
        if root_y in self.fixed:
            _, w, c = self._above[root_y]
            self.fixed[root_x] = (self.fixed.pop(root_y) - c) / w
        self._beside.setdefault(x, []).append(y)
        self._beside.setdefault(y, []).append(x)
        return None

    def _close(
        self,
        row: Row,
        ends: tuple[ChannelKey, ChannelKey],
        weights: tuple[float, float],
        rest: float,
    ) -> Fault | None:
        total = weights[0] + weights[1]
        size = abs(weights[0]) + abs(weights[1])
        loop = self.way(*ends)
        root = self.find(ends[0])[0]
        if abs(total) <= 1e-9 * size:
            if abs(rest) <= 1e-9 * max(1.0, size):
                return None
            return Fault("disagrees", row.link, loop)
        self.fixed[root] = rest / total
        return Fault("locked", row.link, loop, -weights[0] / weights[1])

    def way(self, start: ChannelKey, end: ChannelKey) -> tuple[ChannelKey, ...]:
        """The channels from one to another along rows of two, both ends included."""
        before: dict[ChannelKey, ChannelKey] = {start: NOTHING}
        waiting = deque([start])
        while waiting:
            here = waiting.popleft()
            if here == end:
                break
            for other in self._beside.get(here, []):
                if other not in before:
                    before[other] = here
                    waiting.append(other)
        trail = [end]
        while trail[-1] != start and before.get(trail[-1]):
            trail.append(before[trail[-1]])
        return tuple(reversed(trail))


def _in_classes(row: Row, classes: _Classes) -> tuple[dict[ChannelKey, float], float]:
    """A row with each channel written as a multiple of its class's root."""
    factors: dict[ChannelKey, float] = {}
    constant = row.constant
    for channel, factor in row.factors.items():
        root, weight, shift = classes.find(channel)
        constant -= factor * shift
        if root in classes.fixed:
            constant -= factor * weight * classes.fixed[root]
        else:
            factors[root] = factors.get(root, 0.0) + factor * weight
    return factors, constant


def _eliminate(
    rows: list[Row], classes: _Classes
) -> tuple[dict[ChannelKey, Share], list[Fault], list[Row]]:
    """Solve rows of three among the classes: Gauss and Jordan, driven classes never solved for.

    Returns the classes solved for, the rows at fault, and the rows that hold.
    """
    pivots: dict[ChannelKey, Share] = {}
    faults: list[Fault] = []
    held: list[Row] = []
    for row in rows:
        factors, constant = _in_classes(row, classes)
        factors, constant = _substituted(factors, constant, pivots)
        names = tuple(row.factors)
        if not factors:
            if abs(constant) > 1e-9:
                faults.append(Fault("disagrees", row.link, names))
            else:
                held.append(row)
            continue
        # The row's own follower is solved for where it can be.
        wanted = [classes.find(channel)[0] for channel in row.factors]
        free = [r for r in wanted if r in factors and r not in classes.driver]
        free += [r for r in factors if r not in classes.driver and r not in free]
        if not free:
            drivers = tuple(classes.driver[root] for root in factors)
            faults.append(Fault("twice", row.link, names, drivers=drivers))
            continue
        pivot = free[0]
        lead = factors.pop(pivot)
        share = Share({r: -f / lead for r, f in factors.items()}, constant / lead)
        if not share.factors:
            faults.append(Fault("locked", row.link, names, 0.0))
        pivots = {
            other: Share(*_substituted(s.factors, s.constant, {pivot: share}, sign=-1.0))
            for other, s in pivots.items()
        }
        pivots[pivot] = share
        held.append(row)
    return pivots, faults, held


def _substituted(
    factors: Mapping[ChannelKey, float],
    constant: float,
    pivots: Mapping[ChannelKey, Share],
    sign: float = 1.0,
) -> tuple[dict[ChannelKey, float], float]:
    """Factors with solved classes replaced. sign: 1 where the constant stands on the other
    side of the equation, −1 where it stands on the same."""
    result: dict[ChannelKey, float] = {}
    for root, factor in factors.items():
        if root in pivots:
            share = pivots[root]
            constant -= sign * factor * share.constant
            for other, part in share.factors.items():
                result[other] = result.get(other, 0.0) + factor * part
        else:
            result[root] = result.get(root, 0.0) + factor
    size = max((abs(f) for f in factors.values()), default=0.0)
    return {r: f for r, f in result.items() if abs(f) > _ZERO * max(size, 1.0)}, constant


def _trains(classes: _Classes, pivots: dict[ChannelKey, Share], rows: list[Row]) -> list[Train]:
    shares: dict[ChannelKey, Share] = {}
    inputs: dict[ChannelKey, ChannelKey] = {}
    scales: dict[ChannelKey, tuple[float, float]] = {}
    for channel in classes.channels:
        root, weight, constant = classes.find(channel)
        if root in classes.fixed:
            if channel == classes.driver.get(root):
                continue
            shares[channel] = Share({}, weight * classes.fixed[root] + constant)
        elif root in pivots:
            solved = pivots[root]
            factors = {r: weight * f for r, f in solved.factors.items()}
            shares[channel] = Share(factors, weight * solved.constant + constant)
        else:
            chosen = inputs.setdefault(root, classes.driver.get(root, root))
            if root not in scales:
                scales[root] = classes.find(chosen)[1:]
            shares[channel] = Share({root: weight}, constant)
    for root in {r for share in shares.values() for r in share.factors}:
        inputs.setdefault(root, classes.driver.get(root, root))
        scales.setdefault(root, classes.find(inputs[root])[1:])
    given = set(inputs.values())
    made = {
        channel: _from_inputs(share, inputs, scales)
        for channel, share in shares.items()
        if channel not in given
    }
    return _grouped(made, list(inputs.values()), rows)


def _from_inputs(
    share: Share,
    inputs: Mapping[ChannelKey, ChannelKey],
    scales: Mapping[ChannelKey, tuple[float, float]],
) -> Share:
    """A share of roots as a share of the channels that stand for them."""
    factors: dict[ChannelKey, float] = {}
    constant = share.constant
    for root, factor in share.factors.items():
        weight, shift = scales[root]
        factors[inputs[root]] = factor / weight
        constant -= factor * shift / weight
    return Share(factors, constant)


def _grouped(
    shares: dict[ChannelKey, Share], inputs: list[ChannelKey], rows: list[Row]
) -> list[Train]:
    """Apart what has nothing to do with each other."""
    group: dict[ChannelKey, ChannelKey] = {}

    def head(channel: ChannelKey) -> ChannelKey:
        trail = []
        while group.setdefault(channel, channel) != channel:
            trail.append(channel)
            channel = group[channel]
        for step in trail:
            group[step] = channel
        return channel

    for row in rows:
        first, *others = row.factors
        for other in others:
            group[head(other)] = head(first)
    members: dict[ChannelKey, dict[ChannelKey, Share]] = {}
    for channel, share in shares.items():
        members.setdefault(head(channel), {})[channel] = share
    of_inputs: dict[ChannelKey, list[ChannelKey]] = {}
    for channel in inputs:
        of_inputs.setdefault(head(channel), []).append(channel)
    of_rows: dict[ChannelKey, list[Row]] = {}
    for row in rows:
        of_rows.setdefault(head(next(iter(row.factors))), []).append(row)
    return [
        Train(tuple(of_inputs.get(name, ())), found, tuple(of_rows.get(name, ())))
        for name, found in members.items()
    ]
