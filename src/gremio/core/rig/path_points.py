"""What a path needs of its points: looked at when it is made, and when a file is opened."""

from __future__ import annotations

import itertools
import math

import numpy as np

from gremio.core.arrays import crossed
from gremio.core.rig.model import Path


def wrong_path(path: Path) -> str:
    """What is wrong with the points of a path, and what to do; "" when nothing is."""
    if not all(math.isfinite(v) for point in path.points for v in point):
        return f"A point of the path {path.name} is no place. Type it anew."
    if path.kind == "wrap":
        return _wrong_wrap(path)
    if all(a == b for a, b in itertools.pairwise(path.points)):
        return f"The path {path.name} needs two different points at least."
    if path.kind in ("arc", "circle"):
        if len(path.points) != 3:
            return f"The path {path.name} needs three points, for it is a part of a circle."
        a, b, c = np.asarray(path.points)
        across, size = crossed(b - a, c - a), max(np.ptp(path.points, axis=0).max(), 1e-300)
        if float(np.linalg.norm(across)) < 1e-9 * size * size:
            return f"The three points of the path {path.name} are in one line: move one aside."
    return ""


def _wrong_wrap(path: Path) -> str:
    if len(path.points) < 2 or len(path.radii) != len(path.points):
        return f"The path {path.name} goes round two wheels at least, each with its radius."
    if not all(math.isfinite(r) and r != 0.0 for r in path.radii):
        return f"A wheel of the path {path.name} has no radius. Type one above zero."
    following = [*range(1, len(path.points)), 0]
    for i, j in enumerate(following):
        apart = math.dist(path.points[i], path.points[j])
        if apart <= abs(path.radii[j] - path.radii[i]):
            return (
                f"Two wheels of the path {path.name} lie in one another, so no band goes from one "
                "to the other. Move one, or leave it out."
            )
    return ""
