"""World frames by a compiled loop, for many parts or many frames."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numba
import numpy as np
import numpy.typing as npt

if TYPE_CHECKING:
    from gremio.core.solve.program import Program

Array = npt.NDArray[np.float64]


def world_frames(program: Program, channels: Array) -> Array:
    """(F, P, 4, 4) world frame of each part, from (C, F) channels."""
    parts, frames = len(program.part_ids), channels.shape[1]
    start, kinds, rows = program.joint_table
    worlds = np.empty((frames, parts, 4, 4))
    by_frame = np.ascontiguousarray(channels.T)
    _fill(program.mount_rows, program.parents, start, kinds, rows, by_frame, worlds)
    return worlds


@numba.njit(cache=True, error_model="numpy")
def _fill(
    mounts: Array,
    parents: npt.NDArray[np.intp],
    start: npt.NDArray[np.intp],
    kinds: npt.NDArray[np.intp],
    rows: npt.NDArray[np.intp],
    channels: Array,
    worlds: Array,
) -> None:
    """Fill worlds (F, P, 4, 4). mounts: (P, 3, 4). Part i has the channels start[i] to
    start[i + 1] of `kinds` (their place among the nine) and `rows`. channels: (F, C)."""
    m = np.empty((3, 4))
    for f in range(worlds.shape[0]):
        for i in range(worlds.shape[1]):
            m[:, :] = mounts[i]
            for s in range(start[i], start[i + 1]):
                kind, q = kinds[s], channels[f, rows[s]]
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
            w = worlds[f, i]
            if parents[i] < 0:
                for r in range(3):
                    for c in range(4):
                        w[r, c] = m[r, c]
            else:
                p = worlds[f, parents[i]]
                for r in range(3):
                    for c in range(4):
                        w[r, c] = p[r, 0] * m[0, c] + p[r, 1] * m[1, c] + p[r, 2] * m[2, c]
                    w[r, 3] += p[r, 3]
            w[3, 0], w[3, 1], w[3, 2], w[3, 3] = 0.0, 0.0, 0.0, 1.0
