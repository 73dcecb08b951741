"""The first hour with one's own model: from an empty rig, with models made for it, acts counted.

An act is a click, a drag, a key, or one typed word or number. The counts are kept here so that they
do not creep up; what each machine must do is checked by its motion.
"""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication
from tests.core.make.test_cylinders import machine_file
from tests.desktop.counting import Counting, bar, box, cog, scene
from tests.desktop.hand import CTRL, SHIFT

from gremio.core.rig.find import part_id


def cupboard(folder: Path) -> Path:
    return scene(
        folder / "cupboard.glb",
        Body=box((1.0, 0.5, 1.6), (0, 0, 0.8)),
        Left_door=box((0.5, 0.03, 1.2), (-0.25, -0.27, 1.0)),
        Right_door=box((0.5, 0.03, 1.2), (0.25, -0.27, 1.0)),
        Drawer=box((0.9, 0.45, 0.3), (0, -0.05, 0.2)),
    )


def test_a_door(own: Counting, tmp_path: Path) -> None:
    own.act_bring_in(cupboard(tmp_path), faces="-y")
    own.act_row("Left door")
    own.act_choose("Joint", "Hinge")
    own.act_key(Qt.Key.Key_A, SHIFT)
    own.act_world((0.285, -0.5, 1.0))
    own.act_stops_and_control("0", "110")
    document = own.window.document
    door = part_id(document.rig, "Left door")
    assert abs(own.value("Left door")) == pytest.approx(math.radians(110))
    hinge = own.mount(door)
    axis = hinge[:3, "xyz".index(document.rig.parts[door].joint.axis)]
    assert abs(axis[2]) == pytest.approx(1.0, abs=1e-6)
    assert hinge[:2, 3] == pytest.approx([0.285, -0.5], abs=1e-6)
    print("door", own.acts)
    assert own.acts <= 82 / 3, own.acts


def test_a_bolt_in_its_housing(own: Counting, tmp_path: Path) -> None:
    file = scene(
        tmp_path / "bolt.glb",
        Housing=box((0.1, 0.06, 0.06), (0, 0, 0.03)),
        Bolt=bar(0.008, 0.16, (0.02, 0, 0.03), "x"),
    )
    own.act_bring_in(file)
    own.act_row("Bolt")
    own.act_choose("Joint", "Slide")
    own.act_stops_and_control("0", "40")
    document = own.window.document
    bolt = part_id(document.rig, "Bolt")
    assert own.value("Bolt") == pytest.approx(0.040), "a small part is typed in millimetres"
    mount = own.mount(bolt)
    axis = mount[:3, "xyz".index(document.rig.parts[bolt].joint.axis)]
    assert abs(axis[0]) == pytest.approx(1.0, abs=1e-6), "along the bar"
    print("bolt", own.acts)
    assert own.acts <= 16, own.acts


def test_a_strut_of_two_cylinders(own: Counting, tmp_path: Path) -> None:
    own.act_bring_in(machine_file(tmp_path))
    own.act_row("Arm")
    own.act_choose("Joint", "Hinge")
    own.act_key(Qt.Key.Key_A, SHIFT)
    own.act_world((0.0, 0.0, 0.73))
    own.act_field("High stop", "0")
    own.act_field("Low stop", "-20")
    own.act_row("Barrel")
    own.act_row("Rod", CTRL)
    own.act_do("Cylinder")
    own.act_row("Arm")
    own.act_key("c")
    document = own.window.document
    (control,) = document.rig.controls.values()
    own.drags_control(control.name, -120)
    arm, rod, barrel = (part_id(document.rig, n) for n in ("Arm", "Rod", "Barrel"))
    assert abs(own.value("Arm")) > math.radians(1)
    ways = [document.pose.world(part)[:3, 0] for part in (rod, barrel)]
    assert ways[0] == pytest.approx(ways[1], abs=1e-9), "in line"
    strut = next(iter(document.rig.struts.values()))
    eye = document.pose.world(arm) @ [*document.rig.closures[strut.closure].at_two, 1.0]
    assert document.pose.world(rod)[:3, 3] == pytest.approx(eye[:3], abs=1e-9), "pinned"
    print("strut", own.acts)
    assert own.acts <= 72 / 3, own.acts


def test_three_cogs(own: Counting, tmp_path: Path) -> None:
    module = 0.004
    file = scene(
        tmp_path / "cogs.glb",
        One=cog(20, module, (0, 0, 0)),
        Two=cog(32, module, (module * 26.1, 0, 0)),
        Three=cog(16, module, (module * 26.1, module * 24.1, 0)),
    )
    own.act_bring_in(file)
    own.act_row("One")
    own.act_row("Two", CTRL)
    own.act_row("Three", CTRL)
    own.act_choose("Joint", "Spin")
    for lead, follower in (("One", "Two"), ("Two", "Three")):
        own.act_row(lead)
        own.window.bench.setFocus()
        own.act_key("l")
        own.act_row(follower)
        own.act_key(Qt.Key.Key_Return)
    own.act_row("One")
    own.window.bench.setFocus()
    own.act_key("c")
    document = own.window.document
    (control,) = document.rig.controls
    document.move(control, 1.0)
    # Both mounts may look either way along the shaft: what counts is how they turn in the world.
    turned = {}
    for name in ("One", "Two", "Three"):
        part = part_id(document.rig, name)
        axis = own.mount(part)[:3, "xyz".index(document.rig.parts[part].joint.axis)]
        turned[name] = own.value(name) * round(float(axis[2]))
    assert turned["Two"] == pytest.approx(-turned["One"] * 20 / 32)
    assert turned["Three"] == pytest.approx(-turned["Two"] * 32 / 16)
    print("cogs", own.acts)
    assert own.acts <= 46 / 2, own.acts


def test_motions_in_turn(own: Counting, tmp_path: Path) -> None:
    """Two doors and a drawer from one slider, one after the other: a cam is taught."""
    own.act_bring_in(cupboard(tmp_path), faces="-y")
    for door, y in (("Left door", -0.5), ("Right door", 0.5)):
        own.act_row(door)
        own.act_choose("Joint", "Hinge")
        own.act_key(Qt.Key.Key_A, SHIFT)
        own.act_world((0.285, y, 1.0))
    own.act_row("Drawer")
    own.act_choose("Joint", "Slide")
    own.act_choose("Axis", "along x")
    document = own.window.document
    document.select("")
    own.window.bench.setFocus()
    own.act_key("c")
    (control,) = document.rig.controls
    own.act_key("t")
    own.act_key("r")
    for at, field, name, value in (
        ("30", "Left door turn z", "Left door", "-100"),
        ("60", "Right door turn z", "Right door", "100"),
        ("90", "Drawer move x", "Drawer", "0.4"),
    ):
        own.act_field("Lead value", at)
        own.act_row(name)
        own.act_field(field, value)
        own.act_key("r")
    own.act_key("t")
    document.move(control, math.radians(45))
    assert abs(own.value("Left door")) == pytest.approx(math.radians(100))
    assert 0 < abs(own.value("Right door")) < math.radians(100) and own.value("Drawer") == 0.0
    document.move(control, math.radians(90))
    assert own.value("Drawer") == pytest.approx(0.4)
    print("turn", own.acts)
    assert own.acts <= 133 / 2.5, own.acts


def test_a_lorry_with_unlike_wheels(own: Counting, tmp_path: Path) -> None:
    pieces = {"Body": box((5.0, 1.6, 1.2), (0, 0, 1.4))}
    for name, x, y, radius in (
        ("Front left", 1.8, 0.9, 0.40), ("Front right", 1.8, -0.9, 0.40),
        ("Rear left", -1.6, 0.9, 0.55), ("Rear right", -1.6, -0.9, 0.55),
    ):  # fmt: skip
        pieces[name.replace(" ", "_")] = bar(radius, 0.3, (x, y, radius), "y")
    own.act_bring_in(scene(tmp_path / "lorry.glb", **pieces))
    own.act_row("Body")
    own.acts += 3  # Ctrl K, the words, Enter
    own.window.act("gear.carriage")
    own.rest(60)
    for name in ("Front left", "Front right", "Rear left", "Rear right"):
        box_ = own.named(f"{name} is a wheel")
        if not box_.isChecked():
            own.act_click(box_)
    for name in ("Front left", "Front right"):
        own.act_click(own.named(f"{name} steers"))
    own.act_do("Make the carriage")
    document = own.window.document
    travel = next(i for i, c in document.rig.controls.items() if "travel" in c.name)
    document.move(travel, 1.0)
    assert document.pose.world(part_id(document.rig, "Body"))[0, 3] == pytest.approx(1.0, abs=1e-6)
    for name, radius in (("Front left", 0.40), ("Rear left", 0.55)):
        assert own.value(name, "turn y") == pytest.approx(1.0 / radius, rel=2e-3)
    print("lorry", own.acts)
    assert own.acts <= 58 / 3, own.acts


def test_a_second_door_is_a_copy_that_leads_itself(own: Counting, tmp_path: Path) -> None:
    test_a_door(own, tmp_path)
    document, before = own.window.document, own.acts
    document.select(part_id(document.rig, "Left door"))
    own.window.bench.setFocus()
    own.act_key("d", CTRL)
    assert QApplication.activeModalWidget() is None
    assert len(document.rig.controls) == 2 and own.acts - before == 1
    document.move(list(document.rig.controls)[1], 0.5)
    assert own.value("Left door 2") == pytest.approx(0.5)
