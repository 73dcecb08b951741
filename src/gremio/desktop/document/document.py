"""The open rig: its history, its pose, what is selected. Views listen; they hold no truth."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from contextlib import AbstractContextManager, nullcontext
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from gremio.core.arrays import Array
from gremio.core.edit.history import History
from gremio.core.edit.numbers import set_numbers
from gremio.core.edit.parts import moved_by
from gremio.core.files import rig_file
from gremio.core.files.rig_file import Opened
from gremio.core.files.sources import model_shelf
from gremio.core.make.ranges import followed
from gremio.core.make.volume import typed_scale
from gremio.core.problem import GremioError
from gremio.core.rig.channels import freed, split
from gremio.core.rig.ids import NOTHING, ChannelKey, PartId, ThingId
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import (
    channels_of,
    exists,
    full_label,
    home_value,
    is_put,
    label,
    number_word,
    owner_name,
)
from gremio.core.rig.things import thing_of
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.backward import Held, move
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate, rolled_on
from gremio.core.solve.pose import Pose
from gremio.core.solve.program import Program
from gremio.core.solve.pulling import pull, pull_together
from gremio.core.solve.volume import giver_of
from gremio.desktop.document.change import Change, only_moves
from gremio.desktop.document.kits_known import KitsKnown
from gremio.desktop.document.looking import Looking
from gremio.desktop.document.saving import check_unchanged, written
from gremio.desktop.document.teaching import Teaching
from gremio.desktop.document.timing import Timing
from gremio.desktop.document.words import FELL_OFF, LOCKED, cut_words

Edit = Callable[[Rig], Rig]


class Document(QObject):
    """One open rig: its history, its pose, what is selected. What is taught, and what is wrong,
    are with `teaching` and `looking`.

    rig_changed: anything but the present values is another one; with what changed (Change).
    pose_changed: after that, and whenever a value moves. selection_changed, file_changed: as they
    say. said: a message for the person at the screen; offered: one with what can be had instead
    (Offer).
    """

    rig_changed = pyqtSignal(object)
    pose_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    file_changed = pyqtSignal()
    said = pyqtSignal(str)
    offered = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.shelf, self.kits = model_shelf(), KitsKnown()
        self.teaching = Teaching(self)
        self.timing = Timing(self)
        self.teaching.changed.connect(self._teaching_alone)
        self.looking = Looking(
            lambda: self._pose, lambda: self._mounted, lambda: self._others, lambda: self.rig
        )
        self.pose_changed.connect(self.looking.soon)
        self.path: Path | None = None
        self.opened: Opened | None = None
        self.selected = NOTHING
        # Ids of the parts that are chosen besides a selected part.
        self.also: tuple[PartId, ...] = ()
        self.chosen: set[ThingId] = set()
        # The fingerprint of its file as it was read or saved last; and who else has it open.
        self.on_disk, self.held_by = "", ""
        # Whether the file of before stays beside one that is saved.
        self.keeps_previous = True
        # What edits are part of while a word on the Card is pulled.
        self.gesture = ""
        # Key of the channel that was copied as a link.
        self.copied: ChannelKey = NOTHING
        self._told = ""
        # Takes a number (key) that was clicked as an answer, where one is asked for.
        self.asked_number: Callable[[ChannelKey], bool] = lambda _channel: False
        # While something is solved: who waits can stop it.
        self.patience: Callable[..., AbstractContextManager[None]] = nullcontext
        self.start(Rig(), None)

    def start(
        self, rig: Rig, path: Path | None, *, saved: bool = True, opened: Opened | None = None
    ) -> None:
        """Put another rig on the table. saved: whether the file holds just this. opened: the file
        as it was read."""
        self.history = History(rig)
        self._saved: Rig | None = rig if saved else None
        self.path, self.opened = path, opened
        self.on_disk = rig_file.fingerprint(path) if path is not None else ""
        self.held_by = ""
        self.selected, self.also = NOTHING, ()
        self.chosen.clear()
        self.teaching.forget()
        self.timing.forget()
        self._compile()
        self.rig_changed.emit(Change(rig, rig, anew=True))
        self.pose_changed.emit()
        self.selection_changed.emit()
        self.file_changed.emit()

    @property
    def rig(self) -> Rig:
        """The rig as it is now."""
        return self.history.rig

    @property
    def program(self) -> Program:
        """The rig made ready to run, as it is carried now: a routine may hand parts over."""
        return self._program

    @property
    def mounted(self) -> Program:
        """The rig made ready to run, with each part where it is mounted."""
        return self._mounted

    @property
    def pose(self) -> Pose:
        """Where everything stands now."""
        return self._pose

    def settled(self) -> Pose:
        """Where everything stands now, for what is kept of it: not as it was before the routine
        was followed anew. Raises GremioError where whoever waits for that stops it."""
        self.timing.catch_up()
        return self._pose

    @property
    def changed(self) -> bool:
        """Whether there is something that the file does not hold."""
        return self.rig is not self._saved and self.rig != self._saved

    @property
    def read_only(self) -> bool:
        """Whether the file says what this Gremio does not know, so that saving would lose it, or
        somebody else has it open."""
        return bool(self.held_by) or (self.opened is not None and bool(self.opened.unknown))

    def _teaching_alone(self) -> None:
        """What is taught is posed by hands, and no routine is followed."""
        if self.teaching.lesson is not None:
            self.timing.follow(False)

    # ── in step ────────────────────────────────────────────────────

    def _compile(self, before: Program | None = None) -> None:
        """before: the program of the rig before an edit, from which much is taken over."""
        rig = self.teaching.bench_rig(self.rig)
        self._program = self._mounted = compile_rig(rig, self.geometry, before)
        opened = () if self.opened is None else self.opened.notes
        self._others = [*opened, *self.shelf.notes(self.rig), *self.kits.notes(self.rig)]
        self._last_values: dict[ChannelKey, float] = {}
        self._solve()

    @property
    def geometry(self) -> GeometryOf:
        """What finds the surface of a solid of the rig; boxes stand in for models that can't be
        had, which is told."""
        return partial(self.shelf.geometry, self.rig)

    def inputs(self) -> Mapping[ChannelKey, float]:
        """Where everything is put now (SI, by channel key)."""
        return self.timing.inputs(self.teaching.inputs(self._program, self.rig))

    def _solve(self) -> None:
        with self.patience():
            self._program = self.timing.program(self._mounted)
            self._pose = evaluate(self._program, self.inputs(), self._last_values).frame(0)
        # A formula that says nothing shows the value that it had last.
        for channel in self._program.by_formula:
            self._last_values[channel] = self._pose.at(channel)

    def compile_anew(self) -> None:
        """Make the rig ready to run anew, and tell the views."""
        self._compile()
        self.rig_changed.emit(Change(self.rig, self.rig, anew=True))
        self.pose_changed.emit()

    def solve_anew(self) -> None:
        """Bring the pose in step with what is put, and tell the views."""
        self._solve()
        self.pose_changed.emit()

    def _show(self, before: Rig) -> None:
        """Bring program and pose in step with the rig, and tell the views."""
        change = Change(before, self.rig)
        self.teaching.ends_with(self.rig)
        if before.at is not self.rig.at:
            at, was = self.rig.at, before.at
            self.timing.free.give_over(c for c in {**at, **was} if at.get(c) != was.get(c))
        if change.compiles:
            self._compile(self._mounted)
        else:
            self._solve()
        if change.fields - {"at"}:
            if self.selected and not self.knows(self.selected):
                self.select(NOTHING)
            elif any(part not in self.rig.parts for part in self.also):
                self.choose(self.chosen_parts)
            self.rig_changed.emit(change)
        self.pose_changed.emit()
        self.file_changed.emit()

    def knows(self, thing: ThingId) -> bool:
        """Whether there is a part, control, link or anything else to be selected of this id."""
        return thing_of(self.rig, thing) is not None

    # ── edits ──────────────────────────────────────────────────────

    def edit(self, what: str, change: Edit, gesture: str = "") -> bool:
        """Make an edit that can be undone. what: "move high stop of Upper gate".

        gesture: names a drag or typing under way, so that it becomes one step. When the
        edit is refused, the reason is said and nothing changes; returns whether it was made.
        """
        before = self.rig
        try:
            after = followed(self._mounted, before, change(before))
            if after.alike and after is not before:
                # What keeps two sides alike is loaded when there are any.
                from gremio.core.make.alike import kept_alike

                after = kept_alike(before, after, geometry=self.geometry)
        except GremioError as refused:
            self.said.emit(str(refused))
            return False
        if before.locked and after.locked and not only_moves(before, after):
            self.said.emit(f"{LOCKED} Unlock it with Rig > Lock for the animator.")
            return False
        lost = self.history.lost
        self.history = self.history.did(what, after, gesture or self.gesture)
        if self.history.lost and not lost:
            self.said.emit(FELL_OFF)
        if after is not before:
            self._show(before)
        return True

    def make(self, what: str, change: Callable[[Rig], tuple[Rig, ThingId]]) -> bool:
        """Make an edit that gives something new, and select that; returns whether it was made."""
        made: list[ThingId] = []

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

    def select(self, thing: ThingId) -> None:
        """Select a part, control or link by id; "" for nothing. It alone is chosen then."""
        if thing != self.selected or self.also:
            self.selected, self.also = thing, ()
            self.selection_changed.emit()

    def choose(self, parts: Iterable[PartId]) -> None:
        """Choose several parts, by id; the last of them is the selected one."""
        found = [part for part in dict.fromkeys(parts) if part in self.rig.parts]
        if not found:
            self.select(NOTHING)
            return
        *also, selected = found
        if (selected, tuple(also)) != (self.selected, self.also):
            self.selected, self.also = selected, tuple(also)
            self.selection_changed.emit()

    @property
    def chosen_parts(self) -> list[PartId]:
        """Ids of all parts that are chosen, the selected one last; none where no part is."""
        if self.selected not in self.rig.parts:
            return []
        return [*self.also, PartId(self.selected)]

    # ── moving ─────────────────────────────────────────────────────

    def move(self, channel: ChannelKey, wanted: float, gesture: str = "") -> bool:
        """Bring a number as near to a value (SI) as it can go, by the input that leads it.

        Says why when it can't be moved; returns whether it could.
        """
        return self.move_all({channel: wanted}, "", gesture)

    def move_all(
        self, values: Mapping[ChannelKey, float], what: str = "", gesture: str = ""
    ) -> bool:
        """Bring several numbers (SI by key) as near to values as they can go, each by the input
        that leads it: one edit, one solve. what: the edit, as undo says it.

        Says why when one can't be moved; returns whether any could.
        """
        put: dict[ChannelKey, float] = {}
        if not (gesture and self.timing.writing):
            self.timing.catch_up()
        if len(values) == 1 and not gesture:
            ((only, typed),) = values.items()
            if giver_of(self.rig, only) is not None:
                words = f"let {full_label(self.rig, only)} lead"
                return self.edit(words, lambda rig: typed_scale(rig, only, typed))
        for channel, wanted in values.items():
            found = self._input_for(channel, wanted, gesture)
            if found is not None:
                put[found[0]] = found[1]
        if not put:
            return False
        done = self.put(put, what or self._moving(next(iter(put))), gesture)
        if not gesture and (told := cut_words(self.rig, self.pose, values, put)):
            self.said.emit(told)
        return done

    def _input_for(
        self, channel: ChannelKey, wanted: float, gesture: str
    ) -> tuple[ChannelKey, float] | None:
        """The input that brings a number to a value, and where it must be; None, with the reason
        said, where there is none."""
        if self.rig.locked and split(channel)[1]:
            self.said.emit(LOCKED)
            return None
        if channel not in self.program.channel_row and exists(self.rig, channel):
            return channel, wanted
        answer = move(self.program, self.pose, channel, wanted)
        if isinstance(answer, Held):
            self.said.emit(answer.text)
            return None
        if answer.short and self._told != (gesture or channel):
            self._told = gesture or channel
            self.said.emit(answer.short)
        self._tell_untaught(channel, answer.channel, gesture)
        return answer.channel, answer.value

    def _moving(self, channel: ChannelKey) -> str:
        """What moving a number is called: "move Paddle", "low stop of Upper gate"."""
        owner = owner_name(self.rig, split(channel)[0])
        if is_put(self.rig, channel):
            return f"move {owner}"
        return f"{number_word(self.rig, channel)} of {owner}"

    def _tell_untaught(self, channel: ChannelKey, moved: ChannelKey, gesture: str) -> None:
        """Say, once in a gesture, that what was pulled is not what is taught."""
        if self.teaching.lesson is None or self.teaching.is_taught(moved):
            return
        told = self.teaching.why_not(channel)
        if told and self._told != (gesture or channel):
            self._told = gesture or channel
            self.said.emit(told)

    def pull(
        self,
        part: PartId,
        at: Array,
        target: Array,
        leads: tuple[ChannelKey, ...] = (),
        sight: Array | None = None,
    ) -> tuple[ChannelKey, ...] | None:
        """Bring a point of a part (3,) as near to a place in the world (3,) as inputs can.
        leads: their keys; without any the one that is nearest along the part's chain and can.
        sight: (3,) unit, the way that is looked along.

        Says why when it comes no nearer; returns the keys of the inputs that were moved.
        """
        gesture = f"pull {part}"
        if self.rig.locked:
            self.said.emit(LOCKED)
            return None
        put: dict[ChannelKey, float] | Held
        if len(leads) > 1:
            put = pull_together(self.program, self.pose, part, at, target, leads, sight)
        else:
            lead = leads[0] if leads else NOTHING
            hand = pull(self.program, self.pose, part, at, target, lead, sight)
            put = hand if isinstance(hand, Held) else {hand.channel: hand.value}
        if isinstance(put, Held):
            if self._told != gesture:
                self._told = gesture
                self.said.emit(put.text)
            return None
        moved = tuple(put)
        words = self._moving(moved[0])
        if len(moved) > 1:
            words += f" and {len(moved) - 1} more"
        return moved if self.put(put, words, gesture) else None

    def to_move(self) -> set[ChannelKey]:
        """Keys of what a pull should move: the controls chosen on the Desk, or the selected one."""
        return {ChannelKey(thing) for thing in self.chosen or {self.selected}}

    def put(
        self, values: dict[ChannelKey, float], what: str, gesture: str = "", *, rolls: bool = True
    ) -> bool:
        """Put inputs somewhere (SI by key); wheels roll as far as that takes them, unless they are
        put too. Numbers that no hand puts are changed in their things. What is being taught is
        kept with the lesson."""
        quiet = {c: v for c, v in values.items() if not is_put(self.rig, c)}
        if not self.timing.writing:
            self.timing.catch_up()
        before = self.inputs()
        hands = {c: v for c, v in values.items() if c not in quiet}
        rolled = dict(hands)
        if hands and rolls:
            rolled = rolled_on(self.program, before, {**before, **hands})
        rolled = {c: v for c, v in rolled.items() if v != before.get(c)}
        if self.timing.on and self.teaching.lesson is None:
            keyed = {**hands, **{c: v for c, v in quiet.items() if c in self.program.channel_row}}
            here = keyed if self.timing.writing else {**rolled, **keyed}
            quiet = {c: v for c, v in quiet.items() if c not in keyed}
            done = self.timing.put(here, what, gesture) if here else True
            return done and (not quiet or self.edit(what, lambda r: set_numbers(r, quiet), gesture))
        taught = {c: v for c, v in rolled.items() if self.teaching.is_taught(c)}
        ours = {**quiet, **{c: v for c, v in rolled.items() if c not in taught}}
        done = True
        self.timing.free.give_over(ours)
        if ours or not taught:
            done = self.edit(what, lambda rig: set_numbers(rig, ours), gesture)
        if taught:
            self.teaching.put(taught)
        return done

    def send_home(self, channels: Iterable[ChannelKey]) -> None:
        """Bring channels home, each by the input that leads it."""
        homes = {channel: home_value(self.rig, channel) for channel in channels}
        self.move_all(homes, "send home", "send home")
        self.settle()

    def moving_part(self, part: PartId | None) -> PartId | None:
        """The part that moves when a hand pulls at a part: itself, or what carries it; None when it
        is grounded all the way down."""
        found = None if part is None else moved_by(self.program.rig, part)
        return found if found and freed(self.program.rig.parts[found].joint) else None

    def grounded_text(self, part: ChannelKey) -> str:
        """Why a part can't be moved by hand, and what to do."""
        name = label(self.rig, part)
        return f"{name} is grounded: its joint is fixed. Press J to give it another joint."

    def channels_of(self, thing: ThingId) -> list[ChannelKey]:
        """Keys of the channels of a part, control or constraint."""
        return channels_of(self.rig, thing)

    def save(self, path: Path, *, replace: bool = False) -> Path | None:
        """Write the rig; where a file of an older version stood, that is kept beside it, and its
        path returned. A file whose rig did not change keeps its bytes. Raises FileProblem; the
        older file is then as it was. ChangedOnDisk, where the file it was opened from is not as it
        was read or saved last; replace: it is written over all the same."""
        opened = self.opened if path == self.path else None
        if path == self.path and not replace:
            check_unchanged(path, self.on_disk)
        kept = None
        if opened is None or self.rig is not opened.rig:
            kept = written(self.rig, path, opened, keep_previous=self.keeps_previous)
            self.opened = None
        self.path = path
        self.on_disk = rig_file.fingerprint(path)
        self._saved = self.rig
        self.file_changed.emit()
        return kept
