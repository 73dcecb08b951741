"""Measures that are kept: their value now, following the geometry."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from gremio.core.arrays import Array, crossed
from gremio.core.frames import carried, matrix
from gremio.core.problem import GremioError
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Anchor, Measure, Rig
from gremio.core.shape.features import Place, known_places
from gremio.core.shape.geometry import GeometryOf


def feature(rig: Rig, anchor: Anchor, geometry: GeometryOf) -> Place | None:
    """The feature of an anchor as it is now, in the part's frame; None for a plain point."""
    part = rig.parts.get(anchor.part)
    if part is None or not 0 <= anchor.shape < len(part.shapes) or anchor.feature < 0:
        return None
    shape = part.shapes[anchor.shape]
    try:
        found = known_places(geometry(shape.solid))
    except GremioError:
        return None
    if anchor.feature >= len(found):
        return None
    frame, place = matrix(shape.place), found[anchor.feature]
    turn = frame[:3, :3]
    direction = None if place.direction is None else turn @ place.direction
    at = turn @ place.at + frame[:3, 3]
    return place._replace(at=at, direction=direction)


def point(rig: Rig, anchor: Anchor, geometry: GeometryOf) -> Array:
    """(3,) where an anchor is now, in its part's frame (m)."""
    found = feature(rig, anchor, geometry)
    return np.asarray(anchor.at, dtype=float) if found is None else found.at


def measured(
    rig: Rig, measure: Measure, world: Callable[[PartId], Array], geometry: GeometryOf
) -> float:
    """The value of a measure now (m or rad).

    world: the (4, 4) frame of a part by id. A feature that is not there any more measures
    as nothing (nan).
    """
    ends = measure.ends
    if len(ends) != ends_of(measure) or any(end.part not in rig.parts for end in ends):
        return math.nan
    match measure.kind:
        case "distance":
            one, two = (_in_world(world(e.part), point(rig, e, geometry)) for e in ends)
            return float(np.linalg.norm(one - two))
        case "angle":
            ways = [_direction(rig, e, world(e.part), geometry) for e in ends]
            if any(way is None for way in ways):
                return math.nan
            a, b = ways
            return math.atan2(float(np.linalg.norm(crossed(a, b))), float(np.dot(a, b)))  # type: ignore[arg-type]
        case "size":
            return size_along(rig, ends[0].part, "xyz".index(measure.axis), geometry)
        case _:
            found = feature(rig, ends[0], geometry)
            return math.nan if found is None else found.size


def ends_of(measure: Measure) -> int:
    """How many picked features a measure of this kind has."""
    return 2 if measure.kind in ("distance", "angle") else 1


def _in_world(world: Array, at: Array) -> Array:
    result: Array = carried(world, at)
    return result


def _direction(rig: Rig, anchor: Anchor, world: Array, geometry: GeometryOf) -> Array | None:
    found = feature(rig, anchor, geometry)
    if found is None or found.direction is None:
        return None
    way: Array = world[:3, :3] @ found.direction
    return way / np.linalg.norm(way)


def size_along(rig: Rig, part: PartId, axis: int, geometry: GeometryOf) -> float:
    """How long a part is along one of its own axes (m), 0 for x to 2 for z."""
    spans = []
    for shape in rig.parts[part].shapes:
        frame = matrix(shape.place)
        vertices = carried(frame, geometry(shape.solid).vertices)
        spans.append((vertices[:, axis].min(), vertices[:, axis].max()))
    if not spans:
        return 0.0
    lows, highs = zip(*spans, strict=True)
    return float(max(highs) - min(lows))


def is_fixed(measure: Measure) -> bool:
    """Whether a measure does not depend on how the machine stands."""
    parts = {end.part for end in measure.ends}
    return measure.kind not in ("distance", "angle") or len(parts) < 2
