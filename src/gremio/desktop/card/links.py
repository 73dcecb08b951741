"""The two sections of a Card that say what leads a thing, and what it leads."""

from __future__ import annotations

from functools import partial

from gremio.core.inspect.words import how
from gremio.core.rig.channels import full_label, label, link_symbol, link_word, members, split
from gremio.core.rig.constraints import constraints_of, target_name
from gremio.core.rig.model import ConstraintKind
from gremio.desktop.card.rows import (
    Sheet,
    Slab,
    heading,
    link_button,
    menu_button,
    second,
    short_channels,
)
from gremio.desktop.document import Document
from gremio.desktop.theme.inks import Inks

# The name of the window's action that begins a link.
LEAD = "Lead something from what is selected"
# The name of the window's action that adds a target to the selected constraint.
ADD_TARGET = "Add a target to the selected constraint"


# The names of the window's actions that constrain what is selected.
CONSTRAIN: dict[ConstraintKind, str] = {
    "ride": "Let it ride on something",
    "pin": "Keep its position to something",
    "match": "Match its turn to something",
    "aim": "Aim it at something",
    "tether": "Tether it to something",
    "seat": "Seat it on a surface",
    "follow path": "Let it follow a path",
    "constant volume": "Keep its volume",
    "reach": "Let it reach for something",
}


def _constraint_slab(document: Document, constraint_id: str, inks: Inks) -> Slab:
    """A constraint on a part, and what it keeps the part to."""
    rig = document.rig
    constraint = rig.constraints[constraint_id]
    names = ", ".join(target_name(rig, target) for target in constraint.targets)
    state = ", off" if constraint.off else ""
    words = f"{constraint.kind}: {names}" if names else constraint.kind
    show = partial(document.select, constraint_id)
    gives = short_channels(constraint.channels)
    if constraint.kind == "reach":
        gives = f"{len(constraint.channels)} joints"
    return Slab(inks, constraint.kind, words, f"gives {gives}{state}", show)


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
            if link_id in rig.constraints:
                if link_id not in said:
                    said.add(link_id)
                    sheet.add(_constraint_slab(document, link_id, inks))
                continue
            if link is None:
                sheet.add(second(f"{channel.split(' ', 1)[1]}: its own screw"))
                continue
            said.add(link_id)
            others = [c for c in members(link) if c != channel and c in program.channel_row]
            names = " and ".join(label(rig, c) for c in others[:2]) or link_word(link)
            text = names if len(channels) == 1 else f"{channel.split(' ', 1)[1]}: {names}"
            show = partial(document.select, link_id)
            sheet.add(Slab(inks, link_symbol(link), text, how(rig, link, channel), show))
    for link_id in constraints_of(rig, thing):
        if link_id not in said:
            sheet.add(_constraint_slab(document, link_id, inks))
    if thing in rig.parts:
        words = "Constrain it…"
        sheet.add(menu_button(words, words, list(CONSTRAIN.values()), sheet.action_wanted.emit))
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
    kept = [
        constraint_id
        for constraint_id, constraint in rig.constraints.items()
        if thing in (t.on for t in constraint.targets) and thing in rig.parts
    ]
    for constraint_id in kept:
        constraint = rig.constraints[constraint_id]
        show = partial(document.select, constraint_id)
        name = rig.parts[constraint.part].name if constraint.part in rig.parts else ""
        sheet.add(Slab(inks, constraint.kind, f"{name}, {constraint.kind}", "", show))
    if not leads and not kept:
        sheet.add(second("nothing yet"))
    if channels and thing not in rig.constraints:
        words = "Lead something else…" if leads else "Lead something…"
        sheet.add(
            link_button(
                words, partial(sheet.action_wanted.emit, LEAD), "Then click the part to lead (L)"
            )
        )
