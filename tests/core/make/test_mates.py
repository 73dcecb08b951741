"""Gears made to run with what is there, and gears that are fixed on other wheels."""

from __future__ import annotations

import math

import numpy as np
import pytest

import gremio
from gremio.core.edit.links import add_link
from gremio.core.make.gearing import gears_of
from gremio.core.make.mates import make_mate
from gremio.core.make.meshing import mesh_between
from gremio.core.make.pairs import propose
from gremio.core.rig.find import part_id
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Ratio, Rig
from gremio.core.rig.solids import SpurGear
from gremio.core.script.posing import surfaces_of

shape = gremio.shape


def clock() -> gremio.Builder:
    """Three arbors of a going train, wheels and pinions of module 1 mm: each pinion is a part of
    its own, fixed on the wheel of its arbor, at the handbook's distances m (z1 + z2) / 2."""
    b = gremio.Builder("Tide clock")
    gear = lambda teeth: shape(SpurGear(module=0.001, teeth=teeth, width=0.004))  # noqa: E731
    b.part("Centre wheel", gear(64), joint="spin z")
    b.part("Third wheel", gear(60), at=(0.036, 0, 0.006), joint="spin z")
    b.part("Third pinion", gear(8), on="Third wheel", at=(0, 0, -0.006))
    b.part("Fourth wheel", gear(56), at=(0.036, 0.034, 0.012), joint="spin z")
    b.part("Fourth pinion", gear(8), on="Fourth wheel", at=(0, 0, -0.006))
    return b


def test_a_pinion_fixed_on_a_wheel_runs_with_what_carries_it() -> None:
    rig = gremio.mesh(clock().rig, "Centre wheel", "Third pinion")
    rig = gremio.mesh(rig, "Third wheel", "Fourth pinion")
    # Of a train: the product of the wheels over that of the pinions.
    pose = gremio.solve(rig, {"Centre wheel turn z": 0.1})
    assert pose.value("Fourth wheel", "turn z") == pytest.approx(0.1 * (64 / 8) * (60 / 8))
    assert pose.value("Third wheel", "turn z") == pytest.approx(-0.8)
    # The pinion still sits on its wheel's axis, and their teeth meet spaces.
    third, pinion = (pose.world(part_id(rig, n)) for n in ("Third wheel", "Third pinion"))
    assert third[:2, 3] == pytest.approx(pinion[:2, 3], abs=1e-12)
    notes = [f.note for f in gremio.inspect(rig) if f.note.severity != "info"]
    assert [note.text for note in notes if "undercut" not in note.text] == []


def _mates(rig: Rig, part: str, *teeth: int) -> tuple[Rig, list[PartId]]:
    made = []
    for count in teeth:
        rig, mate = make_mate(rig, part_id(rig, part), count, geometry=surfaces_of(rig))
        found = propose(rig, gremio.solve(rig), part_id(rig, part), PartId(mate))
        assert found is not None
        rig, _ = add_link(rig, found.ratio())
        made.append(PartId(mate))
    return rig, made


def _centre(rig: Rig, part: PartId) -> np.ndarray:
    return gremio.solve(rig).world(part)[:3, 3]


def test_a_second_mate_is_laid_in_line_and_others_where_there_is_room() -> None:
    b = gremio.Builder("Train")
    b.part("Hub", shape(SpurGear(module=0.01, teeth=30, width=0.05, bore=0.08)), joint="spin z")
    rig, mates = _mates(b.rig, "Hub", 20, 24, 18, 16)
    hub = _centre(rig, part_id(rig, "Hub"))
    ways = [_centre(rig, mate) - hub for mate in mates]
    ways = [way / np.linalg.norm(way) for way in ways]
    assert float(ways[0] @ ways[1]) == pytest.approx(-1.0, abs=1e-9)
    for one in range(len(mates)):
        for two in range(one):
            a, c = (
                gears_of(rig, gremio.solve(rig), mates[one])[0],
                gears_of(rig, gremio.solve(rig), mates[two])[0],
            )
            tips = 0.01 * (a.solid.teeth + c.solid.teeth) / 2 + 2 * 0.01
            assert np.linalg.norm(a.centre - c.centre) > tips - 0.003
    # Each has the hub's bore where that leaves a rim, and runs at the right distance.
    assert [rig.parts[m].shapes[0].solid.bore for m in mates] == [0.08] * 4
    for mate in mates:
        mesh = mesh_between(rig, gremio.solve(rig), part_id(rig, "Hub"), mate)
        assert mesh.distance == pytest.approx(mesh.right, abs=1e-9)


def test_a_chain_of_mates_goes_on_in_a_line() -> None:
    b = gremio.Builder("Train")
    b.part("Hub", shape(SpurGear(module=0.01, teeth=30, width=0.05)), joint="spin z")
    rig, (first,) = _mates(b.rig, "Hub", 20)
    rig, (second,) = _mates(rig, rig.parts[first].name, 24)
    places = [_centre(rig, part) for part in (part_id(rig, "Hub"), first, second)]
    one, two = places[1] - places[0], places[2] - places[1]
    assert float(one @ two) / (np.linalg.norm(one) * np.linalg.norm(two)) == pytest.approx(1.0)


def test_a_mate_of_a_fixed_pinion_is_led_by_what_carries_it() -> None:
    rig, (mate,) = _mates(clock().rig, "Third pinion", 40)
    (link,) = rig.links.values()
    assert isinstance(link, Ratio)
    assert {link.lead, link.follower} == {
        f"{part_id(rig, 'Third wheel')} turn z", f"{mate} turn z"
    }  # fmt: skip
    assert abs(link.ratio) == pytest.approx(8 / 40)
    assert math.isfinite(link.ratio)


def test_too_large_a_bore_is_left_out() -> None:
    b = gremio.Builder("Train")
    b.part("Hub", shape(SpurGear(module=0.01, teeth=60, width=0.05, bore=0.4)), joint="spin z")
    rig, (mate,) = _mates(b.rig, "Hub", 14)
    assert rig.parts[mate].shapes[0].solid.bore == 0.0
