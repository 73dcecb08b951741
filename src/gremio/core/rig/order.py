"""The order in which links, and parts, can be computed; and what makes it impossible."""

from __future__ import annotations

import graphlib

from gremio.core.problem import Note
from gremio.core.rig.channels import exists, followers, label, link_label, split
from gremio.core.rig.model import Link, Rig


def part_levels(rig: Rig) -> tuple[list[list[str]], list[Note]]:
    """Part ids by their depth below the ground, and faults in the mounting.

    A part whose parent is missing, or that is mounted on itself in a ring, is computed
    as if it stood on the ground.
    """
    notes: list[Note] = []
    depth: dict[str, int] = {}
    for part in rig.parts:
        trail: list[str] = []
        here: str | None = part
        while here is not None and here not in depth and here not in trail:
            trail.append(here)
            parent = rig.parts[here].parent
            if parent is not None and parent not in rig.parts:
                notes.append(_lost_parent(rig, here))
                parent = None
            here = parent
        base = -1 if here is None else depth.get(here, -1)
        if here is not None and here in trail:
            notes.append(_mounted_on_itself(rig, trail[trail.index(here) :]))
        for step, name in enumerate(reversed(trail)):
            depth[name] = base + 1 + step
    levels: list[list[str]] = [[] for _ in range(max(depth.values(), default=-1) + 1)]
    for part in rig.parts:
        levels[depth[part]].append(part)
    return levels, notes


def _lost_parent(rig: Rig, part: str) -> Note:
    name = rig.parts[part].name
    text = f"{name} is mounted on a part that is not in the rig. Choose another on its Card."
    return Note("parent-missing", name, text)


def _mounted_on_itself(rig: Rig, ring: list[str]) -> Note:
    names = [rig.parts[part].name for part in ring]
    chain = " is mounted on ".join([*names, names[0]])
    text = f"{chain}: a ring of parts has no ground to stand on. Mount one of them elsewhere."
    return Note("parent-cycle", names[0], text)


def usable_links(rig: Rig) -> tuple[list[Link], list[Note]]:
    """The links that can be computed, in the rig's order, and why the others can't.

    Left out: a link to something that is not there or is grounded, the second link to
    lead a channel, and every link of a ring.
    """
    notes: list[Note] = []
    usable: list[Link] = []
    led: dict[str, Link] = {}
    for link in rig.links.values():
        lost = [c for c in (link.lead, *followers(link)) if not exists(rig, c)]
        if lost:
            notes.append(_lost_channel(rig, link, lost[0]))
            continue
        twice = [c for c in followers(link) if c in led]
        if twice:
            notes.append(_led_twice(rig, twice[0], led[twice[0]], link))
            continue
        controls = [c for c in followers(link) if not split(c)[1]]
        if controls:
            notes.append(_led_control(rig, controls[0], link))
            continue
        usable.append(link)
        led.update((channel, link) for channel in followers(link))
    while ring := _ring(usable):
        notes.append(_leads_itself(rig, ring))
        usable = [link for link in usable if not _is_of_ring(link, ring)]
    return usable, notes


def _ring(links: list[Link]) -> list[str]:
    """Channels that lead each other round in a ring, lead first; [] when there is none."""
    graph: dict[str, set[str]] = {}
    for link in links:
        for follower in followers(link):
            graph.setdefault(follower, set()).add(link.lead)
    try:
        graphlib.TopologicalSorter(graph).prepare()
    except graphlib.CycleError as error:
        ring: list[str] = error.args[1][:-1]
        return ring
    return []


def _is_of_ring(link: Link, ring: list[str]) -> bool:
    if link.lead not in ring:
        return False
    following = ring[(ring.index(link.lead) + 1) % len(ring)]
    return following in followers(link)


def led_by(links: list[Link]) -> dict[str, Link]:
    """The link that leads each led channel."""
    return {channel: link for link in links for channel in followers(link)}


def link_levels(links: list[Link]) -> list[list[tuple[Link, str]]]:
    """(link, follower) by level: each level can be computed from those before it."""
    leads = led_by(links)
    sorter = graphlib.TopologicalSorter({c: {link.lead} for c, link in leads.items()})
    sorter.prepare()
    levels: list[list[tuple[Link, str]]] = []
    while sorter.is_active():
        ready = sorter.get_ready()
        level = [(leads[channel], channel) for channel in ready if channel in leads]
        if level:
            levels.append(level)
        sorter.done(*ready)
    return levels


def _lost_channel(rig: Rig, link: Link, channel: str) -> Note:
    owner, name = split(channel)
    if owner in rig.parts:
        part = rig.parts[owner].name
        text = (
            f"{name} of {part} is grounded: its joint does not allow it. "
            f"Change the joint of {part}, or remove {link_label(rig, link)}."
        )
        return Note("led-grounded", part, text)
    text = f"A link refers to {owner!r}, which is not in the rig. Remove the link."
    return Note("link-lost", "", text)


def _led_twice(rig: Rig, channel: str, first: Link, second: Link) -> Note:
    name = label(rig, channel)
    text = (
        f"{name} is led twice: by {link_label(rig, first)} and by {link_label(rig, second)}. "
        "Remove one of them."
    )
    return Note("led-twice", name, text)


def _led_control(rig: Rig, control: str, link: Link) -> Note:
    name = label(rig, control)
    text = f"{name} is a control, and a hand leads it. Remove {link_label(rig, link)}."
    return Note("led-control", name, text)


def _leads_itself(rig: Rig, ring: list[str]) -> Note:
    names = [label(rig, channel) for channel in ring]
    chain = " leads ".join([*names, names[0]])
    text = f"{chain}: links in a ring have no beginning. Remove one of them."
    return Note("link-cycle", names[0], text)
