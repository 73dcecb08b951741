"""Teaching a cam and working on it, by mouse and keys in the real window."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QLabel
from tests.desktop.hand import CTRL, SHIFT, Hand, act

import gremio
from gremio.core.edit.builder import shape
from gremio.core.edit.controls import change_control
from gremio.core.edit.parts import rename_part, set_stops
from gremio.core.inspect.words import how
from gremio.core.rig.cams import is_from_to
from gremio.core.rig.find import channel_key, control_id, part_id
from gremio.core.rig.model import Cam, Stops
from gremio.core.rig.scales import shown_on
from gremio.core.rig.solids import Box
from gremio.desktop.card.cam_table_sheet import CamTableSheet
from gremio.desktop.deck.station_table import SHOWN

RETURN, DELETE = Qt.Key.Key_Return, Qt.Key.Key_Delete


@pytest.fixture
def at_door(hand: Hand) -> Hand:
    """A door with a latch, and a control that leads nothing yet."""
    build = gremio.Builder("Cabin door")
    leaf = shape(Box(length=1.0, width=0.08, height=2.0), (0.5, 0, 1.0))
    build.part("Door", leaf, joint="hinge z", stops=("0 deg", "110 deg"))
    bolt = shape(Box(length=0.3, width=0.1, height=0.12))
    build.part("Latch", bolt, on="Door", at=(0.85, -0.12, 1.0), joint="slide x",
               stops=("-200 mm", "0 mm"))  # fmt: skip
    build.control("Open door", 0.0, 1.0, kind="number", unit="%")
    hand.window.show_rig(build.rig)
    hand.rest(60)
    return hand


def cam(hand: Hand) -> Cam:
    found = next(k for k in hand.window.document.rig.links.values() if isinstance(k, Cam))
    assert isinstance(found, Cam)
    return found


def stations(hand: Hand, name: str) -> list[tuple[float, float]]:
    channel = channel_key(hand.window.document.rig, name)
    return [(s.lead, s.values[channel]) for s in cam(hand).stations if channel in s.values]


def begin(hand: Hand, lead: str = "Open door") -> None:
    hand.window.document.select(control_id(hand.window.document.rig, lead))
    hand.window.bench.setFocus()
    hand.keys("t")


def pull_knob(hand: Hand, part: str, to: float) -> None:
    """Drag the knob of a part's handle to a value."""
    hand.window.document.select(part_id(hand.window.document.rig, part))
    hand.rest(20)
    bench = hand.window.bench
    handle = bench.overlay.drawn.handle
    assert handle is not None
    way = [handle.value + (to - handle.value) * share for share in (0.0, 0.3, 0.7, 1.0)]
    hand.drag(bench, *bench.overlay.points([handle.at(value) for value in way]))


def test_from_an_empty_rig_to_a_working_door(hand: Hand) -> None:
    window, document = hand.window, hand.window.document
    window.bench.setFocus()
    act(window, "Add a box")
    hand.rest(60)
    hand.choose("Joint", "Hinge")
    hand.choose("Axis", "about z")
    window.bench.setFocus()
    document.select("")
    hand.keys("c")
    hand.type_into(hand.named("Name"), "Open")
    window.bench.setFocus()
    hand.keys("t")
    assert document.teaching.lesson is not None and window.teach_bar.isVisible()
    hand.type_into(hand.named("Lead value"), "60 deg")
    pull_knob(hand, "Box", 0.9)
    assert "Drop Box turn z" in [
        w.accessibleName() for w in window.teach_bar.findChildren(type(hand.named("Done")))
    ]
    hand.click(hand.named("Record station"))
    assert [lead for lead, _ in stations(hand, "Box")] == pytest.approx([0, math.radians(60)])
    assert stations(hand, "Box")[1][1] == pytest.approx(0.9, abs=0.03)
    hand.click(hand.named("Done"))
    # Leaving shows the motion at once, and the slider leads the door.
    assert document.teaching.lesson is None and window.bench.motion.running
    hand.drag(hand.instrument("Open"), hand.slider("Open"),
              QPointF(hand.instrument("Open").x_of(math.radians(30)), 34))  # fmt: skip
    assert 0.3 < hand.value("Box") < 0.6


def test_what_is_changed_is_said_and_can_be_dropped(at_door: Hand) -> None:
    document = at_door.window.document
    begin(at_door)
    pull_knob(at_door, "Door", 1.0)
    lesson = document.teaching.lesson
    assert lesson is not None and list(lesson.changed) == [channel_key(document.rig, "Door")]
    assert document.rig.links == {} and not document.rig.at
    at_door.click(at_door.named("Drop Door turn z"))
    assert document.teaching.lesson is not None and not document.teaching.lesson.changed
    assert at_door.value("Door") == 0.0


def test_parts_are_taught_by_typing_on_the_card_and_r_records(at_door: Hand) -> None:
    window, document = at_door.window, at_door.window.document
    begin(at_door)
    document.select(part_id(document.rig, "Latch"))
    at_door.type_into(at_door.named("Latch move x"), "-60 mm")
    at_door.type_into(at_door.named("Lead value"), "30 %")
    window.bench.setFocus()
    at_door.keys("r")
    assert stations(at_door, "Latch") == [(0.0, 0.0), (0.3, pytest.approx(-0.06))]
    document.move(control_id(document.rig, "Open door"), 1.0)
    document.select(part_id(document.rig, "Door"))
    at_door.type_into(at_door.named("Door turn z"), "80 deg")
    window.bench.setFocus()
    at_door.keys("r")
    assert stations(at_door, "Door")[-1] == (1.0, pytest.approx(math.radians(80)))
    assert stations(at_door, "Latch")[-1] == (1.0, pytest.approx(-0.06))
    at_door.keys("t")
    document.move(control_id(document.rig, "Open door"), 0.3)
    assert at_door.value("Door") == 0.0 and at_door.value("Latch") == pytest.approx(-0.06)
    at_door.keys(Qt.Key.Key_Z, CTRL)
    assert window.redo.text().startswith("Redo")


def test_what_is_not_recorded_is_there_when_it_is_taught_again(at_door: Hand) -> None:
    document = at_door.window.document
    begin(at_door)
    document.move(channel_key(document.rig, "Door"), 0.5)
    at_door.keys("t")
    assert "Not recorded: Door turn z" in at_door.said[-1] and at_door.value("Door") == 0.0
    at_door.keys("t")
    assert at_door.value("Door") == 0.5


def test_undoing_the_lead_away_ends_the_lesson(at_door: Hand) -> None:
    window, document = at_door.window, at_door.window.document
    document.select("")
    window.bench.setFocus()
    at_door.keys("c")
    at_door.keys("t")
    assert document.teaching.lesson is not None
    at_door.keys(Qt.Key.Key_Z, CTRL)
    assert document.teaching.lesson is None and not window.teach_bar.isVisible()


def test_nothing_selected_says_what_to_do(hand: Hand) -> None:
    hand.window.bench.setFocus()
    hand.keys("t")
    assert "Select what should lead" in hand.said[-1]
    hand.keys("r")
    assert "Nothing is being taught" in hand.said[-1]


# ── the Cam page ──


@pytest.fixture
def at_cam(at_door: Hand) -> Hand:
    """The door with a cam of four stations for two followers."""
    document = at_door.window.document
    rig = document.rig
    for lead, door, latch in ((0, 0, 0), (0.3, 0, -0.06), (0.7, 0.8, -0.06), (1, 1.4, 0)):
        rig = gremio.teach(rig, "Open door", lead, {"Door": door, "Latch": latch})
    document.edit("teach", lambda _rig: rig)
    document.select(part_id(rig, "Door"))
    at_door.rest(60)
    return at_door


def test_teaching_much_at_once_leaves_the_card_its_width(at_cam: Hand) -> None:
    window, document = at_cam.window, at_cam.window.document
    document.select(control_id(document.rig, "Open door"))
    at_cam.rest(60)
    lead = "Open the long door at the far end of the pump house, beside the lower gate"
    at_cam.type_into(at_cam.named("Name"), lead)
    wide = window.card.width()
    begin(at_cam, lead)
    for name, to in (("Door", 0.3), ("Latch", -0.03)):
        document.move(channel_key(document.rig, name), to)
    at_cam.rest(60)
    lesson = document.teaching.lesson
    assert lesson is not None and len(lesson.changed) == 2
    assert window.teach_bar.isVisible() and window.card.width() == wide
    # What can be done is in sight: only the long name gives way.
    for name in ("Record station", "Done"):
        button = at_cam.named(name)
        assert button.x() + button.width() <= window.teach_bar.width()
        assert button.width() >= button.minimumSizeHint().width()


def test_a_value_is_typed_and_emptied_in_the_table(at_cam: Hand) -> None:
    at_cam.type_into(at_cam.named("Station 2 follower"), "10 deg")
    assert stations(at_cam, "Door")[1] == (0.3, pytest.approx(math.radians(10)))
    at_cam.type_into(at_cam.named("Station 3 of Latch move x"), "")
    assert [lead for lead, _ in stations(at_cam, "Latch")] == [0, 0.3, 1]
    at_cam.click(at_cam.named("Visit station 3"))
    assert at_cam.value("Open door") == 0.7
    at_cam.type_into(at_cam.named("Station 3 lead"), "30 %")
    assert "Another station stands at Open door = 30 %" in at_cam.said[-1]
    assert at_cam.named("Station 3 lead").text() == "70.0\u2009%"


def test_stations_are_copied_merged_and_taken_out(at_cam: Hand) -> None:
    document = at_cam.window.document
    document.move(control_id(document.rig, "Open door"), 0.5)
    at_cam.pick("More for station 1", "Copy to where the lead is")
    assert stations(at_cam, "Door")[2] == (0.5, 0.0)
    at_cam.pick("More for station 3", "Merge with the next")
    assert [lead for lead, _ in stations(at_cam, "Door")] == [0, 0.3, 0.5, 1]
    at_cam.pick("More for this cam", "Take this follower out")
    assert [f.channel for f in cam(at_cam).followers] == [channel_key(document.rig, "Latch")]


def test_stations_are_chosen_together_and_dragged_in_one_view(at_cam: Hand) -> None:
    page = at_cam.window.deck.cam
    at_cam.choose("View", "all together")
    view = page.profile
    assert len(view.tracks) == 2
    chart = view.chart()
    left, right = float(chart.x(0.2)), float(chart.x(0.8))
    at_cam.drag(view, QPointF(left, 14), QPointF((left + right) / 2, 40),
                QPointF(right, view._box().bottom() - 1))  # fmt: skip
    assert {index for _, index in view.chosen} == {1, 2} and len(view.chosen) == 4
    before = stations(at_cam, "Latch")
    start = view.point(0.7, 0.8)
    at_cam.drag(view, start, start + QPointF(20, 0), start + QPointF(40, 0))
    moved = stations(at_cam, "Latch")
    way = moved[1][0] - before[1][0]
    assert 0.05 < way < 0.15 and moved[2][0] - before[2][0] == pytest.approx(way)
    assert at_cam.window.undo.text() == "Undo drag stations of a cam"
    at_cam.keys(Qt.Key.Key_Z, CTRL)
    assert stations(at_cam, "Latch") == before


def test_delete_takes_chosen_stations_and_shift_chooses_more(at_cam: Hand) -> None:
    view = at_cam.window.deck.cam.profile
    at_cam.click(view, view.point(0.3, 0.0))
    spot = view.point(0.7, 0.8)
    from PyQt6.QtTest import QTest

    at = view.mapTo(at_cam.window, spot).toPoint()
    QTest.mouseClick(at_cam.window.windowHandle(), Qt.MouseButton.LeftButton, SHIFT, at)
    at_cam.rest(20)
    assert {index for _, index in view.chosen} == {1, 2}
    at_cam.keys(DELETE)
    assert [lead for lead, _ in stations(at_cam, "Door")] == [0, 1]
    told: list[str] = []
    at_cam.window.document.said.connect(told.append)
    rig = at_cam.window.document.rig
    for key in (DELETE, Qt.Key.Key_Backspace):
        at_cam.keys(key)
        assert "No station is chosen" in told.pop()
    assert at_cam.window.document.rig is rig
    assert part_id(at_cam.window.document.rig, "Door")


def test_a_free_profile_has_handles_to_pull(at_cam: Hand) -> None:
    view = at_cam.window.deck.cam.profile
    at_cam.choose("Profile kind", SHOWN["free"])
    assert len(view.chart().handles()) == 6
    channel = channel_key(at_cam.window.document.rig, "Door")
    nth, way, spot = view.chart().handles()[2]
    at_cam.drag(view, QPointF(*spot), QPointF(*spot) + QPointF(5, -20), QPointF(*spot)
                + QPointF(8, -30))  # fmt: skip
    assert (nth, way) == (1, 1) and cam(at_cam).stations[1].slopes[channel] > 1.0
    station = view.chart().spots(0)[1]
    _, _, spot = view.chart().handles()[2]
    at_cam.drag(view, QPointF(*spot), QPointF(spot[0], station[1] + 2))
    # Nearly level is level.
    assert cam(at_cam).stations[1].slopes[channel] == 0.0


def test_the_line_of_the_lead_is_dragged(at_cam: Hand) -> None:
    view = at_cam.window.deck.cam.profile
    chart = view.chart()
    y = view._box().center().y()
    at_cam.window.document.move(control_id(at_cam.window.document.rig, "Open door"), 0.5)
    at_cam.rest(10)
    at_cam.drag(view, QPointF(float(chart.x(0.5)), y), QPointF(float(chart.x(0.9)), y))
    assert at_cam.value("Open door") == pytest.approx(0.9, abs=0.01)


def test_a_follower_is_added_by_a_click_on_its_part(at_cam: Hand) -> None:
    document = at_cam.window.document
    from gremio.core.edit.cams import remove_follower

    link = next(iter(document.rig.links))
    latch = channel_key(document.rig, "Latch")
    document.edit("less", lambda rig: remove_follower(rig, link, latch))
    at_cam.pick("More for this cam", "Add a follower…")
    at_cam.click(at_cam.window.bench, at_cam.on_part("Latch", (-0.05, -0.05, 0.0)))
    assert [value for _, value in stations(at_cam, "Latch")] == [0.0] * 4
    assert "The cam leads Latch move x too" in at_cam.said[-1]


def test_a_part_pulled_past_its_cam_goes_as_far_as_it_can_and_says_so(at_cam: Hand) -> None:
    document = at_cam.window.document
    assert document.move(channel_key(document.rig, "Latch"), -0.5, "pull")
    assert at_cam.value("Latch") == pytest.approx(-0.06)
    assert "No value of Open door brings Latch there: it is at least -0.06 m." in at_cam.said


# ── tables and from–to cams ──


def test_a_cam_goes_out_as_csv_and_comes_in_again(at_cam: Hand, tmp_path: Path) -> None:
    window, document = at_cam.window, at_cam.window.document
    link = next(iter(document.rig.links))
    file = tmp_path / "door.csv"
    window.files.export_cam_path(file, link)
    assert file.read_text().startswith("Open door [%],Door turn z [deg],Latch move x [m]")
    before = [(s.lead, s.values) for s in cam(at_cam).stations]
    window.document.select(link)
    at_cam.keys(DELETE)
    assert document.rig.links == {}
    window.files.bring_in_cam_path(file)
    assert isinstance(window.card.making, CamTableSheet)
    at_cam.click(at_cam.named("Make the cam"))
    for station, (lead, values) in zip(cam(at_cam).stations, before, strict=True):
        assert station.lead == pytest.approx(lead) and station.values == pytest.approx(values)
    assert window.card.making is None


def test_a_table_asks_for_its_units(at_cam: Hand, tmp_path: Path) -> None:
    window, document = at_cam.window, at_cam.window.document
    file = tmp_path / "door.csv"
    file.write_text("Open door,Door turn z\n0,0\n1,1.2\n")
    link = next(iter(document.rig.links))
    window.files.bring_in_cam_path(file, link)
    at_cam.choose("Unit of column 1", "plain number")
    at_cam.choose("Unit of column 2", "rad")
    at_cam.click(at_cam.named("Make the cam"))
    assert stations(at_cam, "Door") == [(0.0, 0.0), (1.0, 1.2)]
    file.write_text("Open door,Door turn z\n0,0\n1,nan\n")
    window.files.bring_in_cam_path(file, link)
    assert (
        "Row 3 of door.csv, 'Door turn z' can't read 'nan': 'nan' is no number" in at_cam.said[-1]
    )


def test_a_from_to_on_its_card(at_door: Hand) -> None:
    window, document = at_door.window, at_door.window.document
    document.select(control_id(document.rig, "Open door"))
    window.bench.setFocus()
    at_door.keys("l")
    at_door.click(window.bench, at_door.on_part("Door", (0.3, -0.04, 1.5)))
    at_door.choose("Made as", "from–to cam")
    assert is_from_to(cam(at_door))
    at_door.type_into(at_door.named("Open door to"), "50 %")
    at_door.type_into(at_door.named("Door turn z to"), "90 deg")
    assert stations(at_door, "Door") == [(0.0, 0.0), (0.5, pytest.approx(math.radians(90)))]
    at_door.click(at_door.named("Lead one more…"))
    at_door.click(window.bench, at_door.on_part("Latch", (-0.05, -0.05, 0.0)))
    at_door.type_into(at_door.named("Latch move x to"), "-100 mm")
    document.move(control_id(document.rig, "Open door"), 0.25)
    assert at_door.value("Latch") == pytest.approx(-0.05)
    assert at_door.value("Door") == pytest.approx(math.radians(45))
    at_door.do("turn it round")
    assert stations(at_door, "Door")[0][1] == pytest.approx(math.radians(90))
    at_door.type_into(at_door.named("Open door to"), "0 %")
    assert "has no width" in at_door.said[-1]


def test_a_station_recorded_first_is_drawn(at_door: Hand) -> None:
    """The chart of a cam of one station is painted, and the table and the Card know of it."""
    window, document = at_door.window, at_door.window.document
    begin(at_door, "Open door")
    document.move(channel_key(document.rig, "Door"), 0.3)
    at_door.click(at_door.named("Record station"))
    at_door.rest(60)
    document.select(part_id(document.rig, "Door"))
    window.deck.show_page("Cam")
    at_door.rest(60)
    window.deck.grab()
    assert stations(at_door, "Door") == [(0.0, pytest.approx(0.3))]


def test_a_fault_in_one_view_stops_neither_the_others_nor_the_edit(at_door: Hand) -> None:
    document = at_door.window.document

    def fault(_change: object) -> None:
        raise ValueError("a view with a fault")

    document.rig_changed.disconnect()
    document.rig_changed.connect(fault)
    seen: list[object] = []
    document.rig_changed.connect(seen.append)
    with at_door.qtbot.capture_exceptions() as faults:
        done = document.edit(
            "rename", lambda rig: rename_part(rig, part_id(rig, "Door"), "Long door")
        )
    document.rig_changed.disconnect(fault)
    assert done and len(seen) == 1 and len(faults) == 1
    assert part_id(document.rig, "Long door")
    assert document.pose.part("Long door").name == "Long door"


def test_a_soft_stop_says_what_was_asked_for(at_cam: Hand) -> None:
    """The table of a cam and the Card of its follower differ before a soft stop: both are said."""
    window, document = at_cam.window, at_cam.window.document
    door = part_id(document.rig, "Door")
    document.edit("stop", lambda rig: set_stops(rig, door, "turn z", Stops(None, 1.4, soft=0.2)))
    document.move(channel_key(document.rig, "Open door"), 1.0)
    document.select(door)
    at_cam.rest(60)
    words = [w.text() for w in window.card.findChildren(QLabel) if w.isVisible()]
    told = [text for text in words if text.startswith("asked for")]
    had = math.degrees(document.pose.value("Door", "turn z"))
    assert told == [f"asked for 80.2°, slowed to {had:.1f}°"]


def test_what_is_read_on_the_lead_is_read_on_the_cam_page_too(at_cam: Hand) -> None:
    window, document = at_cam.window, at_cam.window.document
    lead = control_id(document.rig, "Open door")
    read = replace(document.rig.controls[lead], scale=(0.0, 10.0))
    document.edit("read as", lambda rig: change_control(rig, lead, read))
    window.deck.show_page("Cam")
    at_cam.rest(60)
    assert at_cam.named("Station 2 lead").text() == "3.0"
    assert shown_on(document.rig, lead, 0.7) == "7"
    at_cam.type_into(at_cam.named("Station 2 lead"), "4.5")
    (link,) = document.rig.links
    assert [s.lead for s in document.rig.links[link].stations] == pytest.approx([0, 0.45, 0.7, 1])
    words = how(document.rig, document.rig.links[link], channel_key(document.rig, "Door"))
    assert words.startswith("0 → 0°   4.5 → 0°   7 → ")
    begin(at_cam, "Open door")
    at_cam.type_into(at_cam.named("Lead value"), "2.5")
    assert document.pose.at(lead) == pytest.approx(0.25)
    assert at_cam.named("Lead value").text() == "2.5"
