"""Letting a point of a part draw its line, which stays as a path."""

from __future__ import annotations

import numpy as np

from gremio.core.arrays import Array
from gremio.core.make.traces import traced, with_trace
from gremio.core.mechanics.clock import frame_times
from gremio.core.motion.routines import run_of
from gremio.core.plan.carrying import carriers
from gremio.core.problem import GremioError
from gremio.core.rig.channels import freed, key
from gremio.core.rig.ids import NOTHING, ChannelKey, PartId, ThingId
from gremio.core.solve.ask import check_range, sweep_program
from gremio.core.solve.backward import inputs_above
from gremio.core.solve.pose import Poses
from gremio.desktop.actions.desktop import Desktop
from gremio.desktop.bench.question import PointsQuestion, Question
from gremio.desktop.document.document import Document

# A control's travel is gone through in so many steps.
_STEPS = 241
_LONG, _STOP = "The line is drawn …", "Stop drawing it (Esc)"


class TracePoint(PointsQuestion):
    """The point that draws. control: id of the control whose travel it is; "" for the one that
    leads the part."""

    def __init__(self, document: Document, control: ThingId) -> None:
        super().__init__(document)
        self._control = control

    @property
    def words(self) -> str:
        """What to click."""
        return "click the point of a part that draws its line"

    def take_point(self, place: Array, part: PartId) -> Question | None:
        """The point: a path is made of its way."""
        if part:
            draw(self.document, part, place, self._control)
            return None
        self.document.said.emit("Click a point of a part that moves.")
        return self


def trace_point(desktop: Desktop) -> None:
    """Let the next click choose the point that draws."""
    document = desktop.document
    chosen = document.selected if document.selected in document.rig.controls else NOTHING
    desktop.bench.ask(TracePoint(document, chosen))


def draw(document: Document, part: PartId, place: Array, control: ThingId = NOTHING) -> None:
    """Make a path of the way of a point of a part, at a place (3,) in the world now: through the
    routine, where the Bench follows one; else over the travel of a control (id), or of the one that
    leads the part where it is ""."""
    name = document.rig.parts[part].name
    at = (np.linalg.inv(document.pose.world(part)) @ np.append(place, 1.0))[:3]
    try:
        with document.patience(_LONG, _STOP):
            poses, by = _poses(document, part, control)
        line = traced(poses, part, at)
        made = document.make(f"trace {name}", lambda rig: with_trace(rig, part, line))
    except GremioError as refused:
        document.said.emit(str(refused))
        return
    if made:
        path = document.rig.paths[document.selected].name
        document.said.emit(f"{path} is the way of that point through {by}.")


def _poses(document: Document, part: PartId, control: ThingId) -> tuple[Poses, str]:
    timing, program, rig = document.timing, document.program, document.rig
    routine = timing.routine
    if timing.on and routine is not None and not control:
        times = frame_times(*timing.range(), routine.rate)
        return run_of(document.mounted, routine).at(times), routine.name
    lead = control or _control_of(document, part)
    if not lead:
        raise GremioError(
            f"Nothing on the Desk moves {rig.parts[part].name}. Select the control whose travel it "
            "is, or go to a time of a routine, and then trace it."
        )
    check_range(rig, lead)
    return sweep_program(program, lead, _STEPS), f"the travel of {rig.controls[lead].name}"


def _control_of(document: Document, part: PartId) -> ThingId:
    """Id of the control that moves a part, the nearest along its chain; "" for none."""
    rig = document.rig
    for carrier in carriers(rig, part):
        for name in freed(rig.parts[carrier].joint):
            above: list[ChannelKey] = inputs_above(document.program, key(carrier, name))
            for channel in above:
                if channel in rig.controls:
                    return ThingId(channel)
    return NOTHING
