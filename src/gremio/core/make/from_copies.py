"""A joint from two poses of a part: the part as it is closed, and a copy of it as it is open."""

from __future__ import annotations

import math

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.edit.change import must_have
from gremio.core.edit.controls import all_home
from gremio.core.edit.parts import children, remove_part, set_joint, set_stops
from gremio.core.edit.prepare import axis_turned, mount_along, mount_at
from gremio.core.frames import carried, matrix
from gremio.core.make.vertices import world_vertices
from gremio.core.mechanics.screws import Screw, screw_between
from gremio.core.problem import GremioError
from gremio.core.quantity import show_short
from gremio.core.rig.channels import main_channel, split
from gremio.core.rig.constraints import targets_of
from gremio.core.rig.ids import PartId
from gremio.core.rig.links import members
from gremio.core.rig.model import Joint, Rig, Stops
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.ask import solve
from gremio.core.solve.pose import Pose

# In shares of a part's size: how far its copy may be from being one, and what is no slide.
_ALIKE, _NO_SLIDE = 1e-5, 1e-6


def joint_from_copies(
    rig: Rig, part: PartId, copy: PartId, *, geometry: GeometryOf
) -> tuple[Rig, Screw]:
    """The rig with a joint that brings a part from where it is to where its copy is, and how it
    goes; the copy is taken out.

    A turn becomes a hinge, a way without a turn a slide, both together a screw; its stops are the
    two poses, and home is the first. A turn goes the short way round. Raises GremioError where the
    two are not one shape, stand at one place, or the copy carries or is led by something.
    """
    for one in (part, copy):
        must_have(rig.parts, one, "part")
    names = rig.parts[part].name, rig.parts[copy].name
    if part == copy or _is_needed(rig, copy):
        raise GremioError(
            f"{names[1]} carries something, is linked, or is tied to something. Choose the part "
            "first, and then a bare copy of it where it should come to."
        )
    home, now = solve(all_home(rig), geometry=geometry), solve(rig, geometry=geometry)
    for one, name in zip((part, copy), names, strict=True):
        if not np.allclose(home.world(one), now.world(one), rtol=0.0, atol=1e-9):
            raise GremioError(
                f"{name} does not stand where it is at home, and its joint is made from there. "
                "Send everything home first."
            )
    before, after = (_corners(rig, home, one, geometry) for one in (part, copy))
    if before.shape != after.shape:
        raise GremioError(f"{names[1]} is not the same shape as {names[0]}, so it is no copy.")
    size = float(np.linalg.norm(np.ptp(before, axis=0)))
    screw = screw_between(before, after)
    if screw.error > _ALIKE * size:
        off = show_short(screw.error, "mm")
        raise GremioError(
            f"{names[1]} is not the same shape as {names[0]}: however it is laid on it, they are "
            f"{off} apart."
        )
    if screw.turn == 0.0 and screw.slide <= _NO_SLIDE * size:
        raise GremioError(f"{names[0]} and {names[1]} stand at one place: nothing moves between.")
    joint = _joint(screw, size)
    inside = np.linalg.inv(home.world(part))
    rig = remove_part(rig, copy)
    rig = set_joint(rig, part, joint, home.part_of(part).channels)
    rig = replace(rig, at={c: v for c, v in rig.at.items() if not c.startswith(f"{part} ")})
    rig = mount_at(rig, part, carried(inside, screw.at))
    rig = mount_along(rig, part, joint.axis, inside[:3, :3] @ screw.way)
    laid = home.frame_of(rig.parts[part].parent) @ matrix(rig.parts[part].mount)
    if laid[:3, 2] @ screw.way < 0:
        rig = axis_turned(rig, part)
    high = screw.turn or screw.slide
    return set_stops(rig, part, main_channel(joint), Stops(0.0, high)), screw


def _is_needed(rig: Rig, part: PartId) -> bool:
    """Whether anything in a rig but a measure has to do with a part."""
    tied: list[object] = [c for one in rig.closures.values() for c in (one.one, one.two)]
    tied += [target.on for one in rig.constraints.values() for target in targets_of(one)]
    tied += [one.part for one in rig.constraints.values()]
    tied += [point.on for one in rig.strands.values() for point in one.through]
    tied += [wheel.on for one in rig.treads.values() for wheel in one.wheels]
    tied += [on for one in rig.treads.values() for on in (one.link, one.on)]
    tied += [path.on for path in rig.paths.values()]
    tied += [split(c)[0] for link in rig.links.values() for c in members(link)]
    tied += [entry.face.on for entry in rig.controls.values() if entry.face is not None]
    return part in tied or bool(children(rig, part))


def screw_words(screw: Screw) -> str:
    """How a screw goes: "turns 95°", "slides 120 mm", "turns 90° and slides 20 mm"."""
    parts = []
    if screw.turn:
        parts.append(f"turns {show_short(screw.turn, 'deg')}")
    if not screw.turn or abs(screw.slide) > 1e-6:
        parts.append(f"slides {show_short(abs(screw.slide), 'mm')}")
    return " and ".join(parts)


def _corners(rig: Rig, home: Pose, part: PartId, geometry: GeometryOf) -> Array:
    """(n, 3) the corners of a part's triangles in the world, in the order of its models: that of
    the vertices may be another in a copy."""
    vertices = world_vertices(rig, home, part, geometry)
    rows, first = [], 0
    for shape in rig.parts[part].shapes:
        surface = geometry(shape.solid)
        rows.append(first + surface.triangles.ravel())
        first += len(surface.vertices)
    return vertices[np.concatenate(rows)]


def _joint(screw: Screw, size: float) -> Joint:
    if screw.turn == 0.0:
        return Joint("slide", "z")
    if abs(screw.slide) <= _NO_SLIDE * size:
        return Joint("hinge", "z")
    return Joint("screw", "z", lead=2 * math.pi * screw.slide / screw.turn)
