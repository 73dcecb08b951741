"""What a glTF says before its surfaces are read: what it needs, what is broken, what is repeated.

The reader of surfaces passes over what it does not know. What would be lost in silence by that is
refused, told, read beside it, or written out here.
"""

from __future__ import annotations

import base64
import json
import struct
from pathlib import Path
from typing import Any, NamedTuple
from urllib.parse import unquote

from gremio.core.files.atomic import FileProblem
from gremio.core.files.gltf_looks import materials_of
from gremio.core.files.gltf_meshopt import MESHOPT, reads_meshopt, unpack
from gremio.core.files.gltf_values import Buffers, write_plain
from gremio.core.problem import Note
from gremio.core.surfaces.looks import Material

# What a file may require, and the words for what is known and not read.
READ = {
    "KHR_draco_mesh_compression",
    "KHR_mesh_quantization",
    "KHR_texture_transform",
    "KHR_texture_basisu",
    "EXT_texture_webp",
    "EXT_mesh_gpu_instancing",
}
_INSTANCED = "EXT_mesh_gpu_instancing"
_OF_MATERIALS = "KHR_materials_"
_BINARY = b"BIN\0"
_TRIANGLES = 4
# How what refers to what is not there fails.
_BROKEN = (
    LookupError, TypeError, ValueError, AttributeError, OSError, MemoryError, RuntimeError,
)  # fmt: skip
_DEEPEST = 2000
_LEFT_OUT = {
    "animations": "an animation",
    "skins": "a skin that bends surfaces",
    "cameras": "a camera",
}
_EXTENSIONS_LEFT_OUT = {
    "KHR_lights_punctual": "a light",
    "KHR_materials_variants": "a choice of materials",
}


class Prepared(NamedTuple):
    """A glTF for the reader of surfaces. notes: what is left out of it. looks: by (mesh, primitive)
    the material of each surface."""

    data: bytes
    notes: list[Note]
    looks: dict[tuple[int, int], Material]


def prepared(file: Path, data: bytes) -> Prepared:
    """A GLB or glTF as the reader of surfaces is given it. Raises FileProblem for what is broken,
    and for an extension that it requires and Gremio does not read."""
    glb = data[:4] == b"glTF"
    tree, rest = _opened(file, data) if glb else (_json(file, data), b"")
    _check(file, tree)
    buffers = Buffers(file, tree, rest[8:] if rest[4:8] == _BINARY else b"")
    try:
        notes = _left_out(file, tree)
        unpack(tree, buffers)
        materials, lost = materials_of(file, tree, buffers)
        looks = {
            (m, p): worn
            for m, mesh in enumerate(tree.get("meshes", []))
            for p, primitive in enumerate(mesh["primitives"])
            if "material" in primitive and (worn := materials[primitive["material"]]) is not None
        }
        _write_out(tree, buffers)
        write_plain(tree, buffers)
    except _BROKEN as error:
        raise _broken(file, "it refers to something that is not in it") from error
    if "scenes" not in tree:
        carried = {child for node in tree.get("nodes", []) for child in node.get("children", [])}
        roots = [i for i in range(len(tree.get("nodes", []))) if i not in carried]
        tree["scenes"] = [{"nodes": roots}]
    # Its pictures are read here; the reader would try to understand them.
    tree.pop("images", None)
    return Prepared(_packed(tree, rest, buffers.added, glb=glb), [*notes, *lost], looks)


def _packed(tree: dict[str, Any], rest: bytes, added: list[bytes], *, glb: bool) -> bytes:
    """A tree as a file again. added: its last buffers."""
    if not glb:
        first = len(tree.get("buffers", [])) - len(added)
        for number, data in enumerate(added, start=first):
            told = base64.b64encode(data).decode()
            tree["buffers"][number]["uri"] = f"data:application/octet-stream;base64,{told}"
        return json.dumps(tree).encode()
    text = json.dumps(tree).encode()
    text += b" " * (-len(text) % 4)
    body = struct.pack("<I4s", len(text), b"JSON") + text + rest
    for data in added:
        # The reader takes a second chunk of bytes for the buffer after the first, and so on.
        chunk = data + b"\0" * (-len(data) % 4)
        body += struct.pack("<I4s", len(chunk), _BINARY) + chunk
    return struct.pack("<4sII", b"glTF", 2, 12 + len(body)) + body


def _left_out(file: Path, tree: dict[str, Any]) -> list[Note]:
    """What Gremio has no place for, told."""
    found = [what for name, what in _LEFT_OUT.items() if tree.get(name)]
    used = tree.get("extensionsUsed", [])
    found += [what for name, what in _EXTENSIONS_LEFT_OUT.items() if name in used]
    primitives = [p for mesh in tree.get("meshes", []) for p in mesh["primitives"]]
    if any(p.get("targets") for p in primitives):
        found.append("a surface that changes its shape (morph targets)")
    if any(p.get("mode", 4) < _TRIANGLES for p in primitives):
        found.append("a surface of points or lines")
    if len(tree.get("scenes", [])) > 1:
        found.append("a scene beside the one it opens with")
    return [
        Note("model-left-out", file.name, f"{file.name} has {what}, which is left out.", "info")
        for what in found
    ]


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
    # What is required of materials alone goes through with them, known or not.
    known = READ | ({MESHOPT} if reads_meshopt() else set())
    if unknown := sorted(n for n in required - known if not n.startswith(_OF_MATERIALS)):
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


def _write_out(tree: dict[str, Any], buffers: Buffers) -> None:
    """Put a node of its own for each instance of one that is repeated by an extension
    (EXT_mesh_gpu_instancing: one mesh, and arrays of where it stands)."""
    nodes = tree.get("nodes", [])
    for number, node in enumerate(list(nodes)):
        told = node.get("extensions", {}).pop(_INSTANCED, None)
        if told is None or "mesh" not in node:
            continue
        given = {name: buffers.values(place) for name, place in told["attributes"].items()}
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
