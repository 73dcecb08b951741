"""What ties parts to one another: closures, constraints, struts, and what takes up the way."""

from __future__ import annotations

from typing import Literal, cast

from gremio.core.frames import IDENTITY, Frame, Triple
from gremio.core.rig.data import Data, Noted
from gremio.core.rig.ids import NOTHING, ChannelKey, PartId, ThingId

ClosureKind = Literal["pin", "rail"]
ConstraintKind = Literal[
    "ride", "pin", "match", "aim", "tether", "seat", "run along", "constant volume", "reach"
]
Way = Literal["x", "-x", "y", "-y", "z", "-z"]
Upright = Literal["none", "ground", "target"]
Kept = Literal["within", "outside", "at"]
StrandKind = Literal["spring", "bellows", "hose", "rope"]


class Closure(Noted, frozen=True):
    """Two parts tied at a point, so that parts close into a loop; their joints stay.

    kind: a pin keeps the two points together; a rail keeps the first point on the line through
    the second along `axis`. one, two: ids of parts; two is None for the ground. at_one, at_two:
    the points, and axis: the line, in the parts' own frames (m).
    """

    one: PartId
    two: PartId | None
    kind: ClosureKind = "pin"
    at_one: Triple = (0.0, 0.0, 0.0)
    at_two: Triple = (0.0, 0.0, 0.0)
    axis: Triple = (1.0, 0.0, 0.0)


class Target(Data, frozen=True):
    """What a constraint keeps its part to.

    on: id of a part, None for the ground. at: a point in its frame (m). path: id of a path,
    where that is the target. weight: its share among several, at home. offset: what is kept
    between part and target: of a ride, where the part stands in the target's frame; of a pin,
    how far off it is along the axes of the ground (m); of a match, its turn against the target.
    """

    on: PartId | None = None
    at: Triple = (0.0, 0.0, 0.0)
    path: ThingId = NOTHING
    weight: float = 1.0
    offset: Frame = IDENTITY


class Constraint(Noted, frozen=True, tag_field="kind"):
    """What ties a part to others in space: it gives some of the part's channels, as far as the
    joint and the stops allow. What every kind has.

    name: what formulas and scripts call it by. part: id of the part it gives channels of.
    channels: their names. grip: how much it holds, at home, from nothing (0) to all (1). off: it
    gives nothing. freed: the channels that the part's joint was given for it, grounded again when
    it goes.
    """

    name: str
    part: PartId
    channels: tuple[str, ...]
    grip: float = 1.0
    off: bool = False
    freed: tuple[str, ...] = ()

    @property
    def kind(self) -> ConstraintKind:
        """Its kind, in words."""
        return cast(ConstraintKind, self.__struct_config__.tag)


class Targeted(Constraint, frozen=True):
    """A constraint with targets. targets: what it keeps to."""

    targets: tuple[Target, ...] = ()


class Tie(Targeted, frozen=True):
    """A constraint that may add. adds: it adds to where the part is put, and does not set it."""

    adds: bool = False


class Ride(Tie, frozen=True, tag="ride"):
    """The part is carried entirely by its targets."""


class Pin(Tie, frozen=True, tag="pin"):
    """The part's position is kept to its targets."""


class Match(Tie, frozen=True, tag="match"):
    """The part's orientation is kept to its targets."""


class Aim(Tie, frozen=True, tag="aim"):
    """The part points at its targets.

    offset: how it stands in the frame that is found. axis: the axis of the part that points.
    upright, second, toward: whether a second axis of the part is kept to the ground's z, or to a
    point.
    """

    offset: Frame = IDENTITY
    axis: Way = "x"
    upright: Upright = "none"
    second: Way = "z"
    toward: Target = Target()


class Tether(Tie, frozen=True, tag="tether"):
    """The part is kept within, outside, or at a distance (m, at home) of its targets."""

    reach: Kept = "within"
    distance: float = 1.0


class Seat(Tie, frozen=True, tag="seat"):
    """The part is kept on the surface of its target.

    offset: how it stands in the frame that is found. stands: the part is turned so that its axis
    is along the normal. stand_off: how far off the surface it is (m, at home).
    """

    offset: Frame = IDENTITY
    axis: Way = "x"
    stands: bool = True
    stand_off: float = 0.0


class RunAlong(Tie, frozen=True, tag="run along"):
    """The part is kept on a path, its target.

    offset: how it stands in the frame that is found. by_share: the way is told as a share of the
    path's length. banked_for: the speed (m/s) at which the path's bends are banked so that
    nothing slides; 0 for level.
    """

    offset: Frame = IDENTITY
    by_share: bool = False
    banked_for: float = 0.0


class ConstantVolume(Constraint, frozen=True, tag="constant volume"):
    """The part keeps its volume while it stretches."""


class Reach(Targeted, frozen=True, tag="reach"):
    """A chain of joints brings its tip to its targets.

    Its channels are those of the joints that may move, by key, of the part and of what carries
    it. tip: the point of the part that is brought to the targets (m). stiffness: how unwilling
    each of the joints is, by key; 1 where nothing is said.
    """

    tip: Triple = (0.0, 0.0, 0.0)
    stiffness: dict[ChannelKey, float] = {}


AnyConstraint = Ride | Pin | Match | Aim | Tether | Seat | RunAlong | ConstantVolume | Reach


class Strut(Noted, frozen=True):
    """A telescopic strut between two parts: a barrel, a rod, and any stages between them.

    barrel, rod, stages: ids of the parts; the stages from the barrel's outward. stage_lengths:
    from the inner end of each to its mouth (m). closure: id of the pin at the rod's eye.
    barrel_length: from the barrel's eye to its mouth; rod_length: from the rod's eye to its
    piston; bore: how wide the barrel is inside (m).
    """

    name: str
    barrel: PartId
    rod: PartId
    closure: ThingId
    barrel_length: float
    rod_length: float
    bore: float = 0.1
    stages: tuple[PartId, ...] = ()
    stage_lengths: tuple[float, ...] = ()


class Waypoint(Data, frozen=True):
    """Where a strand goes. on: id of a part, None for the ground. at: a point in its frame (m).

    radius: of a sheave that it goes round there (m), below zero where it runs clockwise about
    `axis`, which is in the part's frame; 0 for a plain point.
    """

    on: PartId | None = None
    at: Triple = (0.0, 0.0, 0.0)
    radius: float = 0.0
    axis: Triple = (0.0, 1.0, 0.0)


class Tread(Noted, frozen=True):
    """Links that go round wheels: a part that is repeated along the band that lies on them. Also a
    chain round sprockets.

    link: id of the repeated part. on: id of the part in whose frame the band lies; None for the
    ground. wheels: in their order round the band, each with the radius of the line in which links
    are joined (m), below zero where the band runs inside; the first drives, and says how far on the
    links are. seat: where on the first, from the frame's x (its z where the axle is along x), a
    joint of two links sits when nothing has moved (rad). sag: how far the longest run hangs in its
    middle (m); hangs: on the underside too. slip: by how much the driving wheel turns more than it
    rolls, as a share.
    """

    name: str
    link: PartId
    wheels: tuple[Waypoint, ...]
    on: PartId | None = None
    seat: float = 0.0
    sag: float = 0.0
    hangs: bool = False
    slip: float = 0.0


class Strand(Noted, frozen=True):
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
