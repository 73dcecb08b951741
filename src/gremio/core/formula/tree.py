"""What a formula is made of."""

from __future__ import annotations

from fractions import Fraction

from gremio.core.problem import GremioError
from gremio.core.records import Record
from gremio.core.rig.ids import ChannelKey


class FormulaError(GremioError):
    """A formula that can't be read or does not make sense. start, end: the word at fault."""

    def __init__(self, text: str, start: int = 0, end: int = 0) -> None:
        super().__init__(text)
        self.start, self.end = start, end


class Span(Record, frozen=True):
    """Where in the text something stands."""

    start: int
    end: int


class Number(Record, frozen=True):
    """A plain number or a quantity. value: SI. unit: a name of UNITS, "" for a plain one; power:
    to which it stands, 2 in "12 m^2"."""

    value: float
    unit: str
    span: Span
    power: Fraction = Fraction(1)


class Reference(Record, frozen=True):
    """A channel, control, measure, dimension or part, by key."""

    key: ChannelKey
    span: Span


class Call(Record, frozen=True):
    """A function, or an operator as one: "+", "-", "negative", "and", "<"."""

    name: str
    inputs: tuple[Node, ...]
    span: Span


Node = Number | Reference | Call
