"""The rig made ready to run: flat arrays, in the order in which they can be computed."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from gremio.core.frames import matrix
from gremio.core.mechanics.profiles import Profile, smooth, straight
from gremio.core.problem import Note
from gremio.core.rig.channels import CHANNELS, freed, home_value, key
from gremio.core.rig.check import faults, stops_are_sound
from gremio.core.rig.model import Cam, Link, Ratio, Rig
from gremio.core.rig.order import led_by, link_levels, part_levels, usable_links

Array = npt.NDArray[np.float64]
Rows = npt.NDArray[np.intp]


@dataclass(frozen=True)
class RatioStep:
    """Followers in fixed proportion, all at once: q[followers] = ratio · q[leads] + offset.

    leads, followers: (k,) channel rows. ratio, offset: (k, 1).
    """

    leads: Rows
    followers: Rows
    ratio: Array
    offset: Array


@dataclass(frozen=True)
class CamStep:
    """One follower of a cam. lead, follower: channel rows."""

    lead: int
    follower: int
    profile: Profile


@dataclass(frozen=True)
class JointStep:
    """Every part that moves along, or turns about, one of its axes.

    channel: its name, "turn z". parts: (k,) part rows. rows: (k,) channel rows.
    """

    channel: str
    parts: Rows | slice
    rows: Rows | slice


@dataclass(frozen=True)
class Program:
    """Everything about a rig that does not change while it is posed. P parts, C channels.

    part_ids: (P,) in computing order: every part comes after its parent.
    part_row, channel_row: from id or key to row.
    channel_keys: (C,) controls first, then the parts' free channels.
    home, low, high: (C,) SI; −inf and +inf where there is no stop.
    inputs: (C,) True where nothing leads the channel.
    link_steps: in computing order.
    parents: (P,) part row of the parent, −1 on the ground.
    levels: (start, stop) part rows of each depth below the ground.
    mounts: (4, 3, P, 1) the columns of each mount: three axes, then the origin.
    joint_steps: in the order in which a joint's channels are applied.
    faults: why some of the rig was left out.
    """

    rig: Rig
    part_ids: tuple[str, ...]
    part_row: dict[str, int]
    channel_keys: tuple[str, ...]
    channel_row: dict[str, int]
    home: Array
    low: Array
    high: Array
    inputs: npt.NDArray[np.bool_]
    link_steps: tuple[RatioStep | CamStep, ...]
    parents: Rows
    levels: tuple[tuple[int, int], ...]
    mounts: Array
    joint_steps: tuple[JointStep, ...]
    leads_of: dict[str, Link]
    faults: tuple[Note, ...]


def compile_rig(rig: Rig) -> Program:
    """Make a rig ready to run. The same rig gives the same program, bit for bit.

    A rig with faults is compiled without what is at fault; `faults` says what that was.
    """
    levels, _ = part_levels(rig)
    part_ids = tuple(part for level in levels for part in level)
    part_row = {part: row for row, part in enumerate(part_ids)}
    channel_keys = (
        *rig.controls,
        *(key(part, channel) for part in part_ids for channel in freed(rig.parts[part].joint)),
    )
    channel_row = {channel: row for row, channel in enumerate(channel_keys)}
    links, _ = usable_links(rig)
    leads_of = led_by(links)
    low, high = _limits(rig, part_ids, channel_keys)
    ends = np.cumsum([0] + [len(level) for level in levels])
    home = np.array([home_value(rig, channel) for channel in channel_keys], dtype=float)
    return Program(
        rig=rig,
        part_ids=part_ids,
        part_row=part_row,
        channel_keys=channel_keys,
        channel_row=channel_row,
        home=home,
        low=low,
        high=high,
        inputs=np.array([channel not in leads_of for channel in channel_keys], dtype=bool),
        link_steps=_link_steps(links, channel_row),
        parents=_parent_rows(rig, part_ids, part_row, levels),
        levels=tuple((int(a), int(b)) for a, b in itertools.pairwise(ends)),
        mounts=_mounts(rig, part_ids),
        joint_steps=_joint_steps(rig, part_ids, channel_row),
        leads_of=leads_of,
        faults=tuple(faults(rig)),
    )


def _limits(rig: Rig, part_ids: Sequence[str], channel_keys: Sequence[str]) -> tuple[Array, Array]:
    ends: list[tuple[float, float]] = []
    for control in rig.controls.values():
        ends.append((control.low, max(control.low, control.high)))
    for part in part_ids:
        entry = rig.parts[part]
        for channel in freed(entry.joint):
            stops = entry.stops.get(channel)
            if stops is None or not stops_are_sound(stops):
                ends.append((-np.inf, np.inf))
            else:
                low = -np.inf if stops.low is None else stops.low
                high = np.inf if stops.high is None else stops.high
                ends.append((low, high))
    pairs = np.array(ends, dtype=float).reshape(len(channel_keys), 2)
    return pairs[:, 0].copy(), pairs[:, 1].copy()


def _parent_rows(
    rig: Rig, part_ids: Sequence[str], row: dict[str, int], levels: list[list[str]]
) -> Rows:
    ground = set(levels[0]) if levels else set()
    rows = [-1 if part in ground else row[rig.parts[part].parent or ""] for part in part_ids]
    return np.array(rows, dtype=np.intp)


def _mounts(rig: Rig, part_ids: Sequence[str]) -> Array:
    frames = np.zeros((len(part_ids), 4, 4))
    for row, part in enumerate(part_ids):
        frames[row] = matrix(rig.parts[part].mount)
    return np.ascontiguousarray(frames[:, :3, :].transpose(2, 1, 0)[..., None])


# A joint shifts first, then turns about z, y and x in that order, then scales, so that
# the turns of a free joint are those about the fixed x, then y, then z axis.
_APPLIED = (*CHANNELS[:3], *reversed(CHANNELS[3:6]), *CHANNELS[6:])


def _joint_steps(
    rig: Rig, part_ids: Sequence[str], channel_row: dict[str, int]
) -> tuple[JointStep, ...]:
    found: dict[str, tuple[list[int], list[int]]] = {channel: ([], []) for channel in _APPLIED}
    for row, part in enumerate(part_ids):
        for channel in freed(rig.parts[part].joint):
            parts, rows = found[channel]
            parts.append(row)
            rows.append(channel_row[key(part, channel)])
    return tuple(
        JointStep(channel, _as_slice(parts), _as_slice(rows))
        for channel, (parts, rows) in found.items()
        if parts
    )


def _as_slice(rows: list[int]) -> Rows | slice:
    """Rows that follow one another as a slice, which needs no copy to be read."""
    if rows == list(range(rows[0], rows[0] + len(rows))):
        return slice(rows[0], rows[0] + len(rows))
    return np.array(rows, dtype=np.intp)


def _link_steps(links: list[Link], channel_row: dict[str, int]) -> tuple[RatioStep | CamStep, ...]:
    steps: list[RatioStep | CamStep] = []
    for level in link_levels(links):
        ratios = [link for link, _ in level if isinstance(link, Ratio)]
        if ratios:
            steps.append(_ratio_step(ratios, channel_row))
        for link, channel in level:
            if isinstance(link, Cam):
                rows = channel_row[link.lead], channel_row[channel]
                steps.append(CamStep(*rows, cam_profile(link, channel)))
    return tuple(steps)


def _ratio_step(ratios: list[Ratio], row: dict[str, int]) -> RatioStep:
    return RatioStep(
        np.array([row[link.lead] for link in ratios], dtype=np.intp),
        np.array([row[link.follower] for link in ratios], dtype=np.intp),
        np.array([[link.ratio] for link in ratios]),
        np.array([[link.offset] for link in ratios]),
    )


def cam_profile(cam: Cam, channel: str) -> Profile:
    """The profile of one follower of a cam, through the stations that speak of it."""
    points = [(s.lead, s.values[channel]) for s in cam.stations if channel in s.values]
    x, y = np.array(points, dtype=float).reshape(-1, 2).T
    if len(x) == 0:
        x, y = np.zeros(1), np.zeros(1)
    if len(x) == 1:
        x, y = np.array([x[0], x[0] + 1.0]), np.array([y[0], y[0]])
    kinds = {follower.channel: follower.profile for follower in cam.followers}
    return smooth(x, y) if kinds[channel] == "smooth" else straight(x, y)
