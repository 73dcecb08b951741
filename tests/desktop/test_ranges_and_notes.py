"""Ranges, open ends, notes, and keys by their place, with real hands."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel, QPushButton, QWidget
from tests.desktop.hand import LEFT, Hand

import gremio
from gremio.core.edit.notes import note_of
from gremio.core.inspect.finding import Finding
from gremio.core.problem import Note
from gremio.core.rig.channels import key
from gremio.core.rig.find import channel_key, control_id, part_id
from gremio.core.rig.scales import shown
from gremio.desktop.shell.find import Finder


@pytest.fixture
def at_gate(hand: Hand) -> Hand:
    """A gate led by a bare control, a trolley led by another."""
    b = gremio.Builder("Quay")
    b.part("Gate", joint="hinge z")
    b.part("Trolley", joint="slide x")
    b.control("Lift", 0.0, 10.0, kind="number", unit="")
    b.ratio("Lift", "Gate turn z", 0.1)
    b.control("Travel", -5.0, 5.0, kind="length")
    b.ratio("Travel", "Trolley move x", 1.0)
    hand.window.document.start(b.rig, None)
    hand.rest(40)
    return hand


def click_offer(hand: Hand) -> None:
    """Click the words that the message offers, where they stand in it."""
    message = hand.window.message
    assert message.isVisible()
    for y in range(message.height() - 12, 4, -6):
        for x in range(6, message.width(), 6):
            at = QPointF(x, y).toPoint()
            QTest.mouseMove(message, at)
            if message.cursor().shape() == Qt.CursorShape.PointingHandCursor:
                QTest.mouseClick(message, LEFT, pos=at)
                hand.rest(20)
                return
    raise AssertionError(f"nothing to click in {message.text()!r}")


def lift(hand: Hand, value: float) -> float:
    document = hand.window.document
    document.move(key(control_id(document.rig, "Lift")), value)
    return hand.value("Gate", "turn z")


def test_a_typed_range_takes_the_gate_along_and_offers_the_proportion(at_gate: Hand) -> None:
    document = at_gate.window.document
    assert lift(at_gate, 10.0) == pytest.approx(1.0)
    document.settle()
    document.select(control_id(document.rig, "Lift"))
    at_gate.type_into(at_gate.named("High end"), "20")
    # Nothing moved, and the gate still ends where it ended.
    assert at_gate.value("Gate", "turn z") == pytest.approx(1.0)
    assert document.pose.control("Lift") == pytest.approx(20.0)
    text = at_gate.window.message.text()
    assert "Gate" in text and "half way" in text
    click_offer(at_gate)
    assert document.rig.controls[control_id(document.rig, "Lift")].high == 20.0
    assert lift(at_gate, 10.0) == pytest.approx(1.0)
    assert lift(at_gate, 20.0) == pytest.approx(2.0)
    document.settle()
    # One step back is the range as it was, for it was one act.
    document.undo()
    document.undo()
    document.undo()
    assert document.rig.controls[control_id(document.rig, "Lift")].high == 10.0


def test_what_is_one_for_one_stays_so_and_nothing_is_offered(at_gate: Hand) -> None:
    document = at_gate.window.document
    document.select(control_id(document.rig, "Travel"))
    before = document.rig.links
    at_gate.type_into(at_gate.named("Low end"), "-2 m")
    assert document.rig.controls[control_id(document.rig, "Travel")].low == -2.0
    assert document.rig.links == before
    assert not at_gate.window.message.isVisible()


def test_an_open_slider_goes_on_under_the_hand(at_gate: Hand) -> None:
    document = at_gate.window.document
    travel = control_id(document.rig, "Travel")
    document.select(travel)
    at_gate.click(at_gate.named("Goes on beyond its range"))
    assert document.rig.controls[travel].open
    instrument = at_gate.instrument("Travel")
    body = instrument.body()
    knob = at_gate.slider("Travel")
    at_gate.drag(instrument, knob, knob + QPointF(body.width() * 0.4, 0),
                 QPointF(body.right() + 60, knob.y()))  # fmt: skip
    value = at_gate.value("Trolley", "move x")
    assert value == pytest.approx(5.0 + 10.0 * 60 / body.width(), abs=0.2)
    # The scale has run along: the knob can be taken hold of where it is, and goes on.
    now = instrument.standing()
    assert now.entry.low < value < now.entry.high
    at_gate.type_into(instrument.field, "80 m")
    assert at_gate.value("Trolley", "move x") == pytest.approx(80.0)


def test_a_note_is_typed_read_in_the_ledger_and_found_by_its_words(at_gate: Hand) -> None:
    window, document = at_gate.window, at_gate.window.document
    gate = part_id(document.rig, "Gate")
    document.select(gate)
    note = at_gate.named("Note")
    at_gate.click(note)
    at_gate.keys("Greased by the keeper")
    at_gate.keys(Qt.Key.Key_Return)
    assert note_of(document.rig, gate) == "Greased by the keeper"
    # The keyboard is back at the Bench: a letter is an action again, no text.
    assert QApplication.focusWidget() is not None
    document.select("")
    window.deck.show_page("Ledger")
    at_gate.rest(40)
    window.find_anything()
    finder = window.findChildren(Finder)[0]
    at_gate.keys("keeper")
    at_gate.keys(Qt.Key.Key_Return)
    assert finder.isHidden()
    assert document.selected == gate
    document.undo()
    assert note_of(document.rig, gate) == ""


def test_escape_leaves_a_note_as_it_was(at_gate: Hand) -> None:
    document = at_gate.window.document
    gate = part_id(document.rig, "Gate")
    document.select(gate)
    note = at_gate.named("Note")
    at_gate.click(note)
    at_gate.keys("Nonsense")
    at_gate.keys(Qt.Key.Key_Escape)
    assert note_of(document.rig, gate) == ""
    assert document.selected == gate


def press_at(widget: QWidget, place: int, key_: Qt.Key, text: str) -> None:
    """Press the key at a place of the keyboard (its X11 code) that writes something else."""
    no = Qt.KeyboardModifier.NoModifier
    for kind in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease):
        QApplication.sendEvent(widget, QKeyEvent(kind, key_, no, place, 0, 0, text))


def test_stops_are_set_by_the_keys_right_of_p_on_any_layout(at_gate: Hand) -> None:
    """As a German keyboard has ü where the bracket is."""
    window, document = at_gate.window, at_gate.window.document
    document.select(part_id(document.rig, "Gate"))
    window.bench.setFocus()
    lift(at_gate, 4.0)
    press_at(window.bench, 35, Qt.Key.Key_Plus, "+")
    gate = document.rig.parts[part_id(document.rig, "Gate")]
    assert gate.stops["turn z"].high == pytest.approx(0.4)
    lift(at_gate, 1.0)
    press_at(window.parts.tree, 34, Qt.Key.Key_Udiaeresis, "ü")
    gate = document.rig.parts[part_id(document.rig, "Gate")]
    assert gate.stops["turn z"].low == pytest.approx(0.1)
    # In a field it writes what it writes.
    field = at_gate.instrument("Lift").field
    at_gate.click(field)
    press_at(field, 35, Qt.Key.Key_Plus, "+")
    assert document.rig.parts[part_id(document.rig, "Gate")] is gate


def test_stops_have_a_second_key(at_gate: Hand) -> None:
    window, document = at_gate.window, at_gate.window.document
    document.select(part_id(document.rig, "Gate"))
    window.bench.setFocus()
    lift(at_gate, 4.0)
    at_gate.keys(Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    assert document.rig.parts[part_id(document.rig, "Gate")].stops["turn z"].high == pytest.approx(
        0.4
    )


def test_figures_count_by_their_place_only_at_the_bench(at_gate: Hand) -> None:
    """As a French keyboard writes & where the 1 is."""
    window, document = at_gate.window, at_gate.window.document
    document.select(part_id(document.rig, "Gate"))
    window.bench.setFocus()
    press_at(window.bench, 10, Qt.Key.Key_Ampersand, "&")
    at_gate.rest(20)
    assert window.bench.asking()
    at_gate.keys(Qt.Key.Key_Escape)
    window.desk.setFocus()
    instrument = at_gate.instrument("Lift")
    instrument.setFocus()
    press_at(instrument, 10, Qt.Key.Key_Ampersand, "&")
    assert not window.bench.asking()


def test_a_reading_with_a_unit_is_read_and_typed_on_the_desk(at_gate: Hand) -> None:
    document = at_gate.window.document
    travel = control_id(document.rig, "Travel")
    document.select(travel)
    at_gate.type_into(at_gate.named("Read at the low end"), "0")
    at_gate.type_into(at_gate.named("Read at the high end"), "10")
    at_gate.type_into(at_gate.named("Unit of what is read"), "bar")
    assert shown(document.rig.controls[travel], 0.0) == "5 bar"
    field = at_gate.instrument("Travel").field
    assert field.text().endswith("bar")
    at_gate.type_into(field, "7.5 bar")
    assert at_gate.value("Trolley", "move x") == pytest.approx(2.5)
    # Home is typed as it is read.
    at_gate.type_into(at_gate.named("Home"), "4")
    assert document.rig.controls[travel].home == pytest.approx(-1.0)
    assert channel_key(document.rig, "Travel") == travel


# ── many findings ────────────────────────────────────────────────────


def test_of_many_findings_a_hundred_are_shown_and_more_when_asked(
    hand: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = hand.window
    found = [Finding(Note("told", "", f"Number {i} is askew.", "warning")) for i in range(230)]
    monkeypatch.setattr(window.document.looking, "findings", lambda: found)
    window.deck.show_page("Inspection")
    page = window.deck.inspection
    page.take_notes()

    def told() -> list[str]:
        hand.rest(20)
        texts = [label.text() for label in page.findChildren(QLabel)]
        return [text for text in texts if text.startswith("Number")]

    assert len(told()) == 100
    for count, words in ((200, "show the next 100"), (230, "show the next 30")):
        (more,) = [b for b in page.findChildren(QPushButton) if b.isVisible()]
        assert more.text() == words
        page.ensureWidgetVisible(more)
        hand.rest(20)
        hand.click(more)
        assert len(told()) == count
    assert told()[-1] == "Number 229 is askew."
    assert not [b for b in page.findChildren(QPushButton) if b.isVisible()]
