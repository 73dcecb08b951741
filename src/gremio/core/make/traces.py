"""The line that a point of a part draws: over a control's travel, or a routine."""

from __future__ import annotations

import numpy as np

from gremio.core.arrays import Array
from gremio.core.edit.paths import add_path
from gremio.core.problem import GremioError
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Path, Rig
from gremio.core.solve.pose import Poses

# A line comes back to its beginning within so much of its length, and a point stands that goes no
# farther than this (m).
_SAME, _STANDS = 1e-6, 1e-9


def traced(poses: Poses, part: PartId, at: Array) -> Array:
    """(F, 3) where a point (3,) of a part, in its frame (m), is in each frame (m, in the world)."""
    frames = poses.worlds[:, poses.program.part_row[part], :3]
    line: Array = frames[:, :, :3] @ at + frames[:, :, 3]
    return line


def length_of(line: Array) -> float:
    """How long a line (F, 3) through points is (m)."""
    return float(np.linalg.norm(np.diff(line, axis=0), axis=1).sum())


def with_trace(rig: Rig, part: PartId, line: Array) -> tuple[Rig, ThingId]:
    """The rig with a path along the line (F, 3) that a point of a part drew, and the path's id.
    Raises GremioError where the point stood still."""
    name, size = rig.parts[part].name, length_of(line)
    if size <= _STANDS:
        raise GremioError(f"That point of {name} stands still, and draws no line.")
    moved = np.linalg.norm(np.diff(line, axis=0), axis=1) > _SAME * size
    line = line[np.concatenate([[True], moved])]
    closed = len(line) > 3 and bool(np.linalg.norm(line[-1] - line[0]) <= _SAME * size)
    kept = line[:-1] if closed else line
    points = tuple((float(x), float(y), float(z)) for x, y, z in kept)
    called = free_name(names_in(rig), f"{name} trace")
    return add_path(rig, Path(called, points, closed))
