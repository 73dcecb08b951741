"""Keys, menus and Cards that prepare parts and change links, in the real window."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from tests.desktop.hand import CTRL, LEFT, Hand
from tests.desktop.hand import act as do_act

import gremio
from gremio.core.edit.builder import shape
from gremio.core.edit.parts import change_part
from gremio.core.rig.find import channel_key, control_id, part_id
from gremio.core.rig.model import Cam, Ratio, Rig
from gremio.core.rig.solids import Box, Cylinder


@pytest.fixture
def at_yard(hand: Hand) -> Hand:
    """A mast that turns, a boom on it that turns, a hook that slides, a post, and a control."""
    build = gremio.Builder("Yard")
    bar = shape(Box(length=1.0, width=0.2, height=0.2), ("0.5 m", 0, 0))
    build.part("Post", shape(Box(length=0.4, width=0.4, height=0.4)), at=(-2, 0, "1 m"))
    build.part("Mast", bar, at=(0, 0, 1), turned=(0, 0, "30 deg"), joint="spin z")
    build.part("Boom", bar, on="Mast", at=(1, 0, 0), joint="hinge y")
    build.part("Hook", shape(Cylinder(diameter=0.2, height=0.4)), at=(0, 2, 1), joint="slide z")
    build.control("Slew", "0 deg", "180 deg")
    hand.window.show_rig(build.rig)
    hand.rest(60)
    return hand


def select(hand: Hand, name: str) -> str:
    rig = hand.window.document.rig
    ids = {entry.name: i for things in (rig.parts, rig.controls) for i, entry in things.items()}
    hand.window.document.select(ids[name])
    hand.window.bench.setFocus()
    hand.rest(30)
    return ids[name]


def act(hand: Hand, words: str) -> None:
    do_act(hand.window, words)
    hand.rest(30)


def led(rig: Rig, *ratios: tuple[str, str, float]) -> Rig:
    """A rig with more ratios, by names."""
    build = gremio.Builder("")
    build.rig = rig
    for lead, follower, ratio in ratios:
        build.ratio(lead, follower, ratio)
    return build.rig


def link_of(hand: Hand, name: str):
    """Id of the one link that leads a part, selected."""
    document = hand.window.document
    channel = channel_key(document.rig, name)
    (found,) = document.program.drives[channel].links
    document.select(found)
    hand.rest(30)
    return found


# ── what needs a selection says so ─────────────────────────────────────


def test_an_action_without_its_part_says_what_to_do(at_yard: Hand) -> None:
    before = at_yard.window.document.rig
    for words, told in (
        ("Try the axis", "Select a part first"),
        ("Set home here", "Select a part first"),
        ("Set the low stop here", "Select a part first"),
        ("Place the teeth of its train", "Select a part first"),
        ("Make a planetary set", "Select a part first"),
        ("Make a carriage on wheels or treads", "Select a part first"),
        ("Choose the joint", "Select a part first"),
        ("Go home", "Select a control, or a part that can move"),
        ("Show what is selected", "Select a part first"),
        ("Remove what is selected", "Nothing is selected"),
        ("Take stray scale out", "no scale to take out"),
    ):
        act(at_yard, words)
        assert told in at_yard.said.pop(), words
    assert at_yard.window.document.rig is before


def test_a_grounded_part_says_how_to_free_it(at_yard: Hand) -> None:
    before = at_yard.window.document.rig
    select(at_yard, "Post")
    for words in ("Try the axis", "Set the high stop here", "Make a planetary set"):
        act(at_yard, words)
        told = at_yard.said.pop()
        assert told.startswith("Post is grounded") and "Press J" in told, words
    assert at_yard.window.document.rig is before


def test_an_empty_rig_has_nothing_to_put_on_the_ground(hand: Hand) -> None:
    act(hand, "Put the rig on the ground")
    assert hand.said[-1] == "There is nothing to put on the ground yet."


# ── preparing ──────────────────────────────────────────────────────────


def test_stops_and_home_are_set_where_the_part_stands(at_yard: Hand) -> None:
    document = at_yard.window.document
    mast = select(at_yard, "Mast")
    for angle, key in ((-0.5, "["), (1.0, "]")):
        document.move(f"{mast} turn z", angle)
        at_yard.keys(key)
    stops = document.rig.parts[mast].stops["turn z"]
    assert (stops.low, stops.high) == pytest.approx((-0.5, 1.0))
    assert at_yard.said[-1] == "The high stop of Mast is now 57.3°."
    before = document.pose.world(mast).copy()
    act(at_yard, "Set home here")
    stops = document.rig.parts[mast].stops["turn z"]
    assert (stops.low, stops.high) == pytest.approx((-1.5, 0.0), abs=1e-12)
    assert document.pose.world(mast) == pytest.approx(before)
    document.move(f"{mast} turn z", -0.7)
    act(at_yard, "Go home")
    assert document.pose.at(f"{mast} turn z") == 0.0


def test_everything_goes_home(at_yard: Hand) -> None:
    document = at_yard.window.document
    for name, at in (("Mast", 0.3), ("Hook", 0.2), ("Slew", 1.0)):
        document.move(channel_key(document.rig, name), at)
    act(at_yard, "Everything home")
    assert [at_yard.value(name) for name in ("Mast", "Hook", "Slew")] == [0.0, 0.0, 0.0]


def test_a_mount_is_squared_to_the_world_and_to_a_part(at_yard: Hand) -> None:
    document = at_yard.window.document
    mast, boom, hook = (part_id(document.rig, n) for n in ("Mast", "Boom", "Hook"))
    select(at_yard, "Boom")
    at_yard.pick("Put it…", "square to the world")
    assert at_yard.mount(boom)[:3, :3] == pytest.approx(np.eye(3), abs=1e-12)
    select(at_yard, "Hook")
    corners = at_yard.window.bench.corners()
    at_yard.pick("Put it…", "square to Mast")
    turned = document.pose.world(mast)[:3, :3]
    assert at_yard.mount(hook)[:3, :3] == pytest.approx(turned, abs=1e-12)
    # Nothing that is seen has moved: the boxes round all of it end where they did.
    assert at_yard.window.bench.corners()[:, 2].max() == pytest.approx(corners[:, 2].max())


def test_the_mount_goes_to_the_middle_of_its_shapes(at_yard: Hand) -> None:
    document = at_yard.window.document
    boom = select(at_yard, "Boom")
    middle = document.pose.world(boom) @ [0.5, 0.0, 0.0, 1.0]
    at_yard.pick("Put it…", "in the middle of its shapes")
    assert at_yard.mount(boom)[:3, 3] == pytest.approx(middle[:3])


def test_scale_is_taken_out_from_the_menu_and_on_the_card(at_yard: Hand) -> None:
    document = at_yard.window.document
    hook = part_id(document.rig, "Hook")

    def stretch(rig):
        mount = replace(rig.parts[hook].mount, scale=(2.0, 2.0, 2.0))
        return change_part(rig, hook, replace(rig.parts[hook], mount=mount))

    for take_out in (
        lambda: act(at_yard, "Take stray scale out"),
        lambda: at_yard.do("Take its scale out"),
    ):
        document.edit("stretch", stretch)
        select(at_yard, "Hook")
        before = at_yard.window.bench.corners()
        take_out()
        assert document.rig.parts[hook].mount.scale == (1.0, 1.0, 1.0)
        after = at_yard.window.bench.corners()
        assert np.sort(after, axis=0) == pytest.approx(np.sort(before, axis=0))
        document.undo()
        document.undo()


def test_a_part_is_mounted_elsewhere_and_stays_where_it_is(at_yard: Hand) -> None:
    document = at_yard.window.document
    mast, hook = part_id(document.rig, "Mast"), select(at_yard, "Hook")
    document.move(f"{mast} turn z", 0.4)
    before = document.pose.world(hook).copy()
    at_yard.choose("Mounted on", "Boom")
    assert document.rig.parts[hook].parent == part_id(document.rig, "Boom")
    assert document.pose.world(hook) == pytest.approx(before, abs=1e-9)


# ── making and removing ────────────────────────────────────────────────


def test_a_control_is_made_for_the_part_and_then_a_plain_one(at_yard: Hand) -> None:
    document = at_yard.window.document
    select(at_yard, "Mast")
    at_yard.keys("c")
    made = document.selected
    assert made in document.rig.controls and "leads Mast turn z" in at_yard.said[-1]
    document.move(made, 0.3)
    assert at_yard.value("Mast") == pytest.approx(0.3)
    document.select("")
    at_yard.keys("c")
    assert "leads nothing yet" in at_yard.said[-1] and len(document.rig.controls) == 3


def test_a_grounded_part_is_not_led(at_yard: Hand) -> None:
    select(at_yard, "Slew")
    at_yard.keys("l")
    assert "Slew will lead" in at_yard.said[-1]
    at_yard.click(at_yard.window.bench, at_yard.on_part("Post", (0.2, 0.0, 0.1)))
    assert at_yard.said[-1].startswith("Post is grounded")
    assert at_yard.window.document.rig.links == {}
    at_yard.window.document.select("")
    at_yard.keys("l")
    assert "Select what should lead" in at_yard.said[-1]


def test_what_is_selected_is_removed_whatever_it_is(at_yard: Hand) -> None:
    document = at_yard.window.document
    document.edit("lead", lambda rig: led(rig, ("Slew", "Mast", 1.0)))
    link_of(at_yard, "Mast")
    act(at_yard, "Remove what is selected")
    assert document.rig.links == {}
    select(at_yard, "Slew")
    act(at_yard, "Remove what is selected")
    assert document.rig.controls == {}
    select(at_yard, "Mast")
    act(at_yard, "Remove what is selected")
    assert {p.name for p in document.rig.parts.values()} == {"Post", "Hook"}
    for _ in range(3):
        at_yard.keys(Qt.Key.Key_Z, CTRL)
    assert len(document.rig.parts) == 4 and len(document.rig.links) == 1


# ── the Card of a link ─────────────────────────────────────────────────


@pytest.fixture
def at_link(at_yard: Hand) -> Hand:
    """Slew leads the mast, and the mast the hook by 200 mm a turn; that link is selected."""
    document = at_yard.window.document

    two = (("Slew", "Mast", 1.0), ("Mast", "Hook", 0.2 / (2 * math.pi)))
    document.edit("lead", lambda rig: led(rig, *two))
    link_of(at_yard, "Hook")
    return at_yard


def proportion(hand: Hand) -> float:
    link = hand.window.document.rig.links[hand.window.document.selected]
    assert isinstance(link, Ratio)
    return link.ratio


def test_a_proportion_between_kinds_is_typed_in_two_quantities(at_link: Hand) -> None:
    at_link.type_into(at_link.named("It moves"), "500 mm")
    assert proportion(at_link) == pytest.approx(0.5 / (2 * math.pi))
    at_link.type_into(at_link.named("For every"), "90 deg")
    assert proportion(at_link) == pytest.approx(0.5 / (math.pi / 2))
    at_link.type_into(at_link.named("For every"), "0 deg")
    assert "needs a lead that moves" in at_link.said[-1]
    at_link.type_into(at_link.named("Starts at"), "100 mm")
    assert at_link.value("Hook") == pytest.approx(0.1)


def test_lead_and_follower_are_swapped_where_that_can_be(at_link: Hand) -> None:
    document = at_link.window.document
    document.move(channel_key(document.rig, "Slew"), 1.0)
    before = at_link.value("Hook")
    at_link.do("Swap lead and follower")
    link = document.rig.links[document.selected]
    assert isinstance(link, Ratio)
    assert link.lead == channel_key(document.rig, "Hook")
    assert at_link.value("Hook") == pytest.approx(before)


def test_a_ratio_becomes_a_cam_and_a_ratio_again(at_link: Hand) -> None:
    document = at_link.window.document
    ratio = proportion(at_link)
    at_link.choose("Made as", "cam")
    link = document.rig.links[document.selected]
    assert isinstance(link, Cam) and len(link.stations) == 2
    at_link.choose("Made as", "ratio")
    assert proportion(at_link) == pytest.approx(ratio)


def test_a_link_that_adds_leaves_its_follower_to_the_hand(at_link: Hand) -> None:
    document = at_link.window.document
    at_link.choose("What it does", "adds to its follower")
    hook = channel_key(document.rig, "Hook")
    assert document.move(hook, 0.5)
    assert at_link.value("Hook") == pytest.approx(0.5) and at_link.value("Slew") == 0.0


def test_the_way_of_a_proposal_is_turned_about(at_yard: Hand) -> None:
    select(at_yard, "Mast")
    at_yard.keys("l")
    at_yard.click(at_yard.window.bench, at_yard.on_part("Hook", (0.07, -0.07, 0.2)))
    at_yard.choose("Kind of ratio", "winch")
    assert at_yard.named("Arithmetic").text() == "π × 200 mm: 628.3 mm a turn"
    at_yard.choose("Way", "against its lead")
    at_yard.keys(Qt.Key.Key_Return)
    (link,) = at_yard.window.document.rig.links.values()
    assert isinstance(link, Ratio) and link.kind == "winch" and link.ratio == pytest.approx(-0.1)


# ── the drive map ──────────────────────────────────────────────────────


def test_the_map_is_shifted_zoomed_and_its_trains_opened_and_folded(at_link: Hand) -> None:
    window = at_link.window
    window.document.edit("lead", lambda rig: led(rig, ("Mast", "Boom", -2.0)))
    at_link.click(at_link.named("Drive map"))
    at_link.rest(40)
    view = window.deck.map.view
    (train,) = [n for n in view.map.nodes.values() if n.kind == "train"]

    def double_click(spot: QPointF) -> None:
        at = view.mapTo(window, spot).toPoint()
        QTest.mouseDClick(window.windowHandle(), LEFT, pos=at)
        at_link.rest(20)

    double_click(view.spot(train.key))
    assert {"Mast", "Boom", "Hook"} <= {n.title.split()[0] for n in view.map.nodes.values()}
    at_link.click(at_link.named("Fold the trains"))
    assert train.key in view.map.nodes

    before = view.spot(train.key)
    away = QPointF(view.width() - 30, view.height() - 15)
    at_link.drag(view, away, away + QPointF(-40, -5), away + QPointF(-80, -10))
    assert view.spot(train.key) - before == QPointF(-80, -10)

    at, scale = view.spot(train.key), view.scale
    inside = (at - view.shift) / scale
    event = QWheelEvent(
        at, QPointF(view.mapToGlobal(at.toPoint())), QPoint(), QPoint(0, 240),
        Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    QApplication.sendEvent(view, event)
    assert view.scale == pytest.approx(scale * 1.12**2)
    still = inside * view.scale + view.shift
    assert (still.x(), still.y()) == pytest.approx((at.x(), at.y()))
    at_link.click(at_link.named("Show all"))
    assert view.scale <= 1.0


def test_a_click_on_the_map_selects_and_beside_it_lets_go(at_link: Hand) -> None:
    window = at_link.window
    at_link.click(at_link.named("Drive map"))
    at_link.rest(40)
    view = window.deck.map.view
    slew = control_id(window.document.rig, "Slew")
    (node,) = [n for n in view.map.nodes.values() if slew in n.channels]
    at_link.click(view, view.spot(node.key))
    assert window.document.selected == slew
    at_link.click(view, QPointF(view.width() - 8, view.height() - 8))
    assert window.document.selected == ""
