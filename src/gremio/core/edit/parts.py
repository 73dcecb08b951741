"""Edits on parts: adding, naming, mounting, joints and stops."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
from msgspec.structs import replace

from gremio.core.edit.change import (
    check_new_name,
    drop_values_of,
    known_or_new,
    must_have,
    new_id,
    well_formed,
    with_entry,
    without,
)
from gremio.core.edit.closures import without_closures_of
from gremio.core.edit.constraints import without_constraints_of
from gremio.core.edit.links import without_channels_of
from gremio.core.edit.routines import without_keys_of
from gremio.core.edit.strands import without_strands_of
from gremio.core.edit.treads import without_treads_of
from gremio.core.frames import Frame, frame_of, matrix
from gremio.core.plan.check import stops_are_sound
from gremio.core.plan.joints import joint_matrix
from gremio.core.problem import GremioError
from gremio.core.quantity import show_short
from gremio.core.remembered import Bounded
from gremio.core.rig.channels import SCALES, axes_of, channel_unit, free_of, freed, key
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.links import link_label, members
from gremio.core.rig.model import (
    AnyConstraint,
    Joint,
    KeptPose,
    Link,
    Part,
    Reach,
    Repeat,
    Rig,
    Routine,
    Shape,
    Stops,
)
from gremio.core.rig.rekeyed import by_names, rekeyed


def add_part(rig: Rig, part: Part) -> tuple[Rig, PartId]:
    """The rig with one more part, and its id. Refuses a name that is taken."""
    check_new_name(rig, part.name)
    if part.parent is not None:
        must_have(rig.parts, part.parent, "part")
    _check_shapes(part)
    for channel, stops in part.stops.items():
        _check_stops(part, channel, stops)
    rig, made = new_id(rig, "p")
    part_id = PartId(made)
    return replace(rig, parts=with_entry(rig.parts, part_id, part)), part_id


def change_part(rig: Rig, part_id: PartId, part: Part) -> Rig:
    """The rig with a part in place of the one of this id."""
    if rig.parts.get(part_id) == part:
        return rig
    known_or_new(rig, rig.parts, part_id, "part")
    present = rig.parts.get(part_id)
    if present is None or part.name != present.name:
        check_new_name(rig, part.name)
    if part.parent is not None:
        must_have(rig.parts, part.parent, "part")
    _check_shapes(part)
    return replace(rig, parts=with_entry(rig.parts, part_id, part))


def _check_shapes(part: Part) -> None:
    """Refuse what is no shape, which could be saved and not be opened again."""
    for one in part.shapes:
        if not isinstance(one, Shape):
            raise GremioError(
                f"{part.name} was given {type(one).__name__} for a shape. Give it a Shape, for "
                "example gremio.shape(Box(length=1, width=1, height=1))."
            )
    frames = (part.mount, part.own, *(shape.place for shape in part.shapes))
    numbers = [n for f in frames for n in (*f.at, *f.turn, *f.scale)]
    for shape in part.shapes:
        sizes = (getattr(shape.solid, name) for name in shape.solid.__struct_fields__)
        numbers += [size for size in sizes if isinstance(size, float | int)]
    if not all(map(math.isfinite, numbers)):
        raise GremioError(f"A place or a size of {part.name} is no plain number. Give it one.")
    well_formed(part, part.name)


def rename_part(rig: Rig, part_id: PartId, name: str) -> Rig:
    """Give a part another name. Links refer by id, so none breaks."""
    part = must_have(rig.parts, part_id, "part")
    check_new_name(rig, name, part.name)
    return change_part(rig, part_id, replace(part, name=name))


def remove_part(rig: Rig, part_id: PartId) -> Rig:
    """Take out a part with all that is mounted on it, and the links that need them."""
    must_have(rig.parts, part_id, "part")
    gone = dict.fromkeys((part_id, *descendants(rig, part_id)))
    lost = [i for i, m in rig.measures.items() if any(end.part in gone for end in m.ends)]
    rig = without_channels_of(rig, *gone, *lost)
    for part in gone:
        rig = without_closures_of(rig, part)
        rig = without_strands_of(without_constraints_of(rig, part), part)
        rig = without_treads_of(rig, part)
    rig = without_keys_of(replace(rig, at=drop_values_of(rig.at, *gone, *lost)), *gone)
    faces = {
        c: replace(entry, face=None)
        for c, entry in rig.controls.items()
        if entry.face is not None and entry.face.on in gone
    }
    return replace(
        rig,
        parts=without(rig.parts, *gone),
        controls={**rig.controls, **faces} if faces else rig.controls,
        measures=without(rig.measures, *lost) if lost else rig.measures,
    )


def children(rig: Rig, part_id: PartId | None) -> list[PartId]:
    """Ids of the parts mounted directly on a part; on the ground for None."""
    return list(_carried(rig).get(part_id, ()))


# What each part carries directly, of the tables of parts looked at last; the table is kept too, so
# that no other can come to stand at the same place in memory.
_CARRIED: Bounded[int, tuple[dict[PartId, Part], dict[PartId | None, list[PartId]]]] = Bounded(
    lambda _kept: 1, 4
)


def _carried(rig: Rig) -> dict[PartId | None, list[PartId]]:
    def find(_place: int) -> tuple[dict[PartId, Part], dict[PartId | None, list[PartId]]]:
        found: dict[PartId | None, list[PartId]] = {}
        for part_id, part in rig.parts.items():
            found.setdefault(part.parent, []).append(part_id)
        return rig.parts, found

    return _CARRIED.of(id(rig.parts), find)[1]


def descendants(rig: Rig, part_id: PartId) -> list[PartId]:
    """Ids of all parts mounted on a part, directly or through others."""
    by_parent = _carried(rig)
    found: dict[PartId, None] = {}
    waiting = list(by_parent.get(part_id, []))
    while waiting:
        below = waiting.pop()
        if below not in found:
            found[below] = None
            waiting += by_parent.get(below, [])
    return list(found)


def rigid_family(rig: Rig, part_id: PartId) -> list[PartId]:
    """Ids of a part and of all that is fixed on it, directly or through others."""
    found = [part_id]
    for one in found:
        more = [c for c in children(rig, one) if not freed(rig.parts[c].joint)]
        # Parts that hang on themselves in a ring are told elsewhere.
        found += [c for c in more if c not in found]
    return found


def moved_by(rig: Rig, part_id: PartId) -> PartId:
    """Id of what moves a part: itself, or, where it is fixed, the nearest that carries it and can
    move; itself where nothing does."""
    must_have(rig.parts, part_id, "part")
    here, seen = part_id, {part_id}
    while not freed(rig.parts[here].joint):
        above = rig.parts[here].parent
        if above is None or above not in rig.parts or above in seen:
            return part_id
        seen.add(above)
        here = above
    return here


def set_parent(rig: Rig, part_id: PartId, parent: PartId | None, mount: Frame) -> Rig:
    """Mount a part on another one (None: on the ground) at a frame in the new parent."""
    part = must_have(rig.parts, part_id, "part")
    if parent is not None:
        other = must_have(rig.parts, parent, "part")
        if parent == part_id or parent in descendants(rig, part_id):
            raise GremioError(
                f"{part.name} can't be mounted on {other.name}, which is mounted on "
                f"{part.name}. Mount {other.name} elsewhere first."
            )
    return change_part(rig, part_id, replace(part, parent=parent, mount=mount))


def set_joint(rig: Rig, part_id: PartId, joint: Joint, values: Mapping[str, float] = {}) -> Rig:
    """Say what a part may do. The part stays where it is.

    values: where its channels stand now (SI), by name; a value that the new joint can't hold
    goes into the mount. Stops, with their softness, go along to the new axis, counted from where
    the part stands; those of channels that have none to go to are dropped. Links and kept poses go
    along too, as they are: what leads the channel leads the new one. Refuses when a link uses a
    channel that has none to go to, and a screw without a lead.
    """
    part = must_have(rig.parts, part_id, "part")
    well_formed(joint, f"The joint of {part.name}")
    joint = _sound_joint(part, joint)
    if joint == part.joint:
        return rig
    lost = [channel for channel in freed(part.joint) if channel not in freed(joint)]
    goes = _goes_to(part.joint, joint)
    linked = {}
    for channel in lost:
        ours = key(part_id, channel)
        used = [link for link in rig.links.values() if ours in members(link)]
        if used and channel in goes:
            linked[channel] = goes[channel]
        elif used:
            raise GremioError(
                f"{channel} of {part.name} is used by {link_label(rig, used[0])}, so the joint "
                "can't ground it. Remove the link first."
            )
    if linked:
        rig = _with_channels(rig, part_id, linked)
        # What leads it goes on to do so: where it stood stays with the link.
        lost = [channel for channel in lost if channel not in linked]
        values = {linked.get(c, c): v for c, v in values.items()}
    if joint.kind == "screw" and part.joint.kind != "screw":
        # Its move and its turn are tied from now on, so both begin at zero.
        lost += [c for c in (f"move {joint.axis}", f"turn {joint.axis}") if c not in lost]
    kept = {c: v for c, v in values.items() if c not in lost}
    mount = part.mount
    if any(values.get(c, 0.0) != (1.0 if c in SCALES else 0.0) for c in lost):
        there = matrix(part.mount) @ joint_matrix(values)
        mount = frame_of(there @ np.linalg.inv(joint_matrix(kept)))
    stops = {c: s for c, s in part.stops.items() if c in freed(joint)}
    for old, new in goes.items():
        if old in part.stops:
            stood = 0.0 if old in linked else values.get(old, 0.0)
            stops[new] = _counted_from(part.stops[old], stood)
    rig = replace(rig, at=without(rig.at, *(key(part_id, channel) for channel in lost)))
    return change_part(rig, part_id, replace(part, mount=mount, joint=joint, stops=stops))


def _with_channels(rig: Rig, part_id: PartId, names: Mapping[str, str]) -> Rig:
    """The rig with channels of a part, and their stops, called otherwise wherever links, kept
    poses and routines speak of them."""
    every = {
        key(part_id, f"{end}{old}"): key(part_id, f"{end}{new}")
        for old, new in names.items()
        for end in ("", "low stop ", "high stop ")
    }
    key_of = by_names(every)
    links = {
        i: rekeyed(link, Link, key_of) if set(members(link)) & set(every) else link
        for i, link in rig.links.items()
    }
    poses = {i: rekeyed(pose, KeptPose, key_of) for i, pose in rig.poses.items()}
    routines = {i: rekeyed(one, Routine, key_of) for i, one in rig.routines.items()}
    constraints = {
        i: rekeyed(one, AnyConstraint, key_of) if isinstance(one, Reach) else one
        for i, one in rig.constraints.items()
    }
    at = {ChannelKey(key_of(channel)): value for channel, value in rig.at.items()}
    return replace(rig, links=links, poses=poses, routines=routines, constraints=constraints,
                   at=at)  # fmt: skip


def _goes_to(before: Joint, after: Joint) -> dict[str, str]:
    """Which new channel stands for one that goes, where a joint is given another axis: one turn
    for one turn, one move for one move."""
    found = {}
    for verb in ("turn", "move"):
        old = [c for c in freed(before) if c.startswith(verb) and c not in freed(after)]
        new = [c for c in freed(after) if c.startswith(verb) and c not in freed(before)]
        if len(old) == len(new) == 1:
            found[old[0]] = new[0]
    return found


def _counted_from(stops: Stops, value: float) -> Stops:
    """Stops as they are counted where a value of before is zero."""
    low, high = (None if end is None else end - value for end in (stops.low, stops.high))
    return replace(stops, low=low, high=high)


def _sound_joint(part: Part, joint: Joint) -> Joint:
    """The joint with an axis it can have. Refuses a screw without a lead."""
    axes = axes_of(joint.kind)
    if joint.axis not in axes:
        joint = replace(joint, axis=axes[0] if axes else "z")
    if joint.kind != "screw":
        return replace(joint, lead=0.0)
    if not (math.isfinite(joint.lead) and joint.lead != 0.0):
        raise GremioError(
            f"A screw needs a lead, the way it goes in one turn. Give {part.name} one such as 4 mm."
        )
    return joint


def ground_channel(
    rig: Rig, part_id: PartId, channel: str, grounded: bool, values: Mapping[str, float] = {}
) -> Rig:
    """Ground one channel of a part besides what its joint says, or free it.

    values: where its channels stand now (SI), by name; the part stays there.
    """
    joint = must_have(rig.parts, part_id, "part").joint
    freed_besides = tuple(c for c in joint.freed if c != channel)
    grounded_besides = tuple(c for c in joint.grounded if c != channel)
    plain = replace(joint, freed=freed_besides, grounded=grounded_besides)
    if grounded and channel in freed(plain):
        plain = replace(plain, grounded=(*grounded_besides, channel))
    elif not grounded and channel not in freed(plain):
        plain = replace(plain, freed=(*freed_besides, channel))
    return set_joint(rig, part_id, plain, values)


def set_stops(rig: Rig, part_id: PartId, channel: str, stops: Stops) -> Rig:
    """Set both stops of a channel (SI; None runs free). Refuses a low one above the high."""
    part = must_have(rig.parts, part_id, "part")
    _check_stops(part, channel, stops)
    if stops == Stops():
        return change_part(rig, part_id, replace(part, stops=without(part.stops, channel)))
    return change_part(rig, part_id, replace(part, stops=with_entry(part.stops, channel, stops)))


def _check_stops(part: Part, channel: str, stops: Stops) -> None:
    if channel not in freed(part.joint):
        raise GremioError(
            f"{channel} of {part.name} is grounded, so it has no stops. Change its joint first."
        )
    if any(stop is not None and not math.isfinite(stop) for stop in (stops.low, stops.high)):
        raise GremioError(f"A stop of {part.name} is not a number. Leave it empty to run free.")
    if not (math.isfinite(stops.soft) and stops.soft >= 0.0):
        raise GremioError(f"The soft way before a stop of {part.name} can't be less than nothing.")
    if not stops_are_sound(stops):
        unit = channel_unit(channel)
        low, high = show_short(stops.low or 0.0, unit), show_short(stops.high or 0.0, unit)
        raise GremioError(
            f"The low stop of {part.name} ({low}) would be above its high stop ({high}). "
            "Move the other stop first."
        )


def set_shapes(rig: Rig, part_id: PartId, shapes: tuple[Shape, ...]) -> Rig:
    """Give a part other shapes."""
    part = must_have(rig.parts, part_id, "part")
    return change_part(rig, part_id, replace(part, shapes=shapes))


def set_repeat(rig: Rig, part_id: PartId, repeat: Repeat | None) -> Rig:
    """Repeat a part, or have it once. Refuses while a link uses a channel that would go."""
    part = must_have(rig.parts, part_id, "part")
    if repeat is not None and not (
        repeat.count >= 0 and math.isfinite(repeat.pitch + repeat.shift)
    ):
        raise GremioError(
            f"{part.name} is repeated no less than no times, at a pitch and a shift that are plain "
            "numbers."
        )
    changed = replace(part, repeat=repeat)
    lost = [c for c in free_of(part) if c not in free_of(changed)]
    for channel in lost:
        used = [link for link in rig.links.values() if key(part_id, channel) in members(link)]
        if used:
            raise GremioError(
                f"{channel} of {part.name} is used by {link_label(rig, used[0])}. Remove it first."
            )
    rig = replace(
        rig, at=without(rig.at, *(key(part_id, c) for c in ("count", "pitch", "shift", *lost)))
    )
    return change_part(rig, part_id, changed)
