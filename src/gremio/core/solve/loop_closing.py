"""Closing loops by the compiled kernels."""

from __future__ import annotations

import ctypes
from typing import Any

import numpy as np

from gremio.core.arrays import Array
from gremio.core.kernels.library import Kernel, Table, address, check_rows, had_room, structure
from gremio.core.plan.loops import OPEN
from gremio.core.solve.loop_shape import Shape

# No more steps than this are gone from home.
MOST = 20_000
# From so many frames of loops on, other threads may run meanwhile.
_MANY = 8

_LOOPS = structure(
    loops="w", parts="w", channels="w", unknowns="w", closures="w", swings="w", rows="w", gaps="w",
    mounts="p", parents="p", start="p", kinds="p", found="p", low="p", high="p", ends="p",
    points="p", rail="p", above="p", spins="p", about="p", factors="p", constants="p", size="d",
    open="d", sizes="p",
)  # fmt: skip
_CLOSE = Kernel("gremio_close_loops", "pppwwppp")
_ASSEMBLE = Kernel("gremio_assemble", "ppp")


def table_of(shapes: Shape) -> Table:
    """Loops of one make as the kernels read them. shapes: arrays with a first axis of length L.
    Raises ValueError for one that refers to what it has not."""
    columns: Any = [np.ascontiguousarray(column) for column in shapes]
    s = Shape(*columns)
    count, parts = s.parents.shape
    channels, closures = s.kinds.shape[1], s.ends.shape[1]
    check_rows(s.parents - np.arange(parts), -parts - 1, 0, "parents come first")
    check_rows(s.parents, -1, parts, "parents")
    check_rows(np.diff(s.start, axis=1), 0, 7, "channels of a part")
    check_rows(s.start, 0, channels + 1, "channels of a part")
    check_rows(s.start[:, 0], 0, 1, "the first channel")
    check_rows(s.kinds, 0, 6, "channels")
    check_rows(s.found, 0, channels, "what is solved for")
    check_rows(s.ends, -1, parts, "ends")
    check_rows(s.spins, 0, parts, "what swings")
    for loop in range(count if s.spins.size else 0):
        first = s.start[loop, s.spins[loop] + 1] - 3
        check_rows(first - s.start[loop, s.spins[loop]], 0, 4, "turns of what swings")
    # Loops of one make have as many gaps each.
    rails = int((s.rail[0] != 0).any(axis=1).sum())
    if ((s.rail != 0).any(axis=2).sum(axis=1) != rails).any():
        raise ValueError("loops of one make have as many rails")
    rows, swings, found = s.constants.shape[1], s.spins.shape[1], s.found.shape[1]
    wanted = {
        "mounts": (parts, 3, 4), "start": (parts + 1,), "low": (channels,), "high": (channels,),
        "points": (closures, 2, 3), "rail": (closures, 3), "above": (closures, channels),
        "about": (swings, 3), "factors": (rows, channels), "size": (), "ends": (closures, 2),
    }  # fmt: skip
    for name, shape in wanted.items():
        if getattr(s, name).shape != (count, *shape):
            raise ValueError(f"{name} of loops is not of the size of the others")
    arrays = s._asdict()
    sizes = np.ascontiguousarray(arrays.pop("size"), dtype=np.float64)
    return Table(
        _LOOPS,
        {
            "loops": count, "parts": parts, "channels": channels, "unknowns": found,
            "closures": closures, "swings": swings, "rows": rows,
            "gaps": 3 * closures - rails + swings + rows, **arrays, "size": 0.0, "open": OPEN,
            "sizes": sizes,
        },
    )  # fmt: skip


def close_many(table: Table, home: Array, asked: Array, most: int) -> tuple[Array, Array, Array]:
    """Close L loops of one make in F frames, each as if it were alone.

    home: (L, C) closed at home. asked: (L, F, C) what the channels that lead them should be. most:
    nodes of a way. Returns (L, F, C) their channels, (L, F) the share of the way from home that
    could be gone, below zero where the nodes did not lead so far, and (L, F) the greatest gap (m).
    Raises MemoryError.
    """
    home, asked = np.ascontiguousarray(home), np.ascontiguousarray(asked)
    size = table.structure.loops, table.structure.channels
    if home.shape != size or asked.shape != (size[0], asked.shape[1], size[1]):
        raise ValueError("loops and what they are asked for are not of one size")
    result, gone = np.empty_like(asked), np.empty(asked.shape[:2])
    left = np.empty_like(gone)
    if gone.size:
        run = _CLOSE.beside if gone.size >= _MANY else _CLOSE.alone
        told = [address(array) for array in (result, gone, left)]
        had_room(
            run(table.address, address(home), address(asked), asked.shape[1], most, *told),
        )
    return result, gone, left


def assemble(shape: Shape, home: Array) -> tuple[Array, float, bool]:
    """A loop closed from home (C,), wherever that leads: its channels (C,), the greatest gap left
    (m), and whether it is closed but for what no joint can close. Raises MemoryError."""
    columns: Any = [np.asarray(column)[None] for column in shape]
    table = table_of(Shape(*columns))
    q, left = np.array(home, dtype=np.float64), ctypes.c_double()
    if q.shape != (table.structure.channels,):
        raise ValueError("a loop has as many channels as its home")
    closed = had_room(
        _ASSEMBLE.alone(table.address, address(q), ctypes.addressof(left)),
    )
    return q, left.value, bool(closed)
