"""Measurements of routines and motors."""

from __future__ import annotations

import numpy as np
from measuring import Row, against

from gremio.core.motion.keys import inputs_at
from gremio.core.motion.routines import Run
from gremio.core.motion.run_up import RunUp, motors_of
from gremio.core.rig.ids import CLOCK
from gremio.core.rig.model import Cam, Control, Follower, Joint, Motor, Part, Rig, Routine, Station
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.demo.saltmarsh import saltmarsh_lock


def over_time() -> list[Row]:
    """(n) A routine on the demo, and the running totals of many motors."""
    return [_routine(), _motors(1_000, 10_000)]


def _routine() -> Row:
    rig = saltmarsh_lock()
    program = compile_rig(rig, geometry_of)
    (routine,) = rig.routines.values()
    times = np.arange(240) / 24
    inputs = inputs_at(routine, times)
    mine, other = against(
        lambda: Run(program, routine).at(times), lambda: evaluate(program, inputs), 4
    )
    return (
        "(n) 240 frames of the demo's routine, what rolls followed from its beginning",
        "the same inputs solved at once, without a routine",
        f"{mine * 1e3:.0f} ms", f"{other * 1e3:.0f} ms", f"{mine / other:.2f} ×",
    )  # fmt: skip


def _many_motors(count: int, frames: int) -> tuple[Rig, np.ndarray]:
    """A rig of motors whose levers are keyed, and the times of a routine's frames."""
    rng = np.random.default_rng(16)
    length = frames / 25
    parts = {f"p{i}": Part(f"Part {i}", joint=Joint("spin", "z")) for i in range(count)}
    controls = {f"c{i}": Control(f"Lever {i}", "rate", "turn/s", -20.0, 20.0) for i in range(count)}
    links = {f"k{i}": Motor(f"p{i} turn z", f"c{i}") for i in range(count)}
    keys = {}
    for i in range(count):
        at = (0.0, *np.sort(rng.uniform(0, length, 2)), length)
        stations = (Station(float(t), {f"c{i}": float(rng.uniform(-15, 15))}) for t in at)
        keys[f"c{i}"] = Cam(CLOCK, (Follower(f"c{i}"),), tuple(stations))
    routine = Routine("Long", length, keys=keys)
    rig = Rig(parts=parts, controls=controls, links=links, routines={"t1": routine})
    return rig, np.linspace(0.0, length, frames)


def _motors(count: int, frames: int) -> Row:
    rig, times = _many_motors(count, frames)
    program = compile_rig(rig, geometry_of)
    (routine,) = rig.routines.values()
    said = inputs_at(routine, times)
    samples = np.array([said[link.rate] for link in motors_of(program)])

    def totals() -> np.ndarray:
        return np.array(list(RunUp(program, routine).at(times).values()))

    # The trapezia of so many samples come near the exact totals.
    step = times[1] - times[0]
    near = np.cumsum((samples[:, 1:] + samples[:, :-1]) / 2, axis=1)[:, -1] * step
    assert np.abs(totals()[:, -1] - near).max() < 1e-3 * np.abs(near).max()
    mine, other = against(totals, lambda: np.cumsum(samples, axis=1), 2)
    return (
        f"(n) running totals of {count:,} motors of four keys over {frames:,} frames, exact",
        "`numpy.cumsum` of samples that are there already",
        f"{mine * 1e3:.0f} ms", f"{other * 1e3:.0f} ms", f"{mine / other:.1f} ×",
    )  # fmt: skip
