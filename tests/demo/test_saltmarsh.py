from __future__ import annotations

import math

import numpy as np
import pytest

import gremio
from gremio.core.files.sources import model_shelf
from gremio.core.mechanics import gears
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Rig
from gremio.core.solve.repeats import copies
from gremio.demo import KEPT, quay, saltmarsh


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
        assert pinion == pytest.approx(turns * 12 / 32)
        travel = gears.rack_travel(saltmarsh.MODULE, saltmarsh.PINION_TEETH)
        assert pose.value("Paddle, east", "move z") == pytest.approx(pinion * travel)


def test_the_windlass_and_its_wheel_stand_at_their_centre_distance(lock: Rig) -> None:
    pose = gremio.solve(lock)
    wheel, windlass = (pose.part(n).world[:3, 3] for n in ("Wheel, 32 teeth", "Windlass"))
    axis = pose.part("Windlass").world[:3, 1]
    apart = windlass - wheel
    apart = apart - axis * (apart @ axis)
    assert np.linalg.norm(apart) == pytest.approx(
        gears.working_distance(0.012, 12, 32, 0.3, gears.PRESSURE_ANGLE)
    )


def test_nothing_is_wrong_along_the_whole_travel(lock: Rig) -> None:
    assert model_shelf().notes(lock) == []
    for control in [entry.name for entry in lock.controls.values()]:
        poses = gremio.sweep(lock, control, 41)
        for frame in range(poses.frames):
            assert poses.frame(frame).notes == []


def test_the_kept_file_is_what_is_built(lock: Rig) -> None:
    # When this fails, run: python scripts/keep_demo.py
    assert gremio.load(KEPT) == lock


def test_nothing_is_to_be_mended(lock: Rig) -> None:
    assert [finding.note.text for finding in gremio.inspect(lock)] == []


def test_the_winch_head_turns_as_willis_says(lock: Rig) -> None:
    pose = gremio.solve(lock, {"Winch": "2 turn"})
    sun, arm = pose.value("Winch sun"), pose.value("Winch arm")
    assert sun / arm == pytest.approx(1 + 64 / 20)
    slipping = gremio.solve(lock, {"Winch": "2 turn", "Ring slip": "0.25 turn"})
    s, r, c = (slipping.value(f"Winch {n}") for n in ("sun", "ring", "arm"))
    assert s * 20 + r * 64 == pytest.approx(c * 84)


def test_the_trolley_rolls_and_steers(lock: Rig) -> None:
    way = np.linspace(0, 2, 30)
    poses = gremio.run(
        lock,
        {"Inspection trolley travel": way, "Inspection trolley steering": math.radians(20)},
    )
    assert poses.frame(-1).value("Inspection trolley", "turn z") > 0.3
    inner = poses.frame(-1).value("Rear wheel, left", "turn y")
    outer = poses.frame(-1).value("Rear wheel, right", "turn y")
    assert 0 < inner < 2 / 0.28 < outer


def test_the_louvre_bar_goes_with_the_louvres(lock: Rig) -> None:
    pose = gremio.solve(lock, {"Louvres": "50 deg"})
    edge = pose.part("Louvre").world @ [0.1, 0, 0, 1]
    bar = pose.part("Louvre bar").world @ [0.1, 0, 0, 1]
    assert bar == pytest.approx(edge)
    assert len(copies(pose, part_id(lock, "Louvre"))) == quay.LOUVRES
