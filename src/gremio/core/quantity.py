"""Lengths, angles, times and bare numbers: reading what people type, showing values.

Inside Gremio every number is in metres, radians or seconds. A field or a control shows
one of UNITS; what is typed without a unit is read in the unit shown.
"""

from __future__ import annotations

import functools
import math
import re
from typing import TYPE_CHECKING, Any, Literal, NamedTuple

from gremio.core.problem import GremioError

if TYPE_CHECKING:
    import pint

Kind = Literal["length", "angle", "time", "number"]


class QuantityError(GremioError):
    """A text that is not a value of the kind asked for."""


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
}
USUAL_UNIT: dict[Kind, str] = {"length": "m", "angle": "deg", "time": "s", "number": ""}
_EXAMPLE: dict[Kind, str] = {
    "length": "250 mm",
    "angle": "35 deg",
    "time": "2 s",
    "number": "0.8",
}
_ARTICLE: dict[str, str] = {
    "length": "a length",
    "angle": "an angle",
    "time": "a time",
    "number": "a bare number",
}
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
    }.items()
    for name in names
}
_LONGEST = 80
_NUMBER = r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?"
_PLAIN = re.compile(rf"({_NUMBER})\s*([a-z]*)")


@functools.cache
def _registry() -> pint.UnitRegistry[float]:
    """Reads arithmetic with units; made at the first use, since `pint` loads slowly."""
    import pint

    registry: pint.UnitRegistry[float] = pint.UnitRegistry(None)
    for kind, base in (("length", "metre"), ("angle", "radian"), ("time", "second")):
        registry.define(f"{base} = [{kind}]")
    bases = {"length": " * metre", "angle": " * radian", "time": " * second", "number": ""}
    for name, unit in UNIT_WORDS.items():
        if name not in ("metre", "radian", "second"):
            registry.define(f"{name} = {UNITS[unit].size!r}{bases[UNITS[unit].kind]}")
    return registry


def warm_up() -> None:
    """Load the unit reader now, so that the first typed value doesn't wait for it."""
    _registry()


def units_of(kind: Kind) -> list[str]:
    """The names of the units a value of this kind can be shown in."""
    return [name for name, unit in UNITS.items() if unit.kind == kind]


def parse(text: str, kind: Kind, unit: str | None = None, what: str = "This") -> float:
    """The value of a typed text, in SI.

    text: "35 deg", "1.5 turn", "250 mm", "=36/20"; a bare number is read in `unit`.
    unit: a name of UNITS, the usual one of the kind when None.
    what: what the value is for, for the message.
    Raises QuantityError with what to write instead.
    """
    unit = USUAL_UNIT[kind] if unit is None else unit
    clean = text.strip().removeprefix("=").strip()
    clean = clean.replace("°", " deg").replace("%", " percent").replace("−", "-")
    plain = _PLAIN.fullmatch(clean)
    if plain and (not plain[2] or UNITS[UNIT_WORDS.get(plain[2], "")].kind == kind != "number"):
        named = UNIT_WORDS.get(plain[2], unit)
        return _finite(float(plain[1]) * UNITS[named].size, text, what)
    if not clean:
        raise QuantityError(f"{what} needs {_ARTICLE[kind]}: write for example {_EXAMPLE[kind]!r}.")
    if len(clean) > _LONGEST or "**" in clean or "^" in clean:
        raise QuantityError(
            f"{what} can't read {_short(text)!r}: write a plain value such as {_EXAMPLE[kind]!r}."
        )
    return _finite(_read_with_units(clean, text, kind, unit, what), text, what)


def _read_with_units(clean: str, text: str, kind: Kind, unit: str, what: str) -> float:
    registry = _registry()
    try:
        value: Any = registry.parse_expression(clean)
        quantity: Any = registry.Quantity(value).to_root_units()
    except ZeroDivisionError:
        raise QuantityError(f"{what}: {_short(text)!r} divides by zero.") from None
    except Exception:
        # The reader fails in many ways on free text; each means the same to a person.
        raise QuantityError(
            f"{what} can't read {_short(text)!r}: write for example {_EXAMPLE[kind]!r}."
        ) from None
    dimension = {"[length]": "length", "[angle]": "angle", "[time]": "time"}
    powers = dict(quantity.dimensionality)
    found = "number"
    if powers:
        names = [dimension.get(name, "") for name, power in powers.items() if power == 1]
        found = names[0] if len(names) == len(powers) == 1 else ""
    if found == "number" and kind != "number" and "percent" not in clean:
        return float(quantity.magnitude) * UNITS[unit].size
    if found != kind:
        is_what = _ARTICLE.get(found, "neither")
        raise QuantityError(
            f"{what} takes {_ARTICLE[kind]}, for example {_EXAMPLE[kind]!r}; "
            f"{_short(text)!r} is {is_what}."
        )
    return float(quantity.magnitude)


def _finite(value: float, text: str, what: str) -> float:
    if not math.isfinite(value):
        raise QuantityError(f"{what}: {_short(text)!r} is too large a number.")
    return value


def _short(text: str) -> str:
    text = text.strip()
    return text if len(text) <= 40 else text[:37] + "..."


def show(value: float, unit: str, decimals: int | None = None) -> str:
    """A value in SI as a person reads it: "46.0 °", "3.25 turns", "0.250 m"."""
    entry = UNITS[unit]
    return f"{show_number(value, unit, decimals)} {entry.symbol}".rstrip()


def show_number(value: float, unit: str, decimals: int | None = None) -> str:
    """The number of `show`, without the unit and without a negative zero."""
    entry = UNITS[unit]
    places = entry.decimals if decimals is None else decimals
    number = f"{value / entry.size:.{places}f}"
    return number.removeprefix("-") if float(number) == 0.0 else number


def show_short(value: float, unit: str) -> str:
    """`show` with no more decimals than the value has: "74 °", "0.25 m"."""
    number = show_number(value, unit)
    if "." in number:
        number = number.rstrip("0").rstrip(".")
    return f"{number} {UNITS[unit].symbol}".rstrip()
