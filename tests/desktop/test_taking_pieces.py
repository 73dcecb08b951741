"""Parts taken from one rig and pasted in another, by the clipboard."""

from __future__ import annotations

import sys

import pytest
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QApplication
from tests.desktop.hand import CTRL, Hand

import gremio
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Rig
from gremio.desktop.shell import files


@pytest.fixture
def at_gate(hand: Hand) -> Hand:
    b = gremio.Builder("Gate")
    b.part("Post", gremio.Box(0.2, 0.2, 2), at=(1, 0, 1))
    b.part("Gate", gremio.Box(1, 0.1, 1), on="Post", at=(0.6, 0, 0), joint="hinge z")
    b.control("Open", "0 deg", "90 deg")
    b.ratio("Open", "Gate", 1)
    hand.window.show_rig(b.rig)
    hand.rest(50)
    return hand


def test_a_gate_is_taken_and_pasted_with_what_leads_it(at_gate: Hand) -> None:
    window, document = at_gate.window, at_gate.window.document
    document.select(part_id(document.rig, "Post"))
    window.bench.setFocus()
    at_gate.keys("c", CTRL)
    assert "Post is taken: 2 parts, 1 link" in at_gate.said[-1]
    # In another rig, on the ground.
    window.show_rig(Rig(name="Other"))
    at_gate.rest(40)
    window.bench.setFocus()
    at_gate.keys("v", CTRL)
    at_gate.rest(40)
    assert [p.name for p in document.rig.parts.values()] == ["Post", "Gate"]
    assert document.selected == part_id(document.rig, "Post")
    document.move(next(iter(document.rig.controls)), 0.5)
    assert at_gate.value("Gate", "turn z") == pytest.approx(0.5)
    # Again, though something is selected: on the ground all the same, where it stood. One step.
    document.select(part_id(document.rig, "Gate"))
    window.bench.setFocus()
    at_gate.keys("v", CTRL)
    at_gate.rest(40)
    names = [p.name for p in document.rig.parts.values()]
    assert names == ["Post", "Gate", "Post 2", "Gate 2"]
    post = document.rig.parts[part_id(document.rig, "Post 2")]
    assert post.parent is None and post.mount.at == (1.0, 0.0, 1.0)
    assert at_gate.said[-1] == "Post 2 is pasted, on the ground, where Post stood."
    document.undo()
    assert len(document.rig.parts) == 2


def test_what_is_no_part_on_the_clipboard_is_said(at_gate: Hand) -> None:
    document = at_gate.window.document
    before = document.rig
    at_gate.window.bench.setFocus()
    for text in ("", "a shopping list", "{}", '{"gremio": 99999, "rig": {}}'):
        QGuiApplication.clipboard().setText(text)
        at_gate.keys("v", CTRL)
        assert "no part on the clipboard" in at_gate.said[-1] and document.rig is before
    document.select("")
    at_gate.keys("c", CTRL)
    assert "Select what to take" in at_gate.said[-1]


def test_a_field_keeps_its_own_copy_and_paste(at_gate: Hand) -> None:
    """What is copied in a field is its text, and nothing comes into the rig."""
    document = at_gate.window.document
    document.select(part_id(document.rig, "Gate"))
    at_gate.rest(50)
    before = document.rig
    field = at_gate.named("Gate turn z")
    at_gate.click(field)
    field.selectAll()
    at_gate.keys("c", CTRL)
    assert "0.0" in QApplication.clipboard().text()
    at_gate.keys("v", CTRL)
    assert document.rig is before


def test_another_window_is_a_gremio_of_its_own(
    at_gate: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    begun: list[list[str]] = []
    monkeypatch.setattr(files.subprocess, "Popen", lambda words, **_how: begun.append(words))
    at_gate.window.act("file.window")
    assert begun == [[sys.executable, "-m", "gremio", "open"]]
