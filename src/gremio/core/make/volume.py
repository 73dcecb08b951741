"""What keeps its volume: which of its scales leads, by choice or by being typed."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from gremio.core.edit.change import must_have
from gremio.core.edit.constraints import change_constraint
from gremio.core.edit.controls import set_values
from gremio.core.frames import matrix
from gremio.core.problem import GremioError
from gremio.core.quantity import show_short
from gremio.core.rig.channels import SCALES, key, split
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import ConstantVolume, Rig
from gremio.core.rig.numbers import full_label
from gremio.core.shape.geometry import GeometryOf, moved
from gremio.core.solve.volume import giver_of


def stretched_along(rig: Rig, constraint_id: ThingId, name: str) -> Rig:
    """The rig with another scale, by name, leading what keeps its volume; it stays as it is put.
    Raises GremioError where something else leads one of the others."""
    entry = must_have(rig.constraints, constraint_id, "constraint")
    if not isinstance(entry, ConstantVolume) or name not in SCALES:
        raise GremioError(f"{entry.name} keeps no volume along {name!r}. Choose a scale of it.")
    others = tuple(scale for scale in SCALES if scale != name)
    return change_constraint(rig, constraint_id, replace(entry, channels=others))


def typed_scale(rig: Rig, channel: ChannelKey, wanted: float) -> Rig:
    """The rig with a scale put, that so far followed from others: it leads now, and they follow.
    Raises GremioError for a scale that has no volume."""
    part, name = split(channel)
    constraint_id = giver_of(rig, channel)
    if constraint_id is None:
        raise GremioError(f"{full_label(rig, channel)} is no scale of what keeps its volume.")
    if not wanted > 0.0:
        raise GremioError(
            f"{full_label(rig, channel)} can't be {show_short(wanted, '')}: what keeps its volume "
            "needs a scale above 0."
        )
    rig = stretched_along(rig, constraint_id, name)
    rest = {key(part, scale): 1.0 for scale in SCALES if scale != name}
    return set_values(rig, {**rest, channel: wanted})


def longest_axis(rig: Rig, part: PartId, geometry: GeometryOf) -> str:
    """The scale, by name, along which a part's shapes are longest; "scale x" where it has none."""
    corners = [
        moved(geometry(shape.solid), matrix(shape.place)).bounds
        for shape in must_have(rig.parts, part, "part").shapes
    ]
    if not corners:
        return "scale x"
    every = np.concatenate(corners)
    return SCALES[int(np.argmax(np.ptp(every, axis=0)))]
