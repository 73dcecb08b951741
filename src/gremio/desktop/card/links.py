"""The two sections of a Card that say what leads a thing, and what it leads."""

from __future__ import annotations

import math
from functools import partial

from gremio.core.formula.edit import shown
from gremio.core.quantity import show_short
from gremio.core.rig.channels import (
    full_label,
    kind_of,
    label,
    link_symbol,
    link_word,
    members,
    shown_unit,
    split,
)
from gremio.core.rig.model import Cam, Driving, Formula, Link, Planetary, Ratio, Rig, Rolling
from gremio.desktop.card.rows import Sheet, Slab, heading, link_button, second
from gremio.desktop.document import Document
from gremio.desktop.theme.inks import Inks

# The name of the window's action that begins a link.
LEAD = "Lead something from what is selected"


def how(rig: Rig, link: Link, channel: str) -> str:
    """How a link leads one of its followers, in a few words."""
    match link:
        case Ratio():
            return ratio_words(rig, link)
        case Planetary():
            return f"ring ÷ sun {link.ratio:.4g}"
        case Formula():
            return ("+ " if link.adds else "= ") + shown(rig, link)
        case Rolling():
            return f"rolls on a radius of {show_short(link.radius, 'm')}"
        case Driving():
            return "goes along its heading"
        case Cam():
            lead_unit, unit = shown_unit(rig, link.lead), shown_unit(rig, channel)
            points = [(s.lead, s.values[channel]) for s in link.stations if channel in s.values]
            return "   ".join(
                f"{show_short(x, lead_unit)} → {show_short(y, unit)}" for x, y in points[:4]
            )


def ratio_words(rig: Rig, link: Ratio) -> str:
    """ "× −0.25", or "678.6 mm a turn" between kinds."""
    kinds = kind_of(rig, link.lead), kind_of(rig, link.follower)
    units = shown_unit(rig, link.lead), shown_unit(rig, link.follower)
    sign = "+ " if link.adds else ""
    if kinds[0] == kinds[1]:
        words = f"× {link.ratio:.6g}"
    elif kinds[0] == "angle":
        words = f"{show_short(link.ratio * 2 * math.pi, units[1])} a turn"
    else:
        words = f"{show_short(link.ratio, units[1])} for every {show_short(1.0, units[0])}"
    return f"{sign}{words}".replace("-", "−")


def add_link_sections(sheet: Sheet, document: Document, thing: str, inks: Inks) -> None:
    """What a part or control is led by, and what it leads."""
    rig, program = document.rig, document.program
    channels = document.channels_of(thing)
    led = [(c, program.drives[c]) for c in channels if c in program.drives]
    said: set[str] = set()
    if thing in rig.parts:
        sheet.add(heading("Led by"))
        if not led:
            sheet.add(second("nothing: a hand can move it" if channels else "nothing: grounded"))
    for channel, drive in led:
        for link_id in drive.links:
            link = rig.links.get(link_id)
            if link is None:
                sheet.add(second(f"{channel.split(' ', 1)[1]}: its own screw"))
                continue
            said.add(link_id)
            others = [c for c in members(link) if c != channel and c in program.channel_row]
            names = " and ".join(label(rig, c) for c in others[:2]) or link_word(link)
            text = names if len(channels) == 1 else f"{channel.split(' ', 1)[1]}: {names}"
            show = partial(document.select, link_id)
            sheet.add(Slab(inks, link_symbol(link), text, how(rig, link, channel), show))
    sheet.add(heading("Leads"))
    leads = [
        (rig.links[link_id], link_id, follower)
        for follower, drive in program.drives.items()
        for link_id in drive.links
        if link_id in rig.links and link_id not in said
        if any(split(c)[0] == thing for c in drive.leads) and split(follower)[0] != thing
    ]
    for link, link_id, follower in leads:
        show = partial(document.select, link_id)
        name = full_label(rig, follower)
        sheet.add(Slab(inks, link_symbol(link), name, how(rig, link, follower), show))
    if not leads:
        sheet.add(second("nothing yet"))
    if channels:
        words = "Lead something else…" if leads else "Lead something…"
        sheet.add(
            link_button(
                words, partial(sheet.action_wanted.emit, LEAD), "Then click the part to lead (L)"
            )
        )


def drive_words(rig: Rig, link: Link | None) -> str:
    """A link as one word of the ribbon; None is a screw's own."""
    match link:
        case None:
            return "screw"
        case Ratio():
            return ratio_words(rig, link)
        case Cam():
            return f"cam, {len(link.stations)} stations"
    return link_word(link)
