"""Motors: what a rate adds up to over a routine, exactly, and the same wherever one asks.

What keys say by cubics has its integral in closed form. For anything else the time is cut at every
key of the routine; between, a rate is smooth, or nearly so, and is added up by Gauss and Legendre's
rule (exact for polynomials up to degree 15; Abramowitz and Stegun, Handbook of Mathematical
Functions, 25.4.29), each piece halved until both halves together say what the whole did.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable

import numpy as np

from gremio.core.arrays import Array
from gremio.core.mechanics.profiles import Profile, total
from gremio.core.mechanics.totals import totals
from gremio.core.motion.stopping import check_not_stopped

_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(8)
_DEGREES = np.arange(len(_NODES))
# From the rates at the nodes to the Legendre polynomials that go through them.
_FIT = np.polynomial.legendre.legvander(_NODES, 7) * _WEIGHTS[:, None] * (_DEGREES + 0.5)
# A piece is halved until its halves are so near to it (of the largest total), and so often at most.
_EXACT, _HALVINGS = 1e-11, 18
# No piece is longer at first (s).
_LONGEST = 0.5
# What can't follow at once is gone after in so many steps a second; so many are asked together.
_STEPS_A_SECOND, _MOST_STEPS, _AT_ONCE = 1920, 2_000_000, 20_000

# The rates (M, N) at times (N,), s.
Rates = Callable[[Array], Array]


class KeyedTotals:
    """The running totals of rates that keys say, cubic between them: each has its integral in
    closed form. profiles: of time (s), one a rate."""

    def __init__(self, profiles: list[Profile]) -> None:
        self._profiles = profiles
        # What lies before the beginning of the routine is not counted.
        self._from = np.array([float(total(profile, 0.0)) for profile in profiles])

    def at(self, times: Array) -> Array:
        """(M, F) the totals at times (F,), s, from 0 on."""
        return totals(self._profiles, times, self._from)


class LimitedTotals:
    """The running totals of rates that can change by no more than so much a second: what runs goes
    after what is asked as fast as it can, and begins at what is asked then.

    Between steps of a fixed length a rate goes straight; halving them changes totals by less than
    1e-6 of how far rates can change in a second, and by more only of what is longer than a quarter
    of an hour. most: (M,) by how much a rate can change in a second.
    """

    def __init__(self, rates: Rates, most: Array, end: float) -> None:
        steps = min(max(int(np.ceil(end * _STEPS_A_SECOND)), 1), _MOST_STEPS)
        self._step = end / steps
        count = round(end / self._step)
        times = np.arange(count + 1) * self._step
        pieces = np.array_split(times, count // _AT_ONCE + 1)
        asked = np.concatenate([rates(some) for some in pieces], axis=1)
        found = np.empty_like(asked)
        found[:, 0] = asked[:, 0]
        for row, by in enumerate((most * self._step).tolist()):
            runs = float(asked[row, 0])
            ran = [runs]
            for wanted in asked[row, 1:].tolist():
                runs = min(max(wanted, runs - by), runs + by)
                ran.append(runs)
            found[row] = ran
        self.rates = found
        trapezes = (found[:, 1:] + found[:, :-1]) * self._step / 2
        self._upto = np.concatenate(
            [np.zeros((len(found), 1)), np.cumsum(trapezes, axis=1)], axis=1
        )

    def at(self, times: Array) -> Array:
        """(M, F) the totals at times (F,), s, from 0 to the end."""
        place = np.clip((times / self._step).astype(int), 0, max(self.rates.shape[1] - 2, 0))
        gone = times - place * self._step
        one, two = self.rates[:, place], self.rates[:, place + 1]
        found: Array = self._upto[:, place] + gone * (one + (two - one) * gone / (2 * self._step))
        return found


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
        self._edges, self._fitted = self._refined(edges)
        sums = self._fitted[0] * np.diff(self._edges)
        self._upto = np.concatenate([np.zeros((len(sums), 1)), np.cumsum(sums, axis=1)], axis=1)

    def _refined(self, edges: Array) -> tuple[Array, Array]:
        """The edges of pieces that are short enough, and (8, M, n) the rates in them, by the
        Legendre polynomials from −1 to 1."""
        done_edges: list[Array] = []
        done: list[Array] = []
        left, right = edges[:-1], edges[1:]
        whole = self._fit(left, right)
        size = max(float(np.abs(whole[0] * (right - left)).sum(axis=1).max(initial=0.0)), 1e-12)
        for _ in range(_HALVINGS):
            check_not_stopped()
            middle = (left + right) / 2
            one, two = self._fit(left, middle), self._fit(middle, right)
            parted = (one[0] + two[0]) / 2 - whole[0]
            near = np.abs(parted * (right - left)).max(axis=0, initial=0.0) <= _EXACT * size
            done_edges.append(np.concatenate([left[near], middle[near]]))
            done.append(np.concatenate([one[:, :, near], two[:, :, near]], axis=2))
            if near.all():
                break
            left, right = (
                np.concatenate([left[~near], middle[~near]]),
                np.concatenate([middle[~near], right[~near]]),
            )
            whole = np.concatenate([one[:, :, ~near], two[:, :, ~near]], axis=2)
        else:
            # Where it jumps, the pieces are so short by now that it does not count.
            done_edges.append(left)
            done.append(whole)
        starts, fitted = np.concatenate(done_edges), np.concatenate(done, axis=2)
        order = np.argsort(starts, kind="stable")
        return np.append(starts[order], edges[-1]), np.ascontiguousarray(fitted[:, :, order])

    def _fit(self, left: Array, right: Array) -> Array:
        """(8, M, n) the rates from left (n,) to right (n,), by the Legendre polynomials."""
        half = (right - left) / 2
        times = (left + right)[:, None] / 2 + half[:, None] * _NODES
        rates = self._rates(times.ravel())
        fitted: Array = np.moveaxis(rates.reshape(len(rates), *times.shape) @ _FIT, 2, 0)
        return fitted

    def at(self, times: Array) -> Array:
        """(M, F) the totals at times (F,), s, from 0 to the end."""
        edges = self._edges
        place = np.clip(np.searchsorted(edges, times, side="right") - 1, 0, len(edges) - 2)
        half = (edges[place + 1] - edges[place]) / 2
        known = np.polynomial.legendre.legvander((times - edges[place]) / half - 1.0, 8).T
        found: Array = self._upto[:, place]
        for degree, fitted in enumerate(self._fitted):
            # The integral of a Legendre polynomial from −1 on.
            below = known[degree - 1] if degree else -1.0
            part = (known[degree + 1] - below) / (2 * degree + 1)
            found += fitted[:, place] * (part * half)
        return found
