"""Reading models: GLB, glTF, OBJ, STL and PLY, by `trimesh`.

What comes out is in Gremio's axes and units: z up, x forward, metres. glTF says y is up
and z is forward; a model that says y is up is turned the same way.
"""

from __future__ import annotations

import json
import re
import struct
from collections import deque
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from gremio.core.arrays import Array, Rows
from gremio.core.files import atomic
from gremio.core.files.atomic import FileProblem
from gremio.core.files.gltf_tree import prepared
from gremio.core.files.model_looks import (
    light,
    material_of,
    numbers_of_gltf,
    numbers_of_obj,
    paint_of,
    places_of,
)
from gremio.core.files.mtl import obj_materials
from gremio.core.frames import all_held
from gremio.core.problem import Note
from gremio.core.rig.model import Up
from gremio.core.shape.geometry import Geometry
from gremio.core.shape.meshes import tidied
from gremio.core.surfaces.looks import Look, Material
from gremio.core.surfaces.models import Model, ModelNode, Piece, Tell, untold

ENDINGS = (".glb", ".gltf", ".obj", ".stl", ".ply")
_LARGEST = 2_000_000_000
# How many numbers belong to each corner, by their name in glTF.
_WIDTHS = {"NORMAL": (3,), "TANGENT": (4,), "TEXCOORD": (2,), "COLOR": (3, 4)}
# Faces of an OBJ with fewer than three corners, which its reader passes over.
_THIN = re.compile(rb"(?m)^f[ \t]+\S+(?:[ \t]+\S+)?[ \t]*\r?$")
_MARKS = (
    (b"\xef\xbb\xbf", "utf-8-sig"),
    (b"\xff\xfe\x00\x00", "utf-32"),
    (b"\xff\xfe", "utf-16"),
    (b"\xfe\xff", "utf-16"),
)

# From axes with y up and z forward to axes with z up and x forward.
FROM_Y_UP = np.array(
    [[0.0, 0.0, 1.0, 0.0], [1.0, 0.0, 0.0, 0.0], [0.0, 1.0, 0.0, 0.0], [0.0, 0.0, 0.0, 1.0]]
)


def usual_up(path: Path) -> Up:
    """The axis that is up unless a person says otherwise: y by the standard of glTF, and by
    habit in OBJ; z by habit in STL and PLY."""
    return "z" if path.suffix.lower() in (".stl", ".ply") else "y"


def read_model(
    path: str | Path, metres: float = 1.0, up: Up | None = None, tell: Tell = untold
) -> Model:
    """Read a model file.

    metres: length of the file's unit. up: the file's upright axis, its usual one for None. tell:
    is told how far it is.
    Raises FileProblem when it can't be read or holds no triangles.
    """
    import hashlib

    file = Path(path)
    if file.suffix.lower() not in ENDINGS:
        endings = ", ".join(ENDINGS)
        raise FileProblem(f"{file.name} is no model that Gremio reads. It reads {endings}.")
    data = atomic.read(file, _LARGEST)
    if file.suffix.lower() == ".glb":
        _check_glb(data, file.name)
    told: list[Note] = []
    given, materials = data, _Materials({}, {})
    if file.suffix.lower() in (".glb", ".gltf"):
        given, told, by_place = prepared(file, data)
        materials = _Materials(by_place, {})
    if file.suffix.lower() == ".obj":
        by_name, told = obj_materials(file, _text(data))
        materials = _Materials({}, by_name)
        if thin := len(_THIN.findall(data)):
            told.append(_note("mesh-broken", file.name, f"has {thin} faces without three corners"))
    upright = usual_up(file) if up is None else up
    try:
        scene = _load(file, given)
        reading = _Reading(scene, file, _conversion(metres, upright), materials)
        nodes, notes = reading.nodes(tell), reading.notes
    except FileProblem:
        raise
    except Exception as error:
        # The reader fails in many ways on broken files; each means the same to a person.
        why = _reason(error)
        raise FileProblem(f"{file.name} could not be read: {why}. Export it again.") from None
    if not any(node.pieces for node in nodes):
        raise FileProblem(f"{file.name} holds no triangles, so there is nothing to bring in.")
    digest = hashlib.sha256(data).hexdigest()
    return Model(file.resolve(), digest, metres, upright, tuple(nodes), (*told, *notes))


def _check_glb(data: bytes, name: str) -> None:
    """Refuse a GLB whose header promises other lengths than the file has."""
    problem = ""
    if len(data) < 20 or data[:4] != b"glTF":
        problem = "it does not begin as a GLB does"
    else:
        _, version, total = struct.unpack("<4sII", data[:12])
        if version != 2:
            problem = f"it is of glTF version {version}, and Gremio reads version 2"
        elif total != len(data):
            problem = f"it says it has {total:,} bytes and has {len(data):,}"
        else:
            problem = _chunk_problem(data)
    if problem:
        raise FileProblem(f"{name} is broken: {problem}. Export it again.")


def _chunk_problem(data: bytes) -> str:
    place = 12
    chunks: dict[bytes, bytes] = {}
    while place + 8 <= len(data):
        length, kind = struct.unpack("<I4s", data[place : place + 8])
        if place + 8 + length > len(data):
            return "one of its chunks says it is longer than the file"
        chunks.setdefault(kind, data[place + 8 : place + 8 + length])
        place += 8 + length
    try:
        tree = json.loads(chunks[b"JSON"])
        held = len(chunks.get(b"BIN\x00", b""))
        for view in tree.get("bufferViews", []):
            inside = view.get("buffer", 0) == 0 and "uri" not in tree["buffers"][0]
            if inside and view.get("byteOffset", 0) + view["byteLength"] > held:
                return "one of its buffer views reaches past the data"
    except (ValueError, KeyError, TypeError, IndexError, AttributeError, RecursionError):
        return "its description can't be read"
    return ""


def _load(file: Path, data: bytes) -> Any:
    import io

    import trimesh

    ending = file.suffix.lower()
    options: dict[str, Any] = {"process": False}
    if ending == ".obj":
        data = _text(data).encode()
        # Objects become parts; in a file without them, groups do.
        named = b"\no " in b"\n" + data
        options.update(split_objects=named, split_groups=not named)
    if ending == ".stl":
        _check_stl(file, data)
    resolver = trimesh.resolvers.FilePathResolver(str(file))
    return trimesh.load_scene(io.BytesIO(data), file_type=ending[1:], resolver=resolver, **options)


def _text(data: bytes) -> str:
    """A text in whatever encoding: as its mark says, else UTF-8, else that of older Windows."""
    for mark, encoding in _MARKS:
        if data.startswith(mark):
            return data.decode(encoding, errors="replace")
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        return data.decode("cp1252", errors="replace")


def _check_stl(file: Path, data: bytes) -> None:
    """Refuse a binary STL that is shorter than the triangles it promises."""
    if data[:5].lower() == b"solid" or len(data) < 84:
        return
    count = struct.unpack("<I", data[80:84])[0]
    if len(data) < 84 + 50 * count:
        raise FileProblem(
            f"{file.name} is broken: it says it has {count:,} triangles, and is too short for "
            "them. Export it again."
        )


def _reason(error: Exception) -> str:
    """What is wrong with a file, of how its reader failed."""
    if isinstance(error, FileNotFoundError):
        return f"it needs {error.filename or error}, which is not there"
    if isinstance(error, ModuleNotFoundError | ImportError):
        return "what it is packed with is not known here"
    if isinstance(error, IndexError):
        return "it refers to something that is not in it"
    if isinstance(error, KeyError):
        return "something that it should say is missing, or is none of what it can be"
    if isinstance(error, MemoryError | OverflowError):
        return "it says it is larger than anything can be"
    if isinstance(error, ValueError | TypeError | struct.error):
        return "something in it is no number, or it is shorter than it says"
    return "it is damaged"


def _conversion(metres: float, up: Up) -> Array:
    """(4, 4) from the file's axes and unit to Gremio's."""
    scale = np.diag([metres, metres, metres, 1.0])
    return (FROM_Y_UP if up == "y" else np.eye(4)) @ scale


class _Materials(NamedTuple):
    """The materials of a model: by (mesh, surface of it) in a glTF, by name in an OBJ."""

    by_place: dict[tuple[int, int], Material]
    by_name: dict[str, Material]


class _Reading:
    """Makes nodes of what the reader of surfaces found. notes: what is broken or left out."""

    def __init__(self, scene: Any, file: Path, convert: Array, materials: _Materials) -> None:
        self.scene, self.file, self.convert = scene, file, convert
        self.materials = materials
        self.notes: list[Note] = []
        self.ending = file.suffix.lower()
        self._known: dict[str, list[Piece]] = {}
        self._places = places_of(scene)

    def nodes(self, tell: Tell) -> list[ModelNode]:
        """Every node, parents first, in the order of the file."""
        forest = self.scene.graph.transforms
        children: dict[str, list[str]] = {}
        for child, parent in forest.parents.items():
            children.setdefault(parent, []).append(child)
        # The reader goes through the nodes of a glTF, and the objects of an OBJ, from the last to
        # the first.
        step = -1 if self.ending in (".glb", ".gltf", ".obj") else 1
        found: list[tuple[str, int | None, tuple[Piece, ...]]] = []
        frames: list[Array] = []
        back = np.linalg.inv(self.convert)
        roots = children.get(self.scene.graph.base_frame, [])[::step]
        waiting: deque[tuple[str, int | None]] = deque((root, None) for root in roots)
        while waiting:
            name, parent = waiting.popleft()
            tell("surfaces read", len(self._known), len(self.scene.geometry))
            edge = forest.edge_data[(forest.parents[name], name)]
            local = self.convert @ np.asarray(edge.get("matrix", np.eye(4)), dtype=float) @ back
            pieces = self._pieces(edge)
            # A node of several surfaces is read as a node with a child for each of them.
            for child in list(children.get(name, [])):
                inner = forest.edge_data[(name, child)]
                if self._is_surface_of_parent(inner):
                    pieces += self._pieces(inner)
                    children[name].remove(child)
            found.append((self._shown_name(name, edge), parent, tuple(pieces)))
            frames.append(local)
            below = children.get(name, [])[::step]
            waiting.extendleft((child, len(found) - 1) for child in reversed(below))
        usable = self._usable(frames, [shown for shown, _, _ in found])
        return [
            ModelNode(shown, parent, local, pieces)
            for (shown, parent, pieces), local in zip(found, usable, strict=True)
        ]

    def _usable(self, frames: Sequence[Array], names: Sequence[str]) -> Array:
        """(n, 4, 4) frames that can be used, all looked over at once; what is wrong is noted."""
        full = np.array(frames).reshape(-1, 4, 4)
        finite = np.all(np.isfinite(full), axis=(1, 2))
        flat = np.where(finite[:, None, None], full, np.eye(4))
        broken = ~finite | (np.abs(np.linalg.det(flat[:, :3, :3])) < 1e-12)
        for index in np.flatnonzero(broken).tolist():
            self._note("frame-broken", names[index], "has no usable frame; it stands at zero")
        full[broken] = np.eye(4)
        for index in np.flatnonzero(~all_held(full)).tolist():
            self._note("frame-sheared", names[index], "is sheared in the file; it is squared")
        return full

    def _note(self, code: str, name: str, what: str) -> None:
        self.notes.append(_note(code, name, what))

    def _is_surface_of_parent(self, edge: dict[str, Any]) -> bool:
        geometry = self.scene.geometry.get(edge.get("geometry"))
        return bool(geometry is not None and geometry.metadata.get("from_gltf_primitive"))

    def _shown_name(self, name: str, edge: dict[str, Any]) -> str:
        """The node's name; the file's, where a format without nodes gave none of its own."""
        if self.ending in (".stl", ".ply") and len(self.scene.geometry) == 1:
            return self.file.stem
        if self.ending == ".obj":
            return str(edge.get("geometry") or name)
        return str(name)

    def _pieces(self, edge: dict[str, Any]) -> list[Piece]:
        """The surface at a node, none where it has none; what several share is read once."""
        name = edge.get("geometry")
        if name is None:
            return []
        if name not in self._known:
            self._known[name] = self._read(str(name), self.scene.geometry.get(name))
        return list(self._known[name])

    def _read(self, name: str, surface: Any) -> list[Piece]:
        if surface is None or not hasattr(surface, "faces"):
            return []
        vertices = np.asarray(surface.vertices, dtype=float)
        faces = np.asarray(surface.faces, dtype=np.int64)
        empty = f"in {self.file.name} has no triangles; left out"
        if vertices.ndim != 2 or faces.ndim != 2 or faces.shape[-1] != 3:
            self._note("mesh-empty", name, empty)
            return []
        found = tidied(vertices, faces, self.convert[:3, :3])
        if found.broken:
            self._note("mesh-broken", name, f"has {found.broken} broken triangles; left out")
        if not len(found.triangles):
            self._note("mesh-empty", name, empty)
            return []
        geometry = Geometry(found.points, found.triangles)
        look = self._look(name, surface, np.flatnonzero(found.kept))
        return [Piece(name, geometry, paint_of(surface, self.file), look)]

    def _look(self, name: str, surface: Any, kept: Rows) -> Look | None:
        """What a surface wears. kept: which of its triangles it still has."""
        material = self.materials.by_place.get(self._places.get(name, (-1, -1)))
        numbers, corners = numbers_of_gltf(surface), None
        visual = surface.visual
        if self.ending == ".obj":
            numbers = numbers_of_obj(visual)
            material = self.materials.by_name.get(str(getattr(material_of(visual), "name", "")))
        elif self.ending == ".ply" and visual.kind == "face":
            colours = light(visual.face_colors)[kept]
            corners = np.arange(3 * len(kept)).reshape(-1, 3)
            numbers = {"COLOR_0": np.repeat(colours, 3, axis=0)}
        elif self.ending == ".ply" and visual.kind == "vertex":
            numbers = {"COLOR_0": light(visual.vertex_colors)}
        if material is None and not numbers:
            return None
        if corners is None:
            corners = np.asarray(surface.faces, dtype=np.int64)[kept]
        usable = {}
        for key, values in numbers.items():
            whole = values.ndim == 2 and values.shape[1] in _WIDTHS[key.split("_")[0]]
            if not whole or len(values) <= corners.max() or not np.isfinite(values).all():
                self._note("look-broken", name, f"has a broken {key} at its corners; left out")
                continue
            usable[key] = values.astype(np.float32)
        if material is None and not usable:
            return None
        return Look(corners, material, usable).turned(self.convert[:3, :3])


def _note(code: str, name: str, what: str) -> Note:
    return Note(code, name, f"{name} {what}.", "warning")
