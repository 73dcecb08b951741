"""Kits of what reaches: a strut between two parts, a telescopic boom."""

from __future__ import annotations

import gremio
from gremio.core.edit.builder import shape
from gremio.demo.kits.kept import Made
from gremio.demo.quay import BRASS, IRON, LEAF, OAK, box

_SECTIONS = (OAK, LEAF, BRASS)


def strut() -> Made:
    """A telescopic strut between two parts: where each eye is, is clicked."""
    b = gremio.Builder("Strut")
    b.part("Lower part")
    b.part("Upper part", at=(0.3, 0, 0.8), joint="hinge y", stops=("-40 deg", "20 deg"))
    rig = gremio.strut(b.rig, "Lower part", "Upper part", (0, 0, 0), (0.3, 0, 0))
    return Made(rig, ("Strut, barrel",), "Strut", "A telescopic strut between two parts",
                ("cylinder", "hydraulic", "gas"))  # fmt: skip


def telescopic_boom() -> Made:
    """A boom of three sections that go out one for one, of any length of section."""
    b = gremio.Builder("Telescopic boom")
    b.part("Boom", shape(box(2.0, 0.3, 0.3), (1.0, 0, 0), paint=IRON), joint="hinge y",
           stops=("-70 deg", "0 deg"))  # fmt: skip
    below = "Boom"
    for number, paint in enumerate(_SECTIONS, start=1):
        side = 0.3 - 0.06 * number
        b.part(f"Section {number}", shape(box(1.9, side, side), (0, 0, 0), paint=paint), on=below,
               at=(1.0 if number == 1 else 0.0, 0, 0), joint="slide x")  # fmt: skip
        below = f"Section {number}"
    b.control("Boom raise", "0 deg", "70 deg", group="Booms")
    b.control("Boom out", 0, 1, kind="number", unit="%", group="Booms")
    b.control("Section out", "0.5 m", "1.7 m", home="1.5 m")
    b.ratio("Boom raise", "Boom", -1)
    rig = b.rig
    for number in range(1, len(_SECTIONS) + 1):
        rig = gremio.formula(rig, f"Section {number}", "Boom out * Section out")
    return Made(rig, ("Boom",), "Telescopic boom", "Three sections that go out together",
                ("crane", "jib", "stages"), ("Section out",))  # fmt: skip
