"""A pull ends at the hand, however fast; and moves one input, the nearest along the chain."""

from __future__ import annotations

import math

import numpy as np
import pytest

import gremio
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.model import Rig
from gremio.core.solve.backward import Hand
from gremio.core.solve.pulling import pull, puller

DEG = math.radians


def winch(ratio: float) -> Rig:
    """A crank that turns an arm by a ratio far below one."""
    build = gremio.Builder("Winch")
    build.part("Arm", joint="spin z")
    build.control("Crank", "-400 turn", "400 turn")
    build.ratio("Crank", "Arm", ratio)
    return build.rig


@pytest.mark.parametrize("ratio", [1.0, 1 / 20, 1 / 400, -1 / 60])
@pytest.mark.parametrize("turned", [5.0, 90.0, -170.0])
def test_one_event_ends_at_the_hand(ratio: float, turned: float) -> None:
    rig = winch(ratio)
    pose = gremio.solve(rig)
    goal = 2.0 * np.array([math.cos(DEG(turned)), math.sin(DEG(turned)), 0.0])
    answer = pull(pose.program, pose, part_id(rig, "Arm"), (2.0, 0, 0), goal)
    assert isinstance(answer, Hand) and answer.channel == control_id(rig, "Crank")
    assert answer.value == pytest.approx(DEG(turned) / ratio, rel=1e-6)


def excavator() -> Rig:
    build = gremio.Builder("Excavator")
    build.part("House", joint="spin z")
    build.part("Boom", on="House", at=(0.2, 0, 0.5), turned=(0, "-40 deg", 0), joint="hinge y")
    build.part("Stick", on="Boom", at=(2.4, 0, 0), turned=(0, "80 deg", 0), joint="hinge y")
    build.part("Bucket", on="Stick", at=(1.4, 0, 0), turned=(0, "20 deg", 0), joint="hinge y")
    for name in ("House", "Boom", "Stick", "Bucket"):
        build.control(f"{name} lever", "-1 rad", "1 rad")
        build.ratio(f"{name} lever", name, 1)
    return build.rig


def test_a_whole_drag_moves_the_nearest_input_and_no_other() -> None:
    rig = excavator()
    pose = gremio.solve(rig)
    bucket, inside = part_id(rig, "Bucket"), np.array([0.5, 0.0, 0.1])
    lead = puller(pose.program, pose, bucket, inside)
    assert lead == control_id(rig, "Bucket lever")
    start = (pose.world(bucket) @ np.append(inside, 1.0))[:3]
    at = 0.0
    for step in range(1, 20):
        target = start + np.array([0.3, 0.2, -0.4]) * step / 10
        answer = pull(pose.program, pose, bucket, inside, target, lead)
        if isinstance(answer, Hand):
            assert answer.channel == lead
            at = answer.value
            pose = gremio.solve(rig, {"Bucket lever": at})
    assert at != 0.0


def test_the_chosen_input_is_moved_and_a_point_on_the_pivot_takes_the_next() -> None:
    rig = excavator()
    pose = gremio.solve(rig)
    bucket, boom = part_id(rig, "Bucket"), control_id(rig, "Boom lever")
    assert puller(pose.program, pose, bucket, (0.5, 0, 0), boom) == boom
    # On its own hinge the bucket goes nowhere by its own lever.
    assert puller(pose.program, pose, bucket, (0, 0, 0)) == control_id(rig, "Stick lever")
