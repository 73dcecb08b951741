"""A twin does what the mirror shows, whatever its machine is asked: F′ = S · F · R, where R turns
one axis of the part's own frame round (the reflection of a motion, F′ = S F S⁻¹, as in any book on
transformation groups, followed by the part's own mirror, which keeps the frame right-handed)."""

from __future__ import annotations

import io
import itertools
import math
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import trimesh
from msgspec.structs import replace
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

import gremio
from gremio.core.edit.links import add_link
from gremio.core.edit.parts import add_part, change_part
from gremio.core.edit.strands import add_strand
from gremio.core.files import rig_file
from gremio.core.files.bring_in import bring_in
from gremio.core.files.glb_out import baked_glb
from gremio.core.files.model_in import read_model
from gremio.core.files.sources import model_shelf
from gremio.core.frames import Frame, carried, matrix
from gremio.core.make.side_words import other_side, sides_of
from gremio.core.make.twins import Plane, Twin, twin
from gremio.core.rig.channels import key, split
from gremio.core.rig.find import channel_key, part_id
from gremio.core.rig.ids import CLOCK, PartId
from gremio.core.rig.model import (
    Joint,
    Part,
    Planetary,
    Ratio,
    Repeat,
    Rig,
    Stops,
    Strand,
    Waypoint,
)
from gremio.core.rig.solids import (
    AnySolid,
    Ball,
    Box,
    Cylinder,
    InternalGear,
    Mesh,
    Plate,
    RackBar,
    SpurGear,
    Tube,
    Wedge,
)
from gremio.core.script.posing import surfaces_of
from gremio.core.shape.geometry import moved
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.repeats import copies
from gremio.core.solve.strands import lying
from gremio.core.solve.treads import links_now

SAME = 1e-9
shape = gremio.shape
MIRRORS = [np.diag([-1.0 if i == axis else 1.0 for i in range(3)] + [1.0]) for axis in range(3)]


def mirrored(rig: Rig, *names: str, plane: Plane = Plane("y"), **how: object) -> Twin:
    roots = [part_id(rig, name) for name in names]
    return twin(rig, roots, plane, geometry=surfaces_of(rig), **how)  # type: ignore[arg-type]


def away(made: Twin, plane: Plane, count: int = 200, seed: int = 1,
         inputs: dict[str, tuple[float, float]] | None = None) -> float:  # fmt: skip
    """How far the frame of a part of the twin is at most from the mirror's, at random inputs."""
    program = compile_rig(made.rig, surfaces_of(made.rig))
    rng, back = np.random.default_rng(seed), {new: old for old, new in made.ids.items()}
    values: dict[str, np.ndarray] = {}
    for row, channel in enumerate(program.channel_keys):
        if not program.inputs[row] or split(channel)[0] in back or channel == CLOCK:
            continue
        low, high = (inputs or {}).get(channel, (program.low[row], program.high[row]))
        # A scale below zero would turn the first side inside out too.
        least = 0.3 if " scale " in channel else -1.5
        low, high = (v if math.isfinite(v) else d for v, d in ((low, least), (high, 1.5)))
        values[channel] = rng.uniform(low, high, count)
    for row, channel in enumerate(program.channel_keys):
        old = key(back.get(split(channel)[0], ""), split(channel)[1])
        if program.inputs[row] and old in values:
            values[channel] = made.sign(channel) * values[old]
    poses = evaluate(program, values, apart=True)
    axis = "xyz".index(plane.axis)
    flat = MIRRORS[axis].copy()
    flat[axis, 3] = 2 * plane.at
    on = np.eye(4) if plane.on is None else poses.worlds[:, program.part_row[plane.on]]
    mirror = on @ flat @ np.linalg.inv(on)
    worst = 0.0
    for new, old in back.items():
        if new not in made.rig.parts:
            continue
        seen, is_there = (poses.worlds[:, program.part_row[i]] for i in (old, new))
        assert np.linalg.det(is_there[:, :3, :3]).min() > 0
        # The same axis is turned round, whatever is asked.
        worst = max(worst, min(
            float(np.abs(is_there - mirror @ seen @ own).max()) for own in MIRRORS
        ))  # fmt: skip
    return worst


def gate() -> Rig:
    b = gremio.Builder("Gate")
    b.part("Post", at=(0.3, 2.0, 0.1), turned=(0, 0, 0.3))
    b.part("Gate, east", shape(Box(1.8, 0.1, 1)), on="Post", at=(0, 0, 0.2), joint="hinge z",
           stops=("-10 deg", "80 deg"))  # fmt: skip
    b.part("Bolt", on="Gate, east", at=(1, 0, 0), turned=(0.2, 0.4, 0), joint="slide x",
           stops=(0.0, 0.1))  # fmt: skip
    b.part("Knob", on="Bolt", joint="ball")
    b.control("Open, east", 0.0, 1.2, kind="angle")
    b.ratio("Open, east", "Gate, east", 1)
    return b.rig


def train() -> Rig:
    b = gremio.Builder("Train")
    b.part("Frame", at=(1, 2, 0.5), turned=(0.3, 0.2, 0.1))
    b.part("Pinion", shape(SpurGear(module=0.02, teeth=12, width=0.1)), on="Frame", joint="spin z")
    b.part("Wheel", shape(SpurGear(module=0.02, teeth=31, width=0.1)), on="Frame",
           at=(0.43, 0, 0), joint="spin z")  # fmt: skip
    b.part("Rack", shape(RackBar(module=0.02, teeth=20, width=0.1, back=0.05)), on="Frame",
           at=(0, 0.12, 0), joint="slide x")  # fmt: skip
    b.part("Spindle", on="Frame", at=(1, 0, 0), turned=(0, 1.0, 0), joint="screw x 10 mm")
    b.control("Turn", -6.0, 6.0, kind="angle")
    b.ratio("Turn", "Pinion", 1)
    b.ratio("Pinion turn z", "Wheel turn z", -12 / 31)
    b.ratio("Pinion turn z", "Rack move x", 0.12)
    b.ratio("Wheel turn z", "Spindle turn x", 3)
    return b.rig


def planetary() -> Rig:
    b = gremio.Builder("Planetary")
    b.part("Case", at=(0, 1, 0), turned=(0.4, 0, 0))
    for name in ("Sun", "Ring", "Arm"):
        b.part(name, on="Case", joint="spin x")
    b.part("Planet", on="Arm", at=(0, 0.2, 0), joint="spin x")
    rig, _ = add_link(b.rig, Planetary(
        channel_key(b.rig, "Sun turn x"), channel_key(b.rig, "Ring turn x"),
        channel_key(b.rig, "Arm turn x"), 2.5))  # fmt: skip
    return add_link(rig, Ratio(
        channel_key(rig, "Sun turn x"), channel_key(rig, "Planet turn x"), -1.5,
        carrier=channel_key(rig, "Arm turn x"), kind="gear pair"))[0]  # fmt: skip


def cams_and_formulas() -> Rig:
    b = gremio.Builder("Cams")
    b.part("Base", at=(0.2, 1.0, 0), turned=(0.1, 0.2, 0.7))
    b.part("Lid", on="Base", joint="hinge y", stops=("0 deg", "100 deg"))
    b.part("Tray", on="Base", joint="cylinder x")
    b.part("Wheel", on="Base", at=(1, 0, 0), joint="wheel y")
    b.part("Float", on="Base", joint="free")
    b.control("Open", 0.0, 1.0, kind="number", unit="")
    rig = b.rig
    for at, lid, tray, float_ in (
        (0.0, 0.0, 0.0, 0.1),
        (0.4, 1.2, 0.1, -0.4),
        (1.0, 1.5, 0.5, 0.9),
    ):
        rig = gremio.teach(rig, "Open", at, {
            "Lid": lid, "Tray move x": tray, "Float turn x": float_})  # fmt: skip
    rig = gremio.formula(rig, "Tray turn x", "40 deg * sin(Tray.move * 5 rad / 1 m) + Lid.turn / 3")
    rig = gremio.formula(rig, "Wheel turn z", "Tray.turn / 2 + 5 deg")
    return gremio.formula(rig, "Float move z", "0.2 m * Open - Tray.move")


def linkages() -> Rig:
    """A four-bar, and a slider-crank, of one crank."""
    b = gremio.Builder("Linkages")
    b.part("Bed", at=(0.5, 1.5, 0.2), turned=(0.1, 0.3, 0.2))
    b.part("Crank", on="Bed", joint="spin y")
    b.part("Coupler", on="Crank", at=(0.3, 0, 0), turned=(0, -1.2, 0), joint="spin y")
    b.part("Rocker", on="Bed", at=(1.0, 0, 0), turned=(0, -1.4, 0), joint="spin y")
    b.part("Rod", on="Crank", at=(0.3, 0.1, 0), turned=(0, 0.2, 0), joint="spin y")
    b.part("Piston", on="Bed", at=(1.3, 0.1, 0), joint="slide x")
    b.control("Turn", -3.0, 3.0, kind="angle")
    b.ratio("Turn", "Crank turn y", 1)
    rig = gremio.pin(b.rig, "Coupler", "Rocker", (0.9, 0, 0), (0.6, 0, 0))
    return gremio.pin(rig, "Rod", "Piston", (1.0, 0, 0), (0, 0, 0))


def strutted() -> Rig:
    b = gremio.Builder("Strut")
    b.part("Post", at=(0, 1, 0), turned=(0, 0, 0.4))
    b.part("Flap", shape(Box(1, 0.5, 0.05), at=(0.5, 0, 0)), on="Post", at=(0, 0, 1),
           joint="hinge y", stops=("-60 deg", "10 deg"))  # fmt: skip
    b.control("Lift", "0 deg", "60 deg")
    b.ratio("Lift", "Flap", -1)
    return gremio.strut(b.rig, "Post", "Flap", (0.1, 0.05, 0.1), (0.6, 0.05, 0.0))


def tied() -> Rig:
    """What is tied to what is of the twin too, and to the ground."""
    b = gremio.Builder("Ties")
    b.part("Base", at=(0.4, 2.0, 0.1), turned=(0, 0, 0.5))
    b.part("Arm", on="Base", at=(0, 0, 1), joint="hinge z")
    b.part("Boom", on="Arm", at=(0.2, 0, 0), joint="hinge y")
    b.part("Tip", on="Boom", at=(1.0, 0.1, 0))
    b.part("Dome", shape(Ball(diameter=1.0)), on="Base", at=(0, -1, 0.4))
    joints = {"Rider": "free", "Pinned": "free", "Matched": "ball", "Lamp": "ball",
              "Vane": "hinge z", "Bolt": "free", "Float": "free", "Runner": "free"}  # fmt: skip
    for name, joint in joints.items():
        b.part(name, on="Base", at=(0.3, 0.2, 0.5), turned=(0.2, 0.3, 0.1), joint=joint)
    b.control("Slew", -1.0, 1.0, kind="angle")
    b.ratio("Slew", "Arm", 1)
    b.control("Lift", -1.0, 1.0, kind="angle")
    b.ratio("Lift", "Boom", 1)
    rig = gremio.constrain(b.rig, "ride", "Rider", "Tip")
    rig = gremio.constrain(rig, "pin", "Pinned", "Tip", keep=True)
    rig = gremio.constrain(rig, "match", "Matched", "Tip", keep=True)
    rig = gremio.constrain(rig, "aim", "Lamp", "Tip", axis="x", upright="ground", second="z")
    rig = gremio.constrain(rig, "aim", "Vane", "Tip", axis="-y", keep=True)
    rig = gremio.constrain(rig, "tether", "Float", "Tip", distance=0.4)
    rig = gremio.constrain(rig, "seat", "Bolt", "Dome", keep=False)
    rig = gremio.path(rig, "Rail", [(0, 0, 0), (1, 0.3, 0.1), (1.5, 1.0, 0.4)], on="Base",
                      kind="spline")  # fmt: skip
    rig = gremio.constrain(rig, "run along", "Runner", "Rail", keep=False)
    (runs,) = [i for i, c in rig.constraints.items() if c.kind == "run along"]
    return replace(rig, at={**rig.at, key(runs, "way"): 0.7, key(runs, "roll"): 0.3})


def reaching() -> Rig:
    """A chain that reaches for a load that moves, and a bag that keeps its volume."""
    b = gremio.Builder("Reaching")
    b.part("Base", at=(0.4, 2.0, 0.1), turned=(0, 0, 0.5))
    b.part("Turntable", on="Base", at=(0, 0, 0.2), joint="hinge z")
    b.part("Boom", on="Turntable", at=(0, 0, 0.5), joint="hinge y")
    b.part("Arm", on="Boom", at=(1, 0.1, 0), joint="hinge y")
    b.part("Rail", on="Base", at=(1.0, 0.3, 0.5), joint="slide y")
    b.part("Load", on="Rail", at=(0, 0, 0.1))
    b.part("Bag", shape(Box(0.2, 0.3, 0.4)), on="Base", at=(0.1, 1, 0), turned=(0.3, 0.2, 0.1))
    b.control("Move", -0.3, 0.3, kind="angle")
    b.ratio("Move", "Rail", 1)
    rig = gremio.constrain(b.rig, "reach", "Arm", "Load", tip=(0.6, 0.1, 0))
    return gremio.constrain(rig, "constant volume", "Bag")


def carriage() -> Rig:
    b = gremio.Builder("Carriage")
    b.part("Body", shape(Box(2, 1, 0.2)), at=(0, 2, 0.4), joint="planar z")
    wheels = []
    for x, y in itertools.product((0.8, -0.8), (0.6, -0.6)):
        name = f"{'Front' if x > 0 else 'Rear'} {'left' if y > 0 else 'right'}"
        b.part(name, shape(Cylinder(diameter=0.4, height=0.1), turned=("90 deg", 0, 0)), on="Body",
               at=(x, y, -0.2))  # fmt: skip
        wheels.append(name)
    return gremio.carriage(b.rig, "Body", wheels, wheels[:2])


def repeats() -> Rig:
    b = gremio.Builder("Rows")
    b.part("Wall", at=(0, 1, 0), turned=(0, 0, 0.2))
    b.part("Louvre", shape(Box(0.1, 0.1, 0.5)), on="Wall", joint="hinge y",
           repeat=Repeat("line", "x", 5, 0.3, shift=0.1))  # fmt: skip
    b.part("Spoke", shape(Box(0.5, 0.1, 0.05)), on="Wall", joint="slide x",
           repeat=Repeat("circle", "z", 6))  # fmt: skip
    b.part("Step", on="Wall", repeat=Repeat("line", "y", 3, 0.2))
    rig = gremio.path(b.rig, "Curb", [(0, 0, 0), (1, 0.3, 0.1), (1.5, 1.0, 0.3)], on="Wall",
                      kind="spline")  # fmt: skip
    rig = gremio.path(rig, "Kerb", [(0, 0.2, 0), (0.4, 0.9, 0.2), (0.1, 1.5, 0.1)], kind="spline")
    (curb, kerb) = rig.paths
    for name, along in (("Stone", curb), ("Brick", kerb)):
        stone = Part(name, part_id(rig, "Wall"), Frame((0.2, 0.1, 0.3)), Joint("hinge", "x"),
                     repeat=Repeat("path", "x", 4, 0.3, along, 0.2))  # fmt: skip
        rig, _ = add_part(rig, stone)
    return rig


MACHINES: dict[str, tuple[Callable[[], Rig], tuple[str, ...]]] = {
    "gate": (gate, ("Post",)),
    "train": (train, ("Frame",)),
    "planetary": (planetary, ("Case",)),
    "cams and formulas": (cams_and_formulas, ("Base",)),
    "linkages": (linkages, ("Bed",)),
    "strut": (strutted, ("Post",)),
    "ties": (tied, ("Base",)),
    "reach and volume": (reaching, ("Base",)),
    "carriage": (carriage, ("Body",)),
    "repeats": (repeats, ("Wall",)),
}
PLANES = [Plane("y"), Plane("x", None, 0.4), Plane("z")]


@pytest.mark.parametrize("crossing", ["share", "own"])
@pytest.mark.parametrize("plane", PLANES, ids=["y", "x", "z"])
@pytest.mark.parametrize("name", MACHINES)
def test_a_twin_is_the_mirror_image_at_random_inputs(
    name: str, plane: Plane, crossing: str
) -> None:
    make, roots = MACHINES[name]
    rig = make()
    made = mirrored(rig, *roots, plane=plane, crossing=crossing)
    if plane.axis == "z":
        assert made.told
        if name in ("ties", "carriage"):
            return
    else:
        assert not made.told
    assert away(made, plane) < SAME


SOLIDS = [
    Box(1, 2, 3), Ball(2.0), Cylinder(1.0, 2.0), Tube(2.0, 1.0, 0.5), Wedge(1.0, 2.0, 0.5),
    Plate(2.0, 1.0, 0.1, ((0.3, 0.1, 0.2), (-0.5, -0.2, 0.1))), SpurGear(0.1, 13, 0.3),
    InternalGear(0.1, 31, 0.3, 4.0), RackBar(0.1, 7, 0.3, 0.2),
]  # fmt: skip


@pytest.mark.parametrize("solid", SOLIDS, ids=lambda s: type(s).__name__)
def test_a_solid_on_the_twin_is_where_the_mirror_has_it(solid: AnySolid) -> None:
    """Every point of its surface, and every normal outward."""
    b = gremio.Builder("Solid")
    b.part("Thing", shape(solid, at=(0.2, 0.3, 0.4), turned=(0.3, 0.4, 0.5)), at=(1, 2, 3),
           turned=(0.5, 0.1, 0.2), joint="hinge x")  # fmt: skip
    made = mirrored(b.rig, "Thing")
    (old, new), pose = made.ids.copy().popitem(), gremio.solve(made.rig)
    found = {}
    for part in (old, new):
        one = made.rig.parts[part].shapes[0]
        surface = geometry_of(one.solid)
        frame = pose.world(part) @ matrix(one.place)
        assert np.linalg.det(frame[:3, :3]) > 0
        middles = surface.vertices[surface.triangles].mean(axis=1)
        normals = surface.face_normals @ frame[:3, :3].T
        found[part] = (carried(frame, surface.vertices), carried(frame, middles), normals)
    flat = np.array([1, -1, 1])
    points = found[old][0] * flat
    apart, _ = cKDTree(found[new][0]).query(points)
    assert apart.max() < SAME
    # A face there looks the way that the mirror image of the face here does.
    apart, other = cKDTree(found[new][1]).query(found[old][1] * flat)
    near = apart < SAME
    assert near.mean() > 0.2
    assert np.abs(found[new][2][other[near]] - found[old][2][near] * flat).max() < 1e-6


@pytest.mark.parametrize("axis", [0, 1], ids="xy")
def test_rows_lie_as_the_mirror_has_them(axis: int) -> None:
    """Each copy of a row, in its order, with all numbers of the row moved."""
    rig = repeats()
    made = mirrored(rig, "Wall", plane=Plane("xy"[axis]))  # type: ignore[arg-type]
    assert not made.told
    for name in ("Louvre", "Spoke", "Step", "Stone", "Brick"):
        old = part_id(rig, name)
        new = made.ids[old]
        numbers = [n for n in ("pitch", "shift", "pitch angle", "shift angle")
                   if key(old, n) in gremio.solve(rig).program.channel_row]  # fmt: skip
        at = {key(old, n): 0.17 for n in numbers}
        at |= {key(new, n): made.sign(key(new, n)) * 0.17 for n in numbers}
        pose = gremio.solve(replace(made.rig, at=at))
        one, two = copies(pose, old), copies(pose, part_id(made.rig, made.rig.parts[new].name))
        assert len(one) == len(two) > 2
        for here, there in zip(one, two, strict=True):
            seen = MIRRORS[axis] @ here @ pose.world(old)
            is_there = there @ pose.world(part_id(made.rig, made.rig.parts[new].name))
            assert min(np.abs(is_there - seen @ own).max() for own in MIRRORS) < SAME


def test_treads_and_ropes_go_round_as_the_mirror_has_them() -> None:
    b = gremio.Builder("Crawler")
    b.part("Body", shape(Box(2, 0.5, 0.3)), at=(0, 1, 0.4), joint="planar z")
    wheels = []
    for side, y in (("left", 0.4), ("right", -0.4)):
        for name, x, wide in (("Drive", -0.8, 0.5), ("Idler", 0.8, 0.4), ("Road", 0.1, 0.3)):
            wheels.append(f"{name}, {side}")
            b.part(wheels[-1], shape(Cylinder(wide, 0.1), turned=("90 deg", 0, 0)), on="Body",
                   at=(x, y, 0.0))  # fmt: skip
    b.part("Jib", on="Body", at=(0, 0, 1), joint="hinge y")
    b.part("Hook", on="Jib", at=(1, 0, 0), joint="slide z")
    b.control("Raise", -1.0, 1.0, kind="angle")
    b.ratio("Raise", "Jib", 0.5)
    rig = gremio.tracked(b.rig, "Body", wheels)
    rope = Strand("Rope", "rope", (
        Waypoint(part_id(rig, "Body"), (0, 0, 0.5)),
        Waypoint(part_id(rig, "Jib"), (0.8, 0.02, 0.1), 0.1, (0, 1, 0)),
        Waypoint(part_id(rig, "Hook"), (0, 0.02, -0.6)),
    ))  # fmt: skip
    rig, _ = add_strand(rig, rope)
    made = mirrored(rig, "Body", plane=Plane("y", None, -0.3), crossing="own")
    flat = MIRRORS[1].copy()
    flat[1, 3] = -0.6
    controls = {rig.controls[c].name: c for c in rig.controls}
    rng = np.random.default_rng(2)
    steps = {name: np.cumsum(rng.uniform(-0.3, 0.4, 30)) for name in controls}
    twins = {made.rig.controls[made.ids[c]].name: steps[name] for name, c in controls.items()}
    poses = gremio.run(made.rig, {**steps, **twins})
    assert len(rig.treads) == 2
    for frame in (0, 7, 29):
        pose = poses.frame(frame)
        for old in rig.treads:
            one, two = links_now(pose, old), links_now(pose, made.ids[old])
            on = [pose.frame_of(made.rig.treads[t].on) for t in (old, made.ids[old])]
            seen, is_there = (f @ links.frames for f, links in zip(on, (one, two), strict=True))
            assert np.abs(flat @ seen @ MIRRORS[1] - is_there).max() < 1e-7
        (strand,) = rig.strands
        lies = lying(pose)
        assert lies[strand].falls > 1 and not lies[strand].wrong
        assert (
            np.abs(carried(flat, lies[strand].places) - lies[made.ids[strand]].places).max() < SAME
        )


def test_a_plane_of_a_part_goes_along_with_it() -> None:
    """A wheel at the other side of a body that is driven about."""
    b = gremio.Builder("Body")
    b.part("Body", at=(1, 2, 3), turned=(0, 0, 0.3), joint="free")
    b.part("Arm, left", on="Body", at=(0.5, 0.4, 0), turned=(0.1, 0, 0.2), joint="hinge x")
    b.part("Hand", on="Arm, left", at=(0, 0.3, 0), joint="slide y")
    b.control("Wave", -1.0, 1.0, kind="angle")
    b.ratio("Wave", "Arm, left", 1)
    plane = Plane("y", part_id(b.rig, "Body"))
    made = mirrored(b.rig, "Arm, left", plane=plane)
    assert not made.told and "Arm, right" in [p.name for p in made.rig.parts.values()]
    assert away(made, plane) < SAME
    # In a plane of the ground it can't keep up, and that is said.
    told = mirrored(b.rig, "Arm, left").told
    assert len(told) == 1 and "moves against the mirror" in told[0]


def test_keys_motors_and_shakes_of_a_twin_go_as_the_mirror_has_them() -> None:
    rig = gate()
    b = gremio.Builder("Time")
    b.rig = rig
    b.control("Speed", "-1 turn/s", "1 turn/s", kind="rate", unit="turn/s")
    b.control("Shake", 0.0, 1.0, kind="number", unit="%")
    b.part("Fan", on="Gate, east", at=(0, 0.3, 0.2), joint="spin x")
    rig = gremio.motor(b.rig, "Speed", "Fan", phase=0.4)
    rig = gremio.rumble(rig, "Shake", {"Bolt move x": "4 mm"})
    rig = gremio.routine(rig, "Pass", 4)
    for at, values in ((0, {"Open, east": 0.0, "Speed": 0.0, "Shake": 0.0}),
                       (1, {"Open, east": 1.0, "Speed": 3.0, "Shake": 1.0}),
                       (4, {"Open, east": 0.2, "Speed": -2.0, "Shake": 0.5})):  # fmt: skip
        rig = gremio.key(rig, at, {**values, "Knob turn x": 0.2 * at, "Knob turn z": 0.1 * at})
    made = mirrored(rig, "Post", crossing="own")
    poses = gremio.bake(made.rig).poses
    for old, new in made.ids.items():
        if new in made.rig.parts:
            here, there = (poses.worlds[:, poses.program.part_row[i]] for i in (old, new))
            off = min(np.abs(MIRRORS[1] @ here @ own - there).max() for own in MIRRORS)
            assert off < SAME, made.rig.parts[new].name
    assert np.ptp(poses.worlds, axis=0).max() > 0.5


def test_what_is_led_from_outside_may_turn_the_same_way_round() -> None:
    """Wheels that one control drives go forward on both sides of a mirror across their way."""
    b = gremio.Builder("Wheels")
    b.part("Frame", joint="slide x")
    b.part("Wheel, upstream", shape(Cylinder(0.5, 0.1), turned=("90 deg", 0, 0)), on="Frame",
           at=(1, 0, 0), joint="spin y")  # fmt: skip
    b.part("Pinion", on="Wheel, upstream", at=(0.1, 0, 0), joint="spin y")
    b.control("Go", -6.0, 6.0, kind="angle")
    b.ratio("Go", "Wheel, upstream", 1)
    b.ratio("Wheel, upstream turn y", "Pinion turn y", -2)
    for same_way, sense in ((False, -1.0), (True, 1.0)):
        made = mirrored(b.rig, "Wheel, upstream", plane=Plane("x"), same_way=same_way)
        pose = gremio.solve(made.rig, {"Go": 0.7})
        home, axis = gremio.solve(made.rig), []
        for name in ("Wheel, upstream", "Wheel, downstream"):
            here, there = (p.world(part_id(made.rig, name))[:3, :3] for p in (home, pose))
            axis.append(Rotation.from_matrix(there @ here.T).as_rotvec()[1])
        assert axis[0] == pytest.approx(0.7) and axis[1] == pytest.approx(0.7 * sense)


def test_names_of_sides_change_places() -> None:
    assert other_side("Upper gate, east") == "Upper gate, west"
    assert other_side("LEFT Bright right-hand lever") == "RIGHT Bright left-hand lever"
    assert other_side("Righteous") == "Righteous"
    assert other_side("Quayside door", sides_of("quayside/landside")) == "Landside door"
    assert sides_of("left/right,\neast/west\nfar/near\n") == sides_of(
        "left/right, east/west, far/near"
    )
    for wrong in ("left right", "left/", "left/left"):
        with pytest.raises(gremio.GremioError, match="no pair of sides"):
            sides_of(wrong)
    with pytest.raises(gremio.GremioError, match="no pair of sides"):
        mirrored(gate(), "Post", sides=(("", "west"),))
    made = mirrored(gate(), "Post", crossing="own")
    names = {part.name for part in made.rig.parts.values()}
    assert {"Gate, east", "Gate, west", "Post", "Post 2"} <= names
    assert {c.name for c in made.rig.controls.values()} == {"Open, east", "Open, west"}


def test_stops_and_what_leads_them_change_ends() -> None:
    b = gremio.Builder("Stops")
    b.part("Rod", on=None, at=(0, 1, 0), joint="cylinder x")
    rod = part_id(b.rig, "Rod")
    part = replace(b.rig.parts[rod], stops={"turn x": Stops(-0.2, 1.1), "move x": Stops(-0.1, 0.6)})
    b.rig = change_part(b.rig, rod, part)
    b.control("Keep", 0.3, 1.0, kind="angle")
    rig = gremio.formula(b.rig, "Rod high stop turn x", "Keep")
    made = mirrored(rig, "Rod")
    new = made.ids[rod]
    assert made.sign(key(new, "turn x")) == -1.0 and made.sign(key(new, "move x")) == 1.0
    assert made.rig.parts[new].stops["turn x"] == Stops(-1.1, 0.2)
    assert made.rig.parts[new].stops["move x"] == Stops(-0.1, 0.6)
    at = {key(rod, "turn x"): 2.0, key(new, "turn x"): -2.0}
    pose = gremio.solve(replace(made.rig, at=at), {"Keep": 0.5})
    assert pose.at(key(rod, "turn x")) == 0.5 and pose.at(key(new, "turn x")) == -0.5


def test_a_twin_of_a_twin_is_where_the_first_is() -> None:
    rig = train()
    one = mirrored(rig, "Frame")
    root = one.ids[part_id(rig, "Frame")]
    two = twin(one.rig, [root], Plane("y"), geometry=surfaces_of(rig))
    pose = gremio.solve(two.rig, {"Turn": 2.0})
    for old, new in one.ids.items():
        if new in two.ids and old in rig.parts:
            again = two.ids[new]
            assert np.abs(pose.world(old) - pose.world(again)).max() < SAME


def test_what_can_not_be_mirrored_is_said() -> None:
    b = gremio.Builder("Drive")
    b.part("Rod", at=(0, 1, 0), joint="cylinder x")
    b.control("Speed", "-1 turn/s", "1 turn/s", kind="rate", unit="turn/s")
    rig = gremio.motor(b.rig, "Speed", "Rod turn x")
    made = mirrored(rig, "Rod")
    assert len(made.told) == 1 and "was left out" in made.told[0]
    assert len(made.rig.links) == 1
    with pytest.raises(gremio.GremioError, match="Choose what to mirror"):
        mirrored(rig)
    with pytest.raises(gremio.GremioError, match="across x, y or z"):
        mirrored(rig, "Rod", plane=Plane("w"))  # type: ignore[arg-type]
    with pytest.raises(gremio.GremioError, match="one of share, own, none"):
        mirrored(rig, "Rod", crossing="both")
    # An angle between two parts is told only where the mirror turns other axes of theirs round.
    b = gremio.Builder("Angles")
    b.part("Base", at=(0, 1, 0))
    b.part("Arm", on="Base", joint="hinge z")
    b.part("Hand", on="Arm", joint="hinge z")
    b.part("Foot", on="Base", joint="hinge x")
    b.part("Gauge", on="Base", joint="slide z")
    alike = gremio.formula(b.rig, "Gauge move z", "angle(Arm, Hand) * 0.1 m / 1 rad")
    assert not mirrored(alike, "Base").told
    at = {key(part_id(alike, "Hand"), "turn z"): 0.7}
    made = mirrored(replace(alike, at=at), "Base")
    pose = gremio.solve(made.rig)
    assert pose.value("Gauge", "move z") == pytest.approx(0.07)
    assert abs(pose.value("Gauge 2", "move z")) == pytest.approx(0.07)
    unlike = gremio.formula(b.rig, "Gauge move z", "angle(Arm, Foot) * 0.1 m / 1 rad")
    (told,) = mirrored(unlike, "Base").told
    assert "asks for the angle" in told


def test_the_whole_lock_goes_through_its_routine_as_the_mirror_has_it(lock: Rig) -> None:
    """Gates, trains, cranes that hand a lamp on, treads, struts, an engine, what sits and hangs."""
    roots = [part.name for part in lock.parts.values() if part.parent is None]
    made = mirrored(lock, *roots, plane=Plane("x", None, 30.0), crossing="own")
    assert not made.told
    poses = gremio.bake(made.rig, times=[0.0, 3.3, 9.1, 13.2, 19.9]).poses
    flat, row = MIRRORS[0].copy(), poses.program.part_row
    flat[0, 3] = 60.0
    for old, new in made.ids.items():
        if old in lock.parts:
            here, there = poses.worlds[:, row[PartId(old)]], poses.worlds[:, row[PartId(new)]]
            off = min(np.abs(flat @ here @ own - there).max() for own in MIRRORS)
            assert off < SAME, lock.parts[PartId(old)].name
    names = {part.name for part in made.rig.parts.values()}
    assert len(names) == 2 * len(lock.parts)


def test_a_surface_of_ones_own_is_mirrored_with_its_winding_and_its_look(tmp_path: Path) -> None:
    """A lopsided piece that was brought in: as it is drawn, and as another program reads it."""
    corner = trimesh.Trimesh([[0, 0, 0], [2, 0, 0], [0, 1, 0], [0, 0, 0.5]],
                             [[0, 2, 1], [0, 1, 3], [1, 2, 3], [0, 3, 2]])  # fmt: skip
    trimesh.Scene({"Cog": corner}).export(tmp_path / "own.glb")
    rig, _ = bring_in(Rig(), read_model(tmp_path / "own.glb"))
    (cog,) = (p for p in rig.parts.values() if p.shapes)
    made = mirrored(rig, cog.name)
    shelf = model_shelf()
    new = made.rig.parts[made.ids[part_id(rig, cog.name)]]
    solid = new.shapes[0].solid
    assert isinstance(solid, Mesh) and solid.mirrored
    there = moved(shelf.geometry(made.rig, solid), gremio.solve(made.rig).world(
        part_id(made.rig, new.name)) @ matrix(new.shapes[0].place))  # fmt: skip
    here = moved(shelf.geometry(rig, cog.shapes[0].solid), gremio.solve(rig).world(
        part_id(rig, cog.name)) @ matrix(cog.shapes[0].place))  # fmt: skip
    assert np.abs(np.sort(here.vertices * [1, -1, 1], axis=0)
                  - np.sort(there.vertices, axis=0)).max() < SAME  # fmt: skip
    for geometry in (here, there):
        assert trimesh.Trimesh(geometry.vertices, geometry.triangles).volume == pytest.approx(1 / 6)
    data, _ = baked_glb(made.rig, shelf, None, 0.0)
    scene = trimesh.load_scene(io.BytesIO(data), file_type="glb")
    volumes = []
    for node in scene.graph.nodes_geometry:
        frame, name = scene.graph.get(node)
        assert np.linalg.det(frame[:3, :3]) > 0
        volumes.append(scene.geometry[name].volume)
    assert volumes == pytest.approx([1 / 6, 1 / 6], rel=1e-5)
    # Kept in the file as such, and the twin of the twin is the piece as it came.
    rig_file.write(made.rig, tmp_path / "twin.gremio")
    assert rig_file.read(tmp_path / "twin.gremio") == made.rig
    again = mirrored(made.rig, new.name)
    back = again.rig.parts[again.ids[part_id(made.rig, new.name)]].shapes[0]
    assert isinstance(back.solid, Mesh) and not back.solid.mirrored
