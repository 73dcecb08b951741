"""Constraints, seats and paths made and pulled by mouse and keys in the real window."""

from __future__ import annotations

import numpy as np
import pytest
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt
from tests.desktop.hand import CTRL, Hand

import gremio
from gremio.core.edit.builder import shape
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.model import Joint
from gremio.core.rig.solids import Box, Cylinder
from gremio.desktop.deck.ledger_page import LedgerPage

ESCAPE, ENTER = Qt.Key.Key_Escape, Qt.Key.Key_Return


@pytest.fixture
def at_quay(hand: Hand) -> Hand:
    """A jib that turns, a crate and a bolt beside it, and a boiler lying on the quay."""
    build = gremio.Builder("Quay")
    build.part("Quay", shape(Box(length=7, width=6, height=0.1), (0, 0, -0.7)))
    build.part("Jib", shape(Box(length=2.0, width=0.2, height=0.2), (1.0, 0, 0)), at=(0, -2, 1.6),
               joint="hinge z")  # fmt: skip
    build.part("Crate", shape(Box(length=0.5, width=0.5, height=0.5)), at=(2.2, 1.8, 0.3))
    build.part("Boiler", shape(Cylinder(diameter=1.2, height=2.4)), turned=("90 deg", 0, 0))
    build.part("Bolt", shape(Cylinder(diameter=0.12, height=0.14), (0, 0, 0.07)), at=(2.2, -1, 1))
    build.control("Slew", "-90 deg", "90 deg")
    build.ratio("Slew", "Jib", 1)
    hand.window.show_rig(build.rig)
    hand.rest(60)
    return hand


def select(hand: Hand, name: str) -> None:
    hand.window.document.select(part_id(hand.window.document.rig, name))
    hand.window.bench.setFocus()
    hand.rest(20)


def place(hand: Hand, name: str) -> np.ndarray:
    return hand.window.document.pose.part(name).world[:3, 3]


def constrained(hand: Hand, key: str, part: str, target: str) -> None:
    """Select, press the key, click the target: the order that the screen says."""
    select(hand, part)
    hand.keys(key)
    hand.click(hand.window.bench, hand.on_part(target, (1.2 if target == "Jib" else 0, 0, 0.1)))
    hand.rest(40)


def test_pick_press_pick_lets_a_crate_ride(at_quay: Hand) -> None:
    document = at_quay.window.document
    select(at_quay, "Crate")
    at_quay.keys("1")
    assert "click what Crate rides on" in at_quay.window.bench.overlay.drawn.title
    at_quay.click(at_quay.window.bench, at_quay.on_part("Jib", (1.2, 0, 0.1)))
    at_quay.rest(40)
    (made,) = document.rig.constraints.values()
    assert (made.kind, document.rig.parts[made.targets[0].on].name) == ("ride", "Jib")
    assert any("Crate rides on Jib" in text for text in at_quay.said)
    before = place(at_quay, "Crate").copy()
    assert before == pytest.approx([2.2, 1.8, 0.3])
    document.move(control_id(document.rig, "Slew"), 0.5)
    assert place(at_quay, "Crate") != pytest.approx(before, abs=0.1)
    # It is drawn by its symbol, in the hand's ink while it is selected.
    (tie,) = at_quay.window.bench.overlay.drawn.ties
    assert (tie.symbol, tie.hot) == ("ride", True)


def test_the_card_lowers_the_grip_switches_and_leaves_in_place(at_quay: Hand) -> None:
    document = at_quay.window.document
    constrained(at_quay, "1", "Crate", "Jib")
    document.move(control_id(document.rig, "Slew"), 0.5)
    at_quay.type_into(at_quay.named("Crate ride grip"), "50")
    half = place(at_quay, "Crate").copy()
    made = document.selected
    assert document.pose.at(f"{made} grip") == 0.5
    at_quay.type_into(at_quay.named("Crate ride grip"), "100")
    whole = place(at_quay, "Crate").copy()
    assert half == pytest.approx((whole + [2.2, 1.8, 0.3]) / 2)
    at_quay.choose("State", "off")
    assert place(at_quay, "Crate") == pytest.approx(whole)
    document.move(control_id(document.rig, "Slew"), 0.0)
    assert place(at_quay, "Crate") == pytest.approx(whole)
    at_quay.choose("State", "on")
    assert place(at_quay, "Crate") == pytest.approx(whole)
    at_quay.do("Leave the part in place")
    at_quay.rest(30)
    assert not document.rig.constraints and document.rig.parts[document.selected].name == "Crate"
    assert document.rig.parts[document.selected].joint.freed == ()
    assert place(at_quay, "Crate") == pytest.approx(whole)
    at_quay.keys("z", CTRL)
    assert document.rig.constraints


def test_swap_snap_and_a_second_target_by_clicks(at_quay: Hand) -> None:
    document = at_quay.window.document
    constrained(at_quay, "2", "Crate", "Jib")
    at_quay.do("Snap to the target")
    at_quay.rest(30)
    assert place(at_quay, "Crate") == pytest.approx(place(at_quay, "Jib"))
    at_quay.do("Add a target…")
    at_quay.click(at_quay.window.bench, at_quay.on_part("Bolt", (0, 0, 0.08)))
    at_quay.rest(40)
    (made,) = document.rig.constraints.values()
    assert len(made.targets) == 2
    middle = (place(at_quay, "Jib") + place(at_quay, "Bolt")) / 2
    assert place(at_quay, "Crate") == pytest.approx(middle)
    at_quay.click(at_quay.named("Take Bolt out"))
    at_quay.rest(30)
    at_quay.do("Swap part and target")
    at_quay.rest(30)
    (swapped,) = document.rig.constraints.values()
    assert document.rig.parts[swapped.part].name == "Jib"


def test_bolts_are_placed_on_the_boiler_a_click_each(at_quay: Hand) -> None:
    window, document = at_quay.window, at_quay.window.document
    select(at_quay, "Bolt")
    at_quay.keys("0")
    # The boiler lies along y: its own z is the world's −y.
    for way in (0.6, 0.0, -0.6):
        at_quay.click(window.bench, at_quay.on_part("Boiler", (0.45, 0.42, way)))
        at_quay.rest(30)
    at_quay.keys(ESCAPE)
    bolts = [p.name for p in document.rig.parts.values() if p.name.startswith("Bolt")]
    assert bolts == ["Bolt", "Bolt 2", "Bolt 3"]
    assert [c.kind for c in document.rig.constraints.values()] == ["seat"] * 3
    for name, way in zip(bolts, (0.6, 0.0, -0.6), strict=True):
        stands = document.pose.part(name).world
        assert np.hypot(stands[0, 3], stands[2, 3]) == pytest.approx(0.6, abs=0.01)
        assert stands[1, 3] == pytest.approx(-way, abs=0.15)
        out = stands[:3, 3] * [1, 0, 1]
        assert stands[:3, 2] @ out / np.linalg.norm(out) > 0.99
    # Where they were put is their home.
    stood = np.array([place(at_quay, name) for name in bolts])
    at_quay.keys("h", CTRL)
    assert np.array([place(at_quay, name) for name in bolts]) == pytest.approx(stood)
    for _ in range(3):
        at_quay.keys("z", CTRL)
    assert not document.rig.constraints and len(document.rig.parts) == 5


def test_a_seated_bolt_is_pulled_over_the_surface(at_quay: Hand) -> None:
    window, document = at_quay.window, at_quay.window.document
    select(at_quay, "Bolt")
    at_quay.keys("6")
    spot = at_quay.on_part("Boiler", (0.45, 0.42, 0.2))
    at_quay.click(window.bench, spot)
    at_quay.rest(40)
    start = place(at_quay, "Bolt").copy()
    window.bench.show_selected()
    grip = at_quay.on_part("Bolt", (0, 0, 0.12))
    at_quay.drag(window.bench, grip, grip + QPointF(20, 4), grip + QPointF(70, 14))
    end = place(at_quay, "Bolt")
    assert np.linalg.norm(end - start) > 0.03
    # It is where the hand is, but for what it tilts as it goes over the round.
    there = at_quay.on_part("Bolt", (0, 0, 0.12)) - grip
    assert there.x() == pytest.approx(70, abs=15) and there.y() == pytest.approx(14, abs=10)
    assert np.hypot(end[0], end[2]) == pytest.approx(0.6, abs=0.01)
    assert document.history.undo_name == "slide Bolt"


def test_what_rides_is_pulled_by_what_carries_it(at_quay: Hand) -> None:
    constrained(at_quay, "1", "Crate", "Jib")
    at_quay.window.document.select("")
    grip = at_quay.on_part("Crate", (0, 0, 0.25))
    at_quay.drag(at_quay.window.bench, grip, grip + QPointF(15, 0), grip + QPointF(60, 0))
    assert at_quay.value("Slew") != 0.0


def test_a_path_is_drawn_followed_and_its_points_pulled(at_quay: Hand) -> None:
    window, document = at_quay.window, at_quay.window.document
    at_quay.keys("k", CTRL)
    at_quay.rest(30)
    at_quay.keys("draw a path")
    at_quay.keys(ENTER)
    for spot in ((1.6, -2.8), (3, -2.8), (3, 2.5)):
        at_quay.click(window.bench, at_quay.on_part("Quay", (*spot, -0.65)))
    at_quay.keys(ENTER)
    (path,) = document.rig.paths.values()
    assert len(path.points) == 3 and document.selected in document.rig.paths
    assert document.rig.parts[path.on].name == "Quay"
    at_quay.choose("Kind of path", "spline")
    select(at_quay, "Crate")
    at_quay.keys("7")
    (track,) = window.bench.overlay.drawn.tracks
    third = len(track.line) // 3
    (spot,) = window.bench.overlay.points(track.line[third : third + 1])
    at_quay.click(window.bench, spot)
    at_quay.rest(40)
    (made,) = document.rig.constraints.values()
    assert made.kind == "run along"
    at_quay.type_into(at_quay.named("Crate run along way"), "1.5 m")
    document.select(next(iter(document.rig.paths)))
    at_quay.rest(30)
    (track,) = window.bench.overlay.drawn.tracks
    before = place(at_quay, "Crate").copy()
    (corner,) = window.bench.overlay.points(track.points[:1])
    at_quay.drag(window.bench, corner, corner + QPointF(10, -20), corner + QPointF(20, -50))
    (path,) = document.rig.paths.values()
    assert path.points[0][2] > -0.5
    assert place(at_quay, "Crate") != pytest.approx(before, abs=0.02)
    assert document.history.undo_name.startswith("move a point of Path")


def test_paths_along_edges_and_round_wheels(at_quay: Hand) -> None:
    window, document = at_quay.window, at_quay.window.document
    window.act("path.edges")
    spot = at_quay.on_part("Crate", (0.25, 0, 0.25))
    for at in (spot - QPointF(0, -12), spot):
        at_quay.move(window.bench, at)
    at_quay.click(window.bench, spot)
    at_quay.rest(30)
    (path,) = document.rig.paths.values()
    assert path.closed and len(path.points) == 4
    build = gremio.Builder("Wheels")
    for name, x in (("Front wheel", 2.0), ("Rear wheel", 0.0)):
        build.part(name, shape(Cylinder(diameter=1.0, height=0.2), turned=("90 deg", 0, 0)),
                   at=(x, 0, 1), joint="spin y")  # fmt: skip
    window.show_rig(build.rig)
    at_quay.rest(60)
    window.act("path.wheels")
    for name in ("Rear wheel", "Front wheel"):
        at_quay.click(window.bench, at_quay.on_part(name, (0, 0, 0.3)))
    at_quay.keys(ENTER)
    (path,) = document.rig.paths.values()
    assert path.kind == "wrap" and path.radii == (0.5, 0.5)


def test_the_ledger_and_the_parts_tell_of_a_constraint(at_quay: Hand) -> None:
    window = at_quay.window
    constrained(at_quay, "4", "Crate", "Boiler")
    window.deck.show_page("Ledger")
    at_quay.rest(30)
    page = window.findChild(LedgerPage)
    assert page is not None
    words = [row.word for row in page.table.rows if row.follower.startswith("Crate")]
    assert words == ["aim"] * 3


def test_a_target_that_is_removed_leaves_its_riders_in_place(at_quay: Hand) -> None:
    document = at_quay.window.document
    constrained(at_quay, "1", "Crate", "Jib")
    document.move(control_id(document.rig, "Slew"), 0.5)
    stood = place(at_quay, "Crate").copy()
    select(at_quay, "Jib")
    at_quay.keys(Qt.Key.Key_Delete)
    assert not document.rig.constraints
    assert place(at_quay, "Crate") == pytest.approx(stood)


def test_a_part_is_copied_with_what_ties_it(at_quay: Hand) -> None:
    document = at_quay.window.document
    constrained(at_quay, "1", "Crate", "Jib")
    select(at_quay, "Crate")
    at_quay.keys("d", CTRL)
    assert document.rig.parts[document.selected].name == "Crate 2"
    kinds = [(document.rig.parts[c.part].name, c.kind) for c in document.rig.constraints.values()]
    assert kinds == [("Crate", "ride"), ("Crate 2", "ride")]
    at_quay.keys("k", CTRL)
    at_quay.rest(20)
    at_quay.keys("crate 2 ride")
    at_quay.keys(ENTER)
    assert document.rig.constraints[document.selected].name == "Crate 2 ride"


def test_an_arm_reaches_for_what_is_clicked(at_quay: Hand) -> None:
    document = at_quay.window.document
    document.edit("free it", lambda rig: free_jib(rig))
    at_quay.rest(20)
    constrained(at_quay, "9", "Jib", "Crate")
    (made,) = document.rig.constraints.values()
    assert (made.kind, len(made.channels)) == ("reach", 1)
    at_quay.type_into(at_quay.named("Tip x"), "2 m")
    jib = document.pose.part("Jib").world
    tip, crate = jib[:3, :3] @ [2, 0, 0] + jib[:3, 3], place(at_quay, "Crate")
    assert np.cross((tip - jib[:3, 3])[:2], (crate - jib[:3, 3])[:2]) == pytest.approx(0, abs=1e-6)
    at_quay.type_into(at_quay.named("Stiffness of Jib"), "5")
    (made,) = document.rig.constraints.values()
    assert list(made.stiffness.values()) == [5.0]


def free_jib(rig: gremio.Rig) -> gremio.Rig:
    """The rig with nothing that leads the jib."""
    return replace(rig, links={})


def test_a_spring_is_made_by_two_clicks_and_takes_up_the_way(at_quay: Hand) -> None:
    window, document = at_quay.window, at_quay.window.document
    window.act("strand.spring")
    for name, inside in (("Crate", (0.25, 0.25, 0.25)), ("Boiler", (0, 0, -1.2))):
        spot = at_quay.on_part(name, inside)
        for at in (spot - QPointF(0, 4), spot):
            at_quay.move(window.bench, at)
        at_quay.click(window.bench, spot)
    at_quay.rest(40)
    (strand,) = document.rig.strands.values()
    assert strand.kind == "spring" and document.selected in document.rig.strands
    drawn = window.bench.scene().instances(document.pose, {})
    assert sum(drawn.counts) == len(drawn.records) > 100
    at_quay.type_into(at_quay.named(f"Coils of {strand.name}"), "4")
    fewer = window.bench.scene().instances(document.pose, {})
    assert len(fewer.records) < len(drawn.records)
    document.select("")
    (line,) = window.bench.overlay.drawn.strands
    (middle,) = window.bench.overlay.points(line.line[len(line.line) // 2][None])
    at_quay.click(window.bench, middle)
    assert document.selected in document.rig.strands
    at_quay.keys(Qt.Key.Key_Delete)
    assert not document.rig.strands


def test_what_aims_is_still_pulled_where_it_is_free(at_quay: Hand) -> None:
    window, document = at_quay.window, at_quay.window.document
    crate = part_id(document.rig, "Crate")
    loose = replace(document.rig.parts[crate], joint=Joint("free"))
    document.edit("free it", lambda rig: replace(rig, parts={**rig.parts, crate: loose}))
    constrained(at_quay, "4", "Crate", "Boiler")
    before = place(at_quay, "Crate").copy()
    grip = at_quay.on_part("Crate", (0, 0, 0.2))
    at_quay.drag(window.bench, grip, grip + QPointF(10, 0), grip + QPointF(40, -30))
    assert np.linalg.norm(place(at_quay, "Crate") - before) > 0.2
    assert document.history.undo_name == "move Crate"


def test_a_place_on_the_ground_is_a_target_too(at_quay: Hand) -> None:
    window, document = at_quay.window, at_quay.window.document
    select(at_quay, "Crate")
    at_quay.keys("4")
    corner = QPointF(window.bench.width() / 2, window.bench.height() - 70)
    assert window.bench.part_at(corner) is None
    at_quay.click(window.bench, corner)
    at_quay.rest(40)
    (made,) = document.rig.constraints.values()
    assert made.targets[0].on is None and made.targets[0].at[2] == pytest.approx(0, abs=1e-9)
