"""At which times a baked travel has keys, so that what a player makes between them is right too.

A player goes straight from key to key: places and sizes by a straight line, turns by the shorter
way round (glTF 2.0, 3.11). So a part may turn by less than a quarter between two keys, however
often it goes round, and keys are put closer where the straight way is not the machine's.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from scipy.spatial.transform import Rotation

from gremio.core.arrays import Array, Flags, Rows
from gremio.core.frames import holds, quaternions
from gremio.core.rig.channels import SHIFT, key
from gremio.core.rig.numbers import SHOWN
from gremio.core.solve.pose import Poses

# What is promised between keys (m, rad), and how much of it is aimed at; how long a part may be
# seen too long or too short (s).
AWAY, TURNED = 1e-4, math.radians(0.05)
_AIM, _SEEN = 0.8, 1 / 500
_STEP = math.radians(89.0)
_MOST, _ROUNDS = 6000, 14
# Where between two keys it is looked whether they are close enough.
_LOOKS = (0.5, 0.21, 0.79)


class Worst(NamedTuple):
    """How far what a player shows is from the machine at most: away (m), and turned (rad), each
    with the time (s)."""

    away: float
    away_at: float
    turned: float
    turned_at: float


class Keyed(NamedTuple):
    """The poses of a travel at its keys. times: (F,) s. worst: between them."""

    times: Array
    poses: Poses
    worst: Worst

    @property
    def whole(self) -> bool:
        """Whether what is between keys is as near as is promised."""
        return self.worst.away <= AWAY and self.worst.turned <= TURNED


def as_many_as_needed(travel: Callable[[Array], Poses], seconds: float, first: int) -> Keyed:
    """Keys at as many times as it takes. travel: the poses at times (F,) s, in their order. first:
    how many keys there are to begin with."""
    times = np.linspace(0.0, seconds, first)
    for _ in range(_ROUNDS):
        every, is_key = _with_looks(times)
        poses = travel(every)
        pieces = np.maximum(_by_turns(poses, is_key), _by_sight(poses, every, is_key))
        pieces = np.maximum(pieces, _by_treads(poses, is_key))
        away, turned = _off(poses, every, is_key)
        near = (away <= _AIM * AWAY) & (turned <= _AIM * TURNED)
        pieces = np.maximum(pieces, np.where(_of_intervals(~near, is_key), 2, 1))
        if (pieces == 1).all() or pieces.sum() > _MOST:
            break
        times = _cut(times, pieces)
    return _keyed(poses, every, is_key)


def at_frames(travel: Callable[[Array], Poses], seconds: float, rate: float) -> Keyed:
    """Keys at whole frames only, so many a second, and at the end."""
    times = np.arange(0.0, seconds + 1e-9, 1 / rate)
    if seconds - times[-1] > 1e-6:
        times = np.append(times, seconds)
    every, is_key = _with_looks(times)
    return _keyed(travel(every), every, is_key)


def _keyed(poses: Poses, every: Array, is_key: Flags) -> Keyed:
    away, turned = _off(poses, every, is_key)
    far, most = int(np.argmax(away)), int(np.argmax(turned))
    worst = Worst(float(away[far]), float(every[far]), float(turned[most]), float(every[most]))
    return Keyed(every[is_key], poses.frames_at(np.flatnonzero(is_key)), worst)


def _with_looks(times: Array) -> tuple[Array, Flags]:
    """Times with the looks between them, in order; and which of them are keys."""
    looks = [times[:-1] + share * np.diff(times) for share in _LOOKS]
    every = np.concatenate([times, *looks])
    order = np.argsort(every, kind="stable")
    return every[order], (np.arange(len(every)) < len(times))[order]


def _cut(times: Array, pieces: Rows) -> Array:
    """Times with each interval cut into so many pieces."""
    cut = [
        start + (end - start) * np.arange(count) / count
        for start, end, count in zip(times[:-1], times[1:], pieces, strict=True)
    ]
    return np.append(np.concatenate(cut), times[-1])


def _of_intervals(flags: Flags, is_key: Flags) -> Flags:
    """(K − 1,) whether anything is flagged in each interval between keys."""
    of = np.cumsum(is_key) - 1
    found = np.zeros(int(is_key.sum()), dtype=bool)
    np.logical_or.at(found, of, flags & ~is_key)
    return found[:-1]


def _by_turns(poses: Poses, is_key: Flags) -> Rows:
    """(K − 1,) into how many pieces an interval is cut, so that no part turns by a quarter in one
    against what carries it, as its channels count it."""
    program = poses.program
    steps = np.abs(np.diff(poses.channels, axis=1))
    turned = np.zeros(steps.shape[1])
    for part in program.part_ids:
        rows = [row for name, row in program.applied(part) if name.startswith("turn")]
        if rows:
            turned = np.maximum(turned, steps[rows].sum(axis=0))
    of = np.cumsum(is_key)[:-1] - 1
    found = np.zeros(int(is_key.sum()) - 1)
    np.add.at(found, of, turned)
    return np.maximum(np.ceil(found / _STEP), 1).astype(np.intp)


def _by_treads(poses: Poses, is_key: Flags) -> Rows:
    """(K − 1,) the same, so that the links of treads, which go straight from key to key, stay as
    near to their band as is aimed at."""
    rig, row = poses.program.rig, poses.program.channel_row
    of = np.cumsum(is_key)[:-1] - 1
    found = np.ones(int(is_key.sum()) - 1)
    for tread in rig.treads.values():
        shift = row.get(key(tread.link, SHIFT["tread"]))
        if shift is None:
            continue
        gone = np.zeros(len(found))
        np.add.at(gone, of, np.abs(np.diff(poses.channels[shift])))
        radius = min(abs(wheel.radius) for wheel in tread.wheels)
        # The height of an arc over its chord: s² / 8r.
        found = np.maximum(found, gone / math.sqrt(8 * radius * _AIM * AWAY))
    return np.ceil(found).astype(np.intp)


def _by_sight(poses: Poses, every: Array, is_key: Flags) -> Rows:
    """(K − 1,) the same, so that parts and copies come and go about when they should."""
    program = poses.program
    names = [key(part, name) for part in program.part_ids for name in (SHOWN, "count")]
    rows = [program.channel_row[c] for c in names if c in program.channel_row]
    found = np.ones(int(is_key.sum()) - 1, dtype=np.intp)
    if not rows:
        return found
    whole = np.floor(poses.channels[rows] + 0.5)
    keys = np.flatnonzero(is_key)
    changed = (np.diff(whole[:, keys], axis=1) != 0).any(axis=0)
    return np.where(changed & (np.diff(every[keys]) > _SEEN), 2, found)


def _off(poses: Poses, every: Array, is_key: Flags) -> tuple[Array, Array]:
    """(F,) how far parts are at most from where a player has them (m), and turned (rad)."""
    program = poses.program
    worlds = poses.worlds
    keys = np.flatnonzero(is_key)
    before = np.maximum(np.cumsum(is_key) - 1, 0)
    after = np.minimum(before + 1, len(keys) - 1)
    width = every[keys[after]] - every[keys[before]]
    share = np.where(
        width > 0, (every - every[keys[before]]) / np.where(width > 0, width, 1.0), 0.0
    )
    shown = np.empty_like(worlds)
    away, turned = np.zeros(len(every)), np.zeros(len(every))
    back = np.linalg.inv(worlds)
    for row in range(len(program.part_ids)):
        parent = int(program.parents[row])
        local = worlds[:, row] if parent < 0 else back[:, parent] @ worlds[:, row]
        if np.ptp(local, axis=0).max() > 1e-12 and all(
            map(holds, local[:: max(1, len(local) // 7)])
        ):
            local = played(local[keys], before, after, share)
        shown[:, row] = local if parent < 0 else shown[:, parent] @ local
        gap = np.linalg.norm(shown[:, row, :3, 3] - worlds[:, row, :3, 3], axis=1)
        away = np.maximum(away, gap)
        turned = np.maximum(turned, _angle(shown[:, row, :3, :3], worlds[:, row, :3, :3]))
    return away, turned


def played(keyed: Array, before: Rows, after: Rows, share: Array) -> Array:
    """(F, 4, 4) frames between keys (K, 4, 4), as glTF 2.0 says."""
    columns = keyed[:, :3, :3]
    size = np.linalg.norm(columns, axis=1)
    q = quaternions(columns / size[:, None, :])
    one, two = q[before], q[after]
    cosine = np.einsum("ij,ij->i", one, two)
    two = np.where(cosine[:, None] < 0, -two, two)
    angle = np.arccos(np.clip(np.abs(cosine), 0.0, 1.0))
    sine = np.sin(angle)
    plain = sine < 1e-9
    safe = np.where(plain, 1.0, sine)
    a = np.where(plain, 1 - share, np.sin((1 - share) * angle) / safe)
    b = np.where(plain, share, np.sin(share * angle) / safe)
    q = a[:, None] * one + b[:, None] * two
    made = np.zeros((len(share), 4, 4))
    made[:, :3, :3] = Rotation.from_quat(q[:, [1, 2, 3, 0]]).as_matrix()
    u = share[:, None]
    made[:, :3, :3] *= ((1 - u) * size[before] + u * size[after])[:, None, :]
    made[:, :3, 3] = (1 - u) * keyed[before, :3, 3] + u * keyed[after, :3, 3]
    made[:, 3, 3] = 1.0
    return made


def _angle(one: Array, two: Array) -> Array:
    """(F,) angles between turns (F, 3, 3) whatever their sizes (rad)."""
    one, two = (
        m / np.maximum(np.linalg.norm(m, axis=1, keepdims=True), 1e-300) for m in (one, two)
    )
    half = np.linalg.norm(one - two, axis=(1, 2)) / math.sqrt(8.0)
    return np.asarray(2 * np.arcsin(np.clip(half, 0.0, 1.0)))


def needed(values: Array, times: Array, off: float, *, turns: bool) -> Rows:
    """Which of (F, n) values are needed as keys, so that those left out are had from them to within
    so much: the first and the last, and more where the straight way between is off by the most.
    turns: they are unit quaternions, and keys stay less than a quarter turn apart."""
    kept = [0, len(values) - 1]
    waiting = [(0, len(values) - 1)]
    gone = np.zeros(len(values))
    if turns:
        cosine = np.clip(np.abs(np.einsum("ij,ij->i", values[1:], values[:-1])), 0.0, 1.0)
        gone = np.concatenate([[0.0], np.cumsum(2 * np.arccos(cosine))])
    while waiting:
        start, end = waiting.pop()
        if end - start < 2:
            continue
        u = ((times[start : end + 1] - times[start]) / (times[end] - times[start]))[:, None]
        one, two = values[start], values[end]
        if turns and gone[end] - gone[start] >= _STEP:
            middle = start + int(
                np.searchsorted(gone[start : end + 1], (gone[start] + gone[end]) / 2)
            )
            middle = min(max(middle, start + 1), end - 1)
        else:
            if turns:
                angle = math.acos(min(abs(float(one @ two)), 1.0))
                two = two if float(one @ two) >= 0 else -two
                straight = (
                    (1 - u) * one + u * two
                    if angle < 1e-9
                    else (np.sin((1 - u) * angle) * one + np.sin(u * angle) * two) / math.sin(angle)
                )
                inner = np.abs(np.einsum("ij,ij->i", straight, values[start : end + 1]))
                gap = 2 * np.arccos(np.clip(inner, 0.0, 1.0))
            else:
                straight = (1 - u) * one + u * two
                gap = np.linalg.norm(straight - values[start : end + 1], axis=1)
            middle = start + int(np.argmax(gap))
            if gap[middle - start] <= off:
                continue
        kept.append(middle)
        waiting += [(start, middle), (middle, end)]
    return np.array(sorted(set(kept)), dtype=np.intp)
