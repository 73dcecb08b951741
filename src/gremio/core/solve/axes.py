"""Where in the world a channel works: its axis, in a pose."""

from __future__ import annotations

import numpy as np

from gremio.core.arrays import Array
from gremio.core.frames import matrix
from gremio.core.plan.joints import outer_matrix
from gremio.core.rig.channels import split
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.solve.pose import Pose


def channel_axis(pose: Pose, channel: ChannelKey) -> tuple[Array, Array]:
    """(3,) origin and (3,) unit axis, in the world, along or about which a channel works.

    channel: key of a part's channel.
    """
    part, name = split(channel)
    frame = channel_frame(pose, PartId(part), name)
    axis = frame[:3, "xyz".index(name[-1])]
    return frame[:3, 3], axis / np.linalg.norm(axis)


def channel_frame(pose: Pose, part: PartId, name: str) -> Array:
    """(4, 4) world frame in which a part's channel works: the mount, moved by the channels
    that are applied before it."""
    entry = pose.program.rig.parts[part]
    row = int(pose.program.parents[pose.program.part_row[part]])
    above = np.eye(4) if row < 0 else pose.worlds[row]
    result: Array = above @ matrix(entry.mount) @ outer_matrix(pose.part_of(part).channels, name)
    return result
