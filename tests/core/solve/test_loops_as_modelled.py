"""Linkages as they come: of rounded numbers, at change points, in space, far round."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy.spatial.transform import Rotation
from tests.core.solve.test_loops import (
    DEG,
    TURN,
    four_bar,
    peaucellier,
    rocker_angle,
    scissor,
    slider_crank,
    wrapped,
)

import gremio
from gremio.core.frames import Frame, triple
from gremio.core.plan.loop_geometry import gaps
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Rig

INCH = 0.0254


def single(values: tuple[float, ...]) -> tuple[float, ...]:
    """As a model in single precision keeps them."""
    return tuple(float(np.float32(v)) for v in values)


def as_modelled(rig: Rig, seed: int) -> Rig:
    """A rig turned and moved somewhere, with every place and turn rounded to single precision."""
    rng = np.random.default_rng(seed)
    turned, away = Rotation.from_quat(rng.normal(size=4)), rng.uniform(-7, 7, 3)
    parts = {}
    for part, entry in rig.parts.items():
        at, (w, x, y, z) = np.array(entry.mount.at), entry.mount.turn
        turn = Rotation.from_quat([x, y, z, w])
        if entry.parent is None:
            at, turn = turned.apply(at) + away, turned * turn
        x, y, z, w = turn.as_quat()
        mount = Frame(triple(single(tuple(at))), single((w, x, y, z)))  # type: ignore[arg-type]
        parts[part] = replace(entry, mount=mount)
    closures = {
        i: replace(c, at_one=triple(single(c.at_one)), at_two=triple(single(c.at_two)))
        for i, c in rig.closures.items()
    }
    return replace(rig, parts=parts, closures=closures)


def engine(cylinders: int, miss: float = 0.0) -> Rig:
    """Cylinders in a row on one crank; the pin of each misses along the crank by `miss` (m)."""
    build = gremio.Builder("Engine")
    build.part("Crank", joint="spin y")
    for i in range(cylinders):
        side, up = 0.04 * math.sin(TURN * i / cylinders), 0.04 * math.cos(TURN * i / cylinders)
        build.part(f"Rod {i}", on="Crank", at=(side, 0.1 * i, up), joint="hinge y",
                   turned=(0, -math.asin(side / 0.12), 0))  # fmt: skip
        top = up + math.sqrt(0.12**2 - side**2)
        build.part(f"Piston {i}", at=(0, 0.1 * i, top), joint="slide z")
        build.rig = gremio.pin(
            build.rig, f"Rod {i}", f"Piston {i}", (0, 0, 0.12), (0, miss * (1 + i), 0)
        )
    return build.rig


def close_at(rig: Rig, poses, frame: int) -> float:
    """How far apart the farthest pin of a frame is (m), told by the world frames alone."""
    pose = poses.frame(frame)
    return max(
        np.linalg.norm(
            pose.frame_of(c.one) @ np.append(c.at_one, 1.0)
            - pose.frame_of(c.two) @ np.append(c.at_two, 1.0)
        )
        for c in rig.closures.values()
    )


MACHINES = {
    "four-bar": (lambda: four_bar(0.4, 1.2, 0.8, 1.0, DEG(40), DEG(20.2984), DEG(57.3252)),
                 "Crank", np.linspace(-7, 7, 60)),
    "parallelogram": (lambda: four_bar(0.5, 1.0, 0.5, 1.0, 0.7, 0.0, 0.7), "Crank",
                      np.linspace(-7, 7, 60)),
    "slider-crank": (lambda: slider_crank(0.01), "Crank", np.linspace(-7, 7, 60)),
    "scissor lift": (lambda: scissor(4), "Nut", np.linspace(0, -0.75, 20)),
    "straight line": (peaucellier, "Crank", np.linspace(-0.9, 0.9, 20)),
}  # fmt: skip


@pytest.mark.parametrize("name", MACHINES)
@pytest.mark.parametrize("seed", range(6))
def test_a_machine_in_single_precision_moves_as_the_exact_one(name: str, seed: int) -> None:
    make, lead, values = MACHINES[name]
    exact, rounded = make(), as_modelled(make(), seed)
    one, two = gremio.run(exact, {lead: values}), gremio.run(rounded, {lead: values})
    (closing,) = two.closing.values()
    assert closing.gone.min() == 1.0 and not two.frame(0).notes
    size = closing.step.shape.size
    for channel in one.program.channel_keys:
        # At a change point a rounding of 1e-7 shows as its root.
        assert two.channel(channel) == pytest.approx(one.channel(channel), abs=2e-3)
    assert max(close_at(rounded, two, f) for f in range(len(values))) < 1e-6 * size


@pytest.mark.parametrize("miss", [5e-9, 0.5 * INCH * 1e-5, 5e-5])
def test_an_engine_whose_pins_miss_along_the_crank_runs(miss: float) -> None:
    exact, off = engine(4), engine(4, miss)
    crank = np.linspace(0, 2 * TURN, 90)
    one, two = gremio.run(exact, {"Crank": crank}), gremio.run(off, {"Crank": crank})
    for i in range(4):
        piston = f"{part_id(exact, f'Piston {i}')} move z"
        assert two.channel(piston) == pytest.approx(one.channel(piston), abs=1e-12)
    # Along the crank nothing can move: the miss stays, and only that.
    assert close_at(off, two, 30) == pytest.approx(4 * miss, rel=1e-6)
    codes = {note.code for note in two.frame(30).notes}
    assert codes == (set() if miss < 1e-7 else {"loop-misfit"})


def test_what_no_joint_can_close_is_told_and_mended() -> None:
    rig = engine(2, 1e-4)
    (finding,) = [f for f in gremio.inspect(rig) if f.note.code == "loop-misfit"]
    assert "0.2 mm" in finding.note.text
    (mend,) = finding.mends
    mended = mend.edit(rig)
    assert not any(f.note.code.startswith("loop") for f in gremio.inspect(mended))
    poses = gremio.run(mended, {"Crank": np.linspace(0, 6, 7)})
    assert max(close_at(mended, poses, f) for f in range(7)) < 1e-9


def test_too_great_a_miss_is_refused() -> None:
    (note,) = gremio.solve(engine(1, 2e-3), {"Crank": 1.0}).notes
    assert note.code == "loop-open" and "2 mm are missing however its joints stand" in note.text


def test_of_a_miss_only_what_no_joint_closes_is_called_so() -> None:
    """A slide that stands a metre off, and a hand aside: only the aside can't be closed."""
    build = gremio.Builder("Slide")
    build.part("Arm", joint="hinge z")
    build.part("Block", on="Arm", at=(1, 0, 0), joint="slide x")
    rig = gremio.pin(build.rig, "Block", "", (0, 0, 0), (3.0, 0, 0.09))
    (note,) = gremio.solve(rig).notes
    assert "90 mm are missing" in note.text


def test_the_closure_that_can_not_be_met_is_the_one_blamed() -> None:
    rig = four_bar(0.4, 1.2, 0.8, 1.0, DEG(40), DEG(20.298), DEG(57.325))
    assert gremio.solve(rig).notes == []
    wrong = gremio.pin(rig, "Coupler", "", (0.5, 0.2, 0), (9, 9, 0))
    (note,) = gremio.solve(wrong).notes
    assert note.code == "loop-open" and "The pin of Coupler and the ground" in note.text
    assert "together with the pin of Coupler and Rocker" in note.text


def test_a_linkage_that_is_assembled_elsewhere_says_so_and_is_set_home_there() -> None:
    rig = four_bar(0.4, 1.2, 0.8, 1.0, DEG(40), DEG(15), DEG(57.325))
    there = gremio.solve(rig, {"Crank": 0.3})
    (finding,) = [f for f in gremio.inspect(rig) if f.note.code == "loop-aside"]
    assert "With everything at home" in finding.note.text
    mended = finding.mends[0].edit(rig)
    assert not any(f.note.code == "loop-aside" for f in gremio.inspect(mended))
    home = gremio.solve(mended)
    assert max(abs(home.at(c)) for c in home.program.channel_keys) < 1e-12
    for name in ("Crank", "Coupler", "Rocker"):
        world = gremio.solve(mended, {"Crank": 0.3}).part(name).world
        assert world == pytest.approx(there.part(name).world, abs=1e-9)


def test_home_at_a_change_point_is_told() -> None:
    rig = four_bar(0.5, 1.0, 0.5, 1.0, 0.0, 0.0, 0.0)
    assert [f.note.code for f in gremio.inspect(rig)] == ["loop-undecided"]
    aside = four_bar(0.5, 1.0, 0.5, 1.0, 0.1, 0.0, 0.1)
    assert gremio.inspect(aside) == []


# ── at change points, and whatever else is asked ───────────────────────


@settings(max_examples=25, deadline=None)
@given(
    st.floats(0.1, 3.0),
    st.lists(st.one_of(st.floats(-9, 9), st.integers(-6, 6).map(float)), min_size=2, max_size=12),
)
def test_a_frame_does_not_depend_on_the_others(home: float, asked: list[float]) -> None:
    """A parallelogram stays one, to the bit whatever frames are asked for with it: those on its
    change points, far on, or the same again."""
    rig = four_bar(0.5, 1.0, 0.5, 1.0, home, 0.0, home)
    # Whole numbers stand for change points.
    crank = np.array([a * math.pi - home if a == int(a) else a for a in asked])
    rocker = gremio.run(rig, {"Crank": np.repeat(crank, 2)}).channel("p3 turn z")[::2]
    assert rocker == pytest.approx(crank, abs=1e-7)
    for i, value in enumerate(crank):
        alone = gremio.solve(rig, {"Crank": float(value)}).at("p3 turn z")
        assert alone == rocker[i]


def test_a_near_parallelogram_follows_its_true_way() -> None:
    """A coupler 1 mm too long leaves the crank no full turn: the closed form has no place there,
    and none is invented; up to it, the way is the closed form's."""
    a, b, c, d = 0.5, 1.001, 0.5, 1.0
    rig = four_bar(a, b, c, d, DEG(40), 0.0, DEG(40))
    crank = np.linspace(0.0, 6.0, 400)
    poses = gremio.run(rig, {"Crank": crank})
    (closing,) = poses.closing.values()
    assert closing.gap.max() < 1e-9
    rocker = poses.channel("p3 turn z")
    assert np.abs(np.diff(rocker)).max() < 0.3
    # Freudenstein's equation has a solution just where the way could be gone.
    k1, k2, k3 = d / a, d / c, (a * a - b * b + c * c + d * d) / (2 * a * c)
    at = crank + DEG(40)
    p, q = np.cos(at) - k1 - k2 * np.cos(at) + k3, -2 * np.sin(at)
    r = k1 - (k2 + 1) * np.cos(at) + k3
    first = int(np.argmax(q * q - 4 * p * r < 0))
    assert (closing.gone[: first - 1] == 1.0).all() and (closing.gone[first:] < 1.0).all()


@pytest.mark.parametrize("crank", [40.0, 1e3, -1e5, 1e6, 9e8])
def test_far_round_is_as_near_as_close_by(crank: float) -> None:
    lengths = (0.40, 1.20, 0.80, 1.00)
    rig = four_bar(*lengths, DEG(40), DEG(20.298), DEG(57.325))
    wanted = rocker_angle(*lengths, np.array([crank + DEG(40)]))
    pose = gremio.solve(rig, {"Crank": crank})
    # A double has figures for 1e-16 of the way round.
    near = 1e-9 + 1e-15 * abs(crank)
    assert wrapped(pose.at("p3 turn z") + DEG(57.325) - wanted) == pytest.approx(0.0, abs=near)
    assert pose.notes == []
    # What goes round with the crank has gone round as often.
    both = four_bar(0.5, 1.0, 0.5, 1.0, 0.7, 0.0, 0.7)
    far = gremio.solve(both, {"Crank": crank}).at("p3 turn z")
    assert far == pytest.approx(crank, abs=1e-8 + near)


# ── in space ───────────────────────────────────────────────────────────


def spatial_crank(seed: int, *, modelled: bool = False):
    """A crank and a rocker on axes askew, with a rod between two balls; and the rocker's angle
    in closed form, both ways of assembly: |tip − v|² = b² is A cos φ + B sin φ = K."""
    rng = np.random.default_rng(seed)
    while True:
        a, c, high = rng.uniform(0.2, 0.5), rng.uniform(0.5, 1.2), 0.1
        foot = rng.normal(size=3)
        foot *= 1.3 / np.linalg.norm(foot)
        one, two = (Rotation.from_quat(rng.normal(size=4)) for _ in range(2))
        start = foot + two.apply([c, 0, high])
        b = float(np.linalg.norm(one.apply([a, 0, 0]) - start))

        def rocker(t, one=one, two=two, a=a, b=b, c=c, foot=foot, high=high):
            tip = one.apply(np.stack([a * np.cos(t), a * np.sin(t), 0 * t], axis=-1))
            v = two.inv().apply(tip - foot)
            k = (c * c + high**2 + (v**2).sum(-1) - b * b - 2 * high * v[..., 2]) / (2 * c)
            middle, half = np.arctan2(v[..., 1], v[..., 0]), k / np.hypot(v[..., 0], v[..., 1])
            return half, np.array([middle + np.arccos(half), middle - np.arccos(half)])

        with np.errstate(invalid="ignore"):
            half, _ = rocker(np.linspace(0, TURN, 181))
        if np.abs(half).max() < 0.98:
            break
    build = gremio.Builder("In space")
    build.part("Crank", joint="spin z")
    build.part("Rod", on="Crank", at=(a, 0, 0), joint="ball")
    build.part("Rocker", at=tuple(foot), joint="hinge z")
    parts = dict(build.rig.parts)
    for part, turn in zip(list(parts), (one, Rotation.random(random_state=seed), two), strict=True):
        x, y, z, w = turn.as_quat()
        parts[part] = replace(parts[part], mount=replace(parts[part].mount, turn=(w, x, y, z)))
    rig = replace(build.rig, parts=parts)
    rod = gremio.solve(rig).part("Rod").world
    rig = gremio.pin(rig, "Rod", "Rocker", tuple((np.linalg.inv(rod) @ [*start, 1])[:3]),
                     (c, 0, high))  # fmt: skip
    return (as_modelled(rig, seed) if modelled else rig), rocker


@pytest.mark.parametrize("seed", range(20))
def test_a_rod_between_two_balls_against_the_closed_form(seed: int) -> None:
    rig, rocker = spatial_crank(seed)
    crank = np.linspace(-7, 7, 120)
    poses = gremio.run(rig, {"Crank": crank})
    (closing,) = poses.closing.values()
    loop = closing.step.loop
    assert (loop.mobility, loop.surplus, loop.gruebler) == (2, 0, 2)
    assert loop.free == ("p1 turn z",) and [part for part, _ in loop.swings] == ["p2"]
    assert closing.gone.min() == 1.0 and closing.gap.max() < 1e-9
    found = poses.channel("p3 turn z")
    off = np.abs(wrapped(found - rocker(crank)[1]))
    assert off.min(axis=0).max() < 1e-8
    # It stays on the way it was assembled in, and the rod swings without spinning.
    assert np.abs(np.diff(found)).max() < 0.6
    axis = np.array(loop.swings[0][1])
    row = poses.program.part_row[part_id(rig, "Rod")]
    above = poses.program.part_row[part_id(rig, "Crank")]
    home = gremio.solve(rig).worlds
    was = np.linalg.inv(home[above]) @ home[row]
    for world in poses.worlds[::7]:
        turn = Rotation.from_matrix(
            (np.linalg.inv(world[above]) @ world[row] @ np.linalg.inv(was))[:3, :3]
        )
        mounted = was[:3, :3] @ axis
        assert turn.as_quat()[:3] @ mounted == pytest.approx(0.0, abs=1e-8)


@pytest.mark.parametrize("seed", range(6))
def test_a_rod_between_two_balls_in_single_precision(seed: int) -> None:
    exact, rounded = (spatial_crank(seed, modelled=m)[0] for m in (False, True))
    crank = np.linspace(-7, 7, 40)
    one, two = (gremio.run(rig, {"Crank": crank}) for rig in (exact, rounded))
    assert two.frame(0).notes == []
    assert two.channel("p3 turn z") == pytest.approx(one.channel("p3 turn z"), abs=1e-5)


def test_gaps_are_told_of_world_frames_too() -> None:
    rig, _ = spatial_crank(0)
    poses = gremio.run(rig, {"Crank": np.linspace(0, 3, 5)})
    frames = {part: poses.worlds[2, row] for part, row in poses.program.part_row.items()}
    assert max(gaps(rig, rig.closures, frames).values()) < 1e-9
    assert close_at(rig, poses, 2) < 1e-9
