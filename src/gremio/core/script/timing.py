"""Time from a script: routines, keys, and what is baked of them, by the names of things."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array
from gremio.core.edit.builder import Typed, values_by_key
from gremio.core.edit.hand_offs import hand_over as hand
from gremio.core.edit.links import add_link
from gremio.core.edit.routines import add_routine, set_keys
from gremio.core.frames import IDENTITY, Frame
from gremio.core.mechanics.clock import frame_times, rate_of, time_of_code
from gremio.core.motion.routines import check_held, routine_called, routine_notes, run_of
from gremio.core.problem import GremioError, Note
from gremio.core.quantity import Kind
from gremio.core.records import Record
from gremio.core.rig.find import channel_key, part_id
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Motor, ProfileKind, Rig, Routine, RoutineEnds, Rumble
from gremio.core.script.posing import surfaces_of
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.pose import Pose, Poses
from gremio.core.typed import parse

_TIME: Kind = "time"


def _seconds(time: Typed, what: str) -> float:
    return parse(time, _TIME, "s", what) if isinstance(time, str) else float(time)


def routine(
    rig: Rig,
    name: str,
    length: Typed = 10.0,
    *,
    rate: str | int = 25,
    ends: RoutineEnds = "once",
    start: Mapping[str, Typed] | None = None,
) -> Rig:
    """The rig with one more routine: routine(rig, "Boat through", "20 s", rate="29.97").

    length: typed, or in s. rate: frames a second. ends: "once", "round" or "to and fro". start:
    where inputs stand at its beginning, by name. Raises GremioError for what can't be.
    """
    made = Routine(
        name, _seconds(length, "The length"), rate_of(str(rate)), ends,
        start=values_by_key(rig, start or {}),
    )  # fmt: skip
    return add_routine(rig, made)[0]


def key(
    rig: Rig,
    time: Typed,
    values: Mapping[str, Typed],
    *,
    routine: str = "",
    profile: ProfileKind = "smooth",
) -> Rig:
    """The rig with keys at a time: key(rig, "2 s", {"Upper gates": "46 deg"}).

    time: typed, in s, or as a time code at the routine's rate: "00:00:02:00".
    values: by name, typed or in SI. routine: by name; the only one where none is said, and a new
    one where there is none yet. profile: between the keys of what has none so far. Raises NotFound,
    GremioError.
    """
    rig, found, at = _at_time(rig, time, routine)
    return set_keys(rig, found, at, values_by_key(rig, values), profile=profile)


def _at_time(rig: Rig, time: Typed, routine: str) -> tuple[Rig, ThingId, float]:
    """The rig with a routine, its id, and the time (s) of it that is meant."""
    if not rig.routines and not routine:
        rig, _ = add_routine(rig)
    found = routine_called(rig, routine)
    return rig, found, _time_in(rig.routines[found], time)


def _time_in(routine: Routine, time: Typed) -> float:
    """A time (s) of a routine, typed, in s, or as a time code at its rate."""
    if isinstance(time, str) and ":" in time:
        return time_of_code(time, routine.rate)
    return _seconds(time, "The time")


def hand_over(
    rig: Rig,
    time: Typed,
    part: str,
    carrier: str | None,
    *,
    routine: str = "",
    over: Typed = 0.0,
    place: Frame = IDENTITY,
) -> Rig:
    """The rig in which a part rides on another carrier from a time on: hand_over(rig, "2 s",
    "Signal lamp", "Crane hook"). It stays where it stands then, and rides on from there.

    time: as in `key`. carrier: a part by name; None for the ground. routine: by name; the only one
    where none is said, and a new one where there is none yet. over: how long it then takes to
    settle into a place of the carrier, typed or in s; 0: it stays. place: where its mount comes to
    then, in the carrier's frame. Raises NotFound, GremioError.
    """
    rig, found, at = _at_time(rig, time, routine)
    on = None if carrier is None else part_id(rig, carrier)
    takes = _seconds(over, "What it takes to settle")
    return hand(rig, found, part_id(rig, part), at, on, over=takes, place=place)


def motor(rig: Rig, rate: str, follower: str, *, phase: Typed = 0.0, spin_up: Typed = 0.0) -> Rig:
    """The rig in which a channel goes on by a rate: motor(rig, "Capstan speed", "Capstan turn z").

    rate: a channel by name, of turns in a time, a speed or so many a second. follower: one by name,
    a turn, a move or a number. phase: where it is at the beginning of a routine. spin_up: by how
    much the rate at which it runs can change in a second, typed as a rate; 0: at once. Raises
    NotFound, GremioError where their kinds do not go together.
    """
    found, lead = channel_key(rig, follower), channel_key(rig, rate)
    begin = values_by_key(rig, {follower: phase})[found]
    most = values_by_key(rig, {rate: spin_up})[lead]
    return add_link(rig, Motor(found, lead, begin, most))[0]


def rumble(
    rig: Rig,
    amount: str,
    shares: Mapping[str, Typed],
    *,
    speed: Typed = 8.0,
    seed: int = 1,
    smoothness: float = 0.5,
) -> Rig:
    """The rig in which channels are shaken by an amount: rumble(rig, "Engine", {"Pump house move
    z": "4 mm"}).

    amount: a number by name; at 0 nothing shakes. shares: how far each channel goes at most where
    the amount is 1 (SI), by name, typed or in SI. speed: of the slowest waves, typed or in Hz.
    seed: each channel has another from it on. smoothness: from 0 to 1. Raises NotFound,
    GremioError.
    """
    lead = channel_key(rig, amount)
    hertz = parse(speed, "frequency", "Hz", "The speed") if isinstance(speed, str) else float(speed)
    for place, (follower, share) in enumerate(values_by_key(rig, shares).items()):
        link = Rumble(follower, lead, share, hertz, seed + place, smoothness)
        rig = add_link(rig, link)[0]
    return rig


class Baked(Record, frozen=True):
    """A routine solved for its frames. times: (F,) s from its beginning. poses: at these. notes:
    what its keys could not move, and what was held in the first frames."""

    rig: Rig
    times: Array
    poses: Poses
    notes: tuple[Note, ...] = ()

    def __len__(self) -> int:
        return len(self.times)

    def __repr__(self) -> str:
        span = f"{self.times[0]:g} s to {self.times[-1]:g} s" if len(self.times) else "no time"
        return f"<{len(self.times)} frames of {self.rig.name}, {span}>"

    def velocity(self, name: str) -> Array:
        """(F,) how fast a channel (by name) changes, in SI a second. Raises NotFound."""
        return self.poses.velocity(name, self.times)

    def value(self, name: str) -> Array:
        """(F,) values (SI) of a channel, by name. Raises NotFound."""
        return self.poses.channel(channel_key(self.rig, name))

    def world(self, part: str) -> Array:
        """(F, 4, 4) the world frames of a part, by name. Raises NotFound."""
        names = {entry.name: i for i, entry in self.rig.parts.items()}
        if part not in names:
            channel_key(self.rig, part)
        worlds: Array = self.poses.worlds[:, self.poses.program.part_row[names[part]]]
        return worlds


def at_time(rig: Rig, time: Typed, routine: str = "") -> Pose:
    """Where everything stands at a time of a routine (by name; the only one where none is said):
    at_time(rig, "2.5 s"). time: as in `key`. Raises NotFound, GremioError."""
    entry = rig.routines[routine_called(rig, routine)]
    at = _time_in(entry, time)
    return run_of(compile_rig(rig, surfaces_of(rig)), entry).at([at]).frame(0)


def bake(
    rig: Rig,
    routine: str = "",
    *,
    times: npt.ArrayLike | None = None,
    rate: str | int | None = None,
) -> Baked:
    """A routine (by name; the only one where none is said) solved for its frames.

    times: (F,) s from its beginning, instead of its frames. rate: frames a second, instead of its
    own. Raises NotFound, GremioError for a time that is no plain number.
    """
    entry = rig.routines[routine_called(rig, routine)]
    if times is None:
        own = entry.rate if rate is None else rate_of(str(rate))
        times = frame_times(*(entry.play or (0.0, entry.length)), own)
    elif rate is not None:
        raise GremioError("Give times or a rate to bake at, not both.")
    at = np.atleast_1d(np.asarray(times, dtype=float))
    program = compile_rig(rig, surfaces_of(rig))
    check_held(program, len(at))
    poses = run_of(program, entry).at(at)
    return Baked(rig, at, poses, tuple(routine_notes(program, entry)))
