"""The clock by itself, without a routine: what motors drive goes on from where it is.

What was reached is kept for as long as the rig is open, and is in no file and no routine; *Set home
here* keeps it.
"""

from __future__ import annotations

import time as clock
from collections.abc import Iterable, Mapping
from typing import Protocol

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from gremio.core.motion.run_up import adding_up, motors_of
from gremio.core.problem import GremioError
from gremio.core.rig.ids import CLOCK, ChannelKey
from gremio.core.rig.model import Motor
from gremio.core.solve.evaluate import rolled_on
from gremio.core.solve.pose import Pose
from gremio.core.solve.program import Program

# So often a picture is asked for while it runs, at most (ms between).
_BEAT = 16


class RunningRig(Protocol):
    """What the clock needs of the open rig."""

    @property
    def program(self) -> Program:
        """The rig made ready to run."""
        ...

    @property
    def pose(self) -> Pose:
        """Where everything stands now."""
        ...

    def inputs(self) -> Mapping[ChannelKey, float]:
        """Where everything is put now (SI, by key)."""
        ...

    def solve_anew(self) -> None:
        """Bring the pose in step with what is put, and tell the views."""
        ...


class FreeRunning(QObject):
    """What motors have come to without a routine. changed: it runs now, or no more."""

    changed = pyqtSignal()

    def __init__(self, open_rig: RunningRig) -> None:
        super().__init__()
        self._open = open_rig
        # Where what motors drive, and what rolls with it, has come to (SI, by key).
        self._reached: dict[ChannelKey, float] = {}
        self._beat = QTimer(self)
        self._beat.setInterval(_BEAT)
        self._beat.timeout.connect(self._go_on)
        self._before = 0.0
        # At what rate motors that spin up run now (SI, by key of the follower).
        self._rates: dict[ChannelKey, float] = {}

    @property
    def running(self) -> bool:
        """Whether the clock runs."""
        return self._beat.isActive()

    @property
    def possible(self) -> bool:
        """Whether there is anything that the clock moves."""
        program = self._open.program
        return CLOCK in program.channel_row or bool(motors_of(program))

    def reached(self) -> dict[ChannelKey, float]:
        """Where motors have brought things (SI, by key)."""
        if not self._reached:
            return {}
        program = self._open.program
        driven = {CLOCK, *adding_up(program)}
        return {c: value for c, value in self._reached.items() if c in driven}

    def give_over(self, channels: Iterable[ChannelKey]) -> None:
        """A hand, or an edit, puts some channels somewhere, and they go on from there."""
        if self._reached:
            for channel in list(channels):
                self._reached.pop(channel, None)

    def forget(self) -> None:
        """Nothing was reached: another rig is on the table, or all goes home."""
        self._reached.clear()
        self.stop()

    def run(self) -> None:
        """Let the clock run."""
        if not self.running:
            self._rates.clear()
            self._before = clock.monotonic()
            self._beat.start()
            self.changed.emit()

    def stop(self) -> None:
        """Let it stand; everything stays where it has come to."""
        if self.running:
            self._beat.stop()
            self.changed.emit()

    def _runs_at(self, link: Motor, asked: float, by: float) -> float:
        """The rate at which a motor runs, so long (s) after it was asked for last."""
        if not link.spin_up:
            return asked
        ran, most = self._rates.get(link.follower, 0.0), link.spin_up * by
        runs = min(max(asked, ran - most), ran + most)
        self._rates[link.follower] = runs
        return (ran + runs) / 2

    def _go_on(self) -> None:
        """By as much as the clock on the wall has."""
        now = clock.monotonic()
        by, self._before = now - self._before, now
        program, pose = self._open.program, self._open.pose
        gone: dict[ChannelKey, float] = {}
        before = self._open.inputs()
        for link in motors_of(program):
            rate = self._runs_at(link, pose.at(link.rate), by)
            if rate:
                home = float(program.home[program.channel_row[link.follower]])
                stood = gone.get(link.follower, before.get(link.follower, home))
                gone[link.follower] = stood + rate * by
        for channel in gone:
            # What stands at its stop does not wind up behind it.
            low, high = pose.ends(channel)
            gone[channel] = min(max(gone[channel], low), high)
        if CLOCK in program.channel_row:
            gone[CLOCK] = before.get(CLOCK, 0.0) + by
        gone = {c: value for c, value in gone.items() if value != before.get(c)}
        if not gone:
            return
        try:
            after = rolled_on(program, before, {**before, **gone})
            self._reached.update({c: v for c, v in after.items() if v != before.get(c)})
            self._open.solve_anew()
        except GremioError:
            self.stop()
            raise
