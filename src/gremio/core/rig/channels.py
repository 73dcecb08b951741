"""Channels: the numbers that can change.

A channel's key is "p3 turn z" for a part's channel and "c1" for a control.
"""

from __future__ import annotations

from gremio.core.quantity import USUAL_UNIT, Kind
from gremio.core.rig.model import Axis, Joint, JointKind, Link, Part, Ratio, Rig

MOVES = ("move x", "move y", "move z")
TURNS = ("turn x", "turn y", "turn z")
SCALES = ("scale x", "scale y", "scale z")
CHANNELS = MOVES + TURNS + SCALES

_FREED: dict[JointKind, tuple[str, ...]] = {
    "fixed": (),
    "hinge": ("turn",),
    "spin": ("turn",),
    "slide": ("move",),
    "free": MOVES + TURNS,
}
JOINT_KINDS: tuple[JointKind, ...] = tuple(_FREED)
AXES: tuple[Axis, ...] = ("x", "y", "z")


def freed(joint: Joint) -> tuple[str, ...]:
    """The names of the channels a joint leaves free."""
    return tuple(name if " " in name else f"{name} {joint.axis}" for name in _FREED[joint.kind])


def has_axis(kind: JointKind) -> bool:
    """Whether a joint of this kind works along one axis."""
    return any(" " not in name for name in _FREED[kind])


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
    """Whether a part's channel is a length, an angle or a bare number."""
    if channel.startswith("move"):
        return "length"
    return "angle" if channel.startswith("turn") else "number"


def channel_unit(channel: str) -> str:
    """The unit that a part's channel is shown in."""
    return USUAL_UNIT[channel_kind(channel)]


def kind_of(rig: Rig, channel_key: str) -> Kind:
    """What kind of quantity the channel of a key holds."""
    owner, channel = split(channel_key)
    return channel_kind(channel) if channel else rig.controls[owner].kind


def exists(rig: Rig, channel_key: str) -> bool:
    """Whether the key names a control, or a channel its part's joint leaves free."""
    owner, channel = split(channel_key)
    if not channel:
        return owner in rig.controls
    return owner in rig.parts and channel in freed(rig.parts[owner].joint)


def home_value(rig: Rig, channel_key: str) -> float:
    """The value of a channel at home (SI)."""
    owner, channel = split(channel_key)
    if not channel:
        return rig.controls[owner].home
    return 1.0 if channel in SCALES else 0.0


def owner_name(rig: Rig, owner: str) -> str:
    """The name of a part or control; the id itself when there is none."""
    thing = rig.parts.get(owner) or rig.controls.get(owner)
    return thing.name if thing else owner


def label(rig: Rig, channel_key: str) -> str:
    """A channel as people call it: the part's name, with the channel where it has several."""
    owner, channel = split(channel_key)
    part: Part | None = rig.parts.get(owner)
    if part and channel and len(freed(part.joint)) != 1:
        return f"{part.name} {channel}"
    return owner_name(rig, owner)


def full_label(rig: Rig, channel_key: str) -> str:
    """A channel with its name always spelled out: "Upper gate, east turn z"."""
    owner, channel = split(channel_key)
    return f"{owner_name(rig, owner)} {channel}".rstrip()


def followers(link: Link) -> tuple[str, ...]:
    """The keys of the channels that a link leads."""
    if isinstance(link, Ratio):
        return (link.follower,)
    return tuple(follower.channel for follower in link.followers)


def link_label(rig: Rig, link: Link) -> str:
    """A link as people call it: "the ratio from Paddle windlass to Windlass"."""
    names = ", ".join(label(rig, channel) for channel in followers(link))
    kind = "ratio" if isinstance(link, Ratio) else "cam"
    return f"the {kind} from {label(rig, link.lead)} to {names}"
