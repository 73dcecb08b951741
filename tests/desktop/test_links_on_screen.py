"""Preparing parts and linking them, by mouse and keys in the real window."""

from __future__ import annotations

import csv
import math
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel
from tests.desktop.hand import CTRL, Hand, act

import gremio
from gremio.core.edit.builder import shape
from gremio.core.edit.formulas import shown
from gremio.core.frames import matrix
from gremio.core.inspect.ledger import COLUMNS
from gremio.core.inspect.words import drive_words
from gremio.core.rig.find import channel_key, control_id, part_id
from gremio.core.rig.links import link_label
from gremio.core.rig.model import Driving, Formula, Joint, Ratio
from gremio.core.rig.solids import Box, Cylinder, SpurGear
from gremio.desktop.card.ratio_sheet import RatioSheet
from gremio.desktop.deck.inspection_page import LOOKING, NOTHING
from gremio.desktop.fields.pieces import Slab

RETURN, ESCAPE, TAB = Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Tab


@pytest.fixture
def at_gears(hand: Hand) -> Hand:
    """Two gears beside each other, not yet linked, and a bar that slides."""
    build = gremio.Builder("Gears")
    for name, teeth, x in (("Wheel", 60, 0.0), ("Pinion", 20, 0.41)):
        gear = shape(SpurGear(module=0.01, teeth=teeth, width=0.06))
        build.part(name, gear, at=(x, 0, 0.5), joint="spin z")
    build.part(
        "Bar", shape(Box(length=0.6, width=0.1, height=0.1)), at=(0, 0.8, 0.5), joint="slide x"
    )
    hand.window.show_rig(build.rig)
    hand.rest(60)
    return hand


def select(hand: Hand, name: str) -> str:
    thing = part_id(hand.window.document.rig, name)
    hand.window.document.select(thing)
    hand.window.bench.setFocus()
    hand.rest(20)
    return thing


def page(hand: Hand, word: str) -> None:
    hand.click(hand.named(word))
    hand.rest(30)


# ── ratios ─────────────────────────────────────────────────────────────


def test_a_ratio_is_proposed_from_the_teeth_and_one_key_accepts(at_gears: Hand) -> None:
    select(at_gears, "Wheel")
    at_gears.keys("l")
    at_gears.click(at_gears.window.bench, at_gears.on_part("Pinion", (0.03, 0.05, 0.03)))
    sheet = at_gears.window.card.making
    assert isinstance(sheet, RatioSheet)
    assert at_gears.named("Arithmetic").text() == "60 ÷ 20, outside mesh, turns against: −3"
    at_gears.keys(RETURN)
    (link,) = at_gears.window.document.rig.links.values()
    assert isinstance(link, Ratio) and (link.ratio, link.kind) == (-3.0, "gear pair")
    assert at_gears.window.card.making is None
    assert "gear-distance" in [n.code for n in at_gears.window.document.looking.notes()]
    at_gears.keys(Qt.Key.Key_Z, CTRL)
    assert at_gears.window.document.rig.links == {}


def test_another_kind_asks_for_its_numbers(at_gears: Hand) -> None:
    select(at_gears, "Wheel")
    at_gears.keys("l")
    at_gears.click(at_gears.window.bench, at_gears.on_part("Bar", (0.1, 0.0, 0.05)))
    at_gears.choose("Kind of ratio", "lead screw")
    # Enter takes the number over; the next one takes the proposal.
    at_gears.type_into(at_gears.named("Lead of the screw"), "4 mm")
    assert at_gears.window.document.rig.links == {}
    at_gears.keys(RETURN)
    (link,) = at_gears.window.document.rig.links.values()
    assert isinstance(link, Ratio)
    assert link.kind == "lead screw" and link.ratio == pytest.approx(0.004 / (2 * math.pi))


def test_escape_leaves_a_proposal(at_gears: Hand) -> None:
    select(at_gears, "Wheel")
    at_gears.keys("l")
    at_gears.click(at_gears.window.bench, at_gears.on_part("Pinion", (0.03, 0.05, 0.03)))
    at_gears.keys(ESCAPE)
    assert at_gears.window.card.making is None and at_gears.window.document.rig.links == {}


def test_turning_any_gear_turns_the_rest(at_gears: Hand) -> None:
    document = at_gears.window.document
    document.edit("join", lambda rig: gremio.mesh(rig, "Wheel", "Pinion"))
    select(at_gears, "Pinion")
    at_gears.window.bench.show_selected()
    handle = at_gears.window.bench.overlay.drawn.handle
    assert handle is not None and handle.kind == "ring"
    knob = at_gears.window.bench.overlay.points([handle.knob, handle.at(handle.value + 0.9)])
    at_gears.drag(at_gears.window.bench, knob[0], (knob[0] + knob[1]) / 2, knob[1])
    turned = at_gears.value("Pinion")
    assert abs(turned) > 0.5
    assert at_gears.value("Wheel") == pytest.approx(-turned / 3)


def test_inspection_mends_teeth_that_cross(at_gears: Hand) -> None:
    document = at_gears.window.document
    document.edit("join", lambda rig: gremio.join(rig, "Wheel", "Pinion"))
    assert [n.code for n in document.looking.notes()] == ["gear-distance"]
    page(at_gears, "Inspection")
    at_gears.click(at_gears.named("place Pinion anew"))
    assert document.looking.notes() == []
    assert at_gears.window.undo.text() == "Undo place Pinion anew (Pinion)"
    pinion = document.rig.parts[part_id(document.rig, "Pinion")]
    assert np.hypot(*pinion.mount.at[:2]) == pytest.approx(0.4)


def test_a_mate_is_made_on_the_card(at_gears: Hand) -> None:
    select(at_gears, "Pinion")
    at_gears.type_into(at_gears.named("Teeth of a mate"), "35")
    at_gears.do("Make a mate that runs with it")
    document = at_gears.window.document
    assert at_gears.value("Gear, 35 teeth") == 0.0
    assert document.looking.notes() == []
    document.move(channel_key(document.rig, "Pinion"), 0.7)
    assert at_gears.value("Gear, 35 teeth") == pytest.approx(-0.7 * 20 / 35)


# ── formulas ───────────────────────────────────────────────────────────


def test_a_formula_is_typed_completed_echoed_and_made(at_gears: Hand) -> None:
    select(at_gears, "Pinion")
    at_gears.click(at_gears.named("Formula for turn z"))
    edit = at_gears.window.card.making.edit
    at_gears.keys("-Whe")
    assert edit.offered.isVisible()
    at_gears.keys(TAB)
    assert edit.text == "-Wheel"
    at_gears.keys(".turn * 12/32 + 10")
    assert "write for example 10 deg" in edit.echo.text()
    assert edit.field.extraSelections()[0].cursor.selectedText() == "10"
    at_gears.keys(RETURN)
    assert at_gears.window.document.rig.links == {}
    at_gears.keys(" deg")
    assert edit.echo.text() == "= 10.0°, an angle"
    at_gears.keys(RETURN)
    (link,) = at_gears.window.document.rig.links.values()
    assert isinstance(link, Formula)
    assert shown(at_gears.window.document.rig, link) == "-Wheel.turn * 12/32 + 10 deg"
    assert at_gears.value("Pinion") == pytest.approx(math.radians(10))
    assert at_gears.window.document.selected in at_gears.window.document.rig.links


def test_a_formula_without_a_value_holds_the_last_one_in_view(at_gears: Hand) -> None:
    document = at_gears.window.document
    rig = gremio.formula(document.rig, "Pinion", "10 deg * 1 m / Bar.x")
    document.edit("formula", lambda _rig: rig)
    bar = channel_key(rig, "Bar")
    document.move(bar, 0.5)
    document.move(bar, 0.0)
    assert "formula-undefined" in [n.code for n in document.looking.notes()]
    assert at_gears.value("Pinion") == pytest.approx(math.radians(20))


# ── the Ledger and the drive map ───────────────────────────────────────


def cell_spot(hand: Hand, row: int, column: str) -> QPointF:
    view = hand.window.deck.ledger.view
    index = view.model().index(row, COLUMNS.index(column))
    view.scrollTo(index)
    return QPointF(view.visualRect(index).center())


def ledger_row(hand: Hand, follower: str) -> int:
    model = hand.window.deck.ledger.view.model()
    names = [model.index(i, 0).data() for i in range(model.rowCount())]
    return names.index(follower)


def double_click(hand: Hand, widget, at: QPointF) -> None:
    spot = widget.mapTo(hand.window, at).toPoint()
    hand.click(widget, at)
    QTest.mouseDClick(hand.window.windowHandle(), Qt.MouseButton.LeftButton, pos=spot)
    hand.rest(20)


def type_cell(hand: Hand, row: int, column: str, text: str) -> None:
    view = hand.window.deck.ledger.view
    double_click(hand, view.viewport(), cell_spot(hand, row, column))
    hand.keys(Qt.Key.Key_A, CTRL)
    hand.keys(text)
    hand.keys(RETURN)


def test_the_ledger_is_edited_in_place(at_lock: Hand) -> None:
    page(at_lock, "Ledger")
    row = ledger_row(at_lock, "Upper gate, west turn z")
    type_cell(at_lock, row, "How", "-0.5")
    document = at_lock.window.document
    document.move(channel_key(document.rig, "Upper gates"), math.radians(74))
    assert at_lock.value("Upper gate, west") == pytest.approx(math.radians(-37))
    type_cell(at_lock, row, "High stop", "3 deg")
    west = document.rig.parts[part_id(document.rig, "Upper gate, west")]
    assert west.stops["turn z"].high == pytest.approx(math.radians(3))
    type_cell(at_lock, row, "How", "= -Upper gate, east.turn / 4")
    assert at_lock.value("Upper gate, west") == pytest.approx(math.radians(-74 / 4))
    type_cell(at_lock, row, "How", "Nobody.turn")
    assert "Nothing here is called 'Nobody'" in at_lock.said[-1]
    type_cell(at_lock, ledger_row(at_lock, "Louvre turn y"), "Value", "30 deg")
    assert at_lock.value("Louvres") == pytest.approx(math.radians(30))


def test_the_ledger_filters_selects_and_is_exported(at_lock: Hand, tmp_path: Path) -> None:
    page(at_lock, "Ledger")
    ledger = at_lock.window.deck.ledger
    total = ledger.view.model().rowCount()
    at_lock.click(ledger.filter)
    at_lock.keys("planet")
    names = [ledger.view.model().index(i, 0).data() for i in range(ledger.view.model().rowCount())]
    assert 0 < len(names) < total and "Planet 2 turn y" in names
    at_lock.click(
        ledger.view.viewport(), cell_spot(at_lock, names.index("Planet 2 turn y"), "Follower")
    )
    document = at_lock.window.document
    assert document.selected == part_id(document.rig, "Planet 2")
    ledger.export_to(tmp_path / "ledger.csv")
    with (tmp_path / "ledger.csv").open() as file:
        rows = list(csv.DictReader(file))
    assert len(rows) == len(names)
    assert {row["Unit"] for row in rows} <= {"°", "m"}


def test_a_link_is_copied_from_row_to_row(at_lock: Hand) -> None:
    page(at_lock, "Ledger")
    view = at_lock.window.deck.ledger.view
    at_lock.click(
        view.viewport(), cell_spot(at_lock, ledger_row(at_lock, "Louvre bar move z"), "How")
    )
    at_lock.keys(Qt.Key.Key_C, CTRL)
    at_lock.click(
        view.viewport(), cell_spot(at_lock, ledger_row(at_lock, "Louvre bar move x"), "Value")
    )
    at_lock.keys(Qt.Key.Key_V, CTRL)
    document = at_lock.window.document
    document.move(channel_key(document.rig, "Louvres"), 0.6)
    assert at_lock.value("Louvre bar", "move x") == at_lock.value("Louvre bar", "move z") != 0.0


def test_the_drive_map_selects_opens_and_is_exported(at_lock: Hand, tmp_path: Path) -> None:
    page(at_lock, "Drive map")
    view, document = at_lock.window.deck.map.view, at_lock.window.document
    train = next(
        n for n in view.map.nodes if n.startswith("train") and "Planet 1" in view.map.nodes[n].title
    )
    windlass = control_id(document.rig, "Paddle windlass")
    at_lock.click(view, view.spot(windlass))
    assert document.selected == windlass
    assert len(view._way()) == 2
    document.select(part_id(document.rig, "Planet 1"))
    at_lock.rest(20)
    double_click(at_lock, view, view.spot(train))
    assert train not in view.map.nodes
    assert channel_key(document.rig, "Planet 3") in view.map.nodes
    for ending in ("png", "svg"):
        at_lock.window.deck.map.export_to(tmp_path / f"map.{ending}")
    assert QImage(str(tmp_path / "map.png")).width() > 500
    assert "Paddle windlass" in (tmp_path / "map.svg").read_text()


def test_an_empty_map_and_ledger_say_how_to_begin(hand: Hand) -> None:
    page(hand, "Ledger")
    assert (
        "press L" in hand.window.deck.ledger.empty.text()
        and hand.window.deck.ledger.empty.isVisible()
    )
    page(hand, "Drive map")
    assert hand.window.deck.map.empty.isVisible()


# ── preparing parts ────────────────────────────────────────────────────


def test_measuring_a_hole_and_keeping_it(at_lock: Hand) -> None:
    select(at_lock, "Wheel, 32 teeth")
    bench, document = at_lock.window.bench, at_lock.window.document
    bench.show_selected()
    at_lock.keys("m")
    wheel = at_lock.on_part("Wheel, 32 teeth", (0.1, 0.0, 0.05))
    at_lock.move(bench, wheel)
    at_lock.move(bench, wheel + QPointF(1, 1))
    spots = bench.overlay.drawn.places
    circle = next(s for s in spots if s.place.kind == "circle centre")
    at_lock.click(bench, bench.overlay.points([circle.world])[0])
    assert at_lock.named("Measured").text() == "40.0 mm"
    at_lock.click(at_lock.named("Keep this measure"))
    (measure,) = document.rig.measures.values()
    assert measure.kind == "radius" and not bench.asking()
    assert document.selected in document.rig.measures
    at_lock.type_into(at_lock.named("Name"), "Bore")
    rig = gremio.formula(document.rig, "Inspection trolley turn z", "Bore / 0.08 m")
    assert gremio.solve(rig).value("Inspection trolley", "turn z") == pytest.approx(0.5, rel=2e-3)


def test_escape_stops_measuring(at_lock: Hand) -> None:
    at_lock.window.bench.setFocus()
    at_lock.keys("m")
    assert at_lock.window.bench.asking() and at_lock.window.card.making is not None
    at_lock.keys(ESCAPE)
    assert not at_lock.window.bench.asking() and at_lock.window.card.making is None


def test_the_axis_is_laid_along_an_edge_and_tried(at_gears: Hand) -> None:
    bar = select(at_gears, "Bar")
    bench, document = at_gears.window.bench, at_gears.window.document

    def corners() -> np.ndarray:
        frame = document.pose.world(bar) @ matrix(document.rig.parts[bar].shapes[0].place)
        return np.sort((frame @ [[0.3], [0.05], [0.05], [1.0]]).ravel())

    before = corners()
    bench.show_selected()
    at_gears.click(at_gears.named("Pick its axis…"))
    edge = next(
        s
        for s in bench.overlay.drawn.places
        if s.place.kind == "edge middle" and abs(s.direction[2]) > 0.9 and s.world[1] > 0.8
    )
    spot = bench.overlay.points([edge.world])[0]
    at_gears.move(bench, spot)
    at_gears.click(bench, spot)
    assert abs(at_gears.mount(bar)[2, 0]) == pytest.approx(1.0)
    assert corners() == pytest.approx(before)
    bench.setFocus()
    rig, still = document.rig, document.pose
    at_gears.keys("a")
    at_gears.rest(80)
    assert bench._wiggle.running
    shown_now = bench._wiggle.shown(document.pose)
    row = document.program.part_row[bar]
    assert not np.allclose(shown_now.worlds[row], still.worlds[row])
    assert document.rig is rig and document.pose is still


def test_a_joint_and_single_channels_are_chosen_on_the_card(at_gears: Hand) -> None:
    bar = select(at_gears, "Bar")
    document = at_gears.window.document
    document.move(channel_key(document.rig, "Bar"), 0.2)
    there = document.pose.world(bar)
    at_gears.choose("Joint", "Screw")
    joint = document.rig.parts[bar].joint
    assert joint.kind == "screw" and joint.lead == 0.004
    at_gears.choose("Joint", "Hinge")
    assert document.pose.world(bar) == pytest.approx(there)
    at_gears.pick("Free or ground one", "free move z")
    assert document.rig.parts[bar].joint.freed == ("move z",)
    at_gears.type_into(at_gears.named("Bar move z"), "100 mm")
    assert at_gears.value("Bar", "move z") == pytest.approx(0.1)


def test_the_mount_goes_under_its_shapes_and_the_rig_to_the_ground(at_gears: Hand) -> None:
    bar = select(at_gears, "Bar")
    at_gears.pick("Put it…", "under them, at the bottom")
    assert at_gears.mount(bar)[2, 3] == pytest.approx(0.45)
    act(at_gears.window, "Put the rig on the ground")
    assert at_gears.mount(bar)[2, 3] == pytest.approx(0.0)


def test_a_repeat_is_made_on_the_card_and_drawn(at_gears: Hand) -> None:
    select(at_gears, "Bar")
    document, bench = at_gears.window.document, at_gears.window.bench
    before = sum(bench.scene().instances(document.pose, {}).counts)
    at_gears.choose("Repeat along", "line")
    at_gears.type_into(at_gears.named("Bar count"), "7")
    drawn = bench.scene().instances(document.pose, {})
    assert sum(drawn.counts) == before + 6 and len(drawn.records) == before + 6
    at_gears.type_into(at_gears.named("Bar count"), "0")
    assert sum(bench.scene().instances(document.pose, {}).counts) == before - 1


def test_stand_ins_by_one_switch(at_lock: Hand) -> None:
    bench = at_lock.window.bench
    full = sum(len(b.geometry.triangles) * b.count for b in bench.scene().batches)
    at_lock.window.bench.setFocus()
    at_lock.keys("w")
    light = sum(len(b.geometry.triangles) * b.count for b in bench.scene().batches)
    assert light < full / 5
    at_lock.keys("w")
    assert sum(len(b.geometry.triangles) * b.count for b in bench.scene().batches) == full


# ── carriages and URDF ─────────────────────────────────────────────────


def test_a_carriage_is_made_and_rolls_under_the_hand(hand: Hand) -> None:
    build = gremio.Builder("Trolley")
    build.part("Cart", shape(Box(length=2.0, width=0.8, height=0.1)), at=(0, 0, 0.4))
    for name, x, y in (("FL", 1, 0.5), ("FR", 1, -0.5), ("RL", -1, 0.5), ("RR", -1, -0.5)):
        wheel = shape(Cylinder(diameter=0.5, height=0.08), turned=("90 deg", 0, 0))
        build.part(name, wheel, on="Cart", at=(x, y, -0.15))
    hand.window.show_rig(build.rig)
    hand.rest(40)
    select(hand, "Cart")
    act(hand.window, "Make a carriage on wheels or treads")
    hand.rest(20)
    for name in ("FL", "FR"):
        hand.click(hand.named(f"{name} steers"), QPointF(8, 8))
    # What can't be is said, and nothing else is put in its place.
    hand.type_into(hand.named("Steering either way"), "0")
    hand.click(hand.named("Make the carriage"))
    assert "more than 0°" in hand.said[-1] and hand.window.document.rig.controls == {}
    hand.type_into(hand.named("Steering either way"), "35")
    hand.click(hand.named("Make the carriage"))
    document = hand.window.document
    assert any(isinstance(link, Driving) for link in document.rig.links.values())
    assert [c.name for c in document.rig.controls.values()] == ["Cart travel", "Cart steering"]
    assert document.looking.notes() == []
    travel, start = hand.instrument("Cart travel"), hand.slider("Cart travel")
    hand.drag(travel, start, start + QPointF(10, 0), start + QPointF(30, 0))
    gone = hand.value("Cart travel")
    assert gone > 0.5
    assert hand.value("RL") == pytest.approx(gone / 0.25)
    assert hand.value("Cart", "move x") == pytest.approx(gone)
    start = hand.slider("Cart travel")
    hand.drag(travel, start, start - QPointF(20, 0), hand_home(hand))
    assert hand.value("FL", "turn y") == pytest.approx(hand.value("Cart travel") / 0.25)
    hand.keys(Qt.Key.Key_Z, CTRL)
    assert hand.value("RL") == pytest.approx(gone / 0.25)


def hand_home(hand: Hand) -> QPointF:
    instrument = hand.instrument("Cart travel")
    return QPointF(instrument.x_of(0.0), 34)


def test_a_wheel_has_a_knob_for_each_turn(at_lock: Hand) -> None:
    select(at_lock, "Front wheel, left")
    drawn = at_lock.window.bench.overlay.drawn
    names = [h.channel.split(" ", 1)[1] for h in (drawn.handle, *drawn.others)]
    assert names == ["turn y", "turn z"]


def test_urdf_is_exported_and_opened(at_lock: Hand, tmp_path: Path) -> None:
    file = tmp_path / "lock.urdf"
    at_lock.window.files.export_urdf_path(file)
    assert "lock.urdf" in at_lock.said[-1] and "left out" in at_lock.said[-1]
    document = at_lock.window.document
    document.start(document.rig, None)
    assert at_lock.window.files.open_path(file)
    assert document.path is None and document.changed
    names = {part.name for part in document.rig.parts.values()}
    assert {"Lock chamber", "Windlass", "Planet 3"} <= names


def test_soft_stops_are_typed_on_the_card(at_lock: Hand) -> None:
    select(at_lock, "Louvre")
    at_lock.type_into(at_lock.named("Soft before the stops of turn y"), "10 deg")
    document = at_lock.window.document
    louvre = document.rig.parts[part_id(document.rig, "Louvre")]
    assert louvre.stops["turn y"].soft == pytest.approx(math.radians(10))
    joint = replace(louvre.joint)
    assert joint == Joint("hinge", "y")


def test_a_planetary_set_is_made_of_three_clicks(hand: Hand) -> None:
    build = gremio.Builder("Set")
    for name, x in (("Sun", 0.0), ("Ring", 1.0), ("Arm", 2.0)):
        build.part(name, shape(Cylinder(diameter=0.6, height=0.3)), at=(x, 0, 0.5), joint="spin z")
    hand.window.show_rig(build.rig)
    hand.rest(40)
    select(hand, "Sun")
    act(hand.window, "Make a planetary set")
    for name in ("Ring", "Arm"):
        hand.click(hand.window.bench, hand.on_part(name, (0.0, 0.0, 0.15)))
    document = hand.window.document
    assert "Sun + 1 × Ring = 2 × Arm" in hand.said[-1]
    document.move(channel_key(document.rig, "Sun"), 1.0)
    document.move(channel_key(document.rig, "Ring"), 0.5)
    assert hand.value("Arm") == pytest.approx(0.75)


def test_a_wheel_is_let_roll_on_the_card(at_gears: Hand) -> None:
    build = gremio.Builder("Cart")
    build.part("Cart", shape(Box(length=1, width=1, height=0.1)), at=(0, 0, 0.5), joint="slide x")
    wheel = shape(Cylinder(diameter=0.5, height=0.1), turned=("90 deg", 0, 0))
    build.part("Wheel", wheel, on="Cart", at=(0, 0.6, -0.25), joint="spin y")
    at_gears.window.show_rig(build.rig)
    at_gears.rest(40)
    select(at_gears, "Wheel")
    at_gears.do("Let it roll as it is carried")
    document = at_gears.window.document
    assert document.looking.notes() == []
    document.move(channel_key(document.rig, "Cart"), 0.8)
    assert at_gears.value("Wheel") == pytest.approx(0.8 / 0.25)


def test_a_mate_is_made_at_a_distance(at_gears: Hand) -> None:
    select(at_gears, "Pinion")
    at_gears.type_into(at_gears.named("Teeth of a mate"), "30")
    at_gears.type_into(at_gears.named("Distance of the mate"), "253 mm")
    at_gears.do("Make a mate that runs with it")
    document = at_gears.window.document
    here, there = (document.pose.part(n).world[:3, 3] for n in ("Pinion", "Gear, 30 teeth"))
    assert np.linalg.norm(there - here) == pytest.approx(0.253)
    assert document.looking.notes() == []


def test_a_second_link_adds_to_the_first(at_gears: Hand) -> None:
    document = at_gears.window.document
    document.edit("lead", lambda rig: gremio.formula(rig, "Wheel", "Pinion.turn"))
    select(at_gears, "Bar")
    at_gears.keys("l")
    at_gears.click(at_gears.window.bench, at_gears.on_part("Wheel", (0.1, 0.1, 0.03)))
    at_gears.keys(RETURN)
    ratio = next(i for i, k in document.rig.links.items() if isinstance(k, Ratio))
    document.select(ratio)
    at_gears.choose("What it does", "adds to its follower")
    document.move(channel_key(document.rig, "Pinion"), 0.5)
    document.move(channel_key(document.rig, "Bar"), 0.1)
    added = document.rig.links[ratio].ratio * 0.1
    assert at_gears.value("Wheel") == pytest.approx(0.5 + added) and added != 0.0


def test_what_is_not_looked_over_yet_is_not_called_right(at_lock: Hand) -> None:
    window, document = at_lock.window, at_lock.window.document
    window.deck.show_page("Inspection")

    def words() -> list[str]:
        return [label.text() for label in window.deck.inspection.findChildren(QLabel)]

    at_lock.qtbot.waitUntil(lambda: NOTHING in words(), timeout=60000)
    assert window.head.notes.text() == "no notes"
    wheel = part_id(document.rig, "Windlass")
    off = replace(document.rig.parts[wheel].mount, at=(1.0, -0.4, 3.2))
    moved = replace(document.rig.parts[wheel], mount=off)
    document.edit("spoil it", lambda rig: replace(rig, parts={**rig.parts, wheel: moved}))
    assert words() == [LOOKING] and window.head.notes.text() == "looking…"
    at_lock.qtbot.waitUntil(lambda: "note" in window.head.notes.text(), timeout=60000)
    assert LOOKING not in words() and NOTHING not in words()


def test_a_second_follower_is_led_by_the_lead_alone(at_gears: Hand) -> None:
    window, build = at_gears.window, gremio.Builder("Hatch")
    for name, y in (("Door", 0.0), ("Latch", 1.0)):
        build.part(
            name, shape(Box(length=0.4, width=0.1, height=0.5)), at=(0, y, 0), joint="hinge z"
        )
    build.control("Open", 0, 1, kind="number")
    ends = {0.0: {"Door": 0.0, "Latch": 0.0}, 1.0: {"Door": 1.2, "Latch": 0.1}}
    build.cam("Open", ends, profile="straight")
    window.show_rig(build.rig)
    select(at_gears, "Latch")
    (slab,) = (s for s in window.card.findChildren(Slab) if s.isVisible())
    assert slab.words == "Open"
    (link,) = build.rig.links
    assert drive_words(build.rig, link, channel_key(build.rig, "Latch")) == "from–to cam"
    assert link_label(build.rig, build.rig.links[link]).startswith("the from–to cam from Open")
