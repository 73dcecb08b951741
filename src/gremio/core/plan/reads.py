"""What links depend on, through frames as well: one entry a kind."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from gremio.core.plan.carrying import carriers, free_keys
from gremio.core.rig import ids
from gremio.core.rig.channels import split
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.links import followers, leads, link_kind
from gremio.core.rig.model import Link, LinkKind, Rig
from gremio.core.rig.numbers import exists, numbers_of


def _of_rolling(rig: Rig, link: Any) -> list[ChannelKey]:
    ends = [PartId(split(link.follower)[0])]
    path = rig.paths.get(link.path)
    ends += [path.on] if path is not None and path.on in rig.parts else []
    ends += [link.on] if link.on in rig.parts else []
    found = [c for end in ends for p in carriers(rig, end) for c in free_keys(rig, p)]
    own = followers(link)
    return [*leads(link), *(c for c in found if c not in own)]


def _of_formula(rig: Rig, link: Any) -> list[ChannelKey]:
    found: list[ChannelKey] = []
    for name in leads(link):
        if name in rig.parts:
            found += [c for p in carriers(rig, ids.part(name)) for c in free_keys(rig, p)]
        elif name in rig.measures:
            for end in rig.measures[ids.thing(name)].ends:
                found += [c for p in carriers(rig, end.part) for c in free_keys(rig, p)]
                # What is measured follows the dimensions of the shapes.
                own = numbers_of(rig, end.part)
                found += [c for c in own if split(c)[1].startswith("shape ")]
        elif exists(rig, name):
            found.append(name)
    return found


def _its_leads(rig: Rig, link: Any) -> Iterable[ChannelKey]:
    del rig
    return leads(link)


READS: dict[LinkKind, Callable[[Rig, Any], Iterable[ChannelKey]]] = {
    "ratio": _its_leads,
    "planetary": _its_leads,
    "cam": _its_leads,
    "formula": _of_formula,
    "rolling": _of_rolling,
    "driving": _its_leads,
    "motor": _its_leads,
    "rumble": _its_leads,
}


def channels_read(rig: Rig, link: Link) -> Iterable[ChannelKey]:
    """Keys of the channels that a one-way link depends on, through frames as well."""
    return READS[link_kind(link)](rig, link)
