"""Building a rig from a script: what is typed, and what is refused."""

from __future__ import annotations

import math

import pytest

import gremio
from gremio.core.edit.builder import placed
from gremio.core.problem import GremioError
from gremio.core.rig.find import control_id, part_id
from gremio.core.typed import QuantityError


def test_a_screw_is_written_with_its_lead() -> None:
    build = gremio.Builder("Screw")
    build.part("Spindle", joint="screw z 4 mm")
    joint = build.rig.parts[part_id(build.rig, "Spindle")].joint
    assert (joint.kind, joint.axis, joint.lead) == ("screw", "z", pytest.approx(0.004))


@pytest.mark.parametrize("joint", ["hinge w", "screw z", "bolt x", "", "slide x y"])
def test_a_joint_that_can_not_be_is_told_with_those_that_can(joint: str) -> None:
    with pytest.raises(GremioError, match="Write one of fixed, hinge, spin, slide"):
        gremio.Builder("Odd").part("Lever", joint=joint)


def test_one_pair_of_stops_needs_one_channel() -> None:
    with pytest.raises(GremioError, match="one pair of stops does not fit it"):
        gremio.Builder("Odd").part("Buoy", joint="free", stops=(0, 1))


def test_stops_are_read_in_the_kind_of_the_channel() -> None:
    build = gremio.Builder("Stops")
    with pytest.raises(QuantityError, match="A stop of Gate"):
        build.part("Gate", joint="hinge z", stops=("0 deg", "2 m"))


def test_places_and_turns_are_three_numbers_with_units() -> None:
    frame = placed(("250 mm", "=1/4", 2), (0, 0, "0.25 turn"))
    assert frame.at == pytest.approx((0.25, 0.25, 2.0))
    assert frame.turn == pytest.approx((math.sqrt(0.5), 0, 0, math.sqrt(0.5)))
    with pytest.raises(GremioError, match="needs three numbers, not 2"):
        placed((1, 2))


def test_controls_are_put_in_groups_and_keep_their_notches() -> None:
    build = gremio.Builder("Desk")
    build.control("Sluice", "0 turn", "9 turn", unit="turn", notches=("3 turn", "6 turn"))
    build.control("Lamp", 0, 1, kind="number")
    build.group("Lock", "Sluice", "Lamp")
    sluice, lamp = (build.rig.controls[control_id(build.rig, n)] for n in ("Sluice", "Lamp"))
    assert sluice.group == lamp.group == "Lock"
    assert sluice.notches == pytest.approx((6 * math.pi, 12 * math.pi))


def test_a_cam_is_written_as_a_table_of_its_stations() -> None:
    build = gremio.Builder("Door")
    build.part("Latch", joint="slide x")
    build.part("Door", joint="hinge z")
    build.control("Open", 0, 1, kind="number")
    build.cam(
        "Open",
        {
            0.0: {"Latch": 0, "Door": 0},
            0.3: {"Latch": "20 mm", "Door": 0},
            1.0: {"Door": "90 deg"},
        },
        "cycloidal",
    )
    half = gremio.solve(build.rig, {"Open": 0.15})
    assert half.value("Latch") == pytest.approx(0.01) and half.value("Door") == 0.0
    open_ = gremio.solve(build.rig, {"Open": 1.0})
    assert open_.value("Latch") == pytest.approx(0.02)
    assert open_.value("Door") == pytest.approx(math.pi / 2)


def test_a_planetary_set_is_written_by_names() -> None:
    build = gremio.Builder("Winch")
    for name in ("Sun", "Ring", "Arm"):
        build.part(name, joint="spin z")
    build.planetary("Sun", "Ring", "Arm", 3.0)
    assert gremio.solve(build.rig, {"Sun": 4.0, "Ring": 0.0}).value("Arm") == pytest.approx(1.0)


def test_the_scripting_face_names_what_it_does_not_have() -> None:
    with pytest.raises(AttributeError, match="gremio has no 'sovle'"):
        _ = gremio.sovle
