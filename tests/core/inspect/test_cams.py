from __future__ import annotations

import math

import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.cams import set_profile, set_span, set_station_value
from gremio.core.edit.links import change_link
from gremio.core.inspect.findings import inspect
from gremio.core.rig.find import channel_key
from gremio.core.rig.model import Cam, Rig
from gremio.core.shape.solids import geometry_of


@pytest.fixture
def door() -> Rig:
    """A door that rests, opens, and rests again; led by a slider in per cent."""
    build = gremio.Builder("Cabin door")
    build.part("Door", joint="hinge z", stops=("0 deg", "90 deg"))
    build.control("Open door", 0.0, 1.0, kind="number", unit="%")
    stations = {
        0.0: {"Door": 0.0},
        0.25: {"Door": 0.0},
        0.75: {"Door": "80 deg"},
        1.0: {"Door": "80 deg"},
    }
    build.cam("Open door", stations)
    return build.rig


def cam_of(rig: Rig) -> tuple[str, Cam]:
    return next((i, k) for i, k in rig.links.items() if isinstance(k, Cam))


def codes(rig: Rig) -> list[str]:
    return [finding.note.code for finding in inspect(rig, geometry=geometry_of)]


def test_a_law_in_the_middle_between_two_dwells(door: Rig) -> None:
    link, _ = cam_of(door)
    channel = channel_key(door, "Door")
    for index, kind in enumerate(("dwell", "cycloidal", "dwell")):
        door = set_span(door, link, index, channel, kind)  # type: ignore[arg-type]
    assert codes(door) == []
    shares = (0.1, 0.5, 0.9)
    at = {share: gremio.solve(door, {"Open door": share}).value("Door") for share in shares}
    assert at[0.1] == 0.0 and at[0.9] == math.radians(80)
    assert at[0.5] == pytest.approx(math.radians(40))
    poses = gremio.run(door, {"Open door": [0.3, 0.5, 0.7]})
    again = [gremio.solve(door, {"Open door": s}).value("Door") for s in (0.3, 0.5, 0.7)]
    assert poses.channel(channel).tolist() == again
    saved = set_profile(door, link, channel, "3-4-5")
    assert cam_of(saved)[1].stations[1].spans == {}


def test_a_dwell_before_another_height_is_told_and_mended(door: Rig) -> None:
    link, _ = cam_of(door)
    channel = channel_key(door, "Door")
    jumping = set_span(door, link, 1, channel, "dwell")
    # What a dwell carried over is typed as it was.
    jumping = set_station_value(jumping, link, 2, channel, math.radians(80))
    (finding,) = (f for f in inspect(jumping, geometry=geometry_of) if f.note.code == "cam-jump")
    assert "Door turn z jumps by 80° where Open door is 75 %" in finding.note.text
    assert codes(finding.mends[0].edit(jumping)) == []


def test_a_profile_past_a_stop_is_told_with_where(door: Rig) -> None:
    link, cam = cam_of(door)
    channel = channel_key(door, "Door")
    stations = list(cam.stations)
    stations[2] = replace(stations[2], values={channel: math.radians(96)})
    rig = change_link(door, link, replace(cam, stations=tuple(stations)))
    (finding,) = (f for f in inspect(rig, geometry=geometry_of) if f.note.code == "cam-overshoot")
    assert "goes 6° past its high stop where Open door is 75" in finding.note.text


def test_a_station_beyond_the_range_is_told_and_the_range_widened(door: Rig) -> None:
    link, cam = cam_of(door)
    stations = (*cam.stations[:3], replace(cam.stations[3], lead=1.2))
    rig = change_link(door, link, replace(cam, stations=stations))
    (finding,) = (f for f in inspect(rig, geometry=geometry_of) if f.note.code == "cam-unreached")
    assert "never comes to the station at 120 %" in finding.note.text
    mended = finding.mends[0].edit(rig)
    assert "cam-unreached" not in codes(mended)
    assert next(iter(mended.controls.values())).high == 1.2


def test_carrying_on_and_going_round(door: Rig) -> None:
    link, cam = cam_of(door)
    straight = set_profile(door, link, channel_key(door, "Door"), "straight")
    cam = cam_of(straight)[1]
    rising = replace(cam, stations=cam.stations[1:3], before="carry on", after="carry on")
    rig = change_link(straight, link, rising)
    control = next(iter(rig.controls))
    rig = replace(rig, controls={control: replace(rig.controls[control], low=-1.0, high=2.0)})
    free = replace(rig.parts["p1"], stops={})
    rig = replace(rig, parts={"p1": free})
    assert gremio.solve(rig, {"Open door": 1.25}).value("Door") == pytest.approx(math.radians(160))
    round_it = change_link(rig, link, replace(rising, before="repeat", after="repeat"))
    wrapped = gremio.solve(round_it, {"Open door": 1.0})
    assert wrapped.value("Door") == pytest.approx(math.radians(40))
    assert "cam-jump" in codes(round_it)
