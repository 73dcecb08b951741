"""Telescopic struts: made, kept in line, and told where they would fail."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import gremio
from gremio.core.edit.builder import shape
from gremio.core.edit.controls import set_values
from gremio.core.edit.links import add_link
from gremio.core.edit.parts import set_stops
from gremio.core.inspect.struts import told, use_in
from gremio.core.make.struts import (
    change_strut,
    fitted,
    make_strut,
    remove_strut,
    use_of,
    with_bodies,
    with_shape_of,
)
from gremio.core.mechanics.struts import lengths_for, limits, stage_starts
from gremio.core.problem import GremioError
from gremio.core.rig.channels import key
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.model import Control, Ratio, Rig, Stops
from gremio.core.rig.solids import Box
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate

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
    use = use_of(rig, strut_id, geometry=geometry_of)
    angles = np.linspace(0, math.radians(75), 400)
    distances = [apart(a) for a in angles]
    assert use.shortest == pytest.approx(min(distances), abs=1e-4)
    assert use.longest == pytest.approx(max(distances), abs=1e-4)
    assert use.past is None and use.least <= use.shortest and use.longest <= use.most
    assert [f.note.code for f in gremio.inspect(rig)] == []


def test_where_it_comes_apart_is_told_with_bodies_that_would_do() -> None:
    rig = bridge((0.9, 1.6))
    (strut_id,) = rig.struts
    program = compile_rig(rig, geometry_of)
    use = use_in(program, strut_id)
    most = 1.6 + 0.9 * 0.9
    assert use.past is not None
    assert use.past[::2] == (control_id(rig, "Raise"), "comes apart")
    angles = np.linspace(0, math.radians(75), 20001)
    first = angles[next(i for i, a in enumerate(angles) if apart(a) > most)]
    assert use.past[1] == pytest.approx(first, abs=math.radians(75) / 100)
    assert told(rig, use).startswith("comes apart where Raise is")
    (finding,) = (f for f in gremio.inspect(rig) if f.note.code == "strut-short")
    assert "Strut comes apart where Raise is" in finding.note.text
    mended = finding.mends[0].edit(rig)
    assert use_of(mended, strut_id, geometry=geometry_of).past is None
    # The machine itself is held there, by the stop of the rod.
    notes = [n for n in gremio.solve(rig, {"Raise": "75 deg"}).notes if n.code == "loop-reach"]
    assert "held by the high stop of Strut, rod" in notes[0].text


def hand_moved(stops: Stops) -> Rig:
    """The bridge's leaf before any control, with a strut; a hand can move it between its stops."""
    build = gremio.Builder("Bridge")
    build.part("Pier")
    build.part("Leaf", at=(0, 0, 1.5), joint="hinge y")
    leaf = part_id(build.rig, "Leaf")
    rig = set_stops(build.rig, leaf, "turn y", stops)
    return make_strut(rig, (None, FOOT), (leaf, (1.8, 0, 0)), geometry=geometry_of)[0]


def test_stops_of_a_joint_that_a_hand_moves_are_its_travel() -> None:
    rig = hand_moved(Stops(math.radians(-75), 0.0))
    (strut_id,) = rig.struts
    use = use_of(rig, strut_id, geometry=geometry_of)
    distances = [apart(a) for a in np.linspace(0, math.radians(75), 400)]
    assert use.led and use.past is None
    assert use.shortest == pytest.approx(min(distances), abs=1e-4)
    assert use.longest == pytest.approx(max(distances), abs=1e-4)
    # Bodies that are too short are told by the joint's own name and value.
    short = with_bodies(rig, strut_id, (0.9, 1.6))
    text = told(short, use_of(short, strut_id, geometry=geometry_of))
    assert text.startswith("comes apart where Leaf turn y is -")


def test_a_strut_made_where_a_hand_has_put_the_machine_moves_nothing() -> None:
    build = gremio.Builder("Bridge")
    build.part("Leaf", at=(0, 0, 1.5), joint="hinge y")
    leaf = part_id(build.rig, "Leaf")
    rig = set_values(build.rig, {key(leaf, "turn y"): math.radians(-70)})
    rig, strut_id = make_strut(rig, (None, FOOT), (leaf, (1.8, 0, 0)), geometry=geometry_of)
    use = use_of(rig, strut_id, geometry=geometry_of)
    assert not use.led
    pose = evaluate(compile_rig(rig, geometry_of), rig.at).frame(0)
    assert math.degrees(pose.at(key(leaf, "turn y"))) == pytest.approx(-70.0, abs=1e-9)
    assert pose.notes == []


def test_a_rod_that_pushes_through_is_told() -> None:
    rig = bridge((1.2, 2.1))
    (strut_id,) = rig.struts
    use = use_of(rig, strut_id, geometry=geometry_of)
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
    with pytest.raises(GremioError, match="length above zero"):
        change_strut(rig, strut_id, type(strut)(
            strut.name, strut.barrel, strut.rod, strut.closure, 0.0, 1.0))  # fmt: skip
    gone = remove_strut(rig, strut_id)
    assert gone.struts == {} and gone.closures == {} and len(gone.parts) == 2
    assert fitted(longer, strut_id, geometry=geometry_of).struts[strut_id].barrel_length < 2.0


def test_struts_that_can_not_be() -> None:
    build = gremio.Builder("Bad")
    build.part("Pier")
    build.part("Leaf", on="Pier", at=(0, 0, 1), joint="hinge y")
    leaf, pier = (part_id(build.rig, n) for n in ("Leaf", "Pier"))
    with pytest.raises(GremioError, match="between two parts"):
        make_strut(build.rig, (leaf, (0, 0, 0)), (leaf, (1, 0, 0)), geometry=geometry_of)
    with pytest.raises(GremioError, match="at one point, so it has no length"):
        make_strut(build.rig, (pier, (1, 0, 1)), (leaf, (1, 0, 0)), geometry=geometry_of)


def test_no_bodies_is_said() -> None:
    assert lengths_for(1.0, 2.5) is None
    build = gremio.Builder("Far")
    build.part("Pier")
    build.part("Leaf", on="Pier", joint="slide x")
    build.control("Out", "0 m", "13 m", kind="length")
    build.ratio("Out", "Leaf", 1)
    rig = gremio.strut(build.rig, "Pier", "Leaf", (-0.5, 0, 0), (0.5, 0, 0))
    (strut_id,) = rig.struts
    with pytest.raises(GremioError, match="No bodies can go from"):
        fitted(rig, strut_id, geometry=geometry_of)
    (note,) = (f.note for f in gremio.inspect(rig) if f.note.code == "strut-short")
    assert "No bodies would do" in note.text


@given(st.floats(0.5, 3), st.floats(1.05, 1.6))
def test_lengths_that_are_offered_do(shortest: float, ratio: float) -> None:
    found = lengths_for(shortest, shortest * ratio)
    if found is None:
        assert ratio > 1.5
        return
    least, most = limits(*found)
    assert least <= shortest and most >= shortest * ratio and found[0] <= shortest


# ── stages ─────────────────────────────────────────────────────────

TALL = (0.8, 0.8, 0.7, 1.0)


def mast() -> Rig:
    """A mast that is lifted straight up, far beyond what one rod could do."""
    build = gremio.Builder("Mast")
    build.part("Foot")
    build.part("Lamp", on="Foot", at=(0, 0, 1.2), joint="slide z", stops=(0.0, 2.4))
    build.control("Raise", "0 m", "2.4 m", kind="length")
    build.ratio("Raise", "Lamp", 1)
    return build.rig


def test_stages_are_added_where_a_barrel_and_a_rod_can_not_do() -> None:
    assert lengths_for(1.2, 3.6) is None
    rig = gremio.strut(mast(), "Foot", "Lamp")
    (strut,) = rig.struts.values()
    assert strut.stages
    (strut_id,) = rig.struts
    assert use_of(rig, strut_id, geometry=geometry_of).past is None
    assert not gremio.solve(rig, {"Raise": "2.4 m"}).notes


def test_every_body_stays_in_the_one_it_slides_in() -> None:
    rig = gremio.strut(mast(), "Foot", "Lamp")
    (strut,) = rig.struts.values()
    poses = gremio.sweep(rig, "Raise", 25)
    ids = (strut.barrel, *strut.stages, strut.rod)
    barrel = poses.worlds[:, poses.program.part_row[strut.barrel]]
    lengths = (strut.barrel_length, *strut.stage_lengths)
    inner, mouth = np.zeros(25), np.full(25, strut.barrel_length)
    for part, length in zip(ids[1:], (*lengths[1:], strut.rod_length), strict=True):
        world = poses.worlds[:, poses.program.part_row[part]]
        along = np.einsum("fi,fi->f", world[:, :3, 3] - barrel[:, :3, 3], barrel[:, :3, 0])
        start = along - strut.rod_length if part == strut.rod else along
        assert np.all(start >= inner + 1e-9) and np.all(start <= mouth - 0.09 * min(lengths))
        inner, mouth = start, start + length
    assert poses.frame(24).world(strut.rod)[:3, 3] == pytest.approx([0, 0, 3.6], abs=1e-9)


@given(st.lists(st.floats(0.2, 2.0), max_size=3), st.floats(0.2, 2.0), st.floats(0.2, 3.0))
def test_stages_come_to_their_ends_together(stages: list[float], barrel: float, rod: float) -> None:
    least, most = limits(barrel, rod, stages)
    tubes = [barrel, *stages]
    for out, share in ((0.0, 0.02), (most - least, 0.90)):
        starts = [*stage_starts(barrel, stages, out), least + out - rod]
        before = [0.0, *starts]
        for start, outer, tube in zip(starts, before, tubes, strict=False):
            assert start - outer == pytest.approx(share * tube)


def test_bodies_are_typed_and_stages_come_and_go() -> None:
    rig = gremio.strut(mast(), "Foot", "Lamp", lengths=TALL)
    (strut_id,) = rig.struts
    assert rig.struts[strut_id].stage_lengths == (0.8, 0.7)
    fewer = with_bodies(rig, strut_id, (0.8, 1.0))
    assert fewer.struts[strut_id].stages == () and len(fewer.parts) == len(rig.parts) - 2
    assert len(remove_strut(rig, strut_id).parts) == 2
    with pytest.raises(GremioError, match="length above zero"):
        with_bodies(rig, strut_id, (0.8, -0.1, 1.0))
    with pytest.raises(GremioError, match="two lengths"):
        gremio.strut(mast(), "Foot", "Lamp", lengths=(1.0,))


def test_a_body_takes_the_shape_of_a_part() -> None:
    rig = mast()
    build = gremio.Builder("Own")
    build.rig = rig
    build.part("Own tube", shape(Box(length=0.1, width=0.1, height=0.8)), at=(0, 0, 0.4))
    rig = gremio.strut(build.rig, "Foot", "Lamp", lengths=TALL)
    (strut_id,) = rig.struts
    barrel = rig.struts[strut_id].barrel
    shaped = with_shape_of(rig, strut_id, barrel, part_id(rig, "Own tube"), geometry=geometry_of)
    assert "Own tube" not in {part.name for part in shaped.parts.values()}
    (solid,) = (s.solid for s in shaped.parts[barrel].shapes)
    assert solid == Box(length=0.1, width=0.1, height=0.8)
    with pytest.raises(GremioError, match="carries others"):
        with_shape_of(rig, strut_id, barrel, part_id(rig, "Foot"), geometry=geometry_of)
