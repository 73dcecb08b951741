"""What leads what, as a rig is computed."""

from __future__ import annotations

from collections import deque
from functools import partial
from typing import NamedTuple

from gremio.core.plan.arrangement import Arrangement
from gremio.core.plan.blocks import Block
from gremio.core.plan.trains import Row, Train
from gremio.core.remembered import Remembered
from gremio.core.rig.channels import split
from gremio.core.rig.ids import ChannelKey, ThingId


class Drive(NamedTuple):
    """What leads a channel, as things stand.

    links: ids of the links, the one that sets it first; a screw leads itself by its part's
    id. Of a linkage they are closures; a constraint comes before what it changes. leads: keys of
    the channels that these links lead it from.
    """

    links: tuple[ThingId, ...]
    leads: tuple[ChannelKey, ...]


# A train is led within as long as it is the same train.
_DRIVES: Remembered[dict[ChannelKey, Drive]] = Remembered()


def drives_of(arrangement: Arrangement) -> dict[ChannelKey, Drive]:
    """What leads each led channel; in a train, along its rows outward from its inputs."""
    found: dict[ChannelKey, Drive] = {}
    for blocks in arrangement.levels:
        for block in blocks:
            if block.train is not None:
                found.update(_DRIVES.of(block.train, partial(_train_drives, block.train)))
            elif block.holds:
                continue
            elif block.constraint:
                _add_constraint(found, block)
            else:
                found.update(dict.fromkeys(block.writes, Drive(block.links, block.reads)))
    return found


def _add_constraint(found: dict[ChannelKey, Drive], block: Block) -> None:
    """A constraint goes before what leads its channels otherwise. How much it and its targets
    count leads nothing by itself, unless something leads that."""
    leads = [c for c in block.reads if c in found or not split(c)[1].startswith(("grip", "weight"))]
    for channel in block.writes:
        before = found.get(channel, Drive((), ()))
        links = (*block.links, *before.links)
        found[channel] = Drive(links, tuple(dict.fromkeys([*leads, *before.leads])))


def _train_drives(train: Train) -> dict[ChannelKey, Drive]:
    """Each member from those of its row that are known before it."""
    rows = {row.link: row for row in train.rows}
    of_channel: dict[ChannelKey, list[ThingId]] = {}
    for row in train.rows:
        for channel in row.factors:
            of_channel.setdefault(channel, []).append(row.link)
    known = set(train.inputs)
    waiting = deque(train.inputs)
    found: dict[ChannelKey, Drive] = {}
    while len(found) < len(train.shares):
        while waiting:
            for link in of_channel.get(waiting.popleft(), []):
                unknown = [c for c in rows[link].factors if c not in known]
                if len(unknown) == 1:
                    others = [c for c in rows[link].factors if c != unknown[0]]
                    found[unknown[0]] = Drive((link,), tuple(reversed(others)))
                    known.add(unknown[0])
                    waiting.append(unknown[0])
        rest = [c for c in train.shares if c not in found]
        if rest:
            channel, drive = _through_several(rest, rows, of_channel, known)
            found[channel] = drive
            known.add(channel)
            waiting.append(channel)
    return found


def _through_several(
    rest: list[ChannelKey],
    rows: dict[ThingId, Row],
    of_channel: dict[ChannelKey, list[ThingId]],
    known: set[ChannelKey],
) -> tuple[ChannelKey, Drive]:
    """The next member of a train where no row has just one unknown: of a planetary set made of
    its meshes the arm, which most rows speak of, from all that these rows know already."""

    def told(channel: ChannelKey) -> int:
        return sum(1 for link in of_channel[channel] if known & set(rows[link].factors))

    channel = max(rest, key=told)
    links = [link for link in of_channel[channel] if known & set(rows[link].factors)]
    links = links or of_channel[channel][:1]
    leads = dict.fromkeys(
        c for link in links for c in rows[link].factors if c in known and c != channel
    )
    return channel, Drive(tuple(links[:1]), tuple(leads))
