"""Loops as steps of a program: closing them for many frames at once."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import Any

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array, Flags, Rows
from gremio.core.kernels.library import Table
from gremio.core.plan.loop_geometry import frames_in_loop, gaps
from gremio.core.plan.loops import Loop
from gremio.core.records import Record
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.model import Rig
from gremio.core.solve.loop_closing import MOST, assemble, close_many, table_of
from gremio.core.solve.loop_shape import Shape, shape_of
from gremio.core.solve.patience import may_go_on

# Closed at home as nearly as this, a loop needs no closing there (m).
_CLOSED = 1e-12
# So many nodes of a way are gone before whoever waits is asked to go on; then twice so many.
_AT_ONCE = 1250


class LoopStep(Record, frozen=True):
    """Closures that hang together.

    loop: what it is. rows: (C,) channel rows of its channels. leads, found: places among them.
    home: (C,) its channels at home (SI), low and high: (C,) their stops.
    """

    rig: Rig
    loop: Loop
    rows: Rows
    leads: Rows
    found: Rows
    home: Array
    low: Array
    high: Array

    @property
    def followers(self) -> Rows:
        """Rows of the channels that are solved for."""
        return self.rows[self.found]

    @cached_property
    def closed_at_home(self) -> bool:
        """Whether nothing has to move at home for the loop to be closed."""
        values = dict(zip(self.loop.channels, self.home.tolist(), strict=True))
        frames = frames_in_loop(self.rig, self.loop.parts, values)
        for row in self.loop.rows:
            if abs(sum(f * values[c] for c, f in row.factors.items()) - row.constant) > _CLOSED:
                return False
        return max(gaps(self.rig, self.loop.closures, frames).values(), default=0.0) <= _CLOSED

    @cached_property
    def assembled(self) -> tuple[Array, float, bool]:
        """(C,) the channels with the loop closed at home, the gap that is left (m), and whether
        that is closed: but for what no joint can close."""
        if self.closed_at_home:
            return self.home, 0.0, True
        return assemble(self.shape, self.home)

    @cached_property
    def shape(self) -> Shape:
        """The loop as flat arrays."""
        return shape_of(self.rig, self.loop, self.found, self.low, self.high)

    def moved_to(self, now: LoopStep) -> LoopStep:
        """The same loop as it is now; this one where nothing of it is another, and with what was
        found at home where only its rows are."""
        alike = all(
            np.array_equal(getattr(self, name), getattr(now, name))
            for name in ("leads", "found", "home", "low", "high")
        )
        if not alike or self.parts != now.parts:
            return now
        if np.array_equal(self.rows, now.rows):
            return self
        found = replace(self, rows=now.rows)
        known = ("closed_at_home", "assembled", "shape")
        found.__dict__.update({k: self.__dict__[k] for k in known if k in self.__dict__})
        return found

    @property
    def parts(self) -> list[tuple[object, ...]]:
        """What its shape follows of each of its parts."""
        every = (self.rig.parts[part] for part in self.loop.parts)
        ties = [self.rig.closures[i] for i in self.loop.closures]
        stands = ((p.parent, p.joint, p.mount, p.own) for p in every)
        return [*stands, tuple(ties), self.loop.rows]

    @property
    def can_close(self) -> bool:
        """Whether it can be closed at home."""
        return self.assembled[2]


class LoopBatch(Record, frozen=True):
    """L loops of one make, closed together. C channels each.

    rows: (L, C) channel rows. leads, found: places among the C. home: (L, C) closed at home,
    where they can be. still: (L,) whether nothing has to move for a loop to be closed at home.
    closes: (L,) whether it can be closed at all. gaps: (L,) what is left at home (m).
    """

    steps: tuple[LoopStep, ...]
    rows: Rows
    leads: Rows
    found: Rows

    def is_of(self, steps: tuple[LoopStep, ...]) -> bool:
        """Whether it is made of just these."""
        return len(steps) == len(self.steps) and all(
            a is b for a, b in zip(self.steps, steps, strict=True)
        )

    @cached_property
    def home(self) -> Array:
        """(L, C) the channels of each loop at home, closed where it can be."""
        return np.array([step.assembled[0] for step in self.steps])

    @cached_property
    def still(self) -> Flags:
        """(L,) whether nothing has to move for a loop to be closed at home."""
        return np.array([step.closed_at_home for step in self.steps])

    @cached_property
    def closes(self) -> Flags:
        """(L,) whether a loop can be closed at home."""
        return np.array([step.can_close for step in self.steps])

    @cached_property
    def shapes(self) -> Shape:
        """The shapes of the loops, one on another."""
        arrays: list[Any] = [
            np.array(column) for column in zip(*(step.shape for step in self.steps), strict=True)
        ]
        return Shape(*arrays)

    @cached_property
    def table(self) -> Table:
        """The shapes of the loops as the kernels read them."""
        return table_of(self.shapes)

    def _some(self, those: Rows) -> Table:
        """Those of some of the loops."""
        columns: Any = self.shapes
        return table_of(Shape(*[column[those] for column in columns]))

    def run(self, channels: Array, asked: Array) -> tuple[Array, Array]:
        """Close the loops: fill what is solved for, and hold what leads them where the reach
        ends. channels, asked: (C, F). Returns (L, F) the share of the way from home that could
        be gone, below zero where the way was too long to be followed, and the greatest gap (m)."""
        frames = channels.shape[1]
        count = len(self.steps)
        gone, left = np.ones((count, frames)), np.zeros((count, frames))
        wanted = channels[self.rows]
        led = wanted[:, self.leads]
        quiet = (led == self.home[:, self.leads, None]).all(axis=(1, 2))
        # One that stands at home, or can't be closed, stands as it does at home.
        rest = quiet & self.still | ~self.closes
        if rest.any():
            self._rest(np.flatnonzero(rest), channels, asked, gone, left)
            if not rest.all():
                self._close(np.flatnonzero(~rest), wanted, channels, asked, gone, left)
        else:
            self._close(slice(None), wanted, channels, asked, gone, left)
        return gone, left

    def _rest(self, those: Rows, channels: Array, asked: Array, gone: Array, left: Array) -> None:
        rows = self.rows[those]
        held = np.repeat(self.home[those][..., None], channels.shape[1], axis=2)
        channels[rows] = held
        found = rows[:, self.found]
        asked[found] = held[:, self.found]
        for i in those:
            if not self.closes[i]:
                gone[i], left[i] = 0.0, self.steps[i].assembled[1]

    def _close(
        self, those: Rows | slice, wanted: Array, channels: Array, asked: Array, gone: Array,
        left: Array,
    ) -> None:  # fmt: skip
        target = np.ascontiguousarray(wanted[those].transpose(0, 2, 1))
        table = self.table if isinstance(those, slice) else self._some(those)
        # A long way is followed bit by bit, so that whoever waits can say when it is enough.
        most = _AT_ONCE
        while True:
            result, share, gap = close_many(table, self.home[those], target, most)
            if most >= MOST or not (share < 0).any() or not may_go_on():
                break
            most = min(2 * most, MOST)
        gone[those], left[those] = share, gap
        rows = self.rows[those]
        channels[rows] = result.transpose(0, 2, 1)
        found = rows[:, self.found]
        asked[found] = channels[found]


def batches(steps: Sequence[LoopStep]) -> tuple[LoopBatch, ...]:
    """Loops put together by their make: of the same parts, joints and closures in number and
    kind, tied in the same way."""
    makes: dict[tuple[object, ...], list[LoopStep]] = {}
    for step in steps:
        s = step.shape
        turned = (s.rail != 0).any(axis=1)
        arrays = (s.parents, s.start, s.kinds, s.found, s.ends, s.spins, turned)
        make = (len(s.constants), *((array.shape, array.tobytes()) for array in arrays))
        makes.setdefault(make, []).append(step)
    return tuple(
        LoopBatch(
            tuple(those), np.array([step.rows for step in those]), those[0].leads, those[0].found
        )
        for those in makes.values()
    )


def loop_step(
    rig: Rig, loop: Loop, row: dict[ChannelKey, int], home: Array, low: Array, high: Array
) -> LoopStep:
    """The step of a loop. row: from channel key to row. home, low, high: of all channels."""
    rows = np.array([row[c] for c in loop.channels], dtype=np.intp)
    found = [i for i, c in enumerate(loop.channels) if c in loop.found]
    leads = [i for i in range(len(loop.channels)) if i not in found]
    return LoopStep(
        rig, loop, rows, np.array(leads, dtype=np.intp), np.array(found, dtype=np.intp),
        home[rows], low[rows], high[rows],
    )  # fmt: skip
