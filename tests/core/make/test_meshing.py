"""Gears that run together, checked by the outlines of their teeth."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.builder import shape
from gremio.core.edit.links import add_link
from gremio.core.frames import matrix
from gremio.core.make.gearing import Gear, gears_of, phase_error
from gremio.core.make.mates import make_mate
from gremio.core.make.meshing import fit_by_shift, interlock, interlock_train, mesh_between
from gremio.core.make.pairs import fitting_kinds, propose, with_figures
from gremio.core.mechanics import gears
from gremio.core.mechanics.ratios import FIGURES, arithmetic
from gremio.core.problem import GremioError
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Rig
from gremio.core.rig.solids import (
    AnySolid,
    Box,
    Cylinder,
    InternalGear,
    RackBar,
    SpurGear,
)
from gremio.core.shape import outlines
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.ask import solve

MODULE = 0.01


def spur(teeth: int, **more: float) -> SpurGear:
    return SpurGear(module=MODULE, teeth=teeth, width=0.05, **more)


def ring(teeth: int) -> InternalGear:
    rim = MODULE * (teeth + 6)
    return InternalGear(module=MODULE, teeth=teeth, width=0.05, rim=rim)


def yard(**solids: AnySolid) -> Rig:
    """Parts each with one solid, in a row that does not fit anything yet."""
    build = gremio.Builder("Yard")
    for i, (name, solid) in enumerate(solids.items()):
        if isinstance(solid, RackBar):
            build.part(name, shape(solid), at=(-0.16, -0.3, 0.0), joint="slide x")
        else:
            build.part(name, shape(solid), at=(0.13 * i, 0.07 * i, 0.0), joint="spin z")
    return build.rig


def outline(solid: AnySolid) -> np.ndarray:
    """Teeth with many points on each flank."""
    if isinstance(solid, RackBar):
        return outlines.rack(solid.module, solid.teeth, solid.back, solid.pressure_angle)
    assert isinstance(solid, SpurGear | InternalGear)
    make = outlines.spur_gear if isinstance(solid, SpurGear) else outlines.internal_gear
    return make(solid.module, solid.teeth, solid.pressure_angle, solid.shift, 60)


def depth_inside(points: np.ndarray, polygon: np.ndarray) -> np.ndarray:
    """(N,) distance to a polygon's rim: above zero inside it, below zero outside."""
    a, b = polygon, np.roll(polygon, -1, axis=0)
    x, y = points[:, None, 0], points[:, None, 1]
    crosses = (a[:, 1] > y) != (b[:, 1] > y)
    with np.errstate(divide="ignore", invalid="ignore"):
        at = a[:, 0] + (y - a[:, 1]) * (b[:, 0] - a[:, 0]) / (b[:, 1] - a[:, 1])
    inside = (crosses & (x < at)).sum(axis=1) % 2 == 1
    low, high = points.min(axis=0) - 2 * MODULE, points.max(axis=0) + 2 * MODULE
    beside = np.all((a > low) & (a < high), axis=1)
    a, b = a[beside], b[beside]
    side = b - a
    share = ((points[:, None] - a) * side).sum(axis=2) / np.maximum((side**2).sum(axis=1), 1e-30)
    nearest = a + np.clip(share, 0, 1)[..., None] * side
    away = np.linalg.norm(points[:, None] - nearest, axis=2).min(axis=1)
    return np.where(inside, away, -away)


def within_reach(points: np.ndarray, rim: np.ndarray, gear: Gear) -> np.ndarray:
    """Those of some points that the teeth of a gear could touch."""
    edge = 0.2 * MODULE
    if isinstance(gear.solid, RackBar):
        low, high = rim.min(axis=0) - edge, rim.max(axis=0) + edge
        return points[np.all((points > low) & (points < high), axis=1)]
    away = np.linalg.norm(points - gear.centre[:2], axis=1)
    reach = np.linalg.norm(rim - gear.centre[:2], axis=1)
    if isinstance(gear.solid, InternalGear):
        return points[away > reach.min() - edge]
    return points[away < reach.max() + edge]


def crossing(rig: Rig, one: str, two: str, values: dict[str, float]) -> tuple[float, float]:
    """How deep teeth cross, and how near they come (m), in a pose."""
    pose = solve(rig, values, geometry=geometry_of)
    mesh = mesh_between(rig, pose, part_id(rig, one), part_id(rig, two))
    rims = []
    for gear in (mesh.one, mesh.two):
        flat = outline(gear.solid)
        rims.append(flat @ gear.frame[:2, :2].T + gear.frame[:2, 3])
    near = []
    for points, rim, gear in ((rims[0], rims[1], mesh.two), (rims[1], rims[0], mesh.one)):
        found = within_reach(points, rim, gear)
        near.append(depth_inside(found, rim) if len(found) else np.array([-1.0]))
    if mesh.kind == "inside":
        # The rim of an internal gear is the rim of its hole: its teeth are outside of that.
        ring_first = isinstance(mesh.one.solid, InternalGear)
        pinion = near[1] if ring_first else near[0]
        depths = -pinion
    else:
        depths = np.concatenate(near)
    return float(depths.max()), float(np.abs(depths).min())


@pytest.mark.parametrize(
    ("one", "two"),
    [
        (spur(20), spur(33)),
        (spur(17), spur(17)),
        (spur(12, shift=0.4), spur(40, shift=0.1)),
        (spur(22), RackBar(module=MODULE, teeth=12, width=0.05, back=0.02)),
        (spur(20), ring(64)),
    ],
    ids=["20 and 33", "17 and 17", "shifted", "rack", "inside"],
)
def test_flanks_touch_and_never_cross_through_a_whole_pitch(one: AnySolid, two: AnySolid) -> None:
    rig = interlock(yard(A=one, B=two), "p1", "p2", geometry=geometry_of)
    proposal = propose(rig, solve(rig, geometry=geometry_of), "p1", "p2")
    assert proposal is not None
    rig, _ = add_link(rig, proposal.ratio())
    assert isinstance(one, SpurGear)
    for step in np.linspace(0.0, 2 * math.pi / one.teeth, 5):
        deep, near = crossing(rig, "A", "B", {"A": float(step)})
        assert deep < 1e-4 * MODULE
        assert near < 1e-4 * MODULE


def test_the_right_distance_is_that_of_iso_21771() -> None:
    rig = interlock(yard(A=spur(20), B=spur(33)), "p1", "p2", geometry=geometry_of)
    mesh = mesh_between(rig, solve(rig, geometry=geometry_of), "p1", "p2")
    assert mesh.distance == pytest.approx(MODULE * (20 + 33) / 2)
    rig = interlock(yard(A=spur(20), B=ring(64)), "p1", "p2", geometry=geometry_of)
    mesh = mesh_between(rig, solve(rig, geometry=geometry_of), "p1", "p2")
    assert mesh.distance == pytest.approx(MODULE * (64 - 20) / 2)


def test_the_working_distance_is_where_both_base_circles_say() -> None:
    # ISO 21771: at the working pressure angle, d_b1 + d_b2 = 2 a_w cos α_w, and the arcs of
    # both teeth on the working pitch circles fill just one pitch.
    m, z1, z2, x1, x2, alpha = 0.004, 15, 42, 0.45, 0.2, math.radians(20)
    a = gears.working_distance(m, z1, z2, x1 + x2, alpha)
    r1, r2 = a * z1 / (z1 + z2), a * z2 / (z1 + z2)
    teeth = 2 * r1 * gears.half_tooth_angle(r1, m, z1, alpha, x1)
    teeth += 2 * r2 * gears.half_tooth_angle(r2, m, z2, alpha, x2)
    assert teeth == pytest.approx(2 * math.pi * r1 / z1)
    assert gears.shifts_for(m, z1, z2, a, alpha) == pytest.approx(x1 + x2)


def test_a_train_is_placed_gear_after_gear_also_planets() -> None:
    rig = yard(Sun=spur(20), Planet=spur(22), Ring=ring(64), Idler=spur(31))
    for one, two in (("p1", "p2"), ("p2", "p3"), ("p1", "p4")):
        proposal = propose(
            interlock(rig, one, two, geometry=geometry_of),
            solve(interlock(rig, one, two, geometry=geometry_of), geometry=geometry_of),
            one,
            two,
        )
        assert proposal is not None
        rig, _ = add_link(rig, proposal.ratio())
    rig = interlock_train(rig, "p1", geometry=geometry_of)
    home = solve(rig, geometry=geometry_of)
    for one, two in (("p1", "p2"), ("p2", "p3"), ("p1", "p4")):
        mesh = mesh_between(rig, home, one, two)
        assert abs(mesh.gap) < 1e-9 and abs(phase_error(mesh)) < 1e-6


def test_a_gear_is_fitted_to_a_distance_by_profile_shift() -> None:
    rig = interlock(yard(A=spur(18), B=spur(40)), "p1", "p2", geometry=geometry_of)
    b = rig.parts["p2"]
    at = tuple(v * 1.012 for v in b.mount.at)
    rig = replace(rig, parts={**rig.parts, "p2": replace(b, mount=replace(b.mount, at=at))})
    fitted = fit_by_shift(rig, "p1", "p2", geometry=geometry_of)
    mesh = mesh_between(fitted, solve(fitted, geometry=geometry_of), "p1", "p2")
    assert abs(mesh.gap) < 1e-9 and abs(phase_error(mesh)) < 1e-6
    assert isinstance(mesh.one.solid, SpurGear) and 0.2 < mesh.one.solid.shift < 0.6
    far = replace(b, mount=replace(b.mount, at=(1.0, 0.0, 0.0)))
    with pytest.raises(GremioError, match="No profile shift"):
        fit_by_shift(replace(rig, parts={**rig.parts, "p2": far}), "p1", "p2", geometry=geometry_of)


def test_a_mate_runs_with_its_gear() -> None:
    rig = yard(A=spur(20))
    rig, mate = make_mate(rig, "p1", 30, geometry=geometry_of)
    mesh = mesh_between(rig, solve(rig, geometry=geometry_of), "p1", mate)
    assert mesh.distance == pytest.approx(0.25) and abs(phase_error(mesh)) < 1e-6
    rig, round_it = make_mate(rig, "p1", 70, inside=True, geometry=geometry_of)
    assert mesh_between(rig, solve(rig, geometry=geometry_of), "p1", round_it).kind == "inside"
    rig, apart = make_mate(rig, "p1", 30, distance=0.253, geometry=geometry_of)
    mesh = mesh_between(rig, solve(rig, geometry=geometry_of), "p1", apart)
    assert mesh.distance == pytest.approx(0.253) and abs(mesh.gap) < 1e-9


def test_unlike_teeth_are_not_placed() -> None:
    rig = yard(
        A=spur(20),
        B=SpurGear(module=0.012, teeth=20, width=0.05),
        C=Box(length=1, width=1, height=1),
    )
    with pytest.raises(GremioError, match=r"module 10 mm\) and B \(module 12 mm"):
        interlock(rig, "p1", "p2", geometry=geometry_of)
    with pytest.raises(GremioError, match="no gear or rack on both"):
        interlock(rig, "p1", "p3", geometry=geometry_of)


def test_what_geometry_proposes_in_words() -> None:
    rig = interlock(yard(Wheel=spur(60), Pinion=spur(20)), "p1", "p2", geometry=geometry_of)
    proposal = propose(rig, solve(rig, geometry=geometry_of), "p1", "p2")
    assert proposal is not None
    assert proposal.words == "60 ÷ 20, outside mesh, turns against: −3"
    assert proposal.ratio().ratio == -3.0 and proposal.ratio().kind == "gear pair"


@pytest.mark.parametrize("turned", [(0, 0, 0), ("180 deg", 0, 0)])
def test_the_way_follows_the_axes(turned: tuple) -> None:
    build = gremio.Builder("Yard")
    build.part("A", shape(spur(20)), joint="spin z")
    build.part("B", shape(spur(40)), at=(0.3, 0, 0), turned=turned, joint="spin z")
    proposal = propose(build.rig, solve(build.rig, geometry=geometry_of), "p1", "p2")
    assert proposal is not None
    assert proposal.ratio().ratio == (-0.5 if turned == (0, 0, 0) else 0.5)


def test_a_rack_goes_where_its_pinion_takes_it() -> None:
    bar = RackBar(module=MODULE, teeth=12, width=0.05, back=0.02)
    rig = interlock(yard(A=spur(22), B=bar), "p1", "p2", geometry=geometry_of)
    proposal = propose(rig, solve(rig, geometry=geometry_of), "p1", "p2")
    assert proposal is not None
    # A pinion above the rack that turns anticlockwise takes its lowest tooth along +x.
    assert proposal.ratio().ratio == pytest.approx(0.11)
    back = propose(rig, solve(rig, geometry=geometry_of), "p2", "p1")
    assert back is not None and back.ratio().ratio == pytest.approx(1 / 0.11)
    assert arithmetic("rack and pinion", {"pitch radius": 0.11}, 1).ratio * 2 * math.pi == (
        pytest.approx(gears.rack_travel(MODULE, 22))
    )


def test_round_things_propose_belts_winches_and_wheels() -> None:
    build = gremio.Builder("Quay")
    build.part("Drum", shape(Cylinder(diameter=0.4, height=0.3)), joint="spin z")
    build.part("Pulley", shape(Cylinder(diameter=0.2, height=0.3)), at=(1, 0, 0), joint="spin z")
    build.part("Hook", shape(Box(length=0.1, width=0.1, height=0.1)), at=(2, 0, 0), joint="slide z")
    build.part("Trolley", shape(Box(length=1, width=1, height=0.1)), joint="slide x")
    wheel = shape(Cylinder(diameter=0.5, height=0.1), turned=("90 deg", 0, 0))
    build.part("Roller", wheel, on="Trolley", joint="spin y")
    rig, pose = build.rig, solve(build.rig, geometry=geometry_of)
    belt = propose(rig, pose, part_id(rig, "Drum"), part_id(rig, "Pulley"))
    assert belt is not None and belt.kind == "belt" and belt.ratio().ratio == pytest.approx(2.0)
    winch = propose(rig, pose, part_id(rig, "Drum"), part_id(rig, "Hook"))
    assert winch is not None and winch.kind == "winch"
    assert with_figures(winch, {"falls": 4.0}, 1).ratio().ratio == pytest.approx(0.2 / 4)
    roll = propose(rig, pose, part_id(rig, "Trolley"), part_id(rig, "Roller"))
    assert roll is not None and roll.kind == "rolling wheel"
    # One circumference is one turn (common practice), forward about +y.
    assert roll.ratio().ratio * math.pi * 0.5 == pytest.approx(2 * math.pi)
    assert propose(rig, pose, part_id(rig, "Hook"), part_id(rig, "Trolley")) is None


@pytest.mark.parametrize(
    ("kind", "figures", "ratio"),
    [
        ("worm", (2, 40), 0.05),
        ("chain", (15, 45), 1 / 3),
        ("bevel pair", (18, 36), 0.5),
        ("lead screw", (0.004,), 0.004 / (2 * math.pi)),  # Tr 20 × 4, ISO 2904 from memory
        ("hydraulic pair", (0.02, 0.04), 0.25),
        ("winch", (0.3, 2), 0.075),
        ("rolling wheel", (0.3,), 1 / 0.3),
    ],
)
def test_ratios_from_figures(kind, figures, ratio) -> None:
    named = {figure.name: value for figure, value in zip(FIGURES[kind], figures, strict=True)}
    assert arithmetic(kind, named, 1).ratio == pytest.approx(ratio)
    assert arithmetic(kind, named, -1).ratio == pytest.approx(-ratio)
    with pytest.raises(GremioError, match="must be above zero"):
        arithmetic(kind, dict.fromkeys(named, 0.0), 1)


def test_a_planet_is_seen_from_the_arm_that_carries_it() -> None:
    build = gremio.Builder("Winch head")
    build.part("Sun", shape(spur(20)), joint="spin z")
    build.part("Arm", shape(Box(length=0.4, width=0.05, height=0.02)), joint="spin z")
    build.part("Planet", shape(spur(22)), on="Arm", at=(0.21, 0, 0), joint="spin z")
    rig = build.rig
    proposal = propose(
        rig, solve(rig, geometry=geometry_of), part_id(rig, "Sun"), part_id(rig, "Planet")
    )
    assert proposal is not None and proposal.carrier == f"{part_id(rig, 'Arm')} turn z"


def test_kinds_that_fit_two_channels(lock: Rig) -> None:
    pinion, paddle = (
        f"{part_id(lock, n)} {c}"
        for n, c in (("Pinion, east", "turn y"), ("Paddle, east", "move z"))
    )
    assert set(fitting_kinds(pinion, paddle)) == {
        "rack and pinion", "lead screw", "winch", "rolling wheel",
    }  # fmt: skip


def test_gears_of_a_part_stand_where_its_shapes_do(lock: Rig) -> None:
    pose = solve(lock, geometry=geometry_of)
    (gear,) = gears_of(lock, pose, part_id(lock, "Windlass"))
    part = lock.parts[part_id(lock, "Windlass")]
    assert gear.frame == pytest.approx(pose.part("Windlass").world @ matrix(part.shapes[0].place))


@pytest.mark.parametrize(
    ("one", "two"),
    [
        (spur(20), spur(33)),
        (spur(12, shift=0.4), spur(40, shift=0.1)),
        (spur(22), RackBar(module=MODULE, teeth=12, width=0.05, back=0.02)),
        (spur(20), ring(64)),
    ],
    ids=["20 and 33", "shifted", "rack", "inside"],
)
def test_backlash_is_the_play_that_the_made_teeth_have(one: AnySolid, two: AnySolid) -> None:
    """The sections of the made teeth touch when one is turned on by half the play along its
    working pitch circle, either way, and not before (the definition in ISO 21771)."""
    play = 0.06 * MODULE
    rig = yard(A=one, B=two)
    rig = gremio.mesh(rig, "A", "B", backlash=play)
    home = solve(rig, geometry=geometry_of)
    mesh = mesh_between(rig, home, part_id(rig, "A"), part_id(rig, "B"))
    assert mesh.backlash == pytest.approx(play, rel=1e-6) and abs(mesh.gap) < 1e-12
    assert crossing(rig, "A", "B", {})[0] < -0.3 * play
    # Turned on against B, which stands still: the ratio is taken out.
    rig = replace(rig, links={})
    gear = mesh.one if mesh.one.body == part_id(rig, "A") else mesh.two
    assert isinstance(gear.solid, SpurGear)
    z = gear.solid.teeth
    if isinstance(two, SpurGear):
        working = mesh.distance * z / (z + two.teeth)
    elif isinstance(two, InternalGear):
        working = mesh.distance * z / (two.teeth - z)
    else:
        working = gear.radius
    for way in (1.0, -1.0):
        for share, touches in ((0.9, False), (1.1, True)):
            turn = way * share * play / 2 / working
            deep, _ = crossing(rig, "A", "B", {"A": turn})
            assert (deep > -1e-5 * MODULE) == touches


def test_backlash_is_kept_by_what_places_teeth_and_told_where_it_is_not_there() -> None:
    rig = gremio.mesh(yard(A=spur(20), B=spur(33)), "A", "B", backlash=0.5e-3)
    far = mesh_between(rig, solve(rig, geometry=geometry_of), "p1", "p2").distance
    # Δa ≈ j / (2 tan α): common practice for small backlash.
    assert far - 0.265 == pytest.approx(0.5e-3 / (2 * math.tan(math.radians(20))), rel=0.02)
    assert not [f for f in gremio.inspect(rig) if f.note.code.startswith("gear")]
    tight = replace(rig, links={i: replace(link, backlash=0.0) for i, link in rig.links.items()})
    (found,) = [f for f in gremio.inspect(tight) if f.note.code == "gear-distance"]
    assert found.mends
    placed = interlock(tight, "p1", "p2", geometry=geometry_of)
    mesh = mesh_between(placed, solve(placed, geometry=geometry_of), "p1", "p2")
    assert mesh.distance == pytest.approx(0.265)
    # By profile shift at the distance there is, the play stays as asked.
    wide = replace(rig, links={i: replace(x, backlash=0.1e-3) for i, x in rig.links.items()})
    fitted = fit_by_shift(wide, "p1", "p2", geometry=geometry_of)
    mesh = mesh_between(fitted, solve(fitted, geometry=geometry_of), "p1", "p2")
    assert mesh.backlash == pytest.approx(0.1e-3, rel=1e-6) and mesh.distance == pytest.approx(far)
    with pytest.raises(GremioError, match="0 mm or more"):
        gremio.mesh(yard(A=spur(20), B=spur(33)), "A", "B", backlash=-1e-3)
    with pytest.raises(GremioError, match="no place"):
        gremio.mesh(yard(A=spur(20), B=ring(64)), "A", "B", backlash=0.5)


@pytest.mark.parametrize(("teeth", "inside"), [(0, True), (0, False), (4, False), (11, True)])
def test_a_mate_of_too_few_teeth_is_refused(teeth: int, inside: bool) -> None:
    with pytest.raises(GremioError, match=r"needs (5|12) teeth at least|wider|narrower|above zero"):
        make_mate(yard(one=spur(20)), "p1", teeth, inside=inside, geometry=geometry_of)
