"""Ropes, hoses, springs and bellows of a baked travel: the pieces they are drawn with, at its keys
and, for measure, between them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from gremio.core.arrays import Array, Flags
from gremio.core.files.glb_keys import Keyed, played
from gremio.core.rig.ids import ThingId
from gremio.core.solve.pose import Poses
from gremio.core.solve.strands import lies, pieces, strand_in

_ENDS = np.array([[0.0, 0.0, -0.5, 1.0], [0.0, 0.0, 0.5, 1.0]])


def laid(poses: Poses, strand_id: ThingId) -> tuple[Array, Flags] | None:
    """(F, n, 4, 4) world frames of the pieces of a strand (by id), and (F, n) which of them are
    there; None where it never is. What is not there waits where it was last, or will be first."""
    found: list[Array | None] = []
    for frame in range(poses.frames):
        pose = poses.frame(frame)
        # As long, and as thick, as something leads it to be.
        strand = strand_in(pose, strand_id)
        here = lies(pose, strand)
        found.append(None if here is None else pieces(strand, here))
    known = [one for one in found if one is not None]
    if not known:
        return None
    count = max(map(len, known))
    frames = np.empty((len(found), count, 4, 4))
    there = np.zeros((len(found), count), dtype=bool)
    last = next(one for one in known if len(one) == count)
    for frame, one in enumerate(found):
        frames[frame] = last
        if one is not None:
            frames[frame, : len(one)] = one
            there[frame, : len(one)] = True
            last = frames[frame]
    return frames, there


def worst_of_strands(keyed: Keyed, travel: Callable[[Array], Poses]) -> tuple[float, float]:
    """How far the end of a piece of a strand is at most, half way between two keys, from where a
    player has it (m), and when (s)."""
    strands = keyed.poses.program.rig.strands
    if not strands or len(keyed.times) < 2:
        return 0.0, 0.0
    times = (keyed.times[1:] + keyed.times[:-1]) / 2
    middles = travel(times)
    away = np.zeros(len(times))
    before = np.arange(len(times))
    for strand_id in strands:
        keys, truth = laid(keyed.poses, strand_id), laid(middles, strand_id)
        if keys is None or truth is None or keys[0].shape[1] != truth[0].shape[1]:
            continue
        for piece in range(keys[0].shape[1]):
            shown = played(keys[0][:, piece], before, before + 1, np.full(len(times), 0.5))
            gap = np.linalg.norm((shown - truth[0][:, piece]) @ _ENDS.T, axis=1).max(axis=1)
            seen = keys[1][:-1, piece] & keys[1][1:, piece] & truth[1][:, piece]
            away = np.maximum(away, np.where(seen, gap, 0.0))
    worst = int(np.argmax(away))
    return float(away[worst]), float(times[worst])
