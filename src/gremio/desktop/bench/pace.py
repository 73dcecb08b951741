"""How long frames take while things move, and what is left out so that a hand need not wait."""

from __future__ import annotations

import math
import time
from dataclasses import dataclass, field

# A frame that moves takes no longer than this, if leaving something out helps (s).
_LONGEST = 0.05
# After so many frames it is asked whether more could be drawn, in this share of that time.
_SEVERAL, _SAFE = 20, 0.7
# A frame that took so many times too long leaves out more at once.
_FAR = 3.0
# No step makes a frame more than so many times as long.
_MOST = 10.0
# By about how many pixels (along each of its axes) a surface may be drawn otherwise than it is, on
# each step down after the edges.
_ROUGH = (0.0, 0.0, 2.0, 4.0, 8.0)


@dataclass
class Pace:
    """How much is drawn while things move: all of it, then no edges, then rougher surfaces."""

    _step: int = 0
    _began: float = 0.0
    _short: int = 0
    _known: bool = False
    # How many times as long frames took on the step above each, at most, as far as that is known.
    _dearer: dict[int, float] = field(default_factory=dict)
    _before: tuple[int, float] | None = None

    @property
    def edges_too(self) -> bool:
        """Whether edges are drawn while things move."""
        return self._step == 0

    @property
    def rough(self) -> float:
        """By about how many pixels a surface may be drawn otherwise while things move."""
        return _ROUGH[self._step]

    @classmethod
    def careful(cls) -> Pace:
        """Of what may be too much: begin with little."""
        return cls(len(_ROUGH) - 1)

    def expect(self, took: float) -> None:
        """A still picture took so long (s), before anything has moved: where that is far too long,
        begin with less."""
        if self._known:
            return
        times = took / (_FAR * _LONGEST)
        self._step = min(2 + int(math.log2(times)), len(_ROUGH) - 1) if times > 1 else 0

    def begin(self, *, moving: bool) -> None:
        """A frame is begun. moving: it is one of several, not a still one, which may take its
        time."""
        self._began = time.perf_counter() if moving else 0.0

    def end(self) -> None:
        """The frame is on the screen."""
        if self._began:
            took, self._began = time.perf_counter() - self._began, 0.0
            self._take(took)

    def _take(self, took: float) -> None:
        self._known = True
        if self._before is not None:
            times = self._before[1] / max(took, 1e-6)
            self._dearer[self._before[0] + 1] = min(times, _MOST)
        self._before = None
        last = len(_ROUGH) - 1
        if took > _LONGEST and self._step < last:
            self._before = self._step, took
            self._step = min(self._step + (2 if took > _FAR * _LONGEST else 1), last)
            self._short = 0
            return
        # What was left out comes back only where that would not be too long again.
        more = took * self._dearer.get(self._step, 1.0)
        self._short = self._short + 1 if more < _SAFE * _LONGEST else 0
        if self._step > 0 and self._short >= _SEVERAL:
            self._step, self._short = self._step - 1, 0
