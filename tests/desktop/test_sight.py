"""What is left out of a frame is never to be seen."""

from __future__ import annotations

import time

import numpy as np

from gremio.desktop.bench.camera import Camera, project, view_projection
from gremio.desktop.bench.pace import Pace
from gremio.desktop.bench.scene import INSTANCE
from gremio.desktop.bench.sight import in_sight

SIZE = 1280, 800


def test_what_is_hidden_has_no_point_in_the_picture() -> None:
    rng = np.random.default_rng(0)
    places = np.zeros(4000, dtype=INSTANCE)
    places["rows"][:, :, :3] = np.eye(3) * rng.uniform(0.01, 2, (4000, 1, 3))
    places["rows"][:, :, 3] = rng.normal(size=(4000, 3)) * 30
    camera, balls = Camera(), np.array([[0.1, 0, 0, 1.0]])
    seen = view_projection(camera, SIZE)
    sight = in_sight(places, np.zeros(4000, dtype=np.intp), balls, camera, seen, SIZE)
    assert 500 < sight.hidden.sum() < 3999 and not sight.hidden.all()
    ways = rng.normal(size=(200, 3))
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    for place in places["rows"][sight.hidden][:400]:
        ball = (balls[0, :3] + ways) * np.diag(place[:, :3]) + place[:, 3]
        at, depth = project(camera, SIZE, ball)
        inside = (depth > camera.near) & (at > 0).all(axis=1) & (at < SIZE).all(axis=1)
        # What is in the picture is a speck there.
        assert not inside.any() or np.ptp(at[depth > 0], axis=0).max() < 1.0


def test_the_eye_may_be_within_what_is_about_it() -> None:
    places = np.zeros(2, dtype=INSTANCE)
    places["rows"][:, :, :3] = np.eye(3)
    places["rows"][0, :, 3] = Camera().eye
    seen = view_projection(Camera(), SIZE)
    sight = in_sight(
        places, np.zeros(2, dtype=np.intp), np.array([[0, 0, 0, 1.0]]), Camera(), seen, SIZE
    )
    assert sight.inside.tolist() == [True, False]


def test_what_is_turned_inside_out_by_a_scale_is_drawn_from_both_sides() -> None:
    places = np.zeros(2, dtype=INSTANCE)
    places["rows"][:, :, :3] = np.eye(3), np.diag([-1, 1, 1])
    balls = np.array([[0, 0, 0, 1.0]])
    seen = view_projection(Camera(), SIZE)
    sight = in_sight(places, np.zeros(2, dtype=np.intp), balls, Camera(), seen, SIZE)
    assert sight.inside.tolist() == [False, True]


def test_edges_are_left_out_while_frames_are_long_and_come_back() -> None:
    pace = Pace()
    pace.begin(moving=False)
    time.sleep(0.07)
    pace.end()
    assert pace.edges_too, "a still picture may take its time"
    pace.begin(moving=True)
    time.sleep(0.07)
    pace.end()
    assert not pace.edges_too
    for _ in range(25):
        pace.begin(moving=True)
        pace.end()
    assert pace.edges_too
