"""Undo and redo: the older rigs, with what was done to them."""

from __future__ import annotations

from dataclasses import dataclass, replace

from gremio.core.rig.model import Rig

_KEPT = 500


@dataclass(frozen=True)
class History:
    """Rigs before and after the present one. Each step is (what was done, rig).

    gesture: names the drag or typing under way, so that it becomes one step.
    """

    rig: Rig
    done: tuple[tuple[str, Rig], ...] = ()
    undone: tuple[tuple[str, Rig], ...] = ()
    gesture: str = ""

    def did(self, what: str, rig: Rig, gesture: str = "") -> History:
        """After an edit. Edits of one gesture, one after another, are one step."""
        if rig is self.rig:
            return self
        if gesture and gesture == self.gesture and self.done:
            done = (*self.done[:-1], (what, self.done[-1][1]))
        else:
            done = (*self.done, (what, self.rig))[-_KEPT:]
        return History(rig, done, (), gesture)

    def settled(self) -> History:
        """After a gesture has ended."""
        return replace(self, gesture="")

    def undo(self) -> History:
        """The step before; itself when there is none."""
        if not self.done:
            return self
        what, before = self.done[-1]
        return History(before, self.done[:-1], (*self.undone, (what, self.rig)))

    def redo(self) -> History:
        """The step after; itself when there is none."""
        if not self.undone:
            return self
        what, after = self.undone[-1]
        return History(after, (*self.done, (what, self.rig)), self.undone[:-1])

    @property
    def undo_name(self) -> str:
        """What undo would take back; "" when there is nothing."""
        return self.done[-1][0] if self.done else ""

    @property
    def redo_name(self) -> str:
        """What redo would do again; "" when there is nothing."""
        return self.undone[-1][0] if self.undone else ""
