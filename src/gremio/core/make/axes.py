"""The axis that a part's own shape has, and a joint laid on it."""

from __future__ import annotations

import numpy as np

from gremio.core.edit.change import must_have
from gremio.core.edit.parts import set_joint
from gremio.core.edit.prepare import axis_turned, mount_along, mount_at
from gremio.core.frames import carried, matrix
from gremio.core.make.vertices import world_vertices
from gremio.core.problem import GremioError
from gremio.core.rig.ids import PartId
from gremio.core.rig.links import members
from gremio.core.rig.model import Joint, JointKind, Rig
from gremio.core.rig.solids import Mesh
from gremio.core.shape.features import Place, round_axis
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.pose import Pose

# Joints whose axis is that of what is round; along a bar something slides too.
_ROUND: tuple[JointKind, ...] = ("spin", "screw")
_ALONG: tuple[JointKind, ...] = ("slide", "cylinder")
# How much longer than across a bar is.
_BAR = 1.5
# Nearer to the middle of what carries it than this share of its size a bar points either way.
_ASIDE = 0.02


def own_axis(rig: Rig, part_id: PartId, geometry: GeometryOf) -> Place | None:
    """The axis that all of a part's models are round about, in its own frame; None where they are
    about none, or it has no models."""
    points = []
    for shape in must_have(rig.parts, part_id, "part").shapes:
        if not isinstance(shape.solid, Mesh):
            return None
        try:
            points.append(carried(matrix(shape.place), geometry(shape.solid).vertices))
        except GremioError:
            return None
    return round_axis(np.concatenate(points)) if points else None


def with_joint_on_axis(
    rig: Rig, part_id: PartId, joint: Joint, pose: Pose, *, geometry: GeometryOf
) -> tuple[Rig, bool]:
    """The rig with a joint for a part that had none, its axis through the middle of what its models
    are round about, where that is what such a joint has; and whether it was laid there. The part
    stays where it stands. Raises as `set_joint` does."""
    before = must_have(rig.parts, part_id, "part").joint.kind
    values = pose.part_of(part_id).channels
    rig = set_joint(rig, part_id, joint, values)
    led = any(c.startswith(f"{part_id} ") for link in rig.links.values() for c in members(link))
    if before != "fixed" or led or joint.kind not in (*_ROUND, *_ALONG):
        return rig, False
    place = own_axis(rig, part_id, geometry)
    if place is None or place.direction is None:
        return rig, False
    long = float(np.linalg.norm(place.line[1] - place.line[0]))
    if joint.kind in _ALONG and long < _BAR * 2 * place.size:
        return rig, False
    rig = mount_at(rig, part_id, place.at)
    rig = mount_along(rig, part_id, joint.axis, place.direction)
    if joint.kind in _ALONG and _points_inward(rig, part_id, pose, geometry):
        rig = axis_turned(rig, part_id)
    return rig, True


def _points_inward(rig: Rig, part_id: PartId, pose: Pose, geometry: GeometryOf) -> bool:
    """Whether the axis of a part's joint points toward the middle of what carries it, or, on the
    ground, of all others: a bolt goes out of its housing."""
    carrier = rig.parts[part_id].parent
    others = [carrier] if carrier is not None else [i for i in rig.parts if i != part_id]
    corners = [
        world_vertices(rig, pose, other, geometry)
        for other in others
        if other in rig.parts and rig.parts[other].shapes
    ]
    if not corners:
        return False
    every = np.concatenate(corners)
    middle = (every.min(axis=0) + every.max(axis=0)) / 2
    base = pose.frame_of(carrier) @ matrix(rig.parts[part_id].mount)
    out = base[:3, 3] - middle
    way = base[:3, "xyz".index(rig.parts[part_id].joint.axis)]
    size = float(np.linalg.norm(np.ptp(every, axis=0)))
    return float(out @ way) < -_ASIDE * size * float(np.linalg.norm(way))
