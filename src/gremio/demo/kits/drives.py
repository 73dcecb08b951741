"""Kits of what drives: gears, a rack, a crank, a winch, a lever, a wheel set."""

from __future__ import annotations

import gremio
from gremio.core.edit.builder import shape
from gremio.core.rig.solids import Ball, Cylinder, RackBar, SpurGear, Tube
from gremio.demo.kits.kept import Made
from gremio.demo.quay import BRASS, IRON, LEAF, OAK, box

_ALONG_Y = ("90 deg", 0, 0)
_MODULE = 0.01


def gear_pair() -> Made:
    """A pinion and a wheel, tooth in space."""
    b = gremio.Builder("Gear pair")
    b.part("Gear frame", shape(box(0.5, 0.1, 0.02), (0.14, 0, -0.03), paint=IRON))
    b.part("Pinion", shape(SpurGear(_MODULE, 18, 0.04, 0.03), paint=BRASS), on="Gear frame",
           joint="spin z")  # fmt: skip
    b.part("Wheel", shape(SpurGear(_MODULE, 36, 0.04, 0.05), paint=IRON), on="Gear frame",
           at=(0.27, 0, 0), joint="spin z")  # fmt: skip
    b.control("Pinion turns", "-2 turn", "2 turn", make="dial", group="Drives")
    b.ratio("Pinion turns", "Pinion", 1)
    rig = gremio.mesh(b.rig, "Pinion", "Wheel")
    return Made(rig, ("Gear frame",), "Gear pair", "18 and 36 teeth of module 10 mm",
                ("pinion", "wheel", "train", "ratio"))  # fmt: skip


def rack_and_pinion() -> Made:
    """A rack that a pinion drives."""
    b = gremio.Builder("Rack and pinion")
    b.part("Rack frame", shape(box(0.5, 0.12, 0.02), (0, -0.12, -0.04), paint=IRON))
    b.part("Rack pinion", shape(SpurGear(_MODULE, 18, 0.04, 0.03), paint=BRASS), on="Rack frame",
           joint="spin z")  # fmt: skip
    b.part("Rack", shape(RackBar(_MODULE, 16, 0.04, 0.05), paint=IRON), on="Rack frame",
           at=(0, -0.1, 0), joint="slide x")  # fmt: skip
    b.control("Rack drive", "-180 deg", "180 deg", make="dial", group="Drives")
    b.ratio("Rack drive", "Rack pinion", 1)
    rig = gremio.mesh(b.rig, "Rack pinion", "Rack")
    return Made(rig, ("Rack frame",), "Rack and pinion", "18 teeth drive a rack of module 10 mm",
                ("linear", "gear", "slide"))  # fmt: skip


def crank_and_slider() -> Made:
    """A crank that drives a crosshead by a rod, of any crank and rod.

    x = r cos θ + √(l² − r² sin² θ); the rod's angle is asin(r sin θ ÷ l) (slider-crank in line:
    Norton, "Design of Machinery", ch. 4)."""
    b = gremio.Builder("Crank and slider")
    b.part("Crank bed", shape(box(1.2, 0.2, 0.04), (0.5, 0, -0.16), paint=IRON))
    b.part("Crank", shape(Cylinder(diameter=0.3, height=0.03), (0, 0.05, 0), _ALONG_Y, IRON),
           on="Crank bed", joint="spin y")  # fmt: skip
    b.part("Crank pin", shape(Cylinder(diameter=0.04, height=0.12), (0, 0, 0), _ALONG_Y, BRASS),
           on="Crank", joint="slide x")  # fmt: skip
    b.part("Crosshead", shape(box(0.14, 0.12, 0.12), paint=BRASS), on="Crank bed", joint="slide x")
    b.part("Crank rod", shape(box(0.6, 0.03, 0.05), (-0.3, 0, 0), paint=OAK), on="Crosshead",
           joint="hinge y")  # fmt: skip
    b.control("Crank length", "0.02 m", "0.14 m", home="0.12 m")
    b.control("Rod length", "0.2 m", "2 m", home="0.6 m")
    b.control("Crank turns", "0 turn", "4 turn", make="dial", group="Drives")
    b.ratio("Crank turns", "Crank", 1)
    rig = b.rig
    for number, text in (
        ("Crank pin", "Crank length"),
        ("Crosshead", "Crank length * cos(Crank turns)"
         " + sqrt(Rod length^2 - (Crank length * sin(Crank turns))^2)"),
        ("Crank rod", "-asin(Crank length * sin(Crank turns) / Rod length)"),
    ):  # fmt: skip
        rig = gremio.formula(rig, number, text)
    return Made(rig, ("Crank bed",), "Crank and slider", "A crosshead driven to and fro",
                ("piston", "engine", "rod"), ("Crank length", "Rod length"))  # fmt: skip


def winch() -> Made:
    """A drum that winds a rope up, of any diameter; its load hangs in the rope."""
    b = gremio.Builder("Winch")
    b.part("Winch frame", shape(box(0.06, 0.5, 0.5), (-0.22, 0, 0), paint=IRON))
    b.part("Drum", shape(Cylinder(diameter=0.3, height=0.4), (0, 0, 0), _ALONG_Y, IRON),
           on="Winch frame", joint="spin y")  # fmt: skip
    b.part("Winch load", shape(Ball(diameter=0.16), (0, 0, -0.1), paint=BRASS), on="Winch frame",
           at=(0.15, 0, -2.0), joint="slide z")  # fmt: skip
    b.control("Barrel diameter", "0.1 m", "1 m", home="0.3 m")
    b.control("Wind", "0 turn", "1.5 turn", make="dial", group="Drives")
    b.ratio("Wind", "Drum", -1)
    rig = gremio.formula(b.rig, "Drum diameter", "Barrel diameter")
    rig = gremio.formula(rig, "Winch load", "Wind * Barrel diameter / 2 / 1 rad")
    rig = gremio.strand(rig, "rope", ("Winch frame", (0.15, 0, 0)), ("Winch load", (0, 0, 0)))
    return Made(rig, ("Winch frame",), "Winch", "A drum winds up what hangs in its rope",
                ("rope", "hoist", "drum"), ("Barrel diameter",))  # fmt: skip


def lever() -> Made:
    """A lever with three notches."""
    b = gremio.Builder("Lever")
    b.part("Lever stand", shape(box(0.3, 0.1, 0.06), (0, 0, 0.03), paint=IRON))
    b.part("Lever", shape(box(0.03, 0.03, 0.7), (0, 0, 0.35), paint=OAK),
           shape(Ball(diameter=0.07), (0, 0, 0.72), paint=LEAF), on="Lever stand",
           at=(0, 0, 0.06), joint="hinge y", stops=("-30 deg", "30 deg"))  # fmt: skip
    b.control("Lever set", "-30 deg", "30 deg", notches=["-30 deg", "0 deg", "30 deg"],
              make="lever", group="Drives")  # fmt: skip
    b.ratio("Lever set", "Lever", 1)
    return Made(b.rig, ("Lever stand",), "Lever", "A lever with a notch at each end and midway",
                ("handle", "notch", "hand"))  # fmt: skip


def wheel_set() -> Made:
    """Two wheels on their axle that turn by the way they go, of any diameter and gauge."""
    b = gremio.Builder("Wheel set")
    b.part("Axle", shape(Cylinder(diameter=0.08, height=1.4), (0, 0, 0), _ALONG_Y, IRON),
           joint="spin y")  # fmt: skip
    for side, sign in (("left", 1), ("right", -1)):
        b.part(f"Wheel, {side}", shape(Tube(0.6, 0.48, 0.1), (0, 0, 0), _ALONG_Y, IRON),
               shape(box(0.5, 0.05, 0.06), paint=OAK), shape(box(0.06, 0.05, 0.5), paint=OAK),
               on="Axle", at=(0, 0.6 * sign, 0), joint="slide y")  # fmt: skip
    b.control("Wheel diameter", "0.1 m", "2 m", home="0.6 m")
    b.control("Gauge", "0.4 m", "3 m", home="1.2 m")
    b.control("Way", "-5 m", "5 m", group="Drives")
    rig = gremio.formula(b.rig, "Axle turn y", "Way / (Wheel diameter / 2) * 1 rad")
    rig = gremio.formula(rig, "Axle height", "Gauge + 0.2 m")
    for side, way in (("left", ""), ("right", "-")):
        rig = gremio.formula(rig, f"Wheel, {side} move y", f"{way}(Gauge - 1.2 m) / 2")
        rig = gremio.formula(rig, f"Wheel, {side} shape 1 outer diameter", "Wheel diameter")
        rig = gremio.formula(rig, f"Wheel, {side} shape 1 inner diameter", "0.8 * Wheel diameter")
    return Made(rig, ("Axle",), "Wheel set", "Two wheels that turn by the way they go",
                ("axle", "carriage", "roll"), ("Wheel diameter", "Gauge"))  # fmt: skip
