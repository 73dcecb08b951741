"""What a glTF says before its surfaces are read: what it needs, what is broken, what is repeated.

The reader of surfaces passes over what it does not know. What would be lost in silence by that is
refused, told, or written out here.
"""

from __future__ import annotations

import json
import struct
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import numpy as np

from gremio.core.arrays import Array
from gremio.core.files.atomic import FileProblem
from gremio.core.problem import Note

# What a file may require, and the words for what is known and not read.
READ = {
    "KHR_draco_mesh_compression",
    "KHR_mesh_quantization",
    "KHR_materials_unlit",
    "KHR_materials_pbrSpecularGlossiness",
    "KHR_texture_transform",
    "KHR_texture_basisu",
    "EXT_texture_webp",
    "EXT_mesh_gpu_instancing",
}
_INSTANCED = "EXT_mesh_gpu_instancing"
_DEEPEST = 2000
_LEFT_OUT = {
    "animations": "an animation",
    "skins": "a skin that bends surfaces",
    "cameras": "a camera",
}


def prepared(file: Path, data: bytes) -> tuple[bytes, list[Note]]:
    """A GLB or glTF as the reader of surfaces is given it, and what is left out of it. Raises
    FileProblem for what is broken, and for an extension that it requires and Gremio does not
    read."""
    binary = data[:4] == b"glTF"
    tree, rest = _opened(file, data) if binary else (_json(file, data), b"")
    _check(file, tree)
    notes = [
        Note("model-left-out", file.name, f"{file.name} has {what}, which is left out.", "info")
        for name, what in _LEFT_OUT.items()
        if tree.get(name)
    ]
    if not any(_INSTANCED in node.get("extensions", {}) for node in tree.get("nodes", [])):
        return data, notes
    try:
        _write_out(file, tree, rest)
    except (KeyError, IndexError, TypeError, ValueError, struct.error) as error:
        raise _broken(file, "its instances can't be read") from error
    text = json.dumps(tree).encode()
    if not binary:
        return text, notes
    text += b" " * (-len(text) % 4)
    body = struct.pack("<I4s", len(text), b"JSON") + text + rest
    return struct.pack("<4sII", b"glTF", 2, 12 + len(body)) + body, notes


def _broken(file: Path, why: str) -> FileProblem:
    return FileProblem(f"{file.name} is broken: {why}. Export it again.")


def _opened(file: Path, data: bytes) -> tuple[dict[str, Any], bytes]:
    """The tree in a GLB whose chunks were checked, and the chunks after it."""
    length = struct.unpack("<I", data[12:16])[0]
    return _json(file, data[20 : 20 + length]), data[20 + length :]


def _json(file: Path, text: bytes) -> dict[str, Any]:
    try:
        tree = json.loads(text)
    except (ValueError, RecursionError):
        raise _broken(file, "its description can't be read") from None
    if not isinstance(tree, dict):
        raise _broken(file, "its description can't be read")
    return tree


def _check(file: Path, tree: dict[str, Any]) -> None:
    try:
        version = str(tree.get("asset", {}).get("version", ""))
        required = set(tree.get("extensionsRequired", []))
        nodes = tree.get("nodes", [])
        below = [list(node.get("children", [])) for node in nodes]
        buffers = [buffer.get("uri") for buffer in tree.get("buffers", [])]
    except (AttributeError, TypeError):
        raise _broken(file, "its description can't be read") from None
    if not version.startswith("2"):
        told = f"of glTF version {version}" if version else "no glTF: it names no version"
        raise FileProblem(f"{file.name} is {told}, and Gremio reads version 2. Export it as that.")
    if unknown := sorted(required - READ):
        raise FileProblem(
            f"{file.name} can't be read without {' and '.join(unknown)}, which Gremio does not "
            "know. Export it without that."
        )
    _check_tree(file, below)
    for uri in buffers:
        if isinstance(uri, str) and not uri.startswith("data:"):
            beside = file.parent / unquote(uri)
            if not beside.is_file():
                raise FileProblem(
                    f"{file.name} needs {unquote(uri)} beside it, which is not there. Put it "
                    "there, or export the model as one .glb."
                )


def _check_tree(file: Path, below: list[list[Any]]) -> None:
    """Refuse nodes that carry themselves, or that two carry."""
    above: dict[int, int] = {}
    for node, children in enumerate(below):
        for child in children:
            if not isinstance(child, int) or not 0 <= child < len(below):
                raise _broken(file, "a node carries one that is not there")
            if child in above:
                raise _broken(file, "two nodes carry one and the same")
            above[child] = node
    for node in range(len(below)):
        seen, here = 0, node
        while here in above:
            here, seen = above[here], seen + 1
            if seen > len(below) or here == node:
                raise _broken(file, "a node carries itself")
            if seen > _DEEPEST:
                raise _broken(file, f"its nodes are more than {_DEEPEST} deep")


def _write_out(file: Path, tree: dict[str, Any], rest: bytes) -> None:
    """Put a node of its own for each instance of one that is repeated by an extension
    (EXT_mesh_gpu_instancing: one mesh, and arrays of where it stands)."""
    nodes = tree["nodes"]
    for number, node in enumerate(list(nodes)):
        told = node.get("extensions", {}).pop(_INSTANCED, None)
        if told is None or "mesh" not in node:
            continue
        given = {
            name: _values(file, tree, rest, place) for name, place in told["attributes"].items()
        }
        mesh, count = node.pop("mesh"), min(map(len, given.values()))
        name = node.get("name") or f"Node {number + 1}"
        children = node.setdefault("children", [])
        for i in range(count):
            made: dict[str, Any] = {"mesh": mesh, "name": f"{name}, {i + 1}"}
            for path in ("TRANSLATION", "ROTATION", "SCALE"):
                if path in given:
                    made[path.lower()] = given[path][i].tolist()
            nodes.append(made)
            children.append(len(nodes) - 1)
    for key in ("extensionsRequired", "extensionsUsed"):
        if key in tree:
            tree[key] = [name for name in tree[key] if name != _INSTANCED]


def _values(file: Path, tree: dict[str, Any], rest: bytes, place: int) -> Array:
    """(n, k) the values of an accessor."""
    accessor = tree["accessors"][place]
    view = tree["bufferViews"][accessor["bufferView"]]
    uri = tree["buffers"][view["buffer"]].get("uri")
    if uri is None:
        data = rest[8:]
    elif uri.startswith("data:"):
        import base64

        data = base64.b64decode(uri.partition(",")[2])
    else:
        data = (file.parent / unquote(uri)).read_bytes()
    kind, least = {5126: ("<f4", 1.0), 5122: ("<i2", 32767.0), 5120: ("<i1", 127.0)}[
        accessor["componentType"]
    ]
    width = {"VEC3": 3, "VEC4": 4}[accessor["type"]]
    start = view.get("byteOffset", 0) + accessor.get("byteOffset", 0)
    size = np.dtype(kind).itemsize
    step = view.get("byteStride", width * size)
    count = int(accessor["count"])
    if count < 0 or start + max(count - 1, 0) * step + width * size * bool(count) > len(data):
        raise ValueError("an accessor reaches past the data")
    found = [np.frombuffer(data, kind, width, start + i * step) for i in range(count)]
    values: Array = np.array(found, dtype=float).reshape(count, width) / least
    return values
