"""Lengths, angles, times and bare numbers, and the units that they are shown in.

Inside Gremio every number is in metres, radians or seconds. A field or a control shows
one of UNITS; what is typed without a unit is read in the unit shown.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Literal, NamedTuple

Kind = Literal["length", "angle", "time", "number", "rate", "speed", "frequency"]


class Unit(NamedTuple):
    """A unit a value can be shown in: kind, size in SI, how it is written, decimals."""

    kind: Kind
    size: float
    symbol: str
    decimals: int


UNITS: dict[str, Unit] = {
    "m": Unit("length", 1.0, "m", 3),
    "mm": Unit("length", 0.001, "mm", 1),
    "cm": Unit("length", 0.01, "cm", 2),
    "km": Unit("length", 1000.0, "km", 4),
    "in": Unit("length", 0.0254, "in", 2),
    "ft": Unit("length", 0.3048, "ft", 3),
    "deg": Unit("angle", math.pi / 180, "°", 1),
    "rad": Unit("angle", 1.0, "rad", 3),
    "turn": Unit("angle", 2 * math.pi, "turns", 2),
    "s": Unit("time", 1.0, "s", 2),
    "ms": Unit("time", 0.001, "ms", 0),
    "min": Unit("time", 60.0, "min", 2),
    "": Unit("number", 1.0, "", 3),
    "%": Unit("number", 0.01, "%", 1),
    "turn/s": Unit("rate", 2 * math.pi, "turns/s", 2),
    "deg/s": Unit("rate", math.pi / 180, "°/s", 1),
    "rad/s": Unit("rate", 1.0, "rad/s", 3),
    "rpm": Unit("rate", 2 * math.pi / 60, "rpm", 1),
    "m/s": Unit("speed", 1.0, "m/s", 3),
    "mm/s": Unit("speed", 0.001, "mm/s", 1),
    "Hz": Unit("frequency", 1.0, "Hz", 2),
}
# Beyond this no value of a machine can be meant, and numbers lose their last figures (SI).
LARGEST = 1e9
USUAL_UNIT: dict[Kind, str] = {
    "length": "m",
    "angle": "deg",
    "time": "s",
    "number": "",
    "rate": "turn/s",
    "speed": "m/s",
    "frequency": "Hz",
}
# What a running total of a rate is.
TOTALS: dict[Kind, Kind] = {"rate": "angle", "speed": "length", "frequency": "number"}
# What people write for each unit.
UNIT_WORDS: dict[str, str] = {
    name: unit
    for unit, names in {
        "m": ("m", "metre", "metres", "meter", "meters"),
        "mm": ("mm", "millimetre", "millimetres", "millimeter", "millimeters"),
        "cm": ("cm", "centimetre", "centimetres", "centimeter", "centimeters"),
        "km": ("km", "kilometre", "kilometres", "kilometer", "kilometers"),
        "in": ("in", "inch", "inches"),
        "ft": ("ft", "foot", "feet"),
        "deg": ("deg", "degree", "degrees"),
        "rad": ("rad", "radian", "radians"),
        "turn": ("turn", "turns", "rev", "revs"),
        "s": ("s", "sec", "second", "seconds"),
        "ms": ("ms", "millisecond", "milliseconds"),
        "min": ("min", "minute", "minutes"),
        "%": ("percent",),
        # As the reader has them, whose words have no stroke: "turns/s" is "turnsps" to it.
        "turn/s": ("turnps", "turnsps", "revps", "revsps"),
        "deg/s": ("degps", "dps"),
        "rad/s": ("radps",),
        "rpm": ("rpm",),
        "m/s": ("mps",),
        "mm/s": ("mmps",),
        "Hz": ("Hz", "hz", "hertz"),
    }.items()
    for name in names
}


def units_of(kind: Kind) -> list[str]:
    """The names of the units a value of this kind can be shown in."""
    return [name for name, unit in UNITS.items() if unit.kind == kind]


def show(value: float, unit: str, decimals: int | None = None) -> str:
    """A value in SI as a person reads it: "46.0°", "3.25 turns", "0.250 m"."""
    return with_symbol(show_number(value, unit, decimals), unit)


def with_symbol(number: str, unit: str) -> str:
    """A number with the symbol of its unit: the sign of degrees stands close, a word apart."""
    symbol = UNITS[unit].symbol
    return f"{number}°" if symbol == "°" else f"{number} {symbol}".rstrip()


def show_number(value: float, unit: str, decimals: int | None = None) -> str:
    """The number of `show`, without the unit and without a negative zero."""
    entry = UNITS[unit]
    places = entry.decimals if decimals is None else decimals
    number = f"{value / entry.size:.{places}f}"
    return number.removeprefix("-") if float(number) == 0.0 else number


def short_number(value: float) -> str:
    """A number for a formula, exact to fifteen figures and no longer: "1" for
    0.9999999999999998."""
    return f"{value:.15g}"


def show_small(value: float, unit: str) -> str:
    """A value that may be very small, with two figures at least: "0.0000051 mm", "12.4 mm"."""
    entry = UNITS[unit]
    number = value / entry.size
    if abs(number) >= 10.0**-entry.decimals or number == 0.0 or not math.isfinite(number):
        return show_short(value, unit)
    places = 1 - math.floor(math.log10(abs(number)))
    return with_symbol(f"{number:.{places}f}", unit)


def show_short(value: float, unit: str) -> str:
    """`show` with no more decimals than the value has: "74°", "0.25 m"."""
    return with_symbol(show_number_short(value, unit), unit)


def show_number_short(value: float, unit: str) -> str:
    """The number of `show_short`, without the unit."""
    number = show_number(value, unit)
    return number.rstrip("0").rstrip(".") if "." in number else number


def box_words(sizes: Iterable[float], unit: str) -> str:
    """The size of a box (m): "3.27 × 0.3 × 4 m"."""
    numbers = (f"{size / UNITS[unit].size:.4g}" for size in sizes)
    return f"{' × '.join(numbers)} {UNITS[unit].symbol}"
