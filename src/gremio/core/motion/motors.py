"""Motors: what a rate adds up to over a routine, exactly, and the same wherever one asks.

The time is cut at every key of the routine; between, a rate is smooth, or nearly so, and is added
up by Gauss and Legendre's rule (exact for the cubics that keys go through; Abramowitz and Stegun,
Handbook of Mathematical Functions, 25.4.29), each piece halved until both halves together say what
the whole did.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable

import numpy as np

from gremio.core.arrays import Array
from gremio.core.problem import GremioError
from gremio.core.solve.patience import may_go_on

_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(8)
# A piece is halved until its halves are so near to it (of the largest total), and so often at most.
_EXACT, _HALVINGS = 1e-11, 18
# No piece is longer at first (s).
_LONGEST = 0.5

# The rates (M, N) at times (N,), s.
Rates = Callable[[Array], Array]


class Totals:
    """The running totals of some rates from 0 to an end (s). cuts: times (n,) at which they may
    bend."""

    def __init__(self, rates: Rates, cuts: Array, end: float) -> None:
        self._rates = rates
        inner = cuts[(cuts > 0.0) & (cuts < end)]
        marks = np.unique(np.concatenate([[0.0], inner, [end]]))
        pieces = [
            np.linspace(a, b, max(int(np.ceil((b - a) / _LONGEST)), 1) + 1)[:-1]
            for a, b in itertools.pairwise(marks)
        ]
        edges = np.concatenate([*pieces, [end]])
        self._edges, sums = self._refined(edges)
        zero = np.zeros((sums.shape[0], 1))
        self._upto = np.concatenate([zero, np.cumsum(sums, axis=1)], axis=1)

    def _refined(self, edges: Array) -> tuple[Array, Array]:
        """The edges of pieces that are short enough, and (M, n) what each piece adds up to."""
        done_edges: list[Array] = []
        done_sums: list[Array] = []
        left, right = edges[:-1], edges[1:]
        whole = self._sums(left, right)
        size = max(float(np.abs(whole).sum(axis=1).max(initial=0.0)), 1e-12)
        for _ in range(_HALVINGS):
            if not may_go_on():
                raise GremioError("Following the routine was stopped. Ask for less of it.")
            middle = (left + right) / 2
            one, two = self._sums(left, middle), self._sums(middle, right)
            near = np.abs(one + two - whole).max(axis=0, initial=0.0) <= _EXACT * size
            done_edges.append(np.concatenate([left[near], middle[near]]))
            done_sums.append(np.concatenate([one[:, near], two[:, near]], axis=1))
            if near.all():
                break
            left, right = (
                np.concatenate([left[~near], middle[~near]]),
                np.concatenate([middle[~near], right[~near]]),
            )
            whole = np.concatenate([one[:, ~near], two[:, ~near]], axis=1)
        else:
            # Where it jumps, the pieces are so short by now that it does not count.
            done_edges.append(left)
            done_sums.append(whole)
        starts, sums = np.concatenate(done_edges), np.concatenate(done_sums, axis=1)
        order = np.argsort(starts, kind="stable")
        return np.append(starts[order], edges[-1]), sums[:, order]

    def _sums(self, left: Array, right: Array) -> Array:
        """(M, n) what rates add up to from left (n,) to right (n,)."""
        half = (right - left) / 2
        times = (left + right)[:, None] / 2 + half[:, None] * _NODES
        rates = self._rates(times.ravel())
        found: Array = (rates.reshape(len(rates), *times.shape) * _WEIGHTS).sum(axis=2) * half
        return found

    def at(self, time: float) -> Array:
        """(M,) the totals at a time (s) from 0 to the end."""
        place = int(np.searchsorted(self._edges, time, side="right")) - 1
        place = min(max(place, 0), len(self._edges) - 2)
        start = self._edges[place]
        upto: Array = self._upto[:, place]
        if time <= start:
            return upto
        rest = self._sums(np.array([start]), np.array([min(time, float(self._edges[-1]))]))
        total: Array = upto + rest[:, 0]
        return total

    @property
    def whole(self) -> Array:
        """(M,) the totals at the end."""
        found: Array = self._upto[:, -1]
        return found
