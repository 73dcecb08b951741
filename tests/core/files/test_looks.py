"""What came in with materials, pictures, places on them and colours goes out with them. The files
are made and read back by the letter of glTF 2.0 (`textured`), and by `trimesh`."""

from __future__ import annotations

import io
from pathlib import Path

import DracoPy
import numpy as np
import pytest
import trimesh
from msgspec.structs import replace
from PIL import Image
from tests.core.files.textured import (
    FACES,
    NORMALS,
    PLACES,
    POINTS,
    TANGENTS,
    Made,
    Read,
    picture,
    sheet,
)

import gremio
from gremio.core.edit.change import with_entry
from gremio.core.files import gltf_tree
from gremio.core.files.atomic import FileProblem
from gremio.core.files.bring_in import bring_in
from gremio.core.files.glb_out import baked_glb, glb
from gremio.core.files.model_in import FROM_Y_UP, read_model
from gremio.core.files.sources import model_shelf
from gremio.core.frames import frame_of
from gremio.core.rig.model import Joint, Rig


def out_of(path: Path) -> bytes:
    rig, _ = bring_in(Rig("R"), read_model(path))
    return glb(rig, model_shelf(), gremio.solve(rig).poses)


def same_surface(mine: Read, theirs: Read, mesh: int, surface: int) -> None:
    one, two = mine.corners(mesh, surface), theirs.corners(mesh, surface)
    assert set(one) == set(two)
    for name, values in one.items():
        assert two[name] == pytest.approx(values, abs=2e-6), name


def test_what_came_in_textured_goes_out_textured(tmp_path: Path) -> None:
    path = sheet(tmp_path / "sheet.glb")
    mine, theirs = Read(path.read_bytes()), Read(out_of(path))
    assert theirs.material(0, 0) == mine.material(0, 0)
    assert theirs.material(0, 1) == mine.material(0, 1)
    for surface in (0, 1):
        same_surface(mine, theirs, 0, surface)
    # What was shared is shared: one mesh, three pictures, three textures, one sampler.
    assert [node["mesh"] for node in theirs.tree["nodes"]] == [0, 0]
    counts = [len(theirs.tree[name]) for name in ("meshes", "images", "textures", "samplers")]
    assert counts == [1, 3, 3, 1]
    assert theirs.tree["extensionsUsed"] == mine.tree["extensionsUsed"]
    assert len(theirs.corners(0, 0)["POSITION"]) == 36
    assert theirs.tree["accessors"][0]["count"] == 12


def test_trimesh_sees_the_same_boards_before_and_after(tmp_path: Path) -> None:
    path = sheet(tmp_path / "sheet.glb")
    before, after = (
        trimesh.load_scene(io.BytesIO(data), file_type="glb", process=False)
        for data in (path.read_bytes(), out_of(path))
    )
    one, two = (next(iter(scene.geometry.values())) for scene in (before, after))
    # It counts from the bottom left, and takes shares of a whole for numbers: so only the second.
    assert two.visual.uv == pytest.approx(PLACES * [1, -1] + [0, 1], abs=1e-4)
    pixels = [np.asarray(m.visual.material.baseColorTexture) for m in (one, two)]
    assert np.array_equal(*pixels)
    assert two.visual.material.doubleSided and two.visual.material.alphaCutoff == 0.4
    for node in ("Near", "Far"):
        there, here = (scene.graph.get(node)[0] for scene in (after, before))
        assert there == pytest.approx(here, abs=1e-6)


def test_a_travel_is_dressed_too(tmp_path: Path) -> None:
    path = sheet(tmp_path / "sheet.glb")
    rig, (near, _) = bring_in(Rig("R"), read_model(path))
    build = gremio.Builder("R")
    hinged = replace(rig.parts[near], joint=Joint("hinge"))
    build.rig = replace(rig, parts=with_entry(rig.parts, near, hinged))
    build.control("Open", "0 deg", "90 deg")
    build.ratio("Open", "Near", 1.0)
    data, _ = baked_glb(build.rig, model_shelf(), "Open", 2.0)
    mine, theirs = Read(path.read_bytes()), Read(data)
    assert theirs.tree["animations"]
    assert theirs.material(0, 0) == mine.material(0, 0)
    same_surface(mine, theirs, 0, 0)


def test_a_part_that_was_painted_goes_out_in_that_paint(tmp_path: Path) -> None:
    rig, (near, _) = bring_in(Rig("R"), read_model(sheet(tmp_path / "sheet.glb")))
    part = rig.parts[near]
    painted = tuple(replace(shape, paint="#336699") for shape in part.shapes)
    rig = replace(rig, parts=with_entry(rig.parts, near, replace(part, shapes=painted)))
    theirs = Read(glb(rig, model_shelf(), gremio.solve(rig).poses))
    painted_mesh = next(n["mesh"] for n in theirs.tree["nodes"] if n["name"] == "Near")
    assert theirs.material(painted_mesh, 0)["name"] == "#336699"
    corners = theirs.corners(painted_mesh, 0)
    assert "COLOR_0" not in corners and len(corners["TEXCOORD_1"]) == 36
    other = next(n["mesh"] for n in theirs.tree["nodes"] if n["name"] == "Far")
    assert theirs.material(other, 0)["name"] == "Boards"


def test_a_mirrored_shape_keeps_its_sides(tmp_path: Path) -> None:
    """A mirror image: bitangents and normals are the mirror images of those before."""
    rig, (near, _) = bring_in(Rig("R"), read_model(sheet(tmp_path / "sheet.glb")))
    part = rig.parts[near]
    mirror = np.diag([1.0, -1.0, 1.0, 1.0])
    placed = tuple(replace(shape, place=frame_of(mirror)) for shape in part.shapes)
    rig = replace(rig, parts=with_entry(rig.parts, near, replace(part, shapes=placed)))
    theirs = Read(glb(rig, model_shelf(), gremio.solve(rig).poses))
    mesh = next(n["mesh"] for n in theirs.tree["nodes"] if n["name"] == "Near")
    found = theirs.corners(mesh, 0)
    turn = (np.linalg.inv(FROM_Y_UP) @ mirror @ FROM_Y_UP)[:3, :3]
    order = FACES[:, ::-1].ravel()
    assert found["POSITION"] == pytest.approx(POINTS[order] @ turn.T, abs=1e-6)
    assert found["NORMAL"] == pytest.approx(NORMALS[order] @ turn.T, abs=1e-6)
    side = np.cross(NORMALS, TANGENTS[:, :3]) * TANGENTS[:, 3:]
    theirs_side = np.cross(found["NORMAL"], found["TANGENT"][:, :3]) * found["TANGENT"][:, 3:]
    assert theirs_side == pytest.approx(side[order] @ turn.T, abs=1e-5)
    assert found["TEXCOORD_0"] == pytest.approx(PLACES[order], abs=1e-5)


OBJ = """mtllib boards and glass.mtl
o Lid
v 0 0 0\nv 2 0 0\nv 2 1 0\nv 0 1 0
vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1
usemtl Boards
f 1/1 2/2 3/3 4/4
o Pane
usemtl Glass
f 1/1 3/3 2/2
"""
MTL = """# two materials
newmtl Boards
Kd 0.5 0.5 0.5
Ns 30
map_Kd -s 1 1 1 old boards.tga
map_Bump -bm 0.3 bumps.png
newmtl Glass
Kd 0 0 1
Tr 0.75
Ke 0.1 0 0
"""


def test_an_obj_brings_its_materials(tmp_path: Path) -> None:
    (tmp_path / "lid.obj").write_text(OBJ)
    (tmp_path / "boards and glass.mtl").write_text(MTL)
    (tmp_path / "old boards.tga").write_bytes(picture((90, 60, 30), "TGA"))
    model = read_model(tmp_path / "lid.obj")
    told = " ".join(note.text for note in model.notes)
    assert "of its bumps is left out of Boards" in told
    assert "laid on Boards as it is, without -s 1 1 1" in told
    theirs = Read(out_of(tmp_path / "lid.obj"))
    boards, glass = theirs.material(0, 0), theirs.material(1, 0)
    look = boards["pbrMetallicRoughness"]
    # Half of what a screen is told is 0.214 of its light (IEC 61966-2-1).
    assert look["baseColorFactor"] == pytest.approx([0.21404] * 3 + [1.0], abs=1e-5)
    assert look["roughnessFactor"] == pytest.approx((2 / 32) ** 0.25)
    kind, data = look["baseColorTexture"]["pictures"][0]
    shown = Image.open(io.BytesIO(data))
    assert kind == "image/png" and shown.size == (8, 4)
    assert shown.getpixel((0, 0)) == (10, 20, 30) and shown.getpixel((5, 2)) == (90, 60, 30)
    assert glass["pbrMetallicRoughness"]["baseColorFactor"] == pytest.approx([0, 0, 1, 0.25])
    assert glass["alphaMode"] == "BLEND" and glass["emissiveFactor"][0] == pytest.approx(
        0.01002, abs=1e-5
    )
    # An OBJ counts from the bottom left, glTF from the top left.
    corners = theirs.corners(0, 0)
    laid = {tuple(np.round(p, 6)): tuple(uv) for p, uv in
            zip(corners["POSITION"], corners["TEXCOORD_0"], strict=True)}  # fmt: skip
    assert laid == {(0, 0, 0): (0, 1), (2, 0, 0): (1, 1), (2, 1, 0): (1, 0), (0, 1, 0): (0, 0)}


def test_materials_and_pictures_that_are_not_there_are_told(tmp_path: Path) -> None:
    (tmp_path / "lid.obj").write_text(OBJ)
    [note] = read_model(tmp_path / "lid.obj").notes
    assert "has its materials in boards and glass.mtl, which is not beside it" in note.text
    (tmp_path / "boards and glass.mtl").write_text(MTL.replace("old boards.tga", "../secret.png"))
    (tmp_path.parent / "secret.png").write_bytes(picture((1, 2, 3)))
    told = " ".join(note.text for note in read_model(tmp_path / "lid.obj").notes)
    assert "The picture ../secret.png is not beside it. It is left out of Boards." in told
    assert b"PNG" not in out_of(tmp_path / "lid.obj")


def test_a_gltf_picture_from_elsewhere_is_told_and_left_out(tmp_path: Path) -> None:
    (tmp_path / "secret.png").write_bytes(picture((1, 2, 3)))
    folder = tmp_path / "in"
    folder.mkdir()
    made = Made()
    points = made.accessor(POINTS)
    faces = made.accessor(FACES.reshape(-1, 1), 5123)
    made.tree |= {
        "images": [{"uri": "../secret.png"}, {"uri": "gone%20far.png"}],
        "textures": [{"source": 0}, {"source": 1}, {"source": 7}],
        "materials": [
            {"name": f"M{i}", "pbrMetallicRoughness": {"baseColorTexture": {"index": i}}}
            for i in range(4)
        ],
        "meshes": [{"primitives": [
            {"attributes": {"POSITION": points}, "indices": faces, "material": i} for i in range(4)
        ]}],
        "nodes": [{"name": "Lid", "mesh": 0}],
    }  # fmt: skip
    path = made.write(folder / "lid.glb")
    texts = [note.text for note in read_model(path).notes]
    assert len(texts) == 4
    assert "gone far.png is not beside it. It is left out of M1." in texts[1]
    theirs = Read(out_of(path))
    assert "images" not in theirs.tree
    assert [theirs.material(0, i)["name"] for i in range(4)] == ["M0", "M1", "M2", "M3"]


def test_colours_at_the_points_go_on(tmp_path: Path) -> None:
    colours = np.array([[255, 0, 0, 255], [0, 255, 0, 255], [0, 0, 255, 255], [128, 128, 128, 255]])
    surface = trimesh.Trimesh([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], [[0, 1, 2], [0, 2, 3]],
                              vertex_colors=colours, process=False)  # fmt: skip
    surface.export(tmp_path / "leaf.ply")
    corners = Read(out_of(tmp_path / "leaf.ply")).corners(0, 0)
    assert corners["COLOR_0"][0] == pytest.approx([1, 0, 0])
    assert corners["COLOR_0"][5] == pytest.approx([0.21586] * 3, abs=1e-5)


def test_what_the_reader_of_surfaces_would_misread_is_read(tmp_path: Path) -> None:
    """Sparse accessors, positions as shares of a whole, and fans (glTF 2.0, 3.6.2.3, 3.7.2.1)."""
    made = Made()
    whole = np.round(POINTS / 4 * 32767)
    places = made.accessor(np.array([[11]]), 5123)
    values = made.accessor(np.array([[9.0, 9.0, 9.0]]))
    view = [made.tree["accessors"][i]["bufferView"] for i in (places, values)]
    sparse = made.accessor(POINTS, sparse={
        "count": 1, "indices": {"bufferView": view[0], "componentType": 5123},
        "values": {"bufferView": view[1]},
    })  # fmt: skip
    small = made.accessor(whole, 5122, normalized=True)
    fan = made.accessor(POINTS[[0, 1, 5, 9, 8]])
    faces = made.accessor(FACES.reshape(-1, 1), 5123)
    made.tree |= {
        "extensionsUsed": ["KHR_mesh_quantization"],
        "extensionsRequired": ["KHR_mesh_quantization"],
        "meshes": [
            {"name": name, "primitives": [{"attributes": {"POSITION": points}, **more}]}
            for name, points, more in (
                ("Sparse", sparse, {"indices": faces}), ("Small", small, {"indices": faces}),
                ("Fan", fan, {"mode": 6}),
            )
        ],
        "nodes": [{"mesh": i, "name": f"N{i}"} for i in range(3)],
    }  # fmt: skip
    nodes = read_model(made.write(tmp_path / "odd.glb"), up="z").nodes
    found = {node.pieces[0].name: node.pieces[0].geometry for node in nodes}
    assert found["Sparse"].bounds[1] == pytest.approx([9, 9, 9])
    assert found["Small"].bounds[1] == pytest.approx(POINTS.max(axis=0) / 4, abs=1e-4)
    assert len(found["Fan"].triangles) == 3
    assert found["Fan"].face_normals[:, 2].min() > 0


def test_packed_surfaces_keep_their_pictures(tmp_path: Path) -> None:
    """Draco's own encoder made the surface."""
    made = Made()
    packed = DracoPy.encode(POINTS.astype(np.float32), FACES.astype(np.uint32),
                            tex_coord=PLACES, preserve_order=True)  # fmt: skip
    kinds = {a["attribute_type"]: a["unique_id"] for a in DracoPy.decode(packed).attributes}
    tree = made.tree
    tree["accessors"] = [
        {"componentType": 5126, "type": "VEC3", "count": 12, "min": [0, 0, 0], "max": [3, 2, 1]},
        {"componentType": 5126, "type": "VEC2", "count": 12},
        {"componentType": 5125, "type": "SCALAR", "count": 36},
    ]
    told = {
        "bufferView": made.view(packed),
        "attributes": {"POSITION": kinds[0], "TEXCOORD_0": kinds[3]},
    }
    tree["images"] = [{"mimeType": "image/png", "bufferView": made.view(picture((9, 8, 7)))}]
    tree |= {
        "extensionsUsed": ["KHR_draco_mesh_compression"],
        "extensionsRequired": ["KHR_draco_mesh_compression"],
        "textures": [{"source": 0}],
        "materials": [{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}],
        "meshes": [{"primitives": [{
            "attributes": {"POSITION": 0, "TEXCOORD_0": 1}, "indices": 2, "material": 0,
            "extensions": {"KHR_draco_mesh_compression": told},
        }]}],
        "nodes": [{"mesh": 0}],
    }  # fmt: skip
    theirs = Read(out_of(made.write(tmp_path / "packed.glb")))
    corners = theirs.corners(0, 0)
    at = np.round(corners["POSITION"][:, :2] / [3, 2], 3)
    assert corners["TEXCOORD_0"] == pytest.approx(at, abs=2e-3)
    assert "extensionsRequired" not in theirs.tree
    shown = theirs.material(0, 0)["pbrMetallicRoughness"]["baseColorTexture"]["pictures"]
    assert shown[0] == ("image/png", picture((9, 8, 7)))


def test_what_is_packed_with_meshopt_is_read_where_its_decoder_could_be_compiled(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Its own encoder packed the numbers (EXT_meshopt_compression); a file that keeps room for the
    unpacked ones, and one of them filtered."""
    file = tmp_path / "packed.glb"
    made = Made()
    tree = made.tree
    rows = {"POSITION": POINTS.astype("<f4"), "TEXCOORD_0": PLACES.astype("<f4")}
    try:
        import meshoptimizer
    except ImportError:
        meshoptimizer = None
    told: list[dict[str, object]] = []
    for values in rows.values():
        step = 4 * values.shape[1]
        packed = values.tobytes()
        if meshoptimizer is not None:
            packed = bytes(meshoptimizer.encode_vertex_buffer(values, 12, step))
        told.append({"count": 12, "byteStride": step, "mode": "ATTRIBUTES", "data": packed})
    order = FACES.ravel().astype("<u4")
    packed = order.tobytes()
    if meshoptimizer is not None:
        packed = bytes(meshoptimizer.encode_index_buffer(order, 36, 12))
    told.append({"count": 36, "byteStride": 2, "mode": "TRIANGLES", "data": packed})
    for one in told:
        data = one.pop("data")
        assert isinstance(data, bytes)
        inside = tree["bufferViews"][made.view(data)]
        one |= {k: inside[k] for k in ("byteOffset", "byteLength")} | {"buffer": 0}
        inside |= {"buffer": 1, "byteOffset": 0}
        inside["byteLength"] = int(one["count"]) * int(one["byteStride"])  # type: ignore[call-overload]
        inside["extensions"] = {"EXT_meshopt_compression": one}
    tree["accessors"] = [
        {"bufferView": 0, "componentType": 5126, "type": "VEC3", "count": 12},
        {"bufferView": 1, "componentType": 5126, "type": "VEC2", "count": 12},
        {"bufferView": 2, "componentType": 5123, "type": "SCALAR", "count": 36},
    ]
    tree |= {
        "extensionsRequired": ["EXT_meshopt_compression"],
        "extensionsUsed": ["EXT_meshopt_compression"],
        "meshes": [{"primitives": [
            {"attributes": {"POSITION": 0, "TEXCOORD_0": 1}, "indices": 2}
        ]}],
        "nodes": [{"mesh": 0}],
    }  # fmt: skip
    made.write(file)
    tree["buffers"].append(
        {"byteLength": 500, "extensions": {"EXT_meshopt_compression": {"fallback": True}}}
    )
    file.write_bytes(made.packed())
    if meshoptimizer is not None:
        corners = Read(out_of(file)).corners(0, 0)
        # The packing may begin a triangle at another of its corners.
        found = np.round(corners["POSITION"], 5).reshape(-1, 3, 3)
        wanted = np.round(POINTS[FACES], 5)
        assert {frozenset(map(tuple, t)) for t in found.tolist()} == {
            frozenset(map(tuple, t)) for t in wanted.tolist()
        }
        at = corners["POSITION"][:, :2] / [3, 2]
        assert corners["TEXCOORD_0"] == pytest.approx(at, abs=1e-6)
    monkeypatch.setattr(gltf_tree, "reads_meshopt", lambda: False)
    with pytest.raises(FileProblem, match="can't be read without EXT_meshopt_compression"):
        read_model(file)
