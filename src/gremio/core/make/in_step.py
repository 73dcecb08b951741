"""Two repeats: one in step with the other, or midway between its neighbours."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.edit.change import must_have
from gremio.core.edit.formulas import write
from gremio.core.edit.links import add_link
from gremio.core.edit.parts import change_part, set_joint, set_repeat
from gremio.core.frames import frame_of, matrix
from gremio.core.make.several import mounted_on
from gremio.core.make.vertices import world_vertices
from gremio.core.problem import GremioError
from gremio.core.rig.channels import PITCH, SHIFT, freed, key
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.model import Axis, Joint, Part, Ratio, Repeat, RepeatAlong, Rig
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.pose import Pose

_AXES: tuple[Axis, ...] = ("x", "y", "z")
# Two directions nearer to each other than this are one.
_ALIKE = 1e-6


def keep_in_step(rig: Rig, lead: PartId, follower: PartId, home: Pose) -> Rig:
    """The rig with as many copies of one part as there are of another, and as far apart.

    lead: the repeated one, by id. follower: repeated as the lead is, in the same direction, where
    it is not repeated yet; else its count follows, and its pitch where both are of one kind. home:
    the rig at home. Raises GremioError where the lead is not repeated, or the follower's numbers
    are led already.
    """
    repeat = _repeat_of(rig, lead)
    if must_have(rig.parts, follower, "part").repeat is None:
        rig, axis, sign = _same_direction(rig, lead, follower, home)
        rig = set_repeat(rig, follower, replace(repeat, axis=axis))
    else:
        sign = 1.0
    rig, _ = add_link(rig, Ratio(key(lead, "count"), key(follower, "count"), 1.0))
    if _is_turned(rig, lead) == _is_turned(rig, follower):
        rig = _alike(rig, lead, follower, PITCH, sign)
        rig = _alike(rig, lead, follower, SHIFT, sign)
    return rig


def midway_between(
    rig: Rig, lead: PartId, follower: PartId, home: Pose, *, geometry: GeometryOf
) -> Rig:
    """The rig with one part in each gap between the copies of another, whatever their count and
    pitch: middle to middle along the row, and where it is across it.

    lead: repeated along a line or round a circle. follower: is carried by what carries the lead.
    home: the rig at home. Raises GremioError along a path, where the follower has a joint that
    lies otherwise, and where its numbers are led already.
    """
    repeat = _repeat_of(rig, lead)
    must_have(rig.parts, follower, "part")
    names = [rig.parts[part].name for part in (lead, follower)]
    if repeat.along in ("path", "tread"):
        raise GremioError(
            f"{names[0]} goes along a path, so what is midway is on no straight line. Let "
            f"{names[1]} run along the path as well, and keep it in step."
        )
    if rig.parts[follower].repeat is not None:
        rig = set_repeat(rig, follower, None)
    if rig.parts[follower].parent != rig.parts[lead].parent:
        rig = mounted_on(rig, [follower], rig.parts[lead].parent, home)
    if repeat.along == "circle":
        return _midway_round(rig, lead, follower, home, geometry)
    rig, axis, sign = _same_direction(rig, lead, follower, home)
    along = _direction(home, rig, lead)
    gap = float((_middle(rig, home, lead, geometry) - _middle(rig, home, follower, geometry))
                @ along)  # fmt: skip
    rig = _shifted(rig, follower, home, gap * along)
    channel = f"move {axis}"
    rig = _freed(rig, follower, Joint("slide", axis), channel)
    rig = set_repeat(rig, follower, replace(repeat, axis=axis, count=max(repeat.count - 1, 0)))
    pitch = _number(rig, lead, PITCH)
    rig, _ = add_link(rig, Ratio(pitch, key(follower, channel), 0.5 * sign))
    rig = _alike(rig, lead, follower, PITCH, sign)
    rig = _alike(rig, lead, follower, SHIFT, sign)
    return add_link(rig, Ratio(key(lead, "count"), key(follower, "count"), 1.0, -1.0))[0]


def _midway_round(
    rig: Rig, lead: PartId, follower: PartId, home: Pose, geometry: GeometryOf
) -> Rig:
    one, two = rig.parts[lead], rig.parts[follower]
    repeat = _repeat_of(rig, lead)
    if two.joint.kind != "fixed":
        raise GremioError(
            f"{two.name} has a joint of its own, and can't be turned into the gaps of {one.name}. "
            "Make it fixed, or put it on an empty mount, and let that be midway."
        )
    # Into the lead's mount, about whose axis both go round.
    base = _base(home, one)
    inside = np.linalg.inv(base)
    middles = [inside @ np.append(_middle(rig, home, part, geometry), 1.0)
               for part in (lead, follower)]  # fmt: skip
    index = _AXES.index(repeat.axis)
    turn = np.eye(4)
    angles = [_angle(middle, index) for middle in middles]
    if None not in angles:
        turn = _turned(index, angles[0] - angles[1])  # type: ignore[operator]
    own = turn @ inside @ _base(home, two) @ matrix(two.own)
    rig = change_part(rig, follower, replace(two, mount=one.mount, own=frame_of(own)))
    rig = set_joint(rig, follower, Joint("spin", repeat.axis))
    evenly = repeat.pitch == 0.0
    closed = evenly or math.isclose(abs(repeat.pitch) * repeat.count, 2 * math.pi)
    rig = set_repeat(rig, follower, replace(repeat, count=repeat.count - (0 if closed else 1)))
    count, half = key(lead, "count"), key(follower, f"turn {repeat.axis}")
    rig, _ = add_link(rig, Ratio(count, key(follower, "count"), 1.0, 0.0 if closed else -1.0))
    rig = _alike(rig, lead, follower, SHIFT)
    if evenly:
        return write(rig, half, f"180 deg / max({{{count}}}, 1)")[0]
    rig, _ = add_link(rig, Ratio(_number(rig, lead, PITCH), half, 0.5))
    return _alike(rig, lead, follower, PITCH)


# ── where things are ───────────────────────────────────────────────


def _repeat_of(rig: Rig, part: PartId) -> Repeat:
    entry = must_have(rig.parts, part, "part")
    if entry.repeat is None:
        raise GremioError(f"{entry.name} is not repeated. Say on its Card along what, first.")
    return entry.repeat


def _is_turned(rig: Rig, part: PartId) -> bool:
    return _repeat_of(rig, part).along == "circle"


def _number(rig: Rig, part: PartId, names: Mapping[RepeatAlong, str]) -> ChannelKey:
    return key(part, names[_repeat_of(rig, part).along])


def _alike(
    rig: Rig, lead: PartId, follower: PartId, names: Mapping[RepeatAlong, str], sign: float = 1.0
) -> Rig:
    """The rig in which a number of one repeat is that of another, the other way round for −1."""
    one, two = _number(rig, lead, names), _number(rig, follower, names)
    return add_link(rig, Ratio(one, two, sign))[0]


def _base(home: Pose, part: Part) -> Array:
    """(4, 4) where the mount of a part is in the world."""
    base: Array = home.frame_of(part.parent) @ matrix(part.mount)
    return base


def _direction(home: Pose, rig: Rig, part: PartId) -> Array:
    """(3,) the way a repeat goes along, or the axis it goes round, in the world."""
    found = _base(home, rig.parts[part])[:3, _AXES.index(_repeat_of(rig, part).axis)]
    way: Array = found / np.linalg.norm(found)
    return way


def _middle(rig: Rig, home: Pose, part: PartId, geometry: GeometryOf) -> Array:
    """(3,) the middle of what a part shows, in the world; its origin where it shows nothing."""
    if not rig.parts[part].shapes:
        origin: Array = home.world(part)[:3, 3]
        return origin
    found = world_vertices(rig, home, part, geometry)
    middle: Array = (found.min(axis=0) + found.max(axis=0)) / 2
    return middle


def _same_direction(
    rig: Rig, lead: PartId, follower: PartId, home: Pose
) -> tuple[Rig, Axis, float]:
    """The rig, the axis of the follower's mount that lies along the lead's repeat, and which way. A
    fixed part's mount is laid so; nothing moves."""
    one, two = rig.parts[lead], rig.parts[follower]
    repeat = _repeat_of(rig, lead)
    if repeat.along == "path":
        return rig, repeat.axis, 1.0
    way = _direction(home, rig, lead)
    base = home.frame_of(two.parent) @ matrix(two.mount)
    for index, axis in enumerate(_AXES):
        along = float(base[:3, index] @ way) / float(np.linalg.norm(base[:3, index]))
        if abs(abs(along) - 1.0) < _ALIKE:
            return rig, axis, math.copysign(1.0, along)
    if two.joint.kind != "fixed":
        raise GremioError(
            f"No axis of the joint of {two.name} lies along the row of {one.name}. Make it fixed, "
            "or put it on an empty mount, and repeat that."
        )
    laid = _base(home, one)
    laid[:3, 3] = base[:3, 3]
    mount = np.linalg.inv(home.frame_of(two.parent)) @ laid
    own = np.linalg.inv(laid) @ base @ matrix(two.own)
    two = replace(two, mount=frame_of(mount), own=frame_of(own))
    return change_part(rig, follower, two), repeat.axis, 1.0


def _shifted(rig: Rig, part: PartId, home: Pose, by: Array) -> Rig:
    """The rig with the mount of a part moved by a way in the world (m)."""
    entry = rig.parts[part]
    above = home.frame_of(entry.parent)
    base = above @ matrix(entry.mount)
    base[:3, 3] += by
    mount = frame_of(np.linalg.inv(above) @ base)
    return change_part(rig, part, replace(entry, mount=mount))


def _freed(rig: Rig, part: PartId, joint: Joint, channel: str) -> Rig:
    """The rig with a channel free for a part: a joint for it where it is fixed."""
    entry = rig.parts[part]
    if entry.joint.kind == "fixed":
        return set_joint(rig, part, joint)
    if channel in freed(entry.joint):
        return rig
    return set_joint(rig, part, replace(entry.joint, freed=(*entry.joint.freed, channel)))


def _angle(at: Array, index: int) -> float | None:
    """How far round an axis a point (4,) is (rad); None for one on it."""
    across, up = at[(index + 1) % 3], at[(index + 2) % 3]
    size = float(np.abs(at[:3]).max())
    return None if math.hypot(across, up) <= _ALIKE * size else math.atan2(up, across)


def _turned(index: int, angle: float) -> Array:
    turn = np.eye(4)
    one, two = (index + 1) % 3, (index + 2) % 3
    turn[one, one] = turn[two, two] = math.cos(angle)
    turn[two, one], turn[one, two] = math.sin(angle), -math.sin(angle)
    return turn
