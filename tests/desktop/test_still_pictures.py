"""Still pictures are drawn in pieces, so that nothing waits for them, and are the same picture."""

from __future__ import annotations

import numpy as np
import pytest
from hand import Hand
from msgspec.structs import replace
from pytestqt.qtbot import QtBot

from gremio.core.edit.parts import PartId, change_part
from gremio.core.rig.model import Rig, Shape
from gremio.core.rig.solids import SpurGear
from gremio.desktop.bench import frames, renderer
from gremio.desktop.shell.window import Window


@pytest.fixture
def at_small_pieces(at_lock: Hand, monkeypatch: pytest.MonkeyPatch) -> Hand:
    """A hand at the demo, whose still pictures are drawn in many pieces, one at a time."""
    monkeypatch.setattr(renderer, "_PIECE", 2000)
    monkeypatch.setattr(renderer, "_EDGES", 3000)
    monkeypatch.setattr(frames, "_A_WHILE", 0.0)
    bench = at_lock.window.bench
    assert bench.renderer is not None
    bench.renderer._gathered = False
    bench.frames._resting.stop()
    bench.frames._still = None
    return at_lock


def picture(hand: Hand) -> np.ndarray:
    """What the Bench shows."""
    image = hand.window.bench.grabFramebuffer()
    data = image.constBits().asarray(image.sizeInBytes())
    return np.frombuffer(data, dtype=np.uint8).copy()


def test_pieces_make_the_same_picture(at_small_pieces: Hand) -> None:
    bench = at_small_pieces.window.bench
    at_small_pieces.window.document.select(PartId(next(iter(bench.document.rig.parts))))
    bench.frames._resting.stop()
    target = bench.renderer
    assert target is not None
    bench.makeCurrent()
    size = bench.logical_size()
    canvas = target.context.simple_framebuffer(size)
    about = size, bench.camera, bench._standing(bench.scene(), bench.pose), bench.inks
    target.draw(canvas, *about, smooth=True)
    whole = canvas.read()
    pieces = 0
    for _ in target.still(*about):
        pieces += 1
        # What a click does between two pieces changes nothing.
        target.pick(size, bench.camera, bench.scene().instances(bench.pose, {}), (300, 300))
    target.show_still(canvas, size)
    assert pieces > 20
    assert canvas.read() == whole
    bench.doneCurrent()


def test_what_was_there_stays_until_the_still_picture_is_done(
    at_small_pieces: Hand, qtbot: QtBot
) -> None:
    bench, turns = at_small_pieces.window.bench, []
    before = picture(at_small_pieces)
    seen: list[bool] = []
    go_on = bench.frames._some_pieces

    def some() -> bool:
        seen.append(go_on())
        return seen[-1]

    bench.frames._some_pieces = some  # type: ignore[method-assign]
    bench.frames._going_on.timeout.connect(lambda: turns.append(1))
    with qtbot.waitSignal(bench.frame_drawn, timeout=10_000):
        bench.update()
    # The window had its turn between them.
    assert len(turns) > 20 and seen.count(False) > 20 and seen[-1]
    after = picture(at_small_pieces)
    assert (before != after).any(), "what is still is smooth"


def test_what_moves_is_shown_at_once_and_the_still_picture_begun_anew(
    at_small_pieces: Hand, qtbot: QtBot
) -> None:
    bench = at_small_pieces.window.bench
    bench.update()
    at_small_pieces.rest(5)
    assert bench.frames._still is not None and not bench.frames._still_done
    at_small_pieces.window.document.select(PartId(next(iter(bench.document.rig.parts))))
    with qtbot.waitSignal(bench.frame_drawn, timeout=1000):
        pass
    assert bench.frames._still is None
    bench.frames._resting.stop()
    with qtbot.waitSignal(bench.frame_drawn, timeout=10_000):
        bench.update()
    assert bench.frames._still_done


def test_a_still_picture_that_stands_is_not_drawn_again(
    at_small_pieces: Hand, qtbot: QtBot
) -> None:
    bench = at_small_pieces.window.bench
    with qtbot.waitSignal(bench.frame_drawn, timeout=10_000):
        bench.update()
    done = bench.frames._still
    assert (picture(at_small_pieces) == picture(at_small_pieces)).all()
    assert bench.frames._still is done


@pytest.mark.parametrize("demo", [False, True])
def test_nothing_is_drawn_while_nothing_moves(window: Window, qtbot: QtBot, demo: bool) -> None:
    if demo:
        window.open_demo()
    qtbot.wait(500)
    drawn: list[int] = []
    window.bench.frame_drawn.connect(lambda: drawn.append(1))
    qtbot.wait(500)
    assert not drawn


def test_surfaces_that_change_at_every_step_of_a_hand_are_seen(
    at_lock: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    """However slowly they come to the graphics side."""
    monkeypatch.setattr(frames, "_A_WHILE", 0.0)
    monkeypatch.setattr(frames, "_A_MOMENT", 0.0)
    window, bench = at_lock.window, at_lock.window.bench
    drawn: list[int] = []
    bench.frame_drawn.connect(lambda: drawn.append(1))
    for teeth in range(30, 38):
        made = Shape(SpurGear(module=0.1, teeth=teeth, width=0.2))
        window.document.edit("gear", lambda rig, made=made: with_first_shape(rig, made))
        at_lock.rest(30)
    assert len(drawn) >= 3


def with_first_shape(rig: Rig, made: Shape) -> Rig:
    part = next(iter(rig.parts))
    return change_part(rig, part, replace(rig.parts[part], shapes=(made,)))
