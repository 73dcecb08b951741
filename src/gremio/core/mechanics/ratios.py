"""Ratios from their figures: what a follower does for its lead, and the arithmetic in words.

Turns in radians, lengths in metres. `way` is +1 or −1: whether the follower goes with its
lead or against it, which the place of both parts decides.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import NamedTuple

from gremio.core.problem import GremioError, with_article
from gremio.core.quantity import Kind, show_short
from gremio.core.rig.model import RatioKind


class Figure(NamedTuple):
    """A number that a kind of ratio is made from. unit: it is shown in."""

    name: str
    kind: Kind
    unit: str


_TEETH = (Figure("lead teeth", "number", ""), Figure("follower teeth", "number", ""))
_DIAMETERS = (Figure("lead diameter", "length", "mm"), Figure("follower diameter", "length", "mm"))
FIGURES: dict[RatioKind, tuple[Figure, ...]] = {
    "plain": (),
    "gear pair": _TEETH,
    "bevel pair": _TEETH,
    "worm": (Figure("starts", "number", ""), Figure("teeth", "number", "")),
    "rack and pinion": (Figure("pitch radius", "length", "mm"),),
    "belt": _DIAMETERS,
    "chain": _TEETH,
    "lead screw": (Figure("lead of the screw", "length", "mm"),),
    "winch": (Figure("drum diameter", "length", "mm"), Figure("falls", "number", "")),
    "hydraulic pair": _DIAMETERS,
    "rolling wheel": (Figure("radius", "length", "mm"),),
}
# From what kind of channel to what kind a ratio leads; a rack and a wheel lead either way.
KINDS: dict[RatioKind, tuple[Kind, Kind]] = {
    "gear pair": ("angle", "angle"),
    "bevel pair": ("angle", "angle"),
    "worm": ("angle", "angle"),
    "rack and pinion": ("angle", "length"),
    "belt": ("angle", "angle"),
    "chain": ("angle", "angle"),
    "lead screw": ("angle", "length"),
    "winch": ("angle", "length"),
    "hydraulic pair": ("length", "length"),
    "rolling wheel": ("length", "angle"),
}


class Arithmetic(NamedTuple):
    """ratio: SI per SI. words: "60 ÷ 20, turns against: −3"."""

    ratio: float
    words: str


def arithmetic(kind: RatioKind, figures: Mapping[str, float], way: int) -> Arithmetic:
    """The ratio that figures give, from the turning member to the other, and in words.

    figures: by name, as in FIGURES. Raises GremioError for a figure that can't be.

    Gears and racks after ISO 21771: −z1/z2 outside, +z1/z2 inside, r for a rack. A worm of
    z1 starts turns its wheel by z1/z2; belts and chains by diameters and teeth; a screw goes
    its lead a turn; a rope on n falls goes r/n; a hydraulic pair moves in proportion to its
    areas, (d1/d2)²; a wheel turns 1/r (common practice).
    """
    values = [figures[figure.name] for figure in FIGURES[kind]]
    for figure, value in zip(FIGURES[kind], values, strict=True):
        if not (math.isfinite(value) and value > 0):
            raise GremioError(f"The {figure.name} of {with_article(kind)} must be above zero.")
    sign = "with" if way > 0 else "against"
    match kind:
        case "gear pair" | "bevel pair" | "chain" | "worm":
            ratio = way * values[0] / values[1]
            told = f"{values[0]:g} ÷ {values[1]:g}, turns {sign}: {_signed(ratio)}"
        case "belt":
            ratio = way * values[0] / values[1]
            told = f"{_mm(values[0])} ÷ {_mm(values[1])}, turns {sign}: {_signed(ratio)}"
        case "rack and pinion":
            ratio = way * values[0]
            told = f"2π × {_mm(values[0])}: {_mm(abs(ratio) * 2 * math.pi)} a turn"
        case "lead screw":
            ratio = way * values[0] / (2 * math.pi)
            told = f"{_mm(values[0])} a turn"
        case "winch":
            ratio = way * values[0] / 2 / values[1]
            falls = f" ÷ {values[1]:g} falls" if values[1] != 1 else ""
            told = f"π × {_mm(values[0])}{falls}: {_mm(abs(ratio) * 2 * math.pi)} a turn"
        case "hydraulic pair":
            ratio = way * (values[0] / values[1]) ** 2
            told = f"({_mm(values[0])} ÷ {_mm(values[1])})², goes {sign}: {_signed(ratio)}"
        case "rolling wheel":
            ratio = way / values[0]
            told = f"1 ÷ {_mm(values[0])}: a turn for every {_mm(2 * math.pi * values[0])}"
        case "plain":
            raise GremioError("A plain ratio has no figures: write its two numbers.")
    return Arithmetic(ratio, told)


def _mm(value: float) -> str:
    return show_short(value, "mm")


def _signed(value: float) -> str:
    return f"{value:.6g}".replace("-", "−")
