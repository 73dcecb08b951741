"""What is seen of a material on the Bench: its base colour, of a picture, a tint and the colours at
its corners."""

from __future__ import annotations

import functools
import io
from typing import Any, NamedTuple

import numpy as np
import numpy.typing as npt

from gremio.core.surfaces.looks import Look, Material, Picture

# Larger pictures are shown smaller (pixels along a side).
_MOST = 2048
_CLAMP, _MIRROR = 33071, 33648


class Shown(NamedTuple):
    """The base colour of a surface of T triangles.

    pixels: (H, W, 4) of its picture, the top row first, as a screen is told them; white where it
    has none. laid: (T, 3, 2) where each corner is on it, from the top left, 0 to 1 once across.
    tint: (T, 3, 4) linear light and opacity that it is multiplied with. wrap: across and down, what
    is beyond the picture: "repeat", "clamp" or "mirror". cutoff: what is less opaque is not seen.
    blends: whether what is behind is seen through it.
    """

    pixels: npt.NDArray[np.uint8]
    laid: npt.NDArray[np.float32]
    tint: npt.NDArray[np.float32]
    wrap: tuple[str, str]
    cutoff: float
    blends: bool


@functools.lru_cache(maxsize=1024)
def shown(look: Look) -> Shown | None:
    """What is to be seen of a look (glTF 2.0, 3.9.2); None where that is no more than a paint."""
    if not look.coloured:
        return None
    tree = {} if look.material is None else look.material.tree
    base = tree.get("pbrMetallicRoughness", {})
    tint = np.ones((*look.corners.shape, 4), dtype=np.float32)
    factor = np.asarray(base.get("baseColorFactor", [1, 1, 1, 1]), dtype=np.float32)
    tint *= factor if factor.shape == (4,) else 1.0
    colours = look.numbers.get("COLOR_0")
    if colours is not None:
        tint[..., : colours.shape[1]] *= colours[look.corners]
    mode = tree.get("alphaMode", "OPAQUE")
    if mode == "OPAQUE":
        tint[..., 3] = 1.0
    cutoff = float(tree.get("alphaCutoff", 0.5)) if mode == "MASK" else 0.0
    laid = np.zeros((*look.corners.shape, 2), dtype=np.float32)
    pixels = np.full((1, 1, 4), 255, dtype=np.uint8)
    wrap = ("repeat", "repeat")
    told = base.get("baseColorTexture")
    if look.material is not None and isinstance(told, dict):
        found = _picture(look.material, told)
        places = look.numbers.get(_set_of(told))
        if found is not None and places is not None:
            pixels, wrap = found
            laid = _transformed(places[look.corners], told)
    return Shown(pixels, laid, tint, wrap, cutoff, mode == "BLEND")


def _set_of(told: dict[str, Any]) -> str:
    moved = told.get("extensions", {}).get("KHR_texture_transform", {})
    return f"TEXCOORD_{moved.get('texCoord', told.get('texCoord', 0))}"


def _transformed(places: npt.NDArray[np.float32], told: dict[str, Any]) -> npt.NDArray[np.float32]:
    """Places on a picture, moved as its material says (KHR_texture_transform)."""
    moved = told.get("extensions", {}).get("KHR_texture_transform")
    if not moved:
        return places
    angle = float(moved.get("rotation", 0.0))
    turn = np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
    scaled = places * np.asarray(moved.get("scale", [1, 1]), dtype=float)
    there: npt.NDArray[np.float32] = (
        scaled @ turn.T + np.asarray(moved.get("offset", [0, 0]), dtype=float)
    ).astype(np.float32)
    return there


def _picture(
    material: Material, told: dict[str, Any]
) -> tuple[npt.NDArray[np.uint8], tuple[str, str]] | None:
    texture = material.textures[told["index"]]
    words = {_CLAMP: "clamp", _MIRROR: "mirror"}
    wrap = tuple(words.get(texture.sampler.get(key, 0), "repeat") for key in ("wrapS", "wrapT"))
    for picture in texture.pictures.values():
        pixels = pixels_of(picture)
        if pixels is not None:
            return pixels, (wrap[0], wrap[1])
    return None


@functools.lru_cache(maxsize=64)
def pixels_of(picture: Picture) -> npt.NDArray[np.uint8] | None:
    """(H, W, 4) of a picture, the top row first, at most 2,048 a side; None where it can't be
    read here (a KTX2, or a broken one)."""
    from PIL import Image

    try:
        with Image.open(io.BytesIO(picture.data)) as found:
            found.draft("RGB", (_MOST, _MOST))
            found.thumbnail((_MOST, _MOST))
            return np.asarray(found.convert("RGBA"))
    except Exception:
        # Broken pictures fail in as many ways as there are kinds.
        return None
