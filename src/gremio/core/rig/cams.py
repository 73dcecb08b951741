"""Cams as data: stations in their order, and what a cam says without a follower."""

from __future__ import annotations

from collections.abc import Container, Iterable

from msgspec.structs import replace

from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.model import Cam, Follower, ProfileKind, Ratio, Station

# Stations nearer to each other than this stand at the same lead value (SI).
SAME = 1e-9


def sorted_stations(stations: Iterable[Station]) -> tuple[Station, ...]:
    """Stations in the order of their lead."""
    return tuple(sorted(stations, key=lambda station: station.lead))


def cam_through(
    lead: ChannelKey,
    follower: ChannelKey,
    points: Iterable[tuple[float, float]],
    profile: ProfileKind = "smooth",
) -> Cam:
    """A cam for one follower through (lead value, follower value) points (SI)."""
    stations = sorted_stations(Station(x, {follower: y}) for x, y in points)
    return Cam(lead, (Follower(follower, profile),), stations)


def cam_without(cam: Cam, channels: Container[str]) -> Cam:
    """A cam without some of its followers."""

    def kept(values: dict) -> dict:  # type: ignore[type-arg]
        return {channel: value for channel, value in values.items() if channel not in channels}

    return replace(
        cam,
        followers=tuple(f for f in cam.followers if f.channel not in channels),
        stations=tuple(
            replace(s, values=kept(s.values), spans=kept(s.spans), slopes=kept(s.slopes))
            for s in cam.stations
        ),
    )


def told(cam: Cam, channel: ChannelKey) -> list[tuple[float, float]]:
    """The (lead, follower) values of the stations that speak of a follower (SI)."""
    return [(s.lead, s.values[channel]) for s in cam.stations if channel in s.values]


def is_from_to(cam: Cam) -> bool:
    """Whether a cam is a plain map from a range to ranges: two stations, straight between."""
    channels = {f.channel for f in cam.followers}
    return (
        len(cam.stations) == 2
        and all(f.profile == "straight" for f in cam.followers)
        and all(not s.spans and set(s.values) == channels for s in cam.stations)
    )


def as_from_to(cam: Cam) -> Cam | None:
    """The from–to cam between the first and the last station of a cam; None when there are not
    two. A follower that they do not speak of has there what its own first and last say."""
    if len(cam.stations) < 2:
        return None
    points = {f.channel: told(cam, f.channel) for f in cam.followers}
    known = {channel: own for channel, own in points.items() if own}
    ends = [
        Station(cam.stations[end].lead, {c: own[end][1] for c, own in known.items()})
        for end in (0, -1)
    ]
    followers = tuple(Follower(channel, "straight") for channel in known)
    return replace(cam, followers=followers, stations=tuple(ends)) if known else None


def as_ratio(cam: Cam) -> Ratio | None:
    """The ratio through the first and the last station of a cam's first follower; None when
    there are not two."""
    follower = cam.followers[0].channel
    points = told(cam, follower)
    if len(points) < 2:
        return None
    (x1, y1), (x2, y2) = points[0], points[-1]
    ratio = (y2 - y1) / (x2 - x1)
    return Ratio(cam.lead, follower, ratio, y1 - ratio * x1)
