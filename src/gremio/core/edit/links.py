"""Edits on links: leading one channel from another."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence

from msgspec.structs import replace

from gremio.core.edit.change import (
    known_or_new,
    must_have,
    new_id,
    well_formed,
    without,
)
from gremio.core.plan.arranging import arrange
from gremio.core.problem import GremioError
from gremio.core.rig.cams import cam_without, is_from_to, sorted_stations, told
from gremio.core.rig.channels import split
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.links import adds, followers, leads, members, wrong_numbers
from gremio.core.rig.model import Cam, Follower, Link, Ratio, Rig, Station
from gremio.core.rig.number import sensible_range
from gremio.core.rig.numbers import kind_of, number, range_of
from gremio.core.typed import parse_bare

_PAIR = re.compile(r"\s*([-−+]?[0-9.,]+)\s*[/÷]\s*([-−+]?[0-9.,]+)\s*")


def add_link(rig: Rig, link: Link) -> tuple[Rig, ThingId]:
    """The rig with one more link, and its id.

    Refuses a ring of links and a channel led twice, naming the links.
    """
    rig, (link_id,) = add_links(rig, [link])
    return rig, link_id


def add_links(rig: Rig, links: Sequence[Link]) -> tuple[Rig, list[ThingId]]:
    """The rig with some more links, and their ids, looked over once for all of them. Refuses as
    one link is refused."""
    after, ids = rig, list[ThingId]()
    for _ in links:
        after, link_id = new_id(after, "k")
        ids.append(link_id)
    return _with_links(rig, after, dict(zip(ids, links, strict=True))), ids


def change_link(rig: Rig, link_id: ThingId, link: Link) -> Rig:
    """The rig with a link in place of the one of this id."""
    if rig.links.get(link_id) == link:
        return rig
    known_or_new(rig, rig.links, link_id, "link")
    present = rig.links.get(link_id)
    if present is not None and not link.note:
        # What is written about it stays, as whatever it is made.
        link = replace(link, note=present.note)
    return _with_links(rig, rig, {link_id: link})


def change_links(rig: Rig, links: Mapping[ThingId, Link]) -> Rig:
    """The rig with links in place of those of some ids, looked over once for all of them. Refuses
    as one link is refused."""
    for link_id in links:
        must_have(rig.links, link_id, "link")
    return _with_links(rig, rig, links)


def _with_links(before_it: Rig, rig: Rig, links: Mapping[ThingId, Link]) -> Rig:
    """A rig with links of some ids. before_it: the rig before the edit."""
    led = set[ChannelKey]()
    for link in links.values():
        if wrong := wrong_numbers(rig, link):
            raise GremioError(wrong)
        well_formed(link, "The link")
        # What a link only adds to stands where it was put.
        led.update(() if adds(link) else followers(link))
    before = {note.text for note in arrange(before_it).notes}
    changed = replace(rig, links={**rig.links, **links}, at=without(rig.at, *led))
    # A train that locks is made all the same, and told: its maker may be half way.
    new = [
        note
        for note in arrange(changed).notes
        if note.text not in before and note.code != "train-locked"
    ]
    if new:
        raise GremioError(new[0].text)
    return changed


def proposed_ratio(rig: Rig, lead: ChannelKey, follower: ChannelKey) -> Ratio:
    """A ratio to begin with: the lead's range onto the follower's, where both have two ends.

    lead, follower: channel keys. A count, and a number of another kind without ends, goes in a
    sensible range round what it is. Else one for one, or a metre a turn between kinds.
    """
    found, kinds = number(rig, follower), (kind_of(rig, lead), kind_of(rig, follower))
    from_low, from_high = range_of(rig, lead)
    to_low, to_high = range_of(rig, follower)
    if found is not None and found.field and (found.whole or kinds[0] != kinds[1]):
        to_low, to_high = sensible_range(found, found.home)
    if (
        from_low is not None
        and from_high is not None
        and to_low is not None
        and to_high is not None
        and from_low != from_high
    ):
        ratio = (to_high - to_low) / (from_high - from_low)
        return Ratio(lead, follower, ratio, to_low - ratio * from_low)
    ratio = {("angle", "length"): 0.5 / math.pi, ("length", "angle"): 2 * math.pi}.get(kinds, 1.0)
    return Ratio(lead, follower, ratio)


def swapped(link: Ratio | Cam) -> Ratio | Cam:
    """A ratio, or a from–to cam, with lead and follower the other way about. Refuses one whose
    follower never moves, and a cam with several."""
    return _swapped_cam(link) if isinstance(link, Cam) else swapped_ratio(link)


def _swapped_cam(cam: Cam) -> Cam:
    if len(cam.followers) != 1 or not is_from_to(cam):
        raise GremioError(
            "Only a from–to cam with one follower can be swapped. Take the others out, or make it "
            "a from–to cam first."
        )
    (follower,) = cam.followers
    ends = told(cam, follower.channel)
    if ends[0][1] == ends[1][1]:
        raise GremioError("Its follower never moves, so it can't lead. Give it another range.")
    falls = ends[0][1] > ends[1][1]
    stations = sorted_stations(Station(value, {cam.lead: lead}) for lead, value in ends)
    before, after = (cam.after, cam.before) if falls else (cam.before, cam.after)
    return replace(
        cam, lead=follower.channel, followers=(Follower(cam.lead, "straight"),),
        stations=stations, before=before, after=after,
    )  # fmt: skip


def swapped_ratio(ratio: Ratio) -> Ratio:
    """A ratio with lead and follower the other way about. Refuses one of zero."""
    if ratio.ratio == 0.0:
        raise GremioError("A ratio of 0 can't be swapped: its follower never moves.")
    return replace(
        ratio,
        lead=ratio.follower,
        follower=ratio.lead,
        ratio=1 / ratio.ratio,
        offset=-ratio.offset / ratio.ratio,
        pair=None if ratio.pair is None else (ratio.pair[1], ratio.pair[0]),
    )


def with_pair(ratio: Ratio, lead: float, follower: float) -> Ratio:
    """A ratio of so much of the follower for so much of the lead (SI), told like that. Refuses a
    lead that does not move."""
    if not lead:
        raise GremioError("A proportion needs a lead that moves: write for example 1 turn.")
    return replace(ratio, ratio=follower / lead, pair=(lead, follower))


def pair_of(ratio: Ratio) -> tuple[float, float] | None:
    """So much of the lead, and of the follower (SI), as a ratio was typed; None where it was not,
    or has changed since."""
    if ratio.pair is None:
        return None
    lead, follower = ratio.pair
    same = math.isclose(follower, lead * ratio.ratio, rel_tol=1e-12)
    return ratio.pair if lead and same else None


def typed_ratio(ratio: Ratio, text: str) -> Ratio:
    """A ratio of bare numbers as a person typed it: "-12/36", or "-0.3333". Raises
    QuantityError."""
    # Two plain numbers and a bar; what has more to it is worth what it comes to.
    pair = _PAIR.fullmatch(text.strip().removeprefix("="))
    if pair:
        return with_pair(ratio, parse_bare(pair[2], "Ratio"), parse_bare(pair[1], "Ratio"))
    return replace(ratio, ratio=parse_bare(text, "Ratio"), pair=None)


def remove_link(rig: Rig, link_id: ThingId) -> Rig:
    """Take out a link; its followers are free again."""
    must_have(rig.links, link_id, "link")
    return replace(rig, links=without(rig.links, link_id))


def let_go(rig: Rig, link_id: ThingId, channel: ChannelKey) -> Rig:
    """The rig with a channel (key) led by a link no more: the link is taken out, or of a cam with
    more followers this one."""
    link = must_have(rig.links, link_id, "link")
    if isinstance(link, Cam) and len(link.followers) > 1:
        return change_link(rig, link_id, cam_without(link, {channel}))
    return remove_link(rig, link_id)


def without_channels_of(rig: Rig, *owners: ThingId) -> Rig:
    """The rig with every link cut back to what does not need some parts, controls or others."""
    gone, begins = set(owners), tuple(f"{owner} " for owner in owners)
    cut = {}
    for link_id, link in rig.links.items():
        for channel in members(link):
            if channel in gone or channel.startswith(begins):
                cut[link_id] = _cut(link, gone)
                break
    if not cut:
        return rig
    kept = ((i, cut.get(i, link)) for i, link in rig.links.items())
    return replace(rig, links={i: link for i, link in kept if link is not None})


def _cut(link: Link, gone: set[ThingId]) -> Link | None:
    """A link without followers of what is gone; None where nothing is left of it."""
    if any(split(channel)[0] in gone for channel in leads(link)):
        return None
    lost = {channel for channel in followers(link) if split(channel)[0] in gone}
    if isinstance(link, Cam) and len(lost) < len(link.followers):
        return cam_without(link, lost)
    return None if len(lost) == len(followers(link)) else link
