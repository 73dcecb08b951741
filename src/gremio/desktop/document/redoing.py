"""A routine followed anew after an edit, beside the window, so that no hand waits for it."""

from __future__ import annotations

import threading
import time
from functools import partial

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from gremio.core.motion.routines import Run
from gremio.core.problem import GremioError
from gremio.core.solve.patience import asking

# So often it is told how far it has come (ms between); and so long hands rest before it goes on
# beyond the time that is seen (ms).
_LOOK, _AT_REST = 50, 300
# So short a way is gone at once (s), and by the thread of the window.
AT_ONCE = 0.06


class Redoing(QObject):
    """Follows a routine from its beginning to its end in a thread of its own: the one that was
    asked for last. moved: it has come further, or to its end."""

    moved = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._wanted: Run | None = None
        self._failed: BaseException | None = None
        self._thread: threading.Thread | None = None
        self._changing = threading.Lock()
        self._look = QTimer(self)
        self._look.setInterval(_LOOK)
        self._look.timeout.connect(self._tell)
        self._rests = QTimer(self)
        self._rests.setSingleShot(True)
        self._rests.setInterval(_AT_REST)
        self._rests.timeout.connect(self._go_on_at_rest)
        self._next: Run | None = None

    @property
    def busy(self) -> bool:
        """Whether a routine is being followed."""
        return self._wanted is not None

    def ready_at_once(self, run: Run, at: float) -> bool:
        """Whether a run answers for a time (s), after going on for a moment."""
        if not (self.busy or run.ready(at)):
            until = time.monotonic() + AT_ONCE
            try:
                with asking(lambda: time.monotonic() < until):
                    while not run.ready(at) and run.go_on():
                        pass
            except GremioError:
                # It takes longer, or can't be; either is found again by who has the time.
                pass
        return run.ready(at)

    def begin(self, run: Run) -> None:
        """Follow a routine, and no other any more."""
        with self._changing:
            if run is self._wanted:
                return
            self._wanted, self._failed = run, None
            if self._thread is None:
                self._thread = threading.Thread(target=self._follow, daemon=True)
                self._thread.start()
        self._look.start()

    def begin_at_rest(self, run: Run) -> None:
        """Follow the rest of a routine when hands have rested for a moment."""
        self._next = run
        self._rests.start()

    def end(self) -> None:
        """Follow nothing any more."""
        self._wanted = self._next = None
        self._look.stop()

    def _go_on_at_rest(self) -> None:
        run, self._next = self._next, None
        if run is not None and not self.busy and not run.ready(run.routine.length):
            self.begin(run)

    def _is_wanted(self, run: Run) -> bool:
        return self._wanted is run

    def _follow(self) -> None:
        while True:
            with self._changing:
                run = self._wanted
                if run is None:
                    self._thread = None
                    return
            failed: BaseException | None = None
            try:
                with asking(partial(self._is_wanted, run)):
                    while self._is_wanted(run) and run.go_on():
                        # Whoever asks it something meanwhile comes first.
                        time.sleep(0.001)
            except BaseException as problem:  # it is told by the thread of the window
                failed = problem
            with self._changing:
                if self._is_wanted(run):
                    self._wanted, self._failed = None, failed

    def _tell(self) -> None:
        """Tell how far it has come. Raises what went wrong."""
        if not self.busy:
            self._look.stop()
        failed, self._failed = self._failed, None
        self.moved.emit()
        if failed is not None:
            raise failed
