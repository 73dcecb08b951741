"""What the motors of a rig have come to over a routine, at any time of it."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array
from gremio.core.mechanics.profiles import Profile, all_cubic, extent, straight
from gremio.core.motion.keys import inputs_at, is_sound
from gremio.core.motion.motors import KeyedTotals, LimitedTotals, Totals
from gremio.core.motion.stopping import check_not_stopped
from gremio.core.remembered import Remembered
from gremio.core.rig.ids import CLOCK, ChannelKey
from gremio.core.rig.model import Motor, Routine
from gremio.core.solve.cam_steps import cam_profile
from gremio.core.solve.evaluate import evaluate_channels
from gremio.core.solve.pose import Pose
from gremio.core.solve.program import Program

_Totals = KeyedTotals | Totals | LimitedTotals


_MOTORS: Remembered[list[Motor]] = Remembered()


def motors_of(program: Program) -> list[Motor]:
    """The motors of its rig whose rate and follower are computed."""
    row = program.channel_row
    return _MOTORS.of(program, lambda: [
        link for link in program.rig.links.values()
        if isinstance(link, Motor) and link.rate in row and link.follower in row
    ])  # fmt: skip


def adding_up(program: Program) -> tuple[ChannelKey, ...]:
    """Keys of the channels that go on from where they are: what rolls, what goes round with it, and
    what motors drive."""
    return (*program.growing, *(link.follower for link in motors_of(program)))


def start_of(pose: Pose) -> dict[ChannelKey, float]:
    """The start (SI, by key) of a routine that begins as all stands in a pose: motors add their
    phase to it."""
    program = pose.program
    rows = enumerate(program.channel_keys)
    found = {c: pose.put_at(c) for row, c in rows if program.inputs[row] and c != CLOCK}
    for link in motors_of(program):
        found[link.follower] = found.get(link.follower, 0.0) - link.phase
    return found


class RunUp:
    """The running totals of the motors of a program's rig over a routine."""

    def __init__(self, program: Program, routine: Routine) -> None:
        self.program, self.routine = program, routine
        self.motors = motors_of(program)
        # The totals of some motors each, and which of them they are; made when first asked for.
        self._parts: list[tuple[list[int], _Totals]] | None = None

    @property
    def ready(self) -> bool:
        """Whether what is asked is there at once."""
        return not self.motors or self._parts is not None

    def prepare(self) -> None:
        """Add up what motors do over the routine. Raises GremioError where it is stopped."""
        self._totals(np.zeros(1))

    def at(self, times: Array) -> dict[ChannelKey, Array]:
        """What motors have come to at times (F,), s: (F,) by key of the follower."""
        if not self.motors:
            return {}
        length = self.routine.length
        found = self._totals(np.clip(times, 0.0, length))
        beyond = times > length
        if beyond.any():
            found[:, beyond] += self._beyond(times[beyond] - length)
        start = self.routine.start
        totals: dict[ChannelKey, Array] = {}
        for row, link in enumerate(self.motors):
            # More than one motor may drive a channel.
            found[row] += start.get(link.follower, 0.0) + link.phase
            if link.follower in totals:
                found[row] += totals[link.follower] - start.get(link.follower, 0.0)
            totals[link.follower] = found[row]
        return totals

    def _beyond(self, times: Array) -> Array:
        """(M, F) what is added so long (F,), s, after the first run through."""
        length, ends = self.routine.length, self.routine.ends
        if ends == "once":
            # The rates stay as they are at the end.
            last: Array = self._rates(self.motors, np.array([length])) * times
            for row, link in enumerate(self.motors):
                if link.spin_up:
                    last[row] = self._runs_on(row, float(last[row, 0] / (times[0] or 1.0)), times)
            return last
        rounds, rest = np.divmod(times, length)
        whole = self._totals(np.array([length]))
        if ends == "round":
            return whole * rounds + self._totals(rest)
        # Back and on again by turns; back first.
        back = rounds % 2 == 0
        part = self._totals(np.where(back, length - rest, rest))
        return whole * rounds + np.where(back, whole - part, part)

    def _runs_on(self, row: int, asked: float, times: Array) -> Array:
        """(F,) what a motor that spins up adds so long (F,), s, after the end, where so much is
        asked: it goes on after it, and then runs at it."""
        assert self._parts is not None
        rows, totals = next(part for part in self._parts if row in part[0])
        assert isinstance(totals, LimitedTotals)
        runs = float(totals.rates[rows.index(row), -1])
        most = self.motors[row].spin_up
        takes = abs(asked - runs) / most
        way = math.copysign(most, asked - runs)
        going = np.minimum(times, takes)
        return runs * going + way * going**2 / 2 + asked * (times - going)

    def _totals(self, times: Array) -> Array:
        """(M, F) the totals at times (F,), s, of the first run through."""
        if self._parts is None:
            self._parts = self._made()
        if len(self._parts) == 1:
            return self._parts[0][1].at(times)
        found = np.empty((len(self.motors), len(times)))
        for rows, totals in self._parts:
            found[rows] = totals.at(times)
        return found

    def _made(self) -> list[tuple[list[int], _Totals]]:
        limited = [row for row, link in enumerate(self.motors) if link.spin_up]
        said = [None if link.spin_up else self._profile(link) for link in self.motors]
        length, parts = self.routine.length, list[tuple[list[int], _Totals]]()
        if limited:
            slow = [self.motors[row] for row in limited]
            most = np.array([link.spin_up for link in slow])
            going = LimitedTotals(lambda times: self._rates(slow, times), most, length)
            parts.append((limited, going))
        keyed = [row for row, profile in enumerate(said) if profile is not None]
        if keyed:
            parts.append((keyed, KeyedTotals([p for p in said if p is not None])))
        others = [row for row, p in enumerate(said) if p is None and row not in limited]
        if others:
            links = [self.motors[row] for row in others]
            cuts = [s.lead for cam in self.routine.keys.values() for s in cam.stations]
            made = Totals(lambda times: self._rates(links, times), np.array(cuts), length)
            parts.append((others, made))
        return parts

    def _profile(self, link: Motor) -> Profile | None:
        """The rate of a motor over time, where its integral is known in closed form: nothing but
        keys, or home, says it, by cubics that stay within its range."""
        program, routine = self.program, self.routine
        row = program.channel_row[link.rate]
        if not program.inputs[row]:
            return None
        low, high = float(program.low[row]), float(program.high[row])
        cam = routine.keys.get(link.rate)
        if cam is None or not is_sound(cam):
            rate = routine.start.get(link.rate, float(program.home[row]))
            rate = min(max(rate, low), high)
            return straight([0.0, 1.0], [rate, rate])
        profile = cam_profile(cam, link.rate)
        least, most = extent(profile)
        return profile if all_cubic(profile) and low <= least and most <= high else None

    def _rates(self, links: list[Motor], times: Array) -> Array:
        """(M, N) what the rates of some motors are at times (N,), of the first run through."""
        inputs: dict[ChannelKey, npt.ArrayLike] = dict(inputs_at(self.routine, times))
        program = self.program
        rows = [program.channel_row[link.rate] for link in links]
        if not program.inputs[rows].all():
            channels = evaluate_channels(program, inputs, apart=True)[0]
            check_not_stopped()
            rates: Array = channels[rows]
            return rates
        # What keys say is asked of them, and nothing needs to be solved.
        found = []
        for row, link in zip(rows, links, strict=True):
            said = np.asarray(inputs.get(link.rate, program.home[row]), dtype=np.float64)
            ends = float(program.low[row]), float(program.high[row])
            found.append(np.clip(np.broadcast_to(said, times.shape), *ends))
        return np.array(found)
