"""Links that leave things where they stand: the control goes to where its follower is."""

from __future__ import annotations

from gremio.core.edit.controls import add_control, set_values
from gremio.core.edit.links import add_link
from gremio.core.rig.channels import key
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.model import Control, Ratio, Rig
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.backward import Hand, move
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate


def set_where_follower_stands(
    rig: Rig, follower: ChannelKey, stood: float, *, geometry: GeometryOf
) -> Rig:
    """The rig with the input that leads a channel (by key) put so that the channel is where it
    stood (SI); as near as the link can bring it."""
    program = compile_rig(rig, geometry)
    if follower not in program.channel_row:
        return rig
    pose = evaluate(program, rig.at).frame(0)
    answer = move(program, pose, follower, stood)
    return set_values(rig, {answer.channel: answer.value}) if isinstance(answer, Hand) else rig


def with_control_of(
    rig: Rig, channel: ChannelKey, stood: float, *, geometry: GeometryOf, control: Control
) -> tuple[Rig, ThingId]:
    """The rig with a control that leads a channel (by key) one for one, and the control's id; the
    channel stays where it stood (SI)."""
    rig, made = add_control(rig, control)
    rig, _ = add_link(rig, Ratio(key(made), channel, 1.0))
    return set_where_follower_stands(rig, channel, stood, geometry=geometry), made
