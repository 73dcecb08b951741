"""Number fields, the Desk and the Cards of controls, by mouse, wheel and keys."""

from __future__ import annotations

import math

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget
from tests.desktop.hand import CTRL, LEFT, SHIFT, Hand

from gremio.core.rig.find import control_id, part_id

UP, DOWN, ESCAPE, RETURN = (
    Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Escape, Qt.Key.Key_Return,
)  # fmt: skip


def wheel(widget: QWidget, clicks: int, modifier=Qt.KeyboardModifier.NoModifier) -> None:
    """Turn the wheel over a widget, as the window system would."""
    at = QPointF(widget.rect().center())
    event = QWheelEvent(
        at, QPointF(widget.mapToGlobal(at.toPoint())), QPoint(), QPoint(0, 120 * clicks),
        Qt.MouseButton.NoButton, modifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(widget, event)


@pytest.fixture
def at_gates(at_lock: Hand) -> Hand:
    """The control of the upper gates is selected, and stands at 30°."""
    document = at_lock.window.document
    document.select(control_id(document.rig, "Upper gates"))
    document.move(control_id(document.rig, "Upper gates"), math.radians(30))
    document.settle()
    at_lock.rest(30)
    return at_lock


def degrees(hand: Hand) -> float:
    return math.degrees(hand.value("Upper gates"))


# ── number fields ──────────────────────────────────────────────────────


def test_a_value_is_typed_with_units_and_arithmetic(at_gates: Hand) -> None:
    for typed, there in (
        ("45", 45.0),
        ("0.1 turn", 36.0),
        ("=36/2", 18.0),
        ("20 deg + 5 deg", 25.0),
        ("0.5 rad", math.degrees(0.5)),
    ):
        at_gates.type_into(at_gates.named("Value"), typed)
        assert degrees(at_gates) == pytest.approx(there), typed


def test_a_wrong_unit_is_marked_told_and_changes_nothing(at_gates: Hand) -> None:
    field = at_gates.named("Value")
    at_gates.type_into(field, "2 m")
    assert degrees(at_gates) == pytest.approx(30.0)
    assert field.property("wrong") and "deg" in at_gates.said[-1]
    at_gates.keys(ESCAPE)
    assert not field.property("wrong") and field.text() == "30.0°"


def test_escape_restores_what_was_typed_over(at_gates: Hand) -> None:
    field = at_gates.named("Value")
    at_gates.click(field)
    at_gates.keys("55")
    at_gates.keys(ESCAPE)
    assert field.text() == "30.0°" and degrees(at_gates) == pytest.approx(30.0)


def test_leaving_a_field_takes_over_what_can_be_read(at_gates: Hand) -> None:
    at_gates.click(at_gates.named("Value"))
    at_gates.keys("40")
    at_gates.click(at_gates.named("Low end"))
    assert degrees(at_gates) == pytest.approx(40.0)
    at_gates.click(at_gates.named("Value"))
    at_gates.keys("forty")
    at_gates.click(at_gates.named("Low end"))
    assert degrees(at_gates) == pytest.approx(40.0)
    assert at_gates.named("Value").text() == "40.0°"


def test_arrows_nudge_a_field_ten_times_and_a_tenth(at_gates: Hand) -> None:
    at_gates.click(at_gates.named("Value"))
    at_gates.keys(UP)
    assert degrees(at_gates) == pytest.approx(31.0)
    at_gates.keys(UP, SHIFT)
    assert degrees(at_gates) == pytest.approx(41.0)
    at_gates.keys(DOWN, CTRL)
    assert degrees(at_gates) == pytest.approx(40.9)


def test_the_wheel_nudges_only_the_field_that_has_the_focus(at_gates: Hand) -> None:
    field = at_gates.named("Value")
    wheel(field, 3)
    assert degrees(at_gates) == pytest.approx(30.0)
    at_gates.click(field)
    wheel(field, 3)
    assert degrees(at_gates) == pytest.approx(33.0)
    wheel(field, -1, SHIFT)
    assert degrees(at_gates) == pytest.approx(23.0)


# ── the Desk ───────────────────────────────────────────────────────────


def test_the_keys_of_a_control_on_the_desk(at_gates: Hand) -> None:
    instrument = at_gates.instrument("Upper gates")
    instrument.setFocus()
    at_gates.keys(Qt.Key.Key_Right)
    at_gates.keys(Qt.Key.Key_Left, SHIFT)
    assert degrees(at_gates) == pytest.approx(21.0)
    at_gates.keys("6")
    at_gates.keys("2")
    at_gates.keys(RETURN)
    assert degrees(at_gates) == pytest.approx(62.0)


def test_the_wheel_on_the_desk_waits_for_the_focus(at_gates: Hand) -> None:
    instrument = at_gates.instrument("Upper gates")
    at_gates.window.bench.setFocus()
    wheel(instrument, 2)
    assert degrees(at_gates) == pytest.approx(30.0)
    instrument.setFocus()
    wheel(instrument, 2)
    assert degrees(at_gates) == pytest.approx(32.0)


def test_a_double_click_on_a_control_sends_it_home(at_gates: Hand) -> None:
    instrument = at_gates.instrument("Upper gates")
    at = instrument.mapTo(at_gates.window, at_gates.slider("Upper gates")).toPoint()
    QTest.mouseDClick(at_gates.window.windowHandle(), LEFT, pos=at)
    at_gates.rest()
    assert degrees(at_gates) == 0.0


def test_a_notch_catches_the_slider(at_lock: Hand) -> None:
    windlass = control_id(at_lock.window.document.rig, "Paddle windlass")
    notch = at_lock.window.document.rig.controls[windlass].notches[2]
    instrument = at_lock.instrument("Paddle windlass")
    near = QPointF(instrument.x_of(notch) + 2.0, 34)
    at_lock.drag(instrument, at_lock.slider("Paddle windlass"), near)
    assert at_lock.value("Paddle windlass") == pytest.approx(notch)


# ── the Card of a control ──────────────────────────────────────────────


def entry(hand: Hand):
    rig = hand.window.document.rig
    return rig.controls[control_id(rig, "Upper gates")]


def test_notches_are_typed_sorted_and_refused(at_gates: Hand) -> None:
    at_gates.type_into(at_gates.named("Notches"), "60; 15; 30")
    assert [round(math.degrees(n)) for n in entry(at_gates).notches] == [15, 30, 60]
    assert at_gates.named("Notches").text() == "15; 30; 60"
    before = entry(at_gates)
    at_gates.type_into(at_gates.named("Notches"), "90 120")
    assert entry(at_gates) == before and "semicolon" in at_gates.said[-1]
    at_gates.type_into(at_gates.named("Notches"), "1 m")
    assert entry(at_gates) == before and "Notch" in at_gates.said[-1]


def test_the_unit_shown_changes_nothing_else(at_gates: Hand) -> None:
    at_gates.choose("Unit", "turn")
    assert entry(at_gates).unit == "turn" and degrees(at_gates) == pytest.approx(30.0)
    assert at_gates.named("Value").text() == "0.08\u2009turns"


def test_a_control_of_another_kind_takes_the_usual_unit(at_gates: Hand) -> None:
    at_gates.choose("Kind", "number")
    assert (entry(at_gates).kind, entry(at_gates).unit) == ("number", "")
    # The keys went through length and time on the way.
    for _ in range(3):
        at_gates.window.document.undo()
    assert (entry(at_gates).kind, entry(at_gates).unit) == ("angle", "deg")


def test_typing_into_a_field_that_was_clicked_replaces_its_number(at_gates: Hand) -> None:
    at_gates.click(at_gates.named("Value"))
    at_gates.keys("12")
    at_gates.keys(RETURN)
    assert degrees(at_gates) == pytest.approx(12.0)


def test_a_control_is_put_in_another_group(at_gates: Hand) -> None:
    at_gates.type_into(at_gates.named("Group"), "Cabin")
    assert entry(at_gates).group == "Cabin"
    at_gates.rest(30)
    heads = [w.text() for w in at_gates.window.desk.findChildren(QWidget) if hasattr(w, "text")]
    assert "CABIN" in heads


def test_a_control_is_removed_on_its_card_and_its_links_with_it(at_gates: Hand) -> None:
    document = at_gates.window.document
    east = part_id(document.rig, "Upper gate, east")
    links = len(document.rig.links)
    at_gates.do("Remove this control")
    assert "Upper gates" not in {c.name for c in document.rig.controls.values()}
    assert len(document.rig.links) == links - 1
    assert f"{east} turn z" not in document.program.drives
    at_gates.keys(Qt.Key.Key_Z, CTRL)
    assert degrees(at_gates) == pytest.approx(30.0)
