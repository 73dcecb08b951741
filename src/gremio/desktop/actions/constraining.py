"""Constraints and paths made at the screen. Loaded when they are first asked for."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.edit.change import without
from gremio.core.edit.constraints import change_constraint, remove_constraint
from gremio.core.edit.mounts import place_part
from gremio.core.edit.paths import add_path
from gremio.core.frames import carried, matrix, triple
from gremio.core.make.constraining import constrain, with_target
from gremio.core.make.copying import copy_part
from gremio.core.make.releasing import release, swapped
from gremio.core.make.round_things import widest_round
from gremio.core.plan.carrying import carriers
from gremio.core.rig.channels import MOVES, key
from gremio.core.rig.constraints import constraint_words
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import GROUND, PartId, ThingId
from gremio.core.rig.model import ConstraintKind, Path, PathKind, Rig, Seat, Target
from gremio.core.shape.edge_loops import edge_loop
from gremio.desktop.bench.snapping import Spot
from gremio.desktop.document.document import Document
from gremio.desktop.document.mounted import as_mounted


def tie(document: Document, kind: ConstraintKind, part: PartId, targets: list[Target]) -> bool:
    """Constrain a part; the words say what it does now, and how to turn it about."""
    what = f"{kind} for {document.rig.parts[part].name}"
    done = document.make(what, lambda rig: constrain(rig, kind, part, targets,
                                                     geometry=document.geometry))  # fmt: skip
    if done:
        made = document.rig.constraints[document.selected]
        swap = " Swap them on the Card if it is the other way about." if targets else ""
        document.said.emit(f"{constraint_words(document.rig, made)}.{swap}")
    return done


def one_more_target(document: Document, constraint_id: ThingId, target: Target) -> None:
    """Give a constraint one more target; nothing moves where it keeps its part off them."""
    name, pose = document.rig.constraints[constraint_id].name, document.settled()
    document.edit(
        f"one more target of {name}",
        lambda rig: with_target(rig, constraint_id, target, pose),
    )


def seat_at(document: Document, part: PartId, on: PartId, place: Array) -> bool:
    """Seat a part on the surface of another, at a place in the world (3,)."""

    def change(rig: Rig) -> tuple[Rig, ThingId]:
        rig, made = constrain(rig, "seat", part, [Target(on)], geometry=document.geometry)
        return _put_at(document, rig, part, place), made

    name, other = document.rig.parts[part].name, document.rig.parts[on].name
    done = document.make(f"seat {name} on {other}", change)
    if done:
        document.said.emit(f"{name} sits on {other}. Pull it to slide it over the surface.")
    return done


def _put_at(document: Document, rig: Rig, part: PartId, place: Array) -> Rig:
    """The rig with a part put at a place of the world: by its mount, so that it is at home
    there."""
    entry = rig.parts[part]
    above = as_mounted(document).frame_of(entry.parent)
    local = np.linalg.inv(above) @ np.append(place, 1.0)
    moves = [key(part, channel) for channel in MOVES]
    rig = replace(rig, at=without(rig.at, *moves))
    return place_part(rig, part, replace(entry.mount, at=triple(local[:3])))


def seat_copy(document: Document, part: PartId, on: PartId, place: Array) -> PartId:
    """Put a copy of a part on a surface, at a place in the world (3,), or the part itself where
    it sits nowhere yet. Returns the id of what now sits there; "" when it was refused."""
    sits = any(c.kind == "seat" for c in document.rig.constraints.values() if c.part == part)
    if not sits:
        return part if seat_at(document, part, on, place) else GROUND
    copied: list[PartId] = []

    def change(rig: Rig) -> Rig:
        rig, copy = copy_part(rig, part)
        copied.append(copy)
        for constraint_id, constraint in list(rig.constraints.items()):
            if constraint.part == copy and isinstance(constraint, Seat):
                moved = replace(constraint, targets=(replace(constraint.targets[0], on=on),))
                rig = change_constraint(rig, constraint_id, moved)
        return _put_at(document, rig, copy, place)

    name, other = document.rig.parts[part].name, document.rig.parts[on].name
    if not document.edit(f"put a copy of {name} on {other}", change):
        return GROUND
    document.settle()
    return copied[-1]


# ── on and off, and away ───────────────────────────────────────────


def swap_constraint(document: Document, constraint_id: ThingId) -> None:
    """Part and target the other way about."""
    name, pose = document.rig.constraints[constraint_id].name, document.settled()
    document.make(
        f"swap part and target of {name}",
        lambda rig: swapped(rig, constraint_id, pose),
    )


def remove_and_go_home(document: Document, constraint_id: ThingId) -> None:
    """Remove a constraint; its part goes home."""
    constraint, pose = document.rig.constraints[constraint_id], document.settled()
    document.edit(f"remove {constraint.name}",
                  lambda rig: release(rig, [constraint_id], pose, leave=False))  # fmt: skip
    document.select(constraint.part)


def leave_in_place(document: Document, constraint_ids: Iterable[ThingId]) -> None:
    """Turn constraints into plain placement: nothing moves."""
    those, pose = list(constraint_ids), document.settled()
    if not those:
        document.said.emit("Nothing is constrained here, so there is nothing to turn.")
        return
    names = [document.rig.constraints[i].name for i in those]
    what = names[0] if len(names) == 1 else f"{len(names)} constraints"
    part = document.rig.constraints[those[0]].part
    if document.edit(f"turn {what} into placement", lambda rig: release(rig, those, pose)):
        document.said.emit(f"{what} is plain placement now; nothing has moved.")
        if document.selected in those or not document.selected:
            document.select(part)


def drop_constraint(document: Document, constraint_id: ThingId) -> None:
    """Take a constraint away that can't be computed."""
    name = document.rig.constraints[constraint_id].name
    document.edit(f"remove {name}", lambda rig: remove_constraint(rig, constraint_id))


# ── paths ──────────────────────────────────────────────────────────


def make_path(
    document: Document,
    places: list[Array],
    on: PartId | None,
    kind: PathKind = "polyline",
    *,
    closed: bool = False,
    radii: tuple[float, ...] = (),
) -> bool:
    """Make a path through places of the world (3,), in the frame of a part or the ground."""
    frame = document.pose.frame_of(on)
    back = np.linalg.inv(frame)
    points = tuple(triple(carried(back, place)) for place in places)
    name = free_name(names_in(document.rig), "Path")
    path = Path(name, points, closed, on, kind, radii)
    return document.make(f"make {name}", lambda rig: add_path(rig, path))


def path_round(document: Document, parts: list[PartId]) -> bool:
    """Make the path of a band round wheels, in the order in which they were picked."""
    rig, pose = document.rig, document.settled()
    radii = tuple(widest_round(rig, part) / 2 for part in parts)
    without = [rig.parts[p].name for p, r in zip(parts, radii, strict=True) if not r]
    if without:
        document.said.emit(f"{without[0]} has no round shape to go round. Pick a wheel.")
        return False
    common = [c for c in carriers(rig, parts[0])[1:] if all(c in carriers(rig, p) for p in parts)]
    on = common[0] if common else None
    places = [pose.world(part)[:3, 3] for part in parts]
    return make_path(document, places, on, "wrap", closed=True, radii=radii)


def path_along_edges(document: Document, spot: Spot, toward: Array) -> bool:
    """Make a path of the loop of edges that a picked edge belongs to, or of a picked circle.

    toward: (3,) where the eye is: of two faces beside an edge, that one is gone round.
    """
    part = spot.anchor.part
    world = document.pose.world(part)
    if spot.place.kind == "circle centre" and spot.direction is not None:
        one = np.cross(spot.direction, np.eye(3)[int(np.argmin(np.abs(spot.direction)))])
        one *= spot.place.size / np.linalg.norm(one)
        two = np.cross(spot.direction, one)
        return make_path(document, [spot.world + v for v in (one, two, -one)], part, "circle")
    shape = document.rig.parts[part].shapes[spot.anchor.shape]
    frame = world @ matrix(shape.place)
    back = np.linalg.inv(frame)
    near = carried(back, spot.world)
    corners, closed = edge_loop(document.geometry(shape.solid), near, frame[:3, :3].T @ toward)
    places = [carried(frame, corner) for corner in corners]
    return make_path(document, places, part, "polyline", closed=closed)
