"""Every kind stands in every table: one that is forgotten fails here, by name."""

from __future__ import annotations

from typing import get_args

import pytest

from gremio.core.edit.mounts import SHIFTS
from gremio.core.edit.numbers import _SETTERS
from gremio.core.inspect.words import _HOW
from gremio.core.plan.reads import READS
from gremio.core.rig.constraints import CONSTRAINTS
from gremio.core.rig.links import LINKS
from gremio.core.rig.model import AnyConstraint, ConstraintKind, Link, LinkKind, Rig
from gremio.core.rig.numbers import OWNERS
from gremio.core.rig.things import THINGS
from gremio.core.solve.backward import BACKWARD
from gremio.core.solve.constraint_goals import GOALS
from gremio.core.solve.link_steps import STEPS


@pytest.mark.parametrize(
    "table",
    [LINKS, READS, STEPS, _HOW, SHIFTS, BACKWARD],
    ids=["links", "reads", "steps", "how", "shifts", "backward"],
)
def test_every_kind_of_link(table: dict[str, object]) -> None:
    assert set(table) == set(get_args(LinkKind))


def test_every_kind_of_link_has_its_struct() -> None:
    assert {record.struct for record in LINKS.values()} == set(get_args(Link))
    assert {k: r.struct.__struct_config__.tag for k, r in LINKS.items()} == {k: k for k in LINKS}


def test_every_kind_of_constraint() -> None:
    kinds = set(get_args(ConstraintKind))
    assert set(CONSTRAINTS) == kinds
    # A reach is a step of its own.
    assert set(GOALS) == kinds - {"reach"}
    assert {record.struct for record in CONSTRAINTS.values()} == set(get_args(AnyConstraint))
    tags = {k: r.struct.__struct_config__.tag for k, r in CONSTRAINTS.items()}
    assert tags == {k: k for k in CONSTRAINTS}


def test_every_kind_of_thing() -> None:
    # All that a rig keeps by id is a thing; `at` is kept by channel, `alike` pairs things, and
    # `kits` says where some of them came from.
    tables = {f for f in Rig.__struct_fields__ if isinstance(getattr(Rig(), f), dict)}
    kept = tables - {"at", "alike", "kits"}
    assert {one.field for one in THINGS} == kept


def test_every_owner_of_numbers_can_be_set() -> None:
    assert {owner.word for owner in OWNERS} == set(_SETTERS)
    assert {owner.word for owner in OWNERS} <= {one.word for one in THINGS}
