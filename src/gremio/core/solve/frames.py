"""World frames from channel values: of all parts, and of one where a link needs it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from gremio.core.arrays import Array, Rows
from gremio.core.rig.ids import PartId
from gremio.core.solve.tree import JointStep, Tree

_AXIS = {"x": 0, "y": 1, "z": 2}
_OTHER_TWO = {"x": (1, 2), "y": (2, 0), "z": (0, 1)}
# From so many parts × frames on, the compiled loop is worth its loading.
_MANY = 5_000


def world_frames(tree: Tree, channels: Array) -> Array:
    """(F, P, 4, 4) world frame of each part, from (C, F) channels."""
    if len(tree.part_ids) * channels.shape[1] >= _MANY:
        from gremio.core.solve.compiled import world_frames as compiled

        return compiled(tree, channels)
    return as_matrices(_columns(tree, channels))


def as_matrices(columns: Array) -> Array:
    """(F, P, 4, 4) matrices of (4, 3, P, F) columns."""
    worlds = np.zeros((columns.shape[3], columns.shape[2], 4, 4))
    worlds[:, :, :3, :] = columns.transpose(3, 2, 1, 0)
    worlds[:, :, 3, 3] = 1.0
    return worlds


def _columns(tree: Tree, channels: Array) -> Array:
    """World frames (4, 3, P, F) as columns: three axes, then the origin."""
    frames = channels.shape[1]
    local = np.repeat(tree.mounts, frames, axis=3) if frames > 1 else tree.mounts.copy()
    for step in tree.joint_steps:
        _apply(local, step, channels[step.rows])
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


def _apply(local: Array, step: JointStep, q: Array) -> None:
    """Put one channel of many parts behind their local frames. q: (k, F)."""
    put_behind(local, step.channel, step.parts, q)


def put_behind(local: Array, channel: str, parts: Rows | slice | int, q: Array) -> None:
    """Put the frame that a channel makes behind some of (4, 3, P, F) columns, in place."""
    verb, axis = channel.split()
    if verb == "move":
        local[3][:, parts] += local[_AXIS[axis]][:, parts] * q
    elif verb == "turn":
        cos, sin = np.cos(q), np.sin(q)
        first, second = _OTHER_TWO[axis]
        a, b = local[first][:, parts], local[second][:, parts]
        turned = a * cos + b * sin
        local[second][:, parts] = b * cos - a * sin
        local[first][:, parts] = turned
    else:
        local[_AXIS[axis]][:, parts] *= q


@dataclass
class Finder:
    """Finds the world frames of single parts while channels are still being computed.

    channels: (C, F) as far as they are known. known: (F, 4, 4) frames found before, by part.
    """

    tree: Tree
    channels: Array
    known: dict[PartId | None, Array] = field(default_factory=dict)

    def frames(self, parts: Sequence[PartId | None]) -> Array:
        """(n, F, 4, 4) world frames of parts all of whose channels are known; of the ground for
        None."""
        for part in dict.fromkeys(parts):
            if part is None:
                self.known[None] = np.broadcast_to(np.eye(4), (self.channels.shape[1], 4, 4))
            elif part not in self.known:
                self.known[part] = as_matrices(self.world(part))[:, 0]
        return np.stack([self.known[part] for part in parts])

    def some(self, frames: Rows) -> Finder:
        """The same in some of the frames."""
        return Finder(self.tree, np.ascontiguousarray(self.channels[:, frames]))

    def mounts(self, part_rows: Rows) -> Array:
        """(n, F, 4, 4) world frames of the mounts of parts (n,), by row."""
        tree = self.tree
        above = [int(row) for row in tree.parents[part_rows]]
        carrying = self.frames([tree.part_ids[row] if row >= 0 else None for row in above])
        mounts = np.zeros((len(part_rows), 1, 4, 4))
        mounts[:, 0, :3] = tree.mount_rows[part_rows]
        mounts[:, 0, 3, 3] = 1.0
        result: Array = carrying @ mounts
        return result

    def world(self, part: PartId, before: str = "") -> Array:
        """(4, 3, 1, F) columns of the world frame of the part with this id.

        before: a channel of the part; it, and those applied after it, are left out.
        """
        tree = self.tree
        row = tree.part_row[part]
        parent = int(tree.parents[row])
        local = np.repeat(tree.mounts[:, :, row : row + 1], self.channels.shape[1], axis=3)
        for channel, channel_row in tree.applied(part):
            if channel == before:
                break
            put_behind(local, channel, slice(0, 1), self.channels[channel_row][None])
        place = int(tree.own_place[row])
        if place >= 0 and not before:
            local = _product(local, tree.owns[:, :, place : place + 1])
        if parent < 0:
            return local
        return _product(self.world(tree.part_ids[parent]), local)
