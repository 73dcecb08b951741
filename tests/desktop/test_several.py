"""Several parts at once, a pick that is an axis, joints changed after they are linked, copies."""

from __future__ import annotations

import math

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from tests.desktop.hand import CTRL, LEFT, SHIFT, Hand

import gremio
from gremio.core.rig.find import part_id
from gremio.core.rig.solids import Box, Cylinder, Tube


@pytest.fixture
def at_cart(hand: Hand) -> Hand:
    """A bed and four wheels with no joints yet."""
    build = gremio.Builder("Cart")
    build.part("Bed", Box(2.0, 1.0, 0.2), at=(0, 0, 0.6))
    for name, x, y in (("FL", 0.8, 0.6), ("FR", 0.8, -0.6), ("RL", -0.8, 0.6), ("RR", -0.8, -0.6)):
        build.part(name, Cylinder(0.5, 0.1), at=(x, y, 0.3), turned=("90 deg", 0, 0))
    hand.window.show_rig(build.rig)
    hand.rest(80)
    return hand


def row_of(hand: Hand, name: str) -> QPointF:
    tree = hand.window.parts.tree
    (item,) = [i for i in hand.window.parts._items.values() if i.text(0) == name]
    return QPointF(tree.visualItemRect(item).center())


def choose_rows(hand: Hand, *names: str) -> None:
    tree = hand.window.parts.tree
    for number, name in enumerate(names):
        modifier = CTRL if number else Qt.KeyboardModifier.NoModifier
        QTest.mouseClick(tree.viewport(), LEFT, modifier, row_of(hand, name).toPoint())
    hand.rest(60)


def test_four_wheels_are_matched_to_one_control_in_few_acts(at_cart: Hand) -> None:
    document = at_cart.window.document
    choose_rows(at_cart, "FL", "FR", "RL", "RR")
    assert len(document.chosen_parts) == 4
    steps = len(document.history.done)
    at_cart.choose("Joint", "Spin")
    at_cart.choose("Axis", "about z")
    at_cart.do("Control")
    at_cart.rest(40)
    assert len(document.history.done) == steps + 2
    (control,) = document.rig.controls
    document.move(control, 0.7)
    for name in ("FL", "FR", "RL", "RR"):
        assert at_cart.value(name) == pytest.approx(0.7)
    at_cart.keys("z", CTRL)
    assert [at_cart.value(n) for n in ("FL", "RR")] == pytest.approx([0.0, 0.0])


def test_stops_mount_hiding_and_removing_of_several(at_cart: Hand) -> None:
    window, document = at_cart.window, at_cart.window.document
    choose_rows(at_cart, "FL", "FR")
    at_cart.choose("Joint", "Hinge")
    at_cart.type_into(at_cart.named("High stop"), "30")
    at_cart.rest(40)
    wheels = [part_id(document.rig, n) for n in ("FL", "FR")]
    stops = [document.rig.parts[w].stops["turn z"].high for w in wheels]
    assert stops == pytest.approx([math.radians(30)] * 2)
    stood = document.pose.world(wheels[0])
    at_cart.choose("Mounted on", "Bed")
    assert {document.rig.parts[w].parent for w in wheels} == {part_id(document.rig, "Bed")}
    assert document.pose.world(wheels[0]) == pytest.approx(stood)
    choose_rows(at_cart, "FL", "FR")
    at_cart.do("Hide")
    assert window.bench.hidden == frozenset(wheels)
    at_cart.do("Remove")
    assert len(document.rig.parts) == 3 and document.also == ()


def test_parts_are_chosen_in_the_bench_by_ctrl_and_by_a_rectangle(at_cart: Hand) -> None:
    window, document = at_cart.window, at_cart.window.document
    front = part_id(document.rig, "FR")
    document.select(part_id(document.rig, "Bed"))
    spot = at_cart.on_part("FR", (0.0, 0.0, 0.05)).toPoint()
    QTest.mouseClick(window.bench, LEFT, CTRL, spot)
    at_cart.rest(40)
    assert document.chosen_parts == [part_id(document.rig, "Bed"), front]
    QTest.mouseClick(window.bench, LEFT, CTRL, spot)
    at_cart.rest(40)
    assert document.chosen_parts == [part_id(document.rig, "Bed")]
    width, height = window.bench.width(), window.bench.height()
    QTest.mousePress(window.bench, LEFT, SHIFT, QPointF(4, 40).toPoint())
    QTest.mouseMove(window.bench, QPointF(width / 2, height / 2).toPoint())
    QTest.mouseMove(window.bench, QPointF(width - 5, height - 5).toPoint())
    QTest.mouseRelease(window.bench, LEFT, SHIFT, QPointF(width - 5, height - 5).toPoint())
    at_cart.rest(40)
    assert len(document.chosen_parts) == 5


def test_a_bar_gives_its_axis_place_and_direction_in_one_click(at_cart: Hand) -> None:
    window, document = at_cart.window, at_cart.window.document
    wheel = part_id(document.rig, "FR")
    document.select(wheel)
    at_cart.rest(40)
    at_cart.choose("Joint", "Spin")
    before = document.pose.world(wheel)
    window.act("part.axis")
    at_cart.rest(20)
    spot = at_cart.on_part("FR", (0.12, 0.05, 0.05))
    at_cart.move(window.bench, spot)
    nearest = window.bench.overlay.drawn.nearest
    assert nearest is not None, "it lights up before the click"
    at_cart.click(window.bench, spot)
    at_cart.rest(40)
    assert not window.bench.asking()
    assert document.pose.world(wheel) == pytest.approx(before), "nothing moves"
    mount = at_cart.mount(wheel)
    way = mount[:3, "xyz".index(document.rig.parts[wheel].joint.axis)]
    assert abs(way @ np.array([0, 1, 0])) == pytest.approx(1.0, abs=1e-6)
    assert mount[[0, 2], 3] == pytest.approx([0.8, 0.3], abs=1e-6)


def test_an_axis_is_turned_round_and_changed_after_it_is_linked(at_lock: Hand) -> None:
    window, document = at_lock.window, at_lock.window.document
    gate = part_id(document.rig, "Upper gate, west")
    document.select(gate)
    at_lock.rest(60)
    document.move(next(iter(document.rig.controls)), 0.8)
    turned = at_lock.value("Upper gate, west")
    at_lock.click(at_lock.named("Turn it the other way"))
    at_lock.rest(40)
    assert at_lock.value("Upper gate, west") == pytest.approx(turned)
    window.act("edit.undo")
    at_lock.choose("Axis", "about y")
    at_lock.rest(40)
    assert at_lock.value("Upper gate, west", "turn y") == pytest.approx(turned)
    assert "turn y" in document.rig.parts[gate].stops


def test_a_copy_leads_itself_and_stands_beside(at_lock: Hand) -> None:
    document = at_lock.window.document
    lid = part_id(document.rig, "Chest lid")
    chest = document.rig.parts[lid].parent
    controls = set(document.rig.controls)
    document.select(chest)
    at_lock.rest(30)
    at_lock.keys("d", CTRL)
    at_lock.rest(60)
    (new,) = set(document.rig.controls) - controls
    assert document.rig.controls[new].name == "Open tool chest 2"
    document.move(new, 0.5)
    assert abs(at_lock.value("Chest lid 2")) > 1.0 and at_lock.value("Chest lid") == 0.0
    away = np.linalg.norm(document.pose.world(document.selected)[:3, 3]
                          - document.pose.world(chest)[:3, 3])  # fmt: skip
    assert away > 0.3


def test_a_row_dropped_on_another_is_mounted_on_it(at_cart: Hand) -> None:
    window, document = at_cart.window, at_cart.window.document
    choose_rows(at_cart, "FL", "FR")
    stood = document.pose.world(part_id(document.rig, "FL"))
    window.parts.tree.dropped.emit(part_id(document.rig, "Bed"))
    at_cart.rest(40)
    bed = part_id(document.rig, "Bed")
    assert {document.rig.parts[part_id(document.rig, n)].parent for n in ("FL", "FR")} == {bed}
    assert document.pose.world(part_id(document.rig, "FL")) == pytest.approx(stood)
    document.select(bed)
    window.parts.tree.dropped.emit(part_id(document.rig, "FL"))
    assert "can't carry it" in at_cart.said[-1]
    choose_rows(at_cart, "FL")
    window.parts.tree.dropped.emit(None)
    assert document.rig.parts[part_id(document.rig, "FL")].parent is None


def test_the_right_button_offers_what_can_be_done(at_cart: Hand) -> None:
    from PyQt6.QtWidgets import QApplication, QMenu

    window, document = at_cart.window, at_cart.window.document
    spot = at_cart.on_part("FR", (0.0, 0.0, 0.05))
    at_cart.press(window.bench, spot, Qt.MouseButton.RightButton)
    at_cart.release(window.bench, spot, Qt.MouseButton.RightButton)
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu) and document.selected == part_id(document.rig, "FR")
    hide = next(a for a in menu.actions() if a.text() == "Hide what is selected")
    QTest.mouseClick(menu, LEFT, pos=menu.actionGeometry(hide).center())
    at_cart.rest(30)
    assert window.bench.hidden == frozenset({part_id(document.rig, "FR")})


def test_two_eyes_on_one_line_are_a_pin_however_wide_they_are(hand: Hand) -> None:
    """The pin's place is the middle between them; its mark in the Bench opens it."""
    build = gremio.Builder("Eyes")
    build.part("Arm", Tube(0.2, 0.1, 0.05), joint="hinge z")
    build.part("Rod", Tube(0.2, 0.1, 0.05), at=(0.0, 0.0, 0.14), joint="free")
    window, document = hand.window, hand.window.document
    window.show_rig(build.rig)
    hand.rest(60)
    window.act("tie.pin two")
    for name in ("Arm", "Rod"):
        part = part_id(document.rig, name)
        window.bench._hovered = document.program.part_row[part]
        window.bench._refresh()
        spots = window.bench.overlay.drawn.places
        owners = {spot.anchor.part for spot in spots}
        assert part in owners
        if name == "Rod":
            assert owners == {part}, "the second is not looked for on the first part"
        rims = [s for s in spots if s.anchor.part == part and s.place.kind == "circle centre"]
        window.bench.question.take(rims[0])
    hand.rest(40)
    (closure_id,) = document.rig.closures
    closure = document.rig.closures[closure_id]
    ends = [
        (document.pose.world(p) @ np.append(at, 1.0))[:3]
        for p, at in ((closure.one, closure.at_one), (closure.two, closure.at_two))
    ]
    assert ends[0] == pytest.approx(ends[1], abs=1e-9), "nothing is missing between them"
    assert ends[0][:2] == pytest.approx([0, 0], abs=1e-9)
    assert document.pose.world(part_id(document.rig, "Rod"))[2, 3] == pytest.approx(0.14)
    window.bench.stop_asking()
    document.select("")
    hand.rest(30)
    (pixel,) = window.bench.overlay.points([ends[0]])
    hand.click(window.bench, pixel)
    assert document.selected == closure_id


def test_a_part_and_its_copy_where_it_comes_to_give_the_joint_between(hand: Hand) -> None:
    build, leaf = gremio.Builder("Gate"), Box(1.0, 0.1, 1.5)
    build.part("Leaf", gremio.shape(leaf, (0.5, 0, 0)), at=(0.0, 0.0, 0.8))
    # Its hinge is at (−0.1, 0.2), which neither origin is on.
    build.part("Leaf open", gremio.shape(leaf, (0.5, 0, 0)), at=(0.1, 0.3, 0.8),
               turned=(0, 0, "90 deg"))  # fmt: skip
    hand.window.show_rig(build.rig)
    hand.rest(60)
    document = hand.window.document
    opened = document.pose.world(part_id(document.rig, "Leaf open"))
    choose_rows(hand, "Leaf", "Leaf open")
    hand.do("Joint from both poses")
    hand.rest(40)
    ((leaf_id, entry),) = document.rig.parts.items()
    assert entry.joint.kind == "hinge" and document.selected == leaf_id
    assert "turns 90° to where Leaf open stood" in hand.said[-1].replace("\u2009", "")
    assert entry.mount.at[:2] == pytest.approx((-0.1, 0.2))
    document.move(f"{leaf_id} turn z", math.radians(90))
    assert document.pose.world(leaf_id) == pytest.approx(opened, abs=1e-9)
    assert entry.stops["turn z"].high == pytest.approx(math.radians(90))
    hand.keys("z", CTRL)
    hand.keys("z", CTRL)
    assert len(document.rig.parts) == 2
