"""What a small slip in the core would change, and no other test would see: each is checked by plain
geometry or arithmetic, or by what a person would read."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.spatial.transform import Rotation

import gremio
from gremio.core.edit.builder import shape
from gremio.core.edit.cams import cam_of, shift_points
from gremio.core.edit.change import with_entry
from gremio.core.edit.closures import add_closure
from gremio.core.edit.desk import keep_pose
from gremio.core.edit.links import add_link, change_link
from gremio.core.edit.numbers import set_number
from gremio.core.edit.parts import change_part, set_joint
from gremio.core.edit.paths import add_path, change_path
from gremio.core.files.cam_csv import cam_csv
from gremio.core.files.glb_led import seen
from gremio.core.files.glb_out import baked_glb
from gremio.core.files.sources import model_shelf
from gremio.core.files.urdf_out import write_urdf
from gremio.core.frames import Frame, frame_of, matrix
from gremio.core.inspect.findings import machine_findings, told_once
from gremio.core.inspect.words import own_how
from gremio.core.make.carriage import make_carriage
from gremio.core.make.faces import with_faces
from gremio.core.make.gearing import gears_of, likeliest_mesh, mesh_of, phase_error
from gremio.core.make.meshing import with_backlash
from gremio.core.mechanics.strands import coil
from gremio.core.problem import GremioError
from gremio.core.rig.channels import key
from gremio.core.rig.find import channel_key, part_id
from gremio.core.rig.model import Closure, Face, Joint, Path, Planetary, Rig, Rolling, Stops
from gremio.core.rig.numbers import number
from gremio.core.rig.solids import Box, Cylinder, RackBar, SpurGear
from gremio.core.rig.things import thing_of
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.backward import Hand, move
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.repeats import copies
from gremio.core.solve.strands import lies

BLOCK = Box(length=0.2, width=0.1, height=0.1)


# ── edits ──


def test_points_of_a_cam_are_moved_for_the_chosen_follower_alone() -> None:
    build = gremio.Builder("Chest")
    build.part("Lid", joint="hinge x")
    build.part("Tray", joint="slide z")
    build.control("Open", 0.0, 1.0, kind="number")
    build.cam("Open", {0.0: {"Lid": 0.0, "Tray": 0.0}, 1.0: {"Lid": 1.0, "Tray": 0.4}})
    rig, link = build.rig, next(iter(build.rig.links))
    lid, tray = channel_key(rig, "Lid"), channel_key(rig, "Tray")
    moved = shift_points(rig, link, [(lid, 1)], 0.0, {lid: 0.5, tray: 0.25})
    assert cam_of(moved, link).stations[1].values == {lid: 1.5, tray: 0.4}


def test_a_pin_that_is_there_already_is_told_by_the_names_of_both_parts() -> None:
    build = gremio.Builder("Bench")
    build.part("Arm", joint="hinge z")
    build.part("Rod", joint="hinge z")
    one, two = (part_id(build.rig, name) for name in ("Arm", "Rod"))
    rig, _ = add_closure(build.rig, Closure(one, two))
    with pytest.raises(GremioError, match="Arm and Rod are pinned at that point already"):
        add_closure(rig, Closure(one, two))


def test_a_number_that_a_hand_puts_is_put() -> None:
    build = gremio.Builder("Bench")
    build.part("Arm", joint="hinge z")
    channel = channel_key(build.rig, "Arm")
    assert set_number(build.rig, channel, 0.4).at == {channel: 0.4}


def test_both_stops_of_a_cylinder_go_to_its_new_axis() -> None:
    build = gremio.Builder("Bench")
    build.part("Ram", joint="cylinder x")
    ram = part_id(build.rig, "Ram")
    stops = {"turn x": Stops(-1.0, 2.0), "move x": Stops(0.0, 0.5)}
    rig = change_part(build.rig, ram, replace(build.rig.parts[ram], stops=stops))
    turned = set_joint(rig, ram, Joint("cylinder", "z"))
    assert turned.parts[ram].stops == {"turn z": Stops(-1.0, 2.0), "move z": Stops(0.0, 0.5)}


# ── files ──


def test_the_head_of_a_table_has_a_unit_only_where_there_is_one() -> None:
    build = gremio.Builder("Chest")
    build.part("Lid", joint="hinge x")
    build.control("Open", 0.0, 1.0, kind="number")
    build.cam("Open", {0.0: {"Lid": 0.0}, 1.0: {"Lid": 1.0}})
    head = cam_csv(build.rig, next(iter(build.rig.links))).splitlines()[0]
    assert head.split(",")[0] == "Open" and "Lid" in head and "[deg]" in head


def test_what_spins_without_stops_is_continuous_in_a_urdf(tmp_path) -> None:
    build = gremio.Builder("Two")
    build.part("Post", BLOCK)
    build.part("Wheel", BLOCK, on="Post", joint="spin z")
    build.part("Flap", BLOCK, on="Post", joint="hinge z", stops=("0 deg", "90 deg"))
    write_urdf(build.rig, tmp_path / "two.urdf", model_shelf())
    text = (tmp_path / "two.urdf").read_text()
    kinds = {name: text.split(f'name="{name}')[1].split('type="')[1].split('"')[0]
             for name in ("Wheel", "Flap") if f'joint name="{name}' in text}  # fmt: skip
    assert 'type="continuous"' in text and 'type="revolute"' in text
    assert kinds.get("Wheel", "continuous") == "continuous"


def test_a_led_shape_that_stands_still_over_a_travel_is_no_loss() -> None:
    build = gremio.Builder("Two")
    gear = SpurGear(module=0.01, teeth=20, width=0.02)
    build.part("Wheel", gear, joint="spin z")
    build.control("Turn", "0 deg", "90 deg")
    build.control("Teeth", 20, 40, kind="number")
    build.ratio("Turn", "Wheel", 1)
    build.ratio("Teeth", "Wheel teeth", 1)
    rig = build.rig
    codes = [
        {note.code for note in baked_glb(rig, model_shelf(), control, 1.0)[1]}
        for control in ("Turn", "Teeth")
    ]
    assert "glb-led" not in codes[0] and "glb-led" in codes[1]


# ── what is told ──


@pytest.mark.parametrize(("value", "stops"), [(-2.0, ("-40 deg", None)), (2.0, (None, "30 deg"))])
def test_a_control_beyond_what_follows_is_told_once_at_either_end(
    value: float, stops: tuple[str | None, str | None]
) -> None:
    build = gremio.Builder("Two")
    build.part("Flap", BLOCK, joint="hinge z", stops=stops)
    build.part("Leaf", BLOCK, joint="hinge z")
    build.control("Open", "-120 deg", "120 deg")
    build.ratio("Open", "Flap", 1)
    build.ratio("Open", "Leaf", 1)
    rig = replace(build.rig, at={channel_key(build.rig, "Open"): value})
    pose = gremio.solve(rig)
    found = told_once(pose, machine_findings(rig, pose.program))
    stands = [f.note.text for f in found if "stands at" in f.note.text]
    assert len(stands) == 1 and stands[0].startswith("Open stands at")


def test_what_leads_without_being_a_link_is_said() -> None:
    build = gremio.Builder("Two")
    build.part("Arm", joint="hinge z")
    build.part("Rod", joint="hinge z", at=(1, 0, 0))
    one, two = (part_id(build.rig, name) for name in ("Arm", "Rod"))
    rig, closure = add_closure(build.rig, Closure(one, two, at_one=(1, 0, 0)))
    assert "Arm" in own_how(rig, closure) and "Rod" in own_how(rig, closure)
    assert own_how(rig, "k77") == ""


def test_what_is_kept_is_nothing_to_select() -> None:
    build = gremio.Builder("Two")
    build.part("Arm", joint="hinge z")
    rig, pose = keep_pose(build.rig, "Up", {channel_key(build.rig, "Arm"): 0.3})
    assert thing_of(rig, pose) is None
    found = thing_of(rig, part_id(rig, "Arm"))
    assert found is not None and found.word == "part"


# ── carriages ──


def trolley(steered: bool, back: float) -> Rig:
    """A body whose zero is not on its rear axle; its wheels stand `back` behind it and 1.6 before
    that."""
    build = gremio.Builder("Trolley")
    build.control("Other", "-60 deg", "60 deg")
    build.part("Body", Box(length=2.0, width=1.0, height=0.2), at=(0, 0, 0.4))
    names = []
    for name, x, y in (
        ("FL", 1.6 - back, 0.5), ("FR", 1.6 - back, -0.5), ("RL", -back, 0.5), ("RR", -back, -0.5),
    ):  # fmt: skip
        wheel = shape(Cylinder(diameter=0.5, height=0.1), turned=("90 deg", 0, 0))
        build.part(name, wheel, at=(x, y, 0.25))
        names.append(name)
    rig = build.rig
    wheels = [part_id(rig, name) for name in names]
    front = wheels[:2] if steered else []
    return make_carriage(rig, part_id(rig, "Body"), wheels, front, geometry=geometry_of)


def test_every_wheel_of_a_carriage_stands_square_to_the_line_from_one_centre() -> None:
    """Ackermann's rule: all axles meet over one point, on the line of the unsteered axle."""
    pose = gremio.solve(trolley(steered=True, back=0.7), {"Body steering": "20 deg"})
    rear, axles = pose.part("RL").world, []
    for name in ("FL", "FR"):
        world = pose.part(name).world
        # The centre lies at y = t on the line of the rear axle, x = −0.7.
        t = (rear[0, 3] - world[0, 3]) / world[0, 1]
        axles.append(world[1, 3] + t * world[1, 1])
    assert axles[0] == pytest.approx(axles[1], abs=1e-9)
    assert abs(axles[0]) == pytest.approx(1.6 / math.tan(math.radians(20)), rel=1e-9)


def test_a_carriage_that_is_not_steered_goes_straight_whatever_else_moves() -> None:
    rig = trolley(steered=False, back=0.7)
    poses = gremio.run(rig, {"Body travel": np.linspace(0, 2, 9), "Other": np.linspace(0, 1, 9)})
    there = poses.frame(-1).part("Body").world
    assert there[:3, 3] == pytest.approx([2.0, 0.0, 0.4]) and there[0, 0] == pytest.approx(1.0)


def test_a_carriage_that_is_not_steered_is_taken_over_as_such() -> None:
    rig = trolley(steered=False, back=0.7)
    program = compile_rig(rig, geometry_of)
    [rolling, *_] = (i for i, link in rig.links.items() if isinstance(link, Rolling))
    changed = change_link(rig, rolling, replace(rig.links[rolling], radius=0.3))
    frames = {
        channel_key(rig, "Body travel"): np.linspace(0, 2, 9),
        channel_key(rig, "Other"): np.linspace(0, 1, 9),
    }
    fresh, taken = (
        evaluate(compile_rig(changed, geometry_of, before), frames) for before in (None, program)
    )
    assert np.array_equal(fresh.worlds, taken.worlds)


# ── faces, gears ──


def test_a_dial_points_up_in_the_middle_of_its_range() -> None:
    """A range that does not begin at nothing: both ends lie alike to either side of upright."""
    build = gremio.Builder("Desk")
    build.part("Board", BLOCK)
    build.control("Level", "2 m", "6 m", kind="length", unit="m", home="2 m")
    rig = build.rig
    control = channel_key(rig, "Level")
    entry = replace(
        rig.controls[control],
        make="dial",
        face=Face(part_id(rig, "Board"), fixed=True, size=0.2, exported=True),
    )
    rig = with_faces(replace(rig, controls=with_entry(rig.controls, control, entry)))
    turns = [gremio.solve(rig, {"Level": v}).value("Level, knob", "turn y") for v in (2, 4, 6)]
    assert turns[1] == pytest.approx(0.0) and turns[0] == pytest.approx(-turns[2])
    assert turns[2] > 1.0


@pytest.mark.parametrize("heading", [0.0, 0.8, math.pi, 4.0])
def test_a_rack_that_rolls_with_its_pinion_stays_in_phase(heading: float) -> None:
    """The pinion turns by an angle, the rack goes by radius times it, the way its teeth go there
    (v = ω × r); the rack lies any way round the pinion and in either direction."""
    module, teeth = 0.01, 18
    radius = module * teeth / 2

    def rig(turn: float, flipped: bool) -> Rig:
        build = gremio.Builder("Rack")
        build.part("Pinion", SpurGear(module=module, teeth=teeth, width=0.02), joint="spin z")
        build.part("Rack", RackBar(module=module, teeth=30, width=0.02, back=0.02), joint="slide x")
        toward = np.array([math.cos(heading), math.sin(heading), 0.0])
        along = np.cross([0.0, 0.0, 1.0], toward)
        up = -toward
        frame = np.eye(4)
        frame[:3, :3] = np.stack([along, up, np.cross(along, up)], axis=1)
        if np.linalg.det(frame[:3, :3]) < 0:
            frame[:3, 2] *= -1
        if flipped:
            frame[:3, 0] *= -1
            frame[:3, 2] *= -1
        frame[:3, 3] = toward * radius + along * radius * turn
        made = build.rig
        rack, pinion = part_id(made, "Rack"), part_id(made, "Pinion")
        made = change_part(made, rack, replace(made.parts[rack], mount=frame_of(frame)))
        return replace(made, at={key(pinion, "turn z"): turn})

    def error(turn: float, flipped: bool) -> float:
        made = rig(turn, flipped)
        pose = gremio.solve(made)
        one, two = (gears_of(made, pose, part_id(made, n))[0] for n in ("Pinion", "Rack"))
        return phase_error(mesh_of(one, two))

    for flipped in (False, True):
        first = error(0.0, flipped)
        for turn in (0.01, 0.03, -0.05):
            off = error(turn, flipped) - first
            assert off - round(off) == pytest.approx(0.0, abs=1e-9)


def test_of_two_gears_on_a_part_the_one_of_the_same_module_is_meant() -> None:
    """The other one is nearer to the distance that it would need."""
    build = gremio.Builder("Gears")
    small = shape(SpurGear(module=0.02, teeth=20, width=0.02))
    fine = shape(SpurGear(module=0.01, teeth=20, width=0.02))
    build.part("Two", small, fine, joint="spin z")
    build.part("One", SpurGear(module=0.01, teeth=20, width=0.02), at=(0.3, 0, 0), joint="spin z")
    pose = gremio.solve(build.rig)
    ones, twos = (gears_of(build.rig, pose, part_id(build.rig, n)) for n in ("One", "Two"))
    found = likeliest_mesh(ones, twos)
    assert found is not None and found.two.solid.module == 0.01


def test_parts_without_teeth_in_one_another_are_named() -> None:
    build = gremio.Builder("Two")
    build.part("Arm", joint="hinge z")
    build.part("Rod", joint="hinge z")
    with pytest.raises(GremioError, match="Arm and Rod are no gear pair"):
        with_backlash(build.rig, part_id(build.rig, "Arm"), part_id(build.rig, "Rod"), 1e-4)


# ── motion ──


def test_a_coil_begins_to_the_side_it_is_asked_for() -> None:
    """Asked on the slant, it is the part square to the coil that counts."""
    way = np.array([0.0, 0.0, 1.0])
    places = coil(np.zeros(3), way, np.array([0.1, 0.0, 0.9]), 0.05, 5.0, 4001)
    share = np.linspace(0, 1, 4001)
    first = places[np.argmin(np.abs(share - 0.08))]
    assert first[:2] == pytest.approx([0.05, 0.0], abs=1e-3)


def test_a_scale_that_is_half_held_comes_to_where_it_is_pulled() -> None:
    build = gremio.Builder("Bellows")
    build.part("Bag", BLOCK, joint="fixed")
    rig = build.rig
    bag = part_id(rig, "Bag")
    rig = set_joint(
        rig, bag, replace(rig.parts[bag].joint, freed=("scale x", "scale y", "scale z"))
    )
    rig = gremio.constrain(rig, "constant volume", "Bag", grip=0.5)
    pose = gremio.solve(rig)
    [constraint] = rig.constraints.values()
    for name in constraint.channels:
        found = move(pose.program, pose, key(bag, name), 0.9)
        assert isinstance(found, Hand)
        there = gremio.solve(replace(rig, at={found.channel: found.value}))
        assert there.at(key(bag, name)) == pytest.approx(0.9, abs=1e-9)


@pytest.mark.parametrize("own", [False, True])
def test_a_match_turns_what_turns_about_a_mount_beside_it(own: bool) -> None:
    """A part whose own frame stands off its joint takes the other's direction all the same."""
    rng = np.random.default_rng(3)
    build = gremio.Builder("Lamp")
    build.part("Lamp", BLOCK, joint="ball", at=(1, 0, 0))
    build.part("Guide", BLOCK, joint="ball", at=(0, 2, 0))
    rig = build.rig
    lamp, guide = part_id(rig, "Lamp"), part_id(rig, "Guide")
    if own:
        there = np.eye(4)
        there[:3, :3] = Rotation.random(random_state=4).as_matrix()
        there[:3, 3] = 0.3, 0.2, -0.1
        rig = change_part(rig, lamp, replace(rig.parts[lamp], own=frame_of(there)))
    rig = gremio.constrain(rig, "match", "Lamp", "Guide", keep=False)
    for _ in range(4):
        at = {key(guide, f"turn {axis}"): float(rng.uniform(-1, 1)) for axis in "xyz"}
        pose = gremio.solve(replace(rig, at=at))
        assert pose.world(lamp)[:3, :3] == pytest.approx(pose.world(guide)[:3, :3], abs=1e-9)


def test_a_scaled_part_with_its_own_frame_stands_where_it_is_pinned() -> None:
    build = gremio.Builder("Lamp")
    build.part("Lamp", BLOCK, joint="free")
    build.part("Hook", BLOCK, joint="free", at=(0, 2, 0))
    rig = build.rig
    lamp, hook = part_id(rig, "Lamp"), part_id(rig, "Hook")
    own = Frame((0.3, 0.2, -0.1))
    joint = replace(rig.parts[lamp].joint, freed=("scale x", "scale y", "scale z"))
    rig = change_part(rig, lamp, replace(rig.parts[lamp], own=own, joint=joint))
    rig = gremio.constrain(rig, "pin", "Lamp", "Hook", keep=False)
    scale = {key(lamp, f"scale {axis}"): v for axis, v in zip("xyz", (2.0, 0.5, 3.0), strict=True)}
    turn = {key(lamp, "turn z"): 0.7, key(hook, "move x"): 0.4}
    pose = gremio.solve(replace(rig, at={**scale, **turn}))
    assert pose.world(lamp)[:3, 3] == pytest.approx(pose.world(hook)[:3, 3], abs=1e-9)
    assert matrix(own)[0, 3] == 0.3


@pytest.mark.parametrize("seed", range(6))
def test_a_rail_on_the_slant_holds_its_point_on_its_line(seed: int) -> None:
    """The rail lies any way in its part, and the point stays on its line: plain geometry."""
    rng = np.random.default_rng(seed)
    # The yoke slides in the plane of the crank, which lies any way, turned about its own slide.
    plane = Rotation.random(random_state=seed)
    heading, lean, across = rng.uniform(-0.4, 0.4), rng.uniform(0, 6), rng.uniform(1.2, 1.9)
    stands = plane * Rotation.from_euler("ZX", [heading, lean])
    build = gremio.Builder("Yoke")
    turns = [tuple(map(float, one.as_euler("xyz"))) for one in (plane, stands)]
    build.part("Crank", BLOCK, turned=turns[0], joint="hinge z")
    place = tuple(map(float, plane.apply([0.3, 0, 0])))
    build.part("Yoke", BLOCK, at=place, turned=turns[1], joint="slide x")
    build.control("Turn", "-40 deg", "40 deg")
    build.ratio("Turn", "Crank", 1)
    way = plane.apply([math.cos(heading + across), math.sin(heading + across), 0.0])
    rail = stands.inv().apply(way)
    rig = gremio.pin(build.rig, "Crank", "Yoke", (0.3, 0, 0), rail=tuple(map(float, rail)))
    for turn in np.radians([-35.0, -11.0, 8.0, 30.0]):
        pose = gremio.solve(rig, {"Turn": float(turn)})
        assert not pose.notes
        point = pose.part("Crank").world @ [0.3, 0, 0, 1]
        yoke = pose.part("Yoke").world
        along = yoke[:3, :3] @ rail
        off = point[:3] - yoke[:3, 3]
        assert np.linalg.norm(off - along * (off @ along)) < 1e-9


@pytest.mark.parametrize(
    ("kind", "more"),
    [("aim", {}), ("aim", {"upright": "ground"}), ("seat", {}), ("match", {}), ("ride", {})],
)
@pytest.mark.parametrize("seed", [1, 2])
def test_what_is_tied_where_it_is_stays_where_it_is(
    kind: str, more: dict[str, object], seed: int
) -> None:
    """The target and the part stand any way: nothing moves as the tie is made."""
    one, two = (tuple(map(float, r.as_euler("xyz"))) for r in Rotation.random(2, random_state=seed))
    build = gremio.Builder("Tied")
    build.part("Plate", Box(length=4, width=4, height=0.1), at=(0, 0, 1), turned=one, joint="free")
    build.part("Lamp", BLOCK, at=(0.4, -0.3, 2.0), turned=two, joint="free")
    rig = build.rig
    before = gremio.solve(rig).part("Lamp").world
    tied = gremio.constrain(rig, kind, "Lamp", "Plate", keep=True, **more)
    assert gremio.solve(tied).part("Lamp").world == pytest.approx(before, abs=1e-9)


def test_what_joins_a_locked_ring_is_locked_too() -> None:
    """1 : 1, 1 : 1 and 1 : 2 round a ring leave nothing but standing still, and so does the wheel
    that is joined to it afterwards; only the lock is told."""
    build = gremio.Builder("Ring")
    for name in ("A", "B", "C", "D"):
        build.part(name, BLOCK, joint="spin z")
    for lead, follower, ratio in (("A", "B", 1.0), ("B", "C", 1.0), ("C", "A", 2.0)):
        build.ratio(lead, follower, ratio, kind="gear pair")
    build.ratio("A", "D", 3.0, kind="gear pair")
    build.part("E", BLOCK, joint="spin z")
    build.ratio("E", "A", 0.5, kind="gear pair")
    pose = gremio.solve(build.rig)
    assert [pose.value(name) for name in "ABCDE"] == [0.0] * 5
    assert {note.code for note in pose.notes} == {"train-locked"}


def test_a_part_that_comes_softly_to_its_stops_is_pulled_to_where_it_is_wanted() -> None:
    """Home is nearer to one stop than the soft way is long, so that the two ends differ."""
    build = gremio.Builder("Gate")
    build.part("Gate", BLOCK, joint="hinge z")
    build.control("Open", "-90 deg", "90 deg")
    build.ratio("Open", "Gate", 0.5)
    rig = build.rig
    gate = part_id(rig, "Gate")
    stops = {"turn z": Stops(math.radians(-5), math.radians(40), math.radians(20))}
    rig = change_part(rig, gate, replace(rig.parts[gate], stops=stops))
    pose = gremio.solve(rig)
    for wanted in np.radians([-4.0, -2.0, 10.0, 25.0, 33.0]):
        found = move(pose.program, pose, key(gate, "turn z"), float(wanted))
        assert isinstance(found, Hand)
        there = gremio.solve(replace(rig, at={found.channel: found.value}))
        assert there.at(key(gate, "turn z")) == pytest.approx(float(wanted), abs=1e-9)


@pytest.mark.parametrize("kind", ["plain", "gear pair"])
def test_a_train_comes_softly_to_the_stop_of_a_member_all_together(kind: str) -> None:
    """It gets there, each member in its proportion all the way; how fast it goes falls evenly from
    the whole to nothing over the soft way, which takes the lead twice as far (the parabola)."""
    build = gremio.Builder("Gates")
    for name in ("A", "B", "C"):
        build.part(name, BLOCK, joint="hinge z")
    build.control("Open", "-90 deg", "180 deg")
    build.ratio("Open", "A", 1.0)
    build.ratio("A", "B", -0.5, kind=kind)
    build.ratio("B", "C", 3.0, kind=kind)
    rig = build.rig
    gate = part_id(rig, "B")
    stops = {"turn z": Stops(math.radians(-40), None, math.radians(10))}
    rig = change_part(rig, gate, replace(rig.parts[gate], stops=stops))
    before = 0.0
    for value in np.linspace(0, 110, 45):
        pose = gremio.solve(rig, {"Open": math.radians(value)})
        a, b, c = (math.degrees(pose.value(name)) for name in "ABC")
        assert b == pytest.approx(-0.5 * a) and c == pytest.approx(3 * b)
        # −30° is where it begins, at 60°; the stop is reached at 100°.
        past = min(max(value - 60, 0.0), 40.0) / 2
        assert b == pytest.approx(-min(value, 60) / 2 - past + past**2 / 40, abs=1e-9)
        assert b <= before + 1e-12
        before = b
    for name, wanted in (("A", 75.0), ("B", -38.0), ("C", -110.0)):
        pose = gremio.solve(rig)
        found = move(pose.program, pose, key(part_id(rig, name), "turn z"), math.radians(wanted))
        assert isinstance(found, Hand)
        there = gremio.solve(replace(rig, at={found.channel: found.value}))
        assert math.degrees(there.value(name)) == pytest.approx(wanted, abs=1e-6)


def test_a_planetary_set_comes_softly_to_a_stop_in_its_proportions() -> None:
    """ω_s z_s + ω_r z_r = ω_c (z_s + z_r) all the way (Willis, from memory)."""
    build = gremio.Builder("Set")
    for name in ("Sun", "Ring", "Carrier"):
        build.part(name, BLOCK, joint="spin z")
    build.control("One", "-2 turn", "2 turn")
    build.control("Two", "-2 turn", "2 turn", home="-12 deg")
    build.ratio("One", "Sun", 1.0)
    build.ratio("Two", "Ring", 1.0)
    sun, ring, carrier = (channel_key(build.rig, name) for name in ("Sun", "Ring", "Carrier"))
    rig, _ = add_link(build.rig, Planetary(sun, ring, carrier, 60 / 20))
    part = part_id(rig, "Carrier")
    stops = {"turn z": Stops(None, math.radians(40), math.radians(20))}
    rig = change_part(rig, part, replace(rig.parts[part], stops=stops))
    reached = []
    for value in np.linspace(0, 200, 41):
        pose = gremio.solve(rig, {"One": math.radians(value), "Two": math.radians(value / 3)})
        s, r, c = (math.degrees(pose.value(name)) for name in ("Sun", "Ring", "Carrier"))
        assert 20 * s + 60 * r == pytest.approx(80 * c, abs=1e-9)
        reached.append(c)
    assert max(reached) == pytest.approx(40.0) and np.diff(reached).min() >= -1e-9
    assert 0 < np.diff(reached)[np.searchsorted(reached, 35.0)] < 0.5 * np.diff(reached)[0]


def test_what_aims_from_beside_its_joint_points_at_its_target_from_there() -> None:
    build = gremio.Builder("Lamp")
    build.part("Lamp", BLOCK, joint="ball", at=(1, 0, 0))
    build.part("Boat", BLOCK, joint="free", at=(4, 2, 1))
    rig = build.rig
    lamp, boat = part_id(rig, "Lamp"), part_id(rig, "Boat")
    own = Frame((0.3, 0.4, -0.2))
    rig = change_part(rig, lamp, replace(rig.parts[lamp], own=own))
    rig = gremio.constrain(rig, "aim", "Lamp", "Boat", keep=False)
    for x, y in ((0.0, 0.0), (-3.0, 2.0), (1.0, -5.0)):
        pose = gremio.solve(replace(rig, at={key(boat, "move x"): x, key(boat, "move y"): y}))
        world, [aim] = pose.world(lamp), rig.constraints.values()
        way = pose.world(boat)[:3, 3] - world[:3, 3]
        axis = world[:3, "xyz".index(aim.axis.strip("+-"))]
        assert np.cross(axis, way / np.linalg.norm(way)) == pytest.approx(0.0, abs=1e-9)


def test_a_rope_winds_by_what_carries_its_end_be_it_the_first_of_all_parts() -> None:
    """Two turns of an arm lay two turns more on the bollard, told by trigonometry."""
    build = gremio.Builder("Bollard")
    build.part("Arm", BLOCK, joint="spin z")
    build.part("Eye", BLOCK, on="Arm", at=(2, 0, 0))
    build.control("Wind", "-3 turn", "0 turn")
    build.ratio("Wind", "Arm", 1)
    start = (0.0, -3.0, 0.0)
    rig = gremio.strand(
        build.rig, "rope", ("", start), ("", (0, 0, 0), 0.25, (0, 0, 1)), ("Eye", (0, 0, 0)),
        name="Rope", thickness=0.01,
    )  # fmt: skip
    [strand] = rig.strands.values()
    lengths = []
    for turns in (0, -1, -2):
        here = lies(gremio.solve(rig, {"Wind": f"{turns} turn"}), strand)
        assert here is not None
        lengths.append(here.length)
    laid = np.abs(np.diff(lengths))
    assert laid == pytest.approx(2 * math.pi * 0.25, rel=1e-9)


def test_a_led_number_stays_in_its_range() -> None:
    build = gremio.Builder("Bar")
    build.part("Bar", BLOCK)
    build.control("Long", -1, 1, kind="length", unit="m")
    build.ratio("Long", "Bar length", 1)
    rig = build.rig
    channel = channel_key(rig, "Bar length")
    found = number(rig, channel)
    assert found is not None and found.low >= 0.0
    assert gremio.solve(rig, {"Long": -0.5}).at(channel) == found.low
    assert gremio.solve(rig, {"Long": 0.5}).at(channel) == 0.5


def test_a_spring_begins_where_the_part_at_its_first_end_has_its_z() -> None:
    build = gremio.Builder("Spring")
    build.part("Low", BLOCK)
    build.part("High", BLOCK, at=(1, 0, 0), turned=("90 deg", 0, 0))
    rig = gremio.strand(
        build.rig, "spring", ("Low", (0, 0, 0)), ("High", (0, 0, 0)),
        name="Spring", thickness=0.01, width=0.2, turns=5,
    )  # fmt: skip
    [strand] = rig.strands.values()
    here = lies(gremio.solve(rig), strand)
    assert here is not None
    far = here.places[np.argmax(np.linalg.norm(here.places[:, 1:], axis=1) > 0.09)]
    assert far[2] > 0.08 and abs(far[1]) < 0.04


def test_what_is_not_repeated_stands_once_and_what_is_half_shown_is_seen_alike() -> None:
    build = gremio.Builder("Lamp")
    build.part("Lamp", BLOCK)
    build.control("Lit", 0, 1, kind="number")
    build.ratio("Lit", "Lamp shown", 1)
    lamp = part_id(build.rig, "Lamp")
    for value in (0.0, 0.49, 0.5, 1.0):
        pose = gremio.solve(build.rig, {"Lit": value})
        assert copies(pose, lamp) == pytest.approx(np.eye(4)[None])
        assert bool(seen(pose.poses, lamp)[0]) == (lamp not in pose.hidden)


def test_what_is_as_it_was_changes_nothing() -> None:
    build = gremio.Builder("Same")
    build.part("Bed", BLOCK)
    rig, path = add_path(build.rig, Path("Way", ((0, 0, 0), (1, 0, 0))))
    assert change_path(rig, path, rig.paths[path]) is rig


def test_a_rope_may_end_on_one_part_at_two_places_and_not_at_one() -> None:
    build = gremio.Builder("Rope")
    build.part("Bed", BLOCK)
    build.part("Arm", BLOCK)
    gremio.strand(build.rig, "rope", ("Bed", (0, 0, 0)), ("Bed", (1, 0, 0)))
    gremio.strand(build.rig, "rope", ("Bed", (0, 0, 0)), ("Arm", (0, 0, 0)))
    with pytest.raises(GremioError, match="at one point"):
        gremio.strand(build.rig, "rope", ("Bed", (1, 0, 0)), ("Bed", (1, 0, 0)))


def test_a_square_of_a_time_is_a_time_times_itself() -> None:
    build = gremio.Builder("Fall")
    build.part("Ball", BLOCK, joint="slide z")
    rig = gremio.formula(build.rig, "Ball", "4.9 m * (2 s) ^ 2 / (1 s * 1 s)")
    assert gremio.solve(rig).value("Ball") == pytest.approx(19.6)
    rig = gremio.formula(build.rig, "Ball", "9.8 m / 1 s^2 * (1 s) ^ 2")
    assert gremio.solve(rig).value("Ball") == pytest.approx(9.8)
    with pytest.raises(GremioError):
        gremio.formula(build.rig, "Ball", "4.9 m * (2 s) ^ 2 / 1 s")


def test_a_strand_is_thick_in_millimetres_and_long_in_metres() -> None:
    build = gremio.Builder("Rope")
    build.part("Bed", BLOCK)
    rig = gremio.strand(build.rig, "rope", ("Bed", (0, 0, 0)), ("", (1, 0, 0)), name="Rope")
    strand = next(iter(rig.strands))
    units = {name: number(rig, key(strand, name)) for name in ("thickness", "length")}
    assert units["thickness"] is not None and units["thickness"].unit == "mm"
    assert units["length"] is not None and units["length"].unit is None


def test_a_wheel_is_placed_beside_one_that_it_stands_in_the_middle_of() -> None:
    """Both at one place there is no way between them: along the first's own x it goes."""
    build = gremio.Builder("Gears")
    gear = SpurGear(module=0.01, teeth=20, width=0.02)
    for name in ("One", "Two"):
        build.part(name, gear, joint="spin z")
    build.ratio("One", "Two", -1.0, kind="gear pair")
    rig = gremio.mesh(build.rig, "One", "Two")
    there = gremio.solve(rig).part("Two").world
    assert np.isfinite(there).all()
    assert there[:3, 3] == pytest.approx([0.2, 0.0, 0.0], abs=1e-9)
