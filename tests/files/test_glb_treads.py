"""Treads in GLB: links where the machine has them, at keys and between."""

from __future__ import annotations

import json
import struct

import numpy as np
from msgspec.structs import replace
from scipy.spatial.transform import Rotation
from tests.core.make.test_treads import carriage

import gremio
from gremio.core.arrays import Array
from gremio.core.edit.routines import change_routine
from gremio.core.files.glb_out import routine_glb
from gremio.core.files.sources import model_shelf


def nodes_at(data: bytes, share: float) -> dict[str, Array]:
    """(4, 4) world frames of the nodes of a GLB by name, in its own axes, at a share of its
    animation, as glTF 2.0 says: places straight from key to key, turns by slerp."""
    size = struct.unpack("<I", data[12:16])[0]
    doc, binary = json.loads(data[20 : 20 + size]), data[28 + size :]

    def values(index: int) -> Array:
        accessor = doc["accessors"][index]
        view = doc["bufferViews"][accessor["bufferView"]]
        width = {"SCALAR": 1, "VEC3": 3, "VEC4": 4}[accessor["type"]]
        start = view.get("byteOffset", 0) + accessor.get("byteOffset", 0)
        found = np.frombuffer(binary, "<f4", accessor["count"] * width, start)
        return found.reshape(-1, width).astype(float)

    nodes = [dict(node) for node in doc["nodes"]]
    (animation,) = doc["animations"]
    end = max(values(s["input"])[-1, 0] for s in animation["samplers"])
    for channel in animation["channels"]:
        sampler = animation["samplers"][channel["sampler"]]
        times, keys = values(sampler["input"])[:, 0], values(sampler["output"])
        time = share * end
        k = int(np.clip(np.searchsorted(times, time, side="right") - 1, 0, len(times) - 2))
        u = np.clip((time - times[k]) / (times[k + 1] - times[k]), 0, 1)
        one, two = keys[k], keys[k + 1]
        if channel["target"]["path"] == "rotation" and one @ two < 0:
            two = -two
        made = (1 - u) * one + u * two
        if channel["target"]["path"] == "rotation":
            made = made / np.linalg.norm(made)
        nodes[channel["target"]["node"]][channel["target"]["path"]] = made
    found: dict[str, Array] = {}

    def walk(index: int, above: Array) -> None:
        node = nodes[index]
        x, y, z, w = node.get("rotation", (0, 0, 0, 1))
        frame = np.eye(4)
        frame[:3, :3] = Rotation.from_quat([x, y, z, w]).as_matrix()
        frame[:3, 3] = node.get("translation", (0, 0, 0))
        found.setdefault(node.get("name", ""), above @ frame)
        for child in node.get("children", ()):
            walk(child, above @ frame)

    for root in doc["scenes"][0]["nodes"]:
        walk(root, np.eye(4))
    return found


def test_every_link_is_where_the_machine_has_it_between_keys_too() -> None:
    """To within 0.3 mm of a band of more than 5 m, anywhere in the animation."""
    rig = carriage()
    for time, travel, turn in ((0, 0.0, 0.0), (1, 0.5, 0.4)):
        rig = gremio.key(rig, time, {"Hull travel": travel, "Hull turn": turn})
    (routine_id,) = rig.routines
    rig = change_routine(rig, routine_id, replace(rig.routines[routine_id], length=1.0))
    (routine,) = rig.routines.values()
    data, _ = routine_glb(rig, model_shelf(), routine)
    for share in (0.0, 0.123, 0.4567, 0.9, 1.0):
        wanted = gremio.tread_links(gremio.bake(rig, times=[share]).poses, "Hull tread, left")[0]
        seen = nodes_at(data, share)
        for number in (1, 7, 20, len(wanted)):
            name = "Hull tread, left link" + (f", {number}" if number > 1 else "")
            x, y, z = seen[name][:3, 3]
            # glTF has y up, and z forward.
            assert abs(np.array([z, x, y]) - wanted[number - 1][:3, 3]).max() < 3e-4
