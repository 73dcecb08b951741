"""Constraints that differ in anything are never computed as if they were alike."""

from __future__ import annotations

import math
from typing import Any, Literal, get_args, get_origin, get_type_hints

import numpy as np
import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.constraints import change_constraint
from gremio.core.problem import GremioError
from gremio.core.rig.constraints import KINDS
from gremio.core.rig.model import AnyConstraint, Rig, Target
from gremio.core.rig.solids import Box
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate

_KEPT = {"name", "part", "channels", "targets", "freed"}


def pair(kind: str) -> Rig:
    """Two parts tied alike, by the same constraint."""
    made = gremio.Builder("Two")
    made.part(
        "Post", gremio.shape(Box(length=1, width=1, height=1)), at=(0.5, 0.7, 1), joint="free"
    )
    for name in ("One", "Two"):
        made.part(name, gremio.shape(Box(length=0.1, width=0.2, height=0.3)), at=(1, 2, 4),
                  turned=("10 deg", "20 deg", "30 deg"), joint="free")  # fmt: skip
    rig = gremio.path(made.rig, "Way", [(0, 0, 0), (3, 0, 1), (4, 2, 1)])
    for name in ("One", "Two"):
        rig = gremio.constrain(rig, kind, name, "Way" if kind == "run along" else "Post")
    return rig


def others(value: Any, sort: Any) -> list[Any]:
    """Other values of the same sort; of words, all that there are."""
    if get_origin(sort) is Literal:
        return [word for word in get_args(sort) if word != value]
    if isinstance(value, bool):
        return [not value]
    if isinstance(value, float):
        return [value + 0.7, value * 0.5]
    if isinstance(value, Target):
        return [Target(at=(3.0, 1.0, 5.0))]
    return []


TRIED = [kind for kind in KINDS if kind not in ("reach", "constant volume", "pin to line")]


@pytest.mark.parametrize("kind", TRIED)
def test_a_field_of_one_constraint_is_not_the_others(kind: str) -> None:
    """One of two is changed, field by field: the two together pose as each does alone."""
    rig = pair(kind)
    one, two = rig.constraints
    looked_at = 0
    for field in rig.constraints[one].__struct_fields__:
        if field in _KEPT:
            continue
        present = getattr(rig.constraints[one], field)
        for other in others(present, get_type_hints(type(rig.constraints[one]))[field]):
            try:
                changed = change_constraint(
                    rig, two, replace(rig.constraints[two], **{field: other})
                )
            except (GremioError, TypeError):
                continue
            together = evaluate(compile_rig(changed, geometry_of), changed.at).frame(0)
            for constraint in (one, two):
                entry: AnyConstraint = changed.constraints[constraint]
                alone = replace(changed, constraints={constraint: entry})
                by_itself = evaluate(compile_rig(alone, geometry_of), alone.at).frame(0)
                assert together.world(entry.part) == pytest.approx(
                    by_itself.world(entry.part), abs=1e-9
                ), (field, other)
            looked_at += 1
    assert looked_at > 0


def test_what_differs_is_seen_to_differ() -> None:
    """The check above would fail if a field made no difference at all."""
    rig = pair("seat")
    one, two = rig.constraints
    rig = change_constraint(rig, two, replace(rig.constraints[two], stand_off=0.5))
    pose = evaluate(compile_rig(rig, geometry_of), rig.at).frame(0)
    places = [pose.world(rig.constraints[c].part)[:3, 3] for c in (one, two)]
    assert math.dist(*places) == pytest.approx(0.5, abs=1e-6)
    assert np.isfinite(places).all()
