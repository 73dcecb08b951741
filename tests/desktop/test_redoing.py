"""A routine that takes long to follow is followed beside the window: nothing waits for it, and what
is not yet as it is is marked."""

from __future__ import annotations

import time

import numpy as np
import pytest
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel
from tests.desktop.hand import Hand
from tests.desktop.test_routine_page import page, routine, scrub

import gremio
from gremio.core.rig.channels import key
from gremio.core.rig.find import part_id
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.model import Rig
from gremio.core.rig.solids import Box
from gremio.desktop.document import redoing
from gremio.desktop.fields.quantity_field import QuantityField
from gremio.desktop.shell import waiting

LENGTH = 900.0


def rolling(length: float = LENGTH) -> Rig:
    """A wagon that goes on for a quarter of an hour, and its wheel."""
    b = gremio.Builder("Long")
    b.part("Wagon", gremio.shape(Box(1, 0.4, 0.1)), joint="slide x", at=(0, 0, 0.5))
    b.part("Wheel", gremio.shape(Box(0.3, 0.1, 0.3)), joint="spin y", on="Wagon")
    rig = gremio.routine(gremio.roll(b.rig, "Wheel turn y", 0.5), "Minutes", length)
    rig = gremio.key(rig, 0, {"Wagon move x": 0.0})
    return gremio.key(rig, length, {"Wagon move x": 90.0})


@pytest.fixture
def at_wagon(hand: Hand, monkeypatch: pytest.MonkeyPatch) -> Hand:
    """Nothing is found at once, however fast the machine."""
    monkeypatch.setattr(redoing, "AT_ONCE", 0.0)
    hand.window.show_rig(rolling())
    hand.window.deck.show_page("Routine")
    hand.rest(60)
    return hand


def turn(hand: Hand) -> ChannelKey:
    return key(part_id(hand.window.document.rig, "Wheel"), "turn y")


def turned(rig: Rig, at: float) -> float:
    """By how much the wheel has turned at a time (rad): on its radius, as far as the wagon went."""
    return float(gremio.bake(rig, times=[at]).value("Wagon move x")[0]) / 0.5


def test_a_far_time_is_shown_at_once_with_what_is_not_yet_found_marked(at_wagon: Hand) -> None:
    window, document = at_wagon.window, at_wagon.window.document
    timing = document.timing
    scrub(at_wagon, 0.0)
    at_wagon.qtbot.waitUntil(lambda: not timing.behind, timeout=20_000)
    timing.redoing.end()
    document.edit("move a key", lambda rig: gremio.key(rig, LENGTH, {"Wagon move x": 80.0}))
    document.select(part_id(document.rig, "Wheel"))
    at_wagon.rest(60)
    began = time.monotonic()
    timing.go_to(700.0)
    # Keys are as they say at once; the wheel stands as it did, and says so.
    assert time.monotonic() - began < 1.0
    assert timing.behind and timing.shown_as_before(turn(at_wagon))
    wagon = key(part_id(document.rig, "Wagon"), "move x")
    keyed = gremio.bake(document.rig, times=[700.0]).value("Wagon move x")[0]
    assert document.pose.at(wagon) == keyed and not timing.shown_as_before(wagon)
    assert document.pose.at(turn(at_wagon)) == 0.0
    assert "shown as before" in window.deck.behind.text()
    assert "still as before" in window.bench._title()
    fields = window.card.findChildren(QuantityField)
    (field,) = [f for f in fields if f.property("channel") == turn(at_wagon)]
    assert field.property("before") and "as it was before" in field.toolTip().lower()
    # Redone, it is as if it had been followed from the beginning, to the bit; nothing is marked.
    at_wagon.qtbot.waitUntil(lambda: not timing.behind, timeout=30_000)
    at_wagon.qtbot.waitUntil(lambda: not timing.redoing.busy, timeout=30_000)
    at_wagon.rest(80)
    baked = gremio.bake(document.rig, times=[700.0])
    assert document.pose.at(turn(at_wagon)) == baked.value("Wheel turn y")[0]
    assert abs(abs(document.pose.at(turn(at_wagon))) - turned(document.rig, 700.0)) < 1e-6
    assert window.deck.behind.text() == "" and not field.property("before")
    assert timing.redone() is None


def test_hands_that_write_keys_do_not_wait(at_wagon: Hand) -> None:
    """Each key that is written makes another routine of it; only the last is followed."""
    document, timing = at_wagon.window.document, at_wagon.window.document.timing
    timing.go_to(600.0)
    timing.write(True)
    wagon = key(part_id(document.rig, "Wagon"), "move x")
    for where in np.linspace(1.0, 30.0, 12):
        began = time.monotonic()
        assert document.move(wagon, float(where), "drag")
        assert time.monotonic() - began < 1.0
    document.settle()
    assert document.pose.at(wagon) == 30.0
    assert (600.0, 30.0) in [
        (s.lead, s.values[wagon]) for s in routine(at_wagon).keys[wagon].stations
    ]
    at_wagon.qtbot.waitUntil(lambda: not timing.behind, timeout=30_000)
    assert abs(abs(document.pose.at(turn(at_wagon))) - 30.0 / 0.5) < 1e-6


def test_nothing_is_kept_of_what_is_not_yet_found(at_wagon: Hand) -> None:
    """A routine that begins as all stands now begins where the wheel is, not where it was shown."""
    document = at_wagon.window.document
    document.timing.go_to(700.0)
    assert document.timing.behind and document.pose.at(turn(at_wagon)) == 0.0
    assert document.timing.shown_as_before(turn(at_wagon))
    assert not document.timing.shown_as_before(turn(at_wagon).replace("turn", "low stop turn"))
    expected = turned(document.rig, 700.0)
    at_wagon.pick("More of the routine", "let it begin as all stands now")
    assert abs(abs(routine(at_wagon).start[turn(at_wagon)]) - expected) < 1e-6


def test_who_does_not_wait_for_it_changes_nothing(
    at_wagon: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    document, timing = at_wagon.window.document, at_wagon.window.document.timing
    monkeypatch.setattr(waiting, "_QUIET", -1.0)
    monkeypatch.setattr(timing.redoing, "begin", lambda _run: None)
    timing.go_to(700.0)
    before, titles = document.rig, []

    def stop() -> None:
        strip = QApplication.activeModalWidget()
        assert strip is not None
        titles.append(strip.windowTitle())
        QTest.keyClick(strip, Qt.Key.Key_Escape)

    QTimer.singleShot(0, stop)
    with pytest.raises(gremio.GremioError, match="was stopped"):
        timing.key_now([turn(at_wagon)])
    assert titles == ["Solving"]
    assert document.rig is before and timing.behind and timing.time == 700.0


def test_what_is_known_by_then_is_answered_while_the_rest_is_followed(at_wagon: Hand) -> None:
    timing = at_wagon.window.document.timing
    timing.go_to(LENGTH)
    at_wagon.qtbot.waitUntil(lambda: (timing.redone() or 0.0) > 20.0, timeout=20_000)
    timing.go_to(10.0)
    rig = at_wagon.window.document.rig
    found = at_wagon.window.document.pose.at(turn(at_wagon))
    assert not timing.behind
    assert found == gremio.bake(rig, times=[10.0]).value("Wheel turn y")[0]
    # Hatched is what is still to come, and it goes on to the end by itself.
    lines = page(at_wagon).lines
    lines.grab()
    at_wagon.qtbot.waitUntil(lambda: timing.redone() is None, timeout=60_000)


def test_another_rig_ends_it(at_wagon: Hand) -> None:
    timing = at_wagon.window.document.timing
    timing.go_to(LENGTH)
    assert timing.redoing.busy
    at_wagon.window.show_rig(rolling(10.0))
    assert not timing.redoing.busy and not timing.behind
    at_wagon.rest(100)
    assert "redone" not in at_wagon.window.deck.behind.text()


def test_off_the_routine_what_adds_up_says_that_it_goes_on(hand: Hand) -> None:
    """A hand rolls the wheel on from where it is; the routine reads nothing of that."""
    window, document = hand.window, hand.window.document
    window.show_rig(rolling(10.0))
    document.select(part_id(document.rig, "Wheel"))
    hand.rest(60)
    assert "go on from where they are" in window.deck.behind.text()
    assert any("no routine reads" in words for words in labels(hand))
    wagon = key(part_id(document.rig, "Wagon"), "move x")
    document.move(wagon, 3.0)
    assert abs(abs(document.pose.at(turn(hand))) - 3.0 / 0.5) < 1e-9
    document.timing.go_to(0.0)
    hand.rest(60)
    assert document.pose.at(turn(hand)) == 0.0 and window.deck.behind.text() == ""
    assert any("added up from the beginning of Minutes" in words for words in labels(hand))
    document.timing.follow(False)
    hand.rest(60)
    assert abs(abs(document.pose.at(turn(hand))) - 3.0 / 0.5) < 1e-9
    assert "go on from where they are" in window.deck.behind.text()


def labels(hand: Hand) -> list[str]:
    return [label.text() for label in hand.window.card.findChildren(QLabel)]
