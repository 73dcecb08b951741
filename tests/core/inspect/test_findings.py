from __future__ import annotations

import math

import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.builder import shape
from gremio.core.edit.parts import set_joint
from gremio.core.edit.prepare import (
    mount_along,
    mount_at,
    to_ground,
    without_scale,
)
from gremio.core.frames import Frame
from gremio.core.inspect.findings import inspect
from gremio.core.make.meshing import interlock, mesh_between
from gremio.core.problem import GremioError
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Anchor, Joint, Measure, Part, Ratio, Repeat, Rig, Rolling, Shape
from gremio.core.rig.solids import Box, Cylinder, Plate, SpurGear
from gremio.core.shape.features import places
from gremio.core.shape.measure import measured
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.ask import solve
from gremio.core.solve.axes import channel_frame
from gremio.core.solve.repeats import copies

M = 0.01


def pair(one: SpurGear, two: SpurGear, apart: float, ratio: float | None = None) -> Rig:
    build = gremio.Builder("Pair")
    build.part("Wheel", shape(one), joint="spin z")
    build.part("Pinion", shape(two), at=(apart, 0, 0), joint="spin z")
    build.rig = replace(
        build.rig,
        links={
            "k1": Ratio("p1 turn z", "p2 turn z", ratio or -one.teeth / two.teeth, kind="gear pair")
        },
    )
    return build.rig


def gear(teeth: int, module: float = M, **more: float) -> SpurGear:
    return SpurGear(module=module, teeth=teeth, width=0.05, **more)


def codes(rig: Rig) -> list[str]:
    return [finding.note.code for finding in inspect(rig, geometry=geometry_of)]


def mended(rig: Rig, code: str, which: int = 0) -> Rig:
    """The rig after the mend of the one note with a code, which must be gone."""
    (finding,) = (f for f in inspect(rig, geometry=geometry_of) if f.note.code == code)
    after = finding.mends[which].edit(rig)
    assert code not in codes(after)
    return after


def test_the_demo_has_nothing_to_mend(lock: Rig) -> None:
    assert [f.note.text for f in inspect(lock, geometry=geometry_of)] == []


def test_teeth_that_cross_and_both_ways_to_mend_them() -> None:
    rig = pair(gear(40), gear(20), 0.297)
    (finding,) = inspect(rig, geometry=geometry_of)
    assert finding.note.part == "Pinion"
    assert "cross by 3.00 mm: they are 297.00 mm apart and should be 300.00 mm" in finding.note.text
    assert codes(mended(rig, "gear-distance")) == []
    wide = pair(gear(40), gear(20), 0.302)
    assert "miss each other by 2.00 mm" in inspect(wide, geometry=geometry_of)[0].note.text
    shifted = mended(wide, "gear-distance", 1)
    assert shifted.parts["p2"].mount.at[0] == pytest.approx(0.302)
    assert codes(shifted) == []


def test_tooth_on_tooth_is_told_and_turned_on() -> None:
    rig = pair(gear(40), gear(20), 0.3)
    assert codes(rig) == ["gear-phase"]
    assert "by 0.50 of a pitch" in inspect(rig, geometry=geometry_of)[0].note.text
    assert mended(rig, "gear-phase").parts["p2"].mount.at == pytest.approx((0.3, 0, 0))


def test_undercut_unlike_modules_angles_and_ratios() -> None:
    undercut = interlock(pair(gear(40), gear(12), 0.26), "p1", "p2", geometry=geometry_of)
    assert codes(undercut) == ["gear-undercut"]
    assert (
        "12 teeth, which are undercut below 17"
        in inspect(undercut, geometry=geometry_of)[0].note.text
    )
    mended(undercut, "gear-undercut")
    unlike = pair(gear(40), gear(20, module=0.012), 0.3)
    assert codes(unlike) == ["gear-modules"]
    assert codes(mended(unlike, "gear-modules")) == ["gear-phase"]
    angles = pair(gear(40), gear(20, pressure_angle=math.radians(25)), 0.3)
    assert codes(angles) == ["gear-angles"]
    wrong = interlock(pair(gear(40), gear(20), 0.3, ratio=-2.5), "p1", "p2", geometry=geometry_of)
    assert codes(wrong) == ["gear-ratio"]
    assert mended(wrong, "gear-ratio").links["k1"].ratio == -2.0


def test_too_little_clearance_is_told() -> None:
    rig = pair(gear(30, shift=0.8), gear(30, shift=0.8), 0.3)
    rig = interlock(rig, "p1", "p2", geometry=geometry_of)
    assert "gear-clearance" in codes(rig)
    mesh = mesh_between(rig, solve(rig, geometry=geometry_of), "p1", "p2")
    assert abs(mesh.gap) < 1e-9


def test_a_wheel_that_slips_hangs_or_sinks() -> None:
    def wheel(height: float, radius: float) -> Rig:
        bar = Shape(Cylinder(diameter=0.5, height=0.1), Frame(turn=(0.5**0.5, 0.5**0.5, 0, 0)))
        return Rig(
            parts={
                "p1": Part("Cart", joint=Joint("planar", "z")),
                "p2": Part("Wheel", "p1", Frame((0, 0, height)), Joint("spin", "y"), shapes=(bar,)),
            },
            links={"k1": Rolling("p2 turn y", radius)},
        )

    assert codes(wheel(0.25, 0.25)) == []
    assert (
        "hangs above the ground by 50.0 mm"
        in inspect(wheel(0.30, 0.25), geometry=geometry_of)[0].note.text
    )
    assert (
        "sinks into the ground by 50.0 mm"
        in inspect(wheel(0.20, 0.25), geometry=geometry_of)[0].note.text
    )
    slipping = wheel(0.25, 0.20)
    assert "slips 250 mm in every metre" in inspect(slipping, geometry=geometry_of)[0].note.text
    assert mended(slipping, "wheel-radius").links["k1"].radius == pytest.approx(0.25)


def test_stray_scale_is_taken_out_and_nothing_moves() -> None:
    box = Shape(Box(length=1, width=1, height=1), Frame((0.5, 0, 0)))
    rig = Rig(
        parts={
            "p1": Part("Frame", mount=Frame((1, 2, 3), scale=(2.0, 2.0, 2.0)), shapes=(box,)),
            "p2": Part("Arm", "p1", Frame((1, 0, 0)), Joint("hinge", "z"), shapes=(box,)),
            "p3": Part("Bolt", "p2", Frame((0, 1, 0)), Joint("slide", "x"), shapes=(box,)),
        },
        at={"p2 turn z": 0.4, "p3 move x": 0.1},
    )
    assert codes(rig) == ["scale-stray"]
    after = mended(rig, "scale-stray")
    assert all(p.mount.scale == (1.0, 1.0, 1.0) for p in after.parts.values())
    for part in rig.parts:
        was = solve(rig, geometry=geometry_of).world(part) @ _corner(rig, part)
        assert solve(after, geometry=geometry_of).world(part) @ _corner(
            after, part
        ) == pytest.approx(was)
    askew = replace(rig.parts["p1"], mount=Frame(scale=(2.0, 1.0, 1.0)))
    arm = replace(rig.parts["p2"], mount=Frame(turn=(0.9, 0, 0, 0.43589)), joint=Joint())
    with pytest.raises(GremioError, match="stands askew in an uneven scale"):
        without_scale(replace(rig, parts={"p1": askew, "p2": arm}), "p1")


def _corner(rig: Rig, part: str):
    from gremio.core.frames import matrix

    return matrix(rig.parts[part].shapes[0].place) @ [0.5, 0.5, 0.5, 1.0]


def test_a_mount_goes_to_a_hole_and_along_its_axis() -> None:
    plate = Plate(length=2, width=1, thickness=0.2, holes=((0.5, 0.1, 0.4),))
    rig = Rig(parts={"p1": Part("Plate", shapes=(Shape(plate, Frame((0, 0, 1))),))})
    hole = next(p for p in places(geometry_of(plate)) if p.kind == "circle centre")
    assert hole.size == pytest.approx(0.2, rel=5e-3) and hole.error < 1e-9
    before = solve(rig, geometry=geometry_of).world("p1") @ _corner(rig, "p1")
    rig = mount_at(rig, "p1", [*hole.at[:2], hole.at[2] + 1])
    rig = mount_along(rig, "p1", "x", [0, 0, 1])
    rig = set_joint(rig, "p1", Joint("hinge", "x"))
    pose = solve(rig, geometry=geometry_of)
    joint, world = channel_frame(pose, "p1", "turn x"), pose.world("p1")
    assert joint[:3, 3] == pytest.approx([0.5, 0.1, hole.at[2] + 1])
    assert joint[:3, 0] == pytest.approx([0, 0, 1])
    assert world @ _corner(rig, "p1") == pytest.approx(before)


def test_the_whole_rig_goes_on_the_ground_at_the_origin(lock: Rig) -> None:
    import numpy as np

    from gremio.core.inspect.rolling import _points

    def box(rig: Rig):
        pose = solve(rig, geometry=geometry_of)
        every = np.concatenate([_points(rig, pose, p, geometry_of) for p in rig.parts])
        return np.stack([every.min(axis=0), every.max(axis=0)])

    there = box(to_ground(lock, box(lock)))
    assert there[0, 2] == pytest.approx(0.0, abs=1e-9)
    assert there.mean(axis=0)[:2] == pytest.approx([0, 0], abs=1e-9)


def test_measures_follow_the_geometry() -> None:
    plate = Plate(length=2, width=1, thickness=0.2, holes=((0.5, 0.1, 0.4),))
    rig = Rig(
        parts={
            "p1": Part("Plate", shapes=(Shape(plate),)),
            "p2": Part("Post", mount=Frame((0.5, 0.1, 3.1)), joint=Joint("slide", "z")),
        }
    )
    found = places(geometry_of(plate))
    hole = next(i for i, p in enumerate(found) if p.kind == "circle centre" and p.at[2] > 0)
    edge = next(i for i, p in enumerate(found) if p.kind == "edge middle" and p.size > 1.9)
    top, side = (
        next(i for i, p in enumerate(found) if p.kind == "face centre" and p.direction @ way > 0.99)
        for way in ([0, 0, 1], [1, 0, 0])
    )
    anchor = Anchor("p1", shape=0, feature=hole)
    measures = {
        "m1": Measure("Hole", "radius", (anchor,)),
        "m2": Measure("Edge", "length", (Anchor("p1", shape=0, feature=edge),)),
        "m3": Measure("Height", "distance", (anchor, Anchor("p2"))),
        "m4": Measure("Long", "size", (Anchor("p1"),), axis="x"),
        "m5": Measure(
            "Corner", "angle", tuple(Anchor("p1", shape=0, feature=f) for f in (top, side)), "deg"
        ),
    }
    rig = replace(rig, measures=measures)

    def value(rig: Rig, measure: str) -> float:
        return measured(
            rig, rig.measures[measure], solve(rig, geometry=geometry_of).world, geometry_of
        )

    assert [value(rig, f"m{i}") for i in range(1, 6)] == pytest.approx(
        [0.2, 2.0, 3.0, 2.0, math.pi / 2], rel=5e-3
    )
    wider = replace(plate, length=3.0, holes=((0.5, 0.1, 0.6),))
    part = replace(rig.parts["p1"], shapes=(Shape(wider),))
    wide = replace(rig, parts={**rig.parts, "p1": part})
    assert [value(wide, f"m{i}") for i in (1, 2, 4)] == pytest.approx([0.3, 3.0, 3.0], rel=5e-3)
    led = replace(rig, parts={**rig.parts, "p3": Part("Pen", joint=Joint("slide", "x"))})
    from gremio.core.edit.formulas import write

    led, _ = write(led, "p3 move x", "Height / 2 + Hole")
    assert solve(led, {"Post": 1.0}, geometry=geometry_of).value("Pen") == pytest.approx(
        2.0 + value(led, "m1")
    )


def test_repeats_in_step_and_midway() -> None:
    slat = Shape(Box(length=0.1, width=1, height=0.02))
    rig = Rig(
        parts={
            "p1": Part(
                "Louvre",
                joint=Joint("hinge", "y"),
                shapes=(slat,),
                repeat=Repeat("line", "z", 5, 0.2),
            ),
            "p2": Part("Rivet", shapes=(slat,), repeat=Repeat("line", "z", 4, 0.1)),
            "p3": Part("Spoke", shapes=(slat,), repeat=Repeat("circle", "y", 6)),
        }
    )
    pose = solve(rig, {"Louvre turn y": 0.5}, geometry=geometry_of)
    moves = copies(pose, "p1")
    assert len(moves) == 5
    for i, move in enumerate(moves):
        there = move @ pose.world("p1")
        assert there[:3, 3] == pytest.approx([0, 0, 0.2 * i])
        assert there[:3, :3] == pytest.approx(pose.world("p1")[:3, :3])
    spokes = copies(pose, "p3")
    assert len(spokes) == 6 and spokes[3][0, 0] == pytest.approx(-1.0)
    from gremio.core.edit.formulas import write

    rig, _ = write(rig, "p2 count", "Louvre.count - 1")
    rig, _ = write(rig, "p2 pitch", "(Louvre.pitch + 0.1 m) / 2")
    pose = solve(rig, {"Louvre count": 9.0}, geometry=geometry_of)
    moves = copies(pose, "p2")
    assert len(moves) == 8 and moves[1][2, 3] == pytest.approx(0.15)
    assert len(copies(solve(rig, {"Louvre count": 0.0}, geometry=geometry_of), "p1")) == 0
    assert part_id(rig, "Spoke") == "p3"


def test_a_module_off_the_preferred_series_is_mentioned() -> None:
    # ISO 54, series 1: 10 and 12 mm are in it, 11 is not.
    rig = interlock(pair(gear(40, 0.011), gear(20, 0.011), 0.33), "p1", "p2", geometry=geometry_of)
    (first, _) = inspect(rig, geometry=geometry_of)
    assert first.note.severity == "info" and "nearest is 10 mm" in first.note.text
