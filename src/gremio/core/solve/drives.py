"""What leads what, as a rig is computed."""

from __future__ import annotations

from collections import deque
from typing import NamedTuple

from gremio.core.rig.channels import leads
from gremio.core.rig.model import Rig
from gremio.core.rig.order import Arrangement
from gremio.core.rig.trains import Train


class Drive(NamedTuple):
    """What leads a channel, as things stand.

    links: ids of the links, the one that sets it first; a screw leads itself by its part's
    id. leads: keys of the channels that these links lead it from.
    """

    links: tuple[str, ...]
    leads: tuple[str, ...]


def drives_of(rig: Rig, arrangement: Arrangement) -> dict[str, Drive]:
    """What leads each led channel; in a train, along its rows outward from its inputs."""
    found: dict[str, Drive] = {}
    for blocks in arrangement.levels:
        for block in blocks:
            if block.train is not None:
                found.update(_train_drives(block.train))
            else:
                named = [c for i in block.links for c in leads(rig.links[i])]
                found[block.writes[0]] = Drive(block.links, tuple(dict.fromkeys(named)))
    return found


def _train_drives(train: Train) -> dict[str, Drive]:
    """Each member from those of its row that are known before it."""
    rows = {row.link: row for row in train.rows}
    of_channel: dict[str, list[str]] = {}
    for row in train.rows:
        for channel in row.factors:
            of_channel.setdefault(channel, []).append(row.link)
    known = set(train.inputs)
    waiting = deque(train.inputs)
    found: dict[str, Drive] = {}
    while waiting:
        for link in of_channel.get(waiting.popleft(), []):
            unknown = [c for c in rows[link].factors if c not in known]
            if len(unknown) == 1:
                others = [c for c in rows[link].factors if c != unknown[0]]
                found[unknown[0]] = Drive((link,), tuple(reversed(others)))
                known.add(unknown[0])
                waiting.append(unknown[0])
    # Members that only hang together through several rows at once, and locked ones.
    for channel in train.shares:
        if channel not in found:
            link = of_channel[channel][0]
            others = [c for c in rows[link].factors if c != channel]
            found[channel] = Drive((link,), tuple(others[:1] if not known else others))
    return found
