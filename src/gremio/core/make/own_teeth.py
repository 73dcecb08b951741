"""Racks and sprockets that were brought in: recognized, proposed, and placed tooth in space."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array, crossed
from gremio.core.edit.change import must_have
from gremio.core.edit.controls import all_home
from gremio.core.edit.mounts import place_part
from gremio.core.frames import frame_of, matrix
from gremio.core.make.cogs import Standing, about, cogs_of, interlock_cogs, standing_meshes
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Rig
from gremio.core.shape.geometry import GeometryOf
from gremio.core.shape.racks import StraightTeeth, straight_teeth_on
from gremio.core.solve.ask import solve
from gremio.core.solve.pose import Pose

# How far off the pitch line a cog's pitch circle may stand, and how unlike its teeth may be, in
# depths of a tooth; how far from a right angle its axis may be (sine); beyond how much of their
# distance side by side two cogs are taken to be joined by a chain.
_OFF, _UNLIKE, _SQUARE, _APART = 0.6, 0.2, 0.02, 1.35


class Row(NamedTuple):
    """Teeth in a row where they stand, in the world. part: id of what carries them."""

    part: PartId
    teeth: StraightTeeth
    first: Array
    along: Array
    up: Array


class RackPair(NamedTuple):
    """A cog and a row of teeth that run together. radius: of the pitch circle on which the cog has
    the row's pitch (m). contact: (3,) where they meet."""

    cog: Standing
    row: Row
    radius: float
    contact: Array


def rows_of(rig: Rig, pose: Pose, part: PartId, geometry: GeometryOf) -> list[Row]:
    """The rows of teeth among the models of a part, and of what is fixed on it, in a pose."""
    found = []
    for surface, frame, size in standing_meshes(rig, pose, part, geometry):
        teeth = straight_teeth_on(surface)
        if teeth is None:
            continue
        turn = frame[:3, :3]
        scaled = teeth._replace(
            pitch=teeth.pitch * size, depth=teeth.depth * size, low=teeth.low * size,
            high=teeth.high * size,
        )  # fmt: skip
        at = frame[:3, 3] + turn @ teeth.first
        found.append(Row(part, scaled, at, turn @ teeth.along / size, turn @ teeth.up / size))
    return found


def rack_pair(
    rig: Rig, pose: Pose, one: PartId, two: PartId, geometry: GeometryOf
) -> RackPair | None:
    """The cog of one of two parts and the row of teeth of the other that run together; None where
    none do."""
    for wheel, bar in ((one, two), (two, one)):
        for row in rows_of(rig, pose, bar, geometry):
            for cog in cogs_of(rig, pose, wheel, geometry):
                found = _pair(cog, row)
                if found is not None:
                    return found
    return None


def _pair(cog: Standing, row: Row) -> RackPair | None:
    teeth = row.teeth
    radius = cog.cog.teeth * teeth.pitch / (2 * math.pi)
    if cog.cog.inside or abs(cog.cog.tip - teeth.module - radius) > _OFF * teeth.depth:
        return None
    if abs(cog.cog.module - teeth.module) > _UNLIKE * teeth.module:
        return None
    if max(abs(float(cog.axis @ row.along)), abs(float(cog.axis @ row.up))) > _SQUARE:
        return None
    apart = cog.centre - row.first
    # The pitch line is a module below the tips.
    if abs(float(apart @ row.up) + teeth.module - radius) > _OFF * teeth.depth:
        return None
    along = float(apart @ row.along)
    if not -teeth.pitch < along < teeth.end + teeth.pitch:
        return None
    side = crossed(row.along, row.up)
    across = float(apart @ side)
    same = 1.0 if float(cog.axis @ side) > 0 else -1.0
    ends = sorted((across + same * cog.cog.low, across + same * cog.cog.high))
    if ends[0] >= teeth.high or ends[1] <= teeth.low:
        return None
    return RackPair(cog, row, radius, cog.centre - row.up * radius)


def chain_pair(
    rig: Rig, pose: Pose, one: PartId, two: PartId, geometry: GeometryOf
) -> tuple[Standing, Standing] | None:
    """Two cogs of two parts that a chain could join: of one pitch, in one plane, apart; None where
    there are none."""
    for a in cogs_of(rig, pose, one, geometry):
        for b in cogs_of(rig, pose, two, geometry):
            alike = abs(a.cog.module - b.cog.module) <= _UNLIKE * min(a.cog.module, b.cog.module)
            if a.cog.inside or b.cog.inside or not alike:
                continue
            if abs(float(a.axis @ b.axis)) < 0.999:
                continue
            apart = b.centre - a.centre
            along = float(apart @ a.axis)
            distance = float(np.linalg.norm(apart - a.axis * along))
            right = (a.cog.tip + b.cog.tip) - a.cog.module - b.cog.module
            same = 1.0 if float(a.axis @ b.axis) > 0 else -1.0
            ends = sorted((along + same * b.cog.low, along + same * b.cog.high))
            level = ends[0] < a.cog.high and a.cog.low < ends[1]
            if level and distance > _APART * right:
                return a, b
    return None


def interlock_own(rig: Rig, one: PartId, two: PartId, *, geometry: GeometryOf) -> Rig:
    """Turn a cog, or slide a rack, at home, so that its teeth stand in the spaces of the first: as
    `interlock_cogs` does, of a rack and a cog too. Raises GremioError where they are no pair."""
    for part_id in (one, two):
        must_have(rig.parts, part_id, "part")
    home = solve(all_home(rig), geometry=geometry)
    pair = rack_pair(rig, home, one, two, geometry)
    if pair is None:
        return interlock_cogs(rig, one, two, geometry=geometry)
    cog, row = pair.cog, pair.row
    down = -row.up
    # Which way, and how far along the row, the nearest tooth of the cog stands from the contact.
    onward = float(crossed(cog.axis, down) @ row.along)
    turn = math.atan2(float(cog.axis @ crossed(down, cog.zero)), float(down @ cog.zero))
    tooth = float((pair.contact - row.first) @ row.along) + pair.radius * turn * onward
    pitch = row.teeth.pitch
    off = (tooth + pitch / 2) % pitch
    off = off - pitch if off > pitch / 2 else off
    move = np.eye(4)
    if row.part == two:
        move[:3, 3] = off * row.along
    else:
        move = about(cog.centre, cog.axis, -off * onward / pair.radius)
    part = rig.parts[two]
    above = home.frame_of(part.parent)
    mount = np.linalg.inv(above) @ move @ above @ matrix(part.mount)
    return place_part(rig, two, frame_of(mount))
