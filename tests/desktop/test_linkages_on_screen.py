"""Closing loops and pulling them, by mouse and keys in the real window."""

from __future__ import annotations

import math

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QLabel
from tests.desktop.hand import CTRL, Hand, answer

import gremio
from gremio.core.edit.builder import shape
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.solids import Box

ESCAPE = Qt.Key.Key_Escape


@pytest.fixture
def at_bars(hand: Hand) -> Hand:
    """Crank, coupler and rocker, drawn as bars, with the coupler's end on the rocker's."""
    build = gremio.Builder("Four-bar")
    a, b, c, d = 0.5, 1.4, 1.0, 1.4
    up = math.radians(70)
    tip = (a * math.cos(up), a * math.sin(up))
    far = math.hypot(d - tip[0], tip[1])
    inside = math.acos((b * b + far * far - c * c) / (2 * b * far))
    rod = inside - math.atan2(tip[1], d - tip[0])
    end = (tip[0] + b * math.cos(rod), tip[1] + b * math.sin(rod))
    rocker = math.atan2(end[1], end[0] - d)

    def bar(length: float):
        return shape(Box(length=length, width=0.1, height=0.1), (length / 2, 0, 0))

    # Upright, about y, so that the Bench sees them broadside.
    build.part("Crank", bar(a), turned=(0, -up, 0), joint="hinge y")
    build.part("Coupler", bar(b), on="Crank", at=(a, -0.14, 0), turned=(0, up - rod, 0),
               joint="hinge y")  # fmt: skip
    build.part("Rocker", bar(c), at=(d, -0.28, 0), turned=(0, -rocker, 0), joint="hinge y")
    build.control("Turn", "-1 turn", "1 turn", unit="turn")
    build.ratio("Turn", "Crank", 1)
    hand.window.show_rig(build.rig)
    hand.rest(60)
    return hand


def pinned(hand: Hand) -> None:
    document = hand.window.document
    document.edit(
        "pin", lambda rig: gremio.pin(rig, "Coupler", "Rocker", (1.4, -0.14, 0), (1.0, 0, 0))
    )
    hand.rest(40)


def test_two_clicks_pin_two_parts_together(at_bars: Hand) -> None:
    window, document = at_bars.window, at_bars.window.document
    window.bench.setFocus()
    at_bars.keys("p")
    first = at_bars.on_part("Coupler", (1.4, -0.05, 0.0))
    for spot in (first - QPointF(30, 0), first):
        at_bars.move(window.bench, spot)
    at_bars.click(window.bench, first)
    second = at_bars.on_part("Rocker", (1.0, -0.05, 0.0))
    for spot in (second - QPointF(0, 20), second):
        at_bars.move(window.bench, spot)
    at_bars.click(window.bench, second)
    (closure,) = document.rig.closures.values()
    names = {document.rig.parts[p].name for p in (closure.one, closure.two or "")}
    assert names == {"Coupler", "Rocker"}
    assert document.selected in document.rig.closures
    at_bars.keys(Qt.Key.Key_Z, CTRL)
    assert document.rig.closures == {}


def test_escape_stops_pinning(at_bars: Hand) -> None:
    at_bars.window.bench.setFocus()
    at_bars.keys("p")
    at_bars.keys(ESCAPE)
    assert not at_bars.window.bench.asking() and at_bars.window.document.rig.closures == {}


def test_the_control_drives_the_loop_and_the_card_tells_its_mobility(at_bars: Hand) -> None:
    window, document = at_bars.window, at_bars.window.document
    pinned(at_bars)
    at_bars.type_into(at_bars.instrument("Turn").field, "0.15 turn")
    assert at_bars.value("Rocker") != 0.0
    document.select(next(iter(document.rig.closures)))
    at_bars.rest(30)
    words = [w.text() for w in window.card.findChildren(QLabel) if w.isVisible()]
    assert any(word.startswith("1 way to move, led by") and "closed" in word for word in words)
    at_bars.choose("Kind of closure", "rail")
    assert next(iter(document.rig.closures.values())).kind == "rail"
    at_bars.do("Remove this closure")
    assert document.rig.closures == {}


def test_any_part_of_a_linkage_is_pulled_and_the_desk_follows(at_bars: Hand) -> None:
    window, document = at_bars.window, at_bars.window.document
    pinned(at_bars)
    start = at_bars.on_part("Rocker", (0.8, -0.05, 0.0))
    assert window.bench.part_at(start) == part_id(document.rig, "Rocker")
    at_bars.drag(window.bench, start, start + QPointF(-6, 2), start + QPointF(-20, 6),
                 start + QPointF(-34, 10))  # fmt: skip
    assert abs(at_bars.value("Turn")) > 0.02
    (closing,) = document.pose.poses.closing.values()
    assert float(closing.gap[0]) < 1e-9
    assert window.undo.text() == "Undo move Turn"
    at_bars.keys(Qt.Key.Key_Z, CTRL)
    assert at_bars.value("Turn") == 0.0


def test_where_the_reach_ends_is_on_the_inspection_page(at_bars: Hand) -> None:
    document = at_bars.window.document
    pinned(at_bars)
    rocker = part_id(document.rig, "Rocker")
    from gremio.core.edit.parts import set_stops
    from gremio.core.rig.model import Stops

    document.edit("stop", lambda rig: set_stops(rig, rocker, "turn y", Stops(-0.2, 0.2)))
    document.move(control_id(document.rig, "Turn"), 2.0)
    (note,) = (n for n in document.looking.notes() if n.code == "control-stopped")
    assert note.severity == "warning" and "Rocker stops it at" in note.text
    assert note.text.startswith("Turn stands at ")


def test_the_engine_of_the_demo_turns(at_lock: Hand) -> None:
    document = at_lock.window.document
    document.move(control_id(document.rig, "Engine"), 2.0)
    crank, rod = 0.22, 0.9
    wanted = crank * math.cos(2.0) + math.sqrt(rod**2 - (crank * math.sin(2.0)) ** 2)
    assert at_lock.value("Crosshead") + crank + rod == pytest.approx(wanted, abs=1e-9)
    document.move(control_id(document.rig, "Lift"), 1.0)
    platform = document.pose.part("Platform").world
    assert platform[:3, 2] == pytest.approx([0, 0, 1], abs=1e-9) and platform[2, 3] > 2


def test_a_strut_is_made_by_two_clicks_and_fitted_on_its_card(hand: Hand) -> None:
    build = gremio.Builder("Bridge")
    build.part("Pier", shape(Box(length=0.6, width=0.6, height=0.4), (0.6, -0.5, 0.2)))
    leaf = shape(Box(length=2.4, width=0.3, height=0.2), (1.2, -0.5, 0))
    build.part("Leaf", leaf, at=(0, 0, 1.6), joint="hinge y", stops=("-80 deg", "0 deg"))
    build.control("Raise", "0 deg", "70 deg")
    build.ratio("Raise", "Leaf", -1)
    window, document = hand.window, hand.window.document
    window.show_rig(build.rig)
    hand.rest(60)
    window.bench.setFocus()
    hand.keys("s")
    for name, near, corner in (
        ("Pier", (0.9, -0.4, 0.3), (0.9, -0.2, 0.4)),
        ("Leaf", (2.4, -0.4, -0.02), (2.4, -0.35, -0.1)),
    ):
        spot = hand.on_part(name, corner)
        hand.move(window.bench, hand.on_part(name, near))
        hand.move(window.bench, spot)
        hand.click(window.bench, spot)
    (strut_id,) = document.rig.struts
    assert document.selected == strut_id
    assert "does for the whole travel" in hand.said[-1] or "Strut " in hand.said[-1]
    hand.type_into(hand.named("Barrel length"), "0.5 m")
    assert "strut-short" in [n.code for n in document.looking.notes()]
    hand.do("Let them be so")
    assert "strut-short" not in [n.code for n in document.looking.notes()]
    hand.do("Remove this strut")
    assert document.rig.struts == {} and len(document.rig.parts) == 2


def test_c_on_what_a_linkage_moves_asks_whether_it_should_lead_instead(at_bars: Hand) -> None:
    window, document = at_bars.window, at_bars.window.document
    pinned(at_bars)
    document.move(control_id(document.rig, "Turn"), 0.3)
    rocker = part_id(document.rig, "Rocker")
    document.select(rocker)
    at_bars.rest(40)
    stood = document.pose.at(f"{rocker} turn y")
    assert at_bars.named("Control").isVisible(), "on the Card as by its key"
    window.bench.setFocus()
    asked = answer("Stay")
    at_bars.keys("c")
    assert "moved by the linkage that Crank" in asked[0]
    assert [c.name for c in document.rig.controls.values()] == ["Turn"]
    answer("Let Rocker turn y lead instead")
    window.activateWindow()
    window.bench.setFocus()
    at_bars.rest(60)
    at_bars.keys("c")
    at_bars.rest(60)
    (control,) = document.rig.controls.values()
    assert control.name == "Rocker control" and "follows it now" in at_bars.said[-1]
    assert "Turn led nothing else, and is taken out" in at_bars.said[-1]
    assert document.pose.at(f"{rocker} turn y") == pytest.approx(stood, abs=1e-6)
    # The linkage follows its rocker, as far as that went before.
    document.move(document.selected, control.low)
    assert document.pose.at(f"{rocker} turn y") == pytest.approx(control.low, abs=1e-3)
    # Without a window manager a question that closed may leave the window inactive.
    window.activateWindow()
    window.bench.setFocus()
    at_bars.rest(60)
    at_bars.keys("z", CTRL)
    assert document.pose.at(f"{rocker} turn y") == pytest.approx(stood, abs=1e-6)
