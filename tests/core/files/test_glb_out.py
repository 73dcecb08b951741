from __future__ import annotations

import io
import math

import numpy as np
import pygltflib
import pytest
import trimesh
from scipy.spatial.transform import Rotation, Slerp

import gremio
from gremio.core.files.glb_out import baked_glb, glb
from gremio.core.files.glb_strands import laid
from gremio.core.files.model_in import FROM_Y_UP, read_model
from gremio.core.files.sources import model_shelf
from gremio.core.frames import Frame
from gremio.core.rig import find
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Joint, Part, Ratio, Rig
from gremio.core.rig.solids import Box
from gremio.core.solve.pose import Pose
from gremio.core.solve.repeats import copies
from gremio.core.solve.strands import lying

BACK = np.linalg.inv(FROM_Y_UP)


def in_gltf(world: np.ndarray) -> np.ndarray:
    return BACK @ world @ FROM_Y_UP


def first_of(pose: Pose, part: PartId) -> np.ndarray:
    """Where a part is seen: the first of a row, which along a tread is not where it is mounted."""
    world: np.ndarray = copies(pose, part)[0] @ pose.world(part)
    return world


def check_frames(data: bytes, pose: Pose) -> None:
    scene = trimesh.load_scene(io.BytesIO(data), file_type="glb")
    rig = pose.program.rig
    for part_id, part in rig.parts.items():
        there, _ = scene.graph.get(part.name)
        assert there == pytest.approx(in_gltf(first_of(pose, part_id)), abs=2e-6)


def test_parts_as_posed_read_back_by_trimesh(lock: Rig) -> None:
    pose = gremio.solve(lock, {"Upper gates": "46 deg", "Paddle windlass": "3.3 turn"})
    check_frames(glb(lock, model_shelf(), pose.poses), pose)


def test_geometry_and_paint_survive_the_way_out_and_in(lock: Rig, tmp_path) -> None:
    path = tmp_path / "lock.glb"
    path.write_bytes(glb(lock, model_shelf(), gremio.solve(lock).poses))
    model = read_model(path)
    names = {part.name for part in lock.parts.values()}
    copies_named = {
        f"{part.name}, {number}"
        for part in lock.parts.values()
        if part.repeat is not None
        for number in range(2, part.repeat.count + 1)
    }
    strands = tuple(strand.name for strand in lock.strands.values())
    found = {node.name for node in model.nodes if not node.name.startswith(strands)}
    assert found == names | copies_named
    shelf = model_shelf()
    for part in lock.parts.values():
        node = next(n for n in model.nodes if n.name == part.name)
        assert len(node.pieces) == len(part.shapes)
        ours = sum(len(shelf.geometry(lock, s.solid).triangles) for s in part.shapes)
        assert sum(len(p.geometry.triangles) for p in node.pieces) == ours
        # Base colours come back through eight bits of linear light.
        for piece, shape in zip(node.pieces, part.shapes, strict=True):
            there, here = (bytes.fromhex(paint[1:]) for paint in (piece.paint, shape.paint))
            assert max(abs(a - b) for a, b in zip(there, here, strict=True)) <= 2


def sampled(data: bytes, time: float) -> dict[str, np.ndarray]:
    """World frames of every node at a time, by the rules of glTF 2.0, from the file alone."""
    file = pygltflib.GLTF2().load_from_bytes(data)
    blob = file.binary_blob()

    def read(index: int) -> np.ndarray:
        accessor = file.accessors[index]
        view = file.bufferViews[accessor.bufferView]
        width = {"SCALAR": 1, "VEC3": 3, "VEC4": 4}[accessor.type]
        flat = np.frombuffer(blob, "<f4", accessor.count * width, view.byteOffset)
        return flat.reshape(-1, width).astype(float)

    moved: dict[tuple[int, str], np.ndarray] = {}
    for channel in file.animations[0].channels:
        sampler = file.animations[0].samplers[channel.sampler]
        times, values = read(sampler.input)[:, 0], read(sampler.output)
        if channel.target.path == "rotation":
            value = Slerp(times, Rotation.from_quat(values))(min(time, times[-1])).as_quat()
        else:
            value = np.array([np.interp(time, times, column) for column in values.T])
        moved[channel.target.node, channel.target.path] = value
    worlds: dict[str, np.ndarray] = {}

    def walk(index: int, above: np.ndarray) -> None:
        node = file.nodes[index]
        local = np.eye(4)
        turn = moved.get((index, "rotation"), node.rotation)
        scale = moved.get((index, "scale"), node.scale or [1, 1, 1])
        local[:3, :3] = Rotation.from_quat(turn).as_matrix() * np.asarray(scale)
        local[:3, 3] = moved.get((index, "translation"), node.translation)
        worlds[node.name] = above @ local
        for child in node.children or []:
            walk(child, worlds[node.name])

    for root in file.scenes[file.scene].nodes:
        walk(root, np.eye(4))
    return worlds


@pytest.mark.parametrize("control", ["Upper gates", "Paddle windlass"])
def test_a_baked_travel_has_the_same_frames_at_sampled_times(lock: Rig, control: str) -> None:
    frames, seconds = 241, 4.0
    poses = gremio.sweep(lock, control, frames)
    data = glb(lock, model_shelf(), poses, seconds, control)
    for frame in (0, 57, 240):
        there = sampled(data, seconds * frame / (frames - 1))
        pose = poses.frame(frame)
        for part_id, part in lock.parts.items():
            assert there[part.name] == pytest.approx(in_gltf(first_of(pose, part_id)), abs=5e-5)


def test_only_what_moves_is_animated(lock: Rig) -> None:
    data = glb(
        lock, model_shelf(), gremio.sweep(lock, "Paddle windlass", 100), 4.0, "Paddle windlass"
    )
    file = pygltflib.GLTF2().load_from_bytes(data)
    moved = {file.nodes[c.target.node].name for c in file.animations[0].channels}
    assert moved == {"Windlass", "Pinion, east", "Paddle, east"}
    assert file.animations[0].name == "Paddle windlass"


def test_a_part_that_turns_in_a_stretched_mount_is_not_sheared() -> None:
    box = gremio.shape(Box(length=1, width=0.2, height=0.2))
    stretched = Frame((1, 0, 0), scale=(2.0, 1.0, 1.0))
    rig = Rig(
        parts={
            "p1": Part("Arm", mount=stretched, joint=Joint("hinge", "z"), shapes=(box,)),
            "p2": Part("Hand", "p1", Frame((1, 0, 0)), Joint("hinge", "z"), shapes=(box,)),
        },
        links={"k1": Ratio("p1 turn z", "p2 turn z", 2.0)},
        at={"p1 turn z": math.radians(40)},
    )
    pose = gremio.solve(rig)
    check_frames(glb(rig, model_shelf(), pose.poses), pose)


def test_an_empty_rig_is_still_a_glb() -> None:
    data = glb(Rig(), model_shelf(), gremio.solve(Rig()).poses)
    assert pygltflib.GLTF2().load_from_bytes(data).nodes == []


def test_a_repeated_part_is_written_once_for_each_copy(lock: Rig) -> None:
    pose = gremio.solve(lock, {"Louvres": "40 deg"})
    data = glb(lock, model_shelf(), pose.poses)
    scene = trimesh.load_scene(io.BytesIO(data), file_type="glb")
    for number, move in enumerate(copies(pose, find.part_id(lock, "Louvre")), start=1):
        name = "Louvre" if number == 1 else f"Louvre, {number}"
        there, _ = scene.graph.get(name)
        assert there == pytest.approx(in_gltf(move @ pose.part("Louvre").world), abs=1e-6)


def test_a_rope_goes_along_piece_by_piece() -> None:
    build = gremio.Builder("Hoist")
    build.part("Post")
    build.part("Hook", at=(0.4, 0, 0), joint="slide z")
    build.control("Lift", "0 m", "1 m", kind="length")
    build.ratio("Lift", "Hook", 1)
    rig = gremio.strand(
        build.rig, "hose", ("Post", (0, 0, 1)), ("Hook", (0, 0, 0)), length=1.2, name="Hose"
    )
    loaded = pygltflib.GLTF2.load_from_bytes(baked_glb(rig, model_shelf(), "Lift", 0.5)[0])
    names = [node.name for node in loaded.nodes]
    pieces = [name for name in names if name.startswith("Hose, ")]
    assert len(pieces) > 20 and "Hose" in names
    assert all(node.mesh is not None for node in loaded.nodes if node.name in pieces)
    moving = {loaded.nodes[c.target.node].name for c in loaded.animations[0].channels}
    assert set(pieces) <= moving


def test_a_hose_that_is_paid_out_hangs_in_the_export_as_in_the_machine() -> None:
    """Nothing but its length moves, which something leads."""
    build = gremio.Builder("Hose")
    build.part("Post")
    build.part("Hook", at=(0.4, 0, 1))
    build.control("Pay out", "0 m", "1 m", kind="length")
    rig = gremio.strand(
        build.rig, "hose", ("Post", (0, 0, 1)), ("Hook", (0, 0, 0)), length=0.5, name="Hose"
    )
    rig = gremio.formula(rig, "Hose length", "0.5 m + Pay out")
    data, _ = baked_glb(rig, model_shelf(), "Pay out", 1.0, 4)
    loaded = pygltflib.GLTF2.load_from_bytes(data)
    moving = {loaded.nodes[c.target.node].name for c in loaded.animations[0].channels}
    assert {name for name in moving if name.startswith("Hose, ")}
    # As it is at the end, in the scene that a viewer shows first, if it is baked from there.
    (strand,) = rig.strands
    ends = gremio.run(rig, {"Pay out": [0.0, 1.0, 0.0]})
    frames, _there = laid(ends, strand)
    lowest = frames[:, :, 2, 3].min(axis=1)
    for frame, out in enumerate((0.5, 1.5, 0.5)):
        hangs = lying(ends.frame(frame))[strand]
        assert hangs is not None and hangs.length == pytest.approx(out)
        assert lowest[frame] == pytest.approx(hangs.places[:, 2].min(), abs=0.05)
    assert lowest[1] < lowest[0] - 0.3 and lowest[2] == lowest[0]
