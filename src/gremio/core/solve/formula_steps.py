"""From the formulas of a rig to steps: those of one shape are run together."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import numpy.typing as npt

from gremio.core.formula.parse import parse
from gremio.core.formula.run import Leaf, Plan, plan
from gremio.core.formula.tree import FormulaError
from gremio.core.formula.units import conversion
from gremio.core.problem import Note
from gremio.core.rig.channels import full_label, kind_of, owner_name, shown_unit, split
from gremio.core.rig.model import Formula, Rig
from gremio.core.rig.order import dimension_of
from gremio.core.shape.measure import is_fixed, measured
from gremio.core.solve.frames import Finder, as_matrices
from gremio.core.solve.steps import FormulaStep

Array = npt.NDArray[np.float64]
Find = Callable[[Finder], Array]


def formula_steps(
    rig: Rig, formulas: list[Formula], row: dict[str, int]
) -> tuple[list[FormulaStep], list[Note]]:
    """Steps for formulas, and what is wrong with those that can't be computed.

    row: from channel key to row.
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
    return [_step(rig, group, row) for group in groups.values()], notes


def compiled(rig: Rig, formula: Formula) -> tuple[Plan, float]:
    """A formula ready to run, and what its result is multiplied by. Raises FormulaError."""
    tree = parse(formula.text)
    channel = formula.follower
    unit, _ = conversion(rig, tree, kind_of(rig, channel), shown_unit(rig, channel))
    return plan(tree), unit


def _note(rig: Rig, formula: Formula, problem: FormulaError) -> Note:
    name = full_label(rig, formula.follower)
    text = f"The formula for {name} can't be computed. {problem}"
    return Note("formula-wrong", owner_name(rig, split(formula.follower)[0]), text)


def _step(rig: Rig, group: list[tuple[Formula, Plan, float]], row: dict[str, int]) -> FormulaStep:
    formulas, plans, units = zip(*group, strict=True)
    by_leaf = zip(*(p.leaves for p in plans), strict=True)
    return FormulaStep(
        followers=np.array([row[f.follower] for f in formulas], dtype=np.intp),
        run=plans[0].run,
        leaves=tuple(_find(rig, list(leaves), row) for leaves in by_leaf),
        unit=np.array([[unit] for unit in units]),
        adds=formulas[0].adds,
    )


def _find(rig: Rig, leaves: list[Leaf], row: dict[str, int]) -> Find:
    """What finds the values of one leaf of many formulas: (k, F) or (k, 1)."""
    kind = leaves[0].kind
    if kind == "number":
        numbers = np.array([[leaf.value] for leaf in leaves])
        return lambda _finder: numbers
    if kind in ("distance", "angle"):
        pairs = [leaf.keys for leaf in leaves]
        between = _distance if kind == "distance" else _angle
        return lambda finder: np.stack([between(finder, *pair) for pair in pairs])
    keys = [leaf.keys[0] for leaf in leaves]
    if all(key in row for key in keys):
        rows = np.array([row[key] for key in keys], dtype=np.intp)
        return lambda finder: finder.channels[rows]
    return lambda finder: np.stack([_value(rig, row, key, finder) for key in keys])


def _value(rig: Rig, row: dict[str, int], key: str, finder: Finder) -> Array:
    """(F,) values of a channel, measure or dimension."""
    frames = finder.channels.shape[1]
    if key in row:
        values: Array = finder.channels[row[key]]
        return values
    if key in rig.measures:
        measure = rig.measures[key]
        count = 1 if is_fixed(measure) else frames
        parts = {end.part for end in measure.ends}
        worlds = {part: as_matrices(finder.world(part))[:, 0] for part in parts}
        found = [
            measured(rig, measure, lambda part, f=f: worlds[part][f])  # type: ignore[misc]
            for f in range(count)
        ]
        return np.broadcast_to(np.array(found), (frames,))
    return np.full(frames, dimension_of(rig, key) or 0.0)


def _distance(finder: Finder, one: str, two: str) -> Array:
    """(F,) distance between the mounts of two parts (m)."""
    apart = finder.world(one)[3, :, 0] - finder.world(two)[3, :, 0]
    result: Array = np.sqrt((apart**2).sum(axis=0))
    return result


def _angle(finder: Finder, one: str, two: str) -> Array:
    """(F,) angle of the turn from one part to another (rad), 0 to π."""
    a, b = finder.world(one)[:3, :, 0], finder.world(two)[:3, :, 0]
    a, b = (m / np.linalg.norm(m, axis=1, keepdims=True) for m in (a, b))
    turn = np.einsum("irf,jrf->ijf", a, b)
    sine = np.sqrt(
        (turn[2, 1] - turn[1, 2]) ** 2
        + (turn[0, 2] - turn[2, 0]) ** 2
        + (turn[1, 0] - turn[0, 1]) ** 2
    )
    result: Array = np.arctan2(sine, turn[0, 0] + turn[1, 1] + turn[2, 2] - 1)
    return result
