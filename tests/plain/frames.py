"""World frames by arrays, a step for each kind of channel and each depth."""

from __future__ import annotations

import numpy as np

from gremio.core.arrays import Array
from gremio.core.solve.columns import as_matrices, put_behind
from gremio.core.solve.tree import Tree


def world_frames(tree: Tree, channels: Array) -> Array:
    """(F, P, 4, 4) world frame of each part, from (C, F) channels."""
    return as_matrices(_columns(tree, channels))


def _columns(tree: Tree, channels: Array) -> Array:
    """World frames (4, 3, P, F) as columns: three axes, then the origin."""
    frames = channels.shape[1]
    local = np.repeat(tree.mounts, frames, axis=3) if frames > 1 else tree.mounts.copy()
    for step in tree.joint_steps:
        put_behind(local, step.channel, step.parts, channels[step.rows])
    if len(tree.own_parts):
        local[:, :, tree.own_parts] = _product(local[:, :, tree.own_parts], tree.owns)
    world = local
    for start, stop in tree.levels[1:]:
        parent = world.take(tree.parents[start:stop], axis=2)
        world[:, :, start:stop] = _product(parent, local[:, :, start:stop])
    return world


def _product(outer: Array, inner: Array) -> Array:
    """The frame `inner` stands in, seen from where `outer` stands; both as columns."""
    result = np.empty(np.broadcast_shapes(outer.shape, inner.shape))
    for column in range(4):
        x, y, z = inner[column]
        np.multiply(outer[0], x, out=result[column])
        result[column] += outer[1] * y
        result[column] += outer[2] * z
    result[3] += outer[3]
    return result
