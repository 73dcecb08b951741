"""What keeps links from being computed, said so that a person can act on it."""

from __future__ import annotations

from gremio.core.plan.constraint_blocks import given_by
from gremio.core.plan.loops import Loop, is_sound
from gremio.core.plan.trains import Fault
from gremio.core.problem import Note, counted_words, listed
from gremio.core.rig.channels import split
from gremio.core.rig.constraints import constraint_words
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.links import followers, link_label, members
from gremio.core.rig.model import Link, Rig
from gremio.core.rig.numbers import closure_label, full_label, label


def loop_notes(rig: Rig, loops: list[Loop]) -> list[Note]:
    """What keeps closed linkages from following what leads them."""
    notes = []
    for loop in loops:
        told = closure_label(rig, rig.closures[loop.closures[0]])
        name = rig.parts[rig.closures[loop.closures[0]].one].name
        if not loop.found:
            text = (
                f"{told[0].upper()}{told[1:]} has nothing left to move: every joint of its loop is "
                "led. Let one of them go, or remove the closure."
            )
            notes.append(Note("loop-led", name, text))
        elif loop.surplus:
            text = _too_many(rig, loop, told)
            notes.append(Note("loop-led", name, text, "warning"))
    for closure in rig.closures.values():
        if not is_sound(rig, closure):
            text = "A pin ties a part that is not in the rig. Remove the pin, and pin it anew."
            notes.append(Note("closure-lost", "", text))
    return notes


def _too_many(rig: Rig, loop: Loop, told: str) -> str:
    """Why what is given leads a loop by more than it can follow. told: the words for it."""
    names = listed(label(rig, c) for c in loop.given[:3])
    some = [c for c in loop.given if c not in loop.idle]
    if 0 < len(some) <= loop.mobility:
        return (
            f"{names} can't lead the loop closed by {told} as it stands at home: it has freedom "
            "enough, but not for that, as at a dead centre. Let another channel lead, or turn a "
            "part of it a little and set its home there."
        )
    freedoms = counted_words(loop.mobility, "freedom")
    verb = "leads" if len(some) == 1 else "lead"
    return (
        f"The loop closed by {told} has {freedoms}, but {names or 'its joints'} {verb} it: "
        f"{loop.surplus} too many. Let one of them go."
    )


def lost_channel(rig: Rig, link: Link, channel: ChannelKey) -> Note:
    """A link refers to a channel that is not there, or grounded."""
    owner, name = split(channel)
    if owner in rig.parts and name:
        part = rig.parts[PartId(owner)].name
        text = (
            f"{name} of {part} is grounded: its joint does not allow it. "
            f"Change the joint of {part}, or {_let_go(rig, link)}."
        )
        return Note("led-grounded", part, text)
    text = f"A link refers to {owner!r}, which is not in the rig. Remove the link."
    return Note("link-lost", "", text)


def _let_go(rig: Rig, link: Link) -> str:
    """What to do so that a link leads something no more."""
    several = len(followers(link)) > 1
    return (
        f"take it out of {link_label(rig, link)}"
        if several
        else (f"remove {link_label(rig, link)}")
    )


def led_twice(rig: Rig, channel: ChannelKey, first: Link, second: Link) -> Note:
    """Two links set one channel."""
    name = label(rig, channel)
    text = (
        f"{name} is led twice: by {link_label(rig, first)} and by {link_label(rig, second)}. "
        "Remove one of them, or let one add to the other."
    )
    return Note("led-twice", name, text)


def leads_itself(rig: Rig, ring: list[ChannelKey]) -> Note:
    """Links in a ring. ring: the channels by which they lead each other."""
    names = [label(rig, channel) for channel in ring]
    chain = " leads ".join([*names, names[0]])
    text = f"{chain}: links in a ring have no beginning. Remove one of them."
    return Note("link-cycle", names[0], text)


def train_note(rig: Rig, fault: Fault, one_way: dict[ChannelKey, list[ThingId]]) -> Note:
    """What is wrong with a row of a train. one_way: ids of the one-way links, by channel."""
    link = rig.links.get(fault.link)
    name = label(rig, followers(link)[0]) if link else rig.parts[PartId(fault.link)].name
    told = link_label(rig, link) if link else f"the screw {name}"
    if fault.kind == "twice":
        own = members(link) if link else ()
        drivers = [d for d in fault.drivers if d not in own] or list(fault.drivers)
        others = [_driver_label(rig, driver, one_way) for driver in drivers]
        text = (
            f"{name} is led twice: by {told}, and its train has a lead already: "
            f"{' and '.join(others)}. Remove one of them."
        )
        return Note("led-twice", name, text)
    names = [label(rig, channel) for channel in fault.loop]
    chain = " leads ".join([*names, names[0]]) if names else name
    if fault.kind == "disagrees":
        text = (
            f"{chain}: these ratios agree in speed, but start at different places, so {told} is "
            "left out. Make it start where the others do."
        )
        return Note("train-disagrees", name, text)
    once = (
        f"once round gives × {fault.factor:.4g} where it must give × 1, so"
        if (len(fault.loop) < 3 or fault.factor)
        else "these three leave each other no freedom, so"
    )
    text = f"{chain}: {once} the train is locked. Change or remove {told}."
    return Note("train-locked", name, text)


def _driver_label(rig: Rig, driver: ChannelKey, one_way: dict[ChannelKey, list[ThingId]]) -> str:
    ids = one_way.get(driver)
    if ids:
        return link_label(rig, rig.links[ids[0]])
    for constraint in rig.constraints.values():
        if driver in given_by(rig, constraint):
            return f"its constraint ({constraint_words(rig, constraint)})"
    by = [link for link in rig.links.values() if driver in members(link)]
    return link_label(rig, by[0]) if by else label(rig, driver)


def stop_in_loop(rig: Rig, stop: ChannelKey, channel: ChannelKey) -> Note:
    """The stop (key) of a channel that a closed linkage is solved for is led."""
    name = full_label(rig, stop)
    text = (
        f"{name} is led, but {label(rig, channel)} is solved for in a closed linkage, whose stops "
        "stand still. Lead the stop of what leads the linkage instead."
    )
    return Note("led-stop", name, text)


def holds_its_lead(rig: Rig, link: Link) -> Note:
    """A link leads a stop from what is held by that stop."""
    names = ", ".join(full_label(rig, channel) for channel in followers(link))
    text = (
        f"{link_label(rig, link)[0].upper()}{link_label(rig, link)[1:]} leads {names} from what it "
        "holds, so that neither can be computed first. Lead it from something else."
    )
    return Note("led-stop", names, text)


def led_teeth(rig: Rig, channel: ChannelKey, ratio: Link) -> Note:
    """A dimension of teeth is led, and a ratio counts them."""
    name = full_label(rig, channel)
    text = (
        f"{name} can't be led: {link_label(rig, ratio)} counts these teeth, and would go on with "
        "those of before. Remove that ratio first, or lead it by a formula."
    )
    return Note("led-teeth", name, text)
