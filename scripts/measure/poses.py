"""Measurements of poses: trees, formulas, trains, cams, and making a rig ready."""

from __future__ import annotations

import json

import mujoco
import numpy as np
from linkages import many_four_bars
from measuring import ChannelsOnly, Row, against, best, hinged_tree, many_cams

from gremio.core.files.rig_file import decode, encode
from gremio.core.rig.model import (
    Control,
    Formula,
    Joint,
    Part,
    Ratio,
    Rig,
)
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig, compile_whole
from gremio.core.solve.evaluate import evaluate
from gremio.demo import KEPT


def in_mujoco(rig: Rig) -> tuple[mujoco.MjModel, mujoco.MjData]:
    """The same tree in mujoco, its bodies in the same order."""
    spec = mujoco.MjSpec()
    bodies = {}
    for name, part in rig.parts.items():
        above = bodies[part.parent] if part.parent else spec.worldbody
        body = above.add_body(name=name, pos=part.mount.at, quat=part.mount.turn)
        body.mass, body.inertia, body.explicitinertial = 1.0, [1, 1, 1], True
        body.add_joint(name=name, type=mujoco.mjtJoint.mjJNT_HINGE, axis=[0, 0, 1])
        bodies[name] = body
    model = spec.compile()
    return model, mujoco.MjData(model)


def solving() -> list[Row]:
    """(a) one pose, and (b) 240 frames of the middle one."""
    rows: list[Row] = []
    single: dict[int, float] = {}
    for count in (100, 1_000, 10_000):
        rig = hinged_tree(count)
        program = compile_rig(rig, geometry_of)
        model, data = in_mujoco(rig)
        inputs = {control: 0.1 + 0.01 * i for i, control in enumerate(rig.controls)}
        poses = evaluate(program, inputs)
        order = [model.body(part).id for part in program.part_ids]
        joints = [model.joint(part).qposadr[0] for part in program.part_ids]
        data.qpos[joints] = [poses.channel(f"{part} turn z")[0] for part in program.part_ids]
        mujoco.mj_kinematics(model, data)
        off = max(
            np.abs(poses.worlds[0, :, :3, 3] - data.xpos[order]).max(),
            np.abs(poses.worlds[0, :, :3, :3] - data.xmat[order].reshape(-1, 3, 3)).max(),
        )
        assert off < 1e-9, f"worlds differ by {off}"
        # Asking for `worlds` makes them, as mj_kinematics makes xpos and xmat.
        ours, theirs = against(
            lambda p=program, i=inputs: evaluate(p, i).worlds,
            lambda m=model, d=data: mujoco.mj_kinematics(m, d),
            12,
        )
        single[count] = ours
        ratio = ours / theirs
        rows.append(
            (
                f"(a) one pose, {count:,} hinged parts",
                "`mujoco.mj_kinematics`",
                f"{ours * 1e3:.2f} ms",
                f"{theirs * 1e3:.2f} ms",
                f"{ratio:.2f} ×",
            )
        )
        if count == 1_000:
            rows.append(frames_row(program, inputs, model, data, joints))
    growth = single[10_000] / single[1_000]
    rows.append(("(a) growth from 1,000 to 10,000 parts", "itself", "", "", f"{growth:.1f} ×"))
    return rows


def frames_row(program, inputs, model, data, joints) -> Row:
    """(b) 240 frames at once, against one call of mj_kinematics a frame."""
    travel = {control: value * np.linspace(0, 1, 240) for control, value in inputs.items()}
    turns = evaluate(program, travel).channels[-len(joints) :].T.copy()

    def theirs() -> None:
        for row in turns:
            data.qpos[joints] = row
            mujoco.mj_kinematics(model, data)

    mine, other = against(lambda: evaluate(program, travel).worlds, theirs, 4)
    return (
        "(b) 240 frames of 1,000 parts", "`mujoco.mj_kinematics`, 240 calls",
        f"{mine * 1e3:.1f} ms", f"{other * 1e3:.1f} ms", f"{mine / other:.2f} ×",
    )  # fmt: skip


def formulas() -> list[Row]:
    """(e) 10,000 channels, each led by a formula of three leads, against NumPy by hand."""
    count, leads = 10_000, 300
    rng = np.random.default_rng(5)
    parts = {f"p{i}": Part(f"Part {i}", joint=Joint("slide", "x")) for i in range(count)}
    controls = {f"c{i}": Control(f"Lead {i}", "length", "m", -10.0, 10.0) for i in range(leads)}
    picks = rng.integers(leads, size=(count, 3))
    links = {
        f"k{i}": Formula(
            f"p{i} move x", f"({{c{a}}} + {{c{b}}}) / 2 + sin({{c{c}}} / 1 m) * {i % 7 + 1} mm"
        )
        for i, (a, b, c) in enumerate(picks)
    }
    rig = Rig(parts=parts, controls=controls, links=links)
    program = compile_rig(rig, geometry_of)
    assert not program.faults, program.faults[0].text
    sizes = (np.arange(count) % 7 + 1.0)[:, None] * 1e-3
    # A control may be asked for what lies beyond its range: the values here do not.
    values = rng.uniform(-1, 1, size=(leads, 240))

    def by_hand(frames: int) -> np.ndarray:
        x = values[:, :frames]
        a, b, c = (x[picks[:, i]] for i in range(3))
        return (a + b) / 2 + np.sin(c / 1.0) * sizes

    rows: list[Row] = []
    for frames in (1, 240):
        inputs = {f"c{i}": values[i, :frames] for i in range(leads)}
        poses = evaluate(program, inputs)
        keys = [f"p{i} move x" for i in range(0, count, 997)]
        wanted = by_hand(frames)[::997]
        assert (
            max(np.abs(poses.channel(k) - w).max() for k, w in zip(keys, wanted, strict=True))
            < 1e-12
        )
        channels = ChannelsOnly(program, inputs)
        mine, other = against(channels.run, lambda f=frames: by_hand(f), 5)
        word = "one pose" if frames == 1 else f"{frames} frames"
        rows.append((
            f"(e) channels of 10,000 formulas of three leads, {word}",
            "the same arithmetic in NumPy, by hand",
            f"{mine * 1e3:.1f} ms", f"{other * 1e3:.1f} ms", f"{mine / other:.2f} ×",
        ))  # fmt: skip
    return rows


def trains() -> list[Row]:
    """(f) a train of 2,000 ratios, against one multiplication in NumPy; and its compiling."""
    count = 2_000
    rng = np.random.default_rng(6)
    parts = {f"p{i}": Part(f"Wheel {i}", joint=Joint("spin", "z")) for i in range(count + 1)}
    links = {}
    factor = np.ones(count + 1)
    for i in range(1, count + 1):
        above, ratio = int(rng.integers(i)), float(rng.choice([-1, 1]) * rng.uniform(0.8, 1.25))
        factor[i] = factor[above] * ratio
        links[f"k{i}"] = Ratio(f"p{above} turn z", f"p{i} turn z", ratio)
    program = compile_rig(Rig(parts=parts, links=links), geometry_of)
    inputs = {"p0 turn z": 0.3}
    poses = evaluate(program, inputs)
    row = [program.channel_row[f"p{i} turn z"] for i in range(count + 1)]
    assert np.allclose(poses.channels[row, 0], 0.3 * factor, rtol=1e-9)
    channels = ChannelsOnly(program, inputs)
    mine, other = against(channels.run, lambda: factor[:, None] * np.array([[0.3]]), 8)
    return [(
        "(f) a train of 2,000 ratios, one pose, channels", "one multiplication in NumPy",
        f"{mine * 1e3:.3f} ms", f"{other * 1e3:.3f} ms", f"{mine / other:.1f} ×",
    )]  # fmt: skip


def cams() -> list[Row]:
    """(i) 1,000 cams of 8 stations and 5 followers, against scipy's monotone cubics."""
    count, stations, led = 1_000, 8, 5
    rng = np.random.default_rng(80)
    rig, theirs = many_cams(count, stations, led)
    program = compile_rig(rig, geometry_of)
    first = np.array([spline.x[0] for spline in theirs])[:, None]
    last = np.array([spline.x[-1] for spline in theirs])[:, None]
    rows: list[Row] = []
    for frames in (1, 240):
        # Each lead goes to and fro between its first and last station, as in a shot.
        swing = np.sin(np.linspace(0, 3, frames)[None] + rng.uniform(0, 6, (count, 1)))
        leads = first + (swing + 1) / 2 * (last - first)
        channels = ChannelsOnly(program, {f"c{i}": leads[i] for i in range(count)})

        def spline(x: np.ndarray = leads) -> list[np.ndarray]:
            return [one(at) for one, at in zip(theirs, x, strict=True)]

        made, wanted = channels.run(), spline()
        row = program.channel_row[f"p{led * 7 + 2} move x"]
        assert np.abs(made[row] - wanted[7][:, 2]).max() < 1e-9
        mine, other = against(channels.run, spline, 6)
        word = "one pose" if frames == 1 else f"{frames} frames"
        rows.append((
            f"(i) channels of 1,000 cams of 8 stations and 5 followers, {word}",
            "`scipy.interpolate.PchipInterpolator`, the same splines",
            f"{mine * 1e3:.1f} ms", f"{other * 1e3:.1f} ms",
            f"{mine / other:.2f} ×",
        ))  # fmt: skip
    return rows


def compiling() -> list[Row]:
    """(g) compiling a rig of 10,000 links whole, against a plain parse of its file."""
    rig = hinged_tree(10_000)
    text = encode(rig)
    mine, other = against(lambda: compile_whole(rig, geometry_of), lambda: json.loads(text), 2)
    return [(
        "(g) compiling 10,000 parts with 10,000 links whole", "`json.loads` of the rig's file",
        f"{mine * 1e3:.0f} ms", f"{other * 1e3:.0f} ms",
        f"{mine / other:.1f} ×",
    )]  # fmt: skip


def demo() -> list[Row]:
    """(a) a pose of the demo, its controls anywhere, against the same tree in mujoco."""
    rig = decode(KEPT.read_bytes())
    program = compile_rig(rig, geometry_of)
    rng = np.random.default_rng(1)
    every = [
        {c: float(rng.uniform(k.low, k.high)) for c, k in rig.controls.items()} for _ in range(20)
    ]
    mine = best(lambda: [evaluate(program, inputs).worlds for inputs in every], 8) / len(every)
    count = len(program.part_ids)
    tree = hinged_tree(count)
    model, data = in_mujoco(tree)
    other = best(lambda: mujoco.mj_kinematics(model, data), 60)
    return [(
        "(a) a pose of the demo, its controls anywhere: loops, constraints, cams and all",
        f"`mujoco.mj_kinematics` of a plain tree of as many parts ({count})",
        f"{mine * 1e3:.2f} ms", f"{other * 1e3:.3f} ms", f"{mine / other:.0f} ×",
    )]  # fmt: skip


def growth() -> list[Row]:
    """(a) what a pose takes at once, ten and a hundred times as many, by what there is many of."""
    rows: list[Row] = []
    for word, made, sizes in (
        ("hinged parts", hinged_tree, (100, 1_000, 10_000)),
        ("cams of 8 stations and 5 followers", lambda n: many_cams(n, 8, 5)[0], (10, 100, 1_000)),
        ("four-bars", many_four_bars, (2, 20, 200)),
    ):
        took = []
        for count in sizes:
            rig = made(count)
            program = compile_rig(rig, geometry_of)
            inputs = dict.fromkeys(list(rig.controls), 0.3)
            took.append(best(lambda p=program, i=inputs: evaluate(p, i).worlds, 20))
        times = ", ".join(f"{one * 1e3:.3f}" for one in took)
        rows.append((
            f"(a) one pose of {', '.join(f'{n:,}' for n in sizes)} {word}: {times} ms", "itself",
            f"{took[2] * 1e3:.2f} ms", f"{took[1] * 1e3:.2f} ms", f"{took[2] / took[1]:.1f} ×",
        ))  # fmt: skip
    return rows
