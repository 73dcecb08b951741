"""What a program does, in order: blocks of steps that the kernels run, and what lies between."""

from __future__ import annotations

import ctypes
from collections.abc import Iterator, Sequence
from typing import Any, TypeGuard

import numpy as np

from gremio.core.arrays import Array, Rows
from gremio.core.kernels.library import Kernel, Table, address, check_rows, class_of, structure
from gremio.core.quantity import LARGEST
from gremio.core.records import Record
from gremio.core.solve.limits import Limits
from gremio.core.solve.steps import FreedomsStep, Level, TrainStep
from gremio.core.solve.tree import every_row

_BEGIN, _HOLD, _TRAIN = range(3)
_STEP = structure(
    kind="w", n="w", k="w", soft_at_all="w", stopped="w", rows="p", low="p", high="p", soft="p",
    held="p", train="p", followers="p", ratio="p", offset="p",
)  # fmt: skip
_RUN = Kernel("gremio_run_steps", "pwppwd")
# From so many channels × frames on, other threads may run meanwhile.
_MANY = 100_000


class Block:
    """Steps that the kernels run one after another: where channels begin, stops, and trains of one
    freedom whose stops stand still."""

    def __init__(self, channels: int, steps: Sequence[dict[str, Any]]) -> None:
        for step in steps:
            _check(channels, step)
        self._made_of = channels, tuple(steps)
        self._tables = [Table(_STEP, step) for step in steps]
        # They lie one after another in memory.
        self._steps = (class_of(_STEP) * len(steps))(*(table.structure for table in self._tables))
        self._at = ctypes.addressof(self._steps)
        self._channels = channels

    def __reduce__(self) -> tuple[Any, ...]:
        return Block, self._made_of

    def run(self, channels: Array, asked: Array) -> int:
        """Run them over channels and asked (C, F); returns how many values to begin with are no
        plain number."""
        if not len(channels) == len(asked) == self._channels:
            raise ValueError("a block is run over the channels of its program")
        if not channels.size:
            return 0
        run = _RUN.beside if channels.size >= _MANY else _RUN.alone
        at = address(channels), address(asked), channels.shape[1]
        return int(run(self._at, len(self._steps), *at, LARGEST))


class Piece(Record, frozen=True):
    """A part of the course: a block, then what a level gives in other ways (`gives`), or what it
    does after its stops (`ends`)."""

    block: Block | None
    gives: Level | None = None
    ends: Level | None = None


def course_of(
    channels: int, given: Rows | slice, first: Limits, levels: Sequence[Level]
) -> tuple[Piece, ...]:
    """The course of a program of so many channels. given: rows that no step writes; first: their
    stops."""
    pieces = []
    waiting: list[dict[str, Any]] = [_begin(every_row(given)), *_holding(first)]

    def block() -> Block | None:
        made = Block(channels, tuple(waiting)) if waiting else None
        waiting.clear()
        return made

    for level in levels:
        waiting += [_train(step) for step in level.trains[:1] if is_plain(step)]
        if any(True for _ in others(level)) or level.sets or level.adds or level.constraints:
            pieces.append(Piece(block(), gives=level))
        waiting += _holding(level.limits)
        if level.holds is not None or level.loops:
            pieces.append(Piece(block(), ends=level))
    return (*pieces, Piece(block())) if waiting else tuple(pieces)


def is_plain(step: TrainStep | FreedomsStep) -> TypeGuard[TrainStep]:
    """Whether the kernels run a step of trains."""
    return isinstance(step, TrainStep) and step.led is None


def others(level: Level) -> Iterator[Any]:
    """The steps of trains of a level that no block runs."""
    return (step for i, step in enumerate(level.trains) if i or not is_plain(step))


def _begin(rows: Rows) -> dict[str, Any]:
    return {"kind": _BEGIN, "n": len(rows), "rows": np.ascontiguousarray(rows)}


def _holding(limits: Limits) -> list[dict[str, Any]]:
    if not len(limits.low):
        return []
    rows = every_row(limits.rows)
    return [
        {
            "kind": _HOLD, "n": len(rows), "soft_at_all": int(limits.any_soft), "rows": rows,
            "low": _flat(limits.low), "high": _flat(limits.high), "soft": _flat(limits.soft),
        }
    ]  # fmt: skip


def _train(step: TrainStep) -> dict[str, Any]:
    return {
        "kind": _TRAIN, "n": len(step.inputs), "k": len(step.followers),
        "stopped": int(step.stopped), "rows": np.ascontiguousarray(step.inputs),
        "low": _flat(step.low), "high": _flat(step.high), "soft": _flat(step.soft),
        "held": np.ascontiguousarray(step.held), "train": np.ascontiguousarray(step.train),
        "followers": np.ascontiguousarray(step.followers), "ratio": _flat(step.ratio),
        "offset": _flat(step.offset),
    }  # fmt: skip


def _flat(values: Array) -> Array:
    return np.ascontiguousarray(values, dtype=np.float64).ravel()


def _check(channels: int, step: dict[str, Any]) -> None:
    """Refuse a step that refers to what is not there. Raises ValueError."""
    n, k = step["n"], step.get("k", 0)
    check_rows(step["rows"], 0, channels, "rows")
    sizes = {"rows": n}
    if step["kind"] != _BEGIN:
        sizes |= {"low": n, "high": n, "soft": 2 * n}
    if step["kind"] == _TRAIN:
        sizes |= {"held": n, "train": k, "followers": k, "ratio": k, "offset": k}
        check_rows(step["train"], 0, n, "trains")
        check_rows(step["followers"], 0, channels, "followers")
    if any(step[name].shape != (size,) for name, size in sizes.items()):
        raise ValueError("a step has as many of everything as rows, or followers")
