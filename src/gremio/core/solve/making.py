"""What is at hand while the steps of a program are made, of the rig and of an older program."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any, NamedTuple

from gremio.core.arrays import Array, Rows
from gremio.core.plan.blocks import Block
from gremio.core.plan.touched import Touched
from gremio.core.problem import Note
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.links import adds
from gremio.core.rig.model import Rig
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.steps import Level, ValueStep
from gremio.core.solve.tree import Tree

Stops = tuple[Array, Array, Array]


class Making(NamedTuple):
    """What is at hand while steps are made. row: from channel key to row. tree: of the parts.
    home: (C,). stops: low, high and soft, (C,) each. geometry: finds the surface of a solid.
    notes: filled with what is wrong. ends_used: whether the end of a range is a channel in use."""

    rig: Rig
    tree: Tree
    row: dict[ChannelKey, int]
    home: Array
    stops: Stops
    geometry: GeometryOf
    notes: list[Note]
    ends_used: bool


class Old(NamedTuple):
    """The steps of an older program, of which those that did not change are taken over.

    steps: its levels. blocks: what each level computes. row: (C + 1,) the new row of each of its
    channels, −1 where it is gone, and last −1 for none. same, same_parts: whether every channel,
    and every part, has the row that it had. change: what differs between the two rigs.
    """

    steps: tuple[Level, ...]
    blocks: tuple[tuple[Block, ...], ...]
    row: Rows
    same: bool
    same_parts: bool
    change: Touched


class Taking:
    """What can be taken over from a level of an older program; nothing where there is none."""

    def __init__(self, old: Old | None, depth: int) -> None:
        there = old is not None and depth < len(old.steps)
        self.old = old if there else None
        self.level = old.steps[depth] if old is not None and there else None
        self.blocks = old.blocks[depth] if old is not None and there else ()

    @property
    def same_rows(self) -> bool:
        """Whether every channel has the row that it had."""
        return self.old is not None and self.old.same

    @property
    def same_parts(self) -> bool:
        """Whether every part has the row that it had."""
        return self.old is not None and self.old.same_parts

    @property
    def value_steps(self) -> tuple[ValueStep, ...]:
        """The steps that gave values."""
        return () if self.level is None else (*self.level.sets, *self.level.adds)

    @property
    def same_kinds(self) -> bool:
        """Whether every number is of the kind and the shape that it was."""
        if self.old is None:
            return False
        change = self.old.change
        others = change.any("controls", "constraints", "strands", "treads", "measures")
        return not (others or change.built or change.shaped)

    @property
    def same_links(self) -> bool:
        """Whether every link says what it said, and goes along the same path."""
        return self.old is not None and not self.old.change.any("links", "paths")

    def still(self, parts: Iterable[PartId], *fields: str) -> bool:
        """Whether nothing changed in some fields of the rig, nor in some parts but their names."""
        if self.old is None or self.old.change.any(*fields):
            return False
        change = self.old.change
        moved = change.built | change.placed | change.stopped | change.shaped
        return moved.isdisjoint(parts)


def one_at_a_time(
    links: list[tuple[Any, ChannelKey]],
) -> Iterator[tuple[bool, list[tuple[Any, ChannelKey]]]]:
    """Links that can be computed together: those that set, then those that add; two that add to
    one channel add one after the other. With whether they add."""
    of_each: tuple[list[tuple[Any, ChannelKey]], list[tuple[Any, ChannelKey]]] = ([], [])
    for link, channel in links:
        of_each[adds(link)].append((link, channel))
    for adding, together in zip((False, True), of_each, strict=True):
        while together:
            once: dict[ChannelKey, Any] = {}
            for link, channel in together:
                once.setdefault(channel, link)
            yield adding, [(once[c], c) for c in once]
            together = [(link, c) for link, c in together if once[c] is not link]
