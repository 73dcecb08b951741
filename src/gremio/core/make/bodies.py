"""Long parts that were brought in, laid on the axis of a strut as its bodies."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array, crossed
from gremio.core.edit.change import must_have, numbers_of
from gremio.core.edit.controls import all_home
from gremio.core.edit.parts import change_part, children, remove_part, rename_part
from gremio.core.frames import carried, frame_of, matrix
from gremio.core.make.round_eyes import SQUARE, circles_on, through
from gremio.core.make.struts import Eye, body_lengths, make_strut, with_bodies
from gremio.core.make.vertices import width_along, world_vertices
from gremio.core.problem import GremioError
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Rig
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.ask import solve
from gremio.core.solve.pose import Pose

# Its long way is one of its own axes where it is nearer to that than this (cosine, 10 degrees).
_OWN_AXIS = 0.985
# What is no longer than so many times its width is no bar.
_LONG = 1.2
# A part lies on a strut's axis already where it is nearer than 3 degrees (cosine), and its end is
# nearer to its eye than this share of its length.
_LAID, _AT_EYE = 0.9986, 0.1


class Bar(NamedTuple):
    """A long part, in the world. eye: (3,) the middle of its eye, or of its end. way: (3,) from
    there along it. pin: (3,) the axis of its eye, square to the way. length: from the eye to its
    far end; width: across its middle (m)."""

    eye: Array
    way: Array
    pin: Array
    length: float
    width: float

    def frame(self, sign: float) -> Array:
        """(4, 4) with its zero at the eye, y along the pin, and x along the way, or against it."""
        made = np.eye(4)
        made[:3, 0] = sign * self.way
        made[:3, 1] = self.pin
        made[:3, 2] = crossed(made[:3, 0], self.pin)
        made[:3, 3] = self.eye
        return made


def bar_of(rig: Rig, home: Pose, part: PartId, near: Array, geometry: GeometryOf) -> Bar:
    """A part as a bar. near: (3,) its eye is at the end nearest to that, where it has no hole
    square to its length. Raises GremioError for what is not long."""
    near = numbers_of(near, (3,), "The place that the eye is near to")
    corners = world_vertices(rig, home, part, geometry)
    way = _long_way(corners, home.world(part)[:3, :3])
    frame = np.linalg.qr(np.column_stack([way, np.eye(3)]))[0]
    inside = corners @ frame
    middle = frame @ ((inside.min(axis=0) + inside.max(axis=0)) / 2)
    along = (corners - middle) @ way
    width = width_along(rig, home, part, middle, way, geometry)
    if float(np.ptp(along)) < _LONG * width:
        raise GremioError(
            f"{rig.parts[part].name} is not long, so it can't lie along a strut. Choose another."
        )
    holes = [
        eye
        for eye in through(circles_on(rig, home, part, geometry))
        if eye.axis is not None and abs(float(eye.axis @ way)) < SQUARE
    ]
    if holes:
        hole = max(holes, key=lambda eye: abs(float((eye.at - middle) @ way)))
        way = way if float((hole.at - middle) @ way) < 0 else -way
        assert hole.axis is not None
        eye, pin = hole.at, hole.axis
    else:
        way = way if float((near - middle) @ way) < 0 else -way
        ends = (corners - middle) @ way
        last = corners[ends <= ends.min() + 0.02 * float(np.ptp(ends))]
        eye = (last.min(axis=0) + last.max(axis=0)) / 2
        pin = crossed(way, np.eye(3)[int(np.argmin(np.abs(way)))])
    pin = pin - way * float(pin @ way)
    length = float(((corners - eye) @ way).max())
    return Bar(eye, way, pin / np.linalg.norm(pin), length, width)


def _long_way(corners: Array, own: Array) -> Array:
    """(3,) the way in which a part is longest: the first principal axis of its corners, or the own
    axis of the part that is near to it."""
    _, axes = np.linalg.eigh(np.cov((corners - corners.mean(axis=0)).T))
    way: Array = axes[:, -1]
    own = own / np.linalg.norm(own, axis=0)
    nearest = int(np.argmax(np.abs(own.T @ way)))
    return own[:, nearest] if abs(float(own[:, nearest] @ way)) > _OWN_AXIS else way


def with_body(
    rig: Rig, strut_id: ThingId, body: PartId, part: PartId, *, geometry: GeometryOf
) -> Rig:
    """The rig with a body of a strut, by its id, shaped as another part is; the part itself goes.

    Where it does not lie on the strut's axis already it is laid on it, its eye, or its end, at the
    body's; the body is as long then as it is. Raises GremioError for a part that carries others,
    is of the strut, or is not long.
    """
    strut = must_have(rig.struts, strut_id, "strut")
    entry = must_have(rig.parts, part, "part")
    bodies = (strut.barrel, *strut.stages, strut.rod)
    if part in bodies:
        raise GremioError(f"{entry.name} is a body of {strut.name} already. Choose another part.")
    if children(rig, part):
        raise GremioError(f"{entry.name} can't become a body of {strut.name}: it carries others.")
    if body not in bodies:
        raise GremioError(f"{strut.name} has no body {body!r}. Its barrel and rods are its bodies.")
    home = solve(all_home(rig), geometry=geometry)
    there = home.world(body)
    sign = -1.0 if body == strut.rod else 1.0
    bar = bar_of(rig, home, part, there[:3, 3], geometry)
    laid = np.linalg.inv(there) @ home.world(part)
    if not _is_laid(bar, there, sign):
        laid = np.linalg.inv(bar.frame(sign)) @ home.world(part)
    shapes = tuple(replace(s, place=frame_of(laid @ matrix(s.place))) for s in entry.shapes)
    lengths = list(body_lengths(strut))
    lengths[bodies.index(body)] = bar.length
    rig = with_bodies(remove_part(rig, part), strut_id, tuple(lengths))
    return change_part(rig, body, replace(rig.parts[body], shapes=shapes))


def _is_laid(bar: Bar, there: Array, sign: float) -> bool:
    axis = sign * there[:3, 0] / np.linalg.norm(there[:3, 0])
    off = float(np.linalg.norm(bar.eye - there[:3, 3]))
    return float(bar.way @ axis) > _LAID and off < _AT_EYE * bar.length


def strut_of_bodies(
    rig: Rig, one: Eye, two: Eye, bodies: tuple[PartId, PartId], *, geometry: GeometryOf
) -> tuple[Rig, ThingId]:
    """The rig with a strut between two places whose bodies are two parts, and its id. The wider is
    the barrel, at the place that its part was named with: one with the first, two with the second.
    The bodies keep the parts' names. Raises GremioError as `make_strut` and `with_body` do."""
    for body in bodies:
        must_have(rig.parts, body, "part")
    home = solve(all_home(rig), geometry=geometry)
    eyes = (one, two)
    for part, _ in eyes:
        if part in bodies:
            raise GremioError(
                f"{rig.parts[part].name} becomes a body of the strut. Choose the two places on "
                "what the strut goes between."
            )
    bars = [
        bar_of(rig, home, part, carried(home.frame_of(on), np.array(at)), geometry)
        for part, (on, at) in zip(bodies, eyes, strict=True)
    ]
    first = 0 if bars[0].width >= bars[1].width else 1
    order = (first, 1 - first)
    names = [rig.parts[bodies[i]].name for i in order]
    lengths = tuple(bars[i].length for i in order)
    rig, strut_id = make_strut(rig, eyes[order[0]], eyes[order[1]], lengths, geometry=geometry)
    strut = rig.struts[strut_id]
    for body, i, name in zip((strut.barrel, strut.rod), order, names, strict=True):
        rig = with_body(rig, strut_id, body, bodies[i], geometry=geometry)
        rig = rename_part(rig, body, name)
    return rig, strut_id
