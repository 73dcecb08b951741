"""The quay crane: a jib on a strut and a topping rope, and a grab that hangs level; and the
boiler of the engine with bolts round its manhole."""

from __future__ import annotations

import math

from msgspec.structs import replace

import gremio
from gremio.core.edit.builder import shape
from gremio.core.edit.constraints import change_constraint
from gremio.core.rig.find import constraint_id
from gremio.core.rig.model import Pin
from gremio.core.rig.solids import Cylinder, Tube
from gremio.demo.quay import BRASS, FLAT, IRON, LEAF, OAK, STONE, box

POST_AT = (9.8, -7.4, 0.0)
JIB, JIB_UP = 4.6, math.radians(38)
ROPE, HOIST = 1.2, 1.3
# The grab: where its block is at home below its head, and where shells and links are hinged.
BLOCK, HINGE, CORNER, PIN = 0.75, 0.06, 0.26, (0.46, -0.62)
BOILER_AT = (10.4, -2.4, 1.0)
BOLTS = 8


def crane(build: gremio.Builder) -> None:
    """Post, jib, ropes and grab, with a control for each."""
    build.part(
        "Crane base", shape(Cylinder(diameter=1.9, height=0.5), (0, 0, 0.25), paint=STONE),
        at=POST_AT,
    )  # fmt: skip
    build.part(
        "Crane post",
        shape(Cylinder(diameter=1.3, height=0.2), (0, 0, 0.1), paint=IRON),
        shape(box(1.5, 0.7, 0.7), (-0.5, 0, 0.55), paint=LEAF),
        shape(box(0.12, 0.12, 2.7), (-0.5, 0.3, 1.5), paint=OAK),
        shape(box(0.12, 0.12, 2.7), (-0.5, -0.3, 1.5), paint=OAK),
        shape(box(0.16, 0.8, 0.16), (-0.5, 0, 2.85), paint=OAK),
        shape(Tube(outer_diameter=0.26, inner_diameter=0.08, height=0.06), (-0.5, 0.12, 2.85),
              FLAT, BRASS),
        shape(Cylinder(diameter=0.3, height=0.5), (-0.9, 0, 1.05), FLAT, OAK),
        on="Crane base", at=(0, 0, 0.5), joint="spin z",
    )  # fmt: skip
    build.part(
        "Crane jib",
        shape(box(JIB, 0.1, 0.16), (JIB / 2, 0.22, 0), paint=OAK),
        shape(box(JIB, 0.1, 0.16), (JIB / 2, -0.22, 0), paint=OAK),
        *(shape(box(0.08, 0.5, 0.08), (at, 0, 0), paint=IRON) for at in (0.3, 1.7, 3.1)),
        shape(Cylinder(diameter=0.07, height=0.6), (JIB, 0, 0), FLAT, IRON),
        shape(Tube(outer_diameter=0.24, inner_diameter=0.07, height=0.05), (JIB, 0.1, 0), FLAT,
              BRASS),
        shape(Tube(outer_diameter=0.36, inner_diameter=0.07, height=0.05), (JIB, 0, 0), FLAT,
              BRASS),
        on="Crane post", at=(0.5, 0, 0.55), turned=(0, -JIB_UP, 0), joint="hinge y",
        stops=("-32 deg", "26 deg"),
    )  # fmt: skip
    build.control("Slew", "-120 deg", "120 deg", group="Crane")
    build.control("Derrick", "-26 deg", "32 deg", group="Crane")
    build.ratio("Slew", "Crane post", 1)
    build.ratio("Derrick", "Crane jib", -1)
    build.rig = gremio.strut(
        build.rig, "Crane post", "Crane jib", (0.45, -0.36, 0.25), (1.7, -0.36, 0)
    )
    _grab(build)
    topping = (-0.5, 0.12, 2.85)
    across = (0, 1, 0)
    build.rig = gremio.strand(
        build.rig, "rope", ("Crane post", (-0.9, 0.12, 1.05)),
        ("Crane post", topping, 0.13, across), ("Crane jib", (JIB, 0.1, 0), 0.12, across),
        ("Crane post", (-0.5, 0.2, 2.85)), name="Topping rope", thickness=0.03,
    )  # fmt: skip
    build.rig = gremio.strand(
        build.rig, "rope", ("Crane post", (-0.9, 0, 1.05)),
        ("Crane jib", (JIB, 0, 0), 0.18, across), ("Grab head", (0, 0, 0.14)),
        name="Hoist rope", thickness=0.03,
    )  # fmt: skip


def _grab(build: gremio.Builder) -> None:
    """A carrier that stays level under the jib's head and slews with it; on it the grab, whose
    block is lowered to open the shells by their links."""
    build.part("Grab carrier", at=(POST_AT[0] + 4, POST_AT[1], 3.6))
    build.rig = gremio.constrain(build.rig, "pin", "Grab carrier", "Crane jib", keep=False)
    pinned = constraint_id(build.rig, "Grab carrier pin")
    entry = build.rig.constraints[pinned]
    assert isinstance(entry, Pin)
    head = replace(entry.targets[0], at=(JIB + 0.18, 0.0, 0.0))
    build.rig = change_constraint(build.rig, pinned, replace(entry, targets=(head,)))
    build.rig = gremio.constrain(
        build.rig, "match", "Grab carrier", "Crane post", channels=("turn z",), keep=False
    )
    build.part(
        "Grab head",
        shape(box(0.6, 0.3, 0.1), paint=IRON),
        shape(Cylinder(diameter=0.1, height=0.14), (0, 0, 0.1), paint=IRON),
        on="Grab carrier", at=(0, 0, -ROPE), joint="slide z", stops=(-1.6, 0.7),
    )  # fmt: skip
    build.part(
        "Grab block",
        shape(box(0.3, 0.24, 0.1), paint=BRASS),
        shape(Cylinder(diameter=0.06, height=BLOCK), (0, 0, BLOCK / 2), paint=IRON),
        on="Grab head", at=(0, 0, -BLOCK), joint="slide z", stops=(-0.22, 0.0),
    )  # fmt: skip
    for side, word in ((1, "right"), (-1, "left")):
        arm = (PIN[0] - HINGE, PIN[1] + BLOCK)
        build.part(
            f"Shell, {word}",
            shape(box(0.5, 0.5, 0.04), (side * 0.24, 0, -0.34), (0, f"{side * -22} deg", 0), LEAF),
            shape(box(0.04, 0.5, 0.46), (side * 0.44, 0, -0.1), (0, f"{side * 8} deg", 0), LEAF),
            shape(box(0.46, 0.02, 0.36), (side * 0.22, 0.24, -0.16), paint=LEAF),
            shape(box(0.46, 0.02, 0.36), (side * 0.22, -0.24, -0.16), paint=LEAF),
            on="Grab block", at=(side * HINGE, 0, 0), joint="hinge y",
        )  # fmt: skip
        way = PIN[0] - CORNER, PIN[1]
        long = math.hypot(*way)
        down = math.atan2(-way[1], way[0])
        build.part(
            f"Grab link, {word}",
            shape(box(long, 0.05, 0.05), (long / 2, 0.16, 0), paint=IRON),
            shape(box(long, 0.05, 0.05), (long / 2, -0.16, 0), paint=IRON),
            on="Grab head", at=(side * CORNER, 0, 0),
            turned=(0, down if side > 0 else math.pi - down, 0), joint="hinge y",
        )  # fmt: skip
        build.rig = gremio.pin(
            build.rig, f"Grab link, {word}", f"Shell, {word}", (long, 0, 0),
            (side * arm[0], 0, arm[1]),
        )  # fmt: skip
    build.control("Hoist", "-0.7 m", "1.6 m", kind="length", group="Crane")
    build.control("Grab", "0 mm", "200 mm", kind="length", unit="mm", group="Crane")
    build.ratio("Hoist", "Grab head", -1)
    build.ratio("Grab", "Grab block", -1)


def boiler(build: gremio.Builder) -> None:
    """A boiler on its saddles, with bolts seated round the manhole in its side, and its hose."""
    build.part(
        "Boiler",
        shape(Cylinder(diameter=1.3, height=2.6), (0, 0, 0), FLAT, IRON),
        shape(box(0.9, 0.2, 0.5), (0, 0.8, -0.72), paint=STONE),
        shape(box(0.9, 0.2, 0.5), (0, -0.8, -0.72), paint=STONE),
        shape(Cylinder(diameter=0.3, height=1.1), (0, -0.9, 1.0), paint=IRON),
        at=BOILER_AT,
    )
    for number in range(BOLTS):
        angle = 2 * math.pi * number / BOLTS
        name = f"Boiler bolt {number + 1}"
        place = (0.9, 0.4 + 0.26 * math.cos(angle), 0.12 + 0.26 * math.sin(angle))
        build.part(
            name,
            shape(Cylinder(diameter=0.09, height=0.05), (0, 0, 0.025), paint=BRASS),
            shape(Cylinder(diameter=0.045, height=0.06), (0, 0, 0.07), paint=BRASS),
            at=tuple(a + b for a, b in zip(BOILER_AT, place, strict=True)),
        )
        build.rig = gremio.constrain(build.rig, "seat", name, "Boiler", axis="z")
    build.rig = gremio.strand(
        build.rig, "hose", ("Boiler", (-0.5, -0.6, 0.42)), ("Engine bed", (2.0, -0.1, 0.8)),
        name="Steam hose", thickness=0.07, length=3.4,
    )  # fmt: skip
