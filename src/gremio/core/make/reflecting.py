"""What a mirror makes of the things of a rig: of frames, and of the channels of joints.

Of a part that stands in a frame F, the twin stands in F′ = S · F · R: S is the mirror, and R the
part's own, which turns one axis of it round. F′ is then right-handed as F is. A joint between them
is R · J · R: what goes along the axis that is turned round, and what turns about either of the
others, does so the other way. Which axis that is, is chosen by the joint, so that what a hand or a
link moves keeps its sign where it can.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.frames import Frame, Triple, frame_of, matrix, tidy_frame, triple
from gremio.core.rig.model import (
    Joint,
    Part,
    Repeat,
    Shape,
    Stops,
    Way,
    Waypoint,
)
from gremio.core.rig.solids import Ball, Mesh, Wedge

# The axis along which a solid is the same as its mirror image; those that are not in it have one
# outline all through their width, along z.
_OWN_MIRROR: dict[type, int] = {Ball: 1, Wedge: 1}
_THROUGH = 2
_END = {"low stop": "high stop", "high stop": "low stop"}


def _turning_round(axis: int) -> Array:
    made = np.eye(4)
    made[axis, axis] = -1.0
    made.setflags(write=False)
    return made


_ROUND = tuple(_turning_round(axis) for axis in range(3))


def turning_round(axis: int) -> Array:
    """(4, 4) what turns one axis of a frame (0, 1, 2) round; it is one and the same each time."""
    return _ROUND[axis]


def chosen_axis(joint: Joint, repeat: Repeat | None, across: Array) -> int:
    """Which axis of its joint's frame the twin of a part has turned round. across: (3,) how much
    each of its axes is across the mirror: those are turned round where nothing else says which."""
    if repeat is not None and repeat.along in ("tread", "path"):
        # Links lie with x along, and y across.
        return 1
    own = "xyz".index(joint.axis)
    if joint.kind in ("hinge", "spin", "screw", "planar"):
        return own
    if joint.kind == "wheel":
        return 2
    order: list[int] = np.argsort(-np.abs(across), kind="stable").tolist()
    if joint.kind in ("slide", "cylinder"):
        order.remove(own)
    return order[0]


def channel_sign(name: str, axis: int) -> float:
    """By what a joint's channel (by name) goes in the twin, of which an axis is turned round."""
    verb, _, along = name.partition(" ")
    if verb not in ("move", "turn"):
        return 1.0
    same = "xyz".index(along) == axis
    return -1.0 if same == (verb == "move") else 1.0


def repeat_sign(repeat: Repeat, axis: int) -> float:
    """By what the pitch and the shift of a repeat go in the twin."""
    if repeat.along not in ("line", "circle"):
        return 1.0
    return channel_sign(f"{'move' if repeat.along == 'line' else 'turn'} {repeat.axis}", axis)


def other_end(name: str, sign: float) -> str:
    """What a number is called in the twin: a low stop is the high one where the sense is other."""
    for end, other in _END.items():
        if sign < 0 and name.startswith(f"{end} "):
            return other + name.removeprefix(end)
    return name


# ── frames and what stands in them ─────────────────────────────────


def framed(frame: Frame, before: Array, after: Array) -> Frame:
    """before · frame · after, (4, 4) each."""
    for axis, one in enumerate(_ROUND):
        if before is one and after is one:
            return _turned_in_it(frame, axis)
    found = frame_of(before @ matrix(frame) @ after)
    # What is stretched on purpose stays so to the last digit.
    return replace(found, scale=frame.scale)


def _turned_in_it(frame: Frame, axis: int) -> Frame:
    """R · frame · R, to the last digit: what turns about another axis turns the other way."""
    at, (w, *turn) = list(frame.at), frame.turn
    at[axis] = -at[axis]
    x, y, z = (v if i == axis else -v for i, v in enumerate(turn))
    return tidy_frame(at, (w, x, y, z), frame.scale)


def place(at: Triple, mirror: Array) -> Triple:
    """Where a point of a frame is in the twin's. mirror: (4, 4)."""
    return triple(mirror[:3, :3] @ np.asarray(at) + mirror[:3, 3])


def direction(way: Triple, mirror: Array) -> Triple:
    """Which way a direction goes in the twin's frame."""
    return triple(mirror[:3, :3] @ np.asarray(way))


def axle(way: Triple, mirror: Array) -> Triple:
    """About which way what turns about a direction turns in the twin's frame, by as much."""
    return triple(-(mirror[:3, :3] @ np.asarray(way)))


def way_of(axis: Way, turned: int) -> Way:
    """An axis of a part, told in its twin's frame, of which an axis is turned round."""
    if "xyz".index(axis[-1]) != turned:
        return axis
    other: Way = axis[-1] if axis[0] == "-" else f"-{axis}"  # type: ignore[assignment]
    return other


def waypoint(point: Waypoint, on: Any, mirror: Array) -> Waypoint:
    """Where a strand or a tread goes, on the twin's part (id)."""
    at = place(point.at, mirror)
    return replace(point, on=on, at=at, axis=axle(point.axis, mirror))


def shape(one: Shape, turned: int) -> Shape:
    """A shape of a part, on its twin. Where it is not its own mirror image, its solid says so."""
    own, solid = turning_round(_OWN_MIRROR.get(type(one.solid), _THROUGH)), one.solid
    if isinstance(solid, Mesh):
        x, y, z = solid.centre
        own = turning_round(0)
        solid = replace(solid, mirrored=not solid.mirrored, centre=(-x, y, z))
    return replace(one, solid=solid, place=framed(one.place, turning_round(turned), own))


def part(one: Part, above: Array, turned: int) -> Part:
    """A part as its twin, with another mount. above: (4, 4) what is turned round of what carries
    it."""
    own = turning_round(turned)
    joint, repeat = one.joint, one.repeat
    if joint.kind == "screw":
        # What goes on by a turn to the right goes on by one to the left.
        joint = replace(joint, lead=-joint.lead)
    if repeat is not None:
        sign = repeat_sign(repeat, turned)
        repeat = replace(repeat, pitch=sign * repeat.pitch, shift=sign * repeat.shift)
    return replace(
        one,
        mount=framed(one.mount, above, own),
        own=framed(one.own, own, own),
        joint=joint,
        repeat=repeat,
        stops={name: _stops(kept, channel_sign(name, turned)) for name, kept in one.stops.items()},
        shapes=tuple(shape(each, turned) for each in one.shapes),
    )


def _stops(stops: Stops, sign: float) -> Stops:
    if sign > 0:
        return stops
    low, high = (None if end is None else -end for end in (stops.high, stops.low))
    return replace(stops, low=low, high=high)
