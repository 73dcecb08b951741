"""A textured model made number by number, and a reader of GLBs that has nothing of Gremio's."""

from __future__ import annotations

import io
import json
import struct
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
from PIL import Image

TYPES = {5120: "<i1", 5121: "<u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}


def picture(colour: tuple[int, ...], kind: str = "PNG") -> bytes:
    """A small picture, a corner of it dark, so that it has a right way up."""
    made = Image.new("RGBA" if len(colour) == 4 else "RGB", (8, 4), colour)
    made.putpixel((0, 0), (10, 20, 30, 255)[: len(colour)])
    data = io.BytesIO()
    made.save(data, kind)
    return data.getvalue()


class Made:
    """A GLB as it grows."""

    def __init__(self) -> None:
        self.blob = bytearray()
        self.tree: dict[str, Any] = {
            "asset": {"version": "2.0"}, "buffers": [], "bufferViews": [], "accessors": [],
        }  # fmt: skip

    def view(self, data: bytes) -> int:
        """A buffer view of so many bytes."""
        self.blob += b"\0" * (-len(self.blob) % 4)
        self.tree["bufferViews"].append(
            {"buffer": 0, "byteOffset": len(self.blob), "byteLength": len(data)}
        )
        self.blob += data
        return len(self.tree["bufferViews"]) - 1

    def accessor(self, values: npt.ArrayLike, kind: int = 5126, **more: Any) -> int:
        """An accessor for (n, k) values."""
        data = np.asarray(values).astype(TYPES[kind])
        name = next(n for n, width in WIDTHS.items() if width == data.shape[1])
        told = {"bufferView": self.view(data.tobytes()), "componentType": kind, "type": name,
                "count": len(data), **more}  # fmt: skip
        if kind == 5126:
            told |= {"min": data.min(axis=0).tolist(), "max": data.max(axis=0).tolist()}
        self.tree["accessors"].append(told)
        return len(self.tree["accessors"]) - 1

    def write(self, path: Path) -> Path:
        """The file."""
        self.blob += b"\0" * (-len(self.blob) % 4)
        self.tree["buffers"] = [{"byteLength": len(self.blob)}]
        path.write_bytes(self.packed())
        return path

    def packed(self) -> bytes:
        """The bytes of the file, whatever its tree says."""
        text = json.dumps(self.tree).encode()
        text += b" " * (-len(text) % 4)
        body = struct.pack("<I4s", len(text), b"JSON") + text
        body += struct.pack("<I4s", len(self.blob), b"BIN\0") + bytes(self.blob)
        return struct.pack("<4sII", b"glTF", 2, 12 + len(body)) + body


# A sheet of 3 × 2 squares, bent a little so that no two normals are alike.
ACROSS, ALONG = (v.ravel() for v in np.meshgrid(np.arange(4.0), np.arange(3.0)))
POINTS = np.stack([ACROSS, ALONG, 0.1 * ACROSS**2 + 0.05 * ALONG], axis=1)
SQUARES = np.array([[r * 4 + c, r * 4 + c + 1, r * 4 + c + 5, r * 4 + c + 4]
                    for r in range(2) for c in range(3)])  # fmt: skip
FACES = np.concatenate([SQUARES[:, [0, 1, 2]], SQUARES[:, [0, 2, 3]]])
NORMALS = np.stack([-0.2 * ACROSS, np.full(12, -0.05), np.ones(12)], axis=1)
NORMALS /= np.linalg.norm(NORMALS, axis=1, keepdims=True)
TANGENTS = np.stack([np.ones(12), np.zeros(12), 0.2 * ACROSS], axis=1)
TANGENTS = np.concatenate(
    [TANGENTS / np.linalg.norm(TANGENTS, axis=1, keepdims=True), -np.ones((12, 1))], axis=1
)
PLACES = np.stack([ACROSS / 3, ALONG / 2], axis=1)

COLOURS = np.stack([60 + 10 * ACROSS, 200 - 9 * ALONG, 0 * ALONG + 90, 255 - 20 * ACROSS], axis=1)


def sheet(path: Path) -> Path:
    """Two nodes of one mesh with two surfaces: painted boards, with two pictures, a second set of
    places, colours and tangents; and glass."""
    made = Made()
    tree = made.tree
    boards = {
        "POSITION": made.accessor(POINTS),
        "NORMAL": made.accessor(NORMALS),
        "TANGENT": made.accessor(TANGENTS),
        "TEXCOORD_0": made.accessor(np.round(PLACES * 65535), 5123, normalized=True),
        "TEXCOORD_1": made.accessor(PLACES[:, ::-1] * 2 - 0.5),
        "COLOR_0": made.accessor(COLOURS, 5121, normalized=True),
    }  # fmt: skip
    glass = {"POSITION": made.accessor(POINTS + [0, 0, 2]), "NORMAL": made.accessor(NORMALS)}
    faces = made.accessor(FACES.reshape(-1, 1), 5123)
    tree["images"] = [
        {"name": "boards", "mimeType": "image/png", "bufferView": made.view(picture((90, 60, 30)))},
        {"mimeType": "image/jpeg", "bufferView": made.view(picture((128, 128, 255), "JPEG"))},
        {"mimeType": "image/webp", "bufferView": made.view(picture((9, 99, 9), "WEBP"))},
    ]
    tree["samplers"] = [{"magFilter": 9728, "minFilter": 9728, "wrapS": 33071, "wrapT": 33648}]
    tree["textures"] = [
        {"source": 0, "sampler": 0, "name": "Boards"},
        {"source": 1},
        {"source": 0, "extensions": {"EXT_texture_webp": {"source": 2}}},
    ]
    laid = {"KHR_texture_transform": {"offset": [0.25, 0.5], "rotation": 0.5, "scale": [2, 3]}}
    tree["materials"] = [
        {
            "name": "Boards",
            "pbrMetallicRoughness": {
                "baseColorFactor": [0.5, 0.25, 0.75, 1],
                "baseColorTexture": {"index": 0, "texCoord": 1, "extensions": laid},
                "metallicRoughnessTexture": {"index": 1},
                "roughnessFactor": 0.7,
            },
            "normalTexture": {"index": 1, "scale": 0.8},
            "occlusionTexture": {"index": 2, "strength": 0.6},
            "emissiveFactor": [0.1, 0.2, 0.3],
            "alphaMode": "MASK",
            "alphaCutoff": 0.4,
            "doubleSided": True,
            "extensions": {
                "KHR_materials_clearcoat": {
                    "clearcoatFactor": 0.3,
                    "clearcoatTexture": {"index": 1},
                }
            },
            "extras": {"coats": 2},
        },
        {
            "name": "Glass",
            "alphaMode": "BLEND",
            "pbrMetallicRoughness": {"baseColorFactor": [0.2, 0.4, 0.6, 0.5], "metallicFactor": 0},
        },
    ]
    tree["extensionsUsed"] = [
        "EXT_texture_webp", "KHR_materials_clearcoat", "KHR_texture_transform",
    ]  # fmt: skip
    tree["meshes"] = [
        {
            "name": "Sheet",
            "primitives": [
                {"attributes": boards, "indices": faces, "material": 0},
                {"attributes": glass, "indices": faces, "material": 1},
            ],
        }
    ]
    tree["nodes"] = [
        {"name": "Near", "mesh": 0},
        {"name": "Far", "mesh": 0, "translation": [0, 0, 5],
         "rotation": [0.5, 0.5, 0.5, 0.5], "scale": [2, 2, 2]},
    ]  # fmt: skip
    tree["scenes"], tree["scene"] = [{"nodes": [0, 1]}], 0
    return made.write(path)


class Read:
    """A GLB read by the letter of glTF 2.0, without sparse accessors."""

    def __init__(self, data: bytes) -> None:
        length = struct.unpack("<I", data[12:16])[0]
        self.tree: dict[str, Any] = json.loads(data[20 : 20 + length])
        self.blob = data[28 + length :]

    def values(self, number: int) -> npt.NDArray[np.float64]:
        """(n, k)."""
        told = self.tree["accessors"][number]
        view = self.tree["bufferViews"][told["bufferView"]]
        start = view.get("byteOffset", 0) + told.get("byteOffset", 0)
        kind, width = np.dtype(TYPES[told["componentType"]]), WIDTHS[told["type"]]
        raw = np.frombuffer(self.blob, kind, told["count"] * width, start).reshape(-1, width)
        whole = np.iinfo(kind).max if told.get("normalized") else 1
        return raw.astype(float) / whole

    def corners(self, mesh: int, surface: int) -> dict[str, npt.NDArray[np.float64]]:
        """(3 T, k) the numbers at each corner of each triangle, by name, corners in order."""
        told = self.tree["meshes"][mesh]["primitives"][surface]
        order = self.values(told["indices"])[:, 0].astype(int)
        return {name: self.values(place)[order] for name, place in told["attributes"].items()}

    def material(self, mesh: int, surface: int) -> dict[str, Any]:
        """A material with each of its textures, pictures and samplers written out in its place."""
        told = self.tree["meshes"][mesh]["primitives"][surface]
        return self._whole(self.tree["materials"][told["material"]])

    def _whole(self, told: Any, key: str = "") -> Any:
        if not isinstance(told, dict):
            return told
        made = {k: self._whole(v, k) for k, v in told.items()}
        if key.endswith("Texture"):
            texture = self.tree["textures"][made.pop("index")]
            made["sampler"] = (
                self.tree["samplers"][texture["sampler"]] if "sampler" in texture else None
            )
            webp = texture.get("extensions", {}).get("EXT_texture_webp", {}).get("source")
            made["pictures"] = [
                None if source is None else self.picture(source)
                for source in (texture.get("source"), webp)
            ]
        return made

    def picture(self, number: int) -> tuple[str, bytes]:
        """Its kind and its bytes."""
        image = self.tree["images"][number]
        view = self.tree["bufferViews"][image["bufferView"]]
        start = view.get("byteOffset", 0)
        return image["mimeType"], self.blob[start : start + view["byteLength"]]
