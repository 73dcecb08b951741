"""Controls of every kind on the Desk and in the Bench, poses, the lock, hiding, copying."""

from __future__ import annotations

import math

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMenu, QWidget
from tests.desktop.hand import CTRL, LEFT, Hand, act

import gremio
from gremio.core.edit.builder import shape
from gremio.core.edit.controls import change_control
from gremio.core.files.glb_out import baked_glb
from gremio.core.files.sources import model_shelf
from gremio.core.rig.find import channel_key, control_id, part_id
from gremio.core.rig.model import Face, Ratio
from gremio.core.rig.solids import Box
from gremio.desktop.makes.makes import dial, pad_room, pivot

RETURN = Qt.Key.Key_Return


@pytest.fixture
def at_quay(hand: Hand) -> Hand:
    """Three slides, each led by a control of another kind, in two groups."""
    build = gremio.Builder("Quay")
    for name, y in (("Jib", -1.5), ("Hook", 0.0), ("Lamp", 1.5)):
        block = shape(Box(length=0.6, width=0.6, height=0.6), (0, 0, 0.3))
        build.part(name, block, at=(0, y, 0), joint="slide x", stops=("-1 m", "1 m"))
    build.control("Slew", "-2 turn", "2 turn", unit="turn", group="Crane", make="dial")
    build.control("Hoist", -1, 1, kind="length", group="Crane", make="lever", springs=True)
    build.control("Light", 0, 1, kind="number", group="Light", notches=[0, 0.5, 1], make="switch",
                  positions=["Off", "Dim", "Bright"])  # fmt: skip
    build.ratio("Slew", "Jib", 0.05)
    build.ratio("Hoist", "Hook", 1)
    build.ratio("Light", "Lamp", 1)
    hand.window.show_rig(build.rig)
    hand.rest(60)
    return hand


def put_face(hand: Hand, control: str, **fields: object) -> str:
    document = hand.window.document
    key = control_id(document.rig, control)
    face = Face(at=(0.0, 0.0, 0.6), **fields)  # type: ignore[arg-type]
    document.edit(
        "face", lambda rig: change_control(rig, key, replace(rig.controls[key], face=face))
    )
    hand.rest(40)
    return key


def test_a_dial_counts_its_turns(at_quay: Hand) -> None:
    slew = at_quay.instrument("Slew")
    middle, radius = dial(slew.body())
    way = [middle + QPointF(math.sin(a), -math.cos(a)) * radius * 0.66
           for a in [i * 0.4 for i in range(22)]]  # fmt: skip
    at_quay.drag(slew, *way)
    assert at_quay.value("Slew") == pytest.approx(8.4, abs=0.1)
    assert at_quay.value("Jib") == pytest.approx(0.42, abs=0.01)
    assert at_quay.window.undo.text() == "Undo move Slew"
    at_quay.keys(Qt.Key.Key_Z, CTRL)
    assert at_quay.value("Slew") == 0.0


def test_a_lever_springs_home_when_it_is_let_go(at_quay: Hand) -> None:
    hoist = at_quay.instrument("Hoist")
    foot, length = pivot(hoist.body())
    right = foot + QPointF(math.sin(0.6), -math.cos(0.6)) * length
    at_quay.drag(hoist, hoist.knob(), (hoist.knob() + right) / 2, right, let_go=False)
    assert at_quay.value("Hook") == pytest.approx(math.degrees(0.6) / 50, abs=0.05)
    at_quay.release(hoist, right)
    assert at_quay.value("Hook") == 0.0


def test_a_switch_is_clicked_and_stepped(at_quay: Hand) -> None:
    light = at_quay.instrument("Light")
    body = light.body()
    at_quay.click(light, QPointF(body.right() - 10, body.center().y()))
    assert at_quay.value("Light") == 1.0
    at_quay.keys(Qt.Key.Key_Left)
    assert at_quay.value("Light") == 0.5 and at_quay.value("Lamp") == 0.5


def test_a_pad_moves_two(at_quay: Hand) -> None:
    at_quay.window.document.select(control_id(at_quay.window.document.rig, "Hoist"))
    at_quay.choose("Made as", "pad")
    pad = at_quay.instrument("Hoist")
    room = pad_room(pad.body())
    spot = QPointF(room.left() + room.width() * 0.75, room.top() + room.height() * 0.25)
    at_quay.drag(pad, pad.knob(), spot)
    assert at_quay.value("Hoist") == pytest.approx(0.5, abs=0.03)
    assert at_quay.value("Hoist, across") == pytest.approx(0.5, abs=0.03)
    pad.setFocus()
    before = at_quay.value("Hoist")
    at_quay.keys(Qt.Key.Key_Up)
    assert at_quay.value("Hoist") == before
    assert at_quay.value("Hoist, across") > 0.5


def test_a_control_reads_other_numbers(at_quay: Hand) -> None:
    document = at_quay.window.document
    document.select(control_id(document.rig, "Hoist"))
    at_quay.type_into(at_quay.named("Read at the low end"), "0")
    at_quay.type_into(at_quay.named("Read at the high end"), "100")
    assert at_quay.instrument("Hoist").field.text() == "50.0"
    at_quay.type_into(at_quay.instrument("Hoist").field, "75")
    assert at_quay.value("Hook") == pytest.approx(0.5)
    at_quay.type_into(at_quay.named("Read at the low end"), "")
    assert document.rig.controls[control_id(document.rig, "Hoist")].scale is None


def test_several_are_chosen_and_moved_at_once(at_quay: Hand) -> None:
    window = at_quay.window
    for name in ("Slew", "Light"):
        instrument = at_quay.instrument(name)
        spot = instrument.mapTo(window, QPointF(30, 10)).toPoint()
        QTest.mouseClick(window.windowHandle(), LEFT, CTRL, spot)
        at_quay.rest()
    assert len(window.document.chosen) == 2
    at_quay.type_into(at_quay.instrument("Slew").field, "1 turn")
    assert at_quay.value("Slew") == pytest.approx(2 * math.pi)
    # A quarter of its own range: of the light, from 0 to 0.25.
    assert at_quay.value("Light") == pytest.approx(0.25)


def test_groups_fold_and_controls_are_carried_to_another_place(at_quay: Hand) -> None:
    desk, document = at_quay.window.desk, at_quay.window.document
    at_quay.click(desk.headings["Crane"])
    assert list(desk.instruments) == [control_id(document.rig, "Light")]
    at_quay.click(desk.headings["Crane"])
    assert len(desk.instruments) == 3
    light, slew = at_quay.instrument("Light"), at_quay.instrument("Slew")
    start = QPointF(30, 10)
    there, here = (w.mapTo(at_quay.window, QPointF(0, 0)) for w in (slew, light))
    to = there - here + QPointF(30, 12)
    at_quay.drag(light, start, (start + to) / 2, to)
    rig = document.rig
    assert rig.controls[control_id(rig, "Light")].group == "Crane"
    assert next(iter(desk.instruments)) == control_id(rig, "Light")
    at_quay.click(at_quay.named("down"))
    assert list(at_quay.window.desk.instruments)[1] == control_id(rig, "Light")


def test_poses_are_kept_named_and_blended(at_quay: Hand) -> None:
    window, document = at_quay.window, at_quay.window.document
    document.move(control_id(document.rig, "Hoist"), 0.8)
    window.bench.setFocus()
    at_quay.keys("k")
    at_quay.keys("Over the boat")
    at_quay.keys(RETURN)
    assert [pose.name for pose in document.rig.poses.values()] == ["Over the boat"]
    document.move(control_id(document.rig, "Hoist"), 0.0)
    name = at_quay.named("Pose Over the boat")
    at_quay.drag(name, QPointF(20, 10), QPointF(50, 10), QPointF(100, 10))
    assert at_quay.value("Hook") == pytest.approx(0.8 * 0.5)
    assert window.undo.text() == "Undo go to Over the boat"
    at_quay.click(at_quay.named("Pose Over the boat"))
    assert at_quay.value("Hook") == pytest.approx(0.8)


def test_where_the_machine_stops_a_control_is_shown_and_offered(at_quay: Hand) -> None:
    document = at_quay.window.document
    slew = control_id(document.rig, "Slew")
    link = next(i for i, k in document.rig.links.items() if isinstance(k, Ratio) and k.lead == slew)
    steeper = replace(document.rig.links[link], ratio=0.5)
    document.edit("ratio", lambda rig: replace(rig, links={**rig.links, link: steeper}))
    document.select(slew)
    slewing = at_quay.instrument("Slew")
    at_quay.qtbot.waitUntil(
        lambda: slewing.reach is not None and slewing.reach.high_by != "", timeout=8000
    )
    reach = slewing.reach
    assert reach is not None and reach.high == pytest.approx(2.0, abs=1e-6)
    at_quay.do("Let its range end there")
    entry = document.rig.controls[slew]
    assert (entry.low, entry.high) == pytest.approx((-2.0, 2.0), abs=1e-6)


# ── faces in the Bench ──


def test_a_face_slides_only_in_its_slot(at_quay: Hand) -> None:
    bench, document = at_quay.window.bench, at_quay.window.document
    key = put_face(at_quay, "Light")
    plain = replace(document.rig.controls[key], make="slider", notches=(), positions=())
    document.edit("x", lambda rig: change_control(rig, key, plain))
    at_quay.rest(40)
    (face,) = bench.overlay.drawn.faces
    assert face.hit(face.place.map(face.body.center())) == "body"
    ends = [face.place.map(QPointF(face.body.left() + share * face.body.width(), y))
            for share, y in ((0.0, face.body.center().y()), (0.4, 5.0), (0.6, 90.0))]  # fmt: skip
    at_quay.drag(bench, *ends)
    assert at_quay.value("Lamp") == pytest.approx(0.6, abs=0.02)
    assert document.selected == key
    assert document.rig.controls[key].face == Face(at=(0.0, 0.0, 0.6))


def test_the_plate_is_moved_without_the_value(at_quay: Hand) -> None:
    bench, document = at_quay.window.bench, at_quay.window.document
    key = put_face(at_quay, "Hoist")
    (face,) = bench.overlay.drawn.faces
    start = face.place.map(QPointF(40, 8))
    at_quay.drag(bench, start, start + QPointF(-30, 20), start + QPointF(-80, 40))
    moved = document.rig.controls[key].face
    assert moved is not None and moved.at != (0.0, 0.0, 0.6)
    assert at_quay.value("Hoist") == 0.0
    (after,) = bench.overlay.drawn.faces
    assert after.anchor.x() == pytest.approx(face.anchor.x() - 80, abs=2)
    assert at_quay.window.undo.text() == "Undo place the face of Hoist"


def test_a_face_is_carried_and_may_lie_in_the_scene(at_quay: Hand) -> None:
    bench, document = at_quay.window.bench, at_quay.window.document
    key = put_face(at_quay, "Light", on=part_id(document.rig, "Hook"), size=0.8, fixed=True)
    (face,) = bench.overlay.drawn.faces
    assert face.fixed
    before = face.place.map(face.body.center())
    document.move(control_id(document.rig, "Hoist"), 0.7)
    at_quay.rest(40)
    (face,) = bench.overlay.drawn.faces
    after = face.place.map(face.body.center())
    assert abs(after.x() - before.x()) + abs(after.y() - before.y()) > 20
    # The switch works through the picture of it, however it lies.
    at_quay.click(bench, face.place.map(QPointF(face.body.right() - 12, face.body.center().y())))
    assert at_quay.value("Light") == 1.0
    document.select(key)
    at_quay.choose("Carried by", "the ground")
    (still,) = bench.overlay.drawn.faces
    assert still.anchor.x() == pytest.approx(face.anchor.x(), abs=2)


def test_a_face_stands_beside_what_its_control_leads_and_is_hidden(at_quay: Hand) -> None:
    bench, document = at_quay.window.bench, at_quay.window.document
    document.select(control_id(document.rig, "Hoist"))
    at_quay.do("Stand its face in the Bench")
    assert len(bench.overlay.drawn.faces) == 1
    at_quay.click(at_quay.named("Hidden"), QPointF(8, 8))
    assert bench.overlay.drawn.faces == []
    at_quay.click(at_quay.named("Hidden"), QPointF(8, 8))
    bench.setFocus()
    at_quay.keys("F", Qt.KeyboardModifier.ShiftModifier)
    assert bench.overlay.drawn.faces == []


def test_faces_go_along_in_exports_only_when_asked(at_quay: Hand) -> None:
    document = at_quay.window.document
    key = put_face(at_quay, "Hoist")
    assert b"Hoist, knob" not in baked_glb(document.rig, model_shelf(), None, 1.0)[0]
    face = document.rig.controls[key].face
    assert face is not None
    asked = change_control(
        document.rig, key, replace(document.rig.controls[key], face=replace(face, exported=True))
    )
    assert b"Hoist, knob" in baked_glb(asked, model_shelf(), None, 1.0)[0]


# ── the lock, hiding, copying, pulling at words ──


def test_a_locked_rig_moves_by_controls_and_faces_only(at_quay: Hand) -> None:
    window, document = at_quay.window, at_quay.window.document
    put_face(at_quay, "Light")
    act(window, "Lock for the animator")
    assert document.rig.locked
    spot = at_quay.on_part("Jib", (0.3, 0.0, 0.3))
    at_quay.drag(window.bench, spot, spot + QPointF(60, 0), spot + QPointF(120, 0))
    assert at_quay.value("Jib") == 0.0
    document.select(part_id(document.rig, "Jib"))
    at_quay.type_into(at_quay.named("Jib move x"), "0.4 m")
    assert at_quay.value("Jib") == 0.0 and "locked for the animator" in at_quay.said[-1]
    at_quay.type_into(at_quay.named("High stop"), "0.2 m")
    assert document.rig.parts[part_id(document.rig, "Jib")].stops["move x"].high == 1.0
    at_quay.type_into(at_quay.instrument("Slew").field, "1 turn")
    assert at_quay.value("Jib") == pytest.approx(0.05 * 2 * math.pi)
    (face,) = window.bench.overlay.drawn.faces
    body = face.body
    at_quay.click(window.bench, face.place.map(QPointF(body.right() - 10, body.center().y())))
    assert at_quay.value("Light") == 1.0
    act(window, "Lock for the animator")
    assert not document.rig.locked


def test_hiding_and_isolating(at_quay: Hand) -> None:
    window, document = at_quay.window, at_quay.window.document
    spot = at_quay.on_part("Jib", (0.3, 0.0, 0.3))
    assert window.bench.part_at(spot) == part_id(document.rig, "Jib")
    document.select(part_id(document.rig, "Jib"))
    window.bench.setFocus()
    at_quay.keys("X", Qt.KeyboardModifier.ShiftModifier)
    assert window.bench.part_at(spot) is None
    act(window, "Show everything")
    assert window.bench.hidden == frozenset()
    at_quay.keys("i")
    assert window.bench.hidden == set(document.rig.parts) - {part_id(document.rig, "Jib")}
    at_quay.keys("i")
    assert window.bench.hidden == frozenset()


def test_stand_ins_by_family(at_quay: Hand) -> None:
    document = at_quay.window.document
    document.select(part_id(document.rig, "Jib"))
    act(at_quay.window, "Stand-in: outline")
    assert document.rig.parts[part_id(document.rig, "Jib")].stand_in == "outline"


def in_menu(hand: Hand, entry: str) -> None:
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    action = next(a for a in menu.actions() if a.text().startswith(entry))
    QTest.mouseClick(menu, LEFT, pos=menu.actionGeometry(action).center())
    hand.rest(20)


def right_click(hand: Hand, widget: QWidget) -> None:
    from PyQt6.QtGui import QContextMenuEvent

    at = widget.rect().center()
    event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, widget.mapToGlobal(at))
    QApplication.sendEvent(widget, event)
    hand.rest(20)


def test_a_value_is_copied_and_a_channel_as_a_link(at_quay: Hand) -> None:
    window, document = at_quay.window, at_quay.window.document
    build = gremio.Builder("Two")
    for name, y in (("One", -1.0), ("Other", 1.0)):
        block = shape(Box(length=0.6, width=0.6, height=0.6))
        build.part(name, block, at=(0, y, 0), joint="slide x")
    window.show_rig(build.rig)
    at_quay.rest(40)
    one, other = (part_id(document.rig, n) for n in ("One", "Other"))
    document.move(f"{one} move x", 0.25)
    document.select(one)
    right_click(at_quay, at_quay.named("One move x"))
    in_menu(at_quay, "Copy value")
    document.select(other)
    right_click(at_quay, at_quay.named("Other move x"))
    in_menu(at_quay, "Paste value")
    assert at_quay.value("Other") == 0.25
    document.select(one)
    window.bench.setFocus()
    at_quay.keys("L", CTRL)
    document.move(f"{other} move x", 0.6)
    document.select(other)
    right_click(at_quay, at_quay.named("Other move x"))
    in_menu(at_quay, "Paste the link from One move x")
    (link,) = document.rig.links.values()
    assert link == Ratio(f"{one} move x", f"{other} move x", 1.0)
    # It stays where it stands: its lead goes there.
    assert at_quay.value("Other") == at_quay.value("One") == pytest.approx(0.6)


def test_a_new_control_leaves_its_part_where_it_stands(at_quay: Hand) -> None:
    window, document = at_quay.window, at_quay.window.document
    build = gremio.Builder("One")
    build.part("Hatch", shape(Box(length=1, width=1, height=0.1)), joint="hinge y",
               stops=("0 deg", "90 deg"))  # fmt: skip
    window.show_rig(build.rig)
    document.move(channel_key(document.rig, "Hatch"), 0.7)
    document.select(part_id(document.rig, "Hatch"))
    window.bench.setFocus()
    at_quay.keys("c")
    assert at_quay.value("Hatch") == at_quay.value("Hatch control") == pytest.approx(0.7)


def test_a_word_is_pulled_to_nudge_its_number(at_quay: Hand) -> None:
    window, document = at_quay.window, at_quay.window.document
    document.select(control_id(document.rig, "Hoist"))
    word = at_quay.named("Pull Home")
    start = QPointF(word.rect().center())
    at_quay.drag(word, start, start + QPointF(20, 0), start + QPointF(41, 0))
    home = document.rig.controls[control_id(document.rig, "Hoist")].home
    assert home == pytest.approx(0.1)
    at_quay.keys(Qt.Key.Key_Z, CTRL)
    assert document.rig.controls[control_id(document.rig, "Hoist")].home == 0.0
    assert window.card.sheet is not None
