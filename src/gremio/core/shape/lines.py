"""The lines of an inked drawing: which edges of many surfaces are seen from an eye, and where."""

from __future__ import annotations

import ctypes
from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array, Flags
from gremio.core.kernels.library import Kernel, address, check_rows, class_of, structure
from gremio.core.shape.geometry import Drawn, Singles
from gremio.core.shape.meshes import ALWAYS

_LINES = Kernel("gremio_lines", "wpppwwppppdp")
_QUADS = Kernel("gremio_quads", "wpppdp")
_SURFACE = structure(count="w", closed="w", edges="p", vertices="p", faces="p")
# From so many edges × places on, other threads may run meanwhile.
_MANY = 50_000


class Lines(NamedTuple):
    """What is seen: (n, 2, 4) ends of lines in the world, with how many pixels along the line each
    is. short: those of few pixels, which are drawn finer. hovered, selected: of what a hand is
    over, and of what is selected."""

    plain: Singles
    short: Singles
    hovered: Singles
    selected: Singles


class Inked:
    """The edges of B surfaces. What is drawn of those is held, for the kernel reads it where it
    lies. Raises ValueError for one whose edges refer to what it has not."""

    def __init__(self, surfaces: Sequence[Drawn]) -> None:
        for one in surfaces:
            check_rows(one.edges[:, :2] & ~ALWAYS, 0, len(one.vertices), "ends of edges")
            check_rows(one.edges[:, 2:], 0, len(one.faces), "faces beside edges")
        self._surfaces = tuple(surfaces)
        self._counts = np.array([len(one.edges) for one in surfaces], dtype=np.intp)
        kind = class_of(_SURFACE)
        self._table = (kind * len(surfaces))(
            *(
                kind(
                    len(one.edges), int(one.closed), address(one.edges), address(one.vertices),
                    address(one.faces),
                )
                for one in surfaces
            )
        )  # fmt: skip

    def seen(
        self, places: npt.NDArray[np.void], counts: Sequence[int], skipped: Flags, eye: Array,
        seen: Array, pixels: tuple[float, float], short: float,
    ) -> Lines:  # fmt: skip
        """What is seen of them. places: (N,) records that begin with "rows" (3, 4), float32, and
        have a "state": 1 where a hand is over it, 2 selected. counts: how many belong to each
        surface, in their order. skipped: (N,) which are out of sight. eye: (3,). seen: (4, 4) from
        the world to the screen of so many pixels. short: how many make a short line.

        Raises ValueError where places are not of the surfaces."""
        each = np.array(counts, dtype=np.intp)
        per = self._counts
        fits = len(each) == len(per) and each.sum() == len(places) == len(skipped)
        if not fits or (each < 0).any():
            raise ValueError("there are places for each surface, and no more")
        if places.dtype["rows"] != np.dtype(("<f4", (3, 4))):
            raise ValueError("places begin with a frame of single numbers")
        fields: Any = places.dtype.fields
        if fields["rows"][1] != 0 or fields["state"][0] != np.dtype("<f4"):
            raise ValueError("places begin with a frame of single numbers")
        most = int((per * each).sum())
        # What is not filled of these takes no memory.
        found = [np.empty((most, 2, 4), dtype=np.float32) for _ in range(4)]
        told = np.zeros((4, 2), dtype=np.int64)
        if most:
            told[:, 1] = [address(lines) for lines in found]
            given = [np.ascontiguousarray(a, dtype=np.float32) for a in (seen, pixels)]
            where = np.ascontiguousarray(eye, dtype=np.float64)
            run = _LINES.beside if most >= _MANY else _LINES.alone
            run(
                len(per), ctypes.addressof(self._table), address(each), address(places),
                places.dtype.itemsize,
                fields["state"][1], address(skipped), address(where), *(address(a) for a in given),
                short, address(told),
            )  # fmt: skip
        return Lines(*(lines[:count] for lines, count in zip(found, told[:, 0], strict=True)))


def quads(lines: Singles, seen: Array, pixels: tuple[float, float], wide: float) -> Singles:
    """(n, 4, 5) the corners of lines (n, 2, 4) that are so many pixels wide, as the screen has
    them, and how far along the line each is. seen, pixels: as `Inked.seen` has them."""
    lines = np.ascontiguousarray(lines, dtype=np.float32).reshape(-1, 2, 4)
    corners = np.empty((len(lines), 4, 5), dtype=np.float32)
    if len(lines):
        given = [np.ascontiguousarray(a, dtype=np.float32) for a in (seen, pixels)]
        run = _QUADS.beside if len(lines) >= _MANY else _QUADS.alone
        run(len(lines), address(lines), *(address(a) for a in given), wide, address(corners))
    return corners
