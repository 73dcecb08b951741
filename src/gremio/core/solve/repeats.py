"""Where the copies of a repeated part stand."""

from __future__ import annotations

import math

import numpy as np

from gremio.core.arrays import Array
from gremio.core.frames import matrix
from gremio.core.plan.joints import joint_matrix
from gremio.core.rig.channels import PITCH, SHIFT, freed, key
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Repeat, Rig
from gremio.core.rig.numbers import counted
from gremio.core.shape.paths import along
from gremio.core.solve.pose import Pose, Poses
from gremio.core.solve.treads import links_now


def copies(pose: Pose, part: PartId) -> Array:
    """(n, 4, 4) moves of the world that take a part, with all it carries, to each of its
    copies; the first leaves it in place where there is no shift. One for a part that is not
    repeated; none for a count of 0. A count between two whole numbers counts as the lower.
    """
    rig = pose.program.rig
    repeat = rig.parts[part].repeat
    if repeat is None:
        return np.eye(4)[None]
    count = max(0, int(counted(pose.at(key(part, "count")))))
    pitch, shift = (pose.at(key(part, names[repeat.along])) for names in (PITCH, SHIFT))
    if repeat.along == "tread":
        return _along_tread(pose, part, repeat, count)
    steps = repeat_steps(rig, repeat, count, pitch, shift)
    base = mounts_now(pose.poses, part)[0]
    result: Array = base @ steps @ np.linalg.inv(base)
    return result


def _along_tread(pose: Pose, part: PartId, repeat: Repeat, count: int) -> Array:
    """(count, 4, 4) moves of the world that take a link to each place of its tread."""
    rig = pose.program.rig
    if repeat.path not in rig.treads:
        return np.eye(4)[None]
    steps = links_now(pose, repeat.path).frames
    if len(steps) != count:
        return np.eye(4)[None]
    on = pose.frame_of(rig.treads[repeat.path].on)
    moves: Array = on @ steps @ np.linalg.inv(mounts_now(pose.poses, part)[0])
    return moves


def mounts_now(poses: Poses, part: PartId) -> Array:
    """(F, 4, 4) where the mount of a part is in the world, on whatever carries it in each frame."""
    program, entry = poses.program, poses.program.rig.parts[part]
    row = program.part_row[part]
    above = int(program.parents[row])
    carrying = np.eye(4)[None].repeat(poses.frames, axis=0) if above < 0 else poses.worlds[:, above]
    mounted: Array = carrying @ matrix(entry.mount)
    if not any(part in routine.carried for routine in program.rig.routines.values()):
        return mounted
    # It may be on another carrier, as its own frame tells.
    channels = {c: poses.channel(key(part, c)) for c in freed(entry.joint)}
    for frame in range(poses.frames):
        joint = joint_matrix({c: float(values[frame]) for c, values in channels.items()})
        behind = joint @ matrix(entry.own)
        if abs(np.linalg.det(behind)) > 0.0:
            mounted[frame] = poses.worlds[frame, row] @ np.linalg.inv(behind)
    return mounted


def repeat_steps(rig: Rig, repeat: Repeat, count: int, pitch: float, shift: float) -> Array:
    """(count, 4, 4) frames of the copies in the mount. pitch, shift: m, or rad round a circle."""
    index = np.arange(count)
    if repeat.along == "path" and repeat.path in rig.paths:
        return along(rig.paths[repeat.path], index * pitch + shift)
    channel = f"{'turn' if repeat.along == 'circle' else 'move'} {repeat.axis}"
    if repeat.along == "circle" and pitch == 0.0:
        pitch = 2 * math.pi / max(count, 1)
    made = [joint_matrix({channel: float(i) * pitch + shift}) for i in index]
    return np.array(made).reshape(count, 4, 4)
