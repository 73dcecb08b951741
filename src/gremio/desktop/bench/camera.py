"""Where the eye stands, and what it sees where. No toolkit: pixels run right and down."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.records import Record

Size = tuple[int, int]
FIELD_OF_VIEW = math.radians(28)
_STEEPEST = math.radians(89)
# Between these shares of the distance to what is looked at something is seen.
_NEAREST, _FARTHEST = 0.02, 60


class Camera(Record, frozen=True):
    """An eye that looks at a target. azimuth: where the eye stands, turned from +x about z;
    elevation: its height as an angle (rad). distance in metres."""

    target: tuple[float, float, float] = (0.0, 0.0, 0.0)
    distance: float = 10.0
    azimuth: float = math.radians(27)
    elevation: float = math.radians(20)

    @property
    def back(self) -> Array:
        """(3,) unit vector from the target to the eye."""
        level = math.cos(self.elevation)
        return np.array(
            [
                level * math.cos(self.azimuth),
                level * math.sin(self.azimuth),
                math.sin(self.elevation),
            ]
        )

    @property
    def right(self) -> Array:
        """(3,) unit vector to the right of the picture."""
        return np.array([-math.sin(self.azimuth), math.cos(self.azimuth), 0.0])

    @property
    def up(self) -> Array:
        """(3,) unit vector to the top of the picture."""
        return np.cross(self.back, self.right)

    @property
    def eye(self) -> Array:
        """(3,) where the eye is."""
        return np.asarray(self.target) + self.back * self.distance

    @property
    def near(self) -> float:
        """How near to the eye something is still seen (m)."""
        return self.distance * _NEAREST


def view_projection(camera: Camera, size: Size) -> Array:
    """(4, 4) from world to clip space."""
    view = np.eye(4)
    view[:3, :3] = np.stack([camera.right, camera.up, camera.back])
    view[:3, 3] = -view[:3, :3] @ camera.eye
    near, far = camera.near, camera.distance * _FARTHEST
    cot = 1 / math.tan(FIELD_OF_VIEW / 2)
    aspect = size[0] / max(size[1], 1)
    lens = np.zeros((4, 4))
    lens[0, 0], lens[1, 1] = cot / aspect, cot
    lens[2, 2], lens[2, 3] = (far + near) / (near - far), 2 * far * near / (near - far)
    lens[3, 2] = -1
    return lens @ view


def project(camera: Camera, size: Size, points: npt.ArrayLike) -> tuple[Array, Array]:
    """Pixels (N, 2) of world points (N, 3), and their depth (N,); negative is behind the eye."""
    world = np.atleast_2d(np.asarray(points, dtype=float))
    clip = np.column_stack([world, np.ones(len(world))]) @ view_projection(camera, size).T
    depth = clip[:, 3]
    safe = np.where(np.abs(depth) < 1e-9, 1e-9, depth)
    x = (clip[:, 0] / safe + 1) / 2 * size[0]
    y = (1 - clip[:, 1] / safe) / 2 * size[1]
    return np.stack([x, y], axis=1), depth


def ray(camera: Camera, size: Size, pixel: npt.ArrayLike) -> tuple[Array, Array]:
    """Where the sight line through a pixel starts (3,), and its direction (3,)."""
    x, y = np.asarray(pixel, dtype=float)
    slope = math.tan(FIELD_OF_VIEW / 2)
    across = (2 * x / size[0] - 1) * slope * size[0] / size[1]
    down = (1 - 2 * y / size[1]) * slope
    direction = -camera.back + across * camera.right + down * camera.up
    return camera.eye, direction / np.linalg.norm(direction)


def metres_a_pixel(camera: Camera, size: Size, point: npt.ArrayLike) -> float:
    """Length that one pixel covers at a point."""
    depth = float((camera.eye - np.asarray(point, dtype=float)) @ camera.back)
    return 2 * max(depth, 1e-6) * math.tan(FIELD_OF_VIEW / 2) / size[1]


def orbited(camera: Camera, across: float, down: float) -> Camera:
    """After a drag by pixels: the scene turns with the hand."""
    elevation = camera.elevation + down * 0.006
    return replace(
        camera,
        azimuth=camera.azimuth - across * 0.006,
        elevation=max(-_STEEPEST, min(_STEEPEST, elevation)),
    )


def panned(camera: Camera, size: Size, across: float, down: float) -> Camera:
    """After a drag by pixels: the target's plane follows the hand."""
    step = metres_a_pixel(camera, size, camera.target)
    target = np.asarray(camera.target) + (-across * camera.right + down * camera.up) * step
    return replace(camera, target=tuple(target.tolist()))


def zoomed(camera: Camera, size: Size, pixel: npt.ArrayLike, factor: float) -> Camera:
    """Nearer (factor < 1) or farther, with what is under the pixel staying there."""
    start, direction = ray(camera, size, pixel)
    depth = camera.distance / float(-direction @ camera.back)
    under = start + direction * depth
    target = under + (np.asarray(camera.target) - under) * factor
    distance = min(max(camera.distance * factor, 1e-3), 1e5)
    return replace(camera, target=tuple(target.tolist()), distance=distance)


def framed(camera: Camera, size: Size, points: npt.ArrayLike, margin: float = 1.2) -> Camera:
    """The same direction of sight, with all points (N, 3) in the picture, centred."""
    world = np.atleast_2d(np.asarray(points, dtype=float))
    slope_y = math.tan(FIELD_OF_VIEW / 2) / margin
    slope_x = slope_y * size[0] / max(size[1], 1)
    seen = world @ np.stack([camera.right, camera.up, camera.back]).T
    # The eye must be beyond each point by its offset over the slope; two sides each way.
    distances, centres = [], []
    for axis, slope in ((0, slope_x), (1, slope_y)):
        high = np.max(seen[:, axis] + slope * seen[:, 2])
        low = np.min(seen[:, axis] - slope * seen[:, 2])
        distances.append((high - low) / (2 * slope))
        centres.append((high + low) / 2)
    eye_depth = max(*distances, float(seen[:, 2].max()) + 1e-3)
    middle = float((seen[:, 2].max() + seen[:, 2].min()) / 2)
    target = centres[0] * camera.right + centres[1] * camera.up + middle * camera.back
    return replace(
        camera, target=tuple(target.tolist()), distance=max(float(eye_depth - middle), 1e-3)
    )
