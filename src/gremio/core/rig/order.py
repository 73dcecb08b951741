"""The order in which parts and links can be computed; and what makes it impossible."""

from __future__ import annotations

import graphlib
import itertools
import math
from collections.abc import Callable, Container, Iterable
from dataclasses import dataclass

from gremio.core.problem import Note
from gremio.core.rig.blocks import Block
from gremio.core.rig.cams import cam_without
from gremio.core.rig.carrying import carriers, free_keys, part_levels
from gremio.core.rig.channels import (
    adds,
    exists,
    followers,
    freed,
    key,
    label,
    leads,
    link_label,
    members,
    split,
)
from gremio.core.rig.constraint_blocks import constraint_blocks, given_by, tied_to_itself
from gremio.core.rig.constraints import constraint_words
from gremio.core.rig.link_numbers import wrong_numbers
from gremio.core.rig.loops import Loop, closure_label, find_loops, is_sound, moving
from gremio.core.rig.model import (
    Cam,
    Driving,
    Formula,
    Link,
    Planetary,
    Ratio,
    Rig,
    Rolling,
)
from gremio.core.rig.trains import Fault, Row, Train, solve_trains


@dataclass(frozen=True)
class Arrangement:
    """How the links of a rig can be computed.

    levels: each level of blocks can be computed from those before it. notes: why some
    links are left out, and trains that are locked.
    """

    levels: tuple[tuple[Block, ...], ...]
    notes: tuple[Note, ...]


def arrange(rig: Rig) -> Arrangement:
    """Put the links in the order in which they can be computed.

    Left out, with a note: a link to something that is not there or is grounded, the second
    link to set a channel, a ratio that makes a train's leads disagree, and links in a ring.
    """
    notes: list[Note] = []
    links: dict[str, Link] = {}
    for link_id, whole in rig.links.items():
        link, lost_followers = _cut_back(rig, whole)
        notes += lost_followers
        lost = _lost(rig, link)
        if lost is None:
            links[link_id] = link
        elif not lost_followers or followers(link):
            notes.append(lost)
    added = {c for link in links.values() if adds(link) for c in followers(link)}
    one_way = _one_way(rig, links, added, notes)
    held = constraint_blocks(rig, notes)
    given = [*one_way, *(c for block in held for c in block.writes)]
    rows = _screw_rows(rig)
    for link_id, link in links.items():
        if isinstance(link, Ratio | Planetary) and _is_mutual(link, added):
            rows.append(train_row(rig, link_id, link))
    trains, faults = solve_trains(rows, [*rig.controls, *given])
    loops = _loops(rig, trains, given, added)
    if loops:
        found = [c for loop in loops for c in loop.found]
        trains, faults = solve_trains(rows, [*rig.controls, *given, *found])
    notes += _loop_notes(rig, loops)
    notes += [_train_note(rig, fault, one_way) for fault in faults]
    blocks = [_train_block(train) for train in trains]
    blocks += [_loop_block(loop) for loop in loops if loop.found]
    blocks += [_link_block(rig, channel, ids, one_way) for channel, ids in one_way.items()]
    blocks += held
    while ring := _ring(blocks):
        tied = [block for block, _ in ring if block.constraint]
        channels = [channel for _, channel in ring]
        if tied:
            last = max(tied, key=blocks.index)
            notes.append(tied_to_itself(rig, rig.constraints[last.constraint], channels))
            blocks = [b for b in blocks if b is not last]
        else:
            notes.append(_leads_itself(rig, channels))
            blocks = [b for b in blocks if b.train is not None or not set(b.writes) & set(channels)]
    return Arrangement(_levelled(blocks), tuple(notes))


def _one_way(
    rig: Rig, links: dict[str, Link], added: set[str], notes: list[Note]
) -> dict[str, list[str]]:
    """Ids of the links that run one way only, by the channel they give: cams, formulas,
    rolling wheels, what adds, and ratios onto a channel that something is added to."""
    found: dict[str, list[str]] = {}
    for link_id, link in links.items():
        if _is_mutual(link, added):
            continue
        controls = [c for c in followers(link) if not split(c)[1]]
        if controls:
            notes.append(_led_control(rig, controls[0], link))
            continue
        for channel in followers(link):
            ids = found.setdefault(channel, [])
            setting = [i for i in ids if not adds(links[i])]
            if not adds(link) and setting:
                notes.append(_led_twice(rig, channel, links[setting[0]], link))
            else:
                ids.append(link_id)
    for channel, ids in found.items():
        found[channel] = sorted(ids, key=lambda i: adds(links[i]))
    return {channel: ids for channel, ids in found.items() if ids}


def _is_mutual(link: Link, added: Container[str]) -> bool:
    """Whether a link works both ways alike. A ratio of zero does not, nor one onto a channel
    that something is added to."""
    if isinstance(link, Ratio):
        return not (link.adds or link.ratio == 0.0 or link.follower in added)
    return isinstance(link, Planetary)


def train_row(rig: Rig, link_id: str, link: Ratio | Planetary) -> Row:
    """What a ratio, or a planetary set (Willis' equation), says of its channels.

    With a carrier, turns are counted as seen from it: a member that does not ride on the
    carrier turns against it by its own turn less the carrier's.
    """
    if isinstance(link, Planetary):
        factors = {link.carrier: -(1 + link.ratio), link.sun: 1.0, link.ring: link.ratio}
        return Row(factors, link.offset, link_id)
    factors = {link.follower: 1.0, link.lead: -link.ratio}
    if link.carrier:
        arm = split(link.carrier)[0]
        share = 0.0
        if arm not in carriers(rig, split(link.follower)[0]):
            share -= 1.0
        if arm not in carriers(rig, split(link.lead)[0]):
            share += link.ratio
        if share:
            factors[link.carrier] = share
    return Row(factors, link.offset, link_id)


def _screw_rows(rig: Rig) -> list[Row]:
    rows = []
    for part_id, part in rig.parts.items():
        joint = part.joint
        ends = f"move {joint.axis}", f"turn {joint.axis}"
        if joint.kind == "screw" and joint.lead and all(c in freed(joint) for c in ends):
            move, turn = (key(part_id, end) for end in ends)
            rows.append(Row({move: 1.0, turn: -joint.lead / (2 * math.pi)}, 0.0, part_id))
    return rows


def _loops(
    rig: Rig, trains: list[Train], one_way: Container[str], added: Container[str]
) -> list[Loop]:
    """The closed linkages. What other links lead is given in them; a train without a lead of
    its own is led by what a loop gives it."""
    if not rig.closures:
        return []
    given = {
        channel
        for train in trains
        if any(c in rig.controls or c in one_way for c in train.inputs)
        for channel in (*train.inputs, *train.shares)
    }
    led = {c for part in rig.parts for c in moving(rig, part) if c in one_way or c in added}
    computing = [part for level in part_levels(rig)[0] for part in level]
    return find_loops(rig, given | led, computing)


def _loop_block(loop: Loop) -> Block:
    return Block((*loop.given, *loop.free), loop.found, loop.closures, loop=loop)


def _loop_notes(rig: Rig, loops: list[Loop]) -> list[Note]:
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
            names = " and ".join(label(rig, c) for c in loop.given[:3])
            text = (
                f"The loop closed by {told} has {loop.mobility} freedom{'s' * (loop.mobility != 1)}"
                f", but {names or 'its joints'} lead it: {loop.surplus} too many. Let one of them "
                "go."
            )
            notes.append(Note("loop-led", name, text, "warning"))
    for closure in rig.closures.values():
        if not is_sound(rig, closure):
            text = "A pin ties a part that is not in the rig. Remove the pin, and pin it anew."
            notes.append(Note("closure-lost", "", text))
    return notes


def _train_block(train: Train) -> Block:
    return Block(train.inputs, tuple(train.shares), tuple(row.link for row in train.rows), train)


def _link_block(rig: Rig, channel: str, ids: list[str], one_way: dict[str, list[str]]) -> Block:
    reads = dict.fromkeys(c for i in ids for c in channels_read(rig, rig.links[i]))
    for link in (rig.links[i] for i in ids):
        # A carriage sets out along its heading: where a link sets that, it comes first.
        heading = key(link.body, "turn z") if isinstance(link, Driving) else channel
        if heading != channel and not all(adds(rig.links[i]) for i in one_way.get(heading, ())):
            reads[heading] = None
    return Block(tuple(reads), (channel,), tuple(ids))


def channels_read(rig: Rig, link: Link) -> Iterable[str]:
    """Keys of the channels that a one-way link depends on, through frames as well."""
    if isinstance(link, Rolling):
        ends = [split(link.follower)[0]]
        path = rig.paths.get(link.path)
        ends += [path.on] if path is not None and path.on in rig.parts else []
        found = [c for end in ends for p in carriers(rig, end) for c in free_keys(rig, p)]
        return [c for c in found if c != link.follower]
    if not isinstance(link, Formula):
        return leads(link)
    found = []
    for name in leads(link):
        if name in rig.parts:
            found += [c for p in carriers(rig, name) for c in free_keys(rig, p)]
        elif name in rig.measures:
            for end in rig.measures[name].ends:
                found += [c for p in carriers(rig, end.part) for c in free_keys(rig, p)]
        elif exists(rig, name):
            found.append(name)
    return found


def _graph(blocks: list[Block]) -> tuple[dict[int, set[int]], dict[str, int]]:
    """Which blocks each block comes after, and the last block to write each channel. One that
    changes what another wrote comes after that."""
    writer: dict[str, int] = {}
    graph: dict[int, set[int]] = {i: set() for i in range(len(blocks))}
    for i, block in enumerate(blocks):
        for channel in block.writes:
            if channel in writer:
                graph[i].add(writer[channel])
            writer[channel] = i
    for i, block in enumerate(blocks):
        graph[i] |= {writer[c] for c in block.reads if c in writer}
    return graph, writer


def _ring(blocks: list[Block]) -> list[tuple[Block, str]]:
    """Blocks that lead each other round in a ring, each with the channel by which it leads the
    next; [] when there is none."""
    graph, writer = _graph(blocks)
    try:
        graphlib.TopologicalSorter(graph).prepare()
    except graphlib.CycleError as error:
        ring: list[int] = error.args[1]
        return [
            (blocks[before], _leading(blocks[before], blocks[after], before, writer))
            for before, after in itertools.pairwise(ring)
        ]
    return []


def _leading(block: Block, after: Block, index: int, writer: dict[str, int]) -> str:
    """The channel by which a block leads the one after it."""
    read = (c for c in after.reads if writer.get(c) == index)
    return next(read, block.writes[0])


def _levelled(blocks: list[Block]) -> tuple[tuple[Block, ...], ...]:
    sorter = graphlib.TopologicalSorter(_graph(blocks)[0])
    sorter.prepare()
    levels: list[tuple[Block, ...]] = []
    while sorter.is_active():
        ready = sorter.get_ready()
        levels.append(tuple(blocks[i] for i in sorted(ready)))
        sorter.done(*ready)
    return tuple(levels)


def _cut_back(rig: Rig, link: Link) -> tuple[Link, list[Note]]:
    """A cam without the followers that are not there, or grounded, and a note for each."""
    if not isinstance(link, Cam):
        return link, []
    lost = [channel for channel in followers(link) if not exists(rig, channel)]
    if not lost:
        return link, []
    return cam_without(link, lost), [_lost_channel(rig, link, channel) for channel in lost]


def _lost(rig: Rig, link: Link) -> Note | None:
    """The note for a link that refers to something which is not there, or grounded."""
    known: Callable[[str], bool] = lambda name: exists(rig, name)  # noqa: E731
    if isinstance(link, Formula):
        known = lambda name: is_known(rig, name)  # noqa: E731
    for name in leads(link):
        if not known(name):
            return _lost_channel(rig, link, name)
    for name in followers(link):
        if not exists(rig, name):
            return _lost_channel(rig, link, name)
    if len(set(members(link))) < len(members(link)) and not isinstance(link, Formula):
        name = label(rig, followers(link)[0])
        text = f"{name} leads itself by {link_label(rig, link)}. Remove the link."
        return Note("link-cycle", name, text)
    name = label(rig, followers(link)[0]) if followers(link) else ""
    if isinstance(link, Rolling) and link.path and link.path not in rig.paths:
        text = f"{link_label(rig, link)} follows a path that is not in the rig. Remove the link."
        return Note("link-lost", name, text)
    if wrong := wrong_numbers(rig, link):
        return Note("link-wrong", name, f"{link_label(rig, link)} is left out. {wrong}")
    return None


def is_known(rig: Rig, name: str) -> bool:
    """Whether a formula can refer to this: a channel, part, measure or dimension, by key."""
    return (
        name in rig.parts
        or name in rig.measures
        or exists(rig, name)
        or (dimension_of(rig, name) is not None)
    )


def dimension_of(rig: Rig, name: str) -> float | None:
    """The value of a shape's dimension by its key, "p3 shape 1 teeth"; None when it has none."""
    owner, _, rest = name.partition(" shape ")
    number, _, dimension = rest.partition(" ")
    part = rig.parts.get(owner)
    if part is None or not number.isdigit() or int(number) >= len(part.shapes):
        return None
    value = getattr(part.shapes[int(number)].solid, dimension, None)
    return float(value) if isinstance(value, int | float) else None


def _lost_channel(rig: Rig, link: Link, channel: str) -> Note:
    owner, name = split(channel)
    if owner in rig.parts and name:
        part = rig.parts[owner].name
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


def _led_twice(rig: Rig, channel: str, first: Link, second: Link) -> Note:
    name = label(rig, channel)
    text = (
        f"{name} is led twice: by {link_label(rig, first)} and by {link_label(rig, second)}. "
        "Remove one of them, or let one add to the other."
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


def _train_note(rig: Rig, fault: Fault, one_way: dict[str, list[str]]) -> Note:
    link = rig.links.get(fault.link)
    name = label(rig, followers(link)[0]) if link else rig.parts[fault.link].name
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


def _driver_label(rig: Rig, driver: str, one_way: dict[str, list[str]]) -> str:
    ids = one_way.get(driver)
    if ids:
        return link_label(rig, rig.links[ids[0]])
    for constraint in rig.constraints.values():
        if driver in given_by(rig, constraint):
            return f"its constraint ({constraint_words(rig, constraint)})"
    by = [link for link in rig.links.values() if driver in members(link)]
    return link_label(rig, by[0]) if by else label(rig, driver)
