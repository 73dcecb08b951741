"""What a user does in the first ten minutes, in the real window."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PyQt6.QtCore import QPointF, Qt
from tests.desktop.hand import CTRL, SHIFT, Hand

import gremio
from gremio.core.files.formats import Travel
from gremio.core.rig.find import channel_key, control_id, part_id
from gremio.core.rig.model import Cam, Joint, Ratio
from gremio.demo.saltmarsh import OPEN
from gremio.desktop.bench.camera import project


def test_a_fast_drag_on_the_desk_ends_exactly_on_the_stops(at_lock: Hand) -> None:
    gates, start = at_lock.instrument("Upper gates"), at_lock.slider("Upper gates")
    at_lock.drag(gates, start, start + QPointF(700, 40))
    assert at_lock.value("Upper gate, east") == OPEN
    assert at_lock.value("Upper gate, west") == -OPEN
    assert at_lock.value("Upper gates") == OPEN
    start = at_lock.slider("Upper gates")
    at_lock.drag(gates, start, start - QPointF(265, 0))
    assert at_lock.value("Upper gate, east") == 0.0


def test_the_windlass_raises_the_paddle(at_lock: Hand) -> None:
    windlass, start = at_lock.instrument("Paddle windlass"), at_lock.slider("Paddle windlass")
    at_lock.drag(windlass, start, start + QPointF(60, 0), start + QPointF(900, 0))
    pinion = at_lock.value("Pinion, east", "turn y") / (2 * math.pi)
    assert pinion == pytest.approx(9 * 12 / 32)
    assert at_lock.value("Paddle, east") == pytest.approx(math.pi * 0.012 * 12 * pinion)


def test_clicking_a_leaf_shows_it_on_the_card(at_lock: Hand) -> None:
    at_lock.click(at_lock.window.bench, at_lock.on_part("Upper gate, east", (2.6, -0.08, 1.0)))
    document = at_lock.window.document
    assert document.selected == part_id(document.rig, "Upper gate, east")
    assert at_lock.named("Joint").currentText() == "Hinge"
    assert at_lock.named("Axis").currentText() == "about z"
    assert at_lock.named("Low stop").text() == "0°"
    assert at_lock.named("High stop").text() == "74°"
    assert at_lock.named("Upper gates") is not None
    assert at_lock.named("Upper gate, west turn z") is not None
    assert at_lock.named("grounded: move x y z, turn x y") is not None
    handle = at_lock.window.bench.overlay.drawn.handle
    assert handle is not None and handle.kind == "arc"
    assert (handle.low, handle.high) == (0.0, OPEN)
    assert len(at_lock.window.bench.overlay.drawn.ghosts) == 1


def test_dragging_a_leaf_takes_the_control_and_the_other_leaf_along(at_lock: Hand) -> None:
    document = at_lock.window.document
    document.move(channel_key(document.rig, "Upper gates"), math.radians(40))
    at_lock.rest(50)
    before = at_lock.value("Upper gate, east")
    grip = at_lock.on_part("Upper gate, east", (2.6, -0.08, 1.0))
    at_lock.drag(at_lock.window.bench, grip, grip + QPointF(20, 0), grip + QPointF(45, 4))
    after = at_lock.value("Upper gate, east")
    assert abs(after - before) > math.radians(4)
    assert at_lock.value("Upper gate, west") == -after
    assert at_lock.value("Upper gates") != pytest.approx(math.radians(40))


def test_a_wild_drag_of_a_leaf_ends_on_a_stop(at_lock: Hand) -> None:
    grip = at_lock.on_part("Upper gate, east", (2.6, -0.08, 1.0))
    bench = at_lock.window.bench
    way = [grip, grip + QPointF(-30, 10), grip + QPointF(-200, 30), QPointF(5, 300)]
    at_lock.drag(bench, *way)
    assert at_lock.value("Upper gate, east") in (0.0, OPEN)
    assert at_lock.value("Upper gate, west") == -at_lock.value("Upper gate, east")


def test_the_balance_beam_moves_its_gate(at_lock: Hand) -> None:
    bench, rig = at_lock.window.bench, at_lock.window.document.rig
    tail = (-3.3, 0.0, 0.3)
    grip = at_lock.on_part("Balance beam, east", tail)
    opened = gremio.solve(rig, {"Upper gates": "35 deg"})
    there = opened.part("Balance beam, east").world @ np.append(tail, 1.0)
    (pixel,), _ = project(bench.camera, bench.logical_size(), there[:3])
    end = QPointF(*pixel)
    at_lock.drag(bench, grip, (grip + end) / 2, end)
    wanted = opened.value("Upper gate, east")
    assert at_lock.value("Upper gate, east") == pytest.approx(wanted, abs=math.radians(6))


def test_the_chamber_is_grounded_and_the_screen_says_so(at_lock: Hand) -> None:
    before = at_lock.window.document.rig
    grip = at_lock.on_part("Lock chamber", (2.4, 4.275, 2.0))
    at_lock.drag(at_lock.window.bench, grip, grip + QPointF(40, 0), grip + QPointF(90, 10))
    assert at_lock.said and "Lock chamber is grounded" in at_lock.said[-1]
    assert "J" in at_lock.said[-1]
    assert at_lock.window.message.isVisible()
    assert at_lock.window.document.rig is before


def test_typing_a_value_on_the_desk(at_lock: Hand) -> None:
    field = at_lock.instrument("Paddle windlass").field
    at_lock.type_into(field, "1.5 turn")
    assert at_lock.value("Paddle windlass") == pytest.approx(3 * math.pi)
    at_lock.type_into(field, "=36/20")
    assert at_lock.value("Paddle windlass") == pytest.approx(1.8 * 2 * math.pi)
    at_lock.type_into(field, "35 mm")
    assert "Paddle windlass takes an angle" in at_lock.said[-1]
    assert field.property("wrong") is True
    at_lock.keys(Qt.Key.Key_Escape)
    assert field.text() == "1.80\u2009turns" and field.property("wrong") is False


def test_arrows_nudge_and_a_double_click_goes_home(at_lock: Hand) -> None:
    gates = at_lock.instrument("Upper gates")
    at_lock.click(gates, QPointF(60, 10))
    at_lock.keys(Qt.Key.Key_Right)
    assert at_lock.value("Upper gates") == pytest.approx(math.radians(1))
    at_lock.keys(Qt.Key.Key_Right, SHIFT)
    assert at_lock.value("Upper gates") == pytest.approx(math.radians(11))
    at_lock.keys(Qt.Key.Key_Left, CTRL)
    assert at_lock.value("Upper gates") == pytest.approx(math.radians(10.9))
    at_lock.keys("h")
    assert at_lock.value("Upper gates") == 0.0


def test_each_drag_is_one_step_that_undo_names(at_lock: Hand) -> None:
    gates, start = at_lock.instrument("Upper gates"), at_lock.slider("Upper gates")
    way = [start + QPointF(x, 0) for x in (0, 20, 40, 60, 80)]
    at_lock.drag(gates, *way)
    there = at_lock.value("Upper gates")
    assert at_lock.window.undo.text() == "Undo move Upper gates"
    at_lock.keys(Qt.Key.Key_Z, CTRL)
    assert at_lock.value("Upper gates") == 0.0
    assert not at_lock.window.undo.isEnabled()
    at_lock.keys(Qt.Key.Key_Z, CTRL | SHIFT)
    assert at_lock.value("Upper gates") == there


@pytest.fixture
def hatch_file(tmp_path: Path) -> Path:
    """A model of a frame with a lid beside it and a round hole for its hinge."""
    scene = trimesh.Scene()
    scene.add_geometry(trimesh.creation.box((2.0, 0.2, 1.0)), node_name="Coaming")
    lid = trimesh.creation.box((1.0, 0.1, 0.8))
    shift = trimesh.transformations.translation_matrix([0.0, 0.5, 0.0])
    scene.add_geometry(lid, node_name="Lid", transform=shift)
    path = tmp_path / "hatch.glb"
    path.write_bytes(scene.export(file_type="glb"))
    return path


def test_from_a_model_to_a_working_lid(hand: Hand, hatch_file: Path, tmp_path: Path) -> None:
    window, document = hand.window, hand.window.document
    window.files.bring_in_path(hatch_file)
    assert document.rig.parts == {}
    hand.click(hand.named("Bring in 2 parts"))
    assert sorted(p.name for p in document.rig.parts.values()) == ["Coaming", "Lid"]

    # The mount goes to a corner of the lid; what is seen stays in place.
    lid = part_id(document.rig, "Lid")
    window.document.select(lid)
    seen = document.pose.world(lid)
    hand.click(hand.named("Pick its place…"))
    corner = (0.4, 0.5, 0.05)
    hand.move(window.bench, hand.on_part("Lid", corner) + QPointF(3, 2))
    hand.click(window.bench, hand.on_part("Lid", corner) + QPointF(2, 2))
    mount = np.array(document.rig.parts[lid].mount.at)
    assert mount == pytest.approx(seen[:3, 3] + corner, abs=1e-6)
    assert document.rig.parts[lid].own.at == pytest.approx(np.negative(corner))
    assert document.pose.world(lid) == pytest.approx(seen), "the part keeps its frame"

    hand.choose("Joint", "Hinge")
    hand.choose("Axis", "about y")
    assert document.rig.parts[lid].joint == Joint("hinge", "y")

    # Stops at the present position.
    hand.type_into(hand.named("Lid turn y"), "-20 deg")
    window.bench.setFocus()
    hand.keys("[")
    hand.type_into(hand.named("Lid turn y"), "80 deg")
    window.bench.setFocus()
    hand.keys("]")
    hand.type_into(hand.named("Lid turn y"), "170 deg")
    assert hand.value("Lid") == pytest.approx(math.radians(80))

    # A plain control, named, with a unit and a range of its own; then the link.
    window.document.select("")
    window.bench.setFocus()
    hand.keys("c")
    hand.type_into(hand.named("Name"), "Open lid")
    hand.choose("Kind", "number")
    hand.choose("Unit", "%")
    hand.type_into(hand.named("High end"), "100")
    control = next(iter(document.rig.controls.values()))
    assert (control.name, control.kind, control.unit) == ("Open lid", "number", "%")
    assert (control.low, control.high) == (0.0, 1.0)
    window.bench.setFocus()
    hand.keys("l")
    hand.click(window.bench, hand.on_part("Lid", (0.0, 0.0, 0.0)))
    link = next(iter(document.rig.links.values()))
    assert isinstance(link, Ratio)

    start = hand.slider("Open lid")
    hand.drag(hand.instrument("Open lid"), start, start + QPointF(600, 0))
    assert hand.value("Lid") == pytest.approx(math.radians(80))

    # As a cam of two stations, with one value typed anew.
    hand.click(hand.named("Lid turn y"))
    hand.choose("Made as", "cam")
    hand.type_into(hand.named("Station 2 follower"), "60 deg")
    assert isinstance(next(iter(document.rig.links.values())), Cam)
    assert hand.value("Lid") == pytest.approx(math.radians(60))

    # Save, and back to nothing and forth again, step by step.
    file = tmp_path / "hatch.gremio"
    assert window.files.save_path(file)
    finished = document.rig
    steps = 0
    while window.undo.isEnabled():
        hand.keys(Qt.Key.Key_Z, CTRL)
        steps += 1
    assert steps > 12 and document.rig == gremio.Rig()
    while window.redo.isEnabled():
        hand.keys(Qt.Key.Key_Z, CTRL | SHIFT)
    assert document.rig == finished

    worlds = document.pose.worlds.copy()
    document.start(gremio.Rig(), None)
    assert window.files.open_path(file)
    assert document.rig == finished
    assert np.array_equal(document.pose.worlds, worlds)

    # Export: as posed, and the control's whole travel.
    window.files.export_path(tmp_path / "posed.glb", Travel())
    window.files.export_path(tmp_path / "travel.glb", Travel("Open lid"))
    scene = trimesh.load_scene(tmp_path / "posed.glb")
    assert set(scene.graph.nodes_geometry) == {"Coaming", "Lid"}
    assert b"Open lid" in (tmp_path / "travel.glb").read_bytes()


def test_a_control_for_a_part_in_one_key(at_lock: Hand) -> None:
    document = at_lock.window.document
    at_lock.window.act("part.box")
    at_lock.choose("Joint", "Slide")
    at_lock.window.bench.setFocus()
    at_lock.keys("c")
    link = list(document.rig.links.values())[-1]
    assert isinstance(link, Ratio) and link.follower == channel_key(document.rig, "Box")
    at_lock.type_into(at_lock.instrument("Box control").field, "0.4")
    assert at_lock.value("Box") == pytest.approx(0.4)


def test_a_second_lead_is_refused_on_the_screen(at_lock: Hand) -> None:
    document = at_lock.window.document
    document.select(control_id(document.rig, "Paddle windlass"))
    at_lock.window.bench.setFocus()
    before = document.rig
    at_lock.keys("l")
    at_lock.click(at_lock.window.bench, at_lock.on_part("Upper gate, east", (2.6, -0.08, 1.0)))
    assert "Upper gate, east is led twice" in at_lock.said[-1]
    assert "the cam from Upper gates" in at_lock.said[-1]
    assert document.rig is before
