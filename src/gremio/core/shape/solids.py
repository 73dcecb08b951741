"""From a solid's dimensions to its triangles."""

from __future__ import annotations

import functools
import math
from collections.abc import Sequence

import mapbox_earcut
import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array
from gremio.core.mechanics import gears
from gremio.core.problem import GremioError, with_article
from gremio.core.remembered import Bounded
from gremio.core.rig.solids import (
    AnySolid,
    Ball,
    Box,
    Cylinder,
    InternalGear,
    Mesh,
    Plate,
    RackBar,
    SpurGear,
    Tube,
    Wedge,
)
from gremio.core.shape import outlines
from gremio.core.shape.geometry import Geometry
from gremio.core.shape.meshes import ALWAYS, Small


class _Sleeve(Geometry, frozen=True, eq=False):
    """A round surface whose open ends are not drawn: sleeves stand end to end."""

    def _inked(self, faces: Array) -> tuple[Small, bool]:
        """The edges along it, which are drawn where they are the outline."""
        every, closed = super()._inked(faces)
        return every[every[:, 0] < ALWAYS], closed


@functools.lru_cache(maxsize=1)
def sleeve(sides: int = 12) -> Geometry:
    """A round surface along z, one metre thick and long, open at both ends, zero at its middle:
    what ropes and hoses are drawn with."""
    angles = np.arange(sides) * 2 * math.pi / sides
    ring = np.stack([np.cos(angles), np.sin(angles)], axis=1) / 2
    ends = [np.column_stack([ring, np.full(sides, z)]) for z in (-0.5, 0.5)]
    one = np.arange(sides)
    two = (one + 1) % sides
    triangles = np.concatenate(
        [
            np.stack([one, two, two + sides], axis=1),
            np.stack([one, two + sides, one + sides], axis=1),
        ]
    )
    return _Sleeve(np.concatenate(ends), triangles)


def _bytes_of(geometry: Geometry) -> int:
    """What a surface takes, with what is found from it (normals, edges), about."""
    return 6 * (geometry.vertices.nbytes + geometry.triangles.nbytes)


# Solids that something leads are made anew for each of their sizes.
_MADE: Bounded[AnySolid, Geometry] = Bounded(_bytes_of, 256_000_000)


def geometry_of(solid: AnySolid) -> Geometry:
    """The surface of a solid; of a mesh, the box that stands in for it.

    Raises GremioError when a dimension is not a positive number.
    """
    return _MADE.of(solid, _geometry)


def _geometry(solid: AnySolid) -> Geometry:
    check_dimensions(solid)
    match solid:
        case Box():
            return extruded(outlines.rectangle(solid.length, solid.width), solid.height)
        case Cylinder():
            return extruded(outlines.circle(solid.diameter), solid.height)
        case Ball():
            return _ball(solid.diameter)
        case Tube():
            hole = outlines.circle(solid.inner_diameter)
            return extruded(outlines.circle(solid.outer_diameter), solid.height, [hole])
        case Wedge():
            return _wedge(solid)
        case Plate():
            holes = [outlines.circle(d, (x, y), 48) for x, y, d in solid.holes]
            return extruded(outlines.rectangle(solid.length, solid.width), solid.thickness, holes)
        case SpurGear():
            outline = outlines.spur_gear(
                solid.module, solid.teeth, solid.pressure_angle, solid.shift
            )
            holes = [outlines.circle(solid.bore, sides=48)] if solid.bore > 0 else []
            return extruded(outline, solid.width, holes)
        case InternalGear():
            hole = outlines.internal_gear(
                solid.module, solid.teeth, solid.pressure_angle, solid.shift
            )
            return extruded(outlines.circle(solid.rim, sides=96), solid.width, [hole])
        case RackBar():
            outline = outlines.rack(solid.module, solid.teeth, solid.back, solid.pressure_angle)
            return extruded(outline, solid.width)
        case Mesh():
            box = geometry_of(Box(length=1.0, width=1.0, height=1.0))
            size = np.maximum(solid.size, 1e-6)
            return Geometry(box.vertices * size + solid.centre, box.triangles)


def check_dimensions(solid: AnySolid) -> None:
    """Refuse, with GremioError, dimensions that no solid can have."""
    if isinstance(solid, Mesh):
        return
    for name in solid.__struct_fields__:
        value = getattr(solid, name)
        if isinstance(value, (int, float)):
            least = {"bore": -1.0, "shift": -1.0}.get(name, 0.0)
            if not (math.isfinite(value) and value > least):
                raise GremioError(
                    f"The {_words(name)} of {with_article(_kind(solid))} must be above zero."
                )
    match solid:
        case Tube() if solid.inner_diameter >= solid.outer_diameter:
            raise GremioError("The hole of a tube must be narrower than the tube.")
        case SpurGear() if solid.teeth < 5:
            raise GremioError("A spur gear needs 5 teeth at least.")
        case SpurGear() | InternalGear() if solid.shift > 1.0:
            raise GremioError("A profile shift is between −1 and 1.")
        case InternalGear() if solid.teeth < 12:
            raise GremioError("An internal gear needs 12 teeth at least.")
        case InternalGear() if solid.rim <= gears.internal_root_diameter(
            solid.module, solid.teeth, solid.shift
        ):
            raise GremioError("The rim of an internal gear must be wider than its root circle.")
        case SpurGear() if solid.bore >= gears.root_diameter(
            solid.module, solid.teeth, solid.shift
        ):
            raise GremioError("The bore of a spur gear must be narrower than its root circle.")
        case SpurGear() | InternalGear() | RackBar() if not 0.17 <= solid.pressure_angle <= 0.53:
            raise GremioError("A pressure angle is between 10° and 30°; 20° is usual.")
        case SpurGear() | InternalGear() | RackBar() if solid.teeth > 2000:
            raise GremioError("Gremio draws 2000 teeth at most.")
        case Plate():
            _check_holes(solid)


def _check_holes(plate: Plate) -> None:
    for x, y, diameter in plate.holes:
        if diameter <= 0:
            raise GremioError("A hole of a plate needs a diameter above zero.")
        beyond_x = abs(x) + diameter / 2 >= plate.length / 2
        if beyond_x or abs(y) + diameter / 2 >= plate.width / 2:
            raise GremioError("A hole of a plate reaches past its rim. Move it, or make it less.")


def _words(name: str) -> str:
    return name.replace("_", " ")


def _kind(solid: AnySolid) -> str:
    return str(type(solid).__struct_config__.tag)


def extruded(outline: Array, height: float, holes: Sequence[Array] = ()) -> Geometry:
    """A flat outline (N, 2), anticlockwise, with holes, drawn out along z about zero."""
    rings = [outline, *(hole[::-1] for hole in holes)]
    points = np.concatenate(rings)
    ends = np.cumsum([len(ring) for ring in rings])
    cap = mapbox_earcut.triangulate_float64(points, ends.astype(np.uint32)).astype(np.int64)
    cap = _anticlockwise(points, cap.reshape(-1, 3))
    count = len(points)
    low = np.column_stack([points, np.full(count, -height / 2)])
    high = np.column_stack([points, np.full(count, height / 2)])
    faces = [cap[:, ::-1], cap + count]
    start = 0
    for end in ends:
        here = np.arange(start, end)
        after = np.roll(here, -1)
        faces.append(np.stack([here, after, after + count], axis=1))
        faces.append(np.stack([here, after + count, here + count], axis=1))
        start = int(end)
    return Geometry(np.concatenate([low, high]), np.concatenate(faces))


def _anticlockwise(points: Array, triangles: npt.NDArray[np.int64]) -> npt.NDArray[np.int64]:
    a, b, c = (points[triangles[:, i]] for i in range(3))
    turn = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    return np.where((turn < 0)[:, None], triangles[:, ::-1], triangles)


def _ball(diameter: float, rings: int = 16, sides: int = 32) -> Geometry:
    down = np.linspace(0, np.pi, rings + 1)[1:-1]
    round_it = np.arange(sides) * 2 * np.pi / sides
    level = np.stack(
        [
            np.outer(np.sin(down), np.cos(round_it)),
            np.outer(np.sin(down), np.sin(round_it)),
            np.outer(np.cos(down), np.ones(sides)),
        ],
        axis=2,
    ).reshape(-1, 3)
    vertices = np.concatenate([level, [[0, 0, 1.0], [0, 0, -1.0]]]) * diameter / 2
    here, after = np.arange(sides), np.roll(np.arange(sides), -1)
    top, bottom = len(level), len(level) + 1
    last = (rings - 2) * sides
    faces = [
        np.stack([np.full(sides, top), here, after], axis=1),
        np.stack([np.full(sides, bottom), last + after, last + here], axis=1),
    ]
    # Cut in two so that either side of it, along y, is the other's mirror image.
    one, two = here[: sides // 2], here[sides // 2 :]
    for ring in range(rings - 2):
        a, b = ring * sides, (ring + 1) * sides
        faces.append(np.stack([a + one, b + one, b + after[one]], axis=1))
        faces.append(np.stack([a + one, b + after[one], a + after[one]], axis=1))
        faces.append(np.stack([a + two, b + two, a + after[two]], axis=1))
        faces.append(np.stack([b + two, b + after[two], a + after[two]], axis=1))
    return Geometry(vertices, np.concatenate(faces))


def _wedge(wedge: Wedge) -> Geometry:
    side = np.array(
        [
            [-wedge.length / 2, 0.0],
            [wedge.length / 2, 0.0],
            [wedge.length / 2, wedge.height],
        ]
    )
    flat = extruded(side, wedge.width)
    x, z, y = flat.vertices.T
    return Geometry(np.stack([x, -y, z], axis=1), flat.triangles)
