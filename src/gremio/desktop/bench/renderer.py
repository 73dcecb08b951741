"""Drawing a scene with OpenGL, into any framebuffer: a window's, or one without a display."""

from __future__ import annotations

import math
import time
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

import moderngl
import numpy as np

from gremio.core.arrays import Array, Flags, Rows
from gremio.core.shape.geometry import Drawn, Geometry
from gremio.core.shape.lines import Inked, Lines
from gremio.core.surfaces.shown import Shown
from gremio.desktop.bench.calls import Call, Level, Uploaded, level_for, pieces_of
from gremio.desktop.bench.camera import Camera, Size, view_projection
from gremio.desktop.bench.inking import SHORT, Ink
from gremio.desktop.bench.scene import INSTANCE, Batch, Instances, Scene
from gremio.desktop.bench.sight import Sight, balls_round, in_sight, under
from gremio.desktop.theme.inks import Inks, rgb

_SHADERS = Path(__file__).parent / "shaders"
_INSTANCE_FILL = "4f 4f 4f 3f 4x 1u 1f /i"
# A still picture is drawn so many times as wide and as high, and made smaller.
_FINER = 2
_OVER = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA, moderngl.ONE, moderngl.ONE
# How dark the ground is ruled, of its ink.
_RULED = 0.62
# So many triangles are a piece of a still picture; so many edges are looked at for a piece of its
# lines.
_PIECE, _EDGES = 30_000, 80_000
# What stands for a surface that is not on the graphics side yet.
_NOWHERE = np.zeros(4)
_NOTHING = Drawn(
    np.zeros((0, 6), np.float32), np.zeros((0, 3), np.uint32), np.zeros((0, 3), np.float32),
    np.zeros((0, 4), np.uint32), False,
)  # fmt: skip


class _Frame(NamedTuple):
    """What a frame is drawn with. canvas: what is drawn on, of such a size. seen: (4, 4) from the
    world to the screen. pixels: its size, in units of the window. hidden: (N,) which places are out
    of sight. scale: how much of the canvas a unit of the window is. finer: how much of it a pixel
    of the picture is."""

    canvas: moderngl.Framebuffer
    size: Size
    camera: Camera
    instances: Instances
    inks: Inks
    seen: Array
    pixels: tuple[float, float]
    calls: list[Call]
    hidden: Flags
    scale: float
    finer: int


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
        self._drawn: dict[tuple[int, int], Uploaded] = {}
        self._smaller: moderngl.VertexArray = context.vertex_array(self.resolve, [])
        self._smooth: tuple[Size, moderngl.Framebuffer, moderngl.Texture] | None = None
        self._marks: tuple[Size, moderngl.Framebuffer] | None = None
        self._ruling: tuple[tuple[float, ...], moderngl.VertexArray] | None = None
        # None: not there yet.
        self._every: list[Uploaded | None] = []
        self._waiting: list[Batch] = []
        self._gathered = False
        self._groups: list[slice] = []
        self._inked: dict[int, Inked] = {}
        self._balls = np.zeros((0, 4))
        self._placed: Instances | None = None
        # Whether what turns away is being left out.
        self._turns_away = False
        self._ink = Ink(context, self.line, self.quad)
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

    @property
    def is_whole(self) -> bool:
        """Whether all surfaces of the scene are on the graphics side."""
        return not self._waiting

    def load_on(self, seconds: float = math.inf) -> bool:
        """Bring surfaces to the graphics side for so long; returns whether all are there."""
        end = time.perf_counter() + seconds
        while self._waiting and time.perf_counter() < end:
            batch = self._waiting.pop()
            size = batch.count * INSTANCE.itemsize
            self._drawn[_key(batch)] = self._upload(batch.geometry, batch.wears, size)
            self._gathered = False
        return self.is_whole

    def _gather(self) -> None:
        """What is there of each surface of the scene, and how they are put together in groups for
        their edges."""
        assert self.scene is not None
        self._gathered, self._placed = True, None
        batches = self.scene.batches
        self._every = [self._drawn.get(_key(batch)) for batch in batches]
        balls = [_NOWHERE if one is None else one.ball for one in self._every]
        self._balls = np.array(balls).reshape(-1, 4)
        there = [_NOTHING if one is None else one.geometry.drawn for one in self._every]
        pairs = zip(there, batches, strict=True)
        weights = np.cumsum([len(drawn.edges) * max(batch.count, 1) for drawn, batch in pairs])
        ends = [*(np.flatnonzero(np.diff(weights // _EDGES)) + 1).tolist(), len(there)]
        self._groups = [slice(*pair) for pair in zip([0, *ends[:-1]], ends, strict=True)]
        self._inked = {}

    def _upload(self, geometry: Geometry, wears: Shown | None, size: int) -> Uploaded:
        context = self.context
        places = context.buffer(reserve=max(size, INSTANCE.itemsize), dynamic=True)
        rows = ("row_x", "row_y", "row_z")
        stand = (places, _INSTANCE_FILL, *rows, "paint", "mark", "state")
        vertices, index = geometry.drawn[:2]
        if not len(index):
            # What has no faces is drawn as one that is nowhere.
            vertices, index = np.zeros((1, 6), "<f4"), np.zeros((1, 3), "<u4")
        # What is worn lies at each corner of each triangle, so that only the surface itself has it.
        rougher = geometry.rough if wears is None else ()
        orders = [index, *(one.corners for one in rougher)]
        sides = [0.0, *(one.side for one in rougher)]
        ends = np.cumsum([0, *(one.size for one in orders)]).tolist()
        levels = tuple(
            Level(first, one.size, side)
            for first, one, side in zip(ends[:-1], orders, sides, strict=True)
        )
        surface = context.buffer(vertices.tobytes())
        order = context.buffer(b"".join(one.tobytes() for one in orders))
        content = [(surface, "3f 3f", "position", "normal"), stand]
        picture = None
        if wears is None:
            fill = context.vertex_array(self.fill, content, index_buffer=order, skip_errors=True)
        else:
            # What is worn lies otherwise at each corner of each triangle.
            corners = context.buffer(vertices[index].tobytes())
            worn = np.concatenate([wears.laid, wears.tint], axis=2)
            dress = context.buffer(worn.astype("<f4").tobytes())
            dressed = [(corners, "3f 3f", "position", "normal"), stand]
            fill = context.vertex_array(
                self.worn, [*dressed, (dress, "2f 4f", "laid", "tint")], skip_errors=True
            )
            picture = self._picture(wears)
        closed = geometry.drawn.closed and wears is None
        blends = wears is not None and wears.blends
        low, high = geometry.bounds
        ball = np.append((low + high) / 2, np.linalg.norm(high - low) / 2)
        return Uploaded(
            geometry, wears, picture, fill, content, order, {}, places, ball, levels, closed, blends
        )

    def _otherwise(self, drawn: Uploaded, program: moderngl.Program) -> moderngl.VertexArray:
        """What draws a surface by another program than that of its paint; made when it is first
        wanted, which of most it never is."""
        if program.glo not in drawn.others:
            drawn.others[program.glo] = self.context.vertex_array(
                program, drawn.content, index_buffer=drawn.order, skip_errors=True
            )
        return drawn.others[program.glo]

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
        rough: float = 0.0,
    ) -> None:
        """Draw the scene. instances: of the loaded scene, for a pose. smooth: anti-alias.
        scale: pixels for each unit of line width, for dense screens. edges: ink them. rough: by
        how many pixels a surface may be drawn otherwise than it is."""
        about = size, camera, instances, inks, scale
        frame = self._frame(None if smooth else target, *about, rough=rough)
        for _ in self._drawing(frame, math.inf, edges=edges):
            pass
        if smooth:
            self.show_still(target, size)
        target.use()

    def still(
        self, size: Size, camera: Camera, instances: Instances, inks: Inks, scale: float = 1.0
    ) -> Iterator[None]:
        """Draw the scene anti-aliased, piece by piece, for `show_still` to bring to a target: what
        is between two pieces may be anything, but no other scene, and no other still picture."""
        frame = self._frame(None, size, camera, instances, inks, scale)
        for _ in self._drawing(frame, _PIECE):
            self.context.finish()
            yield

    def show_still(self, target: moderngl.Framebuffer, size: Size) -> None:
        """Bring the still picture to a target of its size."""
        assert self._smooth is not None
        target.use()
        target.viewport = (0, 0, *size)
        self.context.disable(moderngl.DEPTH_TEST | moderngl.CULL_FACE | moderngl.BLEND)
        self._smooth[2].use(0)
        self._smaller.render(moderngl.TRIANGLES, vertices=3)

    def _frame(
        self, target: moderngl.Framebuffer | None, size: Size, camera: Camera, instances: Instances,
        inks: Inks, scale: float, *, rough: float = 0.0,
    ) -> _Frame:  # fmt: skip
        """Find what is in sight. target: None for a still picture."""
        self.context.gc()
        if not self._gathered:
            self._gather()
        finer = _FINER if target is None else 1
        inner = size[0] * finer, size[1] * finer
        canvas = self._smooth_canvas(inner) if target is None else target
        seen, counts = view_projection(camera, size), instances.counts
        batch = np.repeat(np.arange(len(counts)), counts)
        sight = in_sight(instances.records, batch, self._balls, camera, seen, size)
        calls = self._calls(instances, batch, sight, rough)
        pixels = size[0] / scale, size[1] / scale
        return _Frame(
            canvas, inner, camera, instances, inks, seen, pixels, calls, sight.hidden,
            scale * finer, finer,
        )  # fmt: skip

    def _calls(self, instances: Instances, batch: Rows, sight: Sight, rough: float) -> list[Call]:
        """What is drawn of the surfaces that are in sight, what blends with what is behind it
        last."""
        counts, size = instances.counts, len(instances.counts)
        shown = np.bincount(batch, ~sight.hidden, minlength=size) > 0
        inside = np.bincount(batch, sight.inside, minlength=size) > 0
        touched = np.bincount(batch, instances.records["state"] > 0, minlength=size) > 0
        large = np.zeros(size)
        np.maximum.at(large, batch, np.where(sight.hidden, 0.0, sight.pixels))
        there = np.flatnonzero(shown)
        columns = (column[there].tolist() for column in (inside, touched, large))
        calls = []
        for index, open_, hand, of_metre in zip(there.tolist(), *columns, strict=True):
            drawn = self._every[index]
            if drawn is not None:
                level = level_for(drawn, rough, of_metre) if rough else drawn.levels[0]
                calls.append(Call(drawn, level, counts[index], drawn.closed and not open_, hand))
        calls.sort(key=lambda call: call.drawn.blends)
        return calls

    def _drawing(self, frame: _Frame, most: float, *, edges: bool = True) -> Iterator[None]:
        """Draw a frame in pieces of so many triangles."""
        self._begin(frame)
        frame.canvas.clear(*rgb(frame.inks.paper), alpha=1.0, depth=1.0)
        self._draw_ground(frame)
        for piece in pieces_of(frame.calls, most):
            self._begin(frame, behind_lines=True)
            for call in piece:
                self._fill(call)
            yield
        for piece in pieces_of([call for call in frame.calls if call.touched], most):
            self._begin(frame, behind_lines=True)
            self._lay_hand(piece)
            yield
        if edges:
            for index in range(len(self._groups)):
                lines = self._lines(frame, index)
                if any(map(len, lines)):
                    self._begin(frame)
                    self._ink.draw(lines, frame.inks, frame.seen, frame.pixels, frame.scale)
                    yield

    def _begin(self, frame: _Frame, *, behind_lines: bool = False) -> None:
        """Draw what follows for a frame, whatever was drawn before. behind_lines: a little farther
        away than the lines upon it."""
        self.context.polygon_offset = (1.0, 1.0) if behind_lines else (0.0, 0.0)
        frame.canvas.use()
        frame.canvas.viewport = (0, 0, *frame.size)
        self._place(frame.instances)
        self.context.enable(moderngl.DEPTH_TEST)
        self.context.disable(moderngl.CULL_FACE | moderngl.BLEND)
        self._turns_away = False
        self.context.depth_func = "<"
        self._tell(frame)

    def _lines(self, frame: _Frame, index: int) -> Lines:
        """The edges of a group of surfaces that are seen."""
        group = self._groups[index]
        if index not in self._inked:
            every = self._every[group]
            there = [_NOTHING if one is None else one.geometry.drawn for one in every]
            self._inked[index] = Inked(there)
        counts = frame.instances.counts
        first, count = sum(counts[: group.start]), sum(counts[group])
        places = slice(first, first + count)
        records, hidden = frame.instances.records[places], frame.hidden[places]
        about = frame.camera.eye, frame.seen, frame.pixels, SHORT
        return self._inked[index].seen(records, counts[group], hidden, *about)

    def _tell(self, frame: _Frame) -> None:
        """Hand a frame's numbers to the programs."""
        seen, inks = frame.seen.T.astype("<f4").tobytes(), frame.inks
        for program, toned in ((self.fill, 0.62), (self.worn, 0.31)):
            program["view_projection"].write(seen)
            program["paper"].value = rgb(inks.paper)
            program["toned_down"].value = toned if inks.night else 0.0
        self.hand["view_projection"].write(seen)
        self.hand["hand"].value = rgb(inks.hand)
        self.hand["scale"].value = frame.scale
        self.line["view_projection"].write(seen)

    def _lay_hand(self, calls: list[Call]) -> None:
        """Lay what a hand does over surfaces that it is over, or has selected."""
        self.context.enable(moderngl.BLEND)
        self.context.blend_func = _OVER  # type: ignore[assignment]
        self.context.depth_func = "=="
        for drawn, level, count, *_ in calls:
            array = self._otherwise(drawn, self.hand)
            array.render(vertices=level.corners, first=level.first, instances=count)
        self.context.depth_func = "<"

    def _fill(self, call: Call) -> None:
        """Draw a surface in its paint, or in what it wears."""
        drawn, level = call.drawn, call.level
        if call.turns_away != self._turns_away:
            self._turns_away = call.turns_away
            switch = self.context.enable if call.turns_away else self.context.disable
            switch(moderngl.CULL_FACE)
        if drawn.wears is not None and drawn.picture is not None:
            drawn.picture.use(0)
            self.worn["mirrors"].value = tuple(wrap == "mirror" for wrap in drawn.wears.wrap)
            self.worn["cutoff"].value = drawn.wears.cutoff
            self.worn["blends"].value = float(drawn.wears.blends)
            if drawn.wears.blends:
                # The window behind is never seen through: what is there stays whole.
                self.context.enable(moderngl.BLEND)
                self.context.blend_func = _OVER  # type: ignore[assignment]
        drawn.fill.render(vertices=level.corners, first=level.first, instances=call.times)

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
        self.context.disable(moderngl.CULL_FACE | moderngl.BLEND)
        if not self._gathered:
            self._gather()
        self._place(instances)
        seen, counts = view_projection(camera, size), instances.counts
        self.mark["view_projection"].write(seen.T.astype("<f4").tobytes())
        batch = np.repeat(np.arange(len(counts)), counts)
        balls = balls_round(instances.records, batch, self._balls)
        met = under(balls, camera, size, (pixel[0] + 0.5, pixel[1] + 0.5))
        for index in np.flatnonzero(np.bincount(batch, met, minlength=len(counts))).tolist():
            drawn = self._every[index]
            if drawn is not None:
                corners = drawn.levels[0].corners
                array = self._otherwise(drawn, self.mark)
                array.render(vertices=corners, instances=counts[index])
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

    def _draw_ground(self, frame: _Frame) -> None:
        camera, inks = frame.camera, frame.inks
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
