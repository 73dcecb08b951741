from __future__ import annotations

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from gremio.core.frames import (
    Frame,
    angles_of_turn,
    frame_of,
    holds,
    matrices,
    matrix,
    quaternions,
    turn_matrix,
    turn_of_angles,
)


def test_turns_agree_with_scipy(rng: np.random.Generator) -> None:
    for _ in range(50):
        x, y, z, w = Rotation.random(random_state=rng).as_quat()
        ours = turn_matrix((w, x, y, z))
        assert ours == pytest.approx(Rotation.from_quat([x, y, z, w]).as_matrix(), abs=1e-12)


def test_three_angles_turn_about_the_fixed_axes_as_in_scipy(rng: np.random.Generator) -> None:
    for angles in rng.uniform(-3, 3, (50, 3)):
        ours = turn_matrix(turn_of_angles(tuple(angles)))
        assert ours == pytest.approx(Rotation.from_euler("xyz", angles).as_matrix(), abs=1e-12)


def test_quaternions_of_matrices_agree_with_scipy_even_at_half_turns() -> None:
    axes = np.concatenate([np.eye(3), np.random.default_rng(5).normal(size=(40, 3))])
    turns = Rotation.from_rotvec(np.pi * axes / np.linalg.norm(axes, axis=1, keepdims=True))
    back = quaternions(turns.as_matrix())
    again = Rotation.from_quat(back[:, [1, 2, 3, 0]])
    assert (turns.inv() * again).magnitude() == pytest.approx(np.zeros(len(axes)), abs=1e-7)


@pytest.mark.parametrize("angles", [(0.3, -0.7, 2.0), (1.0, np.pi / 2, 0.5), (0, -np.pi / 2, 1)])
def test_angles_come_back_as_the_same_turn(angles: tuple[float, float, float]) -> None:
    turn = turn_of_angles(angles)
    again = turn_of_angles(angles_of_turn(turn))
    assert turn_matrix(again) == pytest.approx(turn_matrix(turn), abs=1e-9)


def test_a_frame_survives_its_matrix() -> None:
    frame = Frame((1.0, -2.0, 3.0), turn_of_angles((0.1, 0.2, 0.3)), (1.0, 2.0, 0.5))
    again = frame_of(matrix(frame))
    assert matrix(again) == pytest.approx(matrix(frame), abs=1e-12)


def test_a_mirrored_matrix_is_held_by_a_negative_scale() -> None:
    mirrored = np.diag([1.0, -1.0, 1.0, 1.0])
    assert holds(mirrored)
    assert matrix(frame_of(mirrored)) == pytest.approx(mirrored, abs=1e-12)


def test_shear_is_told_before_it_is_lost() -> None:
    sheared = np.eye(4)
    sheared[0, 1] = 0.4
    assert not holds(sheared)


def test_one_matrix_is_that_of_many() -> None:
    rng = np.random.default_rng(5)
    for _ in range(20):
        turn, at, scale = rng.normal(size=4), rng.normal(size=3), rng.uniform(0.5, 2, 3)
        frame = Frame(tuple(at.tolist()), tuple(turn.tolist()), tuple(scale.tolist()))
        assert matrix(frame) == pytest.approx(matrices([frame])[0], abs=1e-14)
