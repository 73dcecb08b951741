"""What runs by itself at Saltmarsh lock: a capstan on a motor, a bucket dredger's chain, a winch on
treads, a pump house that trembles, and the lamp that is handed from hook to hook."""

from __future__ import annotations

import math

import gremio
from gremio.core.edit.builder import shape
from gremio.core.frames import Frame
from gremio.core.rig.model import Rig
from gremio.core.rig.solids import Ball, Cylinder, SpurGear, Tube
from gremio.demo.quay import BRASS, FLAT, IRON, LEAF, OAK, STONE, box

CAPSTAN_AT = (7.4, -5.9, 0.0)
DREDGER_AT, LADDER_UP, LADDER = (7.4, 4.8, 1.05), math.radians(34), 2.8
TUMBLER_MODULE, TEETH, TUMBLER_SHIFT = 0.09, 8, 0.53
WINCH_AT, HOOK = (4.2, -11.42, 0.0), (1.32, 0.0, 1.84)
LAMP, LAMP_AT = "Signal lamp", (11.933, -11.095, 0.58)


def capstan(build: gremio.Builder) -> None:
    """A capstan whose speed is a lever: as long as it stands off home, the barrel goes round."""
    build.part(
        "Capstan base", shape(Cylinder(diameter=1.1, height=0.2), (0, 0, 0.1), paint=STONE),
        at=CAPSTAN_AT,
    )  # fmt: skip
    build.part(
        "Capstan",
        shape(Cylinder(diameter=0.46, height=0.8), (0, 0, 0.4), paint=OAK),
        shape(Cylinder(diameter=0.72, height=0.12), (0, 0, 0.06), paint=IRON),
        shape(Cylinder(diameter=0.66, height=0.16), (0, 0, 0.86), paint=IRON),
        *(shape(box(1.5, 0.06, 0.06), (0, 0, 0.86), (0, 0, f"{angle} deg"), OAK)
          for angle in (0, 60, 120)),
        on="Capstan base", at=(0, 0, 0.2), joint="spin z",
    )  # fmt: skip
    build.control("Capstan speed", "-2 turn/s", "2 turn/s", kind="rate", unit="turn/s",
                  group="Quay")  # fmt: skip
    build.rig = gremio.motor(build.rig, "Capstan speed", "Capstan turn z", spin_up="1 turn/s")


def dredger(build: gremio.Builder) -> None:
    """The ladder of a bucket dredger: a chain of buckets over two tumblers."""
    build.part(
        "Dredger ladder",
        shape(box(LADDER, 0.1, 0.16), (LADDER / 2, 0.3, 0), paint=OAK),
        shape(box(LADDER, 0.1, 0.16), (LADDER / 2, -0.3, 0), paint=OAK),
        *(shape(Cylinder(diameter=0.08, height=0.8), (at, 0, 0), FLAT, IRON)
          for at in (0.0, LADDER)),
        at=DREDGER_AT, turned=(0, -LADDER_UP, 0),
    )  # fmt: skip
    for side in (0.45, -0.45):
        word = "left" if side > 0 else "right"
        build.part(
            f"Dredger post, {word}",
            shape(box(0.16, 0.16, 2.7), (0, 0, 1.35), paint=OAK),
            at=(DREDGER_AT[0] + LADDER * math.cos(LADDER_UP), DREDGER_AT[1] + side, 0),
        )
    gear = SpurGear(module=TUMBLER_MODULE, teeth=TEETH, width=0.22, bore=0.08, shift=TUMBLER_SHIFT)
    for name, at in (("Lower tumbler", 0.0), ("Upper tumbler", LADDER)):
        build.part(name, shape(gear, turned=FLAT, paint=IRON), on="Dredger ladder", at=(at, 0, 0),
                   joint="spin y")  # fmt: skip
    pitch = TUMBLER_MODULE * TEETH * math.sin(math.pi / TEETH)
    pin, side = 0.08, 0.13
    build.part(
        "Bucket",
        shape(Cylinder(diameter=pin, height=2.4 * side), (-pitch / 2, 0, 0), FLAT, IRON),
        shape(box(1.3 * pitch, 0.02, 0.07), (0, side, 0), paint=IRON),
        shape(box(1.3 * pitch, 0.02, 0.07), (0, -side, 0), paint=IRON),
        shape(box(0.62 * pitch, 0.3, 0.012), (0, 0, 0.05), paint=LEAF),
        shape(box(0.012, 0.3, 0.13), (0.31 * pitch, 0, 0.11), (0, "-18 deg", 0), LEAF),
        *(shape(box(0.6 * pitch, 0.012, 0.1), (0, at, 0.1), paint=LEAF) for at in (0.15, -0.15)),
        stand_in="full",
    )  # fmt: skip
    build.rig = gremio.tread(
        build.rig, ["Upper tumbler", "Lower tumbler"], link="Bucket", chain=True,
        pitch=pitch, name="Bucket chain",
    )  # fmt: skip
    build.control("Dredger", "0 turn", "4 turn", unit="turn", group="Works")
    build.ratio("Dredger", "Upper tumbler", 1)


def tracked_winch(build: gremio.Builder) -> None:
    """A winch on treads that turns on the spot, with a hook on a davit."""
    body = "Quay winch"
    build.part(
        body,
        shape(box(1.7, 0.62, 0.2), (0, 0, 0.42), paint=LEAF),
        shape(Cylinder(diameter=0.34, height=0.5), (-0.3, 0, 0.72), FLAT, OAK),
        *(shape(box(0.08, 0.06, 0.4), (-0.3, at, 0.66), paint=IRON) for at in (0.28, -0.28)),
        shape(box(0.1, 0.1, 1.5), (0.62, 0, 1.2), paint=IRON),
        shape(box(0.8, 0.08, 0.1), (0.98, 0, 1.95), paint=IRON),
        shape(Tube(outer_diameter=0.14, inner_diameter=0.08, height=0.03), HOOK, FLAT, BRASS),
        at=WINCH_AT,
    )  # fmt: skip
    names = []
    for side, y in (("left", 0.46), ("right", -0.46)):
        for word, x, z, wide in (("Driving wheel", -0.72, 0.36, 0.4), ("Idler", 0.72, 0.3, 0.34),
                                 ("Road wheel 1", -0.36, 0.19, 0.24),
                                 ("Road wheel 2", 0.0, 0.19, 0.24),
                                 ("Road wheel 3", 0.36, 0.19, 0.24)):  # fmt: skip
            name = f"{word}, {side}"
            build.part(
                name,
                shape(Cylinder(diameter=wide, height=0.14), turned=FLAT, paint=IRON),
                shape(box(0.8 * wide, 0.15, 0.03), paint=OAK),
                on=body, at=(x, y, z),
            )  # fmt: skip
            names.append(name)
    build.rig = gremio.tracked(build.rig, body, names)
    build.group("Quay", f"{body} travel", f"{body} turn")


def trembling(build: gremio.Builder) -> None:
    """The pump house trembles by as much as is said, from nothing to all."""
    build.control("Pump", 0.0, 1.0, kind="number", unit="%", group="Works")
    build.rig = gremio.rumble(
        build.rig, "Pump", {"Pump house move z": "7 mm", "Pump house move x": "4 mm"},
        speed="9 Hz", seed=4,
    )  # fmt: skip


def lamp(build: gremio.Builder) -> None:
    """A lamp with a ring to hang it by, which is carried in turn."""
    build.part(
        LAMP,
        shape(Cylinder(diameter=0.3, height=0.06), (0, 0, -0.55), paint=IRON),
        shape(Cylinder(diameter=0.24, height=0.3), (0, 0, -0.37), paint=BRASS),
        shape(Ball(diameter=0.18), (0, 0, -0.2), paint=IRON),
        shape(Tube(outer_diameter=0.16, inner_diameter=0.1, height=0.03), (0, 0, -0.06), FLAT,
              IRON),
        at=LAMP_AT,
    )  # fmt: skip


def handed_over(rig: Rig, routine: str) -> Rig:
    """The rig in which the crane takes the lamp up, and hangs it on the hook of the winch."""
    rig = gremio.hand_over(rig, 7.0, LAMP, "Grab block", routine=routine)
    place = Frame(HOOK)
    return gremio.hand_over(
        rig, 13.0, LAMP, "Quay winch", routine=routine, over="0.5 s", place=place
    )
