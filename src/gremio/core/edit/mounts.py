"""Edits on mounts: moving the place a part turns about, without moving what is seen."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.edit.change import check_frame, must_have, numbers_of, without
from gremio.core.edit.parts import change_part
from gremio.core.edit.routines import rescaled
from gremio.core.frames import IDENTITY, Frame, frame_of, holds, matrix
from gremio.core.plan.order import train_row
from gremio.core.problem import GremioError
from gremio.core.quantity import short_number
from gremio.core.rig.channels import freed, key
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.links import followers, link_kind, members
from gremio.core.rig.model import Link, LinkKind, Part, Rig, Stops
from gremio.core.rig.numbers import kind_of


def move_mount(rig: Rig, part_id: PartId, mount: Frame) -> Rig:
    """Put a part's joint somewhere else in its parent; the part itself, its shapes and what is
    mounted on it stay in place at home, for its own frame takes up the difference."""
    part = must_have(rig.parts, part_id, "part")
    if mount == part.mount:
        return rig
    check_frame(mount, part.name)
    own = np.linalg.inv(matrix(mount)) @ matrix(part.mount) @ matrix(part.own)
    if not holds(own):
        raise GremioError(
            f"{part.name} stands askew in a mount that is stretched. Take the scale out first."
        )
    return change_part(rig, part_id, replace(part, mount=mount, own=frame_of(own)))


def place_own(rig: Rig, part_id: PartId, at_home: Frame) -> Rig:
    """Put a part's own frame somewhere else in its parent, as it stands at home, with its shapes
    and all it carries; its joint stays where it is."""
    part = must_have(rig.parts, part_id, "part")
    check_frame(at_home, part.name)
    own = np.linalg.inv(matrix(part.mount)) @ matrix(at_home)
    if not holds(own):
        raise GremioError(
            f"{part.name} would stand askew in a mount that is stretched. Take the scale out first."
        )
    return change_part(rig, part_id, replace(part, own=frame_of(own)))


def stands_at(part: Part) -> Frame:
    """Where a part's own frame stands in its parent at home."""
    if part.own == IDENTITY:
        return part.mount
    return frame_of(matrix(part.mount) @ matrix(part.own))


def place_part(rig: Rig, part_id: PartId, mount: Frame) -> Rig:
    """Put a part, with its shapes and all it carries, somewhere else in its parent."""
    part = must_have(rig.parts, part_id, "part")
    check_frame(mount, part.name)
    return change_part(rig, part_id, replace(part, mount=mount))


def set_home_here(rig: Rig, part_id: PartId, local: Array, values: dict[str, float]) -> Rig:
    """Make where a part stands now its home: nothing moves, its channels read zero.

    local: (4, 4) frame of the part in its parent now. values: its channels now (SI).
    Stops, ratios and stations that speak of its channels are counted from the new home.
    """
    part = must_have(rig.parts, part_id, "part")
    moved = {c: v for c, v in values.items() if v != 0.0}
    if not moved:
        return rig
    if len(freed(part.joint)) > 1:
        _check_nothing_counts(rig, part_id, part)
    stops = {c: _shifted_stops(s, moved.get(c, 0.0)) for c, s in part.stops.items()}
    local = numbers_of(local, (4, 4), f"Where {part.name} stands")
    mount = frame_of(local @ np.linalg.inv(matrix(part.own)))
    rig = change_part(rig, part_id, replace(part, mount=mount, stops=stops))
    for channel, value in moved.items():
        channel_key = key(part_id, channel)
        links = {
            i: _shifted_link(rig, i, link, channel_key, value) for i, link in rig.links.items()
        }
        rig = replace(rig, links=links, at=without(rig.at, channel_key))
        rig = _shifted_poses(rig, channel_key, value)
        rig = rescaled(rig, {channel_key}, partial(_less, value), 1.0)
    return rig


def _less(by: float, value: float) -> float:
    return value - by


def _shifted_poses(rig: Rig, channel: ChannelKey, by: float) -> Rig:
    """The rig with kept poses that mean the same where a channel is counted from elsewhere."""
    if not any(channel in pose.values for pose in rig.poses.values()):
        return rig
    poses = {
        i: replace(pose, values={c: v - by if c == channel else v for c, v in pose.values.items()})
        for i, pose in rig.poses.items()
    }
    return replace(rig, poses=poses)


def _check_nothing_counts(rig: Rig, part_id: PartId, part: Part) -> None:
    used = {c for link in rig.links.values() for c in members(link)}
    if part.stops or any(key(part_id, channel) in used for channel in freed(part.joint)):
        raise GremioError(
            f"{part.name} has stops or links on a joint of several channels, which can't be "
            "counted from another home. Remove them, set home, and make them again."
        )


def _shifted_stops(stops: Stops, by: float) -> Stops:
    return replace(
        stops,
        low=None if stops.low is None else stops.low - by,
        high=None if stops.high is None else stops.high - by,
    )


def _shifted_link(rig: Rig, link_id: ThingId, link: Link, channel: ChannelKey, by: float) -> Link:
    """A link that says the same when one of its channels is counted from `by`."""
    return SHIFTS[link_kind(link)](rig, link_id, link, channel, by)


def _shifted_row(rig: Rig, link_id: ThingId, link: Any, channel: ChannelKey, by: float) -> Link:
    factor = train_row(rig, link_id, link).factors.get(channel, 0.0)
    shifted: Link = replace(link, offset=link.offset - factor * by) if factor else link
    return shifted


def _shifted_formula(rig: Rig, link_id: ThingId, link: Any, channel: ChannelKey, by: float) -> Link:
    del link_id
    unit = _si_unit(rig, channel)
    text = link.text.replace(f"{{{channel}}}", f"({{{channel}}} + {short_number(by)} {unit})")
    if channel == link.follower:
        text = f"({text}) - {short_number(by)} {unit}"
    shifted: Link = replace(link, text=text)
    return shifted


def _not_shifted(rig: Rig, link_id: ThingId, link: Any, channel: ChannelKey, by: float) -> Link:
    del rig, link_id, channel, by
    same: Link = link
    return same


def _shifted_cam(rig: Rig, link_id: ThingId, cam: Any, channel: ChannelKey, by: float) -> Link:
    del rig, link_id
    stations = cam.stations
    if cam.lead == channel:
        stations = tuple(replace(s, lead=s.lead - by) for s in stations)
    if channel in followers(cam):
        stations = tuple(
            replace(s, values={c: v - by if c == channel else v for c, v in s.values.items()})
            for s in stations
        )
    shifted: Link = replace(cam, stations=stations)
    return shifted


def _si_unit(rig: Rig, channel: ChannelKey) -> str:
    """The word for the SI unit of a number, as a formula writes it."""
    return {"length": "m", "angle": "rad", "time": "s"}.get(kind_of(rig, channel), "")


# What counting a channel from elsewhere does to a link of each kind.
SHIFTS: dict[LinkKind, Callable[[Rig, ThingId, Any, ChannelKey, float], Link]] = {
    "ratio": _shifted_row,
    "planetary": _shifted_row,
    "cam": _shifted_cam,
    "formula": _shifted_formula,
    "rolling": _not_shifted,
    "driving": _not_shifted,
    # The phase is counted from where a routine lets it begin, as the start of the routine is.
    "motor": _not_shifted,
    "rumble": _not_shifted,
}
