"""Controls of every kind, their scales, order, poses and lock, as edits."""

from __future__ import annotations

import math

import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.controls import change_control, remove_control
from gremio.core.edit.desk import (
    blended,
    groups_of,
    keep_pose,
    make_into,
    place_control,
    remove_pose,
    rename_pose,
)
from gremio.core.edit.parts import remove_part
from gremio.core.files.rig_file import decode, encode
from gremio.core.problem import GremioError, NotFound
from gremio.core.rig.model import Control, Face, Rig
from gremio.core.rig.scales import (
    decimals_read,
    meant,
    position_at,
    reads,
    share_of,
    shown,
    snapped,
)


@pytest.fixture
def quay() -> Rig:
    build = gremio.Builder("Quay")
    build.part("Jib", joint="hinge z")
    build.control("Slew", "-90 deg", "90 deg", group="Crane")
    build.control("Hoist", 0.2, 0.9, kind="number", group="Crane", scale=(0, 100))
    build.control("Lamp", 0.0, 1.0, kind="number", group="Light", notches=[0.0, 0.5, 1.0],
                  positions=["Off", "Dim", "Bright"], make="switch")  # fmt: skip
    build.ratio("Slew", "Jib", 1)
    return build.rig


def test_the_animator_reads_other_numbers_than_the_machine(quay: Rig) -> None:
    hoist = quay.controls["c3"]
    assert reads(hoist, 0.2) == 0 and reads(hoist, 0.9) == pytest.approx(100)
    assert meant(hoist, 50) == pytest.approx(0.55)
    assert shown(hoist, 0.55) == "50" and shown(hoist, 0.2) == "0"
    turned = replace(hoist, scale=(100.0, 0.0))
    assert reads(turned, 0.2) == 100 and meant(turned, 25) == pytest.approx(0.725)
    plain = quay.controls["c2"]
    assert reads(plain, 1.0) == meant(plain, 1.0) == 1.0
    assert shown(plain, math.radians(45)) == "45°"
    with pytest.raises(GremioError, match="must be two different ones"):
        change_control(quay, "c3", replace(hoist, scale=(5.0, 5.0)))


def test_a_switch_stands_on_its_positions(quay: Rig) -> None:
    lamp = quay.controls["c4"]
    assert position_at(lamp, 0.5) == "Dim" == shown(lamp, 0.5)
    assert snapped(lamp, 0.7) == 0.5 and snapped(lamp, 0.8) == 1.0
    slider = replace(lamp, make="slider")
    assert snapped(slider, 0.7) == 0.7 and snapped(slider, 0.52, within=0.05) == 0.5
    fewer = change_control(quay, "c4", replace(lamp, notches=(), positions=("Off",)))
    assert fewer.controls["c4"].notches == (0.0, 1.0)
    assert fewer.controls["c4"].positions == ("Off", "1")


def test_a_pad_has_a_second_axis_that_goes_with_it(quay: Rig) -> None:
    pad = make_into(quay, "c2", "pad")
    second = pad.controls["c2"].across
    assert pad.controls[second].name == "Slew, across"
    assert second not in [c for group in groups_of(pad).values() for c in group]
    assert second not in remove_control(pad, "c2").controls
    alone = remove_control(pad, second)
    assert alone.controls["c2"].make == "slider" and alone.controls["c2"].across == ""
    assert gremio.solve(pad, {"Slew, across": "10 deg"}).control("Slew, across") > 0
    assert make_into(quay, "c2", "lever").controls["c2"].make == "lever"


def test_controls_are_put_in_another_order_and_group(quay: Rig) -> None:
    assert groups_of(quay) == {"Crane": ["c2", "c3"], "Light": ["c4"]}
    moved = place_control(quay, "c4", "c2", "Crane")
    assert groups_of(moved) == {"Crane": ["c4", "c2", "c3"]}
    assert list(place_control(quay, "c2", None, "Light").controls) == ["c3", "c4", "c2"]
    assert place_control(quay, "c2", "c3", "Crane") is quay


def test_poses_are_kept_returned_to_and_blended(quay: Rig) -> None:
    rig = gremio.keep(quay, "Stowed")
    there = replace(rig, at={"c2": 1.0, "c3": 0.9})
    there = gremio.keep(there, "Over the boat")
    assert [pose.name for pose in there.poses.values()] == ["Stowed", "Over the boat"]
    home = gremio.to_pose(there, "Stowed")
    assert gremio.solve(home).value("Jib") == 0.0
    half = gremio.to_pose(home, "Over the boat", 0.5)
    assert gremio.solve(half).value("Jib") == pytest.approx(0.5)
    assert blended(home, {"c2": 0.0, "c3": 0.2}, next(iter(there.poses)), 1.0)["c3"] == 0.2
    with pytest.raises(NotFound, match="Kept are: 'Stowed', 'Over the boat'"):
        gremio.to_pose(there, "Nowhere")
    again = gremio.keep(there, "Stowed")
    assert len(again.poses) == 2 and gremio.solve(gremio.to_pose(again, "Stowed")).value("Jib") == 1
    assert decode(encode(there)) == there


def test_poses_are_renamed_and_forgotten(quay: Rig) -> None:
    rig, one = keep_pose(quay, "One", {"c2": 1.0, "c77": 3.0})
    assert rig.poses[one].values == {"c2": 1.0}
    rig, two = keep_pose(rig, "Two", {})
    with pytest.raises(GremioError, match="'Two' is already the name"):
        rename_pose(rig, one, "Two")
    with pytest.raises(GremioError, match="at least one letter"):
        rename_pose(rig, one, " ")
    assert rename_pose(rig, one, "Three").poses[one].name == "Three"
    assert list(remove_pose(rig, two).poses) == [one]
    assert remove_control(rig, "c2").poses[one].values == {}


def test_a_face_goes_with_the_part_that_carries_it(quay: Rig) -> None:
    faced = change_control(quay, "c2", replace(quay.controls["c2"], face=Face(on="p1")))
    assert remove_part(faced, "p1").controls["c2"].face is None
    assert decode(encode(faced)) == faced


def test_share_of_a_control_without_a_range() -> None:
    assert share_of(Control("x", "number", "", 1.0, 1.0), 1.0) == 0.0


def test_only_a_lever_springs_home(quay: Rig) -> None:
    lever = make_into(quay, "c2", "lever")
    lever = change_control(lever, "c2", replace(lever.controls["c2"], springs=True))
    assert make_into(lever, "c2", "lever").controls["c2"].springs
    assert not make_into(lever, "c2", "slider").controls["c2"].springs


@pytest.mark.parametrize(
    ("scale", "decimals"),
    [((0.0, 1.0), 2), ((0.0, 100.0), 0), ((0.0, 10.0), 1), ((5.0, 5.001), 5), ((0, 1e-9), 6),
     ((1000.0, 0.0), 0)],
)  # fmt: skip
def test_a_scale_is_read_to_a_hundredth_of_it(scale: tuple[float, float], decimals: int) -> None:
    control = Control("A", "number", "", 0.0, 1.0, scale=scale)
    assert decimals_read(control) == decimals
