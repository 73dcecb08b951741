"""Channels: the numbers that can change.

A channel's key is "p3 turn z" for a part's channel, "c1" for a control, and "x4 influence"
for a number of a constraint.
"""

from __future__ import annotations

import functools
import re

from gremio.core.quantity import USUAL_UNIT, Kind
from gremio.core.rig.constraints import numbers
from gremio.core.rig.model import (
    Axis,
    Cam,
    Driving,
    Formula,
    Joint,
    JointKind,
    Link,
    Part,
    Planetary,
    Ratio,
    RepeatAlong,
    Rig,
    Rolling,
)

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


def free_of(part: Part) -> tuple[str, ...]:
    """The names of all channels of a part that can change: its joint's, and a repeat's."""
    if part.repeat is None:
        return freed(part.joint)
    return (*freed(part.joint), "count", _PITCH[part.repeat.along])


_PITCH: dict[RepeatAlong, str] = {"line": "pitch", "circle": "pitch angle", "path": "pitch"}


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


def key(owner: str, channel: str = "") -> str:
    """The key of a part's channel, or of a control."""
    return f"{owner} {channel}" if channel else owner


def split(channel_key: str) -> tuple[str, str]:
    """Owner id and channel name of a key; the name is "" for a control."""
    owner, _, channel = channel_key.partition(" ")
    return owner, channel


def channel_kind(channel: str) -> Kind:
    """Whether a channel of a part, or of a constraint, is a length, an angle or a number."""
    if channel.startswith("move") or channel in ("pitch", "way", "distance", "stand-off"):
        return "length"
    is_angle = channel.startswith("turn") or channel in ("pitch angle", "roll")
    return "angle" if is_angle else "number"


def channel_unit(channel: str) -> str:
    """The unit that a part's channel is shown in."""
    return USUAL_UNIT[channel_kind(channel)]


def shown_unit(rig: Rig, channel_key: str) -> str:
    """The unit that the channel of a key is shown in."""
    owner, channel = split(channel_key)
    return channel_unit(channel) if channel else rig.controls[owner].unit


def kind_of(rig: Rig, channel_key: str) -> Kind:
    """What kind of quantity the channel of a key holds."""
    owner, channel = split(channel_key)
    return channel_kind(channel) if channel else rig.controls[owner].kind


def exists(rig: Rig, channel_key: str) -> bool:
    """Whether the key names a control, or a channel its part's joint leaves free."""
    owner, channel = split(channel_key)
    if not channel:
        return owner in rig.controls
    if owner in rig.constraints:
        return channel in numbers(rig.constraints[owner])
    return owner in rig.parts and channel in free_of(rig.parts[owner])


def channels_of(rig: Rig, owner: str) -> list[str]:
    """Keys of the channels of a part, a control or a constraint; none of anything else."""
    if owner in rig.controls:
        return [owner]
    if owner in rig.parts:
        return [key(owner, channel) for channel in free_of(rig.parts[owner])]
    if owner in rig.constraints:
        return [key(owner, number) for number in numbers(rig.constraints[owner])]
    return []


def home_value(rig: Rig, channel_key: str) -> float:
    """The value of a channel at home (SI)."""
    owner, channel = split(channel_key)
    if not channel:
        return rig.controls[owner].home
    if owner in rig.constraints:
        return numbers(rig.constraints[owner])[channel].home
    repeat = rig.parts[owner].repeat
    if repeat is not None and channel in ("count", "pitch", "pitch angle"):
        return float(repeat.count) if channel == "count" else repeat.pitch
    return 1.0 if channel in SCALES else 0.0


def owner_name(rig: Rig, owner: str) -> str:
    """The name of a part, control or constraint; the id itself when there is none."""
    thing = rig.parts.get(owner) or rig.controls.get(owner) or rig.constraints.get(owner)
    return thing.name if thing else owner


def label(rig: Rig, channel_key: str) -> str:
    """A channel as people call it: the part's name, with the channel where it has several."""
    owner, channel = split(channel_key)
    part: Part | None = rig.parts.get(owner)
    if part and channel and len(freed(part.joint)) != 1:
        return f"{part.name} {channel}"
    if owner in rig.constraints:
        return full_label(rig, channel_key)
    return owner_name(rig, owner)


def full_label(rig: Rig, channel_key: str) -> str:
    """A channel with its name always spelled out: "Upper gate, east turn z"."""
    owner, channel = split(channel_key)
    return f"{owner_name(rig, owner)} {channel}".rstrip()


# What a carriage that goes along its heading has from it.
DRIVEN = ("move x", "move y", "turn z")
_REFERENCE = re.compile(r"\{([^{}]*)\}")


@functools.lru_cache(maxsize=65536)
def references(text: str) -> tuple[str, ...]:
    """What a formula's text refers to, in braces, each once, in order."""
    return tuple(dict.fromkeys(_REFERENCE.findall(text)))


def followers(link: Link) -> tuple[str, ...]:
    """The keys of the channels that a link leads."""
    if isinstance(link, Cam):
        return tuple(follower.channel for follower in link.followers)
    if isinstance(link, Driving):
        return tuple(key(link.body, channel) for channel in DRIVEN)
    return (link.carrier if isinstance(link, Planetary) else link.follower,)


def leads(link: Link) -> tuple[str, ...]:
    """The keys of the channels that lead in a link; of a formula, all it refers to."""
    match link:
        case Ratio():
            return (link.lead, link.carrier) if link.carrier else (link.lead,)
        case Planetary():
            return (link.sun, link.ring)
        case Cam():
            return (link.lead,)
        case Formula():
            return references(link.text)
        case Rolling():
            return ()
        case Driving():
            return (link.travel, link.steering) if link.steering else (link.travel,)


def members(link: Link) -> tuple[str, ...]:
    """All that a link refers to."""
    return (*leads(link), *followers(link))


def adds(link: Link) -> bool:
    """Whether a link adds to what its follower has otherwise, and does not set it."""
    if isinstance(link, Rolling | Driving):
        return True
    return not isinstance(link, Planetary) and link.adds


def link_word(link: Link) -> str:
    """The word for a link of this kind: "ratio", "cam", "gear pair"."""
    if isinstance(link, Ratio):
        return "ratio" if link.kind == "plain" else link.kind
    return str(link.__struct_config__.tag)


def link_symbol(link: Link) -> str:
    """The name of the symbol of a link."""
    if isinstance(link, Ratio):
        return "rack" if link.kind == "rack and pinion" else "ratio"
    return link_word(link)


def link_label(rig: Rig, link: Link) -> str:
    """A link as people call it: "the ratio from Paddle windlass to Windlass"."""
    led = followers(link)
    names = ", ".join(label(rig, channel) for channel in led[:3])
    names += f" and {len(led) - 3} more" if len(led) > 3 else ""
    if isinstance(link, Driving):
        return f"the driving of {owner_name(rig, link.body)} from {label(rig, link.travel)}"
    if isinstance(link, Formula | Rolling):
        return f"the {link_word(link)} for {names}"
    from_names = " and ".join(label(rig, channel) for channel in leads(link)[:2])
    return f"the {link_word(link)} from {from_names} to {names}"
