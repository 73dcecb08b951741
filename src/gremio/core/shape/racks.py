"""Teeth in a straight row on a surface that was brought in: their pitch, and where one stands."""

from __future__ import annotations

import functools
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array, crossed
from gremio.core.shape.geometry import Geometry

# Into how many pieces the row is cut; how few teeth there are at least.
_PIECES = 4096
_FEWEST = 4
# How unlike the ways from tooth to tooth may be; between what shares of the pitch teeth are deep
# (of full depth, ISO 53, they are 2.25 / pi of it).
_UNLIKE, _SHALLOW, _DEEP = 0.03, 0.25, 1.3


class StraightTeeth(NamedTuple):
    """Teeth in a row, in the frame of the surface.

    teeth: how many. pitch: from one to the next (m). first: (3,) the middle of the first one's tip.
    along, up: (3,) unit ways along the row, and from root to tip; side is square to both, along the
    teeth. depth: from root to tip (m). low, high: between what places along the side, from the
    first (m). end: how far the row goes on from the first (m).
    """

    teeth: int
    pitch: float
    first: Array
    along: Array
    up: Array
    depth: float
    low: float
    high: float

    @property
    def module(self) -> float:
        """Pitch ÷ π (ISO 54), m."""
        return self.pitch / np.pi

    @property
    def side(self) -> Array:
        """(3,) unit, along the teeth."""
        found: Array = crossed(self.along, self.up)
        return found

    @property
    def end(self) -> float:
        """How far the last tooth is from the first (m)."""
        return (self.teeth - 1) * self.pitch


@functools.lru_cache(maxsize=256)
def straight_teeth_on(geometry: Geometry) -> StraightTeeth | None:
    """The teeth in a row on a surface; None where there is no regular row.

    The outline, as seen along the teeth, is taken as its height along the surface's longest way,
    toward each side in turn; a tooth is where it stands above half of its depth.
    """
    points = geometry.vertices
    if len(points) < 4 * _FEWEST:
        return None
    middle = points.mean(axis=0)
    _, _, principal = np.linalg.svd(points - middle, full_matrices=False)
    best: StraightTeeth | None = None
    for frame in (np.eye(3), principal):
        sizes = np.ptp(points @ frame.T, axis=0)
        long = int(np.argmax(sizes))
        for other in range(3):
            if other == long:
                continue
            for sign in (1.0, -1.0):
                found = _row(geometry, frame[long], sign * frame[other])
                if found is not None and (best is None or found.teeth > best.teeth):
                    best = found
        if best is not None:
            return best
    return None


def _row(geometry: Geometry, along: Array, up: Array) -> StraightTeeth | None:
    x, heights = _profile(geometry, along, up)
    if x is None:
        return None
    tip, root = float(heights.max()), float(np.quantile(heights, 0.02))
    depth = tip - root
    above = heights > (tip + root) / 2
    rises = np.flatnonzero(~above[:-1] & above[1:])
    falls = np.flatnonzero(above[:-1] & ~above[1:])
    if not len(rises) or not len(falls):
        return None
    falls = falls[falls > rises[0]]
    rises = rises[: len(falls)]
    falls = falls[: len(rises)]
    if len(rises) < _FEWEST:
        return None
    centres = (x[rises] + x[falls] + x[1] - x[0]) / 2
    ways = np.diff(centres)
    pitch = float(np.polyfit(np.arange(len(centres)), centres, 1)[0])
    if pitch <= 0 or np.abs(ways - pitch).max() > _UNLIKE * pitch:
        return None
    if not _SHALLOW * pitch < depth < _DEEP * pitch:
        return None
    start = float(centres.mean()) - pitch * (len(centres) - 1) / 2
    side = crossed(along, up)
    across = geometry.vertices @ side
    middle = (across.min() + across.max()) / 2
    first = start * along + tip * up + middle * side
    return StraightTeeth(
        len(centres), pitch, first, along, up, depth, float(across.min() - middle),
        float(across.max() - middle),
    )  # fmt: skip


def _profile(geometry: Geometry, along: Array, up: Array) -> tuple[Array | None, Array]:
    """Places along the row, and how high the surface stands at each."""
    x, y = geometry.vertices @ along, geometry.vertices @ up
    low, high = float(x.min()), float(x.max())
    if not high > low:
        return None, y
    triangles = geometry.triangles
    ends = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    ends = np.unique(np.sort(ends, axis=1), axis=0)
    step = (high - low) / _PIECES
    count = np.minimum(np.ceil(np.abs(np.diff(x[ends], axis=1)[:, 0]) / step * 1.5), 3 * _PIECES)
    counts = count.astype(np.intp) + 2
    which = np.repeat(np.arange(len(ends)), counts)
    first = np.repeat(np.cumsum(counts) - counts, counts)
    share = (np.arange(len(which)) - first) / np.repeat(counts - 1, counts)
    one, two = ends[which, 0], ends[which, 1]
    places = x[one] + share * (x[two] - x[one])
    pieces = np.minimum(((places - low) / step).astype(np.intp), _PIECES - 1)
    heights = np.full(_PIECES, -np.inf)
    np.maximum.at(heights, pieces, y[one] + share * (y[two] - y[one]))
    every, known = np.arange(_PIECES), np.isfinite(heights)
    heights = np.interp(every, every[known], heights[known])
    middles = np.asarray(low + (every + 0.5) * step, dtype=np.float64)
    return middles, np.asarray(heights, dtype=np.float64)
