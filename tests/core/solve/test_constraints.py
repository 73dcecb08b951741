"""Constraints: what each kind gives, in part, in turn, and together."""

from __future__ import annotations

import math
import pathlib

import numpy as np
import numpy.typing as npt
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy.spatial.transform import Rotation

import gremio
from gremio.core.edit.constraints import change_constraint
from gremio.core.edit.controls import set_values
from gremio.core.edit.links import add_link
from gremio.core.edit.parts import add_part, remove_part, set_joint
from gremio.core.edit.paths import add_path
from gremio.core.files import rig_file
from gremio.core.files.bring_in import bring_in
from gremio.core.files.model_in import read_model
from gremio.core.frames import Frame
from gremio.core.make.constraining import constrain, keep_offset, snap, told_in, with_target
from gremio.core.make.releasing import release, remove_and_leave, swapped, switch
from gremio.core.mechanics import turns
from gremio.core.problem import GremioError
from gremio.core.rig.channels import MOVES, TURNS, freed, key
from gremio.core.rig.constraints import CONSTRAINTS, KINDS
from gremio.core.rig.find import part_id
from gremio.core.rig.model import ConstraintKind, Joint, Part, Path, Ratio, Rig, Target
from gremio.core.rig.solids import Ball, Box, Cylinder
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.backward import Hand, Held, move
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.off_by import off_by
from gremio.core.solve.pose import Pose
from gremio.core.solve.pulling import pull

Array = npt.NDArray[np.float64]


def crane() -> Rig:
    """A crane on the quay, its jib, and loose things beside it."""
    made = gremio.Builder("Quay")
    made.part("Crane", joint="spin z")
    made.part("Jib", on="Crane", at=(0.5, 0, 3), joint="hinge y")
    made.part("Hook", on="Jib", at=(4, 0, 0), joint="hinge y")
    made.part("Bollard", gremio.shape(Cylinder(diameter=0.4, height=0.8)), at=(2, 5, 0.4))
    made.part("Boiler", gremio.shape(Ball(diameter=2.0)), at=(-4, 0, 2), joint="free")
    made.part("Crate", gremio.shape(Box(length=0.5, width=0.5, height=0.5)), at=(3, 2, 1),
              turned=("10 deg", "20 deg", "30 deg"))  # fmt: skip
    made.part("Lamp", at=(1, -2, 2), joint="free")
    made.part("Gate", at=(0, 6, 0), joint="hinge z")
    return made.rig


def tied(
    kind: ConstraintKind, part: str, *targets: str, keep: bool | None = None, rig: Rig | None = None
) -> tuple[Rig, str]:
    rig = rig or crane()
    on = [Target(part_id(rig, name)) for name in targets]
    return constrain(rig, kind, part_id(rig, part), on, keep=keep, geometry=geometry_of)


def posed(rig: Rig, **values: float) -> Pose:
    names = {"crane": "Crane", "jib": "Jib", "hook": "Hook"}
    return gremio.solve(rig, {names[name]: value for name, value in values.items()})


def world(pose: Pose, name: str) -> Array:
    return pose.part(name).world


def local(pose: Pose, part: str, on: str) -> Array:
    found: Array = np.linalg.inv(world(pose, on)) @ world(pose, part)
    return found


ANGLES = st.floats(-3.0, 3.0)


@settings(max_examples=40)
@given(ANGLES, ANGLES, ANGLES)
def test_what_rides_keeps_its_place_on_its_carrier(a: float, b: float, c: float) -> None:
    rig, _ = tied("ride", "Crate", "Hook")
    before = local(gremio.solve(rig), "Crate", "Hook")
    assert world(gremio.solve(rig), "Crate") == pytest.approx(world(gremio.solve(crane()), "Crate"))
    after = local(posed(rig, crane=a, jib=b, hook=c), "Crate", "Hook")
    assert after == pytest.approx(before, abs=1e-12)


def test_what_is_snapped_goes_to_its_target() -> None:
    rig, made = tied("ride", "Crate", "Hook")
    pose = posed(snap(rig, made), crane=0.4, jib=-0.7)
    assert world(pose, "Crate") == pytest.approx(world(pose, "Hook"), abs=1e-12)


def test_a_pin_gives_the_place_and_leaves_the_turn() -> None:
    rig, _ = tied("pin", "Lamp", "Hook", keep=False)
    start = gremio.solve(rig)
    pose = posed(rig, crane=1.0, jib=-0.5)
    assert world(pose, "Lamp")[:3, 3] == pytest.approx(world(pose, "Hook")[:3, 3], abs=1e-12)
    assert world(pose, "Lamp")[:3, :3] == pytest.approx(world(start, "Lamp")[:3, :3])


def test_a_pin_that_keeps_its_offset_keeps_it_along_the_ground() -> None:
    rig, _ = tied("pin", "Lamp", "Hook")
    apart = [
        world(pose, "Lamp")[:3, 3] - world(pose, "Hook")[:3, 3]
        for pose in (gremio.solve(rig), posed(rig, crane=1.0, jib=-0.5))
    ]
    assert apart[0] == pytest.approx(apart[1], abs=1e-12)


@given(ANGLES, ANGLES)
def test_a_match_gives_the_turn_and_leaves_the_place(a: float, b: float) -> None:
    rig, _ = tied("match", "Lamp", "Jib", keep=False)
    pose = posed(rig, crane=a, jib=b)
    assert world(pose, "Lamp")[:3, :3] == pytest.approx(world(pose, "Jib")[:3, :3], abs=1e-9)
    assert world(pose, "Lamp")[:3, 3] == pytest.approx([1, -2, 2])


def test_a_hinge_matches_as_nearly_as_it_can() -> None:
    """The turn about one axis that leaves the least angle, by trying all of them."""
    rig, made = tied("match", "Gate", "Jib", keep=False)
    pose = posed(rig, crane=0.8, jib=0.6)
    goal = Rotation.from_matrix(world(pose, "Jib")[:3, :3])
    tried = Rotation.from_euler("z", np.linspace(-np.pi, np.pi, 20001)[:, None])
    least = float((tried.inv() * goal).magnitude().min())
    _, off = off_by(pose, made)
    assert off == pytest.approx(least, abs=1e-6)


@pytest.mark.parametrize("upright", ["none", "ground", "target"])
def test_an_aim_points_straight_at_its_target(upright: str) -> None:
    rig, made = tied("aim", "Lamp", "Hook", keep=False)
    aimed = replace(
        rig.constraints[made], axis="x", second="z", upright=upright,
        toward=Target(part_id(rig, "Bollard")),
    )  # fmt: skip
    rig = change_constraint(rig, made, aimed)
    pose = posed(rig, crane=0.9, jib=-0.3)
    stands = world(pose, "Lamp")
    way = world(pose, "Hook")[:3, 3] - stands[:3, 3]
    assert np.cross(stands[:3, 0], way) == pytest.approx(np.zeros(3), abs=1e-12)
    assert stands[:3, 0] @ way > 0
    up = {"ground": np.array([0, 0, 1.0]),
          "target": world(pose, "Bollard")[:3, 3] - stands[:3, 3]}  # fmt: skip
    if upright in up:
        # The second axis lies in the plane of the way and what is up, on its side.
        assert np.cross(way, up[upright]) @ stands[:3, 2] == pytest.approx(0.0, abs=1e-12)
        assert stands[:3, 2] @ up[upright] > 0


def test_a_hinge_aims_by_turning_toward_its_target() -> None:
    rig, made = tied("aim", "Gate", "Hook", keep=False)
    rig = change_constraint(rig, made, replace(rig.constraints[made], axis="x"))
    pose = posed(rig, crane=0.3, jib=-0.4)
    way = world(pose, "Hook")[:3, 3] - world(pose, "Gate")[:3, 3]
    assert pose.value("Gate") == pytest.approx(math.atan2(way[1], way[0]), abs=1e-12)


def test_a_pan_and_a_tilt_aim_straight() -> None:
    rig = crane()
    lamp = part_id(rig, "Lamp")
    rig = set_joint(rig, lamp, Joint("hinge", "z", freed=("turn y",)))
    rig, made = constrain(
        rig, "aim", lamp, [Target(part_id(rig, "Hook"))], keep=False, geometry=geometry_of
    )
    rig = change_constraint(rig, made, replace(rig.constraints[made], axis="x"))
    pose = posed(rig, crane=2.0, jib=-0.4)
    assert off_by(pose, made)[1] == pytest.approx(0.0, abs=1e-9)


def test_an_aim_at_a_path_points_at_its_nearest_place() -> None:
    rig = crane()
    rig, path = add_path(rig, Path("Quay edge", ((-9, 8, 0), (9, 8, 0))))
    rig, made = constrain(
        rig, "aim", part_id(rig, "Lamp"), [Target(path=path)], keep=False, geometry=geometry_of
    )
    rig = change_constraint(rig, made, replace(rig.constraints[made], axis="y"))
    way = np.array([1, 8, 0]) - np.array([1, -2, 2])
    assert world(gremio.solve(rig), "Lamp")[:3, 1] == pytest.approx(way / np.linalg.norm(way))


@pytest.mark.parametrize("reach", ["within", "outside", "at"])
@given(st.tuples(st.floats(-6, 6), st.floats(-6, 6), st.floats(-6, 6)), st.floats(0.5, 4.0))
def test_a_tether_holds_at_its_distance(
    reach: str, at: tuple[float, float, float], far: float
) -> None:
    rig, made = tied("tether", "Lamp", "Bollard")
    rig = change_constraint(rig, made, replace(rig.constraints[made], reach=reach, distance=far))
    put = dict(zip((f"Lamp {c}" for c in MOVES), at, strict=True))
    pose, free = gremio.solve(rig, put), gremio.solve(crane(), put)
    centre = world(pose, "Bollard")[:3, 3]
    now, before = (float(np.linalg.norm(world(p, "Lamp")[:3, 3] - centre)) for p in (pose, free))
    wanted = {"within": min(before, far), "outside": max(before, far), "at": far}[reach]
    assert now == pytest.approx(wanted, abs=1e-9)
    # It goes straight toward the middle, or away from it.
    ways = [world(p, "Lamp")[:3, 3] - centre for p in (pose, free)]
    assert np.cross(*ways) == pytest.approx(np.zeros(3), abs=1e-7)


def test_a_tether_on_a_slide_says_what_it_can_not_keep() -> None:
    rig = crane()
    lamp = part_id(rig, "Lamp")
    rig = set_joint(rig, lamp, Joint("slide", "x"))
    rig, made = constrain(
        rig, "tether", lamp, [Target(part_id(rig, "Bollard"))], geometry=geometry_of
    )
    near = change_constraint(rig, made, replace(rig.constraints[made], distance=7.5))
    pose = gremio.solve(near, {"Lamp": 10.0})
    apart = world(pose, "Lamp")[:3, 3] - world(pose, "Bollard")[:3, 3]
    assert np.linalg.norm(apart) == pytest.approx(7.5)
    assert not pose.notes
    short = change_constraint(rig, made, replace(rig.constraints[made], distance=1.0))
    (note,) = gremio.solve(short).notes
    missing = math.hypot(7.0, 2.0 - 0.4) - 1.0
    assert note.code == "constraint-short" and "Lamp is tethered to Bollard" in note.text
    assert f"{missing * 1000:.0f} mm" in note.text.replace(" ", "") or "mm" in note.text


def test_a_seat_stands_on_a_ball_along_its_normal() -> None:
    rig, made = tied("seat", "Lamp", "Boiler", keep=False)
    stood = replace(rig.constraints[made], axis="z", stand_off=0.1)
    rig = change_constraint(rig, made, stood)
    for put in ((-9.0, 1.0, 1.0), (-5.0, 4.0, 6.0), (-5.0, 2.0, -7.0)):
        pose = gremio.solve(rig, dict(zip((f"Lamp {c}" for c in MOVES), put, strict=True)))
        out = world(pose, "Lamp")[:3, 3] - world(pose, "Boiler")[:3, 3]
        # The ball is drawn in facets, whose middles lie a little within it.
        assert np.linalg.norm(out) == pytest.approx(1.1, abs=0.01)
        assert world(pose, "Lamp")[:3, 2] @ out / np.linalg.norm(out) > 0.999


def test_what_sits_goes_along_with_its_seat() -> None:
    rig, _ = tied("seat", "Lamp", "Boiler", keep=False)
    away, turned = {"Boiler move x": 3.0}, {"Boiler turn z": 0.4}
    one, two = gremio.solve(rig, {**away, "Lamp move x": 3.0}), gremio.solve(rig)
    gap = world(one, "Lamp")[:3, 3] - world(two, "Lamp")[:3, 3]
    assert gap == pytest.approx([3, 0, 0], abs=1e-9)
    assert np.all(np.isfinite(world(gremio.solve(rig, turned), "Lamp")))


def test_a_slide_comes_down_on_a_slope() -> None:
    """A part that can only go up and down stands where the ramp is below it."""
    made = gremio.Builder("Ramp")
    from gremio.core.rig.solids import Wedge

    made.part("Ramp", gremio.shape(Wedge(length=4.0, width=2.0, height=2.0)))
    made.part("Post", at=(1, 0.3, 5), joint="slide z")
    rig, _ = constrain(made.rig, "seat", part_id(made.rig, "Post"),
                       [Target(part_id(made.rig, "Ramp"))], geometry=geometry_of)  # fmt: skip
    rig = change_constraint(rig, "x3", replace(rig.constraints["x3"], stands=False))
    assert world(gremio.solve(rig), "Post")[:3, 3] == pytest.approx([1, 0.3, 1.5], abs=1e-9)


def test_a_path_is_followed_by_the_way_gone_along_it() -> None:
    rig = crane()
    rig, path = add_path(rig, Path("Rail", ((0, 0, 0), (1, 0, 0), (1, 1, 0)), on="p2",
                                   kind="arc"))  # fmt: skip
    rig, made = constrain(
        rig, "run along", part_id(rig, "Lamp"), [Target(path=path)], geometry=geometry_of
    )
    rig = set_values(rig, {key(made, "way"): math.pi / math.sqrt(2) / 2})
    pose = posed(rig, crane=0.6, jib=-0.5)
    # Half way along the half circle through the three points is its second one.
    on = local(pose, "Lamp", "Jib")
    assert on[:3, 3] == pytest.approx([1, 0, 0], abs=1e-12)
    assert on[:3, 0] == pytest.approx([math.sqrt(0.5), math.sqrt(0.5), 0], abs=1e-12)
    shared = change_constraint(rig, made, replace(rig.constraints[made], by_share=True))
    half = set_values(shared, {key(made, "share"): 0.5})
    assert local(gremio.solve(half), "Lamp", "Jib")[:3, 3] == pytest.approx([1, 0, 0])
    ended = set_values(rig, {key(made, "way"): 99.0})
    assert any(note.code == "stop-reached" for note in gremio.solve(ended).notes)


def test_a_banked_bend_leans_so_that_nothing_slides() -> None:
    """tan β = v² / (r g), common practice: in the part's frame, weight and the force of the
    bend together point straight down."""
    rig = crane()
    rig, path = add_path(rig, Path("Loop", ((5, 0, 0), (0, 5, 0), (-5, 0, 0)), kind="circle"))
    rig, made = constrain(
        rig, "run along", part_id(rig, "Lamp"), [Target(path=path)], geometry=geometry_of
    )
    rig = change_constraint(rig, made, replace(rig.constraints[made], banked_for=6.0))
    stands = world(gremio.solve(rig), "Lamp")
    out = stands[:3, 3] / 5.0
    felt = np.array([0, 0, -9.80665]) + 6.0**2 / 5.0 * out
    assert felt @ stands[:3, 1] == pytest.approx(0.0, abs=1e-9)
    assert felt @ stands[:3, 2] < 0


@given(st.floats(0.2, 5.0), st.floats(0.2, 5.0))
def test_what_keeps_its_volume_shrinks_as_it_stretches(x: float, y: float) -> None:
    rig, made = tied("constant volume", "Crate")
    assert freed(rig.parts[part_id(rig, "Crate")].joint) == ("scale x", "scale y", "scale z")
    columns = world(gremio.solve(rig, {"Crate scale x": x}), "Crate")[:3, :3]
    assert np.linalg.det(columns) == pytest.approx(1.0)
    assert np.linalg.norm(columns, axis=0) == pytest.approx([x, x**-0.5, x**-0.5])
    only = replace(rig.constraints[made], channels=("scale z",))
    two = change_constraint(rig, made, only)
    put = {"Crate scale x": x, "Crate scale y": y}
    assert gremio.solve(two, put).value("Crate", "scale z") == pytest.approx(1 / (x * y))


# ── grip, weights, sets and adds ──────────────────────────────


def test_influence_goes_from_where_it_is_put_to_what_is_wanted() -> None:
    rig, made = tied("ride", "Lamp", "Hook", keep=False)
    rig = set_values(rig, {f"{part_id(rig, 'Lamp')} move x": 0.3})
    ends = [gremio.solve(rig, {"Lamp ride grip": s, "Jib": -0.6}) for s in (0.0, 0.5, 1.0)]
    places = [world(pose, "Lamp")[:3, 3] for pose in ends]
    assert places[1] == pytest.approx((places[0] + places[2]) / 2)
    assert places[0] == pytest.approx([1.3, -2, 2])
    turned = [Rotation.from_matrix(world(pose, "Lamp")[:3, :3]) for pose in ends]
    whole, half = (turned[0].inv() * turned[i] for i in (2, 1))
    assert half.as_rotvec() == pytest.approx(whole.as_rotvec() / 2, abs=1e-9)
    assert made in ends[0].poses.wants


def test_influence_can_be_led() -> None:
    rig, made = tied("pin", "Lamp", "Hook", keep=False)
    builder = gremio.Builder("Led")
    builder.rig = rig
    builder.control("Take it", 0.0, 1.0, kind="number", unit="")
    rig, _ = add_link(builder.rig, Ratio(next(iter(builder.rig.controls)), f"{made} grip", 1.0))
    free, half = gremio.solve(rig), gremio.solve(rig, {"Take it": 0.5})
    assert world(free, "Lamp")[:3, 3] == pytest.approx([1, -2, 2])
    middle = (world(free, "Lamp") + world(half, "Hook"))[:3, 3] / 2
    assert world(half, "Lamp")[:3, 3] == pytest.approx(middle)


def test_several_targets_count_by_their_weights() -> None:
    rig, made = tied("pin", "Lamp", "Hook", "Bollard", keep=False)
    pose = gremio.solve(rig, {"Lamp pin weight 1": 3.0})
    wanted = 0.75 * world(pose, "Hook")[:3, 3] + 0.25 * world(pose, "Bollard")[:3, 3]
    assert world(pose, "Lamp")[:3, 3] == pytest.approx(wanted)
    none = gremio.solve(rig, {"Lamp pin weight 1": 0.0, "Lamp pin weight 2": 0.0})
    assert [note.code for note in none.notes] == ["constraint-empty"]
    assert world(none, "Lamp")[:3, 3] == pytest.approx([1, -2, 2])
    assert made in none.poses.wants


def test_turns_are_averaged_as_a_reference_library_does() -> None:
    rig, _ = tied("match", "Lamp", "Jib", "Crane", "Boiler", keep=False)
    put = {"Crane": 0.7, "Jib": -0.9, "Boiler turn x": 1.0, "Lamp match weight 2": 2.0}
    pose = gremio.solve(rig, put)
    names = ("Jib", "Crane", "Boiler")
    each = Rotation.from_matrix(np.array([world(pose, name)[:3, :3] for name in names]))
    assert world(pose, "Lamp")[:3, :3] == pytest.approx(each.mean([1, 2, 1]).as_matrix(), abs=1e-9)


def test_a_hand_over_from_carrier_to_carrier_does_not_jump() -> None:
    rig, made = tied("ride", "Crate", "Hook")
    rig = set_values(rig, {part_id(rig, "Crane") + " turn z": 0.5})
    pose = gremio.solve(rig)
    rig = with_target(rig, made, Target(part_id(rig, "Boiler")), pose)
    for weights in ((1, 0), (0, 1), (0.3, 0.7)):
        put = dict(zip(("Crate ride weight 1", "Crate ride weight 2"), weights, strict=True))
        assert world(gremio.solve(rig, put), "Crate") == pytest.approx(
            world(pose, "Crate"), abs=1e-9
        )


def test_what_is_added_goes_on_top_of_where_it_is_put() -> None:
    rig, made = tied("ride", "Lamp", "Crane")
    rig = change_constraint(rig, made, replace(rig.constraints[made], adds=True))
    rig = keep_offset(rig, made, gremio.solve(rig))
    put = {"Lamp move x": 0.5, "Lamp turn x": 0.2}
    assert world(gremio.solve(rig, put), "Lamp") == pytest.approx(
        world(gremio.solve(crane(), put), "Lamp")
    )
    ridden = world(gremio.solve(rig, {"Crane": 0.6}), "Lamp")
    both = world(gremio.solve(rig, {"Crane": 0.6, "Lamp move x": 0.5}), "Lamp")
    assert both[:3, 3] - ridden[:3, 3] == pytest.approx([0.5, 0, 0])


def test_a_constraint_goes_over_what_a_link_gives() -> None:
    rig, _ = tied("aim", "Gate", "Hook", keep=False)
    turns_of = [f"{part_id(rig, name)} turn z" for name in ("Crane", "Gate")]
    rig, _ = add_link(rig, Ratio(*turns_of, 1.0, adds=True))
    loose = gremio.solve(rig, {"Crane": 0.4, "Gate aim grip": 0.0})
    assert loose.value("Gate") == pytest.approx(0.4)
    held = gremio.solve(rig, {"Crane": 0.4})
    assert held.value("Gate") != pytest.approx(0.4)


def test_stops_hold_what_is_constrained() -> None:
    made = gremio.Builder("Stopped")
    made.part("Gate", joint="hinge z", stops=("-20 deg", "20 deg"))
    made.part("Boat", at=(0, 5, 0), joint="free")
    ids = {part.name: i for i, part in made.rig.parts.items()}
    rig, _ = constrain(
        made.rig, "aim", ids["Gate"], [Target(ids["Boat"])], keep=False, geometry=geometry_of
    )
    aimed = replace(rig.constraints["x3"], axis="x")
    rig = change_constraint(rig, "x3", aimed)
    pose = gremio.solve(rig)
    assert pose.value("Gate") == pytest.approx(math.radians(20))
    assert [note.code for note in pose.notes] == ["stop-reached"]


def test_an_angle_is_counted_on_where_the_stops_ask_for_it() -> None:
    made = gremio.Builder("Round")
    made.part("Arm", joint="hinge z", stops=("90 deg", "400 deg"))
    made.part("Boat", at=(5, 0.5, 0), joint="free")
    ids = {part.name: i for i, part in made.rig.parts.items()}
    rig, _ = constrain(
        made.rig, "aim", ids["Arm"], [Target(ids["Boat"])], keep=False, geometry=geometry_of
    )
    rig = change_constraint(rig, "x3", replace(rig.constraints["x3"], axis="x"))
    assert gremio.solve(rig).value("Arm") == pytest.approx(2 * math.pi + math.atan2(0.5, 5))


# ── on and off, and away ───────────────────────────────────────────


@pytest.mark.parametrize("kind", ["ride", "pin", "match", "aim", "seat"])
@pytest.mark.parametrize("keep", [True, False])
def test_nothing_jumps_when_it_is_switched(kind: ConstraintKind, keep: bool) -> None:
    rig, made = tied(kind, "Lamp", "Boiler", keep=keep)
    rig = set_values(rig, {part_id(rig, "Boiler") + " turn z": 0.3})
    pose = gremio.solve(rig)
    off = switch(rig, made, False, pose)
    assert world(gremio.solve(off), "Lamp") == pytest.approx(world(pose, "Lamp"), abs=1e-9)
    moved = gremio.solve(set_values(off, {part_id(rig, "Boiler") + " move x": 2.0}))
    assert world(moved, "Lamp") == pytest.approx(world(pose, "Lamp"), abs=1e-9)
    on = switch(off, made, True, gremio.solve(off))
    assert world(gremio.solve(on), "Lamp") == pytest.approx(world(pose, "Lamp"), abs=1e-9)


@pytest.mark.parametrize("part", ["Lamp", "Crate"])
def test_what_is_left_in_place_stays_and_its_joint_is_as_it_was(part: str) -> None:
    rig, made = tied("ride", part, "Hook")
    rig = set_values(rig, {part_id(rig, "Jib") + " turn y": -0.5})
    pose = gremio.solve(rig)
    left = release(rig, [made], pose)
    after = gremio.solve(left)
    assert world(after, part) == pytest.approx(world(pose, part), abs=1e-9)
    assert left.parts[part_id(left, part)].joint == crane().parts[part_id(left, part)].joint
    home = release(rig, [made], pose, leave=False)
    assert world(gremio.solve(home), part) == pytest.approx(world(gremio.solve(crane()), part))


def test_what_loses_its_target_stays_where_it_stands() -> None:
    rig, _ = tied("ride", "Crate", "Hook")
    rig = set_values(rig, {part_id(rig, "Jib") + " turn y": -0.5})
    pose = gremio.solve(rig)
    without = remove_and_leave(rig, part_id(rig, "Hook"), pose)
    assert not without.constraints
    assert world(gremio.solve(without), "Crate") == pytest.approx(world(pose, "Crate"), abs=1e-9)


def test_a_constraint_is_swapped() -> None:
    rig, made = tied("ride", "Crate", "Boiler")
    other, new = swapped(rig, made, gremio.solve(rig))
    assert other.constraints[new].part == part_id(rig, "Boiler")
    moved = gremio.solve(other)
    assert world(moved, "Boiler") == pytest.approx(world(gremio.solve(crane()), "Boiler"))


@pytest.mark.parametrize("kind", KINDS)
def test_a_pose_survives_saving_exactly(kind: ConstraintKind) -> None:
    rig = crane()
    rig, path = add_path(rig, Path("Rail", ((0, 0, 0), (2, 1, 0), (3, 0, 1)), kind="spline"))
    target = Target(path=path) if kind == "run along" else Target(part_id(rig, "Boiler"))
    targets = [] if kind == "constant volume" else [target]
    rig, _ = constrain(rig, kind, part_id(rig, "Lamp"), targets, geometry=geometry_of)
    rig = set_values(rig, {part_id(rig, "Boiler") + " turn z": 0.3})
    again = rig_file.decode(rig_file.encode(rig))
    assert again == rig
    assert np.array_equal(gremio.solve(again).worlds, gremio.solve(rig).worlds)


@settings(max_examples=25)
@given(st.lists(st.tuples(ANGLES, ANGLES), min_size=2, max_size=5))
def test_one_frame_or_many_give_the_same(ways: list[tuple[float, float]]) -> None:
    rig, _ = tied("ride", "Crate", "Hook")
    rig, _ = tied("aim", "Lamp", "Crate", keep=False, rig=rig)
    rig, _ = tied("match", "Gate", "Crate", rig=rig)
    crane_turns, jib_turns = zip(*ways, strict=True)
    together = gremio.run(rig, {"Crane": crane_turns, "Jib": jib_turns})
    for frame, (a, b) in enumerate(ways):
        alone = posed(rig, crane=a, jib=b)
        assert together.worlds[frame] == pytest.approx(alone.worlds, abs=1e-12)


# ── what can't be ──────────────────────────────────────────────────


def test_a_target_carried_by_the_part_is_refused_and_named() -> None:
    with pytest.raises(GremioError, match="Hook is carried by Crane"):
        tied("aim", "Crane", "Hook")


def test_two_parts_that_run_after_each_other_are_refused_and_named() -> None:
    rig, _ = tied("ride", "Lamp", "Boiler")
    with pytest.raises(GremioError, match="Boiler rides on Lamp, which closes a ring"):
        tied("ride", "Boiler", "Lamp", rig=rig)


def test_a_file_with_such_a_ring_opens_and_says_so() -> None:
    rig, made = tied("ride", "Lamp", "Boiler")
    back = replace(
        rig.constraints[made], name="Back", part=part_id(rig, "Boiler"),
        targets=(Target(part_id(rig, "Lamp")),),
    )  # fmt: skip
    broken = replace(rig, constraints={**rig.constraints, "x99": back})
    notes = gremio.solve(broken).notes
    assert [note.code for note in notes] == ["constraint-cycle"]
    assert np.all(np.isfinite(gremio.solve(broken).worlds))


@pytest.mark.parametrize("kind", KINDS)
def test_a_lost_target_or_part_is_said(kind: ConstraintKind) -> None:
    rig = crane()
    record = CONSTRAINTS[kind]
    lost = record.struct("Lost", part_id(rig, "Lamp"), record.gives)
    if record.most_targets:
        lost = replace(lost, targets=(Target("p77"),))
    gone = replace(lost, name="Gone", part="p78")
    broken = replace(rig, constraints={"x1": lost, "x2": gone})
    codes = {note.code for note in gremio.solve(broken).notes}
    usual = (
        {"constraint-lost"} if record.most_targets else {"constraint-lost", "constraint-grounded"}
    )
    assert codes == usual
    assert np.all(np.isfinite(gremio.solve(broken).worlds))


def test_a_surface_without_faces_is_said() -> None:
    rig, _ = tied("seat", "Lamp", "Jib")
    assert [note.code for note in gremio.solve(rig).notes] == ["constraint-empty"]
    assert world(gremio.solve(rig), "Lamp")[:3, 3] == pytest.approx([1, -2, 2])


def test_removing_parts_takes_their_constraints_along() -> None:
    rig, made = tied("ride", "Crate", "Hook", "Boiler")
    cut = remove_part(rig, part_id(rig, "Hook"))
    assert [t.on for t in cut.constraints[made].targets] == [part_id(rig, "Boiler")]
    assert not remove_part(rig, part_id(rig, "Crate")).constraints


# ── by hand ────────────────────────────────────────────────────────


def test_what_sits_slides_to_where_a_hand_puts_it() -> None:
    rig, _ = tied("seat", "Lamp", "Boiler", keep=False)
    program = compile_rig(rig, geometry_of)
    pose = evaluate(program, rig.at).frame(0)
    lamp = part_id(rig, "Lamp")
    answer = move(program, pose, f"{lamp} move y", 9.0)
    assert isinstance(answer, Hand) and answer.channel == f"{lamp} move y"


def test_what_rides_is_moved_by_what_carries_it() -> None:
    rig, _ = tied("ride", "Crate", "Hook")
    program = compile_rig(rig, geometry_of)
    pose = evaluate(program, rig.at).frame(0)
    crate = part_id(rig, "Crate")
    goal = pose.world(crate)[:3, 3] + [0.0, 0.3, 0.0]
    answer = pull(program, pose, crate, (0, 0, 0), goal)
    assert isinstance(answer, Hand) and answer.channel == part_id(rig, "Crane") + " turn z"
    ground, _ = tied("pin", "Lamp", "Bollard")
    standing = compile_rig(ground, geometry_of)
    held = move(standing, evaluate(standing, {}).frame(0), part_id(rig, "Lamp") + " move x", 1.0)
    assert isinstance(held, Held) and "Lamp is pinned to Bollard" in held.text


# ── the mathematics ────────────────────────────────────────────────


@given(st.lists(st.tuples(ANGLES, ANGLES, ANGLES), min_size=1, max_size=4), st.floats(0, 1))
def test_turns_agree_with_a_reference_library(
    angles: list[tuple[float, float, float]], part: float
) -> None:
    every = np.array(angles)
    ours, theirs = turns.of_angles(every), Rotation.from_euler("ZYX", every[:, ::-1])
    assert ours == pytest.approx(theirs.as_matrix(), abs=1e-12)
    assert turns.of_angles(turns.angles_of(ours)) == pytest.approx(ours, abs=1e-9)
    shared = Rotation.from_rotvec(theirs.as_rotvec() * part).as_matrix()
    near_half = np.abs(theirs.magnitude() - np.pi) < 1e-4
    ok = ~near_half
    assert turns.share(ours, np.full(len(ours), part))[ok] == pytest.approx(shared[ok], abs=1e-8)
    assert TURNS == ("turn x", "turn y", "turn z")


def test_a_pull_at_what_is_tied_to_the_ground_says_why() -> None:
    rig, _ = tied("pin", "Lamp", "Bollard")
    program = compile_rig(rig, geometry_of)
    lamp = part_id(rig, "Lamp")
    answer = pull(program, evaluate(program, {}).frame(0), lamp, (0, 0, 0), (5, 5, 5))
    assert isinstance(answer, Held) and "Lamp is pinned to Bollard" in answer.text


def test_a_way_told_as_a_share_leaves_the_part_where_it_is() -> None:
    rig = crane()
    rig, path = add_path(rig, Path("Rail", ((0, 0, 0), (2, 1, 0), (3, 0, 1)), kind="spline"))
    rig, made = constrain(
        rig, "run along", part_id(rig, "Lamp"), [Target(path=path)], geometry=geometry_of
    )
    rig = set_values(rig, {key(made, "way"): 1.3})
    stood = world(gremio.solve(rig), "Lamp")
    shared = told_in(rig, made, by_share=True)
    assert world(gremio.solve(shared), "Lamp") == pytest.approx(stood, abs=1e-9)
    back = told_in(shared, made, by_share=False)
    assert back.at[key(made, "way")] == pytest.approx(1.3)


def test_what_sits_on_a_model_stays_where_it_sits_when_left_in_place(
    tmp_path: pathlib.Path,
) -> None:
    """A seat is computed on the model itself, never on the box that stands in for it."""
    file = tmp_path / "boss.stl"
    trimesh.creation.icosphere(subdivisions=3, radius=1.0).export(file)
    rig, ids = bring_in(Rig(), read_model(file))
    rig, _ = add_part(rig, Part("Lamp", joint=Joint("free"), mount=Frame((0.7, 0.6, 3.0))))
    rig = gremio.constrain(rig, "seat", "Lamp", rig.parts[ids[0]].name)
    sits = gremio.solve(rig).part("Lamp").world
    # On the ball of the model, not on the box round it.
    assert np.linalg.norm(sits[:3, 3]) == pytest.approx(1.0, abs=0.02)
    left = gremio.leave_in_place(rig, "Lamp")
    assert not left.constraints
    assert gremio.solve(left).part("Lamp").world == pytest.approx(sits, abs=1e-9)
    file.unlink()
    with pytest.raises(GremioError, match=r"boss\.stl"):
        gremio.leave_in_place(rig, "Lamp")


def test_a_part_and_a_path_of_one_name_are_told_apart_by_hand() -> None:
    rig = crane()
    paths = {"w1": Path("Jib", ((0, 0, 0), (1, 0, 0)))}
    with pytest.raises(GremioError, match="'Jib' is the name of a part and of a path"):
        gremio.constrain(replace(rig, paths=paths), "ride", "Crate", "Jib")
    with pytest.raises(GremioError, match="already the name"):
        add_path(rig, Path("Jib", ((0, 0, 0), (1, 0, 0))))
    with pytest.raises(GremioError, match="already the name"):
        gremio.keep(rig, "Jib")


def test_sizes_are_matched_by_their_weights() -> None:
    """Three quarters of one and a quarter of the other, of a part that may stretch."""
    build = gremio.Builder("Sizes")
    build.part("Sail", joint="free")
    for name, size in (("One", 2.0), ("Two", 4.0)):
        build.part(name)
        part = part_id(build.rig, name)
        entry = build.rig.parts[part]
        stretched = replace(entry, mount=replace(entry.mount, scale=(size, 1.0, 1.0)))
        build.rig = replace(build.rig, parts={**build.rig.parts, part: stretched})
    sail = part_id(build.rig, "Sail")
    joint = replace(build.rig.parts[sail].joint, freed=("scale x", "scale y", "scale z"))
    build.rig = replace(
        build.rig, parts={**build.rig.parts, sail: replace(build.rig.parts[sail], joint=joint)}
    )
    rig = gremio.constrain(
        build.rig, "match", "Sail", "One", "Two", keep=False,
        channels=("turn x", "turn y", "turn z", "scale x", "scale y", "scale z"),
    )  # fmt: skip
    pose = gremio.solve(rig, {"Sail match weight 1": 3.0})
    assert pose.value("Sail", "scale x") == pytest.approx(0.75 * 2 + 0.25 * 4)
    assert pose.value("Sail", "scale y") == pytest.approx(1.0)
