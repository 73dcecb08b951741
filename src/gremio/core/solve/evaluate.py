"""Running a program: inputs in, every channel and every world frame out."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array, Flags, Rows
from gremio.core.quantity import LARGEST
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.solve.constraint_steps import ConstraintBatch
from gremio.core.solve.course import others
from gremio.core.solve.frames import Finder, world_frames
from gremio.core.solve.pose import Closed, Poses
from gremio.core.solve.program import Program
from gremio.core.solve.reach_steps import ReachStep
from gremio.core.solve.steps import GROWING, CamsStep, FormulaStep, Level
from gremio.core.solve.tree import every_row
from gremio.core.solve.wants import Want

_SUBSTEPS = 24
# The way between two frames is looked at anew for so much of a turn (rad), but no oftener.
_A_PIECE, _MOST_PIECES = 0.5, 4000


def evaluate(
    program: Program,
    inputs: Mapping[ChannelKey, npt.ArrayLike],
    held: Mapping[ChannelKey, float] | None = None,
    *,
    apart: bool = False,
) -> Poses:
    """Every channel and every part for one set of inputs, or for many frames at once.

    inputs: values in SI by channel key: plain numbers, or (F,) arrays for F frames. What
    is not given is at home; what is led, or not in the rig, is not listened to. A rolling
    wheel stands where it is put in the first frame and rolls on from there, the straight way of
    the inputs from frame to frame.
    held: what a channel shows where its formula says nothing (a division by zero); its
    home where it is not given. An input that is no plain number stands at home, with a note.
    apart: each frame is for itself: what rolls or is driven stands where it is put in it.
    """
    found = _frames(program, inputs, held, apart)
    if apart or found.frames == 1 or not len(program.turning_under[0]):
        return found
    # What grows from frame to frame is looked at often enough to see every turn on the way.
    counts = _turning(program, found)
    if counts.max() == 1:
        return found
    place = np.concatenate([[0], np.cumsum(counts)])
    each = np.arange(place[-1] + 1)
    way = {
        channel: np.interp(each, place, np.ravel(values)) if np.size(values) > 1 else values
        for channel, values in inputs.items()
    }
    return _frames(program, way, held, apart).frames_at(place)


def _frames(
    program: Program,
    inputs: Mapping[ChannelKey, npt.ArrayLike],
    held: Mapping[ChannelKey, float] | None,
    apart: bool,
) -> Poses:
    closed: list[Closed] = []
    wants: dict[ThingId, Want] = {}
    channels, asked, undefined, put = evaluate_channels(
        program, inputs, held, closed, wants, apart=apart
    )
    worlds = world_frames(program, channels)
    return Poses(program, channels, asked, worlds, undefined, put, tuple(closed), wants)


def _turning(program: Program, poses: Poses) -> Rows:
    """(F − 1,) into how many pieces the way between two frames is cut, so that in none of them
    what a wheel rides on, or rolls over, turns by more than `_A_PIECE`."""
    rows, counts = program.turning_under
    turned = counts @ np.abs(np.diff(poses.channels[rows], axis=1))
    pieces = np.clip(np.ceil(turned / _A_PIECE), 1, _MOST_PIECES)
    return pieces.astype(np.intp)


def evaluate_channels(
    program: Program,
    inputs: Mapping[ChannelKey, npt.ArrayLike],
    held: Mapping[ChannelKey, float] | None = None,
    closed: list[Closed] | None = None,
    wants: dict[ThingId, Want] | None = None,
    *,
    apart: bool = False,
) -> tuple[Array, Array, dict[int, Flags], dict[int, Array]]:
    """`evaluate` without the world frames: channels and asked (C, F), undefined and put, as
    Poses has them. closed: filled with how loops close; wants: with what each constraint
    wants."""
    frames = max(map(_frames_of, inputs.values()), default=1)
    # What is led is written by the step that leads it, so only the rest is filled in here.
    given = program.given_rows
    asked = np.empty((len(program.home), frames))
    asked[given] = program.home[given, None]
    input_row = program.input_row
    for channel, values in inputs.items():
        row = input_row.get(channel)
        if row is not None:
            asked[row] = values
    undefined: dict[int, Flags] = {}
    channels = np.empty_like(asked)
    finder = Finder(program, channels)
    put: dict[int, Array] = {}
    for number, piece in enumerate(program.course):
        if piece.block is not None and piece.block.run(channels, asked) and not undefined:
            # What is no plain number stands at home, and is told.
            undefined.update(_at_home(program, asked))
            piece.block.run(channels, asked)
        if number == 0:
            rows = program.put_rows
            put = dict(zip(rows, asked[list(rows)], strict=True)) if rows else {}
        if (level := piece.gives) is not None:
            _run(level, finder, asked, apart)
            if level.sets or level.adds:
                _stand_in(program, level, channels, asked, held or {}, undefined)
            for constraints in level.constraints:
                found = _constrain(constraints, finder, asked)
                if wants is not None:
                    wants.update(found)
        if (level := piece.ends) is not None:
            _end(level, channels, asked, closed)
    return channels, asked, undefined, put


def _frames_of(values: npt.ArrayLike) -> int:
    """How many frames an input has values for."""
    if type(values) is float:
        return 1
    return values.size if type(values) is np.ndarray else np.size(values)


def _run(level: Level, finder: Finder, asked: Array, apart: bool) -> None:
    channels = finder.channels
    for train in others(level):
        train.run(channels, asked)
    for step in level.sets:
        where = step.where if isinstance(step, CamsStep | FormulaStep) else step.followers
        given = step.values(finder)
        asked[where] = given
        channels[where] = given
    for step in level.adds:
        if (apart or len(channels[0]) == 1) and isinstance(step, GROWING):
            # It has come to where it is put in each frame, and so it has in the only one.
            channels[step.followers] = asked[step.followers]
            continue
        # More than one link may add to a channel, so one after another.
        given = asked[step.followers] + step.values(finder)
        asked[step.followers] = given
        channels[step.followers] = given


def _at_home(program: Program, asked: Array) -> dict[int, Flags]:
    """Put at home what is asked for and is no plain number; returns in which frames, by row."""
    found: dict[int, Flags] = {}
    for row in every_row(program.given_rows):
        flags = ~(np.abs(asked[row]) <= LARGEST)
        if flags.any():
            asked[row, flags], found[int(row)] = program.home[row], flags
    return found


def _end(level: Level, channels: Array, asked: Array, closed: list[Closed] | None) -> None:
    """Hold what has stops that something leads, and close the level's loops."""
    if level.holds is not None:
        level.holds.run(channels)
    for batch in level.loops:
        gone, gap = batch.run(channels, asked)
        if closed is not None:
            closed.append((batch, gone, gap))


def _constrain(
    step: ConstraintBatch | ReachStep, finder: Finder, asked: Array
) -> dict[ThingId, Want]:
    """Let constraints give their channels; once, where all that they depend on stands still
    from frame to frame."""
    channels = finder.channels
    frames = channels.shape[1]
    read = channels[step.reads]
    if frames == 1 or bool((read != read[:, :1]).any()):
        return step.run(finder, asked)
    one, asked_one = Finder(finder.tree, channels[:, :1].copy()), asked[:, :1].copy()
    found = step.run(one, asked_one)
    rows = step.followers
    channels[rows], asked[rows] = one.channels[rows], asked_one[rows]
    return {i: want.spread(frames) for i, want in found.items()}


def _stand_in(
    program: Program,
    level: Level,
    channels: Array,
    asked: Array,
    held: Mapping[ChannelKey, float],
    undefined: dict[int, Flags],
) -> None:
    """Put a value where a formula says nothing, and remember in which frames."""
    for step in (*level.sets, *level.adds):
        if not isinstance(step, FormulaStep):
            continue
        rows, told = step.followers, np.isfinite(asked[step.where])
        if told.all():
            continue
        wrong = ~told
        for row, frames in zip(rows, wrong, strict=True):
            if frames.any():
                channel = program.channel_keys[row]
                value = held.get(channel, float(program.home[row]))
                channels[row, frames] = asked[row, frames] = value
                undefined[int(row)] = frames


def rolled_on(
    program: Program, before: Mapping[ChannelKey, float], after: Mapping[ChannelKey, float]
) -> dict[ChannelKey, float]:
    """The inputs `after`, with every rolling wheel turned, and every carriage driven, as far as
    it goes on the straight way there from `before` (both SI by channel key)."""
    if not program.growing:
        return dict(after)
    share = np.linspace(0.0, 1.0, _SUBSTEPS + 1)
    home = {c: float(program.home[program.channel_row[c]]) for c in (*before, *after)
            if c in program.channel_row}  # fmt: skip
    way: dict[ChannelKey, npt.ArrayLike] = {}
    for channel, rest in home.items():
        start, end = before.get(channel, rest), after.get(channel, rest)
        way[channel] = start + (end - start) * share
    for channel in program.growing:
        way[channel] = after.get(channel, 0.0)
    poses = evaluate(program, way)
    return {**after, **{c: float(poses.asked[program.channel_row[c], -1]) for c in program.growing}}
