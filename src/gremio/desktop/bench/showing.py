"""Something shown in the Bench for a while, without changing the rig."""

from __future__ import annotations

import time

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtWidgets import QWidget


class Showing(QObject):
    """Keeps the Bench drawing for some seconds from when it begins."""

    def __init__(self, bench: QWidget, seconds: float) -> None:
        super().__init__(bench)
        self._bench, self._seconds = bench, seconds
        self._since = 0.0
        self._timer = QTimer(self)
        self._timer.setInterval(16)
        self._timer.timeout.connect(self._step)

    @property
    def running(self) -> bool:
        """Whether something is being shown now."""
        return self._timer.isActive()

    @property
    def share(self) -> float:
        """How much of the time has gone, from 0 to 1."""
        return min((time.monotonic() - self._since) / self._seconds, 1.0)

    def begin(self) -> None:
        """Show it from now on."""
        self._since = time.monotonic()
        self._timer.start()

    def _step(self) -> None:
        if self.share >= 1.0:
            self._timer.stop()
        self._bench.update()
