"""Whatever was done, the picture at rest is that of now: nothing of before is left in it."""

from __future__ import annotations

import numpy as np
import pytest
from hand import Hand
from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication

from gremio.core.edit.parts import change_part
from gremio.desktop.bench.camera import orbited, panned, zoomed
from gremio.desktop.theme.inks import DAY, NIGHT

STEPS = 14


def hover(hand: Hand, rng: np.random.Generator) -> None:
    bench = hand.window.bench
    at = QPointF(*(rng.uniform(0.2, 0.8, 2) * bench.logical_size()))
    none = Qt.MouseButton.NoButton
    event = QMouseEvent(QEvent.Type.MouseMove, at, bench.mapToGlobal(at), none, none,
                        Qt.KeyboardModifier.NoModifier)  # fmt: skip
    QApplication.sendEvent(bench, event)


def select(hand: Hand, rng: np.random.Generator) -> None:
    parts = list(hand.window.document.rig.parts)
    hand.window.document.choose([parts[i] for i in rng.integers(0, len(parts), 2)])


def look(hand: Hand, rng: np.random.Generator) -> None:
    bench, size = hand.window.bench, hand.window.bench.logical_size()
    turned = orbited(bench.camera, *rng.uniform(-90, 90, 2))
    turned = panned(turned, size, *rng.uniform(-30, 30, 2))
    bench._look(zoomed(turned, size, (size[0] / 2, size[1] / 2), rng.uniform(0.8, 1.2)))


def drive(hand: Hand, rng: np.random.Generator) -> None:
    document = hand.window.document
    controls = list(document.rig.controls.items())
    control, entry = controls[rng.integers(len(controls))]
    document.move_all({control: float(rng.uniform(entry.low, entry.high))}, "", "drag")


def edit(hand: Hand, rng: np.random.Generator) -> None:
    document = hand.window.document
    part = list(document.rig.parts)[rng.integers(len(document.rig.parts))]
    entry = document.rig.parts[part]
    at = tuple((np.array(entry.mount.at) + rng.normal(size=3) * 0.1).tolist())
    document.edit("mount", lambda rig: change_part(
        rig, part, replace(entry, mount=replace(entry.mount, at=at))))  # fmt: skip


def undo(hand: Hand, _rng: np.random.Generator) -> None:
    hand.window.document.undo()


def hide(hand: Hand, rng: np.random.Generator) -> None:
    parts = list(hand.window.document.rig.parts)
    hand.window.bench.hide_parts([parts[i] for i in rng.integers(0, len(parts), 5)])


def inks(hand: Hand, rng: np.random.Generator) -> None:
    hand.window.bench.set_inks(NIGHT if rng.random() < 0.5 else DAY)


def light(hand: Hand, rng: np.random.Generator) -> None:
    hand.window.bench.set_light(bool(rng.random() < 0.5))


def size(hand: Hand, rng: np.random.Generator) -> None:
    hand.window.resize(int(rng.integers(1000, 1280)), int(rng.integers(640, 800)))


def click(hand: Hand, rng: np.random.Generator) -> None:
    bench = hand.window.bench
    bench.part_at(QPointF(*(rng.uniform(0.2, 0.8, 2) * bench.logical_size())))


ACTS = hover, select, look, drive, edit, undo, hide, inks, light, size, click


def picture_of_now(hand: Hand) -> np.ndarray:
    """What the Bench should show, drawn anew."""
    bench = hand.window.bench
    assert bench.renderer is not None
    bench.makeCurrent()
    bench.frames._still = None
    scene = bench.scene()
    bench.renderer.load(scene)
    bench.renderer.load_on()
    canvas = bench.renderer.context.simple_framebuffer(bench.logical_size())
    standing = scene.instances(bench.pose, bench._states())
    about = bench.logical_size(), bench.camera, standing, bench.inks
    bench.renderer.draw(canvas, *about, smooth=True)
    drawn = np.frombuffer(canvas.read(components=3, alignment=1), np.uint8)
    bench.doneCurrent()
    return drawn.reshape(*bench.logical_size()[::-1], 3)[::-1]


def shown(hand: Hand) -> np.ndarray:
    """What it shows."""
    image = hand.window.bench.grabFramebuffer()
    image = image.convertToFormat(image.Format.Format_RGB888)
    data = np.frombuffer(image.constBits().asarray(image.sizeInBytes()), np.uint8)
    lines = data.reshape(image.height(), image.bytesPerLine())[:, : 3 * image.width()]
    return lines.reshape(image.height(), image.width(), 3).copy()


@pytest.mark.parametrize("seed", range(4))
def test_the_picture_at_rest_is_that_of_now(at_lock: Hand, seed: int) -> None:
    rng, bench = np.random.default_rng(seed), at_lock.window.bench
    bench.frames._resting.setInterval(100)
    bench.frames.moved()
    done = []
    for _ in range(STEPS):
        act = ACTS[rng.integers(len(ACTS))]
        done.append(act.__name__)
        act(at_lock, rng)
        at_lock.rest(int(rng.choice([0, 1, 30, 200])))
    frames = bench.frames
    at_lock.rest(200)
    at_lock.qtbot.waitUntil(
        lambda: frames.rested and not frames._resting.isActive(), timeout=10_000
    )
    at_lock.rest(50)
    found = shown(at_lock)
    wanted = picture_of_now(at_lock)
    assert found.shape == wanted.shape
    # Where two lines or surfaces are equally near, a shade of a pixel depends on what was drawn
    # together.
    apart = np.abs(found.astype(int) - wanted)
    assert apart.max() <= 16 and (apart > 0).mean() < 1e-4, (done, apart.max())
