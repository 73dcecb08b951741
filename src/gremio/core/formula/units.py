"""Checking a formula's units: what kind of quantity each piece is."""

from __future__ import annotations

from fractions import Fraction
from typing import NamedTuple

from gremio.core.formula.tree import Call, FormulaError, Node, Number, Reference
from gremio.core.quantity import UNITS, Kind
from gremio.core.rig import ids
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import exists, kind_of


class Dimension(NamedTuple):
    """Powers of length, angle and time. arc: a length ÷ a length, which is an arc in radians.
    mixed: an arc and a bare number put together, which as an angle could mean two things."""

    length: Fraction = Fraction(0)
    angle: Fraction = Fraction(0)
    time: Fraction = Fraction(0)
    arc: bool = False
    mixed: bool = False

    @property
    def plain(self) -> bool:
        """Whether it is a bare number."""
        return not (self.length or self.angle or self.time)


NUMBER = Dimension()
_OF_KIND: dict[Kind, Dimension] = {
    "length": Dimension(length=Fraction(1)),
    "angle": Dimension(angle=Fraction(1)),
    "time": Dimension(time=Fraction(1)),
    "number": NUMBER,
    "rate": Dimension(angle=Fraction(1), time=Fraction(-1)),
    "speed": Dimension(length=Fraction(1), time=Fraction(-1)),
    "frequency": Dimension(time=Fraction(-1)),
}
ANGLE = _OF_KIND["angle"]
LENGTH = _OF_KIND["length"]


def dimension(rig: Rig, node: Node) -> Dimension | None:
    """What a formula is; None for a plain 0, which fits everything.

    Raises FormulaError where the pieces don't go together.
    """
    match node:
        case Number():
            if node.value == 0.0 and not node.unit:
                return None
            base, power = _OF_KIND[UNITS[node.unit].kind], node.power
            return Dimension(base.length * power, base.angle * power, base.time * power)
        case Reference():
            return _of_reference(rig, node)
        case Call():
            return _of_call(rig, node)


def words(found: Dimension | None) -> str:
    """A dimension as people say it."""
    if found is None or found.plain:
        return "a bare number"
    names = {LENGTH: "a length", ANGLE: "an angle", _OF_KIND["time"]: "a time"}
    plain = found._replace(arc=False, mixed=False)
    if plain in names:
        return names[plain]
    powers = [("length", found.length), ("angle", found.angle), ("time", found.time)]
    parts = [name if p == 1 else f"{name}^{p}" for name, p in powers if p]
    return " × ".join(parts)


def conversion(rig: Rig, node: Node, kind: Kind, unit: str) -> tuple[float, str]:
    """What a formula's result is multiplied by to be the channel's SI value, and how it was
    read: "an arc in radians". kind, unit: of the channel, and the unit it is shown in.

    Raises FormulaError, with the mend, when the result is of another kind.
    """
    found = dimension(rig, node)
    if found is None or found == _OF_KIND[kind] or found._replace(arc=False) == _OF_KIND[kind]:
        if kind == "angle" or found is None or not found.plain:
            return 1.0, words(found)
        return 1.0, "a bare number"
    if found.mixed and kind == "angle":
        raise FormulaError(_MIXED, node.span.start, node.span.end)
    if kind == "length" and found.length == 1 and not found.time:
        return 1.0, "an arc: angle × radius"
    if found.plain and found.arc and kind == "angle":
        return 1.0, "an arc in radians: length ÷ length"
    if found.plain:
        symbol = UNITS[unit].symbol or "plain numbers"
        return UNITS[unit].size, f"a bare number, in {symbol}"
    raise FormulaError(_mend(found, kind), node.span.start, node.span.end)


def _mend(found: Dimension, kind: Kind) -> str:
    is_what, takes = words(found), words(_OF_KIND[kind])
    text = f"This is {is_what}, and the channel takes {takes}"
    if kind == "angle" and found.length == 1:
        return f"{text}: divide by a radius, for example (…) / 0.25 m."
    if kind == "length" and found.angle == 1 and not found.length:
        return f"{text}: multiply by a radius, for example (…) * 0.25 m."
    if kind == "number":
        return f"{text}: divide by one {is_what.split()[-1]}, for example (…) / 1 {_one(found)}."
    return f"{text}."


_MIXED = (
    "This puts a bare number and a length ÷ a length together: the first would be in the unit "
    "shown, the second in radians. Give the number a unit, for example 30 deg."
)


def _one(found: Dimension) -> str:
    return "deg" if found.angle else ("s" if found.time else "m")


def _of_reference(rig: Rig, node: Reference) -> Dimension:
    if node.key in rig.parts:
        name = rig.parts[ids.part(node.key)].name
        raise FormulaError(
            f"{name} is a part: say which of its channels, for example {name}.turn, or use it in "
            "distance(…) or angle(…).",
            node.span.start,
            node.span.end,
        )
    if node.key in rig.measures:
        return ANGLE if rig.measures[ids.thing(node.key)].kind == "angle" else LENGTH
    if exists(rig, node.key):
        return _OF_KIND[kind_of(rig, node.key)]
    raise FormulaError("This is not in the rig any more.", node.span.start, node.span.end)


def _of_call(rig: Rig, node: Call) -> Dimension | None:
    name = node.name
    if name in ("distance", "angle"):
        for inner in node.inputs:
            if not isinstance(inner, Reference) or inner.key not in rig.parts:
                raise FormulaError(
                    f"{name} takes two parts, for example {name}(Jib, Grab).",
                    inner.span.start,
                    inner.span.end,
                )
        return LENGTH if name == "distance" else ANGLE
    found = [dimension(rig, inner) for inner in node.inputs]
    if name in ("*", "/"):
        return _product(found[0], found[1], 1 if name == "*" else -1)
    if name == "^":
        return _power(node, found)
    if name in ("sin", "cos", "tan"):
        return _of_turn(node, found[0])
    if name in ("asin", "acos", "atan", "exp", "log"):
        _must_be_plain(node, found[0])
        return NUMBER if name in ("exp", "log") else ANGLE
    if name == "sqrt":
        base = found[0] or NUMBER
        return Dimension(base.length / 2, base.angle / 2, base.time / 2)
    if name == "remap":
        _together(node, found[:3], node.inputs[:3])
        return _together(node, found[3:], node.inputs[3:])
    if name == "choose":
        _must_be_plain(node, found[0])
        return _together(node, found[1:], node.inputs[1:])
    if name in ("and", "or", "not"):
        for one in found:
            _must_be_plain(node, one)
        return NUMBER
    together = _together(node, found, node.inputs)
    if name in ("<", "<=", ">", ">=", "=", "<>", "sign", "smooth"):
        return NUMBER
    return ANGLE if name == "atan2" else together


def _product(one: Dimension | None, two: Dimension | None, sign: int) -> Dimension:
    a, b = one or NUMBER, two or NUMBER
    powers = (a.length + sign * b.length, a.angle + sign * b.angle, a.time + sign * b.time)
    made_arc = sign < 0 and not any(powers) and a.length == b.length == 1
    plain = not any(powers)
    arc = plain and (made_arc or a.arc or (b.arc and sign > 0))
    return Dimension(*powers, arc=arc, mixed=plain and (a.mixed or b.mixed))


def _power(node: Call, found: list[Dimension | None]) -> Dimension:
    base, exponent = found[0] or NUMBER, node.inputs[1]
    _must_be_plain(node, found[1])
    if base.plain:
        return NUMBER
    sign = 1
    if isinstance(exponent, Call) and exponent.name == "negative":
        sign, exponent = -1, exponent.inputs[0]
    if not isinstance(exponent, Number):
        raise FormulaError(
            f"{words(base).capitalize()} can only be raised to a number that is written out.",
            exponent.span.start,
            exponent.span.end,
        )
    power = sign * Fraction(exponent.value).limit_denominator(100)
    return Dimension(base.length * power, base.angle * power, base.time * power)


def _of_turn(node: Call, found: Dimension | None) -> Dimension:
    if found is not None and found.mixed:
        raise FormulaError(_MIXED, node.span.start, node.span.end)
    if found is None or found == ANGLE or found.arc:
        return NUMBER
    inner = node.inputs[0]
    example = f"{inner.value:g} deg" if isinstance(inner, Number) else "30 deg"
    raise FormulaError(
        f"{node.name} takes an angle, and this is {words(found)}: write {node.name}({example}).",
        inner.span.start,
        inner.span.end,
    )


def _must_be_plain(node: Call, found: Dimension | None) -> None:
    if found is not None and not found.plain:
        raise FormulaError(
            f"{node.name} takes a bare number, and this is {words(found)}.",
            node.span.start,
            node.span.end,
        )


def _together(
    node: Call, found: list[Dimension | None], inputs: tuple[Node, ...]
) -> Dimension | None:
    """The one dimension that all inputs share. An angle × a radius counts as a length, and an arc
    beside an angle as an angle."""
    first: Dimension | None = None
    for one, inner in zip(found, inputs, strict=True):
        if one is None:
            continue
        if first is None:
            first = one
            continue
        if ANGLE in (first, one) and (first.arc or one.arc):
            for each in (first, one):
                if each.mixed:
                    raise FormulaError(_MIXED, inner.span.start, inner.span.end)
            first = ANGLE
            continue
        same = one[:3] == first[:3]
        arcs = one.length == first.length == 1 and one.time == first.time
        if not (same or arcs):
            raise FormulaError(_apart(node, first, one, inner), inner.span.start, inner.span.end)
        if arcs and not same:
            first = LENGTH
        elif one.plain:
            mixed = first.mixed or one.mixed or first.arc != one.arc
            first = first._replace(arc=first.arc or one.arc, mixed=mixed)
    return first


def _apart(node: Call, first: Dimension, one: Dimension, inner: Node) -> str:
    does = {"+": "added to", "-": "taken from"}.get(node.name, "put together with")
    text = f"This is {words(one)}, which can't be {does} {words(first)}"
    plain, other = (one, first) if one.plain else (first, one)
    if plain.plain and not other.plain and isinstance(inner, Number) and one.plain:
        return f"{text}: write for example {inner.value:g} {_one(other)}."
    return f"{text}."
