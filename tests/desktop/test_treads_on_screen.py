"""Treads by real hands: wheels clicked, links laid, a carriage put on them."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from tests.desktop.hand import Hand, act

import gremio
from gremio.core.edit.parts import set_repeat
from gremio.core.rig.channels import key
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Repeat
from gremio.core.rig.solids import Box, Cylinder, SpurGear
from gremio.core.solve.repeats import copies
from gremio.core.solve.treads import links_now

shape = gremio.shape
TOP = {"Hull": (0.0, 0.0, 0.65), "Shoe": (0.0, 0.0, 0.02)}


@pytest.fixture
def at_winch(hand: Hand) -> Hand:
    b = gremio.Builder("Winch")
    b.part("Hull", shape(Box(length=2.4, width=0.8, height=0.3), at=(0, 0, 0.5)))
    for side, y in (("left", 0.6), ("right", -0.6)):
        for name, x, z, wide in (("Drive", -1, 0.45, 0.5), ("Idler", 1, 0.45, 0.4),
                                 ("Road", 0, 0.25, 0.36)):  # fmt: skip
            b.part(f"{name} {side}",
                   shape(Cylinder(diameter=wide, height=0.2), turned=("90 deg", 0, 0)),
                   at=(x, y, z))  # fmt: skip
    b.part("Shoe", shape(Box(length=0.11, width=0.3, height=0.04)), at=(0, 2.0, 0))
    hand.window.show_rig(b.rig)
    hand.rest(60)
    return hand


def click_part(hand: Hand, name: str, inside: tuple[float, float, float]) -> None:
    hand.click(hand.window.bench, hand.on_part(name, inside))


def rim(name: str) -> tuple[float, float, float]:
    return (0.0, 0.0, 0.0) if "right" in name else (0.0, 0.1, 0.0)


def choose(hand: Hand, *names: str) -> None:
    rig = hand.window.document.rig
    hand.window.document.choose([part_id(rig, name) for name in names])
    hand.rest(20)


def test_wheels_are_clicked_and_enter_lays_the_links(at_winch: Hand) -> None:
    document = at_winch.window.document
    at_winch.window.bench.setFocus()
    act(at_winch.window, "Make a tread round wheels")
    question = at_winch.window.bench.question
    assert question is not None and "drives" in question.words
    at_winch.keys(Qt.Key.Key_Return)
    assert "two wheels at least" in at_winch.said[-1]
    for name in ("Drive left", "Road left", "Idler left"):
        question.take(part_id(document.rig, name), None)
    at_winch.window.bench.setFocus()
    at_winch.keys(Qt.Key.Key_Return)
    (tread_id,) = document.rig.treads
    assert document.selected == tread_id
    here = links_now(document.pose, tread_id)
    assert not here.wrong and f"{len(here.frames)} links" in at_winch.said[-1]
    assert len(copies(document.pose, document.rig.treads[tread_id].link)) == len(here.frames)
    # Any wheel takes all along.
    document.move(key(part_id(document.rig, "Idler left"), "turn z"), 0.5)
    assert at_winch.value("Drive left") != 0.0
    assert document.pose.at(key(document.rig.treads[tread_id].link, "shift")) != 0.0
    document.undo()
    document.undo()
    assert not document.rig.treads and len(document.rig.parts) == 8


@pytest.mark.parametrize("what", ["Path round wheels", "Make a tread round wheels"])
def test_a_wheel_that_is_clicked_twice_is_not_gone_round(at_winch: Hand, what: str) -> None:
    document = at_winch.window.document
    act(at_winch.window, what)
    question = at_winch.window.bench.question
    assert question is not None
    for name in ("Drive left", "Road left", "Idler left", "Road left"):
        click_part(at_winch, name, (0.0, 0.1, 0.0))
    assert question.words.endswith("(2)")
    at_winch.window.bench.setFocus()
    at_winch.keys(Qt.Key.Key_Return)
    if "tread" in what:
        (tread,) = document.rig.treads.values()
        gone_round = [wheel.on for wheel in tread.wheels]
        assert gone_round == [part_id(document.rig, n) for n in ("Drive left", "Idler left")]
    else:
        (path,) = document.rig.paths.values()
        assert np.array(path.points)[:, 0] == pytest.approx([-1, 1])


def test_its_card_changes_links_sag_and_slip(at_winch: Hand) -> None:
    document = at_winch.window.document
    choose(at_winch, "Drive left", "Road left", "Idler left")
    act(at_winch.window, "Make a tread round wheels")
    (tread_id,) = document.rig.treads
    name = document.rig.treads[tread_id].name
    link = document.rig.treads[tread_id].link
    at_winch.type_into(at_winch.named(f"Count of {name}"), "30")
    assert document.rig.parts[link].repeat.count == 30
    assert any("fit best" in note.text for note in document.looking.notes())
    at_winch.type_into(at_winch.named(f"Sag of {name}"), "40 mm")
    assert document.rig.treads[tread_id].sag == pytest.approx(0.04)
    long = links_now(document.pose, tread_id).length
    at_winch.type_into(at_winch.named(f"Sag of {name}"), "0")
    assert links_now(document.pose, tread_id).length < long
    at_winch.do("Use a part as its link…")
    click_part(at_winch, "Shoe", TOP["Shoe"])
    ((_, tread),) = document.rig.treads.items()
    assert document.rig.parts[tread.link].name == "Shoe"
    assert f"{name} link" not in {part.name for part in document.rig.parts.values()}
    at_winch.do("Let a motor drive its links")
    assert any("Shoe" in control.name for control in document.rig.controls.values())


def test_a_wheel_that_is_resized_takes_its_band_along(at_winch: Hand) -> None:
    document = at_winch.window.document
    choose(at_winch, "Drive left", "Road left", "Idler left")
    act(at_winch.window, "Make a tread round wheels")
    (tread_id,) = document.rig.treads
    idler = part_id(document.rig, "Idler left")
    before = {w.on: w.radius for w in document.rig.treads[tread_id].wheels}
    document.move(key(idler, "shape 0 diameter"), 0.6)
    after = {w.on: w.radius for w in document.rig.treads[tread_id].wheels}
    assert after[idler] == pytest.approx(before[idler] + 0.1)
    pose, drive = document.pose, part_id(document.rig, "Drive left")
    document.move(key(drive, "turn z"), 1.0)
    pose = document.pose
    ratio = pose.at(key(idler, "turn z")) / pose.at(key(drive, "turn z"))
    assert abs(ratio) == pytest.approx(before[drive] / after[idler])


def test_a_body_is_put_on_treads_and_turns_on_the_spot(at_winch: Hand) -> None:
    document = at_winch.window.document
    document.select(part_id(document.rig, "Hull"))
    act(at_winch.window, "Make a carriage on wheels or treads")
    at_winch.rest(30)
    at_winch.do("All of them")
    at_winch.do("Put it on treads")
    assert len(document.rig.treads) == 2 and "1.2 m apart" in at_winch.said[-1]
    at_winch.type_into(at_winch.instrument("Hull turn").field, "57.29577951308232")
    pose = document.pose
    links = [key(tread.link, "shift") for tread in document.rig.treads.values()]
    assert [pose.at(channel) for channel in links] == pytest.approx([-0.6, 0.6], abs=1e-6)


def test_what_has_no_teeth_is_no_sprocket(at_winch: Hand) -> None:
    choose(at_winch, "Drive left", "Idler left")
    act(at_winch.window, "Make a chain round sprockets")
    assert "no teeth that could be counted" in at_winch.said[-1]
    assert not at_winch.window.document.rig.treads


def test_a_chain_is_laid_round_two_sprockets(hand: Hand) -> None:
    b = gremio.Builder("Dredger")
    for name, teeth, x in (("Lower", 12, 0.0), ("Upper", 17, 1.4)):
        b.part(name, shape(SpurGear(module=0.03, teeth=teeth, width=0.06), turned=("90 deg", 0, 0)),
               at=(x, 0, 0.6), joint="spin y")  # fmt: skip
    hand.window.show_rig(b.rig)
    hand.rest(60)
    choose(hand, "Lower", "Upper")
    act(hand.window, "Make a chain round sprockets")
    document = hand.window.document
    (tread,) = document.rig.treads.values()
    assert tread.hangs and tread.sag > 0
    hand.type_into(hand.named(f"Sag of {tread.name}"), "0.05 m")
    assert not [n for n in document.looking.notes() if n.severity == "error"]


def test_every_link_and_every_copy_is_drawn_where_it_is(at_winch: Hand) -> None:
    """The first of a row too, which stands elsewhere than its part where the row is shifted, or
    goes round something."""
    document, bench = at_winch.window.document, at_winch.window.bench
    choose(at_winch, "Drive left", "Road left", "Idler left")
    act(at_winch.window, "Make a tread round wheels")
    (tread,) = document.rig.treads.values()
    shoe = part_id(document.rig, "Shoe")
    document.edit("row", lambda rig: set_repeat(rig, shoe, Repeat("line", "x", 3, 0.2, shift=0.5)))
    at_winch.rest(30)
    pose = document.pose
    drawn = bench.scene().instances(pose, {}).records
    for part in (tread.link, shoe):
        mark = pose.program.part_row[part] + 1
        middles = drawn["rows"][drawn["mark"] == mark][:, :, 3]
        wanted = (copies(pose, part) @ pose.world(part))[:, :3, 3]
        for place in wanted:
            assert np.linalg.norm(middles - place, axis=1).min() < 0.05
        # As many as there are, of each of its shapes.
        assert len(middles) == len(wanted) * len(document.rig.parts[part].shapes)


def test_a_tread_is_brought_into_the_picture(at_winch: Hand) -> None:
    document, bench = at_winch.window.document, at_winch.window.bench
    choose(at_winch, "Drive left", "Road left", "Idler left")
    act(at_winch.window, "Make a tread round wheels")
    far = np.linalg.norm(bench.camera.eye - [0, 0.6, 0.4])
    act(at_winch.window, "Show what is selected")
    assert "Select a part first" not in at_winch.said[-1]
    near = np.linalg.norm(bench.camera.eye - [0, 0.6, 0.4])
    assert near < far
    document.select("")
    act(at_winch.window, "Show what is selected")
    assert "Select a part first" in at_winch.said[-1]
