"""Asking a rig for its pose by names and typed values."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array
from gremio.core.edit.builder import Typed, values_by_key
from gremio.core.edit.controls import set_values
from gremio.core.edit.numbers import set_number
from gremio.core.problem import GremioError
from gremio.core.quantity import LARGEST, show_short
from gremio.core.rig import ids
from gremio.core.rig.find import channel_key, control_id
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.links import followers, link_label
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import closure_label, full_label, is_put
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.backward import drive_line
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate, rolled_on
from gremio.core.solve.pose import Pose, Poses
from gremio.core.solve.program import Program


def solve(rig: Rig, values: Mapping[str, Typed] | None = None, *, geometry: GeometryOf) -> Pose:
    """The pose of a rig: as it stands, with some controls or channels put elsewhere.

    geometry: finds the surface of a solid, for what sits on it. values: by name ("Upper gates",
    "Paddle, east move z"), typed ("46 deg") or SI. Wheels roll, and carriages drive, the
    straight way there from where the rig stands.
    Raises NotFound for an unknown name, QuantityError for a wrong unit, GremioError for a
    channel that a link leads.
    """
    rig, values = _with_home_numbers(rig, values or {})
    program = compile_rig(rig, geometry)
    return evaluate(program, _put(program, values)).frame(0)


def posed(rig: Rig, values: Mapping[str, Typed], *, geometry: GeometryOf) -> Rig:
    """The rig standing as `solve` puts it. Raises as `solve` does."""
    rig, values = _with_home_numbers(rig, values)
    return set_values(rig, _put(compile_rig(rig, geometry), values))


def _with_home_numbers(rig: Rig, values: Mapping[str, Typed]) -> tuple[Rig, Mapping[str, Typed]]:
    """The rig with those of some values, by name, that are numbers of its things, and the rest.
    What a link leads is left for its message."""
    led = {c for link in rig.links.values() for c in followers(link)}
    rest = dict(values)
    for channel, value in values_by_key(rig, values).items():
        if not is_put(rig, channel) and channel not in led:
            rig = set_number(rig, channel, value)
            rest = {n: v for n, v in rest.items() if channel_key(rig, n) != channel}
    return rig, rest


def _put(program: Program, values: Mapping[str, Typed]) -> dict[ChannelKey, float]:
    rig = program.rig
    asked = values_by_key(rig, values)
    for channel in asked:
        if not program.inputs[program.channel_row[channel]]:
            raise GremioError(_is_led(program, channel))
    return rolled_on(program, rig.at, {**rig.at, **asked})


def _is_led(program: Program, channel: ChannelKey) -> str:
    rig, link = program.rig, program.link(channel)
    locked = next((note for note in program.faults if note.code == "train-locked"), None)
    line = drive_line(program, channel)
    if locked is not None and not program.inputs[program.channel_row[line[0]]]:
        return f"{full_label(rig, channel)} can't be moved. {locked.text}"
    closure = rig.closures.get(program.drives[channel].links[0])
    other = closure_label(rig, closure) if closure is not None else "its own screw"
    told = link_label(rig, link) if link else other
    text = f"{full_label(rig, channel)} is led by {told}."
    inputs = [c for c in line if c != channel]
    return f"{text} Set {full_label(rig, inputs[0])} instead." if inputs else text


def run(
    rig: Rig,
    values: Mapping[str, Sequence[float] | npt.ArrayLike],
    *,
    geometry: GeometryOf,
) -> Poses:
    """The poses of many frames at once.

    values: by name, (F,) values in SI or one value for all frames. Rolling wheels roll the
    straight way from where the rig stands to the first frame, and on from frame to frame.
    Raises NotFound, GremioError.
    """
    program = compile_rig(rig, geometry)
    asked: dict[ChannelKey, Any] = dict(rig.at)
    for name, given in values.items():
        channel = channel_key(rig, name)
        if not program.inputs[program.channel_row[channel]]:
            raise GremioError(_is_led(program, channel))
        asked[channel] = np.asarray(given, dtype=float)
        wild = ~(np.abs(asked[channel]) <= LARGEST)
        if np.any(wild):
            first = float(np.ravel(asked[channel])[np.ravel(wild)][0])
            raise GremioError(f"The values for {name} are not all plain numbers: one is {first:g}.")
    lengths = {np.size(v) for v in asked.values()} - {1}
    if len(lengths) > 1:
        raise GremioError(f"The values have different lengths: {sorted(lengths)}.")
    return _from_here(program, asked)


def _from_here(program: Program, asked: dict[ChannelKey, Any]) -> Poses:
    """Many frames, after the way from where the rig stands to the first of them."""
    first = {channel: float(np.ravel(given)[0]) for channel, given in asked.items()}
    start = rolled_on(program, program.rig.at, first)
    grown = {channel: value for channel, value in start.items() if channel not in asked}
    kept = {channel: start[channel] for channel in program.growing if channel in asked}
    return evaluate(program, {**asked, **grown, **kept})


def sweep(rig: Rig, control: str, steps: int = 101, *, geometry: GeometryOf) -> Poses:
    """The poses along the whole range of a control, all else as it stands.

    control: its name. steps: how many poses, at least 2, from low to high.
    geometry: as of `solve`.
    Raises NotFound, or GremioError when there are too few steps or no range.
    """
    if steps < 2:
        raise GremioError(f"A sweep of {control} needs two steps at least, not {steps}.")
    control_key = control_id(rig, control)
    check_range(rig, control_key)
    return sweep_program(compile_rig(rig, geometry), control_key, steps)


def sweep_program(program: Program, control_key: ChannelKey, steps: int) -> Poses:
    """The poses of a program along the range of the control with this key."""
    entry = program.rig.controls[ids.thing(control_key)]
    return along(program, control_key, np.linspace(entry.low, entry.high, steps))


def along(program: Program, control_key: ChannelKey, travel: Array) -> Poses:
    """The poses of a program at values (F,) of the control with this key (SI), one after another,
    all else as it stands."""
    return through(program, {control_key: travel})


def through(program: Program, values: Mapping[ChannelKey, Array]) -> Poses:
    """The poses of a program at values (F,) of several inputs (SI, by key), one after another, all
    else as it stands."""
    return _from_here(program, {**program.rig.at, **values})


def check_range(rig: Rig, control_key: ChannelKey) -> None:
    """Raise GremioError where a control has no range to go along."""
    entry = rig.controls[ids.thing(control_key)]
    if not entry.low < entry.high:
        end = show_short(entry.low, entry.unit)
        raise GremioError(
            f"{entry.name} has an empty range at {end}, so there is nothing to sweep."
        )


def moving_channels(poses: Poses, control_key: ChannelKey) -> list[ChannelKey]:
    """Keys of the channels that are not the same in every frame, the control left out."""
    changes = np.ptp(poses.channels, axis=1) > 0
    return [
        channel
        for channel, moves in zip(poses.program.channel_keys, changes, strict=True)
        if moves and channel != control_key
    ]
