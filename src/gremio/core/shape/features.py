"""Places on a surface to put a mount: corners, edges, circles, faces, axes of what is round."""

from __future__ import annotations

import functools
from typing import Literal, NamedTuple

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array, Flags, crossed
from gremio.core.shape.geometry import Geometry

PlaceKind = Literal["corner", "edge middle", "circle centre", "face centre", "axis"]
_NO_LINE: Array = np.zeros((0, 3))
# How round the outline of something round about an axis is, and from how many corners on.
_ROUND, _CORNERS = 0.012, 12


class Place(NamedTuple):
    """A place to snap to. at: (3,) m.

    direction: (3,) unit; across a circle or a face, along an edge or an axis; None at a corner.
    size: length of an edge, radius of a circle or about an axis (m), area of a face (m²).
    error: how far a rim is from round (m). line: (n, 3) what is picked along: an edge, a rim, an
    axis; none for a corner and a face.
    """

    kind: PlaceKind
    at: Array
    direction: Array | None = None
    size: float = 0.0
    error: float = 0.0
    line: Array = _NO_LINE


@functools.lru_cache(maxsize=512)
def known_places(geometry: Geometry) -> tuple[Place, ...]:
    """The places of a surface, found once."""
    return tuple(places(geometry))


def places(geometry: Geometry) -> list[Place]:
    """Every place a mount can snap to: circles first, then corners, edges, faces, and last the axis
    of a surface that is round all about one.

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
            ring = geometry.vertices[[*loop, loop[0]]]
            found.append(circle._replace(line=ring))
            round_vertices.update(loop)
    straight = [pair for pair in sharp.tolist() if not set(pair) <= round_vertices]
    corners = sorted({vertex for pair in straight for vertex in pair})
    found += [Place("corner", geometry.vertices[v]) for v in corners]
    found += [_edge(*geometry.vertices[pair]) for pair in straight]
    found += _faces(geometry)
    axis = round_axis(geometry.vertices)
    return found if axis is None else [*found, axis]


def round_axis(points: Array) -> Place | None:
    """The axis that a surface is round about, as seen along it: of a bar, a ring, a wheel, a gear
    by its tips; None where its outline is no circle, or one along several ways, as a ball's.

    points: (N, 3) its corners. A circle is fitted to the outline along each of its principal axes
    (least squares); its error is how far a corner of the outline is from it at most.
    """
    if len(points) < _CORNERS:
        return None
    middle = points.mean(axis=0)
    _, _, principal = np.linalg.svd(points - middle, full_matrices=False)
    found: list[Place] = []
    for way in np.vstack([np.eye(3), principal]):
        if any(abs(float(way @ other.direction)) > 0.9999 for other in found):
            continue
        place = _round_along(points, way)
        if place is not None:
            found.append(place)
    return found[0] if len(found) == 1 else None


def _round_along(points: Array, way: Array) -> Place | None:
    one = crossed(way, np.eye(3)[int(np.argmin(np.abs(way)))])
    one /= np.linalg.norm(one)
    two = crossed(way, one)
    flat = points @ np.stack([one, two], axis=1)
    if np.linalg.matrix_rank(flat - flat.mean(axis=0), tol=1e-12) < 2:
        return None
    from scipy.spatial import ConvexHull

    outline = flat[ConvexHull(flat).vertices]
    if len(outline) < _CORNERS:
        return None
    a, b, radii = _circle_through(outline)
    radius = float(radii.mean())
    error = float(np.abs(radii - radius).max())
    if error > _ROUND * radius:
        return None
    heights = points @ way
    centre = a * one + b * two
    ends = np.stack([centre + way * heights.min(), centre + way * heights.max()])
    return Place("axis", ends.mean(axis=0), way, radius, error, ends)


def _edge(one: Array, two: Array) -> Place:
    length = float(np.linalg.norm(two - one))
    line = np.stack([one, two])
    return Place("edge middle", (one + two) / 2, (two - one) / (length or 1.0), length, 0.0, line)


def _faces(geometry: Geometry) -> list[Place]:
    """Flat faces: triangles of one plane together, where sharp edges bound them all round."""
    corners = geometry.vertices[geometry.triangles]
    areas = np.linalg.norm(
        crossed(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1
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
    """The circle through a ring of points; None when they don't lie on one to 1 %."""
    if len(points) < 8:
        return None
    middle = points.mean(axis=0)
    _, spread, axes = np.linalg.svd(points - middle, full_matrices=False)
    if spread[0] <= 0 or spread[2] > 1e-3 * spread[0]:
        return None
    a, b, radii = _circle_through((points - middle) @ axes[:2].T)
    if np.ptp(radii) > 0.01 * radii.mean():
        return None
    radius = float(radii.mean())
    centre = middle + a * axes[0] + b * axes[1]
    return Place("circle centre", centre, axes[2], radius, float(np.abs(radii - radius).max()))


def _circle_through(flat: Array) -> tuple[float, float, Array]:
    """The middle of the circle nearest to points of a plane (N, 2), and how far each is from it:
    least squares on x² + y² = 2ax + 2by + c."""
    system = np.column_stack([2 * flat, np.ones(len(flat))])
    (a, b, _), *_ = np.linalg.lstsq(system, (flat**2).sum(axis=1), rcond=None)
    return float(a), float(b), np.hypot(flat[:, 0] - a, flat[:, 1] - b)
