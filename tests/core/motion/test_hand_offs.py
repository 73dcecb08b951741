"""Hand-offs: a part carried in turn, without a jump, and without memory."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.spatial.transform import Rotation

import gremio
from gremio.core.edit.hand_offs import hand_over, move_hand_off, remove_hand_off, settle_into
from gremio.core.edit.parts import remove_part
from gremio.core.files import rig_file
from gremio.core.frames import Frame, between, matrix
from gremio.core.make.copying import copy_part
from gremio.core.motion.routines import Run
from gremio.core.plan.joints import joint_matrix
from gremio.core.rig.carried import carried_in_turn
from gremio.core.rig.channels import split
from gremio.core.rig.find import part_id
from gremio.core.rig.model import HandOff, Repeat, Rig, Routine
from gremio.core.script.posing import surfaces_of
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.repeats import copies

# How near frames are to each other on both sides of a hand-off.
SAME = 1e-12
CARRIERS = ("Crane hook", "Trolley", None, "Boom")


def quay() -> Rig:
    """A lamp on the ground, and three that can carry it: one turns, one slides, one does both."""
    b = gremio.Builder("Quay")
    b.part("Crane", joint="spin z", at=(1, 0, 0))
    b.part("Crane hook", joint="hinge y", on="Crane", at=(0.5, 0, 1))
    b.part("Trolley", joint="slide x", at=(0, 2, 0))
    b.part("Boom", joint="planar", at=(0, -1, 0))
    b.part("Lamp", joint="slide z", at=(1.5, 0.2, 1.1))
    b.part("Wick", on="Lamp", at=(0, 0, 0.1))
    return b.rig


def moving(seed: int = 1, length: float = 6.0, **more: object) -> Rig:
    """All of them keyed anyhow, the lamp's own slide too."""
    rng = np.random.default_rng(seed)
    rig = gremio.routine(quay(), "Pass on", length, **more)  # type: ignore[arg-type]
    channels = ("Crane turn z", "Crane hook turn y", "Trolley move x", "Boom move x",
                "Boom move y", "Boom turn z", "Lamp move z")  # fmt: skip
    for channel in channels:
        for time in np.sort(rng.choice(np.arange(0, length + 0.1, 0.2), 5, replace=False)):
            rig = gremio.key(rig, float(time), {channel: float(rng.normal())})
    return rig


def handed(seed: int = 1, **more: object) -> Rig:
    rig = moving(seed, **more)
    rng = np.random.default_rng(seed + 100)
    times = np.sort(rng.uniform(0.1, 5.9, 5))
    carriers = [CARRIERS[i % 4] for i in rng.permutation(8)[:5]]
    for time, carrier in zip(times, carriers, strict=True):
        try:
            rig = gremio.hand_over(rig, float(time), "Lamp", carrier)
        except gremio.GremioError as refused:
            assert "rides on" in str(refused)
    return rig


def hand_off_times(rig: Rig) -> list[float]:
    (routine,) = rig.routines.values()
    return [mark.time for mark in carried_in_turn(rig, routine).marks]


@pytest.mark.parametrize("seed", range(12))
def test_nothing_jumps_at_a_hand_off(seed: int) -> None:
    """World frames are equal on both sides of each hand-off, for random routines, and after they
    are retimed."""
    rig = handed(seed)
    (routine_id,) = rig.routines
    lamp = part_id(rig, "Lamp")
    for time in hand_off_times(rig):
        _no_jump(rig, time)
    times = hand_off_times(rig)
    last = times[-1]
    later = move_hand_off(rig, routine_id, lamp, last, (last + 6.0) / 2)
    _no_jump(later, (last + 6.0) / 2)
    faster = gremio.key(later, 0.4, {"Crane turn z": 2.5, "Trolley move x": -3.0})
    for time in hand_off_times(faster):
        _no_jump(faster, time)


def _no_jump(rig: Rig, time: float) -> None:
    before = math.nextafter(time, 0.0)
    for part in ("Lamp", "Wick"):
        one, two = gremio.bake(rig, times=[before, time]).world(part)
        assert abs(one - two).max() < SAME


def test_it_rides_as_frames_say() -> None:
    """Between hand-offs the lamp's mount stands still in its carrier: F(t) = C(t) · C(T)⁻¹ · F(T)
    where its own joint rests. Common practice of rigid motion; no source."""
    rig = gremio.routine(quay(), "Pass on", 6)
    rig = gremio.key(rig, 0, {"Crane turn z": 0.0, "Trolley move x": 0.0, "Crane hook turn y": 0.0})
    rig = gremio.key(rig, 6, {"Crane turn z": 2.0, "Trolley move x": 3.0, "Crane hook turn y": 1.0})
    for time, carrier in ((1.0, "Crane hook"), (3.0, "Trolley"), (4.0, "Crane hook"), (5.0, None)):
        rig = gremio.hand_over(rig, time, "Lamp", carrier)
    times = np.linspace(0, 6, 61)
    baked = gremio.bake(rig, times=times)
    wanted = np.empty((61, 4, 4))
    ground = np.broadcast_to(np.eye(4), (61, 4, 4))
    here, since, carrier = baked.world("Lamp")[0], 0, ground
    hooks, trolley = baked.world("Crane hook"), baked.world("Trolley")
    ways = {10: hooks, 30: trolley, 40: hooks, 50: ground}
    for i in range(61):
        wanted[i] = carrier[i] @ np.linalg.inv(carrier[since]) @ here
        if i in ways:
            here, since, carrier = wanted[i], i, ways[i]
    assert abs(baked.world("Lamp") - wanted).max() < SAME
    assert abs(baked.world("Lamp")[-1] - baked.world("Lamp")[50]).max() == 0.0


def test_scrubbed_in_any_order_it_is_the_same_to_the_bit() -> None:
    rig = handed(3)
    program, (routine,) = compile_rig(rig, surfaces_of(rig)), rig.routines.values()
    times = np.linspace(0, 6, 151)
    baked = Run(program, routine).at(times).worlds
    order = np.random.default_rng(2).permutation(151)
    scrubbed = Run(program, routine)
    for place in order:
        assert (scrubbed.at([times[place]]).worlds[0] == baked[place]).all()


def test_what_it_reads_from_its_carrier_is_the_program_of_that_time() -> None:
    rig = handed(3)
    program, (routine,) = compile_rig(rig, surfaces_of(rig)), rig.routines.values()
    run = Run(program, routine)
    lamp = part_id(rig, "Lamp")
    for time in np.linspace(0, 6, 25):
        now = run.program_at(float(time))
        alone = gremio.solve(now.rig, {}).program
        assert now.rig.parts[lamp].parent == alone.rig.parts[lamp].parent
        from gremio.core.solve.evaluate import evaluate

        pose = evaluate(now, run.inputs(float(time))).frame(0)
        assert abs(pose.world(lamp) - run.at([time]).frame(0).world(lamp)).max() < SAME


def test_a_carries_b_and_later_b_carries_a() -> None:
    b = gremio.Builder("Two")
    b.part("Arm A", joint="spin z")
    b.part("Arm B", joint="spin z", at=(1, 0, 0))
    rig = gremio.key(b.rig, 0, {"Arm A turn z": 0.0, "Arm B turn z": 0.0})
    rig = gremio.key(rig, 9, {"Arm A turn z": 3.0, "Arm B turn z": -2.0})
    rig = gremio.hand_over(rig, 1, "Arm A", "Arm B")
    rig = gremio.hand_over(rig, 4, "Arm A", None)
    rig = gremio.hand_over(rig, 4, "Arm B", "Arm A")
    for time in (1.0, 4.0):
        for part in ("Arm A", "Arm B"):
            one, two = gremio.bake(rig, times=[math.nextafter(time, 0), time]).world(part)
            assert abs(one - two).max() < SAME
    baked = gremio.bake(rig)
    a, b_worlds = baked.world("Arm A"), baked.world("Arm B")
    # While B rides on A, it keeps its distance from it.
    gaps = np.linalg.norm((a - b_worlds)[101:, :3, 3], axis=1)
    assert np.ptp(gaps) < SAME
    with pytest.raises(gremio.GremioError, match="Arm B rides on Arm A itself at 5 s"):
        gremio.hand_over(rig, 5, "Arm A", "Arm B")


def test_one_that_can_not_be_leaves_no_circle_in_the_others() -> None:
    b = gremio.Builder("Three")
    b.part("Post")
    b.part("Arm", on="Post", at=(1, 0, 0))
    b.part("Lamp", on="Arm", at=(1, 0, 0))
    rig = gremio.routine(b.rig, "Pass on", 4)
    post, arm, lamp = (part_id(rig, name) for name in ("Post", "Arm", "Lamp"))
    (routine_id,) = rig.routines
    # As a file may have it: the arm can't ride on its own lamp, and so the post not on the arm.
    carried = {post: (HandOff(1.0, arm),), arm: (HandOff(1.0, lamp),)}
    routine = replace(rig.routines[routine_id], carried=carried)
    found = carried_in_turn(rig, routine)
    assert not found.marks and {one.part for one in found.unsound} == {post, arm}
    rig = replace(rig, routines={routine_id: routine})
    run = Run(compile_rig(rig, surfaces_of(rig)), routine)
    assert run.at([0.5, 2.0]).frame(1).world(lamp)[0, 3] == pytest.approx(2.0)


def test_a_ball_keyed_along_a_line_while_its_carrier_turns() -> None:
    """Its own joint goes on as it is keyed, in the mount that its carrier took over: a ball that
    runs outward at an even pace on a turning table draws Archimedes' spiral."""
    b = gremio.Builder("Table")
    b.part("Table", joint="spin z")
    b.part("Ball", joint="slide x")
    rig = gremio.routine(b.rig, "Spiral", 4)
    for time, turn in ((0, 0.0), (4, 4.0)):
        rig = gremio.key(
            rig, time, {"Table turn z": turn, "Ball move x": turn / 2}, profile="straight"
        )
    rig = gremio.hand_over(rig, 1, "Ball", "Table")
    times = np.linspace(1, 4, 50)
    at = gremio.bake(rig, times=times).world("Ball")[:, :3, 3]
    angle = times - 1.0
    radius = times / 2
    spiral = np.stack([radius * np.cos(angle), radius * np.sin(angle), 0 * angle], axis=1)
    assert abs(at - spiral).max() < SAME


def test_it_settles_into_its_place_and_rests_there() -> None:
    rig = moving(4)
    rig = gremio.hand_over(rig, 2, "Lamp", "Crane hook", over="0.8 s",
                           place=Frame((0.1, 0, -0.2)))  # fmt: skip
    rig = gremio.key(rig, 0, {"Lamp move z": 0.0})
    (routine_id,) = rig.routines
    keys = {c: cam for c, cam in rig.routines[routine_id].keys.items() if "move z" not in c}
    rig = replace(rig, routines={routine_id: replace(rig.routines[routine_id], keys=keys)})
    _no_jump(rig, 2.0)
    _no_jump(rig, 2.8)
    times = np.linspace(2, 6, 41)
    baked = gremio.bake(rig, times=times)
    seen = np.linalg.inv(baked.world("Crane hook")) @ baked.world("Lamp")
    assert abs(seen[8:] - matrix(Frame((0.1, 0, -0.2)))).max() < SAME
    # On the way it comes nearer all the time, and it is at rest at both ends.
    gaps = np.linalg.norm(seen[:9, :3, 3] - [0.1, 0, -0.2], axis=1)
    assert (np.diff(gaps) < 0).all()
    assert abs(gaps[0] - gaps[1]) < 0.1 * gaps[0] and gaps[7] < 0.1 * gaps[0]
    lamp = part_id(rig, "Lamp")
    stays = settle_into(rig, routine_id, lamp, 2.0, 0.0, Frame())
    _no_jump(stays, 2.8)


def test_turns_between_two_frames_are_scipys() -> None:
    """Slerp as scipy.spatial.transform.Slerp has it."""
    from scipy.spatial.transform import Slerp

    rng = np.random.default_rng(5)
    for _ in range(20):
        pair = Rotation.random(2, random_state=rng.integers(1000))
        one, two = (Frame(turn=tuple(q)) for q in pair.as_quat()[:, [3, 0, 1, 2]].tolist())
        for share in (0.0, 0.2, 0.7, 1.0):
            wanted = Slerp([0, 1], pair)(share).as_matrix()
            assert abs(matrix(between(one, two, share))[:3, :3] - wanted).max() < 1e-12


def test_a_round_begins_anew_and_does_not_jump_at_later_hand_offs() -> None:
    """What begins anew, or goes back, hands over again without a jump."""
    for ends in ("round", "to and fro"):
        rig = handed(6, ends=ends)
        first = hand_off_times(rig)
        for time in first:
            again = 6.0 + time if ends == "round" else 12.0 - time
            low, high = math.nextafter(again, 0), math.nextafter(again, math.inf)
            one, _, two = gremio.bake(rig, times=[low, again, high]).world("Lamp")
            assert abs(one - two).max() < 1e-11
        begun = gremio.bake(rig, times=[0.0, 12.0]).world("Lamp")
        assert abs(begun[0] - begun[1]).max() < SAME


def test_wheels_roll_on_under_what_they_are_handed_over_to() -> None:
    """A wheel on a wagon rolls as far as that goes; handed over to the ground it rolls no more."""
    b = gremio.Builder("Roll")
    b.part("Wagon", joint="slide x", at=(0, 0, 0.5))
    b.part("Wheel", joint="spin y", on="Wagon")
    rig = gremio.routine(gremio.roll(b.rig, "Wheel", radius=0.5), "Roll", 4)
    rig = gremio.key(rig, 0, {"Wagon move x": 0.0}, profile="straight")
    rig = gremio.key(rig, 4, {"Wagon move x": 4.0})
    rig = gremio.hand_over(rig, 2, "Wheel", None)
    baked = gremio.bake(rig)
    turned = baked.value("Wheel turn y")
    assert abs(abs(turned[50]) - 2.0 / 0.5) < 1e-9
    assert abs(turned[50:] - turned[50]).max() < 1e-9
    order = np.random.default_rng(1).permutation(101)
    shuffled = gremio.bake(rig, times=baked.times[order])
    assert (shuffled.poses.worlds == baked.poses.worlds[order]).all()


def test_what_can_not_be_is_refused_in_words() -> None:
    rig = moving(1)
    (routine_id,) = rig.routines
    lamp, hook = part_id(rig, "Lamp"), part_id(rig, "Crane hook")
    cases = [
        (lambda: gremio.hand_over(rig, 7, "Lamp", "Trolley"), "6 s long"),
        (lambda: gremio.hand_over(rig, math.nan, "Lamp", "Trolley"), "handed over at nan"),
        (lambda: gremio.hand_over(rig, 1, "Lamp", None), "rides on the ground already at 1 s"),
        (lambda: gremio.hand_over(rig, 1, "Lamp", "Lamp"), "Lamp rides on Lamp itself at 1 s"),
        (lambda: gremio.hand_over(rig, 1, "Lamp", "Wick"), "Wick rides on Lamp itself at 1 s"),
        (lambda: gremio.hand_over(rig, 1, "Lamp", "Hook"), "Crane hook"),
        (lambda: gremio.hand_over(rig, 1, "Lamp", "Trolley", over=-1), "time of 0 s or more"),
        (lambda: remove_hand_off(rig, routine_id, lamp, 1.0), "not handed over at 1 s"),
        (lambda: hand_over(rig, routine_id, hook, 1.0, hook), "rides on"),
    ]  # fmt: skip
    for call, words in cases:
        with pytest.raises(gremio.GremioError, match=words):
            call()


def test_it_is_taken_out_again_in_place() -> None:
    rig = handed(2)
    (routine_id,) = rig.routines
    lamp, last = part_id(rig, "Lamp"), hand_off_times(rig)[-1]
    less = remove_hand_off(rig, routine_id, lamp, last)
    times = [last - 0.1, last]
    assert abs(gremio.bake(less, times=times).world("Lamp")
               - gremio.bake(rig, times=times).world("Lamp")).max() < SAME  # fmt: skip
    assert len(hand_off_times(less)) == len(hand_off_times(rig)) - 1
    gone = remove_part(rig, part_id(rig, "Trolley"))
    (routine,) = gone.routines.values()
    trolley = part_id(rig, "Trolley")
    assert all(h.carrier != trolley for hs in routine.carried.values() for h in hs)
    assert not next(iter(remove_part(rig, lamp).routines.values())).carried


def test_a_file_with_hand_offs_that_can_not_be_is_told(tmp_path: Path) -> None:
    rig = handed(2)
    (routine_id,), lamp = rig.routines, part_id(rig, "Lamp")
    wick = part_id(rig, "Wick")
    routine = rig.routines[routine_id]
    bad = (HandOff(1.0, wick), HandOff(99.0, None), HandOff(2.0, part_id(rig, "Boom"), -1.0))
    broken = replace(rig, routines={routine_id: replace(routine, carried={lamp: bad})})
    path = tmp_path / "handed.gremio"
    rig_file.write(broken, path)
    again = gremio.load(path)
    assert again == broken
    texts = [found.note.text for found in gremio.inspect(again)]
    for words in ("rides on Lamp itself at 1 s", "99 s is not in Pass on", "no plain number"):
        assert any(words in text for text in texts), texts
    baked = gremio.bake(again, times=[0.0, 3.0])
    assert np.isfinite(baked.poses.worlds).all()
    assert any("rides on" in note.text for note in baked.notes)


def test_names_are_kept_where_ids_are(tmp_path: Path) -> None:
    rig = gremio.hand_over(moving(1), "00:00:02:00", "Lamp", "Trolley")
    path = tmp_path / "handed.gremio"
    rig_file.write(rig, path)
    (routine,) = gremio.load(path).routines.values()
    assert isinstance(routine, Routine)
    (one,) = routine.carried[part_id(rig, "Lamp")]
    assert one == HandOff(2.0, part_id(rig, "Trolley"))


def test_copies_of_what_is_handed_over_stand_on_its_carrier() -> None:
    """A row that is handed over keeps its row, in the pose as in a GLB."""
    rig = moving(2)
    lamp = part_id(rig, "Lamp")
    row = replace(rig.parts[lamp], repeat=Repeat("line", "x", 3, 0.2))
    rig = gremio.hand_over(replace(rig, parts={**rig.parts, lamp: row}), 1.0, "Lamp", "Crane hook")
    for time in (0.5, 3.0):
        pose = gremio.at_time(rig, time)
        moves = copies(pose, lamp)
        world = pose.world(lamp)
        mount = world @ np.linalg.inv(joint_matrix(pose.part_of(lamp).channels))
        for number, move in enumerate(moves):
            wanted = mount[:3, 3] + number * 0.2 * mount[:3, 0]
            at = move @ mount
            assert abs(at[:3, 3] - wanted).max() < 1e-12
    with pytest.raises(gremio.GremioError, match="no time code"):
        gremio.at_time(rig, "1:2")


def test_a_copy_is_keyed_and_carried_as_the_original() -> None:
    rig = gremio.hand_over(moving(5), 2.0, "Lamp", "Crane hook")
    two, copy = copy_part(rig, part_id(rig, "Lamp"), aside=(0.0, 0.5, 0.0))
    times = np.linspace(0, 6, 31)
    baked = gremio.bake(two, times=times)
    name = two.parts[copy].name
    one, other = baked.world("Lamp"), baked.world(name)
    # It stands beside it all the time, and turns with it on the crane.
    assert abs(np.linalg.norm((one - other)[:, :3, 3], axis=1) - 0.5).max() < 1e-9
    assert abs(one[:, :3, :3] - other[:, :3, :3]).max() < 1e-9
    assert abs(np.diff(one[:, 2, 3])).max() > 0.0
    crane, hook = copy_part(rig, part_id(rig, "Crane"), aside=(3.0, 0.0, 0.0))
    assert {split(c)[0] for r in crane.routines.values() for c in r.keys} >= {hook}


def test_a_motor_that_looks_at_what_is_handed_over_is_told() -> None:
    b = gremio.Builder("Look")
    b.part("Arm", joint="spin z")
    b.part("Lamp", at=(1, 0, 0))
    b.part("Fan", joint="spin z", at=(3, 0, 0))
    b.part("Post", at=(2, 0, 0))
    b.control("Speed", -50.0, 50.0, kind="rate", unit="turn/s")
    rig = gremio.formula(b.rig, "Speed", "distance(Lamp, Post) * 1 turn / 1 s / 1 m")
    rig = gremio.motor(rig, "Speed", "Fan turn z")
    rig = gremio.key(rig, 0, {"Arm turn z": 0.0})
    assert not any("as it is mounted" in f.note.text for f in gremio.inspect(rig))
    rig = gremio.hand_over(rig, 1, "Lamp", "Arm")
    assert any("as it is mounted" in f.note.text for f in gremio.inspect(rig))


def test_rounds_that_go_alike_are_found_once() -> None:
    """A thousandth round is asked for as fast as the first, and is the same."""
    rig = handed(6, ends="round")
    first = gremio.bake(rig, times=[3.3]).world("Lamp")
    far = gremio.bake(rig, times=[3.3 + 6.0 * 100_000]).world("Lamp")
    assert abs(first - far).max() < 1e-6
    # What a motor turns has gone on by then, and nothing jumps there either.
    b = gremio.Builder("Table")
    b.part("Table", joint="spin z")
    b.part("Cup", at=(1, 0, 0))
    b.control("Speed", -1.0, 1.0, kind="rate", unit="turn/s")
    on = gremio.motor(b.rig, "Speed", "Table turn z")
    on = gremio.key(gremio.routine(on, "Serve", 3, ends="round"), 0, {"Speed": "0.3 turn/s"})
    on = gremio.hand_over(on, 1.0, "Cup", "Table")
    for time in (1.0, 4.0, 10.0):
        low = math.nextafter(time, 0.0)
        one, two = gremio.bake(on, times=[low, time]).world("Cup")
        assert abs(one - two).max() < 1e-11


def test_a_carrier_of_no_size_is_told_and_nothing_breaks() -> None:
    b = gremio.Builder("Flat")
    b.part("Plate", joint="fixed")
    b.part("Lamp", at=(1, 0, 0))
    plate = part_id(b.rig, "Plate")
    flat = replace(b.rig.parts[plate], joint=replace(b.rig.parts[plate].joint, freed=("scale x",)))
    rig = replace(b.rig, parts={**b.rig.parts, plate: flat})
    rig = gremio.key(rig, 0, {"Plate scale x": 1.0})
    rig = gremio.key(rig, 2, {"Plate scale x": 0.0}, profile="straight")
    rig = gremio.hand_over(rig, 2.0, "Lamp", "Plate")
    baked = gremio.bake(rig, times=[1.0, 2.0, 3.0])
    assert np.isfinite(baked.world("Lamp")).all()
    assert any("flat, or stretched askew" in note.text for note in baked.notes)
