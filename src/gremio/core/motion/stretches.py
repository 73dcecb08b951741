"""The stretches of a routine between hand-offs, in each of which the same carriers hold.

What is kept of a hand-off is its time and its carrier. Where the part then stands on its carrier is
found here, stretch by stretch: its mount is what it is in the frame of the new carrier at that
moment, as the stretch before has both. So nothing jumps, whatever is retimed or moves otherwise.
"""

from __future__ import annotations

import bisect
import itertools
import math
from collections.abc import Iterable, Mapping
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.edit.parts import descendants
from gremio.core.frames import Frame, between, frame_of, holds, matrix
from gremio.core.mechanics.clock import local_time
from gremio.core.motion.run_up import motors_of
from gremio.core.problem import Note
from gremio.core.remembered import Bounded
from gremio.core.rig.carried import CarriedInTurn, Unsound, carried_in_turn, carrier_name
from gremio.core.rig.channels import split
from gremio.core.rig.constraints import targets_of
from gremio.core.rig.ids import CLOCK, PartId
from gremio.core.rig.links import members
from gremio.core.rig.model import Driving, Rig, Rolling, Routine
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.pose import Pose
from gremio.core.solve.program import Program


class Settling(NamedTuple):
    """A mount on its way from a frame to another in the carrier's, from a time on (s, of the
    routine), over so long (s)."""

    one: Frame
    two: Frame
    start: float
    over: float

    def at(self, local: float) -> Frame:
        """The mount at a time of the routine (s): at rest at both ends."""
        share = min(max((local - self.start) / self.over, 0.0), 1.0)
        return between(self.one, self.two, share * share * (3.0 - 2.0 * share))


class Stretch(NamedTuple):
    """What holds from one mark to the next. carriers, mounts: by part that is ever handed over.
    settling: of those that settle meanwhile. program: with these, settling ones as they begin."""

    carriers: Mapping[PartId, PartId | None]
    mounts: Mapping[PartId, Frame]
    settling: Mapping[PartId, Settling]
    program: Program


def _seen_from(carrier: Array, frame: Array) -> tuple[Array, bool]:
    """A frame (4, 4) as a carrier's has it, and whether it can have it at all: one that is flat, or
    nowhere, or stretched askew to it, can't."""
    with np.errstate(all="ignore"):
        sound = bool(abs(np.linalg.det(carrier)) > 0.0)
    if not (sound and np.isfinite(carrier).all() and np.isfinite(frame).all()):
        return np.eye(4), False
    seen = np.asarray(np.linalg.solve(carrier, frame), dtype=np.float64)
    return seen, holds(seen)


class Stretches:
    """The stretches of a routine, found one after another. program: of its rig."""

    def __init__(self, program: Program, routine: Routine) -> None:
        self.program, self.routine = program, routine
        rig = program.rig
        self.in_turn: CarriedInTurn = carried_in_turn(rig, routine)
        self._by_time = {mark.time: mark for mark in self.in_turn.marks}
        handed = [h for mark in self.in_turn.marks for h in mark.handed.values() if h.over]
        settled = {h.time + h.over for h in handed}
        # Of each round: when something is handed over, or has settled.
        self.marks = sorted(t for t in {*self._by_time, *settled} if t <= routine.length)
        parts = {part for mark in self.in_turn.marks for part in mark.handed}
        carriers = {part: rig.parts[part].parent for part in parts}
        mounts = {part: rig.parts[part].mount for part in parts}
        self._known = [Stretch(carriers, mounts, {}, program)]
        # Whether every round goes as the first does: nothing grows on from one to the next.
        self._alike = not (program.growing or CLOCK in program.channel_row or motors_of(program))
        # Hand-offs at which a part stands askew, by place of the stretch.
        self._askew: dict[int, list[PartId]] = {}

    # ── which holds when ───────────────────────────────────────────

    def _round(self, time: float) -> int:
        """In which round a time (s) is; of those that begin anew only."""
        length = self.routine.length
        if self.routine.ends != "round" or time <= length or self._alike:
            return 0
        return round((time - self.local(time)) / length)

    def local(self, time: float) -> float:
        """The time of the routine at one from its beginning (s)."""
        return float(local_time(time, self.routine.length, self.routine.ends))

    def place(self, time: float) -> int:
        """Which stretch holds at a time from the beginning (s)."""
        return self._round(time) * (len(self.marks) + 1) + bisect.bisect_right(
            self.marks, self.local(time)
        )

    def begins(self, place: int) -> float:
        """When a stretch begins (s), the first time."""
        turn, mark = divmod(place, len(self.marks) + 1)
        begin = turn * self.routine.length
        if mark:
            return begin + self.marks[mark - 1]
        return math.nextafter(begin, math.inf) if turn == 1 else begin

    def cuts(self, start: float, end: float) -> list[float]:
        """When other carriers hold, after one time and before another (s)."""
        if not self.marks:
            return []
        length, ends = self.routine.length, self.routine.ends
        if ends == "once":
            found = list(self.marks)
        elif ends == "round" and not self._alike:
            first = self.place(start)
            found = [self.begins(p) for p in range(first, self.place(end) + 1)]
        else:
            rounds = range(int(start // (2 * length)), int(end // (2 * length)) + 1)
            found = [
                2 * length * n + way * mark
                for n, way, mark in itertools.product([*rounds, rounds.stop], (1, -1), self.marks)
            ]
        return sorted({cut for cut in found if start < cut < end})

    # ── finding them ───────────────────────────────────────────────

    @property
    def known(self) -> int:
        """How many stretches are found."""
        return len(self._known)

    def stretch(self, place: int) -> Stretch:
        """A stretch that is found."""
        return self._known[place]

    def settling_counts(self, place: int) -> bool:
        """Whether something else has to do with where the parts stand that settle in a stretch, so
        that it has to be solved at each step of theirs."""
        settling = self._known[place].settling
        return bool(settling) and not _by_themselves(self.program.rig, settling)

    def program_at(self, place: int, time: float) -> Program:
        """What is to be solved at a time (s), in a stretch that is found."""
        stretch = self._known[place]
        if not stretch.settling:
            return stretch.program
        local = self.local(time)
        mounts = {**stretch.mounts, **{p: s.at(local) for p, s in stretch.settling.items()}}
        return _program(self.program, stretch.carriers, mounts)

    def go_on(self, pose: Pose) -> None:
        """Find the next stretch. pose: when it begins, as the one before has it."""
        place = len(self._known)
        number = place % (len(self.marks) + 1)
        if not number:
            # Begun anew, with all as at the first beginning.
            self._known.append(self._known[0])
            return
        before, local = self._known[-1], self.marks[number - 1]
        mounts, settling = dict(before.mounts), dict(before.settling)
        for part, way in before.settling.items():
            if way.start + way.over <= local:
                mounts[part] = way.two
                del settling[part]
        carriers = dict(before.carriers)
        mark = self._by_time.get(local)
        for part, hand_off in mark.handed.items() if mark is not None else ():
            was = settling.pop(part).at(local) if part in settling else mounts[part]
            stood = pose.frame_of(carriers[part]) @ matrix(was)
            seen, sound = _seen_from(pose.frame_of(hand_off.carrier), stood)
            if not sound:
                self._askew.setdefault(place, []).append(part)
            carriers[part], mounts[part] = hand_off.carrier, frame_of(seen)
            if hand_off.over:
                at = replace(hand_off.place, scale=mounts[part].scale)
                settling[part] = Settling(mounts[part], at, local, hand_off.over)
        program = _program(self.program, carriers, mounts)
        self._known.append(Stretch(carriers, mounts, settling, program))

    def notes(self) -> list[Note]:
        """What is wrong with the hand-offs: those that can't be, and, of the stretches that are
        found, where a part is bent, or something can't be solved any more."""
        rig = self.program.rig
        told = [unsound_note(rig, one) for one in self.in_turn.unsound]
        for place, parts in self._askew.items():
            for part in parts:
                name = rig.parts[part].name
                carrier = carrier_name(rig, self._known[place].carriers[part])
                text = (
                    f"{name} changes its form when it is handed over to {carrier} at "
                    f"{self.begins(place):.6g} s: a carrier is flat, or stretched askew to "
                    "it. Take the scale out of the carrier."
                )
                told.append(Note("hand-off-askew", name, text, "warning"))
        return told + faults_on_the_way(self.program, self.routine)


def _by_themselves(rig: Rig, parts: Iterable[PartId]) -> bool:
    """Whether no link, constraint, closure, measure, tread or path has to do with some parts, or
    with what they carry."""
    settling = list(parts)
    own: set[str] = {*settling, *(p for part in settling for p in descendants(rig, part))}
    for link in rig.links.values():
        named: set[str] = {split(c)[0] for c in members(link)}
        if isinstance(link, Rolling) and link.on is not None:
            named.add(link.on)
        if isinstance(link, Driving):
            named.add(link.body)
        if named & own:
            return False
    tied: set[str] = {one.part for one in rig.constraints.values()}
    tied |= {t.on for one in rig.constraints.values() for t in targets_of(one) if t.on}
    tied |= {part for c in rig.closures.values() for part in (c.one, c.two) if part}
    tied |= {end.part for measure in rig.measures.values() for end in measure.ends}
    tied |= {wheel.on for t in rig.treads.values() for wheel in t.wheels if wheel.on}
    tied |= {tread.on for tread in rig.treads.values() if tread.on}
    tied |= {path.on for path in rig.paths.values() if path.on}
    return not tied & own


def unsound_note(rig: Rig, one: Unsound) -> Note:
    """A hand-off that does not count, told."""
    name = rig.parts[one.part].name if one.part in rig.parts else ""
    text = (
        f"The hand-off of {name or 'a part'} at {one.hand_off.time:.6g} s does not count: "
        f"{one.why}. Take it out, or choose another carrier."
    )
    return Note("hand-off", name, text, "warning")


def faults_on_the_way(program: Program, routine: Routine) -> list[Note]:
    """What can't be solved while other carriers hold, and can be otherwise."""
    told, rig = list[Note](), program.rig
    known = {note.text for note in program.faults}
    for mark in carried_in_turn(rig, routine).marks:
        mounts = {part: rig.parts[part].mount for part in mark.carriers}
        for note in _program(program, mark.carriers, mounts).faults:
            if note.text not in known:
                known.add(note.text)
                text = f"From {mark.time:.6g} s of {routine.name} on: {note.text}"
                told.append(Note(note.code, note.part, text, note.severity))
    return told


def carried_rig(
    rig: Rig, carriers: Mapping[PartId, PartId | None], mounts: Mapping[PartId, Frame]
) -> Rig:
    """The rig with some parts mounted on others."""
    parts = dict(rig.parts)
    for part, carrier in carriers.items():
        parts[part] = replace(parts[part], parent=carrier, mount=mounts[part])
    return replace(rig, parts=parts)


def carried_as(base: Program, shown: Program, routine: Routine) -> Program:
    """What is solved where each part that a routine hands over rides as in another program of
    nearly the same rig; base itself where that does not fit it."""
    parts, were = base.rig.parts, shown.rig.parts
    handed = [part for part in routine.carried if part in parts and part in were]
    carriers = {part: were[part].parent for part in handed}
    for part in handed:
        above, seen = carriers[part], {part}
        while above is not None:
            if above in seen or above not in parts:
                return base
            seen.add(above)
            above = carriers.get(above, parts[above].parent)
    return _program(base, carriers, {part: were[part].mount for part in handed})


class _Carried(NamedTuple):
    """A program, and what it was made of."""

    base: Program
    mounts: dict[PartId, Frame]
    program: Program


# The programs made last for each way in which parts are carried, as the same is asked again with
# every key that a hand writes.
_LATEST = 3
_MADE: Bounded[tuple[object, ...], list[_Carried]] = Bounded(lambda _kept: 1, 32)


def _program(
    base: Program, carriers: Mapping[PartId, PartId | None], mounts: Mapping[PartId, Frame]
) -> Program:
    kept = _MADE.of((id(base), *sorted(carriers.items(), key=str)), lambda _key: [])
    found = next((k for k in kept if k.base is base and k.mounts == mounts), None)
    if found is not None:
        return found.program
    last = kept[-1].program if kept and kept[-1].base is base else base
    made = compile_rig(carried_rig(base.rig, carriers, mounts), base.geometry, last)
    kept[:] = [*kept[1 - _LATEST :], _Carried(base, dict(mounts), made)]
    return made
