"""A way that is too long ends with a word, and can be stopped; what it had by then is right."""

from __future__ import annotations

import math

import numpy as np
import pytest

import gremio
from gremio.core.rig.model import Rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.patience import asking


def never_repeats(reach: float = 1e9) -> Rig:
    """Two cranks that turn as 1 to π, and rods that meet between them. reach: of the control that
    turns them, either way (rad)."""
    build = gremio.Builder("Never repeats")
    lean = math.acos(0.5)
    build.part("Left", joint="spin z")
    build.part("Right", at=(3.0, 0, 0), joint="spin z")
    build.part("Rod", on="Left", at=(0.5, 0, 0), turned=(0, 0, lean), joint="hinge z")
    build.part("Arm", on="Right", at=(-0.5, 0, 0), turned=(0, 0, math.pi - lean), joint="hinge z")
    build.control("Turn", -reach, reach, kind="angle")
    build.ratio("Turn", "Left", 1)
    build.ratio("Turn", "Right", math.pi)
    return gremio.pin(build.rig, "Rod", "Arm", (2.0, 0, 0), (2.0, 0, 0))


def tip(pose: gremio.Pose) -> np.ndarray:
    """Where the rods meet."""
    return (pose.world(next(i for i, p in pose.program.rig.parts.items() if p.name == "Rod"))
            @ [2.0, 0, 0, 1])[:2]  # fmt: skip


def both_ends(turn: float) -> list[np.ndarray]:
    """Where two rods of 2 m can meet, cranks of 0.5 m turned so: circle meets circle."""
    one = 0.5 * np.array([math.cos(turn), math.sin(turn)])
    two = np.array([3.0, 0]) - 0.5 * np.array([math.cos(turn * math.pi), math.sin(turn * math.pi)])
    way = two - one
    far = float(np.linalg.norm(way))
    across = math.sqrt(4.0 - far**2 / 4) * np.array([-way[1], way[0]]) / far
    return [(one + two) / 2 + across, (one + two) / 2 - across]


def test_a_way_too_long_ends_where_it_has_come_to_and_says_so() -> None:
    rig = never_repeats()
    assert not gremio.solve(rig, {"Turn": 900.0}).notes
    far = gremio.solve(rig, {"Turn": 1e6})
    (note,) = far.notes
    assert note.code == "loop-reach" and "too long" in note.text
    came_to = far.at(next(iter(rig.controls)))
    at = float(far.poses.channels[far.program.channel_row[f"{_id(rig, 'Left')} turn z"], 0])
    assert 900 < at < 1e4 and came_to == 1e6
    assert min(np.linalg.norm(tip(far) - end) for end in both_ends(at)) < 1e-9
    # Within a way that is followed, nothing depends on how long the other one is.
    both = gremio.run(rig, {"Turn": [20.0, 1e6]})
    assert np.array_equal(both.worlds[0], gremio.solve(rig, {"Turn": 20.0}).worlds)


def _id(rig: Rig, name: str) -> str:
    return next(i for i, part in rig.parts.items() if part.name == name)


def test_who_waits_is_asked_and_can_stop_it() -> None:
    rig = never_repeats()
    program = gremio.solve(rig).program
    turn = next(iter(rig.controls))
    asked = []

    def no_more() -> bool:
        asked.append(True)
        return len(asked) < 2

    with asking(no_more):
        stopped = evaluate(program, {turn: 900.0}).frame(0)
    assert len(asked) == 2
    (note,) = stopped.notes
    assert "was stopped" in note.text
    at = stopped.at(f"{_id(rig, 'Left')} turn z")
    assert 0 < at < 900 and min(np.linalg.norm(tip(stopped) - end) for end in both_ends(at)) < 1e-9
    # Nobody is asked about what is soon done, and afterwards nobody at all.
    with asking(no_more):
        assert not evaluate(program, {turn: 5.0}).frame(0).notes
    assert len(asked) == 2
    assert not evaluate(program, {turn: 900.0}).frame(0).notes


@pytest.mark.parametrize("turn", [0.7, 55.0, -410.0])
def test_on_the_way_it_is_a_five_bar(turn: float) -> None:
    pose = gremio.solve(never_repeats(), {"Turn": turn})
    assert min(np.linalg.norm(tip(pose) - end) for end in both_ends(turn)) < 1e-9
