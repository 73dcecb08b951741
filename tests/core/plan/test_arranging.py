"""Islands, that the same links are put in order once, and that an edit arranges no more than the
islands that it touched."""

from __future__ import annotations

import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.builder import Builder
from gremio.core.edit.links import add_link
from gremio.core.frames import Frame
from gremio.core.plan import arranging
from gremio.core.plan.arrangement import Arrangement
from gremio.core.plan.islands import by_thing, touched_islands
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.model import Ratio, Rig
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig


def doors() -> Rig:
    made = Builder("Doors")
    for name in ("East", "West"):
        made.part(f"{name} door", joint="hinge z")
        made.part(f"{name} bolt", on=f"{name} door", joint="slide x")
        made.control(name, 0, 1, kind="angle")
        made.ratio(name, f"{name} door turn z", 1)
        made.ratio(f"{name} door turn z", f"{name} bolt move x", 0.1)
    return made.rig


@pytest.fixture
def arranged(monkeypatch: pytest.MonkeyPatch) -> list[Rig]:
    """The rigs that were arranged while a test runs."""
    found: list[Rig] = []
    real = arranging.arranged_whole

    def counted(rig: Rig) -> Arrangement:
        found.append(rig)
        return real(rig)

    monkeypatch.setattr(arranging, "arranged_whole", counted)
    return found


def test_what_has_nothing_in_common_is_two_islands() -> None:
    rig = doors()
    east, west = compile_rig(rig, geometry_of).islands
    assert len(east.things) == len(west.things) == 2
    assert east.things.isdisjoint(west.things)
    assert set(east.things | west.things) == set(rig.links)
    following = by_thing(rig, (east, west))
    for thing in (next(iter(west.things)), part_id(rig, "West bolt"), control_id(rig, "West")):
        (only,) = touched_islands(following, [thing])
        assert only is west


def test_one_slider_that_leads_two_doors_does_not_join_them() -> None:
    made = Builder("Doors")
    made.control("Open", 0, 1, kind="angle")
    for name in ("East", "West"):
        made.part(name, joint="hinge z")
    rig = made.rig
    for name in ("East", "West"):
        rig = gremio.formula(rig, f"{name} turn z", "Open / 2")
    assert len(compile_rig(rig, geometry_of).islands) == 2
    rig = gremio.formula(replace(rig, links={}), "East turn z", "Open / 2")
    rig = gremio.formula(rig, "West turn z", "East.turn * 2")
    assert len(compile_rig(rig, geometry_of).islands) == 1


def test_an_edit_arranges_the_island_that_it_touched_and_that_once(arranged: list[Rig]) -> None:
    rig = doors()
    compile_rig(rig, geometry_of)
    arranged.clear()
    ratio = Ratio(control_id(rig, "East"), f"{part_id(rig, 'West bolt')} low stop move x", 0.1)
    changed, _ = add_link(rig, ratio)
    compile_rig(changed, geometry_of)
    # What is led from the east holds a bolt in the west: both doors are one island now.
    assert max(len(part.links) for part in arranged) == 5
    count = len(arranged)
    compile_rig(replace(changed, name="Other", at={}), geometry_of)
    compile_rig(replace(changed, name="Third"), geometry_of)
    assert len(arranged) == count


def test_what_is_renamed_or_put_elsewhere_arranges_nothing(arranged: list[Rig]) -> None:
    rig = doors()
    program = compile_rig(rig, geometry_of)
    arranged.clear()
    east = part_id(rig, "East door")
    for part in (
        replace(rig.parts[east], name="Leaf"),
        replace(rig.parts[east], mount=Frame((1.0, 2.0, 3.0))),
    ):
        changed = replace(rig, parts={**rig.parts, east: part})
        again = compile_rig(changed, geometry_of, program)
        assert not arranged
        assert again.arrangement is program.arrangement
        assert again.drives is program.drives
    joint = replace(rig.parts[east].joint, freed=("move x",))
    changed = replace(rig, parts={**rig.parts, east: replace(rig.parts[east], joint=joint)})
    compile_rig(changed, geometry_of, program)
    (only,) = arranged
    assert set(only.links) == {
        i for i, link in rig.links.items() if east in link.follower + link.lead
    }
