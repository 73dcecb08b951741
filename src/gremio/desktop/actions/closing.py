"""Pins, struts and strands made at the screen. Loaded when they are first asked for."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from gremio.core.edit.closures import add_closure
from gremio.core.edit.strands import add_strand
from gremio.core.frames import Triple, carried, triple
from gremio.core.inspect.struts import told, use_in
from gremio.core.make.bodies import strut_of_bodies
from gremio.core.make.round_things import widest_round
from gremio.core.make.strands import shortest_way
from gremio.core.make.struts import make_strut
from gremio.core.rig import ids
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Closure, Rig, Strand, StrandKind, Waypoint
from gremio.core.rig.numbers import closure_label
from gremio.desktop.bench.snapping import Spot
from gremio.desktop.document.document import Document

# How far off one line two eyes may be, as a share of their radius, and how askew.
_IN_LINE = 0.02


def pin_together(document: Document, one: Spot, two: Spot) -> None:
    """Tie two picked places; where the second is an edge or a hole, a rail can be made of it on
    the Card."""
    axis = (1.0, 0.0, 0.0)
    if two.inside is not None:
        x, y, z = (float(v) for v in two.inside)
        axis = (x, y, z)
    at_one, at_two = _on_one_axis(document, one, two)
    closure = Closure(one.anchor.part, two.anchor.part, at_one=at_one, at_two=at_two, axis=axis)
    names = [document.rig.parts[spot.anchor.part].name for spot in (one, two)]
    if not document.make(f"pin {names[0]} to {names[1]}", lambda rig: add_closure(rig, closure)):
        return
    notes = [n.text for n in document.pose.notes if n.code.startswith("loop")]
    name = closure_label(document.rig, closure)
    loop = next((k for k in document.program.loops.values()), None)
    free = f" It has {loop.mobility} freedom{'s' * (loop.mobility != 1)}." if loop else ""
    document.said.emit(notes[0] if notes else f"{name[0].upper()}{name[1:]} closes a loop.{free}")


def _on_one_axis(document: Document, one: Spot, two: Spot) -> tuple[Triple, Triple]:
    """The points that are pinned together, in the parts' frames: of two eyes on one line, however
    wide they are, the middle between the two; else what was picked."""
    ends = one.anchor.at, two.anchor.at
    if one.direction is None or two.direction is None:
        return ends
    between = two.world - one.world
    along = float(between @ one.direction)
    off = float(np.linalg.norm(between - one.direction * along))
    size = max(one.place.size, two.place.size, 1e-9)
    kinds = {one.place.kind, two.place.kind}
    if not kinds <= {"circle centre", "axis"} or off > _IN_LINE * size:
        return ends
    if abs(float(one.direction @ two.direction)) < 1 - _IN_LINE:
        return ends
    points = (
        one.world + one.direction * (along / 2),
        two.world - two.direction * (along / 2 * float(one.direction @ two.direction)),
    )
    backs = (np.linalg.inv(document.pose.world(spot.anchor.part)) for spot in (one, two))
    first, second = (
        triple(carried(back, point)) for back, point in zip(backs, points, strict=True)
    )
    return first, second


def strut_between(document: Document, one: Spot, two: Spot, bodies: Sequence[PartId] = ()) -> None:
    """Make a strut between two picked places, its bodies such as the travel needs, or two parts
    (ids)."""
    ends = [(spot.anchor.part, spot.anchor.at) for spot in (one, two)]
    geometry = document.geometry

    def change(rig: Rig) -> tuple[Rig, ThingId]:
        if bodies:
            return strut_of_bodies(rig, ends[0], ends[1], (bodies[0], bodies[1]), geometry=geometry)
        return make_strut(rig, ends[0], ends[1], geometry=geometry)

    if not document.make("make a strut", change):
        return
    tell_strut(document)


def tell_strut(document: Document) -> None:
    """Say whether the strut that is selected does for the travel of its machine."""
    use = use_in(document.program, document.selected)
    name = document.rig.struts[document.selected].name
    failing = told(document.rig, use)
    document.said.emit(
        f"{name} {failing}." if failing else f"{name} does for the whole travel of its machine."
    )


def strand_through(document: Document, kind: StrandKind, spots: list[Spot]) -> None:
    """Make a spring, bellows, a hose or a rope through picked places. A rope goes round a wheel
    whose middle was picked; one at its end it is fastened to, and winds on."""
    away = float(np.linalg.norm(spots[-1].world - spots[0].world))
    rope = kind == "rope"
    ends = [waypoint(spot, sheave=rope) for spot in spots[1:-1]]
    for spot, beside in ((spots[0], spots[1]), (spots[-1], spots[-2])):
        wound = _wound(document, spot, beside) if rope else [waypoint(spot, sheave=False)]
        ends = [*wound, *ends] if spot is spots[0] else [*ends, *reversed(wound)]
    usual: dict[StrandKind, dict[str, float]] = {
        "spring": {"thickness": 0.02 * away, "width": 0.18 * away},
        "bellows": {"width": 0.3 * away},
        "hose": {"thickness": 0.03 * away, "length": 1.15 * away},
        "rope": {"thickness": 0.012 * max(away, 0.5)},
    }
    sizes = {name: round(max(size, 0.004), 3) for name, size in usual[kind].items()}
    name = free_name(names_in(document.rig), kind.capitalize())
    strand = replace(Strand(name, kind, tuple(ends)), **sizes)
    strand = shortest_way(document.settled(), strand)
    document.make(f"make {name}", lambda rig: add_strand(rig, strand))


def _wound(document: Document, spot: Spot, beside: Spot) -> list[Waypoint]:
    """The end of a rope at a picked place; where that is the middle of a whole wheel, on the far
    side of its rim from the next place, and then round it."""
    round_it, part = waypoint(spot, sheave=True), spot.anchor.part
    if part not in document.rig.parts:
        return [round_it]
    wide = widest_round(document.rig, ids.part(part))
    if not math.isclose(2 * round_it.radius, wide, rel_tol=0.02):
        return [waypoint(spot, sheave=False)]
    back = np.linalg.inv(document.pose.world(ids.part(part)))
    axis = np.asarray(round_it.axis)
    away = back[:3, :3] @ (spot.world - beside.world)
    away = away - axis * float(away @ axis) / float(axis @ axis)
    size = float(np.linalg.norm(away))
    if size < 1e-9:
        return [waypoint(spot, sheave=False)]
    x, y, z = (float(v) for v in np.asarray(round_it.at) + away * (round_it.radius / size))
    return [replace(waypoint(spot, sheave=False), at=(x, y, z)), round_it]


def waypoint(spot: Spot, sheave: bool) -> Waypoint:
    """Where a strand goes at a picked place; sheave: round the circle that it is the middle of."""
    anchor = spot.anchor
    if not (sheave and spot.place.kind == "circle centre" and spot.inside is not None):
        return Waypoint(anchor.part, anchor.at)
    x, y, z = (float(v) for v in spot.inside)
    return Waypoint(anchor.part, anchor.at, spot.place.size, (x, y, z))
