"""A kept pose brings back everything: the Desk, hands, and how far what drives has come."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.mounts import set_home_here
from gremio.core.edit.parts import remove_part
from gremio.core.files import rig_file
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Rig
from gremio.core.rig.solids import Cylinder
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.ask import posed


def lorry() -> Rig:
    """A lorry that drives, with a crate on it that a hand turns."""
    build = gremio.Builder("Lorry")
    build.part("Lorry", at=(0, 0, 0.4))
    for name, x, y in (("FL", 3, 0.8), ("FR", 3, -0.8), ("RL", 0, 0.8), ("RR", 0, -0.8)):
        wheel = gremio.shape(Cylinder(diameter=0.8, height=0.1), turned=("90 deg", 0, 0))
        build.part(name, wheel, at=(x, y, 0.4))
    build.part("Crate", on="Lorry", at=(1, 0, 1), joint="spin z")
    return gremio.carriage(build.rig, "Lorry", ["FL", "FR", "RL", "RR"], ["FL", "FR"])


def where(rig: Rig) -> np.ndarray:
    return gremio.solve(rig).worlds


def controls(rig: Rig) -> list[str]:
    return [entry.name for entry in rig.controls.values()]


def test_a_carriage_stands_again_where_it_had_come_to() -> None:
    rig = lorry()
    travel, steering = controls(rig)[:2]

    def to(rig: Rig, way: float, steer: float) -> Rig:
        rig = posed(rig, {steering: steer}, geometry=geometry_of)
        return posed(rig, {travel: way}, geometry=geometry_of)

    here = posed(to(to(rig, 2.0, 0.5), 4.0, -0.2), {"Crate": 0.7}, geometry=geometry_of)
    kept = gremio.keep(here, "By the gate")
    away = posed(to(to(kept, 9.0, 0.4), 4.0, -0.2), {"Crate": -1.0}, geometry=geometry_of)
    # The same Desk, and another place: that is why the place is kept too.
    assert gremio.solve(away).control(travel) == pytest.approx(4.0)
    assert np.abs(where(away) - where(here)).max() > 0.1
    back = gremio.to_pose(away, "By the gate")
    assert where(back) == pytest.approx(where(here), abs=1e-12)
    # It survives the file, and half of the way is between.
    again = rig_file.decode(rig_file.encode(away))
    assert where(gremio.to_pose(again, "By the gate")) == pytest.approx(where(here), abs=1e-12)
    half = gremio.to_pose(away, "By the gate", 0.5)
    spot = [where(r)[0, :2, 3] for r in (away, half, here)]
    assert spot[1] == pytest.approx((spot[0] + spot[2]) / 2, abs=1e-9)


def test_what_was_at_home_goes_home_again() -> None:
    rig = gremio.keep(lorry(), "Yard")
    moved = posed(rig, {"Crate": 1.0}, geometry=geometry_of)
    assert where(gremio.to_pose(moved, "Yard")) == pytest.approx(where(rig), abs=1e-12)


def test_a_pose_of_an_older_file_leaves_what_it_does_not_know() -> None:
    rig = gremio.keep(lorry(), "Yard")
    ((pose_id, pose),) = rig.poses.items()
    old = {c: v for c, v in pose.values.items() if c in rig.controls}
    rig = replace(rig, poses={pose_id: replace(pose, values=old, whole=False)})
    moved = posed(rig, {"Crate": 1.0}, geometry=geometry_of)
    assert gremio.solve(gremio.to_pose(moved, "Yard")).value("Crate", "turn z") == 1.0


def test_another_home_and_a_part_that_is_gone_change_no_kept_pose() -> None:
    rig = posed(lorry(), {"Crate": 0.7}, geometry=geometry_of)
    kept = gremio.keep(rig, "Turned")
    there = where(kept)
    crate = part_id(kept, "Crate")
    moved = posed(kept, {"Crate": 0.2}, geometry=geometry_of)
    pose = gremio.solve(moved)
    local = np.linalg.inv(pose.part("Lorry").world) @ pose.part("Crate").world
    anew = set_home_here(moved, crate, local, {"turn z": pose.at(f"{crate} turn z")})
    assert where(gremio.to_pose(anew, "Turned")) == pytest.approx(there, abs=1e-9)
    gone = remove_part(moved, crate)
    assert math.isfinite(where(gremio.to_pose(gone, "Turned")).sum())
