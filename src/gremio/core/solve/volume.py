"""What keeps its volume: which of its scales lead, and what a lead must be for the others."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from gremio.core.rig.channels import SCALES, split
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.model import ConstantVolume, Rig


def leads_of(entry: ConstantVolume) -> tuple[str, ...]:
    """The names of the scales that lead the others of what keeps its volume."""
    return tuple(name for name in SCALES if name not in entry.channels)


def giver_of(rig: Rig, channel: ChannelKey) -> ThingId | None:
    """The id of the constraint that gives a scale so that a volume is kept; None for none."""
    part, name = split(channel)
    for constraint_id, entry in rig.constraints.items():
        keeps = isinstance(entry, ConstantVolume) and not entry.off
        if keeps and entry.part == part and name in entry.channels:
            return constraint_id
    return None


def leading_scale(
    entry: ConstantVolume, scales: Mapping[str, float], name: str, wanted: float
) -> tuple[str, float] | None:
    """The scale that leads, by name, and what it must be for a given one to be as wanted; None
    where there is no such value. scales: as they stand, by name."""
    leads = leads_of(entry)
    if not leads or name in leads or not wanted > 0.0:
        return None
    others = float(np.prod([scales[lead] for lead in leads[1:]]))
    if others == 0.0:
        return None
    return leads[0], wanted ** -len(entry.channels) / others
