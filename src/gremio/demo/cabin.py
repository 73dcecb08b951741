"""The lock-keeper's cabin: a door with its latch, a tool chest, and the signal arm."""

from __future__ import annotations

import math

from msgspec.structs import replace

import gremio
from gremio.core.edit.builder import shape
from gremio.core.edit.controls import change_control
from gremio.core.edit.links import add_link
from gremio.core.edit.parts import set_stops
from gremio.core.rig.find import channel_key, control_id, part_id
from gremio.core.rig.model import Beyond, Cam, Face, Follower, ProfileKind, Station, Stops
from gremio.core.rig.solids import Ball, Cylinder, Wedge
from gremio.demo.quay import BRASS, FLAT, IRON, LEAF, OAK, STONE, box

DOOR_OPEN = math.radians(100)
LATCH_OUT = -0.065
LID_OPEN = math.radians(110)
ARM_UP = math.radians(-50)

# A follower's stations, (lead, value, profile to the next), by its name.
Motion = dict[str, list[tuple[float, float, ProfileKind]]]


def cabin(build: gremio.Builder) -> None:
    """All that belongs to the lock-keeper's cabin, with its three controls."""
    door(build)
    chest(build)
    signal(build)


def led_by_cam(build: gremio.Builder, lead: str, motion: Motion, beyond: Beyond = "hold") -> None:
    """Let a control lead followers through stations, each with its own; a follower is absent
    from the stations of the others."""
    leads = sorted({at for stations in motion.values() for at, _, _ in stations})
    keys = {name: channel_key(build.rig, name) for name in motion}
    said = {name: {at: (value, kind) for at, value, kind in motion[name]} for name in motion}
    stations = [
        Station(
            at,
            {keys[name]: said[name][at][0] for name in motion if at in said[name]},
            {keys[name]: said[name][at][1] for name in motion
             if at in said[name] and said[name][at][1] != "smooth"},
        )
        for at in leads
    ]  # fmt: skip
    cam = Cam(
        control_id(build.rig, lead), tuple(map(Follower, keys.values())), tuple(stations),
        before=beyond, after=beyond,
    )  # fmt: skip
    build.rig, _ = add_link(build.rig, cam)


def stand_face(build: gremio.Builder, control: str, face: Face, on: str) -> None:
    """Give a control a face in the Bench, carried by a part."""
    key = control_id(build.rig, control)
    entry = replace(build.rig.controls[key], face=replace(face, on=part_id(build.rig, on)))
    build.rig = change_control(build.rig, key, entry)


def door(build: gremio.Builder) -> None:
    """A door whose latch withdraws first; it then swings open, softly at the end."""
    build.part(
        "Cabin",
        shape(box(2.2, 0.12, 2.2), (0, 1.04, 1.1), paint=STONE),
        shape(box(2.2, 0.12, 2.2), (0, -1.04, 1.1), paint=STONE),
        shape(box(0.12, 2.2, 2.2), (-1.04, 0, 1.1), paint=STONE),
        shape(box(0.12, 0.62, 2.2), (1.04, 0.79, 1.1), paint=STONE),
        shape(box(0.12, 0.62, 2.2), (1.04, -0.79, 1.1), paint=STONE),
        shape(box(0.12, 0.96, 0.2), (1.04, 0, 2.1), paint=OAK),
        shape(Wedge(length=2.5, width=2.5, height=0.5), (0, 0, 2.2), (0, 0, "180 deg"), OAK),
        at=(0.8, 7.4, 0),
    )
    build.part(
        "Cabin door",
        shape(box(0.94, 0.05, 1.96), (0.47, 0, 0.99), paint=LEAF),
        shape(box(0.94, 0.03, 0.12), (0.47, -0.035, 0.4), paint=OAK),
        shape(box(0.94, 0.03, 0.12), (0.47, -0.035, 1.6), paint=OAK),
        on="Cabin", at=(1.08, 0.47, 0), turned=(0, 0, "-90 deg"),
        joint="hinge z", stops=("0 deg", "105 deg"),
    )  # fmt: skip
    build.part(
        "Door latch",
        shape(box(0.26, 0.03, 0.06), (-0.1, 0, 0), paint=BRASS),
        shape(Cylinder(diameter=0.05, height=0.1), (-0.16, 0.04, 0), FLAT, IRON),
        on="Cabin door", at=(0.98, 0.045, 1.0), joint="slide x", stops=("-70 mm", "0 mm"),
    )  # fmt: skip
    leaf = part_id(build.rig, "Cabin door")
    soft = Stops(0.0, math.radians(105), math.radians(12))
    build.rig = set_stops(build.rig, leaf, "turn z", soft)
    build.control("Open cabin door", 0.0, 1.0, kind="number", unit="%", group="Cabin")
    led_by_cam(build, "Open cabin door", {
        "Cabin door": [(0.0, 0.0, "dwell"), (0.2, 0.0, "cycloidal"), (0.95, DOOR_OPEN, "dwell"),
                       (1.0, DOOR_OPEN, "smooth")],
        "Door latch": [(0.0, 0.0, "cycloidal"), (0.25, LATCH_OUT, "dwell"),
                       (0.55, LATCH_OUT, "3-4-5"), (0.75, 0.0, "smooth")],
    })  # fmt: skip
    stand_face(build, "Open cabin door", Face(at=(1.12, -0.62, 1.2), size=1.2), "Cabin")


def chest(build: gremio.Builder) -> None:
    """A tool chest: its lid opens in the first half, its trays rise one after the other."""
    wood = [
        shape(box(0.9, 0.5, 0.04), (0, 0, 0.02), paint=OAK),
        shape(box(0.9, 0.04, 0.5), (0, 0.23, 0.25), paint=OAK),
        shape(box(0.9, 0.04, 0.5), (0, -0.23, 0.25), paint=OAK),
        shape(box(0.04, 0.42, 0.5), (0.43, 0, 0.25), paint=OAK),
        shape(box(0.04, 0.42, 0.5), (-0.43, 0, 0.25), paint=OAK),
    ]
    build.part("Tool chest", *wood, at=(4.4, 7.0, 0), turned=(0, 0, "90 deg"))
    build.part(
        "Chest lid",
        shape(box(0.94, 0.54, 0.05), (0, -0.25, 0.025), paint=OAK),
        shape(box(0.1, 0.03, 0.08), (0, -0.535, 0.0), paint=IRON),
        on="Tool chest", at=(0, 0.25, 0.5), turned=(0, 0, 0), joint="hinge x",
        stops=("-115 deg", "0 deg"),
    )  # fmt: skip
    for name, low in (("Lower tray", 0.08), ("Upper tray", 0.28)):
        build.part(
            name,
            shape(box(0.8, 0.4, 0.02), (0, 0, 0), paint=BRASS),
            shape(box(0.8, 0.02, 0.12), (0, 0.19, 0.06), paint=BRASS),
            shape(box(0.8, 0.02, 0.12), (0, -0.19, 0.06), paint=BRASS),
            shape(box(0.02, 0.36, 0.12), (0.39, 0, 0.06), paint=BRASS),
            shape(box(0.02, 0.36, 0.12), (-0.39, 0, 0.06), paint=BRASS),
            on="Tool chest", at=(0, 0, low), joint="slide z", stops=("0 mm", "450 mm"),
        )  # fmt: skip
    build.control("Open tool chest", 0.0, 1.0, kind="number", group="Chest")
    led_by_cam(build, "Open tool chest", {
        "Chest lid": [(0.0, 0.0, "modified sine"), (0.5, -LID_OPEN, "dwell"),
                      (1.0, -LID_OPEN, "smooth")],
        "Upper tray": [(0.0, 0.0, "dwell"), (0.5, 0.0, "cycloidal"), (0.75, 0.42, "dwell"),
                       (1.0, 0.42, "smooth")],
        "Lower tray": [(0.0, 0.0, "dwell"), (0.7, 0.0, "cycloidal"), (1.0, 0.34, "smooth")],
    })  # fmt: skip
    key = control_id(build.rig, "Open tool chest")
    # The animator reads 0 to 100.
    read = replace(build.rig.controls[key], scale=(0.0, 100.0))
    build.rig = change_control(build.rig, key, read)
    stand_face(build, "Open tool chest", Face(at=(0.0, -0.3, 0.4), size=1.0), "Tool chest")


def signal(build: gremio.Builder) -> None:
    """A signal on a mast: its arm goes up, rests, and comes down once a turn of its dial."""
    build.part(
        "Signal mast",
        shape(Cylinder(diameter=0.16, height=3.4), (0, 0, 1.7), paint=IRON),
        shape(Cylinder(diameter=0.5, height=0.12), (0, 0, 0.06), paint=STONE),
        shape(Ball(diameter=0.22), (0, 0, 3.45), paint=BRASS),
        at=(2.6, 9.6, 0),
    )
    build.part(
        "Signal arm",
        shape(box(0.04, 1.3, 0.2), (0, -0.55, 0), paint=OAK),
        shape(box(0.045, 0.14, 0.2), (0, -0.98, 0), paint=IRON),
        shape(Cylinder(diameter=0.1, height=0.1), (0, 0, 0), (0, "90 deg", 0), IRON),
        on="Signal mast", at=(0.12, 0, 3.0), joint="hinge x",
    )  # fmt: skip
    build.control("Signal", 0.0, "4 turn", unit="turn", group="Signal")
    turn = 2 * math.pi
    led_by_cam(build, "Signal", {
        "Signal arm": [(0.0, 0.0, "cycloidal"), (0.3 * turn, ARM_UP, "dwell"),
                       (0.5 * turn, ARM_UP, "cycloidal"), (0.8 * turn, 0.0, "dwell"),
                       (turn, 0.0, "smooth")],
    }, "repeat")  # fmt: skip
    key = control_id(build.rig, "Signal")
    build.rig = change_control(build.rig, key, replace(build.rig.controls[key], make="dial"))
    stand_face(build, "Signal", Face(at=(0.1, 0.0, 1.5), size=1.0), "Signal mast")
