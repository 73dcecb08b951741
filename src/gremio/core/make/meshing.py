"""Placing gears so that their teeth interlock: distance, phase, profile shift."""

from __future__ import annotations

import math

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.edit.change import must_have
from gremio.core.edit.controls import all_home
from gremio.core.edit.links import change_link
from gremio.core.edit.parts import change_part, moved_by, set_shapes
from gremio.core.frames import frame_of, matrix
from gremio.core.make.gearing import (
    GEARED,
    Gear,
    Mesh,
    geared,
    gears_of,
    likeliest_mesh,
    phase_error,
)
from gremio.core.mechanics import gears
from gremio.core.problem import GremioError
from gremio.core.rig.channels import split
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Ratio, Rig
from gremio.core.rig.solids import RackBar, SpurGear
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.ask import solve
from gremio.core.solve.pose import Pose


def mesh_between(rig: Rig, pose: Pose, one: PartId, two: PartId) -> Mesh:
    """How the gears of two parts (by id) stand to each other. Raises GremioError when there
    is no gear on one of them, or their axes cross."""
    mesh = likeliest_mesh(gears_of(rig, pose, one), gears_of(rig, pose, two))
    if mesh is None or mesh.kind == "bevel":
        names = rig.parts[one].name, rig.parts[two].name
        text = "no gear or rack on both" if mesh is None else "axes that cross"
        raise GremioError(
            f"{names[0]} and {names[1]} have {text}, so their teeth can't be placed. "
            "Give both a spur gear, an internal gear or a rack, on axes side by side."
        )
    pair = geared(rig, one, two)
    return mesh.with_backlash(pair[1].backlash if pair else 0.0)


def interlock(
    rig: Rig, fixed: PartId, moved: PartId, *, keep_place: bool = False, geometry: GeometryOf
) -> Rig:
    """Place a part so that its teeth interlock with those of another, at home.

    fixed, moved: ids of parts. The moved one goes along the line of centres to the right
    distance, and turns about its axis until teeth meet spaces. keep_place: only turn it.
    One that is fixed on another is moved with what carries it. Raises GremioError when they have
    no gears, or modules that differ.
    """
    moved = moved_by(rig, moved)
    home = solve(all_home(rig), geometry=geometry)
    mesh = mesh_between(rig, home, fixed, moved)
    _check_alike(rig, mesh)
    if not keep_place:
        rig = _shift_part(rig, home, moved, _to_distance(mesh, moved))
        home = solve(all_home(rig), geometry=geometry)
        mesh = mesh_between(rig, home, fixed, moved)
    return _turn_to_phase(rig, home, mesh, moved, geometry=geometry)


def _check_alike(rig: Rig, mesh: Mesh) -> None:
    a, b = mesh.one.solid, mesh.two.solid
    if math.isclose(a.module, b.module) and math.isclose(a.pressure_angle, b.pressure_angle):
        return
    names = rig.parts[mesh.one.part].name, rig.parts[mesh.two.part].name
    raise GremioError(
        f"The teeth of {names[0]} (module {a.module * 1000:g} mm) and {names[1]} (module "
        f"{b.module * 1000:g} mm) are unlike. Give both one module and one pressure angle."
    )


def _to_distance(mesh: Mesh, moved: PartId) -> Array:
    """(3,) shift in the world that brings a part to the right distance."""
    if not math.isfinite(mesh.right):
        if mesh.asked:
            raise GremioError(
                f"There is no place with {mesh.asked * 1000:g} mm of backlash for them. Ask for "
                "less."
            )
        raise GremioError(
            "An internal gear needs more teeth than what runs in it. Change one of them."
        )
    if mesh.kind == "rack":
        up = mesh.two.frame[:3, 1] / np.linalg.norm(mesh.two.frame[:3, 1])
        off = up * (mesh.right - mesh.distance)
        return off if mesh.one.body == moved else -off
    one, two = (mesh.one, mesh.two) if mesh.two.body == moved else (mesh.two, mesh.one)
    apart = two.centre - one.centre
    apart = apart - one.axis * float(apart @ one.axis)
    size = float(np.linalg.norm(apart))
    way = apart / size if size > 1e-9 else one.frame[:3, 0] / np.linalg.norm(one.frame[:3, 0])
    shift: Array = way * mesh.right - apart
    return shift


def _shift_part(rig: Rig, home: Pose, part: PartId, shift: Array) -> Rig:
    move = np.eye(4)
    move[:3, 3] = shift
    return _moved(rig, home, part, move)


def _moved(rig: Rig, home: Pose, part: PartId, move: Array) -> Rig:
    """A part moved by a (4, 4) of the world, at home."""
    entry = rig.parts[part]
    row = int(home.program.parents[home.program.part_row[part]])
    above = np.eye(4) if row < 0 else home.worlds[row]
    mount = frame_of(np.linalg.inv(above) @ move @ above @ matrix(entry.mount))
    return change_part(rig, part, replace(entry, mount=mount))


def _turn_to_phase(rig: Rig, home: Pose, mesh: Mesh, moved: PartId, *, geometry: GeometryOf) -> Rig:
    """Turn a gear, or slide a rack, by less than half a pitch until tooth meets space."""
    gear = mesh.one if mesh.one.body == moved else mesh.two
    error = phase_error(mesh)
    if abs(error) < 1e-12:
        return rig
    best, least = rig, abs(error)
    for way in (1.0, -1.0):
        tried = _moved(rig, home, moved, _one_pitch(gear, -way * error))
        left = abs(
            phase_error(
                mesh_between(
                    tried, solve(all_home(tried), geometry=geometry), mesh.one.body, mesh.two.body
                )
            )
        )
        if left < least:
            best, least = tried, left
    return best


def _one_pitch(gear: Gear, pitches: float) -> Array:
    """(4, 4) move of the world that takes a gear or rack on by some of its pitches."""
    move = np.eye(4)
    if isinstance(gear.solid, RackBar):
        along = gear.frame[:3, 0] / np.linalg.norm(gear.frame[:3, 0])
        move[:3, 3] = along * pitches * gears.pitch(gear.solid.module)
        return move
    angle = pitches * 2 * math.pi / gear.solid.teeth
    x, y, z = gear.axis
    cross = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    move[:3, :3] += math.sin(angle) * cross + (1 - math.cos(angle)) * cross @ cross
    move[:3, 3] = gear.centre - move[:3, :3] @ gear.centre
    return move


def interlock_train(rig: Rig, start: PartId, *, geometry: GeometryOf) -> Rig:
    """Place every gear that hangs together with a part by gear pairs and racks, one after
    another outward from it. What was placed stays where it is; where a loop closes, only the
    last is turned, and `inspect` tells when its teeth can't meet both."""
    placed = [start]
    for here in placed:
        for link in rig.links.values():
            if not isinstance(link, Ratio) or link.kind not in GEARED:
                continue
            ends = [PartId(split(c)[0]) for c in (link.lead, link.follower)]
            if here not in ends:
                continue
            other = ends[1] if ends[0] == here else ends[0]
            if other not in placed and other in rig.parts:
                rig = interlock(rig, here, other, geometry=geometry)
                placed.append(other)
    return rig


def with_backlash(rig: Rig, one: PartId, two: PartId, backlash: float) -> Rig:
    """Ask for so much backlash (m) between two parts that a gear pair or a rack joins; what places
    their teeth next leaves it. Raises GremioError where none joins them."""
    pair = geared(rig, one, two)
    if pair is None:
        names = [must_have(rig.parts, part, "part").name for part in (one, two)]
        raise GremioError(f"{names[0]} and {names[1]} are no gear pair. Join them first.")
    return change_link(rig, pair[0], replace(pair[1], backlash=backlash))


def fit_by_shift(rig: Rig, one: PartId, two: PartId, *, geometry: GeometryOf) -> Rig:
    """Give the smaller of two outside gears the profile shift with which they run at the
    distance they have. Raises GremioError when no shift from −0.5 to 1 does."""
    home = solve(all_home(rig), geometry=geometry)
    mesh = mesh_between(rig, home, one, two)
    _check_alike(rig, mesh)
    a, b = mesh.one.solid, mesh.two.solid
    if not (isinstance(a, SpurGear) and isinstance(b, SpurGear)):
        raise GremioError("Only two outside gears are fitted to a distance by profile shift.")
    wanted = gears.shifts_for(
        a.module, a.teeth, b.teeth, mesh.distance, a.pressure_angle, mesh.asked
    )
    small, other = (mesh.one, b) if a.teeth <= b.teeth else (mesh.two, a)
    shift = wanted - other.shift
    if not -0.5 <= shift <= 1.0:
        name = rig.parts[small.part].name
        raise GremioError(
            f"No profile shift from −0.5 to 1 makes {name} run at "
            f"{mesh.distance * 1000:.1f} mm; unshifted it would be {mesh.right * 1000:.1f} mm. "
            "Place it anew instead."
        )
    shapes = list(rig.parts[small.part].shapes)
    solid = shapes[small.shape].solid
    shapes[small.shape] = replace(shapes[small.shape], solid=replace(solid, shift=shift))
    rig = set_shapes(rig, small.part, tuple(shapes))
    return interlock(rig, one, two, keep_place=True, geometry=geometry)
