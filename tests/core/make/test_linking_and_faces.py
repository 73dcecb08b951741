"""Links that leave things where they stand, and faces as parts in exports."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.controls import change_control
from gremio.core.edit.links import add_link
from gremio.core.make.faces import with_faces
from gremio.core.make.linking import set_where_follower_stands
from gremio.core.rig.cams import cam_through
from gremio.core.rig.model import ControlMake, Face, Ratio, Rig
from gremio.core.shape.solids import geometry_of


@pytest.fixture
def hatch() -> Rig:
    build = gremio.Builder("Hatch")
    build.part("Hatch", joint="hinge y", stops=("0 deg", "90 deg"))
    build.control("Open", 0, 1, kind="number")
    return build.rig


def test_through_a_ratio_and_a_cam_the_control_goes_to_its_follower(hatch: Rig) -> None:
    channel, lead = "p1 turn y", "c2"
    for link in (
        Ratio(lead, channel, 1.5),
        Ratio(lead, channel, -1.0, 1.2),
        cam_through(lead, channel, [(0, 0.0), (0.4, 0.3), (1, 1.4)]),
    ):
        rig, _ = add_link(hatch, link)
        rig = set_where_follower_stands(rig, channel, 0.7, geometry=geometry_of)
        assert gremio.solve(rig).value("Hatch") == pytest.approx(0.7)


def test_what_a_link_can_not_reach_comes_as_near_as_it_can(hatch: Rig) -> None:
    rig, _ = add_link(hatch, Ratio("c2", "p1 turn y", 0.5))
    rig = set_where_follower_stands(rig, "p1 turn y", 1.2, geometry=geometry_of)
    assert gremio.solve(rig).control("Open") == pytest.approx(1.0)
    rig, _ = add_link(hatch, Ratio("c2", "p1 turn y", 0.0))
    assert set_where_follower_stands(rig, "p1 turn y", 1.2, geometry=geometry_of) is rig
    assert set_where_follower_stands(rig, "p9 turn y", 1.2, geometry=geometry_of) is rig


def faced(hatch: Rig, make: ControlMake, **fields: object) -> Rig:
    face = Face(on=None, at=(1.0, 0, 1.0), size=0.5, exported=True)
    entry = replace(hatch.controls["c2"], make=make, face=face, **fields)
    return with_faces(change_control(hatch, "c2", entry))


@pytest.mark.parametrize("make", ["slider", "switch", "pad"])
def test_a_knob_slides_across_its_slot(hatch: Rig, make: ControlMake) -> None:
    rig = faced(hatch, make)
    ends = [gremio.solve(rig, {"Open": v}).part("Open, knob").world[:3, 3] for v in (0, 0.5, 1)]
    assert ends[1] == pytest.approx([1.0, 0, 1.0])
    assert ends[2] - ends[0] == pytest.approx([0.5, 0, 0])


@pytest.mark.parametrize(("make", "far"), [("dial", 300.0), ("lever", 100.0)])
def test_a_pointer_turns_over_its_scale(hatch: Rig, make: ControlMake, far: float) -> None:
    rig = faced(hatch, make)
    ends = [gremio.solve(rig, {"Open": v}).value("Open, knob") for v in (0, 0.5, 1)]
    assert ends[1] == pytest.approx(0.0)
    assert ends[2] - ends[0] == pytest.approx(math.radians(far))


def test_a_dial_of_turns_goes_round_with_its_value(hatch: Rig) -> None:
    entry = replace(hatch.controls["c2"], kind="angle", unit="turn", high=6 * math.pi, make="dial",
                    face=Face(exported=True))  # fmt: skip
    rig = with_faces(change_control(hatch, "c2", entry))
    assert gremio.solve(rig, {"Open": "2 turn"}).value("Open, knob") == pytest.approx(4 * math.pi)


def test_only_faces_that_are_asked_for_become_parts(hatch: Rig) -> None:
    plain = change_control(hatch, "c2", replace(hatch.controls["c2"], face=Face()))
    assert with_faces(plain) is plain and with_faces(hatch) is hatch
    hidden = change_control(
        hatch, "c2", replace(hatch.controls["c2"], face=Face(exported=True, hidden=True))
    )
    assert with_faces(hidden) is hidden


def test_a_face_rides_on_its_carrier(hatch: Rig) -> None:
    face = Face(on="p1", at=(1.0, 0, 0), exported=True)
    rig = with_faces(change_control(hatch, "c2", replace(hatch.controls["c2"], face=face)))
    moved = replace(rig, at={"p1 turn y": 0.6})
    there = gremio.solve(moved).part("Open, face").world[:3, 3]
    assert there == pytest.approx([math.cos(0.6), 0, -math.sin(0.6)])
    assert np.isfinite(there).all()
