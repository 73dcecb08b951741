"""A rig compared with a file in the window, and what is otherwise taken over by choice."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QFileDialog
from tests.desktop.hand import Hand

import gremio
from gremio.core.edit.parts import rename_part, set_stops
from gremio.core.inspect.comparing import compare
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Rig, Stops


def gate() -> Rig:
    b = gremio.Builder("Gate")
    b.part("Post")
    b.part("Gate", on="Post", joint="hinge z", stops=("0 deg", "80 deg"))
    return b.rig


@pytest.fixture
def compared(hand: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Hand:
    """A hand before the list of what a file says otherwise: the post is called otherwise, the gate
    goes less far, and the twin is not there."""
    there = set_stops(gate(), part_id(gate(), "Gate"), "turn z", Stops(0.0, math.radians(70)))
    gremio.save(there, tmp_path / "before.gremio")
    rig = rename_part(gate(), part_id(gate(), "Post"), "Pier")
    hand.window.show_rig(gremio.mirror(rig, "Gate", of="Pier", across="x"))
    monkeypatch.setattr(QFileDialog, "getOpenFileName",
                        lambda *_a: (str(tmp_path / "before.gremio"), ""))  # fmt: skip
    hand.window.act("file.compare")
    hand.rest(60)
    return hand


def test_what_is_otherwise_is_listed_and_clicked(compared: Hand, tmp_path: Path) -> None:
    card = compared.window.card
    for name in ("part Pier", "part Gate", "part Gate 2"):
        assert compared.named(name) is not None
    compared.click(compared.named("part Gate 2"))
    rig = compared.window.document.rig
    assert compared.window.document.selected == part_id(rig, "Gate 2")
    # The list stays while one after the other is looked at.
    assert card.making is not None
    compared.click(compared.named("Take what is ticked"))
    assert "Nothing is ticked" in compared.said[-1] and compared.window.document.rig is rig
    compared.click(compared.named("Leave it"))
    assert card.making is None
    (tmp_path / "before.gremio").write_text("{}")
    compared.window.act("file.compare")
    assert "before.gremio" in compared.said[-1]


def test_what_is_ticked_is_taken_and_the_rest_stays(compared: Hand, tmp_path: Path) -> None:
    document = compared.window.document
    compared.click(compared.named("Take otherwise there: part Gate"))
    compared.click(compared.named("Take what is ticked"))
    assert compared.said[-1] == "1 change is taken."
    part = document.rig.parts[part_id(document.rig, "Gate")]
    assert part.stops["turn z"].high == pytest.approx(math.radians(70))
    assert {p.name for p in document.rig.parts.values()} == {"Pier", "Gate", "Gate 2"}
    compared.window.act("edit.undo")
    part = document.rig.parts[part_id(document.rig, "Gate")]
    assert part.stops["turn z"].high == pytest.approx(math.radians(80))
    # All of it makes it the other.
    compared.window.act("file.compare")
    compared.rest(60)
    for tick in ("called otherwise there: part Pier", "only here: part Gate 2",
                 "otherwise there: part Gate"):  # fmt: skip
        compared.click(compared.named(f"Take {tick}"))
    compared.click(compared.named("Take what is ticked"))
    assert compare(document.rig, gremio.load(tmp_path / "before.gremio")) == []


def test_a_copy_of_a_rig_is_opened_without_a_file(compared: Hand, tmp_path: Path) -> None:
    before = (tmp_path / "before.gremio").read_bytes()
    compared.window.document._saved = compared.window.document.rig
    compared.window.act("file.copy")
    document = compared.window.document
    assert document.rig.name == "Gate, copy" and document.path is None and document.changed
    assert (tmp_path / "before.gremio").read_bytes() == before
