"""A piece of a rig, taken out to stand by itself, and put into another one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from msgspec.structs import replace

from gremio.core.edit.change import must_have, new_id
from gremio.core.edit.parts import descendants
from gremio.core.frames import frame_of, matrix
from gremio.core.make.copying import leading_inside
from gremio.core.problem import GremioError
from gremio.core.rig.channels import CHANNELS, key, split
from gremio.core.rig.constraints import targets_of
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import CLOCK, GROUND, NOTHING, ChannelKey, PartId, ThingId
from gremio.core.rig.links import members
from gremio.core.rig.model import Control, Driving, Rig, Rolling, Source
from gremio.core.rig.numbers import exists
from gremio.core.rig.rekeyed import rekeyed
from gremio.core.rig.solids import Mesh
from gremio.core.rig.things import THINGS
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate

# Texts that are none of a rig's own.
_WRITTEN = ("name", "note", "group", "scale_unit", "positions")


def taken_out(rig: Rig, roots: Sequence[PartId], *, geometry: GeometryOf) -> Rig:
    """A rig of some parts (ids) with all they carry, and of all that is wholly inside: links, the
    controls that lead nothing else, measures, paths, pins, struts, strands, treads, constraints.
    It stands where it stands at home, on the ground. Raises GremioError."""
    if not roots:
        raise GremioError("Choose what to take: a part goes with all it carries.")
    for root in roots:
        must_have(rig.parts, root, "part")
    parts = {*roots, *(p for root in roots for p in descendants(rig, root))}
    home = evaluate(compile_rig(rig, geometry), {}).frame(0)
    kept = {}
    for part_id, part in rig.parts.items():
        if part_id in parts:
            if part.parent is not None and part.parent not in parts:
                stands = frame_of(home.frame_of(part.parent) @ matrix(part.mount))
                part = replace(part, parent=None, mount=stands)
            kept[part_id] = part
    inside = _Inside(rig, parts)
    sources = {
        shape.solid.source
        for part in kept.values()
        for shape in part.shapes
        if isinstance(shape.solid, Mesh)
    }
    piece = Rig(
        rig.parts[roots[-1]].name,
        parts=kept,
        controls=inside.with_own_faces(),
        sources={
            i: _of_parts(s, {p: p for p in kept}) for i, s in rig.sources.items() if i in sources
        },
        lengths=rig.lengths,
        made=rig.made,
    )
    return inside.with_the_rest(piece)


class _Inside:
    """What of a rig has to do with nothing but some parts. parts: their ids."""

    def __init__(self, rig: Rig, parts: set[PartId]) -> None:
        self.rig, self.parts = rig, parts
        self.controls = set(leading_inside(rig, parts))

    def _all(self, *parts: PartId | None) -> bool:
        return all(part is None or part in self.parts for part in parts)

    def with_own_faces(self) -> dict[ThingId, Control]:
        """Its controls, by id: without a face on what stays behind, and of a pad whose second axis
        does, a slider."""
        found = {}
        for control_id in self.controls:
            entry = self.rig.controls[control_id]
            if entry.face is not None and not self._all(entry.face.on):
                entry = replace(entry, face=None)
            if entry.make == "pad" and entry.across not in self.controls:
                entry = replace(entry, make="slider", across=NOTHING)
            found[control_id] = entry
        return {i: found[i] for i in self.rig.controls if i in found}

    def with_the_rest(self, piece: Rig) -> Rig:
        """A piece that has its parts and controls, with all else that is inside."""
        rig = self.rig
        constraints = {
            i: c for i, c in rig.constraints.items()
            if c.part in self.parts and self._all(*(t.on for t in targets_of(c)))
        }  # fmt: skip
        strands = {
            i: s for i, s in rig.strands.items()
            if self._all(*(p.on for p in s.through)) and any(p.on for p in s.through)
        }  # fmt: skip
        treads = {
            i: t for i, t in rig.treads.items()
            if t.link in self.parts and self._all(t.on, *(w.on for w in t.wheels))
        }  # fmt: skip
        measures = {
            i: m for i, m in rig.measures.items() if self._all(*(end.part for end in m.ends))
        }
        known = {*self.parts, *self.controls, *constraints, *strands, *treads, *measures}
        links = {
            i: link for i, link in rig.links.items()
            if {split(c)[0] for c in members(link) if c != CLOCK} <= known
            and not (isinstance(link, Rolling) and not self._all(link.on))
            and not (isinstance(link, Driving) and link.body not in self.parts)
        }  # fmt: skip
        used = {t.path for c in constraints.values() for t in targets_of(c) if t.path}
        used |= {link.path for link in links.values() if isinstance(link, Rolling) and link.path}
        used |= {
            p.repeat.path for i, p in rig.parts.items() if i in self.parts and p.repeat is not None
        }
        paths = {
            i: p for i, p in rig.paths.items() if p.on in self.parts or (p.on is None and i in used)
        }
        # What keeps to, or rolls along, a path that stays behind stays behind too.
        constraints = {
            i: c for i, c in constraints.items()
            if all(not t.path or t.path in paths for t in targets_of(c))
        }  # fmt: skip
        links = {
            i: link for i, link in links.items()
            if not (isinstance(link, Rolling) and link.path and link.path not in paths)
        }  # fmt: skip
        # A row along what stays behind is there once.
        rows = {*paths, *treads}
        parts = {
            i: p if p.repeat is None or not p.repeat.path or p.repeat.path in rows
            else replace(p, repeat=None)
            for i, p in piece.parts.items()
        }  # fmt: skip
        closures = {
            i: c for i, c in rig.closures.items()
            if c.one in self.parts and c.two in self.parts
        }  # fmt: skip
        struts = {i: s for i, s in rig.struts.items() if s.closure in closures}
        at = {c: v for c, v in rig.at.items() if split(c)[0] in known}
        # What led the row of it that is no row any more goes too.
        rowless = replace(piece, parts=parts)
        links = {
            i: link for i, link in links.items()
            if all(split(c)[1] in CHANNELS or exists(rowless, c)
                   for c in members(link) if split(c)[0] in parts)
        }  # fmt: skip
        return replace(piece, parts=parts, links=links, measures=measures, paths=paths,
                       closures=closures, struts=struts, strands=strands, treads=treads,
                       constraints=constraints, at=at)  # fmt: skip


def put_in(rig: Rig, piece: Rig, on: PartId | None = None) -> tuple[Rig, dict[ThingId, ThingId]]:
    """The rig with a piece put in, on a part or the ground, and the ids of its things by those in
    the piece. Names that are taken get a number; a model that is there already is taken once."""
    if on is not None:
        must_have(rig.parts, on, "part")
    ids: dict[ThingId, ThingId] = {}
    for record in THINGS:
        for old, thing in record.of(piece).items():
            known = None if record.field != "sources" else source_known(rig, thing)
            if known is not None:
                ids[old] = known
                continue
            rig, ids[old] = new_id(rig, _letter(old))

    def key_of(text: str) -> str:
        owner, name = split(ChannelKey(text))
        return key(ids[owner], name) if owner in ids else text

    plain: dict[str, Any] = {}
    taken = names_in(rig)
    for record in THINGS:
        made = dict(record.of(rig))
        for old, thing in record.of(piece).items():
            if record.field == "sources":
                made[ids[old]] = source_joined(made.get(ids[old]), thing, ids, rig)
                continue
            one = rekeyed(thing, type(thing), key_of)
            # What people wrote stays as it is, whatever it may look like.
            own = {f: getattr(thing, f) for f in _WRITTEN if hasattr(thing, f)}
            one = replace(one, **own)
            if record.named:
                one = replace(one, name=free_name(taken, thing.name))
                taken.add(one.name)
            if record.field == "parts" and one.parent is None:
                one = replace(one, parent=on)
            made[ids[old]] = one
        plain[record.field] = made
    at = {ChannelKey(key_of(c)): value for c, value in piece.at.items()}
    return replace(rig, **plain, at={**rig.at, **at}), ids


def source_known(rig: Rig, source: Source) -> ThingId | None:
    """The id of the model that a source is, where the rig has it already."""
    same = (source.path, source.sha256, source.metres, source.up)
    return next(
        (i for i, s in rig.sources.items() if (s.path, s.sha256, s.metres, s.up) == same), None
    )


def source_joined(
    here: Source | None, other: Source, ids: Mapping[ThingId, ThingId], rig: Rig
) -> Source:
    """A source of another rig with the ids of this one; where it is here already, with what was
    made there of those of its nodes of which nothing is left here."""
    mapped = _of_parts(other, {old: PartId(new) for old, new in ids.items()})
    if here is None or len(here.nodes) != len(mapped.nodes):
        return here or mapped
    nodes = tuple(
        own if own.part in rig.parts else replace(own, part=theirs.part)
        for own, theirs in zip(here.nodes, mapped.nodes, strict=True)
    )
    return replace(here, nodes=nodes)


def _of_parts(source: Source, parts: Mapping[ThingId, PartId]) -> Source:
    """A source whose nodes were made other parts, by the ids of those they were made; none, where
    that is not among them. What nodes are called stays, whatever it looks like."""
    nodes = tuple(
        replace(node, part=parts.get(node.part, GROUND)) if node.part else node
        for node in source.nodes
    )
    return replace(source, nodes=nodes)


def _letter(thing: ThingId) -> str:
    return thing.rstrip("0123456789") or "p"
