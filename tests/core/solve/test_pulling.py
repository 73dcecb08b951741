"""A pull ends at the hand, however fast; and moves one input, the nearest along the chain."""

from __future__ import annotations

import math

import numpy as np
import pytest

import gremio
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.model import Rig
from gremio.core.solve.backward import Hand
from gremio.core.solve.pulling import pull, pull_together, puller, pullers

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
    boom_part = part_id(rig, "Boom")
    assert pullers(pose.program, pose, bucket, (0.5, 0, 0), [boom]) == (boom,)
    house = control_id(rig, "House lever")
    assert pullers(pose.program, pose, boom_part, (0.5, 0, 0), [boom, bucket]) == (boom,)
    assert set(pullers(pose.program, pose, bucket, (0.5, 0, 0), [house, boom])) == {house, boom}
    # On its own hinge the bucket goes nowhere by its own lever.
    assert puller(pose.program, pose, bucket, (0, 0, 0)) == control_id(rig, "Stick lever")


@pytest.mark.parametrize(
    "goal", [(3.0, 1.2, 0.4), (2.6, -1.0, 1.0), (3.4, 0.4, -0.3)], ids=["left", "right", "down"]
)
def test_several_that_are_chosen_bring_the_point_to_the_hand_together(
    goal: tuple[float, float, float],
) -> None:
    """Three levers reach a point in space; the fourth stays. The place is asked of the rig anew."""
    rig = excavator()
    pose = gremio.solve(rig)
    bucket, inside = part_id(rig, "Bucket"), np.array([0.5, 0.0, 0.1])
    names = ("House lever", "Boom lever", "Stick lever")
    chosen = [control_id(rig, name) for name in names]
    moved = pull_together(pose.program, pose, bucket, inside, goal, chosen)
    assert isinstance(moved, dict) and set(moved) == set(chosen)
    there = gremio.solve(rig, {n: moved[c] for n, c in zip(names, chosen, strict=True)})
    at = (there.world(bucket) @ np.append(inside, 1.0))[:3]
    assert at == pytest.approx(goal, abs=1e-6)
    assert all(-1.0 <= value <= 1.0 for value in moved.values())


def test_what_is_at_its_end_leaves_the_way_to_the_others_and_the_nearest_is_taken() -> None:
    """Beyond reach: nothing that the ends allow is nearer (`scipy.optimize`, from 12 starts)."""
    from scipy.optimize import minimize

    rig = excavator()
    pose = gremio.solve(rig)
    bucket, inside = part_id(rig, "Bucket"), np.array([0.5, 0.0, 0.1, 1.0])
    names = ("House lever", "Stick lever", "Bucket lever")
    chosen = [control_id(rig, name) for name in names]
    goal = np.array([1.0, 4.5, 2.0])
    moved = pull_together(pose.program, pose, bucket, inside[:3], goal, chosen)
    assert isinstance(moved, dict)

    def away(values: np.ndarray) -> float:
        world = gremio.solve(rig, dict(zip(names, map(float, values), strict=True))).world(bucket)
        return float(np.linalg.norm((world @ inside)[:3] - goal))

    mine = away(np.array([moved[c] for c in chosen]))
    rng = np.random.default_rng(3)
    best = min(
        minimize(away, rng.uniform(-1, 1, 3), bounds=[(-1, 1)] * 3, method="L-BFGS-B").fun
        for _ in range(12)
    )
    assert mine <= best + 1e-4
    held = pull_together(
        pose.program, gremio.solve(rig, {"House lever": 1.0}), bucket, inside[:3],
        np.array([-9.0, 40.0, 0.0]), [chosen[0]],
    )  # fmt: skip
    assert not isinstance(held, dict)
