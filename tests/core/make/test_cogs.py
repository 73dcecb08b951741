"""Cogs that were brought in: teeth counted, pairs recognized, one placed in the other."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
import trimesh
from shapely import affinity
from shapely.geometry import Polygon

import gremio
from gremio.core.files.bring_in import bring_in
from gremio.core.files.model_in import read_model
from gremio.core.files.sources import model_shelf
from gremio.core.make.axes import with_joint_on_axis
from gremio.core.make.cogs import interlock_cogs, pair_of_cogs
from gremio.core.make.pairs import propose
from gremio.core.problem import GremioError
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Joint, Rig
from gremio.core.shape.cogs import cogs_on
from gremio.core.shape.features import round_axis
from gremio.core.shape.geometry import Geometry


def outline(teeth: int, module: float, phase: float = 0.0, *, ring: bool = False) -> Polygon:
    """Trapezoidal teeth of full depth (ISO 53: 1 module above, 1.25 below the pitch circle)."""
    over, under = (-1.0, 1.25) if ring else (1.0, -1.25)
    tip, root = (module * (teeth / 2 + depth) for depth in (over, under))
    corners = []
    for tooth in range(teeth):
        for share, radius in ((-0.30, root), (-0.15, tip), (0.15, tip), (0.30, root)):
            turn = phase + 2 * math.pi * (tooth + share) / teeth
            corners.append((radius * math.cos(turn), radius * math.sin(turn)))
    teeth_line = Polygon(corners)
    if not ring:
        return teeth_line
    rim = Polygon([(2.2 * root / 2 * math.cos(t), 2.2 * root / 2 * math.sin(t))
                   for t in np.linspace(0, 2 * math.pi, 240, endpoint=False)])  # fmt: skip
    return rim.difference(teeth_line)


def solid(shape: Polygon, tall: float = 0.02) -> trimesh.Trimesh:
    return trimesh.creation.extrude_polygon(shape, tall)


def surface(mesh: trimesh.Trimesh) -> Geometry:
    return Geometry(np.asarray(mesh.vertices), np.asarray(mesh.faces))


@pytest.mark.parametrize("teeth", [6, 7, 12, 17, 40, 73, 120])
@pytest.mark.parametrize("ring", [False, True])
def test_teeth_are_counted_and_one_is_found(
    teeth: int, ring: bool, rng: np.random.Generator
) -> None:
    if ring and teeth < 12:
        return
    phase = float(rng.uniform(0, 2 * math.pi))
    mesh = solid(outline(teeth, 0.005, phase, ring=ring))
    away = trimesh.transformations.random_rotation_matrix(rng.random(3))
    away[:3, 3] = rng.uniform(-1, 1, 3)
    mesh.apply_transform(away)
    (cog,) = cogs_on(surface(mesh))
    assert (cog.teeth, cog.inside) == (teeth, ring)
    assert cog.module == pytest.approx(0.005, rel=4e-3)
    assert abs(cog.axis @ away[:3, 2]) == pytest.approx(1.0, abs=1e-6)
    zero = away[:3, :3].T @ cog.zero
    off = (math.atan2(zero[1], zero[0]) - phase) * teeth / (2 * math.pi)
    assert abs(off - round(off)) < 0.01, "in pitches"


@pytest.mark.parametrize("mesh", [
    trimesh.creation.cylinder(0.1, 0.02),
    trimesh.creation.cylinder(0.1, 0.02, sections=8),
    trimesh.creation.annulus(0.05, 0.1, 0.02, sections=16),
    trimesh.creation.box((0.1, 0.2, 0.3)),
    trimesh.creation.icosphere(3, 0.1),
    trimesh.creation.torus(0.2, 0.05),
])  # fmt: skip
def test_what_has_no_teeth_has_none(mesh: trimesh.Trimesh) -> None:
    assert cogs_on(surface(mesh)) == ()


def test_a_smooth_ring_and_a_bar_give_their_axis_and_a_ball_none() -> None:
    ring = trimesh.creation.torus(0.2, 0.05)
    turn = trimesh.transformations.rotation_matrix(0.7, (1, 2, 0.3))
    ring.apply_transform(turn)
    place = round_axis(np.asarray(ring.vertices))
    assert place is not None and place.direction is not None
    assert abs(place.direction @ turn[:3, 2]) == pytest.approx(1.0, abs=1e-6)
    assert place.size == pytest.approx(0.25, rel=1e-3) and place.at == pytest.approx(0, abs=1e-9)
    assert round_axis(np.asarray(trimesh.creation.icosphere(3).vertices)) is None
    assert round_axis(np.asarray(trimesh.creation.box((1, 1, 1)).vertices)) is None


def brought_in(
    tmp_path: Path, *pieces: tuple[str, trimesh.Trimesh], round_ones: bool = True
) -> tuple[Rig, object]:
    """A rig of pieces that turn about z, and what finds their surfaces. round_ones: each must have
    an axis of its own."""
    scene = trimesh.Scene()
    for name, mesh in pieces:
        scene.add_geometry(mesh, node_name=name, geom_name=name)
    file = tmp_path / "cogs.glb"
    scene.export(file)
    shelf = model_shelf()
    model = read_model(file, 1.0, "z")
    shelf.put(model)
    rig, _ = bring_in(Rig(name="Cogs"), model)
    bare = rig

    def geometry(solid: object) -> Geometry:
        return shelf.geometry(bare, solid)

    for part in rig.parts:
        pose = gremio.solve(rig)
        rig, laid = with_joint_on_axis(rig, part, Joint("spin", "z"), pose, geometry=geometry)
        assert laid or not round_ones, "a cog turns about its own axis from the start"
    return rig, geometry


def placed(shape: Polygon, x: float, y: float = 0.0) -> trimesh.Trimesh:
    mesh = solid(shape)
    mesh.apply_translation((x, y, 0.0))
    return mesh


@pytest.mark.parametrize(("teeth", "angle", "ring"), [
    ((20, 60), 0.0, False), ((17, 31), 1.1, False), ((31, 17), -2.0, False), ((18, 60), 0.4, True),
])  # fmt: skip
def test_a_pair_is_recognized_and_stands_tooth_in_space(
    teeth: tuple[int, int], angle: float, ring: bool, tmp_path: Path
) -> None:
    """Checked on sections of both, turned together through a pitch: nothing cuts (shapely)."""
    module = 0.005
    one, two = outline(teeth[0], module, 0.3), outline(teeth[1], module, 1.234, ring=ring)
    apart = module * (teeth[1] - teeth[0] if ring else sum(teeth)) / 2 * 1.004
    x, y = apart * math.cos(angle), apart * math.sin(angle)
    rig, geometry = brought_in(tmp_path, ("One", placed(one, 0.0)), ("Two", placed(two, x, y)))
    ids = part_id(rig, "One"), part_id(rig, "Two")
    pose = gremio.solve(rig)
    pair = pair_of_cogs(rig, pose, *ids, geometry)
    assert pair is not None and pair.inside is ring
    found = propose(rig, pose, *ids, geometry=geometry)
    assert found is not None
    sign = 1 if ring else -1
    assert found.ratio().ratio == pytest.approx(sign * teeth[0] / teeth[1])
    rig = interlock_cogs(rig, *ids, geometry=geometry)
    turned = gremio.solve(rig).world(ids[1])[:2, :2] @ pose.world(ids[1])[:2, :2].T
    beta = math.atan2(turned[1, 0], turned[0, 0])
    assert abs(beta) <= math.pi / teeth[1] + 1e-9, "no more than half a pitch"
    for step in np.linspace(0, 2 * math.pi / teeth[0], 7):
        here = affinity.rotate(one, step, origin=(0, 0), use_radians=True)
        there = affinity.rotate(two, beta + sign * step * teeth[0] / teeth[1], origin=(0, 0),
                                use_radians=True)  # fmt: skip
        cut = here.intersection(affinity.translate(there, x, y)).area
        assert cut < 0.02 * module**2, f"{cut / module**2} square modules at {step}"


def test_cogs_that_do_not_meet_are_no_pair(tmp_path: Path) -> None:
    small, large = outline(20, 0.005), outline(40, 0.005)
    rig, geometry = brought_in(
        tmp_path, ("One", placed(small, 0.0)), ("Far", placed(large, 0.3)),
        ("Coarse", placed(outline(12, 0.012), 0.0, 0.125)),
    )  # fmt: skip
    one, far, coarse = (part_id(rig, name) for name in ("One", "Far", "Coarse"))
    pose = gremio.solve(rig)
    assert pair_of_cogs(rig, pose, one, far, geometry) is None
    assert pair_of_cogs(rig, pose, one, coarse, geometry) is None
    with pytest.raises(GremioError, match="no pair"):
        interlock_cogs(rig, one, far, geometry=geometry)
