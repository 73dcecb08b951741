"""Every number can be found, led, and made a control; what is led is seen as it stands."""

from __future__ import annotations

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLineEdit, QMenu, QWidget
from tests.desktop.hand import Hand, act

import gremio
from gremio.core.edit.links import add_link
from gremio.core.edit.parts import change_part, set_repeat
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.model import Ratio, Repeat, Rig
from gremio.core.rig.solids import Box, SpurGear
from gremio.desktop.fields.quantity_field import QuantityField


def sluice() -> Rig:
    made = gremio.Builder("Sluice")
    made.part("Frame", gremio.shape(Box(length=2, width=0.3, height=2)), at=(0, 0, 1))
    made.part("Paddle", gremio.shape(Box(length=0.6, width=0.1, height=0.8)), at=(0, -0.3, 1),
              joint="slide z", stops=(0, 0.6))  # fmt: skip
    made.part("Gear", gremio.shape(SpurGear(module=0.02, teeth=24, width=0.05)), at=(1.5, 0, 1),
              joint="hinge y")  # fmt: skip
    made.control("Wind", 0, 1, kind="length")
    made.control("Catch", 0, 1, kind="length", home=0.6)
    made.ratio("Wind", "Paddle move z", 1)
    return set_repeat(made.rig, part_id(made.rig, "Gear"), Repeat("line", "x", 4, 0.6))


@pytest.fixture
def at_sluice(hand: Hand) -> Hand:
    hand.window.document.start(sluice(), None)
    hand.rest(60)
    return hand


def select(hand: Hand, name: str) -> str:
    part = part_id(hand.window.document.rig, name)
    hand.window.document.select(part)
    hand.rest(40)
    return part


def led(hand: Hand, control: str, channel: str) -> None:
    document = hand.window.document
    lead = control_id(document.rig, control)
    assert document.edit("lead", lambda rig: add_link(rig, Ratio(lead, channel, 1.0))[0])
    hand.rest(40)


def menu_of(hand: Hand, field: QWidget, entry: str) -> None:
    """Choose an entry of a field's own menu with the right button."""
    hand.reach(field)
    centre = field.mapTo(hand.window, QPointF(field.rect().center())).toPoint()
    QTest.mousePress(hand.window.windowHandle(), Qt.MouseButton.RightButton, pos=centre)
    QTest.mouseRelease(hand.window.windowHandle(), Qt.MouseButton.RightButton, pos=centre)
    hand.rest(30)
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu), "no menu"
    action = next(a for a in menu.actions() if a.text().startswith(entry))
    spot = menu.actionGeometry(action).center()
    QTest.mouseClick(menu.windowHandle(), Qt.MouseButton.LeftButton, pos=spot)
    hand.rest(50)


def test_c_on_a_count_makes_a_control_in_whole_numbers_at_its_present_value(
    at_sluice: Hand,
) -> None:
    document = at_sluice.window.document
    gear = select(at_sluice, "Gear")
    at_sluice.click(at_sluice.named("Gear count"))
    at_sluice.keys("c")
    at_sluice.rest(60)
    made = document.rig.controls[document.selected]
    assert (made.low, made.high) == (1.0, 8.0) and made.unit == ""
    assert document.pose.at(f"{gear} count") == 4.0
    document.move(document.selected, 7.0)
    scene = at_sluice.window.bench.scene()
    assert len(scene.instances(document.pose, {}).records) == 2 + 7
    assert document.rig.parts[gear].repeat.count == 4


def test_a_letter_that_is_typed_into_a_number_stays_in_it(at_sluice: Hand) -> None:
    """Only an untouched field takes a letter for an action."""
    document = at_sluice.window.document
    select(at_sluice, "Gear")
    before = len(document.rig.controls)
    field = at_sluice.named("Gear pitch")
    at_sluice.click(field)
    field.selectAll()
    at_sluice.keys("70 cm")
    at_sluice.keys(Qt.Key.Key_Return)
    assert len(document.rig.controls) == before
    assert document.rig.parts[part_id(document.rig, "Gear")].repeat.pitch == pytest.approx(0.7)


def test_a_count_that_is_no_whole_number_is_refused_in_words(at_sluice: Hand) -> None:
    document = at_sluice.window.document
    gear = select(at_sluice, "Gear")
    field = at_sluice.named("Gear count")
    at_sluice.type_into(field, "4.5")
    assert document.rig.parts[gear].repeat.count == 4
    assert "4.5 is none" in at_sluice.said[-1] and "Type 4 or 5" in at_sluice.said[-1]


def test_a_stop_follows_a_control_by_copy_and_paste_of_a_link(at_sluice: Hand) -> None:
    document = at_sluice.window.document
    document.select(control_id(document.rig, "Catch"))
    at_sluice.rest(40)
    act(at_sluice.window, "Copy as a link")
    paddle = select(at_sluice, "Paddle")
    menu_of(at_sluice, at_sluice.named("High stop"), "Paste the link from Catch")
    document.move(control_id(document.rig, "Wind"), 0.9)
    document.move(control_id(document.rig, "Catch"), 0.2)
    at_sluice.rest(100)
    assert document.pose.at(f"{paddle} move z") == pytest.approx(0.2)
    assert at_sluice.named("High stop").text() == "0.2\u2009m"
    handle = at_sluice.window.bench.handles()[0]
    assert handle.high == pytest.approx(0.2)
    # Let go, it is where the part says again.
    menu_of(at_sluice, at_sluice.named("High stop"), "Let it go")
    assert document.pose.at(f"{paddle} move z") == pytest.approx(0.6)


def test_a_led_size_is_drawn_and_measured_as_it_stands(at_sluice: Hand) -> None:
    document, bench = at_sluice.window.document, at_sluice.window.bench
    frame = part_id(document.rig, "Frame")
    led(at_sluice, "Catch", f"{frame} shape 0 height")

    def tall() -> float:
        scene = bench.scene()
        rows = scene.of_parts({document.program.part_row[frame]})
        return float(np.ptp(scene.corners[rows][..., 2]))

    document.move(control_id(document.rig, "Catch"), 0.5)
    assert tall() == pytest.approx(0.5)
    document.move(control_id(document.rig, "Catch"), 1.0)
    assert tall() == pytest.approx(1.0)
    assert document.rig.parts[frame].shapes[0].solid.height == 2.0


def test_what_is_hidden_is_not_drawn_and_struck_through_among_the_parts(at_sluice: Hand) -> None:
    document, window = at_sluice.window.document, at_sluice.window
    paddle = select(at_sluice, "Paddle")
    before = len(window.bench.scene().instances(document.pose, {}).records)
    at_sluice.choose("Shown", "no")
    at_sluice.rest(40)
    assert document.pose.hidden == {paddle}
    assert len(window.bench.scene().instances(document.pose, {}).records) == before - 1
    assert window.parts._hidden == {paddle}
    at_sluice.keys("z", Qt.KeyboardModifier.ControlModifier)
    assert document.pose.hidden == frozenset()


def test_any_number_is_found_by_its_name_and_shown_ready_to_type(at_sluice: Hand) -> None:
    window, document = at_sluice.window, at_sluice.window.document
    window.find_anything()
    window.finder.field.setText("paddle high")
    assert [(e.name, e.kind) for e in window.finder._shown] == [("Paddle high stop", "number")]
    at_sluice.keys(Qt.Key.Key_Return)
    at_sluice.rest(60)
    assert document.selected == part_id(document.rig, "Paddle")
    field = QApplication.focusWidget()
    assert isinstance(field, QuantityField) and field.accessibleName() == "High stop"
    at_sluice.keys("0.4 m")
    at_sluice.keys(Qt.Key.Key_Return)
    stops = document.rig.parts[document.selected].stops["move z"]
    assert stops.high == pytest.approx(0.4)


def test_the_range_of_a_control_is_led_and_its_instrument_shows_it(at_sluice: Hand) -> None:
    document = at_sluice.window.document
    wind = control_id(document.rig, "Wind")
    led(at_sluice, "Catch", f"{wind} high end")
    document.move(control_id(document.rig, "Catch"), 0.5)
    at_sluice.rest(30)
    assert at_sluice.instrument("Wind").standing().entry.high == pytest.approx(0.5)
    document.move(wind, 0.9)
    assert document.pose.at(wind) == pytest.approx(0.5)


def test_a_refused_edit_puts_the_field_back_and_wakes_nothing_else(at_sluice: Hand) -> None:
    document = at_sluice.window.document
    select(at_sluice, "Paddle")
    sheet = at_sluice.window.card.sheet
    woken = []
    document.selection_changed.connect(lambda: woken.append("selection"))
    document.rig_changed.connect(lambda _change: woken.append("rig"))
    low = at_sluice.named("Low stop")
    at_sluice.type_into(low, "3 m")
    assert low.text() == "0\u2009m" and "stop" in at_sluice.said[-1]
    name = at_sluice.named("Name")
    assert isinstance(name, QLineEdit)
    at_sluice.type_into(name, "Frame")
    assert name.text() == "Paddle"
    assert woken == [] and at_sluice.window.card.sheet is sheet


def check_none_is_cut(hand: Hand) -> None:
    fields = [f for f in hand.window.findChildren(QuantityField) if f.isVisible() and f.text()]
    assert fields
    for field in fields:
        wide = field.fontMetrics().horizontalAdvance(field.text())
        assert wide <= field.width() - 8, (field.accessibleName(), field.text(), field.width())


def test_no_digit_and_no_sign_of_a_number_is_cut(at_lock: Hand) -> None:
    """However many followers a cam has, and however long a number is."""
    window, document = at_lock.window, at_lock.window.document
    document.select(control_id(document.rig, "Open tool chest"))
    window.deck.show_page("Cam")
    at_lock.rest(100)
    check_none_is_cut(at_lock)
    lid = part_id(document.rig, "Chest lid")
    mount = document.rig.parts[lid].mount
    far = replace(mount, at=(-1234.567, 12.3456, -0.001))
    document.edit(
        "move it far", lambda rig: change_part(rig, lid, replace(rig.parts[lid], mount=far))
    )
    document.select(lid)
    at_lock.rest(80)
    at_lock.named("Part stands at x")
    texts = [f.text() for f in window.card.findChildren(QuantityField)]
    assert any(text.startswith(("-1234.5", "−1234.5")) for text in texts), texts
    check_none_is_cut(at_lock)


def test_a_number_that_changes_while_its_field_waits_is_still_replaced_by_typing(
    at_sluice: Hand,
) -> None:
    document = at_sluice.window.document
    paddle = select(at_sluice, "Paddle")
    at_sluice.click(at_sluice.named("Paddle move z"))
    document.move(control_id(document.rig, "Wind"), 0.2)
    at_sluice.rest(30)
    at_sluice.keys("0.5 m")
    at_sluice.keys(Qt.Key.Key_Return)
    assert document.pose.at(f"{paddle} move z") == pytest.approx(0.5)


def test_tab_goes_on_to_the_next_number_also_when_the_last_one_changed(at_sluice: Hand) -> None:
    """The Card is made anew by the change: the field that was gone to has the focus all the
    same."""
    document = at_sluice.window.document
    paddle = select(at_sluice, "Paddle")
    at_sluice.click(at_sluice.named("Low stop"))
    at_sluice.keys("0.1")
    at_sluice.keys(Qt.Key.Key_Tab)
    at_sluice.rest(80)
    assert at_sluice.named("High stop").hasFocus()
    at_sluice.keys("0.5")
    at_sluice.keys(Qt.Key.Key_Return)
    stops = document.rig.parts[paddle].stops["move z"]
    assert (stops.low, stops.high) == (0.1, 0.5)


def test_after_enter_the_next_key_is_the_windows(at_sluice: Hand) -> None:
    document = at_sluice.window.document
    paddle = select(at_sluice, "Paddle")
    at_sluice.type_into(at_sluice.named("Paddle move z"), "0.3 m")
    at_sluice.rest(40)
    assert document.pose.at(f"{paddle} move z") == pytest.approx(0.3)
    at_sluice.keys("h")
    at_sluice.rest(40)
    assert document.pose.at(f"{paddle} move z") == pytest.approx(0.0)


def test_a_led_stop_is_not_emptied_nor_set_here_in_silence(at_sluice: Hand) -> None:
    document = at_sluice.window.document
    paddle = select(at_sluice, "Paddle")
    led(at_sluice, "Catch", f"{paddle} high stop move z")
    select(at_sluice, "Paddle")
    before = document.rig
    at_sluice.type_into(at_sluice.named("High stop"), "")
    assert document.rig is before and "is led already" in at_sluice.said[-1]
    assert at_sluice.named("High stop").text() == "0.6\u2009m"
    at_sluice.said.clear()
    at_sluice.window.act("part.high stop")
    assert document.rig is before and "is led already" in at_sluice.said[-1]
