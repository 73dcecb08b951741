"""A rig compared with a file, in the window."""

from __future__ import annotations

from pathlib import Path

import pytest
from PyQt6.QtWidgets import QFileDialog
from tests.desktop.hand import Hand

import gremio
from gremio.core.edit.parts import rename_part
from gremio.core.rig.find import part_id


def test_what_is_otherwise_is_listed_and_clicked(
    hand: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    b = gremio.Builder("Gate")
    b.part("Post")
    b.part("Gate", on="Post", joint="hinge z", stops=("0 deg", "80 deg"))
    gremio.save(b.rig, tmp_path / "before.gremio")
    rig = rename_part(b.rig, part_id(b.rig, "Post"), "Pier")
    hand.window.show_rig(gremio.mirror(rig, "Gate", of="Pier", across="x"))
    monkeypatch.setattr(QFileDialog, "getOpenFileName",
                        lambda *_a: (str(tmp_path / "before.gremio"), ""))  # fmt: skip
    hand.window.act("file.compare")
    hand.rest(60)
    card = hand.window.card
    words = [w.text() for w in card.findChildren(type(hand.named("Leave it")))]
    assert "Pier" in words and "Gate 2" in words
    hand.click(hand.named("Gate 2"))
    assert hand.window.document.selected == part_id(hand.window.document.rig, "Gate 2")
    # The list stays while one after the other is looked at.
    assert card.making is not None
    hand.click(hand.named("Leave it"))
    assert card.making is None
    (tmp_path / "before.gremio").write_text("{}")
    hand.window.act("file.compare")
    assert "before.gremio" in hand.said[-1]
