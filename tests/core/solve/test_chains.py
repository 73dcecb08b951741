"""Chains to a target: the tip comes to it, or as near as joints and stops allow."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy.optimize import minimize

import gremio
from gremio.core.edit.constraints import change_constraint
from gremio.core.files import rig_file
from gremio.core.make.constraining import constrain
from gremio.core.make.releasing import release
from gremio.core.problem import GremioError
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Rig, Target
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.pose import Pose


def dredger(stops: tuple[str, str] | None = None) -> Rig:
    """A dredger's arm of three links on a slewing house, and a crate to reach for."""
    build = gremio.Builder("Dredger")
    build.part("House", at=(0, 0, 1), joint="spin z")
    build.part("Boom", on="House", turned=(0, "-30 deg", 0), joint="hinge y", stops=stops)
    build.part("Stick", on="Boom", at=(2.0, 0, 0), turned=(0, "60 deg", 0), joint="hinge y")
    build.part("Bucket", on="Stick", at=(1.5, 0, 0), turned=(0, "30 deg", 0), joint="hinge y")
    build.part("Crate", at=(2.5, 0.5, 0.5), joint="free")
    return build.rig


def reaching(rig: Rig, tip: tuple[float, float, float] = (0.5, 0, 0)) -> tuple[Rig, str]:
    rig, made = constrain(
        rig, "reach", part_id(rig, "Bucket"), [Target(part_id(rig, "Crate"))], geometry=geometry_of
    )
    return change_constraint(rig, made, replace(rig.constraints[made], tip=tip)), made


def tip_of(pose: Pose) -> np.ndarray:
    found: np.ndarray = (pose.part("Bucket").world @ np.array([0.5, 0, 0, 1]))[:3]
    return found


def at(x: float, y: float, z: float) -> dict[str, float]:
    return {"Crate move x": x - 2.5, "Crate move y": y - 0.5, "Crate move z": z - 0.5}


@given(st.floats(0.9, 3.7), st.floats(-3.0, 3.0), st.floats(-1.0, 1.0))
def test_the_tip_is_where_the_target_is(far: float, turn: float, up: float) -> None:
    rig, _ = reaching(dredger())
    high = 1.0 + up * math.sqrt(max(3.8**2 - far**2, 0.0)) * 0.9
    goal = (far * math.cos(turn), far * math.sin(turn), high)
    pose = gremio.solve(rig, at(*goal))
    assert tip_of(pose) == pytest.approx(goal, abs=1e-9)
    assert not pose.notes


def test_out_of_reach_it_comes_as_near_as_a_reference_library_finds() -> None:
    """The least distance over all joints, by `scipy.optimize.minimize` from many places."""
    rig, _ = reaching(dredger(("-20 deg", "20 deg")))
    goal = np.array([6.0, 1.0, 3.0])
    pose = gremio.solve(rig, at(*goal))
    free = replace(rig, constraints={})

    def away(q: np.ndarray) -> float:
        values = dict(zip(("House", "Boom", "Stick", "Bucket"), map(float, q), strict=True))
        return float(np.linalg.norm(tip_of(gremio.solve(free, values)) - goal))

    low = math.radians(20)
    found = minimize(
        away, [0.1, 0, 0, 0], method="L-BFGS-B",
        bounds=[(-3, 3), (-low, low), (-3, 3), (-3, 3)], options={"maxiter": 60},
    )  # fmt: skip
    ours = float(np.linalg.norm(tip_of(pose) - goal))
    assert ours == pytest.approx(found.fun, abs=1e-4)
    assert abs(pose.value("Boom")) <= low + 1e-12
    (note,) = pose.notes
    assert note.code == "constraint-short" and "Bucket reaches for Crate" in note.text


def test_the_same_inputs_give_the_same_pose_whatever_came_before() -> None:
    rig, _ = reaching(dredger())
    path = np.linspace(0, 2 * math.pi, 40)
    way = {"Crate move x": np.cos(path), "Crate move y": np.sin(path)}
    together = gremio.run(rig, way)
    for frame in (0, 17, 39):
        alone = gremio.solve(rig, {name: float(values[frame]) for name, values in way.items()})
        assert together.worlds[frame] == pytest.approx(alone.worlds, abs=1e-9)


def test_a_stiff_joint_moves_less_and_a_joint_taken_out_not_at_all() -> None:
    rig, made = reaching(dredger())
    boom, stick = (f"{part_id(rig, name)} turn y" for name in ("Boom", "Stick"))
    stiff = change_constraint(rig, made, replace(rig.constraints[made], stiffness={boom: 200.0}))
    put = at(3.0, 0.5, 2.0)
    loose, held = gremio.solve(rig, put), gremio.solve(stiff, put)
    assert abs(held.value("Boom")) < 0.5 * abs(loose.value("Boom"))
    kept = tuple(c for c in rig.constraints[made].channels if c != stick)
    without = change_constraint(rig, made, replace(rig.constraints[made], channels=kept))
    assert gremio.solve(without, put).value("Stick") == 0.0
    assert tip_of(gremio.solve(without, put)) == pytest.approx((3.0, 0.5, 2.0), abs=1e-9)


def test_influence_and_saving_and_leaving_in_place() -> None:
    rig, made = reaching(dredger())
    put = at(3.0, 0.5, 2.0)
    ends = [gremio.solve(rig, {**put, "Bucket reach grip": s}) for s in (0.0, 0.5, 1.0)]
    turns = [pose.value("Stick") for pose in ends]
    assert turns[0] == 0.0 and turns[1] == pytest.approx(turns[2] / 2)
    again = rig_file.decode(rig_file.encode(rig))
    assert np.array_equal(gremio.solve(again, put).worlds, ends[2].worlds)
    left = release(rig, [made], gremio.solve(rig))
    assert tip_of(gremio.solve(left)) == pytest.approx([2.5, 0.5, 0.5], abs=1e-9)


def test_what_can_not_be_is_refused_and_named() -> None:
    rig = dredger()
    bucket, boom = part_id(rig, "Bucket"), part_id(rig, "Boom")
    with pytest.raises(GremioError, match="Boom is carried by"):
        constrain(rig, "reach", bucket, [Target(boom)], geometry=geometry_of)
    with pytest.raises(GremioError, match="free to move"):
        build = gremio.Builder("Still")
        build.part("Post")
        build.part("Crate", joint="free")
        constrain(
            build.rig, "reach", part_id(build.rig, "Post"), [Target("p2")], geometry=geometry_of
        )
    made, reach = reaching(rig)
    wrong = replace(made.constraints[reach], channels=("p5 move x",))
    with pytest.raises(GremioError, match="is none that it gives"):
        change_constraint(made, reach, wrong)


def test_a_chain_is_made_by_the_names_of_its_joints() -> None:
    rig = gremio.constrain(
        dredger(), "reach", "Bucket", "Crate", tip=(0.5, 0, 0),
        channels=("Boom turn y", "Stick turn y"), stiffness={"Boom turn y": 4.0})  # fmt: skip
    (made,) = rig.constraints.values()
    boom, stick = (f"{part_id(rig, name)} turn y" for name in ("Boom", "Stick"))
    assert made.channels == (boom, stick) and made.stiffness == {boom: 4.0}
