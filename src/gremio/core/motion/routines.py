"""A routine, evaluated to inputs for the times asked, and solved.

Nothing is remembered from one time to the next: what grows on the way (wheels that roll, carriages
that are driven) is computed from the routine's own beginning at a fixed inner step, so that the
same time gives the same pose, whatever was asked before, or with it.
"""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array
from gremio.core.motion.keys import inputs_at, is_sound
from gremio.core.motion.run_up import RunUp, motors_of
from gremio.core.problem import GremioError, Note, NotFound
from gremio.core.remembered import Bounded
from gremio.core.rig.channels import split
from gremio.core.rig.find import nothing_called
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.model import Rig, Routine
from gremio.core.rig.numbers import full_label, owner_name
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.patience import may_go_on
from gremio.core.solve.pose import Poses
from gremio.core.solve.program import Program

# What grows is computed so often a second at least, and in blocks of so many steps, each of which
# begins where the one before ended.
_INNER = 120
_BLOCK = 512
_ON_STEP = 1e-9


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
    """A routine made ready to be solved at any times. program: of its rig."""

    def __init__(self, program: Program, routine: Routine) -> None:
        self.program, self.routine = program, routine
        rate = routine.rate[0] / routine.rate[1]
        # Frames lie on steps, so that what is baked needs no more than is kept.
        self._rate = rate * max(1, math.ceil(_INNER / rate))
        self._grown: list[Array] = []
        self._run_up = RunUp(program, routine)

    def at(self, times: npt.ArrayLike) -> Poses:
        """The poses at times (F,) from the routine's beginning (s), in their order. Raises
        GremioError where whoever waits for it stops it."""
        t = np.atleast_1d(np.asarray(times, dtype=float))
        if not np.isfinite(t).all():
            raise GremioError("A routine is asked at a time that is no plain number.")
        inputs: dict[ChannelKey, npt.ArrayLike] = dict(inputs_at(self.routine, t))
        inputs.update(self._run_up.at(t))
        growing = self.program.growing
        if growing:
            grown = np.array([self._grown_at(float(time)) for time in t]).T
            inputs.update(zip(growing, grown, strict=True))
        return evaluate(self.program, inputs, apart=True)

    def inputs(self, time: float) -> dict[ChannelKey, float]:
        """Where all inputs are at one time (s), what grows on the way among them (SI, by key)."""
        found = {c: float(values[0]) for c, values in inputs_at(self.routine, [time]).items()}
        ran = self._run_up.at(np.array([time]))
        found.update({channel: float(values[0]) for channel, values in ran.items()})
        growing = self.program.growing
        if growing:
            found.update(zip(growing, map(float, self._grown_at(time)), strict=True))
        return found

    def _grown_at(self, time: float) -> Array:
        """What grows, in the order of the program, at a time from the beginning (s)."""
        program = self.program
        steps = max(time, 0.0) * self._rate
        step = int(steps + _ON_STEP)
        grown = self._totals(step)
        if steps - step <= _ON_STEP:
            return grown
        ends = np.array([step / self._rate, time])
        way: dict[ChannelKey, npt.ArrayLike] = dict(inputs_at(self.routine, ends))
        way.update(self._run_up.at(ends))
        way.update(zip(program.growing, map(float, grown), strict=True))
        last = evaluate(program, way)
        rows = [program.channel_row[channel] for channel in program.growing]
        found: Array = last.asked[rows, -1]
        return found

    def _totals(self, step: int) -> Array:
        """What grows, in the order of the program, at a step from the beginning."""
        block = step // _BLOCK
        growing = self.program.growing
        while len(self._grown) <= block:
            if not may_go_on():
                raise GremioError("Following the routine was stopped. Ask for less of it.")
            number = len(self._grown)
            at = np.arange(number * _BLOCK, (number + 1) * _BLOCK + 1) / self._rate
            way: dict[ChannelKey, npt.ArrayLike] = dict(inputs_at(self.routine, at))
            way.update(self._run_up.at(at))
            for place, channel in enumerate(growing):
                start = self.routine.start.get(channel, 0.0)
                way[channel] = float(self._grown[-1][-1, place]) if self._grown else start
            poses = evaluate(self.program, way)
            rows = [self.program.channel_row[channel] for channel in growing]
            self._grown.append(poses.asked[rows].T.copy())
        found: Array = self._grown[block][step % _BLOCK]
        return found


# As what is looked at again and again is asked for while it plays.
_RUNS: Bounded[tuple[int, int], tuple[Program, Routine, Run]] = Bounded(lambda _kept: 1, 8)


def run_of(program: Program, routine: Routine) -> Run:
    """The run of a routine, kept while it is asked for again."""
    made = (program, routine)
    return _RUNS.of((id(program), id(routine)), lambda _at: (*made, Run(*made)))[2]


def routine_notes(program: Program, routine: Routine) -> list[Note]:
    """The notes of `unheard`."""
    return list(unheard(program, routine).values())


def unheard(program: Program, routine: Routine) -> dict[ChannelKey, Note]:
    """What a routine says that moves nothing, by the key of the channel: keys of what is led by
    something else, and of numbers that no frame can have another value of."""
    rig, notes = program.rig, dict[ChannelKey, Note]()
    driven = {link.follower: link.rate for link in motors_of(program)}
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
