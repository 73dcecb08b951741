"""A number of a thing in the rig: what kind of quantity it is, its home, and its range."""

from __future__ import annotations

import math
from typing import NamedTuple

from gremio.core.quantity import Kind


class Number(NamedTuple):
    """One number that is a channel.

    kind: of quantity. home: what it is where nothing leads it (SI): what the rig says. low,
    high: between what it can be. unit: in which it is shown, where that is not the usual one.
    whole: it is a count. field: where in its thing's data it stands; "" for a number that a hand
    puts somewhere, as it puts a joint.
    """

    kind: Kind
    home: float
    low: float = -math.inf
    high: float = math.inf
    unit: str | None = None
    whole: bool = False
    field: str = ""


def sensible_range(found: Number, value: float) -> tuple[float, float]:
    """Between what values (SI) a number goes that a control, or what has two ends, leads. value:
    where it is."""
    usual = math.pi if found.kind == "angle" else 1.0
    low, high = found.low, found.high
    if found.whole:
        low = max(low, 0.0 if value == 0.0 or high == 1.0 else 1.0)
        return low, min(high, max(2.0 * round(value), low + 1.0))
    if found.field and not (math.isfinite(low) and math.isfinite(high)):
        # Round where it is: from nothing to twice itself, on its side of nothing.
        ends = sorted((0.0, 2.0 * value)) if value else [-usual, usual]
        low, high = max(low, ends[0]), min(high, ends[1])
    else:
        low = -usual if math.isinf(low) else low
        high = usual if math.isinf(high) else high
    return (low, high) if low < high else (low - usual, low + usual)
