"""Stops where a part touches, by real hands."""

from __future__ import annotations

import pytest
from tests.desktop.hand import Hand, act

import gremio
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Stops
from gremio.core.rig.solids import Box

shape = gremio.shape


@pytest.fixture
def at_bolt(hand: Hand) -> Hand:
    """A bolt between two walls, 0.3 m before it and 0.5 m behind."""
    b = gremio.Builder("Bolt")
    b.part("Bolt", shape(Box(length=0.4, width=0.05, height=0.05)), joint="slide x")
    b.part("Front", shape(Box(length=0.1, width=1, height=1)), at=(0.55, 0, 0))
    b.part("Back", shape(Box(length=0.1, width=1, height=1)), at=(-0.75, 0, 0))
    hand.window.show_rig(b.rig)
    hand.window.document.select(part_id(b.rig, "Bolt"))
    hand.rest(60)
    return hand


def stops(hand: Hand) -> Stops:
    rig = hand.window.document.rig
    return rig.parts[part_id(rig, "Bolt")].stops.get("move x", Stops())


def test_both_stops_by_two_clicks(at_bolt: Hand) -> None:
    at_bolt.pick("Until it touches…", "both stops there")
    assert stops(at_bolt).low == pytest.approx(-0.5, abs=1e-6)
    assert stops(at_bolt).high == pytest.approx(0.3, abs=1e-6)
    assert "Front" in at_bolt.said[-1] and "Back" in at_bolt.said[-1]
    at_bolt.window.document.undo()
    assert stops(at_bolt) == Stops()


def test_it_is_moved_on_and_back(at_bolt: Hand) -> None:
    at_bolt.pick("Until it touches…", "move on till there")
    assert at_bolt.value("Bolt", "move x") == pytest.approx(0.3, abs=1e-6)
    at_bolt.pick("Until it touches…", "move back till there")
    assert at_bolt.value("Bolt", "move x") == pytest.approx(-0.5, abs=1e-6)
    assert stops(at_bolt) == Stops()


def test_several_chosen_are_what_it_may_touch(at_bolt: Hand) -> None:
    document = at_bolt.window.document
    ids = [part_id(document.rig, name) for name in ("Front", "Bolt")]
    document.choose(ids)
    at_bolt.rest(40)
    at_bolt.do("Stops where it touches")
    assert stops(at_bolt).high == pytest.approx(0.3, abs=1e-6)
    assert stops(at_bolt).low is None


def test_nothing_to_touch_is_said(at_bolt: Hand) -> None:
    document = at_bolt.window.document
    document.select(part_id(document.rig, "Front"))
    act(at_bolt.window, "Set both stops where it touches")
    assert stops(at_bolt) == Stops()
    assert at_bolt.said[-1]
    document.select("")
    act(at_bolt.window, "Set both stops where it touches")
    assert "Select a part" in at_bolt.said[-1]
