"""Channels: the numbers that can change.

A channel's key is "p3 turn z" for a part's channel, "c1" for a control, and "x4 grip"
"""

from __future__ import annotations

import functools

from gremio.core.quantity import USUAL_UNIT, Kind
from gremio.core.rig.ids import ChannelKey, ThingId, thing
from gremio.core.rig.model import Axis, Joint, JointKind, Part, RepeatAlong

MOVES = ("move x", "move y", "move z")
TURNS = ("turn x", "turn y", "turn z")
SCALES = ("scale x", "scale y", "scale z")
CHANNELS = MOVES + TURNS + SCALES

# What a joint leaves free: "turn" alone is about its own axis, "…" about or along the others.
_FREED: dict[JointKind, tuple[str, ...]] = {
    "fixed": (),
    "hinge": ("turn",),
    "spin": ("turn",),
    "slide": ("move",),
    "screw": ("move", "turn"),
    "cylinder": ("move", "turn"),
    "wheel": ("turn z", "turn"),
    "ball": TURNS,
    "planar": ("move across", "turn"),
    "free": MOVES + TURNS,
}
JOINT_KINDS: tuple[JointKind, ...] = tuple(_FREED)
AXES: tuple[Axis, ...] = ("x", "y", "z")


def axes_of(kind: JointKind) -> tuple[Axis, ...]:
    """The axes that a joint of this kind can have. A wheel steers about z, so its axle lies
    along x or y."""
    if not has_axis(kind):
        return ()
    return ("y", "x") if kind == "wheel" else AXES


@functools.lru_cache(maxsize=1024)
def freed(joint: Joint) -> tuple[str, ...]:
    """The names of the channels a joint leaves free."""
    names: set[str] = set(joint.freed)
    for name in _FREED[joint.kind]:
        if name == "move across":
            names |= {f"move {axis}" for axis in AXES if axis != joint.axis}
        else:
            names.add(name if " " in name else f"{name} {joint.axis}")
    return tuple(name for name in CHANNELS if name in names and name not in joint.grounded)


# What a repeat's pitch, and its shift, is called, by the way it goes along.
PITCH: dict[RepeatAlong, str] = {
    "line": "pitch",
    "circle": "pitch angle",
    "path": "pitch",
    "tread": "pitch",
}
SHIFT: dict[RepeatAlong, str] = {along: p.replace("pitch", "shift") for along, p in PITCH.items()}


def free_of(part: Part) -> tuple[str, ...]:
    """The names of all channels of a part that a hand moves as it moves a joint: its joint's,
    and a repeat's."""
    if part.repeat is None:
        return freed(part.joint)
    along = part.repeat.along
    return (*freed(part.joint), "count", PITCH[along], SHIFT[along])


def has_axis(kind: JointKind) -> bool:
    """Whether a joint of this kind works along or about one axis."""
    return any(name in ("move", "turn", "move across") for name in _FREED[kind])


def main_channel(joint: Joint) -> str:
    """The channel that a hand on the part moves first; "" when nothing is free.

    A screw and a wheel are turned, a cylinder is pushed.
    """
    free = freed(joint)
    wanted = f"turn {joint.axis}" if joint.kind in ("screw", "wheel") else ""
    if wanted in free:
        return wanted
    return free[0] if free else ""


def grounded(joint: Joint) -> tuple[str, ...]:
    """The names of the channels a joint does not leave free."""
    return tuple(name for name in CHANNELS if name not in freed(joint))


def key(owner: ThingId, channel: str = "") -> ChannelKey:
    """The key of a part's channel, or of a control."""
    return ChannelKey(f"{owner} {channel}" if channel else owner)


def split(channel_key: ChannelKey) -> tuple[ThingId, str]:
    """Owner id and channel name of a key; the name is "" for a control."""
    owner, _, channel = channel_key.partition(" ")
    return thing(owner), channel


def channel_kind(channel: str) -> Kind:
    """Whether a channel of a part's joint is a length, an angle or a number."""
    if channel.startswith("move"):
        return "length"
    return "angle" if channel.startswith("turn") else "number"


def channel_unit(channel: str) -> str:
    """The unit that a channel of a part's joint is shown in."""
    return USUAL_UNIT[channel_kind(channel)]
