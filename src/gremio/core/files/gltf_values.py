"""The numbers that a glTF holds, and those that the reader of surfaces would take for others.

That reader knows neither sparse accessors nor numbers kept as shares of a whole one (glTF 2.0,
3.6.2), and passes over fans of triangles. They are written out as plain ones before it sees them.
"""

from __future__ import annotations

import base64
import binascii
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array

_TYPES = {5120: "<i1", 5121: "<u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
_FLOAT, _UINT = 5126, 5125
_WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}
_MOST = 500_000_000
_LARGEST = 2_000_000_000
_FAN = 6

# Under these names a surface keeps what the reader does not look at.
LOOK = "_look "


class Buffers:
    """The bytes of a glTF. binary: those in a GLB itself. added: buffers that are put to it."""

    def __init__(self, file: Path, tree: dict[str, Any], binary: bytes) -> None:
        self._file, self._tree, self._binary = file, tree, binary
        self._read: dict[int, bytes] = {}
        self.added: list[bytes] = []

    def add(self, data: bytes) -> int:
        """Put one more buffer to the tree, and hand back its number."""
        told = self._tree.setdefault("buffers", [])
        told.append({"byteLength": len(data)})
        self._read[len(told) - 1] = data
        self.added.append(data)
        return len(told) - 1

    def view(self, number: int) -> bytes:
        """The bytes of a buffer view. Raises LookupError, TypeError, ValueError, OSError."""
        view = self._tree["bufferViews"][_place(number)]
        return self.part(view["buffer"], view.get("byteOffset", 0), view["byteLength"])

    def part(self, buffer: int, start: int, size: int) -> bytes:
        """So many bytes of a buffer, from a place on; raises as `view` does."""
        data = self._buffer(buffer)[_place(start) : start + _place(size)]
        if len(data) != size:
            raise ValueError("a buffer view reaches past the data")
        return data

    def _buffer(self, number: int) -> bytes:
        if number not in self._read:
            uri = self._tree["buffers"][_place(number)].get("uri")
            self._read[number] = self._binary if uri is None else bytes_of(self._file, uri)
        return self._read[number]

    def values(self, number: int) -> Array:
        """(n, k) the values of an accessor, shares of a whole as such; raises as `view` does."""
        accessor = self._tree["accessors"][_place(number)]
        kind = accessor["componentType"]
        count, width = _place(accessor["count"]), _WIDTHS[accessor["type"]]
        if count > _MOST:
            raise ValueError("an accessor says it is larger than anything can be")
        raw = np.zeros((count, width), dtype=_TYPES[kind])
        if "bufferView" in accessor:
            view = self._tree["bufferViews"][accessor["bufferView"]]
            raw = _rows(
                self.view(accessor["bufferView"]), kind, count, width,
                accessor.get("byteOffset", 0), view.get("byteStride", 0),
            )  # fmt: skip
        if sparse := accessor.get("sparse"):
            raw = self._with_sparse(raw, kind, sparse)
        return shares(raw) if accessor.get("normalized") else raw.astype(float)

    def _with_sparse(
        self, raw: npt.NDArray[Any], kind: int, sparse: dict[str, Any]
    ) -> npt.NDArray[Any]:
        many = _place(sparse["count"])
        where, what = sparse["indices"], sparse["values"]
        places = _rows(
            self.view(where["bufferView"]), where["componentType"], many, 1,
            where.get("byteOffset", 0), 0,
        )[:, 0]  # fmt: skip
        changed = raw.copy()
        changed[places] = _rows(
            self.view(what["bufferView"]), kind, many, raw.shape[1], what.get("byteOffset", 0), 0
        )
        return changed


def bytes_of(file: Path, uri: str) -> bytes:
    """What a glTF refers to: written in it, or a file in its folder or below. Raises ValueError,
    OSError."""
    if uri.startswith("data:"):
        try:
            return base64.b64decode(uri.partition(",")[2], validate=False)
        except binascii.Error as error:
            raise ValueError(str(error)) from error
    return bytes_beside(file, unquote(uri))


def bytes_beside(file: Path, name: str) -> bytes:
    """A file in the folder of another, or below. Raises ValueError for one elsewhere, OSError."""
    folder = file.parent.resolve()
    beside = (folder / name).resolve()
    if not beside.is_relative_to(folder):
        raise ValueError(f"{name} is outside its folder")
    if not beside.is_file() or beside.stat().st_size > _LARGEST:
        raise FileNotFoundError(name)
    return beside.read_bytes()


def shares(raw: npt.NDArray[Any]) -> Array:
    """Whole numbers as shares of the largest of their kind, −1 to 1 (glTF 2.0, 3.6.2.3)."""
    if raw.dtype.kind == "f":
        return raw.astype(float)
    values: Array = np.maximum(raw / float(np.iinfo(raw.dtype).max), -1.0)
    return values


def _place(number: Any) -> int:
    if not isinstance(number, int) or isinstance(number, bool) or number < 0:
        raise ValueError("a place is no whole number")
    return number


def _rows(
    data: bytes, kind: int, count: int, width: int, start: int, step: int
) -> npt.NDArray[Any]:
    """(count, width) numbers in a buffer view. step: bytes from one row to the next, 0 for
    closely packed ones."""
    dtype = np.dtype(_TYPES[kind])
    start, step = _place(start), _place(step) or width * dtype.itemsize
    if count and start + (count - 1) * step + width * dtype.itemsize > len(data):
        raise ValueError("an accessor reaches past the data")
    if count == 0:
        return np.zeros((0, width), dtype=dtype)
    return np.ndarray((count, width), dtype, data, start, (step, dtype.itemsize)).copy()


def write_plain(tree: dict[str, Any], buffers: Buffers) -> None:
    """Change a tree so that the reader takes every number for what it is, and keeps those at the
    corners that it does not look at. Raises as `Buffers.view` does."""
    made = _Made(tree, len(tree.get("buffers", [])))
    done: dict[int, int] = {}
    for number, mesh in enumerate(tree.get("meshes", [])):
        extras = mesh.get("extras")
        mesh["extras"] = {**(extras if isinstance(extras, dict) else {}), LOOK: number}
        for primitive in mesh["primitives"]:
            packed = "KHR_draco_mesh_compression" in primitive.get("extensions", {})
            attributes = primitive["attributes"]
            for name, accessor in list(attributes.items()):
                if not packed and _misread(tree["accessors"][_place(accessor)], name):
                    if accessor not in done:
                        done[accessor] = made.add(buffers.values(accessor))
                    attributes[name] = done[accessor]
            if not packed:
                _plain_triangles(tree, primitive, buffers, made)
            attributes.update(
                {
                    LOOK + name: accessor
                    for name, accessor in attributes.items()
                    if name.split("_")[0] in ("NORMAL", "TANGENT", "TEXCOORD", "COLOR")
                }
            )
    if made.data:
        buffers.add(bytes(made.data))


def _misread(accessor: dict[str, Any], name: str) -> bool:
    if name.split("_")[0] not in ("POSITION", "NORMAL", "TANGENT", "TEXCOORD", "COLOR"):
        return False
    whole = accessor.get("componentType") != _FLOAT
    return "sparse" in accessor or (whole and (name != "POSITION" or "normalized" in accessor))


def _plain_triangles(
    tree: dict[str, Any], primitive: dict[str, Any], buffers: Buffers, made: _Made
) -> None:
    """Write out indices that are sparse, and the triangles of a fan (glTF 2.0, 3.7.2.1)."""
    told = primitive.get("indices")
    fan = primitive.get("mode", 4) == _FAN
    if not fan and (told is None or "sparse" not in tree["accessors"][_place(told)]):
        return
    if told is None:
        count = tree["accessors"][primitive["attributes"]["POSITION"]]["count"]
        places = np.arange(min(_place(count), _MOST))
    else:
        places = buffers.values(told)[:, 0].astype(np.int64)
    if fan:
        first = np.full(max(len(places) - 2, 0), places[0] if len(places) else 0)
        places = np.stack([first, places[1:-1], places[2:]], axis=1).ravel()
        primitive["mode"] = 4
    primitive["indices"] = made.add(places[:, None])


class _Made:
    """Accessors that are added to a tree, and their bytes, in a buffer of their own."""

    def __init__(self, tree: dict[str, Any], buffer: int) -> None:
        self.tree, self.buffer, self.data = tree, buffer, bytearray()

    def add(self, values: npt.NDArray[Any]) -> int:
        """The number of an accessor for (n, k) values."""
        whole = values.dtype.kind == "i"
        content = values.astype("<u4" if whole else "<f4").tobytes()
        views, accessors = self.tree["bufferViews"], self.tree["accessors"]
        start = len(self.data)
        views.append({"buffer": self.buffer, "byteOffset": start, "byteLength": len(content)})
        kind = next(kind for kind, width in _WIDTHS.items() if width == values.shape[1])
        accessors.append(
            {
                "bufferView": len(views) - 1,
                "componentType": _UINT if whole else _FLOAT,
                "count": len(values),
                "type": kind,
            }
        )
        self.data += content
        return len(accessors) - 1
