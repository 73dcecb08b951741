"""How far each control takes the machine before something is at a stop: found by solving."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array, Flags, Rows
from gremio.core.edit.controls import change_control
from gremio.core.inspect.finding import Finding, Mend
from gremio.core.problem import Note
from gremio.core.quantity import show_short
from gremio.core.remembered import Remembered
from gremio.core.rig import ids
from gremio.core.rig.channels import split
from gremio.core.rig.ids import NOTHING, ChannelKey, ThingId
from gremio.core.rig.model import Control, Rig
from gremio.core.rig.numbers import closure_label, full_label, label, owner_name, shown_unit
from gremio.core.rig.scales import shown
from gremio.core.solve.backward import inputs_above, led_channels
from gremio.core.solve.evaluate import evaluate, evaluate_channels
from gremio.core.solve.pose import Closed, Pose, Poses
from gremio.core.solve.program import Program
from gremio.core.solve.standing import Closing

# Into so many pieces the way is cut at first, and then again and again where a stop is met.
_STEPS, _CLOSER, _ROUNDS = 60, 12, 12
_BEYOND = 1e-9
# So near to its stop a channel of a linkage is at it (SI).
_AT_STOP = 1e-5


class Reach(NamedTuple):
    """Between what values (SI) a control can go, from home, before something holds the machine.

    low_by, high_by: key of the channel that is at its stop there, or id of a closure whose
    linkage reaches no farther; "" where the range ends first. stuck: key of a channel that is past
    its stop already at home; "" when none is.
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


def known_ends(program: Program, control: ThingId) -> tuple[float | None, float | None]:
    """Where the machine stops a control (by id) before its range ends, low and high, as far as
    that has been found already; None where it does not."""
    known = _REACHES.of(program, dict).get(control)
    if known is None:
        return None, None
    reach = known[1]
    return reach.low if reach.low_by else None, reach.high if reach.high_by else None


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
    closes = any(c in program.loops for c in (control, *led_channels(program, control)))
    if (len(rows) == 0 and not closes) or not entry.low < entry.high:
        return Reach(entry.low, entry.high)
    home = min(max(entry.home, entry.low), entry.high)
    stuck = _first_past(program, control, rows, np.array([home]), others)
    if stuck[1]:
        return Reach(entry.low, entry.high, stuck=stuck[1])
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
    by: ChannelKey = NOTHING
    free, held = home, end
    for count in (_STEPS, *([_CLOSER] * _ROUNDS)):
        way = np.linspace(free, held, count)
        step, found = _first_past(program, control, rows, way, others)
        if not found:
            break
        by, free, held = found, float(way[max(step - 1, 0)]), float(way[step])
    return (free, by) if by else (end, NOTHING)


def _first_past(
    program: Program,
    control: ThingId,
    rows: Rows,
    way: Array,
    others: dict[ChannelKey, float],
) -> tuple[int, ChannelKey]:
    """Which value along values of a control is the first at which something is held, and by what
    (as Reach has it); (−1, "") where nothing is."""
    closed: list[Closed] = []
    found = evaluate_channels(program, {**others, control: way}, None, closed)
    # Where parts stand is not looked at, and takes longer than their channels.
    poses = Poses(program, *found[:2], np.empty((0, 0, 4, 4)), *found[2:], tuple(closed))
    past = _past_stops(poses, rows)
    frames = np.flatnonzero(past.any(axis=0))
    by: ChannelKey = NOTHING
    first = -1
    if len(frames):
        first = int(frames[0])
        by = program.channel_keys[rows[int(np.argmax(past[:, first]))]]
    for closing in poses.closing.values():
        held = np.flatnonzero(closing.gone < 1.0)
        if len(held) and closing.step.can_close and (first < 0 or held[0] <= first):
            first, by = int(held[0]), _held_by(poses, closing, int(held[0]))
    return first, by


def _past_stops(poses: Poses, rows: Rows) -> Flags:
    """(n, F) whether channels, by row, are asked past a stop."""
    program = poses.program
    low, high = (np.repeat(end[:, None], poses.frames, axis=1) for end in program.asked_range)
    for held, ends in program.led_ends.items():
        for bound, row in zip((low, high), ends, strict=True):
            if row >= 0:
                bound[held] = poses.channels[row]
    past: Flags = (poses.asked > high + _BEYOND)[rows] | (poses.asked < low - _BEYOND)[rows]
    return past


def _held_by(poses: Poses, closing: Closing, frame: int) -> ChannelKey:
    """What holds a linkage in a frame: key of the channel that is at its stop, or the id of the
    linkage's first closure."""
    step = closing.step
    for place in step.found:
        value = float(poses.channels[step.rows[place], frame])
        if min(abs(value - step.low[place]), abs(value - step.high[place])) < _AT_STOP:
            return ChannelKey(step.loop.channels[place])
    return step.loop.closures[0]


def stands_still(poses: Poses, control: ThingId) -> list[Note]:
    """What a sweep of a control (by id) can't show: from where on the machine is held."""
    program, rig = poses.program, poses.program.rig
    entry, values = rig.controls[control], poses.channel(control)
    past = _past_stops(poses, _stopped_rows(program, control))
    held = past.any(axis=0)
    for closing in poses.closing.values():
        held |= closing.gone < 1.0
    if not held.any():
        return []
    reach = reach_of(program, control)
    words = told(rig, control, reach) or "something holds the machine"
    first, last = (shown(entry, float(values[i])) for i in np.flatnonzero(held)[[0, -1]])
    text = (
        f"{entry.name} is held between {first} and {last}, {held.mean():.0%} of its travel: "
        f"{words}. What is written stands still there. Let its range end where the machine does, "
        "on its Card."
    )
    return [Note("travel-held", entry.name, text, "warning")]


def told(rig: Rig, control: ThingId, reach: Reach) -> str:
    """What holds a control first: "Paddle, east stops it at 7.2 turns"; "" for nothing."""
    entry = rig.controls[control]
    if reach.stuck:
        return f"{_name_of(rig, reach.stuck)} is held already at home"
    if reach.low_by and reach.low_by == reach.high_by:
        both = f"{shown(entry, reach.low)} and {shown(entry, reach.high)}"
        return f"{_name_of(rig, reach.low_by)} stops it at {both}"
    ends = [(reach.high, reach.high_by), (reach.low, reach.low_by)]
    return " and ".join(
        f"{_name_of(rig, by)} stops it at {shown(entry, at)}" for at, by in ends if by
    )


def _name_of(rig: Rig, by: ChannelKey) -> str:
    closure = rig.closures.get(ids.thing(by))
    return label(rig, by) if closure is None else f"the reach of {closure_label(rig, closure)}"


def held_names(program: Program, by: ChannelKey) -> set[str]:
    """Of which parts a pose tells what holds a control, by the key that a Reach has it by: of the
    stopped one's own, and of the first of the linkage that it is in."""
    rig = program.rig
    loop = program.loops.get(by)
    first = loop.closures[0] if loop is not None else ids.thing(by)
    closure = rig.closures.get(first)
    names = {owner_name(rig, split(by)[0])} if by not in rig.closures else set()
    return names | ({rig.parts[closure.one].name} if closure is not None else set())


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
    ends = (reach.low_by, reach.high_by)
    return any(rows[by] in program.led_ends for by in ends if by in rows)


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
    if channel not in program.channel_row:
        text = f"With {entry.name} at home, {_name_of(rig, channel)} is past its end already."
        return Finding(Note("control-stuck", entry.name, text, "warning"))
    text = (
        f"With {entry.name} at home, {full_label(rig, channel)} is past its stop "
        f"({' and '.join(ends)}) already. Move the stop, or where the link starts."
    )
    return Finding(Note("control-stuck", entry.name, text, "warning"))


def _stopped(rig: Rig, control: ThingId, entry: Control, reach: Reach) -> Finding:
    words = told(rig, control, reach)
    text = (
        f"{words[0].upper()}{words[1:]}, before the range of {entry.name} ends "
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
