from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.spatial.transform import Rotation

import gremio
from gremio.core.edit.links import add_link, change_link
from gremio.core.frames import Frame
from gremio.core.problem import GremioError, NotFound
from gremio.core.rig.cams import cam_through
from gremio.core.rig.find import channel_key, control_id
from gremio.core.rig.model import Cam, Joint, Part, ProfileKind, Ratio, Rig, Stops
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.ask import moving_channels
from gremio.core.solve.backward import Hand, Held, drive_line, move
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.typed import QuantityError


def test_a_free_part_turns_about_the_fixed_axes_as_in_scipy(rng: np.random.Generator) -> None:
    rig = Rig(parts={"p1": Part("Buoy", joint=Joint("free"))})
    angles, place = rng.uniform(-3, 3, 3), rng.normal(size=3)
    names = [f"Buoy {verb} {axis}" for verb in ("move", "turn") for axis in "xyz"]
    pose = gremio.solve(rig, dict(zip(names, [*place, *angles], strict=True)))
    world = pose.part("Buoy").world
    assert world[:3, :3] == pytest.approx(Rotation.from_euler("xyz", angles).as_matrix())
    assert world[:3, 3] == pytest.approx(place)


def test_a_stretched_mount_stretches_what_it_carries() -> None:
    stretched = Frame((0, 0, 0), scale=(2.0, 1.0, 1.0))
    parts = {"p1": Part("Bar", mount=stretched), "p2": Part("Tip", "p1", Frame((1.0, 0, 0)))}
    world = gremio.solve(Rig(parts=parts)).part("Tip").world
    assert world[:3, 3] == pytest.approx([2.0, 0, 0])


def test_values_end_exactly_on_their_stops(hatch: Rig) -> None:
    pose = gremio.solve(hatch, {"Open": "90 deg", "Bolt": "1 km"})
    assert pose.value("Flap", "turn y") == -math.pi / 2
    assert pose.value("Bolt") == 0.08
    note = next(n for n in pose.notes if n.code == "stop-reached")
    assert note.part == "Bolt"
    assert "Bolt is held by its high stop at 0.08 m; it was asked for 1000 m" in note.text


def test_a_control_asked_beyond_its_range_says_so(hatch: Rig) -> None:
    pose = gremio.solve(hatch, {"Open": "120 deg"})
    assert pose.control("Open") == math.pi / 2
    assert [n.code for n in pose.notes] == ["range-end"]
    assert "Open was asked for 120°; its range ends at 90°." in pose.notes[0].text


def test_a_follower_held_by_a_stop_leads_on_from_where_it_is(hatch: Rig) -> None:
    flap, shutter = channel_key(hatch, "Flap"), channel_key(hatch, "Shutter")
    rig, _ = add_link(hatch, Ratio(flap, shutter, 2.0))
    link = next(i for i, k in rig.links.items() if isinstance(k, Ratio) and k.follower == flap)
    rig = change_link(rig, link, Ratio(control_id(rig, "Open"), flap, -3.0))
    pose = gremio.solve(rig, {"Open": "60 deg"})
    assert pose.value("Flap") == -math.pi / 2
    assert pose.value("Shutter") == -math.pi


def test_angles_count_turns_and_never_wrap(lock: Rig) -> None:
    pose = gremio.solve(lock, {"Paddle windlass": "9 turn"})
    assert pose.value("Windlass", "turn y") == pytest.approx(-18 * math.pi)


def test_asking_for_what_is_led_names_the_lead(hatch: Rig) -> None:
    with pytest.raises(GremioError, match=r"Flap turn y is led by the ratio .* Set Open instead"):
        gremio.solve(hatch, {"Flap": "3 deg"})


def test_asking_for_an_unknown_name_or_a_wrong_unit(hatch: Rig) -> None:
    with pytest.raises(NotFound, match="no control or free channel called 'Opened'"):
        gremio.solve(hatch, {"Opened": "3 deg"})
    with pytest.raises(QuantityError, match="Open takes an angle"):
        gremio.solve(hatch, {"Open": "3 mm"})


def test_a_bare_number_is_read_in_the_unit_of_the_control(lock: Rig) -> None:
    assert gremio.solve(lock, {"Paddle windlass": "2"}).control("Paddle windlass") == (
        pytest.approx(4 * math.pi)
    )


def test_a_sweep_runs_from_end_to_end(lock: Rig) -> None:
    poses = gremio.sweep(lock, "Upper gates", 38)
    travel = poses.channel(control_id(lock, "Upper gates"))
    assert travel[0] == 0.0 and travel[-1] == pytest.approx(math.radians(74))
    names = {key.split()[1] for key in moving_channels(poses, control_id(lock, "Upper gates"))}
    assert names == {"turn"}
    with pytest.raises(GremioError, match="two steps at least"):
        gremio.sweep(lock, "Upper gates", 1)


@pytest.mark.parametrize("profile", ["smooth", "straight"])
def test_dragging_a_follower_back_finds_its_lead(lock: Rig, profile: ProfileKind) -> None:
    cam_id, cam = next((i, k) for i, k in lock.links.items() if isinstance(k, Cam))
    follower = replace(cam.followers[0], profile=profile)
    lock = change_link(lock, cam_id, replace(cam, followers=(follower,)))
    program = compile_rig(lock, geometry_of)
    east = channel_key(lock, "Upper gate, east")
    west = channel_key(lock, "Upper gate, west")
    pose = evaluate(program, lock.at).frame(0)
    for angle in np.radians([3.0, 16.0, 40.0, 73.0]):
        for channel, wanted in ((east, angle), (west, -angle)):
            hand = move(program, pose, channel, float(wanted))
            assert isinstance(hand, Hand)
            assert hand.channel == control_id(lock, "Upper gates")
            there = evaluate(program, {hand.channel: hand.value}).frame(0)
            assert there.at(channel) == pytest.approx(wanted, abs=1e-9)


def test_dragging_beyond_a_stop_ends_on_it(lock: Rig) -> None:
    program = compile_rig(lock, geometry_of)
    pose = evaluate(program, {}).frame(0)
    west = channel_key(lock, "Upper gate, west")
    hand = move(program, pose, west, -100.0)
    assert isinstance(hand, Hand)
    there = evaluate(program, {hand.channel: hand.value}).frame(0)
    assert there.at(west) == pytest.approx(-math.radians(74), abs=1e-12)


def test_what_can_not_be_dragged_says_why(hatch: Rig) -> None:
    link = next(iter(hatch.links))
    flap = channel_key(hatch, "Flap")
    rig = change_link(hatch, link, Ratio(control_id(hatch, "Open"), flap, 0.0))
    program = compile_rig(rig, geometry_of)
    held = move(program, evaluate(program, {}).frame(0), flap, -1.0)
    assert isinstance(held, Held) and "led with the ratio 0" in held.text
    grounded = move(program, evaluate(program, {}).frame(0), f"{flap.split()[0]} turn x", 1.0)
    assert isinstance(grounded, Held) and "turn x of Flap is grounded" in grounded.text


def test_a_cam_holds_before_its_first_and_after_its_last_station(hatch: Rig) -> None:
    link, flap = next(iter(hatch.links)), channel_key(hatch, "Flap")
    points = [(0.5, -0.2), (1.0, -1.0)]
    rig = change_link(hatch, link, cam_through(control_id(hatch, "Open"), flap, points))
    assert gremio.solve(rig, {"Open": 0.0}).value("Flap") == pytest.approx(-0.2)
    assert gremio.solve(rig, {"Open": 1.5}).value("Flap") == pytest.approx(-1.0)


def test_the_drive_line_runs_from_the_control(lock: Rig) -> None:
    line = drive_line(compile_rig(lock, geometry_of), channel_key(lock, "Paddle, east"))
    assert [key.split()[0] for key in line] == [
        control_id(lock, "Paddle windlass"),
        *(channel_key(lock, n).split()[0] for n in ("Windlass", "Pinion, east", "Paddle, east")),
    ]


def test_an_empty_rig_has_an_empty_pose() -> None:
    pose = gremio.solve(Rig())
    assert pose.worlds.shape == (0, 4, 4) and pose.notes == []


def test_one_sided_stops() -> None:
    part = Part("Sluice", joint=Joint("slide", "z"), stops={"move z": Stops(low=0.0)})
    rig = Rig(parts={"p1": part})
    assert gremio.solve(rig, {"Sluice": -1.0}).value("Sluice") == 0.0
    assert gremio.solve(rig, {"Sluice": 50.0}).value("Sluice") == 50.0
