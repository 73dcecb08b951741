"""Pieces kept as kits, and put into other rigs."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest
from msgspec.structs import replace

import gremio
from gremio.core.files.sources import model_shelf
from gremio.core.frames import Frame
from gremio.core.make.kit_in import kit_in, with_sizes
from gremio.core.make.kit_of import Made, kit_of
from gremio.core.problem import GremioError
from gremio.core.rig.channels import key
from gremio.core.rig.find import channel_key, control_id, part_id
from gremio.core.rig.ids import NOTHING
from gremio.core.rig.model import Rig
from gremio.core.rig.solids import AnySolid, Box, Cylinder
from gremio.core.shape.geometry import Geometry


def surfaces(rig: Rig) -> Callable[[AnySolid], Geometry]:
    shelf = model_shelf()
    return lambda solid: shelf.surface(rig, solid)


def keep(rig: Rig, *parts: str, dimensions: tuple[str, ...] = ()) -> Made:
    ids = [part_id(rig, name) for name in parts]
    asked = [channel_key(rig, name) for name in dimensions]
    return kit_of(rig, ids, dimensions=asked, geometry=surfaces(rig))


def hatch() -> Rig:
    """A hatch in a coaming that also carries a winch, propped by a strut, opened by a lever that
    also raises a flag."""
    b = gremio.Builder("Foredeck")
    b.part("Coaming", gremio.shape(Box(2, 2, 0.2)), at=(3, 1, 0.4), turned=("0", "0", "30 deg"))
    b.part("Hatch", gremio.shape(Box(1, 1, 0.05), at=(0.5, 0, 0)), on="Coaming", at=(-0.5, 0, 0.1),
           joint="hinge y", stops=("-80 deg", "0 deg"))  # fmt: skip
    b.part("Ring", gremio.shape(Cylinder(0.02, 0.2)), on="Hatch", at=(0.9, 0, 0.05),
           joint="hinge y")  # fmt: skip
    b.part("Flag", on="Coaming", at=(0, 1, 0), joint="slide z")
    b.control("Lever", "0 deg", "40 deg", unit="deg")
    b.control("Ring up", "0 deg", "90 deg")
    b.ratio("Lever", "Hatch", -2)
    b.ratio("Ring up", "Ring", -1)
    rig = gremio.formula(b.rig, "Flag", "Lever * 1 m / 1 rad")
    return gremio.strut(rig, "Coaming", "Hatch", (1.0, 0.6, 0.0), (0.5, 0.6, 0.0))


def deck() -> Rig:
    """Where it is put."""
    b = gremio.Builder("Barge")
    b.part("Hull", gremio.shape(Box(10, 3, 1)), at=(0, 0, 2), turned=("0", "10 deg", "-40 deg"))
    b.part("Bulwark", gremio.shape(Box(10, 0.1, 1)), at=(0, 2, 2))
    b.part("Crank", gremio.shape(Cylinder(0.1, 0.3)), joint="spin z")
    b.control("Wheel", "-1 turn", "1 turn", unit="turn")
    b.control("Way", "0 m", "1 m", kind="length")
    return b.rig


def at_angles(rig: Rig, parts: list[str], reference: str, lead: str, values: list[float]
              ) -> list[np.ndarray]:  # fmt: skip
    """World frames of parts at values of a lead, seen from where another one is at home."""
    found = []
    inverse = np.linalg.inv(gremio.solve(rig).part(reference).world)
    for value in values:
        pose = gremio.solve(rig, {lead: value})
        found.append(np.array([inverse @ pose.part(name).world for name in parts]))
    return found


def test_a_kit_stands_for_itself_with_stand_ins_for_what_stays_behind() -> None:
    kit, told = keep(hatch(), "Hatch")
    names = {part.name for part in kit.parts.values()}
    assert {"Hatch", "Ring", "Strut, rod"} <= names and not {"Flag", "Coaming"} & names
    assert {control.name for control in kit.controls.values()} == {"Lever", "Ring up"}
    assert kit.kit is not None
    assert [socket.asks for socket in kit.kit.sockets] == [
        "what Hatch stands on", "what leads it in place of Lever",
    ]  # fmt: skip
    assert told == ()
    np.testing.assert_allclose(gremio.solve(kit).part("Hatch").world[:3, 3], 0, atol=1e-12)
    values = [0.0, 0.3, 0.6]
    parts = ["Hatch", "Ring", "Strut, barrel", "Strut, rod"]
    for one, two in zip(at_angles(hatch(), parts, "Hatch", "Lever", values),
                        at_angles(kit, parts, "Hatch", "Lever", values), strict=True):  # fmt: skip
        np.testing.assert_allclose(one, two, atol=1e-9)


def test_a_strut_that_pushes_at_it_goes_along() -> None:
    kit, _ = keep(hatch(), "Hatch")
    assert len(kit.struts) == 1 and len(kit.closures) == 1
    for lever in (0.1, 0.5):
        pose = gremio.solve(kit, {"Lever": lever})
        assert not [note for note in pose.notes if note.severity == "error"]


@pytest.mark.parametrize("at", [(0.0, 0.0, 0.0), (2.0, -0.4, 0.5)])
def test_put_on_another_part_it_moves_as_it_did(at: tuple[float, float, float]) -> None:
    kit, _ = keep(hatch(), "Hatch")
    rig = deck()
    made = kit_in(rig, kit, on=part_id(rig, "Hull"), at=Frame(at), geometry=surfaces(rig))
    for one, two in zip(at_angles(hatch(), ["Ring", "Strut, rod"], "Hatch", "Lever", [0.0, 0.4]),
                        at_angles(made.rig, ["Ring", "Strut, rod"], "Hatch", "Lever", [0.0, 0.4]),
                        strict=True):  # fmt: skip
        np.testing.assert_allclose(one, two, atol=1e-9)
    pose = gremio.solve(made.rig)
    hull = pose.part("Hull").world
    np.testing.assert_allclose(pose.part("Hatch").world[:3, 3], (hull @ [*at, 1.0])[:3], atol=1e-9)


def test_another_channel_leads_in_place_of_its_control() -> None:
    kit, _ = keep(hatch(), "Hatch")
    rig = deck()
    answers = {control_id(kit, "Lever"): channel_key(rig, "Crank")}
    made = kit_in(rig, kit, answers=answers, geometry=surfaces(rig))
    assert {c.name for c in made.rig.controls.values()} == {"Wheel", "Way", "Ring up"}
    pose = gremio.solve(made.rig, {"Crank": 0.25})
    assert pose.value("Hatch", "turn y") == pytest.approx(-0.5)


def test_a_lead_of_another_kind_is_refused_in_words() -> None:
    kit, _ = keep(hatch(), "Hatch")
    rig = deck()
    answers = {control_id(kit, "Lever"): channel_key(rig, "Way")}
    with pytest.raises(
        GremioError, match="Way is a length, and what leads in place of Lever is an"
    ):
        kit_in(rig, kit, answers=answers, geometry=surfaces(rig))


def test_a_second_stand_in_may_stand_on_another_part() -> None:
    b = gremio.Builder("Rudder")
    b.rig = hatch()
    b.part("Mast", gremio.shape(Cylinder(0.2, 3)), at=(0, 0, 0))
    rig = gremio.strand(b.rig, "rope", ("Hatch", (0.9, 0, 0)), ("Mast", (0, 0, 3)))
    kit, _ = keep(rig, "Hatch")
    assert kit.kit is not None
    (mast,) = [s.thing for s in kit.kit.sockets if "Mast" in s.asks]
    there = deck()
    made = kit_in(there, kit, on=part_id(there, "Hull"), answers={mast: part_id(there, "Bulwark")},
                  geometry=surfaces(there))  # fmt: skip
    assert made.rig.parts[part_id(made.rig, "Mast")].parent == part_id(there, "Bulwark")
    # Its one point stands where it stood from the hatch on: the head of the mast, 3 m up.
    (one,) = at_angles(rig, ["Mast"], "Coaming", "Lever", [0.0])
    (two,) = at_angles(made.rig, ["Mast"], "Hatch", "Lever", [0.0])
    (hatch_home,) = at_angles(rig, ["Hatch"], "Coaming", "Lever", [0.0])
    head = np.linalg.inv(hatch_home[0]) @ one[0] @ [0, 0, 3, 1]
    np.testing.assert_allclose(two[0][:, 3], head, atol=1e-9)
    # Or where it is put.
    places = {mast: Frame((1.0, 0.0, 0.5))}
    made = kit_in(there, kit, on=part_id(there, "Hull"), answers={mast: part_id(there, "Bulwark")},
                  places=places, geometry=surfaces(there))  # fmt: skip
    assert made.rig.parts[part_id(made.rig, "Mast")].mount == Frame((1.0, 0.0, 0.5))


def door() -> Rig:
    """A door of any width: its leaf grows from the hinge, its bolt goes along."""
    b = gremio.Builder("Door")
    b.part("Hinge", joint="hinge z", stops=("0 deg", "110 deg"))
    b.part("Leaf", gremio.shape(Box(0.9, 0.04, 2)), on="Hinge", joint="slide x")
    b.part("Bolt", gremio.shape(Cylinder(0.03, 0.2)), on="Leaf", joint="slide x",
           stops=("0 mm", "40 mm"))  # fmt: skip
    b.control("Width", "0.5 m", "2 m", kind="length", home="0.9 m")
    b.control("Open", "0 deg", "110 deg")
    b.ratio("Open", "Hinge", 1)
    rig = gremio.formula(b.rig, "Leaf length", "Width")
    rig = gremio.formula(rig, "Leaf move x", "Width / 2")
    return gremio.formula(rig, "Bolt", "Open * Width / 40 rad")


@pytest.mark.parametrize("width", [0.6, 0.9, 1.85])
def test_a_dimension_is_a_number_once_it_is_answered(width: float) -> None:
    kit, _ = keep(door(), "Hinge", dimensions=("Width",))
    made = with_sizes(kit, {channel_key(kit, "Width"): width}, geometry=surfaces(kit))
    assert [c.name for c in made.controls.values()] == ["Open"]
    leaf = made.parts[part_id(made, "Leaf")]
    solid = leaf.shapes[0].solid
    assert isinstance(solid, Box) and solid.length == pytest.approx(width)
    assert leaf.joint.kind == "fixed"
    one = gremio.solve(made, {"Open": 0.7})
    two = gremio.solve(door(), {"Open": 0.7, "Width": width})
    for name in ("Hinge", "Leaf", "Bolt"):
        np.testing.assert_allclose(one.part(name).world, two.part(name).world, atol=1e-12)


def test_dimensions_have_their_range_and_are_asked_by_name() -> None:
    kit, _ = keep(door(), "Hinge", dimensions=("Width",))
    with pytest.raises(GremioError, match=r"Width of Hinge goes from 0\.5 m to 2 m, not to 3 m"):
        with_sizes(kit, {channel_key(kit, "Width"): 3.0}, geometry=surfaces(kit))
    with pytest.raises(GremioError, match="is no dimension of Hinge"):
        with_sizes(kit, {channel_key(kit, "Open"): 0.2}, geometry=surfaces(kit))
    bare, _ = keep(door(), "Leaf")
    assert bare.kit is not None and bare.kit.sockets[0].thing == NOTHING


def test_a_number_that_a_dimension_and_a_motion_lead_is_refused() -> None:
    b = gremio.Builder("Ladder")
    b.part("Stile", gremio.shape(Box(0.05, 0.05, 2)))
    b.part("Rung", gremio.shape(Box(0.4, 0.04, 0.04)), on="Stile", joint="slide z")
    b.control("Height", "1 m", "3 m", home="2 m")
    b.control("Lift", "0 m", "0.5 m")
    b.ratio("Height", "Rung", 0.5)
    b.ratio("Lift", "Rung", 1, adds=True)
    kit, _ = keep(b.rig, "Stile", dimensions=("Height",))
    with pytest.raises(GremioError, match=r"Rung move z of .* is led by a dimension and by"):
        with_sizes(kit, {}, geometry=surfaces(kit))


def test_what_can_not_come_along_is_told() -> None:
    rig = hatch()
    b = gremio.Builder("x")
    b.rig = rig
    b.part("Vane", joint="spin z")
    rig = gremio.formula(b.rig, "Vane", "Ring.turn * 2")
    _, told = keep(rig, "Hatch")
    assert any("Vane" in text for text in told)


def test_what_another_part_carries_stands_on_a_stand_in_of_its_own() -> None:
    b = gremio.Builder("Winch")
    b.part("Post", gremio.shape(Box(0.2, 0.2, 2)), at=(0, 0, 1))
    b.part("Wall", gremio.shape(Box(0.2, 4, 2)), at=(2, 0, 1))
    b.part("Drum", gremio.shape(Cylinder(0.3, 0.5)), on="Post", joint="spin y")
    b.part("Sheave", gremio.shape(Cylinder(0.2, 0.1)), on="Wall", joint="spin y")
    b.ratio("Drum", "Sheave", 1.5)
    kit, _ = keep(b.rig, "Drum", "Sheave")
    assert kit.kit is not None
    assert [s.asks for s in kit.kit.sockets] == ["what Drum stands on", "the part in place of Wall"]
    np.testing.assert_allclose(gremio.solve(kit).part("Sheave").world[:3, 3], (2, 0, 0), atol=1e-12)


def test_two_of_one_kit_have_names_and_controls_of_their_own() -> None:
    kit, _ = keep(door(), "Hinge", dimensions=("Width",))
    sized = with_sizes(kit, {}, geometry=surfaces(kit))
    rig = deck()
    one = kit_in(rig, sized, at=Frame((1.0, 0.0, 0.0)), geometry=surfaces(rig))
    two = kit_in(one.rig, sized, at=Frame((3.0, 0.0, 0.0)), geometry=surfaces(rig))
    pose = gremio.solve(two.rig, {"Open": 0.5, "Open 2": 0.9})
    assert pose.value("Hinge", "turn z") == pytest.approx(0.5)
    assert pose.value("Hinge 2", "turn z") == pytest.approx(0.9)
    assert not math.isclose(*(pose.part(n).world[0, 3] for n in ("Leaf", "Leaf 2")))


def test_a_kit_of_a_kit_is_one() -> None:
    kit, _ = keep(hatch(), "Hatch")
    again, _ = keep(replace(kit, kit=None), "Hatch")
    assert again.kit is not None and len(again.kit.sockets) == 1
    pose = gremio.solve(again, {"Lever": 0.2})
    assert pose.value("Hatch", "turn y") == pytest.approx(-0.4)
    assert key(control_id(again, "Lever"))
