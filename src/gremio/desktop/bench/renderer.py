"""Drawing a scene with OpenGL, into any framebuffer: a window's, or one without a display."""

from __future__ import annotations

import math
import time
from pathlib import Path
from typing import NamedTuple

import moderngl
import numpy as np

from gremio.core.arrays import Array
from gremio.core.shape.geometry import Drawn, Geometry, Singles
from gremio.core.shape.lines import Inked, Lines, quads
from gremio.core.surfaces.shown import Shown
from gremio.desktop.bench.camera import Camera, Size, view_projection
from gremio.desktop.bench.scene import (
    HOVERED,
    INSTANCE,
    LIGHT_LINE,
    LINES,
    SELECTED,
    Batch,
    Instances,
    Scene,
)
from gremio.desktop.bench.sight import in_sight
from gremio.desktop.theme.inks import Inks, rgb

_SHADERS = Path(__file__).parent / "shaders"
_INSTANCE_FILL = "4f 4f 4f 3f 4x 1u 1f /i"
# A still picture is drawn so many times as wide and as high, and made smaller.
_FINER = 2
_OVER = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA, moderngl.ONE, moderngl.ONE
# Lines of fewer pixels, such as the edges of fine teeth, are drawn finer, so that they don't clot.
_SHORT, _FINE = 4.0, 0.6
# How dark the ground is ruled, of its ink.
_RULED = 0.62
# Up to so many pixels a line is one pixel wide.
_ONE_PIXEL = 1.2
# What stands for a surface that is not on the graphics side yet.
_NOWHERE = np.zeros(4)
_NOTHING = Drawn(
    np.zeros((0, 6), np.float32), np.zeros((0, 3), np.uint32), np.zeros((0, 3), np.float32),
    np.zeros((0, 4), np.uint32), False,
)  # fmt: skip


class _Drawn(NamedTuple):
    """One surface on the graphics side. places: the buffer of its instances. picture: of what it
    wears, if anything. ball: (4,) the middle and the radius of a ball round it."""

    geometry: Geometry
    wears: Shown | None
    picture: moderngl.Texture | None
    fill: moderngl.VertexArray
    mark: moderngl.VertexArray
    hand: moderngl.VertexArray
    places: moderngl.Buffer
    ball: Array


class _Frame(NamedTuple):
    """What a frame is drawn with. seen: (4, 4) from the world to the screen. pixels: its size, in
    units of the window. batches: those of
    which anything is in sight: how many places each has, what it is, and whether what turns away
    is left out. finer: how many pixels are one of the picture."""

    seen: Array
    pixels: tuple[float, float]
    batches: list[tuple[int, _Drawn, bool]]
    lines: Lines | None
    finer: int
    scale: float


class _Growing:
    """A buffer that grows with what is drawn of it. indexed: four corners each, drawn as two
    triangles."""

    def __init__(
        self, context: moderngl.Context, program: moderngl.Program, form: str,
        names: tuple[str, ...], *, indexed: bool = False,
    ) -> None:  # fmt: skip
        self._context, self._program, self._about = context, program, (form, *names)
        self._indexed = indexed
        self._make(1 << 16)

    def _make(self, size: int) -> None:
        self._buffer = self._context.buffer(reserve=size, dynamic=True)
        order = None
        if self._indexed:
            first = 4 * np.arange(size // (4 * 5 * 4) + 1, dtype=np.uint32)
            corners = first[:, None] + np.array([0, 1, 2, 2, 1, 3], dtype=np.uint32)
            order = self._context.buffer(corners.tobytes())
        self._array = self._context.vertex_array(
            self._program, [(self._buffer, *self._about)], index_buffer=order
        )

    def draw(self, data: Singles, corners: int) -> None:
        """Draw data (n, corners, …): lines of two ends, or quads of four corners."""
        if data.nbytes > self._buffer.size:
            self._make(2 * data.nbytes)
        self._buffer.orphan()
        self._buffer.write(data.tobytes())
        if self._indexed:
            self._array.render(moderngl.TRIANGLES, vertices=6 * len(data))
        else:
            self._array.render(moderngl.LINES, vertices=corners * len(data))


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
        self.hand = self._program("fill.vert", "hand.frag")
        self.line = self._program("line.vert", "line.frag")
        self.quad = self._program("quad.vert", "line.frag")
        self.ground = self._program("ground.vert", "ground.frag")
        self.resolve = self._program("resolve.vert", "resolve.frag")
        self._drawn: dict[tuple[int, int], _Drawn] = {}
        self._smaller: moderngl.VertexArray = context.vertex_array(self.resolve, [])
        self._smooth: tuple[Size, moderngl.Framebuffer, moderngl.Texture] | None = None
        self._marks: tuple[Size, moderngl.Framebuffer] | None = None
        self._ruling: tuple[tuple[float, ...], moderngl.VertexArray] | None = None
        # None: not there yet.
        self._every: list[_Drawn | None] = []
        self._waiting: list[Batch] = []
        self._gathered = False
        self._inked: Inked | None = None
        self._balls = np.zeros((0, 4))
        self._placed: Instances | None = None
        self._thin = _Growing(context, self.line, "3f 1f", ("position", "along"))
        self._wide = _Growing(context, self.quad, "4f 1f", ("corner", "along"), indexed=True)
        self.scene: Scene | None = None

    def _program(self, vertex: str, fragment: str) -> moderngl.Program:
        return self.context.program(
            vertex_shader=(_SHADERS / vertex).read_text(),
            fragment_shader=(_SHADERS / fragment).read_text(),
        )

    def load(self, scene: Scene) -> None:
        """Make a scene the one that is drawn; surfaces it shares with the last are kept. The others
        come with `load_on`."""
        self._drawn = {k: self._drawn[k] for k in map(_key, scene.batches) if k in self._drawn}
        self.scene, self._placed = scene, None
        self._waiting = [
            batch for batch in scene.batches
            if (known := self._drawn.get(_key(batch))) is None
            or known.places.size < batch.count * INSTANCE.itemsize
        ]  # fmt: skip
        self._gathered = False

    def load_on(self, seconds: float = math.inf) -> bool:
        """Bring surfaces to the graphics side for so long; returns whether all are there."""
        end = time.perf_counter() + seconds
        while self._waiting and time.perf_counter() < end:
            batch = self._waiting.pop()
            size = batch.count * INSTANCE.itemsize
            self._drawn[_key(batch)] = self._upload(batch.geometry, batch.wears, size)
            self._gathered = False
        return not self._waiting

    def _gather(self) -> None:
        """What is there of each surface of the scene, and the edges of all of them."""
        assert self.scene is not None
        self._gathered, self._placed = True, None
        self._every = [self._drawn.get(_key(batch)) for batch in self.scene.batches]
        balls = [_NOWHERE if one is None else one.ball for one in self._every]
        self._balls = np.array(balls).reshape(-1, 4)
        there = [_NOTHING if one is None else one.geometry.drawn for one in self._every]
        self._inked = Inked(there)

    def _upload(self, geometry: Geometry, wears: Shown | None, size: int) -> _Drawn:
        context = self.context
        places = context.buffer(reserve=max(size, INSTANCE.itemsize), dynamic=True)
        rows = ("row_x", "row_y", "row_z")
        stand = (places, _INSTANCE_FILL, *rows, "paint", "mark", "state")
        vertices, index = geometry.drawn[:2]
        if not len(index):
            # What has no faces is drawn as one that is nowhere.
            vertices, index = np.zeros((1, 6), "<f4"), np.zeros((1, 3), "<u4")
        surface, order = context.buffer(vertices.tobytes()), context.buffer(index.tobytes())
        content = [(surface, "3f 3f", "position", "normal"), stand]
        fill, mark, hand = (
            context.vertex_array(program, content, index_buffer=order, skip_errors=True)
            for program in (self.fill, self.mark, self.hand)
        )
        picture = None
        if wears is not None:
            # What is worn lies otherwise at each corner of each triangle.
            corners = context.buffer(vertices[index].tobytes())
            worn = np.concatenate([wears.laid, wears.tint], axis=2)
            dress = context.buffer(worn.astype("<f4").tobytes())
            content = [(corners, "3f 3f", "position", "normal"), stand]
            fill = context.vertex_array(
                self.worn, [*content, (dress, "2f 4f", "laid", "tint")], skip_errors=True
            )
            picture = self._picture(wears)
        low, high = geometry.bounds
        ball = np.append((low + high) / 2, np.linalg.norm(high - low) / 2)
        return _Drawn(geometry, wears, picture, fill, mark, hand, places, ball)

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
        *,
        edges: bool = True,
    ) -> None:
        """Draw the scene. instances: of the loaded scene, for a pose. smooth: anti-alias.
        scale: pixels for each unit of line width, for dense screens. edges: ink them."""
        self.context.gc()
        finer = _FINER if smooth else 1
        inner = (size[0] * finer, size[1] * finer)
        canvas = self._smooth_canvas(inner) if smooth else target
        canvas.use()
        canvas.viewport = (0, 0, *inner)
        canvas.clear(*rgb(inks.paper), alpha=1.0, depth=1.0)
        frame = self._frame(size, camera, instances, finer, scale, edges=edges)
        self._draw_ground(frame, camera, inks)
        self.context.enable(moderngl.DEPTH_TEST)
        self.context.disable(moderngl.CULL_FACE | moderngl.BLEND)
        self._tell(frame, inks)
        self.context.polygon_offset = (1.0, 1.0)
        for count, drawn, turns_away in sorted(frame.batches, key=_last_if_it_blends):
            if turns_away:
                self.context.enable(moderngl.CULL_FACE)
            else:
                self.context.disable(moderngl.CULL_FACE)
            self._fill(count, drawn)
        self.context.disable(moderngl.CULL_FACE)
        self._lay_hand(frame, instances)
        self.context.disable(moderngl.BLEND)
        self.context.polygon_offset = (0.0, 0.0)
        if frame.lines is not None:
            self._draw_lines(frame, inks)
        if smooth:
            self._make_smaller(target, size)
        target.use()

    def _frame(
        self, size: Size, camera: Camera, instances: Instances, finer: int, scale: float, *,
        edges: bool,
    ) -> _Frame:  # fmt: skip
        """Find what is in sight, and put it where it stands."""
        if not self._gathered:
            self._gather()
        assert self.scene is not None and self._inked is not None
        seen, counts = view_projection(camera, size), instances.counts
        batch = np.repeat(np.arange(len(counts)), counts)
        sight = in_sight(instances.records, batch, self._balls, camera, seen, size)
        shown = np.bincount(batch, ~sight.hidden, minlength=len(counts)) > 0
        inside = np.bincount(batch, sight.inside, minlength=len(counts)) > 0
        self._place(instances)
        batches = [
            (count, drawn, drawn.geometry.drawn.closed and not open_ and drawn.wears is None)
            for count, drawn, is_shown, open_ in zip(
                counts, self._every, shown.tolist(), inside.tolist(), strict=True
            )
            if count and is_shown and drawn is not None
        ]
        lines, pixels = None, (size[0] / scale, size[1] / scale)
        if edges:
            about = sight.hidden, camera.eye, seen, pixels, _SHORT
            lines = self._inked.seen(instances.records, counts, *about)
        return _Frame(seen, pixels, batches, lines, finer, scale)

    def _tell(self, frame: _Frame, inks: Inks) -> None:
        """Hand a frame's numbers to the programs."""
        seen = frame.seen.T.astype("<f4").tobytes()
        for program, toned in ((self.fill, 0.62), (self.worn, 0.31)):
            program["view_projection"].write(seen)
            program["paper"].value = rgb(inks.paper)
            program["toned_down"].value = toned if inks.night else 0.0
        self.hand["view_projection"].write(seen)
        self.hand["hand"].value = rgb(inks.hand)
        self.hand["scale"].value = frame.scale * frame.finer
        self.line["view_projection"].write(seen)

    def _lay_hand(self, frame: _Frame, instances: Instances) -> None:
        """Lay what a hand does over those surfaces that it is over, or has selected."""
        if not instances.records["state"].any():
            return
        self.context.enable(moderngl.BLEND)
        self.context.blend_func = _OVER  # type: ignore[assignment]
        self.context.depth_func = "=="
        for count, drawn, _ in frame.batches:
            drawn.hand.render(instances=count)
        self.context.depth_func = "<"

    def _draw_lines(self, frame: _Frame, inks: Inks) -> None:
        """The edges that are seen; of what is selected, dashed and thin, also where something is in
        front of them."""
        lines = frame.lines
        assert lines is not None
        widths = LIGHT_LINE, _FINE * LIGHT_LINE, LINES[HOVERED], LINES[SELECTED]
        for kind, width in zip(lines, widths, strict=True):
            self._draw_line(frame, kind, width, inks)
        if len(lines.selected):
            self.context.depth_func = ">"
            self._draw_line(frame, lines.selected, 1.0, inks, hidden=True)
            self.context.depth_func = "<"

    def _draw_line(
        self, frame: _Frame, ends: Singles, width: float, inks: Inks, *, hidden: bool = False
    ) -> None:
        """Lines of one width, in units of the window. OpenGL itself draws them one pixel wide only,
        in the contexts that Qt makes; wider ones are quads."""
        if not len(ends):
            return
        wide = width * frame.scale * frame.finer
        thin = wide <= _ONE_PIXEL
        # What would be thinner than a pixel is fainter instead.
        share = min(wide, 1.0)
        pairs = zip(rgb(inks.ink), rgb(inks.paper), strict=True)
        program = self.line if thin else self.quad
        program["colour"].value = tuple(share * a + (1 - share) * b for a, b in pairs)
        program["hidden"].value = float(hidden)
        if thin:
            self._thin.draw(ends, 2)
        else:
            self._wide.draw(quads(ends, frame.seen, frame.pixels, width), 4)

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
        if not self._gathered:
            self._gather()
        self._place(instances)
        seen = view_projection(camera, size)
        self.mark["view_projection"].write(seen.T.astype("<f4").tobytes())
        for count, drawn in zip(instances.counts, self._every, strict=True):
            if count and drawn is not None:
                drawn.mark.render(instances=count)
        canvas.scissor = None  # type: ignore[assignment]
        found = np.frombuffer(
            canvas.read(viewport=(x, y, 1, 1), components=1, dtype="u4"), dtype="<u4"
        )
        return int(found[0]) - 1 if found[0] else None

    def _place(self, instances: Instances) -> None:
        """Put what is drawn where it stands, unless it stands there already."""
        if self._placed is instances:
            return
        data = memoryview(instances.records.tobytes())
        first = 0
        for count, drawn in zip(instances.counts, self._every, strict=True):
            size = count * INSTANCE.itemsize
            if drawn is not None:
                if size > drawn.places.size:
                    drawn.places.orphan(size)
                drawn.places.write(data[first : first + size])
            first += size
        self._placed = instances

    def _draw_ground(self, frame: _Frame, camera: Camera, inks: Inks) -> None:
        step = 10.0 ** np.floor(np.log10(max(camera.distance, 1e-3) / 6))
        reach = step * 24
        x, y = (round(v / step) * step for v in camera.target[:2])
        key = (step, x, y)
        if self._ruling is None or self._ruling[0] != key:
            self._ruling = (key, self._rule(step, reach, x, y))
        ground = self.ground
        ground["view_projection"].write(frame.seen.T.astype("<f4").tobytes())
        ground["colour"].value = rgb(inks.rule)
        ground["paper"].value = rgb(inks.paper)
        ground["middle"].value = (x, y)
        ground["reach"].value = reach
        # In a finer picture a line of one pixel is half as wide.
        ground["strength"].value = min(_RULED * frame.finer, 1.0)
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
            picture = self.context.texture(size, 4)
            canvas = self.context.framebuffer(picture, self.context.depth_renderbuffer(size))
            self._smooth = (size, canvas, picture)
        return self._smooth[1]

    def _make_smaller(self, target: moderngl.Framebuffer, size: Size) -> None:
        """Bring the finer picture to the target."""
        assert self._smooth is not None
        target.use()
        target.viewport = (0, 0, *size)
        self.context.disable(moderngl.DEPTH_TEST)
        self._smooth[2].use(0)
        self._smaller.render(moderngl.TRIANGLES, vertices=3)

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


def _last_if_it_blends(batch: tuple[int, _Drawn, bool]) -> bool:
    wears = batch[1].wears
    return wears is not None and wears.blends
