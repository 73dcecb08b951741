"""Places in the Bench that a mount can snap to. No toolkit."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from gremio.core.shape.features import Place, places
from gremio.core.solve.pose import Pose
from gremio.desktop.bench.camera import Camera, Size, project
from gremio.desktop.bench.scene import Scene

Array = npt.NDArray[np.float64]
REACH = 22
_MOST = 600


def snap_places(scene: Scene, pose: Pose, rows: set[int]) -> list[tuple[Place, Array]]:
    """The places on some parts (by row), each with its world point (3,)."""
    found: list[tuple[Place, Array]] = []
    worlds = pose.worlds
    for index in scene.of_parts(rows):
        frame = worlds[scene.parts[index]] @ scene.places[index]
        for place in places(scene.batches[scene.batch_index[index]].geometry)[:_MOST]:
            found.append((place, frame[:3, :3] @ place.at + frame[:3, 3]))
    return found


def nearest_place(
    spots: Sequence[tuple[Place, Array]], camera: Camera, size: Size, at: tuple[float, float]
) -> int | None:
    """Index of the place seen nearest to a pixel, of those within REACH pixels of it.

    Of places at one pixel the one nearest to the eye is meant.
    """
    if not spots:
        return None
    pixels, depth = project(camera, size, [point for _, point in spots])
    away = np.hypot(pixels[:, 0] - at[0], pixels[:, 1] - at[1])
    away[depth <= 0] = np.inf
    best = int(np.argmin(away + depth / max(camera.distance, 1e-9)))
    return best if away[best] < REACH else None
