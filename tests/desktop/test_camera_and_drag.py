from __future__ import annotations

import math

import numpy as np
import pytest

from gremio.desktop.bench.camera import (
    Camera,
    framed,
    metres_a_pixel,
    orbited,
    panned,
    project,
    ray,
    zoomed,
)
from gremio.desktop.bench.drag import Drag, level_shift
from gremio.desktop.bench.handles import Handle

SIZE = (800, 600)
ABOVE = Camera((0.0, 0.0, 0.0), 10.0, 0.4, math.radians(80))


def test_a_sight_line_passes_through_what_its_pixel_shows(rng: np.random.Generator) -> None:
    camera = Camera((1.0, 2.0, 0.5), 7.0, 0.8, 0.3)
    for point in rng.uniform(-2, 2, (20, 3)):
        (pixel,), _ = project(camera, SIZE, point)
        start, sight = ray(camera, SIZE, pixel)
        offset = point - start
        assert np.linalg.norm(offset - sight * (offset @ sight)) == pytest.approx(0, abs=1e-9)


def test_zooming_keeps_what_is_under_the_pointer() -> None:
    camera = Camera((1.0, 2.0, 0.5), 7.0, 0.8, 0.3)
    start, sight = ray(camera, SIZE, (650, 120))
    under = start + sight * (camera.distance / float(-sight @ camera.back))
    nearer = zoomed(camera, SIZE, (650, 120), 0.5)
    assert nearer.distance == pytest.approx(3.5)
    assert project(nearer, SIZE, under)[0][0] == pytest.approx([650, 120], abs=1e-6)


def test_panning_takes_the_target_along_with_the_hand() -> None:
    camera = Camera((1.0, 2.0, 0.5), 7.0, 0.8, 0.3)
    moved = panned(camera, SIZE, 60, -25)
    assert project(moved, SIZE, camera.target)[0][0] == pytest.approx([460, 275], abs=1e-6)


def test_orbiting_never_goes_over_the_top() -> None:
    camera = Camera()
    for _ in range(100):
        camera = orbited(camera, 3, 50)
    assert camera.elevation < math.pi / 2
    assert np.linalg.norm(camera.right) == pytest.approx(1.0)


@pytest.mark.parametrize("size", [(800, 600), (300, 900), (1600, 200)])
def test_framing_brings_all_points_into_the_picture(
    size: tuple[int, int], rng: np.random.Generator
) -> None:
    points = rng.normal(size=(50, 3)) * [5, 1, 2] + [30, -4, 2]
    camera = framed(Camera(), size, points)
    pixels, depth = project(camera, size, points)
    assert (depth > 0).all()
    assert (pixels >= 0).all() and (pixels <= size).all()
    spans = np.ptp(pixels, axis=0) / size
    assert spans.max() > 0.7


def test_a_metre_is_as_many_pixels_as_it_says() -> None:
    camera = Camera((0, 0, 0), 12.0, 0.3, 0.2)
    ends, _ = project(camera, SIZE, [[0, 0, 0], camera.right])
    apart = float(np.linalg.norm(ends[1] - ends[0]))
    assert apart * metres_a_pixel(camera, SIZE, (0, 0, 0)) == pytest.approx(1.0)


def hinge(axis: tuple[float, float, float] = (0, 0, 1)) -> Handle:
    return Handle(
        "p1", "p1 turn z", "ring", np.zeros(3), np.array(axis, float), np.array([1.0, 0, 0]),
        0.0, -math.inf, math.inf, 1.0,
    )  # fmt: skip


def pixel_at(angle: float, camera: Camera = ABOVE) -> tuple[float, float]:
    (pixel,), _ = project(camera, SIZE, [math.cos(angle), math.sin(angle), 0.0])
    return tuple(pixel)


def test_a_turn_follows_the_pointer_round_and_round() -> None:
    drag = Drag(hinge(), ABOVE, SIZE, np.array([1.0, 0, 0]), pixel_at(0.0))
    for angle in np.arange(0.5, 15.0, 0.5):
        assert drag.to(pixel_at(angle)) == pytest.approx(angle, abs=1e-9)
    for angle in np.arange(15.0, -9.0, -0.5):
        wanted = drag.to(pixel_at(angle))
    assert wanted == pytest.approx(-8.5, abs=1e-9)


def test_a_hinge_seen_edge_on_still_turns_with_the_hand() -> None:
    level = Camera((0, 0, 0), 10.0, math.radians(-90), 0.0)
    handle = hinge()
    grip = np.array([0.0, -1.0, 0.0])
    (start,), _ = project(level, SIZE, grip)
    drag = Drag(handle, level, SIZE, grip, tuple(start))
    first = drag.to((start[0] + 10, start[1]))
    assert first > 0
    assert drag.to((start[0] + 20, start[1])) == pytest.approx(2 * first)
    assert drag.to(tuple(start)) == pytest.approx(0.0)


def test_a_slide_follows_the_pointer_along_its_rail() -> None:
    axis = np.array([0.0, 1.0, 0.0])
    handle = Handle("p1", "p1 move y", "rail", np.zeros(3), axis, np.zeros(3), 0.2, 0, 1, 1.0)
    (start,), _ = project(ABOVE, SIZE, np.zeros(3))
    drag = Drag(handle, ABOVE, SIZE, np.zeros(3), tuple(start))
    for shift in (0.3, 1.7, -0.4):
        (there,), _ = project(ABOVE, SIZE, axis * shift)
        assert drag.to(tuple(there)) == pytest.approx(0.2 + shift, abs=1e-9)


def test_a_free_part_keeps_its_grip_under_the_pointer() -> None:
    grip = np.array([0.3, -0.2, 0.6])
    shift = level_shift(ABOVE, SIZE, grip, (200, 450))
    assert project(ABOVE, SIZE, grip + shift)[0][0] == pytest.approx([200, 450], abs=1e-6)


def test_an_arc_runs_from_stop_to_stop() -> None:
    handle = Handle(
        "p1", "p1 turn z", "arc", np.zeros(3), np.array([0, 0, 1.0]), np.array([1.0, 0, 0]),
        0.5, 0.0, 1.0, 1.0,
    )  # fmt: skip
    path = handle.path()
    assert path[0] == pytest.approx([math.cos(-0.5), math.sin(-0.5), 0])
    assert path[-1] == pytest.approx([math.cos(0.5), math.sin(0.5), 0])
    assert np.linalg.norm(path, axis=1) == pytest.approx(np.ones(len(path)))
