"""Notes on closed linkages: where they stand at home, and what of them no joint can close."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

import numpy as np
from msgspec.structs import replace

from gremio.core.edit.closures import change_closure
from gremio.core.edit.mounts import set_home_here
from gremio.core.frames import triple
from gremio.core.inspect.finding import Finding, Mend
from gremio.core.plan.loops import ROUNDING, found_at
from gremio.core.problem import Note
from gremio.core.quantity import show_short
from gremio.core.rig.channels import split
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import closure_label, full_label, kind_of, shown_unit
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.loop_steps import LoopStep
from gremio.core.solve.pose import Pose

# What moves less than this at home to close a loop is a model's rounding (rad, or sizes).
_ASIDE = 1e-5
# Where what is solved for spans less than this share of what it could, home is a change point.
_CHANGE = 1e-6


def linkage_findings(rig: Rig, home: Pose) -> Iterator[Finding]:
    """Notes on the loops of a rig. home: the pose with all inputs at home."""
    for closing in home.poses.closing.values():
        if closing.step.can_close:
            yield from _aside(rig, home, closing.step)
            yield from _at_change_point(rig, home, closing.step)


def misfit_mends(pose: Pose, note: Note) -> tuple[Mend, ...]:
    """What would mend a note on a loop that is off where no joint can close it."""
    if note.code != "loop-misfit":
        return ()
    return (Mend("let its points meet", partial(points_met, pose=pose)),)


def points_met(rig: Rig, *, pose: Pose) -> Rig:
    """The rig with the second point of each closure that is off put where the first one is at
    home. pose: any of the rig."""
    home = evaluate(pose.program, {}).frame(0)
    for closing in home.poses.closing.values():
        if float(closing.gap[0]) <= ROUNDING * closing.step.shape.size:
            continue
        for closure_id in closing.step.loop.closures:
            closure = rig.closures[closure_id]
            here = home.frame_of(closure.one) @ np.append(closure.at_one, 1.0)
            at = np.linalg.inv(home.frame_of(closure.two)) @ here
            rig = change_closure(rig, closure_id, replace(closure, at_two=triple(at[:3])))
    return rig


def _aside(rig: Rig, home: Pose, step: LoopStep) -> Iterator[Finding]:
    """That a loop is assembled elsewhere than its joints stand at home."""
    moved = {}
    for place in step.found:
        channel = step.loop.channels[place]
        value = home.at(channel) - float(step.home[place])
        scale = step.shape.size if kind_of(rig, channel) == "length" else 1.0
        if abs(value) > _ASIDE * scale:
            moved[channel] = value
    if not moved:
        return
    most = max(moved, key=lambda c: abs(moved[c]))
    tied = rig.closures[step.loop.closures[0]]
    told = closure_label(rig, tied)
    by = show_short(moved[most], shown_unit(rig, most))
    rest = f", and {len(moved) - 1} more move with it" if len(moved) > 1 else ""
    text = (
        f"With everything at home, {told} does not meet as the joints stand: to close it, "
        f"{full_label(rig, most)} stands at {by}{rest}. Set home here, or move the points."
    )
    mend = Mend("set home here", partial(home_of_loop, home=home, loop=step.loop.closures[0]))
    yield Finding(Note("loop-aside", rig.parts[tied.one].name, text, "warning"), (mend,))


def home_of_loop(rig: Rig, *, home: Pose, loop: ThingId) -> Rig:
    """The rig with where the parts of a loop stand at home, closed, as their home. loop: id of
    its first closure. Raises GremioError where stops or links can't be counted from there."""
    step = home.poses.closing[loop].step
    for part in step.loop.parts:
        own = [step.loop.channels[i] for i in step.found]
        values = {split(c)[1]: home.at(c) for c in own if split(c)[0] == part}
        if values:
            above = home.frame_of(rig.parts[PartId(part)].parent)
            local = np.linalg.inv(above) @ home.world(part)
            rig = set_home_here(rig, part, local, values)
    return rig


def _at_change_point(rig: Rig, home: Pose, step: LoopStep) -> Iterator[Finding]:
    """That a loop can go two ways from home."""
    loop = step.loop
    found = found_at(rig, loop, {c: home.at(c) for c in loop.channels})
    sizes = np.linalg.svd(found, compute_uv=False)
    if not found.size or sizes[len(loop.found) - 1] > _CHANGE * sizes[0]:
        return
    tied = rig.closures[loop.closures[0]]
    leads = [*loop.given, *loop.free]
    lead = full_label(rig, leads[0]) if leads else "what leads it"
    text = (
        f"At home the loop closed by {closure_label(rig, tied)} stands at a change point: it "
        f"could go on in two ways, and nothing says which. Move {lead} a little, and set home "
        "there."
    )
    yield Finding(Note("loop-undecided", rig.parts[tied.one].name, text, "warning"))
