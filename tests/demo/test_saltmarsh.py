from __future__ import annotations

import math

import numpy as np
import pytest

import gremio
from gremio.core.files.shelf import Shelf
from gremio.core.mechanics import gears
from gremio.core.rig.model import Rig
from gremio.demo import saltmarsh


def test_both_leaves_swing_mirrored_and_end_on_their_stops(lock: Rig) -> None:
    pose = gremio.solve(lock, {"Upper gates": "74 deg"})
    assert pose.value("Upper gate, east") == saltmarsh.OPEN
    assert pose.value("Upper gate, west") == -saltmarsh.OPEN
    east, west = (pose.part(f"Upper gate, {side}").world for side in ("east", "west"))
    mirror = np.diag([1.0, -1.0, 1.0])
    assert mirror @ east[:3, 0] == pytest.approx(west[:3, 0], abs=1e-12)
    # Open leaves lie along the walls.
    assert abs(east[1, 0]) < 1e-9


def test_shut_leaves_meet_in_the_middle(lock: Rig) -> None:
    pose = gremio.solve(lock)
    east = pose.part("Upper gate, east").world
    tip = east @ [saltmarsh.LEAF_LENGTH, 0, 0, 1]
    assert tip[1] == pytest.approx(0.0, abs=1e-9)


def test_the_paddle_rises_by_pi_m_z_a_turn_of_the_pinion(lock: Rig) -> None:
    for turns in (1, 4.5, 9):
        pose = gremio.solve(lock, {"Paddle windlass": f"{turns} turn"})
        pinion = pose.value("Pinion, east", "turn y") / (2 * math.pi)
        assert pinion == pytest.approx(turns * 18 / 72)
        travel = gears.rack_travel(saltmarsh.MODULE, saltmarsh.PINION_TEETH)
        assert pose.value("Paddle, east", "move z") == pytest.approx(pinion * travel)


def test_the_windlass_and_its_wheel_stand_at_their_centre_distance(lock: Rig) -> None:
    pose = gremio.solve(lock)
    wheel, windlass = (pose.part(n).world[:3, 3] for n in ("Wheel, 72 teeth", "Windlass"))
    axis = pose.part("Windlass").world[:3, 1]
    apart = windlass - wheel
    apart = apart - axis * (apart @ axis)
    assert np.linalg.norm(apart) == pytest.approx(gears.centre_distance(0.012, 18, 72))


def test_nothing_is_wrong_along_the_whole_travel(lock: Rig) -> None:
    assert Shelf().notes(lock) == []
    for control in ("Upper gates", "Paddle windlass"):
        poses = gremio.sweep(lock, control, 41)
        for frame in range(poses.frames):
            assert poses.frame(frame).notes == []
