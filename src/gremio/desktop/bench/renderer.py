"""Drawing a scene with OpenGL, into any framebuffer: a window's, or one without a display."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

import moderngl
import numpy as np

from gremio.core.arrays import Array
from gremio.core.shape.geometry import Geometry
from gremio.core.surfaces.shown import Shown
from gremio.desktop.bench.camera import Camera, Size, view_projection
from gremio.desktop.bench.scene import INSTANCE, SELECTED, Batch, Instances, Scene
from gremio.desktop.theme.inks import Inks, rgb

_SHADERS = Path(__file__).parent / "shaders"
_INSTANCE_FILL = "4f 4f 4f 3f 4x 1u 1f /i"
_INSTANCE_EDGE = "4f 4f 4f 12x 1f 4x 1f /i"
_SAMPLES = 4
_OVER = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA, moderngl.ONE, moderngl.ONE


class _Drawn(NamedTuple):
    """One surface on the graphics side. places: the buffer of its instances. picture: of what it
    wears, if anything."""

    geometry: Geometry
    wears: Shown | None
    picture: moderngl.Texture | None
    fill: moderngl.VertexArray
    mark: moderngl.VertexArray
    edge: moderngl.VertexArray | None
    places: moderngl.Buffer


class Renderer:
    """Keeps a scene's surfaces on the graphics side and draws them.

    All calls need the OpenGL context it was made with to be current.
    """

    def __init__(self, context: moderngl.Context) -> None:
        self.context = context
        # What is no longer referred to is freed at the next frame, when the context is current.
        context.gc_mode = "context_gc"
        self.fill = self._program("fill.vert", "fill.frag")
        self.worn = self._program("worn.vert", "worn.frag")
        self.mark = self._program("fill.vert", "mark.frag")
        self.edge = self._program("edge.vert", "edge.frag", "edge.geom")
        self.ground = self._program("ground.vert", "ground.frag")
        self._drawn: dict[tuple[int, int], _Drawn] = {}
        self._smooth: tuple[Size, moderngl.Framebuffer] | None = None
        self._marks: tuple[Size, moderngl.Framebuffer] | None = None
        self._ruling: tuple[tuple[float, ...], moderngl.VertexArray] | None = None
        self.scene: Scene | None = None

    def _program(self, vertex: str, fragment: str, geometry: str = "") -> moderngl.Program:
        return self.context.program(
            vertex_shader=(_SHADERS / vertex).read_text(),
            fragment_shader=(_SHADERS / fragment).read_text(),
            geometry_shader=(_SHADERS / geometry).read_text() if geometry else None,
        )

    def load(self, scene: Scene) -> None:
        """Make a scene the one that is drawn; surfaces it shares with the last are kept."""
        kept: dict[tuple[int, int], _Drawn] = {}
        for batch in scene.batches:
            known = self._drawn.get(_key(batch))
            size = batch.count * INSTANCE.itemsize
            if known is None or known.places.size < size:
                known = self._upload(batch.geometry, batch.wears, size)
            kept[_key(batch)] = known
        self._drawn = kept
        self.scene = scene

    def _upload(self, geometry: Geometry, wears: Shown | None, size: int) -> _Drawn:
        context = self.context
        corners = np.concatenate(
            [geometry.vertices[geometry.triangles], geometry.corner_normals], axis=2
        )
        surface = context.buffer(corners.astype("<f4").tobytes())
        places = context.buffer(reserve=max(size, INSTANCE.itemsize), dynamic=True)
        rows = ("row_x", "row_y", "row_z")
        content = [
            (surface, "3f 3f", "position", "normal"),
            (places, _INSTANCE_FILL, *rows, "paint", "mark", "state"),
        ]
        fill, mark = (
            context.vertex_array(program, content, skip_errors=True)
            for program in (self.fill, self.mark)
        )
        picture = None
        if wears is not None:
            worn = np.concatenate([wears.laid, wears.tint], axis=2)
            dress = context.buffer(worn.astype("<f4").tobytes())
            fill = context.vertex_array(
                self.worn, [*content, (dress, "2f 4f", "laid", "tint")], skip_errors=True
            )
            picture = self._picture(wears)
        edge = None
        edges = geometry.edges
        if len(edges.ends):
            ends = np.zeros((len(edges.ends), 2, 10), dtype="<f4")
            ends[:, :, :3] = geometry.vertices[edges.ends]
            ends[:, :, 3:9] = edges.normals.reshape(-1, 1, 6)
            ends[:, :, 9] = edges.sharp[:, None]
            line = context.buffer(ends.tobytes())
            edge = context.vertex_array(
                self.edge,
                [
                    (line, "3f 3f 3f 1f", "position", "normal_one", "normal_two", "sharp"),
                    (places, _INSTANCE_EDGE, *rows, "weight", "state"),
                ],
            )
        return _Drawn(geometry, wears, picture, fill, mark, edge, places)

    def _picture(self, wears: Shown) -> moderngl.Texture:
        pixels = np.ascontiguousarray(wears.pixels)
        made = self.context.texture((pixels.shape[1], pixels.shape[0]), 4, pixels.tobytes())
        made.build_mipmaps()
        made.anisotropy = 4.0
        made.repeat_x, made.repeat_y = (wrap == "repeat" for wrap in wears.wrap)
        return made

    def draw(
        self,
        target: moderngl.Framebuffer,
        size: Size,
        camera: Camera,
        instances: Instances,
        inks: Inks,
        smooth: bool,
        scale: float = 1.0,
    ) -> None:
        """Draw the scene. instances: of the loaded scene, for a pose. smooth: anti-alias.
        scale: pixels for each unit of line width, for dense screens."""
        self.context.gc()
        canvas = self._smooth_canvas(size) if smooth else target
        canvas.use()
        canvas.viewport = (0, 0, *size)
        canvas.clear(*rgb(inks.paper), depth=1.0)
        seen = view_projection(camera, size)
        self._draw_ground(seen, camera, inks)
        self.context.enable(moderngl.DEPTH_TEST)
        self.context.disable(moderngl.CULL_FACE | moderngl.BLEND)
        self._place(instances)
        self.fill["view_projection"].write(seen.T.astype("<f4").tobytes())
        self.fill["paper"].value = rgb(inks.paper)
        self.fill["toned_down"].value = 0.62 if inks.night else 0.0
        self.worn["view_projection"].write(seen.T.astype("<f4").tobytes())
        self.worn["paper"].value = rgb(inks.paper)
        self.worn["toned_down"].value = 0.31 if inks.night else 0.0
        self.edge["view_projection"].write(seen.T.astype("<f4").tobytes())
        self.edge["eye"].value = tuple(camera.eye.tolist())
        self.edge["pixels"].value = (size[0] / scale, size[1] / scale)
        self.edge["colour"].value = rgb(inks.ink)
        for program in (self.fill, self.worn):
            program["hand"].value = rgb(inks.hand)
            program["scale"].value = scale
        self.edge["hidden"].value = 0.0
        self.context.polygon_offset = (1.0, 1.0)
        batches = self._batches(instances)
        for count, drawn in sorted(batches, key=_last_if_it_blends):
            self._fill(count, drawn)
        self.context.disable(moderngl.BLEND)
        self.context.polygon_offset = (0.0, 0.0)
        for count, drawn in batches:
            if drawn.edge is not None:
                drawn.edge.render(moderngl.LINES, instances=count)
        self._draw_hidden(batches, instances)
        if smooth:
            self.context.copy_framebuffer(target, canvas)
        target.use()

    def _draw_hidden(self, batches: list[tuple[int, _Drawn]], instances: Instances) -> None:
        """The edges of what is selected, dashed and thin, where something is in front of them."""
        if not (instances.records["state"] == SELECTED).any():
            return
        self.edge["hidden"].value = 1.0
        self.context.depth_func = ">"
        for count, drawn in batches:
            if drawn.edge is not None:
                drawn.edge.render(moderngl.LINES, instances=count)
        self.context.depth_func = "<"

    def _fill(self, count: int, drawn: _Drawn) -> None:
        """Draw a surface in its paint, or in what it wears."""
        if drawn.wears is not None and drawn.picture is not None:
            drawn.picture.use(0)
            self.worn["mirrors"].value = tuple(wrap == "mirror" for wrap in drawn.wears.wrap)
            self.worn["cutoff"].value = drawn.wears.cutoff
            self.worn["blends"].value = float(drawn.wears.blends)
            if drawn.wears.blends:
                # The window behind is never seen through: what is there stays whole.
                self.context.enable(moderngl.BLEND)
                self.context.blend_func = _OVER  # type: ignore[assignment]
        drawn.fill.render(instances=count)

    def pick(
        self,
        size: Size,
        camera: Camera,
        instances: Instances,
        pixel: tuple[int, int],
    ) -> int | None:
        """Row of the part seen at a pixel (right, down); None for paper."""
        x, y = pixel[0], size[1] - 1 - pixel[1]
        if not (0 <= x < size[0] and 0 <= y < size[1]):
            return None
        canvas = self._mark_canvas(size)
        canvas.use()
        canvas.viewport = (0, 0, *size)
        canvas.scissor = (x, y, 1, 1)
        canvas.clear(depth=1.0)
        self.context.enable(moderngl.DEPTH_TEST)
        self._place(instances)
        seen = view_projection(camera, size)
        self.mark["view_projection"].write(seen.T.astype("<f4").tobytes())
        for count, drawn in self._batches(instances):
            drawn.mark.render(instances=count)
        canvas.scissor = None  # type: ignore[assignment]
        found = np.frombuffer(
            canvas.read(viewport=(x, y, 1, 1), components=1, dtype="u4"), dtype="<u4"
        )
        return int(found[0]) - 1 if found[0] else None

    def _batches(self, instances: Instances) -> list[tuple[int, _Drawn]]:
        assert self.scene is not None
        return [
            (count, self._drawn[_key(batch)])
            for count, batch in zip(instances.counts, self.scene.batches, strict=True)
            if count
        ]

    def _place(self, instances: Instances) -> None:
        assert self.scene is not None
        first = 0
        for count, batch in zip(instances.counts, self.scene.batches, strict=True):
            data = instances.records[first : first + count].tobytes()
            places = self._drawn[_key(batch)].places
            if len(data) > places.size:
                places.orphan(len(data))
            places.write(data)
            first += count

    def _draw_ground(self, seen: Array, camera: Camera, inks: Inks) -> None:
        step = 10.0 ** np.floor(np.log10(max(camera.distance, 1e-3) / 6))
        reach = step * 24
        x, y = (round(v / step) * step for v in camera.target[:2])
        key = (step, x, y)
        if self._ruling is None or self._ruling[0] != key:
            self._ruling = (key, self._rule(step, reach, x, y))
        ground = self.ground
        ground["view_projection"].write(seen.T.astype("<f4").tobytes())
        ground["colour"].value = rgb(inks.rule)
        ground["paper"].value = rgb(inks.paper)
        ground["middle"].value = (x, y)
        ground["reach"].value = reach
        self.context.disable(moderngl.DEPTH_TEST)
        self._ruling[1].render(moderngl.LINES)

    def _rule(self, step: float, reach: float, x: float, y: float) -> moderngl.VertexArray:
        # Each line in pieces, so that the fading is worked out along it.
        marks = np.arange(-24, 25) * step
        pieces = np.linspace(-reach, reach, 13)
        runs = np.stack([pieces[:-1], pieces[1:]], axis=1).ravel()
        across = np.stack(np.broadcast_arrays(runs[None, :] + x, marks[:, None] + y), axis=2)
        along = np.stack(np.broadcast_arrays(marks[:, None] + x, runs[None, :] + y), axis=2)
        lines = np.concatenate([across.reshape(-1, 2), along.reshape(-1, 2)])
        buffer = self.context.buffer(lines.astype("<f4").tobytes())
        return self.context.vertex_array(self.ground, [(buffer, "2f", "position")])

    def _smooth_canvas(self, size: Size) -> moderngl.Framebuffer:
        if self._smooth is None or self._smooth[0] != size:
            samples = min(_SAMPLES, self.context.max_samples)
            canvas = self.context.framebuffer(
                self.context.renderbuffer(size, 4, samples=samples),
                self.context.depth_renderbuffer(size, samples=samples),
            )
            self._smooth = (size, canvas)
        return self._smooth[1]

    def _mark_canvas(self, size: Size) -> moderngl.Framebuffer:
        if self._marks is None or self._marks[0] != size:
            canvas = self.context.framebuffer(
                self.context.renderbuffer(size, 1, dtype="u4"),
                self.context.depth_renderbuffer(size),
            )
            self._marks = (size, canvas)
        return self._marks[1]


def _key(batch: Batch) -> tuple[int, int]:
    return id(batch.geometry), id(batch.wears)


def _last_if_it_blends(batch: tuple[int, _Drawn]) -> bool:
    wears = batch[1].wears
    return wears is not None and wears.blends
