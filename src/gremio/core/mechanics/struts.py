"""Telescopic struts: what the lengths of their bodies allow, and which lengths would do."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

# How much of its tube a rod or a stage stays in at least, and how much it keeps off the closed
# end, as shares of the tube (common practice, no source).
OVERLAP, CLEAR = 0.10, 0.02
_SPARE = 0.02
# So many stages are offered at most.
MOST_STAGES = 4


class Limits(NamedTuple):
    """From what to what distance between its eyes a strut can go (m)."""

    least: float
    most: float


def limits(barrel: float, rod: float, stages: Sequence[float] = ()) -> Limits:
    """How short and how long a strut can be from eye to eye (m).

    barrel: from its eye to its mouth; rod: from its eye to its piston; stages: from the inner
    end of each to its mouth (m). Shorter, the rod would push through the closed end; longer, it
    would come apart.
    """
    tubes = barrel + sum(stages)
    return Limits(rod + CLEAR * tubes, rod + tubes - OVERLAP * tubes)


def lengths_for(shortest: float, longest: float, stages: int = 0) -> tuple[float, ...] | None:
    """Barrel, stages and rod (m) for a strut that goes from a shortest to a longest distance
    between its eyes; None where so many bodies can't do it.

    The barrel is no longer than the shortest distance, no stage is longer than the barrel, and
    the rod reaches out of all of them.
    """
    stroke = (longest - shortest) * (1 + _SPARE)
    tube = stroke / (1 - OVERLAP - CLEAR) / (stages + 1)
    barrel = max(tube, 0.3 * shortest)
    tubes = barrel + stages * tube
    rod = shortest - CLEAR * tubes - stroke * _SPARE / 2
    if barrel > shortest or rod < max(OVERLAP * barrel, barrel if stages else 0.0) * 0.9:
        return None
    if limits(barrel, rod, [tube] * stages).most < longest:
        return None
    return (barrel, *[tube] * stages, rod)


def fewest_bodies(shortest: float, longest: float) -> tuple[float, ...] | None:
    """Barrel, as few stages as will do, and rod (m); None where no strut can do it."""
    for stages in range(MOST_STAGES + 1):
        found = lengths_for(shortest, longest, stages)
        if found is not None:
            return found
    return None


def stage_shares(barrel: float, stages: Sequence[float]) -> list[float]:
    """How far each stage goes for a metre that the rod goes: every tube gives its part of the
    stroke by its length, so that all come to their ends together."""
    tubes = [barrel, *stages]
    return [sum(tubes[: k + 1]) / sum(tubes) for k in range(len(stages))]


def stage_starts(barrel: float, stages: Sequence[float], out: float) -> list[float]:
    """How far from the barrel's eye the inner end of each stage is (m), with the strut `out`
    (m) longer than at its shortest."""
    shares = stage_shares(barrel, stages)
    tubes = [barrel, *stages]
    return [CLEAR * sum(tubes[: k + 1]) + out * share for k, share in enumerate(shares)]
