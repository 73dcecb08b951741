"""How far each control takes the machine before something is at a stop: found by solving."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array, Rows
from gremio.core.edit.controls import change_control
from gremio.core.inspect.finding import Finding, Mend
from gremio.core.problem import Note
from gremio.core.quantity import show_short
from gremio.core.remembered import Remembered
from gremio.core.rig.ids import NOTHING, ChannelKey, ThingId
from gremio.core.rig.model import Control, Rig
from gremio.core.rig.numbers import full_label, label, shown_unit
from gremio.core.rig.scales import shown
from gremio.core.solve.backward import inputs_above, led_channels
from gremio.core.solve.evaluate import evaluate, evaluate_channels
from gremio.core.solve.pose import Pose
from gremio.core.solve.program import Program

# Into so many pieces the way is cut at first, and then again and again where a stop is met.
_STEPS, _CLOSER, _ROUNDS = 60, 12, 12
_BEYOND = 1e-9


class Reach(NamedTuple):
    """Between what values (SI) a control can go, from home, before a stop holds the machine.

    low_by, high_by: key of the channel that is at its stop there; "" where the range ends
    first. stuck: key of a channel that is past its stop already at home; "" when none is.
    """

    low: float
    high: float
    low_by: ChannelKey = NOTHING
    high_by: ChannelKey = NOTHING
    stuck: ChannelKey = NOTHING


# Of each control, where what leads stops stood when its reach was found, and the reach.
_REACHES: Remembered[dict[ThingId, tuple[dict[ChannelKey, float], Reach]]] = Remembered()


def reach_of(program: Program, control: ThingId, pose: Pose | None = None) -> Reach:
    """How far a control (by id) can go from home, all else at home; with a pose, what leads stops
    where it is there. A program remembers it."""
    others = {} if pose is None else _leading_stops(program, control, pose)
    known = _REACHES.of(program, dict)
    if control not in known or known[control][0] != others:
        known[control] = others, _reach(program, control, others)
    return known[control][1]


def _leading_stops(program: Program, control: ThingId, pose: Pose) -> dict[ChannelKey, float]:
    """The inputs, but the control itself, that stops are led from, as they stand."""
    ends = [
        program.channel_keys[row] for led in program.led_ends.values() for row in led if row >= 0
    ]
    found = {c for end in ends for c in inputs_above(program, end) if c != control}
    return {c: pose.at(c) for c in sorted(found)}


def _reach(program: Program, control: ThingId, others: dict[ChannelKey, float]) -> Reach:
    entry = program.rig.controls[control]
    rows = _stopped_rows(program, control)
    if len(rows) == 0 or not entry.low < entry.high:
        return Reach(entry.low, entry.high)
    home = min(max(entry.home, entry.low), entry.high)
    stuck = _first_past(program, control, rows, np.array([home]), others)
    if stuck[1] >= 0:
        return Reach(entry.low, entry.high, stuck=program.channel_keys[stuck[1]])
    low, low_by = _outward(program, control, rows, (home, entry.low), others)
    high, high_by = _outward(program, control, rows, (home, entry.high), others)
    return Reach(low, high, low_by, high_by)


def _stopped_rows(program: Program, control: ChannelKey) -> Rows:
    """Rows of the channels that a control leads and that have a stop."""
    rows = [program.channel_row[c] for c in led_channels(program, control)
            if c in program.channel_row]  # fmt: skip
    found = np.array(sorted(rows), dtype=np.intp)
    led = np.isin(found, list(program.led_ends))
    return found[np.isfinite(program.low[found]) | np.isfinite(program.high[found]) | led]


def _outward(
    program: Program,
    control: ThingId,
    rows: Rows,
    ends: tuple[float, float],
    others: dict[ChannelKey, float],
) -> tuple[float, ChannelKey]:
    """The last value on the way from home to an end at which nothing is past a stop, and the
    channel that is then held; the end itself when nothing is. Each round looks at the part of
    the way in which it was found, more closely."""
    home, end = ends
    if home == end:
        return end, NOTHING
    free, held, row = home, end, -1
    for count in (_STEPS, *([_CLOSER] * _ROUNDS)):
        way = np.linspace(free, held, count)
        step, found = _first_past(program, control, rows, way, others)
        if found < 0:
            break
        row, free, held = found, float(way[max(step - 1, 0)]), float(way[step])
    return (end, NOTHING) if row < 0 else (free, program.channel_keys[row])


def _first_past(
    program: Program,
    control: ThingId,
    rows: Rows,
    way: Array,
    others: dict[ChannelKey, float],
) -> tuple[int, int]:
    """(which value, channel row) first asked past a stop along values of a control; (−1, −1)."""
    channels, asked = evaluate_channels(program, {**others, control: way})[:2]
    low, high = (np.repeat(end[:, None], len(way), axis=1) for end in program.asked_range)
    for held, ends in program.led_ends.items():
        for bound, row in zip((low, high), ends, strict=True):
            if row >= 0:
                bound[held] = channels[row]
    past = (asked > high + _BEYOND)[rows] | (asked < low - _BEYOND)[rows]
    frames = np.flatnonzero(past.any(axis=0))
    if len(frames) == 0:
        return -1, -1
    frame = int(frames[0])
    return frame, int(rows[int(np.argmax(past[:, frame]))])


def told(rig: Rig, control: ThingId, reach: Reach) -> str:
    """The stop that a control comes to first: "Paddle, east stops it at 7.2 turns"; "" for
    none."""
    entry = rig.controls[control]
    if reach.stuck:
        return f"{label(rig, reach.stuck)} is held already at home"
    ends = [(reach.high, reach.high_by), (reach.low, reach.low_by)]
    return " and ".join(f"{label(rig, by)} stops it at {shown(entry, at)}" for at, by in ends if by)


def reach_findings(rig: Rig, program: Program) -> Iterator[Finding]:
    """Notes on controls that lead nothing, and on those that come to a stop in their range."""
    seconds = {entry.across for entry in rig.controls.values() if entry.make == "pad"}
    for control, entry in rig.controls.items():
        if not led_channels(program, control):
            if control not in seconds:
                yield _leads_nothing(entry)
            continue
        reach = reach_of(program, control)
        if reach.stuck:
            yield _stuck(rig, program, entry, reach.stuck)
        elif (reach.low_by or reach.high_by) and not ends_at_led_stop(program, reach):
            yield _stopped(rig, control, entry, reach)


def ends_at_led_stop(program: Program, reach: Reach) -> bool:
    """Whether a stop that ends a reach is led: then it is not where the range should end."""
    rows = program.channel_row
    return any(rows[by] in program.led_ends for by in (reach.low_by, reach.high_by) if by)


def _leads_nothing(entry: Control) -> Finding:
    text = (
        f"{entry.name} leads nothing. Select it and press L to lead something, T to teach it, or "
        "remove it."
    )
    return Finding(Note("control-idle", entry.name, text, "info"))


def _stuck(rig: Rig, program: Program, entry: Control, channel: ChannelKey) -> Finding:
    unit = shown_unit(rig, channel)
    home = evaluate(program, {}).frame(0)
    ends = [show_short(end, unit) for end in home.ends(channel) if np.isfinite(end)]
    text = (
        f"With {entry.name} at home, {full_label(rig, channel)} is past its stop "
        f"({' and '.join(ends)}) already. Move the stop, or where the link starts."
    )
    return Finding(Note("control-stuck", entry.name, text, "warning"))


def _stopped(rig: Rig, control: ThingId, entry: Control, reach: Reach) -> Finding:
    text = (
        f"{told(rig, control, reach)}, before the range of {entry.name} ends "
        f"({shown(entry, entry.low)} to {shown(entry, entry.high)})."
    )
    fitted = with_range(entry, reach)
    words = f"let its range be {shown(fitted, fitted.low)} to {shown(fitted, fitted.high)}"
    mend = Mend(words, partial(change_control, control_id=control, control=fitted))
    return Finding(Note("control-stopped", entry.name, text, "info"), (mend,))


def with_range(entry: Control, reach: Reach) -> Control:
    """A control whose range ends where the machine does; notches beyond are left out."""
    inside = [i for i, n in enumerate(entry.notches) if reach.low <= n <= reach.high]
    if entry.make == "switch" and len(inside) < 2:
        inside = list(range(len(entry.notches)))
    return replace(
        entry,
        low=reach.low,
        high=reach.high,
        notches=tuple(entry.notches[i] for i in inside),
        positions=tuple(entry.positions[i] for i in inside if i < len(entry.positions)),
    )
