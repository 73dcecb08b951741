"""Where the parts of a linkage stand, how far its closures are apart, and how that changes."""

from __future__ import annotations

import functools
from collections.abc import Iterable, Mapping

import numpy as np

from gremio.core.arrays import Array, crossed
from gremio.core.frames import Frame, carried, matrix
from gremio.core.plan.carrying import carriers
from gremio.core.plan.joints import APPLIED, joint_matrix, outer_matrix
from gremio.core.rig.channels import freed, key, split
from gremio.core.rig.ids import GROUND, ChannelKey, PartId, ThingId
from gremio.core.rig.model import Closure, Rig

# Singular values below this share of the greatest are taken as nothing: models are made of
# numbers of seven figures, so that axes that should be parallel are so to 1e-7.
RANK = 1e-5
_CLOSING = 40

# How the ground stands, and the directions in which a pin meets; not to be written to.
_GROUND, _ALL_WAYS = np.eye(4), np.eye(3)


def sides(rig: Rig, closure: Closure) -> tuple[list[PartId], list[PartId]]:
    """The parts that move the first point against what carries both, and those that move the
    second, each from the part toward the ground."""
    one, two = carriers(rig, closure.one), carriers(rig, closure.two)
    return [p for p in one if p not in two], [p for p in two if p not in one]


def moving(rig: Rig, part: PartId) -> list[ChannelKey]:
    """Keys of the channels that a part's joint frees, in the order applied; not its scales."""
    free = freed(rig.parts[part].joint)
    return [key(part, name) for name in APPLIED if name in free and not name.startswith("scale")]


def size_of(rig: Rig, closures: Iterable[ThingId], parts: Iterable[PartId]) -> float:
    """A length of a loop: the greatest distance between its mounts and points at home (m)."""
    frames = frames_in_loop(rig, parts, {})
    places = [frame[:3, 3] for frame in frames.values()]
    for closure_id in closures:
        closure = rig.closures[closure_id]
        for part, at in ((closure.one, closure.at_one), (closure.two, closure.at_two)):
            places.append(carried(frames.get(part or GROUND, _GROUND), at))
    return max(float(np.linalg.norm(np.ptp(np.array(places), axis=0))), 1e-6)


def closed_near(
    rig: Rig,
    closures: tuple[ThingId, ...],
    parts: tuple[PartId, ...],
    channels: tuple[ChannelKey, ...],
    values: dict[ChannelKey, float],
) -> dict[ChannelKey, float]:
    """Values (SI by key) near to some at which a loop is closed, by Gauss-Newton steps of least
    length; as near as it comes where it can't be."""
    for _ in range(_CLOSING):
        frames = frames_in_loop(rig, parts, values)
        gap = np.concatenate([_gap(rig.closures[c], frames) for c in closures])
        if float(np.abs(gap).max(initial=0.0)) < 1e-13:
            break
        jacobian = jacobian_of(rig, closures, parts, channels, values)
        step = np.linalg.lstsq(jacobian, -gap, rcond=RANK)[0]
        most = float(np.abs(step).max(initial=0.0))
        if most < 1e-12:
            break
        step *= min(1.0, 0.5 / most)
        values = {c: values[c] + float(d) for c, d in zip(channels, step, strict=True)}
    return values


def _gap(closure: Closure, frames: Mapping[PartId, Array]) -> Array:
    here, there, ways = points_of(closure, frames)
    gap: Array = ways @ (here - there)
    return gap


@functools.lru_cache(maxsize=4096)
def _frame(frame: Frame) -> Array:
    """(4, 4) of a frame; not to be written to."""
    return matrix(frame)


def frames_in_loop(
    rig: Rig, parts: Iterable[PartId], values: Mapping[ChannelKey, float]
) -> dict[PartId, Array]:
    """(4, 4) frames of parts as seen from what carries all of them. values: SI by key; home
    where one is absent."""
    frames: dict[PartId, Array] = {}
    for part in parts:
        entry = rig.parts[part]
        above = frames.get(entry.parent or GROUND, _GROUND)
        joint = joint_matrix(_values_of(rig, part, values))
        frames[part] = above @ _frame(entry.mount) @ joint @ _frame(entry.own)
    return frames


def _values_of(rig: Rig, part: PartId, values: Mapping[ChannelKey, float]) -> dict[str, float]:
    own = {}
    for name in freed(rig.parts[part].joint):
        usual = 1.0 if name.startswith("scale") else 0.0
        own[name] = values.get(key(part, name), usual)
    return own


def points_of(closure: Closure, frames: Mapping[PartId, Array]) -> tuple[Array, Array, Array]:
    """(3,) the two points of a closure, and (2, 3) the directions in which they must meet: for
    a pin all three, (3, 3)."""
    one = frames.get(closure.one, _GROUND)
    two = frames.get(closure.two or GROUND, _GROUND)
    here = carried(one, closure.at_one)
    there = carried(two, closure.at_two)
    if closure.kind == "pin":
        return here, there, _ALL_WAYS
    return here, there, across(two[:3, :3] @ np.asarray(closure.axis))


def across(axis: Array) -> Array:
    """(2, 3) unit directions across an axis."""
    along = axis / max(float(np.linalg.norm(axis)), 1e-12)
    helper = np.eye(3)[int(np.argmin(np.abs(along)))]
    one = crossed(along, helper)
    one /= np.linalg.norm(one)
    return np.stack([one, crossed(along, one)])


def gaps(
    rig: Rig, closures: Iterable[ThingId], frames: Mapping[PartId, Array]
) -> dict[ThingId, float]:
    """How far apart each closure is (m)."""
    found = {}
    for closure in closures:
        found[closure] = float(np.linalg.norm(_gap(rig.closures[closure], frames)))
    return found


def jacobian_of(
    rig: Rig,
    closures: tuple[ThingId, ...],
    parts: tuple[PartId, ...],
    channels: tuple[ChannelKey, ...],
    values: Mapping[ChannelKey, float],
) -> Array:
    """(m, channels) how the gaps of closures change with each channel (m/m, m/rad)."""
    frames = frames_in_loop(rig, parts, values)
    works = [_where_it_works(rig, frames, channel, values) for channel in channels]
    rows = []
    for closure_id in closures:
        closure = rig.closures[closure_id]
        here, there, ways = points_of(closure, frames)
        one, two = sides(rig, closure)
        block = np.zeros((3, len(channels)))
        for column, channel in enumerate(channels):
            part, name = split(channel)
            sign = 1.0 if part in one else -1.0 if part in two else 0.0
            if not sign:
                continue
            origin, axis = works[column]
            # On a rail the directions turn with the second part, and the lever of the first
            # point is what counts for both sides.
            lever = (here if sign > 0 or closure.kind == "rail" else there) - origin
            block[:, column] = sign * (axis if name.startswith("move") else _cross(axis, lever))
        rows.append(ways @ block)
    return np.concatenate(rows) if rows else np.zeros((0, len(channels)))


def _where_it_works(
    rig: Rig,
    frames: Mapping[PartId, Array],
    channel: ChannelKey,
    values: Mapping[ChannelKey, float],
) -> tuple[Array, Array]:
    """(3,) origin and (3,) axis of a channel, by key, as seen from what carries the loop."""
    owner, name = split(channel)
    part = PartId(owner)
    entry = rig.parts[part]
    frame = frames.get(entry.parent or GROUND, _GROUND) @ _frame(entry.mount)
    if len(freed(entry.joint)) > 1:
        frame = frame @ outer_matrix(_values_of(rig, part, values), name)
    return frame[:3, 3], frame[:3, "xyz".index(name[-1])]


def _cross(a: Array, b: Array) -> Array:
    return np.array(
        [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
    )
