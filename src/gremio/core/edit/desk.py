"""Edits on the Desk as a whole: order and groups, pads, kept poses, the lock."""

from __future__ import annotations

import math
from collections.abc import Mapping

from msgspec.structs import replace

from gremio.core.edit.change import check_new_name, must_have, new_id, with_entry, without
from gremio.core.edit.controls import add_control, change_control, set_values
from gremio.core.problem import GremioError, NotFound
from gremio.core.rig.channels import split
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.model import Control, ControlMake, KeptPose, Rig
from gremio.core.rig.numbers import exists, home_value, is_put
from gremio.core.rig.scales import switch_positions


def place_control(rig: Rig, control: ThingId, before: ThingId | None, group: str) -> Rig:
    """Put a control in a group of the Desk, before another one, or last where that is None."""
    entry = must_have(rig.controls, control, "control")
    others = {c: e for c, e in rig.controls.items() if c != control}
    moved = replace(entry, group=group)
    order: dict[ThingId, Control] = {}
    for other, its in others.items():
        if other == before:
            order[control] = moved
        order[other] = its
    order.setdefault(control, moved)
    same = list(order) == list(rig.controls) and moved == entry
    return rig if same else replace(rig, controls=order)


def groups_of(rig: Rig) -> dict[str, list[ThingId]]:
    """Ids of the controls shown on the Desk, by group, in order; the second axis of a pad is
    part of the pad."""
    hidden = {entry.across for entry in rig.controls.values() if entry.make == "pad"}
    groups: dict[str, list[ThingId]] = {}
    for control, entry in rig.controls.items():
        if control not in hidden:
            groups.setdefault(entry.group, []).append(control)
    return groups


def make_into(rig: Rig, control: ThingId, make: ControlMake) -> Rig:
    """Make a control another kind of control. A pad gets a second axis, a control of its own;
    a switch gets two named positions at least."""
    entry = must_have(rig.controls, control, "control")
    changed = replace(entry, make=make, across="", springs=entry.springs and make == "lever")
    if make == "switch":
        notches, names = switch_positions(entry)
        changed = replace(changed, notches=notches, positions=names)
    if make == "pad":
        name = free_name(names_in(rig), f"{entry.name}, across")
        other = replace(entry, name=name, make="slider", across="", face=None, notches=())
        rig, made = add_control(rig, other)
        changed = replace(changed, across=made)
    return change_control(rig, control, changed)


def keep_pose(rig: Rig, name: str, values: Mapping[ChannelKey, float]) -> tuple[Rig, ThingId]:
    """The rig with where everything stands kept under a name, and the pose's id; a pose of
    the same name is kept anew. values: SI, of the controls, by key; what a hand has put besides,
    and how far things have come that roll or drive, the rig knows. Refuses what is no plain
    number."""
    for control, value in values.items():
        if control in rig.controls and not math.isfinite(value):
            told = rig.controls[split(control)[0]].name
            raise GremioError(f"{told} stands at no plain number. Put it somewhere first.")
    old = next((i for i, pose in rig.poses.items() if pose.name == name), None)
    if old is None:
        check_new_name(rig, name)
        rig, old = new_id(rig, "d")
    kept = {**rig.at, **{c: float(v) for c, v in values.items() if c in rig.controls}}
    return replace(rig, poses=with_entry(rig.poses, old, KeptPose(name, kept, True))), old


def rename_pose(rig: Rig, pose: ThingId, name: str) -> Rig:
    """Give a kept pose another name. Refuses an empty one, and one that is taken."""
    entry = must_have(rig.poses, pose, "pose")
    check_new_name(rig, name, entry.name)
    return replace(rig, poses=with_entry(rig.poses, pose, replace(entry, name=name)))


def remove_pose(rig: Rig, pose: ThingId) -> Rig:
    """Forget a kept pose; nothing moves."""
    must_have(rig.poses, pose, "pose")
    return replace(rig, poses=without(rig.poses, pose))


def pose_id(rig: Rig, name: str) -> ThingId:
    """Id of the kept pose of this name. Raises NotFound."""
    for pose, entry in rig.poses.items():
        if entry.name == name:
            return pose
    kept = ", ".join(repr(entry.name) for entry in rig.poses.values()) or "none yet"
    raise NotFound(f"No pose called {name!r} is kept. Kept are: {kept}.")


def blended(
    rig: Rig, start: Mapping[ChannelKey, float], pose: ThingId, share: float = 1.0
) -> dict[ChannelKey, float]:
    """Values (SI, by key) between a start and a kept pose: at the start with 0, at the pose with
    1. Controls that the pose does not know stay; of all else what it does not know was at home.
    start: of the controls, and of all that was put."""
    kept = must_have(rig.poses, pose, "pose")
    found = {}
    for channel in dict.fromkeys([*start, *kept.values]):
        if not is_put(rig, channel) or not exists(rig, channel):
            continue
        home = home_value(rig, channel)
        if channel not in kept.values and (channel in rig.controls or not kept.whole):
            continue
        at = start.get(channel, home)
        found[channel] = at + share * (kept.values.get(channel, home) - at)
    return found


def to_pose(rig: Rig, start: Mapping[ChannelKey, float], pose: ThingId, share: float = 1.0) -> Rig:
    """The rig standing as `blended` says."""
    return set_values(rig, blended(rig, start, pose, share))


def set_locked(rig: Rig, locked: bool) -> Rig:
    """Lock the rig for the animator, or unlock it."""
    return replace(rig, locked=locked)
