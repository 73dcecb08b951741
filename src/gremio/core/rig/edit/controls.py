"""Edits on controls, and on where the channels stand now."""

from __future__ import annotations

import math
from collections.abc import Mapping

from msgspec.structs import replace

from gremio.core.problem import GremioError
from gremio.core.quantity import USUAL_UNIT
from gremio.core.rig.channels import channel_kind, home_value, split
from gremio.core.rig.check import faults
from gremio.core.rig.edit.change import (
    check_new_name,
    drop_values_of,
    must_have,
    new_id,
    with_entry,
    without,
)
from gremio.core.rig.edit.links import without_channels_of
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.model import Control, Rig, Stops
from gremio.core.rig.scales import switch_positions


def add_control(rig: Rig, control: Control) -> tuple[Rig, str]:
    """The rig with one more control, and its id. Refuses an empty range."""
    check_new_name(rig, control.name)
    rig, control_id = new_id(rig, "c")
    return change_control(rig, control_id, control), control_id


def change_control(rig: Rig, control_id: str, control: Control) -> Rig:
    """The rig with a control in place of the one of this id; home is kept in the range."""
    present = rig.controls.get(control_id)
    if present == control:
        return rig
    check_new_name(rig, control.name, present.name if present else None)
    if not (math.isfinite(control.low) and math.isfinite(control.high)):
        raise GremioError(f"The range of {control.name} needs two plain numbers.")
    if control.scale is not None and not _is_scale(control.scale):
        raise GremioError(
            f"The numbers read at the ends of {control.name} must be two different ones."
        )
    if control.make == "switch":
        notches, names = switch_positions(control)
        control = replace(control, notches=notches, positions=names)
    control = replace(control, home=min(max(control.home, control.low), control.high))
    changed = replace(rig, controls=with_entry(rig.controls, control_id, control))
    for note in faults(changed):
        if note.part == control.name and note.code in ("range-empty", "unit-wrong"):
            raise GremioError(note.text)
    return changed


def _is_scale(scale: tuple[float, float]) -> bool:
    return scale[0] != scale[1] and all(map(math.isfinite, scale))


def proposed_control(rig: Rig, channel: str) -> Control:
    """A control to lead a part's channel (by key): with the range of its stops, or half a
    turn or a metre either way where it has none."""
    part_id, name = split(channel)
    part = rig.parts[part_id]
    kind = channel_kind(name)
    stops = part.stops.get(name, Stops())
    usual = math.pi if kind == "angle" else 1.0
    low = -usual if stops.low is None else stops.low
    high = usual if stops.high is None else stops.high
    if low >= high:
        low, high = low - usual, low + usual
    called = free_name(names_in(rig), f"{part.name} control")
    return Control(called, kind, USUAL_UNIT[kind], low, high, min(max(0.0, low), high))


def remove_control(rig: Rig, control_id: str) -> Rig:
    """Take out a control with the links it leads; a pad with its second axis. Of a pad whose
    second axis is taken out, a slider is left."""
    entry = must_have(rig.controls, control_id, "control")
    if entry.make == "pad" and entry.across in rig.controls:
        pad = replace(entry, make="slider", across="")
        rig = replace(rig, controls=with_entry(rig.controls, control_id, pad))
        rig = remove_control(rig, entry.across)
    rig = without_channels_of(rig, control_id)
    kept = {
        c: replace(e, make="slider", across="") if e.across == control_id else e
        for c, e in without(rig.controls, control_id).items()
    }
    poses = {
        i: replace(pose, values=without(pose.values, control_id)) for i, pose in rig.poses.items()
    }
    return replace(rig, controls=kept, poses=poses, at=drop_values_of(rig.at, control_id))


def set_values(rig: Rig, values: Mapping[str, float]) -> Rig:
    """Put channels that nothing leads somewhere (SI), by key; home is not written down."""
    at = dict(rig.at)
    for key, value in values.items():
        at[key] = value
        if value == home_value(rig, key):
            del at[key]
    return rig if at == rig.at else replace(rig, at=at)


def all_home(rig: Rig) -> Rig:
    """Put every channel that nothing leads at home."""
    return replace(rig, at={}) if rig.at else rig
