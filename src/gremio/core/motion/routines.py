"""A routine, evaluated to inputs for the times asked, and solved.

Nothing is remembered from one time to the next: what grows on the way (wheels that roll, carriages
that are driven) is computed from the routine's own beginning at a fixed inner step, so that the
same time gives the same pose, whatever was asked before, or with it.
"""

from __future__ import annotations

import itertools
import math
import threading
from collections.abc import Iterator
from contextlib import contextmanager

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array
from gremio.core.motion.keys import inputs_at, is_sound
from gremio.core.motion.run_up import RunUp, motors_of
from gremio.core.motion.stopping import check_not_stopped
from gremio.core.motion.stretches import Stretches
from gremio.core.problem import GremioError, Note, NotFound
from gremio.core.remembered import Bounded
from gremio.core.rig.channels import split
from gremio.core.rig.find import nothing_called
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.links import leads
from gremio.core.rig.model import Rig, Routine
from gremio.core.rig.numbers import full_label, owner_name
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.joined import Piece, joined
from gremio.core.solve.pose import Poses
from gremio.core.solve.program import Program

# What grows is computed so often a second at least, and in blocks of so many steps, each of which
# begins where the one before ended.
_INNER = 120
_BLOCK, _BLOCKS_KEPT = 512, 200
_ON_STEP = 1e-9
# So many frames are solved, and written, together; and so many frames of parts held at once.
_PIECE = 1000
MOST_HELD = 20_000_000


def routine_called(rig: Rig, name: str = "") -> ThingId:
    """Id of the routine of a name; of the only one where none is given. Raises NotFound."""
    if not name and len(rig.routines) == 1:
        return next(iter(rig.routines))
    for routine_id, routine in rig.routines.items():
        if routine.name == name:
            return routine_id
    if not name:
        several = f"The rig has {len(rig.routines)} routines. Say which." if rig.routines else (
            "The rig has no routine yet. Key something first.")  # fmt: skip
        raise NotFound(several)
    names = [routine.name for routine in rig.routines.values()]
    raise NotFound(nothing_called(name, "routine", names))


class Run:
    """A routine made ready to be solved at any times. program: of its rig. Safe to be asked from
    several threads: one is answered after the other."""

    def __init__(self, program: Program, routine: Routine) -> None:
        self.program, self.routine = program, routine
        self._alone = threading.RLock()
        # The thread that is being answered.
        self._asked_by = 0
        rate = routine.rate[0] / routine.rate[1]
        # Frames lie on steps, so that what is baked needs no more than is kept.
        self._rate = rate * max(1, math.ceil(_INNER / rate))
        # What has grown at the beginning of each block, and all along those asked for last.
        self._begun: list[Array] = []
        self._blocks: dict[int, Array] = {}
        self._run_up = RunUp(program, routine)
        self._stretches = Stretches(program, routine)

    def at(self, times: npt.ArrayLike) -> Poses:
        """The poses at times (F,) from the routine's beginning (s), in their order. Raises
        GremioError where whoever waits for it stops it."""
        t = np.atleast_1d(np.asarray(times, dtype=float))
        if not np.isfinite(t).all():
            raise GremioError("A routine is asked at a time that is no plain number.")
        with self._answering():
            return self._at(t)

    def _at(self, t: Array) -> Poses:
        inputs = self._put_at(t)
        growing = self.program.growing
        if growing:
            grown = np.array([self._grown_at(float(time)) for time in t]).T
            inputs.update(zip(growing, grown, strict=True))
        if not self._stretches.marks:
            return evaluate(self.program, inputs, apart=True)
        places = np.array([self._found(float(time)) for time in t], dtype=np.intp)
        pieces: list[Piece] = []
        for place in np.unique(places).tolist():
            those = np.flatnonzero(places == place)
            settling = self._stretches.stretch(place).settling
            for some in those[:, None] if settling else (those,):
                program = self._stretches.program_at(place, float(t[some[0]]))
                own = {c: np.ravel(v)[some] for c, v in inputs.items()}
                pieces.append((some, evaluate(program, own, apart=True)))
        return joined(self.program, pieces, len(t))

    def pieces(self, times: Array) -> Iterator[tuple[Array, Poses]]:
        """The poses at times (F,), some frames after the others, with their times. Raises
        GremioError where whoever waits for it stops it."""
        for some in np.array_split(times, max(-(-len(times) // _PIECE), 1)):
            check_not_stopped()
            poses = self.at(some)
            check_not_stopped()
            yield some, poses

    def inputs(self, time: float) -> dict[ChannelKey, float]:
        """Where all inputs are at one time (s), what grows on the way among them (SI, by key)."""
        with self._answering():
            put, growing = self._put_at(np.array([time])), self.program.growing
            found = {c: float(v[0]) for c, v in put.items()}
            if growing:
                found.update(zip(growing, map(float, self._grown_at(time)), strict=True))
        return found

    def program_at(self, time: float) -> Program:
        """What is solved at a time (s): its rig has each part on what carries it then."""
        if not self._stretches.marks:
            return self.program
        with self._answering():
            return self._stretches.program_at(self._found(time), time)

    def notes(self) -> list[Note]:
        """What is wrong with its hand-offs, as far as it was asked for."""
        return self._stretches.notes()

    @contextmanager
    def _answering(self) -> Iterator[None]:
        with self._alone:
            before, self._asked_by = self._asked_by, threading.get_ident()
            try:
                yield
            finally:
                self._asked_by = before

    # ── what takes long ────────────────────────────────────────────

    def ready(self, time: float) -> bool:
        """Whether a time (s) is answered at once, as all that takes long is found up to it; not
        while this same thread is being answered."""
        if self._asked_by == threading.get_ident() or not self._run_up.ready:
            return False
        stretches = self._stretches
        if stretches.marks and stretches.known <= stretches.place(time):
            return False
        return not self.program.growing or self._block_of(time) < len(self._begun)

    def reached(self) -> float:
        """Up to when all that takes long is found (s); the routine's length at most."""
        if not self._run_up.ready:
            return 0.0
        reached, stretches = self.routine.length, self._stretches
        if self.program.growing:
            reached = min(reached, len(self._begun) * _BLOCK / self._rate)
        if stretches.marks and stretches.known <= stretches.place(reached):
            reached = min(reached, stretches.begins(stretches.known))
        return reached

    def go_on(self) -> bool:
        """Find the next bit of what takes long; False where all of it is found, up to the end of
        the routine. Raises GremioError where whoever waits for it stops it."""
        end = self.routine.length
        if self.ready(end):
            return False
        with self._answering():
            stretches = self._stretches
            if not self._run_up.ready:
                self._run_up.prepare()
            elif self.program.growing and len(self._begun) <= self._block_of(end):
                self._totals(max(len(self._begun) - 1, 0) * _BLOCK)
            else:
                self._found(stretches.begins(stretches.known))
        return True

    def _block_of(self, time: float) -> int:
        return int(max(time, 0.0) * self._rate + _ON_STEP) // _BLOCK

    def _put_at(self, times: Array) -> dict[ChannelKey, Array]:
        """(F,) where inputs are put at times (F,), motors as far as they have come."""
        put = dict(inputs_at(self.routine, times))
        put.update(self._run_up.at(times))
        return put

    # ── which parts ride on what ───────────────────────────────────

    def _found(self, time: float) -> int:
        """Which stretch holds at a time (s), found if it was not yet."""
        stretches = self._stretches
        place = stretches.place(time)
        while stretches.known <= place:
            begin = stretches.begins(stretches.known)
            grown = self._grown_at(begin) if self.program.growing else np.zeros(0)
            self._go_on_until(begin, grown)
        return place

    def _go_on_until(self, time: float, grown: Array) -> None:
        """Find the stretches that begin at a time (s), at which so much has grown."""
        stretches = self._stretches
        while stretches.begins(stretches.known) <= time:
            check_not_stopped()
            begin = stretches.begins(stretches.known)
            put: dict[ChannelKey, npt.ArrayLike] = {**self._put_at(np.array([begin]))}
            put.update(zip(self.program.growing, map(float, grown), strict=True))
            program = stretches.program_at(stretches.known - 1, begin)
            pose = evaluate(program, put).frame(0)
            check_not_stopped()
            stretches.go_on(pose)

    # ── what grows on the way ──────────────────────────────────────

    def _grown_at(self, time: float) -> Array:
        """What grows, in the order of the program, at a time from the beginning (s)."""
        steps = max(time, 0.0) * self._rate
        step = int(steps + _ON_STEP)
        grown = self._totals(step)
        if steps - step <= _ON_STEP:
            return grown
        found: Array = self._grown_along(np.array([step / self._rate, time]), grown)[-1]
        return found

    def _totals(self, step: int) -> Array:
        """What grows, in the order of the program, at a step from the beginning."""
        block = step // _BLOCK
        if not self._begun:
            start = self.routine.start
            self._begun.append(
                np.array([start.get(channel, 0.0) for channel in self.program.growing])
            )
        while block not in self._blocks:
            check_not_stopped()
            # From the last that is known on; of those before only the beginnings are kept.
            number = min(block, len(self._begun) - 1)
            at = np.arange(number * _BLOCK, (number + 1) * _BLOCK + 1) / self._rate
            grown = self._grown_along(at, self._begun[number])
            if number + 1 == len(self._begun):
                self._begun.append(grown[-1])
            self._blocks[number] = grown
            while len(self._blocks) > _BLOCKS_KEPT:
                del self._blocks[next(iter(self._blocks))]
        found: Array = self._blocks[block][step % _BLOCK]
        return found

    def _grown_along(self, times: Array, grown: Array) -> Array:
        """(F, G) what grows at times (F,) in their order, of what had grown at the first of them.
        Each stretch is gone along for itself."""
        stretches, found = self._stretches, [grown]
        if not stretches.marks:
            return self._way(self.program, times, grown)
        edges = [times[0], *stretches.cuts(float(times[0]), float(times[-1])), times[-1]]
        for start, end in itertools.pairwise(map(float, edges)):
            self._go_on_until(start, grown)
            inner = times[(times > start) & (times < end)]
            along = np.array([start, *inner, end])
            place = stretches.place((start + end) / 2)
            if stretches.settling_counts(place):
                rows = [grown]
                for pair in itertools.pairwise(along):
                    program = stretches.program_at(place, float(pair[1]))
                    rows.append(self._way(program, np.array(pair), rows[-1])[-1])
                went = np.array(rows)
            else:
                went = self._way(stretches.stretch(place).program, along, grown)
            grown = went[-1]
            found += [*went[1:-1], *([grown] if end in times else [])]
        return np.array(found)

    def _way(self, program: Program, times: Array, grown: Array) -> Array:
        """(F, G) what grows at times (F,), from one to the next, as a program has it."""
        growing = self.program.growing
        way: dict[ChannelKey, npt.ArrayLike] = {**self._put_at(times)}
        way.update(zip(growing, map(float, grown), strict=True))
        poses = evaluate(program, way)
        check_not_stopped()
        rows = [program.channel_row[channel] for channel in growing]
        return poses.asked[rows].T.copy()


# As what is looked at again and again is asked for while it plays.
_RUNS: Bounded[tuple[int, int], tuple[Program, Routine, Run]] = Bounded(lambda _kept: 1, 8)


def check_held(program: Program, frames: float) -> None:
    """Refuse more frames at once than there is room for."""
    if frames * len(program.part_ids) > MOST_HELD:
        raise GremioError(
            f"{frames:,.0f} frames of {len(program.part_ids):,} parts are more than are held at "
            "once. Bake a stretch of the routine (played from … to …), fewer frames a second, or a "
            "CSV, which is written in pieces."
        )


def run_of(program: Program, routine: Routine) -> Run:
    """The run of a routine, kept while it is asked for again."""
    made = (program, routine)
    return _RUNS.of((id(program), id(routine)), lambda _at: (*made, Run(*made)))[2]


def routine_notes(program: Program, routine: Routine) -> list[Note]:
    """The notes of `unheard`, and what is wrong with hand-offs as far as the routine was solved."""
    return [*unheard(program, routine).values(), *run_of(program, routine).notes()]


_UNHEARD: Bounded[tuple[int, int], tuple[Program, Routine, dict[ChannelKey, Note]]] = Bounded(
    lambda _kept: 1, 16
)


def unheard(program: Program, routine: Routine) -> dict[ChannelKey, Note]:
    """What a routine says that moves nothing, by the key of the channel: keys of what is led by
    something else, and of numbers that no frame can have another value of."""
    made = (program, routine)
    return _UNHEARD.of((id(program), id(routine)), lambda _at: (*made, _unheard(*made)))[2]


def _unheard(program: Program, routine: Routine) -> dict[ChannelKey, Note]:
    rig, notes = program.rig, dict[ChannelKey, Note]()
    driven = {link.follower: link.rate for link in motors_of(program)}
    if routine.carried:
        notes.update(_seen_as_mounted(program))
    for channel, cam in routine.keys.items():
        name = full_label(rig, channel)
        row = program.channel_row.get(channel)
        if cam.stations and not is_sound(cam):
            text = f"Two keys of {name} stand at one time, so none of them counts. Move one."
        elif channel in driven:
            rate = full_label(rig, driven[channel])
            text = f"The keys of {name} move nothing: a motor drives it. Key {rate} instead."
        elif row is None:
            text = f"{name} can't be keyed: nothing reads it frame by frame. Let a control lead it."
        elif not program.inputs[row]:
            text = f"The keys of {name} move nothing: it is led. Key what leads it, or let it go."
        else:
            continue
        owner = owner_name(rig, split(channel)[0])
        notes[channel] = Note("key-unheard", owner, text, "warning")
    return notes


def _seen_as_mounted(program: Program) -> dict[ChannelKey, Note]:
    """Motors whose rate comes of where parts are: it is added up with each as it is mounted, and
    not on what carries it in turn."""
    rig, notes = program.rig, dict[ChannelKey, Note]()
    for link in motors_of(program):
        waiting, seen = [link.rate], {link.rate}
        while waiting:
            drive = program.drives.get(waiting.pop())
            if drive is None:
                continue
            for link_id in drive.links:
                above = rig.links.get(link_id)
                named = leads(above) if above is not None else ()
                if above is None or any(c in rig.parts or c in rig.measures for c in named):
                    name = full_label(rig, link.rate)
                    text = (
                        f"{name} comes of where parts are, and its motor adds it up with each as "
                        "it is mounted, not as it is carried in turn. Let a control lead it."
                    )
                    owner = owner_name(rig, split(link.follower)[0])
                    notes[link.rate] = Note("motor-as-mounted", owner, text, "warning")
            more = [c for c in drive.leads if c not in seen]
            seen.update(more)
            waiting += more
    return notes
