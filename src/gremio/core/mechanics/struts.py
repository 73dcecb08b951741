"""Telescopic struts: what lengths of barrel and rod allow, and which lengths would do."""

from __future__ import annotations

from typing import NamedTuple

# How much of its barrel a rod stays in at least, and how much it keeps off the closed end, as
# shares of the barrel (common practice, no source).
OVERLAP, CLEAR = 0.10, 0.02
_SPARE = 0.02


class Limits(NamedTuple):
    """From what to what distance between its eyes a strut can go (m)."""

    least: float
    most: float


def limits(barrel: float, rod: float) -> Limits:
    """How short and how long a strut can be from eye to eye (m).

    barrel: from its eye to its mouth; rod: from its eye to its piston (m). Shorter, the rod
    would push through the closed end; longer, it would come apart.
    """
    return Limits(rod + CLEAR * barrel, rod + barrel - OVERLAP * barrel)


def lengths_for(shortest: float, longest: float) -> tuple[float, float] | None:
    """Barrel and rod (m) for a strut that goes from a shortest to a longest distance between
    its eyes; None where one barrel and one rod can't do it.

    The barrel is no longer than the shortest distance, and the rod reaches out of it.
    """
    stroke = (longest - shortest) * (1 + _SPARE)
    barrel = max(stroke / (1 - OVERLAP - CLEAR), 0.3 * shortest)
    spare = stroke * _SPARE / 2
    rod = shortest - CLEAR * barrel - spare
    if barrel > shortest or rod < OVERLAP * barrel:
        return None
    if limits(barrel, rod).most < longest:
        return None
    return barrel, rod
