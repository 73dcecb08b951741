"""A barrel and a rod that were brought in, made a telescopic pair: joints, stops, both pins."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from gremio.core.arrays import Array
from gremio.core.edit.change import must_have
from gremio.core.edit.controls import all_home
from gremio.core.edit.parts import rename_part
from gremio.core.frames import Triple, carried, triple
from gremio.core.make.round_eyes import SQUARE, RoundEye, circles_on, in_line, through
from gremio.core.make.struts import make_strut, with_shape_of
from gremio.core.make.vertices import width_along, world_vertices
from gremio.core.problem import GremioError
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Rig
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.ask import solve
from gremio.core.solve.pose import Pose


def make_cylinder(
    rig: Rig, one: PartId, two: PartId, *, geometry: GeometryOf
) -> tuple[Rig, ThingId]:
    """The rig with two parts made a barrel and the rod that slides in it, and the strut's id.

    The wider one is the barrel. Each is pinned at its eye (the hole farthest from the other, square
    to the way between; its end where it has none) to what has a hole on the same line, else to what
    carries it, or the ground. The bodies are as long as their models are, and the rod's stops are
    where they end. The parts become the strut's bodies, and keep their names. Raises GremioError
    where the two are at one place, or both ends are on one part.
    """
    for part in (one, two):
        must_have(rig.parts, part, "part")
    home = solve(all_home(rig), geometry=geometry)
    corners = {part: world_vertices(rig, home, part, geometry) for part in (one, two)}
    eyes = _eyes(rig, home, (one, two), corners, geometry)
    way = eyes[1].at - eyes[0].at
    apart = float(np.linalg.norm(way))
    if apart < 1e-9:
        names = rig.parts[one].name, rig.parts[two].name
        raise GremioError(f"{names[0]} and {names[1]} are at one place: that is no barrel and rod.")
    way = way / apart
    across = [width_along(rig, home, part, eyes[0].at, way, geometry) for part in (one, two)]
    if across[1] > across[0]:
        one, two, eyes, way = two, one, eyes[::-1], -way
    barrel = float(((corners[one] - eyes[0].at) @ way).max())
    rod = float(((corners[two] - eyes[1].at) @ -way).max())
    ends = [
        _held_by(rig, home, part, eye, (one, two), geometry)
        for part, eye in zip((one, two), eyes, strict=True)
    ]
    names = rig.parts[one].name, rig.parts[two].name
    rig, strut_id = make_strut(rig, ends[0], ends[1], (barrel, rod), geometry=geometry)
    strut = rig.struts[strut_id]
    for body, part, name in ((strut.barrel, one, names[0]), (strut.rod, two, names[1])):
        rig = with_shape_of(rig, strut_id, body, part, geometry=geometry)
        rig = rename_part(rig, body, name)
    return rig, strut_id


def _eyes(
    rig: Rig,
    home: Pose,
    parts: Sequence[PartId],
    corners: dict[PartId, Array],
    geometry: GeometryOf,
) -> list[RoundEye]:
    """The eye of each of two parts: of their holes, square to the way between the two, the pair
    that is farthest apart; the middle of the end where a part has none."""
    middles = [corners[part].mean(axis=0) for part in parts]
    way = middles[1] - middles[0]
    way = way / max(float(np.linalg.norm(way)), 1e-12)
    found = []
    for part, sign in zip(parts, (-1.0, 1.0), strict=True):
        holes = [
            eye
            for eye in through(circles_on(rig, home, part, geometry))
            if eye.axis is not None and abs(float(eye.axis @ way)) < SQUARE
        ]
        if holes:
            found.append(max(holes, key=lambda eye: sign * float(eye.at @ way)))
            continue
        along = sign * (corners[part] @ way)
        end = corners[part][along >= along.max() - 0.02 * float(np.ptp(along))]
        found.append(RoundEye(end.mean(axis=0), None, 0.0))
    return found


def _held_by(
    rig: Rig,
    home: Pose,
    part: PartId,
    eye: RoundEye,
    bodies: Sequence[PartId],
    geometry: GeometryOf,
) -> tuple[PartId | None, Triple]:
    """What an eye is pinned to, and where in that: the part with a hole on the same line that is
    nearest, else what carries the part."""
    best: tuple[float, PartId] | None = None
    if eye.axis is not None:
        for other in rig.parts:
            if other in bodies:
                continue
            for circle in circles_on(rig, home, other, geometry):
                if in_line(eye, circle):
                    away = float(np.linalg.norm(circle.at - eye.at))
                    if best is None or away < best[0]:
                        best = away, other
    on = rig.parts[part].parent if best is None else best[1]
    on = None if on in bodies else on
    return on, triple(carried(np.linalg.inv(home.frame_of(on)), eye.at))
