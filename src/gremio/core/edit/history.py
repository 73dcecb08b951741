"""Undo and redo: the older rigs, with what was done to them."""

from __future__ import annotations

import sys
from typing import NamedTuple

import msgspec
from msgspec.structs import replace

from gremio.core.plan.touched import differing
from gremio.core.records import Record
from gremio.core.rig.model import Rig

# So many steps are kept at most, and so much beside the present rig (bytes).
MOST_STEPS = 500
MOST_BYTES = 256 * 1024 * 1024


class Step(NamedTuple):
    """What was done, and the rig on the other side of it. size: how many bytes are kept for it
    that the rig on this side does not hold as well."""

    what: str
    rig: Rig
    size: int


class History(Record, frozen=True):
    """Rigs before and after the present one.

    gesture: names the drag or typing under way, so that it becomes one step. lost: how many of the
    oldest steps have gone, for no more than `MOST_STEPS` and `MOST_BYTES` are kept.
    """

    rig: Rig
    done: tuple[Step, ...] = ()
    undone: tuple[Step, ...] = ()
    gesture: str = ""
    lost: int = 0

    def did(self, what: str, rig: Rig, gesture: str = "") -> History:
        """After an edit. Edits of one gesture, one after another, are one step."""
        if rig is self.rig:
            return self
        before, done = self.rig, self.done
        if gesture and gesture == self.gesture and done:
            before, done = done[-1].rig, done[:-1]
        kept = _within((*done, Step(what, before, beside(before, rig))))
        lost = self.lost + len(done) + 1 - len(kept)
        return History(rig, kept, (), gesture, lost)

    def settled(self) -> History:
        """After a gesture has ended."""
        return replace(self, gesture="")

    def undo(self) -> History:
        """The step before; itself when there is none."""
        if not self.done:
            return self
        what, before, size = self.done[-1]
        undone = (*self.undone, Step(what, self.rig, size))
        return History(before, self.done[:-1], undone, lost=self.lost)

    def redo(self) -> History:
        """The step after; itself when there is none."""
        if not self.undone:
            return self
        what, after, size = self.undone[-1]
        done = (*self.done, Step(what, self.rig, size))
        return History(after, done, self.undone[:-1], lost=self.lost)

    @property
    def undo_name(self) -> str:
        """What undo would take back; "" when there is nothing."""
        return self.done[-1].what if self.done else ""

    @property
    def redo_name(self) -> str:
        """What redo would do again; "" when there is nothing."""
        return self.undone[-1].what if self.undone else ""


def _within(steps: tuple[Step, ...]) -> tuple[Step, ...]:
    """The latest steps that may be kept, the last of them in any case."""
    room, first = MOST_BYTES, len(steps)
    for i in range(len(steps) - 1, max(len(steps) - MOST_STEPS, 0) - 1, -1):
        room -= steps[i].size
        if room < 0 and first < len(steps):
            break
        first = i
    return steps[first:]


def beside(before: Rig, after: Rig) -> int:
    """About how many bytes a rig takes beside another that came of it: the tables in which they
    differ, and the things in them."""
    size = 0
    for field in Rig.__struct_fields__:
        one, two = getattr(before, field), getattr(after, field)
        if one is two or not isinstance(one, dict):
            continue
        size += sys.getsizeof(one)
        things = (one[i] for i in differing(one, two) if i in one)
        size += sum(len(msgspec.json.encode(thing)) for thing in things)
    return size
