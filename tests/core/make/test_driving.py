"""Driving a carriage to a place: one arc of the single-track model, with its wheels rolled."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

import gremio
from gremio.core.edit.builder import shape
from gremio.core.edit.controls import change_control
from gremio.core.make.driving import arc_to
from gremio.core.mechanics.rolling import driven
from gremio.core.problem import GremioError
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.model import Rig, Rolling
from gremio.core.rig.solids import Box, Cylinder
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.pose import Pose


def trolley() -> Rig:
    """A trolley of 2 m wheelbase, its front wheels steered."""
    build = gremio.Builder("Trolley")
    build.part("Body", shape(Box(2.4, 1.0, 0.3)), at=(0, 0, 0.5))
    for name, x, y in (("FL", 1.0, 0.6), ("FR", 1.0, -0.6), ("RL", -1.0, 0.6), ("RR", -1.0, -0.6)):
        build.part(name, shape(Cylinder(0.6, 0.1), turned=("90 deg", 0, 0)), at=(x, y, 0.3))
    return gremio.carriage(build.rig, "Body", ["FL", "FR", "RL", "RR"], ["FL", "FR"])


def stands(rig: Rig) -> Pose:
    return evaluate(compile_rig(rig, geometry_of), rig.at).frame(0)


def place(rig: Rig) -> tuple[float, float]:
    x, y = stands(rig).world(part_id(rig, "Body"))[:2, 3]
    return float(x), float(y)


def test_it_comes_to_the_place_again_and_again_and_its_wheels_have_rolled_there() -> None:
    rig = trolley()
    gone = 0.0
    for x, y in ((3.0, 0.0), (6.0, 2.0), (7.5, 4.0), (5.5, 1.5)):
        before = stands(rig)
        rig = gremio.drive_to(rig, "Body", x, y)
        assert place(rig) == pytest.approx((x, y), abs=1e-6)
        after = stands(rig)
        # A rear wheel has gone round by its own way: about it the turn of the body shows too.
        body = part_id(rig, "Body")
        spin = next(
            link.follower for link in rig.links.values()
            if isinstance(link, Rolling) and link.follower.startswith(part_id(rig, "RL"))
        )  # fmt: skip
        way = after.at(spin) - before.at(spin)
        turned = after.at(f"{body} turn z") - before.at(f"{body} turn z")
        travel = next(i for i, c in rig.controls.items() if "travel" in c.name.lower())
        driven_on = after.at(travel) - before.at(travel)
        assert way * 0.3 == pytest.approx(driven_on - 0.6 * turned, abs=2e-3)
        gone += abs(driven_on)
    assert gone > 10.0
    # The last way was backwards.
    assert driven_on < 0


def test_a_quarter_circle_is_steered_as_the_handbook_says() -> None:
    """To (R, R) from the origin: tan δ = wheelbase ÷ R, and a quarter of 2 π R (single-track model,
    any handbook of vehicle dynamics)."""
    bent, way = arc_to((0.0, 0.0, 0.0), (5.0, 5.0), 0.0)
    assert 1 / bent == pytest.approx(5.0) and way == pytest.approx(5.0 * math.pi / 2)
    bent, way = arc_to((0.0, 0.0, math.pi / 2), (5.0, 5.0), 0.0)
    assert 1 / bent == pytest.approx(-5.0) and way == pytest.approx(5.0 * math.pi / 2)
    assert arc_to((1.0, 0.0, 0.0), (-3.0, 0.0), -1.0) == pytest.approx((0.0, -4.0))


@given(
    st.floats(-5, 5), st.floats(-5, 5), st.floats(-3.1, 3.1), st.floats(-8, 8), st.floats(-8, 8),
    st.floats(-1.5, 1.5),
)  # fmt: skip
@settings(max_examples=200)
def test_the_arc_ends_at_the_place(
    x: float, y: float, heading: float, to_x: float, to_y: float, axle: float
) -> None:
    """As `driven` integrates it in one step."""
    bent, way = arc_to((x, y, heading), (to_x, to_y), axle)
    assume(abs(bent) < 1e3)
    steer = math.atan(bent * 2.0)
    moved = driven(np.array([0.0, way]), np.array([steer, steer]), heading, 2.0, axle)
    assert x + moved[0][1] == pytest.approx(to_x, abs=1e-6)
    assert y + moved[1][1] == pytest.approx(to_y, abs=1e-6)
    assert abs(moved[2][1]) <= math.pi + 1e-9


def test_where_it_can_not_come_in_one_arc_is_said_and_it_stays() -> None:
    rig = trolley()
    with pytest.raises(GremioError, match=r"can.t come there in one arc: it needs .* Drive it on"):
        gremio.drive_to(rig, "Body", 0.2, 1.5)
    # Its travel is open at its ends, until it is said to end.
    assert gremio.drive_to(rig, "Body", 400.0, 0.0).at
    travel = control_id(rig, "Body travel")
    ended = change_control(rig, travel, replace(rig.controls[travel], open=False))
    with pytest.raises(GremioError, match=r"needs Body travel at 400 m.* Let the range"):
        gremio.drive_to(ended, "Body", 400.0, 0.0)
    with pytest.raises(GremioError, match="is no carriage"):
        gremio.drive_to(rig, "FL", 1.0, 0.0)
    assert not rig.at
