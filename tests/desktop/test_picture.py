from __future__ import annotations

import numpy as np

import gremio
from gremio.core.rig.model import Rig
from gremio.desktop.bench.picture import picture
from gremio.desktop.theme.inks import DAY, NIGHT, rgb


def near(pixels: np.ndarray, colour: str, by: int = 3) -> np.ndarray:
    there = np.round(np.array(rgb(colour)) * 255)
    return np.abs(pixels.astype(int) - there).max(axis=2) <= by


def test_a_picture_shows_the_machine_on_paper(lock: Rig) -> None:
    pixels = picture(gremio.solve(lock), (480, 300))
    assert pixels.shape == (300, 480, 3)
    assert near(pixels[:4], DAY.paper, 30).mean() > 0.9
    assert 0.25 < (~near(pixels, DAY.paper, 12)).mean() < 0.9
    assert near(pixels, DAY.ink, 40).sum() > 200


def test_moving_a_control_changes_the_picture_where_it_moves(lock: Rig) -> None:
    shut = picture(gremio.solve(lock), (320, 200))
    again = picture(gremio.solve(lock), (320, 200))
    raised = picture(gremio.solve(lock, {"Paddle windlass": "9 turn"}), (320, 200))
    assert np.array_equal(shut, again)
    share = (shut != raised).any(axis=2).mean()
    assert 0.0005 < share < 0.5


def test_night_is_light_ink_on_dark_paper(lock: Rig) -> None:
    night = picture(gremio.solve(lock), (320, 200), night=True)
    assert night.mean() < 110
    assert near(night[:3], NIGHT.paper, 20).mean() > 0.9


def test_an_empty_rig_is_empty_paper() -> None:
    pixels = picture(gremio.solve(Rig()), (64, 48))
    assert pixels.min() > 150
