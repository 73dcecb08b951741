"""A motor on one's own part: its lever, the clock, what is kept and what is not."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from msgspec.structs import replace
from PyQt6.QtCore import Qt
from tests.desktop.hand import SHIFT, Hand, act

import gremio
from gremio.core.edit.links import change_link
from gremio.core.make.motors import with_motor
from gremio.core.rig.channels import key
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.ids import ChannelKey, thing
from gremio.core.rig.model import Motor, Rumble
from gremio.core.rig.solids import Box, Cylinder

TURN = 2 * math.pi


@pytest.fixture
def winch(hand: Hand) -> Hand:
    b = gremio.Builder("Winch")
    b.part("Drum", gremio.shape(Cylinder(diameter=0.6, height=0.6)), joint="spin z")
    b.part("Sledge", gremio.shape(Box(length=0.5, width=0.5, height=0.2)), at=(0, 2, 0),
           joint="slide x", stops=(0.0, 1.0))  # fmt: skip
    hand.window.show_rig(b.rig)
    hand.rest(40)
    return hand


def drum(hand: Hand) -> float:
    rig = hand.window.document.rig
    return hand.window.document.pose.at(key(part_id(rig, "Drum"), "turn z"))


def set_going(hand: Hand, speed: str) -> ChannelKey:
    """A motor on the drum by the Card, its lever at a speed; the lever's key."""
    document = hand.window.document
    document.select(part_id(document.rig, "Drum"))
    hand.do("Let a motor drive it")
    lever = key(control_id(document.rig, "Drum speed"))
    assert document.selected == lever
    hand.type_into(hand.instrument("Drum speed").field, speed)
    return lever


def stand(hand: Hand) -> None:
    hand.window.bench.setFocus()
    hand.keys(" ")


def test_a_lever_turns_it_and_nothing_jumps_when_the_clock_stands(winch: Hand) -> None:
    document = winch.window.document
    set_going(winch, "1 turn/s")
    assert document.timing.free.running
    assert winch.window.deck.on.text() == "● the clock runs" and winch.window.deck.on.isVisible()
    before = drum(winch)
    winch.rest(300)
    assert drum(winch) > before
    stand(winch)
    assert not document.timing.free.running and not winch.window.deck.on.isVisible()
    stood = drum(winch)
    winch.rest(100)
    assert drum(winch) == stood > 0
    assert "Set home here" in winch.window.message.text()
    # It goes on from there, and backwards.
    winch.type_into(winch.instrument("Drum speed").field, "-2 turn/s")
    assert drum(winch) == stood
    stand(winch)
    winch.rest(200)
    assert drum(winch) < stood


def test_what_was_reached_is_in_no_file_and_set_home_keeps_it(winch: Hand, tmp_path: Path) -> None:
    document = winch.window.document
    set_going(winch, "1 turn/s")
    winch.rest(200)
    stand(winch)
    reached = drum(winch)
    assert reached > 0.1
    gremio.save(document.rig, tmp_path / "winch.gremio")
    again = gremio.load(tmp_path / "winch.gremio")
    assert gremio.solve(again).value("Drum", "turn z") == 0.0
    world = document.pose.world(part_id(document.rig, "Drum")).copy()
    document.select(part_id(document.rig, "Drum"))
    winch.window.bench.setFocus()
    winch.keys("h", SHIFT)
    assert drum(winch) == 0.0
    assert document.pose.world(part_id(document.rig, "Drum")) == pytest.approx(world)
    gremio.save(document.rig, tmp_path / "winch.gremio")
    kept = gremio.solve(gremio.load(tmp_path / "winch.gremio")).part("Drum").world
    assert kept == pytest.approx(world)


def test_a_hand_on_what_a_motor_turns_puts_it_and_home_is_home(winch: Hand) -> None:
    document = winch.window.document
    set_going(winch, "1 turn/s")
    winch.rest(150)
    stand(winch)
    document.move(key(part_id(document.rig, "Drum"), "turn z"), 0.25)
    assert drum(winch) == pytest.approx(0.25, abs=1e-9)
    stand(winch)
    winch.rest(120)
    stand(winch)
    assert drum(winch) > 0.25
    act(winch.window, "Everything home")
    assert drum(winch) == 0.0


def test_what_stands_at_its_stop_does_not_wind_up(winch: Hand) -> None:
    document = winch.window.document
    document.select(part_id(document.rig, "Sledge"))
    winch.do("Let a motor drive it")
    way = key(part_id(document.rig, "Sledge"), "move x")
    document.move(way, 0.98)
    winch.type_into(winch.instrument("Sledge speed").field, "0.5 m/s")
    winch.rest(250)
    assert document.pose.at(way) == 1.0
    winch.type_into(winch.instrument("Sledge speed").field, "-0.5 m/s")
    winch.rest(120)
    assert document.pose.at(way) < 1.0


def test_a_routine_never_reads_what_was_reached(winch: Hand) -> None:
    document = winch.window.document
    lever = set_going(winch, "1 turn/s")
    winch.rest(200)
    document.timing.make()
    document.timing.go_to(0.0)
    assert not document.timing.free.running
    assert drum(winch) == 0.0
    document.timing.go_to(1.0)
    # It begins as all stood when it was made: the lever at one turn a second.
    assert drum(winch) / TURN == pytest.approx(1.0)
    assert document.pose.at(lever) == pytest.approx(TURN)
    document.timing.follow(False)
    assert drum(winch) > 0.0


def test_a_second_motor_and_nothing_to_play_are_told(winch: Hand) -> None:
    document = winch.window.document
    winch.window.bench.setFocus()
    winch.keys(" ")
    assert "motor" in winch.window.message.text()
    set_going(winch, "0")
    document.select(part_id(document.rig, "Drum"))
    winch.do("Let a motor drive it")
    assert "has a motor already" in winch.window.message.text()
    assert sum(isinstance(link, Motor) for link in document.rig.links.values()) == 1


def test_a_part_shakes_by_one_act_and_stands_at_nothing(winch: Hand) -> None:
    document = winch.window.document
    sledge = part_id(document.rig, "Sledge")
    document.select(sledge)
    winch.do("Let it shake")
    assert document.timing.free.running
    way = key(sledge, "move x")
    winch.rest(120)
    assert document.pose.at(way) == 0.0
    document.move(way, 0.5)
    winch.type_into(winch.instrument("Sledge rumble").field, "100")
    seen = set()
    for _ in range(8):
        winch.rest(40)
        seen.add(document.pose.at(way))
    assert len(seen) > 2
    assert all(0.495 <= value <= 0.505 for value in seen)
    for page in ("Ledger", "Drive map", "Inspection", "Cam", "Routine"):
        winch.window.deck.show_page(page)
        winch.rest(30)
    winch.type_into(winch.instrument("Sledge rumble").field, "0")
    stand(winch)
    assert document.pose.at(way) == 0.5
    document.select(next(iter(document.rig.links)))
    winch.type_into(winch.named("Seed"), "7")
    winch.type_into(winch.named("Speed"), "20 Hz")
    (link,) = document.rig.links.values()
    assert isinstance(link, Rumble) and (link.seed, link.speed) == (7, 20.0)


def test_a_key_of_what_shakes_is_where_it_is_put_and_not_where_it_is_shaken_to(
    winch: Hand,
) -> None:
    document = winch.window.document
    document.select(part_id(document.rig, "Sledge"))
    winch.do("Let it shake")
    way, amount = (key(part_id(document.rig, "Sledge"), "move x"), document.selected)
    document.move(ChannelKey(amount), 1.0)
    document.move(way, 0.5)
    winch.rest(60)
    stand(winch)
    shaken = document.pose.at(way)
    assert shaken != document.rig.at[way]
    document.timing.key_now([way])
    (routine,) = document.rig.routines.values()
    assert {s.values[way] for s in routine.keys[way].stations} == {document.rig.at[way]}


def test_a_routine_that_begins_as_all_stands_begins_just_there(winch: Hand) -> None:
    document = winch.window.document
    turn = key(part_id(document.rig, "Drum"), "turn z")
    rig = gremio.routine(with_motor(document.rig, turn)[0], "Haul", 4.0)
    ((motor, link),) = rig.links.items()
    winch.window.show_rig(change_link(rig, motor, replace(link, phase=0.5)))
    winch.window.deck.show_page("Routine")
    winch.window.document.timing.go_to(0.0)
    assert drum(winch) == pytest.approx(0.5)
    winch.window.deck.routine._begin_here()
    assert drum(winch) == pytest.approx(0.5)


def test_escape_ends_what_plays_as_it_says(winch: Hand) -> None:
    timing = winch.window.document.timing
    timing.make()
    timing.play()
    assert winch.window.deck.on.text() == "● plays"
    winch.window.bench.setFocus()
    winch.keys(Qt.Key.Key_Escape)
    assert not timing.playing and not timing.on_words()


def test_no_hand_moves_the_clock(winch: Hand) -> None:
    document = winch.window.document
    document.select(part_id(document.rig, "Sledge"))
    winch.do("Let it shake")
    assert not document.move(ChannelKey("clock"), 3.0)
    assert "No hand moves the clock" in winch.window.message.text()
    # It stands in the Drive map, and a click on it selects nothing that has no Card.
    winch.window.deck.show_page("Drive map")
    winch.rest(30)
    document.select(thing("clock"))
    winch.rest(30)
    assert winch.window.card.isVisible()


def test_keys_of_what_a_motor_drives_are_told_under_inspection(winch: Hand) -> None:
    document = winch.window.document
    drum_turn = key(part_id(document.rig, "Drum"), "turn z")
    document.timing.make()
    document.timing.key_now([drum_turn])
    document.select(part_id(document.rig, "Drum"))
    winch.do("Let a motor drive it")
    (told,) = [one for one in document.looking.findings() if one.note.code == "key-unheard"]
    assert document.edit("mend", told.mends[0].edit)
    assert not [one for one in document.looking.findings() if one.note.code == "key-unheard"]
    document.undo()
    assert [one for one in document.looking.findings() if one.note.code == "key-unheard"]
