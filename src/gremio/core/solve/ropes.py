"""Ropes over sheaves in a pose: how often each goes round is followed from home.

A rope may lie round a sheave by a little, or by a turn and a little, and one pose can't tell
which. So the rope's own points are taken from home to the pose along the joints that carry them,
and nothing else of the rig is solved on the way; the answer depends on the pose alone.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array, Rows
from gremio.core.mechanics.ropes import Laid, Sheaves, laid
from gremio.core.remembered import Remembered
from gremio.core.rig.ids import PartId
from gremio.core.rig.tied import Waypoint
from gremio.core.solve.evaluate import evaluate_channels
from gremio.core.solve.frames import Finder
from gremio.core.solve.pose import Pose
from gremio.core.solve.program import Program

# A rope is looked at so often at least on its way, and once more for so much of a turn of what
# carries it (rad); but no oftener than so often.
_LOOKS, _A_LOOK, _MOST = 24, 0.4, 2000
# Between two looks a rope goes round a sheave by less than this (rad), or it is looked at oftener.
_SEEN = 1.2


class Carrying(NamedTuple):
    """What carries a rope's points. every: rows of the channels; rows: (n,) of those that move
    the points, and how much one of each counts as a turn, 1 or 0. home: (C,) all channels there.
    """

    every: Rows
    rows: Rows
    turning: Array
    home: Array


_CARRYING: Remembered[dict[tuple[Waypoint, ...], Carrying]] = Remembered()


def rope_in(pose: Pose, through: tuple[Waypoint, ...]) -> tuple[Laid, bool]:
    """How a rope lies in a pose; and whether it could be followed there from home, which it
    can't be over some hundred turns."""
    program = pose.program
    known = _CARRYING.of(program, dict)
    if through not in known:
        known[through] = _carrying(program, through)
    carrying = known[through]
    now = pose.poses.channels[:, 0]
    gone = np.abs(now - carrying.home)[carrying.rows]
    looks = _LOOKS + math.ceil(float(gone @ carrying.turning) / _A_LOOK) if gone.any() else 1
    could = looks <= _MOST
    looks = min(looks, _MOST)
    while True:
        rope = laid(_on_the_way(program, through, carrying, now, looks))
        if looks >= _MOST or rope.rate <= _SEEN:
            return rope, could
        looks = min(4 * looks, _MOST)


def carrying_rows(pose: Pose, through: tuple[Waypoint, ...]) -> Rows:
    """Rows of the channels of all that carries a rope's points: it lies as these are."""
    known = _CARRYING.of(pose.program, dict)
    if through not in known:
        known[through] = _carrying(pose.program, through)
    return known[through].every


def _carrying(program: Program, through: tuple[Waypoint, ...]) -> Carrying:
    """What carries the points of a rope. A sheave that turns about its own axis is left out: that
    moves nothing of the rope, however often it goes round."""
    home = evaluate_channels(program, {})[0][:, 0]
    carried: dict[int, str] = {}
    for end in through:
        part: PartId | None = end.on
        while part in program.part_row:
            carried |= {row: name for name, row in program.applied(part)}
            above = int(program.parents[program.part_row[part]])
            part = program.part_ids[above] if above >= 0 else None
    # Anywhere but at home, where a line may by chance go through a point that it turns about.
    somewhere = home + 0.1 * np.cos(1.0 + np.arange(len(home)))
    still = _places(program, through, somewhere[:, None])
    rows = []
    for row in carried:
        moved = somewhere.copy()
        moved[row] += 0.5
        apart = _places(program, through, moved[:, None])
        if max(float(np.abs(a - b).max()) for a, b in zip(still, apart, strict=True)) > 1e-9:
            rows.append(row)
    turning = [1.0 if carried[row].startswith("turn") else 0.0 for row in rows]
    every = np.array(list(carried), dtype=np.intp)
    return Carrying(every, np.array(rows, dtype=np.intp), np.array(turning), home)


def _on_the_way(
    program: Program,
    through: tuple[Waypoint, ...],
    carrying: Carrying,
    now: Array,
    looks: int,
) -> Sheaves:
    """Where a rope goes, at so many steps from home to now, (C,)."""
    channels = np.empty((len(now), looks))
    channels[carrying.every] = now[carrying.every, None]
    rows, share = carrying.rows, np.linspace(0.0, 1.0, looks)
    # To the last bit at the end.
    channels[rows] = carrying.home[rows, None] * (1 - share) + now[rows, None] * share
    middles, axes = _places(program, through, channels)
    return Sheaves(middles, axes, np.array([end.radius for end in through]))


def _places(
    program: Program, through: tuple[Waypoint, ...], channels: Array
) -> tuple[Array, Array]:
    """(F, n, 3) where the points of a rope are, and (F, n, 3) which way the axes of its sheaves
    go, from (C, F) channels."""
    frames = Finder(program, channels).frames([end.on for end in through])
    at = np.array([end.at for end in through])
    axis = np.array([end.axis for end in through])
    turns = frames[..., :3, :3]
    middles = (turns @ at[:, None, :, None])[..., 0] + frames[..., :3, 3]
    axes = (turns @ axis[:, None, :, None])[..., 0]
    long = np.maximum(np.linalg.norm(axes, axis=-1, keepdims=True), 1e-12)
    return middles.transpose(1, 0, 2), (axes / long).transpose(1, 0, 2)
