"""The nearest place on a surface, against `trimesh.proximity`."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from gremio.core.edit.builder import shape
from gremio.core.rig.model import Part
from gremio.core.rig.solids import Ball, Box, Cylinder, SpurGear, Wedge
from gremio.core.shape.solids import geometry_of
from gremio.core.shape.surfaces import surface_of

ODD = Part(
    "Odd",
    shapes=(
        shape(Box(length=1, width=2, height=3), at=(0, 0, 4), turned=("10 deg", "20 deg", 0)),
        shape(Cylinder(diameter=1.5, height=2)),
        shape(Wedge(length=2, width=1, height=1), at=(3, 0, 0)),
        shape(SpurGear(module=0.1, teeth=17, width=0.5), at=(-3, 0, 0)),
    ),
)


def test_it_agrees_with_a_reference_library() -> None:
    surface = surface_of(ODD, geometry_of)
    assert surface is not None
    mesh = trimesh.Trimesh(surface.corners.reshape(-1, 3),
                           np.arange(surface.corners.size // 3).reshape(-1, 3),
                           process=False)  # fmt: skip
    points = np.random.default_rng(5).uniform(-5, 6, (300, 3))
    theirs, away, _ = trimesh.proximity.closest_point(mesh, points)
    ours, normals = surface.nearest(points)
    assert np.linalg.norm(ours - points, axis=1) == pytest.approx(away, abs=1e-9)
    # Where two places are as near, either will do.
    apart = np.linalg.norm(ours - theirs, axis=1)
    assert (apart < 1e-7).mean() > 0.97
    assert np.linalg.norm(normals, axis=1) == pytest.approx(np.ones(300))


def test_corners_edges_and_faces_of_a_box_are_met() -> None:
    surface = surface_of(Part("Box", shapes=(shape(Box(length=2, width=2, height=2)),)),
                         geometry_of)  # fmt: skip
    assert surface is not None
    points = np.array([[0.2, 0.3, 5], [4, 0.1, 4], [3, 3, 3], [0.9, 0, 0]], dtype=float)
    places, normals = surface.nearest(points)
    assert places == pytest.approx(np.array([[0.2, 0.3, 1], [1, 0.1, 1], [1, 1, 1], [1, 0, 0]]))
    assert normals[0] == pytest.approx([0, 0, 1])
    assert normals[3] == pytest.approx([1, 0, 0])


def test_normals_are_smooth_where_the_surface_is_round() -> None:
    surface = surface_of(Part("Ball", shapes=(shape(Ball(diameter=2.0)),)), geometry_of)
    assert surface is not None
    way = np.random.default_rng(2).normal(size=(200, 3))
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    _, normals = surface.nearest(way * 1.5)
    # The facets' places are a little beside those of the ball.
    assert (normals * way).sum(axis=1).min() > np.cos(np.radians(4.0))


def test_a_part_without_faces_has_no_surface() -> None:
    assert surface_of(Part("Bare"), geometry_of) is None
