"""A closed linkage as flat arrays."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array, Rows
from gremio.core.frames import Triple, carried, matrix
from gremio.core.plan.loop_geometry import moving, sides, size_of
from gremio.core.plan.loops import Loop, row_factors
from gremio.core.rig.channels import split
from gremio.core.rig.ids import GROUND, ChannelKey, PartId
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import kind_of

Whole = Rows


class Shape(NamedTuple):
    """What is constant of a loop of P parts, C channels, K closures.

    mounts: (P, 3, 4). parents: (P,) row among the parts, −1 for what carries them all. start:
    (P + 1,) where each part's channels begin. kinds: (C,) 0–2 moves, 3–5 turns. found: (n,)
    channels solved for. low, high: (C,) their stops. ends: (K, 2) rows of the parts of each
    closure, −1 for what carries them all. points: (K, 2, 3) in the parts. rail: (K, 3) axis in
    the second part; zero for a pin. above: (K, C) 1 where a channel moves the first point, −1
    the second. spins: (S,) rows of the parts that swing without spinning; about: (S, 3) the axis
    of each, in its joint at home. factors: (R, C) and constants: (R,) of the rows of trains that
    are solved with it, weighted as lengths. size: a length to compare gaps with (m).

    Channels that stand in rows only, and move no part of the loop, come after those of its parts.
    """

    mounts: Array
    parents: Whole
    start: Whole
    kinds: Whole
    found: Whole
    low: Array
    high: Array
    ends: Whole
    points: Array
    rail: Array
    above: Array
    spins: Whole
    about: Array
    factors: Array
    constants: Array
    size: float


def shape_of(rig: Rig, loop: Loop, found: Whole, low: Array, high: Array) -> Shape:
    """A loop of a rig as flat arrays. found: places of the channels solved for; low, high: (C,)
    stops of all its channels."""
    place = {part: i for i, part in enumerate(loop.parts)}
    counts = [len(moving(rig, part)) for part in loop.parts]
    size = size_of(rig, loop.closures, loop.parts)
    factors, constants = row_factors(rig, loop.rows, loop.channels, size)
    kinds = ["xyz".index(c[-1]) + (0 if is_length(rig, c) else 3) for c in loop.joints]
    kinds += [0 if is_length(rig, c) else 3 for c in loop.channels[len(kinds) :]]
    closures = [rig.closures[c] for c in loop.closures]
    above = np.zeros((len(closures), len(loop.channels)))
    for k, closure in enumerate(closures):
        one, two = sides(rig, closure)
        for s, channel in enumerate(loop.channels):
            owner = split(channel)[0]
            above[k, s] = 1.0 if owner in one else -1.0 if owner in two else 0.0
    # The kernel moves joints only: what stands in a part's own frame is told in its joint's.
    owns = {part: matrix(rig.parts[part].own) for part in loop.parts}
    points = np.array(
        [[_told(owns, c.one, c.at_one), _told(owns, c.two, c.at_two)] for c in closures]
    )
    rails = [owns.get(c.two or GROUND, np.eye(4))[:3, :3] @ c.axis for c in closures]
    rail = np.array(
        [r if c.kind == "rail" else (0.0, 0.0, 0.0) for c, r in zip(closures, rails, strict=True)]
    )
    mounts = [
        owns.get(rig.parts[p].parent or GROUND, np.eye(4)) @ matrix(rig.parts[p].mount)
        for p in loop.parts
    ]
    # What carries all parts of the loop stands still here; a point on it is in its own frame.
    return Shape(
        mounts=np.array([mount[:3] for mount in mounts]),
        parents=np.array([place.get(rig.parts[p].parent or GROUND, -1) for p in loop.parts]),
        start=np.concatenate([[0], np.cumsum(counts)]).astype(np.intp),
        kinds=np.array(kinds, dtype=np.intp),
        found=found,
        low=low,
        high=high,
        ends=np.array([[place.get(c.one, -1), place.get(c.two or GROUND, -1)] for c in closures]),
        points=points,
        rail=rail,
        above=above,
        spins=np.array([place[part] for part, _ in loop.swings], dtype=np.intp),
        about=np.array([axis for _, axis in loop.swings], dtype=np.float64).reshape(-1, 3),
        factors=factors,
        constants=constants,
        size=size,
    )


def is_length(rig: Rig, channel: ChannelKey) -> bool:
    """Whether a channel is a way, not a turn or a bare number."""
    return kind_of(rig, channel) == "length"


def _told(owns: Mapping[PartId, Array], part: PartId | None, at: Triple) -> Array:
    """(3,) a point of a part's own frame as its joint moves it."""
    own = owns.get(part or GROUND, np.eye(4))
    result: Array = carried(own, at)
    return result
