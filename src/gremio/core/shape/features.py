"""Places on a surface to put a mount: corners, middles of edges, centres of circles."""

from __future__ import annotations

from typing import Literal, NamedTuple

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array, Flags
from gremio.core.shape.geometry import Geometry

PlaceKind = Literal["corner", "edge middle", "circle centre", "face centre"]


class Place(NamedTuple):
    """A place to snap to. at: (3,) m.

    direction: (3,) unit; across a circle or a face, along an edge; None at a corner.
    size: length of an edge, radius of a circle (m), area of a face (m²).
    error: how far the rim of a circle is from round (m).
    """

    kind: PlaceKind
    at: Array
    direction: Array | None = None
    size: float = 0.0
    error: float = 0.0


def places(geometry: Geometry) -> list[Place]:
    """Every place a mount can snap to: circles first, then corners, edges and faces.

    The order depends on how the surface is made and not on its dimensions, so that a place
    can be found again when a dimension has changed.
    """
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
    found += [_edge(*geometry.vertices[pair]) for pair in straight]
    return found + _faces(geometry)


def _edge(one: Array, two: Array) -> Place:
    length = float(np.linalg.norm(two - one))
    return Place("edge middle", (one + two) / 2, (two - one) / (length or 1.0), length)


def _faces(geometry: Geometry) -> list[Place]:
    """Flat faces: triangles of one plane together, where sharp edges bound them all round."""
    corners = geometry.vertices[geometry.triangles]
    areas = np.linalg.norm(
        np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1
    )
    if len(areas) == 0 or float(areas.sum()) <= 0:
        return []
    normals, middles = geometry.face_normals, corners.mean(axis=1)
    grain = max(float(np.ptp(geometry.bounds, axis=0).max()) * 1e-4, 1e-9)
    heights = np.einsum("ij,ij->i", normals, middles) / grain
    planes = np.column_stack([np.round(normals * 1e4), np.round(heights)]).astype(np.int64)
    _, first, plane = np.unique(planes, axis=0, return_index=True, return_inverse=True)
    plane = plane.ravel()
    area = np.bincount(plane, areas)
    centre = (
        np.stack([np.bincount(plane, areas * middles[:, i]) for i in range(3)], axis=1)
        / np.where(area > 0, area, 1.0)[:, None]
    )
    curved = set(plane[_beside_soft_edges(geometry)].tolist())
    flat = [i for i in np.argsort(first) if i not in curved and area[i] > 0]
    return [Place("face centre", centre[i], normals[first[i]], float(area[i]) / 2) for i in flat]


def _beside_soft_edges(geometry: Geometry) -> Flags:
    """(T,) whether a triangle has an edge at which the surface bends without a sharp edge."""
    edges, count = geometry.edges, len(geometry.vertices)
    soft = edges.ends[~edges.sharp]
    codes = soft[:, 0] * count + soft[:, 1]
    t = geometry.triangles
    found = np.zeros(len(t), dtype=bool)
    for one, two in ((0, 1), (1, 2), (2, 0)):
        pair = np.sort(t[:, [one, two]], axis=1)
        found |= np.isin(pair[:, 0] * count + pair[:, 1], codes)
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
    radius = float(radii.mean())
    centre = middle + a * axes[0] + b * axes[1]
    return Place("circle centre", centre, axes[2], radius, float(np.abs(radii - radius).max()))
