"""How far a control takes the machine before it is at a stop."""

from __future__ import annotations

import math

import pytest

import gremio
from gremio.core.inspect.reach import reach_of, told, with_range
from gremio.core.rig.find import control_id
from gremio.core.rig.model import Rig
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig


def sluice(stops: tuple[str | None, str | None] = ("0 m", "0.72 m")) -> Rig:
    build = gremio.Builder("Sluice")
    build.part("Paddle, east", joint="slide z", stops=stops)
    build.control("Windlass", "-1 turn", "9 turn", unit="turn")
    build.ratio("Windlass", "Paddle, east", 0.1 / (2 * math.pi))
    return build.rig


def reach(rig: Rig):
    return reach_of(compile_rig(rig, geometry_of), control_id(rig, "Windlass"))


def test_the_stop_that_comes_first_is_found_by_solving() -> None:
    rig = sluice()
    found = reach(rig)
    assert found.high == pytest.approx(2 * math.pi * 7.2, abs=1e-6)
    assert found.low == pytest.approx(0.0, abs=1e-6)
    assert found.high_by == found.low_by == "p1 move z"
    assert told(rig, "c2", found) == "Paddle, east stops it at 0 turns and 7.2 turns"
    (finding,) = (f for f in gremio.inspect(rig) if f.note.code == "control-stopped")
    assert "Paddle, east stops it at 0 turns and 7.2 turns" in finding.note.text
    assert finding.mends[0].words == "let its range be 0 turns to 7.2 turns"
    mended = finding.mends[0].edit(rig)
    assert mended.controls["c2"].high == pytest.approx(2 * math.pi * 7.2)
    assert [f.note.code for f in gremio.inspect(mended)] == []


def test_a_machine_without_stops_goes_the_whole_range() -> None:
    rig = sluice((None, None))
    found = reach(rig)
    assert (found.low, found.high) == (rig.controls["c2"].low, rig.controls["c2"].high)
    assert told(rig, "c2", found) == ""


def test_what_is_past_its_stop_at_home_is_told() -> None:
    rig = sluice(("0.2 m", "0.5 m"))
    found = reach(rig)
    assert found.stuck == "p1 move z"
    (finding,) = (f for f in gremio.inspect(rig) if f.note.code == "control-stuck")
    assert "is past its stop (0.2 m and 0.5 m) already" in finding.note.text


def test_a_control_that_leads_nothing_says_so() -> None:
    build = gremio.Builder("Idle")
    build.control("Whistle", 0.0, 1.0, kind="angle")
    (finding,) = gremio.inspect(build.rig)
    assert finding.note.code == "control-idle" and "Whistle leads nothing" in finding.note.text


def test_through_a_cam_and_a_train_the_first_of_several_stops_counts() -> None:
    build = gremio.Builder("Two")
    build.part("Gate", joint="hinge z", stops=("0 deg", "60 deg"))
    build.part("Bolt", joint="slide x", stops=("0 mm", "30 mm"))
    build.control("Open", 0.0, 1.0, kind="number")
    build.cam("Open", {0.0: {"Gate": 0, "Bolt": 0}, 1.0: {"Gate": "90 deg", "Bolt": 0.1}},
              profile="straight")  # fmt: skip
    found = reach_of(compile_rig(build.rig, geometry_of), "c3")
    assert found.high == pytest.approx(0.3, abs=1e-6) and found.high_by == "p2 move x"


def test_notches_beyond_the_new_range_are_left_out() -> None:
    rig = sluice()
    entry = gremio.Builder("x")
    entry.control("Windlass", 0, 10, kind="angle", notches=[1.0, 2.0, 9.0], make="switch",
                  positions=["Low", "Half", "High"])  # fmt: skip
    control = entry.rig.controls["c1"]
    fitted = with_range(control, reach(rig)._replace(low=0.0, high=5.0))
    assert fitted.notches == (1.0, 2.0) and fitted.positions == ("Low", "Half")
