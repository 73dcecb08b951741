"""A rumble of a part with a control for its amount, in one act."""

from __future__ import annotations

import math

from gremio.core.edit.change import must_have
from gremio.core.edit.controls import add_control
from gremio.core.edit.links import add_link
from gremio.core.problem import GremioError
from gremio.core.rig.channels import SCALES, freed, key
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.lengths import size_of
from gremio.core.rig.model import Control, Rig, Rumble
from gremio.core.rig.numbers import kind_of
from gremio.core.rig.scales import round_step

# At the whole amount a part is moved by so much of its size, or turned by so much (rad).
_OF_ITS_SIZE, _TURN = 0.01, math.radians(0.5)
# The size of a part whose shapes say none (m).
_SIZE = 1.0


def with_rumble(rig: Rig, part_id: PartId) -> tuple[Rig, ThingId]:
    """The rig in which all that a part can do by its joint is shaken a little, and the id of the
    control of how much, which is at nothing. Raises GremioError for a part that is grounded."""
    part = must_have(rig.parts, part_id, "part")
    channels = [channel for channel in freed(part.joint) if channel not in SCALES]
    if not channels:
        raise GremioError(
            f"{part.name} is grounded and can't shake. Give it a joint first: free, to shake every "
            "way, or a slide or hinge for one."
        )
    called = free_name(names_in(rig), f"{part.name} rumble")
    rig, amount = add_control(rig, Control(called, "number", "%", 0.0, 1.0))
    far = round_step((size_of(part) or _SIZE) * _OF_ITS_SIZE)
    for seed, channel in enumerate(channels, start=1):
        follower = key(part_id, channel)
        share = far if kind_of(rig, follower) == "length" else _TURN
        rig = add_link(rig, Rumble(follower, ChannelKey(amount), share, seed=seed))[0]
    return rig, amount
