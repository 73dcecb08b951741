"""Stand-ins for heavy shapes while working light."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from msgspec.structs import replace

from gremio.core.edit.builder import shape
from gremio.core.files.sources import model_shelf
from gremio.core.frames import matrix
from gremio.core.rig.model import Part, Rig, Shape
from gremio.core.rig.solids import Box, Cylinder, SpurGear
from gremio.core.shape.solids import geometry_of
from gremio.core.surfaces.stand_in import StandIn, stand_in

GEAR = shape(SpurGear(module=0.02, teeth=24, width=0.1), ("1 m", 0, 0), (0, "90 deg", 0))
PIN = shape(Cylinder(diameter=0.05, height=0.8), ("1 m", 0, "-0.1 m"))


def made(kind: str, *shapes: Shape) -> trimesh.Trimesh:
    part = replace(Part("Thing", shapes=shapes), stand_in=kind)
    found: StandIn = stand_in(Rig(), part, model_shelf())
    mesh = trimesh.Trimesh(found.geometry.vertices, found.geometry.triangles)
    place = np.diag([*found.stretch, 1.0])
    place[:3, 3] = found.middle
    return mesh.apply_transform(place)


def corners(*shapes: Shape) -> np.ndarray:
    frames = [(geometry_of(s.solid).vertices, matrix(s.place)) for s in shapes]
    return np.concatenate([v @ f[:3, :3].T + f[:3, 3] for v, f in frames])


@pytest.mark.parametrize("kind", ["box", "hull", "outline"])
def test_a_stand_in_takes_up_the_room_of_the_shapes(kind: str) -> None:
    inside = corners(GEAR, PIN)
    bounds = np.stack([inside.min(axis=0), inside.max(axis=0)])
    assert made(kind, GEAR, PIN).bounds == pytest.approx(bounds, abs=1e-9)


def test_a_hull_is_that_of_trimesh_and_closed() -> None:
    hull = made("hull", GEAR, PIN)
    reference = trimesh.Trimesh(corners(GEAR, PIN)).convex_hull
    assert hull.is_watertight and hull.volume == pytest.approx(reference.volume)


def test_an_outline_is_the_widest_side_drawn_through() -> None:
    # A gear that stands across x is seen along x; each corner stands on one of both sides.
    outline = made("outline", GEAR)
    low, high = outline.bounds[:, 0]
    at = outline.vertices[:, 0]
    assert np.all(np.isclose(at, low) | np.isclose(at, high))
    assert outline.volume < made("box", GEAR).volume


def test_a_heavy_shape_is_lighter_when_it_stands_in() -> None:
    full = len(geometry_of(GEAR.solid).triangles)
    for kind in ("box", "hull", "outline"):
        assert 0 < len(made(kind, GEAR).triangles) < full


def test_a_box_stands_in_for_itself() -> None:
    box = shape(Box(length=0.4, width=0.2, height=0.1), (0, "1 m", 0), (0, 0, "90 deg"))
    assert made("hull", box).volume == pytest.approx(0.008)
    assert made("box", box).bounds == pytest.approx(
        np.array([[-0.1, 0.8, -0.05], [0.1, 1.2, 0.05]])
    )
