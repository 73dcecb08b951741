"""Asking a rig for its pose, with its models read: what sits on a model's surface needs it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial

import numpy.typing as npt

from gremio.core.edit.builder import Typed
from gremio.core.files.sources import model_shelf
from gremio.core.inspect import comparing, findings
from gremio.core.inspect.comparing import Difference
from gremio.core.inspect.finding import Finding
from gremio.core.rig.model import Rig
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve import ask
from gremio.core.solve.pose import Pose, Poses


def surfaces_of(rig: Rig) -> GeometryOf:
    """What finds the surface of a rig's solids, its models read when they are needed. It raises
    GremioError for a model that can't be had as it was."""
    return partial(model_shelf().surface, rig)


def solve(rig: Rig, values: Mapping[str, Typed] | None = None) -> Pose:
    """The pose of a rig: as it stands, with some controls or channels put elsewhere.

    values: by name ("Upper gates", "Paddle, east move z"), typed ("46 deg") or SI. Wheels
    roll, and carriages drive, the straight way there from where the rig stands.
    Raises NotFound for an unknown name, QuantityError for a wrong unit, GremioError for a
    channel that a link leads.
    """
    return ask.solve(rig, values, geometry=surfaces_of(rig))


def run(rig: Rig, values: Mapping[str, Sequence[float] | npt.ArrayLike]) -> Poses:
    """The poses of many frames at once.

    values: by name, (F,) values in SI or one value for all frames. Raises as `solve` does.
    """
    return ask.run(rig, values, geometry=surfaces_of(rig))


def sweep(rig: Rig, control: str, steps: int = 101) -> Poses:
    """The poses along the whole range of a control, all else as it stands.

    control: its name. steps: how many poses, at least 2, from low to high.
    Raises NotFound, or GremioError when there are too few steps or no range.
    """
    return ask.sweep(rig, control, steps, geometry=surfaces_of(rig))


def compare(one: Rig, two: Rig) -> list[Difference]:
    """What is otherwise in the second of two rigs, by names and by what is meant: each difference
    has how ("new", "gone", "renamed", "changed"), word, name, aspect, before, after and a text."""
    return comparing.compare(one, two)


def inspect(rig: Rig, pose: Pose | None = None) -> list[Finding]:
    """What is wrong with a rig, the worst first. pose: as it stands now, for the stops reached
    there. Models that can't be had are told, and boxes stand in for them."""
    shelf = model_shelf()
    found = findings.inspect(rig, pose, geometry=partial(shelf.geometry, rig))
    return findings.sorted_findings([*found, *map(Finding, shelf.notes(rig))])
