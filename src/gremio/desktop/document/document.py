"""The open rig: its history, its pose, what is selected. Views listen; they hold no truth."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from gremio.core.edit.controls import set_values
from gremio.core.edit.history import History
from gremio.core.edit.numbers import set_numbers
from gremio.core.files import rig_file
from gremio.core.files.sources import model_shelf
from gremio.core.make import teach
from gremio.core.make.teach import Lesson
from gremio.core.problem import GremioError, Note
from gremio.core.rig.channels import freed, split
from gremio.core.rig.model import Formula, Rig
from gremio.core.rig.numbers import channels_of, exists, is_put, label, number_word, owner_name
from gremio.core.rig.solids import AnySolid
from gremio.core.shape.geometry import Geometry
from gremio.core.solve.backward import Held, move
from gremio.core.solve.evaluate import evaluate, rolled_on, warm_up
from gremio.core.solve.pose import Pose
from gremio.core.solve.program import Program, compile_rig
from gremio.core.solve.pulling import pull

# How long after a change what is wrong is looked for (ms); and how long nothing has changed
# before the machine itself is looked over, which takes a while (s).
_A_MOMENT = 60
_AT_REST = 0.35
Edit = Callable[[Rig], Rig]
Array = npt.NDArray[np.float64]

if TYPE_CHECKING:
    from gremio.core.inspect.finding import Finding


# Where the rig differs in one of these, more than values has changed.
_COMPILED = (
    *("parts", "controls", "links", "sources", "measures", "paths", "closures", "struts"),
    *("constraints", "strands", "poses", "locked", "name"),
)
LOCKED = "The rig is locked for the animator: only controls and their faces move anything."


def _only_moves(before: Rig, after: Rig) -> bool:
    """Whether an edit moves things, or keeps poses, and changes nothing else."""
    return msgspec.structs.replace(after, at=before.at, poses=before.poses,
                                   made=before.made) == before  # fmt: skip


class Document(QObject):
    """One open rig.

    rig_changed: anything but the present values is another one. pose_changed: after that,
    and whenever a value moves. selection_changed, file_changed: as they say.
    looked_over: a moment later, when what is wrong may be asked for without holding up a drag.
    said: a message for the person at the screen. taught: a cam begins to be taught, or ends, or
    what is changed and not recorded is something else.
    """

    rig_changed = pyqtSignal()
    pose_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    file_changed = pyqtSignal()
    said = pyqtSignal(str)
    looked_over = pyqtSignal()
    taught = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.shelf = model_shelf()
        self._machine: tuple[Program, list[Finding]] | None = None
        self._look = QTimer(self)
        self._look.setSingleShot(True)
        self._look.setInterval(_A_MOMENT)
        self._look.timeout.connect(self._look_over)
        self._looking: threading.Thread | None = None
        self._last_change = 0.0
        self.pose_changed.connect(self._look_soon)
        self.path: Path | None = None
        self.selected = ""
        # What edits are part of while a word on the Card is pulled.
        self.gesture = ""
        # Key of the channel that was copied as a link.
        self.copied = ""
        self.lesson: Lesson | None = None
        self._left: Lesson | None = None
        self._told = ""
        self.start(Rig(), None)

    def start(self, rig: Rig, path: Path | None, saved: bool = True) -> None:
        """Put another rig on the table. saved: whether the file holds just this."""
        self.history = History(rig)
        self._saved: Rig | None = rig if saved else None
        self.path = path
        self.selected = ""
        self.lesson = self._left = None
        self._compile()
        self.rig_changed.emit()
        self.pose_changed.emit()
        self.selection_changed.emit()
        self.file_changed.emit()

    @property
    def rig(self) -> Rig:
        """The rig as it is now."""
        return self.history.rig

    @property
    def program(self) -> Program:
        """The rig made ready to run."""
        return self._program

    @property
    def pose(self) -> Pose:
        """Where everything stands now."""
        return self._pose

    @property
    def changed(self) -> bool:
        """Whether there is something that the file does not hold."""
        return self.rig is not self._saved and self.rig != self._saved

    def notes(self) -> list[Note]:
        """All that is wrong now: with the rig, its models, its pose, and the machine."""
        return [finding.note for finding in self.findings()]

    def findings(self) -> list[Finding]:
        """The notes, with what would mend them."""
        from gremio.core.inspect.finding import Finding
        from gremio.core.inspect.findings import sorted_findings
        from gremio.core.solve.strands import strand_notes

        machine = self._machine
        if machine is None or machine[0] is not self.program:
            machine = self._judge(self.rig, self.program)
        told = [*self.pose.notes, *strand_notes(self.pose), *self._shelf_notes]
        return sorted_findings([*map(Finding, told), *machine[1]])

    @property
    def judged(self) -> bool:
        """Whether the machine, as it is now, has been looked over."""
        return self._machine is not None and self._machine[0] is self._program

    def _look_over(self) -> None:
        """Tell that what is wrong may be asked for. The machine is looked over beside the
        window, when hands rest: every control is swept, and what closes loops is loaded."""
        busy = self._looking is not None and self._looking.is_alive()
        if self.judged:
            self.looked_over.emit()
        elif busy or time.monotonic() - self._last_change < _AT_REST:
            self._look.start()
        else:
            about = self.rig, self._program
            self._looking = threading.Thread(target=self._judge, args=about, daemon=True)
            self._looking.start()
            self._look.start()

    def _judge(self, rig: Rig, program: Program) -> tuple[Program, list[Finding]]:
        """Find out what is wrong with the machine; safe beside the window, for rig and program
        never change."""
        from gremio.core.inspect.findings import machine_findings

        found: list[Finding] = []
        try:
            warm_up(program)
            found = machine_findings(rig, program)
        finally:
            self._machine = (program, found)
        return program, found

    def _look_soon(self) -> None:
        self._last_change = time.monotonic()
        if not self._look.isActive():
            self._look.start()

    def _compile(self) -> None:
        lesson = self.lesson
        bench_rig = teach.bench_rig(self.rig, lesson) if lesson else self.rig
        self._program = compile_rig(bench_rig, self.geometry)
        self._shelf_notes = self.shelf.notes(self.rig)
        self._last_values: dict[str, float] = {}
        self._formulas = [
            channel
            for channel, drive in self._program.drives.items()
            if isinstance(self.rig.links.get(drive.links[0]), Formula)
        ]
        self._solve()

    def geometry(self, solid: AnySolid) -> Geometry:
        """The surface of a solid of the rig."""
        return self.shelf.geometry(self.rig, solid)

    def inputs(self) -> Mapping[str, float]:
        """Where everything is put now (SI, by channel key); while a cam is taught, where that
        has it, or a hand."""
        if self.lesson is None:
            return self.rig.at
        return teach.inputs(self._program, self.rig, self.lesson)

    def _solve(self) -> None:
        self._pose = evaluate(self._program, self.inputs(), self._last_values).frame(0)
        # A formula that says nothing shows the value that it had last.
        for channel in self._formulas:
            self._last_values[channel] = self._pose.at(channel)

    def _show(self, before: Rig) -> None:
        """Bring program and pose in step with the rig, and tell the views."""
        same = all(getattr(before, field) is getattr(self.rig, field) for field in _COMPILED)
        lesson = self.lesson
        if lesson is not None and not exists(self.rig, lesson.lead):
            self.lesson = None
            self.taught.emit()
        if same:
            self._solve()
        else:
            self._compile()
            if self.selected and not self.knows(self.selected):
                self.select("")
            self.rig_changed.emit()
        self.pose_changed.emit()
        self.file_changed.emit()

    def knows(self, thing: str) -> bool:
        """Whether there is a part, control, link or anything else to be selected of this id."""
        rig = self.rig
        things = (rig.parts, rig.controls, rig.links, rig.measures, rig.closures, rig.struts)
        return any(thing in t for t in (*things, rig.constraints, rig.paths, rig.strands))

    def edit(self, what: str, change: Edit, gesture: str = "") -> bool:
        """Make an edit that can be undone. what: "move high stop of Upper gate".

        gesture: names a drag or typing under way, so that it becomes one step. When the
        edit is refused, the reason is said and nothing changes; returns whether it was made.
        """
        before = self.rig
        try:
            after = change(before)
        except GremioError as refused:
            self.said.emit(str(refused))
            return False
        if before.locked and after.locked and not _only_moves(before, after):
            self.said.emit(f"{LOCKED} Unlock it with Rig > Lock for the animator.")
            return False
        self.history = self.history.did(what, after, gesture or self.gesture)
        if after is not before:
            self._show(before)
        return True

    def make(self, what: str, change: Callable[[Rig], tuple[Rig, str]]) -> bool:
        """Make an edit that gives something new, and select that; returns whether it was made."""
        made: list[str] = []

        def keeping_id(rig: Rig) -> Rig:
            rig, new = change(rig)
            made.append(new)
            return rig

        done = self.edit(what, keeping_id)
        if done:
            self.select(made[0])
        return done

    def settle(self) -> None:
        """A drag has ended: the next edit is a step of its own."""
        self.history = self.history.settled()
        self._told = ""

    def undo(self) -> None:
        """Go back one step."""
        before, self.history = self.rig, self.history.undo()
        if self.rig is not before:
            self._show(before)

    def redo(self) -> None:
        """Go forward one step."""
        before, self.history = self.rig, self.history.redo()
        if self.rig is not before:
            self._show(before)

    def select(self, thing: str) -> None:
        """Select a part, control or link by id; "" for nothing."""
        if thing != self.selected:
            self.selected = thing
            self.selection_changed.emit()

    def move(self, channel: str, wanted: float, gesture: str = "") -> bool:
        """Bring a channel as near to a value (SI) as it can go, by the input that leads it.

        Says why when it can't be moved; returns whether it could.
        """
        if self.rig.locked and split(channel)[1]:
            self.said.emit(LOCKED)
            return False
        if channel not in self.program.channel_row and exists(self.rig, channel):
            return self.put({channel: wanted}, self._moving(channel), gesture)
        answer = move(self.program, self.pose, channel, wanted)
        if isinstance(answer, Held):
            self.said.emit(answer.text)
            return False
        if answer.short and self._told != (gesture or channel):
            self._told = gesture or channel
            self.said.emit(answer.short)
        self._tell_untaught(channel, answer.channel, gesture)
        return self.put({answer.channel: answer.value}, self._moving(answer.channel), gesture)

    def _moving(self, channel: str) -> str:
        """What moving a number is called: "move Paddle", "move low stop of Upper gate"."""
        owner = owner_name(self.rig, split(channel)[0])
        if is_put(self.rig, channel):
            return f"move {owner}"
        return f"{number_word(self.rig, channel)} of {owner}"

    def _tell_untaught(self, channel: str, moved: str, gesture: str) -> None:
        """Say, once in a gesture, that what was pulled is not what is taught."""
        lesson = self.lesson
        if lesson is None or teach.is_taught(self.program, lesson, moved):
            return
        told = teach.why_not_taught(self.program, lesson, channel)
        if told and channel != lesson.lead and self._told != (gesture or channel):
            self._told = gesture or channel
            self.said.emit(told)

    def pull(self, part: str, at: Array, target: Array, gesture: str = "") -> bool:
        """Bring a point of a part (3,) as near to a place in the world (3,) as one input can:
        the control that is selected, where it moves the part, else the best one.

        Says why when it comes no nearer; returns whether it did.
        """
        if self.rig.locked:
            self.said.emit(LOCKED)
            return False
        answer = pull(self.program, self.pose, part, at, target, self.selected)
        if isinstance(answer, Held):
            if self._told != gesture:
                self._told = gesture
                self.said.emit(answer.text)
            return False
        owner = split(answer.channel)[0]
        return self.put({answer.channel: answer.value}, f"move {owner_name(self.rig, owner)}",
                        gesture)  # fmt: skip

    def put(self, values: dict[str, float], what: str, gesture: str = "") -> bool:
        """Put inputs somewhere (SI by key); wheels roll as far as that takes them. What is
        being taught is kept with the lesson."""
        quiet = {c: v for c, v in values.items() if not is_put(self.rig, c)}
        if quiet:
            return self.edit(what, lambda rig: set_numbers(rig, values), gesture)
        before = self.inputs()
        rolled = rolled_on(self.program, before, {**before, **values})
        rolled = {c: v for c, v in rolled.items() if v != before.get(c)}
        lesson = self.lesson
        if lesson is None:
            return self.edit(what, lambda rig: set_values(rig, rolled), gesture)
        ours = {c: v for c, v in rolled.items() if not teach.is_taught(self.program, lesson, c)}
        done = not ours or self.edit(what, lambda rig: set_values(rig, ours), gesture)
        theirs = {c: v for c, v in rolled.items() if c not in ours}
        if theirs:
            self._learn(teach.put(self.program, self.rig, lesson, theirs))
        return done

    # ── teaching ───────────────────────────────────────────────────

    def begin_lesson(self, lesson: Lesson) -> None:
        """Let a cam be taught; what was left unrecorded of it the last time is there again."""
        left = self._left
        if left is not None and (left.lead, left.link) == (lesson.lead, lesson.link):
            lesson = left
        self.lesson = lesson
        self._recompiled()
        if not lesson.link and not lesson.marks:
            self.lesson = replace(lesson, marks=(self.pose.at(lesson.lead),))
            self.taught.emit()

    def end_lesson(self) -> None:
        """Let the cam lead again; what is not recorded is kept in case it is taught again."""
        self._left, self.lesson = self.lesson, None
        self._recompiled()

    def _recompiled(self) -> None:
        self._compile()
        self.rig_changed.emit()
        self.pose_changed.emit()
        self.taught.emit()

    def _learn(self, lesson: Lesson) -> None:
        self.lesson = lesson
        self._solve()
        self.pose_changed.emit()
        self.taught.emit()

    def drop_taught(self, *channels: str) -> None:
        """Let some of what is changed, or all of it, stand again where the cam has it."""
        if self.lesson is not None:
            self._learn(teach.dropped(self.lesson, *channels))

    def record(self) -> bool:
        """Record a station where things stand now; returns whether it was made."""
        lesson = self.lesson
        if lesson is None:
            return False

        def change(rig: Rig) -> Rig:
            rig, self.lesson = teach.record(self.program, rig, lesson)
            return rig

        done = self.edit("record a station", change)
        self.settle()
        self.taught.emit()
        return done

    def send_home(self, channels: Iterable[str]) -> None:
        """Bring channels home, each by the input that leads it."""
        for channel in channels:
            row = self.program.channel_row[channel]
            self.move(channel, float(self.program.home[row]), "send home")
        self.settle()

    def moving_part(self, part: str | None) -> str | None:
        """The part that moves when a hand pulls at a part: itself, or what carries it.

        None when it is grounded all the way down.
        """
        while part is not None and not freed(self.rig.parts[part].joint):
            part = self.rig.parts[part].parent
        return part

    def grounded_text(self, part: str) -> str:
        """Why a part can't be moved by hand, and what to do."""
        name = label(self.rig, part)
        return f"{name} is grounded: its joint is fixed. Press J to give it another joint."

    def channels_of(self, thing: str) -> list[str]:
        """Keys of the channels of a part, control or constraint."""
        return channels_of(self.rig, thing)

    def save(self, path: Path) -> None:
        """Write the rig. Raises FileProblem; the older file is then as it was."""
        rig_file.write(self.rig, path)
        self.path = path
        self._saved = self.rig
        self.file_changed.emit()

    def look_again(self) -> None:
        """Read the models behind the shapes anew."""
        self.shelf.forget()
        self._compile()
        self.rig_changed.emit()
        self.pose_changed.emit()
