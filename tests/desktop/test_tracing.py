"""A point of a part draws its line, by a click in the Bench."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np
import pytest
from tests.desktop.hand import Hand, act

import gremio
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.solids import Box
from gremio.desktop.actions.tracing import draw


@pytest.fixture
def arm(hand: Hand) -> Hand:
    b = gremio.Builder("Arm")
    b.part("Arm", gremio.shape(Box(length=1, width=0.1, height=0.1), at=(0.5, 0, 0)),
           joint="hinge z")  # fmt: skip
    b.part("Stone", gremio.shape(Box(length=0.5, width=0.5, height=0.5)), at=(0, 2, 0))
    b.control("Swing", 0.0, np.pi / 2, kind="angle", unit="deg")
    b.ratio("Swing", "Arm turn z", 1.0)
    hand.window.show_rig(b.rig)
    hand.rest(60)
    return hand


def test_a_click_on_a_part_draws_its_way_over_what_leads_it(arm: Hand) -> None:
    document = arm.window.document
    act(arm.window, "Trace a point of a part")
    assert "click the point" in arm.window.bench.question.words  # type: ignore[union-attr]
    arm.click(arm.window.bench, arm.on_part("Arm", (0.95, 0.0, 0.05)))
    (path,) = document.rig.paths.values()
    assert path.name == "Arm trace" and not path.closed
    assert "the travel of Swing" in arm.window.message.text()
    points = np.array(path.points)
    assert np.linalg.norm(points[:, :2], axis=1) == pytest.approx(
        np.full(len(points), np.linalg.norm(points[0, :2]))
    )
    document.undo()
    assert not document.rig.paths


def test_a_routine_that_is_followed_is_what_is_traced(arm: Hand) -> None:
    document = arm.window.document
    rig = gremio.routine(document.rig, "Half", 2.0)
    rig = gremio.key(rig, 2.0, {"Swing": np.pi / 4})
    arm.window.show_rig(rig)
    document.timing.go_to(0.0)
    draw(document, part_id(rig, "Arm"), np.array([1.0, 0.0, 0.0]))
    (path,) = document.rig.paths.values()
    assert "through Half" in arm.window.message.text()
    assert path.points[-1] == pytest.approx([np.sqrt(0.5), np.sqrt(0.5), 0.0])


def test_what_nothing_moves_and_what_stands_still_is_said(arm: Hand) -> None:
    document = arm.window.document
    stone = part_id(document.rig, "Stone")
    draw(document, stone, np.array([0.0, 2.0, 0.0]))
    assert "Nothing on the Desk moves Stone" in arm.window.message.text()
    draw(document, stone, np.array([0.0, 2.0, 0.0]), control_id(document.rig, "Swing"))
    assert "stands still" in arm.window.message.text()
    assert not document.rig.paths


def test_a_trace_is_exported_as_a_table_of_its_ticks(hand: Hand, tmp_path: Path) -> None:
    b = gremio.Builder("Arm")
    b.part("Arm", gremio.shape(Box(length=1, width=0.1, height=0.1)), joint="spin z")
    b.control("Turn", 0.0, 1.0, kind="angle")
    b.ratio("Turn", "Arm turn z", 1)
    traced = gremio.trace(b.rig, "Arm", (1, 0, 0), control="Turn", steps=11).as_path()
    hand.window.show_rig(traced)
    document = hand.window.document
    hand.window.files.export_line()
    assert "Select a path first" in hand.said[-1]
    document.select(next(iter(traced.paths)))
    hand.window.files.export_line_path(tmp_path / "arm.csv")
    assert "11 ticks of Arm trace are in arm.csv" in hand.said[-1]
    rows = list(csv.reader((tmp_path / "arm.csv").read_text().splitlines()))
    assert rows[0] == ["way (m)", "x (m)", "y (m)", "z (m)"] and len(rows) == 12
    table = np.array(rows[1:], dtype=float)
    angle = np.linspace(0, 1, 11)
    assert table[:, 1:3] == pytest.approx(np.column_stack([np.cos(angle), np.sin(angle)]), abs=2e-3)
