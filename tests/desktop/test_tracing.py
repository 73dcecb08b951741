"""A point of a part draws its line, by a click in the Bench."""

from __future__ import annotations

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
