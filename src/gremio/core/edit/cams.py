"""Edits on cams: their stations, their followers, and the profiles between."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from msgspec.structs import replace

from gremio.core.edit.change import must_have, with_entry, without
from gremio.core.edit.links import change_link
from gremio.core.problem import GremioError, NotFound
from gremio.core.quantity import show_short
from gremio.core.rig.cams import SAME, cam_through, cam_without, sorted_stations, told
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.model import Cam, Follower, ProfileKind, Ratio, Rig, Station
from gremio.core.rig.numbers import full_label, range_of, shown_unit
from gremio.core.rig.scales import shown_on


def cam_of(rig: Rig, link_id: ThingId) -> Cam:
    """The cam of this id. Raises NotFound, or GremioError for a link of another kind."""
    cam = must_have(rig.links, link_id, "link")
    if not isinstance(cam, Cam):
        raise GremioError("Only a cam has stations. Make the link a cam first.")
    return cam


def as_cam(rig: Rig, ratio: Ratio, profile: ProfileKind = "smooth") -> Cam:
    """A cam of two stations that does what a ratio does, over the lead's range; straight
    between them it is a from–to cam."""
    low, high = range_of(rig, ratio.lead)
    start = 0.0 if low is None else low
    end = start + 1.0 if high is None or high <= start else high
    points = [(x, ratio.ratio * x + ratio.offset) for x in (start, end)]
    return cam_through(ratio.lead, ratio.follower, points, profile)


def _station(cam: Cam, index: int) -> Station:
    """The station counted so from 0. Raises NotFound."""
    if not 0 <= index < len(cam.stations):
        raise NotFound(f"The cam has no station counted {index}: it has {len(cam.stations)}.")
    return cam.stations[index]


def _station_at(cam: Cam, lead: float) -> int | None:
    """Which station stands at a lead value."""
    return next((i for i, s in enumerate(cam.stations) if abs(s.lead - lead) <= SAME), None)


def _with_stations(rig: Rig, link_id: ThingId, stations: Collection[Station]) -> Rig:
    cam = cam_of(rig, link_id)
    return change_link(rig, link_id, replace(cam, stations=sorted_stations(stations)))


def record_station(
    rig: Rig, link_id: ThingId, lead: float, values: Mapping[ChannelKey, float]
) -> Rig:
    """Record values (SI, by follower) at a lead value. What a station there says of other
    followers stays; what was no follower becomes one."""
    cam = cam_of(rig, link_id)
    present = _station_at(cam, lead)
    known = {f.channel for f in cam.followers}
    new = tuple(Follower(channel) for channel in values if channel not in known)
    if present is None:
        stations = sorted_stations([*cam.stations, Station(lead, dict(values))])
    else:
        station = cam.stations[present]
        station = replace(station, values={**station.values, **values})
        stations = (*cam.stations[:present], station, *cam.stations[present + 1 :])
    changed = replace(cam, followers=(*cam.followers, *new), stations=stations)
    return change_link(rig, link_id, changed)


def change_station(rig: Rig, link_id: ThingId, index: int, station: Station) -> Rig:
    """Put a station in place of the one counted `index` from 0; they stay in their order.

    Refuses one at the lead value of another, naming it.
    """
    cam = cam_of(rig, link_id)
    _station(cam, index)
    others = [*cam.stations[:index], *cam.stations[index + 1 :]]
    if any(abs(other.lead - station.lead) <= SAME for other in others):
        at = shown_on(rig, cam.lead, station.lead)
        raise GremioError(
            f"Another station stands at {full_label(rig, cam.lead)} = {at}. Merge the two, or "
            "choose another place."
        )
    return _with_stations(rig, link_id, [*others, station])


def set_station_value(
    rig: Rig, link_id: ThingId, index: int, channel: ChannelKey, value: float | None
) -> Rig:
    """Set what a station says of a follower (SI); None lets the follower be absent from it."""
    station = _station(cam_of(rig, link_id), index)
    if value is not None:
        values = with_entry(station.values, channel, value)
        return change_station(rig, link_id, index, replace(station, values=values))
    gone = replace(
        station,
        values=without(station.values, channel),
        spans=without(station.spans, channel),
        slopes=without(station.slopes, channel),
    )
    return change_station(rig, link_id, index, gone)


def shift_points(
    rig: Rig,
    link_id: ThingId,
    points: Collection[tuple[str, int]],
    along: float,
    up: Mapping[str, float],
) -> Rig:
    """Move points: (follower, station counted from 0). Their stations go by `along` of the
    lead, and their followers there by `up` (SI). Stations do not pass, nor meet, those that
    stay: they stop just before them."""
    cam = cam_of(rig, link_id)
    chosen = {index for _, index in points}
    for index in chosen:
        _station(cam, index)
    along = _free_way(cam, chosen, along)
    moved = [
        replace(
            s,
            lead=s.lead + along,
            values={c: v + (up.get(c, 0.0) if (c, i) in points else 0.0)
                    for c, v in s.values.items()},
        )
        if i in chosen
        else s
        for i, s in enumerate(cam.stations)
    ]  # fmt: skip
    return _with_stations(rig, link_id, moved)


def _free_way(cam: Cam, chosen: Collection[int], along: float) -> float:
    """How far stations can go along the lead before they meet one that stays."""
    leads = [s.lead for s in cam.stations]
    least = max((leads[-1] - leads[0]) / 1000, 10 * SAME)
    for i in chosen:
        for j, other in enumerate(leads):
            if j in chosen:
                continue
            if other > leads[i]:
                along = min(along, max(other - least - leads[i], 0.0))
            else:
                along = max(along, min(other + least - leads[i], 0.0))
    return along


def copy_station(rig: Rig, link_id: ThingId, index: int, lead: float) -> Rig:
    """Let another station, at another lead value, say what this one says."""
    cam = cam_of(rig, link_id)
    copied = replace(_station(cam, index), lead=lead)
    if _station_at(cam, lead) is not None:
        at = shown_on(rig, cam.lead, lead)
        raise GremioError(
            f"A station stands at {at} already. Move "
            f"{full_label(rig, cam.lead)} to where the copy should be."
        )
    return _with_stations(rig, link_id, [*cam.stations, copied])


def merge_stations(rig: Rig, link_id: ThingId, index: int) -> Rig:
    """Make one station of this one and the next: it stands where this one stands, and says
    what either says; of what both speak of, what this one says."""
    cam = cam_of(rig, link_id)
    if index + 1 >= len(cam.stations):
        raise GremioError("The last station has none after it to merge with.")
    one, two = _station(cam, index), cam.stations[index + 1]
    both = Station(
        one.lead,
        {**two.values, **one.values},
        {**{c: k for c, k in one.spans.items() if c not in two.values}, **two.spans},
        {**two.slopes, **one.slopes},
    )
    stations = (*cam.stations[:index], both, *cam.stations[index + 2 :])
    return change_link(rig, link_id, replace(cam, stations=stations))


def merge_where_they_meet(rig: Rig, link_id: ThingId) -> Rig:
    """Make one station of each two that stand at the same lead value."""
    cam = cam_of(rig, link_id)
    merged: list[Station] = []
    for station in sorted_stations(cam.stations):
        if merged and station.lead - merged[-1].lead <= SAME:
            values = {**station.values, **merged[-1].values}
            merged[-1] = replace(merged[-1], values=values)
        else:
            merged.append(station)
    return change_link(rig, link_id, replace(cam, stations=tuple(merged)))


def remove_stations(rig: Rig, link_id: ThingId, chosen: Collection[int]) -> Rig:
    """Take out stations, counted from 0. Refuses to leave none."""
    cam = cam_of(rig, link_id)
    for index in chosen:
        _station(cam, index)
    kept = tuple(s for i, s in enumerate(cam.stations) if i not in chosen)
    return change_link(rig, link_id, replace(cam, stations=kept))


def add_follower(
    rig: Rig, link_id: ThingId, channel: ChannelKey, values: Mapping[int, float]
) -> Rig:
    """Let a cam lead one channel more. values: what it is (SI) at stations counted from 0."""
    cam = cam_of(rig, link_id)
    if any(f.channel == channel for f in cam.followers):
        raise GremioError(f"The cam leads {full_label(rig, channel)} already.")
    for index in values:
        _station(cam, index)
    profile: ProfileKind = cam.followers[0].profile
    stations = tuple(
        replace(s, values=with_entry(s.values, channel, values[i])) if i in values else s
        for i, s in enumerate(cam.stations)
    )
    followers = (*cam.followers, Follower(channel, profile))
    return change_link(rig, link_id, replace(cam, followers=followers, stations=stations))


def remove_follower(rig: Rig, link_id: ThingId, channel: ChannelKey) -> Rig:
    """Let a cam lead one channel less. Refuses to take the last one."""
    cam = cam_of(rig, link_id)
    if len(cam.followers) < 2:
        raise GremioError("This is the last follower of the cam. Remove the cam instead.")
    return change_link(rig, link_id, cam_without(cam, {channel}))


def set_span(rig: Rig, link_id: ThingId, index: int, channel: ChannelKey, kind: ProfileKind) -> Rig:
    """Set the profile of a follower from a station, counted from 0, to the next. A dwell carries
    its value over to where it ends, and through dwells that held the value there, so that nothing
    jumps."""
    cam = cam_of(rig, link_id)
    station = _station(cam, index)
    if kind == "dwell" and channel in station.values and not _dwells(cam, index, channel):
        cam = _carried_over(cam, index, channel)
    spans = with_entry(station.spans, channel, kind)
    stations = [*cam.stations]
    stations[index] = replace(stations[index], spans=spans)
    return change_link(rig, link_id, replace(cam, stations=tuple(stations)))


def _dwells(cam: Cam, index: int, channel: ChannelKey) -> bool:
    usual = next(f.profile for f in cam.followers if f.channel == channel)
    return cam.stations[index].spans.get(channel, usual) == "dwell"


def _carried_over(cam: Cam, index: int, channel: ChannelKey) -> Cam:
    """A cam in which a follower is as at a station also at the next that speaks of it, and where
    dwells that held its value there end."""
    value, stations = cam.stations[index].values[channel], list(cam.stations)
    held = None
    for i in range(index + 1, len(stations)):
        was = stations[i].values.get(channel)
        if was is None:
            continue
        if held is not None and was != held:
            break
        stations[i] = replace(stations[i], values=with_entry(stations[i].values, channel, value))
        held = was
        if not _dwells(cam, i, channel):
            break
    return replace(cam, stations=tuple(stations))


def set_slope(rig: Rig, link_id: ThingId, index: int, channel: ChannelKey, slope: float) -> Rig:
    """Set how steep a free profile runs through a station (SI of follower for SI of lead)."""
    station = _station(cam_of(rig, link_id), index)
    slopes = with_entry(station.slopes, channel, slope)
    return change_station(rig, link_id, index, replace(station, slopes=slopes))


def set_profile(rig: Rig, link_id: ThingId, channel: ChannelKey, kind: ProfileKind) -> Rig:
    """Set the profile of a follower between all its stations."""
    cam = cam_of(rig, link_id)
    followers = tuple(
        replace(f, profile=kind) if f.channel == channel else f for f in cam.followers
    )
    stations = tuple(replace(s, spans=without(s.spans, channel)) for s in cam.stations)
    return change_link(rig, link_id, replace(cam, followers=followers, stations=stations))


def set_range(
    rig: Rig,
    link_id: ThingId,
    leads: tuple[float, float],
    ranges: Mapping[str, tuple[float, float]],
) -> Rig:
    """Set a from–to cam: from a range of its lead to a range of each follower (SI).

    Refuses a range of zero width of the lead, and one that runs backwards is turned round.
    """
    cam = cam_of(rig, link_id)
    if abs(leads[1] - leads[0]) <= SAME:
        raise GremioError(
            f"A range of {full_label(rig, cam.lead)} from {_at(rig, cam, leads[0])} to "
            f"{_at(rig, cam, leads[1])} has no width. Give it two different ends."
        )
    stations = [
        replace(
            cam.stations[end],
            lead=leads[end],
            values={
                f.channel: ranges.get(f.channel, _ends(cam, f.channel))[end] for f in cam.followers
            },
        )
        for end in (0, 1)
    ]
    return _with_stations(rig, link_id, stations)


def _ends(cam: Cam, channel: ChannelKey) -> tuple[float, float]:
    points = told(cam, channel)
    return points[0][1], points[-1][1]


def _at(rig: Rig, cam: Cam, lead: float) -> str:
    return show_short(lead, shown_unit(rig, cam.lead))
