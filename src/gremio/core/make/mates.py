"""A gear made to run with one that is there."""

from __future__ import annotations

import math

import numpy as np

from gremio.core.arrays import Array, crossed
from gremio.core.edit.controls import all_home
from gremio.core.edit.parts import add_part, moved_by, rigid_family
from gremio.core.frames import frame_of
from gremio.core.make.gearing import Gear, ToothedSolid, gears_of, mesh_of
from gremio.core.make.meshing import fit_by_shift, interlock
from gremio.core.mechanics import gears
from gremio.core.problem import GremioError
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import GROUND, PartId, ThingId
from gremio.core.rig.model import Joint, Part, Rig, Shape
from gremio.core.rig.solids import InternalGear, RackBar, SpurGear
from gremio.core.shape.geometry import GeometryOf
from gremio.core.shape.solids import check_dimensions
from gremio.core.solve.ask import solve
from gremio.core.solve.pose import Pose

# A bore leaves at least so much of the root circle's radius as a rim.
_MOST_BORE = 0.75
# Where a mate may stand round a gear, after the way in line (degrees); nearer than this many
# modules two gears stand in one another.
_ROUND = (0, 90, -90, 180, 45, -45, 135, -135, *range(15, 360, 30))
_CLEAR = 0.25


def make_mate(
    rig: Rig,
    part: PartId,
    teeth: int,
    *,
    inside: bool = False,
    distance: float | None = None,
    geometry: GeometryOf,
) -> tuple[Rig, ThingId]:
    """Add a gear that runs with a part's gear, and a gear pair between them.

    part: id. teeth: of the mate. inside: an internal gear round it. distance: of the centres
    (m), reached by profile shift; touching for None. Returns the rig and the mate's id. Raises
    GremioError where there is no gear, or for fewer teeth than a gear can have.
    """
    home = solve(all_home(rig), geometry=geometry)
    found = gears_of(rig, home, part)
    if not found:
        raise GremioError(f"{rig.parts[part].name} has no gear to make a mate for.")
    carrier = moved_by(rig, part)
    gear = found[0]._replace(body=carrier)
    solid = gear.solid
    module, width, angle = solid.module, solid.width, solid.pressure_angle
    mate: SpurGear | InternalGear
    if inside:
        rim = gears.internal_root_diameter(module, teeth) + 4 * module
        mate = InternalGear(module=module, teeth=teeth, width=width, rim=rim, pressure_angle=angle)
    else:
        mate = SpurGear(
            module=module, teeth=teeth, width=width, pressure_angle=angle,
            bore=_bore(solid, gears.root_diameter(module, teeth)),
        )  # fmt: skip
    check_dimensions(mate)
    entry = rig.parts[carrier]
    name = free_name(names_in(rig), f"Gear, {teeth} teeth")
    row = int(home.program.parents[home.program.part_row[part]])
    above = np.eye(4) if row < 0 else home.worlds[row]
    frame = gear.frame.copy()
    if isinstance(solid, RackBar):
        frame[:3, 3] += frame[:3, 1] * module * teeth / 2
    else:
        start = mesh_of(gear, Gear(GROUND, GROUND, 0, mate, gear.frame)).right
        apart = start if distance is None else distance
        free = gear.frame[:3, 0]
        if isinstance(mate, SpurGear):
            free = _free_way(rig, home, gear, apart, mate)
        frame[:3, 3] += free * apart
    joint = Joint("spin", "z")
    made = Part(
        name,
        entry.parent,
        frame_of(np.linalg.inv(above) @ frame),
        joint,
        shapes=(Shape(mate, paint=rig.parts[gear.part].shapes[gear.shape].paint),),
    )
    rig, mate_id = add_part(rig, made)
    if distance is not None and not inside:
        return fit_by_shift(rig, carrier, mate_id, geometry=geometry), mate_id
    return interlock(rig, carrier, mate_id, geometry=geometry), mate_id


def _bore(solid: ToothedSolid, root: float) -> float:
    """The bore of a gear that is made for another: the same, where it leaves a rim (m)."""
    bore = solid.bore if isinstance(solid, SpurGear) else 0.0
    return bore if bore < _MOST_BORE * root else 0.0


def _free_way(rig: Rig, home: Pose, gear: Gear, apart: float, mate: SpurGear) -> Array:
    """(3,) the way from a gear to where there is room for one more: in line with the pair that it
    is in already, else along its own x, and round from there."""
    others = _beside(rig, home, gear)
    along: Array = gear.frame[:3, 0] / np.linalg.norm(gear.frame[:3, 0])
    ways = [_across(other.centre - gear.centre, gear.axis) for other in others]
    for other, way in zip(others, ways, strict=True):
        right = mesh_of(gear, other).right
        if math.isfinite(right) and abs(float(np.linalg.norm(way)) - right) < gear.solid.module:
            along = -way / np.linalg.norm(way)
            break
    side = crossed(gear.axis, along)
    for degrees in _ROUND:
        turn = math.radians(degrees)
        way = along * math.cos(turn) + side * math.sin(turn)
        centre = way * apart
        if all(
            float(np.linalg.norm(_across(other.centre - gear.centre, gear.axis) - centre))
            > _tip(other.solid) + _tip(mate) - _CLEAR * mate.module
            for other in others
        ):
            return way
    return along


def _beside(rig: Rig, home: Pose, gear: Gear) -> list[Gear]:
    """The outside gears that stand side by side with a gear, in its plane."""
    own = rigid_family(rig, gear.body)
    return [
        other
        for part in rig.parts
        if part not in own
        for other in gears_of(rig, home, part)
        if other.part == part
        and isinstance(other.solid, SpurGear)
        and abs(float(other.axis @ gear.axis)) > 0.999
        and abs(float((other.centre - gear.centre) @ gear.axis))
        < (other.solid.width + gear.solid.width) / 2
    ]


def _across(way: Array, axis: Array) -> Array:
    across: Array = way - axis * float(way @ axis)
    return across


def _tip(solid: ToothedSolid) -> float:
    """The radius of a gear's tips (m)."""
    assert isinstance(solid, SpurGear)
    return gears.tip_diameter(solid.module, solid.teeth, solid.shift) / 2
