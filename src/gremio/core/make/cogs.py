"""Cogs that were brought in: recognized as a pair, and placed tooth in space."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array, crossed
from gremio.core.edit.change import must_have
from gremio.core.edit.controls import all_home
from gremio.core.edit.mounts import place_part
from gremio.core.edit.parts import rigid_family
from gremio.core.frames import frame_of, matrix
from gremio.core.problem import GremioError
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Rig
from gremio.core.rig.solids import Mesh
from gremio.core.shape.cogs import Cog, cogs_on
from gremio.core.shape.geometry import Geometry, GeometryOf
from gremio.core.solve.ask import solve
from gremio.core.solve.pose import Pose

# How unlike the pitches of two cogs that run together may be, and how far apart, or into one
# another, their outlines may stand, in depths of a tooth.
_UNLIKE, _FAR, _INTO = 0.2, 0.6, 0.6


class Standing(NamedTuple):
    """A cog where it stands: in the world. part: id of what carries it."""

    part: PartId
    cog: Cog
    centre: Array
    axis: Array
    zero: Array


class CogPair(NamedTuple):
    """Two cogs that run together. inside: one of them has its teeth inside. contact: (3,) where
    they meet."""

    one: Standing
    two: Standing
    inside: bool
    contact: Array


def cogs_of(rig: Rig, pose: Pose, part: PartId, geometry: GeometryOf) -> list[Standing]:
    """The cogs among the models of a part, and of what is fixed on it, as they stand in a pose."""
    found = []
    for surface, frame, size in standing_meshes(rig, pose, part, geometry):
        turn = frame[:3, :3]
        for cog in cogs_on(surface):
            scaled = cog._replace(
                tip=cog.tip * size, root=cog.root * size, low=cog.low * size, high=cog.high * size
            )
            at = frame[:3, 3] + turn @ cog.centre
            found.append(Standing(part, scaled, at, turn @ cog.axis / size, turn @ cog.zero / size))
    return found


def standing_meshes(
    rig: Rig, pose: Pose, part: PartId, geometry: GeometryOf
) -> Iterator[tuple[Geometry, Array, float]]:
    """The models of a part, and of what is fixed on it, that can be had and are scaled alike every
    way: each with its frame (4, 4) in the world and its scale."""
    must_have(rig.parts, part, "part")
    for member in rigid_family(rig, part):
        for shape in rig.parts[member].shapes:
            if not isinstance(shape.solid, Mesh):
                continue
            try:
                surface = geometry(shape.solid)
            except GremioError:
                continue
            frame = pose.world(member) @ matrix(shape.place)
            turn = frame[:3, :3]
            size = float(np.cbrt(abs(np.linalg.det(turn))))
            if np.allclose(turn @ turn.T, np.eye(3) * size**2, rtol=1e-6, atol=1e-9 * size**2):
                yield surface, frame, size


def pair_of_cogs(
    rig: Rig, pose: Pose, one: PartId, two: PartId, geometry: GeometryOf
) -> CogPair | None:
    """The two cogs of two parts that run together, by their distance and their pitch; None where
    none do."""
    pairs = [
        pair
        for a in cogs_of(rig, pose, one, geometry)
        for b in cogs_of(rig, pose, two, geometry)
        if (pair := _pair(a, b)) is not None
    ]
    return pairs[0] if pairs else None


def _pair(one: Standing, two: Standing) -> CogPair | None:
    a, b = one.cog, two.cog
    if (a.inside and b.inside) or abs(float(one.axis @ two.axis)) < 0.999:
        return None
    if abs(a.module - b.module) > _UNLIKE * min(a.module, b.module):
        return None
    apart = two.centre - one.centre
    along = float(apart @ one.axis)
    apart = apart - one.axis * along
    distance = float(np.linalg.norm(apart))
    if distance < 1e-9 or not _side_by_side(one, two, along):
        return None
    inside = a.inside or b.inside
    depth = abs(a.tip - a.root)
    # Outside the outlines reach into one another by about a tooth's depth; inside likewise.
    if inside:
        ring, pinion = (a, b) if a.inside else (b, a)
        gap = ring.root - (distance + pinion.tip)
        if not -_INTO * depth < gap < _FAR * depth:
            return None
    else:
        gap = distance - (a.tip + b.root)
        if not -_INTO * depth < gap < _FAR * depth:
            return None
    way = apart / distance
    if inside and a.inside:
        share = a.teeth / (a.teeth - b.teeth)
    elif inside:
        share, way = a.teeth / (b.teeth - a.teeth), -way
    else:
        share = a.teeth / (a.teeth + b.teeth)
    return CogPair(one, two, inside, one.centre + way * distance * share)


def _side_by_side(one: Standing, two: Standing, along: float) -> bool:
    """Whether the two stand at one height along their axis, somewhere."""
    same = 1.0 if float(one.axis @ two.axis) > 0 else -1.0
    ends = sorted((along + same * two.cog.low, along + same * two.cog.high))
    return ends[0] < one.cog.high and one.cog.low < ends[1]


def interlock_cogs(rig: Rig, one: PartId, two: PartId, *, geometry: GeometryOf) -> Rig:
    """Turn the second of two cogs at home, about its own axis, so that its teeth stand in the
    spaces of the first. Raises GremioError where they are no pair.

    Along the line of centres a tooth of one meets a space of the other: with the phases of both
    outlines there, their sum (inside: their difference) is half a tooth.
    """
    for part_id in (one, two):
        must_have(rig.parts, part_id, "part")
    home = solve(all_home(rig), geometry=geometry)
    pair = pair_of_cogs(rig, home, one, two, geometry)
    if pair is None:
        names = rig.parts[one].name, rig.parts[two].name
        raise GremioError(
            f"{names[0]} and {names[1]} are no pair of cogs as they stand: too far apart, or their "
            "teeth are not alike."
        )
    a, b = pair.one, pair.two
    axis = a.axis
    toward = pair.contact - a.centre
    phase = a.cog.teeth * _turn(axis, a.zero, toward)
    other = b.cog.teeth * _turn(axis, b.zero, pair.contact - b.centre)
    off = phase - other - math.pi if pair.inside else phase + other - math.pi
    off = (off + math.pi) % (2 * math.pi) - math.pi
    turn = -off / b.cog.teeth if pair.inside else off / b.cog.teeth
    move = about(b.centre, axis, turn)
    part = rig.parts[two]
    above = home.frame_of(part.parent)
    mount = np.linalg.inv(above) @ move @ above @ matrix(part.mount)
    return place_part(rig, two, frame_of(mount))


def _turn(axis: Array, start: Array, end: Array) -> float:
    """The angle about an axis from one way to another (rad)."""
    return math.atan2(float(axis @ crossed(start, end)), float(start @ end))


def about(centre: Array, axis: Array, angle: float) -> Array:
    """(4, 4) a turn about a line (Rodrigues' formula)."""
    x, y, z = axis
    skew = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    turn = np.eye(3) + math.sin(angle) * skew + (1 - math.cos(angle)) * skew @ skew
    move = np.eye(4)
    move[:3, :3], move[:3, 3] = turn, centre - turn @ centre
    return move
