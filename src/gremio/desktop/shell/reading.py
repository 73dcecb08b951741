"""Reading something that may take long beside the window: a strip tells what, and for how long, and
stops it."""

from __future__ import annotations

import sys
import threading
import time
from collections.abc import Callable
from typing import Generic, TypeVar

from PyQt6.QtCore import QEventLoop, QTimer
from PyQt6.QtWidgets import QApplication, QWidget

from gremio.core.surfaces.models import Tell
from gremio.desktop.shell.waiting import Strip

T = TypeVar("T")
# So long the thread goes on when the window wants its turn (s).
_TURN = 0.0005
# So long nothing is said; so often it is looked at whether it is done, then and before (ms).
_QUIET, _LOOK, _A_MOMENT = 300, 60, 10


class _GivenUp(BaseException):
    """Nobody waits for it any more."""


class Reading(Generic[T]):
    """One thing that is read in a thread of its own. read: is handed what to tell how far it is."""

    def __init__(self, read: Callable[[Tell], T]) -> None:
        self._read = read
        self._far, self._given_up = "", False
        self.found: list[T] = []
        self.failed: list[BaseException] = []
        self._thread = threading.Thread(target=self._run, daemon=True)

    def _run(self) -> None:
        try:
            self.found.append(self._read(self._tell))
        except BaseException as problem:  # it is raised where it is waited for
            self.failed.append(problem)

    def _tell(self, what: str, done: int, of: int) -> None:
        if self._given_up:
            raise _GivenUp
        self._far = f": {done:,} of {of:,} {what}"

    def wait(self, window: QWidget, words: str, stop: str = "Bring nothing in (Esc)") -> T | None:
        """What was read; None where it was stopped. words: "Reading crane.glb, 84 MB". stop: what
        stopping it does. The window stays alive meanwhile, and nothing in it can be touched but
        Stop. Raises what reading raises."""
        patient = sys.getswitchinterval()
        sys.setswitchinterval(_TURN)
        try:
            return self._wait(window, words, stop)
        finally:
            sys.setswitchinterval(patient)

    def _wait(self, window: QWidget, words: str, stop: str) -> T | None:
        began = time.monotonic()
        self._thread.start()
        # What takes a moment only flashes no strip; the window is painted, and takes no hand.
        while self._thread.is_alive() and time.monotonic() - began < _QUIET / 1000:
            self._thread.join(_A_MOMENT / 1000)
            QApplication.processEvents(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
        if self._thread.is_alive():
            strip = Strip(window, "Reading", words, stop)
            loop, look = QEventLoop(), QTimer()

            def check() -> None:
                strip.say(f"{words}{self._far}, {time.monotonic() - began:.0f} s")
                if strip.stopped or not self._thread.is_alive():
                    loop.quit()

            look.timeout.connect(check)
            look.start(_LOOK)
            strip.show()
            loop.exec()
            look.stop()
            strip.done(0)
            strip.deleteLater()
            if strip.stopped:
                self._given_up = True
                return None
        if self.failed:
            raise self.failed[0]
        return self.found[0]
