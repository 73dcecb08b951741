"""What ties parts to one another: closures, constraints, struts, and what takes up the way."""

from __future__ import annotations

from typing import Literal

import msgspec

from gremio.core.frames import IDENTITY, Frame, Triple

ClosureKind = Literal["pin", "rail"]
ConstraintKind = Literal[
    "ride", "pin", "match", "aim", "tether", "seat", "follow path", "constant volume", "reach"
]
Way = Literal["x", "-x", "y", "-y", "z", "-z"]
Upright = Literal["none", "ground", "target"]
Reach = Literal["within", "outside", "at"]
StrandKind = Literal["spring", "bellows", "hose", "rope"]


class Closure(msgspec.Struct, frozen=True, omit_defaults=True):
    """Two parts tied at a point, so that parts close into a loop; their joints stay.

    kind: a pin keeps the two points together; a rail keeps the first point on the line through
    the second along `axis`. one, two: ids of parts; two is None for the ground. at_one, at_two:
    the points, and axis: the line, in the parts' own frames (m).
    """

    one: str
    two: str | None
    kind: ClosureKind = "pin"
    at_one: Triple = (0.0, 0.0, 0.0)
    at_two: Triple = (0.0, 0.0, 0.0)
    axis: Triple = (1.0, 0.0, 0.0)


class Target(msgspec.Struct, frozen=True, omit_defaults=True):
    """What a constraint keeps its part to.

    on: id of a part, None for the ground. at: a point in its frame (m). path: id of a path,
    where that is the target. weight: its share among several, at home. offset: what is kept
    between part and target: of a ride, where the part stands in the target's frame; of a pin,
    how far off it is along the axes of the ground (m); of a match, its turn against the target.
    """

    on: str | None = None
    at: Triple = (0.0, 0.0, 0.0)
    path: str = ""
    weight: float = 1.0
    offset: Frame = IDENTITY


class Constraint(msgspec.Struct, frozen=True, omit_defaults=True):
    """What ties a part to others in space: it gives some of the part's channels, as far as the
    joint and the stops allow.

    name: what formulas and scripts call it by. part: id of the part it gives channels of.
    channels: their names. targets: what it keeps to; a seat, and a path, have one, and constant
    volume has none. influence: at home, from nothing (0) to all (1). adds: it adds to where the
    part is put, and does not set it. off: it gives nothing. freed: the channels that the part's
    joint was given for it, grounded again when it goes. offset: of an aim, a seat or a path,
    how the part stands in the frame that is found.

    axis: of an aim, the axis of the part that points; of a seat, the one that stands along the
    normal. upright, second, toward: of an aim, whether a second axis of the part is kept to the
    ground's z or to a point. stands: a seat turns the part along the normal.
    reach, distance: of a tether (m, at home). stand_off: of a seat (m, at home). by_share: on a
    path, the way is told as a share of its length. banked_for: the speed (m/s) at which a path's
    bends are banked so that nothing slides; 0 for level.

    tip: of a reach, the point of the part that is brought to its targets (m). Its channels are
    those of the joints that may move, by key, of the part and of what carries it. stiffness: how
    unwilling each of them is, by key; 1 where nothing is said.
    """

    name: str
    kind: ConstraintKind
    part: str
    channels: tuple[str, ...]
    targets: tuple[Target, ...] = ()
    influence: float = 1.0
    adds: bool = False
    off: bool = False
    freed: tuple[str, ...] = ()
    offset: Frame = IDENTITY
    axis: Way = "x"
    upright: Upright = "none"
    second: Way = "z"
    toward: Target = Target()
    stands: bool = True
    reach: Reach = "within"
    distance: float = 1.0
    stand_off: float = 0.0
    by_share: bool = False
    banked_for: float = 0.0
    tip: Triple = (0.0, 0.0, 0.0)
    stiffness: dict[str, float] = {}


class Strut(msgspec.Struct, frozen=True, omit_defaults=True):
    """A telescopic strut between two parts: a barrel, a rod, and any stages between them.

    barrel, rod, stages: ids of the parts; the stages from the barrel's outward. stage_lengths:
    from the inner end of each to its mouth (m). closure: id of the pin at the rod's eye.
    barrel_length: from the barrel's eye to its mouth; rod_length: from the rod's eye to its
    piston; bore: how wide the barrel is inside (m).
    """

    name: str
    barrel: str
    rod: str
    closure: str
    barrel_length: float
    rod_length: float
    bore: float = 0.1
    stages: tuple[str, ...] = ()
    stage_lengths: tuple[float, ...] = ()


class Waypoint(msgspec.Struct, frozen=True, omit_defaults=True):
    """Where a strand goes. on: id of a part, None for the ground. at: a point in its frame (m).

    radius: of a sheave that it goes round there (m), below zero where it runs clockwise about
    `axis`, which is in the part's frame; 0 for a plain point.
    """

    on: str | None = None
    at: Triple = (0.0, 0.0, 0.0)
    radius: float = 0.0
    axis: Triple = (0.0, 1.0, 0.0)


class Strand(msgspec.Struct, frozen=True, omit_defaults=True):
    """What takes up the way between two points: a spring, bellows, a hose or a rope.

    through: from its beginning to its end, a rope over sheaves between. thickness: of the wire,
    the hose or the rope; width: of the coils or the folds (m). turns: how many coils or folds
    there are. length: of a hose or a rope (m), which hangs where there is more of it than is
    asked for; 0 keeps it taut.
    """

    name: str
    kind: StrandKind
    through: tuple[Waypoint, ...]
    thickness: float = 0.02
    width: float = 0.1
    turns: float = 8.0
    length: float = 0.0
    paint: str = "#8d989c"
