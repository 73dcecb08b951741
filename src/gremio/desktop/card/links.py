"""The two sections of a Card that say what leads a thing, and what it leads."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial

from gremio.core.inspect.words import how
from gremio.core.rig.channels import split
from gremio.core.rig.constraints import CONSTRAINTS, constraints_of, target_name, targets_of
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.links import leads, link_symbol, link_word, members
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import full_label, label, number_word, numbers_of
from gremio.core.solve.drives import Drive
from gremio.core.solve.program import Program
from gremio.desktop.actions.hints import with_key
from gremio.desktop.card.forms import Act, Field, Head, Menu, Thing, Words
from gremio.desktop.document.document import Document
from gremio.desktop.fields.pieces import short_channels


def led_section(document: Document, thing: ThingId) -> Iterator[Field]:
    """What a thing is led by: every number of it."""
    rig, program = document.rig, document.program
    led = [(c, program.drives[c]) for c in numbers_of(rig, thing) if c in program.drives]
    if thing in rig.parts or led:
        free = bool(document.channels_of(thing))
        held = bool(led) or bool(constraints_of(rig, PartId(thing)))
        gist = "nothing: a hand can move it" if free else "nothing: grounded"
        yield Head("Led by", _several(len(led), "number") if held else gist)
    said: set[str] = set()
    for channel, drive in led:
        yield from _leading(program, channel, drive, said)
    for constraint_id in constraints_of(rig, PartId(thing)):
        if constraint_id not in said:
            yield constraint_slab(rig, constraint_id)
    yield from _pins(rig, thing)


def _pins(rig: Rig, thing: ThingId) -> Iterator[Field]:
    """The pins and rails at a part."""
    own = {i: c for i, c in rig.closures.items() if thing in (c.one, c.two)}
    if own:
        yield Head("Pinned to", _several(len(own), "part"))
    for closure_id, closure in own.items():
        other = closure.two if closure.one == thing else closure.one
        name = "the ground" if other is None else rig.parts[other].name
        yield Thing("linkage", name, closure.kind, closure_id)


def _leading(
    program: Program, channel: ChannelKey, drive: Drive, said: set[str]
) -> Iterator[Field]:
    """What leads one number, each once."""
    rig = program.rig
    word = number_word(rig, channel)
    for link_id in drive.links:
        if link_id in rig.closures:
            told = ", ".join(label(rig, c) for c in drive.leads[:2])
            more = f"led by {told}" if told else ""
            yield Thing("linkage", f"{word}: closed linkage", more, link_id)
            return
        if link_id in rig.constraints:
            if link_id not in said:
                yield constraint_slab(rig, link_id)
        elif link_id in rig.links:
            yield _link_slab(program, link_id, channel)
        else:
            yield Words(f"{word}: its own screw")
        said.add(link_id)


def _link_slab(program: Program, link_id: ThingId, channel: ChannelKey) -> Thing:
    rig = program.rig
    link = rig.links[link_id]
    # In a train any member may lead the others; elsewhere a follower leads no other follower.
    known = members(link) if channel in program.trains else leads(link)
    others = [c for c in known if c != channel and c in program.channel_row]
    names = " and ".join(label(rig, c) for c in others[:2]) or link_word(link)
    word = number_word(rig, channel)
    several = word and label(rig, channel) != _part_name(rig, channel)
    text = f"{word}: {names}" if several else names
    return Thing(link_symbol(link), text, how(rig, link, channel), link_id)


def _part_name(rig: Rig, channel: ChannelKey) -> str:
    """The name of the part that a channel alone is told by; "" for anything else."""
    part = rig.parts.get(PartId(split(channel)[0]))
    return part.name if part is not None else ""


def constraint_slab(rig: Rig, constraint_id: ThingId) -> Thing:
    """A constraint on a part, and what it keeps the part to."""
    constraint = rig.constraints[constraint_id]
    names = ", ".join(target_name(rig, target) for target in targets_of(constraint))
    state = ", off" if constraint.off else ""
    words = f"{constraint.kind}: {names}" if names else constraint.kind
    gives = short_channels(constraint.channels)
    if constraint.kind == "reach":
        gives = f"{len(constraint.channels)} joints"
    return Thing(constraint.kind, words, f"gives {gives}{state}", constraint_id)


def leads_section(document: Document, thing: ThingId) -> Iterator[Field]:
    """What a thing leads: links, and constraints that keep others to it."""
    rig, program = document.rig, document.program
    own = {link for c in numbers_of(rig, thing) if c in program.drives
           for link in program.drives[c].links}  # fmt: skip
    led = [
        (link_id, follower)
        for follower, drive in program.drives.items()
        for link_id in drive.links
        if link_id in rig.links and link_id not in own
        if any(split(c)[0] == thing for c in drive.leads) and split(follower)[0] != thing
    ]
    kept = [
        constraint_id
        for constraint_id, constraint in rig.constraints.items()
        if thing in rig.parts and PartId(thing) in (t.on for t in targets_of(constraint))
    ]
    count = len(led) + len(kept)
    yield Head("Leads", _several(count, "part") if count else "nothing yet")
    for link_id, follower in led:
        link = rig.links[link_id]
        name, told = full_label(rig, follower), how(rig, link, follower)
        yield Thing(link_symbol(link), name, told, link_id)
    for constraint_id in kept:
        constraint = rig.constraints[constraint_id]
        name = rig.parts[constraint.part].name if constraint.part in rig.parts else ""
        yield Thing(constraint.kind, f"{name}, {constraint.kind}", "", constraint_id)


def _several(count: int, word: str) -> str:
    return f"{count} {word}{'s' * (count != 1)}"


def link_sections(document: Document, thing: ThingId) -> Iterator[Field]:
    """What a constraint or a strand is led by, and leads."""
    yield from led_section(document, thing)
    yield from leads_section(document, thing)


def tying(act: Callable[[str], object]) -> Menu:
    """The menu that constrains a part. act: is told the id of an action."""
    ties = {record.action: f"tie.{kind}" for kind, record in CONSTRAINTS.items()}
    return Menu("Tie", list(ties), lambda text: act(ties[text]), help="Constrain it")


def leading_on(document: Document, thing: ThingId, act: Callable[[str], object]) -> Act | None:
    """Begins a link from a thing. act: is told the id of an action."""
    if not document.channels_of(thing):
        return None
    return Act("Lead", partial(act, "link.lead"),
               with_key("Then click the part to lead", "link.lead"))  # fmt: skip
