"""Paths: frames along a line, by the way gone."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array, crossed
from gremio.core.rig.model import Path
from gremio.core.shape.courses import Course, course_of

_GRAVITY = 9.80665


def length(path: Path) -> float:
    """How long a path is (m)."""
    course = course_of(path)
    return course.length if course is not None else 0.0


def comes_back(path: Path) -> bool:
    """Whether a path goes round, and its end is its beginning."""
    if path.kind in ("polyline", "spline"):
        return path.closed
    return path.kind != "arc"


def along(path: Path, ways: npt.ArrayLike, banked_for: float = 0.0) -> Array:
    """(n, 4, 4) frames at ways (n,) gone along a path (m), x forward and z as upright as it can
    be; where a path stands upright itself, as round wheels, z is across it, outward from a bend.
    A closed path goes round; an open one is carried straight on at its ends.

    banked_for: a speed (m/s) at which the bends are banked so that nothing slides sideways,
    tan β = v² κ / g (common practice), κ being the curvature as seen from above.
    """
    gone = np.asarray(ways, dtype=float)
    frames = np.repeat(np.eye(4)[None], len(gone), axis=0)
    course = course_of(path)
    if course is None:
        return frames
    if comes_back(path):
        gone = np.mod(gone, course.length)
    places = course.places(gone)
    frames[:, :3, 0] = places.forward
    frames[:, :3, 1] = _left(course, places.forward)
    frames[:, :3, 2] = crossed(places.forward, frames[:, :3, 1])
    frames[:, :3, 3] = places.at
    if banked_for:
        left = frames[:, :3, 1]
        lean = np.arctan(banked_for**2 * (places.bend * left).sum(axis=1) / _GRAVITY)
        frames = rolled(frames, -lean)
    return frames


def _left(course: Course, forward: Array) -> Array:
    """(n, 3) which way is left, level where that can be."""
    plane = course.plane
    if plane is not None and abs(float(plane[2])) < 0.5:
        # Round wheels that stand upright the band would else turn over half way.
        return np.repeat(plane[None], len(forward), axis=0)
    left = crossed([0.0, 0.0, 1.0], forward)
    steep = np.linalg.norm(left, axis=1) < 1e-9
    left[steep] = [0.0, 1.0, 0.0]
    result: Array = left / np.linalg.norm(left, axis=1, keepdims=True)
    return result


def rolled(frames: Array, angles: Array) -> Array:
    """Frames (n, 4, 4) turned by angles (n,) (rad) about the way forward."""
    cos, sin = np.cos(angles)[:, None], np.sin(angles)[:, None]
    turned = frames.copy()
    turned[:, :3, 1] = frames[:, :3, 1] * cos + frames[:, :3, 2] * sin
    turned[:, :3, 2] = frames[:, :3, 2] * cos - frames[:, :3, 1] * sin
    return turned


def way_to(path: Path, points: Array) -> Array:
    """(n,) way gone along a path (m) to the place nearest to each of some points (n, 3)."""
    course = course_of(path)
    return np.zeros(len(points)) if course is None else course.way_to(points)


def line_of(path: Path, steps: int = 24) -> Array:
    """(n, 3) places along a path to draw it by: more of them where it bends."""
    course = course_of(path)
    if course is None:
        return np.zeros((0, 3))
    count = len(path.points) * steps
    ways = np.linspace(0.0, course.length, count + 1)
    ends = getattr(course, "starts", None)
    if ends is not None:
        ways = np.union1d(ways, ends)
    return course.places(ways).at
