"""Links that are not driven back: a worm, a locked door. Pulled from behind, they hold."""

from __future__ import annotations

import pytest
from msgspec.structs import replace
from tests.core.solve.test_loops import DEG, four_bar

import gremio
from gremio.core.edit.links import add_link, change_link
from gremio.core.files import rig_file
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.model import Ratio, Rig
from gremio.core.solve.backward import Hand, Held, move
from gremio.core.solve.pulling import pull


def hoist(*, one_way: bool) -> Rig:
    """A handle turns a worm, that a wheel, that a drum with a hook."""
    build = gremio.Builder("Hoist")
    for name in ("Worm", "Wheel", "Drum"):
        build.part(name, joint="spin z")
    build.part("Hook", on="Drum", at=(1, 0, 0))
    build.control("Handle", "-50 turn", "50 turn")
    build.ratio("Handle", "Worm", 1)
    rig = build.rig
    worm, wheel, drum = (f"{part_id(rig, n)} turn z" for n in ("Worm", "Wheel", "Drum"))
    rig = add_link(rig, Ratio(worm, wheel, 1 / 40, kind="worm", one_way=one_way))[0]
    return add_link(rig, Ratio(wheel, drum, -0.5))[0]


def test_a_worm_turns_its_wheel_and_not_the_other_way() -> None:
    rig = hoist(one_way=True)
    pose = gremio.solve(rig, {"Handle": 4.0})
    assert pose.value("Drum", "turn z") == pytest.approx(-0.05)
    handle, worm = control_id(rig, "Handle"), f"{part_id(rig, 'Worm')} turn z"
    assert isinstance(move(pose.program, pose, handle, 1.0), Hand)
    assert isinstance(move(pose.program, pose, worm, 1.0), Hand)
    for name in ("Wheel", "Drum"):
        held = move(pose.program, pose, f"{part_id(rig, name)} turn z", 0.1)
        assert isinstance(held, Held) and "can't be driven back" in held.text
        assert "Wheel" in held.text and "Move Worm turn z" in held.text
    held = pull(pose.program, pose, part_id(rig, "Hook"), (0, 0, 0), (0.8, 0.5, 0))
    assert isinstance(held, Held) and "can't be driven back" in held.text
    both = hoist(one_way=False)
    pose = gremio.solve(both)
    assert isinstance(move(pose.program, pose, f"{part_id(both, 'Drum')} turn z", 0.01), Hand)


def test_a_linkage_behind_a_worm_holds_too() -> None:
    rig = four_bar(0.4, 1.2, 0.8, 1.0, DEG(40), DEG(20.298), DEG(57.325))
    build = gremio.Builder("Bars")
    build.rig = rig
    build.control("Handle", "-50 turn", "50 turn")
    crank = f"{part_id(build.rig, 'Crank')} turn z"
    worm = Ratio(control_id(build.rig, "Handle"), crank, 1 / 40, one_way=True)
    rig = add_link(build.rig, worm)[0]
    pose = gremio.solve(rig)
    goal = pose.part("Rocker").world[:3, 3] + [0.3, 0.7, 0.0]
    held = pull(pose.program, pose, part_id(rig, "Rocker"), (0.8, 0, 0), goal)
    assert isinstance(held, Held) and "can't be driven back" in held.text


@pytest.mark.parametrize("kind", ["cam", "formula"])
def test_any_link_can_hold(kind: str) -> None:
    build = gremio.Builder("Door")
    build.part("Door", joint="hinge z")
    build.control("Lock", 0, 1, kind="number")
    rig = build.rig
    door = f"{part_id(rig, 'Door')} turn z"
    if kind == "cam":
        rig = gremio.teach(gremio.teach(rig, "Lock", 0, {"Door": 0}), "Lock", 1, {"Door": 1})
    else:
        rig = gremio.formula(rig, "Door turn z", "Lock * 57 deg")
    ((link_id, link),) = rig.links.items()
    pose = gremio.solve(rig)
    assert isinstance(move(pose.program, pose, door, 0.4), Hand)
    rig = change_link(rig, link_id, replace(link, one_way=True))
    pose = gremio.solve(rig)
    held = move(pose.program, pose, door, 0.4)
    assert isinstance(held, Held) and "can't be driven back" in held.text
    assert rig_file.decode(rig_file.encode(rig)) == rig


def test_a_worm_that_its_wheel_drives_is_told() -> None:
    build = gremio.Builder("Backwards")
    for name in ("Worm", "Wheel"):
        build.part(name, joint="spin z")
    build.control("Crank", "-5 turn", "5 turn")
    build.ratio("Crank", "Wheel", 1)
    worm, wheel = (f"{part_id(build.rig, n)} turn z" for n in ("Worm", "Wheel"))
    rig = add_link(build.rig, Ratio(worm, wheel, 1 / 40, kind="worm", one_way=True))[0]
    (note,) = [f.note for f in gremio.inspect(rig) if f.note.code == "driven-back"]
    assert note.part == "Worm turn z" and "can't be driven back" in note.text
    assert not [f for f in gremio.inspect(hoist(one_way=True)) if f.note.code == "driven-back"]
