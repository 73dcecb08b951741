"""A later model taken up: of what is otherwise in it, what was chosen."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from typing import Literal

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.edit.change import new_id, with_entry, without
from gremio.core.edit.parts import add_part, descendants, remove_part
from gremio.core.files.bring_in import shapes_of, upright
from gremio.core.files.revising import (
    Revised,
    Revision,
    kept_of,
    nodes_of,
    revisions,
    same_nodes,
)
from gremio.core.frames import frame_of, frames_of, matrices, matrix, triple
from gremio.core.problem import GremioError
from gremio.core.rig.channels import split
from gremio.core.rig.constraints import targets_of
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import GROUND, PartId, ThingId
from gremio.core.rig.links import members
from gremio.core.rig.model import Anchor, Part, Rig, Shape, Source, SourceNode
from gremio.core.rig.solids import Mesh
from gremio.core.shape.features import known_places
from gremio.core.surfaces.models import Model

# What a mount does where the model has its node elsewhere.
Mounts = Literal["follow", "stay"]


def revised(
    rig: Rig,
    source_id: ThingId,
    model: Model,
    chosen: Iterable[Revision],
    *,
    before: Model | None = None,
    found: Revised | None = None,
    mounts: Mounts = "follow",
    anchors: Mounts = "follow",
) -> tuple[Rig, list[str]]:
    """The rig with a later model taken up, and what else came of it, in words.

    chosen: of `revisions`, what is taken; the rest is left as it is, and not told again. before: as
    there. mounts: where a node is elsewhere, whether its joint goes there too, or stays where it
    is while the shape goes. anchors: where a shape is another, whether what was measured on it goes
    to the nearest of its kind, or stays where it was. Raises GremioError.
    """
    every = found or revisions(rig, source_id, model, before)
    return _Taking(rig, source_id, model, before, every, list(chosen)).done(mounts, anchors)


class _Taking:
    """A rig on the way to a later model."""

    def __init__(
        self,
        rig: Rig,
        source_id: ThingId,
        model: Model,
        before: Model | None,
        found: Revised,
        chosen: list[Revision],
    ) -> None:
        self.rig, self.model, self.before = rig, model, before
        self.old_id = source_id
        self.every = found.found
        known = set(self.every)
        for one in chosen:
            if one not in known:
                raise GremioError(f"{one.text}: the model says that no more. Look at it again.")
        must = [one for one in self.every if one.must]
        self.chosen = list(dict.fromkeys([*chosen, *must]))
        taken = set(self.chosen)
        self.left = [one for one in self.every if one not in taken]
        self.kept, _ = kept_of(rig, source_id, model, before)
        self.same = same_nodes(self.kept, model)
        self.now = model.source
        self.told: list[str] = []
        self.size = self._size()
        self.nodes = nodes_of(self.kept, model, self.same)
        self.paints = {piece.name: piece.paint for piece in self.kept.pieces}

    def done(self, mounts: Mounts, anchors: Mounts) -> tuple[Rig, list[str]]:
        """The rig."""
        staying = {one.was for one in self.left if one.how in ("reshaped", "gone")}
        new_id_ = self.old_id
        if staying and self.before is not None:
            self.rig, new_id_ = new_id(self.rig, "s")
        self._mend_shapes(new_id_, staying, anchors)
        self._move([one for one in self.chosen if one.how == "moved"], mounts)
        for one in self.chosen:
            if one.how == "renamed" and self.rig.parts[one.part].name == self._was(one).name:
                part = self.rig.parts[one.part]
                name = free_name(names_in(self.rig) - {part.name}, one.name.strip() or "Part")
                self._put(one.part, replace(part, name=name))
        made = self._bring_in(new_id_)
        self._keep(new_id_, staying, made)
        for one in self.chosen:
            if one.how == "gone":
                self._take_out(one)
        return self.rig, self.told

    def _was(self, one: Revision) -> SourceNode:
        return self.kept.nodes[one.was]

    def _put(self, part_id: PartId, part: Part) -> None:
        self.rig = replace(self.rig, parts=with_entry(self.rig.parts, part_id, part))

    # ── shapes ─────────────────────────────────────────────────────

    def _mend_shapes(self, new_source: ThingId, staying: set[int], anchors: Mounts) -> None:
        """Let shapes refer to the surfaces of the later model."""
        goes = self._pieces(staying)
        reshaped = [self._was(one) for one in self.chosen if one.how == "reshaped"]
        other_shape = {piece for node in reshaped for piece in node.pieces}
        changed: set[PartId] = set()
        parts = dict(self.rig.parts)
        for part_id, part in parts.items():
            here = {_piece_of(shape, self.old_id) for shape in part.shapes} - {""}
            if here:
                shapes = tuple(self._shape(shape, new_source, goes) for shape in part.shapes)
                parts[part_id] = replace(part, shapes=shapes)
            if here & other_shape:
                changed.add(part_id)
        self.rig = replace(self.rig, parts=parts)
        self._other_counts(new_source)
        if changed:
            self._mend_anchors(changed, anchors)

    def _shape(self, shape: Shape, new_source: ThingId, goes: Mapping[str, str]) -> Shape:
        """A shape of a part as the later model has it; as it is, where it was left."""
        was, solid = _piece_of(shape, self.old_id), shape.solid
        if was not in goes or not isinstance(solid, Mesh):
            return shape
        solid = replace(solid, source=new_source, piece=goes[was])
        piece = self.model.piece_of(solid)
        if piece is None:
            return replace(shape, solid=solid)
        low, high = piece.geometry.bounds
        solid = replace(solid, centre=triple((low + high) / 2), size=triple(high - low))
        # Painted by hand, it stays so.
        as_model = self.paints.get(was) == shape.paint
        return replace(shape, solid=solid, paint=piece.paint if as_model else shape.paint)

    def _pieces(self, staying: set[int]) -> dict[str, str]:
        """By the name of a surface of before, the name of the same in the later model."""
        left = {p for old in staying for p in self.kept.nodes[old].pieces}
        goes: dict[str, str] = {}
        for index, old in self.same.items():
            for was, name in zip(
                self.kept.nodes[old].pieces, self.now.nodes[index].pieces, strict=False
            ):
                if was not in left or self.before is None:
                    goes.setdefault(was, name)
        return goes

    def _other_counts(self, new_source: ThingId) -> None:
        """Give parts whose node has more or fewer surfaces now just those."""
        for one in self.chosen:
            was, now = self._was(one).pieces, self.now.nodes[one.node].pieces
            if one.how != "reshaped" or len(was) == len(now):
                continue
            part = self.rig.parts[one.part]
            rest = tuple(
                s for s in part.shapes
                if not (isinstance(s.solid, Mesh) and s.solid.source in (self.old_id, new_source))
            )  # fmt: skip
            made = shapes_of(self.model.nodes[one.node], new_source)
            self._put(one.part, replace(part, shapes=(*rest, *made)))

    def _mend_anchors(self, changed: Collection[PartId], anchors: Mounts) -> None:
        """Let what was measured on shapes that are others go to the nearest of its kind."""
        measures = dict(self.rig.measures)
        for measure_id, measure in measures.items():
            if not any(end.part in changed for end in measure.ends):
                continue
            # What is no distance between points is of a place on the shape, and needs one.
            stays = anchors == "stay" and measure.kind == "distance"
            ends = tuple(
                self._anchor(end, stays=stays) if end.part in changed else end
                for end in measure.ends
            )
            measures[measure_id] = replace(measure, ends=ends)
            does = "stays" if stays else "goes to the nearest of its kind"
            self.told.append(f"{measure.name} was measured on another shape: it {does}. Look at "
                             "it.")  # fmt: skip
        self.rig = replace(self.rig, measures=measures)

    def _anchor(self, end: Anchor, *, stays: bool) -> Anchor:
        part = self.rig.parts[end.part]
        plain = replace(end, shape=-1, feature=-1)
        if stays or not 0 <= end.shape < len(part.shapes) or end.feature < 0:
            return plain
        shape = part.shapes[end.shape]
        piece = self.model.piece_of(shape.solid) if isinstance(shape.solid, Mesh) else None
        if piece is None:
            return plain
        places = known_places(piece.geometry)
        place = matrix(shape.place)
        wanted = self._kind(end, shape)
        near = [
            (float(np.linalg.norm((place[:3, :3] @ p.at + place[:3, 3]) - np.array(end.at))), i)
            for i, p in enumerate(places) if wanted is None or p.kind == wanted
        ]  # fmt: skip
        if not near:
            return plain
        _, index = min(near)
        at = place[:3, :3] @ places[index].at + place[:3, 3]
        return replace(end, feature=index, at=triple(at))

    def _kind(self, end: Anchor, shape: Shape) -> str | None:
        """What kind of place was picked, where the model of before is there to say it."""
        if self.before is None or not isinstance(shape.solid, Mesh):
            return None
        back = {new: old for old, new in self._pieces(set()).items()}
        piece = self.before.piece(back.get(shape.solid.piece, shape.solid.piece))
        places = () if piece is None else known_places(piece.geometry)
        return places[end.feature].kind if end.feature < len(places) else None

    # ── places ─────────────────────────────────────────────────────

    def _move(self, moved: list[Revision], mounts: Mounts) -> None:
        """Let parts go where their nodes are now, all of them at once."""
        if not moved:
            return
        parts = [self.rig.parts[one.part] for one in moved]
        shifts = np.array([self.nodes.shift(one.was, one.node) for one in moved])
        for shift, part in zip(shifts, parts, strict=True):
            # What was made larger in the rig goes as much farther.
            meshes = (s for s in part.shapes if isinstance(s.solid, Mesh))
            shift[:3, 3] *= next((s.place.scale[0] for s in meshes), 1.0)
        mount = matrices([part.mount for part in parts])
        own = matrices([part.own for part in parts])
        there = mount @ own @ shifts
        if mounts == "follow":
            frames = frames_of(there @ np.linalg.inv(own))
        else:
            frames = frames_of(np.linalg.inv(mount) @ there)
        field = "mount" if mounts == "follow" else "own"
        changed = {
            one.part: replace(part, **{field: frame})
            for one, part, frame in zip(moved, parts, frames, strict=True)
        }
        self.rig = replace(self.rig, parts={**self.rig.parts, **changed})

    def _stands(self) -> Array:
        """(4, 4) how the model stands in the rig: as the first of its parts on the ground does."""
        for node in self.kept.nodes:
            if node.parent < 0 and node.part in self.rig.parts:
                part = self.rig.parts[node.part]
                if part.parent is None:
                    frame = _larger(matrix(node.frame), self.size)
                    stands: Array = matrix(part.mount) @ matrix(part.own) @ np.linalg.inv(frame)
                    return stands
        return np.eye(4)

    def _size(self) -> float:
        """How many times as large as in the model its parts are in the rig; 1 where they differ."""
        scales = {
            shape.place.scale for part in self.rig.parts.values() for shape in part.shapes
            if isinstance(shape.solid, Mesh) and shape.solid.source == self.old_id
        }  # fmt: skip
        sizes = {x for x, y, z in scales if x == y == z and x > 0}
        if len(sizes) == len(scales) == 1:
            return sizes.pop()
        if scales and any(one.how == "new" for one in self.chosen):
            self.told.append(
                "Its parts are of several sizes in the rig: what is new comes as large as the "
                "model has it. Resize it where that is not meant."
            )
        return 1.0

    def _bring_in(self, new_source: ThingId) -> dict[int, PartId]:
        """Make parts of the nodes that are new, and are taken; their ids by their index."""
        made: dict[int, PartId] = {}
        stands = self._stands()
        wanted = {one.node for one in self.chosen if one.how == "new"}
        for index, node in enumerate(self.model.nodes):
            if index not in wanted:
                continue
            parent = self._part_of(node.parent, made)
            # Where what carries it is not in the rig, it stands on the ground as it does there.
            local = _larger(node.local, self.size)
            world = stands @ _larger(self.nodes.news[index], self.size)
            above = world @ np.linalg.inv(local)
            if parent is None:
                local, above = world, np.eye(4)
            mount, own = upright(above, above @ local, local)
            name = free_name(names_in(self.rig), node.name.strip() or "Part")
            shapes = tuple(
                replace(shape, place=replace(shape.place, scale=(self.size,) * 3))
                for shape in shapes_of(node, new_source)
            )
            part = Part(name, parent, frame_of(mount), shapes=shapes)
            if own is not None:
                part = replace(part, own=frame_of(own))
            self.rig, made[index] = add_part(self.rig, part)
        return made

    def _part_of(self, index: int | None, made: Mapping[int, PartId]) -> PartId | None:
        if index is None or index < 0:
            return None
        if index in made:
            return made[index]
        old = self.same.get(index)
        part = GROUND if old is None else self.kept.nodes[old].part
        return part if part in self.rig.parts else None

    def _take_out(self, one: Revision) -> None:
        """Take out a part whose node is gone, or only its shapes, where something needs it."""
        part = self.rig.parts[one.part]
        shapes = tuple(s for s in part.shapes if not _piece_of(s, self.old_id))
        needs = self._needs(one.part)
        if not shapes and not needs:
            self.rig = remove_part(self.rig, one.part)
            return
        self._put(one.part, replace(part, shapes=shapes))
        if needs:
            self.told.append(f"{part.name} is gone from the model; it stays without a shape, for "
                             f"{needs}. Remove it where it is not needed.")  # fmt: skip

    def _needs(self, part: PartId) -> str:
        """Why a part can't be taken out without losing something, in words."""
        rig = self.rig
        below = descendants(rig, part)
        if below:
            return f"it carries {rig.parts[below[0]].name}"
        if any(split(c)[0] == part for link in rig.links.values() for c in members(link)):
            return "a link needs it"
        ends = [c.one for c in rig.closures.values()] + [c.two for c in rig.closures.values()]
        ends += [p.on for s in rig.strands.values() for p in s.through]
        ends += [w.on for t in rig.treads.values() for w in t.wheels]
        ends += [end.part for m in rig.measures.values() for end in m.ends]
        ends += [c.part for c in rig.constraints.values()]
        ends += [t.on for c in rig.constraints.values() for t in targets_of(c)]
        ends += [path.on for path in rig.paths.values()]
        return "something is tied to it" if part in ends else ""

    # ── what is kept ───────────────────────────────────────────────

    def _keep(self, new_source: ThingId, staying: set[int], made: Mapping[int, PartId]) -> None:
        """Keep what the model holds now, so that what was left is not told again."""
        nodes = []
        for index, node in enumerate(self.now.nodes):
            old = self.same.get(index)
            part = made.get(index, GROUND)
            if old is not None and not (old in staying and self.before is not None):
                part = self.kept.nodes[old].part
            nodes.append(replace(node, part=part))
        sources = {**self.rig.sources, new_source: replace(self.now, nodes=tuple(nodes))}
        if new_source != self.old_id:
            used = any(_piece_of(s, self.old_id) for p in self.rig.parts.values() for s in p.shapes)
            if used:
                sources[self.old_id] = self._rest(staying)
            else:
                sources = without(sources, self.old_id)
        self.rig = replace(self.rig, sources=sources)

    def _rest(self, staying: set[int]) -> Source:
        """The model of before with what was left of it."""
        nodes = tuple(
            replace(node, part=node.part if old in staying else GROUND)
            for old, node in enumerate(self.kept.nodes)
        )
        return replace(self.kept, nodes=nodes)


def _larger(frame: Array, size: float) -> Array:
    """A frame (4, 4) in what is so many times as large."""
    made = frame.copy()
    made[:3, 3] *= size
    return made


def _piece_of(shape: Shape, source: ThingId) -> str:
    """The name of the surface of a model (source id) that a shape is; "" for none."""
    solid = shape.solid
    return solid.piece if isinstance(solid, Mesh) and solid.source == source else ""
