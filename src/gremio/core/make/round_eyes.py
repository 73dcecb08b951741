"""The eyes of parts: their round holes and rims, in the world."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array
from gremio.core.edit.change import must_have
from gremio.core.frames import carried, matrix
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Rig
from gremio.core.shape.features import known_places
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.pose import Pose

# How square to the way between them the axes of eyes are; how far off one line two circles of one
# eye, or of a pin, may be, as a share of the radius.
SQUARE, _IN_LINE = 0.26, 0.2


class RoundEye(NamedTuple):
    """An eye, or a bare end: in the world. axis: (3,), None for a bare end. size: its radius."""

    at: Array
    axis: Array | None
    size: float


def circles_on(rig: Rig, home: Pose, part: PartId, geometry: GeometryOf) -> list[RoundEye]:
    """The circles on a part, in the world."""
    found = []
    for shape in must_have(rig.parts, part, "part").shapes:
        frame = home.world(part) @ matrix(shape.place)
        for place in known_places(geometry(shape.solid)):
            if place.kind == "circle centre" and place.direction is not None:
                axis = frame[:3, :3] @ place.direction
                size = place.size * float(np.linalg.norm(axis))
                found.append(RoundEye(carried(frame, place.at), axis / np.linalg.norm(axis), size))
    return found


def through(circles: Iterable[RoundEye]) -> list[RoundEye]:
    """Holes: circles on one line and of one size are one eye, at their middle."""
    groups: list[list[RoundEye]] = []
    for circle in circles:
        for group in groups:
            alike = abs(group[0].size - circle.size) < _IN_LINE * circle.size
            if alike and in_line(group[0], circle):
                group.append(circle)
                break
        else:
            groups.append([circle])
    return [
        RoundEye(np.mean([eye.at for eye in group], axis=0), group[0].axis, group[0].size)
        for group in groups
    ]


def in_line(one: RoundEye, two: RoundEye) -> bool:
    """Whether two circles lie on one line."""
    assert one.axis is not None and two.axis is not None
    if abs(float(one.axis @ two.axis)) < 0.999:
        return False
    between = two.at - one.at
    off = between - one.axis * float(between @ one.axis)
    return float(np.linalg.norm(off)) < _IN_LINE * max(one.size, two.size)
