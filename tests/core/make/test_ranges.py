"""A narrower range puts its control back, and the carriage with it."""

from __future__ import annotations

import numpy as np
import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.controls import change_control
from gremio.core.inspect.odometer import come_to
from gremio.core.make.ranges import followed
from gremio.core.rig.find import control_id
from gremio.core.rig.model import Rig
from gremio.core.rig.solids import Cylinder
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.ask import posed


def cart() -> Rig:
    build = gremio.Builder("Cart")
    build.part("Cart", at=(0, 0, 0.4))
    for name, x, y in (("FL", 1, 0.5), ("FR", 1, -0.5), ("RL", 0, 0.5), ("RR", 0, -0.5)):
        wheel = gremio.shape(Cylinder(diameter=0.8, height=0.1), turned=("90 deg", 0, 0))
        build.part(name, wheel, at=(x, y, 0.4))
    return gremio.carriage(build.rig, "Cart", ["FL", "FR", "RL", "RR"], ["FL", "FR"])


def to(rig: Rig, travel: float, steering: float) -> Rig:
    rig = posed(rig, {"Cart steering": steering}, geometry=geometry_of)
    return posed(rig, {"Cart travel": travel}, geometry=geometry_of)


def narrowed(rig: Rig, high: float) -> Rig:
    control = control_id(rig, "Cart travel")
    entry = rig.controls[control]
    program = gremio.solve(rig).program
    return followed(
        program, rig, change_control(rig, control, replace(entry, high=high, open=False))
    )


def test_the_machine_goes_back_with_its_control() -> None:
    rig = to(cart(), 4.0, 0.3)
    back = narrowed(rig, 2.5)
    pose, driven = gremio.solve(back), gremio.solve(to(rig, 2.5, 0.3))
    assert pose.control("Cart travel") == 2.5
    assert pose.worlds == pytest.approx(driven.worlds, abs=1e-9)
    assert np.abs(pose.worlds - gremio.solve(rig).worlds).max() > 0.5


def test_what_stays_within_stays() -> None:
    rig = to(cart(), 2.0, 0.3)
    assert gremio.solve(narrowed(rig, 2.5)).worlds == pytest.approx(gremio.solve(rig).worlds)


def test_the_desk_tells_where_the_same_way_has_ended() -> None:
    """Straight on, and steered and back: one value of travel, two places."""
    straight = to(cart(), 3.0, 0.0)
    bent = to(to(cart(), 4.0, 0.4), 3.0, -0.2)
    travel = control_id(straight, "Cart travel")
    one, two = (come_to(gremio.solve(rig), travel) for rig in (straight, bent))
    assert one == "at 3.000 m, 0.000 m, 0.0°" and two.startswith("at ") and two != one
    assert come_to(gremio.solve(straight), control_id(straight, "Cart steering")) == ""
