"""Where the copies of a repeated part stand."""

from __future__ import annotations

import math

import numpy as np

from gremio.core.arrays import Array
from gremio.core.frames import matrix
from gremio.core.plan.joints import joint_matrix
from gremio.core.rig.channels import PITCH, SHIFT, key
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Repeat, Rig
from gremio.core.rig.numbers import counted
from gremio.core.shape.paths import along
from gremio.core.solve.pose import Pose
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
    row = int(pose.program.parents[pose.program.part_row[part]])
    above = np.eye(4) if row < 0 else pose.worlds[row]
    base = above @ matrix(rig.parts[part].mount)
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
    base = pose.frame_of(rig.parts[part].parent) @ matrix(rig.parts[part].mount)
    moves: Array = on @ steps @ np.linalg.inv(base)
    return moves


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
