"""Machines whose parts close into loops: a steam engine, and a scissor-lift platform."""

from __future__ import annotations

import math

import gremio
from gremio.core.edit.builder import Typed, shape
from gremio.core.rig.model import Shape
from gremio.core.rig.solids import Cylinder, Tube
from gremio.demo.quay import BRASS, FLAT, IRON, LEAF, OAK, STONE, box

CRANK, ROD = 0.22, 0.9
ECCENTRIC, VALVE_ROD, VALVE_UP = 0.07, 0.86, 0.3
ARM, STAGES, LOW = 1.6, 3, math.radians(12)


def engine(build: gremio.Builder) -> None:
    """Crank, connecting rod, crosshead with its piston, and a slide valve on an eccentric."""
    bed = "Engine bed"
    build.part(
        bed,
        shape(box(2.6, 0.7, 0.3), (0.7, 0, 0.15), paint=STONE),
        shape(box(0.24, 0.14, 0.34), (0, 0.26, 0.47), paint=IRON),
        shape(box(0.24, 0.14, 0.34), (0, -0.26, 0.47), paint=IRON),
        shape(box(0.6, 0.06, 0.06), (1.0, 0.14, 0.52), paint=IRON),
        shape(box(0.6, 0.06, 0.06), (1.0, -0.14, 0.52), paint=IRON),
        shape(Tube(outer_diameter=0.4, inner_diameter=0.32, height=0.6), (1.7, 0, 0.64),
              (0, "90 deg", 0), BRASS),
        shape(box(0.16, 0.4, 0.34), (1.7, 0, 0.36), paint=IRON),
        at=(7.6, -3.2, 0), turned=(0, 0, "90 deg"),
    )  # fmt: skip
    axle: tuple[Typed, Typed, Typed] = (0, 0, 0.64)
    build.part(
        "Crankshaft",
        shape(Cylinder(diameter=0.1, height=1.0), (0, 0, 0), FLAT, IRON),
        shape(Tube(outer_diameter=1.1, inner_diameter=0.92, height=0.12), (0, -0.44, 0), FLAT, OAK),
        shape(box(0.98, 0.08, 0.08), (0, -0.44, 0), paint=OAK),
        shape(box(0.08, 0.08, 0.98), (0, -0.44, 0), paint=OAK),
        shape(box(CRANK + 0.14, 0.06, 0.14), (CRANK / 2, -0.07, 0), paint=IRON),
        shape(Cylinder(diameter=0.07, height=0.2), (CRANK, 0, 0), FLAT, IRON),
        shape(Cylinder(diameter=0.24, height=0.06), (0, 0.42, ECCENTRIC), FLAT, BRASS),
        on=bed, at=axle, joint="spin y",
    )  # fmt: skip
    build.part(
        "Crosshead",
        shape(box(0.16, 0.22, 0.12), paint=BRASS),
        shape(Cylinder(diameter=0.05, height=0.6), (0.38, 0, 0), (0, "90 deg", 0), IRON),
        shape(Cylinder(diameter=0.31, height=0.1), (0.68, 0, 0), (0, "90 deg", 0), IRON),
        on=bed, at=(CRANK + ROD, 0, 0.64), joint="slide x",
    )  # fmt: skip
    build.part(
        "Slide valve",
        shape(box(0.12, 0.12, 0.1), paint=BRASS),
        shape(Cylinder(diameter=0.035, height=0.5), (0.28, 0, 0), (0, "90 deg", 0), IRON),
        on=bed, at=(_valve_at(), 0.42, 0.64 + VALVE_UP), joint="slide x",
    )  # fmt: skip
    build.part(
        "Connecting rod",
        shape(box(ROD - 0.1, 0.05, 0.06), (ROD / 2, 0.02, 0), paint=OAK),
        shape(Cylinder(diameter=0.12, height=0.05), (0, 0.02, 0), FLAT, BRASS),
        shape(Cylinder(diameter=0.1, height=0.05), (ROD, 0.02, 0), FLAT, BRASS),
        on="Crankshaft", at=(CRANK, 0, 0), joint="spin y",
    )  # fmt: skip
    down = math.asin((VALVE_UP - ECCENTRIC) / VALVE_ROD)
    build.part(
        "Eccentric rod",
        shape(box(VALVE_ROD, 0.03, 0.04), (VALVE_ROD / 2, 0, 0), paint=OAK),
        shape(Tube(outer_diameter=0.3, inner_diameter=0.24, height=0.05), (0, 0, 0), FLAT, IRON),
        on="Crankshaft", at=(0, 0.42, ECCENTRIC), turned=(0, -down, 0), joint="spin y",
    )  # fmt: skip
    build.rig = gremio.pin(build.rig, "Connecting rod", "Crosshead", (ROD, 0, 0))
    build.rig = gremio.pin(build.rig, "Eccentric rod", "Slide valve", (VALVE_ROD, 0, 0))
    build.control("Engine", "0 turn", "6 turn", unit="turn", group="Works")
    build.ratio("Engine", "Crankshaft", 1)


def _valve_at() -> float:
    """How far the valve is from the shaft at home, where the eccentric stands upright."""
    return math.sqrt(VALVE_ROD**2 - (VALVE_UP - ECCENTRIC) ** 2)


def scissor_lift(build: gremio.Builder) -> None:
    """A platform on crossed arms: a nut draws their feet together, and it rises."""
    wide = ARM * math.cos(LOW)
    base = "Lift base"
    build.part(base, shape(box(2.0, 1.0, 0.12), (0.8, 0, 0.06), paint=STONE), at=(5.6, 1.4, 0))
    build.part(
        "Lift nut",
        shape(box(0.14, 0.9, 0.1), (0, 0, -0.06), paint=IRON),
        on=base, at=(wide, 0, 0.24), joint="slide x", stops=(-1.15, 0.0),
    )  # fmt: skip
    up, down = -LOW, LOW - math.pi
    # Odd arms rise to the right, even ones to the left; each stands on the one below.
    places: list[tuple[str, str, tuple[Typed, Typed, Typed], float]] = [
        ("Arm 1", base, (0, 0, 0.24), up),
        ("Arm 2", "Lift nut", (0, 0, 0), down),
    ]
    turned = {"Arm 1": up, "Arm 2": down}
    for stage in range(2, STAGES + 1):
        one, two = f"Arm {2 * stage - 1}", f"Arm {2 * stage}"
        left, right = f"Arm {2 * stage - 2}", f"Arm {2 * stage - 3}"
        places.append((one, left, (ARM, 0, 0), up - turned[left]))
        places.append((two, right, (ARM, 0, 0), down - turned[right]))
        turned |= {one: up, two: down}
    for name, on, at, turn in places:
        build.part(
            name, *_arm(turned[name] == up), on=on, at=at, turned=(0, turn, 0), joint="hinge y"
        )
    top_left, top_right = f"Arm {2 * STAGES}", f"Arm {2 * STAGES - 1}"
    build.part(
        "Platform",
        shape(box(2.0, 1.1, 0.1), (wide / 2, 0, 0.1), paint=OAK),
        shape(box(0.06, 1.1, 0.5), (wide / 2 - 0.97, 0, 0.4), paint=LEAF),
        shape(box(0.06, 1.1, 0.5), (wide / 2 + 0.97, 0, 0.4), paint=LEAF),
        on=top_left, at=(ARM, 0, 0), turned=(0, -down, 0), joint="hinge y",
    )  # fmt: skip
    middle = (ARM / 2, 0, 0)
    for stage in range(1, STAGES + 1):
        names = f"Arm {2 * stage - 1}", f"Arm {2 * stage}"
        build.rig = gremio.pin(build.rig, names[0], names[1], middle, middle)
    build.rig = gremio.pin(
        build.rig, top_right, "Platform", (ARM, 0, 0), (wide, 0, 0), rail=(1, 0, 0)
    )
    build.control("Lift", "0 m", "1.1 m", kind="length", group="Works")
    build.ratio("Lift", "Lift nut", -1)


def bascule_bridge(build: gremio.Builder) -> None:
    """A leaf with a counterweight on a pier, raised on two telescopic struts."""
    build.part(
        "Bridge pier",
        shape(box(1.0, 2.2, 1.5), (-0.4, 0, 0.75), paint=STONE),
        shape(box(1.6, 2.2, 0.2), (0.9, 0, 0.1), paint=STONE),
        shape(box(0.3, 0.2, 0.5), (0, 0.9, 1.75), paint=IRON),
        shape(box(0.3, 0.2, 0.5), (0, -0.9, 1.75), paint=IRON),
        at=(-1.4, -11.4, 0),
    )
    build.part(
        "Bridge leaf",
        shape(box(4.6, 1.5, 0.14), (2.2, 0, 0.1), paint=OAK),
        shape(box(5.8, 0.14, 0.26), (1.6, 0.68, 0), paint=IRON),
        shape(box(5.8, 0.14, 0.26), (1.6, -0.68, 0), paint=IRON),
        shape(box(0.5, 1.5, 0.7), (-1.1, 0, -0.1), paint=IRON),
        on="Bridge pier", at=(0, 0, 1.9), joint="hinge y", stops=("-80 deg", "0 deg"),
    )  # fmt: skip
    build.control("Bridge", "0 deg", "75 deg", group="Works")
    build.ratio("Bridge", "Bridge leaf", -1)
    for side in (-1, 1):
        foot, head = (0.5, side * 0.85, 0.35), (1.9, side * 0.85, -0.05)
        build.rig = gremio.strut(build.rig, "Bridge pier", "Bridge leaf", foot, head)


def _arm(outer: bool) -> list[Shape]:
    """Two bars side by side with axles across; those of one slope run outside the others."""
    aside = 0.46 if outer else 0.39
    bars = [
        shape(box(ARM + 0.1, 0.06, 0.1), (ARM / 2, side * aside, 0), paint=IRON) for side in (-1, 1)
    ]
    axles = [
        shape(Cylinder(diameter=0.06, height=1.0), (ARM * share, 0, 0), FLAT, BRASS)
        for share in (0.0, 0.5, 1.0)
    ]
    return bars + axles
