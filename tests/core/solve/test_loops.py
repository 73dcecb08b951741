"""Closed linkages: against closed forms, a multibody library, and themselves."""

from __future__ import annotations

import math

import mujoco
import numpy as np
import pytest
import sympy
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

import gremio
from gremio.core.edit.closures import add_closure, remove_closure
from gremio.core.edit.links import add_link
from gremio.core.edit.parts import remove_part
from gremio.core.problem import GremioError
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.model import Closure, Ratio, Rig
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.backward import Hand, Held, move
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.pulling import pull

TURN = 2 * math.pi


def four_bar(
    a: float, b: float, c: float, d: float, crank: float, rod: float, rocker: float
) -> Rig:
    """Crank a, coupler b, rocker c, ground d; the angles at home from the ground line."""
    build = gremio.Builder("Four-bar")
    build.part("Crank", turned=(0, 0, crank), joint="spin z")
    build.part("Coupler", on="Crank", at=(a, 0, 0), turned=(0, 0, rod - crank), joint="spin z")
    build.part("Rocker", at=(d, 0, 0), turned=(0, 0, rocker), joint="spin z")
    return gremio.pin(build.rig, "Coupler", "Rocker", (b, 0, 0), (c, 0, 0))


def rocker_angle(a: float, b: float, c: float, d: float, crank: np.ndarray) -> np.ndarray:
    """The open way of assembly, in closed form (a textbook's; see check-values)."""
    k1, k2 = d / a, d / c
    k3 = (a * a - b * b + c * c + d * d) / (2 * a * c)
    p = np.cos(crank) - k1 - k2 * np.cos(crank) + k3
    q, r = -2 * np.sin(crank), k1 - (k2 + 1) * np.cos(crank) + k3
    return 2 * np.arctan2(-q - np.sqrt(q * q - 4 * p * r), 2 * p)


def wrapped(angle: np.ndarray) -> np.ndarray:
    return (np.asarray(angle) + math.pi) % TURN - math.pi


DEG = math.radians


@pytest.mark.parametrize(
    ("rod", "rocker", "wanted"),
    [
        (20.298, 57.325, (20.298, 57.325)),  # open
        (-60.978, -98.005, (-60.978, -98.005)),  # crossed
        (24.0, 55.0, (20.298, 57.325)),  # not quite closed at home: it is assembled
    ],
)
def test_the_four_bar_of_the_textbook(rod: float, rocker: float, wanted: tuple) -> None:
    # 40-120-80, ground 100, crank at 40°: a textbook example, from memory; computed.
    rig = four_bar(0.40, 1.20, 0.80, 1.00, DEG(40), DEG(rod), DEG(rocker))
    pose = gremio.solve(rig)
    found = rod + math.degrees(pose.value("Coupler")), rocker + math.degrees(pose.value("Rocker"))
    assert found == pytest.approx(wanted, abs=6e-4)
    (closing,) = pose.poses.closing.values()
    assert float(closing.gap[0]) < 1e-9 and pose.notes == []


def test_a_four_bar_for_a_full_turn_against_the_closed_form() -> None:
    lengths = (0.40, 1.20, 0.80, 1.00)
    rig = four_bar(*lengths, DEG(40), DEG(20.298), DEG(57.325))
    crank = np.linspace(-TURN, TURN, 1441)
    poses = gremio.run(rig, {"Crank": crank})
    rocker = poses.channel("p3 turn z") + DEG(57.325)
    wanted = rocker_angle(*lengths, crank + DEG(40))
    assert np.abs(wrapped(rocker - wanted)).max() < 1e-9
    (closing,) = poses.closing.values()
    assert closing.gap.max() < 1e-9 and closing.gone.min() == 1.0


def slider_crank(offset: float = 0.0) -> Rig:
    build = gremio.Builder("Engine")
    far = math.sqrt(1.2**2 - offset**2)
    build.part("Crank", joint="spin z")
    build.part("Slider", at=(0.4 + far, offset, 0), joint="slide x")
    tilt = math.asin(offset / 1.2)
    build.part("Rod", on="Crank", at=(0.4, 0, 0), turned=(0, 0, tilt), joint="spin z")
    return gremio.pin(build.rig, "Rod", "Slider", (1.2, 0, 0))


def test_the_slider_crank_of_the_textbook() -> None:
    # 40-120, offset −20, crank 60°: coupler 152.913°, slider 126.838 (from memory; computed).
    rig = slider_crank(-0.20)
    pose = gremio.solve(rig, {"Crank": DEG(60)})
    assert pose.part("Slider").world[0, 3] == pytest.approx(1.26838, abs=6e-6)
    rod = pose.part("Rod").world
    seen_from_the_slider = math.degrees(math.atan2(rod[1, 0], rod[0, 0])) + 180
    assert seen_from_the_slider == pytest.approx(152.913, abs=6e-4)


def test_the_slider_crank_for_a_full_turn() -> None:
    rig = slider_crank()
    crank = np.linspace(0, TURN, 721)
    poses = gremio.run(rig, {"Crank": crank})
    closed = 0.4 * np.cos(crank) + np.sqrt(1.2**2 - (0.4 * np.sin(crank)) ** 2)
    assert poses.channel("p2 move x") + 1.6 == pytest.approx(closed, abs=1e-9)


def test_the_slot_of_a_yoke_is_a_rail() -> None:
    # A Scotch yoke: the crank pin runs in a slot across the slide, which moves as the cosine.
    build = gremio.Builder("Yoke")
    build.part("Crank", joint="spin z")
    build.part("Yoke", at=(0.3, 0, 0), joint="slide x")
    rig = gremio.pin(build.rig, "Crank", "Yoke", (0.3, 0, 0), rail=(0, 1, 0))
    crank = np.linspace(0, 3 * TURN, 300)
    poses = gremio.run(rig, {"Crank": crank})
    assert poses.channel("p2 move x") + 0.3 == pytest.approx(0.3 * np.cos(crank), abs=1e-9)


def scissor(stages: int, arm: float = 1.0, low: float = 0.2) -> Rig:
    build = gremio.Builder("Lift")
    build.part("Nut", at=(arm * math.cos(low), 0, 0), joint="slide x")
    up, down = -low, low - math.pi
    left, right, mounts = "Nut", None, {"Nut": 0.0}
    for stage in range(1, stages + 1):
        one, two = f"A{stage}", f"B{stage}"
        ends = (0.0 if stage == 1 else arm, 0, 0)
        build.part(one, on=right and left, at=ends, joint="hinge y",
                   turned=(0, up - (mounts[left] if right else 0.0), 0))  # fmt: skip
        build.part(two, on=right or left, at=ends, joint="hinge y",
                   turned=(0, down - mounts[right or left], 0))  # fmt: skip
        mounts |= {one: up, two: down}
        build.rig = gremio.pin(build.rig, one, two, (arm / 2, 0, 0), (arm / 2, 0, 0))
        left, right = two, one
    return build.rig


@pytest.mark.parametrize("stages", [1, 2, 5])
def test_a_scissor_lift_is_as_high_as_its_stages_times_the_sine(stages: int) -> None:
    rig = scissor(stages)
    drawn = np.linspace(0.0, -0.75, 12)
    poses = gremio.run(rig, {"Nut": drawn})
    width = math.cos(0.2) + drawn
    top = poses.program.part_row[part_id(rig, f"A{stages}")]
    end = poses.worlds[:, top] @ np.array([1.0, 0, 0, 1])
    assert end[:, 2] == pytest.approx(stages * np.sqrt(1 - width**2), abs=1e-9)


def peaucellier() -> Rig:
    """Peaucellier's cell: long bars 5, rhombus 3, crank 1.5 on a circle through the pole."""
    build = gremio.Builder("Straight line")
    reach, side, crank = 5.0, 3.0, 1.5
    near = 2 * crank
    far = (reach**2 - side**2) / near
    middle = (near + far) / 2
    half = math.sqrt(side**2 - ((far - near) / 2) ** 2)
    lean = math.atan2(half, middle)
    build.part("Crank", at=(crank, 0, 0), joint="spin z")
    build.part("Bar 1", turned=(0, 0, lean), joint="spin z")
    build.part("Bar 2", turned=(0, 0, -lean), joint="spin z")
    fold = math.atan2(half, middle - near)
    build.part("Side 1", on="Crank", at=(crank, 0, 0), turned=(0, 0, fold), joint="spin z")
    build.part("Side 2", on="Crank", at=(crank, 0, 0), turned=(0, 0, -fold), joint="spin z")
    build.part("Side 3", on="Bar 1", at=(reach, 0, 0), turned=(0, 0, -fold - lean), joint="spin z")
    build.part("Side 4", on="Bar 2", at=(reach, 0, 0), turned=(0, 0, fold + lean), joint="spin z")
    rig = gremio.pin(build.rig, "Side 1", "Bar 1", (side, 0, 0), (reach, 0, 0))
    rig = gremio.pin(rig, "Side 2", "Bar 2", (side, 0, 0), (reach, 0, 0))
    return gremio.pin(rig, "Side 3", "Side 4", (side, 0, 0), (side, 0, 0))


def test_peaucelliers_line_is_straight() -> None:
    rig = peaucellier()
    crank = np.linspace(-0.9, 0.9, 61)
    poses = gremio.run(rig, {"Crank": crank})
    row = poses.program.part_row[part_id(rig, "Side 3")]
    tip = poses.worlds[:, row] @ np.array([3.0, 0, 0, 1])
    assert tip[:, 0] == pytest.approx(16 / 3, abs=1e-9)
    assert np.ptp(tip[:, 1]) > 3


def test_a_hookes_joint_turns_unevenly_between_cos_and_one_over_cos() -> None:
    # ω₂/ω₁ between cos β and 1/cos β (from memory). The cross closes two loops in space.
    beta = DEG(30)
    build = gremio.Builder("Shafts")
    build.part("Driver", joint="spin z")
    build.part("Cross", on="Driver", joint="hinge x")
    build.part("Driven", turned=(beta, 0, 0), joint="spin z")
    rig = gremio.pin(build.rig, "Cross", "Driven", (0, 1, 0), (0, 1 / 1, 0))
    home = gremio.solve(rig)
    assert home.notes == []
    turns = np.linspace(0, TURN, 2001)
    driven = gremio.run(rig, {"Driver": turns}).channel("p3 turn z")
    ratio = np.gradient(driven, turns)
    assert ratio.min() == pytest.approx(math.cos(beta), abs=2e-4)
    assert ratio.max() == pytest.approx(1 / math.cos(beta), abs=2e-4)


def test_a_coupler_curve_against_a_symbolic_solution() -> None:
    x, y = sympy.symbols("x y")
    rig = four_bar(0.40, 1.20, 0.80, 1.00, DEG(40), DEG(20.298), DEG(57.325))
    for angle in (0.3, 1.9, 4.0):
        pose = gremio.solve(rig, {"Crank": angle})
        at = pose.part("Coupler").world @ np.array([1.2, 0, 0, 1])
        pin = sympy.Matrix([0.4 * sympy.cos(angle + DEG(40)), 0.4 * sympy.sin(angle + DEG(40))])
        found = sympy.solve(
            [(x - pin[0]) ** 2 + (y - pin[1]) ** 2 - 1.44, (x - 1) ** 2 + y**2 - 0.64], [x, y]
        )
        away = [math.hypot(float(a - at[0]), float(b - at[1])) for a, b in found]
        assert min(away) < 1e-9


def test_against_mujocos_constraint_at_random_angles() -> None:
    """The same four-bar as bodies with a connect constraint: at our pose it is not violated."""
    spec = mujoco.MjSpec()
    rig = four_bar(0.40, 1.20, 0.80, 1.00, 0.0, 0.0, 0.0)
    rng = np.random.default_rng(4)
    spec.compiler.degree = False
    crank = spec.worldbody.add_body(name="Crank")
    coupler = crank.add_body(name="Coupler", pos=[0.4, 0, 0])
    rocker = spec.worldbody.add_body(name="Rocker", pos=[1.0, 0, 0])
    for body in (crank, coupler, rocker):
        body.mass, body.inertia, body.explicitinertial = 1.0, [1, 1, 1], True
        body.add_joint(name=body.name, type=mujoco.mjtJoint.mjJNT_HINGE, axis=[0, 0, 1])
    coupler.add_site(name="one", pos=[1.2, 0, 0])
    rocker.add_site(name="two", pos=[0.8, 0, 0])
    model = spec.compile()
    data = mujoco.MjData(model)
    rig = four_bar(0.40, 1.20, 0.80, 1.00, DEG(40), DEG(20.298), DEG(57.325))
    for angle in rng.uniform(-8, 8, 12):
        pose = gremio.solve(rig, {"Crank": float(angle)})
        q = {
            "Crank": pose.value("Crank") + DEG(40),
            "Coupler": pose.value("Coupler") + DEG(20.298 - 40),
            "Rocker": pose.value("Rocker") + DEG(57.325),
        }
        for name, value in q.items():
            data.qpos[model.joint(name).qposadr[0]] = value
        mujoco.mj_kinematics(model, data)
        gap = data.site("one").xpos - data.site("two").xpos
        assert np.linalg.norm(gap) < 1e-9


# ── the same inputs, the same pose ──


@settings(max_examples=25, deadline=None)
@given(
    st.tuples(st.floats(0.2, 0.5), st.floats(0.9, 1.3), st.floats(0.7, 1.0)),
    st.lists(st.floats(-7, 7), min_size=2, max_size=6),
)
def test_random_linkages_close_and_have_no_memory(lengths: tuple, angles: list[float]) -> None:
    a, b, c = lengths
    d = 1.0
    shortest, longest = min(a, b, c, d), max(a, b, c, d)
    if a > shortest or shortest + longest > a + b + c + d - shortest - longest - 0.05:
        return  # by Grashof's rule the crank would not go all the way round
    # Assembled from a pose that is known: the crank at 1 rad, on the open side.
    rocker = float(rocker_angle(a, b, c, d, np.array([1.0]))[0])
    tip = np.array([d + c * math.cos(rocker), c * math.sin(rocker)])
    pin = np.array([a * math.cos(1.0), a * math.sin(1.0)])
    rod = math.atan2(*(tip - pin)[::-1])
    rig = four_bar(a, b, c, d, 1.0, rod, rocker)
    together = gremio.run(rig, {"Crank": angles}).channel("p3 turn z")
    alone = [gremio.solve(rig, {"Crank": angle}).value("Rocker") for angle in angles]
    backward = gremio.run(rig, {"Crank": angles[::-1]}).channel("p3 turn z")[::-1]
    assert together == pytest.approx(alone, abs=1e-9)
    assert together == pytest.approx(backward, abs=1e-9)
    wanted = rocker_angle(a, b, c, d, np.array(angles) + 1.0) - rocker
    assert np.abs(wrapped(together - wanted)).max() < 1e-8


def test_a_parallelogram_goes_through_its_change_points() -> None:
    rig = four_bar(0.5, 1.0, 0.5, 1.0, DEG(90), 0.0, DEG(90))
    crank = np.linspace(0, TURN, 181)
    poses = gremio.run(rig, {"Crank": crank})
    assert poses.channel("p3 turn z") == pytest.approx(crank, abs=1e-7)
    assert gremio.solve(rig, {"Crank": DEG(200)}).value("Rocker") == pytest.approx(DEG(200))


# ── what can't be ──


def test_where_the_reach_ends_the_last_closed_pose_is_held_and_said() -> None:
    # A double rocker: its crank can't go all the way round.
    build = four_bar(0.9, 0.5, 0.9, 1.0, DEG(80), 0.0, DEG(100))
    home = gremio.solve(build)
    assert home.notes == []
    pose = gremio.solve(build, {"Crank": 3.0})
    (note,) = pose.notes
    assert note.code == "loop-reach" and note.part == "Coupler"
    assert "follows Crank turn z to" in note.text and "it was asked for 171.9°" in note.text
    (closing,) = pose.poses.closing.values()
    assert float(closing.gap[0]) < 1e-9
    assert 0.1 < pose.value("Crank") < 2.9
    far = gremio.solve(build, {"Crank": 2.9})
    assert far.value("Crank") == pytest.approx(pose.value("Crank"), abs=1e-6)


def test_stops_hold_a_linkage() -> None:
    rig = slider_crank()
    slider = rig.parts["p2"]
    stopped = replace(rig, parts={**rig.parts, "p2": replace(slider, stops={
        "move x": gremio_stops(-0.3, 0.0)})})  # fmt: skip
    pose = gremio.solve(stopped, {"Crank": 2.0})
    assert pose.value("Slider") == pytest.approx(-0.3, abs=1e-6)
    assert "held by the low stop of Slider" in pose.notes[0].text


def gremio_stops(low: float, high: float):
    from gremio.core.rig.model import Stops

    return Stops(low, high)


def test_pins_that_can_never_meet_are_said() -> None:
    rig = four_bar(0.2, 0.3, 0.2, 3.0, 0.0, 0.0, math.pi)
    (note,) = gremio.solve(rig).notes
    assert note.code == "loop-open"
    assert "The pin of Coupler and Rocker can't meet: 2300 mm are missing" in note.text
    assert gremio.solve(rig, {"Crank": 1.0}).notes[0].code == "loop-open"


def test_a_loop_with_two_leads_is_said() -> None:
    rig = four_bar(0.40, 1.20, 0.80, 1.00, DEG(40), DEG(20.298), DEG(57.325))
    build = gremio.Builder("x")
    build.rig = rig
    build.control("One", -1, 1, kind="angle")
    build.control("Two", -1, 1, kind="angle")
    build.ratio("One", "Crank", 1)
    with pytest.raises(GremioError, match="has 1 freedom, but Crank and Rocker lead it: 1 too m"):
        build.ratio("Two", "Rocker", 1)
    # A file may have it all the same.
    second = Ratio("c6", "p3 turn z", 1.0)
    notes = gremio.solve(replace(build.rig, links={**build.rig.links, "k9": second})).notes
    assert "loop-led" in [n.code for n in notes]


def test_bad_pins_are_refused_by_name() -> None:
    build = gremio.Builder("Bad")
    build.part("Bed")
    build.part("Post", on="Bed")
    build.part("Arm", on="Post", joint="hinge z")
    with pytest.raises(GremioError, match="Arm can't be pinned to itself"):
        gremio.pin(build.rig, "Arm", "Arm")
    with pytest.raises(GremioError, match="all joints between them are fixed"):
        gremio.pin(build.rig, "Bed", "Post")
    with pytest.raises(GremioError, match="needs a direction"):
        gremio.pin(build.rig, "Arm", "Bed", rail=(0, 0, 0))
    with pytest.raises(GremioError, match="plain numbers"):
        gremio.pin(build.rig, "Arm", "Bed", (math.nan, 0, 0))
    rig = gremio.pin(build.rig, "Arm", "Bed", (1, 0, 0), (1, 0, 0))
    with pytest.raises(GremioError, match="pinned at that point already"):
        gremio.pin(rig, "Bed", "Arm", (1, 0, 0), (1, 0, 0))
    assert remove_part(rig, part_id(rig, "Arm")).closures == {}
    assert remove_closure(rig, next(iter(rig.closures))).closures == {}


def test_a_file_with_a_pin_to_nothing_opens_and_says_so() -> None:
    rig = four_bar(0.40, 1.20, 0.80, 1.00, DEG(40), DEG(20.298), DEG(57.325))
    lost = replace(rig, closures={"n4": Closure("p2", "p77")})
    notes = gremio.solve(lost).notes
    assert [n.code for n in notes] == ["closure-lost"]


def test_a_ground_pin_and_a_cam_or_train_on_a_linkage() -> None:
    """What a loop gives can lead on: a gear on the rocker turns with it."""
    rig = four_bar(0.40, 1.20, 0.80, 1.00, DEG(40), DEG(20.298), DEG(57.325))
    build = gremio.Builder("x")
    build.rig = rig
    build.part("Gear", joint="spin z")
    rig, _ = add_link(build.rig, Ratio("p3 turn z", f"{part_id(build.rig, 'Gear')} turn z", -2.0))
    pose = gremio.solve(rig, {"Crank": 0.7})
    assert pose.value("Gear") == pytest.approx(-2 * pose.value("Rocker"))
    build = gremio.Builder("Door stay")
    build.part("Stay", joint="spin z")
    tied, _ = add_closure(build.rig, Closure("p1", None, at_one=(1, 0, 0), at_two=(1, 0, 0)))
    assert gremio.solve(tied).notes == []


# ── mobility ──


def test_mobility_by_counting_and_by_rank() -> None:
    rig = four_bar(0.40, 1.20, 0.80, 1.00, DEG(40), DEG(20.298), DEG(57.325))
    (loop,) = set(gremio_loops(rig))
    assert (loop.mobility, loop.gruebler) == (1, 1) and loop.free == ("p1 turn z",)
    assert set(loop.found) == {"p2 turn z", "p3 turn z"}
    # Three parallel cranks of one length: counting says 0, but it moves (special geometry).
    build = gremio.Builder("Three cranks")
    build.part("Crank 1", joint="spin z")
    build.part("Beam", on="Crank 1", at=(0, 1, 0), joint="spin z")
    for number, x in ((2, 1.0), (3, 2.0)):
        build.part(f"Crank {number}", at=(x, 0, 0), joint="spin z")
        build.rig = gremio.pin(build.rig, "Beam", f"Crank {number}", (x, 0, 0), (0, 1, 0))
    (loop,) = set(gremio_loops(build.rig))
    assert (loop.mobility, loop.gruebler) == (1, 0)
    pose = gremio.solve(build.rig, {"Crank 1": 0.6})
    assert pose.value("Crank 3") == pytest.approx(0.6) and pose.notes == []


def gremio_loops(rig: Rig):
    from gremio.core.solve.compiling import compile_rig

    return compile_rig(rig, geometry_of).loops.values()


# ── hands ──


def test_a_channel_of_a_loop_is_moved_by_what_leads_it() -> None:
    rig = slider_crank()
    pose = gremio.solve(rig, {"Crank": 1.0})
    answer = move(pose.program, pose, "p2 move x", -0.5)
    assert isinstance(answer, Hand) and answer.channel == "p1 turn z"
    assert gremio.solve(rig, {"Crank": answer.value}).value("Slider") == pytest.approx(-0.5)


def test_any_part_is_pulled_to_where_the_hand_is() -> None:
    rig = four_bar(0.40, 1.20, 0.80, 1.00, DEG(40), DEG(20.298), DEG(57.325))
    pose = gremio.solve(rig, {"Crank": 0.4})
    there = gremio.solve(rig, {"Crank": 0.9})
    inside = np.array([0.7, 0.1, 0.0])
    target = (there.part("Coupler").world @ np.append(inside, 1.0))[:3]
    answer = pull(pose.program, pose, part_id(rig, "Coupler"), inside, target)
    assert isinstance(answer, Hand) and answer.value == pytest.approx(0.9, abs=1e-5)


def test_what_holds_a_part_is_named() -> None:
    build = gremio.Builder("Jib")
    build.part("Jib", joint="hinge y", stops=("-10 deg", "60 deg"))
    build.part("Hook", on="Jib", at=(2, 0, 0))
    build.control("Luff", "-10 deg", "60 deg")
    build.ratio("Luff", "Jib", 1)
    pose = gremio.solve(build.rig, {"Luff": "60 deg"})
    lower = pose.part("Hook").world[:3, 3] + [-0.5, 0, -1.0]
    answer = pull(pose.program, pose, part_id(build.rig, "Hook"), (0, 0, 0), lower)
    assert isinstance(answer, Held)
    assert answer.text in ("Hook is held by the high end of the range of Luff.",
                           "Hook is held by the high stop of Jib.")  # fmt: skip


def test_a_constrained_crank_leads_its_linkage() -> None:
    """The crank aims at a float that goes round it; slide and rod follow (closed form)."""
    build = gremio.Builder("Float")
    build.rig = slider_crank()
    build.part("Float", at=(1, 0, 0), joint="free")
    rig = gremio.constrain(build.rig, "aim", "Crank", "Float", keep=False, axis="x")
    angles = np.linspace(0, TURN, 49)
    way = {"Float move x": np.cos(angles) - 1, "Float move y": np.sin(angles)}
    poses = gremio.run(rig, way)
    closed = 0.4 * np.cos(angles) + np.sqrt(1.2**2 - (0.4 * np.sin(angles)) ** 2)
    assert poses.channel("p2 move x") + 1.6 == pytest.approx(closed, abs=1e-9)


def test_the_chosen_input_is_pulled_where_it_moves_the_part() -> None:
    build = gremio.Builder("Two ways")
    build.part("Post", joint="spin z")
    build.part("Arm", on="Post", at=(1, 0, 0), joint="spin z")
    build.control("Slew", "-1 turn", "1 turn", unit="turn")
    build.ratio("Slew", "Post", 1)
    program = compile_rig(build.rig, geometry_of)
    pose = evaluate(program, {}).frame(0)
    arm, goal = part_id(build.rig, "Arm"), (1.9, 0.4, 0)
    best = pull(program, pose, arm, (1, 0, 0), goal)
    slew = control_id(build.rig, "Slew")
    chosen = pull(program, pose, arm, (1, 0, 0), goal, slew)
    assert isinstance(best, Hand) and isinstance(chosen, Hand)
    assert best.channel != slew and chosen.channel == slew
    # What does not move the part is no choice.
    assert pull(program, pose, arm, (1, 0, 0), goal, "p9") == best


@pytest.mark.parametrize("lean", [30.0, 60.0, 100.0, 135.0])
@pytest.mark.parametrize("tipped", [(0, 0, 0), (0.4, 0.3, 0.0), (0.9, -0.5, 0.2)])
def test_a_yoke_with_a_slot_that_leans(lean: float, tipped: tuple[float, float, float]) -> None:
    """A crank's pin in a slot at an angle to the way of what it moves, the whole machine tipped
    over anyhow: the slot's line through the pin, by hand."""
    build = gremio.Builder("Yoke")
    build.part("Bed", turned=tipped)
    build.part("Crank", on="Bed", joint="spin z")
    build.part("Yoke", on="Bed", joint="slide x")
    ux, uy = math.cos(DEG(lean)), math.sin(DEG(lean))
    rig = gremio.pin(build.rig, "Crank", "Yoke", (0.3, 0, 0), (0.3, 0, 0), rail=(ux, uy, 0.0))
    for angle in np.linspace(-3.0, 3.0, 13):
        pose = gremio.solve(rig, {"Crank": float(angle)})
        want = 0.3 * (math.cos(angle) - 1 - math.sin(angle) * ux / uy)
        assert pose.value("Yoke") == pytest.approx(want, abs=1e-9)


def test_what_is_assembled_elsewhere_says_what_moved_for_it() -> None:
    build = gremio.Builder("Yoke")
    build.part("Crank", joint="spin z")
    build.part("Yoke", joint="slide x")
    rig = gremio.pin(build.rig, "Crank", "Yoke", (0.3, 0, 0), (0.35, 0, 0), rail=(0.2, 1, 0))
    (told,) = [f.note.text for f in gremio.inspect(rig) if f.note.code == "loop-aside"]
    assert "Yoke move x stands at -0.05 m. Set home here" in told and "more move" not in told
