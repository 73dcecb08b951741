"""The answer for a set of inputs: channel values, world frames, and what could not be had."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import cached_property
from typing import ClassVar, overload

import msgspec
import numpy as np

from gremio.core.arrays import Array, Flags, Rows
from gremio.core.plan.loops import ROUNDING, missed
from gremio.core.problem import GremioError, Note, NotFound, counted_words
from gremio.core.quantity import UNITS, show_short, show_small
from gremio.core.records import Record
from gremio.core.rig.channels import CHANNELS, free_of, key, split
from gremio.core.rig.find import channel_key, control_id, nothing_called, part_id
from gremio.core.rig.ids import NOTHING, ChannelKey, PartId, ThingId
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import (
    closure_label,
    full_label,
    home_value,
    kind_of,
    numbers_of,
    owner_name,
    shown_unit,
)
from gremio.core.rig.scales import shown_on
from gremio.core.solve.dimensions import with_dimensions, with_ends
from gremio.core.solve.loop_steps import LoopBatch
from gremio.core.solve.pose_page import page
from gremio.core.solve.program import Program
from gremio.core.solve.standing import Closing, PartPose, PartPoses
from gremio.core.solve.tables import as_csv, as_frame, column
from gremio.core.solve.wants import Want, want_notes

# Loops closed together, the share of the way that each could go, and the gap left.
Closed = tuple[LoopBatch, Array, Array]
_BEYOND = 1e-9


class Poses(Record, frozen=True, eq=False):
    """The poses of F frames, as arrays. C channels, P parts, rows as in the program.

    Told by names: `poses["Upper gates"]` is (F,) in SI, `poses["Upper gates", "deg"]` in a unit,
    `poses[3]` one pose, `poses[10:20]` some of them, `poses.part("Jib").world` (F, 4, 4).

    channels: (C, F) values in SI, within their stops.
    asked: (C, F) what the channels were asked for, before the stops.
    worlds: (F, P, 4, 4) world frame of each part, in the order of program.part_ids.
    undefined: (F,) in which frames its formula says nothing, by row of the channel.
    put: (F,) where a channel that links only add to was put, by row of the channel.
    closed: loops closed together, with (L, F) the shares of the way gone and (L, F) the gaps
    left (m). wants: what each constraint wants, by its id.
    """

    program: Program
    channels: Array
    asked: Array
    worlds: Array
    undefined: dict[int, Flags]
    put: dict[int, Array]
    closed: tuple[Closed, ...] = ()
    wants: dict[ThingId, Want] = msgspec.field(default_factory=dict)

    @cached_property
    def closing(self) -> dict[ThingId, Closing]:
        """How each loop closes, by the id of its first closure."""
        return {
            step.loop.closures[0]: Closing(step, np.abs(gone[i]), gap[i], gone[i] < 0)
            for batch, gone, gap in self.closed
            for i, step in enumerate(batch.steps)
        }

    @property
    def frames(self) -> int:
        """How many frames there are."""
        return int(self.channels.shape[1])

    def __len__(self) -> int:
        return self.frames

    def __repr__(self) -> str:
        program = self.program
        return (
            f"<{counted_words(self.frames, 'pose')} of {program.rig.name}: "
            f"{counted_words(len(program.part_ids), 'part')}, "
            f"{counted_words(len(program.channel_keys), 'channel')}>"
        )

    def __iter__(self) -> Iterator[Pose]:
        return map(self.frame, range(self.frames))

    @overload
    def __getitem__(self, at: int) -> Pose: ...
    @overload
    def __getitem__(self, at: slice | Rows) -> Poses: ...
    @overload
    def __getitem__(self, at: str | tuple[str, str]) -> Array: ...
    def __getitem__(self, at: int | slice | Rows | str | tuple[str, str]) -> Pose | Poses | Array:
        """By a number the pose of a frame, by a slice some of the frames; by a name the values of a
        channel or a control, in SI, or in a unit. Raises IndexError, NotFound, GremioError for a
        unit of another kind."""
        if isinstance(at, str):
            return self.named(at)
        if isinstance(at, tuple):
            return self.named(*at)
        if isinstance(at, int | np.integer):
            if not -self.frames <= at < self.frames:
                raise IndexError(f"There are {counted_words(self.frames, 'pose')}; none is {at}.")
            return self.frame(int(at))
        return self.frames_at(at)

    def named(self, name: str, unit: str = "") -> Array:
        """(F,) values of a channel by name, in SI or in a unit. Raises NotFound, GremioError for a
        unit of another kind."""
        rig = self.program.rig
        channel = channel_key(rig, name)
        row = self.program.channel_row.get(channel)
        values = np.full(self.frames, home_value(rig, channel))
        if row is not None:
            values = self.channels[row].copy()
        if not unit:
            return values
        kind = kind_of(rig, channel)
        if unit not in UNITS or UNITS[unit].kind != kind:
            fit = ", ".join(one for one in UNITS if one and UNITS[one].kind == kind)
            raise GremioError(f"{name} is not told in {unit!r}. Take one of {fit or 'no unit'}.")
        return values / UNITS[unit].size

    def velocity(self, name: str, times: Array) -> Array:
        """(F,) how fast a channel (by name) changes, in SI a second, by differences between the
        frames at times (F,), s: central ones, of second order. Raises NotFound."""
        found: Array = np.gradient(self.named(name), np.asarray(times, dtype=float))
        return found

    def to_csv(self, *names: str, shown: bool = False) -> str:
        """The text of a table, a row a frame: poses.to_csv("Upper gates", "Upper gate, east").
        names: of channels; all there are, where none is named. shown: in the units in which they
        are shown; else in SI, which the heads say. Raises NotFound."""
        return as_csv(self._columns(names, shown=shown))

    def to_frame(self, *names: str, shown: bool = False) -> object:
        """The same as a pandas DataFrame. Raises NotFound, GremioError where pandas is not
        installed."""
        return as_frame(self._columns(names, shown=shown))

    def _columns(self, names: Sequence[str], *, shown: bool) -> list[tuple[str, Array]]:
        rig = self.program.rig
        keys = [channel_key(rig, name) for name in names] or self.program.channel_keys
        return [column(rig, c, self.channel(c), shown=shown) for c in keys]

    def part(self, name: str) -> PartPoses:
        """Where the part of this name stands in every frame. Raises NotFound."""
        program = self.program
        found = part_id(program.rig, name)
        entry, row = program.rig.parts[found], program.channel_row
        channels = {
            c: self.channels[row[key(found, c)]] for c in free_of(entry) if key(found, c) in row
        }
        return PartPoses(entry.name, self.worlds[:, program.part_row[found]], channels)

    def channel(self, channel: ChannelKey) -> Array:
        """(F,) values in SI of the channel with this key."""
        values: Array = self.channels[self.program.channel_row[channel]]
        return values

    def frame(self, index: int) -> Pose:
        """The pose of one frame."""
        one = slice(index, index + 1) if index >= 0 else slice(index, index + 1 or None)
        return Pose(self.frames_at(one))

    def frames_at(self, those: slice | Rows) -> Poses:
        """Some of the frames."""
        undefined = {row: frames[those] for row, frames in self.undefined.items()}
        put = {row: values[those] for row, values in self.put.items()}
        closed = tuple((batch, gone[:, those], gap[:, those]) for batch, gone, gap in self.closed)
        wants = {i: want.frames(those) for i, want in self.wants.items()}
        channels, asked = self.channels[:, those], self.asked[:, those]
        return Poses(
            self.program, channels, asked, self.worlds[those], undefined, put, closed, wants
        )


class Pose(Record, frozen=True, eq=False):
    """The answer for one set of inputs. drawn: draws a PNG of one, where there is what does."""

    drawn: ClassVar[Callable[[Pose], bytes] | None] = None
    poses: Poses

    def __repr__(self) -> str:
        notes = f", {counted_words(len(self.notes), 'note')}" if self.notes else ""
        return f"<pose of {self.program.rig.name}{notes}>"

    def _repr_png_(self) -> bytes | None:
        """What a notebook shows of it, where pictures can be drawn."""
        return None if Pose.drawn is None else Pose.drawn(self)

    def _repr_html_(self) -> str:
        """What a notebook shows: its picture, where the controls stand, and what is wrong."""
        rig = self.program.rig
        stands = [(c.name, shown_on(rig, key(i), self.at(key(i)))) for i, c in rig.controls.items()]
        return page(rig.name, stands, [note.text for note in self.notes], self._repr_png_())

    @property
    def program(self) -> Program:
        """What was solved."""
        return self.poses.program

    @property
    def worlds(self) -> Array:
        """(P, 4, 4) world frame of each part, in the order of program.part_ids."""
        worlds: Array = self.poses.worlds[0]
        return worlds

    def put_at(self, channel: ChannelKey) -> float:
        """Where a channel (by key) is put (SI): without what links add to it, or a constraint makes
        of it. Put there again, all stands as it does. Raises NotFound."""
        put = self.poses.put.get(self.program.channel_row.get(channel, -1))
        return self.at(channel) if put is None else float(put[0])

    def world(self, part: PartId) -> Array:
        """(4, 4) world frame of the part with this id. Raises NotFound."""
        row = self.program.part_row.get(part)
        if row is None:
            raise NotFound(f"The rig has no part with the id {part!r}.")
        world: Array = self.worlds[row]
        return world

    def frame_of(self, part: PartId | None) -> Array:
        """(4, 4) world frame of the part with this id; the ground's for None."""
        return np.eye(4) if part is None else self.world(part)

    def at(self, channel: ChannelKey) -> float:
        """Value (SI) of the number with this key; of a grounded one, its home."""
        row = self.program.channel_row.get(channel)
        if row is None:
            return home_value(self.program.rig, channel)
        return float(self.poses.channels[row, 0])

    def asked(self, channel: ChannelKey) -> float:
        """What the number with this key was asked for (SI), before its stops."""
        row = self.program.channel_row.get(channel)
        return self.at(channel) if row is None else float(self.poses.asked[row, 0])

    def ends(self, channel: ChannelKey) -> tuple[float, float]:
        """Between what values (SI) the channel with this key can go now; −inf and +inf where it
        runs free."""
        program = self.program
        row = program.channel_row[channel]
        found = [float(program.low[row]), float(program.high[row])]
        for i, end in enumerate(program.led_ends.get(row, ())):
            if end >= 0:
                found[i] = float(self.poses.channels[end, 0])
        return found[0], found[1]

    @cached_property
    def rig(self) -> Rig:
        """The rig with its led dimensions, stops and ranges as they stand; the rig itself where
        none is led."""
        program, rig, channels = self.program, self.program.rig, self.poses.channels[:, 0]
        if program.led_dimensions:
            rig = with_dimensions(rig, program.led_dimensions, channels)
        if program.led_ends:
            rig = with_ends(rig, program.channel_keys, program.led_ends, channels)
        return rig

    @cached_property
    def dimensions(self) -> tuple[float, ...]:
        """The led dimensions as they stand, in the order of program.led_dimensions."""
        rows = [led.row for led in self.program.led_dimensions]
        return tuple(self.poses.channels[rows, 0].tolist())

    @cached_property
    def hidden(self) -> frozenset[PartId]:
        """Ids of the parts that are not seen: those that are not shown, and all they carry."""
        program = self.program
        own = set(program.hidden_at_home)
        for part, row in program.shown_rows.items():
            (own.discard if self.poses.channels[row, 0] >= 0.5 else own.add)(part)
        if not own:
            return frozenset()
        # What carries a part stands before it.
        hidden = np.zeros(len(program.part_ids), dtype=bool)
        for row, part in enumerate(program.part_ids):
            above = program.parents[row]
            hidden[row] = part in own or (above >= 0 and hidden[above])
        return frozenset(program.part_ids[row] for row in np.flatnonzero(hidden))

    def part(self, name: str) -> PartPose:
        """Where the part of this name stands. Raises NotFound."""
        return self.part_of(part_id(self.program.rig, name))

    def part_of(self, part: PartId) -> PartPose:
        """Where the part of this id stands."""
        entry = self.program.rig.parts[part]
        channels = {c: self.at(key(part, c)) for c in free_of(entry)}
        return PartPose(entry.name, self.world(part), channels)

    def value(self, part: PartId, channel: str = "") -> float:
        """Value (SI) of a channel by the names of part and channel. Raises NotFound."""
        rig = self.program.rig
        if not channel:
            return self.at(channel_key(rig, part))
        found = key(part_id(rig, part), channel)
        if channel not in CHANNELS and found not in numbers_of(rig, split(found)[0]):
            raise NotFound(nothing_called(channel, f"channel of {part}", CHANNELS))
        return self.at(found)

    def control(self, name: str) -> float:
        """Value (SI) of the control of this name. Raises NotFound."""
        return self.at(control_id(self.program.rig, name))

    @cached_property
    def notes(self) -> list[Note]:
        """What could not be had: the faults of the rig, the stops reached, and the formulas
        that say nothing here."""
        asked, program = self.poses.asked[:, 0], self.program
        low, high = program.asked_range
        if program.led_ends:
            low, high = self._asked_range(low, high)
        beyond = (asked > high + _BEYOND) | (asked < low - _BEYOND)
        notes = [*program.faults, *(self._stop_reached(int(r)) for r in np.flatnonzero(beyond))]
        notes += self._crossed()
        notes += [self._undefined(row) for row, f in self.poses.undefined.items() if f[0]]
        known = self.poses.undefined
        notes += [
            self._lost(int(row))
            for row in np.flatnonzero(~np.isfinite(self.poses.channels[:, 0]))
            if not (int(row) in known and known[int(row)][0])
        ]
        notes += [n for c in self.poses.closing.values() for n in _unclosed(self, c)]
        return notes + want_notes(program.rig, self.poses.wants)

    def _asked_range(self, low: Array, high: Array) -> tuple[Array, Array]:
        """(C,) what a channel can be asked for, with the ends that something leads."""
        ends = [low.copy(), high.copy()]
        for row, led in self.program.led_ends.items():
            for bound, end in zip(ends, led, strict=True):
                if end >= 0:
                    bound[row] = self.poses.channels[end, 0]
        return ends[0], ends[1]

    def _crossed(self) -> list[Note]:
        """Stops that something leads past one another."""
        notes, program = [], self.program
        for row in program.led_ends:
            channel = program.channel_keys[row]
            low, high = self.ends(channel)
            if low > high:
                unit, name = shown_unit(program.rig, channel), full_label(program.rig, channel)
                text = (
                    f"The low end of {name} ({show_short(low, unit)}) is led above its high end "
                    f"({show_short(high, unit)}) here, so that it stands at the high one. Change "
                    "what leads them."
                )
                thing = owner_name(program.rig, split(channel)[0])
                notes.append(Note("stops-crossed", thing, text, "warning"))
        return notes

    def _undefined(self, row: int) -> Note:
        rig = self.program.rig
        channel = self.program.channel_keys[row]
        name = full_label(rig, channel)
        if channel not in self.program.drives:
            text = f"{name} was asked for what is no plain number, so that it stands at home."
            return Note("input-wild", owner_name(rig, split(channel)[0]), text)
        places = []
        for lead in self.program.drives[channel].leads:
            if lead in self.program.channel_row:
                at = shown_on(rig, lead, self.at(lead))
                places.append(f"{full_label(rig, lead)} is {at}")
        where = f" where {' and '.join(places[:3])}" if places else ""
        text = (
            f"The formula for {name} has no value{where}: it divides by zero, or asks a function "
            "for what it does not have. Keep it away from there with clamp or choose."
        )
        return Note("formula-undefined", owner_name(rig, split(channel)[0]), text, "warning")

    def _lost(self, row: int) -> Note:
        """A channel that has no value, though what gives it has."""
        rig, channel = self.program.rig, self.program.channel_keys[row]
        text = (
            f"{full_label(rig, channel)} has no value here: what leads it goes beyond all numbers. "
            "Make the numbers of its links smaller."
        )
        return Note("value-lost", owner_name(rig, split(channel)[0]), text)

    def _stop_reached(self, row: int) -> Note:
        rig = self.program.rig
        owner, channel = split(self.program.channel_keys[row])
        asked, had = float(self.poses.asked[row, 0]), float(self.poses.channels[row, 0])
        name = owner_name(rig, owner)
        if not channel:
            unit = rig.controls[owner].unit
            text = (
                f"{name} was asked for {show_short(asked, unit)}; "
                f"its range ends at {show_short(had, unit)}."
            )
            return Note("range-end", name, text, "warning")
        unit = shown_unit(rig, self.program.channel_keys[row])
        end = "high" if asked > had else "low"
        text = (
            f"{name} is held by its {end} stop at {show_short(had, unit)}; "
            f"it was asked for {show_short(asked, unit)}."
        )
        return Note("stop-reached", name, text, "warning")


def _unclosed(pose: Pose, closing: Closing) -> list[Note]:
    """What a loop can't do here: close at all, or follow what leads it."""
    rig, loop, gone = pose.program.rig, closing.step.loop, float(closing.gone[0])
    if not closing.step.can_close:
        return [_open(rig, closing)]
    tied = rig.closures[loop.closures[0]]
    name, told = rig.parts[tied.one].name, closure_label(rig, tied)
    if gone >= 1.0:
        gap = float(closing.gap[0])
        return [_misfit(name, told, gap)] if gap > ROUNDING * closing.step.shape.size else []
    lead = _lead_of(pose, closing)
    if not lead:
        return []
    row = pose.program.channel_row[lead]
    had = shown_on(rig, lead, float(pose.poses.channels[row, 0]))
    wanted = shown_on(rig, lead, float(pose.poses.asked[row, 0]))
    at = _stop_in_loop(pose, closing)
    why = f"held by the {at}" if at else "as far as its links reach"
    if closing.cut[0]:
        why = "no farther, as the way there is too long or was stopped"
    text = (
        f"The loop closed by {told} follows {full_label(rig, lead)} to {had}, {why}; it was asked "
        f"for {wanted}."
    )
    return [Note("loop-reach", name, text, "warning")]


def _open(rig: Rig, closing: Closing) -> Note:
    """Which closure of a loop can't be met, and by how much."""
    closure_id, gap = missed(rig, closing.step.loop)
    tied, before = rig.closures[closure_id], closing.step.loop.closures.index(closure_id)
    name, told = rig.parts[tied.one].name, closure_label(rig, tied)
    told = f"{told[0].upper()}{told[1:]}"
    others = f" together with {closure_label(rig, rig.closures[closing.step.loop.closures[0]])}"
    others = others + (" and the others made before it" if before > 1 else "") if before else ""
    if gap > 0.0:
        text = (
            f"{told} can't meet{others}: {show_small(gap, 'mm')} are missing however its joints "
            "stand. Move a mount, change a length, or pick other points."
        )
        return Note("loop-open", name, text)
    text = (
        f"{told} can't meet at home: {show_small(float(closing.gap[0]), 'mm')} are missing while "
        f"{_standing(rig, closing)} at home. Elsewhere they could meet: bring the parts to where "
        "they meet, and set home there."
    )
    return Note("loop-open", name, text)


def _standing(rig: Rig, closing: Closing) -> str:
    """ "Crank turn z stands", of what leads a loop."""
    leads = [full_label(rig, c) for c in (*closing.step.loop.given, *closing.step.loop.free)]
    if not leads:
        return "its joints stand"
    return f"{' and '.join(leads[:3])} stand{'s' * (len(leads) == 1)}"


def _misfit(name: str, told: str, gap: float) -> Note:
    """What no joint can close of a loop, though it moves."""
    text = (
        f"{told[0].upper()}{told[1:]} is off by {show_small(gap, 'mm')} where no joint can close "
        "it, such as along the axis of its hinges. It moves all the same; let the points meet, or "
        "pick them anew."
    )
    return Note("loop-misfit", name, text, "warning")


def _lead_of(pose: Pose, closing: Closing) -> ChannelKey:
    """Key of the channel that leads a loop and was held farthest from what was asked."""
    loop, rows = closing.step.loop, pose.program.channel_row
    missed = {
        c: abs(float(pose.poses.asked[rows[c], 0] - pose.poses.channels[rows[c], 0]))
        for c in (*loop.given, *loop.free)
    }
    return max(missed, key=missed.__getitem__, default=NOTHING)


def _stop_in_loop(pose: Pose, closing: Closing) -> str:
    """ "high stop of Rocker", where one of a loop's channels is at its stop; "" for none."""
    program = pose.program
    for channel in closing.step.loop.found:
        value = pose.at(channel)
        for end, stop in zip(("low", "high"), pose.ends(channel), strict=True):
            if abs(value - stop) < 1e-5:
                return f"{end} stop of {owner_name(program.rig, split(channel)[0])}"
    return ""
