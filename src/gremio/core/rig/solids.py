"""The shapes a part can carry. Every dimension is a number that can be changed.

Lengths in metres, angles in radians. Each solid says where its own zero is.
"""

from __future__ import annotations

import math

import msgspec

from gremio.core.frames import Triple
from gremio.core.rig.ids import ThingId


class Solid(
    msgspec.Struct, frozen=True, tag_field="solid", kw_only=True, forbid_unknown_fields=True
):
    """A shape, without a place or a paint."""


class Box(Solid, frozen=True, tag="box"):
    """A block, zero at its centre: length along x, width along y, height along z.

    Lengths in metres.
    """

    length: float
    width: float
    height: float


class Cylinder(Solid, frozen=True, tag="cylinder"):
    """A round bar along z, zero at its centre. Lengths in metres."""

    diameter: float
    height: float


class Ball(Solid, frozen=True, tag="ball"):
    """A ball, zero at its centre. Lengths in metres."""

    diameter: float


class Tube(Solid, frozen=True, tag="tube"):
    """A hollow bar along z, zero at its centre. Lengths in metres."""

    outer_diameter: float
    inner_diameter: float
    height: float


class Wedge(Solid, frozen=True, tag="wedge"):
    """A ramp that rises along x from nothing to its height, zero under its centre.

    Lengths in metres.
    """

    length: float
    width: float
    height: float


class Plate(Solid, frozen=True, tag="plate"):
    """A flat plate in x and y, zero at its centre, with round holes through it.

    holes: (x, y, diameter) of each hole.
    Lengths in metres.
    """

    length: float
    width: float
    thickness: float
    holes: tuple[Triple, ...] = ()


class SpurGear(Solid, frozen=True, tag="spur gear"):
    """An external spur gear about z, zero at its centre; tooth 0 is centred on +x.

    Tooth proportions after ISO 53: addendum 1.00 m, dedendum 1.25 m, root fillet 0.38 m.
    shift: profile shift coefficient x (ISO 21771); teeth thicken where it is above zero.
    Lengths in metres, the pressure angle in radians.
    """

    module: float
    teeth: int
    width: float
    bore: float = 0.0
    pressure_angle: float = math.radians(20)
    shift: float = 0.0


class InternalGear(Solid, frozen=True, tag="internal gear"):
    """A ring with teeth inward, about z, zero at its centre; tooth 0 is centred on +x.

    rim: outer diameter. shift: profile shift coefficient; a pinion with the same shift
    meshes at the unshifted distance.
    Lengths in metres, the pressure angle in radians.
    """

    module: float
    teeth: int
    width: float
    rim: float
    pressure_angle: float = math.radians(20)
    shift: float = 0.0


class RackBar(Solid, frozen=True, tag="rack"):
    """A toothed bar along x; zero on its pitch line, in the middle of a tooth.

    The teeth point to +y; `back` is the depth of the bar below the roots.
    The tooth at zero is the first; the others follow toward +x.
    Lengths in metres, the pressure angle in radians.
    """

    module: float
    teeth: int
    width: float
    back: float
    pressure_angle: float = math.radians(20)


class Mesh(Solid, frozen=True, tag="mesh"):
    """A piece of a source file.

    source: id of the source. piece: its name in that file.
    centre, size: the box it fills (m), which stands in when the file is not there.
    mirrored: it is what the file has, seen in the mirror of its own x.
    """

    source: ThingId
    piece: str
    centre: Triple
    size: Triple
    mirrored: bool = False


AnySolid = Box | Cylinder | Ball | Tube | Wedge | Plate | SpurGear | InternalGear | RackBar | Mesh
