"""Making parts of a model's nodes."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from gremio.core.edit.change import new_id, with_entry
from gremio.core.edit.parts import add_part
from gremio.core.frames import Triple, carried, frame_of, triple
from gremio.core.problem import NotFound
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Part, Rig, Shape, Source
from gremio.core.rig.solids import Mesh
from gremio.core.surfaces.models import Model, ModelNode


def bring_in(rig: Rig, model: Model, *, on_ground: bool = False) -> tuple[Rig, list[PartId]]:
    """The rig with a part for each node of a model, and their ids.

    Names, hierarchy, frames and base colours are the model's; a name that is taken gets a
    number. on_ground: shift the whole so that its lowest point is on the ground, and its
    middle over the origin.
    """
    rig, source_id = new_id(rig, "s")
    source = Source(str(model.path), model.sha256, model.metres, model.up)
    rig = replace(rig, sources=with_entry(rig.sources, source_id, source))
    shift = _to_ground(model) if on_ground else np.zeros(3)
    taken = names_in(rig)
    ids: list[PartId] = []
    for node in model.nodes:
        name = free_name(taken, node.name.strip() or "Part")
        taken.add(name)
        local = node.local.copy()
        if node.parent is None:
            local[:3, 3] += shift
        parent = None if node.parent is None else ids[node.parent]
        shapes = _shapes(node, source_id)
        rig, part = add_part(rig, Part(name, parent, frame_of(local), shapes=shapes))
        ids.append(part)
    return rig, ids


def _shapes(node: ModelNode, source_id: ThingId) -> tuple[Shape, ...]:
    made = []
    for piece in node.pieces:
        low, high = piece.geometry.bounds
        centre, size = triple((low + high) / 2), triple(high - low)
        made.append(
            Shape(
                Mesh(source=source_id, piece=piece.name, centre=centre, size=size),
                paint=piece.paint,
            )
        )
    return tuple(made)


def _to_ground(model: Model) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
    low, high = box_of(model)
    return np.array([-(low[0] + high[0]) / 2, -(low[1] + high[1]) / 2, -low[2]])


def box_of(model: Model) -> tuple[Triple, Triple]:
    """Lowest and highest corner (m) of the box that a model fills."""
    worlds: list[np.ndarray[tuple[int, int], np.dtype[np.float64]]] = []
    corners = []
    for node in model.nodes:
        above = np.eye(4) if node.parent is None else worlds[node.parent]
        worlds.append(above @ node.local)
        for piece in node.pieces:
            points = carried(worlds[-1], piece.geometry.vertices)
            corners += [points.min(axis=0), points.max(axis=0)]
    stacked = np.array(corners)
    return triple(stacked.min(axis=0)), triple(stacked.max(axis=0))


def take_up(rig: Rig, source_id: ThingId, model: Model) -> Rig:
    """Let a source be another, or a changed, model file. Raises NotFound.

    Shapes go on to refer to their pieces by name; `Shelf.notes` lists those now missing.
    """
    if source_id not in rig.sources:
        raise NotFound(f"The rig has no model with the id {source_id!r}.")
    source = Source(str(model.path), model.sha256, model.metres, model.up)
    return replace(rig, sources=with_entry(rig.sources, source_id, source))
