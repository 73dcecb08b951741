"""What a hand asks for and gets: soft stops, links that add, parts on paths, grips and weights."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy.spatial.transform import Rotation, Slerp

import gremio
from gremio.core.edit.cams import set_profile, set_range, set_slope, set_span
from gremio.core.edit.constraints import rename_constraint
from gremio.core.edit.mounts import place_part
from gremio.core.files.sources import model_shelf
from gremio.core.files.urdf_in import read_urdf
from gremio.core.frames import Frame
from gremio.core.make.strands import shortest_way
from gremio.core.problem import GremioError
from gremio.core.rig.find import constraint_id, control_id, part_id
from gremio.core.rig.model import Rig, Strand, Waypoint
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.backward import Hand, move
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.limits import asked_for, softly
from gremio.core.solve.strands import lies


@given(st.floats(-2, 2), st.floats(0.05, 0.9), st.floats(0.0, 0.9), st.floats(-3, 3))
def test_what_is_asked_of_a_soft_stop_is_what_comes_out_of_it(
    middle: float, low_soft: float, high_soft: float, wanted: float
) -> None:
    """The way into a soft stop, and back: for both ends, of unlike softness."""
    low, high = middle - 1.0, middle + 1.0
    soft = (low_soft, high_soft)
    asked = asked_for(wanted, low, high, soft)
    ends = np.array(low), np.array(high), np.array(soft)
    held = float(softly(np.array(asked), *ends))
    assert held == pytest.approx(min(max(wanted, low), high), abs=1e-9)
    # Half way to a stop it goes as it is asked, and never back.
    values = np.linspace(low - 1, high + 1, 400)
    way = softly(values, *ends)
    assert np.all(np.diff(way) >= -1e-12) and way[0] == low and way[-1] == high


def test_a_value_is_had_through_a_ratio_that_starts_elsewhere_and_a_link_that_adds() -> None:
    build = gremio.Builder("Sum")
    build.part("Arm", joint="spin z")
    build.control("Turn", "-9 rad", "9 rad")
    build.control("Trim", "-1 rad", "1 rad")
    build.ratio("Turn", "Arm", 0.5)
    rig = build.rig
    rig = replace(rig, links={i: replace(k, offset=0.3) for i, k in rig.links.items()})
    build.rig = rig
    build.ratio("Trim", "Arm", 2.0, adds=True)
    pose = gremio.solve(build.rig, {"Turn": 0.4, "Trim": 0.25})
    arm = f"{part_id(build.rig, 'Arm')} turn z"
    assert pose.at(arm) == pytest.approx(0.3 + 0.2 + 0.5)
    answer = move(pose.program, pose, arm, 1.7)
    assert isinstance(answer, Hand)
    put = {c: pose.at(c) for c in build.rig.controls} | {answer.channel: answer.value}
    assert evaluate(pose.program, put).frame(0).at(arm) == pytest.approx(1.7)


@given(st.floats(0.0, 1.0))
@settings(max_examples=20)
def test_half_a_grip_of_a_turn_is_half_of_the_way(grip: float) -> None:
    """Three turns at once, against `scipy`'s own interpolation."""
    build = gremio.Builder("Grip")
    build.part("Ball", joint="ball")
    build.part("Target", turned=("40 deg", "-25 deg", "70 deg"))
    rig = gremio.constrain(build.rig, "match", "Ball", "Target", keep=False, grip=grip)
    world = gremio.solve(rig).world(part_id(rig, "Ball"))[:3, :3]
    goal = Rotation.from_matrix(gremio.solve(rig).world(part_id(rig, "Target"))[:3, :3])
    want = Slerp([0, 1], Rotation.concatenate([Rotation.identity(), goal]))(grip).as_matrix()
    assert world == pytest.approx(want, abs=1e-6)


def test_a_part_on_a_path_goes_along_when_what_carries_the_path_is_placed_anew() -> None:
    """What is taken over from an older program looks at the path's carrier as well."""
    build = gremio.Builder("Rail")
    build.part("Bed", joint="slide x")
    build.part("Carriage", on="Bed", joint="slide x")
    build.part("Wheel", on="Carriage", joint="spin y")
    rig = gremio.path(build.rig, "Rail", [(0, 0, 0), (4, 0, 0)], on="Bed")
    rig = gremio.roll(rig, "Wheel turn y", 0.5, along="Rail")
    before = compile_rig(rig, geometry_of)
    moved = place_part(rig, part_id(rig, "Bed"), Frame((0.0, 2.0, 0.0), (0.0, 0.0, 0.0, 1.0)))
    way = {f"{part_id(rig, 'Carriage')} move x": np.linspace(0, 2, 5)}
    anew, after = compile_rig(moved, geometry_of), compile_rig(moved, geometry_of, before)
    one, two = evaluate(anew, way), evaluate(after, way)
    assert np.array_equal(one.channels, two.channels)
    turned = one.channel(f"{part_id(rig, 'Wheel')} turn y")
    assert abs(turned[-1] - turned[0]) == pytest.approx(4.0, abs=1e-6)


def test_a_constraint_is_renamed_and_goes_on() -> None:
    build = gremio.Builder("Lamp")
    build.part("Lamp", joint="free")
    build.part("Hook", at=(1, 0, 0))
    rig = gremio.constrain(build.rig, "pin", "Lamp", "Hook", keep=False)
    tie = constraint_id(rig, "Lamp pin")
    renamed = rename_constraint(rig, tie, "Hung")
    assert renamed.constraints[tie].name == "Hung" and constraint_id(renamed, "Hung") == tie
    at = gremio.solve(renamed).world(part_id(rig, "Lamp"))[:3, 3]
    assert at == pytest.approx((1, 0, 0))
    with pytest.raises(GremioError, match="already the name"):
        rename_constraint(rig, tie, "Hook")


def chest() -> tuple[Rig, str, str, str]:
    build = gremio.Builder("Chest")
    build.part("Lid", joint="hinge x")
    build.part("Tray", joint="slide z")
    build.control("Open", 0, 2, kind="number")
    build.cam("Open", {0: {"Lid": 0, "Tray": 0.1}, 2: {"Lid": 1.2, "Tray": 0.5}})
    (link,) = build.rig.links
    lid, tray = (f.channel for f in build.rig.links[link].followers)
    return build.rig, link, lid, tray


def test_an_edit_of_one_follower_leaves_the_other_as_it_is() -> None:
    rig, link, lid, tray = chest()

    def at(made: Rig, name: str) -> list[float]:
        return [gremio.solve(made, {"Open": v}).value(name) for v in np.linspace(0, 2, 9)]

    for made in (
        set_profile(rig, link, lid, "cycloidal"),
        set_span(rig, link, 0, lid, "cycloidal"),
        set_slope(set_profile(rig, link, lid, "free"), link, 0, lid, 0.9),
        set_range(rig, link, (0.0, 2.0), {lid: (0.2, 0.9)}),
    ):
        assert at(made, "Tray") == pytest.approx(at(rig, "Tray"), abs=1e-12)
        assert at(made, "Lid") != pytest.approx(at(rig, "Lid"), abs=1e-3)
    both = set_range(rig, link, (0.0, 2.0), {lid: (0.2, 0.9)})
    assert at(both, "Lid")[0] == pytest.approx(0.2) and at(both, "Lid")[-1] == pytest.approx(0.9)
    assert {f.channel: f.profile for f in set_profile(rig, link, tray, "dwell").links[
        link].followers} == {lid: "smooth", tray: "dwell"}  # fmt: skip


def test_a_model_in_a_urdf_stands_as_its_format_does(tmp_path: Path) -> None:
    """A GLB says that y is up; an STL does not."""
    plank = trimesh.creation.box((0.1, 0.3, 2.0))
    for ending, size in (("glb", (2.0, 0.1, 0.3)), ("stl", (0.1, 0.3, 2.0))):
        plank.export(tmp_path / f"plank.{ending}")
        (tmp_path / "a.urdf").write_text(
            f'<robot name="a"><link name="l"><visual><geometry><mesh filename="plank.{ending}"/>'
            "</geometry></visual></link></robot>"
        )
        rig, _ = read_urdf(tmp_path / "a.urdf", model_shelf())
        (part,) = rig.parts.values()
        assert part.shapes[0].solid.size == pytest.approx(size)


def test_of_many_sheaves_each_is_gone_round_on_its_shorter_side() -> None:
    """Eight sheaves in a row, left and right of a straight line: the rope weaves between none."""
    build = gremio.Builder("Weave")
    build.part("Wall")
    wall = part_id(build.rig, "Wall")
    middles = [(x, 0.0, 0.5 if x % 2 else -0.5) for x in range(1, 9)]
    through = [Waypoint(wall, (0, 0, 0)), *(Waypoint(wall, m, 0.2) for m in middles),
               Waypoint(wall, (9, 0, 0))]  # fmt: skip
    pose = gremio.solve(build.rig)
    rope = shortest_way(pose, Strand("Rope", "rope", tuple(through)))
    chosen = lies(pose, rope)
    assert chosen is not None and not chosen.wrong and not chosen.clear
    rng = np.random.default_rng(1)
    for _ in range(40):
        signs = rng.choice([-1, 1], 8)
        other = [through[0], *(replace(w, radius=s * w.radius) for w, s in zip(
            through[1:-1], signs, strict=True)), through[-1]]  # fmt: skip
        found = lies(pose, replace(rope, through=tuple(other)))
        assert found is not None
        assert found.clear or chosen.length <= found.length + 1e-9


def test_a_sweep_goes_in_a_hundred_steps_unless_it_is_said(lock: Rig) -> None:
    assert gremio.sweep(lock, "Upper gates").frames == 101
    assert gremio.sweep(lock, "Upper gates", 7).frames == 7
    gates = control_id(lock, "Upper gates")
    low, high = lock.controls[gates].low, lock.controls[gates].high
    assert gremio.sweep(lock, "Upper gates", 3).channel(gates) == pytest.approx(
        [low, (low + high) / 2, high]
    )
