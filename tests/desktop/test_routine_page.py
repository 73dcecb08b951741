"""Routines by real hands: keys, writing, scrubbing, playing."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from PyQt6.QtCore import QPointF, Qt
from tests.desktop.hand import SHIFT, Hand

import gremio
from gremio.core.rig.channels import key
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.model import Routine
from gremio.core.rig.solids import Box
from gremio.core.script.baking import bake_file
from gremio.desktop.deck.routine_page import RoutinePage

shape = gremio.shape


@pytest.fixture
def at_gate(hand: Hand) -> Hand:
    b = gremio.Builder("Gate")
    b.part("Gate", shape(Box(length=2, width=0.1, height=1), at=(1, 0, 0)), joint="hinge z")
    b.part("Lamp", shape(Box(length=0.2, width=0.2, height=0.2)), at=(0, 2, 0), joint="slide z")
    b.control("Lift", 0.0, 10.0, kind="number", unit="")
    b.ratio("Lift", "Gate turn z", 0.1)
    hand.window.show_rig(b.rig)
    hand.window.deck.show_page("Routine")
    hand.rest(60)
    return hand


def page(hand: Hand) -> RoutinePage:
    return hand.window.deck.routine


def routine(hand: Hand) -> Routine:
    (found,) = hand.window.document.rig.routines.values()
    return found


def lift(hand: Hand) -> ChannelKey:
    return key(control_id(hand.window.document.rig, "Lift"))


def keys_of(hand: Hand, channel: ChannelKey) -> list[tuple[float, float]]:
    return [(s.lead, s.values[channel]) for s in routine(hand).keys[channel].stations]


def scrub(hand: Hand, time: float) -> None:
    lines = page(hand).lines
    hand.click(lines, QPointF(lines.x_of(time), 12))


def test_e_keys_what_is_selected_and_makes_a_routine(at_gate: Hand) -> None:
    document = at_gate.window.document
    document.select(control_id(document.rig, "Lift"))
    at_gate.window.bench.setFocus()
    at_gate.keys("e")
    assert keys_of(at_gate, lift(at_gate)) == [(0.0, 0.0)]
    scrub(at_gate, 4.0)
    assert document.timing.time == pytest.approx(4.0)
    at_gate.type_into(at_gate.instrument("Lift").field, "6")
    # Off writing a hand overrides until the time is another.
    assert document.timing.keyed(lift(at_gate)) == "over"
    assert at_gate.value("Gate") == pytest.approx(0.6)
    at_gate.click(at_gate.named("Key"))
    assert keys_of(at_gate, lift(at_gate)) == [(0.0, 0.0), (4.0, 6.0)]
    assert document.timing.keyed(lift(at_gate)) == "now"
    scrub(at_gate, 2.0)
    assert document.timing.keyed(lift(at_gate)) == "elsewhere"
    assert at_gate.value("Gate") == pytest.approx(0.3, abs=1e-6)


def test_an_override_goes_when_the_time_does_and_present_values_stay(at_gate: Hand) -> None:
    document = at_gate.window.document
    document.move(lift(at_gate), 1.0)
    document.settle()
    document.select(control_id(document.rig, "Lift"))
    at_gate.window.bench.setFocus()
    at_gate.keys("e")
    scrub(at_gate, 3.0)
    document.move(lift(at_gate), 9.0)
    assert document.pose.at(lift(at_gate)) == 9.0
    scrub(at_gate, 3.2)
    assert document.pose.at(lift(at_gate)) == 1.0
    assert document.rig.at[lift(at_gate)] == 1.0
    at_gate.do("Back to the hands")
    assert not document.timing.on and document.pose.at(lift(at_gate)) == 1.0


def test_writing_leaves_keys_where_hands_move_and_is_plain_while_on(at_gate: Hand) -> None:
    document = at_gate.window.document
    at_gate.window.bench.setFocus()
    at_gate.keys(Qt.Key.Key_E, SHIFT)
    assert document.timing.writing and page(at_gate).writing.text() == "● Writing on"
    scrub(at_gate, 5.0)
    start = at_gate.slider("Lift")
    at_gate.drag(at_gate.instrument("Lift"), start, start + QPointF(60, 0), start + QPointF(120, 0))
    found = keys_of(at_gate, lift(at_gate))
    assert [time for time, _ in found] == [0.0, 5.0]
    assert found[1][1] == pytest.approx(document.pose.at(lift(at_gate)))
    # A whole drag is one step.
    document.undo()
    assert not routine(at_gate).keys
    document.redo()
    # A part that is pulled by its own joint is keyed too.
    lamp = key(part_id(document.rig, "Lamp"), "move z")
    document.move(lamp, 0.4)
    assert keys_of(at_gate, lamp) == [(0.0, 0.0), (5.0, 0.4)]
    at_gate.window.bench.setFocus()
    at_gate.keys(Qt.Key.Key_Escape)
    assert not document.timing.writing


def keyed(hand: Hand) -> None:
    document = hand.window.document
    rig = document.rig
    for time, value in ((0.0, 0.0), (2.0, 5.0), (6.0, 1.0)):
        rig = gremio.key(rig, time, {"Lift": value})
    document.start(rig, None)
    hand.rest(60)


def test_keys_are_dragged_to_frames_and_taken_out(at_gate: Hand) -> None:
    keyed(at_gate)
    lines, channel = page(at_gate).lines, lift(at_gate)
    row = lines.y_of(0)
    at = QPointF(lines.x_of(2.0), row)
    to = QPointF(lines.x_of(3.0) + 0.3, row)
    at_gate.drag(lines, at, (at + to) / 2, to)
    times = [time for time, _ in keys_of(at_gate, channel)]
    assert times[1] == pytest.approx(3.0, abs=0.03)
    assert times[1] * 25 == pytest.approx(round(times[1] * 25), abs=1e-9)
    assert lines.chosen == {(channel, times[1])}
    at_gate.keys(Qt.Key.Key_Delete)
    assert [time for time, _ in keys_of(at_gate, channel)] == [0.0, 6.0]
    assert len(at_gate.window.document.rig.controls) == 1, "what is selected stays"
    at_gate.window.document.undo()
    assert len(keys_of(at_gate, channel)) == 3


def test_several_keys_are_mirrored_stretched_and_copied(at_gate: Hand) -> None:
    keyed(at_gate)
    lines, channel = page(at_gate).lines, lift(at_gate)
    row = lines.y_of(0)
    at_gate.click(lines, QPointF(lines.x_of(0.0), row))
    lines.chosen = {(channel, 0.0), (channel, 2.0)}
    at_gate.pick("More of the routine", "stretch the chosen keys to double")
    assert [t for t, _ in keys_of(at_gate, channel)] == [0.0, 4.0, 6.0]
    at_gate.pick("More of the routine", "mirror the chosen keys")
    assert keys_of(at_gate, channel)[0] == (0.0, 5.0)
    scrub(at_gate, 5.0)
    lines.chosen = {(channel, 0.0)}
    at_gate.pick("More of the routine", "copy the chosen keys to now")
    assert (5.0, 5.0) in [(pytest.approx(t), v) for t, v in keys_of(at_gate, channel)]


def test_it_plays_in_real_time_and_stops_on_a_frame(at_gate: Hand) -> None:
    keyed(at_gate)
    document = at_gate.window.document
    at_gate.window.bench.setFocus()
    at_gate.keys(Qt.Key.Key_Space)
    assert document.timing.playing
    at_gate.rest(700)
    at_gate.keys(Qt.Key.Key_Space)
    assert not document.timing.playing
    time = document.timing.time
    assert 0.3 < time < 4.0
    assert time * 25 == pytest.approx(round(time * 25), abs=1e-9)
    wanted = gremio.bake(document.rig, times=[time]).value("Gate turn z")[0]
    assert at_gate.value("Gate") == pytest.approx(wanted, abs=1e-12)


def test_arrows_step_and_go_from_key_to_key(at_gate: Hand) -> None:
    keyed(at_gate)
    timing, lines = at_gate.window.document.timing, page(at_gate).lines
    lines.setFocus()
    at_gate.keys(Qt.Key.Key_Right)
    at_gate.keys(Qt.Key.Key_Right)
    assert timing.time == pytest.approx(2 / 25)
    at_gate.keys(Qt.Key.Key_Right, SHIFT)
    assert timing.time == pytest.approx(2.0)
    at_gate.keys(Qt.Key.Key_Left)
    assert timing.time == pytest.approx(2.0 - 1 / 25)


def test_settings_are_typed_and_what_can_not_be_is_said(at_gate: Hand) -> None:
    keyed(at_gate)
    at_gate.pick("More of the routine", "its name, length, rate…")
    at_gate.type_into(at_gate.named("Length of the routine"), "8 s")
    assert routine(at_gate).length == 8.0
    at_gate.type_into(at_gate.named("Frames a second"), "29.97")
    assert routine(at_gate).rate == (30000, 1001)
    assert ";" in page(at_gate).told.text()
    at_gate.type_into(at_gate.named("Frames a second"), "none")
    assert "frame rate" in at_gate.said[-1] and routine(at_gate).rate == (30000, 1001)
    at_gate.type_into(at_gate.named("Length of the routine"), "0")
    assert "above zero" in at_gate.said[-1]
    at_gate.choose("What comes after its end", "round")
    assert routine(at_gate).ends == "round"


def test_teaching_and_routines_do_not_meet(at_gate: Hand) -> None:
    keyed(at_gate)
    document = at_gate.window.document
    scrub(at_gate, 3.0)
    assert document.timing.on
    document.select(control_id(document.rig, "Lift"))
    at_gate.window.act("link.teach")
    assert document.teaching.lesson is not None and not document.timing.on


@pytest.mark.parametrize("ending", [".glb", ".csv", ".json"])
def test_a_routine_is_baked_from_the_window_as_from_a_script(
    at_gate: Hand, tmp_path: Path, ending: str
) -> None:
    document = at_gate.window.document
    at_gate.window.files.bake_routine()
    assert "no routine yet" in at_gate.window.message.text()
    rig = gremio.routine(document.rig, "Up", 1.0)
    rig = gremio.key(rig, 1.0, {"Lift": 5.0})
    at_gate.window.show_rig(rig)
    # What hands do now is not what is baked.
    document.move(lift(at_gate), 9.0)
    path = tmp_path / f"up{ending}"
    at_gate.window.files.bake_path(path)
    assert "Up is in up" in at_gate.window.message.text()
    bake_file(rig, tmp_path / f"script{ending}")
    assert path.read_bytes() == (tmp_path / f"script{ending}").read_bytes()
    if ending == ".json":
        found = json.loads(path.read_text())
        assert found["channels"]["Gate"]["turn z"][-1] == pytest.approx(0.5)
        assert len(found["times"]) == 26


def test_a_time_is_typed_in_seconds_or_as_a_time_code(at_gate: Hand) -> None:
    document = at_gate.window.document
    document.select(control_id(document.rig, "Lift"))
    at_gate.window.bench.setFocus()
    at_gate.keys("e")
    at_gate.type_into(at_gate.named("Time now"), "00:00:04:12")
    assert document.timing.time == pytest.approx(4 + 12 / 25)
    at_gate.type_into(at_gate.named("Time now"), "1.2")
    assert document.timing.time == pytest.approx(1.2)
    at_gate.type_into(at_gate.named("Time now"), "00:00:04:25")
    assert "no time code" in at_gate.said[-1] and document.timing.time == pytest.approx(1.2)
