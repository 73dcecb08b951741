"""Measuring in the Bench: what the picked places most likely mean, and how it is drawn. No
toolkit."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.frames import carried
from gremio.core.quantity import show, show_short
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Measure, MeasureKind, Rig
from gremio.core.rig.solids import AnySolid
from gremio.core.shape.geometry import Geometry
from gremio.core.shape.measure import feature, measured, point
from gremio.core.solve.pose import Pose
from gremio.desktop.bench.snapping import Spot

GeometryOf = Callable[[AnySolid], Geometry]
# Lengths below this are shown in millimetres (m).
_SMALL = 0.5
_ONE: dict[str, MeasureKind] = {
    "edge middle": "length",
    "circle centre": "radius",
    "axis": "radius",
}


class Line(NamedTuple):
    """A measure as drawn: the (2, 3) world ends of its line, its value in words, and whether
    it is the one in question."""

    ends: Array
    text: str
    hot: bool = False


def likely_measure(rig: Rig, picked: Sequence[Spot]) -> Measure:
    """What one or two picked places most likely mean: an edge its length, a circle its radius,
    two flat faces the angle between them, anything else the distance."""
    anchors = tuple(spot.anchor for spot in picked)
    kinds = [spot.place.kind for spot in picked]
    if len(picked) == 1:
        kind = _ONE.get(kinds[0], "size")
        axis = "x"
        if kind == "size" and picked[0].inside is not None:
            axis = "xyz"[int(np.argmax(np.abs(picked[0].inside)))]
        name = free_name(names_in(rig), {"length": "Edge", "radius": "Radius"}.get(kind, "Size"))
        return Measure(name, kind, anchors, axis=axis)  # type: ignore[arg-type]
    if kinds == ["face centre", "face centre"] and not _parallel(picked):
        return Measure(free_name(names_in(rig), "Angle"), "angle", anchors, "deg")
    return Measure(free_name(names_in(rig), "Distance"), "distance", anchors)


def _parallel(picked: Sequence[Spot]) -> bool:
    one, two = (spot.direction for spot in picked)
    return one is not None and two is not None and abs(float(one @ two)) > 1 - 1e-9


def measure_value(rig: Rig, pose: Pose, measure: Measure, geometry: GeometryOf) -> float:
    """The value of a measure in a pose (SI); nan when what it measured is gone."""
    return measured(rig, measure, pose.world, geometry)


def in_fitting_unit(measure: Measure, value: float) -> Measure:
    """A measure shown in millimetres where it is a small length (m)."""
    if measure.kind == "angle" or not value < _SMALL:
        return measure
    return replace(measure, unit="mm")


def told(value: float, unit: str) -> str:
    """A measured value in words."""
    return show(value, unit) if math.isfinite(value) else "not there any more"


def drawn_measures(
    pose: Pose, selected: ThingId, picked: Sequence[Spot], geometry: GeometryOf
) -> list[Line]:
    """What the Bench draws: the kept measures, and the one that is being picked."""
    rig = pose.rig
    found = []
    for measure_id, measure in rig.measures.items():
        line = measure_line(rig, pose, measure, geometry)
        found.append(line._replace(hot=measure_id == selected))
    if picked:
        present = likely_measure(rig, picked)
        value = measure_value(rig, pose, present, geometry)
        line = measure_line(rig, pose, in_fitting_unit(present, value), geometry)
        found.append(line._replace(hot=True))
    return found


def measure_line(rig: Rig, pose: Pose, measure: Measure, geometry: GeometryOf) -> Line:
    """How a measure is drawn in a pose."""
    value = measure_value(rig, pose, measure, geometry)
    text = told(value, measure.unit)
    if math.isnan(value):
        return Line(np.zeros((2, 3)), text)
    spots = [_world(rig, pose, measure, i, geometry) for i in range(len(measure.ends))]
    if len(spots) == 2:
        return Line(np.array(spots), text)
    found = feature(rig, measure.ends[0], geometry)
    world = pose.world(measure.ends[0].part)
    if found is None or found.direction is None:
        return Line(np.array([spots[0], spots[0]]), text)
    way = world[:3, :3] @ found.direction
    if measure.kind == "length":
        half = way * found.size / 2
        return Line(np.array([spots[0] - half, spots[0] + half]), text)
    if measure.kind == "radius":
        side = np.cross(way, [0.0, 0.0, 1.0])
        if np.linalg.norm(side) < 1e-6:
            side = np.cross(way, [1.0, 0.0, 0.0])
        rim = spots[0] + side / np.linalg.norm(side) * found.size
        more = f", ± {show_short(found.error, 'mm')}" if found.error > 5e-6 else ""
        return Line(np.array([spots[0], rim]), f"r {text}{more}")
    return Line(np.array([spots[0], spots[0]]), text)


def _world(rig: Rig, pose: Pose, measure: Measure, end: int, geometry: GeometryOf) -> Array:
    anchor = measure.ends[end]
    inside = point(rig, anchor, geometry)
    result: Array = carried(pose.world(anchor.part), inside)
    return result
