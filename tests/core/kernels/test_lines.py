"""Which edges are drawn: the compiled choice against the same in NumPy."""

from __future__ import annotations

import numpy as np
import pytest

from gremio.core.rig.solids import Ball, Box, Cylinder, Plate
from gremio.core.shape.geometry import Geometry
from gremio.core.shape.lines import Inked, quads
from gremio.core.shape.solids import geometry_of

PLACE = np.dtype([("rows", "<f4", (3, 4)), ("paint", "<f4", 3), ("state", "<f4")])
SEEN = np.array([[1.5, 0, 0, 0], [0, 2, 0, 0], [0, 0, -1, -0.2], [0, 0, -1, 0]], dtype=float)
PIXELS = 1280.0, 800.0
PLATE = Plate(length=2, width=1, thickness=0.1, holes=((0.2, 0.1, 0.3),))


def standing(rng: np.random.Generator, count: int) -> np.ndarray:
    places = np.zeros(count, dtype=PLACE)
    for i in range(count):
        turn, _ = np.linalg.qr(rng.normal(size=(3, 3)))
        turn *= np.sign(np.linalg.det(turn))
        places["rows"][i, :, :3] = turn * rng.uniform(0.5, 2, 3)
        places["rows"][i, :, 3] = rng.normal(size=3) + [0, 0, -8]
    return places


def chosen(geometry: Geometry, rows: np.ndarray, eye: np.ndarray) -> np.ndarray:
    """(n, 2, 3) ends in the world of the edges that are seen."""
    edges = geometry.edges
    local = np.linalg.inv(rows[:, :3].astype(float)) @ (eye - rows[:, 3])
    off = np.einsum("ej,enj->en", geometry.vertices[edges.ends[:, 0]], edges.normals)
    facing = edges.normals @ local - off
    seen = edges.sharp | ((facing[:, 0] < 0) != (facing[:, 1] < 0))
    if geometry.drawn.closed:
        seen &= (facing > 0).any(axis=1)
    return geometry.vertices[edges.ends[seen]] @ rows[:, :3].T + rows[:, 3]


@pytest.mark.parametrize("solid", [Ball(diameter=1.0), PLATE, Box(length=1, width=2, height=0.5)],
                         ids=lambda s: type(s).__name__)  # fmt: skip
def test_what_is_seen_of_each_place(solid: Ball) -> None:
    rng = np.random.default_rng(3)
    geometry, places, eye = geometry_of(solid), standing(rng, 6), rng.normal(size=3) * 4
    skipped = np.array([False, True, False, False, False, False])
    lines = Inked([geometry.drawn]).seen(places, [6], skipped, eye, SEEN, PIXELS, 0.0)
    wanted = np.concatenate([chosen(geometry, r, eye) for r in places["rows"][~skipped]])
    assert len(lines.plain) == len(wanted) and not len(lines.short)
    assert lines.plain[:, :, :3] == pytest.approx(wanted, abs=1e-4)


def test_what_a_hand_does_is_told_apart() -> None:
    box = geometry_of(Box(length=1, width=1, height=1))
    places = standing(np.random.default_rng(1), 4)
    places["state"] = [0, 1, 2, 0]
    about = np.zeros(4, dtype=bool), np.array([0.0, 0, 30]), SEEN, PIXELS, 0.0
    lines = Inked([box.drawn] * 2).seen(places, [3, 1], *about)
    assert [len(kind) > 0 for kind in lines] == [True, False, True, True]
    both = Inked([box.drawn] * 2)
    for counts in ([3], [5, -1], [2, 1]):
        with pytest.raises(ValueError, match="for each surface"):
            both.seen(places, counts, *about)


def test_short_lines_are_put_together_and_stay_where_they_are() -> None:
    """A small circle far away is still a circle, of fewer lines."""
    disc = geometry_of(Cylinder(diameter=1.0, height=0.2))
    places = np.zeros(1, dtype=PLACE)
    places["rows"][0, :, :3] = np.eye(3)
    places["rows"][0, :, 3] = 0, 0, -40
    eye = np.array([0.0, 0.0, 0.0])
    about = [1], np.zeros(1, dtype=bool), eye, SEEN, PIXELS
    one = Inked([disc.drawn])
    every, fewer = one.seen(places, *about, 0.0).plain, one.seen(places, *about, 4.0).short
    assert 8 < len(fewer) < 0.7 * len(every)
    # Each is where some of the others were, and they are as long together.
    ends = every[:, :, :3].reshape(-1, 3)
    for end in fewer[:, :, :3].reshape(-1, 3):
        assert np.linalg.norm(ends - end, axis=1).min() < 1e-6
    assert fewer[:, 1, 3].sum() == pytest.approx(every[:, 1, 3].sum(), rel=1e-4)
    assert (fewer[:, 1, 3] <= 4.0).all()


def test_what_is_closed() -> None:
    box = geometry_of(Box(length=1, width=1, height=1))
    assert box.drawn.closed
    inside_out = Geometry(box.vertices, box.triangles[:, ::-1])
    open_one = Geometry(box.vertices, box.triangles[1:])
    twice = Geometry(box.vertices, np.concatenate([box.triangles, box.triangles]))
    one_turned = Geometry(
        box.vertices, np.concatenate([box.triangles[:1, ::-1], box.triangles[1:]])
    )
    assert not any(g.drawn.closed for g in (inside_out, open_one, twice, one_turned))
    # Two shells, one of them inside out, are not closed together, whatever they hold.
    far = np.concatenate([box.vertices, 0.1 * box.vertices + 5])
    both = Geometry(far, np.concatenate([box.triangles, box.triangles[:, ::-1] + 8]))
    well = Geometry(far, np.concatenate([box.triangles, box.triangles + 8]))
    assert well.drawn.closed and not both.drawn.closed
    assert not Geometry(np.zeros((0, 3)), np.zeros((0, 3), dtype=np.int64)).drawn.closed


def test_vertices_to_draw_are_those_of_the_corners() -> None:
    for solid in (Ball(diameter=1.0), PLATE, Box(length=1, width=1, height=1)):
        geometry = geometry_of(solid)
        vertices, index = geometry.drawn[:2]
        corners = vertices[index]
        assert corners[..., :3] == pytest.approx(geometry.vertices[geometry.triangles], abs=1e-6)
        assert corners[..., 3:] == pytest.approx(geometry.corner_normals, abs=1e-6)
        assert len(vertices) <= 3 * len(geometry.triangles)
        assert len(np.unique(vertices, axis=0)) == len(vertices)


def test_wide_lines_are_as_wide_on_the_screen_whatever_their_way() -> None:
    rng = np.random.default_rng(2)
    lines = np.zeros((50, 2, 4), dtype=np.float32)
    lines[:, :, :3] = rng.uniform(-2, 2, (50, 2, 3)) + [0, 0, -9]
    lines[:, 1, 3] = 77.0
    corners = quads(lines, SEEN, PIXELS, 3.0)
    at = corners[:, :, :2] / corners[:, :, 3:4] * np.array(PIXELS) / 2
    ends = np.concatenate([lines[:, :, :3], np.ones((50, 2, 1))], axis=2) @ SEEN.T
    wanted = ends[:, :, :2] / ends[:, :, 3:4] * np.array(PIXELS) / 2
    # Each end is in the middle of its two corners, but for half of the width that it goes beyond.
    middles = (at[:, ::2] + at[:, 1::2]) / 2
    assert np.linalg.norm(middles - wanted, axis=2) == pytest.approx(
        np.full((50, 2), 0.75), abs=0.02
    )
    across = at[:, 1::2] - at[:, ::2]
    assert np.linalg.norm(across, axis=2) == pytest.approx(np.full((50, 2), 3.0), abs=0.02)
    way = wanted[:, 1] - wanted[:, 0]
    assert np.einsum("ni,nvi->nv", way, across) == pytest.approx(np.zeros((50, 2)), abs=2.0)
    assert (corners[:, :, 4] == [0, 0, 77, 77]).all()
    # A little before the surface, and cut where it goes behind the eye.
    assert (corners[:, ::2, 2] < ends[:, :, 2]).all()
    behind = np.array([[[0, 0, -5, 0], [0, 1, 5, 9]]], dtype=np.float32)
    assert (quads(behind, SEEN, PIXELS, 1.0)[0, :, 3] > 0).all()
    gone = np.array([[[0, 0, 5, 0], [0, 1, 6, 9]]], dtype=np.float32)
    assert not quads(gone, SEEN, PIXELS, 1.0).any()
    assert quads(np.zeros((0, 2, 4), np.float32), SEEN, PIXELS, 1.0).shape == (0, 4, 5)
