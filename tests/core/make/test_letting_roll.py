"""Letting parts roll: the right turn, the right radius, or a word why not."""

from __future__ import annotations

import math

import pytest
from scipy.spatial.transform import Rotation
from tests.core.make.test_own_carriage import car

import gremio
from gremio.core.edit.links import add_link
from gremio.core.edit.parts import set_joint
from gremio.core.make.rolling import rolling_of, wheel_radius
from gremio.core.problem import GremioError
from gremio.core.rig.channels import key
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Joint, Rolling
from gremio.core.rig.solids import Ball, Box, Cylinder
from gremio.core.shape.solids import geometry_of


def cart(joint: str, turned: tuple = (0, 0, 0), solid: object = None) -> gremio.Rig:
    build = gremio.Builder("Cart")
    build.part("Bed", joint="planar z")
    wheel = gremio.shape(solid or Cylinder(0.5, 0.1), turned=("90 deg", 0, 0))
    build.part("Wheel", wheel, on="Bed", at=(1, 0, 0.25), turned=turned, joint=joint)
    return build.rig


@pytest.mark.parametrize(
    ("joint", "turned", "turn"),
    [
        ("wheel y", (0, 0, 0), "turn y"),
        ("spin y", (0, 0, 0), "turn y"),
        # Its mount lies on its side: its z is level.
        ("spin z", ("90 deg", 0, 0), "turn z"),
        ("wheel z", ("90 deg", 0, 0), "turn z"),
    ],
)
def test_it_rolls_about_its_level_axis(joint: str, turned: tuple, turn: str) -> None:
    rig = cart(joint, turned)
    wheel = part_id(rig, "Wheel")
    link = rolling_of(rig, wheel, gremio.solve(rig), geometry=geometry_of)
    assert (link.follower, link.radius, link.ball) == (f"{wheel} {turn}", 0.25, False)
    rolled = gremio.solve(add_link(rig, link)[0], {"Bed move x": 1.0})
    # s = r·φ (common practice).
    assert abs(rolled.at(link.follower)) == pytest.approx(1.0 / 0.25)


@pytest.mark.parametrize("about", [0.0, 0.4, 1.3, -2.5])
def test_however_its_mount_lies_about_the_axle_it_rolls_as_far(about: float) -> None:
    """A mount that was laid along an axle has its other axes anywhere."""
    for joint, axle in (("spin z", "z"), ("spin y", "y")):
        lies = Rotation.from_rotvec([math.pi / 2, 0, 0]) if axle == "z" else Rotation.identity()
        spun = Rotation.from_rotvec([0, about, 0])
        angles = (spun * lies).as_euler("xyz")
        rig = cart(joint, tuple(angles))
        link = Rolling(key(part_id(rig, "Wheel"), f"turn {axle}"), 0.25)
        rig, _ = add_link(rig, link)
        rolled = gremio.solve(rig, {"Bed move x": 1.0, "Bed move y": 0.4})
        # Its axle lies across, along −y where it is z and +y where it is y.
        sign = -1.0 if axle == "z" else 1.0
        assert rolled.at(link.follower) == pytest.approx(sign * 4.0, rel=1e-9), (joint, about)


def test_on_an_upright_axle_it_does_not_roll_and_that_is_told() -> None:
    rig = cart("spin z")
    rig, _ = add_link(rig, Rolling(key(part_id(rig, "Wheel"), "turn z"), 0.25))
    assert gremio.solve(rig, {"Bed move x": 1.0}).value("Wheel") == 0.0
    assert "wheel-upright" in [finding.note.code for finding in gremio.inspect(rig)]


@pytest.mark.parametrize(("height", "gap"), [(0.6, "hangs above"), (0.55, ""), (0.5, "sinks into")])
def test_the_gap_is_measured_to_what_it_rolls_over(height: float, gap: str) -> None:
    build = gremio.Builder("Cart")
    build.part("Turntable", gremio.shape(Cylinder(4.0, 0.3), (0, 0, 0.15)), joint="spin z")
    build.part("Bed", at=(1, 0, height), joint="slide x")
    wheel = gremio.shape(Cylinder(0.5, 0.1), turned=("90 deg", 0, 0))
    build.part("Wheel", wheel, on="Bed", joint="spin y")
    rig = gremio.roll(build.rig, "Wheel", 0.25, over="Turntable")
    told = [f.note.text for f in gremio.inspect(rig) if f.note.code == "wheel-height"]
    assert [text.startswith(f"Wheel {gap} Turntable by 50.0 mm.") for text in told] == [
        True
    ] * bool(gap)


def test_a_ball_rolls_in_every_direction() -> None:
    rig = cart("ball", solid=Ball(0.4))
    link = rolling_of(rig, part_id(rig, "Wheel"), gremio.solve(rig), geometry=geometry_of)
    assert link.ball and link.radius == 0.2


@pytest.mark.parametrize(
    ("joint", "solid", "words"),
    [
        ("spin z", None, "upright axis"),
        ("slide x", None, "can't turn"),
        ("spin y", Box(0.3, 0.1, 0.7), "no round shape"),
    ],
)
def test_what_cannot_roll_is_told(joint: str, solid: object, words: str) -> None:
    rig = cart(joint, solid=solid)
    with pytest.raises(GremioError, match=words):
        rolling_of(rig, part_id(rig, "Wheel"), gremio.solve(rig), geometry=geometry_of)


@pytest.mark.parametrize("heading", [0.0, 0.6])
def test_the_radius_of_a_wheel_brought_in_is_read_off_its_model(heading: float, tmp_path) -> None:
    # Turned in its file, the box it fills is square no more.
    rig, geometry = car(tmp_path, heading, (0.0, 0.0))
    wheel = part_id(rig, "RL")
    assert wheel_radius(rig, wheel, geometry) == pytest.approx(0.55, rel=2e-3)
    rig = set_joint(rig, wheel, Joint("spin", "y"), {})
    assert math.isfinite(rolling_of(rig, wheel, gremio.solve(rig), geometry=geometry).radius)
