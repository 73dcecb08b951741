"""The way round a face, from one of its edges."""

from __future__ import annotations

import math

import numpy as np
import pytest

from gremio.core.rig.solids import Ball, Box, Cylinder
from gremio.core.shape.edge_loops import edge_loop
from gremio.core.shape.geometry import Geometry
from gremio.core.shape.solids import geometry_of

UP = np.array([0.0, 0.0, 1.0])


def length(points: np.ndarray, closed: bool) -> float:
    ways = [*points, points[0]] if closed else [*points]
    return float(np.linalg.norm(np.diff(ways, axis=0), axis=1).sum())


def test_round_the_top_of_a_block() -> None:
    block = geometry_of(Box(length=2.0, width=1.0, height=0.5))
    points, closed = edge_loop(block, np.array([1.0, 0.1, 0.25]), UP)
    assert closed and len(points) == 4
    assert points[:, 2] == pytest.approx(0.25)
    assert length(points, closed) == pytest.approx(6.0)


def test_the_side_that_looks_the_way_asked_is_meant() -> None:
    block = geometry_of(Box(length=2.0, width=1.0, height=0.5))
    points, closed = edge_loop(block, np.array([1.0, 0.1, 0.25]), np.array([1.0, 0.0, 0.0]))
    assert closed and points[:, 0] == pytest.approx(1.0)
    assert length(points, closed) == pytest.approx(3.0)


def test_round_the_end_of_a_bar_is_its_circle() -> None:
    bar = geometry_of(Cylinder(diameter=1.0, height=2.0))
    points, closed = edge_loop(bar, np.array([0.5, 0.0, 1.0]), UP)
    # A polygon within the circle: a little shorter than π d.
    assert closed and 0.99 * math.pi < length(points, closed) < math.pi


def test_an_open_edge_is_followed_to_both_its_ends() -> None:
    # Three faces in a row over a fold: the sharp edge in the middle is open at both ends.
    corners = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0], [0, 1, 1], [1, 1, 1.0]])
    folded = Geometry(corners, np.array([[0, 1, 3], [0, 3, 2], [2, 3, 5], [2, 5, 4]]))
    points, closed = edge_loop(folded, np.array([0.5, 1.0, 0.0]), UP)
    assert len(points) >= 2
    assert closed or length(points, closed) >= 1.0


def test_a_ball_has_no_edge() -> None:
    points, closed = edge_loop(geometry_of(Ball(diameter=1.0)), np.array([0.5, 0, 0]), UP)
    assert points.shape == (0, 3) and not closed
