"""The line that a point of a part draws: over a control's travel, or a routine."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.edit.change import must_have, numbers_of
from gremio.core.edit.paths import add_path, change_path
from gremio.core.problem import GremioError
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Path, Rig
from gremio.core.shape.paths import length
from gremio.core.solve.pose import Poses

# A line comes back to its beginning within so much of its length, and a point stands that goes no
# farther than this (m).
_SAME, _STANDS = 1e-6, 1e-9
# So many ticks are told apart along a line.
_MOST_TICKS = 250
# So near (of its length) a path comes to all points of the line that it is made of.
_NEAR = 1e-4


def traced(poses: Poses, part: PartId, at: Array) -> Array:
    """(F, 3) where a point (3,) of a part, in its frame (m), is in each frame (m, in the world)."""
    frames = poses.worlds[:, poses.program.part_row[part], :3]
    line: Array = frames[:, :, :3] @ at + frames[:, :, 3]
    return line


def length_of(line: Array) -> float:
    """How long a line (F, 3) through points is (m)."""
    return float(np.linalg.norm(np.diff(line, axis=0), axis=1).sum())


def _needed(line: Array, near: float) -> list[int]:
    """Which points of a line (F, 3) are needed so that no other is farther than this (m) from the
    straight way between two of them (Douglas and Peucker, Cartographica 10 (1973), 2)."""
    needed, waiting = {0, len(line) - 1}, [(0, len(line) - 1)]
    while waiting:
        start, end = waiting.pop()
        between = line[start + 1 : end] - line[start]
        if not len(between):
            continue
        way = line[end] - line[start]
        share = np.clip(between @ way / max(float(way @ way), _STANDS**2), 0.0, 1.0)
        away = np.linalg.norm(between - share[:, None] * way, axis=1)
        far = int(np.argmax(away))
        if away[far] > near:
            needed.add(start + 1 + far)
            waiting += [(start, start + 1 + far), (start + 1 + far, end)]
    return sorted(needed)


def with_trace(rig: Rig, part: PartId, line: Array) -> tuple[Rig, ThingId]:
    """The rig with a path along the line (F, 3) that a point of a part drew, with a tick at each
    frame or step, or at every so many where they are more than can be told apart; and the path's
    id. Raises GremioError where the point stood still."""
    name = must_have(rig.parts, part, "part").name
    line = numbers_of(line, (len(line), 3), f"The line of {name}")
    size = length_of(line)
    if size <= _STANDS:
        raise GremioError(f"That point of {name} stands still, and draws no line.")
    gone = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    gone = gone[:: -(-len(gone) // _MOST_TICKS)]
    line = line[_needed(line, _NEAR * size)]
    closed = len(line) > 3 and bool(np.linalg.norm(line[-1] - line[0]) <= _SAME * size)
    kept = line[:-1] if closed else line
    points = tuple((float(x), float(y), float(z)) for x, y, z in kept)
    called = free_name(names_in(rig), f"{name} trace")
    rig, path_id = add_path(rig, Path(called, points, closed))
    # The path is a little shorter, as it leaves out points that are not needed.
    ticks = gone * (length(rig.paths[path_id]) / size)
    return change_path(
        rig, path_id, replace(rig.paths[path_id], ticks=tuple(ticks.tolist()))
    ), path_id
