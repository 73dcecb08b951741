"""The measurements: ratios against named libraries in the same run, and a table of them.

Writes docs/measurements.md. Needs a screen (make bench gives it a virtual one).
"""

from __future__ import annotations

import compileall
import datetime
import json
import os
import platform
import statistics
import subprocess
import sys
import time
from pathlib import Path

import moderngl
import msgspec
import mujoco
import numpy as np
import trimesh
from again import again
from measuring import HINGES_A_CONTROL, Row, against, best, hinged_tree, many_cams
from over_time import over_time
from scipy.optimize import least_squares

import gremio
from gremio.core.edit.builder import shape
from gremio.core.files.rig_file import encode
from gremio.core.files.sources import model_shelf
from gremio.core.frames import Frame
from gremio.core.rig.channels import MOVES, TURNS
from gremio.core.rig.find import part_id
from gremio.core.rig.model import (
    Control,
    Formula,
    Joint,
    Part,
    Ratio,
    Rig,
    Seat,
    Shape,
    Target,
)
from gremio.core.rig.solids import Box, Plate
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig, compile_whole
from gremio.core.solve.evaluate import evaluate, evaluate_channels
from gremio.desktop.bench.camera import Camera, framed, view_projection
from gremio.desktop.bench.renderer import Renderer
from gremio.desktop.bench.scene import corners_of, scene_of
from gremio.desktop.theme.inks import DAY

ROOT = Path(__file__).parent.parent
SIZE = (1280, 800)


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
                f"{ratio:.2f} ×" + (" (goal ≤ 3 ×)" if count == 10_000 else ""),
            )
        )
        if count == 1_000:
            rows.append(frames_row(program, inputs, model, data, joints))
    growth = single[10_000] / single[1_000]
    rows.append(
        ("(a) growth from 1,000 to 10,000 parts", "itself", "", "", f"{growth:.1f} × (goal ≤ 11 ×)")
    )
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
    for frames, goal in ((1, ""), (240, " (goal ≤ 3 ×)")):
        inputs = {f"c{i}": values[i, :frames] for i in range(leads)}
        poses = evaluate(program, inputs)
        keys = [f"p{i} move x" for i in range(0, count, 997)]
        wanted = by_hand(frames)[::997]
        assert (
            max(np.abs(poses.channel(k) - w).max() for k, w in zip(keys, wanted, strict=True))
            < 1e-12
        )
        channels = _ChannelsOnly(program, inputs)
        mine, other = against(channels.run, lambda f=frames: by_hand(f), 5)
        word = "one pose" if frames == 1 else f"{frames} frames"
        rows.append((
            f"(e) channels of 10,000 formulas of three leads, {word}",
            "the same arithmetic in NumPy, by hand",
            f"{mine * 1e3:.1f} ms", f"{other * 1e3:.1f} ms", f"{mine / other:.2f} ×{goal}",
        ))  # fmt: skip
    return rows


class _ChannelsOnly:
    """Runs a program's links without its world frames, which NumPy by hand has none of."""

    def __init__(self, program, inputs) -> None:
        self.program, self.inputs = program, inputs

    def run(self) -> np.ndarray:
        return evaluate_channels(self.program, self.inputs)[0]


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
    channels = _ChannelsOnly(program, inputs)
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
    for frames, goal in ((1, 3), (240, 1)):
        # Each lead goes to and fro between its first and last station, as in a shot.
        swing = np.sin(np.linspace(0, 3, frames)[None] + rng.uniform(0, 6, (count, 1)))
        leads = first + (swing + 1) / 2 * (last - first)
        channels = _ChannelsOnly(program, {f"c{i}": leads[i] for i in range(count)})

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
            f"{mine / other:.2f} × (goal ≤ {goal} ×)",
        ))  # fmt: skip
    return rows


def dragging() -> list[Row]:
    """(j) a control dragged on the Desk in a rig of 1,000 parts: from event to painted frame,
    and where the time goes; against the painting of one frame alone."""
    from PyQt6.QtCore import QPointF, Qt
    from PyQt6.QtTest import QTest
    from PyQt6.QtWidgets import QApplication

    from gremio.desktop.bench.overlay import Overlay
    from gremio.desktop.document.document import Document
    from gremio.desktop.shell.app import make_application
    from gremio.desktop.shell.window import Window

    app = make_application()
    plain = hinged_tree(1_000)
    box = (Shape(Plate(length=0.4, width=0.3, thickness=0.05)),)
    parts = {i: msgspec.structs.replace(part, shapes=box) for i, part in plain.parts.items()}
    window = Window()
    window.move(0, 0)
    window.show()
    window.show_rig(msgspec.structs.replace(plain, parts=parts))
    spent: dict[str, float] = {}

    def timed(owner: type, name: str, word: str) -> None:
        run = getattr(owner, name)

        def measured(self, *args, **kwargs):  # type: ignore[no-untyped-def]
            start = time.perf_counter()
            try:
                return run(self, *args, **kwargs)
            finally:
                spent[word] = spent.get(word, 0.0) + time.perf_counter() - start

        setattr(owner, name, measured)

    timed(Document, "move_all", "the edit, solving and telling the views")
    timed(type(window.bench), "paintGL", "drawing the Bench")
    timed(Overlay, "paintEvent", "drawing over it")
    drawn: list[float] = []
    window.bench.frame_drawn.connect(lambda: drawn.append(time.perf_counter()))
    end = time.perf_counter() + 2
    while time.perf_counter() < end:
        app.processEvents()
    instrument = next(iter(window.desk.instruments.values()))
    handle = window.windowHandle()

    def spot(share: float):  # type: ignore[no-untyped-def]
        body = instrument.body()
        at = QPointF(body.left() + share * body.width(), body.center().y())
        return instrument.mapTo(window, at).toPoint()

    QTest.mousePress(handle, Qt.MouseButton.LeftButton, pos=spot(0.5))
    took: list[float] = []
    spent.clear()
    for step in range(200):
        drawn.clear()
        start = time.perf_counter()
        # A pixel or more further each time, to and fro.
        QTest.mouseMove(handle, spot(0.1 + 0.8 * abs((step / 60) % 2 - 1)))
        while not drawn and time.perf_counter() - start < 5:
            QApplication.processEvents()
        assert drawn, "no frame was drawn"
        took.append(drawn[0] - start)
    shares = {word: total / sum(took) for word, total in spent.items()}
    QTest.mouseRelease(handle, Qt.MouseButton.LeftButton, pos=spot(0.5))
    alone = []
    for _ in range(60):
        drawn.clear()
        start = time.perf_counter()
        window.bench.update()
        while not drawn and time.perf_counter() - start < 5:
            QApplication.processEvents()
        assert drawn, "no frame was drawn"
        alone.append(drawn[0] - start)
    window.document.start(Rig(), None)
    window.close()
    median, worst, frame = statistics.median(took), max(took), statistics.median(alone)
    where = ", ".join(f"{word} {share:.0%}" for word, share in shares.items())
    rest = max(1 - sum(shares.values()), 0.0)
    return [(
        f"(j) a control dragged among 1,000 parts, event to painted frame, 200 times; {where}, "
        f"all else {rest:.0%}",
        "painting one still, anti-aliased frame of it",
        f"{median * 1e3:.0f} ms median, {worst * 1e3:.0f} ms worst", f"{frame * 1e3:.0f} ms",
        f"{median / frame:.2f} ×, worst {worst / frame:.2f} ×",
    )]  # fmt: skip


LENGTHS = (0.40, 1.20, 0.80, 1.00)
CRANK, ROD, ROCKER = (np.radians(v) for v in (40.0, 20.298, 57.325))


def four_bar(build: gremio.Builder, at: float = 0.0, name: str = "") -> None:
    """A four-bar linkage: crank, coupler, rocker, pinned together."""
    a, b, c, d = LENGTHS
    build.part(f"Crank{name}", at=(0, at, 0), turned=(0, 0, CRANK), joint="spin z")
    build.part(f"Coupler{name}", on=f"Crank{name}", at=(a, 0, 0), turned=(0, 0, ROD - CRANK),
               joint="spin z")  # fmt: skip
    build.part(f"Rocker{name}", at=(d, at, 0), turned=(0, 0, ROCKER), joint="spin z")
    build.rig = gremio.pin(build.rig, f"Coupler{name}", f"Rocker{name}", (b, 0, 0), (c, 0, 0))


def closed_form(crank: np.ndarray) -> np.ndarray:
    """The angle of the rocker, in closed form (a textbook's)."""
    a, b, c, d = LENGTHS
    k1, k2, k3 = d / a, d / c, (a * a - b * b + c * c + d * d) / (2 * a * c)
    p = np.cos(crank) - k1 - k2 * np.cos(crank) + k3
    q, r = -2 * np.sin(crank), k1 - (k2 + 1) * np.cos(crank) + k3
    return 2 * np.arctan2(-q - np.sqrt(q * q - 4 * p * r), 2 * p)


def linkages() -> list[Row]:
    """(k) closed linkages: one for many angles, many at once, and a tall one."""
    build = gremio.Builder("Four-bar")
    four_bar(build)
    program = compile_rig(build.rig, geometry_of)
    crank = np.linspace(0, 2 * np.pi, 10_000)
    channels = _ChannelsOnly(program, {"p1 turn z": crank})
    row = program.channel_row["p3 turn z"]
    off = channels.run()[row] + ROCKER - closed_form(crank + CRANK)
    assert np.abs((off + np.pi) % (2 * np.pi) - np.pi).max() < 1e-9
    mine, other = against(channels.run, lambda: closed_form(crank + CRANK), 4)
    a, b, c, d = LENGTHS

    def gap(q: np.ndarray, angle: float) -> list[float]:
        return [
            a * np.cos(angle) + b * np.cos(q[0]) - d - c * np.cos(q[1]),
            a * np.sin(angle) + b * np.sin(q[0]) - c * np.sin(q[1]),
        ]

    few = crank[::50] + CRANK

    def one_by_one() -> None:
        q = np.array([ROD, ROCKER])
        for angle in few:
            q = least_squares(gap, q, args=(angle,), xtol=1e-14, ftol=1e-14, gtol=1e-14).x

    slow = best(one_by_one, 2) * len(crank) / len(few)
    rows: list[Row] = [
        ("(k) a four-bar for 10,000 crank angles", "its closed form in NumPy",
         f"{mine * 1e3:.0f} ms", f"{other * 1e3:.2f} ms", f"{mine / other:.0f} × (goal ≤ 200 ×)"),
        ("(k) a four-bar for 10,000 crank angles",
         f"`scipy.optimize.least_squares` an angle, {len(few)} of them",
         f"{mine * 1e3:.0f} ms", f"{slow:.1f} s", f"{slow / mine:.0f} × faster (goal ≥ 50 ×)"),
    ]  # fmt: skip
    build = gremio.Builder("Many")
    for i in range(200):
        four_bar(build, float(i), f" {i}")
    many = compile_rig(build.rig, geometry_of)
    cranks = {
        f"{part} turn z": 0.3 for part, entry in build.rig.parts.items() if "Crank" in entry.name
    }
    tree = hinged_tree(1_000)
    open_tree = compile_rig(tree, geometry_of)
    inputs = dict.fromkeys(tree.controls, 0.1)
    mine, other = against(
        lambda: evaluate(many, cranks).worlds, lambda: evaluate(open_tree, inputs).worlds, 4
    )
    rows.append((
        "(k) 200 four-bars in one rig, one pose, 0.3 rad from home",
        "its own pose of 1,000 hinged parts without loops",
        f"{mine * 1e3:.1f} ms", f"{other * 1e3:.2f} ms", f"{mine / other:.1f} ×",
    ))  # fmt: skip
    lift = compile_rig(scissor(40), geometry_of)
    drawn = np.linspace(0, -0.6, 24)
    heights = evaluate(lift, {"p1 move x": drawn})
    top = heights.worlds[:, lift.part_row[part_id(lift.rig, "A39")]] @ np.array([1.0, 0, 0, 1])
    wanted = 40 * np.sqrt(1 - (np.cos(0.2) + drawn) ** 2)
    assert np.abs(top[:, 2] - wanted).max() < 1e-8
    pose = _ChannelsOnly(lift, {"p1 move x": -0.6})
    mine = best(pose.run, 3)
    rows.append((
        "(k) a scissor lift of 40 stages, 80 joints solved together, one pose at full height",
        "n·L·sin θ, to 1e-8 m", f"{mine * 1e3:.0f} ms", "", "",
    ))  # fmt: skip
    return rows


def scissor(stages: int) -> Rig:
    """A scissor lift of arms a metre long, low at home."""
    low = 0.2
    build = gremio.Builder("Lift")
    build.part("Nut", at=(np.cos(low), 0, 0), joint="slide x")
    turn = {"up": -low, "down": low - np.pi}
    left, right = "Nut", ""
    for stage in range(stages):
        first = stage == 0
        at = (0.0 if first else 1.0, 0, 0)
        build.part(f"A{stage}", on=None if first else left, at=at, joint="hinge y",
                   turned=(0, turn["up"] - (0.0 if first else turn["down"]), 0))  # fmt: skip
        build.part(f"B{stage}", on=right or left, at=at, joint="hinge y",
                   turned=(0, turn["down"] - (0.0 if first else turn["up"]), 0))  # fmt: skip
        build.rig = gremio.pin(build.rig, f"A{stage}", f"B{stage}", (0.5, 0, 0), (0.5, 0, 0))
        left, right = f"B{stage}", f"A{stage}"
    return build.rig


def seats() -> list[Row]:
    """(l) 500 parts seated on a surface of 100,000 triangles, one pose."""
    from gremio.core.shape.geometry import Geometry

    grid = np.linspace(-1, 1, 224)
    x, y = np.meshgrid(grid, grid, indexing="ij")
    vertices = np.stack([x, y, 0.2 * np.sin(3 * x) * np.cos(4 * y)], axis=-1).reshape(-1, 3)
    corner = (np.arange(223)[:, None] * 224 + np.arange(223)).ravel()
    square = np.stack([corner, corner + 224, corner + 225, corner + 1], axis=1)
    triangles = np.concatenate([square[:, [0, 1, 2]], square[:, [0, 2, 3]]])
    hill = Geometry(vertices, triangles)
    random = np.random.default_rng(1)
    places = np.column_stack([random.uniform(-1, 1, (500, 2)), random.uniform(-0.5, 0.5, 500)])
    build = gremio.Builder("Seats")
    build.part("Hill", shape(Box(length=2, width=2, height=0.4)))
    for i, at in enumerate(places):
        build.part(f"Bolt {i}", at=[float(v) for v in at], joint="free")
    rig = build.rig
    seated = {
        f"x{i}": Seat(f"Seat {i}", part, (*MOVES, *TURNS), targets=(Target("p1"),))
        for i, part in enumerate(list(rig.parts)[1:])
    }
    program = compile_rig(msgspec.structs.replace(rig, constraints=seated), lambda _solid: hill)
    mesh = trimesh.Trimesh(vertices, triangles, process=False)
    theirs = trimesh.proximity.closest_point(mesh, places)[0]
    ours = evaluate(program, {}).worlds[0, 1:, :3, 3]
    away = [np.linalg.norm(found - places, axis=1) for found in (ours, theirs)]
    # Never farther off than the other; nearer by some 1e-8 m, for it cuts that off.
    assert (away[0] - away[1]).max() < 1e-12
    mine, other = against(
        lambda: evaluate(program, {}).worlds,
        lambda: trimesh.proximity.closest_point(mesh, places), 3,
    )  # fmt: skip
    return [(
        f"(l) 500 parts seated on a surface of {len(triangles):,} triangles, one pose, turned "
        "along its normals", "`trimesh.proximity.closest_point`, the same places alone",
        f"{mine * 1e3:.1f} ms", f"{other * 1e3:.0f} ms", f"{mine / other:.3f} × (goal ≤ 1 ×)",
    )]  # fmt: skip


def compiling() -> list[Row]:
    """(g) compiling a rig of 10,000 links whole, against a plain parse of its file."""
    rig = hinged_tree(10_000)
    text = encode(rig)
    mine, other = against(lambda: compile_whole(rig, geometry_of), lambda: json.loads(text), 2)
    return [(
        "(g) compiling 10,000 parts with 10,000 links whole", "`json.loads` of the rig's file",
        f"{mine * 1e3:.0f} ms", f"{other * 1e3:.0f} ms",
        f"{mine / other:.1f} × ({mine:.2f} s; goal ≤ 1 s)",
    )]  # fmt: skip


def ledger() -> list[Row]:
    """(h) scrolling the Ledger of 10,000 rows: how many rows are made for a page."""
    from PyQt6.QtWidgets import QApplication

    from gremio.desktop.deck.ledger_page import LedgerPage
    from gremio.desktop.document.document import Document
    from gremio.desktop.shell.app import make_application

    app = make_application()
    document = Document()
    document.start(hinged_tree(10_000), None)
    page = LedgerPage(document)
    page.resize(1000, 220)
    asked: set[int] = set()
    table, plain = page.table, page.table.data

    def counted(index, role=0):  # type: ignore[no-untyped-def]
        asked.add(index.row())
        return plain(index, role)

    table.data = counted  # type: ignore[method-assign]
    page.show()
    QApplication.processEvents()

    def scroll() -> None:
        for value in range(0, 9_000, 300):
            page.view.verticalScrollBar().setValue(value)
            app.processEvents()

    asked.clear()
    duration = best(scroll, 2)
    rows = len(asked)
    page.close()
    assert 0 < rows < 2_000, f"{rows} rows were made"
    return [(
        "(h) Ledger of 10,000 rows, 30 pages scrolled", "all its rows",
        f"{rows:,} rows made, {duration * 1e3 / 30:.0f} ms a page", "10,000 rows",
        f"{rows / 10_000:.2f} ×",
    )]  # fmt: skip


PLAIN_VERTEX = """
#version 330
uniform mat4 seen;
in vec3 position;
in vec3 normal;
out vec3 n;
void main() { n = normal; gl_Position = seen * vec4(position, 1.0); }
"""
PLAIN_FRAGMENT = """
#version 330
in vec3 n;
out vec4 colour;
void main() { colour = vec4(vec3(0.5 + 0.5 * normalize(n).z), 1.0); }
"""


def drawing() -> list[Row]:
    """(c) a Bench frame: 500 moving parts, about 100,000 triangles."""
    parts = {}
    for index in range(500):
        at = (float(index % 25), float(index // 25), 0.5)
        # A different solid each, so that nothing is gained by drawing one many times.
        size = 0.5 + index * 1e-4
        solid = Plate(length=size, width=0.6, thickness=0.1, holes=((0.0, 0.0, 0.3),))
        parts[f"p{index}"] = Part(
            f"Part {index}", None, Frame(at), Joint("spin", "x"), shapes=(Shape(solid),)
        )
    rig = Rig(parts=parts)
    program = compile_rig(rig, geometry_of)
    scene = scene_of(rig, program.part_row, model_shelf())
    triangles = sum(len(batch.geometry.triangles) for batch in scene.batches)
    context = moderngl.create_context(standalone=True, backend="egl")
    renderer = Renderer(context)
    renderer.load(scene)
    renderer.load_on()
    target = context.framebuffer(context.renderbuffer(SIZE, 4), context.depth_renderbuffer(SIZE))
    pose = evaluate(program, {}).frame(0)
    camera = framed(Camera(), SIZE, corners_of(scene, pose))
    steps = iter(range(10**9))

    def frame(smooth: bool) -> None:
        turn = next(steps) * 0.01
        moved = evaluate(program, dict.fromkeys(program.channel_keys, turn)).frame(0)
        renderer.draw(target, SIZE, camera, scene.instances(moved, {}), DAY, smooth)
        context.finish()

    corners = np.concatenate(
        [
            np.concatenate(
                [
                    b.geometry.vertices[b.geometry.triangles]
                    + pose.worlds[scene.parts[b.first]][:3, 3],
                    b.geometry.corner_normals,
                ],
                axis=2,
            ).reshape(-1, 6)
            for b in scene.batches
        ]
    )
    plain = context.program(vertex_shader=PLAIN_VERTEX, fragment_shader=PLAIN_FRAGMENT)
    buffer = context.buffer(corners.astype("<f4").tobytes())
    array = context.vertex_array(plain, [(buffer, "3f 3f", "position", "normal")])
    plain["seen"].write(view_projection(camera, SIZE).T.astype("<f4").tobytes())

    def bare() -> None:
        target.use()
        target.clear(1.0, 1.0, 1.0, depth=1.0)
        context.enable(moderngl.DEPTH_TEST)
        array.render()
        context.finish()

    rows: list[Row] = []
    for smooth, word in ((False, "while it moves"), (True, "at rest, anti-aliased")):
        frame(smooth)
        ours, theirs = against(lambda s=smooth: frame(s), bare, 4)
        rows.append(
            (
                f"(c) Bench frame {word}, 500 parts, {triangles:,} triangles, inked edges",
                "`moderngl`, one still buffer, no edges",
                f"{ours * 1e3:.0f} ms",
                f"{theirs * 1e3:.0f} ms",
                f"{ours / theirs:.1f} ×",
            )
        )
    context.release()
    return rows


OURS = """
import os
from gremio.desktop.shell.app import make_application, make_window
app = make_application()
window = make_window(demo=DEMO)
window.bench.frame_drawn.connect(lambda: os._exit(0))
window.show()
app.exec()
"""
BARE = """
import os
import moderngl
from PyQt6.QtGui import QSurfaceFormat
from PyQt6.QtOpenGLWidgets import QOpenGLWidget
from PyQt6.QtWidgets import QApplication
form = QSurfaceFormat()
form.setVersion(3, 3)
form.setProfile(QSurfaceFormat.OpenGLContextProfile.CoreProfile)
QSurfaceFormat.setDefaultFormat(form)
app = QApplication([])
class Bare(QOpenGLWidget):
    def initializeGL(self):
        self.context = moderngl.create_context(require=330)
    def paintGL(self):
        self.context.clear(0.95, 0.94, 0.9)
        os._exit(0)
window = Bare()
window.resize(1280, 800)
window.show()
app.exec()
"""


def starting() -> list[Row]:
    """(d) from process start to the first frame: an empty rig, and the demo."""
    # As installed: pip compiles the libraries, so Gremio is compiled as well.
    compileall.compile_dir(ROOT / "src" / "gremio", quiet=1)
    codes = {
        "an empty rig": OURS.replace("DEMO", "False"),
        "the demo": OURS.replace("DEMO", "True"),
        "bare": BARE,
    }
    took: dict[str, list[float]] = {word: [] for word in codes}
    for round_ in range(8):
        for word, code in codes.items():
            start = time.perf_counter()
            subprocess.run([sys.executable, "-c", code], check=True, timeout=60)
            if round_:
                took[word].append(time.perf_counter() - start)
    bare = statistics.median(took.pop("bare"))
    return [
        (f"(d) process start to first frame, with {word}", "bare `PyQt6` + `moderngl` window",
         f"{statistics.median(own):.2f} s", f"{bare:.2f} s",
         f"{statistics.median(own) / bare:.2f} × (goal ≤ 2.5 ×)")
        for word, own in took.items()
    ]  # fmt: skip


def apart(script: str, *about: str) -> list[Row]:
    """A measurement made in a process of its own: a window and a picture without one do not
    share their OpenGL."""
    command = [sys.executable, str(Path(__file__).with_name(script)), *about]
    done = subprocess.run(command, check=True, timeout=900, capture_output=True, text=True)
    return [tuple(row) for row in json.loads(done.stdout.splitlines()[-1])]


def main() -> None:
    """Measure, print, and write the table."""
    rows = [
        *solving(), *formulas(), *trains(), *cams(), *linkages(), *seats(), *over_time(),
        *compiling(),
        *drawing(), *ledger(),
        *apart("bench.py", "dragging"), *apart("editing.py"), *apart("scrubbing.py"),
        *again(), *starting(),
    ]  # fmt: skip
    head = ("what", "against", "Gremio", "the other", "ratio")
    lines = ["| " + " | ".join(row) + " |" for row in (head, ("---",) * 5, *rows)]
    when = datetime.datetime.now(tz=datetime.UTC).date().isoformat()
    machine = f"{os.cpu_count()} cores, {platform.machine()}, Python {platform.python_version()}"
    text = "\n".join(
        [
            "# Measurements",
            "",
            f"Made by `make bench` on {when}; {machine}, software OpenGL (llvmpipe), shared "
            "and noisy, so the ratios count and the times do not. All but (d), (j) and (m) are the "
            "least of many runs taken in turns; (d) is the median of seven. In (a) and (b) each "
            f"control leads {HINGES_A_CONTROL} hinges, and world frames agree to 1e-9.",
            "",
            *lines,
            "",
        ]
    )
    (ROOT / "docs" / "measurements.md").write_text(text)
    print(text)


if __name__ == "__main__":
    if sys.argv[1:] == ["dragging"]:
        print(json.dumps(dragging()))
    else:
        main()
