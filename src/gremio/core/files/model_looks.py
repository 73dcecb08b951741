"""What the reader of surfaces knows of how they look: the numbers at their corners, and a paint."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array
from gremio.core.files.gltf_values import LOOK, shares
from gremio.core.rig.model import PAINT
from gremio.core.surfaces.colours import linear_of_srgb, srgb_of_linear

# A direction shorter than this is none.
_NONE = 1e-6


def places_of(scene: Any) -> dict[str, tuple[int, int]]:
    """Which mesh of a glTF, and which surface of that, each surface is, by name."""
    counts: dict[int, int] = {}
    found: dict[str, tuple[int, int]] = {}
    for name, surface in scene.geometry.items():
        mesh = surface.metadata.get(LOOK)
        if mesh is not None:
            counts[mesh] = counts.get(mesh, -1) + 1
            found[name] = (mesh, counts[mesh])
    return found


def numbers_of_gltf(surface: Any) -> dict[str, npt.NDArray[Any]]:
    """The numbers at the points of a surface that the reader kept without looking at them."""
    found = {
        name.removeprefix(LOOK): shares(np.asarray(values))
        for name, values in surface.vertex_attributes.items()
        if name.startswith(LOOK)
    }
    # Directions that are none are worked out anew, as for a surface that came without.
    for name in ("NORMAL", "TANGENT"):
        if name in found and not (np.linalg.norm(found[name][:, :3], axis=1) > _NONE).all():
            del found[name]
    return found


def numbers_of_obj(visual: Any) -> dict[str, npt.NDArray[Any]]:
    """An OBJ's places on pictures, counted from the top left as in glTF; or its colours."""
    laid = getattr(visual, "uv", None)
    if laid is not None and np.ndim(laid) == 2 and np.shape(laid)[1] >= 2:
        return {"TEXCOORD_0": np.asarray(laid)[:, :2] * [1, -1] + [0, 1]}
    if visual.kind == "vertex":
        return {"COLOR_0": light(visual.vertex_colors)}
    return {}


def light(colours: npt.ArrayLike) -> Array:
    """(n, 3 or 4) colours of 0–255 as a screen is told them, in linear light; without how much is
    seen through where that is nothing."""
    values = np.asarray(colours, dtype=float) / 255
    light = linear_of_srgb(values[:, :3])
    if (values[:, 3:] >= 1).all():
        return light
    seen: Array = np.concatenate([light, values[:, 3:]], axis=1)
    return seen


def material_of(visual: Any) -> Any:
    """The material as the reader has it, None for none."""
    return getattr(visual, "material", None)


def paint_of(surface: Any, file: Path) -> str:
    """The base colour of a surface; Gremio's own paint where it has none."""
    visual = surface.visual
    if not getattr(visual, "defined", False):
        return PAINT
    try:
        material = getattr(visual, "material", None)
        colour = visual.main_color if material is None else material.main_color
        rgb = np.asarray(colour, dtype=float)[:3] / 255
    except Exception:
        # A material the reader can't reduce to one colour is shown in Gremio's own paint.
        return PAINT
    if file.suffix.lower() in (".glb", ".gltf"):
        rgb = srgb_of_linear(rgb)
    return "#" + "".join(f"{round(float(v) * 255):02x}" for v in np.clip(rgb, 0, 1))
