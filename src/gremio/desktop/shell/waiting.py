"""A solve that takes long can be stopped: a strip says so, and Esc or a click stops it."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QDialog, QHBoxLayout, QLabel, QPushButton, QWidget

from gremio.core.solve.patience import asking

# So long nothing is said (s).
_QUIET = 0.4
_LONG = "A linkage is followed a long way …"
_LEAVE = "Leave it where it has come to (Esc)"


class Waiting:
    """Watches solves; from when one takes long it shows a strip over a window, in front of which
    nothing else can be touched."""

    def __init__(self, window: QWidget) -> None:
        self._window = window
        self._strip: Strip | None = None
        self._began = 0.0
        self._words, self._tip = _LONG, _LEAVE

    @contextmanager
    def solving(self, words: str = _LONG, tip: str = _LEAVE) -> Iterator[None]:
        """While this lasts, a long solve can be stopped. words: what is said of it; tip: what
        stopping does."""
        self._began = time.monotonic()
        self._words, self._tip = words, tip
        try:
            with asking(self._may_go_on):
                yield
        finally:
            if self._strip is not None:
                self._strip.done(0)
                self._strip.deleteLater()
                self._strip = None

    def _may_go_on(self) -> bool:
        if time.monotonic() - self._began < _QUIET:
            return True
        if self._strip is None:
            self._strip = Strip(self._window, "Solving", self._words, self._tip)
            self._strip.show()
        QApplication.processEvents()
        return not self._strip.stopped


class Strip(QDialog):
    """Says what takes long, and stops it. tip: what stopping does."""

    def __init__(self, window: QWidget, title: str, words: str, tip: str) -> None:
        super().__init__(window, Qt.WindowType.FramelessWindowHint)
        self.setModal(True)
        self.setWindowTitle(title)
        self.stopped = False
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 8, 10, 8)
        self._words = QLabel(words)
        row.addWidget(self._words)
        button = QPushButton("Stop")
        button.setToolTip(tip)
        button.clicked.connect(self.reject)
        row.addWidget(button)
        self.adjustSize()
        middle = window.geometry().center() - self.rect().center()
        self.move(middle.x(), window.geometry().top() + 90)

    def say(self, words: str) -> None:
        """Say how far it is."""
        self._words.setText(words)
        self.adjustSize()

    def reject(self) -> None:
        """Stop: by the button, or Esc."""
        self.stopped = True
