"""Chains to a target: as near as an independent search comes, and limits only where proven."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.optimize import least_squares

import gremio
from gremio.core.edit.controls import set_values
from gremio.core.make.constraining import constrain
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Rig, Target
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.evaluate import evaluate

TIP = (0.0, 0.0, 0.6)
JOINTS = ["hinge z", "hinge y", "hinge y", "hinge x", "hinge y"]


def arm(seed: int) -> tuple[Rig, np.ndarray]:
    """An arm of three to five hinges with stops at random, and a goal for its tip."""
    rng = np.random.default_rng(seed)
    build = gremio.Builder("Arm")
    on = None
    for i, joint in enumerate(JOINTS[: rng.integers(3, 6)]):
        at = (0, 0, float(rng.uniform(0.4, 1.0)) if i else 0.0)
        stops = tuple(sorted(rng.uniform(-2.4, 2.4, 2).tolist())) if i else None
        on = build.part(f"Link {i}", on=on, at=at, joint=joint, stops=stops)  # type: ignore[arg-type]
    goal = rng.normal(size=3)
    goal *= rng.uniform(0.3, 2.2) / np.linalg.norm(goal)
    return build.rig, goal


def reaching(rig: Rig, goal: np.ndarray) -> Rig:
    last = list(rig.parts)[-1]
    target = Target(None, tuple(goal.tolist()))
    rig, made = constrain(rig, "reach", last, [target], geometry=geometry_of)
    return replace(rig, constraints={made: replace(rig.constraints[made], tip=TIP)})


def off(rig: Rig, pose: gremio.Pose, goal: np.ndarray) -> float:
    tip = pose.world(list(rig.parts)[-1]) @ np.array([*TIP, 1.0])
    return float(np.linalg.norm(tip[:3] - goal))


def nearest_by_search(rig: Rig, goal: np.ndarray, seed: int) -> float:
    """How near a general least-squares solver comes from 25 starts at random (m)."""
    program = gremio.solve(rig).program
    keys = list(program.channel_keys)
    rows = [program.channel_row[k] for k in keys]
    low = np.where(np.isfinite(program.low[rows]), program.low[rows], -math.pi)
    high = np.where(np.isfinite(program.high[rows]), program.high[rows], math.pi)

    last = program.part_row[list(rig.parts)[-1]]

    def gaps(many: np.ndarray) -> np.ndarray:
        poses = evaluate(program, dict(zip(keys, many.T, strict=True)))
        return (poses.worlds[:, last] @ np.array([*TIP, 1.0]))[:, :3] - goal

    def gap(q: np.ndarray) -> np.ndarray:
        return gaps(q[None])[0]

    def slopes(q: np.ndarray) -> np.ndarray:
        steps = 1e-7 * np.eye(len(q))
        return (gaps(q + steps) - gaps(q - steps)).T / 2e-7

    rng, best = np.random.default_rng(seed), math.inf
    for _ in range(25):
        found = least_squares(
            gap, rng.uniform(low, high), slopes, bounds=(low - 1e-12, high + 1e-12)
        )
        best = min(best, math.sqrt(2 * found.cost))
        if best < 1e-6:
            break
    return best


@pytest.mark.parametrize("seed", range(16))
def test_a_chain_comes_as_near_as_a_general_search(seed: int) -> None:
    bare, goal = arm(seed)
    rig = reaching(bare, goal)
    pose = gremio.solve(rig)
    left = off(rig, pose, goal)
    assert left <= nearest_by_search(bare, goal, seed) + 1e-3
    notes = [n.text for n in pose.notes if n.code == "constraint-short"]
    assert bool(notes) == (left > 1e-9)
    # A limit is said only where the arms themselves end short.
    links = [np.linalg.norm(p.mount.at) for p in list(rig.parts.values())[1:]]
    reach, hole = sum(links) + TIP[2], max(2 * max(*links, TIP[2]) - sum(links) - TIP[2], 0.0)
    away = float(np.linalg.norm(goal))
    proven = max(away - reach, hole - away, 0.0)
    if notes and "however they are turned" in notes[0]:
        assert left == pytest.approx(proven, abs=1e-4)
    elif notes:
        assert "found in 25 starts" in notes[0]


def test_out_of_reach_and_within_the_hole_are_limits() -> None:
    build = gremio.Builder("Two links")
    build.part("Upper", joint="spin z")
    build.part("Lower", on="Upper", at=(1.0, 0, 0), joint="spin z")
    for goal, left in (((1.9, 0.4, 0), math.hypot(1.9, 0.4) - 1.6), ((0.1, 0, 0), 0.3)):
        rig = reaching(build.rig, np.array(goal))
        made = next(iter(rig.constraints))
        rig = replace(rig, constraints={made: replace(rig.constraints[made], tip=(0.6, 0, 0))})
        (note,) = gremio.solve(rig).notes
        assert f"end {left * 1000:.4g} mm"[:9] in note.text
        assert "however they are turned" in note.text


def test_a_frame_reaches_the_same_whatever_others_are_asked() -> None:
    bare, _ = arm(3)
    rig = reaching(bare, np.array([0.4, 0.9, 0.5]))
    first = f"{part_id(rig, 'Link 0')} turn z"
    values = np.linspace(-2, 2, 9)
    program = gremio.solve(set_values(rig, {})).program
    together = evaluate(program, {first: values}).channels
    for i, value in enumerate(values):
        alone = evaluate(program, {first: float(value)}).channels[:, 0]
        assert np.array_equal(together[:, i], alone)


def test_going_over_to_another_way_of_reaching_is_told() -> None:
    """A target that goes round behind what the stops allow makes the chain turn over."""
    build = gremio.Builder("Turned over")
    build.part("Post", joint="slide y")
    build.part("Upper", joint="hinge z", stops=("-170 deg", "170 deg"))
    build.part("Lower", on="Upper", at=(1.0, 0, 0), joint="hinge z", stops=("5 deg", "150 deg"))
    last = part_id(build.rig, "Lower")
    rig, made = constrain(build.rig, "reach", last, [Target(part_id(build.rig, "Post"),
                          (-1.2, 0.0, 0.0))], geometry=geometry_of)  # fmt: skip
    rig = replace(rig, constraints={made: replace(rig.constraints[made], tip=(0.8, 0, 0))})
    poses = gremio.run(rig, {"Post": np.linspace(0.9, -0.9, 60)})
    turned = poses.channels[[poses.program.channel_row[f"{part_id(rig, n)} turn z"]
                             for n in ("Upper", "Lower")]]  # fmt: skip
    jumps = np.flatnonzero(np.abs(np.diff(turned, axis=1)).max(axis=0) > 0.5) + 1
    told = [f for f in range(60) if any(n.code == "reach-jump" for n in poses.frame(f).notes)]
    assert told == jumps.tolist() != []
