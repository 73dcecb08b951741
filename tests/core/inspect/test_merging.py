"""What is otherwise in another rig, taken over one by one."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
import trimesh
from msgspec.structs import replace
from tests.core.inspect.test_comparing import built

import gremio
from gremio.core.edit.controls import set_values
from gremio.core.edit.parts import rename_part, set_stops
from gremio.core.files.sources import model_shelf
from gremio.core.inspect.comparing import Difference, compare
from gremio.core.inspect.merging import Merged, same_things, taken_over
from gremio.core.rig.channels import key
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.model import Rig, Stops
from gremio.core.rig.solids import Box, Cylinder


def merge(rig: Rig, other: Rig, wanted: str = "") -> Merged:
    """All that is otherwise taken over; or only the lines that hold some words."""
    found = [one for one in compare(rig, other) if wanted in one.text]
    assert found
    ids = same_things(rig, other, compare(rig, other))
    return taken_over(rig, other, found, ids, geometry=gremio.solve(rig).program.geometry)


def changed(order: str) -> Rig:
    """A later state of the gate, by somebody who made it in another order."""
    rig = built(order)
    rig = set_stops(rig, part_id(rig, "Gate"), "turn z", Stops(0.0, math.radians(75)))
    rig = gremio.set_range(rig, "Open", 0.0, math.radians(72.5))
    rig = rename_part(rig, part_id(rig, "Post"), "Quoin post")
    b = gremio.Builder("Gate")
    b.rig = rig
    b.part("Handle", gremio.shape(Cylinder(0.02, 0.3)), on="Gate", at=(1, 0, 0), joint="hinge y")
    b.control("Handle up", "0 deg", "40 deg")
    b.ratio("Handle up", "Handle", 2)
    rig = set_values(b.rig, {key(control_id(b.rig, "Open")): 0.3})
    return replace(rig, name="Gate, later")


@pytest.mark.parametrize("order", ["gate first", "bolt first"])
def test_all_taken_over_is_the_other_rig(order: str) -> None:
    merged = merge(built(), changed(order))
    assert [one.text for one in compare(merged.rig, changed(order))] == []
    one, two = gremio.solve(merged.rig), gremio.solve(changed(order))
    for name in ("Gate", "Handle", "Bolt"):
        np.testing.assert_allclose(one.part(name).world, two.part(name).world, atol=1e-12)


@pytest.mark.parametrize("order", ["gate first", "bolt first"])
def test_one_line_is_taken_and_the_others_are_left(order: str) -> None:
    before = compare(built(), changed(order))
    for line in before:
        merged = merge(built(), changed(order), line.text)
        left = {one.text for one in compare(merged.rig, changed(order))}
        assert line.text not in left
        if not merged.told and line.how != "renamed":
            assert left == {one.text for one in before} - {line.text}


def test_what_a_new_thing_refers_to_goes_along_and_that_is_told() -> None:
    merged = merge(built(), changed("bolt first"), "link to Handle")
    assert "Handle" in [part.name for part in merged.rig.parts.values()]
    assert set(merged.told) >= {
        "Handle goes along: what was taken refers to it.",
        "Handle up goes along: what was taken refers to it.",
    }
    assert gremio.solve(merged.rig, {"Handle up": "10 deg"}).value(
        "Handle", "turn y"
    ) == pytest.approx(math.radians(20))


def test_a_part_that_is_gone_goes_with_what_it_carries() -> None:
    later = changed("gate first")
    merged = merge(later, built(), "part Handle is gone")
    assert "Handle" not in [part.name for part in merged.rig.parts.values()]
    assert not any("Handle" in link.text for link in compare(merged.rig, built())
                   if link.how == "new")  # fmt: skip


def test_a_solid_of_another_kind_is_taken_as_a_whole() -> None:
    one, two = built(), built()
    part = part_id(two, "Gate")
    shape = replace(two.parts[part].shapes[0], solid=Cylinder(0.3, 2.0))
    two = replace(two, parts={**two.parts, part: replace(two.parts[part], shapes=(shape,))})
    found = compare(one, two)
    ids = same_things(one, two, found)
    geometry = gremio.solve(one).program.geometry
    merged = taken_over(one, two, found[:1], ids, geometry=geometry)
    assert merged.rig.parts[part].shapes[0].solid == Cylinder(0.3, 2.0)


def test_what_is_gone_since_is_left_and_told() -> None:
    other = built()
    other = set_stops(other, part_id(other, "Gate"), "turn z", Stops(0.0, 1.0))
    found: list[Difference] = compare(built(), other)
    rig = gremio.remove(built(), "Gate")
    ids = same_things(rig, other, found)
    merged = taken_over(rig, other, found, ids, geometry=gremio.solve(rig).program.geometry)
    assert merged.rig.parts == rig.parts
    assert "left, for Gate is not in this rig" in merged.told[0]
    assert Box(2, 0.1, 1) not in [s.solid for p in merged.rig.parts.values() for s in p.shapes]


@pytest.fixture
def two_balls(tmp_path: Path) -> Path:
    scene = trimesh.Scene()
    for name in ("Ball", "Bob"):
        ball = trimesh.creation.icosphere(1, 0.3 if name == "Ball" else 0.5)
        scene.add_geometry(ball, node_name=name, geom_name=name.lower())
    path = tmp_path / "balls.glb"
    path.write_bytes(scene.export(file_type="glb"))
    return path


def test_rigs_with_models_are_compared_and_what_is_other_is_taken(two_balls: Path) -> None:
    one = gremio.bring_in(gremio.Rig(), two_balls)
    other = rename_part(one, part_id(one, "Bob"), "Plumb bob")
    other = gremio.set_joint(other, "Ball", "hinge z")
    merged = merge(one, other)
    assert not compare(merged.rig, other)
    assert merged.rig.sources == one.sources, "it is the same model"


def test_a_part_of_a_model_brings_its_model_along(two_balls: Path) -> None:
    other = gremio.bring_in(gremio.Rig(), two_balls)
    for here in (gremio.Rig(), built()):
        new = [one for one in compare(here, other) if one.how == "new"]
        ids = same_things(here, other, compare(here, other))
        geometry = gremio.solve(here).program.geometry
        merged = taken_over(here, other, new, ids, geometry=geometry)
        assert [part.name for part in merged.rig.parts.values()][-2:] == ["Ball", "Bob"]
        (source,) = merged.rig.sources.values()
        assert source.path == str(two_balls)
        for name in ("Ball", "Bob"):
            solid = merged.rig.parts[part_id(merged.rig, name)].shapes[0].solid
            assert len(model_shelf().geometry(merged.rig, solid).triangles) == 80
