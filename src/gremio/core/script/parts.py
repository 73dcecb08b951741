"""Parts, controls and links from a script: a rig goes in, a rig comes out."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import numpy as np

from gremio.core.edit import mounts, prepare
from gremio.core.edit import parts as edit
from gremio.core.edit.builder import Builder, Typed, joint_of, placed, typed_in
from gremio.core.edit.desk import set_locked
from gremio.core.edit.links import let_go
from gremio.core.edit.measures import add_measure
from gremio.core.frames import carried, frame_of, matrix
from gremio.core.problem import GremioError
from gremio.core.quantity import Kind
from gremio.core.rig.channels import split
from gremio.core.rig.find import channel_key, part_id
from gremio.core.rig.ids import PartId
from gremio.core.rig.links import followers
from gremio.core.rig.model import (
    Anchor,
    ControlMake,
    Measure,
    ProfileKind,
    RatioKind,
    Repeat,
    Rig,
    Shape,
    StandIn,
    Stops,
    Triple,
)
from gremio.core.rig.numbers import kind_of
from gremio.core.rig.solids import AnySolid
from gremio.core.script.posing import solve, surfaces_of


def _building(rig: Rig) -> Builder:
    build = Builder(rig.name)
    build.rig = rig
    return build


def part(
    rig: Rig,
    name: str,
    *shapes: Shape | AnySolid,
    on: str | None = None,
    at: Sequence[Typed] = (0.0, 0.0, 0.0),
    turned: Sequence[Typed] = (0.0, 0.0, 0.0),
    joint: str = "fixed",
    stops: tuple[Typed | None, Typed | None] | None = None,
    repeat: Repeat | None = None,
    stand_in: StandIn = "box",
) -> Rig:
    """The rig with one more part: part(rig, "Door", Box(1, 0.05, 2), on="Frame", joint="hinge z").
    As `Builder.part`."""
    build = _building(rig)
    build.part(
        name, *shapes, on=on, at=at, turned=turned, joint=joint, stops=stops, repeat=repeat,
        stand_in=stand_in,
    )  # fmt: skip
    return build.rig


def control(
    rig: Rig,
    name: str,
    low: Typed,
    high: Typed,
    *,
    kind: Kind | None = None,
    unit: str | None = None,
    home: Typed = 0.0,
    notches: Iterable[Typed] = (),
    group: str = "",
    make: ControlMake = "slider",
    positions: Iterable[str] = (),
    springs: bool = False,
    scale: tuple[float, float] | None = None,
    scale_unit: str = "",
    open: bool = False,
) -> Rig:
    """The rig with one more control: control(rig, "Open", "0 deg", "90 deg"). As
    `Builder.control`."""
    build = _building(rig)
    build.control(
        name, low, high, kind=kind, unit=unit, home=home, notches=notches, group=group, make=make,
        positions=positions, springs=springs, scale=scale, scale_unit=scale_unit, open=open,
    )  # fmt: skip
    return build.rig


def ratio(
    rig: Rig,
    lead: str,
    follower: str,
    ratio: float,
    offset: Typed = 0.0,
    kind: RatioKind = "plain",
    *,
    adds: bool = False,
) -> Rig:
    """The rig in which one channel leads another in fixed proportion:
    ratio(rig, "Open", "Door", 2). As `Builder.ratio`."""
    build = _building(rig)
    build.ratio(lead, follower, ratio, offset, kind, adds=adds)
    return build.rig


def cam(
    rig: Rig,
    lead: str,
    stations: Mapping[Typed, Mapping[str, Typed]],
    profile: ProfileKind = "smooth",
) -> Rig:
    """The rig in which one channel leads others through stations:
    cam(rig, "Open", {0: {"Bolt": 0}, 1: {"Bolt": "40 mm"}}). As `Builder.cam`."""
    build = _building(rig)
    build.cam(lead, stations, profile)
    return build.rig


def unlink(rig: Rig, channel: str) -> Rig:
    """The rig in which nothing leads a channel (by name) by a link any more; of a cam, its other
    followers stay. It stands where it is put, or at home. Raises NotFound, GremioError."""
    found = channel_key(rig, channel)
    leading = [i for i, link in rig.links.items() if found in followers(link)]
    if not leading:
        raise GremioError(f"No link leads {channel}, so there is none to take away.")
    for link_id in leading:
        rig = let_go(rig, link_id, found)
    return rig


def set_joint(rig: Rig, part: str, joint: str) -> Rig:
    """The rig in which a part may do something else: set_joint(rig, "Door", "hinge z"). It stays
    where it stands; stops and links go along to the new axis. Raises NotFound, GremioError."""
    found = part_id(rig, part)
    values = solve(rig).part_of(found).channels
    return edit.set_joint(rig, found, joint_of(joint, part), values)


def set_stops(
    rig: Rig, channel: str, low: Typed | None, high: Typed | None, *, soft: Typed = 0.0
) -> Rig:
    """The rig with other stops of a channel: set_stops(rig, "Door turn z", 0, "110 deg").

    low, high: typed, or in SI; None runs free. soft: from how far before a stop it slows down.
    Raises NotFound, GremioError.
    """
    key = channel_key(rig, channel)
    owner, name = split(key)
    if owner not in rig.parts:
        raise GremioError(f"{channel} is no channel of a part, so it has no stops.")
    kind = kind_of(rig, key)
    ends = [None if end is None else typed_in(end, kind, f"A stop of {channel}")
            for end in (low, high)]  # fmt: skip
    stops = Stops(ends[0], ends[1], typed_in(soft, kind, f"How soft {channel} stops"))
    return edit.set_stops(rig, PartId(owner), name, stops)


def place(
    rig: Rig, part: str, at: Sequence[Typed] | None = None, turned: Sequence[Typed] | None = None
) -> Rig:
    """The rig with a part, and all it carries, mounted elsewhere in what carries it:
    place(rig, "Post", at=("2 m", 0, 0)). What is None stays. Raises NotFound, GremioError."""
    found = part_id(rig, part)
    mount = rig.parts[found].mount
    wanted = placed(at or (0, 0, 0), turned or (0, 0, 0))
    mount = type(mount)(
        mount.at if at is None else wanted.at, mount.turn if turned is None else wanted.turn,
        mount.scale,
    )  # fmt: skip
    return mounts.place_part(rig, found, mount)


def move_joint(
    rig: Rig,
    part: str,
    at: Sequence[float] | None = None,
    *,
    along: Sequence[float] | None = None,
) -> Rig:
    """The rig with the joint of a part elsewhere, the part staying where it is:
    move_joint(rig, "Lid", at=(0, 0.3, 0), along=(1, 0, 0)).

    at: a point in the part's own frame (m). along: the way of the joint's axis there. Raises
    NotFound, GremioError.
    """
    found = part_id(rig, part)
    if along is not None:
        rig = prepare.mount_along(rig, found, rig.parts[found].joint.axis, along)
    return rig if at is None else prepare.mount_at(rig, found, at)


def turn_round(rig: Rig, part: str) -> Rig:
    """The rig in which the same value brings a part the other way. Raises NotFound, GremioError for
    a joint without an axis."""
    return prepare.axis_turned(rig, part_id(rig, part))


def mount_on(rig: Rig, part: str, on: str = "") -> Rig:
    """The rig with a part mounted on another one by name, or on the ground (on=""); it stays where
    it is. Raises NotFound, GremioError for one that it carries."""
    found, carrier = part_id(rig, part), part_id(rig, on) if on else None
    pose, entry = solve(rig), rig.parts[part_id(rig, part)]
    world = pose.frame_of(entry.parent) @ matrix(entry.mount)
    mount = frame_of(np.linalg.inv(pose.frame_of(carrier)) @ world)
    return edit.set_parent(rig, found, carrier, mount)


def set_home(rig: Rig, part: str) -> Rig:
    """The rig in which a part is at home where it stands now: nothing moves, its channels read
    zero; stops and links count from there. Raises NotFound, GremioError."""
    found = part_id(rig, part)
    pose = solve(rig)
    local = np.linalg.inv(pose.frame_of(rig.parts[found].parent)) @ pose.world(found)
    return mounts.set_home_here(rig, found, local, pose.part_of(found).channels)


def put_on_ground(rig: Rig) -> Rig:
    """The rig with its lowest point on the ground, and its middle over the origin."""
    pose, surface = solve(rig), surfaces_of(rig)
    corners = [
        carried(pose.world(found) @ matrix(shape.place), surface(shape.solid).vertices)
        for found, entry in rig.parts.items() for shape in entry.shapes
    ]  # fmt: skip
    if not corners:
        return rig
    every = np.concatenate(corners)
    return prepare.to_ground(rig, np.stack([every.min(axis=0), every.max(axis=0)]))


def take_scale_out(rig: Rig, part: str) -> Rig:
    """The rig with the stray scale of a part's mount taken into its shapes; nothing seen moves.
    Raises NotFound, GremioError where that can't be."""
    return prepare.without_scale(rig, part_id(rig, part))


def measure(rig: Rig, name: str, one: tuple[str, Triple], two: tuple[str, Triple]) -> Rig:
    """The rig with a distance that is kept: measure(rig, "Reach", ("Mast", (0, 0, 0)),
    ("Hook", (0, 0, 0))). Each end is a part by name, and a point in its frame (m); formulas know it
    by its name. Raises NotFound, GremioError for a name that is taken."""
    ends = tuple(Anchor(part_id(rig, part), at) for part, at in (one, two))
    return add_measure(rig, Measure(name, "distance", ends))[0]


def lock(rig: Rig, *, locked: bool = True) -> Rig:
    """The rig locked for the animator, so that only controls move anything; or not any more:
    lock(rig, locked=False)."""
    return set_locked(rig, locked)
