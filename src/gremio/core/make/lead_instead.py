"""Another channel of a closed linkage leads it, and what led is solved for."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from gremio.core.edit.controls import proposed_control, remove_control
from gremio.core.edit.links import let_go
from gremio.core.make.linking import with_control_of
from gremio.core.problem import GremioError
from gremio.core.rig.ids import NOTHING, ChannelKey, ThingId
from gremio.core.rig.links import leads
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import full_label
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.ask import along
from gremio.core.solve.backward import inputs_above
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.program import Program

_STEPS = 181


def leads_now(program: Program, channel: ChannelKey) -> ChannelKey:
    """The key of the channel that leads the closed linkage which a channel (key) is solved in, led
    by one link itself; empty where the channel is not solved for, where a hand can move the
    linkage besides, or where several lead it."""
    loop = program.loops.get(channel)
    if loop is None or channel not in loop.found or set(loop.free) - set(loop.idle):
        return NOTHING
    led = [c for c in loop.given if c not in loop.idle and c in program.drives]
    if len(led) != 1:
        return NOTHING
    links = program.drives[led[0]].links
    return led[0] if len(links) == 1 and links[0] in program.rig.links else NOTHING


def lead_instead(rig: Rig, channel: ChannelKey, *, geometry: GeometryOf) -> tuple[Rig, ThingId]:
    """The rig with a new control, whose id is given, that leads a channel (key) of a closed
    linkage in place of what leads it; all stays where it stands.

    The link that led goes, and its control with it where that led nothing else. The new control
    goes as far as the channel went in the whole travel of the old one. Raises GremioError where
    nothing, or more than one thing, leads the linkage.
    """
    program = compile_rig(rig, geometry)
    led = leads_now(program, channel)
    if not led:
        raise GremioError(
            f"{full_label(rig, channel)} is not solved for in a closed linkage that one channel "
            "leads, so nothing can be put in place of its lead."
        )
    stood = evaluate(program, rig.at).frame(0).at(channel)
    control = proposed_control(rig, channel, stood)
    low, high = _travel(program, channel, led, stood)
    if low < high:
        control = replace(control, low=low, high=high, home=min(max(control.home, low), high))
    rig = _let_go(rig, program, led)
    return with_control_of(rig, channel, stood, geometry=geometry, control=control)


def _travel(
    program: Program, channel: ChannelKey, led: ChannelKey, stood: float
) -> tuple[float, float]:
    """Between what values a channel goes in the whole travel of what leads its linkage."""
    values = [stood]
    for above in inputs_above(program, led):
        entry = program.rig.controls.get(ThingId(above))
        if entry is not None:
            travel = np.linspace(entry.low, entry.high, _STEPS)
            values += along(program, above, travel).channel(channel).tolist()
    return min(values), max(values)


def _let_go(rig: Rig, program: Program, led: ChannelKey) -> Rig:
    """The rig with a channel led by its link no more, nor a control left that leads nothing."""
    link_id = ThingId(program.drives[led].links[0])
    above = leads(rig.links[link_id])
    rig = let_go(rig, link_id, led)
    for control in above:
        left = any(control in leads(link) for link in rig.links.values())
        if control in rig.controls and not left:
            rig = remove_control(rig, ThingId(control))
    return rig
