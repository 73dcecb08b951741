"""Drawing the lines of an inked drawing with OpenGL."""

from __future__ import annotations

import moderngl
import numpy as np

from gremio.core.arrays import Array
from gremio.core.shape.geometry import Singles
from gremio.core.shape.lines import Lines, quads
from gremio.desktop.bench.scene import HOVERED, LIGHT_LINE, LINES, SELECTED
from gremio.desktop.theme.inks import Inks, rgb

# Lines of fewer pixels, such as the edges of fine teeth, are drawn finer, so that they don't clot.
SHORT, _FINE = 4.0, 0.6
# Up to so many pixels a line is one pixel wide.
_ONE_PIXEL = 1.2
# So many lines are drawn at once, so that what holds them stays small.
_AT_ONCE = 20_000


class _Held:
    """What holds lines on the graphics side. indexed: four corners each, drawn as two triangles."""

    def __init__(
        self, context: moderngl.Context, program: moderngl.Program, form: str,
        names: tuple[str, ...], size: int, *, indexed: bool = False,
    ) -> None:  # fmt: skip
        self._buffer = context.buffer(reserve=_AT_ONCE * size, dynamic=True)
        order = None
        if indexed:
            first = 4 * np.arange(_AT_ONCE, dtype=np.uint32)
            corners = first[:, None] + np.array([0, 1, 2, 2, 1, 3], dtype=np.uint32)
            order = context.buffer(corners.tobytes())
        self._indexed = indexed
        about = [(self._buffer, form, *names)]
        self._array = context.vertex_array(program, about, index_buffer=order)

    def draw(self, data: Singles) -> None:
        """Draw data (n, corners, …): lines of two ends, or quads of four corners."""
        self._buffer.orphan()
        self._buffer.write(data.tobytes())
        if self._indexed:
            self._array.render(moderngl.TRIANGLES, vertices=6 * len(data))
        else:
            self._array.render(moderngl.LINES, vertices=2 * len(data))


class Ink:
    """Draws lines. thin, wide: the programs for those of one pixel, and of more."""

    def __init__(
        self, context: moderngl.Context, thin: moderngl.Program, wide: moderngl.Program
    ) -> None:
        self._context, self._programs = context, (thin, wide)
        self._thin = _Held(context, thin, "3f 1f", ("position", "along"), 2 * 4 * 4)
        quad = "4f 1f", ("corner", "along"), 4 * 5 * 4
        self._wide = _Held(context, wide, *quad, indexed=True)

    def draw(
        self, lines: Lines, inks: Inks, seen: Array, pixels: tuple[float, float], scale: float
    ) -> None:
        """Draw the edges that are seen; of what is selected, dashed and thin, also where something
        is in front of them. seen: (4, 4) from the world to the screen. pixels: its size, in units
        of the window, each of which is `scale` of what is drawn on."""
        about = inks, seen, pixels, scale
        widths = LIGHT_LINE, _FINE * LIGHT_LINE, LINES[HOVERED], LINES[SELECTED]
        for kind, width in zip(lines, widths, strict=True):
            self._draw(kind, width, *about)
        if len(lines.selected):
            self._context.depth_func = ">"
            self._draw(lines.selected, 1.0, *about, hidden=True)
            self._context.depth_func = "<"

    def _draw(
        self, ends: Singles, width: float, inks: Inks, seen: Array, pixels: tuple[float, float],
        scale: float, *, hidden: bool = False,
    ) -> None:  # fmt: skip
        """Lines of one width, in units of the window. OpenGL itself draws them one pixel wide only,
        in the contexts that Qt makes; wider ones are quads."""
        wide = width * scale
        thin = wide <= _ONE_PIXEL
        # What would be thinner than a pixel is fainter instead.
        share = min(wide, 1.0)
        pairs = zip(rgb(inks.ink), rgb(inks.paper), strict=True)
        program = self._programs[not thin]
        program["colour"].value = tuple(share * a + (1 - share) * b for a, b in pairs)
        program["hidden"].value = float(hidden)
        for first in range(0, len(ends), _AT_ONCE):
            some = ends[first : first + _AT_ONCE]
            if thin:
                self._thin.draw(some)
            else:
                self._wide.draw(quads(some, seen, pixels, width))
