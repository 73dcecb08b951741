"""Poses of several programs of one rig, as one: each frame as its own program has it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from gremio.core.arrays import Array, Rows
from gremio.core.rig.ids import ThingId
from gremio.core.solve.loop_steps import LoopBatch
from gremio.core.solve.pose import Closed, Poses
from gremio.core.solve.program import Program
from gremio.core.solve.wants import Want

# Some poses, and which of all frames they are.
Piece = tuple[Rows, Poses]


def joined(program: Program, pieces: Sequence[Piece], frames: int) -> Poses:
    """Poses of programs whose rigs differ in what carries what, laid out as in one of them.
    frames: how many there are together. What a loop closes, and a constraint wants, is 1 and
    nothing where its piece does not know it."""
    if len(pieces) == 1 and pieces[0][1].program is program:
        return pieces[0][1]
    channels = np.empty((len(program.channel_keys), frames))
    channels[:] = program.home[:, None]
    asked = channels.copy()
    worlds = np.empty((frames, len(program.part_ids), 4, 4))
    undefined: dict[int, Any] = {}
    put: dict[int, Array] = {}
    for those, poses in pieces:
        own = poses.program.channel_row
        both = [(row, own[c]) for c, row in program.channel_row.items() if c in own]
        rows, theirs = (np.array(side, dtype=np.intp) for side in zip(*both, strict=True))
        channels[np.ix_(rows, those)] = poses.channels[theirs]
        asked[np.ix_(rows, those)] = poses.asked[theirs]
        part_rows = [poses.program.part_row[part] for part in program.part_ids]
        worlds[those] = poses.worlds[:, part_rows]
        keys = poses.program.channel_keys
        for row, flags in poses.undefined.items():
            at = program.channel_row[keys[row]]
            undefined.setdefault(at, np.zeros(frames, dtype=bool))[those] = flags
    for those, poses in pieces:
        keys = poses.program.channel_keys
        for row, values in poses.put.items():
            at = program.channel_row[keys[row]]
            put.setdefault(at, channels[at].copy())[those] = values
    return Poses(program, channels, asked, worlds, undefined, put, _closed(pieces, frames),
                 _wants(pieces, frames))  # fmt: skip


def _closed(pieces: Sequence[Piece], frames: int) -> tuple[Closed, ...]:
    found: dict[ThingId, tuple[LoopBatch, int, Array, Array]] = {}
    for those, poses in pieces:
        for batch, gone, gap in poses.closed:
            for place, step in enumerate(batch.steps):
                first = step.loop.closures[0]
                if first not in found:
                    found[first] = (batch, place, np.ones((1, frames)), np.zeros((1, frames)))
                _, _, whole, gaps = found[first]
                whole[0, those], gaps[0, those] = gone[place], gap[place]
    return tuple(
        (LoopBatch((batch.steps[place],), batch.rows[place : place + 1], batch.leads, batch.found),
         gone, gap)
        for batch, place, gone, gap in found.values()
    )  # fmt: skip


def _wants(pieces: Sequence[Piece], frames: int) -> dict[ThingId, Want]:
    found: dict[ThingId, list[tuple[Rows, Want]]] = {}
    for those, poses in pieces:
        for constraint, want in poses.wants.items():
            found.setdefault(constraint, []).append((those, want))
    return {constraint: _one_want(parts, frames) for constraint, parts in found.items()}


def _one_want(parts: list[tuple[Rows, Want]], frames: int) -> Want:
    made: list[Any] = []
    for field in Want._fields:
        values = [(those, getattr(want, field)) for those, want in parts]
        known = next((value for _, value in values if value is not None), None)
        if not isinstance(known, np.ndarray):
            made.append(known)
            continue
        whole = np.zeros((frames, *known.shape[1:]), dtype=known.dtype)
        for those, value in values:
            if value is not None:
                whole[those] = value
        made.append(whole)
    return Want(*made)
