"""Kits in the window: looked through, kept, put in, and brought up to what they are now."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from tests.core.files.test_kit_files import kept
from tests.core.make.test_kits import door
from tests.desktop.hand import Hand

import gremio
from gremio.core.edit.parts import set_stops
from gremio.core.files.kits import read_kit
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.model import Stops
from gremio.core.rig.solids import Box
from gremio.demo import KITS
from gremio.desktop.deck import kits_page
from gremio.desktop.deck.kits_page import KitsPage
from gremio.desktop.kept import own_kits
from gremio.desktop.shell import kits


@pytest.fixture
def page(hand: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> KitsPage:
    """The page of kits, with one kit of a door, at a barge with a crank."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    monkeypatch.setattr(kits_page, "KITS", tmp_path / "shipped")
    (tmp_path / "shipped").mkdir()
    kept(tmp_path / "shipped")
    b = gremio.Builder("Barge")
    b.part("Hull", gremio.shape(Box(4, 3, 1), at=(0, 0, 0.5)))
    b.part("Crank", gremio.shape(Box(0.4, 0.1, 0.4)), at=(3, 0, 0.5), joint="spin y")
    b.control("Turn", "-1 turn", "1 turn", unit="turn")
    b.control("Way", "0 m", "1 m")
    b.ratio("Turn", "Crank", 1)
    hand.window.show_rig(b.rig)
    hand.window.bench.show_all()
    hand.window.act("edit.put kit")
    hand.rest(30)
    return hand.window.deck.kits


def test_kits_are_found_by_words_and_have_pictures(hand: Hand, page: KitsPage) -> None:
    assert [tile.kit.name for tile in page.tiles] == ["Door"]
    hand.type_into(page.search, "crane")
    assert page.tiles == [] and page.count.text() == "0 kits"
    hand.type_into(page.search, "gate")
    assert [tile.kit.name for tile in page.tiles] == ["Door"]
    # What is typed is words, and no command of the Bench.
    assert hand.window.document.rig.name == "Barge"
    hand.qtbot.waitUntil(lambda: page.tiles[0]._picture is not None, timeout=20000)
    picture = page.tiles[0]._picture
    assert picture is not None
    image = picture.toImage()
    shades = {image.pixelColor(x, image.height() // 2).rgb() for x in range(0, image.width(), 3)}
    assert len(shades) > 2


@pytest.mark.usefixtures("page")
def test_a_kit_is_put_where_it_is_clicked_as_wide_as_it_is_told(hand: Hand) -> None:
    document = hand.window.document
    hand.click(hand.named("Kit Door"))
    hand.type_into(hand.named("Width"), "1.4 m")
    assert hand.window.bench._beside and len(hand.window.bench._beside[0])
    hand.click(hand.named("Click what the kit stands on"))
    hand.click(hand.window.bench, hand.on_part("Hull", (1.0, -0.5, 1.0)))
    hand.click(hand.named("Put it in"))
    rig = document.rig
    hinge = rig.parts[part_id(rig, "Hinge")]
    assert hinge.parent == part_id(rig, "Hull")
    assert hinge.mount.at == pytest.approx((1.0, -0.5, 1.0), abs=0.02)
    leaf = rig.parts[part_id(rig, "Leaf")].shapes[0].solid
    assert isinstance(leaf, Box) and leaf.length == pytest.approx(1.4)
    assert "Open" in [c.name for c in rig.controls.values()] and len(rig.kits) == 1
    assert hand.window.bench._beside == [] and document.selected == part_id(rig, "Hinge")
    hand.window.act("edit.undo")
    assert "Hinge" not in [p.name for p in document.rig.parts.values()]


@pytest.mark.usefixtures("page")
def test_what_leads_is_clicked_on_the_desk(hand: Hand) -> None:
    document = hand.window.document
    hand.click(hand.named("Kit Door"))
    hand.click(hand.named("Click what leads in place of Open"))
    hand.click(hand.instrument("Way"), hand.slider("Way"))
    assert "is no angle" in hand.said[-1]
    hand.click(hand.instrument("Turn"), hand.slider("Turn"))
    hand.click(hand.named("Put it in"))
    rig = document.rig
    assert {c.name for c in rig.controls.values()} == {"Turn", "Way"}
    assert gremio.solve(rig, {"Turn": 0.5}).value("Hinge", "turn z") == pytest.approx(0.5)


@pytest.mark.usefixtures("page")
def test_a_width_out_of_its_range_is_refused_and_nothing_is_put_in(hand: Hand) -> None:
    before = hand.window.document.rig
    hand.click(hand.named("Kit Door"))
    hand.type_into(hand.named("Width"), "9 m")
    assert any("Width of Door goes from 0.5 m to 2 m, not to 9 m" in text for text in hand.said)
    hand.click(hand.named("Put it in"))
    assert hand.window.document.rig is before
    hand.keys(Qt.Key.Key_Escape)
    assert hand.window.card.making is None


def test_what_is_selected_is_kept_and_found(
    hand: Hand, page: KitsPage, monkeypatch: pytest.MonkeyPatch
) -> None:
    document = hand.window.document
    hand.click(hand.named("Keep what is selected"))
    assert "Select what to keep" in hand.said[-1]
    hand.window.show_rig(door())
    document.select(part_id(document.rig, "Hinge"))
    hand.window.act("edit.keep kit")
    assert hand.named("Ask for Width").isChecked() and not hand.named("Ask for Open").isChecked()
    hand.type_into(hand.named("Name of the kit"), "Wicket")
    hand.type_into(hand.named("Words to find the kit by"), "door, small")
    hand.click(hand.named("Keep it"))
    path = own_kits() / "wicket.gremio"
    kit = read_kit(path)
    assert kit.name == "Wicket" and kit.kit is not None
    assert kit.kit.words == ("door", "small")
    assert kit.kit.dimensions == (control_id(kit, "Width"),)
    assert "Wicket" in [tile.kit.name for tile in page.tiles]
    # One of that name is not gone over without a word.
    asked: list[str] = []

    def stay(_over: object, title: str, *_more: object) -> str:
        asked.append(title)
        return "Stay"

    monkeypatch.setattr(kits, "choose", stay)
    before = path.read_bytes()
    hand.window.act("edit.keep kit")
    hand.type_into(hand.named("Name of the kit"), "Wicket")
    hand.click(hand.named("Keep it"))
    assert asked == ["A kit of this name"]
    assert path.read_bytes() == before and hand.window.card.making is not None


def test_a_kit_that_changed_is_told_and_taken(hand: Hand, page: KitsPage, tmp_path: Path) -> None:
    document = hand.window.document
    hand.click(hand.named("Kit Door"))
    hand.click(hand.named("Put it in"))
    later = door()
    later = set_stops(later, part_id(later, "Bolt"), "move x", Stops(0.0, 0.06))
    later = set_stops(later, part_id(later, "Hinge"), "turn z", Stops(0.0, math.radians(90)))
    kept(tmp_path / "shipped", later)
    # Looked at when the rig is opened, and on purpose.
    assert "kit-later" not in [note.code for note in document.looking.notes()]
    hand.window.act("rig.models")
    (note,) = [note for note in document.looking.notes() if note.code == "kit-later"]
    assert "Door has changed since it was put in" in note.text
    hand.window.deck.show_page("Cam")
    hand.window.deck.show_page("Kits")
    hand.rest(30)
    hand.click(hand.named("Show what has changed in Door"))
    hand.click(hand.named("Take otherwise: part Bolt"))
    hand.click(hand.named("Take what is ticked"))
    rig = document.rig
    assert rig.parts[part_id(rig, "Bolt")].stops["move x"].high == pytest.approx(0.04)
    assert rig.parts[part_id(rig, "Hinge")].stops["turn z"].high == pytest.approx(math.radians(90))
    assert page.changed.count() == 0
    assert "kit-later" not in [note.code for note in document.looking.notes()]


@pytest.mark.usefixtures("page")
def test_what_was_begun_ends_with_its_rig_and_outlives_an_undo(hand: Hand) -> None:
    document = hand.window.document
    hand.window.act("part.box")
    box = document.selected
    hand.click(hand.named("Kit Door"))
    hand.click(hand.named("Click what the kit stands on"))
    hand.window.parts.picked.emit(box)
    assert hand.window.card.making.on == box
    hand.window.act("edit.undo")
    hand.type_into(hand.named("Width"), "1.1 m")
    assert hand.window.card.making.on is None
    hand.click(hand.named("Click what leads in place of Open"))
    assert hand.window.bench.asking()
    hand.window.show_rig(door())
    assert hand.window.card.making is None and not hand.window.bench.asking()
    assert hand.window.bench._beside == []


def test_what_is_no_kit_says_why(hand: Hand, page: KitsPage, tmp_path: Path) -> None:
    (tmp_path / "shipped" / "torn.gremio").write_text('{"gremio": 4, "rig": {"name": "T')
    page.look()
    hand.click(hand.named("Kit torn"))
    assert "torn.gremio: It can't be read" in hand.said[-1]


def test_the_kits_that_come_with_gremio_are_sound(tmp_path: Path) -> None:
    """Each can be read, has nothing wrong, and is as its script makes it."""
    from gremio.demo.kits import ALL

    assert len(ALL) >= 12
    assert {make().name.lower().replace(" ", "-") for make in ALL} == {
        path.stem for path in KITS.glob("*.gremio")
    }
    for make in ALL:
        made = make().keep(tmp_path)
        assert made.read_bytes() == (KITS / made.name).read_bytes(), "Run scripts/keep_kits.py."
    for path in KITS.glob("*.gremio"):
        kit = read_kit(path)
        assert gremio.inspect(kit) == [], path.name
        assert kit.kit is not None and kit.kit.about and kit.kit.words
