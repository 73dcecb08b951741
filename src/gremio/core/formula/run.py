"""From the tree of a formula to what is run, over many frames, and many formulas, at once."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array, Flags
from gremio.core.formula.tree import Call, Node, Number, Reference
from gremio.core.records import Record
from gremio.core.rig.ids import ChannelKey


class Value(Record, frozen=True):
    """Gives the values of one leaf."""

    index: int

    def __call__(self, values: list[Array]) -> Array:
        """Of all leaves, those of this one."""
        return values[self.index]


class Apply(Record, frozen=True):
    """Applies an operation to what its inputs give. A formula ready to run is made of these, so
    that it can be sent to another process."""

    name: str
    inputs: tuple[Run, ...]

    def __call__(self, values: list[Array]) -> Array:
        """The result, from the values of the leaves."""
        return _OPERATIONS[self.name](*(run(values) for run in self.inputs))


Run = Value | Apply


class Leaf(NamedTuple):
    """What stands at the end of a branch.

    kind: "number"; "key", a channel, measure or dimension; "distance" or "angle" of two
    parts. value: of a number (SI). keys: what it refers to.
    """

    kind: str
    value: float = 0.0
    keys: tuple[ChannelKey, ...] = ()


class Plan(NamedTuple):
    """A formula ready to run. shape: formulas of one shape differ only in their leaves."""

    shape: str
    leaves: tuple[Leaf, ...]
    run: Run


def plan(node: Node) -> Plan:
    """Make a tree ready to run."""
    leaves: list[Leaf] = []
    shape, run = _plan(node, leaves)
    return Plan(shape, tuple(leaves), run)


def _plan(node: Node, leaves: list[Leaf]) -> tuple[str, Run]:
    if isinstance(node, Call) and node.name not in ("distance", "angle"):
        inner = [_plan(child, leaves) for child in node.inputs]
        shape = f"({node.name} {' '.join(shape for shape, _ in inner)})"
        return shape, Apply(node.name, tuple(run for _, run in inner))
    index = len(leaves)
    match node:
        case Number():
            leaves.append(Leaf("number", node.value))
        case Reference():
            leaves.append(Leaf("key", keys=(node.key,)))
        case Call():
            keys = tuple(i.key for i in node.inputs if isinstance(i, Reference))
            leaves.append(Leaf(node.name, keys=keys))
    return leaves[index].kind, Value(index)


def _stepped(rounding: Callable[[Array], Array]) -> Callable[..., Array]:
    def to_step(value: Array, step: Array | float = 1.0) -> Array:
        result: Array = rounding(value / step) * step
        return result

    return to_step


def _mean(*values: Array) -> Array:
    return _sum(*values) / len(values)


def _sum(*values: Array) -> Array:
    total = values[0]
    for value in values[1:]:
        total = total + value
    return total


def _lowest(*values: Array) -> Array:
    least = values[0]
    for value in values[1:]:
        least = np.minimum(least, value)
    return least


def _highest(*values: Array) -> Array:
    most = values[0]
    for value in values[1:]:
        most = np.maximum(most, value)
    return most


def _wrap(value: Array, low: Array, high: Array) -> Array:
    span = high - low
    result: Array = low + np.mod(value - low, span)
    return result


def _smooth(value: Array, start: Array, end: Array) -> Array:
    """3 t² − 2 t³, the cubic that starts and ends at rest."""
    t = np.clip((value - start) / (end - start), 0.0, 1.0)
    result: Array = t * t * (3 - 2 * t)
    return result


def _remap(value: Array, start: Array, end: Array, low: Array, high: Array) -> Array:
    return low + (value - start) * ((high - low) / (end - start))


def _choose(condition: Array, then: Array, otherwise: Array) -> Array:
    result: Array = np.where(condition != 0, then, otherwise)
    return result


def _number(truth: Flags) -> Array:
    return truth.astype(float)


def _equal(a: Array, b: Array) -> Array:
    return _number(np.isclose(a, b, rtol=1e-9, atol=1e-12))


_OPERATIONS: dict[str, Callable[..., Array]] = {
    "+": np.add,
    "-": np.subtract,
    "*": np.multiply,
    "/": np.divide,
    "^": np.power,
    "negative": np.negative,
    "<": lambda a, b: _number(a < b),
    "<=": lambda a, b: _number(a <= b),
    ">": lambda a, b: _number(a > b),
    ">=": lambda a, b: _number(a >= b),
    "=": _equal,
    "<>": lambda a, b: 1.0 - _equal(a, b),
    "and": lambda a, b: _number((a != 0) & (b != 0)),
    "or": lambda a, b: _number((a != 0) | (b != 0)),
    "not": lambda a: _number(a == 0),
    "sin": np.sin,
    "cos": np.cos,
    "tan": np.tan,
    "asin": np.arcsin,
    "acos": np.arccos,
    "atan": np.arctan,
    "atan2": np.arctan2,
    "sqrt": np.sqrt,
    "hypot": np.hypot,
    "exp": np.exp,
    "log": np.log,
    "abs": np.abs,
    "sign": np.sign,
    "floor": _stepped(np.floor),
    "ceil": _stepped(np.ceil),
    "round": _stepped(np.round),
    "min": _lowest,
    "max": _highest,
    "sum": _sum,
    "mean": _mean,
    "clamp": lambda value, low, high: np.minimum(np.maximum(value, low), high),
    "wrap": _wrap,
    "smooth": _smooth,
    "remap": _remap,
    "choose": _choose,
}
