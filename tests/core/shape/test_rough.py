"""Surfaces of fewer triangles: not far from those they stand for, and of nothing that is not
there."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from gremio.core.rig.solids import Box, SpurGear
from gremio.core.shape.geometry import Geometry, welded
from gremio.core.shape.rough import roughened
from gremio.core.shape.solids import geometry_of


def ball(divided: int) -> Geometry:
    made = trimesh.creation.icosphere(divided, 0.7)
    return welded(made.vertices, made.faces)


@pytest.mark.parametrize("divided", [4, 6])
def test_a_ball_stays_a_ball_within_what_is_told(divided: int) -> None:
    geometry = ball(divided)
    places = geometry.drawn.vertices[:, :3].astype(float)
    before = len(geometry.triangles)
    assert len(geometry.rough) >= 2
    for rough in geometry.rough:
        assert 0 < len(rough.corners) <= before / 2
        before = len(rough.corners)
        made = trimesh.Trimesh(places, rough.corners, process=False)
        # An independent measure: how far corners of the whole are from the rougher surface.
        _, apart, _ = trimesh.proximity.closest_point(made, places[:: max(len(places) // 300, 1)])
        assert apart.max() <= rough.side * np.sqrt(3)
        outward = np.einsum("ij,ij->i", made.face_normals, made.triangles_center)
        assert (outward > 0).mean() > 0.97


def test_it_is_the_grid_that_is_told_by_arrays() -> None:
    drawn, bounds = ball(5).drawn, ball(5).bounds
    for rough in roughened(drawn.vertices, drawn.corners, bounds):
        cells = np.floor((drawn.vertices[:, :3].astype(float) - bounds[0]) / rough.side)
        most = np.floor((bounds[1] - bounds[0]) / rough.side)
        _, cell = np.unique(np.clip(cells, 0, most), axis=0, return_inverse=True)
        cell = cell.ravel()
        each = cell[drawn.corners]
        left = (np.diff(np.sort(each, axis=1), axis=1) > 0).all(axis=1)
        assert (cell[rough.corners] == each[left]).all()


def test_what_has_few_triangles_is_left_as_it_is() -> None:
    assert geometry_of(Box(1.0, 2.0, 3.0)).rough == ()
    assert welded(np.zeros((0, 3)), np.zeros((0, 3), dtype=int)).rough == ()


def test_gears_have_rougher_ones_too() -> None:
    gear = geometry_of(SpurGear(module=0.01, teeth=90, width=0.1, bore=0.1))
    assert gear.rough and len(gear.rough[-1].corners) < len(gear.triangles) / 4


def test_what_is_no_place_or_not_there_does_no_harm() -> None:
    drawn, bounds = ball(4).drawn, ball(4).bounds
    odd = drawn.vertices.copy()
    odd[::7, 1] = np.nan
    odd[3, 0] = np.inf
    for rough in roughened(odd, drawn.corners, bounds):
        assert rough.corners.max() < len(odd)
    assert roughened(odd, drawn.corners, bounds * np.inf) == ()
    with pytest.raises(ValueError, match="corners"):
        roughened(drawn.vertices[:5], drawn.corners, bounds)
