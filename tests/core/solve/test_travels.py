"""What a baked travel follows: controls from end to end, from a value to another, pose to pose."""

from __future__ import annotations

import numpy as np
import pytest

import gremio
from gremio.core.edit.desk import keep_pose
from gremio.core.files.formats import Travel
from gremio.core.problem import GremioError
from gremio.core.rig.find import control_id
from gremio.core.rig.model import Rig
from gremio.core.rig.solids import Box
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.travels import along_way, way_of_controls, way_of_poses


@pytest.fixture
def rig() -> Rig:
    build = gremio.Builder("Paddles")
    for name in ("East", "West"):
        build.part(name, Box(1, 1, 0.1), joint="slide z")
        build.control(f"{name} lift", "0 m", "2 m", kind="length")
        build.ratio(f"{name} lift", name, 0.5)
    return build.rig


def heights(rig: Rig, way, shares) -> np.ndarray:
    poses = along_way(compile_rig(rig, geometry_of), way, np.array(shares, dtype=float))
    return np.array(
        [[poses.frame(i).value(n) for n in ("East", "West")] for i in range(len(shares))]
    )


def test_one_control_goes_from_end_to_end_or_between_two_values(rig: Rig) -> None:
    whole = heights(rig, way_of_controls(rig, ["East lift"]), [0, 0.5, 1])
    assert whole == pytest.approx(np.array([[0, 0], [0.5, 0], [1, 0]]))
    part = heights(rig, way_of_controls(rig, ["East lift"], "500 mm", "1 m"), [0, 1])
    assert part[:, 0] == pytest.approx([0.25, 0.5])
    back = heights(rig, way_of_controls(rig, ["East lift"], "2 m", "0"), [0, 1])
    assert back[:, 0] == pytest.approx([1.0, 0.0])


def test_several_go_together_each_over_its_range(rig: Rig) -> None:
    both = heights(rig, way_of_controls(rig, ["East lift", "West lift"]), [0.25])
    assert both == pytest.approx(np.array([[0.25, 0.25]]))


def test_from_pose_to_pose_in_equal_times(rig: Rig) -> None:
    east, west = (control_id(rig, f"{n} lift") for n in ("East", "West"))
    for name, values in (("Shut", {east: 0.0, west: 0.0}), ("One", {east: 2.0, west: 0.0}),
                         ("Both", {east: 2.0, west: 2.0})):  # fmt: skip
        rig, _ = keep_pose(rig, name, values)
    way = way_of_poses(rig, ["Shut", "One", "Both"])
    found = heights(rig, way, [0, 0.25, 0.5, 0.75, 1])
    assert found == pytest.approx(np.array([[0, 0], [0.5, 0], [1, 0], [1, 0.5], [1, 1]]))
    assert set(way.controls) == {east, west}


@pytest.mark.parametrize(
    ("travel", "told"),
    [
        (Travel("East lift", start="3 m"), "outside"),
        (Travel("East lift", start="1 m", end="1 m"), "stay where it is"),
        (Travel("East lift", start="1,5,2 m"), "East lift"),
        (Travel("East lift", others=("West lift",), end="1 m"), "one control"),
        (Travel("Est lift"), "East lift"),
        (Travel(poses=("Shut",)), "two"),
        (Travel(poses=("Shut", "Open")), "No pose is called Shut"),
        (Travel("East lift", poses=("Shut", "Open")), "one kind"),
    ],
)
def test_what_is_no_travel_is_refused_by_name(rig: Rig, travel: Travel, told: str) -> None:
    with pytest.raises(GremioError, match=told):
        travel.way(rig)
