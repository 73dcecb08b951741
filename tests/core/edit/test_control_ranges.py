"""Another range of a control: what is led keeps its ends, or its proportion."""

from __future__ import annotations

import math

import pytest

import gremio
from gremio.core.edit.controls import set_values
from gremio.core.edit.links import add_link
from gremio.core.inspect.findings import inspect
from gremio.core.rig.channels import key
from gremio.core.rig.find import channel_key, control_id
from gremio.core.rig.model import Cam, Follower, Rig, Station
from gremio.core.script.posing import surfaces_of


def _gate(low: object = 0.0, high: object = 10.0, kind: str = "number") -> gremio.Builder:
    b = gremio.Builder("Quay")
    b.part("Gate", joint="hinge z")
    b.part("Hatch", joint="hinge y")
    unit = "" if kind == "number" else None
    b.control("Lift", low, high, kind=kind, unit=unit)  # type: ignore[arg-type]
    return b


def _cam(rig: Rig, *points: tuple[float, float]) -> Rig:
    lead, follower = key(control_id(rig, "Lift")), channel_key(rig, "Hatch turn y")
    stations = tuple(Station(x, {follower: y}, slopes={follower: 0.1}) for x, y in points)
    return add_link(rig, Cam(lead, (Follower(follower, "free"),), stations))[0]


def _at(rig: Rig, lift: float, channel: str = "Gate turn z") -> float:
    return gremio.solve(rig, {"Lift": lift}).at(channel_key(rig, channel))


def test_what_was_open_stays_open_and_nothing_moves() -> None:
    b = _gate()
    b.ratio("Lift", "Gate turn z", math.radians(9), "5 deg")
    rig = _cam(b.rig, (0.0, 0.0), (4.0, 0.3), (10.0, 1.0))
    ajar = gremio.solve(rig, {"Lift": 4.0})
    wider = gremio.set_range(rig, "Lift", 0.0, 20.0)
    for share in (0.0, 0.13, 0.4, 0.77, 1.0):
        for channel in ("Gate turn z", "Hatch turn y"):
            assert _at(wider, 20 * share, channel) == pytest.approx(
                _at(rig, 10 * share, channel), abs=1e-12
            )
    assert _at(wider, 8.0) == pytest.approx(ajar.at(channel_key(rig, "Gate turn z")), abs=1e-12)


def test_where_it_stands_and_kept_poses_go_along() -> None:
    b = _gate()
    b.ratio("Lift", "Gate turn z", math.radians(9))
    rig = b.rig
    lift = key(control_id(rig, "Lift"))
    rig = gremio.keep(set_values(rig, {lift: 4.0}), "Ajar")
    wider = gremio.set_range(rig, "Lift", 10.0, 30.0)
    assert wider.at[lift] == pytest.approx(18.0)
    assert wider.controls[control_id(rig, "Lift")].home == 10.0
    pose = next(iter(wider.poses.values()))
    assert pose.values[lift] == pytest.approx(18.0)
    one, two = gremio.solve(rig), gremio.solve(wider)
    gate = channel_key(rig, "Gate turn z")
    assert two.at(gate) == pytest.approx(one.at(gate), abs=1e-12)


def test_keeping_the_proportion_leaves_links_and_numbers() -> None:
    b = _gate()
    b.ratio("Lift", "Gate turn z", math.radians(9))
    wider = gremio.set_range(b.rig, "Lift", 0.0, 20.0, keeps="proportion")
    assert wider.links == b.rig.links
    assert _at(wider, 10.0) == pytest.approx(math.radians(90))


def test_a_control_of_the_joint_itself_stays_one_for_one() -> None:
    b = _gate("-180 deg", "180 deg", "angle")
    b.ratio("Lift", "Gate turn z", 1.0)
    narrow = gremio.set_range(b.rig, "Lift", 0.0, "90 deg")
    assert narrow.links == b.rig.links
    assert _at(narrow, math.radians(30)) == pytest.approx(math.radians(30))


def test_where_something_else_counts_in_it_its_numbers_stay() -> None:
    b = _gate()
    b.ratio("Lift", "Gate turn z", math.radians(9))
    rig = gremio.formula(b.rig, "Hatch turn y", "Lift * 3 deg")
    wider = gremio.set_range(rig, "Lift", 5.0, 25.0)
    assert _at(wider, 5.0) == pytest.approx(0.0, abs=1e-12)
    assert _at(wider, 25.0) == pytest.approx(math.radians(90))
    assert _at(wider, 10.0, "Hatch turn y") == pytest.approx(math.radians(30))


def test_teeth_stay() -> None:
    b = gremio.Builder("Quay")
    for name in ("Pinion", "Wheel"):
        b.part(name, joint="spin z")
    b.control("Crank", 0.0, "2 turn")
    b.ratio("Crank", "Pinion turn z", 1.0)
    b.ratio("Pinion turn z", "Wheel turn z", -0.5)
    rig = gremio.set_range(b.rig, "Crank", 0.0, "4 turn")
    assert rig.links == b.rig.links


def test_an_empty_range_is_refused() -> None:
    with pytest.raises(gremio.GremioError, match="empty range"):
        gremio.set_range(_gate().rig, "Lift", 4.0, 4.0)


def test_inspection_tells_of_travel_on_which_nothing_moves_and_fits_either() -> None:
    rig = _cam(_gate().rig, (0.0, 0.0), (10.0, 1.0))
    wide = gremio.set_range(rig, "Lift", 0.0, 20.0, keeps="proportion")
    (found,) = [f for f in gremio.inspect(wide) if f.note.code == "cam-dead-travel"]
    assert "from 10 on" in found.note.text
    fitted, back = (mend.edit(wide) for mend in found.mends)
    assert _at(fitted, 20.0, "Hatch turn y") == pytest.approx(1.0)
    assert _at(fitted, 10.0, "Hatch turn y") == pytest.approx(_at(rig, 5.0, "Hatch turn y"))
    assert back.controls == rig.controls
    for mended in (fitted, back):
        codes = {f.note.code for f in inspect(mended, geometry=surfaces_of(mended))}
        assert "cam-dead-travel" not in codes


def test_stations_out_of_reach_can_be_fitted_too() -> None:
    rig = _cam(_gate().rig, (0.0, 0.0), (10.0, 1.0))
    short = gremio.set_range(rig, "Lift", 0.0, 5.0, keeps="proportion")
    (found,) = [f for f in gremio.inspect(short) if f.note.code == "cam-unreached"]
    fitted = found.mends[1].edit(short)
    assert _at(fitted, 5.0, "Hatch turn y") == pytest.approx(1.0)


def test_motions_in_turn_have_no_dead_travel() -> None:
    rig = _cam(_gate().rig, (0.0, 0.0), (5.0, 1.0))
    lead, gate = key(control_id(rig, "Lift")), channel_key(rig, "Gate turn z")
    stations = (Station(5.0, {gate: 0.0}), Station(10.0, {gate: 1.0}))
    rig = add_link(rig, Cam(lead, (Follower(gate),), stations))[0]
    assert not [f for f in gremio.inspect(rig) if f.note.code == "cam-dead-travel"]
