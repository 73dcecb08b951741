"""The keyboard is where the eye is: real keys in the forms, and what becomes of the next one."""

from __future__ import annotations

import math

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QWidget
from tests.desktop.hand import CTRL, Hand

from gremio.core.rig.find import channel_key, control_id, part_id
from gremio.core.rig.model import Ratio
from gremio.desktop.fields.quantity_field import QuantityField
from gremio.desktop.fields.text_field import TextField

TAB, ENTER, ESCAPE = Qt.Key.Key_Tab, Qt.Key.Key_Return, Qt.Key.Key_Escape
NO_KEY = Qt.KeyboardModifier.NoModifier


def fields(sheet: QWidget) -> list[QWidget]:
    """What can be typed into or chosen from, line by line; a low and a high stop before what stands
    between them."""
    kinds = (QuantityField, TextField, QComboBox)
    found = [w for w in sheet.findChildren(QWidget) if isinstance(w, kinds)]
    found.sort(key=lambda w: w.accessibleName().startswith("Soft"))
    found.sort(key=lambda w: w.mapTo(sheet, w.rect().center()).y() // 8)
    return [w for w in found if w.isVisible() and w.isEnabled()]


def focused() -> str:
    widget = QApplication.focusWidget()
    return "" if widget is None else widget.accessibleName()


def things(hand: Hand) -> dict[str, str]:
    rig = hand.window.document.rig
    return {
        "part": part_id(rig, "Upper gate, east"),
        "control": control_id(rig, "Upper gates"),
        "constraint": next(iter(rig.constraints)),
        "ratio": next(i for i, link in rig.links.items() if isinstance(link, Ratio)),
        "strand": next(iter(rig.strands)),
        "strut": next(iter(rig.struts)),
    }


@pytest.mark.parametrize("kind", ["part", "control", "constraint", "ratio", "strand", "strut"])
def test_tab_after_a_changed_value_goes_to_the_next_field(at_lock: Hand, kind: str) -> None:
    """Past the buttons between, in the order of the eye, however the Card is made anew."""
    window = at_lock.window
    window.document.select(things(at_lock)[kind])
    at_lock.rest(60)
    names = [w.accessibleName() for w in fields(window.card.widget())]
    steps = len(window.document.history.done)
    for number, name in enumerate(names[:-1]):
        here = [w for w in fields(window.card.widget()) if w.accessibleName() == name]
        if len(here) != 1 or not isinstance(here[0], QuantityField) or number > 6:
            continue
        at_lock.click(here[0])
        here[0].selectAll()
        at_lock.keys("0.123")
        at_lock.keys(TAB)
        at_lock.rest(60)
        now = QApplication.focusWidget()
        assert now is not None and now.isVisible() and window.card.isAncestorOf(now), name
        left = [w.accessibleName() for w in fields(window.card.widget())]
        place = left.index(name) if name in left else -1
        if 0 <= place < len(left) - 1:
            assert focused() == left[place + 1]
    assert len(window.document.history.done) >= steps


def test_enter_gives_the_keyboard_to_the_bench_and_keys_are_commands_there(at_lock: Hand) -> None:
    window, document = at_lock.window, at_lock.window.document
    document.move(channel_key(document.rig, "Upper gates"), math.radians(30))
    document.select(part_id(document.rig, "Upper gate, east"))
    at_lock.rest(60)
    field = at_lock.named("High stop")
    at_lock.type_into(field, "70")
    assert window.bench.hasFocus()
    stands = document.pose.value("Upper gate, east", "turn z")
    steps = len(document.history.done)
    at_lock.keys("[")
    assert len(document.history.done) == steps + 1
    low = document.rig.parts[part_id(document.rig, "Upper gate, east")].stops["turn z"].low
    assert low == pytest.approx(stands) and stands > 0.1
    at_lock.keys("z", CTRL)
    at_lock.keys("z", CTRL)
    assert len(document.history.done) == steps - 1


def test_an_undo_in_a_field_is_the_rigs_until_something_is_typed(at_lock: Hand) -> None:
    document = at_lock.window.document
    document.select(part_id(document.rig, "Upper gate, east"))
    at_lock.rest(60)
    steps = len(document.history.done)
    low = at_lock.named("Low stop")
    at_lock.click(low)
    low.selectAll()
    at_lock.keys("5")
    at_lock.keys(TAB)
    at_lock.rest(60)
    assert focused() == "High stop" and len(document.history.done) == steps + 1
    at_lock.keys("z", CTRL)
    at_lock.rest(60)
    assert len(document.history.done) == steps and focused() == "High stop"
    high = at_lock.named("High stop")
    assert isinstance(high, QLineEdit)
    shown = high.text()
    at_lock.keys("12")
    at_lock.keys("z", CTRL)
    assert len(document.history.done) == steps
    at_lock.keys(ESCAPE)
    assert high.text() == shown and at_lock.window.bench.hasFocus()


def test_after_a_choice_keys_over_the_bench_are_alive(at_lock: Hand) -> None:
    window, document = at_lock.window, at_lock.window.document
    document.select(part_id(document.rig, "Upper gate, east"))
    at_lock.rest(60)
    box = at_lock.named("Shown")
    assert isinstance(box, QComboBox)
    at_lock.click(box)
    at_lock.rest(60)
    assert QApplication.activePopupWidget() is not None
    at_lock.qtbot.keyClick(box.view(), Qt.Key.Key_Return)
    at_lock.rest(200)
    assert window.bench.hasFocus(), focused()
    angle = math.radians(20)
    document.move(channel_key(document.rig, "Upper gates"), angle)
    at_lock.keys("h", CTRL)
    at_lock.rest(20)
    assert document.pose.value("Upper gates") == pytest.approx(0.0)


def test_a_name_is_taken_over_and_the_keyboard_given_back(at_lock: Hand) -> None:
    window, document = at_lock.window, at_lock.window.document
    part = part_id(document.rig, "Upper gate, east")
    document.select(part)
    at_lock.rest(60)
    title = next(w for w in fields(window.card.widget()) if isinstance(w, TextField))
    at_lock.click(title)
    title.selectAll()
    at_lock.keys("East leaf")
    at_lock.keys(ENTER)
    at_lock.rest(60)
    assert document.rig.parts[part].name == "East leaf" and window.bench.hasFocus()
    title = next(w for w in fields(window.card.widget()) if isinstance(w, TextField))
    at_lock.click(title)
    at_lock.keys("q")
    at_lock.keys(ESCAPE)
    assert document.rig.parts[part].name == "East leaf" and window.bench.hasFocus()


def test_tab_goes_through_the_table_of_a_cam(at_lock: Hand) -> None:
    window, document = at_lock.window, at_lock.window.document
    document.select(control_id(document.rig, "Upper gates"))
    window.deck.show_page("Cam")
    at_lock.rest(150)
    names = [f.accessibleName() for f in fields(window.deck) if isinstance(f, QuantityField)]
    table = [name for name in names if name.startswith("Station")]
    assert len(table) > 3
    first = at_lock.named(table[1])
    at_lock.click(first)
    first.selectAll()
    at_lock.keys("1")
    at_lock.keys(TAB)
    at_lock.rest(150)
    # Between two values of a row stands at most the choice of the profile after it.
    assert focused().startswith("Station") or isinstance(QApplication.focusWidget(), QComboBox)
    assert window.deck.isAncestorOf(QApplication.focusWidget())


def test_a_message_goes_when_the_next_thing_succeeds(at_lock: Hand) -> None:
    window, document = at_lock.window, at_lock.window.document
    document.select(part_id(document.rig, "Upper gate, east"))
    at_lock.rest(60)
    high = at_lock.named("High stop")
    at_lock.click(high)
    high.selectAll()
    at_lock.keys("1,000")
    at_lock.keys(ENTER)
    assert window.message.isVisible() and "1,000" in window.message.text()
    at_lock.rest(400)
    high.selectAll()
    at_lock.keys("70")
    at_lock.keys(ENTER)
    assert not window.message.isVisible(), window.message.text()
    assert window.bench.hasFocus()
