"""Places that are found on a surface: the middles of circles, of edges and of flat faces."""

from __future__ import annotations

import math
import warnings

import numpy as np
import pytest
import trimesh
from shapely.geometry import Polygon

from gremio.core.shape.features import places
from gremio.core.shape.geometry import Geometry, welded


def prism(points: np.ndarray, height: float = 1.0) -> Geometry:
    mesh = trimesh.creation.extrude_polygon(Polygon(points), height)
    return welded(mesh.vertices, mesh.faces)


def circle(angles: np.ndarray, radius: float, middle: tuple[float, float]) -> np.ndarray:
    return np.array(middle) + radius * np.column_stack([np.cos(angles), np.sin(angles)])


def of_kind(geometry: Geometry, kind: str) -> list[np.ndarray]:
    return [place.at for place in places(geometry) if place.kind == kind]


def test_the_middle_of_a_circle_is_that_of_the_circle_not_of_its_corners() -> None:
    """Corners crowd on one side, as where somebody refined a mesh."""
    angles = np.concatenate([np.linspace(0, 1.5, 14), np.linspace(1.8, 6.0, 14)])
    found = of_kind(prism(circle(angles, 0.3, (2.0, -1.0))), "circle centre")
    middles = sorted(float(at[2]) for at in found)
    assert middles == pytest.approx([0.0, 1.0])
    for at in found:
        assert at[:2] == pytest.approx((2.0, -1.0), abs=1e-6)


def test_what_is_no_circle_has_no_middle() -> None:
    angles = np.linspace(0, 2 * math.pi, 24, endpoint=False)
    oval = circle(angles, 1.0, (0, 0)) * [1.3, 1.0]
    assert not of_kind(prism(oval), "circle centre")
    # A ring that is round from above, and goes up and down.
    ring = circle(angles, 1.0, (0, 0))
    height = 0.2 * np.sin(2 * angles)
    top = np.column_stack([ring, 1 + height])
    low = np.column_stack([ring, height])
    count = len(angles)
    nexts = (np.arange(count) + 1) % count
    sides = [[i, j, count + j] for i, j in enumerate(nexts)]
    sides += [[i, count + j, count + i] for i, j in enumerate(nexts)]
    saddle = welded(np.concatenate([low, top]), np.array(sides))
    assert not of_kind(saddle, "circle centre")


@pytest.mark.parametrize("roll", [0, 1, 2])
def test_a_round_bar_has_flat_faces_at_its_ends_only(roll: int) -> None:
    """However the corners of its triangles are counted."""
    bar = trimesh.creation.cylinder(0.2, 2.0, sections=32)
    geometry = welded(bar.vertices, np.roll(bar.faces, roll, axis=1))
    found = of_kind(geometry, "face centre")
    assert sorted(float(at[2]) for at in found) == pytest.approx([-1.0, 1.0])


def test_a_block_has_the_middles_of_its_faces_and_edges() -> None:
    block = trimesh.creation.box((1.0, 2.0, 3.0))
    geometry = welded(block.vertices, block.faces)
    faces = {tuple(np.round(at, 9)) for at in of_kind(geometry, "face centre")}
    assert faces == {(x, 0, 0) for x in (-0.5, 0.5)} | {(0, y, 0) for y in (-1, 1)} | {
        (0, 0, z) for z in (-1.5, 1.5)
    }
    assert len(of_kind(geometry, "edge middle")) == 12


def test_triangles_without_an_area_have_no_places_and_break_nothing() -> None:
    line = Geometry(np.array([[0, 0, 0], [1, 0, 0], [2, 0, 0.0]]), np.array([[0, 1, 2]]))
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        assert not of_kind(line, "face centre")
