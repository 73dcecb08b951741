"""The order in which parts and links can be computed; and what makes it impossible."""

from __future__ import annotations

import graphlib
import itertools
import math
from collections.abc import Callable, Container, Iterable, Mapping

from gremio.core.plan.arrangement import Arrangement, places_in
from gremio.core.plan.blocks import Block
from gremio.core.plan.carrying import carriers
from gremio.core.plan.constraint_blocks import constraint_blocks, tied_to_itself
from gremio.core.plan.faults import (
    holds_its_lead,
    leads_itself,
    led_teeth,
    led_twice,
    loop_notes,
    lost_channel,
    stop_in_loop,
    train_note,
)
from gremio.core.plan.loops import Loop
from gremio.core.plan.reads import channels_read
from gremio.core.plan.trains import Row, Train, solve_trains
from gremio.core.plan.trains_and_loops import with_loops
from gremio.core.problem import Note
from gremio.core.rig.cams import cam_without
from gremio.core.rig.channels import freed, key, split
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.links import (
    adds,
    followers,
    leads,
    link_label,
    record_of,
    wrong_numbers,
)
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
from gremio.core.rig.numbers import ENDS, exists, is_known, label

# Dimensions on which it depends how gears run together.
TEETH = ("teeth", "module", "shift", "pressure_angle")


def arranged_whole(rig: Rig, without: frozenset[ThingId] = frozenset()) -> Arrangement:
    """The arrangement of a rig, all of it made anew.

    Left out, with a note: a link to something that is not there or is grounded, the second
    link to set a channel, a ratio that makes a train's leads disagree, and links in a ring.
    without: ids of links that lead a stop from what it holds; they are left out.
    """
    notes: list[Note] = []
    links: dict[ThingId, Link] = {}
    for link_id, whole in rig.links.items():
        if link_id in without:
            notes.append(holds_its_lead(rig, whole))
            continue
        link, lost_followers = _cut_back(rig, whole)
        notes += lost_followers
        lost = _lost(rig, link)
        if lost is None:
            links[link_id] = link
        elif not lost_followers or followers(link):
            notes.append(lost)
    _leave_out_led_teeth(rig, links, notes)
    leads_to = {link_id: followers(link) for link_id, link in links.items()}
    added = {c for i, link in links.items() if adds(link) for c in leads_to[i]}
    one_way = _one_way(links, added, lambda *about: notes.append(led_twice(rig, *about)))
    held = constraint_blocks(rig, notes)
    given = [*one_way, *(c for block in held for c in block.writes)]
    # A control leads, unless a link leads it.
    led = {c for i, link in links.items() if not adds(link) for c in leads_to[i]}
    leading = [c for c in map(key, rig.controls) if c not in led]
    rows = _screw_rows(rig)
    for link_id, link in links.items():
        if isinstance(link, Ratio | Planetary) and _is_mutual(link, added):
            rows.append(train_row(rig, link_id, link))
    leading += _leading_all_the_same(rig, rows, [*leading, *given], led)
    trains, faults, loops = with_loops(rig, rows, [*leading, *given], added)
    notes += loop_notes(rig, loops)
    notes += [train_note(rig, fault, one_way) for fault in faults]
    # In a train any member may be what is led.
    led_now = dict.fromkeys(c for channels in leads_to.values() for c in channels)
    led_now |= dict.fromkeys(c for train in trains for c in train.shares)
    stops = led_stops(rig, led_now)
    blocks = [_train_block(train, stops) for train in trains]
    blocks += [_loop_block(loop) for loop in loops if loop.found]
    blocks += [_link_block(rig, channel, ids, one_way) for channel, ids in one_way.items()]
    blocks += held
    solved = {c for loop in loops for c in loop.found}
    notes += [stop_in_loop(rig, ends[0], c) for c, ends in stops.items() if c in solved]
    in_trains = {c for train in trains for c in train.shares}
    blocks += [
        Block(ends, (channel,), (), holds=channel)
        for channel, ends in stops.items()
        if channel not in solved and channel not in in_trains
    ]
    blocks.sort(key=places_in(rig))
    while ring := _ring(blocks):
        tied = [block for block, _ in ring if block.constraint]
        channels = [channel for _, channel in ring]
        if tied:
            last = max(tied, key=blocks.index)
            notes.append(tied_to_itself(rig, rig.constraints[last.constraint], channels))
            blocks = [b for b in blocks if b is not last]
        else:
            left = [b for b in blocks if b.train is not None or not set(b.writes) & set(channels)]
            if len(left) == len(blocks):
                # Trains alone are a ring only by a stop that one of them leads.
                ends = {end for held in stops.values() for end in held}.intersection(channels)
                leading_it = {i for i, link in links.items() if ends & set(followers(link))}
                if leading_it:
                    return arranged_whole(rig, without | leading_it)
                left = [b for b in blocks if all(b is not one for one, _ in ring)]
            notes.append(leads_itself(rig, channels))
            blocks = left
    in_force = {channel: stops[channel] for channel in sorted(stops) if channel not in solved}
    return Arrangement(_levelled(blocks), tuple(notes), in_force)


def _leave_out_led_teeth(rig: Rig, links: dict[ThingId, Link], notes: list[Note]) -> None:
    """A ratio between teeth counts them once: their dimensions can't be led besides."""
    geared = {
        split(channel)[0]: link
        for link in links.values()
        if isinstance(link, Ratio) and link.kind != "plain"
        for channel in (link.lead, link.follower)
    }
    for link_id, link in list(links.items()) if geared else ():
        for channel in followers(link):
            part, name = split(channel)
            if part in geared and name.startswith("shape ") and name.endswith(TEETH):
                notes.append(led_teeth(rig, channel, geared[part]))
                links.pop(link_id, None)


def led_stops(rig: Rig, led: Iterable[ChannelKey]) -> dict[ChannelKey, tuple[ChannelKey, ...]]:
    """Of channels whose stops, or the ends of whose range, are led: the keys of those ends, by
    the channel's key. led: keys of what links lead."""
    found: dict[ChannelKey, tuple[ChannelKey, ...]] = {}
    for channel in led:
        owner, name = split(channel)
        end, middle, held = name.partition(" stop ")
        if owner in rig.controls and name in ("low end", "high end"):
            found[owner] = (*found.get(owner, ()), channel)
        elif middle and end in ENDS and owner in rig.parts:
            held_key = key(owner, held)
            found[held_key] = (*found.get(held_key, ()), channel)
    return found


def _one_way(
    links: dict[ThingId, Link],
    added: set[ChannelKey],
    twice: Callable[[ChannelKey, Link, Link], None],
) -> dict[ChannelKey, list[ThingId]]:
    """Ids of the links that run one way only, by the channel they give: cams, formulas,
    rolling wheels, what adds, and ratios onto a channel that something is added to. twice: is
    told of a channel that two of them set."""
    found: dict[ChannelKey, list[ThingId]] = {}
    for link_id, link in links.items():
        if _is_mutual(link, added):
            continue
        for channel in followers(link):
            ids = found.setdefault(channel, [])
            setting = [i for i in ids if not adds(links[i])]
            if not adds(link) and setting:
                twice(channel, links[setting[0]], link)
            else:
                ids.append(link_id)
    for channel, ids in found.items():
        found[channel] = sorted(ids, key=lambda i: adds(links[i]))
    return {channel: ids for channel, ids in found.items() if ids}


def _is_mutual(link: Link, added: Container[ChannelKey]) -> bool:
    """Whether a link works both ways alike. A ratio of zero does not, nor one onto a channel
    that something is added to."""
    if isinstance(link, Ratio) and (link.adds or link.ratio == 0.0 or link.follower in added):
        return False
    return record_of(link).both_ways


def train_row(rig: Rig, link_id: ThingId, link: Ratio | Planetary) -> Row:
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
        if arm not in carriers(rig, PartId(split(link.follower)[0])):
            share -= 1.0
        if arm not in carriers(rig, PartId(split(link.lead)[0])):
            share += link.ratio
        if share:
            factors[link.carrier] = share
    return Row(factors, link.offset, link_id)


def _leading_all_the_same(
    rig: Rig, rows: list[Row], driven: list[ChannelKey], led: Container[ChannelKey]
) -> list[ChannelKey]:
    """The led controls that lead their train all the same, for nothing else does: any member of a
    train can be turned, and a control is what a hand turns first."""
    candidates = [c for c in map(key, rig.controls) if c in led]
    if not candidates:
        return []
    known = set(driven)
    found = []
    for train in solve_trains(rows, driven)[0]:
        if known.isdisjoint(train.inputs):
            members = {*train.inputs, *train.shares}
            found += [control for control in candidates if control in members][:1]
    return found


def _screw_rows(rig: Rig) -> list[Row]:
    rows = []
    for part_id, part in rig.parts.items():
        joint = part.joint
        ends = f"move {joint.axis}", f"turn {joint.axis}"
        if joint.kind == "screw" and joint.lead and all(c in freed(joint) for c in ends):
            move, turn = (key(part_id, end) for end in ends)
            rows.append(Row({move: 1.0, turn: -joint.lead / (2 * math.pi)}, 0.0, part_id))
    return rows


def _loop_block(loop: Loop) -> Block:
    links = (*loop.closures, *(row.link for row in loop.rows))
    return Block((*loop.given, *loop.free), loop.found, links, loop=loop)


def _train_block(train: Train, stops: Mapping[ChannelKey, tuple[ChannelKey, ...]]) -> Block:
    ends = [end for channel in train.shares for end in stops.get(channel, ())]
    return Block(
        (*train.inputs, *ends), tuple(train.shares), tuple(row.link for row in train.rows), train
    )


def _link_block(
    rig: Rig, channel: ChannelKey, ids: list[ThingId], one_way: dict[ChannelKey, list[ThingId]]
) -> Block:
    reads = dict.fromkeys(c for i in ids for c in channels_read(rig, rig.links[i]))
    for link in (rig.links[i] for i in ids):
        # A carriage sets out along its heading: where a link sets that, it comes first.
        heading = key(link.body, "turn z") if isinstance(link, Driving) else channel
        if heading != channel and not all(adds(rig.links[i]) for i in one_way.get(heading, ())):
            reads[heading] = None
    return Block(tuple(reads), (channel,), tuple(ids))


def _graph(blocks: list[Block]) -> tuple[dict[int, set[int]], dict[ChannelKey, int]]:
    """Which blocks each block comes after, and the last block to write each channel. One that
    changes what another wrote comes after that."""
    writer: dict[ChannelKey, int] = {}
    graph: dict[int, set[int]] = {i: set() for i in range(len(blocks))}
    for i, block in enumerate(blocks):
        for channel in block.writes:
            if channel in writer:
                graph[i].add(writer[channel])
            writer[channel] = i
    for i, block in enumerate(blocks):
        graph[i] |= {writer[c] for c in block.reads if c in writer}
    return graph, writer


def _ring(blocks: list[Block]) -> list[tuple[Block, ChannelKey]]:
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


def _leading(block: Block, after: Block, index: int, writer: dict[ChannelKey, int]) -> ChannelKey:
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
    return cam_without(link, lost), [lost_channel(rig, link, channel) for channel in lost]


def _lost(rig: Rig, link: Link) -> Note | None:
    """The note for a link that refers to something which is not there, or grounded."""
    known = is_known if isinstance(link, Formula) else exists
    led, leading = followers(link), leads(link)
    for name in leading:
        if not known(rig, name):
            return lost_channel(rig, link, name)
    for name in led:
        if not exists(rig, name):
            return lost_channel(rig, link, name)
    every = (*leading, *led)
    if len(set(every)) < len(every) and not isinstance(link, Formula):
        told = label(rig, led[0])
        text = f"{told} leads itself by {link_label(rig, link)}. Remove the link."
        return Note("link-cycle", told, text)
    if isinstance(link, Rolling) and link.path and link.path not in rig.paths:
        text = f"{link_label(rig, link)} follows a path that is not in the rig. Remove the link."
        return Note("link-lost", label(rig, led[0]), text)
    if isinstance(link, Rolling) and link.on is not None and link.on not in rig.parts:
        text = (
            f"{link_label(rig, link)} is over a part that is not in the rig. Choose on its Card "
            "what it rolls over."
        )
        return Note("link-lost", label(rig, led[0]), text)
    if wrong := wrong_numbers(rig, link):
        told = label(rig, led[0]) if led else ""
        return Note("link-wrong", told, f"{link_label(rig, link)} is left out. {wrong}")
    return None
