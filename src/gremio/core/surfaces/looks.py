"""What a surface of a model wears beside its one paint: its material, its pictures, and the numbers
at its corners by which they lie on it.

A material is kept as glTF 2.0 says it (`materials` there), whatever the file it came from, so that
nothing is lost of what is not known here.
"""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array
from gremio.core.records import Record
from gremio.core.shape.meshes import Indices

# What the beginning of a file says it is; the first two are what glTF has by itself.
_KINDS = (
    (b"\x89PNG\r\n\x1a\n", "image/png"),
    (b"\xff\xd8\xff", "image/jpeg"),
    (b"\xabKTX 20\xbb\r\n\x1a\n", "image/ktx2"),
)


def kind_of(data: bytes) -> str:
    """The media type of a picture that glTF can hold; empty for any other."""
    if data[:4] == b"RIFF" and data[8:12] == b"WEBP":
        return "image/webp"
    return next((kind for start, kind in _KINDS if data.startswith(start)), "")


class Picture(Record, frozen=True, eq=False):
    """A picture file. kind: its media type."""

    name: str
    data: bytes
    kind: str


class Texture(Record, frozen=True, eq=False):
    """A picture and how it is laid. sampler: as in glTF. pictures: by the extension of glTF that
    asks for it, "" for what every reader knows."""

    name: str
    sampler: dict[str, Any]
    pictures: dict[str, Picture]


class Material(Record, frozen=True, eq=False):
    """A material. tree: as in glTF, `index` in it being the place in `textures`. required: the
    extensions that a reader must know."""

    tree: dict[str, Any]
    textures: tuple[Texture, ...] = ()
    required: frozenset[str] = frozenset()


class Look(Record, frozen=True, eq=False):
    """What a surface wears. corners: (T, 3) which of the V points of its file each corner of its
    triangles is. numbers: (V, k) float32 of each point, by their names in glTF: NORMAL and TANGENT
    in the axes of the surface, TEXCOORD_0 from the top left, COLOR_0 in linear light."""

    corners: Indices
    material: Material | None = None
    numbers: dict[str, npt.NDArray[np.float32]] = msgspec.field(default_factory=dict)

    def turned(self, turn: Array) -> Look:
        """The look of a surface that is moved by (3, 3), which may mirror or stretch it."""
        mirrors = np.linalg.det(turn) < 0
        numbers = dict(self.numbers)
        if "NORMAL" in numbers:
            numbers["NORMAL"] = _unit(numbers["NORMAL"] @ np.linalg.inv(turn))
        if "TANGENT" in numbers:
            along = _unit(numbers["TANGENT"][:, :3] @ turn.T)
            side = numbers["TANGENT"][:, 3:] * (-1 if mirrors else 1)
            numbers["TANGENT"] = np.concatenate([along, side], axis=1).astype(np.float32)
        corners = self.corners[:, ::-1] if mirrors else self.corners
        return Look(corners, self.material, numbers)

    @property
    def coloured(self) -> bool:
        """Whether it says a colour beside the paint."""
        return self.material is not None or "COLOR_0" in self.numbers

    def bare(self) -> Look:
        """The look of a surface that was given another paint: it still knows how pictures would
        lie on it."""
        numbers = {k: v for k, v in self.numbers.items() if not k.startswith("COLOR")}
        return Look(self.corners, None, numbers)


def _unit(vectors: Array) -> npt.NDArray[np.float32]:
    length = np.linalg.norm(vectors, axis=1, keepdims=True)
    unit: npt.NDArray[np.float32] = (vectors / np.where(length > 0, length, 1.0)).astype(np.float32)
    return unit
