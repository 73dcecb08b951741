"""Telescopic struts: made, kept in line, and told where they would fail."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gremio
from gremio.core.inspect.struts import told, use_in
from gremio.core.make.struts import change_strut, fitted, make_strut, remove_strut, use_of
from gremio.core.mechanics.struts import lengths_for, limits
from gremio.core.problem import GremioError
from gremio.core.rig.edit.links import add_link
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Control, Ratio, Rig
from gremio.core.solve.program import compile_rig

FOOT, HEAD = (0.5, 0.0, 0.2), (1.8, 0.0, 1.5)


def bridge(lengths: tuple[float, float] | None = None) -> Rig:
    build = gremio.Builder("Bridge")
    build.part("Pier")
    build.part("Leaf", on="Pier", at=(0, 0, 1.5), joint="hinge y", stops=("-80 deg", "0 deg"))
    build.control("Raise", "0 deg", "75 deg")
    build.ratio("Raise", "Leaf", -1)
    return gremio.strut(build.rig, "Pier", "Leaf", FOOT, (1.8, 0, 0), lengths)


def apart(angle: float) -> float:
    """Between foot and head when the leaf is raised (law of cosines, by hand)."""
    head = 1.8 * math.cos(angle), 1.5 + 1.8 * math.sin(angle)
    return math.hypot(head[0] - FOOT[0], head[1] - FOOT[2])


def test_rod_and_barrel_stay_in_line_over_the_whole_travel() -> None:
    rig = bridge()
    poses = gremio.sweep(rig, "Raise", 31)
    rows = {
        n: poses.program.part_row[part_id(rig, n)] for n in ("Strut, barrel", "Strut, rod", "Leaf")
    }
    barrel, rod, leaf = (poses.worlds[:, rows[n]] for n in rows)
    head = (leaf @ np.array([1.8, 0, 0, 1]))[:, :3]
    assert rod[:, :3, 3] == pytest.approx(head, abs=1e-9)
    assert barrel[:, :3, 3] == pytest.approx(np.tile(FOOT, (31, 1)), abs=1e-9)
    along = head - np.asarray(FOOT)
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    assert barrel[:, :3, 0] == pytest.approx(along, abs=1e-9)
    assert rod[:, :3, 0] == pytest.approx(along, abs=1e-9)
    assert gremio.solve(rig, {"Raise": "75 deg"}).notes == []


def test_bodies_are_chosen_for_the_travel() -> None:
    rig = bridge()
    (strut_id,) = rig.struts
    use = use_of(rig, strut_id)
    angles = np.linspace(0, math.radians(75), 400)
    distances = [apart(a) for a in angles]
    assert use.shortest == pytest.approx(min(distances), abs=1e-4)
    assert use.longest == pytest.approx(max(distances), abs=1e-4)
    assert use.past is None and use.least <= use.shortest and use.longest <= use.most
    assert [f.note.code for f in gremio.inspect(rig)] == []


def test_where_it_comes_apart_is_told_with_bodies_that_would_do() -> None:
    rig = bridge((0.9, 1.6))
    (strut_id,) = rig.struts
    program = compile_rig(rig)
    use = use_in(program, strut_id)
    most = 1.6 + 0.9 * 0.9
    assert use.past is not None and use.past[::2] == ("Raise", "comes apart")
    angles = np.linspace(0, math.radians(75), 20001)
    first = angles[next(i for i, a in enumerate(angles) if apart(a) > most)]
    assert use.past[1] == pytest.approx(first, abs=math.radians(75) / 100)
    assert told(rig, use).startswith("comes apart where Raise is")
    (finding,) = (f for f in gremio.inspect(rig) if f.note.code == "strut-short")
    assert "Strut comes apart where Raise is" in finding.note.text
    mended = finding.mends[0].edit(rig)
    assert use_of(mended, strut_id).past is None
    # The machine itself is held there, by the stop of the rod.
    notes = [n for n in gremio.solve(rig, {"Raise": "75 deg"}).notes if n.code == "loop-reach"]
    assert "held by the high stop of Strut, rod" in notes[0].text


def test_a_rod_that_pushes_through_is_told() -> None:
    rig = bridge((1.2, 2.1))
    (strut_id,) = rig.struts
    use = use_of(rig, strut_id)
    assert use.past is not None and use.past[2] == "pushes through"


def test_a_strut_leads_the_machine() -> None:
    """Hydraulic: the rod is led, and the leaf follows."""
    build = gremio.Builder("Bridge")
    build.part("Pier")
    build.part("Leaf", on="Pier", at=(0, 0, 1.5), joint="hinge y")
    rig = gremio.strut(build.rig, "Pier", "Leaf", FOOT, (1.8, 0, 0), (1.6, 1.5))
    (strut,) = rig.struts.values()
    control = Control("Pump", "length", "m", 0.0, 0.9)
    rig = gremio.Rig(**{**{f: getattr(rig, f) for f in rig.__struct_fields__},
                        "controls": {"c50": control}})  # fmt: skip
    rig, _ = add_link(rig, Ratio("c50", f"{strut.rod} move x", 1.0))
    home = apart(0.0)
    pose = gremio.solve(rig, {"Pump": 0.4})
    angle = -pose.value("Leaf")
    assert apart(angle) == pytest.approx(home + 0.4, abs=1e-9) and angle > 0.1


def test_lengths_are_changed_and_the_strut_is_removed() -> None:
    rig = bridge()
    (strut_id,) = rig.struts
    strut = rig.struts[strut_id]
    longer = change_strut(rig, strut_id, type(strut)(
        strut.name, strut.barrel, strut.rod, strut.closure, 2.0, 1.0, 0.2))  # fmt: skip
    stops = longer.parts[strut.rod].stops["move x"]
    least, most = limits(2.0, 1.0)
    assert (stops.low, stops.high) == pytest.approx((least - apart(0), most - apart(0)))
    with pytest.raises(GremioError, match="lengths above zero"):
        change_strut(rig, strut_id, type(strut)(
            strut.name, strut.barrel, strut.rod, strut.closure, 0.0, 1.0))  # fmt: skip
    gone = remove_strut(rig, strut_id)
    assert gone.struts == {} and gone.closures == {} and len(gone.parts) == 2
    assert fitted(longer, strut_id).struts[strut_id].barrel_length < 2.0


def test_struts_that_can_not_be() -> None:
    build = gremio.Builder("Bad")
    build.part("Pier")
    build.part("Leaf", on="Pier", at=(0, 0, 1), joint="hinge y")
    leaf, pier = (part_id(build.rig, n) for n in ("Leaf", "Pier"))
    with pytest.raises(GremioError, match="between two parts"):
        make_strut(build.rig, (leaf, (0, 0, 0)), (leaf, (1, 0, 0)))
    with pytest.raises(GremioError, match="at one point, so it has no length"):
        make_strut(build.rig, (pier, (1, 0, 1)), (leaf, (1, 0, 0)))


def test_no_one_barrel_and_rod_is_said() -> None:
    assert lengths_for(1.0, 2.5) is None
    build = gremio.Builder("Far")
    build.part("Pier")
    build.part("Leaf", on="Pier", joint="slide x")
    build.control("Out", "0 m", "3 m", kind="length")
    build.ratio("Out", "Leaf", 1)
    rig = gremio.strut(build.rig, "Pier", "Leaf", (-0.5, 0, 0), (0.5, 0, 0))
    (strut_id,) = rig.struts
    with pytest.raises(GremioError, match="No one barrel and rod can go from"):
        fitted(rig, strut_id)
    (note,) = (f.note for f in gremio.inspect(rig) if f.note.code == "strut-short")
    assert "No one barrel and rod would do" in note.text


@given(st.floats(0.5, 3), st.floats(1.05, 1.6))
def test_lengths_that_are_offered_do(shortest: float, ratio: float) -> None:
    found = lengths_for(shortest, shortest * ratio)
    if found is None:
        assert ratio > 1.5
        return
    least, most = limits(*found)
    assert least <= shortest and most >= shortest * ratio and found[0] <= shortest
