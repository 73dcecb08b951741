from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.builder import shape
from gremio.core.edit.links import add_link
from gremio.core.frames import Frame
from gremio.core.make.carriage import make_carriage
from gremio.core.mechanics.rolling import driven, rolled
from gremio.core.mechanics.wheels import rolled_turn, tyre_diameter, wheel_angle
from gremio.core.problem import GremioError, NotFound
from gremio.core.rig.find import channel_key, part_id
from gremio.core.rig.model import Joint, Part, Rig, Rolling
from gremio.core.rig.solids import Box, Cylinder
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.ask import posed
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate, rolled_on

R = 0.25


@pytest.fixture
def cart() -> Rig:
    """A trolley on wheels of two sizes, each modelled as a bar on its side."""
    build = gremio.Builder("Inspection trolley")
    build.part("Trolley", shape(Box(length=2.2, width=1.0, height=0.2)), at=(0, 0, 0.4))
    for name, x, y, size in (
        ("Front left", 1.4, 0.6, R), ("Front right", 1.4, -0.6, R),
        ("Rear left", -0.2, 0.6, 0.3), ("Rear right", -0.2, -0.6, 0.3),
    ):  # fmt: skip
        wheel = shape(Cylinder(diameter=2 * size, height=0.1), turned=("90 deg", 0, 0))
        build.part(name, wheel, at=(x, y, size))
    rig = build.rig
    wheels = [part_id(rig, n) for n in ("Front left", "Front right", "Rear left", "Rear right")]
    return make_carriage(rig, part_id(rig, "Trolley"), wheels, wheels[:2], geometry=geometry_of)


def test_driving_straight_turns_each_wheel_by_way_over_radius(cart: Rig) -> None:
    poses = gremio.run(cart, {"Trolley travel": np.linspace(0, 3, 40)})
    end = poses.frame(-1)
    assert end.part("Trolley").world[:3, 3] == pytest.approx([3, 0, 0.4])
    assert end.value("Front left", "turn y") == pytest.approx(rolled_turn(3.0, R))
    assert end.value("Rear right", "turn y") == pytest.approx(rolled_turn(3.0, 0.3))


@pytest.mark.parametrize("frames", [2, 7, 400])
def test_a_circle_of_radius_r_turns_a_wheel_by_two_pi_r_over_its_radius(frames: int) -> None:
    """Exact however few frames there are."""
    circle, angle = 4.0, np.linspace(0, 2 * math.pi * 0.45, frames)
    columns = np.zeros((frames, 3, 4))
    columns[:, 0, 0], columns[:, 1, 0] = np.cos(angle), np.sin(angle)
    columns[:, 0, 1], columns[:, 1, 1] = -np.sin(angle), np.cos(angle)
    columns[:, 2, 2] = 1.0
    columns[:, 0, 3], columns[:, 1, 3] = circle * np.sin(angle), -circle * np.cos(angle)
    assert rolled(columns, 1, R)[-1] == pytest.approx(angle[-1] * circle / R, rel=1e-12)
    assert rolled(columns[::-1], 1, R)[-1] == pytest.approx(-angle[-1] * circle / R, rel=1e-12)


def test_a_square_path_and_back_again_to_zero() -> None:
    rig = Rig(
        parts={
            "p1": Part("Cart", joint=Joint("planar", "z")),
            "p2": Part("Wheel", "p1", Frame((0, 0, R)), Joint("spin", "y")),
        }
    )
    rig, _ = add_link(rig, Rolling("p2 turn y", R))
    side, quarter = 2.0, math.pi / 2
    stops = []
    x = y = turn = 0.0
    for _ in range(4):
        stops.append((x, y, turn))
        x, y = x + side * math.cos(turn), y + side * math.sin(turn)
        stops.append((x, y, turn))
        turn += quarter
    stops.append((x, y, turn))
    way = np.concatenate([np.linspace(a, b, 9) for a, b in itertools.pairwise(stops)])
    there = gremio.run(
        rig, dict(zip(("Cart move x", "Cart move y", "Cart turn z"), way.T, strict=True))
    )
    assert there.channel("p2 turn y")[-1] == pytest.approx(4 * side / R)
    both = np.concatenate([way, way[::-1]])
    again = gremio.run(
        rig, dict(zip(("Cart move x", "Cart move y", "Cart turn z"), both.T, strict=True))
    )
    assert again.channel("p2 turn y")[-1] == pytest.approx(0.0, abs=1e-9)
    assert again.channel("p2 turn y")[len(way) - 1] == pytest.approx(4 * side / R)


def test_steered_it_turns_about_the_right_centre(cart: Rig) -> None:
    steer, base = 0.3, 1.6
    way = np.linspace(0, 5, 60)
    poses = gremio.run(cart, {"Trolley travel": way, "Trolley steering": steer})
    radius = base / math.tan(steer)
    rows = poses.program.part_row
    worlds = poses.worlds[:, rows[part_id(cart, "Trolley")]]
    # The turning centre lies to the left, in line with the rear axle.
    centre = worlds[0, :3, :3] @ [-0.2, radius, 0] + worlds[0, :3, 3]
    for world in worlds:
        assert world[:3, :3] @ [-0.2, radius, 0] + world[:3, 3] == pytest.approx(centre, abs=1e-9)
    assert poses.channel(channel_key(cart, "Trolley turn z"))[-1] == pytest.approx(5 / radius)
    for name, aside in (("Rear left", 0.6), ("Rear right", -0.6)):
        turned = poses.channel(channel_key(cart, name))[-1]
        assert turned == pytest.approx(5 * (radius - aside) / radius / 0.3, rel=1e-9)
    for name, aside in (("Front left", 0.6), ("Front right", -0.6)):
        turned = poses.channel(channel_key(cart, f"{name} turn y"))[-1]
        reach = math.hypot(radius - aside, base)
        assert turned == pytest.approx(5 / radius * reach / R, rel=1e-9)


def test_inner_wheel_turns_more_by_ackermann(cart: Rig) -> None:
    # cot δ_outer − cot δ_inner = track ÷ wheelbase (Ackermann, from memory).
    pose = gremio.solve(cart, {"Trolley steering": "30 deg"})
    inner, outer = pose.value("Front left", "turn z"), pose.value("Front right", "turn z")
    assert inner > outer > 0
    assert 1 / math.tan(outer) - 1 / math.tan(inner) == pytest.approx(1.2 / 1.6)
    assert wheel_angle(0.3, 1.0, 0.0) == pytest.approx(0.3)


def test_steering_ends_at_thirty_five_degrees_unless_told_otherwise(cart: Rig) -> None:
    pose = gremio.solve(cart, {"Trolley steering": "80 deg"})
    assert pose.control("Trolley steering") == math.radians(35)  # common practice, no source


def test_steering_and_spin_never_disturb_each_other(cart: Rig) -> None:
    front = part_id(cart, "Front left")
    rig = replace(cart, at={**cart.at, f"{front} turn y": 1.234})
    pose = gremio.solve(rig, {"Trolley steering": "20 deg"})
    axle = pose.part("Front left").world[:3, 1]
    still = gremio.solve(cart, {"Trolley steering": "20 deg"}).part("Front left").world[:3, 1]
    assert axle == pytest.approx(still)
    assert pose.value("Front left", "turn y") == 1.234


def test_a_drag_on_the_desk_rolls_by_how_far_it_goes(cart: Rig) -> None:
    program = compile_rig(cart, geometry_of)
    travel, front = channel_key(cart, "Trolley travel"), channel_key(cart, "Front left turn y")
    at: dict[str, float] = {}
    for way in (0.4, 1.9, 0.7, -0.3):
        at = rolled_on(program, at, {**at, travel: way})
        assert evaluate(program, at).frame(0).at(front) == pytest.approx(way / R)
    back = rolled_on(program, at, {**at, travel: 0.0})
    assert evaluate(program, back).frame(0).at(front) == pytest.approx(0.0, abs=1e-12)


def test_the_same_frames_give_the_same_answer(cart: Rig) -> None:
    values = {
        "Trolley travel": np.linspace(0, 4, 30),
        "Trolley steering": np.linspace(-0.3, 0.5, 30),
    }
    assert np.array_equal(gremio.run(cart, values).worlds, gremio.run(cart, values).worlds)


def test_driven_against_small_steps() -> None:
    travel = np.linspace(0, 6, 20001)
    steering = 0.4 * np.sin(travel)
    x, y, turn = driven(travel, steering, 0.3, 1.6, -0.2)
    step = travel[1] - travel[0]
    heading = 0.3 + np.cumsum(np.tan(steering) / 1.6 * step)
    assert turn[-1] == pytest.approx(heading[-1] - 0.3, abs=1e-4)
    ax, ay = np.cumsum(np.cos(heading) * step), np.cumsum(np.sin(heading) * step)
    assert x[-1] == pytest.approx(ax[-1] + 0.2 * (math.cos(heading[-1]) - math.cos(0.3)), abs=1e-3)
    assert y[-1] == pytest.approx(ay[-1] + 0.2 * (math.sin(heading[-1]) - math.sin(0.3)), abs=1e-3)


def test_a_tyre_by_its_code() -> None:
    assert tyre_diameter("205/55 R16") == pytest.approx(0.6319, abs=5e-5)  # ISO 4000-1 rule
    with pytest.raises(GremioError, match="no tyre code"):
        tyre_diameter("round")


def test_what_is_no_carriage_is_told(cart: Rig) -> None:
    trolley, left = part_id(cart, "Trolley"), part_id(cart, "Front left")
    with pytest.raises(GremioError, match="two wheels at least"):
        make_carriage(cart, trolley, [left], [], geometry=geometry_of)
    bare = Rig(parts={"p1": Part("Cart"), "p2": Part("A"), "p3": Part("B")})
    with pytest.raises(GremioError, match="A has no round shape"):
        make_carriage(bare, "p1", ["p2", "p3"], [], geometry=geometry_of)


def test_a_wheel_along_a_path_counts_every_round() -> None:
    rig = Rig(
        parts={
            "p1": Part("Cart", joint=Joint("planar", "z")),
            "p2": Part("Wheel", "p1", Frame((0, 0, R)), Joint("spin", "y")),
        }
    )
    square = [(0, 0, R), (2, 0, R), (2, 2, R), (0, 2, R)]
    rig = gremio.path(rig, "Round the yard", square, closed=True)
    rig = gremio.roll(rig, "Wheel", R, "Round the yard")
    corners = np.array([*square, *square, square[0]])[:, :2]
    way = np.concatenate([np.linspace(a, b, 8) for a, b in itertools.pairwise(corners)])
    poses = gremio.run(rig, {"Cart move x": way[:, 0], "Cart move y": way[:, 1]})
    assert poses.channel("p2 turn y")[-1] == pytest.approx(2 * 8 / R)
    # Where it stands says how far it has come: no way has to be remembered.
    pose = gremio.solve(rig, {"Cart move x": 2.0, "Cart move y": 1.0})
    assert pose.value("Wheel") == pytest.approx(3 / R)
    with pytest.raises(NotFound, match="no path called 'Nowhere'"):
        gremio.roll(rig, "Wheel", R, "Nowhere")
    with pytest.raises(GremioError, match="two different points"):
        gremio.path(rig, "Point", [(0, 0, 0), (0, 0, 0)])


def test_a_pose_asked_for_is_where_a_hand_would_take_it(cart: Rig) -> None:
    pose = gremio.solve(cart, {"Trolley travel": "2 m"})
    assert pose.value("Trolley", "move x") == pytest.approx(2.0)
    assert pose.value("Rear left", "turn y") == pytest.approx(2.0 / 0.3)
    swept = gremio.sweep(cart, "Trolley travel", 21)
    body = swept.channel(channel_key(cart, "Trolley move x"))
    assert (body[0], body[10], body[-1]) == pytest.approx((-10.0, 0.0, 10.0), abs=1e-9)
    halfway = posed(cart, {"Trolley travel": "2 m"}, geometry=geometry_of)
    again = gremio.run(halfway, {"Trolley travel": np.linspace(5, 3, 9)})
    assert again.channel(channel_key(cart, "Trolley move x"))[-1] == pytest.approx(3.0)


def test_a_carriage_sets_out_along_a_heading_that_a_link_sets(cart: Rig) -> None:
    rig = gremio.formula(cart, "Trolley turn z", "0.5 rad")
    poses = [gremio.solve(rig, {"Trolley travel": way}) for way in (0.0, 1.0)]
    gone = poses[1].part("Trolley").world[:3, 3] - poses[0].part("Trolley").world[:3, 3]
    assert gone == pytest.approx([math.cos(0.5), math.sin(0.5), 0.0], abs=1e-9)
