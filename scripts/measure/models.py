"""Measurements of large models: reading, the window meanwhile, looking about, memory."""

from __future__ import annotations

import itertools
import json
import statistics
import struct
import tempfile
import time
from pathlib import Path

import numpy as np
import trimesh
from measuring import Row, best, open_window, resident, rest
from msgspec.structs import replace

import gremio
from gremio.core.files.model_in import read_model

SIZES = ((2_000, 15), (200, 70))


def main() -> None:
    """Make two models, measure, and print rows."""
    rows: list[Row] = []
    with tempfile.TemporaryDirectory() as folder:
        for nodes, side in SIZES:
            path = Path(folder) / f"{nodes}.glb"
            triangles = write_model(path, nodes, side)
            rows.append(_reading(path, nodes, triangles))
            rows += _in_the_window(path, nodes, triangles)
    print(json.dumps(rows))


def write_model(path: Path, nodes: int, side: int) -> int:
    """Write a GLB of dented balls, each another, of side × side squares; returns how many
    triangles they have."""
    ends = (0, 2 * np.pi), (0.01, np.pi - 0.01)
    u, v = np.meshgrid(*(np.linspace(*one, side + 1) for one in ends))
    first = np.arange(side * (side + 1)).reshape(side, side + 1)[:, :side]
    a, b, c, d = first, first + 1, first + side + 1, first + side + 2
    ways = np.stack([a, c, b], -1).reshape(-1, 3), np.stack([b, c, d], -1).reshape(-1, 3)
    order = np.concatenate(ways).astype("<u4")
    pieces = [order.tobytes()]
    views = [{"buffer": 0, "byteOffset": 0, "byteLength": order.nbytes}]
    accessors = [{"bufferView": 0, "componentType": 5125, "count": order.size, "type": "SCALAR"}]
    for number in range(nodes):
        r = 1 + 0.1 * np.sin(5 * u + number) * np.sin(3 * v)
        places = np.stack([r * np.sin(v) * np.cos(u), r * np.cos(v), r * np.sin(v) * np.sin(u)], -1)
        places = places.reshape(-1, 3).astype("<f4")
        begin = views[-1]["byteOffset"] + views[-1]["byteLength"]
        views.append({"buffer": 0, "byteOffset": begin, "byteLength": places.nbytes})
        accessors.append({
            "bufferView": number + 1, "componentType": 5126, "count": len(places), "type": "VEC3",
            "min": places.min(axis=0).tolist(), "max": places.max(axis=0).tolist(),
        })  # fmt: skip
        pieces.append(places.tobytes())
    data = b"".join(pieces)
    tree = {
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": list(range(nodes))}],
        "nodes": [
            {"name": f"Node {n}", "mesh": n, "translation": [3.0 * (n % 50), 0.0, 3.0 * (n // 50)]}
            for n in range(nodes)
        ],
        "meshes": [
            {"name": f"Mesh {n}", "primitives": [{"attributes": {"POSITION": n + 1}, "indices": 0}]}
            for n in range(nodes)
        ],
        "accessors": accessors, "bufferViews": views, "buffers": [{"byteLength": len(data)}],
    }  # fmt: skip
    text = json.dumps(tree).encode()
    text += b" " * (-len(text) % 4)
    whole = 28 + len(text) + len(data)
    path.write_bytes(
        struct.pack("<4sII", b"glTF", 2, whole) + struct.pack("<I4s", len(text), b"JSON") + text
        + struct.pack("<I4s", len(data), b"BIN\0") + data
    )  # fmt: skip
    return len(order) * nodes


def _reading(path: Path, nodes: int, triangles: int) -> Row:
    mine, alone, welded = [], [], []

    def merged() -> None:
        for mesh in trimesh.load_scene(path, process=False).geometry.values():
            mesh.merge_vertices()

    for _ in range(3):
        mine.append(best(lambda: read_model(path), 1))
        alone.append(best(lambda: trimesh.load_scene(path, process=False), 1))
        welded.append(best(merged, 1))
    least, other = min(mine), min(alone)
    return (
        f"(q) reading {triangles:,} triangles in {nodes:,} nodes (÷ what `trimesh` takes to read "
        f"them and make corners at one place one, as Gremio does: {least / min(welded):.2f} ×)",
        "`trimesh` alone", f"{least:.2f} s", f"{other:.2f} s", f"{least / other:.2f} ×",
    )  # fmt: skip


def _in_the_window(path: Path, nodes: int, triangles: int) -> list[Row]:
    from PyQt6.QtCore import QTimer
    from PyQt6.QtWidgets import QApplication

    rig_file = path.with_suffix(".gremio")
    gremio.save(gremio.bring_in(gremio.Rig(), path), rig_file)
    app, window = open_window()
    rest(1.0)
    before = resident()
    ticks: list[float] = []
    timer = QTimer()
    timer.timeout.connect(lambda: ticks.append(time.perf_counter()))
    timer.start(2)
    read: list[float] = []
    taken = window.document.rig_changed.connect(lambda _change: read.append(time.perf_counter()))
    window.files.open_path(rig_file)
    drawn: list[float] = []
    window.bench.frameSwapped.connect(lambda: drawn.append(time.perf_counter()))
    drawn.clear()
    while not drawn or not window.bench.frames.rested:
        QApplication.processEvents()
    full = time.perf_counter()
    timer.stop()
    window.document.rig_changed.disconnect(taken)
    longest = max(b - a for a, b in itertools.pairwise(ticks))
    rest(3.5)
    model = window.document.shelf.model(next(iter(window.document.rig.sources.values())))
    assert model is not None
    pieces = [piece.geometry for node in model.nodes for piece in node.pieces]
    arrays = sum(one.vertices.nbytes + one.triangles.nbytes for one in pieces)
    held = resident() - before
    took = []
    for step in range(40):
        drawn.clear()
        start = time.perf_counter()
        camera = window.bench.camera
        window.bench.camera = replace(camera, azimuth=camera.azimuth + 0.02)
        window.bench._refresh()
        while not drawn and time.perf_counter() - start < 5:
            app.processEvents()
        if step > 4:
            took.append(time.perf_counter() - start)
    window.document.start(gremio.Rig(), None)
    window.close()
    word = f"{triangles:,} triangles in {nodes:,} nodes"
    return [
        (f"(q) the window while a rig of {word} is opened: the longest that it does not answer",
         "", f"{longest * 1e3:.0f} ms", "", ""),
        (f"(q) the first full frame of {word}, after they are read", "", f"{full - read[-1]:.2f} s",
         "", ""),
        (f"(q) an orbit about {word}, a frame", "", f"{statistics.median(took) * 1e3:.0f} ms", "",
         ""),
        (f"(q) memory of {word}", "their arrays", f"{held / 1e6:.0f} MB", f"{arrays / 1e6:.0f} MB",
         f"{held / arrays:.1f} ×"),
    ]  # fmt: skip


if __name__ == "__main__":
    main()
