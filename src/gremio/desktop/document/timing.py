"""The time now: which routine is followed, what a hand has put meanwhile, and what it writes."""

from __future__ import annotations

import time as clock
from collections.abc import Callable, Mapping
from contextlib import AbstractContextManager
from typing import Any, Protocol

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from gremio.core.edit.routines import SAME_TIME, add_routine, begin_here, set_keys
from gremio.core.mechanics.clock import frame_at, time_of
from gremio.core.motion.keys import inputs_at
from gremio.core.motion.routines import Run, run_of
from gremio.core.motion.run_up import adding_up
from gremio.core.motion.stretches import carried_as
from gremio.core.rig.ids import NOTHING, ChannelKey, ThingId
from gremio.core.rig.model import Rig, Routine
from gremio.core.rig.numbers import full_label
from gremio.core.solve.program import Program
from gremio.desktop.document.free_running import FreeRunning, RunningRig
from gremio.desktop.document.redoing import Redoing

# Said of a figure that is not yet as it is at the time now.
AS_BEFORE = "As it was before: the routine is followed anew, and has not come so far yet."
# So often a second a picture is asked for while it plays, at most (ms between).
_BEAT = 16
_LONG = "The routine is followed from its beginning …"
_STOP = "Stop, and change nothing (Esc)"
# Of so many pictures it is counted how many frames were left out.
_COUNTED = 20


class TimedRig(RunningRig, Protocol):
    """What the time needs of the open rig. said: a message for the person at the screen. patience:
    while something is solved, who waits can stop it."""

    said: Any
    patience: Callable[..., AbstractContextManager[None]]

    @property
    def rig(self) -> Rig:
        """The rig as it is now."""
        ...

    @property
    def mounted(self) -> Program:
        """The rig made ready to run, with each part where it is mounted."""
        ...

    def edit(self, what: str, change: Callable[[Rig], Rig], gesture: str = "") -> bool:
        """Make an edit that can be undone."""
        ...

    def settle(self) -> None:
        """The next edit is a step of its own."""
        ...


class Timing(QObject):
    """The time of a routine. changed: another routine, or whether it plays, is followed or written.
    moved: the time is another. followed_on: more of the routine is found. What a view would like to
    see: curve_wanted: the keys of a channel (key) as a curve; lines_wanted: all of them on their
    lines; carrier_wanted: a click chooses what carries the selected parts on; place_wanted: one
    chooses where a part (id) settles that is handed over (HandOff)."""

    changed = pyqtSignal()
    moved = pyqtSignal()
    followed_on = pyqtSignal()
    carrier_wanted = pyqtSignal()
    curve_wanted = pyqtSignal(str)
    lines_wanted = pyqtSignal()
    place_wanted = pyqtSignal(str, object)

    def __init__(self, open_rig: TimedRig) -> None:
        super().__init__()
        self._open = open_rig
        self.free = FreeRunning(open_rig)
        self.free.changed.connect(self.changed)
        self.redoing = Redoing()
        self.redoing.moved.connect(self._take_redone)
        # Whether what adds up over the routine is not shown as it is at the time now, but as it
        # was found last.
        self.behind = False
        # What had added up when it was found last (SI, by key).
        self._added: dict[ChannelKey, float] = {}
        self._routine = NOTHING
        self.time = 0.0
        # Whether the Bench shows the routine at the time now; else where hands have put all.
        self.followed = False
        self.writing = False
        # What hands have put at the time now, without a key (SI, by key).
        self.over: dict[ChannelKey, float] = {}
        # How many frames were left out of so many that it played.
        self.left_out, self._shown = 0, 0
        self._beat = QTimer(self)
        self._beat.setInterval(_BEAT)
        self._beat.timeout.connect(self._go_on)
        self._began, self._from = 0.0, 0.0

    # ── what there is ──────────────────────────────────────────────

    @property
    def routine_id(self) -> ThingId:
        """Id of the routine that is shown; of the first where none was chosen; "" for none."""
        routines = self._open.rig.routines
        if self._routine in routines:
            return self._routine
        return next(iter(routines), NOTHING)

    @property
    def routine(self) -> Routine | None:
        """The routine that is shown."""
        return self._open.rig.routines.get(self.routine_id)

    @property
    def on(self) -> bool:
        """Whether the Bench follows a routine."""
        return self.followed and self.routine is not None

    @property
    def playing(self) -> bool:
        """Whether it plays."""
        return self._beat.isActive()

    def range(self) -> tuple[float, float]:
        """From when to when it is played (s)."""
        routine = self.routine
        return (0.0, 0.0) if routine is None else routine.play or (0.0, routine.length)

    def keyed(self, channel: ChannelKey) -> str:
        """ "now" where a channel has a key at the time now, "elsewhere" where it has others, "over"
        where a hand has put it elsewhere meanwhile, "" where it has none."""
        routine = self.routine
        cam = None if routine is None else routine.keys.get(channel)
        if cam is None or not cam.stations:
            return ""
        if self.on and channel in self.over:
            return "over"
        near = any(abs(s.lead - self.time) <= SAME_TIME for s in cam.stations)
        return "now" if near else "elsewhere"

    def inputs(self, base: Mapping[ChannelKey, float]) -> Mapping[ChannelKey, float]:
        """Where everything is put now (SI, by key). base: by hands, without a routine."""
        routine = self.routine
        if not self.followed or routine is None:
            reached = self.free.reached()
            return {**base, **reached} if reached else base
        run = self._run(self._open.mounted, routine)
        if run is None:
            at_now = inputs_at(routine, [self.time])
            found = {c: float(value[0]) for c, value in at_now.items()}
            known = self._open.mounted.channel_row
            found.update({c: value for c, value in self._added.items() if c in known})
        else:
            found = run.inputs(self.time)
            self._added = {c: found[c] for c in adding_up(run.program)}
        return {**found, **self.over}

    def program(self, mounted: Program) -> Program:
        """The rig made ready to run, as it is carried at the time now. mounted: as parts are
        mounted, which is how hands find them without a routine."""
        routine = self.routine
        self.behind = False
        if not self.followed or routine is None or not routine.carried:
            return mounted
        run = self._run(mounted, routine)
        if run is None:
            return carried_as(mounted, self._open.program, routine)
        return run.program_at(self.time)

    # ── what takes long ────────────────────────────────────────────

    def _run(self, mounted: Program, routine: Routine) -> Run | None:
        """The run of the routine, where it answers for the time now; where that takes long it is
        followed beside the window, and None."""
        run = run_of(mounted, routine)
        if not self.redoing.ready_at_once(run, self.time):
            self.behind = True
            self.redoing.begin(run)
            return None
        self.redoing.begin_at_rest(run)
        return run

    def _take_redone(self) -> None:
        """The routine is followed further than it was."""
        routine = self.routine
        if routine is not None and self.behind and self.followed:
            run = run_of(self._open.mounted, routine)
            if run.ready(self.time):
                self._open.solve_anew()
        self.followed_on.emit()

    def redone(self) -> float | None:
        """Up to when (s) the routine has been followed; None where that is all of it, or nobody
        follows it."""
        routine = self.routine
        if not self.followed or routine is None or not (self.behind or self.redoing.busy):
            return None
        reached = run_of(self._open.mounted, routine).reached()
        return reached if self.behind or reached < routine.length else None

    def shown_as_before(self, channel: ChannelKey) -> bool:
        """Whether the figure of a channel (key) may be one of before the routine is followed anew:
        what is led, and what adds up; keys are always as they say."""
        if not self.behind:
            return False
        program = self._open.program
        row = program.channel_row.get(channel)
        return row is not None and (not program.inputs[row] or channel in adding_up(program))

    def catch_up(self) -> None:
        """Follow the routine to the time now, before anything is kept of where all stands there.
        Raises GremioError where whoever waits stops it."""
        routine = self.routine
        if not self.behind or routine is None:
            return
        run = run_of(self._open.mounted, routine)
        with self._open.patience(_LONG, _STOP):
            while not run.ready(self.time) and run.go_on():
                pass
        self._open.solve_anew()

    # ── choosing ───────────────────────────────────────────────────

    def forget(self) -> None:
        """Another rig is on the table."""
        self._beat.stop()
        self.free.forget()
        self.redoing.end()
        self.behind, self._added = False, {}
        self._routine, self.time = NOTHING, 0.0
        self.followed = self.writing = False
        self.over = {}
        self.changed.emit()

    def choose(self, routine_id: ThingId) -> None:
        """Show another routine, from its beginning."""
        self.stop()
        self._routine, self.time, self.over, self._added = routine_id, 0.0, {}, {}
        self._take()
        self.changed.emit()

    def make(self) -> None:
        """Make a new routine, and show it. It begins where everything stands now."""
        made: list[ThingId] = []
        now = {c: v for c, v in self._open.rig.at.items() if c in self._open.program.channel_row}

        def change(rig: Rig) -> Rig:
            rig, routine_id = add_routine(rig)
            made.append(routine_id)
            return begin_here(rig, routine_id, now)

        if self._open.edit("make a routine", change):
            self._open.settle()
            self.choose(made[-1])

    def follow(self, followed: bool) -> None:
        """Let the Bench show the routine at the time now, or where hands have put all."""
        if followed == self.followed:
            return
        self.followed, self.over = followed, {}
        self.free.stop()
        if not followed:
            self.stop()
            self.writing = False
        self._open.solve_anew()
        self.changed.emit()

    def _hold_to_routine(self) -> None:
        """The routine says where all is, and the clock does not run beside it."""
        self.followed = True
        self.free.stop()

    def write(self, writing: bool) -> None:
        """Let what hands move leave keys at the time now, or no more."""
        if writing and self.routine is None:
            self.make()
        self.writing = writing
        if writing:
            self._hold_to_routine()
            self._open.solve_anew()
        self.changed.emit()

    # ── the time ───────────────────────────────────────────────────

    def go_to(self, time: float, *, to_frame: bool = True) -> None:
        """Go to a time (s), on a frame, and show the routine there."""
        routine = self.routine
        if routine is None:
            return
        if to_frame:
            time = time_of(frame_at(time, routine.rate), routine.rate)
        self.time = min(max(time, 0.0), routine.length)
        self.over = {}
        if not self.followed:
            self._hold_to_routine()
            self.changed.emit()
        self._take()
        if self.playing:
            self._begin()

    def step(self, frames: int) -> None:
        """Go on by some frames, or back."""
        routine = self.routine
        if routine is not None:
            self.go_to(time_of(frame_at(self.time, routine.rate) + frames, routine.rate))

    def to_key(self, way: int) -> None:
        """Go to the next key of anything, or to the one before (−1)."""
        routine = self.routine
        if routine is None:
            return
        times = {s.lead for cam in routine.keys.values() for s in cam.stations}
        if way > 0:
            found = min((t for t in times if t > self.time + SAME_TIME), default=self.range()[1])
        else:
            found = max((t for t in times if t < self.time - SAME_TIME), default=self.range()[0])
        self.go_to(found, to_frame=False)

    def _take(self) -> None:
        """Show the time now."""
        self._open.solve_anew()
        self.moved.emit()

    # ── playing ────────────────────────────────────────────────────

    def play(self) -> None:
        """Play, or stop."""
        if self.playing:
            self.stop()
            return
        if self.routine is None:
            return
        start, end = self.range()
        if not start <= self.time < end - SAME_TIME:
            self.time = start
        self._hold_to_routine()
        self.over = {}
        self.left_out = self._shown = 0
        self._begin()
        self._beat.start()
        self.changed.emit()

    def run_free(self) -> None:
        """Let the clock run without a routine, or no more."""
        if self.free.running:
            self.free.stop()
        elif self.free.possible:
            self.follow(False)
            self.free.run()

    def on_words(self) -> str:
        """What is on: that hands write keys, that it plays, that the clock runs; "" for nothing."""
        if self.writing:
            return "● hands write keys"
        if self.playing:
            return "● plays"
        return "● the clock runs" if self.free.running else ""

    def behind_words(self) -> str:
        """What is not yet as it is at the time now; "" for nothing."""
        reached = self.redone()
        if reached is None:
            return ""
        return f"redone up to {reached:.1f} s" + (", shown as before" if self.behind else "")

    def off_words(self) -> str:
        """That hands, and not the routine, have put what adds up; "" where nothing does."""
        adds = self.routine is not None and not self.followed and adding_up(self._open.mounted)
        return "Off the routine: what rolls, and motors, go on from where they are" if adds else ""

    def end(self) -> None:
        """End what is on."""
        if self.writing:
            self.write(False)
        elif self.playing:
            self.stop()
        else:
            self.free.stop()

    def stop(self) -> None:
        """Stand still where it has come to, on a frame."""
        if not self.playing:
            return
        self._beat.stop()
        routine = self.routine
        if routine is not None:
            self.go_to(self.time)
        self.changed.emit()

    def _begin(self) -> None:
        self._began, self._from = clock.monotonic(), self.time

    def _go_on(self) -> None:
        """As far as the clock on the wall has gone: frames are left out where that is faster."""
        routine = self.routine
        if routine is None:
            self._beat.stop()
            return
        start, end = self.range()
        time = self._from + clock.monotonic() - self._began
        if time >= end and routine.ends == "once":
            self.time = end
            self._take()
            self.stop()
            return
        if time >= end:
            time = start + (time - start) % (end - start)
            self.time = time
            self._begin()
        before = frame_at(self.time, routine.rate)
        frame = frame_at(time, routine.rate)
        if frame == before:
            return
        self._shown += 1
        self.left_out += max(frame - before - 1, 0)
        if self._shown > _COUNTED:
            self._shown, self.left_out = 0, 0
        self.time = min(time_of(frame, routine.rate), end)
        self.over = {}
        self._take()

    # ── keys ───────────────────────────────────────────────────────

    def put(self, values: dict[ChannelKey, float], what: str, gesture: str) -> bool:
        """A hand has put inputs somewhere (SI, by key) while a routine is followed: keys at the
        time now where it is written; else they stand so until the time is another."""
        if not self.writing:
            self.over.update(values)
            self._open.solve_anew()
            self.changed.emit()
            return True
        for channel in values:
            self.over.pop(channel, None)
        return self._key(values, what, gesture)

    def key_now(self, channels: list[ChannelKey]) -> bool:
        """Leave keys of channels at the time now, where they stand."""
        if self.routine is None:
            self.make()
        self.catch_up()
        pose = self._open.pose
        known = self._open.program.channel_row
        values = {c: pose.put_at(c) for c in (*channels, *self.over) if c in known}
        if not values:
            return False
        names = ", ".join(full_label(self._open.rig, c) for c in list(values)[:2])
        done = self._key(values, f"key {names}", "")
        self._open.settle()
        if done:
            self.over = {}
            self._hold_to_routine()
            self._open.solve_anew()
            self.changed.emit()
        return done

    def _key(self, values: Mapping[ChannelKey, float], what: str, gesture: str) -> bool:
        routine_id, time = self.routine_id, self.time
        return self._open.edit(what, lambda rig: set_keys(rig, routine_id, time, values), gesture)
