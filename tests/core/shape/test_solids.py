from __future__ import annotations

import math

import numpy as np
import pytest
import trimesh

from gremio.core.mechanics import gears
from gremio.core.problem import GremioError
from gremio.core.rig.solids import (
    AnySolid,
    Box,
    Cylinder,
    Mesh,
    Plate,
    RackBar,
    SpurGear,
    Tube,
    Wedge,
)
from gremio.core.shape import outlines
from gremio.core.shape.features import places
from gremio.core.shape.geometry import Geometry, moved, welded
from gremio.core.shape.solids import geometry_of

ALPHA = math.radians(20)

SOLIDS: list[tuple[AnySolid, float]] = [
    (Box(length=2, width=3, height=4), 24.0),
    (Cylinder(diameter=2, height=3), math.pi * 3),
    (Tube(outer_diameter=2, inner_diameter=1, height=3), math.pi * 0.75 * 3),
    (Wedge(length=2, width=3, height=1), 3.0),
    (Plate(length=2, width=1, thickness=0.1, holes=((0.5, 0, 0.4),)), 0.2 - math.pi * 0.004),
]


@pytest.mark.parametrize(("solid", "volume"), SOLIDS)
def test_solids_are_closed_and_have_their_volume(solid: AnySolid, volume: float) -> None:
    made = geometry_of(solid)
    mesh = trimesh.Trimesh(made.vertices, made.triangles, process=False)
    assert mesh.is_watertight and mesh.is_winding_consistent
    # Round sides are polygons of 48 or 64 corners, less than 0.3 % short in area.
    assert mesh.volume == pytest.approx(volume, rel=4e-3)


@pytest.mark.parametrize("teeth", [6, 12, 17, 18, 41, 42, 72, 150])
def test_gears_are_closed_and_lie_between_root_and_tip(teeth: int) -> None:
    solid = SpurGear(module=0.01, teeth=teeth, width=0.05, bore=0.02)
    made = geometry_of(solid)
    mesh = trimesh.Trimesh(made.vertices, made.triangles, process=False)
    assert mesh.is_watertight and mesh.is_winding_consistent and mesh.volume > 0
    outline = outlines.spur_gear(0.01, teeth, ALPHA)
    radii = np.hypot(*outline.T)
    # Tip and root diameters of ISO 21771 with the addendum and dedendum of ISO 53.
    assert radii.max() == pytest.approx(gears.tip_diameter(0.01, teeth) / 2, rel=1e-9)
    assert radii.min() == pytest.approx(gears.root_diameter(0.01, teeth) / 2, rel=1e-9)


@pytest.mark.parametrize("teeth", [18, 25, 72])
def test_tooth_thickness_at_the_pitch_circle(teeth: int) -> None:
    # s = π m / 2 along the pitch circle (ISO 21771), measured on the outline drawn.
    module = 0.01
    outline = outlines.spur_gear(module, teeth, ALPHA)
    radius = gears.pitch_diameter(module, teeth) / 2
    tooth = outline[: len(outline) // teeth]
    lower = tooth[tooth[:, 1] < 0]
    radii, angles = np.hypot(*lower.T), np.arctan2(lower[:, 1], lower[:, 0])
    half = -np.interp(radius, radii, angles)
    assert 2 * half * radius == pytest.approx(math.pi * module / 2, rel=1e-6)


@pytest.mark.parametrize("teeth", [18, 30, 72])
def test_flank_points_lie_on_the_involute(teeth: int) -> None:
    # On an involute the tangent to the base circle at roll θ has the length r_b θ, so a
    # point at radius r lies at the polar angle inv(acos(r_b / r)) (ISO 21771).
    module = 0.01
    base = gears.base_diameter(module, teeth) / 2
    outline = outlines.spur_gear(module, teeth, ALPHA)
    flank = outline[5:12]
    radii, angles = np.hypot(*flank.T), -np.arctan2(flank[:, 1], flank[:, 0])
    start = math.pi / (2 * teeth) + gears.involute(ALPHA)
    for radius, angle in zip(radii, angles, strict=True):
        pressure = math.acos(min(1.0, base / radius))
        assert angle == pytest.approx(start - gears.involute(pressure), abs=1e-9)


def test_rack_pitch_depth_and_flank_angle() -> None:
    # Basic rack of ISO 53: pitch π m, addendum 1.00 m, dedendum 1.25 m, flanks at 20°.
    module = 0.01
    outline = outlines.rack(module, 8, 0.02, ALPHA)
    assert outline[:, 1].max() == pytest.approx(module)
    assert outline[:, 1].min() == pytest.approx(-1.25 * module - 0.02)
    tips = np.sort(outline[np.isclose(outline[:, 1], module)][:, 0])
    middles = (tips[0::2] + tips[1::2]) / 2
    assert np.diff(middles) == pytest.approx(np.full(7, math.pi * module))
    assert middles[0] == pytest.approx(0.0, abs=1e-12)
    assert tips[1] - tips[0] == pytest.approx(math.pi * module / 2 - 2 * module * math.tan(ALPHA))
    made = geometry_of(RackBar(module=module, teeth=8, width=0.05, back=0.02))
    assert trimesh.Trimesh(made.vertices, made.triangles, process=False).is_watertight


def test_gear_and_rack_mesh_without_cutting_into_each_other() -> None:
    # At the standard distance the teeth of a pinion fill the spaces of its rack: no corner
    # of the one lies inside the other by more than the chord of a drawn flank.
    module, teeth = 0.01, 18
    pinion = outlines.spur_gear(module, teeth, ALPHA)
    turn = math.pi / 2 + math.pi  # a tooth points to −y, into a space of the rack
    cos, sin = math.cos(turn), math.sin(turn)
    pinion = pinion @ np.array([[cos, sin], [-sin, cos]])
    pinion = pinion + [2.5 * math.pi * module, teeth * module / 2]
    near = pinion[pinion[:, 1] < module]
    phase = (near[:, 0] / (math.pi * module) + 0.5) % 1 - 0.5
    half_tooth = (math.pi / 4 * module - near[:, 1] * math.tan(ALPHA)) / (math.pi * module)
    inside = (near[:, 1] > -1.25 * module) & (np.abs(phase) < half_tooth - 5e-3)
    assert not inside.any()


@pytest.mark.parametrize(
    ("solid", "words"),
    [
        (Box(length=0, width=1, height=1), "length of a box must be above zero"),
        (Cylinder(diameter=-1, height=1), "diameter of a cylinder"),
        (Tube(outer_diameter=1, inner_diameter=1, height=1), "narrower than the tube"),
        (SpurGear(module=0.01, teeth=3, width=0.1), "5 teeth"),
        (SpurGear(module=0.01, teeth=20, width=0.1, bore=0.3), "bore"),
        (Plate(length=1, width=1, thickness=0.1, holes=((0.5, 0, 0.2),)), "past its rim"),
        (Box(length=math.nan, width=1, height=1), "length of a box"),
    ],
)
def test_dimensions_that_can_not_be(solid: AnySolid, words: str) -> None:
    with pytest.raises(GremioError, match=words):
        geometry_of(solid)


def test_a_mesh_stands_in_as_a_box_of_its_size() -> None:
    made = geometry_of(Mesh(source="s1", piece="x", centre=(1, 2, 3), size=(2, 4, 6)))
    assert made.bounds == pytest.approx(np.array([[0, 0, 0], [2, 4, 6]]))


def test_places_of_a_plate_are_its_corners_edges_and_holes() -> None:
    found = places(geometry_of(Plate(length=2, width=1, thickness=0.2, holes=((0.5, 0.1, 0.4),))))
    circles = [p for p in found if p.kind == "circle centre"]
    assert len(circles) == 2
    assert sorted(float(c.at[2]) for c in circles) == pytest.approx([-0.1, 0.1])
    for circle in circles:
        assert circle.at[:2] == pytest.approx([0.5, 0.1], abs=1e-9)
        assert circle.direction is not None and abs(circle.direction[2]) == pytest.approx(1.0)
    corners = {tuple(np.round(p.at, 6)) for p in found if p.kind == "corner"}
    assert (1.0, 0.5, 0.1) in corners and len(corners) == 8
    middles = {tuple(np.round(p.at, 6)) for p in found if p.kind == "edge middle"}
    assert (0.0, 0.5, 0.1) in middles and len(middles) == 12


def test_welding_joins_corners_and_drops_empty_triangles() -> None:
    square = [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 0, 0], [1, 1, 0], [0, 1, 0]]
    made = welded(square, [[0, 1, 2], [3, 4, 5], [0, 3, 1]])
    assert len(made.vertices) == 4 and len(made.triangles) == 2
    # The border of the square is drawn, its flat diagonal is not.
    assert int(made.edges.sharp.sum()) == 4 and len(made.edges.ends) == 4


def test_normals_are_smooth_round_a_bar_and_sharp_at_its_rim() -> None:
    bar = geometry_of(Cylinder(diameter=2, height=2))
    flat = bar.corner_normals.reshape(-1, 3)
    corners = bar.vertices[bar.triangles].reshape(-1, 3)
    ends = np.abs(flat[:, 2]) > 0.99
    outward = corners[~ends][:, :2] / np.linalg.norm(corners[~ends][:, :2], axis=1, keepdims=True)
    assert np.einsum("ij,ij->i", flat[~ends][:, :2], outward).min() > 0.998


def test_mirroring_keeps_the_outside_out() -> None:
    box = geometry_of(Box(length=1, width=1, height=1))
    mirrored = moved(box, np.diag([1.0, -1.0, 1.0, 1.0]))
    assert isinstance(mirrored, Geometry)
    assert trimesh.Trimesh(mirrored.vertices, mirrored.triangles).volume == pytest.approx(1.0)
