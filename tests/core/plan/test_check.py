from __future__ import annotations

from msgspec.structs import replace

import gremio
from gremio.core.plan.check import faults
from gremio.core.rig.cams import cam_through
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Joint, Part, Ratio, Rig, Stops
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig

HINGE = Joint("hinge", "z")


def test_the_demo_has_no_fault(lock: Rig) -> None:
    assert faults(lock) == []


def test_two_parts_of_one_name_are_told() -> None:
    rig = Rig(parts={"p1": Part("Gate"), "p2": Part("Gate")})
    assert [note.code for note in faults(rig)] == ["name-twice"]
    assert "2 things are called 'Gate'" in faults(rig)[0].text


def test_a_ring_of_links_in_a_file_is_named_and_left_out() -> None:
    rig = Rig(
        parts={"p1": Part("Gate", joint=HINGE), "p2": Part("Beam", joint=HINGE)},
        links={
            "k1": cam_through("p1 turn z", "p2 turn z", [(0, 0), (1, 2)]),
            "k2": cam_through("p2 turn z", "p1 turn z", [(0, 0), (1, 2)]),
        },
    )
    program = compile_rig(rig, geometry_of)
    assert [note.code for note in program.faults] == ["link-cycle"]
    assert "Gate leads Beam leads Gate" in program.faults[0].text or (
        "Beam leads Gate leads Beam" in program.faults[0].text
    )
    assert gremio.solve(rig).value("Gate") == 0.0


def test_a_link_beside_a_ring_still_runs() -> None:
    rig = Rig(
        parts={f"p{i}": Part(f"Part {i}", joint=HINGE) for i in range(1, 5)},
        links={
            "k1": cam_through("p1 turn z", "p2 turn z", [(0, 0), (1, 2)]),
            "k2": cam_through("p2 turn z", "p1 turn z", [(0, 0), (1, 2)]),
            "k3": Ratio("p3 turn z", "p4 turn z", 3.0),
        },
        at={"p3 turn z": 0.5},
    )
    assert gremio.solve(rig).value("Part 4") == 1.5


def test_crossed_stops_in_a_file_are_told_and_not_applied() -> None:
    part = Part("Gate", joint=HINGE, stops={"turn z": Stops(1.0, 0.5)})
    rig = Rig(parts={"p1": part}, at={"p1 turn z": 2.0})
    pose = gremio.solve(rig)
    assert [note.code for note in pose.notes] == ["stops-crossed"]
    assert pose.value("Gate") == 2.0


def test_a_ring_of_mounts_is_told_and_solved_on_the_ground() -> None:
    rig = Rig(parts={"p1": Part("A", "p2"), "p2": Part("B", "p1"), "p3": Part("C", "p1")})
    pose = gremio.solve(rig)
    assert {note.code for note in pose.notes} == {"parent-cycle"}
    assert "is mounted on" in pose.notes[0].text
    assert len(pose.worlds) == 3


def test_a_lost_parent_and_a_lost_link_are_told(hatch: Rig) -> None:
    parts = dict(hatch.parts)
    del parts[part_id(hatch, "Frame")]
    codes = {note.code for note in faults(replace(hatch, parts=parts))}
    assert codes == {"parent-missing"}
    lost = replace(hatch, controls={})
    assert {note.code for note in faults(lost)} == {"link-lost"}
