"""Kits of what opens: a door, a sliding door, a hatch on a strut, a paddle, a signal arm."""

from __future__ import annotations

import gremio
from gremio.core.edit.builder import shape
from gremio.core.rig.solids import Ball, Cylinder
from gremio.demo.kits.kept import Made
from gremio.demo.quay import BRASS, IRON, LEAF, OAK, box

_ROUND_X = (0, "90 deg", 0)


def door() -> Made:
    """A door of any width and height: its leaf grows away from its hinges."""
    b = gremio.Builder("Door")
    b.part("Door", shape(Cylinder(diameter=0.03, height=0.12), (0, 0, 1.0), paint=IRON),
           joint="hinge z", stops=("0 deg", "110 deg"))  # fmt: skip
    b.part("Door middle", on="Door", joint="slide z")
    b.part("Door leaf", shape(box(0.9, 0.045, 2.0), paint=OAK), on="Door middle", joint="slide x")
    b.part(
        "Door latch",
        shape(Cylinder(diameter=0.02, height=0.16), (0, 0, 0), ("90 deg", 0, 0), BRASS),
        shape(box(0.12, 0.02, 0.02), (-0.05, 0.07, 0), paint=BRASS),
        on="Door middle",
        joint="slide x",
    )
    b.control("Opening width", "0.4 m", "3 m", home="0.9 m")
    b.control("Opening height", "0.4 m", "4 m", home="2 m")
    b.control("Door open", "0 deg", "110 deg", group="Doors")
    b.ratio("Door open", "Door", 1)
    rig = b.rig
    for number, text in (
        ("Door leaf length", "Opening width"),
        ("Door leaf height", "Opening height"),
        ("Door middle move z", "Opening height / 2"),
        ("Door leaf move x", "Opening width / 2"),
        ("Door latch move x", "Opening width - 0.08 m"),
    ):
        rig = gremio.formula(rig, number, text)
    return Made(rig, ("Door",), "Door", "A door of any width and height", ("gate", "leaf", "hinge"),
                ("Opening width", "Opening height"))  # fmt: skip


def sliding_door() -> Made:
    """A door that slides in a slot as wide as itself, and its stops with it."""
    b = gremio.Builder("Sliding door")
    b.part("Door track", shape(box(2.0, 0.08, 0.06), (0, 0, 2.06), paint=IRON))
    b.part("Sliding leaf", shape(box(1.0, 0.04, 2.0), (0, 0, 1.0), paint=OAK), on="Door track",
           joint="slide x", stops=("-0.5 m", "0.5 m"))  # fmt: skip
    b.control("Slide width", "0.4 m", "3 m", home="1 m")
    b.control("Slide", 0, 1, kind="number", unit="%", group="Doors")
    rig = b.rig
    for number, text in (
        ("Door track length", "2 * Slide width"),
        ("Sliding leaf length", "Slide width"),
        ("Sliding leaf high stop", "Slide width / 2"),
        ("Sliding leaf", "(Slide - 0.5) * Slide width"),
        ("Sliding leaf low stop", "-Slide width / 2"),
    ):
        rig = gremio.formula(rig, number, text)
    return Made(rig, ("Door track",), "Sliding door", "A slider with its slot and stops",
                ("slide", "shutter", "track"), ("Slide width",))  # fmt: skip


def hatch() -> Made:
    """A hatch on its coaming, held open by a telescopic strut."""
    b = gremio.Builder("Hatch")
    b.part("Coaming", shape(box(1.2, 0.08, 0.2), (0.5, 0.6, 0), paint=IRON),
           shape(box(1.2, 0.08, 0.2), (0.5, -0.6, 0), paint=IRON))  # fmt: skip
    b.part("Hatch", shape(box(1.1, 1.1, 0.04), (0.55, 0, 0.02), paint=LEAF), on="Coaming",
           at=(0, 0, 0.12), joint="hinge y", stops=("-80 deg", "0 deg"))  # fmt: skip
    b.control("Hatch open", "0 deg", "80 deg", group="Doors")
    b.ratio("Hatch open", "Hatch", -1)
    rig = gremio.strut(b.rig, "Coaming", "Hatch", (1.05, 0.5, 0), (0.55, 0.5, 0))
    return Made(
        rig, ("Coaming",), "Hatch", "A lid on a telescopic strut", ("lid", "cover", "strut")
    )


def paddle() -> Made:
    """A sluice paddle, raised by its rod."""
    b = gremio.Builder("Paddle")
    b.part("Paddle", shape(box(0.06, 0.9, 0.9), (0, 0, 0.45), paint=OAK),
           shape(Cylinder(diameter=0.05, height=1.6), (0, 0, 1.7), paint=IRON), joint="slide z",
           stops=("0 m", "0.8 m"))  # fmt: skip
    b.control("Paddle raise", "0 m", "0.8 m", group="Sluices")
    b.ratio("Paddle raise", "Paddle", 1)
    return Made(
        b.rig, ("Paddle",), "Paddle", "A sluice that is raised", ("sluice", "gate", "water")
    )


def signal_arm() -> Made:
    """A signal arm on its post; its weight keeps it at danger."""
    b = gremio.Builder("Signal arm")
    b.part("Signal post", shape(Cylinder(diameter=0.14, height=4.0), (0, 0, 2.0), paint=IRON),
           shape(Ball(diameter=0.2), (0, 0, 4.05), paint=BRASS))  # fmt: skip
    b.part("Signal arm", shape(box(1.2, 0.04, 0.22), (0.6, 0, 0), paint=LEAF), on="Signal post",
           at=(0, -0.1, 3.6), joint="hinge y", stops=("0 deg", "50 deg"))  # fmt: skip
    b.part("Signal weight", shape(Cylinder(diameter=0.24, height=0.1), (-0.35, 0, 0),
           ("90 deg", 0, 0), IRON), on="Signal arm")  # fmt: skip
    b.control("Signal", "0 deg", "50 deg", make="lever", group="Signals")
    b.ratio("Signal", "Signal arm", 1)
    return Made(b.rig, ("Signal post",), "Signal arm", "An arm that a lever lowers",
                ("semaphore", "lever"))  # fmt: skip
