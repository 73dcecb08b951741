"""Islands: what is computed together, apart from all else.

What only reads the same input is not joined by it: two doors led by one slider are two islands.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from gremio.core.plan.blocks import Block
from gremio.core.rig.ids import ChannelKey


@dataclass(frozen=True)
class Island:
    """Blocks that read one another. blocks: in computing order. things: ids of the links,
    closures and constraints in it."""

    blocks: tuple[Block, ...]
    things: frozenset[str]


def islands_of(levels: Iterable[Iterable[Block]]) -> tuple[Island, ...]:
    """The islands of an arrangement's levels, in the order in which they begin."""
    blocks = [block for level in levels for block in level]
    group = list(range(len(blocks)))

    def head(i: int) -> int:
        while group[i] != i:
            group[i] = group[group[i]]
            i = group[i]
        return i

    writer: dict[ChannelKey, int] = {}
    for i, block in enumerate(blocks):
        for channel in block.writes:
            if channel in writer:
                group[head(i)] = head(writer[channel])
            writer[channel] = i
    for i, block in enumerate(blocks):
        for channel in block.reads:
            if channel in writer:
                group[head(i)] = head(writer[channel])
    members: dict[int, list[Block]] = {}
    for i, block in enumerate(blocks):
        members.setdefault(head(i), []).append(block)
    return tuple(
        Island(tuple(those), frozenset(i for block in those for i in block.links))
        for those in members.values()
    )


def touched(islands: Iterable[Island], things: Iterable[str]) -> list[Island]:
    """The islands in which something of these ids is."""
    wanted = set(things)
    return [island for island in islands if not wanted.isdisjoint(island.things)]
