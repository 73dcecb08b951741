"""Treads and chains: what turns with what, where links lie, and carriages that run on them."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

import gremio
from gremio.core.arrays import Array
from gremio.core.edit.numbers import set_numbers
from gremio.core.edit.parts import remove_part, set_shapes
from gremio.core.edit.treads import change_tread, remove_tread
from gremio.core.files import rig_file
from gremio.core.make.copying import copy_part
from gremio.core.make.tread_changes import with_link
from gremio.core.rig.channels import key
from gremio.core.rig.find import channel_key, part_id
from gremio.core.rig.model import Rig
from gremio.core.rig.solids import Box, Cylinder, SpurGear
from gremio.core.script.posing import surfaces_of
from gremio.core.solve.treads import links_now

shape = gremio.shape
WHEELS = (("Sprocket", -1, 0.45, 0.5), ("Idler", 1, 0.45, 0.4), ("Road 1", -0.5, 0.25, 0.36),
          ("Road 2", 0.0, 0.25, 0.36), ("Road 3", 0.5, 0.25, 0.36))  # fmt: skip


def hull(sides: tuple[float, ...] = (0.6,), joint: str = "fixed") -> tuple[Rig, list[str]]:
    b = gremio.Builder("Quay winch")
    b.part("Hull", shape(Box(length=2.4, width=0.8, height=0.3), at=(0, 0, 0.5)), joint=joint)
    names = []
    for side in sides:
        for name, x, z, wide in WHEELS:
            word = name if len(sides) == 1 else f"{name} {'left' if side > 0 else 'right'}"
            b.part(word, shape(Cylinder(diameter=wide, height=0.2), turned=("90 deg", 0, 0)),
                   on="Hull", at=(x, side, z), joint="spin y")  # fmt: skip
            names.append(word)
    return b.rig, names


def tread_on_hull(**more: object) -> Rig:
    rig, names = hull(joint="slide x")
    return gremio.tread(rig, names, **more)  # type: ignore[arg-type]


def links(rig: Rig, values: dict[str, object] | None = None, name: str = "Sprocket tread") -> Array:
    return gremio.tread_links(gremio.solve(rig, values or {}).poses, name)[0]


def pins(frames: Array, pitch: float) -> Array:
    """(n, 3) where each link begins."""
    found: Array = frames[:, :3, 3] - frames[:, :3, 0] * pitch / 2
    return found


def test_links_are_equally_spaced_and_each_begins_where_the_last_ends() -> None:
    rig = tread_on_hull()
    (tread_id,) = rig.treads
    for turn in (0.0, 0.37, -12.3, 400.0):
        pose = gremio.solve(rig, {"Sprocket turn y": turn})
        pitch = links_now(pose, tread_id).pitch
        frames = gremio.tread_links(pose.poses, "Sprocket tread")[0]
        begin = pins(frames, pitch)
        apart = np.linalg.norm(begin - np.roll(begin, 1, axis=0), axis=1)
        assert np.ptp(apart) < 1e-9
        ends = frames[:, :3, 3] + frames[:, :3, 0] * pitch / 2
        assert abs(ends - np.roll(begin, -1, axis=0)).max() < 1e-9
        assert np.allclose(np.linalg.det(frames[:, :3, :3]), 1.0)


def test_the_pitch_that_is_asked_closes_exactly_and_count_and_pitch_are_told() -> None:
    rig = tread_on_hull(pitch="120 mm")
    (tread_id,), link = rig.treads, part_id(rig, "Sprocket tread link")
    repeat = rig.parts[link].repeat
    assert repeat is not None and repeat.along == "tread"
    here = links_now(gremio.solve(rig, {}), tread_id)
    assert repeat.count == round(here.length / 0.12)
    # A link is a chord, so all of them are a little less than the band.
    assert repeat.count * here.pitch < here.length < 1.01 * repeat.count * here.pitch
    assert repeat.pitch == pytest.approx(here.pitch, rel=3e-4)
    fixed = tread_on_hull(count=40)
    assert fixed.parts[part_id(fixed, "Sprocket tread link")].repeat.count == 40  # type: ignore[union-attr]


def test_links_go_with_the_driving_wheel_and_the_others_too() -> None:
    """A link on the driving wheel turns with it; wheels that a straight run goes over turn by the
    way ÷ their measured radius, those it goes round by the way ÷ the radius of its line."""
    rig = tread_on_hull()
    line = 0.25 * 1.05
    turn = 0.1
    one, two = links(rig), links(rig, {"Sprocket turn y": turn})
    hub = np.array([-1, 0.6, 0.45])
    angle = [np.arctan2(*(f[:, [2, 0], 3] - hub[[2, 0]]).T) for f in (one, two)]
    on = (one[:, 0, 3] < -1.05) & (two[:, 0, 3] < -1.05)
    assert on.sum() > 3
    gone = (angle[0] - angle[1])[on]
    gone = (gone + math.pi) % (2 * math.pi) - math.pi
    # About +y it goes from z to x.
    assert gone == pytest.approx(np.full(on.sum(), turn), abs=3e-4)
    pose = gremio.solve(rig, {"Sprocket turn y": turn})
    assert pose.value("Sprocket tread link", "shift") == pytest.approx(turn * line)
    assert pose.value("Idler", "turn y") == pytest.approx(turn * line / (0.2 + 0.0125))
    assert pose.value("Road 2", "turn y") == pytest.approx(turn * line / 0.18)
    # Any of them can be turned.
    back = gremio.core.solve.backward.move(  # type: ignore[attr-defined]
        pose.program, pose, channel_key(rig, "Road 1 turn y"), 1.0
    )
    assert back.channel == channel_key(rig, "Sprocket turn y")
    assert back.value == pytest.approx(0.18 / line)


def test_a_whole_round_brings_every_link_back_by_as_many_as_went_by() -> None:
    """After as much of the wheel as one link takes, the band looks as it did, and each link stands
    where the one before it stood."""
    rig = tread_on_hull()
    repeat = rig.parts[part_id(rig, "Sprocket tread link")].repeat
    assert repeat is not None
    step = 2 * math.asin(repeat.pitch / (2 * 0.2625))
    one, two = links(rig), links(rig, {"Sprocket turn y": step})
    assert abs(two - np.roll(one, -1, axis=0)).max() < 1e-9
    assert abs(links(rig, {"Sprocket turn y": step * repeat.count}) - one).max() < 1e-8
    assert abs(links(rig, {"Sprocket turn y": -2 * step}) - np.roll(one, 2, axis=0)).max() < 1e-9


def test_it_goes_on_without_a_jump() -> None:
    rig = tread_on_hull()
    turns = np.linspace(0, 3.0, 1500)
    poses = gremio.run(rig, {"Sprocket turn y": turns})
    frames = gremio.tread_links(poses, "Sprocket tread")
    step = np.linalg.norm(np.diff(frames[..., :3, 3], axis=0), axis=2)
    way = 0.2625 * turns[1]
    assert step.max() < 1.02 * way and step.min() > 0.9 * way


def test_the_band_follows_wheels_that_move() -> None:
    """A wheel on a swing arm takes the band along: the line stays outside of every rim, and touches
    those it lies on."""
    rig, names = hull()
    b = gremio.Builder("Arm")
    del b
    parts = {i: replace(p, joint=replace(p.joint, freed=("move z",)))
             if p.name == "Road 2" else p for i, p in rig.parts.items()}  # fmt: skip
    rig = gremio.tread(replace(rig, parts=parts), names)
    (tread_id,) = rig.treads
    for low in (0.0, -0.06, -0.12):
        pose = gremio.solve(rig, {"Road 2 move z": low})
        band = links_now(pose, tread_id).band
        assert band is not None
        at = band.course.places(np.linspace(0, band.course.length, 8000)).at
        for name, radius in (("Road 2", 0.1925), ("Road 1", 0.1925), ("Idler", 0.2125)):
            far = np.linalg.norm((at - pose.part(name).world[:3, 3])[:, [0, 2]], axis=1)
            assert far.min() > radius - 1e-9
            assert far.min() < radius + 1e-6 or (name == "Road 1" and low < 0)


def test_a_link_of_ones_own_is_taken_as_it_lies_or_by_its_axes() -> None:
    rig, names = hull()
    b = gremio.Builder("Links")
    b.part("Shoe", shape(Box(length=0.1, width=0.3, height=0.04)))
    shoe = next(iter(b.rig.parts.values()))
    from gremio.core.edit.parts import add_part

    apart, _ = add_part(rig, replace(shoe, mount=replace(shoe.mount, at=(5, 5, 0))))
    made = gremio.tread(apart, names, link="Shoe")
    entry = made.parts[part_id(made, "Shoe")]
    assert entry.repeat is not None and entry.repeat.pitch == pytest.approx(0.1, rel=0.02)
    # All change with one.
    corners = gremio.tread_links(gremio.solve(made, {}).poses, "Sprocket tread")[0]
    assert len(corners) == entry.repeat.count
    wider = set_shapes(made, part_id(made, "Shoe"), (shape(Box(length=0.1, width=0.5, height=0.04)),))  # noqa: E501  # fmt: skip
    assert len(wider.parts[part_id(wider, "Shoe")].shapes) == 1
    # Lying on the upper run, it stays as it lies.
    top = 0.45 + 0.25 + 0.02
    on_it, _ = add_part(rig, replace(shoe, mount=replace(shoe.mount, at=(-0.9, 0.6, top))))
    laid = gremio.tread(on_it, names, link="Shoe")
    own = laid.parts[part_id(laid, "Shoe")].own
    assert abs(own.at[2]) < 0.01 and abs(own.turn[0]) > 0.99


def sprockets() -> Rig:
    b = gremio.Builder("Dredger")
    for name, teeth, x in (("Lower tumbler", 12, 0.0), ("Upper tumbler", 17, 1.4)):
        b.part(name, shape(SpurGear(module=0.03, teeth=teeth, width=0.06), turned=("90 deg", 0, 0)),
               at=(x, 0, 0.6 + x / 2), joint="spin y")  # fmt: skip
    return b.rig


def test_a_chain_sits_in_the_spaces_of_its_sprockets() -> None:
    """Its pitch is that of the teeth, p = 2 r sin(π/z); every pin on the driving sprocket stands
    between two teeth, at any turn; both turn by their teeth; and it hangs by what is too long."""
    rig = gremio.tread(sprockets(), ["Lower tumbler", "Upper tumbler"], chain=True, name="Chain")
    (tread_id,) = rig.treads
    repeat = rig.parts[part_id(rig, "Chain link")].repeat
    assert repeat is not None and repeat.count % 2 == 0
    pitch = 2 * 0.18 * math.sin(math.pi / 12)
    assert repeat.pitch == pytest.approx(pitch, rel=1e-12)
    assert rig.treads[tread_id].sag > 0.0
    for turn in (0.0, 0.111, 2.0, -7.7):
        pose = gremio.solve(rig, {"Lower tumbler turn y": turn})
        here = links_now(pose, tread_id)
        # Between phases it is drawn out by no more than the polygon it makes asks for.
        assert here.pitch == pytest.approx(pitch, rel=2e-3)
        begin = pins(gremio.tread_links(pose.poses, "Chain")[0], here.pitch)
        hub = pose.part("Lower tumbler").world
        seen = (np.linalg.inv(hub) @ np.c_[begin, np.ones(len(begin))].T).T
        far = np.hypot(seen[:, 0], seen[:, 2])
        seated = abs(far - pitch / (2 * math.sin(math.pi / 12))) < 1e-6
        assert seated.sum() >= 4
        # Tooth 0 is on +x of the gear, and a space half a tooth beside it.
        share = np.arctan2(seen[seated, 2], seen[seated, 0]) / (2 * math.pi / 12)
        assert abs(share - np.floor(share) - 0.5).max() < 0.02
        begins = gremio.solve(rig, {}).value("Upper tumbler", "turn y")
        assert pose.value("Upper tumbler", "turn y") - begins == pytest.approx(turn * 12 / 17)


def test_the_other_sprocket_stands_so_that_it_fits() -> None:
    rig = gremio.tread(sprockets(), ["Lower tumbler", "Upper tumbler"], chain=True, name="Chain")
    (tread_id,) = rig.treads
    for turn in (0.0, 1.0):
        pose = gremio.solve(rig, {"Lower tumbler turn y": turn})
        begin = pins(gremio.tread_links(pose.poses, "Chain")[0], links_now(pose, tread_id).pitch)
        seen = (np.linalg.inv(pose.part("Upper tumbler").world)
                @ np.c_[begin, np.ones(len(begin))].T).T  # fmt: skip
        on = abs(np.hypot(seen[:, 0], seen[:, 2]) - 0.5 * 0.0931749 / math.sin(math.pi / 17)) < 1e-3
        assert on.sum() >= 5
        share = np.arctan2(seen[on, 2], seen[on, 0]) / (2 * math.pi / 17)
        assert abs(share - np.floor(share) - 0.5).max() < 0.06


def carriage() -> Rig:
    rig, names = hull((0.6, -0.6))
    return gremio.tracked(rig, "Hull", names)


def shifts(pose: gremio.Pose) -> list[float]:
    return [pose.value(f"Hull tread, {side} link", "shift") for side in ("left", "right")]


def test_each_tread_goes_as_far_as_the_body_less_or_more_its_turn() -> None:
    """s ∓ ψ · gauge / 2 for a body that goes s and turns ψ (derived); on the spot too, and
    backward."""
    rig = carriage()
    rng = np.random.default_rng(4)
    for _ in range(6):
        knots = rng.uniform(-2, 2, (2, 6))
        t = np.linspace(0, 5, 800)
        travel, turn = (np.interp(t, np.arange(6), k) - k[0] for k in knots)
        poses = gremio.run(rig, {"Hull travel": travel, "Hull turn": turn})
        for i in (100, 400, 799):
            found = shifts(poses.frame(i))
            assert found == pytest.approx(
                [travel[i] - turn[i] * 0.6, travel[i] + turn[i] * 0.6], abs=1e-9
            )


def test_a_closed_way_comes_back_to_its_start() -> None:
    """A square driven by turns on the spot: each side of it forward, a quarter turn at each
    corner."""
    rig = carriage()
    travel, turn = [0.0], [0.0]
    for _ in range(4):
        travel += [travel[-1] + 1.5, travel[-1] + 1.5]
        turn += [turn[-1], turn[-1] + math.pi / 2]
    t = np.linspace(0, 8, 1601)
    poses = gremio.run(rig, {"Hull travel": np.interp(t, np.arange(9), travel),
                             "Hull turn": np.interp(t, np.arange(9), turn)})  # fmt: skip
    end = poses.frame(-1)
    assert abs(end.part("Hull").world - poses.frame(0).part("Hull").world).max() < 1e-9
    assert shifts(end) == pytest.approx([6.0 - 2 * math.pi * 0.6, 6.0 + 2 * math.pi * 0.6])


def test_links_on_the_ground_stand_still_under_a_body_that_goes() -> None:
    rig = carriage()
    poses = gremio.run(rig, {"Hull travel": np.linspace(0, 0.05, 11)})
    frames = gremio.tread_links(poses, "Hull tread, left")
    low = frames[0, :, 2, 3] < frames[0, :, 2, 3].min() + 1e-9
    inner = low & (abs(frames[0, :, 0, 3]) < 0.3)
    assert inner.sum() >= 4
    gone = np.linalg.norm(frames[-1, inner, :3, 3] - frames[0, inner, :3, 3], axis=1)
    # They are chords, and the way is told by the driving wheel's arcs: within their sagitta.
    assert gone.max() < 0.02 * 0.05


def test_slip_turns_the_driving_wheel_more_and_leaves_the_way_of_the_body() -> None:
    """s (1 + slip) / r (derived); led, it counts where it is on the way."""
    rig = carriage()
    (left, _) = rig.treads
    slips = set_numbers(rig, {key(left, "slip"): 0.25})
    travel = np.linspace(0, 2, 50)
    end = gremio.run(slips, {"Hull travel": travel}).frame(-1)
    assert shifts(end) == pytest.approx([2.5, 2.0])
    assert end.value("Sprocket left", "turn y") == pytest.approx(2.5 / 0.2625)
    assert end.part("Hull").world[0, 3] == pytest.approx(2.0)
    # A slip that grows evenly along the way counts half.
    led = gremio.run(rig, {"Hull travel": travel, "Hull tread, left slip": travel / 4})
    assert shifts(led.frame(-1))[0] == pytest.approx(2.0 + 2.0 * 0.25)


def test_over_a_routine_it_is_the_same_in_any_order() -> None:
    rig = carriage()
    for time, travel, turn in ((0, 0.0, 0.0), (1, 1.0, 0.4), (2, 0.2, -1.0)):
        rig = gremio.key(rig, time, {"Hull travel": travel, "Hull turn": turn})
    times = np.linspace(0, 2, 26)
    baked = gremio.bake(rig, times=times)
    order = np.random.default_rng(0).permutation(26)
    again = gremio.bake(rig, times=times[order])
    assert (baked.poses.worlds[order] == again.poses.worlds).all()
    one = gremio.tread_links(baked.poses, "Hull tread, right")
    two = gremio.tread_links(again.poses, "Hull tread, right")
    assert (one[order] == two).all()


def test_what_can_not_be_is_refused_in_words() -> None:
    rig, names = hull()
    cases = [
        (lambda: gremio.tread(rig, ["Sprocket"]), "two wheels at least"),
        (lambda: gremio.tread(rig, ["Sprocket", "Sprocket"]), "each of them once"),
        (lambda: gremio.tread(rig, names, count=2), "it takes from 3"),
        (lambda: gremio.tread(rig, names, pitch="3 m"), "it takes from 3"),
        (lambda: gremio.tread(rig, names, chain=True), "no teeth that could be counted"),
        (lambda: gremio.tread(rig, names, inside=["Sprocket"]), "drives the band"),
        (lambda: gremio.tread(rig, [*names, "Hull"]), "one is within another|round"),
        (lambda: gremio.tread(rig, names, link="Sprocket"), "can't be one of its wheels"),
        (lambda: gremio.tracked(rig, "Hull", names), "fewer than two of these wheels"),
        (lambda: gremio.tracked(rig, "Sprocket", names), "can't be one of its wheels"),
    ]  # fmt: skip
    for call, words in cases:
        with pytest.raises(gremio.GremioError, match=words):
            call()


def test_wheels_in_one_another_and_links_that_do_not_fit_are_told() -> None:
    rig = tread_on_hull()
    (tread_id,) = rig.treads
    tread = rig.treads[tread_id]
    wheels = (tread.wheels[0], replace(tread.wheels[1], radius=9.0), *tread.wheels[2:])
    inside = change_tread(rig, tread_id, replace(tread, wheels=wheels))
    assert any("No band lies round" in f.note.text for f in gremio.inspect(inside))
    assert np.isfinite(gremio.solve(inside, {}).worlds).all()
    few = set_numbers(rig, {channel_key(rig, "Sprocket tread link count"): 30})
    told = [f.note.text for f in gremio.inspect(few)]
    assert any("53 fit best" in text for text in told), told


def test_it_is_taken_out_and_its_wheels_with_what_hangs_on_them(tmp_path: Path) -> None:
    rig = carriage()
    path = tmp_path / "treads.gremio"
    rig_file.write(rig, path)
    assert gremio.load(path) == rig
    left, right = rig.treads
    less = remove_tread(rig, left)
    assert left not in less.treads and right in less.treads
    assert less.parts[rig.treads[left].link].repeat is None
    assert not [f.note.text for f in gremio.inspect(less) if f.note.severity == "error"]
    end = gremio.run(less, {"Hull travel": np.linspace(0, 1, 9)}).frame(-1)
    assert end.value("Sprocket left", "turn y") == pytest.approx(1 / 0.2625)
    without = remove_part(rig, part_id(rig, "Road 2 left"))
    assert len(without.treads[left].wheels) == 4
    assert left not in remove_part(rig, part_id(rig, "Sprocket left")).treads
    assert not remove_part(rig, part_id(rig, "Hull")).treads


def test_a_copy_runs_on_treads_of_its_own() -> None:
    rig = carriage()
    two, copy = copy_part(rig, part_id(rig, "Hull"), aside=(0.0, 4.0, 0.0))
    assert len(two.treads) == 4 and two.parts[copy].name != "Hull"
    travel = next(c.name for i, c in two.controls.items() if c.name not in
                  {e.name for e in rig.controls.values()} and "travel" in c.name)  # fmt: skip
    ours = list(two.treads.values())[2:]
    slips = set_numbers(two, {key(list(two.treads)[2], "slip"): 0.5})
    end = gremio.run(slips, {travel: np.linspace(0, 1, 20)}).frame(-1)
    assert [end.at(key(one.link, "shift")) for one in ours] == pytest.approx([1.5, 1.0])
    assert shifts(end) == [0.0, 0.0]
    alone, link = copy_part(rig, part_id(rig, "Hull tread, left link"))
    assert alone.parts[link].repeat is None and len(alone.treads) == 2


def test_it_is_driven_to_a_place_by_turning_toward_it() -> None:
    rig = carriage()
    for place in ((3.0, 1.0), (-1.0, 2.5), (-1.0, -4.0)):
        rig = gremio.drive_to(rig, "Hull", *place)
        at = gremio.solve(rig).part("Hull").world[:3, 3]
        assert at[:2] == pytest.approx(place, abs=1e-9)
    assert gremio.drive_to(rig, "Hull", -1.0, -4.0).at == rig.at


def test_wheels_of_no_size_are_told_and_nothing_breaks() -> None:
    rig, names = hull()
    parts = {i: replace(p, joint=replace(p.joint, freed=("scale x", "scale z")))
             if p.name == "Idler" else p for i, p in rig.parts.items()}  # fmt: skip
    rig = gremio.tread(replace(rig, parts=parts), names)
    pose = gremio.solve(rig, {"Idler scale x": 0.0})
    (tread_id,) = rig.treads
    assert "has no size" in links_now(pose, tread_id).wrong
    assert len(gremio.tread_links(pose.poses, "Sprocket tread")[0]) > 3


def test_another_link_keeps_what_leads_the_tread_and_its_keys() -> None:
    rig = carriage()
    left = next(iter(rig.treads))
    b = gremio.Builder("More")
    b.rig = rig
    b.control("Mud", 0.0, 1.0, kind="number", unit="%")
    b.ratio("Mud", "Hull tread, left slip", 1)
    b.part("Shoe", shape(Box(length=0.12, width=0.25, height=0.04)), at=(0, 5, 0))
    rig = gremio.key(b.rig, 1.0, {"Hull tread, left sag": "20 mm"})
    changed, made = with_link(rig, left, part_id(rig, "Shoe"), geometry=surfaces_of(rig))
    assert changed.treads[made].link == part_id(changed, "Shoe")
    assert part_id(rig, "Hull tread, left link") not in changed.parts
    (routine,) = changed.routines.values()
    assert key(made, "sag") in routine.keys
    end = gremio.run(changed, {"Hull travel": np.linspace(0, 1, 20), "Mud": 0.5}).frame(-1)
    radius = changed.treads[made].wheels[0].radius
    assert end.value("Sprocket left", "turn y") == pytest.approx(1.5 / radius)
    assert end.value("Shoe", "shift") == pytest.approx(1.5)
    assert end.value("Road 2 left", "turn y") == pytest.approx(1.5 / 0.18)
