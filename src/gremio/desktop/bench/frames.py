"""The frames of the Bench: quick ones while things move, a still one, in pieces, once they rest."""

from __future__ import annotations

import math
import time
from collections.abc import Iterator
from typing import NamedTuple

import moderngl
from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtOpenGLWidgets import QOpenGLWidget

from gremio.desktop.bench.camera import Camera, Size
from gremio.desktop.bench.pace import Pace
from gremio.desktop.bench.renderer import Renderer
from gremio.desktop.bench.scene import Instances, Scene
from gremio.desktop.theme.inks import Inks

# Things rest when nothing has moved for so long (ms).
_REST = 160
# So long surfaces are brought to the graphics side, or pieces of a still picture drawn, before
# whatever else is wanted of the window gets its turn, and within a frame (s).
_A_WHILE, _A_MOMENT = 0.025, 0.008
_DONE = object()


class View(NamedTuple):
    """What is looked at. size: of the picture (px). scale: pixels for each unit of the window."""

    scene: Scene
    instances: Instances
    camera: Camera
    inks: Inks
    size: Size
    scale: float

    def same(self, other: View) -> bool:
        """Whether it is the same picture."""
        same_things = self.scene is other.scene and self.instances is other.instances
        return same_things and self[2:] == other[2:]


class Frames(QObject):
    """Draws what is looked at on a canvas, never for so long that a hand has to wait."""

    def __init__(self, canvas: QOpenGLWidget) -> None:
        super().__init__(canvas)
        self.renderer: Renderer | None = None
        self._canvas = canvas
        # What was drawn stays until something else is.
        canvas.setUpdateBehavior(QOpenGLWidget.UpdateBehavior.PartialUpdate)
        canvas.frameSwapped.connect(lambda: self._pace.end())
        self._pace = Pace()
        self._drawn_on: tuple[tuple[int, Size], moderngl.Framebuffer] | None = None
        self._still: tuple[View, Iterator[None]] | None = None
        self._still_done, self._still_took = False, 0.0
        self._resting = QTimer(self)
        self._resting.setSingleShot(True)
        self._resting.setInterval(_REST)
        self._resting.timeout.connect(canvas.update)
        self._going_on = QTimer(self)
        self._going_on.setSingleShot(True)
        self._going_on.timeout.connect(self._go_on)

    def begin(self) -> None:
        """Make the renderer, in the canvas's own context, which must be current."""
        self.renderer = Renderer(moderngl.create_context(require=330))

    def moved(self) -> None:
        """Something moves: a quick frame is wanted, and a still one once it rests."""
        self._resting.start()
        self._canvas.update()

    @property
    def rested(self) -> bool:
        """Whether the still picture is done."""
        return self._still is not None and self._still_done

    def load(self, scene: Scene, seconds: float) -> bool:
        """Hand a scene to the renderer, and bring its surfaces to the graphics side for so long;
        returns whether all are there. Many come a few at a time, so that hands need not wait. The
        context must be current."""
        assert self.renderer is not None
        if self.renderer.scene is not scene:
            if not self.renderer.is_whole:
                # Surfaces change faster than they come a few at a time: all of them now, for else
                # nothing would be seen of it as long as a hand changes them.
                seconds = math.inf
            self.renderer.load(scene)
            self._pace, self._still = Pace(), None
        there = self.renderer.load_on(seconds)
        if not there:
            self._going_on.start()
        return there

    def wait_for_all(self, scene: Scene) -> None:
        """Bring all surfaces of a scene to the graphics side, however long that takes."""
        self.load(scene, math.inf)

    def paint(self, view: View) -> bool:
        """Draw a frame, or let the one before stand while this one is got ready; returns whether
        all of it is drawn."""
        assert self.renderer is not None
        target, anew = self._target(view.size)
        there = self.load(view.scene, _A_WHILE if anew else _A_MOMENT)
        if not (there or anew):
            return False
        if anew or self._resting.isActive():
            # Also where nothing has moved, a still picture follows.
            self._resting.start()
            self._still = None
            self._pace.begin(moving=not anew)
            self.renderer.draw(
                target, view.size, view.camera, view.instances, view.inks, smooth=False,
                scale=view.scale, edges=self._pace.edges_too, rough=self._pace.rough,
            )  # fmt: skip
            return there
        if self._still is None or not self._still[0].same(view):
            pieces = self.renderer.still(
                view.size, view.camera, view.instances, view.inks, view.scale
            )
            self._still, self._still_done, self._still_took = (view, pieces), False, 0.0
        if not self._some_pieces():
            self._going_on.start()
            return False
        self._pace.begin(moving=False)
        self.renderer.show_still(target, view.size)
        return True

    def _some_pieces(self) -> bool:
        """Draw some more of the still picture; returns whether it is done."""
        assert self._still is not None
        began, took = time.perf_counter(), 0.0
        while not self._still_done:
            self._still_done = next(self._still[1], _DONE) is _DONE
            took = time.perf_counter() - began
            if took >= _A_WHILE:
                break
        self._still_took += took
        if self._still_done:
            self._pace.expect(self._still_took)
        return self._still_done

    def _go_on(self) -> None:
        """Go on with what takes longer; it is shown when it is done."""
        if self.renderer is None:
            return
        self._canvas.makeCurrent()
        done = self.renderer.load_on(_A_WHILE)
        if not done:
            # So many may be too many to be drawn as they are while things move.
            self._pace = Pace.careful()
        elif self._still is not None:
            done = self._some_pieces()
        self._canvas.doneCurrent()
        if done:
            self._canvas.update()
        else:
            self._going_on.start()

    def _target(self, size: Size) -> tuple[moderngl.Framebuffer, bool]:
        """What Qt shows of it, and whether it is another; looked for anew where Qt has made
        another, for each that is found stays as long as the context does."""
        assert self.renderer is not None
        about = self._canvas.defaultFramebufferObject(), size
        anew = self._drawn_on is None or self._drawn_on[0] != about
        if self._drawn_on is None or anew:
            found = self.renderer.context.detect_framebuffer(about[0])
            self._drawn_on = about, found
        return self._drawn_on[1], anew
