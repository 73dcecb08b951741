"""Many profiles side by side, as arrays."""

from __future__ import annotations

from typing import NamedTuple

from gremio.core.arrays import Array, Flags, Rows

Whole = Rows


class Bank(NamedTuple):
    """x: (k, n) stations, +inf where a profile has fewer. y: (k, n) heights. last: (k,) the
    number of its last span. c: (k, n − 1, 4) cubics. law: (k, n − 1) 0 for a cubic, else one
    more than the law's place among LAWS. first, end: (k, 1) the first and the last station.
    slopes: (2, k, 1) before and after. rounds: (2, k, 1) whether it repeats there.
    laws: which laws there are at all."""

    x: Array
    y: Array
    last: Whole
    c: Array
    law: Whole
    first: Array
    end: Array
    slopes: Array
    rounds: Flags
    laws: tuple[int, ...]
