"""The cam that is being taught, on the open rig."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Protocol

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from gremio.core.make import teach
from gremio.core.make.teach import Lesson
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import exists
from gremio.core.solve.pose import Pose
from gremio.core.solve.program import Program


class OpenRig(Protocol):
    """What teaching needs of the open rig."""

    @property
    def rig(self) -> Rig:
        """The rig as it is now."""
        ...

    @property
    def program(self) -> Program:
        """The rig made ready to run, without the cam that is taught."""
        ...

    @property
    def pose(self) -> Pose:
        """Where everything stands now."""
        ...

    def edit(self, what: str, change: Callable[[Rig], Rig], gesture: str = "") -> bool:
        """Make an edit that can be undone."""
        ...

    def settle(self) -> None:
        """The next edit is a step of its own."""
        ...

    def compile_anew(self) -> None:
        """Make the rig ready to run anew, and tell the views."""
        ...

    def solve_anew(self) -> None:
        """Bring the pose in step with what is put, and tell the views."""
        ...


class Teaching(QObject):
    """What is taught, if anything. changed: a cam begins to be taught, or ends, or what is changed
    and not recorded is something else."""

    changed = pyqtSignal()

    def __init__(self, open_rig: OpenRig) -> None:
        super().__init__()
        self._open = open_rig
        self.lesson: Lesson | None = None
        self._left: Lesson | None = None

    def forget(self) -> None:
        """Another rig is on the table."""
        self.lesson = self._left = None

    def bench_rig(self, rig: Rig) -> Rig:
        """The rig that is posed: without the cam that is taught."""
        return teach.bench_rig(rig, self.lesson) if self.lesson else rig

    def inputs(self, program: Program, rig: Rig) -> Mapping[ChannelKey, float]:
        """Where everything is put now (SI, by channel key); while a cam is taught, where that
        has it, or a hand."""
        return rig.at if self.lesson is None else teach.inputs(program, rig, self.lesson)

    def ends_with(self, rig: Rig) -> None:
        """A rig in which the lead that is taught is no more ends the lesson."""
        if self.lesson is not None and not exists(rig, self.lesson.lead):
            self.lesson = None
            self.changed.emit()

    def begin(self, lesson: Lesson) -> None:
        """Let a cam be taught; what was left unrecorded of it the last time is there again."""
        left = self._left
        if left is not None and (left.lead, left.link) == (lesson.lead, lesson.link):
            lesson = left
        self.lesson = lesson
        self._open.compile_anew()
        self.changed.emit()
        if not lesson.link and not lesson.marks:
            self.lesson = replace(lesson, marks=(self._open.pose.at(lesson.lead),))
            self.changed.emit()

    def end(self) -> None:
        """Let the cam lead again; what is not recorded is kept in case it is taught again."""
        self._left, self.lesson = self.lesson, None
        self._open.compile_anew()
        self.changed.emit()

    def is_taught(self, channel: ChannelKey) -> bool:
        """Whether what is put at a channel (key) is kept with the lesson."""
        lesson = self.lesson
        return lesson is not None and teach.is_taught(self._open.program, lesson, channel)

    def why_not(self, channel: ChannelKey) -> str:
        """Why a channel that is pulled is not what is taught; "" where it is, or is the lead."""
        lesson = self.lesson
        if lesson is None or channel == lesson.lead:
            return ""
        return teach.why_not_taught(self._open.program, lesson, channel)

    def put(self, values: dict[ChannelKey, float]) -> None:
        """Keep where things are put with the lesson."""
        if self.lesson is not None:
            self._learn(teach.put(self._open.program, self._open.rig, self.lesson, values))

    def drop(self, *channels: ChannelKey) -> None:
        """Let some of what is changed, or all of it, stand again where the cam has it."""
        if self.lesson is not None:
            self._learn(teach.dropped(self.lesson, *channels))

    def _learn(self, lesson: Lesson) -> None:
        self.lesson = lesson
        self._open.solve_anew()
        self.changed.emit()

    def record(self) -> bool:
        """Record a station where things stand now; returns whether it was made."""
        lesson = self.lesson
        if lesson is None:
            return False

        def change(rig: Rig) -> Rig:
            rig, self.lesson = teach.record(self._open.program, rig, lesson)
            return rig

        done = self._open.edit("record a station", change)
        self._open.settle()
        self.changed.emit()
        return done
