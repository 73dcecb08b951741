"""Pins, struts and strands made at the screen. Loaded when they are first asked for."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from gremio.core.edit.closures import add_closure
from gremio.core.edit.strands import add_strand
from gremio.core.inspect.struts import told, use_in
from gremio.core.make.strands import shortest_way
from gremio.core.make.struts import make_strut
from gremio.core.plan.loops import closure_label
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.model import Closure, Strand, StrandKind, Waypoint
from gremio.desktop.bench.snapping import Spot
from gremio.desktop.document.document import Document


def pin_together(document: Document, one: Spot, two: Spot) -> None:
    """Tie two picked places; where the second is an edge or a hole, a rail can be made of it on
    the Card."""
    axis = (1.0, 0.0, 0.0)
    if two.inside is not None:
        x, y, z = (float(v) for v in two.inside)
        axis = (x, y, z)
    closure = Closure(
        one.anchor.part, two.anchor.part, at_one=one.anchor.at, at_two=two.anchor.at, axis=axis
    )
    names = [document.rig.parts[spot.anchor.part].name for spot in (one, two)]
    if not document.make(f"pin {names[0]} to {names[1]}", lambda rig: add_closure(rig, closure)):
        return
    notes = [n.text for n in document.pose.notes if n.code.startswith("loop")]
    name = closure_label(document.rig, closure)
    loop = next((k for k in document.program.loops.values()), None)
    free = f" It has {loop.mobility} freedom{'s' * (loop.mobility != 1)}." if loop else ""
    document.said.emit(notes[0] if notes else f"{name[0].upper()}{name[1:]} closes a loop.{free}")


def strut_between(document: Document, one: Spot, two: Spot) -> None:
    """Make a strut between two picked places, its bodies such as the travel needs."""
    ends = [(spot.anchor.part, spot.anchor.at) for spot in (one, two)]
    if not document.make(
        "make a strut", lambda rig: make_strut(rig, ends[0], ends[1], geometry=document.geometry)
    ):
        return
    use = use_in(document.program, document.selected)
    name = document.rig.struts[document.selected].name
    failing = told(document.rig, use)
    document.said.emit(
        f"{name} {failing}." if failing else f"{name} does for the whole travel of its machine."
    )


def strand_through(document: Document, kind: StrandKind, spots: list[Spot]) -> None:
    """Make a spring, bellows, a hose or a rope through picked places; a rope goes round a
    wheel whose middle was picked between its ends."""
    away = float(np.linalg.norm(spots[-1].world - spots[0].world))
    ends = [
        waypoint(spot, sheave=kind == "rope" and 0 < i < len(spots) - 1)
        for i, spot in enumerate(spots)
    ]
    usual: dict[StrandKind, dict[str, float]] = {
        "spring": {"thickness": 0.02 * away, "width": 0.18 * away},
        "bellows": {"width": 0.3 * away},
        "hose": {"thickness": 0.03 * away, "length": 1.15 * away},
        "rope": {"thickness": 0.012 * max(away, 0.5)},
    }
    sizes = {name: round(max(size, 0.004), 3) for name, size in usual[kind].items()}
    name = free_name(names_in(document.rig), kind.capitalize())
    strand = replace(Strand(name, kind, tuple(ends)), **sizes)
    strand = shortest_way(document.pose, strand)
    document.make(f"make {name}", lambda rig: add_strand(rig, strand))


def waypoint(spot: Spot, sheave: bool) -> Waypoint:
    """Where a strand goes at a picked place; sheave: round the circle that it is the middle of."""
    anchor = spot.anchor
    if not (sheave and spot.place.kind == "circle centre" and spot.inside is not None):
        return Waypoint(anchor.part, anchor.at)
    x, y, z = (float(v) for v in spot.inside)
    return Waypoint(anchor.part, anchor.at, spot.place.size, (x, y, z))
