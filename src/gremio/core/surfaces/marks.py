"""By what the shape of a surface is known again, in whatever order a file has its triangles."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gremio.core.shape.geometry import Geometry
from gremio.core.shape.meshes import moments

# Two shapes are one where their marks differ by less than this share of their size: a model that
# is exported again has other roundings.
_SAME = 1e-4
_DIGITS = 7
# How many of the marks are the box.
_BOX = 6


def shape_marks(geometry: Geometry) -> tuple[float, ...]:
    """(13,) the lowest and the highest corner of the box it fills (m), its area (m²), and the
    second moments of its area about the middle of the box: xx, yy, zz, xy, yz, zx (m⁴)."""
    low, high = geometry.bounds
    told = moments(geometry.vertices, geometry.triangles, (low + high) / 2)
    every = [*low.tolist(), *high.tolist(), *told.tolist()]
    return tuple(float(f"{value:.{_DIGITS}g}") for value in every)


def box_marks(centre: Sequence[float], size: Sequence[float]) -> tuple[float, ...]:
    """(6,) the marks of a surface of which only the box is known that it fills (m)."""
    middle, half = np.array(centre), np.array(size) / 2
    return tuple(map(float, (*(middle - half), *(middle + half))))


def same_shape(one: Sequence[float], two: Sequence[float]) -> bool:
    """Whether two surfaces, by their marks, are of one shape, standing alike in their nodes; by
    their boxes alone, where of one no more is known."""
    known = min(len(one), len(two))
    first, second = np.array(one[:known]), np.array(two[:known])
    size = max(float((first[3:6] - first[:3]).max()), 1e-9)
    scale = np.full(known, size)
    if known > _BOX:
        area = max(first[_BOX], second[_BOX], 1e-18)
        scale[_BOX], scale[_BOX + 1 :] = area, area * size * size
    return bool((np.abs(first - second) <= _SAME * scale).all())
