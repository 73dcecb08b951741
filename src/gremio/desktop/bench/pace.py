"""How long frames take while things move, and what is left out so that a hand need not wait."""

from __future__ import annotations

import time
from dataclasses import dataclass

# A frame that moves takes no longer than this, if leaving out its edges helps (s).
_LONGEST = 0.05
# After so many frames without edges that took less than this (s), they are drawn again.
_SHORT, _SEVERAL = 0.02, 20


@dataclass
class Pace:
    """edges_too: whether edges are drawn while things move."""

    edges_too: bool = True
    _began: float = 0.0
    _short: int = 0

    def begin(self, *, moving: bool) -> None:
        """A frame is begun. moving: it is one of several, not a still one, which may take its
        time."""
        self._began = time.perf_counter() if moving else 0.0

    def end(self) -> None:
        """The frame is on the screen."""
        if not self._began:
            return
        took = time.perf_counter() - self._began
        self._began = 0.0
        if self.edges_too:
            self.edges_too = took <= _LONGEST
            self._short = 0
        else:
            self._short = self._short + 1 if took < _SHORT else 0
            self.edges_too = self._short >= _SEVERAL
