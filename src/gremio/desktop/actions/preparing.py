"""Preparing parts: mounts on features, gears that run together, the rig on the ground.

Loaded when it is first asked for.
"""

from __future__ import annotations

import numpy as np

from gremio.core.arrays import Array
from gremio.core.edit.controls import all_home
from gremio.core.edit.links import add_link
from gremio.core.edit.parts import descendants, moved_by
from gremio.core.edit.prepare import (
    axis_turned,
    mount_along,
    mount_as,
    mount_at,
    to_ground,
    without_scale,
)
from gremio.core.frames import carried, unit_columns
from gremio.core.make.driving import drive_to
from gremio.core.make.gearing import gears_of
from gremio.core.make.mates import make_mate
from gremio.core.make.meshing import interlock_train
from gremio.core.make.pairs import propose
from gremio.core.make.rolling import rolling_of
from gremio.core.plan.carrying import carriers
from gremio.core.problem import GremioError
from gremio.core.quantity import show_short
from gremio.core.rig import ids
from gremio.core.rig.channels import key, main_channel
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Planetary, Rig
from gremio.core.solve.ask import solve
from gremio.core.solve.frames import Finder
from gremio.desktop.actions.rigging import selected_part
from gremio.desktop.bench.snapping import Spot
from gremio.desktop.document.document import Document
from gremio.desktop.document.mounted import as_mounted


def roll_wheel(document: Document, part: PartId) -> bool:
    """Let a part roll by the way it is carried, on the radius of its shape, over the ground. The
    link is selected then. Whether it does, and there is a part that it may roll on instead."""
    rig = document.rig
    try:
        link = rolling_of(rig, part, document.settled(), geometry=document.geometry)
    except GremioError as problem:
        document.said.emit(str(problem))
        return False
    name = rig.parts[part].name
    done = document.make(f"let {name} roll", lambda r: add_link(r, link))
    if done:
        about = "in every direction" if link.ball else f"about its {link.follower.split()[-1]}"
        radius = show_short(link.radius, "mm")
        document.said.emit(f"{name} rolls {about}, on a radius of {radius}, over the ground.")
    return done and bool(rolls_on(document.rig, part))


def rolls_on(rig: Rig, part: PartId) -> list[PartId]:
    """Ids of the parts with a shape that one could roll on: neither it, nor what carries it, nor
    what it carries."""
    mine = {part, *descendants(rig, part), *carriers(rig, part)}
    return [i for i, entry in rig.parts.items() if i not in mine and entry.shapes]


def planetary_set(document: Document, sun: str, ring: str, carrier: PartId) -> None:
    """Let three parts turn as a planetary set, or as a differential where they have no teeth."""
    rig, pose = document.rig, document.settled()
    channels = [
        key(ids.thing(part), main_channel(rig.parts[ids.part(part)].joint))
        for part in (sun, ring, carrier)
    ]
    teeth = [gears_of(rig, pose, ids.part(part)) for part in (sun, ring)]
    ratio = teeth[1][0].solid.teeth / teeth[0][0].solid.teeth if all(teeth) else 1.0
    made = Planetary(channels[0], channels[1], channels[2], ratio)
    names = [rig.parts[ids.part(part)].name for part in (sun, ring, carrier)]
    if document.make(f"planetary set of {names[0]}", lambda r: add_link(r, made)):
        document.said.emit(
            f"{names[0]} + {ratio:.4g} × {names[1]} = {1 + ratio:.4g} × {names[2]}: two freedoms."
        )


def make_gear_mate(
    document: Document, part: PartId, teeth: float, inside: bool, distance: float | None
) -> None:
    """Add a gear that runs with a part's gear, teeth in spaces, and lead it."""
    name = document.rig.parts[part].name

    def change(rig: Rig) -> tuple[Rig, ThingId]:
        rig, mate = make_mate(
            rig,
            part,
            round(teeth),
            inside=inside,
            distance=distance,
            geometry=document.geometry,
        )
        proposal = propose(
            rig, solve(all_home(rig), geometry=document.geometry), part, PartId(mate)
        )
        if proposal is not None and main_channel(rig.parts[moved_by(rig, part)].joint):
            rig, _ = add_link(rig, proposal.ratio())
        return rig, mate

    if document.make(f"make a mate of {name}", change):
        document.said.emit(f"The mate runs with {name}: its ratio is on its Card.")


def place_teeth(document: Document) -> None:
    """Place every gear that hangs together with the selected part so that teeth interlock."""
    part = selected_part(document)
    if part:
        name = document.rig.parts[part].name
        if document.edit(
            f"place the teeth round {name}",
            lambda rig: interlock_train(rig, part, geometry=document.geometry),
        ):
            document.said.emit(f"What hangs together with {name} is placed, tooth in space.")


def to_the_ground(document: Document, corners: Array) -> None:
    """Put the whole rig on the ground, its middle over the origin. corners: (N, 3) world."""
    if len(corners) == 0:
        document.said.emit("There is nothing to put on the ground yet.")
        return
    bounds = np.stack([corners.min(axis=0), corners.max(axis=0)])
    document.edit("put the rig on the ground", lambda rig: to_ground(rig, bounds))


def take_scale_out(document: Document) -> None:
    """Take stray scale out of every mount; nothing moves."""

    def change(rig: Rig) -> Rig:
        for part in rig.parts:
            rig = without_scale(rig, part)
        return rig

    before = document.rig
    if document.edit("take the scale out", change) and document.rig is before:
        document.said.emit("No mount is stretched, so there is no scale to take out.")


def put_mount(document: Document, part: PartId, spot: Spot) -> None:
    """Put a part's mount at a picked place, its shape staying where it is; at a circle, with
    its axis along the circle's."""
    entry = document.rig.parts[part]
    back = np.linalg.inv(document.pose.world(part))
    inside = carried(back, spot.world)
    axis = entry.joint.axis

    def change(rig: Rig) -> Rig:
        rig = mount_at(rig, part, inside)
        if spot.place.kind in ("circle centre", "axis") and spot.direction is not None:
            rig = mount_along(rig, part, axis, back[:3, :3] @ spot.direction)
        return rig

    if document.edit(f"move mount of {entry.name}", change):
        document.said.emit(f"The mount of {entry.name} is there now; its shape has not moved.")


def put_axis(document: Document, part: PartId, spot: Spot) -> None:
    """Lay a part's axis through a picked edge, circle, face or axis: place and direction together;
    its shape stays where it is."""
    entry = document.rig.parts[part]
    assert spot.direction is not None
    back = np.linalg.inv(document.pose.world(part))
    point, inside = carried(back, spot.world), back[:3, :3] @ spot.direction
    axis = entry.joint.axis

    def change(rig: Rig) -> Rig:
        return mount_along(mount_at(rig, part, point), part, axis, inside)

    if document.edit(f"axis of {entry.name}", change):
        document.said.emit(f"The axis of {entry.name} runs there now. Press A to try it.")


def turn_axis_round(document: Document, part: PartId) -> None:
    """Let a part turn, or slide, the other way."""
    name = document.rig.parts[part].name
    if document.edit(f"turn the axis of {name} round", lambda rig: axis_turned(rig, part)):
        document.said.emit(f"{name} goes the other way now; its stops and links count as before.")


def mount_in_box(document: Document, part: PartId, corners: Array, low: bool) -> None:
    """Put a part's mount in the middle of its shapes, or under it at the bottom.

    corners: (N, 3) of the box round its shapes, in its own frame.
    """
    if len(corners) == 0:
        document.said.emit(f"{document.rig.parts[part].name} has no shape to find the middle of.")
        return
    lowest, highest = corners.min(axis=0), corners.max(axis=0)
    point = (lowest + highest) / 2
    if low:
        point[2] = lowest[2]
    name = document.rig.parts[part].name
    document.edit(f"move mount of {name}", lambda rig: mount_at(rig, part, point))


def align_mount(document: Document, part: PartId, other: PartId) -> None:
    """Turn a part's mount square to the world ("" for other), or to another part."""
    rig, pose = document.rig, as_mounted(document)
    parent = rig.parts[part].parent
    above = np.eye(3) if parent is None else unit_columns(pose.world(parent))
    there = np.eye(3) if not other else unit_columns(pose.world(other))
    name = rig.parts[part].name
    document.edit(f"turn mount of {name}", lambda r: mount_as(r, part, np.asarray(above.T @ there)))


def drive(document: Document, body: PartId, place: Array) -> None:
    """Drive a carriage to a place (3,) in the world, as seen in the plane of its mount."""
    pose = document.settled()
    mount = Finder(pose.program, pose.poses.channels).mounts(
        np.array([pose.program.part_row[body]])
    )[0, 0]
    x, y, _ = np.linalg.inv(mount)[:3] @ np.append(place, 1.0)
    name = document.rig.parts[body].name
    document.edit(
        f"drive {name}",
        lambda rig: drive_to(rig, body, (float(x), float(y)), geometry=document.geometry),
    )
