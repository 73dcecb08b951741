"""Hand-offs by real hands: a key and a click, the bar, its edges, and where it settles."""

from __future__ import annotations

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt
from tests.desktop.hand import SHIFT, Hand

import gremio
from gremio.core.arrays import Array
from gremio.core.rig.channels import key
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import HandOff
from gremio.core.rig.solids import Box
from gremio.desktop.deck.time_lines import TimeLines

shape = gremio.shape


@pytest.fixture
def at_quay(hand: Hand) -> Hand:
    b = gremio.Builder("Quay")
    b.part("Arm", shape(Box(length=2, width=0.2, height=0.2), at=(1, 0, 0)), joint="spin z")
    b.part("Sledge", shape(Box(length=0.6, width=0.6, height=0.3)), at=(2, 1.5, 0),
           joint="slide x")  # fmt: skip
    b.part("Lamp", shape(Box(length=0.3, width=0.3, height=0.3)), at=(2, 0, 0.25), joint="spin z")
    for name, part, channel in (("Swing", "Arm", "turn z"), ("Run", "Sledge", "move x")):
        b.control(name, 0.0, 2.0, kind="number", unit="")
        b.ratio(name, f"{part} {channel}", 1.0)
    rig = gremio.routine(b.rig, "Pass on", 6)
    for time, values in ((0.0, (0.0, 0.0)), (3.0, (0.7, 0.0)), (6.0, (0.2, 1.5))):
        rig = gremio.key(rig, time, dict(zip(("Swing", "Run"), values, strict=True)))
    hand.window.show_rig(rig)
    hand.window.deck.show_page("Routine")
    hand.rest(60)
    return hand


def lines(hand: Hand) -> TimeLines:
    return hand.window.deck.routine.lines


def scrub(hand: Hand, time: float) -> None:
    hand.click(lines(hand), QPointF(lines(hand).x_of(time), 12))


def part(hand: Hand, name: str) -> PartId:
    return part_id(hand.window.document.rig, name)


def world(hand: Hand, name: str) -> Array:
    return hand.window.document.pose.world(part(hand, name)).copy()


def hand_offs(hand: Hand) -> tuple[HandOff, ...]:
    (routine,) = hand.window.document.rig.routines.values()
    return routine.carried.get(part(hand, "Lamp"), ())


def click_part(hand: Hand, name: str) -> None:
    tops = {"Arm": (0.5, 0.0, 0.1), "Sledge": (0.0, 0.0, 0.15), "Lamp": (0.0, 0.0, 0.15)}
    hand.click(hand.window.bench, hand.on_part(name, tops[name]))


def hand_lamp_over(hand: Hand, time: float, carrier: str | None) -> None:
    """One key, one click."""
    scrub(hand, time)
    hand.window.document.select(part(hand, "Lamp"))
    hand.window.bench.setFocus()
    hand.keys("y")
    assert hand.window.bench.question is not None
    if carrier is None:
        hand.keys(Qt.Key.Key_Return)
    else:
        click_part(hand, carrier)
    assert hand.window.bench.question is None


def test_y_and_a_click_hand_over_and_nothing_jumps(at_quay: Hand) -> None:
    document = at_quay.window.document
    scrub(at_quay, 1.0)
    before = world(at_quay, "Lamp")
    hand_lamp_over(at_quay, 1.0, "Arm")
    assert hand_offs(at_quay) == (HandOff(1.0, part(at_quay, "Arm")),)
    assert abs(world(at_quay, "Lamp") - before).max() < 1e-12
    hand_lamp_over(at_quay, 3.0, "Sledge")
    hand_lamp_over(at_quay, 5.0, None)
    assert [one.time for one in hand_offs(at_quay)] == [1.0, 3.0, 5.0]
    # On the Bench as baked, whatever was looked at before.
    times = [5.6, 2.0, 4.0, 0.4, 3.0, 5.0]
    baked = gremio.bake(document.rig, times=times).world("Lamp")
    for time, wanted in zip(times, baked, strict=True):
        scrub(at_quay, time)
        assert abs(world(at_quay, "Lamp") - wanted).max() < 1e-12
    # What hands have put without the routine is as it was, and the lamp is where it is mounted.
    at_quay.do("Back to the hands")
    assert abs(world(at_quay, "Lamp") - before).max() < 1e-12
    assert document.program is document.mounted


def test_a_hand_finds_it_on_what_carries_it(at_quay: Hand) -> None:
    """A control that is pulled takes along what rides on it; the lamp's own joint turns about where
    it is now."""
    hand_lamp_over(at_quay, 1.0, "Arm")
    scrub(at_quay, 2.0)
    document = at_quay.window.document
    arm, lamp = world(at_quay, "Arm"), world(at_quay, "Lamp")
    seen = np.linalg.inv(arm) @ lamp
    document.move(key(control_id(document.rig, "Swing")), 1.4)
    assert abs(world(at_quay, "Arm") - arm).max() > 0.1
    assert abs(np.linalg.inv(world(at_quay, "Arm")) @ world(at_quay, "Lamp") - seen).max() < 1e-9
    document.move(key(part(at_quay, "Lamp"), "turn z"), 0.5)
    at = world(at_quay, "Arm")[:3] @ [*seen[:3, 3], 1.0]
    assert abs(world(at_quay, "Lamp")[:3, 3] - at).max() < 1e-9


def test_what_hands_have_put_is_keyed_where_it_is_handed_over(at_quay: Hand) -> None:
    document = at_quay.window.document
    scrub(at_quay, 2.0)
    run = key(control_id(document.rig, "Run"))
    document.move(run, 0.3)
    document.select(part(at_quay, "Lamp"))
    at_quay.window.bench.setFocus()
    at_quay.keys("y")
    click_part(at_quay, "Sledge")
    (routine,) = document.rig.routines.values()
    assert {s.lead: s.values[run] for s in routine.keys[run].stations}[2.0] == pytest.approx(0.3)
    document.undo()
    (routine,) = document.rig.routines.values()
    assert not routine.carried and 2.0 not in {s.lead for s in routine.keys[run].stations}


def test_edges_of_the_bar_are_dragged_and_taken_out(at_quay: Hand) -> None:
    hand_lamp_over(at_quay, 1.0, "Arm")
    hand_lamp_over(at_quay, 3.0, "Sledge")
    bar = lines(at_quay)
    y = bar.y_of_bar(0)
    start, end = QPointF(bar.x_of(3.0), y), QPointF(bar.x_of(4.0), y)
    at_quay.drag(bar, start, (start + end) / 2, end)
    assert [one.time for one in hand_offs(at_quay)] == [1.0, pytest.approx(4.0)]
    row = at_quay.window.deck.routine.hand_off
    assert row.isVisible()
    # Past another it can't come.
    at_quay.drag(bar, end, (start + end) / 2, QPointF(bar.x_of(0.4), y))
    assert "past another" in at_quay.said[-1]
    assert hand_offs(at_quay)[1].time == pytest.approx(4.0)
    at_quay.type_into(at_quay.named("Time of the hand-off"), "3.6")
    assert hand_offs(at_quay)[1].time == pytest.approx(3.6)
    at_quay.click(bar, QPointF(bar.x_of(1.0), y))
    at_quay.keys(Qt.Key.Key_Delete)
    assert [one.carrier for one in hand_offs(at_quay)] == [part(at_quay, "Sledge")]
    assert "Lamp" in {p.name for p in at_quay.window.document.rig.parts.values()}
    at_quay.click(bar, QPointF(bar.x_of(3.6), y))
    at_quay.do("Take it out")
    assert not hand_offs(at_quay) and not row.isVisible()


def test_it_settles_where_it_is_told_to(at_quay: Hand) -> None:
    hand_lamp_over(at_quay, 3.0, "Sledge")
    bar = lines(at_quay)
    at_quay.click(bar, QPointF(bar.x_of(3.0), bar.y_of_bar(0)))
    at_quay.type_into(at_quay.named("Time to settle"), "0.8")
    at_quay.type_into(at_quay.named("Place z on the carrier"), "0.3")
    assert hand_offs(at_quay)[0].over == pytest.approx(0.8)
    scrub(at_quay, 5.0)
    sledge, lamp = world(at_quay, "Sledge"), world(at_quay, "Lamp")
    assert abs(lamp[:3, 3] - sledge[:3, 3] - [0, 0, 0.3]).max() < 1e-9
    scrub(at_quay, 3.0)
    assert abs(world(at_quay, "Lamp")[:3, 3] - [2, 0, 0.25]).max() < 1e-9


def test_what_can_not_carry_it_is_said_and_asked_again(at_quay: Hand) -> None:
    document = at_quay.window.document
    at_quay.window.bench.setFocus()
    document.select("")
    at_quay.keys("y")
    assert "Select the part" in at_quay.said[-1]
    hand_lamp_over(at_quay, 1.0, "Arm")
    scrub(at_quay, 2.0)
    document.select(part(at_quay, "Lamp"))
    at_quay.window.bench.setFocus()
    at_quay.keys("y")
    click_part(at_quay, "Arm")
    assert "rides on Arm already" in at_quay.said[-1]
    assert at_quay.window.bench.question is not None
    at_quay.keys(Qt.Key.Key_Escape)
    assert at_quay.window.bench.question is None
    document.select(part(at_quay, "Arm"))
    at_quay.window.bench.setFocus()
    at_quay.keys("y")
    click_part(at_quay, "Lamp")
    assert "Lamp rides on Arm itself at 2 s" in at_quay.said[-1]
    at_quay.keys(Qt.Key.Key_Escape)


def test_the_scene_follows_while_it_plays_over_a_hand_off(at_quay: Hand) -> None:
    """What is drawn lies in the rows of the pose, also where other carriers order them anew."""
    hand_lamp_over(at_quay, 1.0, "Arm")
    for time in (0.4, 2.0, 0.6):
        scrub(at_quay, time)
        at_quay.rest(30)
        bench = at_quay.window.bench
        scene, pose = bench.scene(), at_quay.window.document.pose
        rows = {int(row) for row in scene.parts}
        names = {pose.program.rig.parts[pose.program.part_ids[row]].name for row in rows}
        assert names == {"Arm", "Sledge", "Lamp"}
        (mine,) = (i for i, row in enumerate(scene.parts)
                   if pose.program.part_ids[row] == part(at_quay, "Lamp"))  # fmt: skip
        assert np.allclose(np.ptp(scene.corners[mine], axis=0), [0.3, 0.3, 0.3])


def test_edits_of_mounts_speak_of_how_it_is_mounted(at_quay: Hand) -> None:
    """Setting home on a part that is carried just now moves nothing, at any time."""
    document = at_quay.window.document
    scrub(at_quay, 0.0)
    lamp = part(at_quay, "Lamp")
    document.select(lamp)
    at_quay.window.bench.setFocus()
    at_quay.keys("e")
    scrub(at_quay, 6.0)
    document.move(key(lamp, "turn z"), 1.0)
    at_quay.do("Key")
    hand_lamp_over(at_quay, 1.0, "Arm")
    times = [0.0, 0.6, 2.0, 5.0]
    before = gremio.bake(document.rig, times=times).world("Lamp")
    scrub(at_quay, 2.0)
    document.select(lamp)
    at_quay.window.bench.setFocus()
    at_quay.keys(Qt.Key.Key_H, SHIFT)
    assert document.pose.at(key(lamp, "turn z")) == pytest.approx(0.0, abs=1e-12)
    assert abs(gremio.bake(document.rig, times=times).world("Lamp") - before).max() < 1e-12


def test_an_animator_keys_a_locked_rig(at_quay: Hand) -> None:
    """Locked, only controls move anything; they can be keyed."""
    document = at_quay.window.document
    document.edit("lock", lambda rig: replace(rig, locked=True))
    scrub(at_quay, 2.0)
    document.move(key(control_id(document.rig, "Swing")), 1.2)
    at_quay.do("Key")
    (routine,) = document.rig.routines.values()
    swing = routine.keys[key(control_id(document.rig, "Swing"))]
    assert 2.0 in {s.lead for s in swing.stations}
