"""A routine that was baked, as a table or as JSON."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any

import msgspec
import numpy as np

from gremio.core.arrays import Array
from gremio.core.problem import Note
from gremio.core.rig import ids
from gremio.core.rig.channels import split
from gremio.core.rig.ids import CLOCK
from gremio.core.rig.numbers import full_label, kind_of, number_word, owner_name
from gremio.core.solve.pose import Poses
from gremio.core.solve.program import Program
from gremio.core.solve.tables import SI, heading

# Frames with their times, some after the others.
Pieces = Iterable[tuple[Array, Poses]]


def baked_csv(program: Program, pieces: Callable[[], Pieces]) -> Iterator[bytes]:
    """A row a frame: the time, then every channel that moves. SI units, named in the heading.

    pieces: gives the frames in pieces, which is asked for twice, as only then it is known what
    moves; what is held meanwhile does not grow with how many there are.
    """
    rig = program.rig
    low = np.full(len(program.channel_keys), np.inf)
    high = -low
    for _, poses in pieces():
        low = np.minimum(low, poses.channels.min(axis=1))
        high = np.maximum(high, poses.channels.max(axis=1))
    rows = [
        row
        for row, channel in enumerate(program.channel_keys)
        if channel != CLOCK and low[row] != high[row]
    ]
    moving = [program.channel_keys[row] for row in rows]
    heads = [heading(full_label(rig, c), SI[kind_of(rig, c)]) for c in moving]
    yield _lines([["Time [s]", *heads]])
    for times, poses in pieces():
        table = np.column_stack([times, poses.channels[rows].T])
        yield _lines([repr(number) for number in row] for row in table.tolist())


def _lines(rows: Iterable[list[str]]) -> bytes:
    text = io.StringIO()
    csv.writer(text, lineterminator="\n").writerows(rows)
    return text.getvalue().encode()


def baked_json(times: Array, poses: Poses, notes: Sequence[Note]) -> bytes:
    """All channels of parts and controls, and the world frames of all parts, at times (F,) s.

    {"times": [s], "channels": {"Upper gate, east": {"turn z": [rad]}}, "controls": {name: [SI]},
    "parts": {name: {"world": [[16 numbers, row by row]]}}, "notes": [{code, part, text,
    severity}]}
    """
    program, rig = poses.program, poses.program.rig
    channels: dict[str, dict[str, list[float]]] = {}
    controls: dict[str, list[float]] = {}
    for row, channel in enumerate(program.channel_keys):
        owner = split(channel)[0]
        values = poses.channels[row].tolist()
        if ids.thing(channel) in rig.controls:
            controls[rig.controls[ids.thing(channel)].name] = values
        elif channel != CLOCK:
            own = channels.setdefault(owner_name(rig, owner), {})
            own[number_word(rig, channel)] = values
    parts = {
        rig.parts[part].name: {"world": poses.worlds[:, row].reshape(-1, 16).tolist()}
        for row, part in enumerate(program.part_ids)
    }
    told: list[dict[str, Any]] = [
        {"code": n.code, "part": n.part, "text": n.text, "severity": n.severity} for n in notes
    ]
    return msgspec.json.encode(
        {"times": times.tolist(), "channels": channels, "controls": controls, "parts": parts,
         "notes": told}
    )  # fmt: skip
