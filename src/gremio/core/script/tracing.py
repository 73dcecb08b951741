"""Traces from a script, by the names of things."""

from __future__ import annotations

import csv
import io

import numpy.typing as npt

from gremio.core.arrays import Array
from gremio.core.edit.change import numbers_of
from gremio.core.make.traces import length_of, traced, with_trace
from gremio.core.problem import GremioError
from gremio.core.quantity import UNITS
from gremio.core.records import Record
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Rig
from gremio.core.script.posing import sweep
from gremio.core.script.timing import bake


class Trace(Record, frozen=True):
    """What a point of a part drew. leads: (F,) where the control was (SI), or the time (s).
    points: (F, 3) m, in the world. column: what the leads are, and their unit, as a table has it;
    size: of that unit."""

    rig: Rig
    part: PartId
    leads: Array
    points: Array
    column: str
    size: float = 1.0

    @property
    def length(self) -> float:
        """How long the line is (m)."""
        return length_of(self.points)

    def csv(self) -> str:
        """A table: the lead in its unit, then x, y and z in metres."""
        text = io.StringIO()
        table = csv.writer(text, lineterminator="\n")
        table.writerow([self.column, "x (m)", "y (m)", "z (m)"])
        for lead, point in zip(self.leads, self.points, strict=True):
            table.writerow([repr(float(number)) for number in (lead / self.size, *point)])
        return text.getvalue()

    def as_path(self) -> Rig:
        """The rig with a path along it. Raises GremioError where the point stood still."""
        return with_trace(self.rig, self.part, self.points)[0]


def trace(
    rig: Rig,
    part: str,
    at: npt.ArrayLike = (0.0, 0.0, 0.0),
    *,
    control: str = "",
    routine: str = "",
    steps: int = 241,
) -> Trace:
    """The line that a point of a part draws: trace(rig, "Coupler", (0.4, 0.1, 0), control="Crank").

    at: (3,) in the part's frame (m). control: by name, whose travel it is, in so many steps.
    routine: by name, whose frames they are; the only one where neither is said. Raises NotFound,
    GremioError.
    """
    found = part_id(rig, part)
    point = numbers_of(at, (3,), f"The point of {part}")
    if not control:
        baked = bake(rig, routine)
        return Trace(rig, found, baked.times, traced(baked.poses, found, point), "time (s)")
    if routine:
        raise GremioError("A trace is that of a control or of a routine. Say one of them.")
    poses = sweep(rig, control, steps)
    entry = rig.controls[control_id(rig, control)]
    leads = poses.channel(control_id(rig, control))
    unit = UNITS[entry.unit]
    column = f"{control} ({entry.unit})" if entry.unit else control
    return Trace(rig, found, leads, traced(poses, found, point), column, unit.size)
