"""What is left out of a frame is never to be seen."""

from __future__ import annotations

import numpy as np
import pytest

from gremio.desktop.bench import pace
from gremio.desktop.bench.camera import Camera, project, view_projection
from gremio.desktop.bench.pace import Pace
from gremio.desktop.bench.scene import INSTANCE
from gremio.desktop.bench.sight import balls_round, in_sight, under

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


def test_no_ball_is_too_small_for_what_a_slanted_frame_makes_of_it() -> None:
    rng = np.random.default_rng(3)
    places = np.zeros(500, dtype=INSTANCE)
    places["rows"][:, :, :3] = rng.normal(size=(500, 3, 3)) * rng.uniform(0.1, 3, (500, 1, 3))
    places["rows"][0, :, :3] = np.diag([1, 2, 3])
    balls = balls_round(places, np.zeros(500, dtype=np.intp), np.array([[0, 0, 0, 1.0]]))
    largest = np.linalg.norm(places["rows"][:, :, :3].astype(float), ord=2, axis=(1, 2))
    assert (balls.radius >= largest * (1 - 1e-12)).all()
    assert balls.radius[0] == pytest.approx(3.0)


class Frames:
    """Frames that take so long as a clock is told."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.now, self.pace = 1.0, Pace()
        monkeypatch.setattr(pace.time, "perf_counter", lambda: self.now)

    def draw(self, took: float, times: int = 1, *, moving: bool = True) -> None:
        for _ in range(times):
            self.pace.begin(moving=moving)
            self.now += took
            self.pace.end()


def test_edges_are_left_out_while_frames_are_long_and_come_back(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    frames = Frames(monkeypatch)
    frames.draw(0.07, moving=False)
    assert frames.pace.edges_too, "a still picture may take its time"
    frames.draw(0.07)
    assert not frames.pace.edges_too and frames.pace.rough == 0.0
    # With edges they would take 70 ms again.
    frames.draw(0.04, 100)
    assert not frames.pace.edges_too and frames.pace.rough == 0.0
    frames.draw(0.01, 25)
    assert frames.pace.edges_too


def test_surfaces_are_rougher_while_leaving_out_edges_is_not_enough(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    frames = Frames(monkeypatch)
    took = []
    for _ in range(300):
        told = frames.pace
        took.append(0.4 if told.edges_too else {0: 0.3, 2: 0.2, 4: 0.08, 8: 0.03}[told.rough])
        frames.draw(took[-1])
    # Few frames take too long to find out that they do.
    assert frames.pace.rough == 8.0 and sum(one > 0.05 for one in took) < 8
    assert all(one < 0.05 for one in took[-100:])
    frames.draw(0.001, 100)
    assert frames.pace.edges_too and frames.pace.rough == 0.0


def test_a_still_picture_that_took_long_is_known_before_anything_moves() -> None:
    told = Pace.careful()
    assert not told.edges_too and told.rough > 0.0
    told.expect(0.1)
    assert told.edges_too
    told.expect(1.0)
    assert not told.edges_too and told.rough > 0.0


def test_what_is_under_the_pointer_is_never_left_out() -> None:
    rng = np.random.default_rng(1)
    places = np.zeros(3000, dtype=INSTANCE)
    places["rows"][:, :, :3] = np.eye(3) * rng.uniform(0.01, 2, (3000, 1, 3))
    places["rows"][:, :, 3] = rng.normal(size=(3000, 3)) * 5
    camera, ball = Camera(), np.array([[0.1, 0.2, 0, 1.0]])
    balls = balls_round(places, np.zeros(3000, dtype=np.intp), ball)
    ways = rng.normal(size=(3000, 3))
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    on = (ball[0, :3] + ways)[:, None] @ places["rows"][:, :, :3].transpose(0, 2, 1)
    at, depth = project(camera, SIZE, on[:, 0] + places["rows"][:, :, 3])
    seen = np.flatnonzero((depth > camera.near) & (at > 0).all(axis=1) & (at < SIZE).all(axis=1))
    assert len(seen) > 500
    met = [under(balls, camera, SIZE, tuple(np.floor(at[one]) + 0.5)) for one in seen]
    assert all(one[index] for index, one in zip(seen, met, strict=True))
    assert np.mean(met) < 0.2
