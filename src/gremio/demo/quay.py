"""The quay of Saltmarsh lock: a planetary winch head, an inspection trolley, a pump house."""

from __future__ import annotations

import math

import gremio
from gremio.core.edit.builder import Typed, shape
from gremio.core.mechanics import gears
from gremio.core.rig.model import Repeat
from gremio.core.rig.solids import Ball, Box, Cylinder, InternalGear, SpurGear, Wedge

STONE, OAK, LEAF, IRON, BRASS = "#d9d1bf", "#cfa76b", "#b7c3be", "#8d989c", "#d3b67c"
FLAT: tuple[Typed, Typed, Typed] = ("-90 deg", 0, 0)

MODULE = 0.012
SUN, PLANET, RING = 20, 22, 64
WHEEL_RADIUS = 0.28
LOUVRES, LOUVRE_PITCH = 8, 0.19


def box(length: float, width: float, height: float) -> Box:
    """A block, shorter to write."""
    return Box(length=length, width=width, height=height)


def winch_head(build: gremio.Builder) -> None:
    """Sun, three planets on an arm, and a ring that is held or let slip; the arm is the drum."""
    build.part(
        "Winch frame",
        shape(box(1.3, 0.9, 0.16), (0, 0, 0.08), paint=STONE),
        shape(box(0.14, 0.12, 1.5), (-0.55, 0.36, 0.75), paint=OAK),
        shape(box(0.14, 0.12, 1.5), (0.55, 0.36, 0.75), paint=OAK),
        shape(box(1.24, 0.12, 0.14), (0, 0.36, 1.5), paint=OAK),
        at=(5.2, -5.4, 0),
    )
    axle: tuple[Typed, Typed, Typed] = (0, 0, 0.95)
    sun = SpurGear(module=MODULE, teeth=SUN, width=0.07, bore=0.05)
    build.part(
        "Winch sun",
        shape(sun, turned=FLAT, paint=BRASS),
        shape(Cylinder(diameter=0.05, height=0.5), (0, -0.2, 0), FLAT, IRON),
        shape(box(0.05, 0.04, 0.42), (0, -0.44, 0.19), paint=IRON),
        shape(Cylinder(diameter=0.05, height=0.2), (0, -0.53, 0.38), FLAT, OAK),
        on="Winch frame", at=axle, joint="spin y",
    )  # fmt: skip
    build.part(
        "Winch arm",
        shape(Cylinder(diameter=0.3, height=0.36), (0, 0.3, 0), FLAT, OAK),
        shape(Cylinder(diameter=0.42, height=0.04), (0, 0.12, 0), FLAT, IRON),
        shape(Cylinder(diameter=0.42, height=0.04), (0, 0.48, 0), FLAT, IRON),
        on="Winch frame", at=axle, joint="spin y",
    )  # fmt: skip
    reach = gears.centre_distance(MODULE, SUN, PLANET)
    planet = SpurGear(module=MODULE, teeth=PLANET, width=0.06, bore=0.06)
    names = [f"Planet {number}" for number in (1, 2, 3)]
    for number, name in enumerate(names):
        angle = math.radians(90) + number * 2 * math.pi / 3
        place: tuple[Typed, Typed, Typed] = (reach * math.cos(angle), 0, reach * math.sin(angle))
        build.part(
            name,
            shape(planet, turned=FLAT, paint=BRASS),
            shape(Cylinder(diameter=0.06, height=0.2), (0, 0.08, 0), FLAT, IRON),
            on="Winch arm", at=place, joint="spin y",
        )  # fmt: skip
    rim = gears.internal_root_diameter(MODULE, RING) + 0.06
    ring = InternalGear(module=MODULE, teeth=RING, width=0.08, rim=rim)
    build.part(
        "Winch ring", shape(ring, turned=FLAT, paint=IRON), on="Winch frame", at=axle,
        joint="spin y",
    )  # fmt: skip
    for name in names:
        build.rig = gremio.mesh(build.rig, "Winch sun", name)
    build.rig = gremio.mesh(build.rig, "Planet 1", "Winch ring", keep_place=True)
    build.part(
        "Winch hook",
        shape(box(0.02, 0.02, 0.5), (0, 0, 0.25), paint=IRON),
        shape(Ball(diameter=0.12), (0, 0, -0.04), paint=IRON),
        on="Winch frame", at=(0.15, 0.3, 0.35), joint="slide z", stops=("-250 mm", "920 mm"),
    )  # fmt: skip
    build.ratio("Winch arm", "Winch hook", 0.15, kind="winch")
    build.control("Winch", "0 turn", "4 turn", unit="turn", group="Quay")
    build.control("Ring slip", "-0.25 turn", "0.25 turn", unit="turn", group="Quay")
    build.ratio("Winch", "Winch sun", 1)
    build.ratio("Ring slip", "Winch ring", 1)


def trolley(build: gremio.Builder) -> None:
    """An inspection trolley on four wheels, the front two steered."""
    build.part(
        "Inspection trolley",
        shape(box(2.0, 0.8, 0.1), (0.6, 0, 0), paint=OAK),
        shape(box(0.08, 0.08, 0.7), (-0.3, 0.3, 0.4), paint=IRON),
        shape(box(0.08, 0.08, 0.7), (-0.3, -0.3, 0.4), paint=IRON),
        shape(box(0.08, 0.68, 0.08), (-0.3, 0, 0.76), paint=IRON),
        shape(box(0.5, 0.6, 0.32), (0.1, 0, 0.2), paint=LEAF),
        at=(4.4, -1.2, 0.44),
    )
    tread = Cylinder(diameter=2 * WHEEL_RADIUS, height=0.09)
    wheels = {
        "Front wheel, left": (1.3, 0.5), "Front wheel, right": (1.3, -0.5),
        "Rear wheel, left": (0.0, 0.5), "Rear wheel, right": (0.0, -0.5),
    }  # fmt: skip
    for name, (x, y) in wheels.items():
        build.part(
            name,
            shape(tread, turned=FLAT, paint=IRON),
            shape(box(0.4, 0.11, 0.06), paint=OAK),
            shape(box(0.06, 0.11, 0.4), paint=OAK),
            on="Inspection trolley", at=(x, y, WHEEL_RADIUS - 0.44),
        )  # fmt: skip
    names = list(wheels)
    build.rig = gremio.carriage(build.rig, "Inspection trolley", names, names[:2])
    build.group("Quay", "Inspection trolley travel", "Inspection trolley steering")


def pump_house(build: gremio.Builder) -> None:
    """A pump house whose louvres are one part, repeated, with a bar that moves them."""
    build.part(
        "Pump house",
        shape(box(1.5, 0.14, 2.1), (0, 0.9, 1.05), paint=STONE),
        shape(box(1.5, 0.14, 2.1), (0, -0.9, 1.05), paint=STONE),
        shape(box(0.14, 1.94, 2.1), (-0.68, 0, 1.05), paint=STONE),
        shape(box(0.14, 1.66, 0.3), (0.68, 0, 0.15), paint=STONE),
        shape(box(0.14, 1.66, 0.22), (0.68, 0, 1.99), paint=STONE),
        shape(Wedge(length=1.9, width=2.3, height=0.5), (0, 0, 2.1), (0, 0, "180 deg"), OAK),
        at=(0.6, -8.4, 0),
        joint="planar y",
    )
    build.part(
        "Louvre",
        shape(box(0.2, 1.64, 0.02), paint=LEAF),
        on="Pump house", at=(0.68, 0, 0.42), joint="hinge y", stops=("0 deg", "75 deg"),
        repeat=Repeat("line", "z", LOUVRES, LOUVRE_PITCH),
    )  # fmt: skip
    build.part(
        "Louvre bar",
        shape(box(0.02, 0.05, LOUVRES * LOUVRE_PITCH), (0.1, 0, 0.66), paint=IRON),
        on="Pump house", at=(0.68, 0, 0.42), joint="free",
    )  # fmt: skip
    build.control("Louvres", "0 deg", "75 deg", group="Quay")
    build.ratio("Louvres", "Louvre", 1)
    # The bar goes with the front edge of every louvre.
    build.rig = gremio.formula(build.rig, "Louvre bar move z", "-0.1 m * sin(Louvre.turn)")
    build.rig = gremio.formula(build.rig, "Louvre bar move x", "0.1 m * (cos(Louvre.turn) - 1)")
