"""A later model taken up in the window, change by change."""

from __future__ import annotations

from pathlib import Path

import pytest
import trimesh
from PyQt6.QtWidgets import QFileDialog
from tests.core.files.test_revising import add, moved, sluice
from tests.desktop.hand import Hand

import gremio
from gremio.core.rig.find import part_id


def change(scene: trimesh.Scene) -> None:
    """The paddle stands higher, the wheel is larger, a ladder is new, the bolt is gone."""
    moved("Paddle", (0.0, 1.5, 0.2))(scene)
    scene.geometry["Wheel mesh"].apply_scale(1.5)
    add(scene, "Ladder", trimesh.creation.box((0.4, 2.0, 0.05)), "Frame", (1, 0, 0.2))
    scene.delete_geometry("Bolt mesh")
    scene.graph.transforms.remove_node("Bolt")


@pytest.fixture
def revised(hand: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Hand:
    """A hand before the list of what a later model has otherwise."""
    (tmp_path / "sluice.glb").write_bytes(sluice().export(file_type="glb"))
    (tmp_path / "later.glb").write_bytes(sluice(change).export(file_type="glb"))
    hand.window.show_rig(gremio.bring_in(gremio.Rig("Sluice"), tmp_path / "sluice.glb"))
    monkeypatch.setattr(QFileDialog, "getOpenFileName",
                        lambda *_a: (str(tmp_path / "later.glb"), ""))  # fmt: skip
    hand.window.act("rig.revise")
    hand.qtbot.waitUntil(lambda: hand.window.card.making is not None, timeout=10000)
    hand.rest(60)
    return hand


def test_what_is_otherwise_is_listed_with_pictures(revised: Hand) -> None:
    for head, name in (("new in the model", "Ladder"), ("gone from the model", "Bolt"),
                       ("moved", "Paddle"), ("of another shape", "Wheel")):  # fmt: skip
        assert revised.named(f"Take {head}: {name}").isChecked()
        assert len(revised.named(f"{name} as it is now").lines) > 0
    revised.click(revised.named("Wheel"))
    assert revised.window.document.selected == part_id(revised.window.document.rig, "Wheel")


def test_some_is_taken_and_the_rest_is_left(revised: Hand) -> None:
    document = revised.window.document
    before = document.rig
    revised.click(revised.named("Take gone from the model: Bolt"))
    revised.click(revised.named("Take of another shape: Wheel"))
    revised.click(revised.named("Take what is ticked"))
    rig = document.rig
    assert {p.name for p in rig.parts.values()} == {"Frame", "Paddle", "Bolt", "Wheel", "Ladder"}
    paddle = part_id(rig, "Paddle")
    assert rig.parts[paddle].mount.at[2] == pytest.approx(before.parts[paddle].mount.at[2] + 1)
    # The older file is still there, so what is of it is shown as it was.
    assert document.looking.notes() == [] and revised.said[-1] == "2 changes are taken."
    revised.window.act("edit.undo")
    assert document.rig == before


def test_a_joint_may_stay_while_its_part_goes(revised: Hand) -> None:
    document = revised.window.document
    paddle = part_id(document.rig, "Paddle")
    mount = document.rig.parts[paddle].mount
    revised.choose("What joints do where a part is elsewhere", "stay where they are")
    revised.click(revised.named("Take what is ticked"))
    assert document.rig.parts[paddle].mount == mount
    assert document.rig.parts[paddle].own.at[2] == pytest.approx(1.0)


def test_leaving_it_changes_nothing(revised: Hand) -> None:
    before = revised.window.document.rig
    revised.click(revised.named("Leave it"))
    assert revised.window.card.making is None and revised.window.document.rig is before
