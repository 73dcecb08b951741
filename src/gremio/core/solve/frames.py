"""World frames from channel values: of all parts, and of some where a link needs them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from gremio.core.arrays import Array, Rows
from gremio.core.kernels.library import Kernel, address
from gremio.core.rig.channels import CHANNELS
from gremio.core.rig.ids import PartId
from gremio.core.solve.tree import Tree

_EVERY = Kernel("gremio_world_frames", "ppwwwp")
_SOME = Kernel("gremio_some_frames", "ppwwwppwp")
# From so many parts × frames on, other threads may run meanwhile.
_MANY = 20_000
# The place among the nine channels that says that none is left out.
_ALL = 10


def world_frames(tree: Tree, channels: Array) -> Array:
    """(F, P, 4, 4) world frame of each part, from (C, F) channels."""
    parts, frames = len(tree.part_ids), channels.shape[1]
    worlds = np.empty((frames, parts, 4, 4))
    # What belongs to one frame lies together in memory.
    by_frame = np.ascontiguousarray(channels.T, dtype=np.float64)
    _check(tree, channels)
    if worlds.size:
        run = _EVERY.beside if parts * frames >= _MANY else _EVERY.alone
        told = tree.table.address, address(by_frame), 1, len(channels), frames, address(worlds)
        run(*told)
    return worlds


def _check(tree: Tree, channels: Array) -> None:
    if len(channels) < tree.channels_needed:
        raise ValueError(f"{len(channels)} channels are fewer than the parts have")


@dataclass
class Finder:
    """Finds the world frames of single parts while channels are still being computed.

    channels: (C, F) as far as they are known. known: (F, 4, 4) frames found before,
    by part.
    """

    tree: Tree
    channels: Array
    known: dict[PartId | None, Array] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.channels = np.ascontiguousarray(self.channels, dtype=np.float64)

    def frames(self, parts: Sequence[PartId | None]) -> Array:
        """(n, F, 4, 4) world frames of parts all of whose channels are known; of the ground for
        None."""
        missing = [part for part in dict.fromkeys(parts) if part not in self.known]
        if None in missing:
            missing.remove(None)
            self.known[None] = np.broadcast_to(np.eye(4), (self.channels.shape[1], 4, 4))
        if missing:
            rows = [self.tree.part_row[part] for part in missing if part is not None]
            self.known.update(zip(missing, self._found(rows, [_ALL] * len(rows)), strict=True))
        return np.array([self.known[part] for part in parts])

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
        """(F, 4, 4) world frame of the part with this id.

        before: a channel of the part; it, those applied after it, and its own frame are left out.
        """
        last = CHANNELS.index(before) if before else _ALL
        found: Array = self._found([self.tree.part_row[part]], [last])[0]
        return found

    def _found(self, rows: list[int], before: list[int]) -> Array:
        channels, tree = self.channels, self.tree
        frames = channels.shape[1]
        worlds = np.empty((len(rows), frames, 4, 4))
        those = np.array([rows, before], dtype=np.intp)
        _check(tree, channels)
        if worlds.size:
            run = _SOME.beside if len(rows) * frames >= _MANY else _SOME.alone
            at = address(those)
            told = tree.table.address, address(channels), frames, 1, frames
            run(*told, at, at + those.strides[0], len(rows), address(worlds))
        return worlds
