"""Edits on links: leading one channel from another."""

from __future__ import annotations

import math
from collections.abc import Iterable

from msgspec.structs import replace

from gremio.core.problem import GremioError
from gremio.core.rig.channels import followers, kind_of, leads, split
from gremio.core.rig.edit.change import must_have, new_id, with_entry, without
from gremio.core.rig.link_numbers import wrong_numbers
from gremio.core.rig.model import (
    Cam,
    Follower,
    Link,
    ProfileKind,
    Ratio,
    Rig,
    Station,
    Stops,
)
from gremio.core.rig.order import arrange


def add_link(rig: Rig, link: Link) -> tuple[Rig, str]:
    """The rig with one more link, and its id.

    Refuses a ring of links and a channel led twice, naming the links.
    """
    rig, link_id = new_id(rig, "k")
    return change_link(rig, link_id, link), link_id


def change_link(rig: Rig, link_id: str, link: Link) -> Rig:
    """The rig with a link in place of the one of this id."""
    if rig.links.get(link_id) == link:
        return rig
    if wrong := wrong_numbers(rig, link):
        raise GremioError(wrong)
    before = {note.text for note in arrange(rig).notes}
    changed = replace(
        rig,
        links=with_entry(rig.links, link_id, link),
        at=without(rig.at, *followers(link)),
    )
    # A train that locks is made all the same, and told: its maker may be half way.
    new = [
        note
        for note in arrange(changed).notes
        if note.text not in before and note.code != "train-locked"
    ]
    if new:
        raise GremioError(new[0].text)
    return changed


def proposed_ratio(rig: Rig, lead: str, follower: str) -> Ratio:
    """A ratio to begin with: the lead's range onto the follower's, where both have two ends.

    lead, follower: channel keys. Else one for one, or a metre a turn between kinds.
    """
    from_low, from_high = _range_of(rig, lead)
    to_low, to_high = _range_of(rig, follower)
    if None not in (from_low, from_high, to_low, to_high) and from_low != from_high:
        ratio = (to_high - to_low) / (from_high - from_low)  # type: ignore[operator]
        return Ratio(lead, follower, ratio, to_low - ratio * from_low)  # type: ignore[operator]
    kinds = kind_of(rig, lead), kind_of(rig, follower)
    ratio = {("angle", "length"): 0.5 / math.pi, ("length", "angle"): 2 * math.pi}.get(kinds, 1.0)
    return Ratio(lead, follower, ratio)


def _range_of(rig: Rig, channel: str) -> tuple[float | None, float | None]:
    owner, name = split(channel)
    if owner in rig.controls:
        return rig.controls[owner].low, rig.controls[owner].high
    stops = rig.parts[owner].stops.get(name, Stops())
    return stops.low, stops.high


def as_cam(rig: Rig, ratio: Ratio) -> Cam:
    """A cam of two stations that does what a ratio does, over the lead's range."""
    low, high = _range_of(rig, ratio.lead)
    start = 0.0 if low is None else low
    end = start + 1.0 if high is None or high <= start else high
    points = [(x, ratio.ratio * x + ratio.offset) for x in (start, end)]
    return cam_through(ratio.lead, ratio.follower, points)


def as_ratio(cam: Cam) -> Ratio:
    """The ratio through the first and last station of a cam's first follower."""
    follower = cam.followers[0].channel
    points = [(s.lead, s.values[follower]) for s in cam.stations if follower in s.values]
    (x1, y1), (x2, y2) = points[0], points[-1]
    ratio = (y2 - y1) / (x2 - x1)
    return Ratio(cam.lead, follower, ratio, y1 - ratio * x1)


def swapped(ratio: Ratio) -> Ratio:
    """Lead and follower the other way about. Refuses a ratio of zero."""
    if ratio.ratio == 0.0:
        raise GremioError("A ratio of 0 can't be swapped: its follower never moves.")
    return replace(
        ratio,
        lead=ratio.follower,
        follower=ratio.lead,
        ratio=1 / ratio.ratio,
        offset=-ratio.offset / ratio.ratio,
    )


def remove_link(rig: Rig, link_id: str) -> Rig:
    """Take out a link; its followers are free again."""
    must_have(rig.links, link_id, "link")
    return replace(rig, links=without(rig.links, link_id))


def without_channels_of(rig: Rig, owner: str) -> Rig:
    """The rig with every link cut back to what does not need a part or control."""
    links: dict[str, Link] = {}
    for link_id, link in rig.links.items():
        if any(split(channel)[0] == owner for channel in leads(link)):
            continue
        kept = [channel for channel in followers(link) if split(channel)[0] != owner]
        if isinstance(link, Cam) and kept:
            links[link_id] = _cam_without(link, set(followers(link)) - set(kept))
        elif kept:
            links[link_id] = link
    return rig if links == rig.links else replace(rig, links=links)


def _cam_without(cam: Cam, channels: set[str]) -> Cam:
    return replace(
        cam,
        followers=tuple(f for f in cam.followers if f.channel not in channels),
        stations=tuple(
            replace(
                station,
                values=without(station.values, *channels),
                spans=without(station.spans, *channels),
                slopes=without(station.slopes, *channels),
            )
            for station in cam.stations
        ),
    )


def sorted_stations(stations: Iterable[Station]) -> tuple[Station, ...]:
    """Stations in the order of their lead."""
    return tuple(sorted(stations, key=lambda station: station.lead))


def cam_through(lead: str, follower: str, points: Iterable[tuple[float, float]]) -> Cam:
    """A cam for one follower through (lead value, follower value) points (SI)."""
    stations = sorted_stations(Station(x, {follower: y}) for x, y in points)
    return Cam(lead, (Follower(follower),), stations)


def record_station(rig: Rig, link_id: str, lead: float, values: dict[str, float]) -> Rig:
    """Record a station of a cam; one at the same lead value is replaced."""
    cam = _cam_of(rig, link_id)
    others = [s for s in cam.stations if abs(s.lead - lead) > 1e-12]
    before = next((s for s in cam.stations if s not in others), None)
    new = Station(lead, values) if before is None else replace(before, values=values)
    stations = sorted_stations([*others, new])
    return change_link(rig, link_id, replace(cam, stations=stations))


def set_span(rig: Rig, link_id: str, index: int, channel: str, kind: ProfileKind) -> Rig:
    """Set the profile of a follower from a station, counted from 0, to the next."""
    cam = _cam_of(rig, link_id)
    station = cam.stations[index]
    changed = replace(station, spans=with_entry(station.spans, channel, kind))
    stations = (*cam.stations[:index], changed, *cam.stations[index + 1 :])
    return change_link(rig, link_id, replace(cam, stations=stations))


def set_profile(rig: Rig, link_id: str, channel: str, kind: ProfileKind) -> Rig:
    """Set the profile of a follower between all its stations."""
    cam = _cam_of(rig, link_id)
    followers_now = tuple(
        replace(f, profile=kind) if f.channel == channel else f for f in cam.followers
    )
    stations = tuple(replace(s, spans=without(s.spans, channel)) for s in cam.stations)
    return change_link(rig, link_id, replace(cam, followers=followers_now, stations=stations))


def _cam_of(rig: Rig, link_id: str) -> Cam:
    cam = must_have(rig.links, link_id, "link")
    if not isinstance(cam, Cam):
        raise GremioError("Only a cam has stations. Make the link a cam first.")
    return cam


def remove_station(rig: Rig, link_id: str, index: int) -> Rig:
    """Take out a station of a cam, counted from 0. Refuses to leave fewer than two."""
    cam = _cam_of(rig, link_id)
    stations = cam.stations[:index] + cam.stations[index + 1 :]
    return change_link(rig, link_id, replace(cam, stations=stations))
