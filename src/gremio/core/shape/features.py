"""Places on a surface to put a mount: corners, middles of edges, centres of circles."""

from __future__ import annotations

from typing import Literal, NamedTuple

import numpy as np
import numpy.typing as npt

from gremio.core.shape.geometry import Geometry

Array = npt.NDArray[np.float64]


class Place(NamedTuple):
    """A place to snap to. at: (3,) m. normal: (3,) across a circle, else None."""

    kind: Literal["corner", "edge middle", "circle centre"]
    at: Array
    normal: Array | None = None


def places(geometry: Geometry) -> list[Place]:
    """Every place a mount can snap to, circles first."""
    edges = geometry.edges
    sharp = edges.ends[edges.sharp]
    found: list[Place] = []
    round_vertices: set[int] = set()
    for loop in _loops(sharp):
        circle = _fit_circle(geometry.vertices[loop])
        if circle is not None:
            found.append(circle)
            round_vertices.update(loop)
    straight = [pair for pair in sharp.tolist() if not set(pair) <= round_vertices]
    corners = sorted({vertex for pair in straight for vertex in pair})
    found += [Place("corner", geometry.vertices[v]) for v in corners]
    found += [Place("edge middle", geometry.vertices[pair].mean(axis=0)) for pair in straight]
    return found


def _loops(pairs: npt.NDArray[np.int64]) -> list[list[int]]:
    """Closed rings of edges in which every vertex has just two."""
    beside: dict[int, list[int]] = {}
    for a, b in pairs.tolist():
        beside.setdefault(a, []).append(b)
        beside.setdefault(b, []).append(a)
    loops: list[list[int]] = []
    seen: set[int] = set()
    for start in beside:
        if start in seen:
            continue
        loop, here, before = [start], beside[start][0], start
        while here != start and len(beside[here]) == 2 and here not in seen:
            loop.append(here)
            seen.add(here)
            one, two = beside[here]
            before, here = here, two if one == before else one
        seen.add(start)
        if here == start and len(beside[start]) == 2:
            loops.append(loop)
    return loops


def _fit_circle(points: Array) -> Place | None:
    """The circle through a ring of points; None when they don't lie on one to 1 %.

    Least squares on x² + y² = 2ax + 2by + c in the plane of the ring.
    """
    if len(points) < 8:
        return None
    middle = points.mean(axis=0)
    _, spread, axes = np.linalg.svd(points - middle, full_matrices=False)
    if spread[0] <= 0 or spread[2] > 1e-3 * spread[0]:
        return None
    flat = (points - middle) @ axes[:2].T
    system = np.column_stack([2 * flat, np.ones(len(flat))])
    (a, b, _), *_ = np.linalg.lstsq(system, (flat**2).sum(axis=1), rcond=None)
    radii = np.hypot(flat[:, 0] - a, flat[:, 1] - b)
    if np.ptp(radii) > 0.01 * radii.mean():
        return None
    return Place("circle centre", middle + a * axes[0] + b * axes[1], axes[2])
