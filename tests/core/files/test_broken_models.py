"""Models that are broken, or say what Gremio does not read: each is refused or told in words that a
person can act on. What is repeated or packed is read."""

from __future__ import annotations

import json
import struct
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh

from gremio.core.files.atomic import FileProblem
from gremio.core.files.model_in import FROM_Y_UP, read_model

TRIANGLE = "v 0 0 0\nv 1 0 0\nv 0 1 0\n"
BOX = trimesh.creation.box((1, 1, 1)).export(file_type="glb")


def changed(change: Callable[[dict[str, Any]], object], more: bytes = b"") -> bytes:
    """The GLB of a box with its tree changed, and more at the end of its data."""
    length = struct.unpack("<I", BOX[12:16])[0]
    tree, data = json.loads(BOX[20 : 20 + length]), BOX[28 + length :]
    if more:
        data += b"\0" * (-len(data) % 4) + more
        tree["buffers"][0]["byteLength"] = len(data)
    change(tree)
    text = json.dumps(tree).encode()
    text += b" " * (-len(text) % 4)
    body = struct.pack("<I4s", len(text), b"JSON") + text
    body += struct.pack("<I4s", len(data), b"BIN\0") + data
    return struct.pack("<4sII", b"glTF", 2, 12 + len(body)) + body


@pytest.mark.parametrize(
    ("name", "data", "said"),
    [
        ("a.obj", (TRIANGLE + "f 1 2").encode(), "holds no triangles"),
        ("b.obj", (TRIANGLE + "f 1 2 99").encode(), "refers to something that is not in it"),
        ("c.obj", b"v a b c\nf 1 1 1", "no number"),
        ("a.ply", b"ply\nformat ascii 1.0\nelement vertex 3\n", "not in it"),
        ("b.ply", b"ply\nformat binary_little_endian 1.0\nelement vertex 3000\nproperty float x\n"
         b"end_header\nabc", "shorter than it says"),
        ("a.stl", b"\0" * 80 + struct.pack("<I", 5) + b"\0" * 20, "too short for them"),
        ("a.gltf", b"[1,2", "can't be read"),
        ("b.gltf", b'{"asset":{"version":"1.0"}}', "of glTF version 1.0"),
        ("c.gltf", b"{}", "names no version"),
        ("d.gltf", b'{"asset":{"version":"2.0"},"buffers":[{"uri":"far%20off.bin"}]}',
         "needs far off.bin beside it"),
        ("e.gltf", b'{"asset":{"version":"2.0"},"nodes":[{"children":[0]}]}', "carries itself"),
        ("f.gltf", b'{"asset":{"version":"2.0"},"nodes":[{"children":[9]}]}', "not there"),
        ("g.gltf", b'{"asset":{"version":"2.0"},"nodes":[{"children":[2]},{"children":[2]},{}]}',
         "two nodes carry one"),
        ("a.glb", changed(lambda t: t.update(extensionsRequired=["VENDOR_magic"])),
         "without VENDOR_magic, which Gremio does not know"),
        ("b.glb", changed(lambda t: t["accessors"][0].update(count=10**9)), "shorter than it says"),
        ("c.glb", changed(lambda t: t["accessors"][1].update(componentType=9999)), "missing"),
        ("d.glb", changed(lambda t: t["meshes"][0]["primitives"][0]["attributes"].update(
            POSITION=77)), "not in it"),
    ],
)  # fmt: skip
def test_what_is_broken_is_refused_in_words(
    tmp_path: Path, name: str, data: bytes, said: str
) -> None:
    (tmp_path / name).write_bytes(data)
    with pytest.raises(FileProblem) as refused:
        read_model(tmp_path / name)
    text = str(refused.value)
    assert text.startswith(name) and said in text
    assert text.rstrip(".").split(". ")[-1]


@pytest.mark.parametrize("ending", [".glb", ".gltf", ".obj", ".ply", ".stl"])
def test_a_model_that_is_broken_anywhere_is_read_or_refused(tmp_path: Path, ending: str) -> None:
    """Bytes cut off, and bytes changed, at random."""
    scene = trimesh.Scene(trimesh.creation.icosphere(subdivisions=1))
    made = scene.export(file_type=ending[1:])
    data = made if isinstance(made, bytes) else made.encode() if isinstance(made, str) else None
    if data is None:
        whole = dict(made)
        data = whole.pop("model.gltf")
        for name, more in whole.items():
            (tmp_path / name).write_bytes(more)
    rng = np.random.default_rng(4)
    file = tmp_path / f"model{ending}"
    for _ in range(60):
        broken = bytearray(data)
        if rng.random() < 0.4:
            del broken[int(rng.integers(len(data))) :]
        for place in rng.integers(0, max(len(broken), 1), 4):
            if place < len(broken):
                broken[place] = int(rng.integers(256))
        file.write_bytes(bytes(broken))
        try:
            model = read_model(file)
        except FileProblem as refused:
            assert str(refused).startswith(file.name)
        else:
            for node in model.nodes:
                assert np.isfinite(node.local).all()
                assert all(np.isfinite(p.geometry.vertices).all() for p in node.pieces)


@pytest.mark.parametrize(
    ("encoding", "mark"), [("utf-8", b""), ("cp1252", b""), ("utf-16-le", b"\xff\xfe")]
)
def test_names_are_read_in_other_encodings(tmp_path: Path, encoding: str, mark: bytes) -> None:
    text = f"o Schütz, Käse\n{TRIANGLE}f 1 2 3\n"
    (tmp_path / "a.obj").write_bytes(mark + text.encode(encoding))
    assert [node.name for node in read_model(tmp_path / "a.obj").nodes] == ["Schütz, Käse"]


def test_faces_that_are_passed_over_and_animations_are_told(tmp_path: Path) -> None:
    (tmp_path / "a.obj").write_text(TRIANGLE + "f 1 2 3\nf 1 2\nf 2/1 3/1\n")
    (note,) = read_model(tmp_path / "a.obj").notes
    assert "has 2 faces without three corners" in note.text
    data = changed(lambda t: t.update(animations=[{"channels": [], "samplers": []}]))
    (tmp_path / "a.glb").write_bytes(data)
    (note,) = read_model(tmp_path / "a.glb").notes
    assert note.text == "a.glb has an animation, which is left out." and note.severity == "info"


def test_what_is_instanced_gives_instances(tmp_path: Path) -> None:
    """Three boxes by EXT_mesh_gpu_instancing, one turned and one larger."""
    moves = np.array([[0, 0, 0], [2, 0, 0], [0, 3, 0]], dtype="<f4")
    turns = np.array([[0, 0, 0, 1], [0, 0.6, 0, 0.8], [0, 0, 0, 1]], dtype="<f4")
    sizes = np.array([[1, 1, 1], [1, 1, 1], [2, 2, 2]], dtype="<f4")

    def instanced(tree: dict[str, Any]) -> None:
        at = tree["buffers"][0]["byteLength"] - moves.nbytes - turns.nbytes - sizes.nbytes
        attributes = {}
        for name, values, kind in (("TRANSLATION", moves, "VEC3"), ("ROTATION", turns, "VEC4"),
                                   ("SCALE", sizes, "VEC3")):  # fmt: skip
            view = {"buffer": 0, "byteOffset": at, "byteLength": values.nbytes}
            tree["bufferViews"].append(view)
            tree["accessors"].append(
                {"bufferView": len(tree["bufferViews"]) - 1, "componentType": 5126, "count": 3,
                 "type": kind}
            )  # fmt: skip
            attributes[name] = len(tree["accessors"]) - 1
            at += values.nbytes
        (node,) = [n for n in tree["nodes"] if "mesh" in n]
        node["name"] = "Crate"
        node["extensions"] = {"EXT_mesh_gpu_instancing": {"attributes": attributes}}
        tree["extensionsRequired"] = tree["extensionsUsed"] = ["EXT_mesh_gpu_instancing"]

    data = changed(instanced, moves.tobytes() + turns.tobytes() + sizes.tobytes())
    (tmp_path / "crates.glb").write_bytes(data)
    model = read_model(tmp_path / "crates.glb")
    crates = [node for node in model.nodes if node.pieces]
    assert [node.name for node in crates] == ["Crate, 1", "Crate, 2", "Crate, 3"]
    for node, move in zip(crates, moves, strict=True):
        assert node.local[:3, 3] == pytest.approx(FROM_Y_UP[:3, :3] @ move)
    sizes_read = [np.linalg.norm(node.local[:3, 0]) for node in crates]
    assert sizes_read == pytest.approx([1, 1, 2])
    # A turn about y in the file is one about z here: 2 · arctan(0.6 / 0.8).
    turned = crates[1].local[:2, 0]
    assert np.arctan2(turned[1], turned[0]) == pytest.approx(2 * np.arctan2(0.6, 0.8))


def test_what_is_packed_is_read(tmp_path: Path) -> None:
    sphere = trimesh.creation.icosphere(subdivisions=3)
    packed = trimesh.Scene(sphere).export(file_type="glb", extension_draco=True)
    assert b"KHR_draco_mesh_compression" in packed
    (tmp_path / "ball.glb").write_bytes(packed)
    (piece,) = [p for node in read_model(tmp_path / "ball.glb").nodes for p in node.pieces]
    assert len(piece.geometry.triangles) == len(sphere.faces)
    away = np.linalg.norm(piece.geometry.vertices, axis=1)
    assert away == pytest.approx(np.ones(len(away)), abs=2e-3)


def test_the_order_of_the_file_is_kept(tmp_path: Path) -> None:
    scene = trimesh.Scene()
    names = ["Wheel", "Axle", "Body", "Arm", "Zebra", "Bolt"]
    for name in names:
        scene.add_geometry(trimesh.creation.box((1, 1, 1)), node_name=name, geom_name=name)
    for ending in (".glb", ".obj"):
        file = tmp_path / f"order{ending}"
        scene.export(file)
        text = file.read_bytes()
        written = [line[2:].decode().strip() for line in text.splitlines() if line[:2] == b"o "]
        if ending == ".glb":
            data = file.read_bytes()
            length = struct.unpack("<I", data[12:16])[0]
            tree = json.loads(data[20 : 20 + length])
            written = [n["name"] for n in tree["nodes"] if n.get("name") in names]
        assert [node.name for node in read_model(file).nodes] == written
