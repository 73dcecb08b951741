from __future__ import annotations

import json
import struct
from pathlib import Path

import numpy as np
import pytest
import trimesh
from trimesh.transformations import rotation_matrix, translation_matrix

import gremio
from gremio.core.files.atomic import FileProblem
from gremio.core.files.bring_in import bring_in, likelier_unit
from gremio.core.files.model_in import FROM_Y_UP, read_model
from gremio.core.files.sources import model_shelf
from gremio.core.files.taking_up import revised
from gremio.core.frames import matrix
from gremio.core.problem import GremioError
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Part, Rig
from gremio.core.rig.solids import Mesh
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.surfaces.models import Model


def davit() -> trimesh.Scene:
    """A post, an arm turned and shifted on it, and a hook on the arm."""
    scene = trimesh.Scene()
    post = trimesh.creation.box((0.2, 2.0, 0.2))
    material = trimesh.visual.material.PBRMaterial(baseColorFactor=[255, 55, 0, 255])
    post.visual = trimesh.visual.TextureVisuals(material=material)
    scene.add_geometry(post, node_name="Post", geom_name="post")
    arm = translation_matrix([0.1, 1.0, 0.3]) @ rotation_matrix(0.4, [0, 1, 0])
    box = trimesh.creation.box((1.0, 0.1, 0.1))
    scene.add_geometry(
        box, node_name="Arm", geom_name="arm", parent_node_name="Post", transform=arm
    )
    hook = translation_matrix([0.5, -0.2, 0.0])
    ball = trimesh.creation.icosphere(subdivisions=1, radius=0.1)
    scene.add_geometry(
        ball, node_name="Hook", geom_name="hook", parent_node_name="Arm", transform=hook
    )
    return scene


@pytest.fixture
def davit_file(tmp_path: Path) -> Path:
    path = tmp_path / "davit.glb"
    path.write_bytes(davit().export(file_type="glb"))
    return path


def worlds(rig: Rig) -> dict[str, np.ndarray]:
    pose = evaluate(compile_rig(rig, geometry_of), rig.at).frame(0)
    return {part.name: pose.world(part_id) for part_id, part in rig.parts.items()}


def test_nodes_become_parts_with_names_hierarchy_and_frames(davit_file: Path) -> None:
    rig, ids = bring_in(Rig(), read_model(davit_file))
    names = [rig.parts[part].name for part in ids]
    assert sorted(names) == ["Arm", "Hook", "Post"]
    parents = {p.name: rig.parts[p.parent].name if p.parent else "" for p in rig.parts.values()}
    assert parents == {"Post": "", "Arm": "Post", "Hook": "Arm"}
    reference = davit().graph
    for name, world in worlds(rig).items():
        there = FROM_Y_UP @ reference.get(name)[0] @ np.linalg.inv(FROM_Y_UP)
        assert world == pytest.approx(there, abs=1e-9)


def test_y_up_becomes_z_up_with_x_forward(davit_file: Path) -> None:
    # glTF 2.0: y is up and z is forward; here z is up and x is forward (ISO 8855).
    assert FROM_Y_UP[:3, :3] @ [0, 1, 0] == pytest.approx([0, 0, 1])
    assert FROM_Y_UP[:3, :3] @ [0, 0, 1] == pytest.approx([1, 0, 0])
    assert np.linalg.det(FROM_Y_UP) == pytest.approx(1.0)
    post = read_model(davit_file).piece("post")
    assert post is not None
    assert np.ptp(post.geometry.vertices, axis=0) == pytest.approx([0.2, 0.2, 2.0])


def test_base_colours_come_along_as_display_values(davit_file: Path) -> None:
    post = read_model(davit_file).piece("post")
    assert post is not None
    # 55/255 of linear light is 128 as a display value (IEC 61966-2-1).
    assert post.paint in ("#ff8000", "#ff7f00", "#ff8100")


@pytest.mark.parametrize("ending", ["obj", "stl", "ply"])
def test_other_formats_in_millimetres_with_z_up(ending: str, tmp_path: Path) -> None:
    path = tmp_path / f"cleat.{ending}"
    trimesh.creation.box((100, 200, 300)).export(path)
    model = read_model(path, metres=0.001, up="z")
    rig, ids = bring_in(Rig(), model)
    solid = rig.parts[ids[0]].shapes[0].solid
    assert isinstance(solid, Mesh)
    assert solid.size == pytest.approx((0.1, 0.2, 0.3))
    if ending != "obj":
        assert rig.parts[ids[0]].name == "cleat"


def test_objects_of_an_obj_become_parts(tmp_path: Path) -> None:
    path = tmp_path / "pair.obj"
    square = "v {0} 0 0\nv {1} 0 0\nv {1} 1 0\nv {0} 1 0\nf {2} {3} {4} {5}\n"
    path.write_text(
        "o Left\n" + square.format(0, 1, 1, 2, 3, 4) + "o Right\n" + square.format(5, 6, 5, 6, 7, 8)
    )
    names = sorted(node.name for node in read_model(path).nodes if node.pieces)
    assert names == ["Left", "Right"]


def test_a_gltf_with_its_data_beside_it(tmp_path: Path) -> None:
    for name, data in davit().export(file_type="gltf").items():
        (tmp_path / name).write_bytes(data)
    model = read_model(tmp_path / "model.gltf")
    assert sorted(node.name for node in model.nodes) == ["Arm", "Hook", "Post"]


def test_bringing_in_twice_gives_names_of_their_own(davit_file: Path) -> None:
    model = read_model(davit_file)
    rig, _ = bring_in(Rig(), model)
    rig, ids = bring_in(rig, model)
    assert sorted(rig.parts[part].name for part in ids) == ["Arm 2", "Hook 2", "Post 2"]


def test_on_the_ground_at_the_origin(davit_file: Path) -> None:
    model = read_model(davit_file)
    rig, _ = bring_in(Rig(), model, on_ground=True)
    shelf, low = model_shelf(), []
    for part in rig.parts.values():
        world = worlds(rig)[part.name]
        points = shelf.geometry(rig, part.shapes[0].solid).vertices
        low.append((points @ world[:3, :3].T + world[:3, 3])[:, 2].min())
    assert min(low) == pytest.approx(0.0, abs=1e-9)


def glb(tree: dict, blob: bytes) -> bytes:
    text = json.dumps(tree).encode()
    text += b" " * (-len(text) % 4)
    total = 12 + 8 + len(text) + 8 + len(blob)
    return (
        struct.pack("<4sII", b"glTF", 2, total)
        + struct.pack("<I4s", len(text), b"JSON")
        + text
        + struct.pack("<I4s", len(blob), b"BIN\x00")
        + blob
    )


def triangle(points: list[list[float]], view_length: int | None = None, count: int = 3) -> bytes:
    blob = np.array(points, dtype="<f4").tobytes()
    return glb(
        {
            "asset": {"version": "2.0"},
            "scene": 0,
            "scenes": [{"nodes": [0]}],
            "nodes": [{"mesh": 0, "name": "Flag"}],
            "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
            "accessors": [{"bufferView": 0, "componentType": 5126, "count": count, "type": "VEC3"}],
            "bufferViews": [{"buffer": 0, "byteLength": view_length or len(blob)}],
            "buffers": [{"byteLength": len(blob)}],
        },
        blob,
    )


GOOD = [[0, 0, 0], [1, 0, 0], [0, 1, 0]]


def test_the_hand_made_glb_reads(tmp_path: Path) -> None:
    (tmp_path / "flag.glb").write_bytes(triangle(GOOD))
    assert [node.name for node in read_model(tmp_path / "flag.glb").nodes] == ["Flag"]


def long_total(data: bytes) -> bytes:
    return data[:8] + struct.pack("<I", 4_000_000_000) + data[12:]


def long_chunk(data: bytes) -> bytes:
    return data[:12] + struct.pack("<I", 0x7FFFFFFF) + data[16:]


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (long_total(triangle(GOOD)), "says it has 4,000,000,000 bytes"),
        (long_chunk(triangle(GOOD)), "longer than the file"),
        (triangle(GOOD, view_length=1 << 30), "reaches past the data"),
        (triangle(GOOD, count=1 << 28), "could not be read|no triangles"),
        (triangle(GOOD)[:40], "says it has"),
        (b"glTF", "does not begin as a GLB does"),
        (b"PK\x03\x04" * 30, "does not begin as a GLB does"),
        (glb({"asset": 3}, b""), "could not be read|no triangles|can't be read"),
        (triangle([[0, 0, 0]] * 3), "no triangles"),
        (triangle([[float("nan")] * 3] * 3), "no triangles"),
    ],
)
def test_a_glb_that_lies_or_holds_nothing(data: bytes, words: str, tmp_path: Path) -> None:
    path = tmp_path / "liar.glb"
    path.write_bytes(data)
    with pytest.raises(FileProblem, match=words) as problem:
        read_model(path)
    assert "liar.glb" in str(problem.value)


def test_broken_triangles_are_left_out_and_told(tmp_path: Path) -> None:
    path = tmp_path / "torn.obj"
    path.write_text("o Torn\nv 0 0 0\nv 1 0 0\nv 0 1 0\nv nan 0 0\nf 1 2 3\nf 1 2 4\n")
    model = read_model(path)
    assert sum(len(p.geometry.triangles) for node in model.nodes for p in node.pieces) == 1
    assert any("broken triangles" in note.text for note in model.notes)


def test_a_format_that_is_not_read_is_told(tmp_path: Path) -> None:
    path = tmp_path / "notes.txt"
    path.write_text("hello")
    with pytest.raises(FileProblem, match=r"reads \.glb, \.gltf, \.obj, \.stl, \.ply"):
        read_model(path)


def saved(tmp_path: Path, davit_file: Path) -> tuple[Path, Model]:
    model = read_model(davit_file)
    rig, _ = bring_in(Rig(), model)
    gremio.save(rig, tmp_path / "davit.gremio")
    return tmp_path / "davit.gremio", model


def test_a_missing_model_opens_with_boxes_of_the_right_size(
    tmp_path: Path, davit_file: Path
) -> None:
    file, _ = saved(tmp_path, davit_file)
    davit_file.unlink()
    rig, shelf = gremio.load(file), model_shelf()
    notes = shelf.notes(rig)
    assert [note.code for note in notes] == ["model-missing"]
    assert "davit.glb" in notes[0].text and "Find a model" in notes[0].text
    post = next(p for p in rig.parts.values() if p.name == "Post")
    stand_in = shelf.geometry(rig, post.shapes[0].solid)
    assert np.ptp(stand_in.vertices, axis=0) == pytest.approx([0.2, 0.2, 2.0])


def test_a_changed_model_stands_in_until_it_is_taken_up(tmp_path: Path, davit_file: Path) -> None:
    file, _ = saved(tmp_path, davit_file)
    scene = davit()
    scene.delete_geometry("hook")
    scene.graph.transforms.remove_node("Hook")
    davit_file.write_bytes(scene.export(file_type="glb"))
    rig, shelf = gremio.load(file), model_shelf()
    assert [note.code for note in shelf.notes(rig)] == ["model-changed"]
    model = read_model(davit_file)
    shelf.put(model)
    taken, _ = revised(rig, next(iter(rig.sources)), model, [])
    notes = shelf.notes(taken)
    assert [(note.code, note.part) for note in notes] == [("piece-missing", "Hook")]
    arm = next(p for p in taken.parts.values() if p.name == "Arm")
    assert len(shelf.geometry(taken, arm.shapes[0].solid).triangles) == 12


def test_a_broken_model_does_not_keep_a_rig_from_opening(tmp_path: Path, davit_file: Path) -> None:
    file, _ = saved(tmp_path, davit_file)
    davit_file.write_bytes(b"glTF broken")
    rig = gremio.load(file)
    assert [note.code for note in model_shelf().notes(rig)] == ["model-broken"]
    assert {type(part) for part in rig.parts.values()} == {Part}


def test_a_model_is_turned_to_face_along_x(tmp_path: Path) -> None:
    """A post 3 m long towards −y, its base at the origin, comes to lie along x."""
    path = tmp_path / "post.glb"
    bar = trimesh.creation.box((0.2, 3.0, 0.4))
    bar.apply_translation((0.0, -1.5, 0.2))
    bar.export(path)
    model = read_model(path, up="z")
    for facing, along in (("x", -1.5j), ("y", -1.5), ("-x", 1.5j), ("-y", 1.5)):
        rig, (part,) = bring_in(Rig(), model, facing=facing)
        entry = rig.parts[part]
        stands = matrix(entry.mount) @ matrix(entry.own)
        middle = stands @ [*entry.shapes[0].solid.centre, 1.0]
        assert complex(*middle[:2]) == pytest.approx(along) and middle[2] == pytest.approx(0.2)
        rig, (part,) = bring_in(Rig(), model, facing=facing, on_ground=True)
        entry = rig.parts[part]
        stands = matrix(entry.mount) @ matrix(entry.own)
        middle = stands @ [*entry.shapes[0].solid.centre, 1.0]
        assert middle == pytest.approx([0.0, 0.0, 0.2, 1.0])
    with pytest.raises(GremioError, match="not north"):
        bring_in(Rig(), model, facing="north")


@pytest.mark.parametrize(
    ("across", "unit"),
    [(4200.0, "millimetres"), (4.2, ""), (250.0, ""), (0.0012, ""), (1e9, "")],
)
def test_a_car_of_four_kilometres_is_doubted(tmp_path: Path, across: float, unit: str) -> None:
    path = tmp_path / "car.glb"
    trimesh.creation.box((across, across / 3, across / 3)).export(path)
    assert likelier_unit(read_model(path)) == unit
    if unit:
        assert likelier_unit(read_model(path, 0.001)) == ""
        # Far too small is doubted as well.
        assert likelier_unit(read_model(path, 1e-7)) == "millimetres"


def test_what_is_brought_in_has_z_up_whatever_axes_its_nodes_have(tmp_path: Path) -> None:
    """ "About z" is upright, also of a node that its file has turned a quarter (common practice of
    exporters); one that stands aslant is mounted as it stands."""
    path = tmp_path / "posts.glb"
    scene = trimesh.Scene()
    bar = trimesh.creation.box((0.2, 3.0, 0.4))
    quarter = trimesh.transformations.rotation_matrix(np.pi / 2, (1, 1, 1))
    quarter[:3, :3] = np.round(np.eye(3)[[2, 0, 1]])
    quarter[:3, 3] = (1, 0, 0)
    scene.add_geometry(bar, node_name="Turned", geom_name="a", transform=quarter)
    aslant = trimesh.transformations.rotation_matrix(0.3, (1, 0, 0))
    aslant[:3, 3] = (1, 2, 3)
    scene.add_geometry(bar.copy(), node_name="Aslant", geom_name="b", transform=aslant)
    scene.export(path)
    model = read_model(path)
    rig, _ = bring_in(Rig(), model)
    turned, leaning = (rig.parts[part_id(rig, name)] for name in ("Turned", "Aslant"))
    assert matrix(turned.mount)[:3, :3] == pytest.approx(np.eye(3))
    nodes = {node.name: node.local for node in model.nodes}
    # Nothing has moved by it, and the frame that the file gave is the part's own.
    for name, part in (("Turned", turned), ("Aslant", leaning)):
        assert matrix(part.mount) @ matrix(part.own) == pytest.approx(nodes[name], abs=1e-12)
    assert matrix(turned.own)[:3, :3] == pytest.approx(nodes["Turned"][:3, :3])
    assert matrix(leaning.own) == pytest.approx(np.eye(4))
