"""Rolling: whatever the frames, over the ground or over what carries it, and balls."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

import gremio
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Rig


def on_an_arm(reach: float, radius: float, over: str = "") -> Rig:
    """A wheel at the end of an arm that turns about the upright, on a turntable below."""
    build = gremio.Builder("Round")
    build.part("Turntable", joint="spin z")
    build.part("Arm", on="Turntable", joint="spin z")
    build.part("Wheel", on="Arm", at=(0, -reach, radius), joint="spin y")
    return gremio.roll(build.rig, "Wheel", radius, over=over)


@pytest.mark.parametrize("frames", [2, 3, 50])
@pytest.mark.parametrize("turned", [1.0, 4.2, -9.9, 120.0])
def test_a_wheel_rolls_round_however_far_a_frame_is(frames: int, turned: float) -> None:
    """The way round is angle × reach, and the wheel turns by way ÷ radius."""
    rig = on_an_arm(1.6, 0.4)
    poses = gremio.run(rig, {"Arm": np.linspace(0.0, turned, frames)})
    wheel = poses.channel(f"{part_id(rig, 'Wheel')} turn y")
    assert wheel == pytest.approx(np.linspace(0.0, turned * 1.6 / 0.4, frames), abs=1e-9)


def test_frames_between_do_not_change_what_is_rolled() -> None:
    rig = on_an_arm(1.6, 0.4)
    arm, table = np.array([0.0, 5.0, -3.0]), np.array([0.0, -14.0, 2.0])
    few = gremio.run(rig, {"Arm": arm, "Turntable": table})
    share = np.arange(0, 2.001, 1 / 64)
    many = gremio.run(
        rig,
        {"Arm": np.interp(share, range(3), arm), "Turntable": np.interp(share, range(3), table)},
    )
    assert many.worlds[::64] == pytest.approx(few.worlds, abs=1e-9)


def test_what_rides_a_turntable_has_not_rolled_on_it() -> None:
    table = np.linspace(0.0, 7.0, 4)
    over_ground, over_table = on_an_arm(1.6, 0.4), on_an_arm(1.6, 0.4, over="Turntable")
    wheel = f"{part_id(over_table, 'Wheel')} turn y"
    ground = gremio.run(over_ground, {"Turntable": table})
    assert ground.channel(wheel) == pytest.approx(table * 4, abs=1e-9)
    rides = gremio.run(over_table, {"Turntable": table})
    assert rides.channel(wheel) == pytest.approx(0.0, abs=1e-12)
    # What it is moved on the table counts, and only that.
    both = gremio.run(over_table, {"Turntable": table, "Arm": table / 2})
    assert both.channel(wheel) == pytest.approx(table / 2 * 4, abs=1e-9)


RADIUS = 0.25


def ball(over: str = "") -> Rig:
    build = gremio.Builder("Ball")
    build.part("Tray", joint="spin z")
    build.part("Along", on="Tray", joint="slide x")
    build.part("Across", on="Along", joint="slide y")
    build.part("Ball", on="Across", at=(0, 0, RADIUS), joint="ball")
    return gremio.roll(build.rig, "Ball turn x", RADIUS, ball=True, over=over)


def turn_of(poses: gremio.Poses, name: str, frame: int) -> np.ndarray:
    row = poses.program.part_row[part_id(poses.program.rig, name)]
    return poses.worlds[frame, row, :3, :3]


def test_a_ball_rolls_each_way_and_back() -> None:
    way = 1.3
    poses = gremio.run(ball(), {"Along": [0, way, way, 0, 0], "Across": [0, 0, way, way, 0]})
    # Along x it turns about y, and along y about −x, by way ÷ radius.
    along = Rotation.from_rotvec([0, way / RADIUS, 0])
    across = Rotation.from_rotvec([-way / RADIUS, 0, 0])
    expected = [along, across * along, along.inv() * across * along]
    expected.append(across.inv() * expected[-1])
    for frame, turn in enumerate(expected, start=1):
        assert turn_of(poses, "Ball", frame) == pytest.approx(turn.as_matrix(), abs=1e-9)
    # Round a closed square it stands turned (the plate and ball of Frobenius' theorem): for a
    # small square of side a, by the area over r² about the upright, against the way round.
    assert expected[-1].magnitude() > 0.1
    small = 0.01
    poses = gremio.run(
        ball(), {"Along": [0, small, small, 0, 0], "Across": [0, 0, small, small, 0]}
    )
    found = Rotation.from_matrix(turn_of(poses, "Ball", 4)).as_rotvec()
    assert found == pytest.approx([0, 0, -((small / RADIUS) ** 2)], abs=2 * (small / RADIUS) ** 3)


def test_a_ball_on_a_tray_that_turns() -> None:
    """Over the ground it rolls as the tray takes it round; over the tray it has not rolled, and
    turns with it."""
    turned = np.linspace(0, 2.5, 3)
    rides = gremio.run(ball(over="Tray"), {"Along": 0.8, "Tray": turned})
    tray = Rotation.from_rotvec([0, 0, 2.5]).as_matrix()
    start = turn_of(rides, "Ball", 0)
    assert turn_of(rides, "Ball", 2) == pytest.approx(tray @ start, abs=1e-9)
    rolls = gremio.run(ball(), {"Along": 0.8, "Tray": turned})
    # It goes round a circle: in small steps, by hand.
    angles = np.linspace(0, 2.5, 20001)
    places = 0.8 * np.stack([np.cos(angles), np.sin(angles)], axis=-1)
    turn = Rotation.identity()
    steps = np.diff(places, axis=0) / RADIUS
    for dx, dy in steps:
        turn = Rotation.from_rotvec([-dy, dx, 0]) * turn
    found = turn_of(rolls, "Ball", 2) @ turn_of(rolls, "Ball", 0).T
    assert found == pytest.approx(turn.as_matrix(), abs=1e-4)


def test_a_path_that_comes_back_counts_every_round() -> None:
    build = gremio.Builder("Ring")
    build.part("Arm", joint="spin z")
    build.part("Wheel", on="Arm", at=(0, -1, 0.2), joint="spin y")
    ring = [(math.cos(a), math.sin(a), 0.2) for a in (0, 2, 4)]
    rig = gremio.path(build.rig, "Rail", ring, kind="circle", closed=True)
    rig = gremio.roll(rig, "Wheel", 0.2, along="Rail")
    poses = gremio.run(rig, {"Arm": [0.0, 20.0, -31.0]})
    wheel = poses.channel(f"{part_id(rig, 'Wheel')} turn y")
    assert np.abs(wheel - wheel[0]) == pytest.approx([0.0, 100.0, 155.0], abs=1e-6)
