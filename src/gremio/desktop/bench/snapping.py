"""Places in the Bench that a mount or a measure can snap to. No toolkit."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array
from gremio.core.frames import carried
from gremio.core.rig.model import Anchor
from gremio.core.shape.features import Place, places
from gremio.core.solve.pose import Pose
from gremio.desktop.bench.camera import Camera, Size, project
from gremio.desktop.bench.scene import Scene

REACH = 22
_MOST = 600


class Spot(NamedTuple):
    """A place on a part. world: (3,) its point, and direction (3,) unit or None, as it stands.
    inside: the direction in the part's frame. anchor: it, to be kept."""

    place: Place
    world: Array
    direction: Array | None
    inside: Array | None
    anchor: Anchor


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
        for feature, place in enumerate(places(geometry)[:_MOST]):
            at = carried(inside, place.at)
            direction = way = None
            if place.direction is not None:
                direction, way = turn @ place.direction, inside[:3, :3] @ place.direction
                direction, way = (v / np.linalg.norm(v) for v in (direction, way))
            x, y, z = (float(v) for v in at)
            anchor = Anchor(part, (x, y, z), shape, feature if shape >= 0 else -1)
            found.append(Spot(place, carried(world, at), direction, way, anchor))
    return found


def nearest_place(
    spots: Sequence[Spot], camera: Camera, size: Size, at: tuple[float, float]
) -> int | None:
    """Index of the place seen nearest to a pixel, of those within REACH pixels of it.

    Of places at one pixel the one nearest to the eye is meant.
    """
    if not spots:
        return None
    pixels, depth = project(camera, size, [spot.world for spot in spots])
    away = np.hypot(pixels[:, 0] - at[0], pixels[:, 1] - at[1])
    away[depth <= 0] = np.inf
    best = int(np.argmin(away + depth / max(camera.distance, 1e-9)))
    return best if away[best] < REACH else None
