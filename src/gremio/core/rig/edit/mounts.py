"""Edits on mounts: moving the place a part turns about, without moving what is seen."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from gremio.core.frames import Array, Frame, frame_of, matrix
from gremio.core.problem import GremioError
from gremio.core.rig.channels import channel_kind, followers, freed, key, members, split
from gremio.core.rig.edit.change import must_have, without
from gremio.core.rig.edit.parts import change_part, children
from gremio.core.rig.model import (
    Cam,
    Driving,
    Formula,
    Link,
    Part,
    Planetary,
    Ratio,
    Rig,
    Rolling,
    Stops,
)
from gremio.core.rig.order import train_row


def move_mount(rig: Rig, part_id: str, mount: Frame) -> Rig:
    """Put a part's mount somewhere else in its parent; shapes and children stay in place.

    The part is at home when this is exact: shapes stay where they are at home.
    """
    part = must_have(rig.parts, part_id, "part")
    if mount == part.mount:
        return rig
    shift = np.linalg.inv(matrix(mount)) @ matrix(part.mount)
    shapes = tuple(
        replace(shape, place=frame_of(shift @ matrix(shape.place))) for shape in part.shapes
    )
    rig = change_part(rig, part_id, replace(part, mount=mount, shapes=shapes))
    for child in children(rig, part_id):
        other = rig.parts[child]
        moved = replace(other, mount=frame_of(shift @ matrix(other.mount)))
        rig = change_part(rig, child, moved)
    return rig


def place_part(rig: Rig, part_id: str, mount: Frame) -> Rig:
    """Put a part, with its shapes and all it carries, somewhere else in its parent."""
    part = must_have(rig.parts, part_id, "part")
    return change_part(rig, part_id, replace(part, mount=mount))


def set_home_here(rig: Rig, part_id: str, local: Array, values: dict[str, float]) -> Rig:
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
    rig = change_part(rig, part_id, replace(part, mount=frame_of(local), stops=stops))
    for channel, value in moved.items():
        channel_key = key(part_id, channel)
        links = {
            i: _shifted_link(rig, i, link, channel_key, value) for i, link in rig.links.items()
        }
        rig = replace(rig, links=links, at=without(rig.at, channel_key))
    return rig


def _check_nothing_counts(rig: Rig, part_id: str, part: Part) -> None:
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


def _shifted_link(rig: Rig, link_id: str, link: Link, channel: str, by: float) -> Link:
    """A link that says the same when one of its channels is counted from `by`."""
    match link:
        case Ratio() | Planetary():
            factor = train_row(rig, link_id, link).factors.get(channel, 0.0)
            return replace(link, offset=link.offset - factor * by) if factor else link
        case Cam():
            return _shifted_cam(link, channel, by)
        case Formula():
            text = link.text.replace(
                f"{{{channel}}}", f"({{{channel}}} + {by!r} {_si_unit(channel)})"
            )
            if channel == link.follower:
                text = f"({text}) - {by!r} {_si_unit(channel)}"
            return replace(link, text=text)
        case Rolling() | Driving():
            return link


def _shifted_cam(cam: Cam, channel: str, by: float) -> Cam:
    stations = cam.stations
    if cam.lead == channel:
        stations = tuple(replace(s, lead=s.lead - by) for s in stations)
    if channel in followers(cam):
        stations = tuple(
            replace(s, values={c: v - by if c == channel else v for c, v in s.values.items()})
            for s in stations
        )
    return replace(cam, stations=stations)


def _si_unit(channel: str) -> str:
    """The word for the SI unit of a part's channel, as a formula writes it."""
    return {"length": "m", "angle": "rad"}.get(channel_kind(split(channel)[1]), "")
