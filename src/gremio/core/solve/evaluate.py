"""Running a program: inputs in, every channel and every world frame out."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import numpy.typing as npt

from gremio.core.mechanics.profiles import value
from gremio.core.solve.pose import Poses
from gremio.core.solve.program import CamStep, JointStep, Program

Array = npt.NDArray[np.float64]
_AXIS = {"x": 0, "y": 1, "z": 2}
_OTHER_TWO = {"x": (1, 2), "y": (2, 0), "z": (0, 1)}


def evaluate(program: Program, inputs: Mapping[str, npt.ArrayLike]) -> Poses:
    """Every channel and every part for one set of inputs, or for many frames at once.

    inputs: values in SI by channel key: plain numbers, or (F,) arrays for F frames. What
    is not given is at home; what is led, or not in the rig, is not listened to.
    """
    frames = max((np.size(v) for v in inputs.values()), default=1)
    asked = np.repeat(program.home[:, None], frames, axis=1)
    for channel, given in inputs.items():
        row = program.channel_row.get(channel)
        if row is not None and program.inputs[row]:
            asked[row] = given
    channels = asked.copy()
    _stop(program, channels, slice(None))
    for step in program.link_steps:
        if isinstance(step, CamStep):
            asked[step.follower] = value(step.profile, channels[step.lead])
            rows: npt.NDArray[np.intp] | int = step.follower
        else:
            asked[step.followers] = channels[step.leads] * step.ratio + step.offset
            rows = step.followers
        channels[rows] = asked[rows]
        _stop(program, channels, rows)
    return Poses(program, channels, asked, _worlds(program, channels))


def _stop(program: Program, channels: Array, rows: npt.NDArray[np.intp] | int | slice) -> None:
    low, high = program.low[rows], program.high[rows]
    channels[rows] = np.clip(channels[rows], low[..., None], high[..., None])


def _worlds(program: Program, channels: Array) -> Array:
    """World frames (4, 3, P, F) as columns: three axes, then the origin."""
    frames = channels.shape[1]
    local = np.repeat(program.mounts, frames, axis=3) if frames > 1 else program.mounts.copy()
    for step in program.joint_steps:
        _apply(local, step, channels[step.rows])
    world = local
    for start, stop in program.levels[1:]:
        parent = world.take(program.parents[start:stop], axis=2)
        inner = local[:, :, start:stop]
        outer = np.empty_like(inner)
        for column in range(4):
            x, y, z = inner[column]
            np.multiply(parent[0], x, out=outer[column])
            outer[column] += parent[1] * y
            outer[column] += parent[2] * z
        outer[3] += parent[3]
        world[:, :, start:stop] = outer
    return world


def _apply(local: Array, step: JointStep, q: Array) -> None:
    """Put one channel of many parts behind their local frames. q: (k, F)."""
    verb, axis = step.channel.split()
    parts = step.parts
    if verb == "move":
        local[3][:, parts] += local[_AXIS[axis]][:, parts] * q
    elif verb == "turn":
        cos, sin = np.cos(q), np.sin(q)
        first, second = _OTHER_TWO[axis]
        a, b = local[first][:, parts], local[second][:, parts]
        turned = a * cos + b * sin
        local[second][:, parts] = b * cos - a * sin
        local[first][:, parts] = turned
    else:
        local[_AXIS[axis]][:, parts] *= q
