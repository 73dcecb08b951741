"""The materials of a glTF with their pictures, as they are carried through a rig."""

from __future__ import annotations

import copy
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from urllib.parse import unquote

from gremio.core.files.gltf_values import Buffers, bytes_of
from gremio.core.problem import Note
from gremio.core.surfaces.looks import Material, Picture, Texture, kind_of

_LARGEST = 500_000_000
# How a texture asks for a picture that not every reader knows, and the kind of picture it is.
_BY_EXTENSION = ("KHR_texture_basisu", "EXT_texture_webp")


class _Lost(Exception):
    """A picture that can't be had, with the reason."""


def materials_of(
    file: Path, tree: dict[str, Any], buffers: Buffers
) -> tuple[list[Material], list[Note]]:
    """Every material of a glTF, and what is left out of them."""
    reading = _Reading(file, tree, buffers)
    made = []
    for number, told in enumerate(tree.get("materials", [])):
        made.append(reading.material(number, told))
    return made, reading.notes


class _Reading:
    """Reads each picture and texture once, so that what shares them goes on to."""

    def __init__(self, file: Path, tree: dict[str, Any], buffers: Buffers) -> None:
        self.file, self.tree, self.buffers = file, tree, buffers
        self.notes: list[Note] = []
        self.pictures: dict[int, Picture | _Lost] = {}
        self.textures: dict[int, Texture | _Lost] = {}

    def material(self, number: int, told: dict[str, Any]) -> Material:
        tree = copy.deepcopy(told)
        name = str(tree.get("name") or f"material {number + 1}")
        textures: list[Texture] = []
        asked = set(tree.get("extensions", {}))
        for holder, key in list(textures_in(tree)):
            found = self.texture(holder[key]["index"])
            if isinstance(found, _Lost):
                del holder[key]
                text = f"{self.file.name}: {found} It is left out of {name}."
                self.notes.append(Note("picture-missing", name, text, "warning"))
                continue
            if found not in textures:
                textures.append(found)
            asked |= {*found.pictures, *holder[key].get("extensions", {})}
            holder[key]["index"] = textures.index(found)
        required = asked & set(self.tree.get("extensionsRequired", []))
        return Material(tree, tuple(textures), frozenset(required))

    def texture(self, number: Any) -> Texture | _Lost:
        """The texture of this number, or why it can't be had."""
        if number not in self.textures:
            try:
                self.textures[number] = self._texture(self.tree["textures"][number])
            except _Lost as lost:
                self.textures[number] = lost
            except (LookupError, TypeError, AttributeError):
                self.textures[number] = _Lost("A picture it refers to is not in it.")
        return self.textures[number]

    def _texture(self, told: dict[str, Any]) -> Texture:
        sampler = {}
        if "sampler" in told:
            sampler = dict(self.tree["samplers"][told["sampler"]])
        asked = {"": told.get("source")}
        for extension in _BY_EXTENSION:
            asked[extension] = told.get("extensions", {}).get(extension, {}).get("source")
        pictures: dict[str, Picture] = {}
        lost = _Lost("A picture of it is not said.")
        for extension, source in asked.items():
            if source is None:
                continue
            found = self.picture(source)
            if isinstance(found, Picture):
                pictures[extension] = found
            else:
                lost = found
        if not pictures:
            raise lost
        return Texture(str(told.get("name", "")), sampler, pictures)

    def picture(self, number: Any) -> Picture | _Lost:
        """The picture of this number, or why it can't be had."""
        if number not in self.pictures:
            self.pictures[number] = self._picture(number)
        return self.pictures[number]

    def _picture(self, number: int) -> Picture | _Lost:
        path = ""
        try:
            told = self.tree["images"][number]
            uri = told.get("uri")
            if uri is None:
                data = self.buffers.view(told["bufferView"])
            else:
                path = "" if uri.startswith("data:") else unquote(uri)
                data = bytes_of(self.file, uri)
        except (LookupError, TypeError, ValueError, AttributeError, OSError):
            if path:
                return _Lost(f"The picture {path} is not beside it.")
            return _Lost("A picture in it can't be read.")
        name = str(told.get("name") or Path(path).stem)
        kind = kind_of(data)
        if not kind or len(data) > _LARGEST:
            return _Lost(f"The picture {name or number + 1} is of no kind that glTF holds.")
        return Picture(name, data, kind)


def textures_in(tree: Any) -> Iterator[tuple[dict[str, Any], str]]:
    """Where a material refers to a texture: what holds the reference, and under which key. Every
    extension that has textures says it in the same way."""
    if not isinstance(tree, dict):
        return
    for key, value in tree.items():
        if key == "extras" or not isinstance(value, dict):
            continue
        if key.endswith("Texture") and "index" in value:
            yield tree, key
        else:
            yield from textures_in(value)
