"""Buffer views packed with meshopt (EXT_meshopt_compression), unpacked before anything is read.

The decoder is compiled where Gremio is set up; where that could not be done, such a model is
refused by the name of what it requires.
"""

from __future__ import annotations

import importlib.util
from typing import Any

import numpy as np

from gremio.core.files.gltf_values import Buffers

MESHOPT = "EXT_meshopt_compression"
_FILTERS = {"OCTAHEDRAL": "oct", "QUATERNION": "quat", "EXPONENTIAL": "exp"}
# Three bytes that nothing refers to any more, where a file kept room for the unpacked numbers.
_NOTHING = "data:application/octet-stream;base64,AAAA"


def reads_meshopt() -> bool:
    """Whether there is a decoder here."""
    return importlib.util.find_spec("meshoptimizer") is not None


def unpack(tree: dict[str, Any], buffers: Buffers) -> None:
    """Put plain buffer views in place of packed ones. Raises LookupError, TypeError, ValueError,
    RuntimeError."""
    for number, view in enumerate(tree.get("bufferViews", [])):
        told = view.get("extensions", {}).get(MESHOPT)
        if told is None:
            continue
        data = _unpacked(told, buffers)
        buffer = buffers.add(data)
        plain: dict[str, Any] = {"buffer": buffer, "byteLength": len(data)}
        if told["mode"] == "ATTRIBUTES":
            plain["byteStride"] = told["byteStride"]
        tree["bufferViews"][number] = plain
    for buffer in tree.get("buffers", []):
        if buffer.get("extensions", {}).pop(MESHOPT, {}).get("fallback"):
            buffer["uri"], buffer["byteLength"] = _NOTHING, 3
    for key in ("extensionsRequired", "extensionsUsed"):
        if key in tree:
            tree[key] = [name for name in tree[key] if name != MESHOPT]


def _unpacked(told: dict[str, Any], buffers: Buffers) -> bytes:
    import meshoptimizer

    count, step = int(told["count"]), int(told["byteStride"])
    packed = buffers.part(told["buffer"], told.get("byteOffset", 0), told["byteLength"])
    if told["mode"] != "ATTRIBUTES":
        decode = {
            "TRIANGLES": meshoptimizer.decode_index_buffer,
            "INDICES": meshoptimizer.decode_index_sequence,
        }[told["mode"]]
        return bytes(decode(count, 4, packed).astype({2: "<u2", 4: "<u4"}[step]).tobytes())
    rows = meshoptimizer.decode_vertex_buffer(count, step, packed, dtype=np.dtype(("V", step)))
    filtered = told.get("filter", "NONE")
    if filtered != "NONE":
        rows = getattr(meshoptimizer, f"decode_filter_{_FILTERS[filtered]}")(rows, count, step)
    return bytes(rows.tobytes())
