"""Any number follows, and leads: on the Desk, a Card, in the Ledger, found by its name."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPointF, Qt
from tests.desktop.hand import Hand

import gremio
from gremio.core.rig.find import channel_key, control_id, part_id
from gremio.core.rig.model import Ratio, Repeat
from gremio.core.rig.numbers import full_label
from gremio.core.rig.solids import Box
from gremio.desktop.fields.quantity_field import QuantityField


@pytest.fixture
def at_quay(hand: Hand) -> Hand:
    """A lamp that rides, a row of posts, two controls."""
    b = gremio.Builder("Quay")
    b.part("Crane", gremio.shape(Box(length=1, width=1, height=1)), joint="spin z")
    b.part("Lamp", gremio.shape(Box(length=0.2, width=0.2, height=0.2)), at=(2, 0, 0),
           joint="free")  # fmt: skip
    b.part("Post", gremio.shape(Box(length=0.1, width=0.1, height=1)), at=(0, 3, 0),
           repeat=Repeat("line", "x", count=4, pitch=0.5))  # fmt: skip
    b.control("Lead", 0.0, 1.0, kind="number", unit="%")
    b.control("Other", 0.0, 10.0, kind="number", unit="")
    rig = gremio.constrain(b.rig, "ride", "Lamp", "Crane")
    hand.window.document.start(rig, None)
    hand.window.document.select(control_id(rig, "Lead"))
    hand.window.bench.setFocus()
    hand.rest(60)
    return hand


def _leads(hand: Hand) -> list[tuple[str, str]]:
    rig = hand.window.document.rig
    return [
        (full_label(rig, link.lead), full_label(rig, link.follower))
        for link in rig.links.values()
        if isinstance(link, Ratio)
    ]


def test_a_control_on_the_desk_follows_by_a_click(at_quay: Hand) -> None:
    at_quay.keys("l")
    instrument = at_quay.instrument("Other")
    at_quay.click(instrument, QPointF(60, 8))
    assert _leads(at_quay) == [("Lead", "Other")]
    document = at_quay.window.document
    document.move(control_id(document.rig, "Lead"), 0.5)
    assert document.pose.control("Other") == pytest.approx(5.0)
    assert not at_quay.window.bench.asking()


def test_the_lead_itself_is_no_answer_and_the_question_stays(at_quay: Hand) -> None:
    at_quay.keys("l")
    at_quay.click(at_quay.instrument("Lead"), QPointF(60, 8))
    assert _leads(at_quay) == []
    assert at_quay.window.bench.asking()
    assert "Lead leads" in at_quay.said[-1]


def test_a_grip_on_its_card_follows_by_a_click(at_quay: Hand) -> None:
    document = at_quay.window.document
    at_quay.keys("l")
    document.select(next(iter(document.rig.constraints)))
    at_quay.rest(40)
    field = next(
        w for w in at_quay.window.card.findChildren(QuantityField)
        if w.isVisible() and str(w.property("channel")).endswith(" grip")
    )  # fmt: skip
    # The Card is made anew by the press.
    at_quay.press(field, QPointF(field.rect().center()))
    at_quay.release(at_quay.window.card, QPointF(5, 5))
    ((lead, follower),) = _leads(at_quay)
    assert lead == "Lead" and follower.endswith("grip")


def test_a_dimension_found_by_its_name_follows(at_quay: Hand) -> None:
    window = at_quay.window
    at_quay.keys("l")
    window.find_anything()
    at_quay.keys("post count")
    at_quay.keys(Qt.Key.Key_Return)
    assert _leads(at_quay) == [("Lead", "Post count")]
    # It stays what it is to begin with.
    document = window.document
    assert document.pose.at(channel_key(document.rig, "Post count")) == pytest.approx(4.0)


def test_a_free_row_of_the_ledger_follows_by_a_click(at_quay: Hand) -> None:
    window = at_quay.window
    window.deck.show_page("Ledger")
    at_quay.rest(40)
    page = window.deck.ledger
    page.with_free.setChecked(True)
    at_quay.keys("l") if window.bench.hasFocus() else window.act("link.lead")
    rows = [row.follower for row in page.table.rows]
    index = page.sorted.mapFromSource(page.table.index(rows.index("Crane turn z"), 0))
    page.view.scrollTo(index)
    at_quay.click(page.view.viewport(), QPointF(page.view.visualRect(index).center()))
    assert ("Lead", "Crane turn z") in _leads(at_quay)


def test_a_number_of_a_card_leads_by_its_letter(at_quay: Hand) -> None:
    """L in a field of a dimension: what is clicked next follows it."""
    document = at_quay.window.document
    document.select(part_id(document.rig, "Post"))
    at_quay.rest(40)
    at_quay.window.card.show_number(channel_key(document.rig, "Post pitch"))
    at_quay.rest(20)
    at_quay.keys("l")
    at_quay.click(at_quay.instrument("Other"), QPointF(60, 8))
    assert _leads(at_quay) == [("Post pitch", "Other")]
