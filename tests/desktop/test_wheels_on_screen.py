"""Wheels, pinions on wheels, and rows of copies, by real hands."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from tests.desktop.hand import Hand

import gremio
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Ratio, Repeat, Rolling
from gremio.core.rig.solids import Box, Cylinder, SpurGear
from gremio.desktop.bench.camera import project

shape = gremio.shape


@pytest.fixture
def at_cart(hand: Hand) -> Hand:
    """A cart on a deck, with one wheel."""
    b = gremio.Builder("Cart")
    b.part("Deck", shape(Box(length=8, width=2, height=0.2)), at=(0, 0, -0.1))
    b.part("Cart", shape(Box(length=1.6, width=0.6, height=0.2)), at=(0, 0, 0.5), joint="slide x")
    b.part("Wheel", shape(Cylinder(diameter=0.4, height=0.1)), on="Cart", at=(0, -0.4, -0.3),
           turned=(np.pi / 2, 0, 0), joint="spin z")  # fmt: skip
    hand.window.show_rig(b.rig)
    hand.window.document.select(part_id(b.rig, "Wheel"))
    hand.rest(60)
    return hand


def rolling(hand: Hand) -> Rolling:
    (link,) = hand.window.document.rig.links.values()
    assert isinstance(link, Rolling)
    return link


def test_let_it_roll_asks_what_on(at_cart: Hand) -> None:
    window = at_cart.window
    at_cart.do("Let it roll as it is carried")
    assert rolling(at_cart).on is None
    assert window.bench.asking()
    # What carries it is no answer.
    window.parts.picked.emit(part_id(window.document.rig, "Cart"))
    assert "carries" in at_cart.said[-1] and window.bench.asking()
    at_cart.click(window.bench, at_cart.on_part("Deck", (3.5, -0.8, 0.1)))
    assert rolling(at_cart).on == part_id(window.document.rig, "Deck")
    assert not window.bench.asking()


def test_enter_leaves_it_on_the_ground(at_cart: Hand) -> None:
    at_cart.do("Let it roll as it is carried")
    at_cart.window.bench.setFocus()
    at_cart.keys(Qt.Key.Key_Return)
    assert rolling(at_cart).on is None
    assert not at_cart.window.bench.asking()


def test_a_click_on_a_pinion_leads_what_carries_it(hand: Hand) -> None:
    b = gremio.Builder("Tide clock")
    b.part("Centre", shape(SpurGear(module=0.01, teeth=64, width=0.05)), joint="spin z")
    b.part("Third", shape(SpurGear(module=0.01, teeth=60, width=0.05)), at=(0.36, 0, -0.2),
           joint="spin z")  # fmt: skip
    b.part("Pinion", shape(SpurGear(module=0.01, teeth=8, width=0.05)), on="Third", at=(0, 0, 0.2))
    window = hand.window
    window.show_rig(b.rig)
    hand.rest(60)
    window.document.select(part_id(b.rig, "Centre"))
    hand.keys("l")
    hand.click(window.bench, hand.on_part("Pinion", (0, 0, 0.025)))
    assert any("fixed on Third" in text for text in hand.said)
    hand.keys(Qt.Key.Key_Return)
    (link,) = window.document.rig.links.values()
    assert isinstance(link, Ratio)
    assert link.follower == f"{part_id(b.rig, 'Third')} turn z"
    assert link.ratio == pytest.approx(-8.0)


def test_show_all_shows_the_copies_of_a_row(hand: Hand) -> None:
    b = gremio.Builder("Fence")
    b.part("Post", shape(Box(length=0.1, width=0.1, height=1)),
           repeat=Repeat("line", "x", count=30, pitch=0.5))  # fmt: skip
    window = hand.window
    window.show_rig(b.rig)
    hand.rest(60)
    hand.keys("v")
    size = window.bench.logical_size()
    (first, last), depth = project(window.bench.camera, size, np.array([[0.0, 0, 0], [14.5, 0, 0]]))
    for x, y in (first, last):
        assert 0 < x < size[0] and 0 < y < size[1]
    assert (depth > 0).all()


def test_a_slider_leaves_round_numbers(hand: Hand) -> None:
    b = gremio.Builder("Gate")
    b.part("Gate", joint="hinge z")
    b.control("Lift", 0.0, 1.0, kind="number", unit="%")
    b.ratio("Lift", "Gate turn z", 1.0)
    hand.window.show_rig(b.rig)
    hand.rest(60)
    instrument = hand.instrument("Lift")
    start = hand.slider("Lift")
    for way in (37.3, 61.8, 90.4):
        hand.drag(instrument, start, start + QPointF(way, 0))
        value = hand.window.document.pose.control("Lift") * 100
        assert value == pytest.approx(round(value * 2) / 2, abs=1e-9), way
        start = hand.slider("Lift")


def test_a_mark_that_its_part_hides_is_not_snapped_to(hand: Hand) -> None:
    b = gremio.Builder("Crate")
    b.part("Crate", shape(Box(length=2, width=2, height=2)), joint="slide x")
    b.part("Post", shape(Box(length=0.2, width=0.2, height=3)), at=(3, 3, 0))
    window = hand.window
    window.show_rig(b.rig)
    hand.rest(60)
    bench = window.bench
    bench.setFocus()
    hand.keys("p")
    size = bench.logical_size()
    corners = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], dtype=float)
    pixels, depth = project(bench.camera, size, corners)
    away, near = int(np.argmax(depth)), int(np.argmin(depth))
    # The corner behind the crate is seen through its faces, far from every edge in front.
    hand.move(bench, QPointF(*pixels[away]))
    hand.rest(40)
    assert bench.overlay.drawn.nearest is None
    hand.move(bench, QPointF(*pixels[near]))
    hand.rest(40)
    nearest = bench.overlay.drawn.nearest
    assert nearest is not None
    assert bench.overlay.drawn.places[nearest].world == pytest.approx(corners[near])
