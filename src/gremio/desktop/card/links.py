"""The two sections of a Card that say what leads a thing, and what it leads."""

from __future__ import annotations

from functools import partial

from gremio.core.inspect.words import how
from gremio.core.rig.channels import full_label, label, link_symbol, link_word, members, split
from gremio.desktop.card.rows import Sheet, Slab, heading, link_button, second
from gremio.desktop.document import Document
from gremio.desktop.theme.inks import Inks

# The name of the window's action that begins a link.
LEAD = "Lead something from what is selected"


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
            if link is None and link_id in rig.closures:
                show = partial(document.select, link_id)
                name = f"{channel.split(' ', 1)[1]}: closed linkage"
                told = ", ".join(label(rig, c) for c in drive.leads[:2])
                sheet.add(Slab(inks, "linkage", name, f"led by {told}" if told else "", show))
                break
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
