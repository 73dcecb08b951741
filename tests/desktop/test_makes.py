"""Sliders, dials, levers, switches and pads: where the knob is, and what a pull means."""

from __future__ import annotations

import math

import pytest
from PyQt6.QtCore import QPointF, QRectF

from gremio.core.rig.model import Control, Rig
from gremio.desktop.makes.draw import ticks
from gremio.desktop.makes.makes import (
    Pull,
    Standing,
    cells,
    dial,
    knob,
    one_to_one,
    pad_room,
    pivot,
    standing,
)

ROOM = QRectF(10, 20, 200, 60)
SLIDE = Control("Slide", "length", "m", -1.0, 1.0)
CRANK = Control("Crank", "angle", "turn", 0.0, 8 * math.pi, make="dial")
VALVE = Control("Valve", "number", "", 0.0, 1.0, make="dial")
LEVER = Control("Lever", "number", "", -1.0, 1.0, make="lever")
SWITCH = Control("Switch", "number", "", 0.0, 2.0, notches=(0.0, 0.5, 2.0), make="switch",
                 positions=("Off", "Half", "On"))  # fmt: skip
PAD = Control("Pad", "length", "m", 0.0, 2.0, make="pad", across="c2")
UP = Control("Up", "length", "m", 0.0, 4.0)


def at(entry: Control, value: float) -> Standing:
    if entry is PAD:
        return Standing("c1", PAD, value, "c2", UP, 1.0)
    return Standing("c1", entry, value)


def test_a_slider_is_pulled_from_where_it_is_held() -> None:
    now = at(SLIDE, 0.0)
    hold = knob(ROOM, now)
    assert hold.x() == ROOM.center().x()
    pull = Pull(ROOM, now, hold + QPointF(4, 3))
    assert not pull.moves_at_once
    assert pull.to(hold + QPointF(4, 3)) == {"c1": pytest.approx(0.0)}
    assert pull.to(hold + QPointF(54, -30)) == {"c1": pytest.approx(0.5)}
    assert pull.to(hold + QPointF(900, 0)) == {"c1": 1.0}


def test_a_press_beside_the_knob_brings_it_there() -> None:
    pull = Pull(ROOM, at(SLIDE, 0.0), QPointF(60, 50))
    assert pull.moves_at_once and pull.to(QPointF(60, 50)) == {"c1": pytest.approx(-0.5)}


def test_notches_are_snapped_to_unless_the_hand_is_free() -> None:
    entry = Control("Slide", "length", "m", -1.0, 1.0, notches=(0.25,))
    hold = knob(ROOM, at(entry, 0.0))
    pull = Pull(ROOM, at(entry, 0.0), hold)
    assert pull.to(hold + QPointF(23, 0)) == {"c1": 0.25}
    assert pull.to(hold + QPointF(23, 0), free=True) == {"c1": pytest.approx(0.23)}


def test_a_dial_of_many_turns_counts_them_and_ends_at_its_range() -> None:
    assert one_to_one(CRANK) and not one_to_one(VALVE)
    middle, radius = dial(ROOM)

    def rim(turn: float) -> QPointF:
        return middle + QPointF(math.sin(turn), -math.cos(turn)) * radius

    pull = Pull(ROOM, at(CRANK, 0.0), rim(0))
    last = {}
    for step in range(1, 61):
        last = pull.to(rim(step * 0.2))
    # It reads round, and no farther off than the hand is fine.
    assert last["c1"] == pytest.approx(12.0, abs=1.25 / radius)
    turns = last["c1"] / (2 * math.pi)
    assert turns * 100 == pytest.approx(round(turns * 100), abs=1e-9)
    assert pull.to(rim(12.0), free=True)["c1"] == pytest.approx(12.0, abs=1e-9)
    for step in range(60, 200):
        last = pull.to(rim(step * 0.2))
    assert last["c1"] == pytest.approx(8 * math.pi)


def test_a_dial_of_another_kind_spans_three_hundred_degrees() -> None:
    low, high = knob(ROOM, at(VALVE, 0.0)), knob(ROOM, at(VALVE, 1.0))
    middle, _ = dial(ROOM)
    assert low.x() == pytest.approx(2 * middle.x() - high.x())
    assert low.y() == pytest.approx(high.y()) and low.y() > middle.y()
    assert knob(ROOM, at(VALVE, 0.5)).x() == pytest.approx(middle.x())


def test_a_lever_leans_with_its_value() -> None:
    foot, length = pivot(ROOM)
    upright = knob(ROOM, at(LEVER, 0.0))
    assert upright.x() == foot.x() and upright.y() == pytest.approx(foot.y() - length)
    pull = Pull(ROOM, at(LEVER, 0.0), upright)
    leaning = foot + QPointF(math.sin(math.radians(25)), -math.cos(math.radians(25))) * length
    assert pull.to(leaning) == {"c1": pytest.approx(0.5)}
    assert pull.to(QPointF(foot.x() + 500, foot.y())) == {"c1": 1.0}


def test_a_switch_stands_where_it_is_clicked() -> None:
    rooms = cells(ROOM, SWITCH)
    assert len(rooms) == 3 and rooms[2].right() == pytest.approx(ROOM.right())
    pull = Pull(ROOM, at(SWITCH, 0.0), rooms[1].center())
    assert pull.to(rooms[1].center()) == {"c1": 0.5}
    assert pull.to(rooms[2].center()) == {"c1": 2.0}
    assert pull.to(QPointF(-100, 0)) == {"c1": 0.0}
    assert knob(ROOM, at(SWITCH, 1.9)) == rooms[2].center()


def test_a_pad_moves_both_axes_with_up_as_more() -> None:
    room = pad_room(ROOM)
    hold = knob(ROOM, at(PAD, 1.0))
    assert hold == QPointF(room.center().x(), room.bottom() - room.height() / 4)
    pull = Pull(ROOM, at(PAD, 1.0), hold)
    found = pull.to(QPointF(room.left() + room.width() * 0.75, room.top()))
    assert found == {"c1": pytest.approx(1.5), "c2": pytest.approx(4.0)}


def test_what_is_not_whole_is_a_slider() -> None:
    alone = Standing("c1", PAD, 1.0)
    assert alone.make == "slider"
    bare = Control("Switch", "number", "", 0.0, 1.0, make="switch")
    assert Standing("c1", bare, 0.0).make == "slider"
    rig = Rig(controls={"c1": PAD, "c2": UP})
    assert standing(rig, "c1", {"c1": 1.0, "c2": 2.0}).across_value == 2.0
    lost = Rig(controls={"c1": PAD})
    assert standing(lost, "c1", {"c1": 1.0}).make == "slider"


def test_ticks_are_round_in_what_is_read() -> None:
    read = Control("Read", "number", "", 0.2, 0.9, scale=(0.0, 100.0))
    marks = [round((mark - 0.2) / 0.7 * 100, 6) for mark in ticks(read)]
    assert marks == [20.0, 40.0, 60.0, 80.0]
    assert ticks(Control("Gate", "angle", "deg", 0.0, math.radians(74)))[0] == pytest.approx(
        math.radians(10)
    )
    assert ticks(Control("None", "number", "", 1.0, 1.0)) == []
