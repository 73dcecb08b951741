"""Constraints and paths as they are drawn in the Bench. No toolkit."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array
from gremio.core.frames import Triple, carried
from gremio.core.rig import ids
from gremio.core.rig.constraints import targets_of
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Constraint, Path, Reach, Target
from gremio.core.shape.paths import along, length, line_of, way_to
from gremio.core.solve.pose import Pose
from gremio.core.solve.strands import lying

_NO_TICKS = np.zeros((0, 2, 3))


class Tie(NamedTuple):
    """A constraint. ends: (n, 2, 3) from its part to each target, in the world. symbol: its
    kind. off: it is switched off. hot: it, or what it ties, is selected."""

    constraint: ThingId
    symbol: str
    ends: Array
    off: bool
    hot: bool


class Track(NamedTuple):
    """A path. line: (n, 3) in the world. points: (m, 3) what it goes through, where it is the
    selected one, else none. ticks: (k, 2, 3) marks along it, each with a place a little on."""

    path: ThingId
    line: Array
    points: Array
    hot: bool
    ticks: Array = _NO_TICKS


def ties(pose: Pose, selected: ThingId) -> list[Tie]:
    """Every constraint of the rig on show."""
    rig, found = pose.program.rig, []
    for constraint_id, constraint in rig.constraints.items():
        if constraint.part not in pose.program.part_row:
            continue
        here = carried(pose.world(constraint.part), _tip(constraint))
        # What sits on a surface is on it: there is nothing between them.
        targets = () if constraint.kind == "seat" else targets_of(constraint)
        ends = [there for t in targets if (there := _place(pose, t, here)) is not None]
        pairs = np.array([[here, there] for there in ends] or [[here, here]])
        things = (constraint_id, constraint.part, *(t.on or t.path for t in targets_of(constraint)))
        hot = selected in things and bool(selected)
        found.append(Tie(constraint_id, constraint.kind, pairs, constraint.off, hot))
    return found


def _tip(constraint: Constraint) -> Triple:
    """The point of a part from which its constraint is drawn."""
    return constraint.tip if isinstance(constraint, Reach) else (0.0, 0.0, 0.0)


def _place(pose: Pose, target: Target, here: Array) -> Array | None:
    """(3,) where a target is: its point, or the place on its path nearest to the part."""
    path = pose.program.rig.paths.get(target.path)
    on = path.on if path is not None else target.on
    if on is not None and on not in pose.program.part_row:
        return None
    frame = pose.frame_of(on)
    at = np.asarray(target.at)
    if path is not None:
        inside = np.linalg.inv(frame) @ np.append(here, 1.0)
        at = along(path, way_to(path, inside[None, :3]))[0, :3, 3]
    place: Array = carried(frame, at)
    return place


def strands(pose: Pose, selected: ThingId) -> list[Track]:
    """The middle of every strand, where it can be clicked; drawn over the picture only where it
    is the selected one."""
    found = []
    for strand_id, here in lying(pose).items():
        if here is not None:
            found.append(
                Track(ids.thing(strand_id), here.places, np.zeros((0, 3)), selected == strand_id)
            )
    return found


def tracks(pose: Pose, selected: ThingId) -> list[Track]:
    """Every path of the rig on show."""
    rig, found = pose.program.rig, []
    for path_id, path in rig.paths.items():
        if path.on is not None and path.on not in pose.program.part_row:
            continue
        frame = pose.frame_of(path.on)
        line = line_of(path)
        hot = selected == path_id or _follows(rig.constraints.get(selected), path_id)
        points = np.asarray(path.points, dtype=float).reshape(-1, 3)
        shown = points if selected == path_id else points[:0]
        ticks = _ticks(path)
        marks = _moved(frame, ticks) if len(ticks) else ticks
        found.append(Track(path_id, _moved(frame, line), _moved(frame, shown), hot, marks))
    return found


def _ticks(path: Path) -> Array:
    """(k, 2, 3) where a path is marked, and a little on from there."""
    if not path.ticks:
        return _NO_TICKS
    frames = along(path, path.ticks)
    on = frames[:, :3, 3] + frames[:, :3, 0] * 1e-3 * max(length(path), 1e-9)
    found: Array = np.stack([frames[:, :3, 3], on], axis=1)
    return found


def _follows(constraint: Constraint | None, path_id: ThingId) -> bool:
    return constraint is not None and path_id in (target.path for target in targets_of(constraint))


def _moved(frame: Array, points: Array) -> Array:
    result: Array = carried(frame, points)
    return result
