"""Courses: where a path goes, by the way gone along it.

A course is made of stretches of constant curvature (straight ones and arcs), or is a spline.
"""

from __future__ import annotations

import functools
import math
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from gremio.core.arrays import Array, Rows, crossed
from gremio.core.records import Record
from gremio.core.rig.model import Path
from gremio.core.rig.path_points import wrong_path

if TYPE_CHECKING:
    from scipy.interpolate import CubicSpline

# Steps of a spline's span in which its length is told, and the places looked at in each.
_STEPS = 24
_GAUSS = np.polynomial.legendre.leggauss(8)
_NEWTON = 6


class Places(NamedTuple):
    """Where a course is at some ways gone. at: (n, 3) places (m). forward: (n, 3) unit. bend:
    (n, 3) toward the middle of the bend, as long as its curvature (1/m)."""

    at: Array
    forward: Array
    bend: Array


class Stretches(Record, frozen=True, eq=False):
    """Straight ones and arcs, one after the other. n of them.

    start, forward: (n, 3) where each begins, and which way. inward: (n, 3) toward the middle of
    its bend. curvature: (n,) 0 for a straight one. sizes: (n,) how long each is (m). plane: (3,)
    the normal of the plane all of it lies in, where it bends in one.
    """

    start: Array
    forward: Array
    inward: Array
    curvature: Array
    sizes: Array
    plane: Array | None = None

    @functools.cached_property
    def starts(self) -> Array:
        """(n + 1,) way to the beginning of each, and to the end."""
        return np.concatenate([[0.0], np.cumsum(self.sizes)])

    @property
    def length(self) -> float:
        """How long it is (m)."""
        return float(self.starts[-1])

    def places(self, ways: Array) -> Places:
        """Where it is at ways (n,); before and after its ends as the first and last stretch
        would carry on."""
        which = np.searchsorted(self.starts, ways, side="right") - 1
        which = np.clip(which, 0, len(self.sizes) - 1)
        gone = ways - self.starts[which]
        curvature = self.curvature[which]
        angle = curvature * gone
        bent = curvature != 0.0
        safe = np.where(bent, curvature, 1.0)
        along = np.where(bent, np.sin(angle) / safe, gone)
        # 1 − cos without the loss of digits on a shallow arc.
        aside = np.where(bent, 2 * np.sin(angle / 2) ** 2 / safe, 0.0)
        forward, inward = self.forward[which], self.inward[which]
        at = self.start[which] + along[:, None] * forward + aside[:, None] * inward
        cos, sin = np.cos(angle)[:, None], np.sin(angle)[:, None]
        bend = curvature[:, None] * (cos * inward - sin * forward)
        return Places(at, cos * forward + sin * inward, bend)

    def way_to(self, points: Array) -> Array:
        """(n,) the way to the nearest place to each point."""
        apart = points[:, None, :] - self.start
        along, aside = (apart * self.forward).sum(axis=2), (apart * self.inward).sum(axis=2)
        k = self.curvature
        bent = k != 0.0
        # Round the middle of the bend, which is at 1/k inward.
        angle = np.arctan2(along * k, 1 - aside * k)
        whole = self.sizes * k
        turned = np.where(angle < 0, angle + 2 * math.pi, angle)
        # Past the end, the nearer end counts.
        beyond = turned > whole
        turned = np.where(beyond & (turned - whole > 2 * math.pi - turned), 0.0, turned)
        gone = np.where(bent, turned / np.where(bent, k, 1.0), along)
        gone = np.clip(gone, 0.0, self.sizes)
        places = self.places((self.starts[:-1] + gone).ravel() * (1 - 1e-16))
        away = np.linalg.norm(places.at.reshape(*gone.shape, 3) - points[:, None], axis=2)
        nearest = np.argmin(away, axis=1)
        each = np.arange(len(points))
        result: Array = self.starts[nearest] + gone[each, nearest]
        return result


class Spline(Record, frozen=True, eq=False):
    """A smooth line through points. knots: (m,) fine steps of its parameter, ways: (m,) the way
    gone there (m). closed: it comes back to its beginning."""

    curve: CubicSpline
    knots: Array
    ways: Array
    closed: bool = False
    plane: None = None

    @property
    def length(self) -> float:
        """How long it is (m)."""
        return float(self.ways[-1])

    def _gone(self, start: Array, end: Array) -> Array:
        """(n,) length between two parameters (n,), by Gauss and Legendre's rule."""
        half = (end - start) / 2
        at = half[:, None] * _GAUSS[0] + (start + half)[:, None]
        speed = np.linalg.norm(self.curve(at, 1), axis=2)
        result: Array = (speed @ _GAUSS[1]) * half
        return result

    def parameter(self, ways: Array) -> Array:
        """(n,) the parameter at ways (n,), by Newton's method on the length."""
        held = np.clip(ways, 0.0, self.length)
        t = np.interp(held, self.ways, self.knots)
        step = np.clip(np.searchsorted(self.knots, t, side="right") - 1, 0, len(self.knots) - 2)
        for _ in range(_NEWTON):
            missing = held - self.ways[step] - self._gone(self.knots[step], t)
            t = t + missing / np.linalg.norm(self.curve(t, 1), axis=1)
        return t

    def places(self, ways: Array) -> Places:
        """Where it is at ways (n,); straight on before and after its ends."""
        t = self.parameter(ways)
        first, second = self.curve(t, 1), self.curve(t, 2)
        speed = np.linalg.norm(first, axis=1, keepdims=True)
        forward = first / speed
        over = ways - np.clip(ways, 0.0, self.length)
        along = (second * forward).sum(axis=1, keepdims=True)
        bend = np.where(over[:, None] == 0.0, (second - along * forward) / speed**2, 0.0)
        return Places(self.curve(t) + over[:, None] * forward, forward, bend)

    def way_to(self, points: Array) -> Array:
        """(n,) the way to the nearest place to each point: the nearest of the fine steps, and
        from there by Newton's method."""
        known = self.curve(self.knots)
        nearest = np.argmin(((points[:, None] - known) ** 2).sum(axis=2), axis=1)
        one = self._nearest_by(points, nearest)
        if not self.closed:
            return one[0]
        # Where it closes, the nearest place may be before its end as well.
        last = len(self.knots) - 1
        two = self._nearest_by(points, np.where(nearest == 0, last, nearest))
        result: Array = np.where(two[1] < one[1], two[0], one[0])
        return result

    def _nearest_by(self, points: Array, knots: Rows) -> tuple[Array, Array]:
        """(n,) the way to the nearest place next to a knot, and how far off it is (m)."""
        t = self.knots[knots]
        low = self.knots[np.maximum(knots - 1, 0)]
        high = self.knots[np.minimum(knots + 1, len(self.knots) - 1)]
        for _ in range(_NEWTON):
            off, first, second = self.curve(t) - points, self.curve(t, 1), self.curve(t, 2)
            slope = (first * first).sum(axis=1) + (off * second).sum(axis=1)
            step = (off * first).sum(axis=1) / np.where(slope > 0, slope, 1.0)
            t = np.clip(t - np.where(slope > 0, step, 0.0), low, high)
        span = np.clip(np.searchsorted(self.knots, t, side="right") - 1, 0, len(self.knots) - 2)
        way = self.ways[span] + self._gone(self.knots[span], t)
        return way, np.linalg.norm(self.curve(t) - points, axis=1)


Course = Stretches | Spline


@functools.lru_cache(maxsize=256)
def course_of(path: Path) -> Course | None:
    """The course of a path, in its own frame; None where its points make none."""
    if wrong_path(path):
        return None
    points = np.asarray(path.points, dtype=float)
    match path.kind:
        case "arc" | "circle":
            return _circle(points, path.kind == "circle")
        case "wrap":
            return wrapped(points, np.asarray(path.radii), _plane_of(points))
        case "spline" if len(points) > 2:
            return _spline(points, path.closed)
    return _polyline(np.concatenate([points, points[:1]]) if path.closed else points)


def _polyline(corners: Array) -> Stretches:
    sides = np.diff(corners, axis=0)
    sizes = np.linalg.norm(sides, axis=1)
    long = sizes > 0
    forward = sides[long] / sizes[long, None]
    none = np.zeros(len(forward))
    return Stretches(corners[:-1][long], forward, np.zeros_like(forward), none, sizes[long])


def _circle(points: Array, whole: bool) -> Stretches:
    """The arc from the first through the second to the third point, or the whole circle."""
    a, b, c = points
    normal = crossed(b - a, c - a)
    normal = normal / np.linalg.norm(normal)
    middle = a + _to_centre(b - a, c - a)
    radius = float(np.linalg.norm(a - middle))
    inward = (middle - a) / radius
    forward = crossed(normal, -inward)
    out = c - middle
    angle = math.atan2(float(out @ forward), float(out @ -inward)) % (2 * math.pi)
    size = 2 * math.pi * radius if whole else angle * radius
    return Stretches(
        a[None], forward[None], inward[None], np.array([1 / radius]), np.array([size]), normal
    )


def _to_centre(ab: Array, ac: Array) -> Array:
    """(3,) from a corner of a triangle to the middle of the circle through all three."""
    normal = crossed(ab, ac)
    across = crossed(normal, ab) * float(ac @ ac) + crossed(ac, normal) * float(ab @ ab)
    result: Array = across / (2 * float(normal @ normal))
    return result


def wrapped(centres: Array, radii: Array, normal: Array) -> Stretches:
    """A band round wheels, as it lies on them: tangents, and arcs between them.

    centres: (n, 3) in their order round it, in one plane. radii: (n,) below zero where it runs on
    the other side. normal: (3,) unit, about which it goes. A tangent leaves wheels on its left at
    their radii: with the left side l of it, l · (C₂ − C₁) = r₂ − r₁.
    """
    count = len(centres)
    after = np.roll(np.arange(count), -1)
    apart = centres[after] - centres
    far = np.linalg.norm(apart, axis=1)
    ahead = apart / far[:, None]
    left = crossed(normal, ahead)
    sine = (radii[after] - radii) / far
    cosine = np.sqrt(np.maximum(1 - sine**2, 0.0))
    way = ahead * cosine[:, None] - left * sine[:, None]
    side = crossed(normal, way)
    start = centres - radii[:, None] * side
    sizes = np.linalg.norm(centres[after] - radii[after, None] * side - start, axis=1)
    pieces: list[tuple[Array, Array, Array, float, float]] = []
    for i in range(count):
        pieces.append((start[i], way[i], np.zeros(3), 0.0, float(sizes[i])))
        j = int(after[i])
        turned = math.atan2(float(crossed(way[i], way[j]) @ normal), float(way[i] @ way[j]))
        turned = turned % (2 * math.pi) if radii[j] > 0 else -(-turned % (2 * math.pi))
        size = turned * float(radii[j])
        if size > 1e-12:
            inward = side[i] * math.copysign(1.0, radii[j])
            at = centres[j] - radii[j] * side[i]
            pieces.append((at, way[i], inward, 1 / abs(float(radii[j])), size))
    columns = [np.array(column) for column in zip(*pieces, strict=True)]
    starts, ways, inwards, curvatures, lengths = columns
    return Stretches(starts, ways, inwards, curvatures, lengths, normal)


def _plane_of(centres: Array) -> Array:
    """(3,) the normal about which wheels are gone round; of wheels in one line, level."""
    following = np.roll(centres, -1, axis=0)
    normal = crossed(centres, following).sum(axis=0) - crossed(
        centres.mean(axis=0), (following - centres).sum(axis=0)
    )
    size, far = float(np.linalg.norm(normal)), float(np.ptp(centres, axis=0).max())
    if size > 1e-9 * far * far:
        across: Array = normal / size
        return across
    along = centres[1] - centres[0]
    level = crossed(along, [0.0, 0.0, 1.0])
    if float(np.linalg.norm(level)) < 1e-9:
        level = np.array([0.0, 1.0, 0.0])
    result: Array = level / np.linalg.norm(level)
    return result


def _spline(points: Array, closed: bool) -> Spline:
    """A cubic spline with continuous curvature, by the distance between its points."""
    from scipy.interpolate import CubicSpline

    kept = np.concatenate([[True], np.any(np.diff(points, axis=0) != 0, axis=1)])
    points = points[kept]
    if closed:
        points = np.concatenate([points, points[:1]])
    at = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    curve = CubicSpline(at, points, bc_type="periodic" if closed else "natural")
    parts = np.linspace(0.0, 1.0, _STEPS + 1)[:-1]
    knots = (at[:-1, None] + np.diff(at)[:, None] * parts).ravel()
    knots = np.append(knots, at[-1])
    spline = Spline(curve, knots, np.zeros(len(knots)))
    ways = np.concatenate([[0.0], np.cumsum(spline._gone(knots[:-1], knots[1:]))])
    return Spline(curve, knots, ways, closed)
