"""Making parts of a model's nodes."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.edit.change import new_id, with_entry
from gremio.core.edit.parts import add_part
from gremio.core.frames import Triple, carried, frame_of, triple
from gremio.core.problem import GremioError
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Part, Rig, Shape
from gremio.core.rig.solids import Mesh
from gremio.core.surfaces.models import Model, ModelNode

UNITS_OF_FILES = {"metres": 1.0, "millimetres": 0.001, "centimetres": 0.01, "inches": 0.0254}
# Which way a model faces, with cosine and sine of the turn about the upright axis that brings it to
# face along x.
FACING = {"x": (1, 0), "y": (0, -1), "-x": (-1, 0), "-y": (0, 1)}
# What is farther across than this, or less far (m), was probably meant in another unit.
_FAR, _NEAR = 300.0, 0.002
_USUAL = (0.02, 50.0)
# Axes of a node that are no farther off than this lie along the world's.
_ALONG = 1e-6


def bring_in(
    rig: Rig, model: Model, *, on_ground: bool = False, facing: str = "x"
) -> tuple[Rig, list[PartId]]:
    """The rig with a part for each node of a model, and their ids.

    Names, hierarchy, frames and base colours are the model's; a name that is taken gets a
    number. A node whose axes are those of the world in another order, or the other way (as where
    its file turned it upright), keeps that frame as its part's own, and is mounted along the axes
    of the world, so that its joint's z is up; one that stands aslant is mounted as it stands.
    on_ground: shift the whole so that its lowest point is on the ground, and its middle over the
    origin. facing: the axis that its front faces (a key of FACING); it is turned to face along x.
    Raises GremioError for another.
    """
    if facing not in FACING:
        raise GremioError(f"A model faces x, y, -x or -y, not {facing}.")
    stands = _stands(model, on_ground, facing)
    rig, source_id = new_id(rig, "s")
    taken = names_in(rig)
    ids: list[PartId] = []
    worlds: list[Array] = []
    for node in model.nodes:
        name = free_name(taken, node.name.strip() or "Part")
        taken.add(name)
        local = node.local.copy()
        if node.parent is None:
            local = stands @ local
        above = np.eye(4) if node.parent is None else worlds[node.parent]
        worlds.append(above @ local)
        mount, own = upright(above, worlds[-1], local)
        parent = None if node.parent is None else ids[node.parent]
        made = Part(name, parent, frame_of(mount), shapes=shapes_of(node, source_id))
        if own is not None:
            made = replace(made, own=frame_of(own))
        rig, part = add_part(rig, made)
        ids.append(part)
    nodes = tuple(replace(n, part=i) for n, i in zip(model.source.nodes, ids, strict=True))
    source = replace(model.source, nodes=nodes)
    return replace(rig, sources=with_entry(rig.sources, source_id, source)), ids


def upright(above: Array, world: Array, local: Array) -> tuple[Array, Array | None]:
    """(4, 4) the mount of a node along the world's axes, and its own frame in that; as it stands,
    and None, where its axes are not the world's in some order. above, world: of what carries it,
    and its own."""
    turn = np.round(world[:3, :3])
    ordered = np.allclose(world[:3, :3], turn, atol=_ALONG) and np.linalg.det(turn) == 1.0
    if not ordered or np.array_equal(turn, np.eye(3)):
        return local, None
    along, own = np.eye(4), np.eye(4)
    along[:3, 3] = world[:3, 3]
    own[:3, :3] = turn
    mount: Array = np.linalg.inv(above) @ along
    return mount, own


def shapes_of(node: ModelNode, source_id: ThingId) -> tuple[Shape, ...]:
    """The shapes that a part has of a node of a model."""
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


def _stands(model: Model, on_ground: bool, facing: str) -> Array:
    """(4, 4) where a model is put: turned to face along x, and on the ground."""
    stands = np.eye(4)
    cosine, sine = FACING[facing]
    stands[:2, :2] = [[cosine, -sine], [sine, cosine]]
    if on_ground:
        low, high = box_of(model, stands)
        stands[:3, 3] = -(low[0] + high[0]) / 2, -(low[1] + high[1]) / 2, -low[2]
    return stands


def likelier_unit(model: Model) -> str:
    """The unit (a key of UNITS_OF_FILES) in which a model that is read far too large or too small
    would be of a usual size; "" where its size is not strange, or none would do."""
    low, high = box_of(model)
    across = max(b - a for a, b in zip(low, high, strict=True))
    if across == 0.0 or _NEAR < across < _FAR:
        return ""
    told = across / model.metres
    fitting = (n for n, size in UNITS_OF_FILES.items() if _USUAL[0] <= told * size <= _USUAL[1])
    return next(fitting, "")


def box_of(model: Model, stands: Array | None = None) -> tuple[Triple, Triple]:
    """Lowest and highest corner (m) of the box that a model fills. stands: (4, 4) where it is put,
    as it was made by default."""
    worlds: list[Array] = []
    ground = np.eye(4) if stands is None else stands
    corners = []
    for node in model.nodes:
        above = ground if node.parent is None else worlds[node.parent]
        worlds.append(above @ node.local)
        for piece in node.pieces:
            points = carried(worlds[-1], piece.geometry.vertices)
            corners += [points.min(axis=0), points.max(axis=0)]
    stacked = np.array(corners)
    return triple(stacked.min(axis=0)), triple(stacked.max(axis=0))
