"""What is told of a pose: where one part stands, and how a loop closes."""

from __future__ import annotations

from typing import NamedTuple

from gremio.core.arrays import Array, Flags
from gremio.core.records import Record
from gremio.core.solve.loop_steps import LoopStep


class PartPose(Record, frozen=True, eq=False):
    """Where one part stands. world: (4, 4). channels: value in SI by name ("turn z")."""

    name: str
    world: Array
    channels: dict[str, float]


class PartPoses(Record, frozen=True, eq=False):
    """Where one part stands in F frames. world: (F, 4, 4). channels: (F,) in SI by name."""

    name: str
    world: Array
    channels: dict[str, Array]


class Closing(NamedTuple):
    """How a loop closes in F frames. gone: (F,) the share of the way from home that could be
    gone, 1 where it closes as asked. gap: (F,) the greatest gap that is left (m). cut: (F,) where
    the way was too long to be followed, or somebody stopped it."""

    step: LoopStep
    gone: Array
    gap: Array
    cut: Flags
