"""World frames by a compiled loop, for many parts or many frames."""

from __future__ import annotations

import numba
import numpy as np

from gremio.core.arrays import Array, Rows
from gremio.core.solve.tree import Tree


def world_frames(tree: Tree, channels: Array) -> Array:
    """(F, P, 4, 4) world frame of each part, from (C, F) channels."""
    parts, frames = len(tree.part_ids), channels.shape[1]
    start, kinds, rows = tree.joint_table
    worlds = np.empty((frames, parts, 4, 4))
    by_frame = np.ascontiguousarray(channels.T)
    joints = start, kinds, rows
    _fill(tree.mount_rows, tree.parents, tree.own_place, tree.own_rows, *joints, by_frame, worlds)
    return worlds


@numba.njit(cache=True, error_model="numpy")
def _put_behind(m: Array, kind: int, q: float) -> None:
    """Put the frame that a channel makes behind a frame (3, 4), in place. kind: its place among
    the nine."""
    if kind < 3:
        for r in range(3):
            m[r, 3] += m[r, kind] * q
    elif kind < 6:
        cos, sin = np.cos(q), np.sin(q)
        a, b = (kind - 2) % 3, (kind - 1) % 3
        for r in range(3):
            first, second = m[r, a], m[r, b]
            m[r, a] = first * cos + second * sin
            m[r, b] = second * cos - first * sin
    else:
        for r in range(3):
            m[r, kind - 6] *= q


@numba.njit(cache=True, error_model="numpy")
def _product(outer: Array, inner: Array, result: Array) -> None:
    """Fill a frame (3, 4) with `inner` as seen from where `outer` stands."""
    for r in range(3):
        x, y, z = outer[r, 0], outer[r, 1], outer[r, 2]
        for c in range(4):
            result[r, c] = x * inner[0, c] + y * inner[1, c] + z * inner[2, c]
        result[r, 3] += outer[r, 3]


@numba.njit(cache=True, error_model="numpy")
def _fill(
    mounts: Array,
    parents: Rows,
    own_place: Rows,
    owns: Array,
    start: Rows,
    kinds: Rows,
    rows: Rows,
    channels: Array,
    worlds: Array,
) -> None:
    """Fill worlds (F, P, 4, 4). mounts: (P, 3, 4). owns: (k, 3, 4), and own_place: (P,) the
    place of each part's among them. Part i has the channels start[i] to
    start[i + 1] of `kinds` (their place among the nine) and `rows`. channels: (F, C)."""
    m, own = np.empty((3, 4)), np.empty((3, 4))
    for f in range(worlds.shape[0]):
        for i in range(worlds.shape[1]):
            m[:, :] = mounts[i]
            for s in range(start[i], start[i + 1]):
                _put_behind(m, kinds[s], channels[f, rows[s]])
            if own_place[i] >= 0:
                _product(m, owns[own_place[i]], own)
                m[:, :] = own
            w = worlds[f, i]
            if parents[i] < 0:
                w[:3, :] = m
            else:
                _product(worlds[f, parents[i]], m, w)
            w[3, 0], w[3, 1], w[3, 2], w[3, 3] = 0.0, 0.0, 0.0, 1.0
