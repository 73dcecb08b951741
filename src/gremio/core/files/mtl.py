"""The materials beside an OBJ (.mtl), as those of a glTF are kept.

An OBJ says how a surface shines under a lamp, glTF how rough it is and of what. What has no
counterpart there is left out, and told where it is a picture.
"""

from __future__ import annotations

import io
import re
from pathlib import Path
from typing import Any

import numpy as np

from gremio.core.arrays import Array
from gremio.core.files.gltf_values import bytes_beside
from gremio.core.problem import Note
from gremio.core.surfaces.colours import linear_of_srgb
from gremio.core.surfaces.looks import Material, Picture, Texture, kind_of

# The options of a picture's line come before its name, which may have blanks: those of one word,
# and those of up to three numbers.
_OPTION = re.compile(
    r"-(?:blendu|blendv|boost|cc|clamp|imfchan|texres|bm|type)\s+\S+\s+"
    r"|-mm\s+\S+\s+\S+\s+"
    r"|-[ost]\s+(?:[-+]?\d*\.?\d+(?:[eE][-+]?\d+)?\s+){1,3}"
)
_USED = {"map_kd": "baseColorTexture", "map_ke": "emissiveTexture", "norm": "normalTexture"}
_LEFT_OUT = {
    "map_ka": "of its light in the shade",
    "map_ks": "of its shine",
    "map_ns": "of its gloss",
    "map_d": "of where it is seen through",
    "map_bump": "of its bumps",
    "bump": "of its bumps",
    "disp": "of its depth",
    "decal": "that is laid over it",
    "refl": "of what it mirrors",
}


def obj_materials(file: Path, text: str) -> tuple[dict[str, Material], list[Note]]:
    """The materials that an OBJ of this text asks for, by name, and what is left out of them."""
    asked = re.search(r"(?m)^[ \t]*mtllib[ \t]+(\S.*?)[ \t]*\r?$", text)
    if asked is None:
        return {}, []
    try:
        lines = bytes_beside(file, asked[1]).decode("utf-8", errors="replace").splitlines()
    except (OSError, ValueError):
        said = (
            f"{file.name} has its materials in {asked[1]}, which is not beside it; its parts get "
            "Gremio's own paint. Put it there and bring the model in again."
        )
        return {}, [Note("materials-missing", file.name, said, "warning")]
    reading = _Reading(file)
    found: dict[str, Material] = {}
    told: dict[str, str] = {}
    name = ""
    for line in [*lines, "newmtl"]:
        key, _, rest = line.strip().replace("\t", " ").partition(" ")
        if key.lower() == "newmtl":
            if name:
                found[name] = reading.material(name, told)
            # Written as the reader of surfaces has it: both know a material by its name.
            name, told = " ".join(rest.split()), {}
        elif key and not key.startswith("#"):
            told[key.lower()] = rest.strip()
    return found, reading.notes


class _Reading:
    """Makes materials; each picture is read once."""

    def __init__(self, file: Path) -> None:
        self.file = file
        self.notes: list[Note] = []
        self._textures: dict[str, Texture | None] = {}

    def material(self, name: str, told: dict[str, str]) -> Material:
        """A material of the lines that tell of it."""
        textures: list[Texture] = []
        placed: dict[str, Any] = {}
        for key, place in _USED.items():
            texture = self._texture(name, told[key]) if told.get(key) else None
            if texture is not None:
                if texture not in textures:
                    textures.append(texture)
                placed[place] = {"index": textures.index(texture)}
        colour, glow = _numbers(told, "kd", 3, 1.0), _numbers(told, "ke", 3, 0.0)
        if "baseColorTexture" in placed and not colour.any():
            # Written by some for "the picture alone"; by the letter it would be black.
            colour = np.ones(3)
        opaque = 1.0 - _numbers(told, "tr", 1, 0.0)[0]
        opaque = float(np.clip(_numbers(told, "d", 1, opaque)[0], 0.0, 1.0))
        look: dict[str, Any] = {
            "baseColorFactor": [*linear_of_srgb(colour).tolist(), opaque],
            "metallicFactor": float(np.clip(_numbers(told, "pm", 1, 0.0)[0], 0.0, 1.0)),
            "roughnessFactor": _roughness(told),
        }
        tree: dict[str, Any] = {"name": name, "pbrMetallicRoughness": look}
        if "baseColorTexture" in placed:
            look["baseColorTexture"] = placed.pop("baseColorTexture")
        if "emissiveTexture" in placed and not glow.any():
            glow = np.ones(3)
        if glow.any():
            tree["emissiveFactor"] = linear_of_srgb(glow).tolist()
        tree.update(placed)
        through = told.get("map_d")
        if opaque < 1 or (through and through == told.get("map_kd")):
            tree["alphaMode"] = "BLEND"
        for key, what in _LEFT_OUT.items():
            if told.get(key) and not (key == "map_d" and through == told.get("map_kd")):
                self._note(name, f"The picture {what} is left out of {name}: glTF has none such.")
        return Material(tree, tuple(textures))

    def _note(self, name: str, text: str) -> None:
        self.notes.append(Note("picture-missing", name, f"{self.file.name}: {text}", "warning"))

    def _texture(self, name: str, line: str) -> Texture | None:
        """The texture of a picture's line; None, and a note, where it can't be had."""
        picture, options = line, ""
        while option := _OPTION.match(picture):
            options += option[0]
            picture = picture[option.end() :]
        if re.search(r"-[ost]\s|-clamp\s+on", options):
            self._note(name, f"{picture} is laid on {name} as it is, without {options.strip()}.")
        picture = picture.replace("\\", "/")
        if picture not in self._textures:
            self._textures[picture] = self._read(name, picture)
        return self._textures[picture]

    def _read(self, name: str, path: str) -> Texture | None:
        try:
            data = bytes_beside(self.file, path)
        except (OSError, ValueError):
            self._note(name, f"The picture {path} is not beside it. It is left out of {name}.")
            return None
        kind = kind_of(data)
        if kind not in ("image/png", "image/jpeg"):
            data, kind = _as_png(data), "image/png"
        if not data:
            self._note(name, f"The picture {path} can't be read. It is left out of {name}.")
            return None
        return Texture("", {}, {"": Picture(Path(path).stem, data, kind)})


def _as_png(data: bytes) -> bytes:
    """A picture of another kind as PNG; empty where it is none."""
    from PIL import Image

    made = io.BytesIO()
    try:
        with Image.open(io.BytesIO(data)) as picture:
            picture.convert("RGBA" if "A" in picture.getbands() else "RGB").save(made, "PNG")
    except Exception:
        # Broken pictures fail in as many ways as there are kinds.
        return b""
    return made.getvalue()


def _numbers(told: dict[str, str], key: str, many: int, usual: float) -> Array:
    """(many,) numbers of a line; the usual one where it has none that can be read."""
    try:
        values = np.array([float(word) for word in told.get(key, "").split()])
    except ValueError:
        values = np.zeros(0)
    if len(values) not in (1, many) or not np.isfinite(values).all():
        values = np.array([usual])
    return np.resize(values, many)


def _roughness(told: dict[str, str]) -> float:
    """Of a shine's exponent n: a rough surface's slope is √(2 / (n + 2)), and glTF's roughness the
    root of that (Walter and others, "Microfacet models for refraction", 2007; glTF 2.0, B.3.2)."""
    if "pr" in told:
        return float(np.clip(_numbers(told, "pr", 1, 1.0)[0], 0.0, 1.0))
    exponent = max(float(_numbers(told, "ns", 1, 0.0)[0]), 0.0)
    return float((2.0 / (exponent + 2.0)) ** 0.25)
