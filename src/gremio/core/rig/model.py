"""What the user made: frozen, typed data. Nothing here is computed.

Everything refers by id ("p3", "c1", "k2", "s1"); names are for people and are unique in
a rig. The mappings are never changed in place: an edit makes a new rig that shares what
it did not touch.
"""

from __future__ import annotations

from typing import Literal

import msgspec

from gremio.core.frames import IDENTITY, Frame, Triple
from gremio.core.quantity import Kind
from gremio.core.rig.solids import AnySolid

Axis = Literal["x", "y", "z"]
JointKind = Literal["fixed", "hinge", "spin", "slide", "free"]
ProfileKind = Literal["smooth", "straight"]
Up = Literal["y", "z"]

PAINT = "#B9C4BE"


class Joint(msgspec.Struct, frozen=True, omit_defaults=True):
    """What a part may do at its mount; `axis` is one of the mount's axes."""

    kind: JointKind = "fixed"
    axis: Axis = "z"


class Stops(msgspec.Struct, frozen=True, omit_defaults=True):
    """The low and the high stop of a channel (m or rad); None where it runs free."""

    low: float | None = None
    high: float | None = None


class Shape(msgspec.Struct, frozen=True, omit_defaults=True):
    """A solid on a part: where it stands in the part's frame, and its paint "#rrggbb"."""

    solid: AnySolid
    place: Frame = IDENTITY
    paint: str = PAINT


class Part(msgspec.Struct, frozen=True, omit_defaults=True):
    """One rigid body.

    parent: id of the part it is mounted on, None when it stands on the ground.
    mount: its rest frame in the parent's frame.
    stops: by channel name ("turn z").
    """

    name: str
    parent: str | None = None
    mount: Frame = IDENTITY
    joint: Joint = Joint()
    stops: dict[str, Stops] = {}
    shapes: tuple[Shape, ...] = ()


class Control(msgspec.Struct, frozen=True, omit_defaults=True):
    """What the animator touches. low, high and home in SI; shown in `unit`."""

    name: str
    kind: Kind
    unit: str
    low: float
    high: float
    home: float = 0.0
    notches: tuple[float, ...] = ()
    group: str = ""


class Ratio(msgspec.Struct, frozen=True, omit_defaults=True, tag_field="link", tag="ratio"):
    """follower = ratio · lead + offset, all in SI."""

    lead: str
    follower: str
    ratio: float
    offset: float = 0.0


class Follower(msgspec.Struct, frozen=True, omit_defaults=True):
    """One channel that a cam leads, and the profile between its stations."""

    channel: str
    profile: ProfileKind = "smooth"


class Station(msgspec.Struct, frozen=True):
    """A recorded position of a cam: the lead's value and the followers' values (SI)."""

    lead: float
    values: dict[str, float]


class Cam(msgspec.Struct, frozen=True, omit_defaults=True, tag_field="link", tag="cam"):
    """Maps one lead to followers through stations, kept in the order of the lead."""

    lead: str
    followers: tuple[Follower, ...]
    stations: tuple[Station, ...]


Link = Ratio | Cam


class Source(msgspec.Struct, frozen=True, omit_defaults=True):
    """A model file that Gremio did not make.

    path: absolute while the rig is open, relative to the rig's file when saved.
    metres: the length of the file's unit. up: which of the file's axes is up.
    """

    path: str
    sha256: str
    metres: float = 1.0
    up: Up = "y"


class Rig(msgspec.Struct, frozen=True, omit_defaults=True):
    """The document.

    at: where each channel that nothing leads stands now (SI), by channel key; a channel
    that is absent is at home. made: how many ids have been given out, so that none is
    given twice.
    """

    name: str = "Untitled"
    parts: dict[str, Part] = {}
    controls: dict[str, Control] = {}
    links: dict[str, Link] = {}
    sources: dict[str, Source] = {}
    at: dict[str, float] = {}
    made: int = 0


__all__ = [
    "PAINT",
    "Axis",
    "Cam",
    "Control",
    "Follower",
    "Frame",
    "Joint",
    "JointKind",
    "Link",
    "Part",
    "ProfileKind",
    "Ratio",
    "Rig",
    "Shape",
    "Source",
    "Station",
    "Stops",
    "Triple",
    "Up",
]
