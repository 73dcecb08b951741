"""The two sections of a Card that say what leads a thing, and what it leads."""

from __future__ import annotations

from functools import partial

from gremio.core.quantity import show_short
from gremio.core.rig.channels import channel_unit, followers, full_label, label, split
from gremio.core.rig.model import Link, Ratio, Rig
from gremio.desktop.card.rows import Sheet, Slab, heading, link_button, second
from gremio.desktop.document import Document
from gremio.desktop.theme.inks import Inks

# The name of the window's action that begins a link.
LEAD = "Lead something from what is selected"


def unit_of(rig: Rig, channel: str) -> str:
    """The unit a channel is shown in."""
    owner, name = split(channel)
    if owner in rig.controls:
        return rig.controls[owner].unit
    return channel_unit(name)


def symbol_of(link: Link) -> str:
    """The symbol of a link."""
    return "ratio" if isinstance(link, Ratio) else "cam"


def how(rig: Rig, link: Link, channel: str) -> str:
    """How a link leads one of its followers, in a few words."""
    if isinstance(link, Ratio):
        return ratio_words(rig, link)
    lead_unit, unit = unit_of(rig, link.lead), unit_of(rig, channel)
    points = [(s.lead, s.values[channel]) for s in link.stations if channel in s.values]
    return "   ".join(f"{show_short(x, lead_unit)} → {show_short(y, unit)}" for x, y in points[:4])


def ratio_words(rig: Rig, link: Ratio) -> str:
    """ "× −0.25", or "678.6 mm a turn" between kinds."""
    units = unit_of(rig, link.lead), unit_of(rig, link.follower)
    kinds = [("angle" if unit in ("deg", "rad", "turn") else unit) for unit in units]
    if kinds[0] == kinds[1]:
        return f"× {link.ratio:.6g}".replace("-", "−")
    if kinds[0] == "angle":
        return f"{show_short(link.ratio * 6.283185307179586, units[1])} a turn"
    return f"{show_short(link.ratio, units[1])} for every {show_short(1.0, units[0])}"


def add_link_sections(sheet: Sheet, document: Document, thing: str, inks: Inks) -> None:
    """What a part or control is led by, and what it leads."""
    rig, program = document.rig, document.program
    ids = {id(link): link_id for link_id, link in rig.links.items()}
    channels = document.channels_of(thing)
    led = [(c, program.leads_of[c]) for c in channels if c in program.leads_of]
    if thing in rig.parts:
        sheet.add(heading("Led by"))
        if not led:
            sheet.add(second("nothing: a hand can move it" if channels else "nothing: grounded"))
    for channel, link in led:
        text = label(rig, link.lead)
        sheet.add(
            Slab(
                inks,
                symbol_of(link),
                text,
                how(rig, link, channel),
                partial(document.select, ids[id(link)]),
            )
        )
    sheet.add(heading("Leads"))
    leads = [
        (link_id, link, follower)
        for link_id, link in rig.links.items()
        if split(link.lead)[0] == thing
        for follower in followers(link)
    ]
    for link_id, link, follower in leads:
        sheet.add(
            Slab(
                inks,
                symbol_of(link),
                full_label(rig, follower),
                how(rig, link, follower),
                partial(document.select, link_id),
            )
        )
    if not leads:
        sheet.add(second("nothing yet"))
    if channels:
        words = "Lead something else…" if leads else "Lead something…"
        sheet.add(
            link_button(
                words, partial(sheet.action_wanted.emit, LEAD), "Then click the part to lead (L)"
            )
        )


def drive_words(rig: Rig, link: Link) -> str:
    """A link as one word of the ribbon."""
    if isinstance(link, Ratio):
        return ratio_words(rig, link)
    return f"cam, {len(link.stations)} stations"
