"""Islands: what is computed together, apart from all else.

What only reads the same input is not joined by it: two cams led by one slider are two islands.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from functools import cached_property

from gremio.core.plan.blocks import Block
from gremio.core.plan.carrying import carriers
from gremio.core.records import Record
from gremio.core.rig.channels import split
from gremio.core.rig.constraints import all_targets, parts_of
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.links import leads
from gremio.core.rig.model import Formula, Ratio, Rig, Rolling


class Island(Record, frozen=True):
    """Blocks that read one another. levels: as many as the arrangement has up to its last block;
    each can be computed from those before it."""

    levels: tuple[tuple[Block, ...], ...]

    @cached_property
    def blocks(self) -> tuple[Block, ...]:
        """In computing order."""
        return tuple(block for level in self.levels for block in level)

    @cached_property
    def things(self) -> frozenset[ThingId]:
        """Ids of the links, closures and constraints in it; a screw stands with its part's."""
        return frozenset(i for block in self.blocks for i in block.links)

    @cached_property
    def writes(self) -> frozenset[ChannelKey]:
        """Keys of the channels that it gives."""
        return frozenset(c for block in self.blocks for c in block.writes)

    @cached_property
    def reads(self) -> frozenset[ChannelKey]:
        """Keys of the channels that it looks at, its own among them."""
        return frozenset(c for block in self.blocks for c in block.reads)

    @property
    def looped(self) -> bool:
        """Whether a linkage is in it, whose plan follows where its parts stand."""
        return any(block.loop is not None for block in self.blocks)

    @cached_property
    def bound(self) -> frozenset[ChannelKey]:
        """Keys of the channels of its trains and linkages, those that lead them too: a train is
        one, even where a control leads it, and what leads a train is given in a linkage."""
        return frozenset(channel for block in self.blocks for channel in _bound(block))

    def meets(self, other: Island) -> bool:
        """Whether two are one: one looks at what the other gives, both give one channel, or
        their trains and linkages hang together."""
        return not (
            self.reads.isdisjoint(other.writes)
            and self.bound.isdisjoint(other.bound)
            and self.writes.isdisjoint(other.reads)
            and self.writes.isdisjoint(other.writes)
        )


def _bound(block: Block) -> Iterable[ChannelKey]:
    """Keys of the channels of a train, or of a linkage; none of another block."""
    if block.train is not None:
        return (*block.train.inputs, *block.train.shares)
    return () if block.loop is None else block.loop.channels


def islands_of(levels: Iterable[Iterable[Block]]) -> tuple[Island, ...]:
    """The islands of an arrangement's levels, in the order in which they begin."""
    placed = [(depth, block) for depth, level in enumerate(levels) for block in level]
    group = list(range(len(placed)))

    def head(i: int) -> int:
        while group[i] != i:
            group[i] = group[group[i]]
            i = group[i]
        return i

    writer: dict[ChannelKey, int] = {}
    for i, (_, block) in enumerate(placed):
        for channel in block.writes:
            if channel in writer:
                group[head(i)] = head(writer[channel])
            writer[channel] = i
    bound: dict[ChannelKey, int] = {}
    of_link: dict[ThingId, int] = {}
    for i, (_, block) in enumerate(placed):
        for channel in block.reads:
            if channel in writer:
                group[head(i)] = head(writer[channel])
        for channel in _bound(block):
            group[head(i)] = head(bound.setdefault(channel, i))
        # A cam is one thing, however many followers it has.
        for link in block.links:
            if link in of_link:
                group[head(i)] = head(of_link[link])
            of_link[link] = i
    members: dict[int, list[list[Block]]] = {}
    for i, (depth, block) in enumerate(placed):
        those = members.setdefault(head(i), [])
        while len(those) <= depth:
            those.append([])
        those[depth].append(block)
    return tuple(Island(tuple(map(tuple, those))) for those in members.values())


def things_of(rig: Rig, island: Island) -> frozenset[ThingId]:
    """Ids of everything that the plan of an island follows: what is in it, what its channels are
    of, and, where it looks along frames, all that carries those parts."""
    found: set[ThingId] = set(island.things)
    for block in island.blocks:
        found.update(split(channel)[0] for channel in (*block.reads, *block.writes))
    looked_at = [one for block in island.blocks for one in _looked_at(rig, block)]
    found.update(looked_at)
    if looked_at or any(_sees_frames(rig, block) for block in island.blocks):
        for part in [PartId(i) for i in found if i in rig.parts]:
            found.update(carriers(rig, part))
    return frozenset(found)


def _sees_frames(rig: Rig, block: Block) -> bool:
    """Whether the plan of a block depends on what carries its parts."""
    if block.loop is not None or block.constraint:
        return True
    links = (rig.links.get(i) for i in block.links)
    return any(
        isinstance(link, Rolling) or (isinstance(link, Ratio) and bool(link.carrier))
        for link in links
    )


def _looked_at(rig: Rig, block: Block) -> Iterator[ThingId]:
    """Ids of what a block looks at besides channels: paths, measures, and parts as a whole."""
    if block.constraint:
        constraint = rig.constraints[block.constraint]
        yield constraint.part
        yield from parts_of(rig, constraint)
        yield from (target.path for target in all_targets(constraint) if target.path)
    for closure in block.loop.closures if block.loop is not None else ():
        ends = rig.closures[closure]
        yield from (part for part in (ends.one, ends.two) if part is not None)
    for link in map(rig.links.get, block.links):
        if isinstance(link, Rolling):
            yield from () if link.on is None else (link.on,)
            if link.path in rig.paths:
                yield link.path
                on = rig.paths[link.path].on
                yield from () if on is None else (on,)
        elif isinstance(link, Formula):
            for name in map(ThingId, leads(link)):
                if name in rig.parts:
                    yield name
                elif name in rig.measures:
                    yield name
                    yield from (end.part for end in rig.measures[name].ends)


def by_thing(rig: Rig, islands: Iterable[Island]) -> dict[ThingId, tuple[Island, ...]]:
    """The islands whose plan follows each thing, by its id."""
    found: dict[ThingId, list[Island]] = {}
    for island in islands:
        for thing in things_of(rig, island):
            found.setdefault(thing, []).append(island)
    return {thing: tuple(those) for thing, those in found.items()}


def touched_islands(
    following: Mapping[ThingId, tuple[Island, ...]], things: Iterable[ThingId]
) -> list[Island]:
    """The islands whose plan follows one of some things, by id. following: as of `by_thing`."""
    found = {id(one): one for thing in things for one in following.get(thing, ())}
    return list(found.values())
