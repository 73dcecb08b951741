"""Closed linkages: which channels close a loop, which lead it, and how mobile it is."""

from __future__ import annotations

from collections.abc import Container, Iterable, Mapping

import numpy as np

from gremio.core.arrays import Array
from gremio.core.frames import Triple, triple
from gremio.core.plan.carrying import carriers
from gremio.core.plan.loop_geometry import (
    RANK,
    closed_near,
    frames_in_loop,
    gaps,
    jacobian_of,
    moving,
    sides,
    size_of,
)
from gremio.core.plan.trains import Row
from gremio.core.records import Record
from gremio.core.rig.channels import key, split
from gremio.core.rig.ids import GROUND, ChannelKey, PartId, ThingId
from gremio.core.rig.model import Closure, Rig
from gremio.core.rig.numbers import kind_of

# How far from home the rank is looked for as well, where home is a special place: in turns (rad),
# and in shares of the loop's size.
_ASIDE = (1e-3, 0.03)
# Of what no joint can close: below the first share of the loop's size nobody is told, for so
# much is a model's rounding; above the second the loop counts as open.
ROUNDING, OPEN = 1e-6, 1e-3


class Loop(Record, frozen=True):
    """Closures that hang together, and the channels that close them.

    closures: ids. parts: ids of the parts that move in it, in computing order. channels: all
    their free channels by key, and after those of its parts, its joints, what trains through it
    have besides. given: those that other links set. free: those that lead it
    besides, and that a hand can move. idle: those of the free ones that move nothing but their
    own part. found: those that are solved for. swings: ids of parts on balls that could spin
    without moving anything, such as a rod between two balls, and about what axis of theirs; they
    swing from home without spinning. rows: of trains that run through the loop, such as a planet
    on its connecting rod; they are solved with it, and their channels stand among its channels.
    gruebler: its mobility by counting joints; mobility: by the rank of the Jacobian, which is
    what it has; they differ for special geometry. surplus: how many of the given channels are
    too many.
    """

    closures: tuple[ThingId, ...]
    parts: tuple[PartId, ...]
    channels: tuple[ChannelKey, ...]
    joints: tuple[ChannelKey, ...]
    given: tuple[ChannelKey, ...]
    free: tuple[ChannelKey, ...]
    idle: tuple[ChannelKey, ...]
    found: tuple[ChannelKey, ...]
    swings: tuple[tuple[PartId, Triple], ...]
    rows: tuple[Row, ...]
    gruebler: int
    mobility: int
    surplus: int


def find_loops(
    rig: Rig,
    given: Container[ChannelKey],
    computing: Iterable[str],
    rows: Iterable[Row] = (),
) -> list[Loop]:
    """The loops of a rig. given: keys of channels that other links set. computing: ids of the
    parts, every one after what carries it. rows: of trains, that are solved with the loops whose
    channels they have."""
    order = {part: i for i, part in enumerate(computing)}
    groups: list[tuple[set[ThingId], set[ChannelKey]]] = []
    for closure_id, closure in rig.closures.items():
        if is_sound(rig, closure):
            parts = {p for side in sides(rig, closure) for p in side}
            _merge(groups, {closure_id}, {c for p in parts for c in moving(rig, p)})
    through = []
    for row in rows:
        if any(channels & row.factors.keys() for _, channels in groups):
            _merge(groups, set(), set(row.factors))
            through.append(row)
    found = []
    for closures, channels in groups:
        ids = tuple(c for c in rig.closures if c in closures)
        every = {p for c in ids for side in sides(rig, rig.closures[c]) for p in side}
        parts_in_order = tuple(sorted(every, key=order.__getitem__))
        own = tuple(row for row in through if row.factors.keys() <= channels)
        found.append(_loop(rig, ids, parts_in_order, own, given))
    return found


def _merge(
    groups: list[tuple[set[ThingId], set[ChannelKey]]],
    closures: set[ThingId],
    channels: set[ChannelKey],
) -> None:
    """Put closures and channels among groups of those that hang together."""
    meeting = [one for one in groups if one[1] & channels]
    for one in meeting:
        groups.remove(one)
        closures, channels = closures | one[0], channels | one[1]
    groups.append((closures, channels))


def is_sound(rig: Rig, closure: Closure) -> bool:
    """Whether the parts of a closure are there, and are two."""
    known = closure.one in rig.parts and (closure.two is None or closure.two in rig.parts)
    return known and closure.one != closure.two


def _loop(
    rig: Rig,
    closures: tuple[ThingId, ...],
    parts: tuple[PartId, ...],
    rows: tuple[Row, ...],
    given: Container[ChannelKey],
) -> Loop:
    joints = tuple(c for part in parts for c in moving(rig, part))
    others = dict.fromkeys(c for row in rows for c in row.factors if c not in joints)
    channels = (*joints, *others)
    led = tuple(c for c in channels if c in given)
    open_ones = [c for c in channels if c not in given]
    swings = _swings(rig, closures, parts, joints, given)
    size = size_of(rig, closures, parts)
    closing = _at_a_usual_place(rig, closures, parts, joints)
    jacobian = _with_rows(rig, closing, rows, channels, size)
    tolerance = _tolerance(jacobian)
    whole = _rank(jacobian, tolerance)
    mobility = len(channels) - whole
    # What keeps a part from spinning idly counts as one more thing to be met.
    jacobian = np.vstack([jacobian, *(_spin_row(channels, *swing) for swing in swings)])
    ranked = open_ones[::-1]
    ranked.sort(key=lambda c: _leads_rather(rig, c, parts))
    chosen = _independent(jacobian, [channels.index(c) for c in ranked], tolerance)
    rank = len(chosen)
    found = tuple(c for i, c in enumerate(channels) if i in chosen)
    free = tuple(c for c in open_ones if c not in found)
    idle = tuple(c for c in free if _is_idle(jacobian, channels, c, tolerance))
    return Loop(
        closures, parts, channels, joints, led, free, idle, found, swings, rows,
        gruebler=_gruebler(rig, closures, joints, closing)
        + len(others) - len(rows),
        mobility=mobility,
        surplus=max(whole + len(swings) - rank, 0),
    )  # fmt: skip


def found_at(rig: Rig, loop: Loop, values: Mapping[ChannelKey, float]) -> Array:
    """(m, found) how what a loop must meet changes with each channel that is solved for, with
    turns told as arcs of the loop's size. values: SI by key, near home."""
    size = size_of(rig, loop.closures, loop.parts)
    closing = jacobian_of(rig, loop.closures, loop.parts, loop.joints, values)
    whole = _with_rows(rig, closing * _arcs(loop.joints, size), loop.rows, loop.channels, size)
    whole = np.vstack([whole, *(_spin_row(loop.channels, *swing) for swing in loop.swings)])
    found: Array = whole[:, [loop.channels.index(c) for c in loop.found]]
    return found


def _arcs(joints: tuple[ChannelKey, ...], size: float) -> Array:
    """(joints,) what a column of a Jacobian is multiplied by to be of an arc of a loop's size."""
    return np.array([1.0 if "move" in split(c)[1] else 1.0 / size for c in joints])


def _with_rows(
    rig: Rig, closing: Array, rows: tuple[Row, ...], channels: tuple[ChannelKey, ...], size: float
) -> Array:
    """The Jacobian of closures, turns told as arcs, with rows of trains below it."""
    wide = np.zeros((len(closing), len(channels)))
    wide[:, : closing.shape[1]] = closing
    scale = [1.0 if kind_of(rig, c) == "length" else 1.0 / size for c in channels]
    return np.vstack([wide, row_factors(rig, rows, channels, size)[0] * scale])


def _leads_rather(rig: Rig, channel: ChannelKey, parts: tuple[PartId, ...]) -> tuple[int, int, int]:
    """How rather a channel leads a loop than is solved for: controls, then tables of slides, then
    what is nearest to the ground: a crank, not a rod. Of equals what was made first leads."""
    owner = split(channel)[0]
    if owner not in parts or channel not in moving(rig, PartId(owner)):
        return int(channel in rig.controls), 0, -len(parts)
    chain = [p for p in carriers(rig, PartId(owner)) if p in parts and moving(rig, p)]
    return 0, int(_is_table(rig, PartId(owner), parts)), 1 - len(chain)


def _is_table(rig: Rig, part: PartId, parts: tuple[PartId, ...]) -> bool:
    """Whether a part is of a slide on a slide, which place a point together."""
    if rig.parts[part].joint.kind != "slide":
        return False
    above = rig.parts[part].parent
    on_one = above in parts and rig.parts[PartId(above or GROUND)].joint.kind == "slide"
    carries = (p for p in parts if rig.parts[p].parent == part)
    return on_one or any(rig.parts[p].joint.kind == "slide" for p in carries)


def _independent(jacobian: Array, columns: list[int], tolerance: float) -> list[int]:
    """Those columns of a Jacobian that say what none before them does, by Gram and Schmidt."""
    chosen: list[int] = []
    rest = jacobian.astype(float).copy()
    for column in columns:
        size = float(np.linalg.norm(rest[:, column]))
        if size > tolerance:
            unit = rest[:, column] / size
            # Twice, since once leaves roundings.
            for _ in range(2):
                rest -= np.outer(unit, unit @ rest)
            chosen.append(column)
    return chosen


def row_factors(
    rig: Rig, rows: tuple[Row, ...], channels: tuple[ChannelKey, ...], size: float
) -> tuple[Array, Array]:
    """(rows, channels) factors and (rows,) constants of rows of trains, so weighted that what a
    row misses is a length: the channel that counts most, gone a radian or a loop's size (m) out of
    its way, misses by that size."""
    units = np.array([size if kind_of(rig, c) == "length" else 1.0 for c in channels])
    factors = np.zeros((len(rows), len(channels)))
    for i, row in enumerate(rows):
        for channel, factor in row.factors.items():
            factors[i, channels.index(channel)] = factor
    largest = np.abs(factors * units).max(axis=1, initial=0.0)
    weight = size / np.maximum(largest, 1e-300)
    return factors * weight[:, None], np.array([row.constant for row in rows]) * weight


def _swings(
    rig: Rig,
    closures: tuple[ThingId, ...],
    parts: tuple[PartId, ...],
    channels: tuple[ChannelKey, ...],
    given: Container[ChannelKey],
) -> tuple[tuple[PartId, Triple], ...]:
    """The parts of a loop that turn as they like about a point, but for one axis about which
    turning moves nothing else; with that axis, in the part's joint at home."""
    found = []
    home = dict.fromkeys(channels, 0.0)
    jacobian = jacobian_of(rig, closures, parts, channels, home)
    for part in parts:
        turns = [key(part, f"turn {axis}") for axis in "xyz"]
        if any(c not in channels or c in given for c in turns):
            continue
        own = jacobian[:, [channels.index(c) for c in turns]]
        _, sizes, ways = np.linalg.svd(own)
        if len(sizes) == 3 and sizes[2] <= RANK * sizes[0] < sizes[1]:
            found.append((part, triple(ways[2])))
    return tuple(found)


def _spin_row(channels: tuple[ChannelKey, ...], part: PartId, axis: Triple) -> Array:
    """(1, channels) how much a part spins about an axis with each channel, at home."""
    row = np.zeros((1, len(channels)))
    for name, share in zip("xyz", axis, strict=True):
        row[0, channels.index(key(part, f"turn {name}"))] = share
    return row


def _rank(jacobian: Array, tolerance: float) -> int:
    """How many singular values are above a tolerance, which is of the whole Jacobian: that of a
    few columns would be compared with their own rounding."""
    if jacobian.size == 0:
        return 0
    size = np.linalg.svd(jacobian, compute_uv=False)
    return int((size > tolerance).sum())


def _tolerance(jacobian: Array) -> float:
    """Below what a singular value of this Jacobian, or of a part of it, is nothing."""
    return RANK * max(float(np.linalg.norm(jacobian, 2)) if jacobian.size else 0.0, 1e-12)


def _is_idle(
    jacobian: Array, channels: tuple[ChannelKey, ...], channel: ChannelKey, tolerance: float
) -> bool:
    """Whether a part can move by a channel and its other channels while all else stands."""
    own = [i for i, c in enumerate(channels) if split(c)[0] == split(channel)[0]]
    rest = [i for i in own if channels[i] != channel]
    return _rank(jacobian[:, own], tolerance) == _rank(jacobian[:, rest], tolerance)


def _at_a_usual_place(
    rig: Rig,
    closures: tuple[ThingId, ...],
    parts: tuple[PartId, ...],
    channels: tuple[ChannelKey, ...],
) -> Array:
    """The Jacobian where the loop is closed next to home, or a little aside where its rank is
    greater there: a linkage that is stretched out at home is not more mobile for it. Its columns
    of turns are told for an arc as long as the loop's size, so that all can be compared."""
    home = closed_near(rig, closures, parts, channels, dict.fromkeys(channels, 0.0))
    found: Array
    size = size_of(rig, closures, parts)
    scale = _arcs(channels, size)
    found = jacobian_of(rig, closures, parts, channels, home) * scale
    for way in _ASIDE:
        aside = {
            c: home[c] + way * (1 + 0.37 * (i % 5)) * (size if "move" in split(c)[1] else 1.0)
            for i, c in enumerate(channels)
        }
        there = closed_near(rig, closures, parts, channels, aside)
        other = jacobian_of(rig, closures, parts, channels, there) * scale
        if _rank(other, _tolerance(other)) > _rank(found, _tolerance(found)):
            found = other
    return found


def missed(rig: Rig, loop: Loop) -> tuple[ThingId, float]:
    """The first closure of a loop that can't be met together with those made before it, however
    all joints stand, and by how much its points then miss (m); the last one and 0 where all can.
    Stops are not looked at."""
    values: dict[ChannelKey, float] = dict.fromkeys(loop.joints, 0.0)
    size = size_of(rig, loop.closures, loop.parts)
    for count in range(1, len(loop.closures) + 1):
        some = loop.closures[:count]
        values = closed_near(rig, some, loop.parts, loop.joints, values)
        left = gaps(rig, some, frames_in_loop(rig, loop.parts, values))
        if max(left.values()) > OPEN * size:
            return some[-1], max(left.values())
    return loop.closures[-1], 0.0


def _gruebler(
    rig: Rig, closures: tuple[ThingId, ...], channels: tuple[ChannelKey, ...], jacobian: Array
) -> int:
    """Mobility by counting: the freedoms of the joints less what each closure takes.

    In the plane a pin takes two, a rail one; in space three and two. M = 3 (n − 1) − 2 j₁ − j₂
    (Gruebler–Kutzbach) says the same of a plane chain.
    """
    plane = _is_plane(jacobian, rig, closures)
    takes = sum(
        (2 if plane else 3) - (1 if rig.closures[c].kind == "rail" else 0) for c in closures
    )
    return len(channels) - takes


def _is_plane(jacobian: Array, rig: Rig, closures: tuple[ThingId, ...]) -> bool:
    """Whether every point stays in one plane: its gaps change in two directions only."""
    tolerance = _tolerance(jacobian)
    if not all(rig.closures[c].kind == "pin" for c in closures):
        most = sum(1 + (rig.closures[c].kind == "pin") for c in closures)
        return _rank(jacobian, tolerance) <= most
    ways = jacobian.reshape(len(closures), 3, -1).transpose(1, 0, 2).reshape(3, -1)
    return _rank(ways, tolerance) <= 2
