"""Driving a carriage to a place, pulling by several controls, backlash: by mouse and keys."""

from __future__ import annotations

import math

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QLabel
from tests.core.make.test_driving import trolley
from tests.core.solve.test_pulling import excavator
from tests.desktop.hand import CTRL, Hand

import gremio
from gremio.core.edit.builder import shape
from gremio.core.edit.parts import set_shapes
from gremio.core.make.gearing import gears_of, mesh_of
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.model import Ratio
from gremio.core.rig.solids import Box, SpurGear
from gremio.desktop.bench.camera import Camera, project


def place(hand: Hand) -> tuple[float, float]:
    x, y = hand.window.document.pose.world(part_id(hand.window.document.rig, "Body"))[:2, 3]
    return float(x), float(y)


def test_a_carriage_is_driven_to_a_typed_place_and_to_where_one_clicks(hand: Hand) -> None:
    window, document = hand.window, hand.window.document
    window.show_rig(trolley())
    hand.rest(60)
    document.select(part_id(document.rig, "Body"))
    field = hand.named("Drive to")
    hand.type_into(field, "4; 1,5")
    assert place(hand) == pytest.approx((4.0, 1.5), abs=1e-6)
    window.bench.setFocus()
    hand.keys(Qt.Key.Key_Z, CTRL)
    assert place(hand) == pytest.approx((0.0, 0.0), abs=1e-9)
    # What can't be says so, and nothing moves.
    hand.type_into(hand.named("Drive to"), "0; 1")
    assert "can't come there in one arc" in hand.said[-1] and not document.rig.at
    hand.type_into(hand.named("Drive to"), "3")
    assert "Two numbers" in hand.said[-1]
    hand.click(hand.named("Click where to drive it"))
    # From above, far enough away to see where it goes.
    window.bench.camera = Camera((1.0, 0, 0), 12.0, elevation=math.radians(60))
    hand.rest(30)
    (pixel,), _ = project(
        window.bench.camera, window.bench.logical_size(), np.array([[2.6, 0.4, 0]])
    )
    at = QPointF(*pixel)
    for spot in (at - QPointF(20, 0), at):
        hand.move(window.bench, spot)
    hand.click(window.bench, at)
    assert place(hand) == pytest.approx((2.6, 0.4), abs=0.02)
    # It is asked on, for the next place.
    assert window.bench.asking()
    hand.keys(Qt.Key.Key_Escape)
    assert not window.bench.asking()


def test_controls_chosen_on_the_desk_are_pulled_together(hand: Hand) -> None:
    window, document = hand.window, hand.window.document
    rig = excavator()
    for name, length in (("Boom", 2.4), ("Stick", 1.4), ("Bucket", 0.6)):
        bar = shape(Box(length=length, width=0.2, height=0.2), (length / 2, 0, 0))
        rig = set_shapes(rig, part_id(rig, name), (bar,))
    window.show_rig(rig)
    hand.rest(60)

    def choose(name: str) -> None:
        instrument = hand.instrument(name)
        hand.window.desk.area.ensureWidgetVisible(instrument)
        at = instrument.mapTo(window, QPointF(60, 10)).toPoint()
        from PyQt6.QtTest import QTest

        QTest.mouseClick(window.windowHandle(), Qt.MouseButton.LeftButton, CTRL, at)
        hand.rest()

    choose("Boom lever")
    choose("Stick lever")
    chosen = {control_id(rig, "Boom lever"), control_id(rig, "Stick lever")}
    assert document.chosen == chosen
    start = hand.on_part("Bucket", (0.3, 0, 0))
    hand.drag(window.bench, start, start + QPointF(8, 12), start + QPointF(30, 50))
    assert any("moves" in s and "Boom lever" in s and "Stick lever" in s for s in hand.said)
    assert {c for c, v in document.rig.at.items() if abs(v) > 1e-9} == chosen
    end = hand.on_part("Bucket", (0.3, 0, 0))
    assert math.hypot(end.x() - start.x() - 30, end.y() - start.y() - 50) < 3
    # Chosen no more, the nearest moves alone.
    hand.keys(Qt.Key.Key_Z, CTRL)
    assert not document.rig.at
    choose("Boom lever")
    choose("Stick lever")
    assert not document.chosen


def test_backlash_is_typed_on_the_card_of_a_gear_pair_and_had_when_teeth_are_placed(
    hand: Hand,
) -> None:
    window, document = hand.window, hand.window.document
    build = gremio.Builder("Pair")
    for name, teeth, x in (("Pinion", 20, 0.0), ("Wheel", 40, 0.33)):
        gear = SpurGear(module=0.01, teeth=teeth, width=0.05)
        build.part(name, shape(gear), at=(x, 0, 0), joint="spin z")
    window.show_rig(gremio.mesh(build.rig, "Pinion", "Wheel"))
    hand.rest(60)
    (link,) = document.rig.links
    document.select(link)
    assert "0 mm of play now" in words(hand)
    hand.type_into(hand.named("Backlash"), "0,2")
    hand.do("Place its teeth in the spaces")
    entry = document.rig.links[link]
    assert isinstance(entry, Ratio) and entry.backlash == pytest.approx(0.2e-3)
    one, two = (gears_of(document.rig, document.pose, part_id(document.rig, n))[0]
                for n in ("Pinion", "Wheel"))  # fmt: skip
    assert mesh_of(one, two).backlash == pytest.approx(0.2e-3, rel=1e-6)
    assert "0.2 mm of play now" in words(hand)


def words(hand: Hand) -> set[str]:
    """What is written on the Card."""
    hand.rest(20)
    return {label.text() for label in hand.window.card.findChildren(QLabel) if label.isVisible()}


def test_a_typed_value_that_a_range_cuts_is_told(hand: Hand) -> None:
    window, document = hand.window, hand.window.document
    window.show_rig(excavator())
    hand.rest(60)
    field = hand.instrument("Boom lever").field
    assert field is not None
    hand.type_into(field, "90 deg")
    assert hand.said[-1].startswith("Boom lever goes to 57.3° only; 90° was asked for.")
    count = len(hand.said)
    hand.type_into(field, "20 deg")
    assert len(hand.said) == count
    # Through the ratio that leads it, too: its own joint has no stops.
    document.move(f"{part_id(document.rig, 'Boom')} turn y", 2.0)
    assert "114.6° was asked for. Boom lever leads it no farther." in hand.said[-1]
