"""Measurements of a frame of the Bench."""

from __future__ import annotations

import moderngl
import numpy as np
from measuring import Row, against

from gremio.core.files.sources import model_shelf
from gremio.core.frames import Frame
from gremio.core.rig.model import (
    Joint,
    Part,
    Rig,
    Shape,
)
from gremio.core.rig.solids import Plate
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.desktop.bench.camera import Camera, framed, view_projection
from gremio.desktop.bench.renderer import Renderer
from gremio.desktop.bench.scene import corners_of, scene_of
from gremio.desktop.theme.inks import DAY

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


SIZE = (1280, 800)


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
