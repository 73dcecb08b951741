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
