"""The section of a link's Card about a from–to cam: from a range of the lead to ranges of its
followers."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from msgspec.structs import replace

from gremio.core.edit.cams import cam_of, remove_follower, set_range
from gremio.core.edit.links import change_link
from gremio.core.quantity import UNITS
from gremio.core.rig.cams import told
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.model import Beyond, Cam, Rig
from gremio.core.rig.numbers import full_label, kind_of, shown_unit
from gremio.desktop.card.form_sheet import FormSheet
from gremio.desktop.card.forms import Act, Amount, Field, Head, Pick, Several

# A from–to cam does not go round.
_BEYOND: tuple[Beyond, ...] = ("hold", "carry on")


def range_section(sheet: FormSheet, link_id: ThingId, cam: Cam) -> Iterator[Field]:
    """The ranges of a from–to cam."""
    rig = sheet.document.rig
    yield Head(f"From {full_label(rig, cam.lead)}", name="From")
    yield Several("from, to", [_end(rig, link_id, cam.lead, end) for end in (0, 1)])
    for follower in cam.followers:
        channel = follower.channel
        yield Head(f"To {full_label(rig, channel)}", name="To")
        yield Several("from, to", [_end(rig, link_id, channel, end) for end in (0, 1)])
        acts = [Act("turn it round", partial(_turn_round, sheet, link_id, channel))]
        if len(cam.followers) > 1:
            acts.append(Act("take it out", partial(_take_out, sheet, link_id, channel)))
        yield Several("", acts)
    yield Head("Beyond", name="Beyond")
    yield _beyond(link_id, "before")
    yield _beyond(link_id, "after")
    more = partial(sheet.action_wanted.emit, "link.one more")
    yield Act("Lead one more…", more, "Then click the part that should follow too")


def _ends(rig: Rig, link_id: ThingId, channel: ChannelKey) -> tuple[float, float]:
    """The values of a channel at both ends, of the lead or of a follower."""
    cam = cam_of(rig, link_id)
    if channel == cam.lead:
        return cam.stations[0].lead, cam.stations[1].lead
    (_, one), (_, two) = told(cam, channel)
    return one, two


def _with_ends(rig: Rig, link_id: ThingId, channel: ChannelKey, ends: tuple[float, float]) -> Rig:
    cam = cam_of(rig, link_id)
    is_lead = channel == cam.lead
    leads = ends if is_lead else _ends(rig, link_id, cam.lead)
    return set_range(rig, link_id, leads, {} if is_lead else {channel: ends})


def _end(rig: Rig, link_id: ThingId, channel: ChannelKey, end: int) -> Amount:
    unit = shown_unit(rig, channel)

    def put(rig: Rig, value: float) -> Rig:
        ends = list(_ends(rig, link_id, channel))
        ends[end] = value
        return _with_ends(rig, link_id, channel, (ends[0], ends[1]))

    return Amount(
        "",
        kind_of(rig, channel),
        lambda rig: _ends(rig, link_id, channel)[end],
        put,
        "range of a link",
        f"{full_label(rig, channel)} {('from', 'to')[end]}",
        unit=unit,
        help=f"in {UNITS[unit].symbol or 'plain numbers'}",
    )


def _beyond(link_id: ThingId, word: str) -> Pick:
    """What holds beyond one end of the range."""
    return Pick(
        word.capitalize(),
        {beyond: beyond for beyond in _BEYOND},
        lambda rig: getattr(cam_of(rig, link_id), word),
        lambda rig, beyond: _with_end(rig, link_id, word, beyond),
        f"what holds {word} a range",
        f"{word.capitalize()} the range",
    )


def _with_end(rig: Rig, link_id: ThingId, word: str, beyond: Beyond) -> Rig:
    return change_link(rig, link_id, replace(cam_of(rig, link_id), **{word: beyond}))


def _turn_round(sheet: FormSheet, link_id: ThingId, channel: ChannelKey) -> None:
    def change(rig: Rig) -> Rig:
        one, two = _ends(rig, link_id, channel)
        return _with_ends(rig, link_id, channel, (two, one))

    sheet.edit("range of a link", change)


def _take_out(sheet: FormSheet, link_id: ThingId, channel: ChannelKey) -> None:
    sheet.edit("take a follower out", lambda rig: remove_follower(rig, link_id, channel))
