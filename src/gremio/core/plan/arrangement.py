"""How the links of a rig can be computed: blocks in levels, each from those before it."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from itertools import chain

import msgspec

from gremio.core.plan.blocks import Block
from gremio.core.plan.islands import Island, islands_of
from gremio.core.problem import Note
from gremio.core.records import Record
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.links import followers
from gremio.core.rig.model import Rig


class Arrangement(Record, frozen=True):
    """How the links of a rig can be computed.

    levels: each level of blocks can be computed from those before it; in each, blocks stand in
    the order that `places_in` says. notes: why some links are left out, and trains that are
    locked. stops: keys of the ends that are led, by the channel that they hold.
    """

    levels: tuple[tuple[Block, ...], ...]
    notes: tuple[Note, ...]
    stops: dict[ChannelKey, tuple[ChannelKey, ...]] = msgspec.field(default_factory=dict)

    @cached_property
    def islands(self) -> tuple[Island, ...]:
        """What is computed together, apart from all else."""
        return islands_of(self.levels)


Place = tuple[int, int, int, str]


def places_in(rig: Rig) -> Callable[[Block], Place]:
    """What says where a block stands among those that can be computed at one time: trains,
    linkages, links, constraints, and what is held within led stops; of one kind in the order in
    which the rig has them. It is the same however much of the rig is arranged."""
    every = chain(rig.parts, rig.links, rig.closures, rig.constraints)
    at: dict[ThingId, int] = {thing: i for i, thing in enumerate(every)}

    def place(block: Block) -> Place:
        if block.train is not None:
            return 0, min(at[link] for link in block.links), 0, ""
        if block.loop is not None:
            return 1, at[block.links[0]], 0, ""
        if block.constraint:
            return 3, at[block.constraint], 0, ""
        if block.holds:
            return 4, 0, 0, block.holds
        (channel,) = block.writes
        first = block.links[0]
        return 2, at[first], followers(rig.links[first]).index(channel), ""

    return place
