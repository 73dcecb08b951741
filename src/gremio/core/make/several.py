"""What is done to several parts at once: joints, stops, what carries them, what leads them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from gremio.core.edit.change import must_have
from gremio.core.edit.controls import add_control, proposed_control
from gremio.core.edit.links import add_link, proposed_ratio
from gremio.core.edit.parts import descendants, set_parent, set_stops
from gremio.core.frames import frame_of, matrix
from gremio.core.make.axes import with_joint_on_axis
from gremio.core.make.linking import set_where_follower_stands
from gremio.core.problem import GremioError
from gremio.core.rig.channels import freed, key, main_channel
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import Joint, Rig, Stops
from gremio.core.rig.numbers import ENDS
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.pose import Pose


def with_joints(
    rig: Rig, parts: Sequence[PartId], joint: Joint, pose: Pose, *, geometry: GeometryOf
) -> Rig:
    """The rig with one joint for several parts, each on its own axis where it is round; each stays
    where it stands in a pose. Raises as `set_joint` does."""
    for part in parts:
        must_have(rig.parts, part, "part")
        rig, _ = with_joint_on_axis(rig, part, joint, pose, geometry=geometry)
    return rig


def with_stops(rig: Rig, parts: Sequence[PartId], end: str, value: float | None) -> Rig:
    """The rig with a low or a high stop (end) of the main channel of several parts (SI); None lets
    them run free there. Raises GremioError for one that nothing can move."""
    if end not in ENDS:
        raise GremioError(f"A stop is the low or the high one, not {end}.")
    for part in parts:
        channel = _main(rig, part)
        stops = replace(rig.parts[part].stops.get(channel, Stops()), **{end: value})
        rig = set_stops(rig, part, channel, stops)
    return rig


def mounted_on(rig: Rig, parts: Sequence[PartId], parent: PartId | None, pose: Pose) -> Rig:
    """The rig with several parts carried by one; each stays where it stands in a pose. Raises
    GremioError where one would carry itself."""
    if parent is not None:
        must_have(rig.parts, parent, "part")
    for part in parts:
        must_have(rig.parts, part, "part")
    new = pose.frame_of(parent)
    for part in parts:
        entry = rig.parts[part]
        if parent is not None and (parent == part or parent in descendants(rig, part)):
            name = rig.parts[parent].name
            raise GremioError(f"{name} is carried by {entry.name}, so it can't carry it.")
        mount = frame_of(np.linalg.inv(new) @ pose.frame_of(entry.parent) @ matrix(entry.mount))
        rig = set_parent(rig, part, parent, mount)
    return rig


def led_by(
    rig: Rig, parts: Sequence[PartId], lead: ChannelKey, pose: Pose, *, geometry: GeometryOf
) -> Rig:
    """The rig with the main channel of several parts led by one (key), each by a ratio of its own
    that begins where it stands in a pose. Raises GremioError for a part that nothing can move, or
    that is led already."""
    for part in parts:
        follower = key(part, _main(rig, part))
        if follower == lead:
            continue
        rig, _ = add_link(rig, proposed_ratio(rig, lead, follower))
        rig = set_where_follower_stands(rig, follower, pose.at(follower), geometry=geometry)
    return rig


def with_control(
    rig: Rig, parts: Sequence[PartId], pose: Pose, *, geometry: GeometryOf
) -> tuple[Rig, ThingId]:
    """The rig with one control that leads several parts, and its id: as the first of them asks
    for. Raises as `led_by` does."""
    if not parts:
        raise GremioError("No part is chosen, so there is nothing to lead. Choose some first.")
    first = key(parts[0], _main(rig, parts[0]))
    rig, control = add_control(rig, proposed_control(rig, first, pose.at(first)))
    return led_by(rig, parts, ChannelKey(control), pose, geometry=geometry), control


def _main(rig: Rig, part: PartId) -> str:
    entry = must_have(rig.parts, part, "part")
    channel = main_channel(entry.joint)
    if not channel or channel not in freed(entry.joint):
        raise GremioError(f"{entry.name} is grounded: its joint is fixed. Give it another first.")
    return channel
