"""Looking the machine over, beside the window, while hands rest."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from gremio.core.problem import Note
from gremio.core.rig.model import Rig
from gremio.core.solve.pose import Pose
from gremio.core.solve.program import Program

if TYPE_CHECKING:
    from gremio.core.inspect.finding import Finding

# How long after a change what is wrong is looked for (ms); and how long nothing has changed
# before the machine itself is looked over, which takes a while (s).
_A_MOMENT = 60
_AT_REST = 0.35


class Looking(QObject):
    """What is wrong with the open rig.

    pose: gives the present one. mounted: gives what the machine is looked over with. others: gives
    the notes that are known besides, on the rig's file and its models. rig: gives the rig as it is
    now. done: a moment after a change, when what is wrong may be asked for without holding up a
    drag.
    """

    done = pyqtSignal()

    def __init__(
        self,
        pose: Callable[[], Pose],
        mounted: Callable[[], Program],
        others: Callable[[], list[Note]],
        rig: Callable[[], Rig],
    ) -> None:
        super().__init__()
        self._pose, self._mounted, self._others, self._rig = pose, mounted, others, rig
        self._machine: tuple[Program, list[Finding]] | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_A_MOMENT)
        self._timer.timeout.connect(self._look_over)
        self._looking: threading.Thread | None = None
        self._last_change = 0.0

    def notes(self) -> list[Note]:
        """All that is wrong now: with the rig, its models, its pose, and the machine."""
        return [finding.note for finding in self.findings()]

    def findings(self) -> list[Finding]:
        """The notes, with what would mend them."""
        from gremio.core.inspect.finding import Finding
        from gremio.core.inspect.findings import sorted_findings, told_once
        from gremio.core.inspect.routines import routine_findings

        pose, program = self._pose(), self._mounted()
        machine = self._machine
        if machine is None or machine[0] is not program:
            machine = self._judge(program)
        others = map(Finding, self._others())
        # Routines are changed without making the rig ready anew.
        timed = routine_findings(self._rig(), program)
        return sorted_findings([*others, *told_once(pose, machine[1]), *timed])

    @property
    def judged(self) -> bool:
        """Whether the machine, as it is now, has been looked over."""
        return self._machine is not None and self._machine[0] is self._mounted()

    def soon(self) -> None:
        """Something has changed: look again in a moment."""
        self._last_change = time.monotonic()
        if not self._timer.isActive():
            self._timer.start()

    def _look_over(self) -> None:
        """Tell that what is wrong may be asked for. The machine is looked over beside the
        window, when hands rest: every control is swept."""
        busy = self._looking is not None and self._looking.is_alive()
        if self.judged:
            self.done.emit()
        elif busy or time.monotonic() - self._last_change < _AT_REST:
            self._timer.start()
        else:
            about = (self._mounted(),)
            self._looking = threading.Thread(target=self._judge, args=about, daemon=True)
            self._looking.start()
            self._timer.start()

    def _judge(self, program: Program) -> tuple[Program, list[Finding]]:
        """Find out what is wrong with the machine; safe beside the window, for a program never
        changes."""
        from gremio.core.inspect.findings import machine_findings

        found: list[Finding] = []
        try:
            found = machine_findings(program.rig, program)
        finally:
            self._machine = (program, found)
        return program, found
