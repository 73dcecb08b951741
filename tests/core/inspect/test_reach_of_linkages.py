"""Where a linkage ends: told on its control, offered as its range, said of what is written."""

from __future__ import annotations

import math
import re
from pathlib import Path

import pytest
from msgspec.structs import replace
from tests.core.solve.test_loops import DEG, four_bar

import gremio
from gremio.core.edit.links import add_link
from gremio.core.edit.parts import set_stops
from gremio.core.files.formats import Travel, write_rig
from gremio.core.files.sources import model_shelf
from gremio.core.inspect.reach import known_ends, reach_of, told
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.model import Ratio, Rig, Stops

MAST, BOOM, FOOT, EYE = 0.0, 3.0, 0.8, 1.2


def boom(shortest: float, longest: float) -> Rig:
    """A boom held by a cylinder from a foot on the ground to an eye on the boom; its control
    asks for far more than the cylinder has."""
    build = gremio.Builder("Boom")
    build.part("Boom", joint="hinge y")
    build.control("Lift", "-80 deg", "80 deg")
    build.part("Barrel", at=(FOOT, 0, -0.6), joint="hinge y")
    build.part("Rod", on="Barrel", joint="slide x")
    home = math.hypot(EYE - FOOT, 0.6)
    lean = -math.atan2(0.6, EYE - FOOT)
    parts = dict(build.rig.parts)
    barrel = part_id(build.rig, "Barrel")
    turned = (math.cos(lean / 2), 0.0, math.sin(lean / 2), 0.0)
    parts[barrel] = replace(parts[barrel], mount=replace(parts[barrel].mount, turn=turned))
    rig = gremio.pin(replace(build.rig, parts=parts), "Rod", "Boom", (home, 0, 0), (EYE, 0, 0))
    rod = part_id(rig, "Rod")
    rig = set_stops(rig, rod, "move x", Stops(shortest - home, longest - home))
    lift = Ratio(control_id(rig, "Lift"), f"{part_id(rig, 'Boom')} turn y", -1.0)
    return add_link(rig, lift)[0]


def angle_for(length: float) -> float:
    """The law of cosines: how far the boom is lifted where the cylinder is so long (rad)."""
    foot = math.hypot(FOOT, 0.6)
    apart = math.acos((EYE**2 + foot**2 - length**2) / (2 * EYE * foot))
    return apart - math.atan2(0.6, FOOT)


@pytest.mark.parametrize(("shortest", "longest"), [(0.6, 1.3), (0.5, 1.0)])
def test_the_stops_of_a_cylinder_end_the_reach_of_its_boom(shortest: float, longest: float) -> None:
    rig = boom(shortest, longest)
    pose = gremio.solve(rig)
    assert pose.notes == []
    lift = control_id(rig, "Lift")
    assert known_ends(pose.program, lift) == (None, None)
    reach = reach_of(pose.program, lift)
    assert reach.low == pytest.approx(angle_for(shortest), abs=1e-6)
    assert reach.high == pytest.approx(angle_for(longest), abs=1e-6)
    rod = f"{part_id(rig, 'Rod')} move x"
    assert (reach.low_by, reach.high_by) == (rod, rod)
    assert "Rod stops it at" in told(rig, lift, reach)
    assert known_ends(pose.program, lift) == (reach.low, reach.high)
    (finding,) = [f for f in gremio.inspect(rig) if f.note.code == "control-stopped"]
    fitted = finding.mends[0].edit(rig)
    entry = fitted.controls[lift]
    assert (entry.low, entry.high) == (reach.low, reach.high)
    assert gremio.sweep(fitted, "Lift").frame(-1).notes == []


def test_where_the_bars_reach_no_farther_is_told_too() -> None:
    rig = four_bar(0.9, 0.5, 0.9, 1.0, DEG(80), 0.0, DEG(100))
    build = gremio.Builder("Bars")
    build.rig = rig
    build.control("Swing", "-120 deg", "120 deg")
    swing = control_id(build.rig, "Swing")
    rig = add_link(build.rig, Ratio(swing, f"{part_id(rig, 'Crank')} turn z", 1.0))[0]
    # The crank goes as far as coupler and rocker are in line: b + c = 1.4 across.
    a, across, d = 0.9, 0.5 + 0.9, 1.0
    most = math.acos((a * a + d * d - across * across) / (2 * a * d)) - DEG(80)
    pose = gremio.solve(rig)
    home = pose.at(f"{part_id(rig, 'Crank')} turn z")
    reach = reach_of(pose.program, swing)
    assert reach.high == pytest.approx(most, abs=1e-4) and home == 0.0
    assert reach.high_by in rig.closures
    assert "the reach of the pin of Coupler and Rocker stops it" in told(rig, swing, reach)


@pytest.mark.parametrize("ending", [".csv", ".glb"])
def test_a_travel_that_stands_still_is_said_when_it_is_written(tmp_path: Path, ending: str) -> None:
    shelf = model_shelf()
    rig = boom(0.6, 1.3)
    notes = write_rig(rig, tmp_path / f"boom{ending}", shelf, Travel("Lift"))
    (note,) = [n for n in notes if n.code == "travel-held"]
    share = 1 - (angle_for(1.3) - angle_for(0.6)) / (2 * DEG(80))
    said = re.search(r"(\d+)% of its travel", note.text)
    assert said and abs(int(said[1]) / 100 - share) < 0.02 and "Rod stops it" in note.text
    (finding,) = [f for f in gremio.inspect(rig) if f.note.code == "control-stopped"]
    fitted = finding.mends[0]
    notes = write_rig(fitted.edit(rig), tmp_path / f"b{ending}", shelf, Travel("Lift"))
    assert not [n for n in notes if n.severity != "info"]


@pytest.mark.parametrize("asked", [-80.0, 80.0])
def test_one_fault_is_told_once_as_it_is_read_on_the_control(asked: float) -> None:
    rig = boom(0.6, 1.3)
    pose = gremio.solve(rig, {"Lift": f"{asked} deg"})
    assert [note.code for note in pose.notes] == ["loop-reach"]
    found = [f for f in gremio.inspect(rig, pose) if f.note.severity != "info"]
    assert [f.note.code for f in found] == ["control-stopped"]
    (finding,) = found
    assert finding.note.text.startswith(f"Lift stands at {asked:g}°. Rod stops it at")
    assert finding.mends
    # Where it follows, it is a word on the range only.
    here = gremio.inspect(rig, gremio.solve(rig, {"Lift": "5 deg"}))
    assert [f.note.severity for f in here if f.note.code == "control-stopped"] == ["info"]


def test_what_another_control_is_held_by_is_told_all_the_same() -> None:
    build = gremio.Builder("Two")
    for name in ("One", "Two"):
        build.part(name, joint="slide x", stops=(0, "1 m"))
        build.control(name + " control", "-2 m", "2 m", kind="length", unit="m")
        build.ratio(name + " control", name, 1)
    pose = gremio.solve(build.rig, {"One control": 1.5, "Two control": 0.5})
    told = [f.note for f in gremio.inspect(build.rig, pose) if f.note.severity == "warning"]
    assert [note.part for note in told] == ["One control"]
    both = gremio.solve(build.rig, {"One control": 1.5, "Two control": -0.5})
    told = [f.note for f in gremio.inspect(build.rig, both) if f.note.severity == "warning"]
    assert sorted(note.part for note in told) == ["One control", "Two control"]
