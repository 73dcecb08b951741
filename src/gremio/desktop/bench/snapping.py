"""Places in the Bench that a mount or a measure can snap to. No toolkit."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array
from gremio.core.frames import carried
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Anchor
from gremio.core.shape.features import Place, known_places
from gremio.core.shape.geometry import Geometry
from gremio.core.solve.pose import Pose
from gremio.desktop.bench.camera import Camera, Size, project
from gremio.desktop.bench.scene import Scene

# How near the pointer must be to a point, and to a line (px).
REACH, ALONG = 22, 9
_MOST = 600
# So many of the likeliest places are looked at, whether they can be seen; and a line at so many
# places of each of its pieces.
_LOOKED_AT, _ALONG_LINE = 12, 9


class Spot(NamedTuple):
    """A place on a part. world: (3,) its point, and direction (3,) unit or None, as it stands.
    inside: the direction in the part's frame. anchor: it, to be kept. line: (n, 3) what is picked
    along, in the world."""

    place: Place
    world: Array
    direction: Array | None
    inside: Array | None
    anchor: Anchor
    line: Array


def snap_places(scene: Scene, pose: Pose, rows: set[int]) -> list[Spot]:
    """The places on some parts (by row)."""
    found: list[Spot] = []
    for index in scene.of_parts(rows):
        row = int(scene.parts[index])
        part, world = pose.program.part_ids[row], pose.worlds[row]
        inside = scene.places[index]
        turn = world[:3, :3] @ inside[:3, :3]
        shape = int(scene.shapes[index])
        geometry = scene.batches[scene.batch_index[index]].geometry
        for feature, place in enumerate(_offered(geometry)):
            at = carried(inside, place.at)
            direction = way = None
            if place.direction is not None:
                direction, way = turn @ place.direction, inside[:3, :3] @ place.direction
                direction, way = (v / np.linalg.norm(v) for v in (direction, way))
            x, y, z = (float(v) for v in at)
            anchor = Anchor(part, (x, y, z), shape, feature if shape >= 0 else -1)
            line = carried(world @ inside, place.line) if len(place.line) else place.line
            found.append(Spot(place, carried(world, at), direction, way, anchor, line))
    return found


def _offered(geometry: Geometry) -> tuple[Place, ...]:
    """The first of many places, and the axis, which is the last."""
    every = known_places(geometry)
    return every if len(every) <= _MOST else every[:_MOST]


def nearest_place(
    spots: Sequence[Spot],
    camera: Camera,
    size: Size,
    at: tuple[float, float],
    under: PartId | None = None,
    hidden: Callable[[Spot, Array], bool] = lambda _spot, _place: False,
) -> int | None:
    """Index of the place meant by a pixel: a point within REACH of it, an edge, a rim or an axis
    along which it is, or, of the part under the pointer, the axis of all of it.

    Of places equally near the one nearest to the eye is meant. hidden: whether a place (3,) of a
    spot, the point or where its line is nearest to the pixel, can't be seen: then it is not meant.
    """
    for index in _ranked(spots, camera, size, at, under)[:_LOOKED_AT]:
        spot = spots[index]
        if spot.place.kind == "axis" or not hidden(spot, _seen_at(spot, camera, size, at)):
            return index
    return None


def _seen_at(spot: Spot, camera: Camera, size: Size, at: tuple[float, float]) -> Array:
    """(3,) the place of a spot that is nearest to a pixel: its point, or one along its line."""
    if not len(spot.line):
        return spot.world
    ((x, y),), depth = project(camera, size, [spot.world])
    if depth[0] > 0 and np.hypot(x - at[0], y - at[1]) < ALONG:
        return spot.world
    share = np.linspace(0.0, 1.0, _ALONG_LINE)[:, None]
    places = np.concatenate(
        [a + share * (b - a) for a, b in zip(spot.line, spot.line[1:], strict=False)]
    )
    pixels, _ = project(camera, size, places)
    nearest = int(np.argmin(np.hypot(pixels[:, 0] - at[0], pixels[:, 1] - at[1])))
    place: Array = places[nearest]
    return place


def _ranked(
    spots: Sequence[Spot],
    camera: Camera,
    size: Size,
    at: tuple[float, float],
    under: PartId | None,
) -> list[int]:
    """Indices of the places that a pixel may mean, the likeliest first."""
    if not spots:
        return []
    pixels, depth = project(camera, size, [spot.world for spot in spots])
    away = np.hypot(pixels[:, 0] - at[0], pixels[:, 1] - at[1])
    away[away >= REACH] = np.inf
    for index, spot in enumerate(spots):
        if len(spot.line):
            beside = _beside_line(spot.line, camera, size, at)
            # On a line one is as near as at a point twice as far.
            if beside < ALONG:
                away[index] = min(away[index], REACH / 2 * beside / ALONG + 2.0)
        if spot.place.kind == "axis" and spot.anchor.part == under:
            away[index] = min(away[index], REACH - 1.0)
    away[depth <= 0] = np.inf
    order = np.argsort(away + depth / max(camera.distance, 1e-9), kind="stable")
    return [int(index) for index in order if np.isfinite(away[index])]


def _beside_line(line: Array, camera: Camera, size: Size, at: tuple[float, float]) -> float:
    """How far a pixel is from a line as it is seen; infinite where some of it is behind."""
    pixels, depth = project(camera, size, line)
    if (depth <= 0).any():
        return float("inf")
    start, way = pixels[:-1], np.diff(pixels, axis=0)
    length = np.maximum((way**2).sum(axis=1), 1e-12)
    share = np.clip(((np.asarray(at) - start) * way).sum(axis=1) / length, 0.0, 1.0)
    near = start + share[:, None] * way
    return float(np.hypot(near[:, 0] - at[0], near[:, 1] - at[1]).min())
