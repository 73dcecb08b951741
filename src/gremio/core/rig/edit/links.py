"""Edits on links: leading one channel from another."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable

from msgspec.structs import replace

from gremio.core.problem import GremioError
from gremio.core.rig.channels import followers, full_label, split
from gremio.core.rig.edit.change import must_have, new_id, with_entry, without
from gremio.core.rig.model import Cam, Follower, Link, Ratio, Rig, Station
from gremio.core.rig.order import usable_links


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
    _check_numbers(rig, link)
    before = {note.text for note in usable_links(rig)[1]}
    changed = replace(rig, links=with_entry(rig.links, link_id, link))
    new = [note for note in usable_links(changed)[1] if note.text not in before]
    if new:
        raise GremioError(new[0].text)
    return changed


def _check_numbers(rig: Rig, link: Link) -> None:
    if isinstance(link, Ratio):
        if not (math.isfinite(link.ratio) and math.isfinite(link.offset)):
            raise GremioError("A ratio needs a plain number. Write for example '=36/20'.")
        return
    leads = [station.lead for station in link.stations]
    if len(leads) < 2:
        raise GremioError(
            f"A cam from {full_label(rig, link.lead)} needs two stations at least. "
            "Record another, or remove the cam."
        )
    if any(b <= a for a, b in itertools.pairwise(leads)):
        raise GremioError("Two stations of a cam stand at the same lead value. Move one of them.")


def remove_link(rig: Rig, link_id: str) -> Rig:
    """Take out a link; its followers are free again."""
    must_have(rig.links, link_id, "link")
    return replace(rig, links=without(rig.links, link_id))


def without_channels_of(rig: Rig, owner: str) -> Rig:
    """The rig with every link cut back to what does not need a part or control."""
    links: dict[str, Link] = {}
    for link_id, link in rig.links.items():
        if split(link.lead)[0] == owner:
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
            replace(station, values=without(station.values, *channels)) for station in cam.stations
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
    cam = must_have(rig.links, link_id, "link")
    if not isinstance(cam, Cam):
        raise GremioError("Only a cam has stations. Make the link a cam first.")
    others = [s for s in cam.stations if abs(s.lead - lead) > 1e-12]
    stations = sorted_stations([*others, Station(lead, values)])
    return change_link(rig, link_id, replace(cam, stations=stations))


def remove_station(rig: Rig, link_id: str, index: int) -> Rig:
    """Take out a station of a cam, counted from 0. Refuses to leave fewer than two."""
    cam = must_have(rig.links, link_id, "link")
    if not isinstance(cam, Cam):
        raise GremioError("Only a cam has stations. Make the link a cam first.")
    stations = cam.stations[:index] + cam.stations[index + 1 :]
    return change_link(rig, link_id, replace(cam, stations=stations))
