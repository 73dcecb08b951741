"""The parts of a rig as a tree of frames, as flat arrays."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from functools import cached_property

import numpy as np

from gremio.core.arrays import Array, Rows
from gremio.core.frames import IDENTITY, Frame, matrices
from gremio.core.kernels.library import Table, check_rows, structure
from gremio.core.plan.joints import APPLIED
from gremio.core.records import Record
from gremio.core.rig.channels import CHANNELS, freed, key
from gremio.core.rig.ids import GROUND, ChannelKey, PartId
from gremio.core.rig.model import Rig
from gremio.core.solve.limits import as_slice

_TREE = structure(
    parts="w", mounts="p", parents="p", own_place="p", owns="p", start="p", kinds="p", rows="p",
)  # fmt: skip


class JointStep(Record, frozen=True):
    """Every part that moves along, or turns about, one of its axes.

    channel: its name, "turn z". parts: (k,) part rows. rows: (k,) channel rows.
    """

    channel: str
    parts: Rows | slice
    rows: Rows | slice


class Tree(Record, frozen=True):
    """What is needed to find the world frame of a part. P parts.

    world = parent's world · mount · joint's motion · own frame.

    part_ids: (P,) in computing order: every part comes after its parent.
    part_row: from id to row.
    parents: (P,) part row of the parent, −1 on the ground.
    levels: (start, stop) part rows of each depth below the ground.
    mounts: (4, 3, P, 1) the columns of each mount: three axes, then the origin.
    owns: (4, 3, k, 1) the columns of the own frames of k parts; all others have none.
    own_parts: (k,) their rows.
    joint_steps: in the order in which a joint's channels are applied.
    """

    part_ids: tuple[PartId, ...]
    part_row: dict[PartId, int]
    parents: Rows
    levels: tuple[tuple[int, int], ...]
    mounts: Array
    owns: Array
    own_parts: Rows
    joint_steps: tuple[JointStep, ...]

    def upward_at_home(self, part: PartId, *, mounted: bool = False) -> Array:
        """(3,) which way the z of a part, or of its mount, goes in the world with all at home."""
        row, way = self.part_row[part], np.array([0.0, 0.0, 1.0])
        while row >= 0:
            if not mounted and self.own_place[row] >= 0:
                way = self.owns[:3, :, self.own_place[row], 0].T @ way
            way = self.mounts[:3, :, row, 0].T @ way
            row, mounted = int(self.parents[row]), False
        return way

    def applied(self, part: PartId) -> tuple[tuple[str, int], ...]:
        """(channel name, channel row) of a part's free channels, in the order applied."""
        known = self._applied.get(part)
        if known is None:
            at = self.part_row[part]
            begin, kinds, rows = self.joint_table
            those = slice(int(begin[at]), int(begin[at + 1]))
            names = [CHANNELS[kind] for kind in kinds[those].tolist()]
            known = self._applied[part] = tuple(zip(names, rows[those].tolist(), strict=True))
        return known

    @cached_property
    def _applied(self) -> dict[PartId, tuple[tuple[str, int], ...]]:
        return {}

    @cached_property
    def own_place(self) -> Rows:
        """(P,) the place of each part's own frame among `owns`; −1 where it has none."""
        place = np.full(len(self.part_ids), -1, dtype=np.intp)
        place[self.own_parts] = np.arange(len(self.own_parts))
        return place

    @cached_property
    def own_rows(self) -> Array:
        """(k, 3, 4) the own frames as rows, one after another in memory."""
        return np.ascontiguousarray(self.owns[..., 0].transpose(2, 1, 0))

    def own_matrix(self, part: PartId) -> Array:
        """(4, 4) the own frame of a part, as it stands behind its joint."""
        found = np.eye(4)
        place = int(self.own_place[self.part_row[part]])
        if place >= 0:
            found[:3] = self.own_rows[place]
        return found

    @cached_property
    def mount_rows(self) -> Array:
        """(P, 3, 4) the mounts as rows, one part after another in memory."""
        return np.ascontiguousarray(self.mounts[..., 0].transpose(2, 1, 0))

    @cached_property
    def joint_table(self) -> tuple[Rows, Rows, Rows]:
        """Every part's channels one after another: (P + 1,) where each part's begin, and the
        (J,) place of each channel among the nine, and its row."""
        counts = np.zeros(len(self.part_ids) + 1, dtype=np.intp)
        kinds: list[Rows] = []
        parts: list[Rows] = []
        rows: list[Rows] = []
        for step in self.joint_steps:
            parts.append(every_row(step.parts))
            rows.append(every_row(step.rows))
            kinds.append(np.full(len(parts[-1]), CHANNELS.index(step.channel)))
        if not parts:
            nothing = np.zeros(0, dtype=np.intp)
            return counts, nothing, nothing
        part = np.concatenate(parts)
        order = np.argsort(part, kind="stable")
        np.add.at(counts, part + 1, 1)
        return np.cumsum(counts), np.concatenate(kinds)[order], np.concatenate(rows)[order]

    @cached_property
    def table(self) -> Table:
        """The tree as the kernels read it."""
        count = len(self.part_ids)
        start, kinds, rows = self.joint_table
        check_rows(self.parents - np.arange(count), -count - 1, 0, "parents come first")
        check_rows(self.parents, -1, count, "parents")
        check_rows(self.own_place, -1, len(self.own_rows), "own frames")
        check_rows(np.diff(start), 0, len(CHANNELS) + 1, "channels of a part")
        check_rows(kinds, 0, len(CHANNELS), "channels")
        check_rows(rows, 0, self.channels_needed, "rows")
        if not len(self.mount_rows) == len(self.parents) == len(self.own_place) == count:
            raise ValueError("a tree has as many mounts and parents as parts")
        if not (len(start) == count + 1 and int(start[-1]) == len(kinds) == len(rows)):
            raise ValueError("a tree has as many channels as its parts")
        return Table(
            _TREE,
            {
                "parts": count, "mounts": self.mount_rows, "parents": self.parents,
                "own_place": self.own_place, "owns": self.own_rows, "start": start,
                "kinds": kinds, "rows": rows,
            },
        )  # fmt: skip

    @cached_property
    def channels_needed(self) -> int:
        """How many channels there must be for every part to find its own."""
        rows = self.joint_table[2]
        return int(rows.max()) + 1 if len(rows) else 0


def every_row(rows: Rows | slice) -> Rows:
    """Rows one by one, also where they are a slice."""
    return np.arange(rows.start, rows.stop) if isinstance(rows, slice) else rows


def tree_of(
    rig: Rig, depth: Sequence[Sequence[PartId]], channel_row: Mapping[ChannelKey, int]
) -> Tree:
    """The tree of a rig. depth: ids of parts by their depth below the ground. channel_row: from
    channel key to row."""
    part_ids = tuple(part for level in depth for part in level)
    part_row = {part: row for row, part in enumerate(part_ids)}
    ends = np.cumsum([0] + [len(level) for level in depth])
    with_own = [row for row, part in enumerate(part_ids) if rig.parts[part].own != IDENTITY]
    return Tree(
        part_ids=part_ids,
        part_row=part_row,
        parents=parent_rows(rig, part_ids, part_row, depth),
        levels=tuple((int(a), int(b)) for a, b in itertools.pairwise(ends)),
        mounts=columns([rig.parts[part].mount for part in part_ids]),
        owns=columns([rig.parts[part_ids[row]].own for row in with_own]),
        own_parts=np.array(with_own, dtype=np.intp),
        joint_steps=_joint_steps(rig, part_ids, channel_row),
    )


def parent_rows(
    rig: Rig,
    part_ids: Sequence[PartId],
    row: Mapping[PartId, int],
    levels: Sequence[Sequence[PartId]],
) -> Rows:
    """(P,) rows of the parts that carry others; −1 for those on the ground."""
    ground = set(levels[0]) if levels else set()
    rows = [-1 if part in ground else row[rig.parts[part].parent or GROUND] for part in part_ids]
    return np.array(rows, dtype=np.intp)


def columns(frames: Sequence[Frame]) -> Array:
    """(4, 3, n, 1) frames as columns."""
    found = matrices(frames)
    return np.ascontiguousarray(found[:, :3, :].transpose(2, 1, 0)[..., None])


def _joint_steps(
    rig: Rig, part_ids: Sequence[PartId], channel_row: Mapping[ChannelKey, int]
) -> tuple[JointStep, ...]:
    found: dict[str, tuple[list[int], list[int]]] = {channel: ([], []) for channel in APPLIED}
    for row, part in enumerate(part_ids):
        for channel in freed(rig.parts[part].joint):
            parts, rows = found[channel]
            parts.append(row)
            rows.append(channel_row[key(part, channel)])
    return tuple(
        JointStep(channel, as_slice(parts), as_slice(rows))
        for channel, (parts, rows) in found.items()
        if parts
    )
