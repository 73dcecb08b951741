"""Saltmarsh lock: chamber, upper gates, one sluice paddle, and what stands on the quay.

x runs down the canal, z up; the east wall is at negative y.
"""

from __future__ import annotations

import math

import gremio
from gremio.core.edit.builder import Typed, shape
from gremio.core.mechanics import gears
from gremio.core.rig.model import Rig, Shape
from gremio.core.rig.solids import Cylinder, Plate, RackBar, SpurGear, Tube, Wedge
from gremio.demo.cabin import cabin
from gremio.demo.crane import boiler, crane
from gremio.demo.passage import boat_through
from gremio.demo.quay import (
    BRASS,
    IRON,
    LEAF,
    OAK,
    STONE,
    box,
    pump_house,
    trolley,
    winch_head,
)
from gremio.demo.running import capstan, dredger, lamp, tracked_winch, trembling
from gremio.demo.works import bascule_bridge, engine, scissor_lift

CHAMBER_WIDTH = 6.0
MITRE = math.radians(16)
LEAF_LENGTH = CHAMBER_WIDTH / 2 / math.cos(MITRE)
LEAF_HEIGHT = 4.0
OPEN = math.pi / 2 - MITRE

MODULE = 0.012
PINION_TEETH, WHEEL_TEETH, RACK_TEETH = 12, 32, 53
SHIFT = 0.3
AXLE_HEIGHT = 3.2
RACK_AT = 1.3
WINDLASS_TURNS = 9


def saltmarsh_lock() -> Rig:
    """The lock as a rig, at home: gates shut, paddle down."""
    build = gremio.Builder("Saltmarsh lock, upper gates")
    chamber(build)
    gates(build)
    paddle(build)
    winch_head(build)
    trolley(build)
    pump_house(build)
    cabin(build)
    engine(build)
    scissor_lift(build)
    bascule_bridge(build)
    crane(build)
    boiler(build)
    capstan(build)
    dredger(build)
    tracked_winch(build)
    trembling(build)
    lamp(build)
    return boat_through(written_about(build.rig))


def written_about(rig: Rig) -> Rig:
    """What the keepers wrote for whoever opens the rig later."""
    rig = gremio.write_note(
        rig, "Upper gates", "Shut before a paddle is drawn; the two mitre at home."
    )
    return gremio.write_note(
        rig, "Paddle, east move z", "As the rack goes. The windlass takes 7.2 turns."
    )


def chamber(build: gremio.Builder) -> None:
    """Floor, sill and two walls with a recess for each open leaf."""
    shapes = [
        shape(box(7.6, 10.4, 0.4), (-1.4, 0, -0.2), paint=STONE),
        shape(Wedge(length=1.4, width=6, height=0.25), (0.9, 0, 0), (0, 0, "180 deg"), STONE),
    ]
    for side in (-1, 1):
        shapes += [
            shape(box(7.6, 1.85, 3.9), (-1.4, side * 4.275, 1.95), paint=STONE),
            shape(box(1.5, 0.35, 3.9), (-4.45, side * 3.175, 1.95), paint=STONE),
            shape(box(2.15, 0.35, 3.9), (1.325, side * 3.175, 1.95), paint=STONE),
        ]
    build.part("Lock chamber", *shapes, stand_in="full")
    for side, name in ((-1, "east"), (1, "west")):
        bollard = [
            shape(Cylinder(diameter=0.3, height=0.7), (0, 0, 0.35), paint=IRON),
            shape(
                Tube(outer_diameter=0.42, inner_diameter=0.28, height=0.1), (0, 0, 0.62), paint=IRON
            ),
        ]
        build.part(f"Bollard, {name}", *bollard, on="Lock chamber", at=(-4.2, side * 4.2, 3.9))


def leaf_shapes() -> list[Shape]:
    """A gate leaf along x from its heel post, planks between two posts and three rails."""
    planks = 6
    width = (LEAF_LENGTH - 0.34) / planks
    shapes = [
        shape(
            Cylinder(diameter=0.3, height=LEAF_HEIGHT), (0, 0, LEAF_HEIGHT / 2 + 0.02), paint=OAK
        ),
        shape(
            box(0.2, 0.24, LEAF_HEIGHT), (LEAF_LENGTH - 0.1, 0, LEAF_HEIGHT / 2 + 0.02), paint=OAK
        ),
    ]
    for number in range(planks):
        middle = 0.14 + width * (number + 0.5)
        shapes.append(shape(box(width, 0.16, 3.8), (middle, 0, 2.02), paint=LEAF))
    return shapes


def gates(build: gremio.Builder) -> None:
    """Two leaves with balance beams; the east one is led by a cam, the west one by the east."""
    beam = [
        shape(box(6.4, 0.34, 0.34), (-0.4, 0, 0.17), paint=OAK),
        shape(box(0.9, 0.4, 0.4), (-3.3, 0, 0.17), paint=IRON),
    ]
    for name, side, stops in (
        ("east", -1, (0.0, OPEN)),
        ("west", 1, (-OPEN, 0.0)),
    ):
        closed = -side * (math.pi / 2 + MITRE)
        mount_at: list[Typed] = [0.0, side * CHAMBER_WIDTH / 2, 0.0]
        build.part(
            f"Upper gate, {name}",
            *leaf_shapes(),
            at=mount_at,
            turned=(0, 0, closed),
            joint="hinge z",
            stops=stops,
        )
        build.part(
            f"Balance beam, {name}", *beam, on=f"Upper gate, {name}", at=(0, 0, LEAF_HEIGHT + 0.03)
        )
    build.control("Upper gates", 0.0, OPEN, kind="angle", group="Gates")
    build.cam(
        "Upper gates",
        {
            "0 deg": {"Upper gate, east": "0 deg"},
            "30 deg": {"Upper gate, east": "16 deg"},
            "61 deg": {"Upper gate, east": OPEN},
            OPEN: {"Upper gate, east": OPEN},
        },
    )
    build.ratio("Upper gate, east", "Upper gate, west", -1)


def paddle(build: gremio.Builder) -> None:
    """A sluice paddle in the east leaf: windlass, gear train with a ratchet, rack and pinion."""
    leaf = "Upper gate, east"
    flat: tuple[Typed, Typed, Typed] = ("-90 deg", 0, 0)
    pinion_radius = gears.pitch_diameter(MODULE, PINION_TEETH) / 2
    turns = WINDLASS_TURNS * PINION_TEETH / WHEEL_TEETH
    raised = gears.rack_travel(MODULE, PINION_TEETH) * turns

    build.part(
        "Paddle, east",
        shape(box(0.9, 0.08, 0.9), (0, 0, 0.45), paint=OAK),
        shape(box(0.98, 0.03, 0.08), (0, -0.05, 0.2), paint=IRON),
        shape(box(0.98, 0.03, 0.08), (0, -0.05, 0.7), paint=IRON),
        on=leaf,
        at=(RACK_AT - 0.06, -0.14, 0.25),
        joint="slide z",
        stops=(0.0, raised),
    )
    rack = RackBar(module=MODULE, teeth=RACK_TEETH, width=0.08, back=0.05)
    build.part(
        "Rack bar, east",
        shape(rack, (0, 0, 0), ("-90 deg", "-90 deg", 0), paint=IRON),
        shape(box(0.1, 0.06, 0.72), (-0.06, 0, -0.34), paint=IRON),
        on="Paddle, east",
        at=(0.06, -0.14, AXLE_HEIGHT - 0.25 - 44.5 * gears.pitch(MODULE)),
    )
    # Twelve teeth want a little profile shift, or their roots are undercut.
    pinion = SpurGear(module=MODULE, teeth=PINION_TEETH, width=0.1, bore=0.06, shift=SHIFT)
    build.part(
        "Pinion, east",
        shape(pinion, turned=flat, paint=BRASS),
        shape(Cylinder(diameter=0.06, height=0.46), (0, -0.02, 0), flat, IRON),
        on=leaf,
        at=(RACK_AT + pinion_radius, -0.28, AXLE_HEIGHT),
        joint="spin y",
    )
    wheel = SpurGear(module=MODULE, teeth=WHEEL_TEETH, width=0.06, bore=0.08)
    build.part(
        f"Wheel, {WHEEL_TEETH} teeth",
        shape(wheel, turned=flat, paint=BRASS),
        on="Pinion, east",
        at=(0, -0.1, 0),
    )
    ratchet = SpurGear(module=0.008, teeth=24, width=0.03, bore=0.08)
    build.part(
        "Ratchet wheel",
        shape(ratchet, turned=flat, paint=IRON),
        on="Pinion, east",
        at=(0, -0.17, 0),
    )
    small = SpurGear(module=MODULE, teeth=PINION_TEETH, width=0.08, bore=0.05, shift=SHIFT)
    apart = gears.centre_distance(MODULE, PINION_TEETH, WHEEL_TEETH)
    build.part(
        "Windlass",
        shape(small, turned=flat, paint=BRASS),
        shape(Cylinder(diameter=0.05, height=0.5), (0, 0.06, 0), flat, IRON),
        shape(box(0.06, 0.04, 0.46), (0, -0.17, -0.2), paint=IRON),
        shape(Cylinder(diameter=0.06, height=0.26), (0, -0.3, -0.4), flat, OAK),
        on=leaf,
        at=(RACK_AT + pinion_radius + apart, -0.38, AXLE_HEIGHT),
        joint="spin y",
    )
    # Placed by their teeth: the pinion to the rack, the windlass to the wheel.
    build.rig = gremio.mesh(build.rig, "Paddle, east", "Pinion, east")
    build.rig = gremio.mesh(build.rig, "Pinion, east", "Windlass")
    build.part(
        "Bearing plate",
        shape(
            Plate(
                length=0.6,
                width=0.3,
                thickness=0.03,
                holes=((-apart / 2, 0.0, 0.08), (apart / 2, 0.0, 0.07)),
            ),
            turned=flat,
            paint=IRON,
        ),
        on=leaf,
        at=(RACK_AT + pinion_radius + apart / 2, -0.2, AXLE_HEIGHT),
    )
    build.control(
        "Paddle windlass",
        0.0,
        f"{WINDLASS_TURNS} turn",
        unit="turn",
        group="Sluices",
        notches=[f"{turn} turn" for turn in range(WINDLASS_TURNS + 1)],
    )
    build.ratio("Paddle windlass", "Windlass", -1)
