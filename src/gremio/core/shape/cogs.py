"""Teeth counted on a surface that was brought in: how many, on what circle, where one stands."""

from __future__ import annotations

import functools
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array, crossed
from gremio.core.shape.features import Place, round_axis
from gremio.core.shape.geometry import Geometry

# Into how many pieces the way round is cut; how few, and how many, teeth there are.
_PIECES = 4320
_FEWEST, _MOST = 5, 400
# How deep teeth are at least, as a share of the tip's radius; how much of all that changes round
# the outline must come back with every tooth.
_DEEP, _REGULAR = 0.008, 0.85


class Cog(NamedTuple):
    """Teeth all round an axis, in the frame of the surface.

    teeth: how many. centre, axis, zero: (3,) the middle of the axis, its unit way, and the unit way
    from it to the middle of one tooth. tip, root: radii (m) of the outline at its teeth's ends and
    between them. inside: the teeth point inward. low, high: between what heights along the axis,
    from the centre (m). regular: the share of what changes round the outline that comes back with
    every tooth; 1 where all teeth are alike.
    """

    teeth: int
    centre: Array
    axis: Array
    zero: Array
    tip: float
    root: float
    inside: bool
    low: float
    high: float
    regular: float

    @property
    def module(self) -> float:
        """What teeth of full depth on such a tip circle would have (m), ISO 53: two modules more
        across than the pitch circle, inside two less."""
        return 2 * self.tip / (self.teeth - 2 if self.inside else self.teeth + 2)


@functools.lru_cache(maxsize=256)
def cogs_on(geometry: Geometry) -> tuple[Cog, ...]:
    """The teeth on a surface: outside, inside, or both; none where it is round or irregular.

    The outline, as seen along the axis, is taken as its radius round the way (the outermost, and
    the innermost), and its Fourier series (common practice of order analysis) says how often it
    comes back.
    """
    axis = round_axis(geometry.vertices)
    if axis is None:
        return ()
    one, two = _across(axis)
    radii, turns, heights = _sampled(geometry, axis, one, two)
    found = []
    for inside in (False, True):
        outline = _outline(radii, turns, inside)
        cog = None if outline is None else _cog(outline, axis, one, two, heights, inside)
        if cog is not None:
            found.append(cog)
    return tuple(found)


def _across(axis: Place) -> tuple[Array, Array]:
    assert axis.direction is not None
    way = axis.direction
    one = crossed(way, np.eye(3)[int(np.argmin(np.abs(way)))])
    one = one / np.linalg.norm(one)
    return one, crossed(way, one)


def _sampled(geometry: Geometry, axis: Place, one: Array, two: Array) -> tuple[Array, Array, Array]:
    """Radii and turns of places along every edge, so close that none of the pieces between is left
    out; and heights of the corners."""
    apart = geometry.vertices - axis.at
    flat = np.stack([apart @ one, apart @ two], axis=1)
    assert axis.direction is not None
    heights = apart @ axis.direction
    triangles = geometry.triangles
    ends = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    ends = np.unique(np.sort(ends, axis=1), axis=0)
    start, way = flat[ends[:, 0]], flat[ends[:, 1]] - flat[ends[:, 0]]
    turned = np.abs(
        np.arctan2(
            start[:, 0] * way[:, 1] - start[:, 1] * way[:, 0],
            (start**2).sum(axis=1) + (start * way).sum(axis=1),
        )
    )
    counts = np.ceil(turned / (2 * np.pi) * _PIECES * 1.2).astype(np.intp) + 2
    counts = np.minimum(counts, _PIECES)
    which = np.repeat(np.arange(len(ends)), counts)
    first = np.repeat(np.cumsum(counts) - counts, counts)
    share = (np.arange(len(which)) - first) / np.repeat(counts - 1, counts)
    places = start[which] + share[:, None] * way[which]
    return np.hypot(places[:, 0], places[:, 1]), np.arctan2(places[:, 1], places[:, 0]), heights


def _outline(radii: Array, turns: Array, inside: bool) -> Array | None:
    """(_PIECES,) the outermost, or innermost, radius in each piece of the way round; None where the
    surface leaves some out, or comes to the axis."""
    pieces = np.floor((turns / (2 * np.pi) % 1.0) * _PIECES).astype(np.intp) % _PIECES
    outline = np.full(_PIECES, np.inf if inside else -np.inf)
    (np.minimum if inside else np.maximum).at(outline, pieces, radii)
    empty = ~np.isfinite(outline)
    if empty.mean() > 0.02:
        return None
    if empty.any():
        every = np.arange(_PIECES)
        outline[empty] = np.interp(every[empty], every[~empty], outline[~empty], period=_PIECES)
    if inside and outline.min() < 0.05 * radii.max():
        return None
    return outline


def _cog(
    outline: Array, axis: Place, one: Array, two: Array, heights: Array, inside: bool
) -> Cog | None:
    tip, root = float(outline.max()), float(outline.min())
    if tip - root < _DEEP * tip:
        return None
    series = np.fft.rfft(outline - outline.mean())
    power = np.abs(series) ** 2
    whole = float(power[1:].sum())
    teeth, regular = 0, 0.0
    for count in range(_FEWEST, _MOST + 1):
        share = float(power[count::count].sum()) / whole
        # What comes back so often comes back at every divisor too: the most often is meant.
        if share >= _REGULAR and share > regular - 0.02:
            teeth, regular = count, max(share, regular)
    # The corners of a bar with flat sides are no teeth.
    flats = 1.0 - np.cos(np.pi / max(teeth, 1))
    if not teeth or (tip - root) / tip < 1.3 * flats:
        return None
    # The first harmonic is highest, inside lowest, where the middle of a tooth is.
    turn = -np.angle(series[teeth]) / teeth + np.pi / _PIECES
    if inside:
        turn += np.pi / teeth
    assert axis.direction is not None
    zero = np.cos(turn) * one + np.sin(turn) * two
    ends = (root, tip) if inside else (tip, root)
    return Cog(
        teeth, axis.at, axis.direction, zero, ends[0], ends[1], inside,
        float(heights.min()), float(heights.max()), regular,
    )  # fmt: skip
