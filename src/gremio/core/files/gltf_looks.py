"""The materials of a glTF with their pictures, as they are carried through a rig."""

from __future__ import annotations

import copy
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, Any, Literal
from urllib.parse import unquote

import msgspec
from msgspec import Meta, Struct

from gremio.core.files.gltf_values import Buffers, bytes_of
from gremio.core.problem import Note
from gremio.core.surfaces.looks import Material, Picture, Texture, kind_of

_LARGEST = 500_000_000
# How a texture asks for a picture that not every reader knows, and the kind of picture it is.
_BY_EXTENSION = ("KHR_texture_basisu", "EXT_texture_webp")


_Index = Annotated[int, Meta(ge=0)]
# By the letter they go to 1; what goes a little beyond is meant so.
_Share = Annotated[float, Meta(ge=0.0, le=1e6)]


class _Laid(Struct):
    """What KHR_texture_transform says."""

    offset: tuple[float, float] = (0.0, 0.0)
    scale: tuple[float, float] = (1.0, 1.0)
    rotation: float = 0.0
    texCoord: _Index = 0  # noqa: N815


class _TextureExtensions(Struct):
    KHR_texture_transform: _Laid | None = None


class _TextureInfo(Struct):
    index: _Index
    texCoord: _Index = 0  # noqa: N815
    scale: float = 1.0
    strength: _Share = 1.0
    extensions: _TextureExtensions | None = None


class _Base(Struct):
    baseColorFactor: tuple[_Share, _Share, _Share, _Share] | None = None  # noqa: N815
    metallicFactor: _Share = 1.0  # noqa: N815
    roughnessFactor: _Share = 1.0  # noqa: N815
    baseColorTexture: _TextureInfo | None = None  # noqa: N815
    metallicRoughnessTexture: _TextureInfo | None = None  # noqa: N815


class _Material(Struct):
    """What glTF 2.0 (5.19) lets a material be; extensions are taken as they are."""

    name: str = ""
    pbrMetallicRoughness: _Base | None = None  # noqa: N815
    normalTexture: _TextureInfo | None = None  # noqa: N815
    occlusionTexture: _TextureInfo | None = None  # noqa: N815
    emissiveTexture: _TextureInfo | None = None  # noqa: N815
    emissiveFactor: tuple[_Share, _Share, _Share] | None = None  # noqa: N815
    alphaMode: Literal["OPAQUE", "MASK", "BLEND"] = "OPAQUE"  # noqa: N815
    alphaCutoff: Annotated[float, Meta(ge=0.0)] = 0.5  # noqa: N815
    doubleSided: bool = False  # noqa: N815
    extensions: dict[str, dict[str, Any]] = {}


class _Sampler(Struct):
    """What glTF 2.0 (5.26) lets a sampler be."""

    magFilter: Literal[9728, 9729] | None = None  # noqa: N815
    minFilter: Literal[9728, 9729, 9984, 9985, 9986, 9987] | None = None  # noqa: N815
    wrapS: Literal[33071, 33648, 10497] | None = None  # noqa: N815
    wrapT: Literal[33071, 33648, 10497] | None = None  # noqa: N815
    name: str = ""


class _Lost(Exception):
    """A picture that can't be had, with the reason."""


def materials_of(
    file: Path, tree: dict[str, Any], buffers: Buffers
) -> tuple[list[Material | None], list[Note]]:
    """Every material of a glTF, None for a broken one, and what is left out of them. A broken one
    is taken out of the tree."""
    reading = _Reading(file, tree, buffers)
    made: list[Material | None] = []
    for number, told in enumerate(tree.get("materials", [])):
        try:
            msgspec.convert(told, _Material)
            made.append(reading.material(number, told))
        except (msgspec.ValidationError, TypeError, AttributeError):
            reading.broken(number)
            tree["materials"][number] = {}
            made.append(None)
    return made, reading.notes


class _Reading:
    """Reads each picture and texture once, so that what shares them goes on to."""

    def __init__(self, file: Path, tree: dict[str, Any], buffers: Buffers) -> None:
        self.file, self.tree, self.buffers = file, tree, buffers
        self.notes: list[Note] = []
        self.pictures: dict[int, Picture | _Lost] = {}
        self.textures: dict[int, Texture | _Lost] = {}

    def broken(self, number: int) -> None:
        """Tell of a material that says what none can be."""
        name = f"material {number + 1}"
        text = (
            f"{self.file.name}: {name} says what no material can be. What wears it gets Gremio's "
            "own paint."
        )
        self.notes.append(Note("material-broken", name, text, "warning"))

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
            sampler = self.tree["samplers"][told["sampler"]]
            try:
                msgspec.convert(sampler, _Sampler)
            except msgspec.ValidationError:
                raise _Lost("How its picture is laid is said wrongly.") from None
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
