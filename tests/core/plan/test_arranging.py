"""Islands, and that the same links are put in order once."""

from __future__ import annotations

import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.builder import Builder
from gremio.core.edit.links import add_link
from gremio.core.plan import order
from gremio.core.plan.islands import touched
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.model import Ratio, Rig
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.program import compile_rig


def doors() -> Rig:
    made = Builder("Doors")
    for name in ("East", "West"):
        made.part(f"{name} door", joint="hinge z")
        made.part(f"{name} bolt", on=f"{name} door", joint="slide x")
        made.control(name, 0, 1)
        made.ratio(name, f"{name} door turn z", 1)
        made.ratio(f"{name} door turn z", f"{name} bolt move x", 0.1)
    return made.rig


def test_what_has_nothing_in_common_is_two_islands() -> None:
    rig = doors()
    east, west = compile_rig(rig, geometry_of).islands
    assert len(east.things) == len(west.things) == 2
    assert east.things.isdisjoint(west.things)
    assert set(east.things | west.things) == set(rig.links)
    (only,) = touched((east, west), [next(iter(west.things))])
    assert only is west


def test_one_slider_that_leads_two_doors_does_not_join_them() -> None:
    made = Builder("Doors")
    made.control("Open", 0, 1)
    for name in ("East", "West"):
        made.part(name, joint="hinge z")
    rig = made.rig
    for name in ("East", "West"):
        rig = gremio.formula(rig, f"{name} turn z", "Open / 2")
    assert len(compile_rig(rig, geometry_of).islands) == 2
    rig = gremio.formula(replace(rig, links={}), "East turn z", "Open / 2")
    rig = gremio.formula(rig, "West turn z", "East.turn * 2")
    assert len(compile_rig(rig, geometry_of).islands) == 1


def test_an_edit_arranges_the_rig_once(monkeypatch: pytest.MonkeyPatch) -> None:
    rig, count = doors(), 0
    real = order._arrange

    def counted(*about: object) -> order.Arrangement:
        nonlocal count
        count += 1
        return real(*about)  # type: ignore[arg-type]

    monkeypatch.setattr(order, "_arrange", counted)
    ratio = Ratio(control_id(rig, "East"), f"{part_id(rig, 'West bolt')} low stop move x", 0.1)
    changed, _ = add_link(rig, ratio)
    compile_rig(changed, geometry_of)
    compile_rig(replace(changed, name="Other", at={}), geometry_of)
    assert count <= 2
    before = count
    compile_rig(replace(changed, name="Third"), geometry_of)
    assert count == before
