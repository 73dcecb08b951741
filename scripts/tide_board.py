"""A model with textures for the pictures of the documentation: Saltmarsh lock's tide board."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import trimesh
from PIL import Image, ImageDraw
from trimesh.visual.material import PBRMaterial


def write_tide_board(path: Path) -> None:
    """A board with a painted scale on two posts, a shutter and a lamp glass, as GLB (y up)."""
    boards = PBRMaterial(name="Tarred boards", baseColorTexture=_boards(), metallicFactor=0.0)
    scale = PBRMaterial(name="Painted scale", baseColorTexture=_scale(), metallicFactor=0.0)
    glass = PBRMaterial(name="Lamp glass", baseColorFactor=[0.85, 0.7, 0.3, 0.45],
                        alphaMode="BLEND", metallicFactor=0.0)  # fmt: skip
    scene = trimesh.Scene()
    for name, size, at, material in (
        ("Post, left", (0.12, 2.6, 0.12), (-0.66, 1.3, 0.0), boards),
        ("Post, right", (0.12, 2.6, 0.12), (0.66, 1.3, 0.0), boards),
        ("Tide board", (1.2, 1.9, 0.06), (0.0, 1.3, 0.0), scale),
        ("Shutter", (1.2, 0.5, 0.05), (0.0, 0.55, 0.09), boards),
        ("Lamp glass", (0.22, 0.34, 0.22), (0.0, 2.5, 0.0), glass),
    ):
        scene.add_geometry(_block(size, at, material), node_name=name, geom_name=name)
    path.write_bytes(scene.export(file_type="glb"))


def _boards() -> Image.Image:
    picture = Image.new("RGB", (256, 256))
    draw = ImageDraw.Draw(picture)
    for row in range(6):
        tone = (92 + 9 * (row % 3), 70 + 6 * (row % 2), 52 + 4 * row)
        draw.rectangle((0, row * 43, 256, row * 43 + 41), fill=tone)
        draw.line((0, row * 43 + 42, 256, row * 43 + 42), fill=(38, 28, 22), width=3)
    return picture


def _scale() -> Image.Image:
    picture = Image.new("RGB", (512, 800), (236, 231, 218))
    draw = ImageDraw.Draw(picture)
    for step in range(16):
        y = 770 - step * 48
        wide = 190 if step % 5 == 0 else 110
        draw.rectangle((40, y - 12, 40 + wide, y + 12), fill=(30, 42, 50))
        if step % 5 == 0:
            draw.text((270, y - 52), f"{step / 5:.0f} m", fill=(30, 42, 50), font_size=92)
    return picture


def _block(
    size: tuple[float, ...], at: tuple[float, ...], material: PBRMaterial
) -> trimesh.Trimesh:
    """A block whose six sides each bear the whole picture, upright at its sides."""
    points, faces, laid = [], [], []
    for axis in range(3):
        across, up = {0: (2, 1), 1: (0, 2), 2: (0, 1)}[axis]
        for side in (-1.0, 1.0):
            first = len(points)
            for u, v in ((0, 0), (1, 0), (1, 1), (0, 1)):
                corner = np.array(at)
                corner[axis] += side * size[axis] / 2
                corner[across] += (u - 0.5) * size[across]
                corner[up] += (v - 0.5) * size[up]
                points.append(corner)
                laid.append((u if (side > 0) == (axis == 2) else 1 - u, v))
            outward = np.cross(np.eye(3)[across], np.eye(3)[up])[axis] * side
            order = [0, 1, 2, 3] if outward > 0 else [3, 2, 1, 0]
            faces += [[first + order[0], first + order[1], first + order[2]],
                      [first + order[0], first + order[2], first + order[3]]]  # fmt: skip
    made = trimesh.Trimesh(points, faces, process=False)
    made.visual = trimesh.visual.TextureVisuals(uv=np.array(laid, dtype=float), material=material)
    return made
