"""Teaching a cam by posing, without a screen."""

from __future__ import annotations

import msgspec
import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.links import add_link
from gremio.core.make import teach
from gremio.core.make.teach import Lesson
from gremio.core.problem import GremioError
from gremio.core.rig.find import channel_key, control_id
from gremio.core.rig.model import Cam, Ratio, Rig
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.program import Program


@pytest.fixture
def door() -> Rig:
    build = gremio.Builder("Cabin door")
    build.part("Door", joint="hinge z", stops=("0 deg", "110 deg"))
    build.part("Latch", on="Door", joint="slide x")
    build.part("Lamp", joint="spin z")
    build.control("Open door", 0.0, 1.0, kind="number")
    build.control("Light", 0.0, 1.0, kind="angle")
    build.ratio("Light", "Lamp", 2)
    return build.rig


def begun(rig: Rig, lesson: Lesson) -> Program:
    return compile_rig(teach.bench_rig(rig, lesson), geometry_of)


def at(rig: Rig, lead: float) -> Rig:
    return msgspec.structs.replace(rig, at={**rig.at, control_id(rig, "Open door"): lead})


def test_what_differs_becomes_a_follower_in_any_order(door: Rig) -> None:
    lead, leaf, bolt = (channel_key(door, n) for n in ("Open door", "Door", "Latch"))
    lesson = teach.lesson_for(door, lead, lead)
    assert lesson == Lesson(lead)
    lesson = replace(lesson, marks=(0.0,))
    # The latch is posed before the lead is moved: there is no order to get wrong.
    program = begun(door, lesson)
    lesson = teach.put(program, door, lesson, {bolt: -0.06})
    rig, lesson = teach.record(program, at(door, 0.3), lesson)
    cam = rig.links[lesson.link]
    assert isinstance(cam, Cam)
    assert [(s.lead, s.values) for s in cam.stations] == [(0.0, {bolt: 0.0}), (0.3, {bolt: -0.06})]
    # The door is a new follower: at the stations before, it stays where it stood.
    program = begun(rig, lesson)
    lesson = teach.put(program, at(rig, 1.0), lesson, {leaf: 1.4})
    rig, lesson = teach.record(program, at(rig, 1.0), lesson)
    cam = rig.links[lesson.link]
    assert isinstance(cam, Cam)
    assert [s.values[leaf] for s in cam.stations] == [0.0, 0.0, 1.4]
    assert cam.stations[2].values[bolt] == -0.06
    pose = gremio.solve(rig, {"Open door": 0.3})
    assert pose.value("Latch") == -0.06 and pose.value("Door") == 0.0
    assert lesson.changed == {}


def test_what_stands_where_the_cam_has_it_is_not_changed(door: Rig) -> None:
    rig = gremio.teach(door, "Open door", 0.0, {"Door": 0.0})
    rig = gremio.teach(rig, "Open door", 1.0, {"Door": 1.0})
    lesson = teach.lesson_for(rig, control_id(rig, "Open door"))
    program = begun(rig, lesson)
    leaf = channel_key(rig, "Door")
    half = at(rig, 0.5)
    assert teach.inputs(program, half, lesson)[leaf] == pytest.approx(0.5)
    moved = teach.put(program, half, lesson, {leaf: 0.9})
    assert moved.changed == {leaf: 0.9}
    assert teach.put(program, half, moved, {leaf: 0.5}).changed == {}
    assert teach.dropped(moved, leaf).changed == {}
    # Recording with nothing changed makes a station of the cam's own answer.
    after, _ = teach.record(program, half, lesson)
    cam = after.links[lesson.link]
    assert isinstance(cam, Cam) and cam.stations[1].values == {leaf: pytest.approx(0.5)}


def test_a_lead_value_is_kept_when_nothing_is_changed_yet(door: Rig) -> None:
    lead, leaf = channel_key(door, "Open door"), channel_key(door, "Door")
    lesson = Lesson(lead)
    program = begun(door, lesson)
    for value in (0.2, 0.6):
        rig, lesson = teach.record(program, at(door, value), lesson)
        assert rig.links == door.links
    lesson = teach.put(program, at(door, 1.0), lesson, {leaf: 1.2})
    rig, lesson = teach.record(program, at(door, 1.0), lesson)
    cam = rig.links[lesson.link]
    assert isinstance(cam, Cam)
    assert [(s.lead, s.values[leaf]) for s in cam.stations] == [(0.2, 0), (0.6, 0), (1.0, 1.2)]


def test_a_cam_that_adds_is_taught_what_it_adds(door: Rig) -> None:
    lead, leaf = channel_key(door, "Open door"), channel_key(door, "Door")
    rig = gremio.teach(gremio.teach(door, "Open door", 0, {"Door": 0}), "Open door", 1, {"Door": 1})
    link, cam = next((i, k) for i, k in rig.links.items() if isinstance(k, Cam))
    rig = msgspec.structs.replace(
        rig,
        links={**rig.links, link: msgspec.structs.replace(cam, adds=True)},
        at={leaf: 0.25, lead: 1.0},
    )
    assert gremio.solve(rig).value("Door") == pytest.approx(1.25)
    lesson = teach.lesson_for(rig, link)
    program = begun(rig, lesson)
    assert teach.inputs(program, rig, lesson)[leaf] == pytest.approx(1.25)
    lesson = teach.put(program, rig, lesson, {leaf: 1.75})
    after, _ = teach.record(program, rig, lesson)
    assert gremio.solve(after).value("Door") == pytest.approx(1.75)
    assert gremio.solve(after, {"Door": 0.0}).value("Door") == pytest.approx(1.5)


def test_only_what_nothing_else_leads_is_taught(door: Rig) -> None:
    lead, lamp, light = (channel_key(door, n) for n in ("Open door", "Lamp", "Light"))
    lesson = Lesson(lead)
    program = begun(door, lesson)
    assert not teach.is_taught(program, lesson, light)
    assert "is led by Light, which moved instead" in teach.why_not_taught(program, lesson, lamp)
    linked, _ = add_link(door, Ratio(lead, channel_key(door, "Door"), 1.0))
    program = begun(linked, lesson)
    assert "through another link, so it moves the lead" in teach.why_not_taught(
        program, lesson, channel_key(door, "Door")
    )
    with pytest.raises(GremioError, match="is led by another link"):
        gremio.teach(door, "Open door", 0.5, {"Lamp": 1.0})


def test_a_lead_that_its_own_follower_leads_is_refused_by_name(door: Rig) -> None:
    rig = gremio.teach(door, "Door", 0.0, {"Latch": 0.0})
    rig = gremio.teach(rig, "Door", 1.0, {"Latch": 0.1})
    with pytest.raises(GremioError, match="Door"):
        gremio.teach(rig, "Latch", 0.1, {"Door": 1.0})
    assert gremio.solve(rig, {"Door": 1.0}).value("Latch") == pytest.approx(0.1)


def test_a_lesson_is_found_from_the_lead_the_cam_or_a_follower(door: Rig) -> None:
    rig = gremio.teach(door, "Open door", 1.0, {"Door": 1.0})
    link = next(i for i, k in rig.links.items() if isinstance(k, Cam))
    wanted = Lesson(control_id(rig, "Open door"), link)
    for thing in (link, control_id(rig, "Open door"), channel_key(rig, "Door").split()[0]):
        assert teach.lesson_for(rig, thing) == wanted
    with pytest.raises(GremioError, match="Select what should lead"):
        teach.lesson_for(rig, "")


def test_teaching_has_no_memory(door: Rig) -> None:
    rig = gremio.teach(gremio.teach(door, "Open door", 0, {"Door": 0}), "Open door", 1, {"Door": 1})
    lesson = teach.lesson_for(rig, control_id(rig, "Open door"))
    program = begun(rig, lesson)
    there = [
        evaluate(program, teach.inputs(program, at(rig, x), lesson)).frame(0).value("Door")
        for x in (0.2, 0.9, 0.2)
    ]
    assert there[0] == there[2] != there[1]


def test_wheels_that_only_roll_along_are_not_taught() -> None:
    build = gremio.Builder("Trolley")
    build.part("Trolley", joint="slide x")
    build.part("Wheel", on="Trolley", at=(0, 0, 0.2), joint="spin y")
    build.part("Flag", joint="hinge z")
    rig = gremio.roll(build.rig, "Wheel", 0.2)
    lesson = Lesson(channel_key(rig, "Trolley"))
    program = begun(rig, lesson)
    assert teach.is_taught(program, lesson, channel_key(rig, "Flag"))
    assert not teach.is_taught(program, lesson, channel_key(rig, "Wheel"))
    assert not teach.is_taught(program, lesson, channel_key(rig, "Trolley"))
