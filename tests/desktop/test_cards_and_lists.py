"""Cards whose sections fold, stops as an instrument, the list of parts, and what is left over."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QLabel
from tests.desktop.hand import Hand

import gremio
from gremio.core.edit.parts import set_joint, set_stops
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.model import Joint, Stops
from gremio.core.rig.solids import Box
from gremio.desktop.card.rail import StopsRail, extent_of, round_step
from gremio.desktop.fields.sections import Section
from gremio.desktop.kept import kept
from gremio.desktop.shell.window import Window


@pytest.fixture
def at_gate(at_lock: Hand) -> Hand:
    document = at_lock.window.document
    document.select(part_id(document.rig, "Upper gate, east"))
    at_lock.rest(60)
    return at_lock


@pytest.fixture
def at_hatch(hand: Hand) -> Hand:
    """A lid on a hinge that nothing leads, 40 mm wide."""
    build = gremio.Builder("Saltmarsh hatch")
    build.part("Lid", Box(0.04, 0.03, 0.002), joint="hinge y")
    hand.window.show_rig(build.rig)
    hand.window.document.select(part_id(build.rig, "Lid"))
    hand.rest(60)
    return hand


def section(hand: Hand, word: str) -> Section:
    found = [s for s in hand.window.card.findChildren(Section) if s.word == word]
    assert len(found) == 1 and found[0].isVisible()
    return found[0]


def rail(hand: Hand) -> StopsRail:
    (found,) = hand.window.card.findChildren(StopsRail)
    return found


# ── sections ─────────────────────────────────────────────────────────


def test_a_folded_section_says_its_gist_and_stays_as_left(at_gate: Hand) -> None:
    window, document = at_gate.window, at_gate.window.document
    stands = section(at_gate, "Stands at")
    assert stands.folded and stands.gist.text() == "0  -3  0 m"
    at_gate.click(stands.gist)
    assert not stands.folded and stands.gist.text() == ""
    assert at_gate.named("Joint stands at y").isVisible()
    document.select(part_id(document.rig, "Upper gate, west"))
    at_gate.rest(60)
    assert not section(at_gate, "Stands at").folded
    at_gate.click(section(at_gate, "Stands at").button)
    at_gate.rest(20)
    assert section(at_gate, "Stands at").folded
    assert kept("folded sections", {})["PartSheet Stands at"] is True
    assert window.card.widget() is not None


def test_the_common_part_of_a_card_is_seen_without_scrolling(at_gate: Hand) -> None:
    """With the deck open, down to what the part leads."""
    window = at_gate.window
    assert not window.deck.folded
    for word in ("Led by", "Leads", "Shape"):
        found = section(at_gate, word)
        at = found.mapTo(window.card.viewport(), QPointF(0, 0)).y()
        assert 0 <= at < window.card.viewport().height(), word


def test_a_number_that_is_found_opens_its_section(at_gate: Hand) -> None:
    window, document = at_gate.window, at_gate.window.document
    pinion = part_id(document.rig, "Pinion, east")
    window.card.show_number(f"{pinion} shape 0 teeth")
    at_gate.rest(40)
    assert not section(at_gate, "Shape").folded and at_gate.named("Teeth").hasFocus()


def test_only_one_thing_on_a_card_is_in_the_ink_of_the_hand(at_gate: Hand) -> None:
    buttons = [b for b in at_gate.window.card.findChildren(QLabel) if b.isVisible()]
    assert all(not b.property("main") for b in buttons)


# ── stops as an instrument ───────────────────────────────────────────


def test_a_stop_is_pulled_on_the_card_in_one_step(at_hatch: Hand) -> None:
    document = at_hatch.window.document
    lid = part_id(document.rig, "Lid")
    steps = len(document.history.done)
    high = rail(at_hatch).stop("high")
    at_hatch.drag(rail(at_hatch), high, high - QPointF(20, 0), high - QPointF(40, 0))
    at_hatch.rest(40)
    stops = document.rig.parts[lid].stops["turn y"]
    assert stops.low is None and stops.high is not None and 0 < stops.high < math.pi
    degrees = math.degrees(stops.high)
    assert degrees == pytest.approx(round(degrees)), "in round steps"
    assert len(document.history.done) == steps + 1
    at_hatch.keys("z", Qt.KeyboardModifier.ControlModifier)
    at_hatch.rest(40)
    assert document.rig.parts[lid].stops == {}


def test_the_knob_is_pulled_and_ends_on_the_stop(at_hatch: Hand) -> None:
    document = at_hatch.window.document
    lid = part_id(document.rig, "Lid")
    document.edit("stops", lambda rig: set_stops(rig, lid, "turn y", Stops(-0.2, 1.0)))
    at_hatch.rest(40)
    knob = rail(at_hatch).knob()
    at_hatch.drag(rail(at_hatch), knob, knob + QPointF(30, 0), knob + QPointF(300, 0))
    assert at_hatch.value("Lid") == pytest.approx(1.0)
    before = document.rig.parts[lid].stops
    knob = rail(at_hatch).knob()
    at_hatch.drag(rail(at_hatch), knob - QPointF(0, 6), knob - QPointF(40, 6))
    assert at_hatch.value("Lid") < 0.9 and document.rig.parts[lid].stops == before


def test_where_a_rail_ends() -> None:
    inf = math.inf
    assert extent_of(0.0, 1.0, 0.5, 0.0, 3.0) == pytest.approx((-0.08, 1.08))
    low, high = extent_of(-inf, inf, 0.0, 0.0, 2.0)
    assert low < -2.0 and high > 2.0
    low, high = extent_of(0.0, inf, 7.0, 0.0, 2.0)
    assert low < 0.0 and high > 9.0
    assert [round_step(s) for s in (0.7, 3.0, 0.021, 1.0)] == pytest.approx([0.5, 2.0, 0.02, 1.0])


# ── units ────────────────────────────────────────────────────────────


def test_a_small_part_is_told_in_millimetres_until_a_unit_is_chosen(at_hatch: Hand) -> None:
    window, document = at_hatch.window, at_hatch.window.document
    lid = part_id(document.rig, "Lid")
    assert at_hatch.named("Length").text() == "40.0\u2009mm"
    document.select("")
    at_hatch.rest(40)
    at_hatch.choose("Lengths in", "inches")
    document.select(lid)
    at_hatch.rest(60)
    assert document.rig.lengths == "in"
    assert at_hatch.named("Length").text() == "1.57\u2009in"
    at_hatch.type_into(at_hatch.named("Length"), "2")
    assert document.rig.parts[lid].shapes[0].solid.length == pytest.approx(0.0508)
    at_hatch.keys("z", Qt.KeyboardModifier.ControlModifier)
    at_hatch.keys("z", Qt.KeyboardModifier.ControlModifier)
    assert document.rig.lengths == "" and window.card.isVisible()


def test_a_control_of_another_kind_means_what_it_meant(at_lock: Hand) -> None:
    document = at_lock.window.document
    gates = control_id(document.rig, "Upper gates")
    document.move(gates, math.radians(46))
    turned = at_lock.value("Upper gate, east")
    document.select(gates)
    at_lock.rest(60)
    at_lock.choose("Kind", "number")
    entry = document.rig.controls[gates]
    assert (entry.low, entry.high, entry.unit) == (0.0, pytest.approx(74.0), "")
    assert document.pose.at(gates) == pytest.approx(46.0)
    assert at_lock.value("Upper gate, east") == pytest.approx(turned)


# ── the list of parts ────────────────────────────────────────────────


def rows(window: Window) -> dict[str, str]:
    """What stands under what, by their words."""
    found = {}
    for item in [*window.parts._items.values(), *window.parts._things.values()]:
        above = item.parent()
        found[item.text(0)] = "" if above is None else above.text(0)
    return found


def test_all_that_is_in_a_rig_stands_in_the_list(at_lock: Hand) -> None:
    window, rig = at_lock.window, at_lock.window.document.rig
    found = rows(window)
    for things in (rig.struts, rig.constraints, rig.strands, rig.paths, rig.measures):
        assert {thing.name for thing in things.values()} <= set(found)
    assert any(word.startswith("pin of ") for word in found)
    for constraint in rig.constraints.values():
        assert found[constraint.name] == rig.parts[constraint.part].name
    strut = next(iter(rig.struts.values()))
    at_lock.window.document.select(next(iter(rig.struts)))
    at_lock.rest(40)
    assert window.parts.tree.currentItem().text(0) == strut.name
    assert "strut" in window.parts.told.told_of(next(iter(rig.struts)))


def test_a_row_is_renamed_by_a_double_click(at_lock: Hand) -> None:
    window, document = at_lock.window, at_lock.window.document
    tree = window.parts.tree
    for thing, field in ((part_id(document.rig, "Boiler"), "parts"),
                         (next(iter(document.rig.strands)), "strands")):  # fmt: skip
        document.select(thing)
        at_lock.rest(30)
        spot = QPointF(tree.visualItemRect(tree.currentItem()).center())
        at_lock.click(tree.viewport(), spot)
        from PyQt6.QtTest import QTest

        QTest.mouseDClick(tree.viewport(), Qt.MouseButton.LeftButton, pos=spot.toPoint())
        at_lock.rest(20)
        at_lock.keys(Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
        at_lock.keys(f"New {field}")
        at_lock.keys(Qt.Key.Key_Return)
        at_lock.rest(30)
        assert getattr(document.rig, field)[thing].name == f"New {field}"


def test_the_list_is_filtered_and_tells_what_leads(at_lock: Hand) -> None:
    window, document = at_lock.window, at_lock.window.document
    at_lock.click(window.parts.filter)
    at_lock.keys("rack bar")
    shown = [i.text(0) for i in window.parts._items.values() if not i.isHidden()]
    assert "Rack bar, east" in shown and "Boiler" not in shown
    assert "Paddle, east" in shown, "what carries it stays"
    told = window.parts.told.told_of(part_id(document.rig, "Upper gate, east"))
    assert "hinge" in told and "led by Upper gates, cam" in told
    # Enter gives the keyboard back to the Bench, and leaves the list as it is.
    at_lock.keys(Qt.Key.Key_Return)
    assert window.bench.hasFocus() and window.parts.filter.text() == "rack bar"
    at_lock.click(window.parts.filter)
    at_lock.keys(Qt.Key.Key_Escape)
    assert not any(i.isHidden() for i in window.parts._items.values())


def test_nothing_is_left_over_in_another_rig(at_lock: Hand) -> None:
    window, document = at_lock.window, at_lock.window.document
    document.select(part_id(document.rig, "Boiler"))
    window.act("bench.hide")
    assert (
        "1 hidden" in window.bench.overlay.drawn.title and "1 hidden" in window.parts.count.text()
    )
    window.act("part.try axis")
    window.bench.camera = window.bench.camera.__class__()
    view = window.bench.camera
    at_lock.drag(window.bench, QPointF(20, 60), QPointF(140, 90))
    window.act("bench.measure")
    assert window.bench.asking()
    document._saved = document.rig
    window.act("file.new")
    at_lock.rest(30)
    assert window.bench.hidden == frozenset() and window.parts.count.text() == "0"
    assert not window.bench.asking() and window.card.making is None
    assert window.bench.camera.azimuth == view.azimuth


def test_what_is_asked_for_a_part_ends_with_another(at_gate: Hand) -> None:
    window, document = at_gate.window, at_gate.window.document
    at_gate.do("Pick its place…")
    assert window.bench.asking()
    document.select(part_id(document.rig, "Boiler"))
    assert not window.bench.asking()


def test_what_is_found_is_shown(at_lock: Hand) -> None:
    window, document = at_lock.window, at_lock.window.document
    last = list(window.desk.instruments)[-1]
    at_lock.keys("k", Qt.KeyboardModifier.ControlModifier)
    at_lock.keys(document.rig.controls[last].name)
    at_lock.keys(Qt.Key.Key_Return)
    at_lock.rest(40)
    instrument = window.desk.instruments[last]
    top = instrument.mapTo(window.desk.area.viewport(), QPointF(0, 0)).y()
    assert 0 <= top <= window.desk.area.viewport().height() - instrument.height()
    assert window.bench.hasFocus()


def test_a_window_opens_as_it_was_left(window: Window, tmp_path: Path) -> None:
    from gremio.desktop.shell.recovery import Keeper
    from gremio.desktop.shell.screen import keep_screen

    window.set_inks(window.inks)
    window.switch_inks()
    window.resize(1111, 707)
    window.deck.fold(True)
    keep_screen(window)
    again = Window(Keeper(tmp_path / "other"))
    assert (again.width(), again.height()) == (1111, 707)
    assert again.inks.night and again.deck.folded
    window.switch_inks()
    again.document.start(again.document.rig, None)
    again.close()


@pytest.mark.usefixtures("window")
def test_the_deck_is_folded_at_first(tmp_path: Path) -> None:
    from gremio.desktop.shell.recovery import Keeper

    first = Window(Keeper(tmp_path / "other"))
    assert first.deck.folded and not first.deck.pages.isVisible()
    first.close()


def test_a_hinge_that_is_free_both_ways_shows_its_ends_open(at_hatch: Hand) -> None:
    document = at_hatch.window.document
    lid = part_id(document.rig, "Lid")
    document.edit("slide", lambda rig: set_joint(rig, lid, Joint("slide", "z")))
    at_hatch.rest(60)
    low, high = rail(at_hatch).extent()
    assert low < -0.03 and high > 0.03 and high - low < 0.2, "as far as the part is long"
