"""From the formulas of a rig to steps: those of one shape are run together."""

from __future__ import annotations

import numpy as np

from gremio.core.arrays import Array, Rows
from gremio.core.formula.parse import parse
from gremio.core.formula.run import Leaf, Plan, plan
from gremio.core.formula.tree import FormulaError
from gremio.core.formula.units import conversion
from gremio.core.problem import Note
from gremio.core.records import Record
from gremio.core.rig import ids
from gremio.core.rig.channels import split
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.model import Formula, Rig
from gremio.core.rig.numbers import full_label, home_value, kind_of, meant_unit, owner_name
from gremio.core.shape.geometry import GeometryOf
from gremio.core.shape.measure import is_fixed, measured
from gremio.core.solve.dimensions import led_dimensions, with_dimensions
from gremio.core.solve.frames import Finder
from gremio.core.solve.steps import FormulaStep


class Constants(Record, frozen=True):
    """Leaves that are numbers. numbers: (k, 1)."""

    numbers: Array

    def __call__(self, finder: Finder) -> Array:
        """(k, 1) they themselves."""
        del finder
        return self.numbers


class Channels(Record, frozen=True):
    """Leaves that are channels. rows: (k,)."""

    rows: Rows

    def __call__(self, finder: Finder) -> Array:
        """(k, F) their values."""
        # Every row is there: with "clip" that is not looked at again.
        return finder.channels.take(self.rows, axis=0, mode="clip")


class Between(Record, frozen=True):
    """Leaves that are the distance, or the angle, between two parts. pairs: ids."""

    kind: str
    pairs: tuple[tuple[PartId, PartId], ...]

    def __call__(self, finder: Finder) -> Array:
        """(k, F) of each pair."""
        between = _distance if self.kind == "distance" else _angle
        return np.stack([between(finder, *pair) for pair in self.pairs])


class Values(Record, frozen=True):
    """Leaves that are channels, measures, or numbers that nothing leads. row: from channel key
    to row. geometry: finds the surface of a solid, for what is measured."""

    rig: Rig
    row: dict[ChannelKey, int]
    keys: tuple[ChannelKey, ...]
    geometry: GeometryOf

    def __call__(self, finder: Finder) -> Array:
        """(k, F) the value of each."""
        return np.stack([self._value(key, finder) for key in self.keys])

    def _value(self, key: ChannelKey, finder: Finder) -> Array:
        frames = finder.channels.shape[1]
        if key in self.row:
            values: Array = finder.channels[self.row[key]]
            return values
        if key not in self.rig.measures:
            return np.full(frames, home_value(self.rig, key))
        measure = self.rig.measures[ids.thing(key)]
        led = led_dimensions(self.rig, self.row, [end.part for end in measure.ends])
        count = 1 if is_fixed(measure) and not led else frames
        parts = {end.part for end in measure.ends}
        worlds = {part: finder.world(part) for part in parts}
        found = []
        for f in range(count):
            rig = with_dimensions(self.rig, led, finder.channels[:, f]) if led else self.rig
            frames_now = {part: world[f] for part, world in worlds.items()}
            found.append(measured(rig, measure, frames_now.__getitem__, self.geometry))
        return np.broadcast_to(np.array(found), (frames,))


Find = Constants | Channels | Between | Values


def formula_steps(
    rig: Rig, formulas: list[Formula], row: dict[ChannelKey, int], geometry: GeometryOf
) -> tuple[list[FormulaStep], list[Note]]:
    """Steps for formulas, and what is wrong with those that can't be computed.

    row: from channel key to row. geometry: finds the surface of a solid, for what is measured.
    """
    groups: dict[tuple[str, bool], list[tuple[Formula, Plan, float]]] = {}
    notes: list[Note] = []
    for formula in formulas:
        try:
            made, unit = compiled(rig, formula)
        except FormulaError as problem:
            notes.append(_note(rig, formula, problem))
            continue
        groups.setdefault((made.shape, formula.adds), []).append((formula, made, unit))
    return [_step(rig, group, row, geometry) for group in groups.values()], notes


def compiled(rig: Rig, formula: Formula) -> tuple[Plan, float]:
    """A formula ready to run, and what its result is multiplied by. Raises FormulaError."""
    tree = parse(formula.text)
    channel = formula.follower
    unit, _ = conversion(rig, tree, kind_of(rig, channel), meant_unit(rig, channel))
    return plan(tree), unit


def _note(rig: Rig, formula: Formula, problem: FormulaError) -> Note:
    name = full_label(rig, formula.follower)
    text = f"The formula for {name} can't be computed. {problem}"
    return Note("formula-wrong", owner_name(rig, split(formula.follower)[0]), text)


def _step(
    rig: Rig,
    group: list[tuple[Formula, Plan, float]],
    row: dict[ChannelKey, int],
    geometry: GeometryOf,
) -> FormulaStep:
    # In the order of their followers, which are a slice then where they follow one another.
    group = sorted(group, key=lambda one: row[one[0].follower])
    formulas, plans, units = zip(*group, strict=True)
    by_leaf = zip(*(p.leaves for p in plans), strict=True)
    return FormulaStep(
        followers=np.array([row[f.follower] for f in formulas], dtype=np.intp),
        run=plans[0].run,
        leaves=tuple(_find(rig, list(leaves), row, geometry) for leaves in by_leaf),
        unit=np.array([[unit] for unit in units]),
        adds=formulas[0].adds,
        made_of=formulas,
    )


def _find(rig: Rig, leaves: list[Leaf], row: dict[ChannelKey, int], geometry: GeometryOf) -> Find:
    """What finds the values of one leaf of many formulas: (k, F) or (k, 1)."""
    kind = leaves[0].kind
    if kind == "number":
        return Constants(np.array([[leaf.value] for leaf in leaves]))
    if kind in ("distance", "angle"):
        return Between(
            kind, tuple((ids.part(one), ids.part(two)) for one, two in (n.keys for n in leaves))
        )
    keys = [leaf.keys[0] for leaf in leaves]
    if all(key in row for key in keys):
        return Channels(np.array([row[key] for key in keys], dtype=np.intp))
    return Values(rig, row, tuple(keys), geometry)


def _distance(finder: Finder, one: PartId, two: PartId) -> Array:
    """(F,) distance between the mounts of two parts (m)."""
    apart = finder.world(one)[:, :3, 3] - finder.world(two)[:, :3, 3]
    result: Array = np.sqrt((apart**2).sum(axis=1))
    return result


def _angle(finder: Finder, one: PartId, two: PartId) -> Array:
    """(F,) angle of the turn from one part to another (rad), 0 to π."""
    a, b = finder.world(one)[:, :3, :3], finder.world(two)[:, :3, :3]
    a, b = (m / np.linalg.norm(m, axis=1, keepdims=True) for m in (a, b))
    turn = np.einsum("fri,frj->ijf", a, b)
    sine = np.sqrt(
        (turn[2, 1] - turn[1, 2]) ** 2
        + (turn[0, 2] - turn[2, 0]) ** 2
        + (turn[1, 0] - turn[0, 1]) ** 2
    )
    result: Array = np.arctan2(sine, turn[0, 0] + turn[1, 1] + turn[2, 2] - 1)
    return result
