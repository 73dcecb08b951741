from __future__ import annotations

import json
import math
import re
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel, QMessageBox
from tests.core.files.textured import sheet
from tests.desktop.hand import CTRL, RIGHT, SHIFT, Hand

import gremio
import gremio.desktop
from gremio.core.edit import history as keeping
from gremio.core.edit.builder import Builder
from gremio.core.edit.controls import change_control
from gremio.core.edit.desk import keep_pose
from gremio.core.edit.parts import add_part, remove_part, rename_part, set_parent
from gremio.core.files import rig_file
from gremio.core.files.formats import Travel
from gremio.core.frames import Frame
from gremio.core.rig.find import channel_key, control_id, part_id
from gremio.core.rig.model import Cam, Control, Part, Rig
from gremio.desktop.actions.rigging import NEW_PARTS
from gremio.desktop.deck.station_table import SHOWN
from gremio.desktop.document.document import Document
from gremio.desktop.document.words import FELL_OFF
from gremio.desktop.kept import state_folder
from gremio.desktop.shell.find import entries_of, matching
from gremio.desktop.shell.key_sheet import KeySheet
from gremio.desktop.shell.recovery import Keeper
from gremio.desktop.shell.window import Window
from gremio.desktop.theme.inks import NIGHT

VERSIONS = Path(__file__).parents[1] / "files" / "versions"

# ── looking ──


def test_dragging_paper_looks_round_and_right_drag_shifts(at_lock: Hand) -> None:
    bench = at_lock.window.bench
    before = bench.camera
    paper = QPointF(bench.width() - 20, 50)
    at_lock.drag(bench, paper, paper - QPointF(60, -10))
    turned = bench.camera
    assert turned.azimuth != before.azimuth and turned.target == before.target
    at_lock.drag(bench, paper, paper - QPointF(60, 0), button=RIGHT)
    assert bench.camera.azimuth == turned.azimuth and bench.camera.target != turned.target
    bench.setFocus()
    at_lock.keys("z")
    assert bench.camera.azimuth == turned.azimuth
    assert at_lock.window.document.rig.at == {}


def test_v_shows_all_and_with_shift_what_is_selected(at_lock: Hand) -> None:
    window = at_lock.window
    window.bench.setFocus()
    at_lock.keys("V", SHIFT)
    assert "Select a part first" in at_lock.said[-1]
    window.document.select(part_id(window.document.rig, "Windlass"))
    far = window.bench.camera.distance
    at_lock.keys("V", SHIFT)
    near = window.bench.camera.distance
    assert near < far / 2
    at_lock.keys("v")
    assert window.bench.camera.distance > 2 * near


def test_the_bench_is_smooth_when_it_rests_and_quick_while_it_moves(at_lock: Hand) -> None:
    bench = at_lock.window.bench
    bench.frames._resting.setInterval(160)
    bench.frames._resting.start()
    at_lock.rest(400)
    rested = bench.grabFramebuffer()
    bench.frames._resting.start()
    moving = bench.grabFramebuffer()
    assert rested != moving
    at_lock.rest(400)
    assert bench.grabFramebuffer() == rested


def test_day_and_night(at_lock: Hand) -> None:
    at_lock.window.bench.setFocus()
    at_lock.keys("n")
    at_lock.rest(300)
    assert at_lock.window.inks is NIGHT
    corner = at_lock.window.bench.grabFramebuffer().pixelColor(3, 3)
    assert corner.lightness() < 80
    assert at_lock.window.desk.instruments[at_lock.instrument("Upper gates").control].inks is NIGHT


def test_the_deck_folds_away(at_lock: Hand) -> None:
    window = at_lock.window
    window.bench.setFocus()
    tall = window.bench.height()
    at_lock.keys("d")
    at_lock.rest(50)
    assert not window.deck.pages.isVisible() and window.bench.height() > tall + 100
    tab = at_lock.named("Ledger")
    at_lock.click(tab)
    assert window.deck.ledger.isVisible() and window.bench.height() == tall
    at_lock.click(tab)
    assert not window.deck.pages.isVisible()


def test_everything_fits_at_1280_by_800_and_smaller(at_lock: Hand) -> None:
    window = at_lock.window
    assert (window.width(), window.height()) == (1280, 800)
    for name in ("Upper gate, east", "Paddle, east", "Lock chamber"):
        window.document.select(part_id(window.document.rig, name))
        at_lock.rest(30)
        assert window.card.widget().minimumSizeHint().width() <= window.card.viewport().width()
    rig = window.document.rig
    some = (rig.controls, rig.links, rig.constraints, rig.struts, rig.strands, rig.closures)
    for thing in [thing for things in some for thing in list(things)[::4]]:
        window.document.select(thing)
        at_lock.rest(20)
        assert window.card.widget().minimumSizeHint().width() <= window.card.viewport().width()


# ── finding ──


def test_find_anything_by_keys(at_lock: Hand) -> None:
    window = at_lock.window
    at_lock.keys(Qt.Key.Key_K, CTRL)
    assert window.finder.isVisible()
    at_lock.keys("west")
    at_lock.keys(Qt.Key.Key_Down)
    at_lock.keys(Qt.Key.Key_Return)
    assert not window.finder.isVisible()
    selected = window.document.rig.parts[window.document.selected].name
    assert selected == "Upper gate, west"


def test_find_reaches_parts_controls_links_and_actions(at_lock: Hand) -> None:
    window = at_lock.window
    entries = entries_of(window.document, window.keys.entries.values(), window.show_thing)
    kinds = {entry.name: entry.kind.split()[0] for entry in entries}
    assert kinds["Paddle windlass"] == "control"
    assert kinds["Rack bar, east"] == "part"
    assert kinds["gear pair from Pinion, east to Windlass"] == "link"
    assert kinds["Show all"] == "action"
    assert matching(entries, "upper ga")[0].name.startswith("Upper ga")
    assert matching(entries, "no such thing") == []


def test_tab_goes_to_the_next_control(at_lock: Hand) -> None:
    window = at_lock.window
    window.bench.setFocus()
    at_lock.keys(Qt.Key.Key_Tab)
    assert at_lock.instrument("Upper gates").hasFocus()
    at_lock.keys(Qt.Key.Key_Tab)
    assert at_lock.instrument("Paddle windlass").hasFocus()
    at_lock.keys("4.5")
    at_lock.keys(Qt.Key.Key_Return)
    assert at_lock.value("Paddle windlass") == pytest.approx(9 * math.pi)


def test_the_ribbon_spells_the_drive_line_and_each_word_leads_there(at_lock: Hand) -> None:
    window = at_lock.window
    window.document.select(part_id(window.document.rig, "Upper gate, west"))
    words = [word for word, _ in window.ribbon.words()]
    assert words == [
        "Upper gates",
        "cam, 4 stations",
        "Upper gate, east",
        "× −1",
        "Upper gate, west turn z",
    ]
    at_lock.click(at_lock.named("cam, 4 stations"))
    assert window.document.selected in window.document.rig.links


# ── editing ──


def test_renaming_on_the_card_and_refusing_a_taken_name(at_lock: Hand) -> None:
    document = at_lock.window.document
    gate = part_id(document.rig, "Upper gate, east")
    document.select(gate)
    links = document.rig.links
    at_lock.type_into(at_lock.named("Name"), "Upper gate, west")
    assert "already the name" in at_lock.said[-1]
    at_lock.type_into(at_lock.named("Name"), "Leaf A")
    assert document.rig.parts[gate].name == "Leaf A"
    assert at_lock.window.undo.text() == "Undo rename Upper gate, east"
    assert document.rig.links is links


def test_a_low_stop_above_the_high_one_is_refused_on_the_card(at_lock: Hand) -> None:
    document = at_lock.window.document
    gate = part_id(document.rig, "Upper gate, east")
    document.select(gate)
    before = document.rig
    at_lock.type_into(at_lock.named("Low stop"), "80 deg")
    assert "would be above its high stop" in at_lock.said[-1]
    assert document.rig is before
    assert at_lock.named("Low stop").text() == "0°"
    at_lock.type_into(at_lock.named("High stop"), "")
    assert document.rig.parts[gate].stops["turn z"].high is None


def test_an_empty_range_is_refused_on_the_card(at_lock: Hand) -> None:
    document = at_lock.window.document
    document.select(control_id(document.rig, "Upper gates"))
    at_lock.type_into(at_lock.named("High end"), "0")
    assert "empty range" in at_lock.said[-1]
    assert at_lock.named("High end").text() == "74"


def test_dimensions_of_a_gear_can_be_changed_afterwards(at_lock: Hand) -> None:
    document = at_lock.window.document
    wheel = part_id(document.rig, "Wheel, 32 teeth")
    document.select(wheel)
    at_lock.type_into(at_lock.named("Teeth"), "60")
    solid = document.rig.parts[wheel].shapes[0].solid
    assert solid.teeth == 60 and isinstance(solid.teeth, int)
    at_lock.type_into(at_lock.named("Module"), "14 mm")
    assert document.rig.parts[wheel].shapes[0].solid.module == pytest.approx(0.014)
    at_lock.type_into(at_lock.named("Teeth"), "2")
    assert "5 teeth" in at_lock.said[-1]


@pytest.mark.parametrize("kind", [kind for kind, solid in NEW_PARTS.items() if solid is not None])
def test_every_kind_of_part_with_a_shape_can_be_added_and_seen(kind: str, hand: Hand) -> None:
    window = hand.window
    window.act(f"part.{kind.lower()}")
    hand.rest(30)
    bench = window.bench
    part = part_id(window.document.rig, kind)
    corners = [
        QPointF(bench.width() / 2 + x, bench.height() / 2 + y)
        for x in range(-150, 151, 30)
        for y in range(-90, 91, 30)
    ]
    assert part in {bench.part_at(at) for at in corners}


def test_mounting_elsewhere_moves_nothing(at_lock: Hand) -> None:
    document = at_lock.window.document
    document.move(channel_key(document.rig, "Upper gates"), 0.7)
    bollard = part_id(document.rig, "Bollard, east")
    before = document.pose.world(bollard)
    document.select(bollard)
    at_lock.choose("Mounted on", "Upper gate, west")
    assert document.rig.parts[bollard].parent == part_id(document.rig, "Upper gate, west")
    assert document.pose.world(bollard) == pytest.approx(before, abs=1e-9)


def test_the_part_and_its_joint_are_two_places_to_type(at_lock: Hand) -> None:
    document = at_lock.window.document
    bollard = part_id(document.rig, "Bollard, east")
    document.select(bollard)
    at_lock.type_into(at_lock.named("Part stands at z"), "4.5 m")
    assert document.pose.world(bollard)[2, 3] == pytest.approx(4.5)
    assert document.rig.parts[bollard].mount.at[2] == pytest.approx(4.5), "its joint goes along"
    at_lock.type_into(at_lock.named("Joint stands at z"), "4 m")
    assert document.rig.parts[bollard].mount.at[2] == pytest.approx(4.0)
    assert document.pose.world(bollard)[2, 3] == pytest.approx(4.5), "the part stays"
    assert document.rig.parts[bollard].own.at[2] == pytest.approx(0.5)


def test_tab_goes_from_field_to_field_on_the_card(at_lock: Hand) -> None:
    document = at_lock.window.document
    document.select(part_id(document.rig, "Upper gate, east"))
    at_lock.click(at_lock.named("Low stop"))
    at_lock.keys(Qt.Key.Key_Tab)
    assert at_lock.named("High stop").hasFocus()


def test_a_ratio_between_kinds_is_told_in_two_quantities(at_lock: Hand) -> None:
    document = at_lock.window.document
    hook = channel_key(document.rig, "Winch hook")
    winch = document.program.drives[hook].links[0]
    document.select(winch)
    assert at_lock.named("For every").text() == "360.0°"
    assert at_lock.named("It moves").text() == "0.942\u2009m"
    at_lock.type_into(at_lock.named("It moves"), "500 mm")
    assert document.rig.links[winch].ratio == pytest.approx(0.5 / (2 * math.pi))


def test_stations_on_the_cam_page(at_lock: Hand) -> None:
    window, document = at_lock.window, at_lock.window.document
    cam = next(iter(document.rig.links))
    at_lock.type_into(at_lock.named("Station 2 follower"), "30 deg")
    document.move(channel_key(document.rig, "Upper gates"), math.radians(30))
    assert at_lock.value("Upper gate, east") == pytest.approx(math.radians(30))
    document.move(channel_key(document.rig, "Upper gates"), math.radians(45))
    at_lock.click(at_lock.named("+ station"))
    assert len(document.rig.links[cam].stations) == 5
    at_lock.pick("More for station 3", "Remove")
    assert len(document.rig.links[cam].stations) == 4
    profile = window.deck.cam.profile
    spot = profile.point(math.radians(60), 0.5)
    at_lock.drag(profile, spot, spot + QPointF(1, 0))
    assert at_lock.value("Upper gates") == pytest.approx(math.radians(60), abs=0.02)


def test_removing_a_part_is_one_step(at_lock: Hand) -> None:
    window, document = at_lock.window, at_lock.window.document
    before = document.rig
    document.select(part_id(before, "Upper gate, east"))
    window.bench.setFocus()
    at_lock.keys(Qt.Key.Key_Delete)
    assert "Paddle, east" not in {p.name for p in document.rig.parts.values()}
    assert document.selected == ""
    at_lock.keys(Qt.Key.Key_Z, CTRL)
    assert document.rig == before


def test_a_free_part_is_dragged_in_the_plane_of_the_screen(at_lock: Hand) -> None:
    document = at_lock.window.document
    bollard = part_id(document.rig, "Bollard, west")
    document.select(bollard)
    at_lock.choose("Joint", "Free")
    grip = at_lock.on_part("Bollard, west", (0, 0, 0.4))
    at_lock.drag(at_lock.window.bench, grip, grip + QPointF(-10, 5), grip + QPointF(-30, 12))
    there = at_lock.on_part("Bollard, west", (0, 0, 0.4))
    assert (there - grip).x() == pytest.approx(-30, abs=3)
    assert (there - grip).y() == pytest.approx(12, abs=3)


# ── files ──


def test_a_broken_file_leaves_the_open_rig_as_it_is(at_lock: Hand, tmp_path: Path) -> None:
    window = at_lock.window
    before = window.document.rig
    broken = tmp_path / "broken.gremio"
    broken.write_bytes(rig_file.encode(before)[:-200])
    assert not window.files.open_path(broken)
    assert window.document.rig is before
    assert "broken.gremio is not a whole Gremio rig" in at_lock.said[-1]


def test_saving_where_nothing_can_be_saved_says_so(at_lock: Hand, tmp_path: Path) -> None:
    window = at_lock.window
    window.document.move(channel_key(window.document.rig, "Upper gates"), 0.5)
    assert not window.files.save_path(tmp_path / "none" / "lock.gremio")
    assert "could not be saved" in at_lock.said[-1]
    assert window.document.changed


def test_a_rig_with_faults_opens_and_its_notes_are_listed(
    at_lock: Hand, hatch: Rig, tmp_path: Path
) -> None:
    twice = replace(hatch, parts={**hatch.parts, "p99": hatch.parts["p1"]})
    gremio.save(twice, tmp_path / "twice.gremio")
    window = at_lock.window
    assert window.files.open_path(tmp_path / "twice.gremio")
    at_lock.qtbot.waitUntil(lambda: window.head.notes.text() == "1 note", timeout=8000)
    at_lock.click(window.head.notes)
    assert window.deck.pages.currentWidget() is window.deck.inspection
    at_lock.click(at_lock.named("show it"))
    assert window.document.rig.parts[window.document.selected].name == "Frame 2"


def test_a_file_that_says_what_is_not_known_is_read_only(
    at_lock: Hand, hatch: Rig, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "newer.gremio"
    gremio.save(hatch, file)
    plain = json.loads(file.read_text())
    plain["rig"]["weather"] = "rain"
    file.write_text(json.dumps(plain))
    before, window = file.read_bytes(), at_lock.window
    assert window.files.open_path(file)
    assert "weather" in at_lock.said[-1] and "read only" in at_lock.said[-1]
    assert not window.files.save() and file.read_bytes() == before
    assert "read only" in at_lock.said[-1]
    asked: list[str] = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: asked.append(box.text()) or 0)
    assert not window.files.save_as(), "staying is what Enter does"
    assert "weather" in asked[0] and "without it" in asked[0]


def test_saving_what_did_not_change_keeps_the_bytes_and_an_older_file(
    at_lock: Hand, tmp_path: Path
) -> None:
    window, older = at_lock.window, VERSIONS / "v1-links.gremio"
    file = tmp_path / "winch.gremio"
    file.write_bytes(older.read_bytes())
    assert window.files.open_path(file) and window.files.save()
    assert file.read_bytes() == older.read_bytes(), "an older file is not rewritten until edited"
    window.document.edit("rename", lambda rig: replace(rig, name="Another"))
    assert window.files.save()
    assert "v1.gremio" in at_lock.said[-1]
    assert (tmp_path / "winch.v1.gremio").read_bytes() == older.read_bytes()
    assert gremio.load(file).name == "Another"


def test_six_controls_moved_at_once_are_one_edit_and_one_solve(
    at_lock: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    document = at_lock.window.document
    solved: list[int] = []
    solve = document._solve
    monkeypatch.setattr(document, "_solve", lambda: (solved.append(1), solve()))
    told: list[int] = []
    document.pose_changed.connect(lambda: told.append(1))
    controls = list(document.rig.controls)[:6]
    steps = len(document.history.done)
    wanted = {c: 0.5 * (document.rig.controls[c].low + document.rig.controls[c].high)
              for c in controls}  # fmt: skip
    assert document.move_all(wanted, "move six")
    assert (len(solved), len(told), len(document.history.done) - steps) == (1, 1, 1)
    assert document.history.undo_name == "move six"


def test_renaming_the_rig_and_keeping_a_pose_compile_nothing(at_lock: Hand) -> None:
    document, desk = at_lock.window.document, at_lock.window.desk
    program, instruments = document.program, dict(desk.instruments)
    document.edit("rename", lambda rig: replace(rig, name="Another lock"))
    document.edit("keep", lambda rig: keep_pose(rig, "Here", {})[0])
    assert document.program is program and desk.instruments == instruments


def test_an_edit_remakes_the_rows_concerned(at_lock: Hand) -> None:
    window, document = at_lock.window, at_lock.window.document
    before = dict(window.desk.instruments)
    items = dict(window.parts._items)
    gates = control_id(document.rig, "Upper gates")
    changed = replace(document.rig.controls[gates], high=1.0)
    document.edit("range", lambda rig: change_control(rig, gates, changed))
    after = window.desk.instruments
    assert [c for c in before if after[c] is not before[c]] == [gates]
    gate = part_id(document.rig, "Upper gate, east")
    document.edit("rename", lambda rig: rename_part(rig, gate, "East leaf"))
    assert window.parts._items == items and items[gate].text(0) == "East leaf"
    assert window.desk.instruments == after


def test_parts_that_come_and_go_are_put_in_and_taken_out_of_the_tree(at_lock: Hand) -> None:
    window, document = at_lock.window, at_lock.window.document

    def tree() -> list[tuple[str, str]]:
        found, waiting = [], [window.parts.tree.invisibleRootItem()]
        while waiting:
            above = waiting.pop()
            for i in range(above.childCount()):
                item = above.child(i)
                found.append((above.text(0), item.text(0)))
                waiting.append(item)
        return found

    gate = window.parts._items[part_id(document.rig, "Upper gate, west")]
    windlass = part_id(document.rig, "Windlass")
    document.edit("remove", lambda rig: remove_part(rig, part_id(rig, "Upper gate, east")))
    document.edit("add", lambda rig: add_part(rig, Part("Lamp", part_id(rig, "Boiler")))[0])
    boiler = part_id(document.rig, "Boiler")
    crane = part_id(document.rig, "Crane post")
    document.edit("mount", lambda rig: set_parent(rig, crane, boiler, Frame()))
    window.document.select(boiler)
    document.edit("mount", lambda rig: set_parent(rig, boiler, part_id(rig, "Cabin"), Frame()))
    assert window.parts.tree.currentItem() is window.parts._items[boiler]
    steps = [tree()]
    assert ("Boiler", "Crane post") in steps[0] and windlass not in window.parts._items
    while document.history.undo_name:
        document.undo()
        steps.append(tree())
    assert window.parts._items[part_id(document.rig, "Upper gate, west")] is gate
    # Every step is as if the tree had been filled anew.
    for step in reversed(steps):
        window.parts.rebuild()
        assert tree() == step
        document.redo()


def test_instruments_are_furnished_when_they_are_seen(hand: Hand) -> None:
    controls = {f"c{i}": Control(f"Lead {i}", "angle", "deg", -1.0, 1.0) for i in range(1_000)}
    hand.window.show_rig(Rig(controls=controls))
    hand.rest(100)
    desk = hand.window.desk
    seen = [c for c, instrument in desk.instruments.items() if instrument.seen]
    assert len(desk.instruments) == 1_000 and 3 <= len(seen) <= 40
    assert hand.instrument("Lead 0").seen and not hand.instrument("Lead 900").seen
    bar = desk.area.verticalScrollBar()
    bar.setValue(bar.maximum())
    hand.rest(100)
    assert hand.instrument("Lead 999").seen and hand.instrument("Lead 999").field.isVisible()


def test_what_leads_a_control_is_told_by_the_name_it_has_now(hand: Hand) -> None:
    made = Builder("Crank")
    made.part("Crank", joint="hinge z")
    made.control("Gauge", 0, 1, kind="angle")
    made.control("Push", 0, 1, kind="angle")
    made.ratio("Push", "Crank turn z", 1)
    made.ratio("Crank turn z", "Gauge", 1)
    hand.window.show_rig(made.rig)
    hand.rest(50)
    assert hand.instrument("Gauge").leads.startswith("led by Crank;")
    crank = part_id(made.rig, "Crank")
    hand.window.document.edit("rename", lambda rig: rename_part(rig, crank, "Handle"))
    assert hand.instrument("Gauge").leads.startswith("led by Handle;")


def test_the_oldest_step_that_goes_is_told_once(
    hand: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(keeping, "MOST_STEPS", 4)
    for step in range(8):
        hand.window.document.edit("rename", lambda rig, to=step: replace(rig, name=f"Rig {to}"))
    assert len(hand.window.document.history.done) == 4
    assert [said for said in hand.said if "oldest step can't be undone" in said] == [FELL_OFF]


def test_a_broken_model_is_told_and_brings_nothing_in(at_lock: Hand, tmp_path: Path) -> None:
    path = tmp_path / "torn.glb"
    path.write_bytes(b"glTF torn")
    before = at_lock.window.document.rig
    at_lock.window.files.bring_in_path(path)
    assert "torn.glb is broken" in at_lock.said[-1]
    assert at_lock.window.document.rig is before


def test_leaving_a_model_changes_nothing(at_lock: Hand, tmp_path: Path) -> None:
    window = at_lock.window
    window.files.export_path(tmp_path / "out.glb", Travel())
    before = window.document.rig
    window.files.bring_in_path(tmp_path / "out.glb")
    assert "Upper gate, east 2" in {p.name for p in window.bench.pose.program.rig.parts.values()}
    at_lock.choose("Unit of the file", "centimetres")
    at_lock.click(at_lock.named("Leave it"))
    assert window.document.rig is before
    assert window.bench.pose is window.document.pose


def test_a_model_is_shown_in_its_textures_by_a_switch(hand: Hand, tmp_path: Path) -> None:
    """Before it is brought in, and after; without textures there is nothing to switch."""
    window, bench = hand.window, hand.window.bench
    hand.click(bench)
    hand.keys("W", SHIFT)
    assert "Nothing here came with textures" in hand.said[-1] and not bench.textured
    window.files.bring_in_path(sheet(tmp_path / "sheet.glb"))
    assert "2 materials, 3 pictures" in {label.text() for label in window.findChildren(QLabel)}
    paint = bench.grabFramebuffer()
    bench.setFocus()
    hand.keys("W", SHIFT)
    assert bench.textured and bench._title() == "what would be brought in, textured"
    assert bench.grabFramebuffer() != paint
    hand.click(hand.named("Bring in 2 parts"))
    textured = bench.grabFramebuffer()
    bench.setFocus()
    hand.keys("W", SHIFT)
    assert not bench.textured and bench.grabFramebuffer() != textured


# ── keeping ──


def test_unsaved_work_survives_a_crash(at_lock: Hand, tmp_path: Path) -> None:
    window = at_lock.window
    window.document.move(channel_key(window.document.rig, "Upper gates"), 0.5)
    keeper = window.keeper
    at_lock.qtbot.waitUntil(lambda: bool(keeper.files), timeout=15000)
    # A window that is there holds its lock.
    assert Keeper(keeper.folder).leftovers() == []
    assert keeper._lock is not None
    keeper._lock.close()
    leftovers = Keeper(keeper.folder).leftovers()
    assert [left.name for left in leftovers] == [window.document.rig.name]
    crashed = window.document.rig
    window.keeper = Keeper(keeper.folder)
    window.document.start(Rig(), None)
    window.offer(leftovers)
    assert window.bar.isVisible()
    at_lock.click(at_lock.named("Open it"))
    assert window.document.rig == crashed and window.document.changed
    assert not window.bar.isVisible()
    assert not keeper.files and Keeper(keeper.folder).leftovers() == []
    assert tmp_path in keeper.folder.parents


def test_saving_leaves_nothing_aside(at_lock: Hand, tmp_path: Path) -> None:
    window = at_lock.window
    window.document.move(channel_key(window.document.rig, "Upper gates"), 0.5)
    at_lock.qtbot.waitUntil(lambda: bool(window.keeper.files), timeout=15000)
    assert window.files.save_path(tmp_path / "lock.gremio")
    assert not window.keeper.files
    assert not window.document.changed


def test_closing_with_unsaved_work_asks(at_lock: Hand, monkeypatch: pytest.MonkeyPatch) -> None:
    window = at_lock.window
    window.document.move(channel_key(window.document.rig, "Upper gates"), 0.5)
    asked: list[str] = []

    def stay(box: QMessageBox) -> int:
        asked.append(box.text())
        return 0

    monkeypatch.setattr(QMessageBox, "exec", stay)
    assert not window.close()
    assert "not saved" in asked[0] and window.isVisible()


# ── keys ──


def test_a_key_can_be_changed_and_is_kept(at_lock: Hand) -> None:
    keys = at_lock.window.keys
    actions = keys.entries
    sheet = KeySheet(keys, at_lock.window)
    sheet.edits["bench.all"].setKeySequence(QKeySequence("Q"))
    sheet.edits["bench.all"].editingFinished.emit()
    assert actions["bench.all"].shortcut().toString() == "Q"
    sheet.edits["rig.home"].setKeySequence(QKeySequence("Q"))
    sheet.edits["rig.home"].editingFinished.emit()
    assert "is the key for" in sheet.message.text()
    assert actions["rig.home"].shortcut().toString() == "H"
    actions["bench.all"].setShortcut(QKeySequence("Z"))
    keys.load()
    assert actions["bench.all"].shortcut().toString() == "Q"
    kept = json.loads((state_folder() / "keys.json").read_text())
    assert kept == {"by id": {"bench.all": "Q"}}, "only what differs is kept"


def test_keys_kept_by_their_words_before_are_read_once(window: Window) -> None:
    folder = state_folder()
    folder.mkdir(parents=True, exist_ok=True)
    kept = {"Show all": "Q", "Go home": "H", "An action that is no more": "G"}
    (folder / "keys.json").write_text(json.dumps(kept))
    window.keys.load()
    assert window.keys.entries["bench.all"].shortcut().toString() == "Q"
    window.keys.keep()
    assert json.loads((folder / "keys.json").read_text()) == {"by id": {"bench.all": "Q"}}


def test_every_action_that_a_view_asks_for_is_in_the_table(window: Window) -> None:
    ids = [action.id for action in window.keys.table]
    assert len(ids) == len(set(ids))
    source = Path(gremio.desktop.__file__).parent
    asked = [
        word
        for file in source.rglob("*.py")
        for word in re.findall(r'(?:wanted\.emit|self\.act), "([^"]+)"', file.read_text())
    ]
    assert len(asked) > 3 and set(asked) <= set(ids)


def test_no_key_is_given_twice(window: Window) -> None:
    keys = [a.shortcut().toString() for a in window.keys.entries.values()]
    keys = [key for key in keys if key]
    assert len(keys) == len(set(keys))


def test_a_document_solves_without_compiling_when_only_values_move(lock: Rig) -> None:
    document = Document()
    document.start(lock, None)
    program = document.program
    document.move(control_id(lock, "Upper gates"), 0.4)
    assert document.program is program
    assert np.isclose(document.pose.control("Upper gates"), 0.4)


def test_a_law_for_a_span_and_what_holds_beyond_the_stations(at_lock: Hand) -> None:
    document = at_lock.window.document
    document.select(channel_key(document.rig, "Upper gate, east").split()[0])
    at_lock.choose("Span after station 1", "cycloidal")
    at_lock.choose("After the stations", "after: carry on")
    cam = next(k for k in document.rig.links.values() if isinstance(k, Cam))
    east = channel_key(document.rig, "Upper gate, east")
    assert cam.stations[0].spans == {east: "cycloidal"} and cam.after == "carry on"
    document.move(channel_key(document.rig, "Upper gates"), math.radians(15))
    assert at_lock.value("Upper gate, east") == pytest.approx(math.radians(8))
    assert "speed up to" in at_lock.named("Peaks").text()
    at_lock.choose("Profile kind", SHOWN["smooth"])
    cam = next(k for k in document.rig.links.values() if isinstance(k, Cam))
    assert cam.stations[0].spans == {}


def test_a_station_is_dragged_and_added_on_the_cam_page(at_lock: Hand) -> None:
    document, page = at_lock.window.document, at_lock.window.deck.cam
    east = channel_key(document.rig, "Upper gate, east")
    document.select(east.split()[0])
    at_lock.rest(50)

    def stations() -> list[tuple[float, float]]:
        cam = document.rig.links[page.link_id]
        assert isinstance(cam, Cam)
        return [(s.lead, s.values[east]) for s in cam.stations]

    before, profile = stations(), page.profile
    lead, at = before[1]
    start = profile.point(lead, at)
    at_lock.drag(profile, start, QPointF(start.x() + 20, start.y() + 12))
    moved = stations()
    assert moved[1][0] > lead and moved[1][1] < at
    assert moved[:1] + moved[2:] == before[:1] + before[2:]
    # It came to rest on a round value of the unit shown.
    halves = 2 * math.degrees(moved[1][1])
    assert halves == pytest.approx(round(halves), abs=1e-9)

    # Never past its neighbour, however far the hand goes.
    start = profile.point(*moved[1])
    at_lock.drag(profile, start, QPointF(profile.width(), start.y()))
    assert stations()[1][0] < stations()[2][0]
    document.undo()
    document.undo()
    assert stations() == before

    at_lock.rest(50)
    half = (before[0][0] + before[1][0]) / 2
    spot = profile.mapTo(at_lock.window, profile.point(half, before[1][1])).toPoint()
    QTest.mouseDClick(at_lock.window.windowHandle(), Qt.MouseButton.LeftButton, pos=spot)
    at_lock.rest()
    assert len(stations()) == len(before) + 1
    assert stations()[1] == pytest.approx((half, before[1][1]), abs=0.02)
