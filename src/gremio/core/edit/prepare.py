"""Edits that prepare parts: mounts on features, stray scale, the whole rig on the ground."""

from __future__ import annotations

from typing import get_args

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from gremio.core.arrays import Array, crossed
from gremio.core.edit.change import must_have, numbers_of
from gremio.core.edit.mounts import move_mount
from gremio.core.edit.parts import change_part, children
from gremio.core.frames import Frame, frame_of, holds, matrix, quaternions
from gremio.core.problem import GremioError
from gremio.core.rig.channels import MOVES, freed, has_axis, key
from gremio.core.rig.ids import PartId
from gremio.core.rig.links import members
from gremio.core.rig.model import Axis, Part, Rig, Stops


def mount_at(rig: Rig, part_id: PartId, point: npt.ArrayLike) -> Rig:
    """Put a part's mount at a point (3,) of the part's own frame; nothing seen moves."""
    part = must_have(rig.parts, part_id, "part")
    mount, place = part.mount, numbers_of(point, (3,), f"A place of {part.name}")
    to = matrix(mount) @ matrix(part.own) @ np.append(place, 1.0)
    return move_mount(rig, part_id, replace(mount, at=(float(to[0]), float(to[1]), float(to[2]))))


def mount_along(rig: Rig, part_id: PartId, axis: Axis, direction: npt.ArrayLike) -> Rig:
    """Turn a part's mount the short way so that one of its axes lies along a direction (3,) of
    the part's own frame; nothing seen moves."""
    part = must_have(rig.parts, part_id, "part")
    way = numbers_of(direction, (3,), f"A direction of {part.name}")
    if not way.any() or axis not in get_args(Axis):
        raise GremioError(f"An axis of {part.name} needs a direction that is not 0, 0, 0.")
    way = matrix(part.own)[:3, :3] @ (way / np.linalg.norm(way))
    way = way / np.linalg.norm(way)
    start = np.eye(3)["xyz".index(axis)]
    # A direction has no head: the nearer of both ends is meant.
    if float(start @ way) < 0:
        way = -way
    turn = _shortest(start, way)
    frame = matrix(part.mount)
    scale = np.asarray(part.mount.scale)
    rotation = frame[:3, :3] / scale
    w, x, y, z = (float(v) for v in quaternions(rotation @ turn))
    return move_mount(rig, part_id, replace(part.mount, turn=(w, x, y, z)))


def axis_turned(rig: Rig, part_id: PartId) -> Rig:
    """Turn the axis of a part's joint round, so that the same values bring it the other way; at
    home it stays. Raises GremioError for a joint that has none."""
    part = must_have(rig.parts, part_id, "part")
    if not has_axis(part.joint.kind):
        raise GremioError(f"The joint of {part.name} has no axis to turn round.")
    across = np.eye(3)[("xyz".index(part.joint.axis) + 1) % 3]
    half = 2 * np.outer(across, across) - np.eye(3)
    rotation = matrix(part.mount)[:3, :3] / np.asarray(part.mount.scale)
    w, x, y, z = (float(v) for v in quaternions(rotation @ half))
    return move_mount(rig, part_id, replace(part.mount, turn=(w, x, y, z)))


def mount_as(rig: Rig, part_id: PartId, turn: Array) -> Rig:
    """Turn a part's mount so that it stands in its parent as a rotation (3, 3) says; nothing
    seen moves."""
    part = must_have(rig.parts, part_id, "part")
    told = f"A turn of {part.name}"
    rotation = numbers_of(turn, (3, 3), told)
    if not np.allclose(rotation @ rotation.T, np.eye(3), atol=1e-6):
        raise GremioError(f"{told} needs three directions square to one another.")
    w, x, y, z = (float(v) for v in quaternions(rotation))
    return move_mount(rig, part_id, replace(part.mount, turn=(w, x, y, z)))


def _shortest(start: Array, end: Array) -> Array:
    """(3, 3) rotation that takes one unit vector to another the short way."""
    cross, cosine = crossed(start, end), float(start @ end)
    x, y, z = cross
    skew = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    result: Array = np.eye(3) + skew + skew @ skew / (1 + cosine)
    return result


def has_scale(part: Part) -> bool:
    """Whether a part's mount stretches it."""
    return part.mount.scale != (1.0, 1.0, 1.0)


def without_scale(rig: Rig, part_id: PartId) -> Rig:
    """Take stray scale out of a part's mount, and of what is mounted on it, into the shapes;
    nothing seen moves.

    Raises GremioError where a shape or child stands askew in an uneven scale, which can't be
    written without shear, and where a link counts a move that would be stretched.
    """
    part = must_have(rig.parts, part_id, "part")
    if has_scale(part):
        rig = _scale_out(rig, part_id, part)
    for child in children(rig, part_id):
        rig = without_scale(rig, child)
    return rig


def _scale_out(rig: Rig, part_id: PartId, part: Part) -> Rig:
    stretch = np.diag([*part.mount.scale, 1.0])
    even = len({abs(s) for s in part.mount.scale}) == 1
    turns = any(channel.startswith("turn") for channel in freed(part.joint))
    if turns and not even:
        raise GremioError(
            f"{part.name} turns in an uneven scale, which shears it as it turns. Ground its "
            "turns first, take the scale out, and free them again."
        )
    moves = [c for c in MOVES if c in freed(part.joint)]
    used = {c for link in rig.links.values() for c in members(link)}
    if any(key(part_id, c) in used for c in moves):
        raise GremioError(
            f"A link counts the moves of {part.name} in its scale. Remove the link, take the "
            "scale out, and make it again."
        )
    # The scale goes through the own frame: what is left of it stretches what stands in that.
    stretched = _held(part.name, stretch @ matrix(part.own))
    own = Frame(stretched.at, stretched.turn)
    left = np.diag([*stretched.scale, 1.0])
    shapes = tuple(
        replace(shape, place=_held(part.name, left @ matrix(shape.place))) for shape in part.shapes
    )
    stops = dict(part.stops)
    at = dict(rig.at)
    for channel in moves:
        by = part.mount.scale["xyz".index(channel[-1])]
        if channel in stops:
            stops[channel] = _scaled(stops[channel], by)
        if key(part_id, channel) in at:
            at[key(part_id, channel)] *= by
    plain = Frame(part.mount.at, part.mount.turn)
    changed = replace(part, mount=plain, own=own, shapes=shapes, stops=stops)
    rig = change_part(replace(rig, at=at), part_id, changed)
    for child in children(rig, part_id):
        other = rig.parts[child]
        mount = _held(other.name, left @ matrix(other.mount))
        rig = change_part(rig, child, replace(other, mount=mount))
    return rig


def _held(name: str, frame: Array) -> Frame:
    if not holds(frame):
        raise GremioError(
            f"{name} stands askew in an uneven scale, which can't be taken out without shear. "
            "Make the scale even first."
        )
    return frame_of(frame)


def _scaled(stops: Stops, by: float) -> Stops:
    ends = [None if end is None else end * by for end in (stops.low, stops.high)]
    low, high = ends if by > 0 else ends[::-1]
    return replace(stops, low=low, high=high, soft=stops.soft * abs(by))


def to_ground(rig: Rig, bounds: Array) -> Rig:
    """Shift the whole rig so that its lowest point is on the ground and its middle over the
    origin. bounds: (2, 3) lowest and highest corner of the rig as it stands (m)."""
    bounds = numbers_of(bounds, (2, 3), "The box round the rig")
    middle = bounds.mean(axis=0)
    shift = np.array([-middle[0], -middle[1], -bounds[0, 2]])
    if np.allclose(shift, 0.0, atol=1e-12):
        return rig
    for part_id in children(rig, None):
        part = rig.parts[part_id]
        x, y, z = (float(a + b) for a, b in zip(part.mount.at, shift, strict=True))
        rig = change_part(rig, part_id, replace(part, mount=replace(part.mount, at=(x, y, z))))
    return rig
