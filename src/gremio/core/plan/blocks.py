"""A block: channels that are computed in one go, from others."""

from __future__ import annotations

from gremio.core.plan.loops import Loop
from gremio.core.plan.trains import Train
from gremio.core.records import Record
from gremio.core.rig.ids import NOTHING, ChannelKey, ThingId


class Block(Record, frozen=True):
    """Channels that are computed in one go, from others.

    reads, writes: channel keys. train: where it is one. links: ids of the links that give
    the one channel written, the one that sets it before those that add; of a train, all. loop:
    where it is one; links are then ids of closures. constraint: id, where it is one; it may
    change what an earlier block wrote. holds: key of the channel that is held within stops that
    something leads; that may have been written before as well.
    """

    reads: tuple[ChannelKey, ...]
    writes: tuple[ChannelKey, ...]
    links: tuple[ThingId, ...]
    train: Train | None = None
    loop: Loop | None = None
    constraint: ThingId = NOTHING
    holds: ChannelKey = NOTHING
