"""The drive map: what leads what, laid out from left to right.

A layered drawing: each node stands right of all that lead it, and within a layer nodes are
ordered by the middle of their neighbours, to and fro, so that few lines cross (Sugiyama,
Tagawa and Toda, "Methods for visual understanding of hierarchical system structures", IEEE
Trans. Systems, Man and Cybernetics 11, 1981).
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from gremio.core.inspect.words import own_word
from gremio.core.plan.trains import Train
from gremio.core.records import Record
from gremio.core.rig.channels import split
from gremio.core.rig.ids import CLOCK, ChannelKey, PartId, ThingId
from gremio.core.rig.links import followers, link_symbol, members
from gremio.core.rig.model import Driving
from gremio.core.rig.numbers import full_label, owner_name, owner_of
from gremio.core.solve.program import Program

_FOLDED = 3
_SWEEPS = 6


class Node(NamedTuple):
    """A box of the map. kind: control, channel or train. key: a channel's key, or "train " and
    the key of its first channel. channels: all that it stands for."""

    key: str
    kind: str
    title: str
    symbol: str
    channels: tuple[ChannelKey, ...]
    more: str = ""


class Edge(NamedTuple):
    """A line of the map: keys of both nodes, and the link's symbol and id."""

    start: str
    end: str
    symbol: str
    link_id: ThingId


class DriveMap(Record, frozen=True):
    """Nodes with their (layer, place) from left to right and top to bottom, and the edges."""

    nodes: dict[str, Node]
    edges: tuple[Edge, ...]
    places: dict[str, tuple[int, float]]

    def node_of(self, channel: ChannelKey) -> str:
        """Key of the node that stands for a channel; "" when none does."""
        return next((n.key for n in self.nodes.values() if channel in n.channels), "")

    def way(self, nodes: Iterable[str]) -> set[str]:
        """Keys of some nodes, of all that lead them, and of all that they lead."""
        wanted = set(nodes)
        found = set(wanted)
        for forward in (True, False):
            waiting = list(wanted)
            seen = set(wanted)
            while waiting:
                here = waiting.pop()
                for edge in self.edges:
                    one, two = (edge.start, edge.end) if forward else (edge.end, edge.start)
                    if one == here and two not in seen:
                        seen.add(two)
                        waiting.append(two)
            found |= seen
        return found


def drive_map(program: Program, opened: frozenset[str] = frozenset()) -> DriveMap:
    """The map of a rig. opened: keys of trains that are shown member by member."""
    rig = program.rig
    nodes: dict[str, Node] = {}
    home: dict[str, str] = {}
    for control_id, control in rig.controls.items():
        nodes[control_id] = Node(control_id, "control", control.name, "control", (control_id,))
        home[control_id] = control_id
    for train in _trains(program):
        parts = tuple(c for c in (*train.inputs, *train.shares) if split(c)[1])
        name = f"train {parts[0]}" if parts else ""
        if len(parts) >= _FOLDED and name not in opened:
            title = owner_name(rig, split(parts[0])[0])
            more = f"and {len(parts) - 1} that turn with it"
            nodes[name] = Node(name, "train", title, "ratio", parts, more)
            home.update(dict.fromkeys(parts, name))
    for link in rig.links.values():
        if isinstance(link, Driving) and link.body in rig.parts:
            ways = tuple(c for c in followers(link) if c in program.drives)
            name = f"carriage {link.body}"
            title = rig.parts[link.body].name
            nodes[name] = Node(name, "channel", title, "planar", ways, "goes along its heading")
            home.update(dict.fromkeys(ways, name))
    for channel, drive in program.drives.items():
        for key in (*drive.leads, channel):
            if key in program.channel_row and key not in home:
                symbol = _symbol(program, split(key)[0])
                nodes[key] = Node(key, "channel", full_label(rig, key), symbol, (key,))
                home[key] = key
    edges = tuple(_edges(program, home))
    return DriveMap(nodes, edges, _laid_out(list(nodes), edges))


def _symbol(program: Program, owner: ThingId) -> str:
    """The symbol of what a channel is of: a part's joint, a constraint, or another thing."""
    rig = program.rig
    if owner in rig.parts:
        return rig.parts[PartId(owner)].joint.kind
    if owner in rig.constraints:
        return rig.constraints[owner].kind
    if owner == CLOCK:
        return "clock"
    found = owner_of(rig, owner)
    return "" if found is None else found.word


def _trains(program: Program) -> list[Train]:
    found: dict[int, Train] = {}
    for train in program.trains.values():
        found.setdefault(id(train), train)
    return list(found.values())


def _edges(program: Program, home: dict[str, str]) -> Iterable[Edge]:
    links = program.rig.links
    seen: set[tuple[str, str]] = set()
    for channel, drive in program.drives.items():
        for lead in drive.leads:
            if lead not in home:
                continue
            pair = home[lead], home[channel]
            if pair[0] == pair[1] or pair in seen:
                continue
            seen.add(pair)
            between = [i for i in drive.links if i in links and lead in members(links[i])]
            link_id = (*between, *drive.links)[0]
            symbol = (
                link_symbol(links[link_id])
                if link_id in links
                else (own_word(program.rig, link_id))
            )
            yield Edge(*pair, symbol, link_id)


def _laid_out(nodes: list[str], edges: tuple[Edge, ...]) -> dict[str, tuple[int, float]]:
    after: dict[str, list[str]] = {node: [] for node in nodes}
    before: dict[str, list[str]] = {node: [] for node in nodes}
    for edge in edges:
        after[edge.start].append(edge.end)
        before[edge.end].append(edge.start)
    layer = _layers(nodes, before)
    rows: list[list[str]] = [[] for _ in range(max(layer.values(), default=-1) + 1)]
    for node in nodes:
        rows[layer[node]].append(node)
    place = {node: float(i) for row in rows for i, node in enumerate(row)}
    for sweep in range(_SWEEPS):
        forward = sweep % 2 == 0
        beside = before if forward else after
        for row in rows if forward else rows[::-1]:
            order = {node: _middle(node, beside[node], place) for node in row}
            row.sort(key=order.__getitem__)
            for i, node in enumerate(row):
                place[node] = float(i)
    # Each node comes as near to the middle of its leads as those above it leave room.
    for row in rows:
        lowest = 0.0
        for node in row:
            wanted = _middle(node, before[node], place)
            place[node] = max(lowest, wanted)
            lowest = place[node] + 1.0
    return {node: (layer[node], place[node]) for node in nodes}


def _middle(node: str, beside: list[str], place: dict[str, float]) -> float:
    return sum(place[other] for other in beside) / len(beside) if beside else place[node]


def _layers(nodes: list[str], before: dict[str, list[str]]) -> dict[str, int]:
    """Each node one layer after the last of its leads."""
    layer: dict[str, int] = {}
    for start in nodes:
        waiting = [start]
        while waiting:
            here = waiting[-1]
            unknown = [n for n in before[here] if n not in layer and n not in waiting]
            if here in layer or not unknown:
                known = [layer[n] for n in before[here] if n in layer]
                layer.setdefault(here, max(known, default=-1) + 1)
                waiting.pop()
            else:
                waiting += unknown
    return layer
