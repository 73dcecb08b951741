"""Pinions in internal gears: by formula, and against sections of the teeth as they are made.

The sections are cut with a general geometry library (shapely).
"""

from __future__ import annotations

import math

import numpy as np
import pytest
from shapely import affinity
from shapely.geometry import Point, Polygon

import gremio
from gremio.core.mechanics import gears
from gremio.core.rig.solids import InternalGear, SpurGear
from gremio.core.shape import outlines

ALPHA = math.radians(20)
PAIRS = [
    (18, 30), (30, 36), (12, 36), (17, 40), (20, 60), (30, 40), (25, 34), (24, 60), (34, 42),
    (50, 60), (50, 57), (18, 50), (14, 60), (60, 70), (60, 66), (40, 45), (21, 28),
]  # fmt: skip


def cut_by_sections(pinion: int, ring: int, fine: int = 0) -> float:
    """How deep a made pinion lies in the material of a made ring (modules), at most, in a pitch."""
    teeth = Polygon(outlines.spur_gear(1.0, pinion, ALPHA, 0.0, fine))
    hole = Polygon(outlines.internal_gear(1.0, ring, ALPHA, 0.0, fine))
    deepest = 0.0
    for step in range(12):
        gear = affinity.rotate(teeth, 360 / pinion * step / 12, origin=(0, 0))
        gear = affinity.translate(gear, (ring - pinion) / 2, 0)
        # A tooth of the pinion meets a space: half a pitch on from a tooth of the ring.
        space = affinity.rotate(hole, 360 / ring * step / 12 + 180 / ring, origin=(0, 0))
        outside = gear.difference(space)
        for piece in getattr(outside, "geoms", [outside]):
            for corner in piece.exterior.coords if not piece.is_empty else ():
                if not space.contains(Point(corner)):
                    deepest = max(deepest, space.exterior.distance(Point(corner)))
    return deepest


@pytest.mark.parametrize(("pinion", "ring"), PAIRS)
def test_teeth_cut_as_deep_as_sections_say(pinion: int, ring: int) -> None:
    about = (1.0, (pinion, ring), (0.0, 0.0), (ring - pinion) / 2, ALPHA)
    deep, cut = gears.internal_overlap(*about), cut_by_sections(pinion, ring, 24)
    assert deep == pytest.approx(cut, abs=0.012 + 0.25 * cut)
    by_involute, by_tips = gears.internal_margins(*about)
    if cut > 0.01:
        assert min(by_involute, by_tips) < 0
    if min(by_involute, by_tips) > 0.001:
        assert cut < 0.005


@pytest.mark.parametrize("teeth", [10, 12, 17, 24, 41, 42, 100])
def test_default_flanks_lie_near_the_involute(teeth: int) -> None:
    """Within 0.005 module, of points on the involute (ISO 21771)."""
    for make in (outlines.spur_gear, outlines.internal_gear):
        if make is outlines.internal_gear and teeth < 34:
            continue
        ring = Polygon(make(1.0, teeth, ALPHA)).exterior
        fine = make(1.0, teeth, ALPHA, 0.0, 60)
        away = max(ring.distance(Point(p)) for p in fine[: len(fine) // teeth])
        assert away <= 0.00505


TOLD = [(30, 36, True), (12, 36, True), (20, 60, False), (18, 60, False)]


@pytest.mark.parametrize(("pinion", "ring", "told"), TOLD)
def test_it_is_told(pinion: int, ring: int, told: bool) -> None:
    build = gremio.Builder("Planet")
    inner = SpurGear(module=0.001, teeth=pinion, width=0.01)
    outer = InternalGear(module=0.001, teeth=ring, width=0.01, rim=(ring + 10) / 1000)
    build.part("Ring", gremio.shape(outer), joint="spin z")
    build.part("Pinion", gremio.shape(inner), at=((ring - pinion) / 2000, 0, 0), joint="spin z")
    rig = gremio.mesh(build.rig, "Ring", "Pinion")
    notes = [f.note for f in gremio.inspect(rig) if f.note.code == "gear-inside"]
    assert bool(notes) == told
    if told:
        deep = cut_by_sections(pinion, ring, 24)
        said = float(notes[0].text.split(" by ")[1].split(" mm")[0])
        assert said == pytest.approx(deep, abs=0.012 + 0.25 * deep)
    assert np.isfinite(gremio.solve(rig).worlds).all()
