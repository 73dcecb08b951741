"""A picture of a pose without a display, by the same renderer as the Bench."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import moderngl
import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QBuffer
from PyQt6.QtGui import QImage

from gremio.core.files import atomic
from gremio.core.files.sources import model_shelf
from gremio.core.problem import GremioError
from gremio.core.solve.pose import Pose
from gremio.desktop.bench.camera import Camera, Size, framed
from gremio.desktop.bench.renderer import Renderer
from gremio.desktop.bench.scene import corners_of, scene_of
from gremio.desktop.theme.inks import DAY, NIGHT

# Each side of a picture, at least and at most (px).
SMALLEST, LARGEST = 16, 16384


def picture(
    pose: Pose, size: Size, *, night: bool = False, textured: bool = False
) -> npt.NDArray[np.uint8]:
    """(height, width, 3) pixels of a pose, the whole rig in view. textured: models in the base
    colours they came with. Raises GremioError.

    An OpenGL context belongs to a thread, and a thread has one: drawing in a thread of its
    own leaves a window's context alone.
    """
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(_draw, pose, size, night, textured).result()


def _draw(pose: Pose, size: Size, night: bool, textured: bool) -> npt.NDArray[np.uint8]:
    try:
        context = moderngl.create_context(standalone=True, backend="egl")  # type: ignore[arg-type]
    except Exception as error:
        # Drivers fail in many ways; each means that there is nothing to draw with.
        raise GremioError(
            f"No OpenGL to draw with ({error}). Install libegl1 and libgl1."
        ) from None
    try:
        renderer = Renderer(context)
        scene = scene_of(pose.rig, pose.program.part_row, model_shelf(), textured=textured)
        renderer.load(scene)
        renderer.load_on()
        corners = corners_of(scene, pose)
        camera = framed(Camera(), size, corners) if len(corners) else Camera()
        target = context.framebuffer(
            context.renderbuffer(size, 4), context.depth_renderbuffer(size)
        )
        inks = NIGHT if night else DAY
        renderer.draw(target, size, camera, scene.instances(pose, {}), inks, smooth=True)
        pixels = np.frombuffer(target.read(components=3, alignment=1), dtype=np.uint8)
        return pixels.reshape(size[1], size[0], 3)[::-1].copy()
    finally:
        context.release()


def save_picture(
    pose: Pose, path: Path, size: Size, *, night: bool = False, textured: bool = False
) -> None:
    """Write a PNG of a pose. Raises GremioError when it can't be drawn or saved."""
    _check_ending(path)
    save_png(picture(pose, size, night=night, textured=textured), path)


def save_png(pixels: npt.NDArray[np.uint8], path: Path) -> None:
    """Write (height, width, 3) pixels as a PNG file. Raises GremioError."""
    _check_ending(path)
    atomic.write(path, png(pixels))


def _check_ending(path: Path) -> None:
    if path.suffix.lower() != ".png":
        raise GremioError(f"Gremio draws PNG pictures; {path.name} has another ending.")


def check_size(size: Size) -> Size:
    """A size of a picture (px). Raises GremioError for none that can be drawn."""
    width, height = size
    if not all(SMALLEST <= side <= LARGEST for side in (width, height)):
        raise GremioError(f"A picture of {width} × {height}: each side is from {SMALLEST} to "
                          f"{LARGEST} pixels.")  # fmt: skip
    return int(width), int(height)


def png(pixels: npt.NDArray[np.uint8]) -> bytes:
    """A PNG file of (height, width, 3) pixels."""
    height, width, _ = pixels.shape
    image = QImage(pixels.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888)
    buffer = QBuffer()
    buffer.open(QBuffer.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")
    return buffer.data().data()
