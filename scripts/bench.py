"""The measurements: ratios against named libraries in the same run, and a table of them.

Writes docs/measurements.md. Needs a screen (make bench gives it a virtual one).
"""

from __future__ import annotations

import compileall
import datetime
import os
import platform
import statistics
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import moderngl
import mujoco
import numpy as np

from gremio.core.files.shelf import Shelf
from gremio.core.frames import Frame
from gremio.core.rig.model import Control, Joint, Part, Ratio, Rig, Shape
from gremio.core.rig.solids import Plate
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.program import compile_rig
from gremio.desktop.bench.camera import Camera, framed, view_projection
from gremio.desktop.bench.renderer import Renderer
from gremio.desktop.bench.scene import corners_of, scene_of
from gremio.desktop.theme.inks import DAY

ROOT = Path(__file__).parent.parent
SIZE = (1280, 800)
HINGES_A_CONTROL = 100

Row = tuple[str, str, str, str, str]


def best(run: Callable[[], object], times: int) -> float:
    """The least of several durations (s): what the work takes when nothing disturbs it."""
    durations = []
    for _ in range(times):
        start = time.perf_counter()
        run()
        durations.append(time.perf_counter() - start)
    return min(durations)


def against(
    ours: Callable[[], object], theirs: Callable[[], object], times: int
) -> tuple[float, float]:
    """Least durations of both, in turns, so that both meet the same disturbances."""
    mine, other = [], []
    for _ in range(times):
        mine.append(best(ours, 3))
        other.append(best(theirs, 3))
    return min(mine), min(other)


def hinged_tree(count: int) -> Rig:
    """A tree with three children a part; each hinge is led by a control through a ratio."""
    rng = np.random.default_rng(count)
    parts: dict[str, Part] = {}
    links: dict[str, Ratio] = {}
    controls = {
        f"c{i}": Control(f"Control {i}", "angle", "deg", -10.0, 10.0)
        for i in range(-(-count // HINGES_A_CONTROL))
    }
    for index in range(count):
        turn = rng.normal(size=4)
        turn /= np.linalg.norm(turn)
        parent = f"p{(index - 1) // 3}" if index else None
        mount = Frame(tuple(rng.normal(size=3)), tuple(turn))
        parts[f"p{index}"] = Part(f"Part {index}", parent, mount, Joint("hinge", "z"))
        control = f"c{index // HINGES_A_CONTROL}"
        links[f"k{index}"] = Ratio(control, f"p{index} turn z", float(rng.uniform(-2, 2)))
    return Rig(parts=parts, controls=controls, links=links)


def in_mujoco(rig: Rig) -> tuple[mujoco.MjModel, mujoco.MjData]:
    """The same tree in mujoco, its bodies in the same order."""
    spec = mujoco.MjSpec()
    bodies = {}
    for part_id, part in rig.parts.items():
        above = bodies[part.parent] if part.parent else spec.worldbody
        body = above.add_body(name=part_id, pos=part.mount.at, quat=part.mount.turn)
        body.mass, body.inertia, body.explicitinertial = 1.0, [1, 1, 1], True
        body.add_joint(name=part_id, type=mujoco.mjtJoint.mjJNT_HINGE, axis=[0, 0, 1])
        bodies[part_id] = body
    model = spec.compile()
    return model, mujoco.MjData(model)


def solving() -> list[Row]:
    """(a) one pose, and (b) 240 frames of the middle one."""
    rows: list[Row] = []
    single: dict[int, float] = {}
    for count in (100, 1_000, 10_000):
        rig = hinged_tree(count)
        program = compile_rig(rig)
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
    program = compile_rig(rig)
    scene = scene_of(rig, program.part_row, Shelf())
    triangles = sum(len(batch.geometry.triangles) for batch in scene.batches)
    context = moderngl.create_context(standalone=True, backend="egl")
    renderer = Renderer(context)
    renderer.load(scene)
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
from gremio.desktop.app import make_application, make_window
app = make_application()
window = make_window(demo=True)
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
    """(d) from process start to the first frame."""
    # As installed: pip compiles the libraries, so Gremio is compiled as well.
    compileall.compile_dir(ROOT / "src" / "gremio", quiet=1)
    ours, theirs = [], []
    for round_ in range(8):
        for code, durations in ((OURS, ours), (BARE, theirs)):
            start = time.perf_counter()
            subprocess.run([sys.executable, "-c", code], check=True, timeout=60)
            if round_:
                durations.append(time.perf_counter() - start)
    mine, other = statistics.median(ours), statistics.median(theirs)
    return [
        ("(d) process start to first frame, with the demo", "bare `PyQt6` + `moderngl` window",
         f"{mine:.2f} s", f"{other:.2f} s", f"{mine / other:.2f} × (goal ≤ 2.5 ×)")
    ]  # fmt: skip


def main() -> None:
    """Measure, print, and write the table."""
    rows = [*solving(), *drawing(), *starting()]
    head = ("what", "against", "Gremio", "the other", "ratio")
    lines = ["| " + " | ".join(row) + " |" for row in (head, ("---",) * 5, *rows)]
    when = datetime.datetime.now(tz=datetime.UTC).date().isoformat()
    machine = f"{os.cpu_count()} cores, {platform.machine()}, Python {platform.python_version()}"
    text = "\n".join(
        [
            "# Measurements",
            "",
            f"Made by `make bench` on {when}; {machine}, software OpenGL (llvmpipe), shared and "
            "noisy, so the ratios count and the times do not. (a) to (c) are the least of many "
            "runs taken in turns, (d) the median of seven. In (a) and (b) each control leads "
            f"{HINGES_A_CONTROL} hinges, and world frames agree to 1e-9.",
            "",
            *lines,
            "",
        ]
    )
    (ROOT / "docs" / "measurements.md").write_text(text)
    print(text)


if __name__ == "__main__":
    main()
