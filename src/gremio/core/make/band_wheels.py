"""What a band goes round: wheels as they stand, with their rims, and the teeth they have."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array
from gremio.core.edit.change import must_have
from gremio.core.edit.prepare import mount_along, mount_at
from gremio.core.frames import carried, matrix
from gremio.core.make.axes import with_joint_on_axis
from gremio.core.make.cogs import cogs_of
from gremio.core.make.vertices import world_vertices
from gremio.core.problem import GremioError
from gremio.core.rig.channels import freed, key, main_channel
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.model import Joint, Rig
from gremio.core.rig.solids import Ball, Cylinder, InternalGear, SpurGear, Tube
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.pose import Pose

_ROUND = (Cylinder, Tube, Ball, SpurGear, InternalGear)
# Teeth point along the axle of what turns to within this.
_ALONG = 0.99


class BandWheel(NamedTuple):
    """A wheel where it stands, in the world. turn: key of its turn. centre: (3,) the middle of it
    on its axle. axle: (3,) unit, about which it turns. rim: its radius, pitch: of its teeth's pitch
    circle, the rim's where it has none (m). wide: (m). teeth: how many; 0 for none. tooth: (3,)
    unit from its centre to the middle of one."""

    part: PartId
    turn: ChannelKey
    centre: Array
    axle: Array
    rim: float
    pitch: float
    wide: float
    teeth: int
    tooth: Array


def turning(rig: Rig, part: PartId, home: Pose, geometry: GeometryOf) -> Rig:
    """The rig in which a wheel can turn: one that is fixed gets a spin about what it is round
    about."""
    entry = must_have(rig.parts, part, "part")
    if any(channel.startswith("turn") for channel in freed(entry.joint)):
        return rig
    if entry.joint.kind != "fixed":
        raise GremioError(f"{entry.name} can't turn, so no band takes it along. Press J on it.")
    round_one = next((s for s in entry.shapes if isinstance(s.solid, _ROUND)), None)
    if round_one is not None:
        place = matrix(round_one.place)
        rig = mount_at(rig, part, place[:3, 3])
        rig = mount_along(rig, part, "z", place[:3, 2])
    return with_joint_on_axis(rig, part, Joint("spin", "z"), home, geometry=geometry)[0]


def band_wheel(rig: Rig, home: Pose, part: PartId, geometry: GeometryOf) -> BandWheel:
    """A wheel read off its part. home: the rig at home. Raises GremioError for a part that can't
    turn, or has no shape."""
    entry = must_have(rig.parts, part, "part")
    turns = [channel for channel in freed(entry.joint) if channel.startswith("turn")]
    if not turns:
        raise GremioError(f"{entry.name} can't turn, so no band takes it along. Press J on it.")
    main = main_channel(entry.joint)
    turn = main if main in turns else turns[-1]
    frame = home.frame_of(entry.parent) @ matrix(entry.mount)
    axle = frame[:3, "xyz".index(turn[-1])]
    axle = axle / np.linalg.norm(axle)
    corners = world_vertices(rig, home, part, geometry) - frame[:3, 3]
    high = corners @ axle
    low, top = float(high.min()), float(high.max())
    rim = float(np.linalg.norm(corners - np.outer(high, axle), axis=1).max())
    if not (math.isfinite(rim) and rim > 0):
        raise GremioError(f"{entry.name} has no rim that a band could go round.")
    centre = frame[:3, 3] + axle * (low + top) / 2
    teeth, pitch, tooth = _teeth(rig, home, part, axle, geometry) or (0, rim, frame[:3, 0])
    tooth = tooth - axle * float(tooth @ axle)
    tooth = tooth / (np.linalg.norm(tooth) or 1.0)
    return BandWheel(part, key(part, turn), centre, axle, rim, pitch, top - low, teeth, tooth)


def _teeth(
    rig: Rig, home: Pose, part: PartId, axle: Array, geometry: GeometryOf
) -> tuple[int, float, Array] | None:
    """How many teeth a part has round its axle, the radius of their pitch circle, and (3,) the way
    to one of them; of its own solids, or read off its models."""
    for shape in rig.parts[part].shapes:
        if isinstance(shape.solid, SpurGear):
            place = home.world(part) @ matrix(shape.place)
            if abs(float(place[:3, 2] @ axle)) >= _ALONG:
                return shape.solid.teeth, shape.solid.module * shape.solid.teeth / 2, place[:3, 0]
    for cog in cogs_of(rig, home, part, geometry):
        if abs(float(cog.axis @ axle)) >= _ALONG and not cog.cog.inside:
            return cog.cog.teeth, (cog.cog.tip + cog.cog.root) / 2, cog.zero
    return None


def in_part(home: Pose, part: PartId, place: Array, way: Array) -> tuple[Array, Array]:
    """A place and a way in the world (3,) as a part has them."""
    back = np.linalg.inv(home.world(part))
    return carried(back, place), back[:3, :3] @ way
