"""The Cam page serves the keys of a routine: chart, table, laws and slopes."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel
from tests.desktop.hand import Hand

import gremio
from gremio.core.edit.routines import KEYS
from gremio.core.rig.channels import key
from gremio.core.rig.find import control_id
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.model import Cam
from gremio.core.rig.solids import Box
from gremio.desktop.deck.cam_page import CamPage
from gremio.desktop.deck.station_table import SHOWN

shape = gremio.shape


@pytest.fixture
def at_gate(hand: Hand) -> Hand:
    b = gremio.Builder("Gate")
    b.part("Gate", shape(Box(length=2, width=0.1, height=1), at=(1, 0, 0)), joint="hinge z")
    b.control("Lift", 0.0, 10.0, kind="number", unit="")
    b.cam("Lift", {0.0: {"Gate": 0.0}, 10.0: {"Gate": 1.0}})
    rig = gremio.routine(b.rig, "Open", 8)
    for time, value in ((0.0, 0.0), (2.0, 6.0), (5.0, 6.0), (8.0, 1.0)):
        rig = gremio.key(rig, time, {"Lift": value})
    hand.window.show_rig(rig)
    hand.window.deck.show_page("Routine")
    hand.rest(60)
    return hand


def lift(hand: Hand) -> ChannelKey:
    return key(control_id(hand.window.document.rig, "Lift"))


def keys(hand: Hand) -> Cam:
    (routine,) = hand.window.document.rig.routines.values()
    return routine.keys[lift(hand)]


def show(hand: Hand) -> CamPage:
    lines = hand.window.deck.routine.lines
    at = QPointF(60, lines.y_of(0))
    hand.click(lines, at)
    QTest.mouseDClick(
        hand.window.windowHandle(), Qt.MouseButton.LeftButton, pos=hand._spot(lines, at)
    )
    hand.rest(60)
    page = hand.window.deck.cam
    assert page.isVisible() and page.link_id == KEYS
    return page


def test_a_double_click_on_its_name_shows_the_curve_and_the_line_is_the_time(at_gate: Hand) -> None:
    document = at_gate.window.document
    page = show(at_gate)
    assert page.cam == keys(at_gate) and len(page.cam.stations) == 4
    at_gate.click(at_gate.named("Visit station 3"))
    assert document.timing.time == pytest.approx(5.0)
    assert document.pose.at(lift(at_gate)) == pytest.approx(6.0)
    # The rig's own cam is as it was, and is shown again with the part that it leads.
    (link,) = document.rig.links.values()
    assert isinstance(link, Cam) and len(link.stations) == 2
    document.select(next(iter(document.rig.parts)))
    at_gate.rest(60)
    assert page.cam is link


def test_values_times_laws_and_keys_are_changed_as_stations_are(at_gate: Hand) -> None:
    document = at_gate.window.document
    page = show(at_gate)
    at_gate.type_into(at_gate.named("Station 2 lead"), "2.5")
    assert [s.lead for s in keys(at_gate).stations] == [0.0, 2.5, 5.0, 8.0]
    at_gate.choose("Profile kind", SHOWN["straight"])
    assert keys(at_gate).followers[0].profile == "straight"
    baked = gremio.bake(document.rig, times=[1.25]).value("Lift")
    assert baked == pytest.approx([3.0])
    document.timing.go_to(7.0)
    at_gate.do("+ key")
    assert 7.0 in [s.lead for s in keys(at_gate).stations]
    # Out of the routine no key can go, and nothing else is put in its place.
    at_gate.type_into(at_gate.named("Station 2 lead"), "9")
    assert "outside of Open" in at_gate.said[-1]
    assert keys(at_gate).stations[1].lead == 2.5
    page.remove_chosen([1])
    assert [s.lead for s in keys(at_gate).stations] == [0.0, 5.0, 7.0, 8.0]
    page.remove_chosen([0, 1, 2, 3])
    assert not next(iter(document.rig.routines.values())).keys
    document.undo()
    assert len(keys(at_gate).stations) == 4


def test_dragged_keys_lie_on_frames_and_a_law_of_one_span_is_kept(at_gate: Hand) -> None:
    document = at_gate.window.document
    page = show(at_gate)
    page._drag_points([(lift(at_gate), 1)], 0.513, {lift(at_gate): 0.5})
    page._let_go()
    station = keys(at_gate).stations[1]
    assert station.lead == pytest.approx(63 / 25) and station.values[lift(at_gate)] == 6.5
    page._set_span(2, SHOWN["cycloidal"])
    assert keys(at_gate).stations[2].spans
    times = np.linspace(5, 8, 13)
    share = (times - 5) / 3
    # s(u) = u − sin(2πu)/2π: any handbook of cams.
    wanted = 6.0 - 5.0 * (share - np.sin(2 * np.pi * share) / (2 * np.pi))
    assert gremio.bake(document.rig, times=times).value("Lift") == pytest.approx(wanted)


def test_the_card_tells_what_routines_have_of_a_thing(at_gate: Hand) -> None:
    document = at_gate.window.document
    document.select(next(iter(document.rig.parts)))
    at_gate.rest(60)
    assert at_gate._seen("Show its curve") is None
    document.select(control_id(document.rig, "Lift"))
    at_gate.rest(60)
    texts = [label.text() for label in at_gate.window.card.findChildren(QLabel)]
    assert "Open: 4 keys, 0 s to 8 s" in texts
    # Another key is counted at once, and the last that goes takes the section along.
    document.timing.go_to(3.0)
    at_gate.do("Key")
    at_gate.rest(60)
    texts = [label.text() for label in at_gate.window.card.findChildren(QLabel)]
    assert "Open: 5 keys, 0 s to 8 s" in texts
    at_gate.click(at_gate.named("Curve of it"))
    assert at_gate.window.deck.cam.link_id == KEYS
    at_gate.window.deck.cam.remove_chosen([0, 1, 2, 3, 4])
    at_gate.rest(60)
    assert at_gate._seen("Curve of it") is None
