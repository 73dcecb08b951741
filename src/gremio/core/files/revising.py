"""A model that has changed since it was brought in: what is otherwise in it, taken or left."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Mapping, Sequence
from typing import Literal, NamedTuple

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.edit.change import must_have
from gremio.core.frames import matrices, matrix
from gremio.core.quantity import show_short
from gremio.core.rig.ids import GROUND, PartId, ThingId
from gremio.core.rig.lengths import SMALL
from gremio.core.rig.model import Rig, Source, SourceNode, SourcePiece
from gremio.core.rig.solids import Mesh
from gremio.core.surfaces.marks import box_marks, same_shape
from gremio.core.surfaces.models import Model

How = Literal["new", "gone", "moved", "reshaped", "renamed"]
HOWS: tuple[How, ...] = ("new", "gone", "moved", "reshaped", "renamed")
# Frames of nodes that differ by less (m, and of the parts of a turn) are the same.
_STILL = 2e-6


class Revision(NamedTuple):
    """What is otherwise in a later model. name: of the node there; of one that is gone, as it was.
    words: how it is otherwise. part: id of the part that it is in the rig, "" for a new one. node:
    its index in the later model, and was: in the one before; −1 where it is not there. must: it
    can't be left, for the model of before is not there any more."""

    how: How
    name: str
    words: str = ""
    part: PartId = GROUND
    node: int = -1
    was: int = -1
    must: bool = False

    @property
    def text(self) -> str:
        """One line of it."""
        return f"{self.name} is {self.how}" + (f" {self.words}" if self.words else "")


class Revised(NamedTuple):
    """What is otherwise in a later model. told: what can't be known, in words."""

    found: tuple[Revision, ...]
    told: tuple[str, ...] = ()


def revisions(rig: Rig, source_id: ThingId, model: Model, before: Model | None = None) -> Revised:
    """What is otherwise in a model than in the one that was brought in.

    before: that one, where it is still there as it was. Nodes are known by their names, and where
    one is gone and another new, by their shapes. Raises GremioError for no such source.
    """
    source = must_have(rig.sources, source_id, "model")
    kept, told = kept_of(rig, source_id, model, before)
    same = same_nodes(kept, model)
    new_source = model.source
    marks_before = {p.name: p.marks for p in kept.pieces}
    marks_now = {p.name: p.marks for p in new_source.pieces}
    nodes = nodes_of(kept, model, same)
    found: list[Revision] = []
    where_told = bool(source.nodes) or before is not None
    for index, node in enumerate(model.nodes):
        old = same.get(index, -1)
        if old < 0:
            under = "" if node.parent is None else f"on {model.nodes[node.parent].name}"
            found.append(Revision("new", node.name, under, GROUND, index))
            continue
        entry = kept.nodes[old]
        if entry.part not in rig.parts:
            # What was left, or taken out of the rig, stays out of it.
            continue
        if entry.name != node.name:
            words = f"from {entry.name}"
            found.append(Revision("renamed", node.name, words, entry.part, index, old))
        if where_told:
            way = _moved(rig, nodes, old, index)
            if way:
                found.append(Revision("moved", node.name, way, entry.part, index, old))
        words = _reshaped(rig, entry, new_source.nodes[index], marks_before, marks_now)
        if words:
            must = before is None
            found.append(Revision("reshaped", node.name, words, entry.part, index, old, must))
    for old, entry in enumerate(kept.nodes):
        if old not in nodes.of_old and entry.part in rig.parts:
            found.append(Revision("gone", entry.name, "", entry.part, -1, old))
    order = {how: place for place, how in enumerate(HOWS)}
    found.sort(key=lambda one: order[one.how])
    return Revised(tuple(found), tuple(told))


# ── comparing ──────────────────────────────────────────────────────


def kept_of(
    rig: Rig, source_id: ThingId, model: Model, before: Model | None
) -> tuple[Source, list[str]]:
    """What is known of the model of before: as it was kept; from itself; or, in rigs that kept
    nothing, from the shapes of the parts, and what is not known then."""
    source = rig.sources[source_id]
    if source.nodes:
        return source, []
    of_piece: dict[str, PartId] = {}
    boxes: dict[str, Mesh] = {}
    for part_id, part in rig.parts.items():
        for shape in part.shapes:
            if isinstance(shape.solid, Mesh) and shape.solid.source == source_id:
                of_piece.setdefault(shape.solid.piece, part_id)
                if not shape.solid.mirrored:
                    boxes.setdefault(shape.solid.piece, shape.solid)
    if before is not None:
        made = before.source
        nodes = tuple(
            replace(node, part=next((of_piece[p] for p in node.pieces if p in of_piece), GROUND))
            for node in made.nodes
        )
        return replace(made, nodes=nodes), []
    told = [
        "This rig was made before Gremio kept where the nodes of a model stood, and the model of "
        "then is not there: what has moved is not known, and of what has another shape only what "
        "fills another box."
    ]
    named = {p.name: node.name for node in model.nodes for p in node.pieces}
    nodes = tuple(SourceNode(named.get(piece, rig.parts[part].name), part=part, pieces=(piece,))
                  for piece, part in of_piece.items())  # fmt: skip
    pieces = tuple(SourcePiece(name, box_marks(solid.centre, solid.size))
                   for name, solid in boxes.items())  # fmt: skip
    return replace(source, nodes=nodes, pieces=pieces), told


def same_nodes(kept: Source, model: Model) -> dict[int, int]:
    """By the index of a node of a model the index of the same in the one before: of one name, in
    their order; then of one shape, the nearest first."""
    by_name: dict[str, list[int]] = defaultdict(list)
    for old, node in enumerate(kept.nodes):
        by_name[node.name].append(old)
    same: dict[int, int] = {}
    for index, now in enumerate(model.nodes):
        if by_name[now.name]:
            same[index] = by_name[now.name].pop(0)
    gone = [old for rest in by_name.values() for old in rest]
    new = [index for index in range(len(model.nodes)) if index not in same]
    if not (gone and new):
        return same
    now_source = model.source
    marks_before = {p.name: p.marks for p in kept.pieces}
    marks_now = {p.name: p.marks for p in now_source.pieces}
    olds, news = _worlds(kept.nodes), _worlds(now_source.nodes)
    pairs = []
    for old in gone:
        for index in new:
            pieces = kept.nodes[old].pieces, now_source.nodes[index].pieces
            if _alike(pieces[0], pieces[1], marks_before, marks_now):
                away = float(np.linalg.norm(olds[old][:3, 3] - news[index][:3, 3]))
                pairs.append((away, old, index))
    taken: set[int] = set()
    for _, old, index in sorted(pairs):
        if old not in taken and index not in same:
            same[index] = old
            taken.add(old)
    return same


def _alike(
    one: Sequence[str],
    two: Sequence[str],
    marks_one: Mapping[str, Sequence[float]],
    marks_two: Mapping[str, Sequence[float]],
) -> bool:
    """Whether two nodes have surfaces of the same shapes, and have any."""
    if not one or len(one) != len(two):
        return False
    if all(p in marks_one for p in one):
        return all(same_shape(marks_one[a], marks_two[b]) for a, b in zip(one, two, strict=True))
    return tuple(one) == tuple(two)


class Nodes(NamedTuple):
    """The nodes of two models, which are the same, and where each stands in its model. of_old: by
    the index of a node of before that of the same now. olds, news: (n, 4, 4) in the models."""

    before: tuple[SourceNode, ...]
    now: tuple[SourceNode, ...]
    of_old: Mapping[int, int]
    olds: Array
    news: Array

    def shift(self, old: int, new: int) -> Array:
        """(4, 4) where a node is now, in the frame that it had: in what carries it, where that is
        the same node; else in the model."""
        one, two = self.before[old], self.now[new]
        if self._carrier_now(one) == two.parent:
            moved: Array = np.linalg.inv(matrix(one.frame)) @ matrix(two.frame)
            return moved
        elsewhere: Array = np.linalg.inv(self.olds[old]) @ self.news[new]
        return elsewhere

    def still(self, old: int, new: int) -> bool:
        """Whether a node is just where it was, to the bit, in the same carrier."""
        one, two = self.before[old], self.now[new]
        return one.frame == two.frame and self._carrier_now(one) == two.parent

    def _carrier_now(self, one: SourceNode) -> int:
        """The index now of what carried a node; −1 at the top, −2 where that is gone."""
        return -1 if one.parent < 0 else self.of_old.get(one.parent, -2)


def nodes_of(kept: Source, model: Model, same: Mapping[int, int]) -> Nodes:
    """The nodes of a model, beside those that are kept of the one before. same: as `same_nodes`
    gives it."""
    before, now = kept.nodes, model.source.nodes
    of_old = {old: new for new, old in same.items()}
    return Nodes(before, now, of_old, _worlds(before), _worlds(now))


def _worlds(nodes: Sequence[SourceNode]) -> Array:
    """(n, 4, 4) where nodes stand in their model. Parents come before their children."""
    if not nodes:
        return np.zeros((0, 4, 4))
    made = matrices([node.frame for node in nodes])
    for index, node in enumerate(nodes):
        if node.parent >= 0:
            made[index] = made[node.parent] @ made[index]
    return made


def _unit(rig: Rig, size: float) -> str:
    return rig.lengths or ("mm" if size < SMALL else "m")


def _moved(rig: Rig, nodes: Nodes, old: int, new: int) -> str:
    """How a node is elsewhere, in words; "" where it is where it was."""
    if nodes.still(old, new):
        return ""
    shift, stood = nodes.shift(old, new), nodes.olds[old]
    reach = max(1.0, float(np.abs(stood[:3, 3]).max()))
    if np.abs(shift - np.eye(4)).max() <= _STILL * reach:
        return ""
    way = stood[:3, :3] @ shift[:3, 3]
    told = []
    if np.linalg.norm(way) > _STILL * reach:
        unit = _unit(rig, float(np.abs(way).max()))
        steps = [
            f"{show_short(round(float(w), 9), unit)} along {axis}"
            for axis, w in zip("xyz", way, strict=True)
            if abs(w) > _STILL * reach
        ]
        told.append(", ".join(steps))
    scales = np.linalg.norm(shift[:3, :3], axis=0)
    rotation = shift[:3, :3] / scales
    # Of a small turn the sine says more digits than the cosine.
    sine = np.linalg.norm([rotation[2, 1] - rotation[1, 2], rotation[0, 2] - rotation[2, 0],
                           rotation[1, 0] - rotation[0, 1]]) / 2  # fmt: skip
    turn = math.atan2(float(sine), float(np.trace(rotation) - 1) / 2)
    if turn > _STILL:
        told.append(f"a turn of {show_short(round(turn, 9), 'deg')}")
    if (np.abs(scales - 1.0) > _STILL).any():
        told.append("another scale")
    return f"by {' and '.join(told)}" if told else ""


def _reshaped(
    rig: Rig,
    one: SourceNode,
    two: SourceNode,
    before: Mapping[str, Sequence[float]],
    now: Mapping[str, Sequence[float]],
) -> str:
    """How the surfaces of a node are otherwise, in words; "" where they are as they were."""
    if len(one.pieces) != len(two.pieces):
        return f"with {len(two.pieces)} surfaces in place of {len(one.pieces)}"
    for was, name in zip(one.pieces, two.pieces, strict=True):
        if was not in before:
            continue
        if not same_shape(before[was], now[name]):
            old, new = np.array(before[was]), np.array(now[name])
            sizes = old[3:6] - old[:3], new[3:6] - new[:3]
            if np.abs(sizes[0] - sizes[1]).max() <= 1e-4 * max(sizes[0].max(), 1e-9):
                return "within the same box"
            unit = _unit(rig, float(np.abs(sizes[0]).max()))
            told = (" × ".join(show_short(float(f"{v:.4g}"), unit) for v in size)
                    for size in sizes)  # fmt: skip
            return f"({' → '.join(told)})"
    return ""
