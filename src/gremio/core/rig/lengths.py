"""The unit in which the lengths of a rig, and of a thing in it, are shown. It changes nothing of
what a rig says: every length is kept in metres, and a formula reads bare numbers as ever."""

from __future__ import annotations

from collections.abc import Mapping

from gremio.core.remembered import Bounded
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Part, Rig
from gremio.core.rig.solids import InternalGear, Mesh, RackBar, SpurGear

# What is smaller is shown in millimetres, where no unit is chosen (m).
SMALL = 0.25
# What is no length of a solid.
NO_LENGTHS = ("teeth", "pressure_angle", "shift")


def length_unit(rig: Rig, thing: ThingId) -> str:
    """The unit that lengths of a thing (by id) are shown in: the rig's, where one is chosen; else
    millimetres for a part smaller than a hand is wide, and for all of a rig of only such."""
    if rig.lengths:
        return rig.lengths
    part = rig.parts.get(PartId(thing))
    size = 0.0 if part is None else size_of(part)
    return "mm" if 0.0 < (size or _largest(rig)) < SMALL else "m"


def small_unit(rig: Rig) -> str:
    """The unit of lengths that are small whatever they are of: a wire, a wheel's radius."""
    return rig.lengths or "mm"


def size_of(part: Part) -> float:
    """About how large a part is (m), by the dimensions of its shapes; 0 without any."""
    return max((_size(shape.solid) for shape in part.shapes), default=0.0)


def _size(solid: object) -> float:
    if isinstance(solid, Mesh):
        return max(solid.size)
    if isinstance(solid, SpurGear | InternalGear | RackBar):
        return solid.module * solid.teeth
    fields = type(solid).__struct_fields__  # type: ignore[attr-defined]
    found = (getattr(solid, field) for field in fields if field not in NO_LENGTHS)
    return max((float(value) for value in found if isinstance(value, int | float)), default=0.0)


# How large the largest part is, of the tables of parts looked at last; the table is kept too, so
# that no other can come to stand at the same place in memory.
_LARGEST: Bounded[int, tuple[Mapping[PartId, Part], float]] = Bounded(lambda _kept: 1, 4)


def _largest(rig: Rig) -> float:
    def find(_place: int) -> tuple[Mapping[PartId, Part], float]:
        return rig.parts, max(map(size_of, rig.parts.values()), default=0.0)

    return _LARGEST.of(id(rig.parts), find)[1]
