"""What the user made: frozen, typed data. Nothing here is computed.

Everything refers by id ("p3", "c1", "k2", "s1"); names are for people and are unique in
a rig. The mappings are never changed in place: an edit makes a new rig that shares what
it did not touch.
"""

from __future__ import annotations

from typing import Literal

from gremio.core.frames import IDENTITY, Frame, Triple
from gremio.core.quantity import Kind
from gremio.core.rig.data import Data, Noted
from gremio.core.rig.ids import NOTHING, ChannelKey, PartId, ThingId
from gremio.core.rig.kitted import Kit, KitUse, Socket
from gremio.core.rig.linked import (
    Beyond,
    Cam,
    Driving,
    Follower,
    Formula,
    Link,
    LinkKind,
    Motor,
    Planetary,
    ProfileKind,
    Ratio,
    RatioKind,
    Rolling,
    Rumble,
    Station,
)
from gremio.core.rig.solids import AnySolid
from gremio.core.rig.sourced import Source, SourceNode, SourcePiece, Up
from gremio.core.rig.tied import (
    Aim,
    AnyConstraint,
    Closure,
    ClosureKind,
    ConstantVolume,
    Constraint,
    ConstraintKind,
    Kept,
    Match,
    Pin,
    Reach,
    Ride,
    RunAlong,
    Seat,
    Strand,
    StrandKind,
    Strut,
    Target,
    Targeted,
    Tether,
    Tie,
    Tread,
    Upright,
    Way,
    Waypoint,
)

Axis = Literal["x", "y", "z"]
JointKind = Literal[
    "fixed",
    "hinge",
    "spin",
    "slide",
    "screw",
    "cylinder",
    "wheel",
    "ball",
    "planar",
    "free",
]
PathKind = Literal["polyline", "spline", "arc", "circle", "wrap"]
RepeatAlong = Literal["line", "circle", "path", "tread"]
StandIn = Literal["box", "hull", "outline", "full"]
MeasureKind = Literal["distance", "length", "radius", "size", "angle"]
LengthUnit = Literal["", "m", "mm", "cm", "in", "ft"]
ControlMake = Literal["slider", "dial", "lever", "switch", "pad"]
LabelSide = Literal["left", "right"]
RoutineEnds = Literal["once", "round", "to and fro"]

PAINT = "#B9C4BE"


class Joint(Data, frozen=True):
    """What a part may do at its mount; `axis` is one of the mount's axes.

    lead: how far a screw goes for a turn (m). freed, grounded: channels by name that are
    free, or grounded, besides what the kind says.
    """

    kind: JointKind = "fixed"
    axis: Axis = "z"
    lead: float = 0.0
    freed: tuple[str, ...] = ()
    grounded: tuple[str, ...] = ()


class Stops(Data, frozen=True):
    """The low and the high stop of a channel (m or rad); None where it runs free.

    soft: from how far before a stop the channel slows down toward it (m or rad).
    """

    low: float | None = None
    high: float | None = None
    soft: float = 0.0


class Shape(Data, frozen=True):
    """A solid on a part: where it stands in the part's frame, and its paint "#rrggbb"."""

    solid: AnySolid
    place: Frame = IDENTITY
    paint: str = PAINT


class Repeat(Data, frozen=True):
    """A part repeated at its mount: along an axis of it, round it, along a path, or as the links of
    a tread.

    count: how many there are, the part itself among them. pitch: from one to the next, m
    along a line or path, rad round a circle (0: evenly all round). path: id, of a path or a tread.
    shift: how far the whole row has moved on, as the pitch is counted.
    """

    along: RepeatAlong = "line"
    axis: Axis = "x"
    count: int = 2
    pitch: float = 0.0
    path: ThingId = NOTHING
    shift: float = 0.0


class Part(Noted, frozen=True):
    """One rigid body.

    parent: id of the part it is mounted on, None when it stands on the ground.
    mount: the rest frame of its joint in the parent's frame. own: the frame that its model
    gave it, in the frame that its joint moves: its shapes, and what is mounted on it, stand in
    it. So the joint's axis lies where it must, and the part keeps the frame it came with.
    stops: by channel name ("turn z").
    repeat: how it is repeated, if it is. stand_in: what is shown for its shapes while
    working light. shown: whether it is seen, with all it carries.
    """

    name: str
    parent: PartId | None = None
    mount: Frame = IDENTITY
    joint: Joint = Joint()
    stops: dict[str, Stops] = {}
    shapes: tuple[Shape, ...] = ()
    repeat: Repeat | None = None
    stand_in: StandIn = "box"
    own: Frame = IDENTITY
    shown: bool = True


class Face(Data, frozen=True):
    """The face of a control in the Bench: a small machine control beside the part it moves.

    on: id of the part that carries it, None for the ground. at: where its middle is in that
    part's frame (m). turn: how it lies there, by angles about x, then y, then z (rad), when it
    is fixed. fixed: it lies in its carrier's frame; else it is turned to the viewer. size: how
    long its slot, or how wide its ring, is (m); 0 keeps it as large on the screen however near
    one looks. hidden: it is not shown. exported: it goes along in exports.
    """

    on: PartId | None = None
    at: Triple = (0.0, 0.0, 0.0)
    turn: Triple = (0.0, 0.0, 0.0)
    fixed: bool = False
    size: float = 0.0
    hidden: bool = False
    exported: bool = False


class Control(Noted, frozen=True):
    """What the animator touches. low, high and home in SI; shown in `unit`.

    notches: values to snap to; of a switch, its positions. make: what kind of control it is.
    springs: a lever that goes home when it is let go. positions: the names of a switch's
    positions, as many as notches. across: of a pad, id of the control that is its second axis.
    scale: the numbers that the animator reads at the low and the high end, where they are not
    those of the machine; scale_unit: what stands behind them. open: it goes on beyond its range,
    which is then only what is shown of it, and swept. label: the side on which its name stands.
    face: in the Bench.
    """

    name: str
    kind: Kind
    unit: str
    low: float
    high: float
    home: float = 0.0
    notches: tuple[float, ...] = ()
    group: str = ""
    make: ControlMake = "slider"
    springs: bool = False
    positions: tuple[str, ...] = ()
    across: ThingId = NOTHING
    scale: tuple[float, float] | None = None
    label: LabelSide = "left"
    face: Face | None = None
    scale_unit: str = ""
    open: bool = False


class KeptPose(Data, frozen=True):
    """Where everything stood, kept under a name. values: SI, of the controls and of all that was
    put besides, by key; what rolls and drives stands where it had come to. whole: what it does
    not know was at home; else that stays where it is.
    """

    name: str
    values: dict[ChannelKey, float]
    whole: bool = False


class HandOff(Data, frozen=True):
    """From when on a part rides on another carrier, where it stands then.

    time: from the routine's beginning (s). carrier: id of a part; None for the ground. over: how
    long it takes from there to settle into a place of the carrier (s); 0: it stays where it stands.
    place: where its mount comes to then, in the carrier's frame; its size stays.
    """

    time: float
    carrier: PartId | None = None
    over: float = 0.0
    place: Frame = IDENTITY


class Routine(Noted, frozen=True):
    """Moves over time: keys of channels, kept as cams that the clock leads.

    length: (s). rate: frames a second, as a fraction: (30000, 1001). ends: what comes after its
    length. keys: by channel, the cam that has it for its one follower; its stations are keys, at
    times from the routine's beginning (s). start: where inputs stand at its beginning (SI, by
    channel key), those at home left out. play: from when to when it is played (s), the whole where
    it is None. carried: by part, its hand-offs in their order; before the first it is where it is
    mounted.
    """

    name: str
    length: float = 10.0
    rate: tuple[int, int] = (25, 1)
    ends: RoutineEnds = "once"
    keys: dict[ChannelKey, Cam] = {}
    start: dict[ChannelKey, float] = {}
    play: tuple[float, float] | None = None
    carried: dict[PartId, tuple[HandOff, ...]] = {}


class Anchor(Data, frozen=True):
    """A picked feature of a part.

    at: the point in the part's frame (m), as it was picked. shape, feature: which of the
    part's shapes, and which of that shape's features, so that it follows when a dimension
    changes; −1 for a plain point.
    """

    part: PartId
    at: Triple = (0.0, 0.0, 0.0)
    shape: int = -1
    feature: int = -1


class Measure(Noted, frozen=True):
    """Something measured and kept under a name.

    kind: the distance between two points; the length of an edge; the radius of a circle;
    the size of a part along one of its axes; the angle between two faces or edges.
    """

    name: str
    kind: MeasureKind
    ends: tuple[Anchor, ...]
    unit: str = "m"
    axis: Axis = "x"


class Path(Noted, frozen=True):
    """A line in space, in the frame of a part or of the ground.

    points: (m) what it goes through: a polyline and a spline one after the other; an arc from
    the first through the second to the third; a circle through three. A wrap goes round wheels
    whose centres are the points, in their order, as a band lies on them. closed: it comes back to
    its beginning. radii: of a wrap's wheels (m), below zero where the band runs inside. ticks: ways
    along it (m) at which it is marked, as a trace is at each frame or step.
    """

    name: str
    points: tuple[Triple, ...]
    closed: bool = False
    on: PartId | None = None
    kind: PathKind = "polyline"
    radii: tuple[float, ...] = ()
    ticks: tuple[float, ...] = ()


class Alike(Data, frozen=True):
    """Two sides that are kept alike: what is changed on one is changed on the other, as a mirror
    has it.

    pairs: of each thing of the one side the thing of the other, by id. axis, on, at: the mirror
    stands across an axis of a part, or of the ground, so far along it (m). same_way: what is led
    from outside turns the same way round on both.
    """

    pairs: dict[ThingId, ThingId]
    axis: Axis = "y"
    on: PartId | None = None
    at: float = 0.0
    same_way: bool = False


class Rig(Data, frozen=True):
    """The document.

    at: where each channel that nothing leads stands now (SI), by channel key; a channel
    that is absent is at home. poses: kept, by id. locked: for the animator, so that only
    controls move anything. kits: those that were put in. kit: what makes it a kit itself, if it is
    one. lengths: the unit that lengths are shown in; "" for one by the size of
    what they are of. made: how many ids have been given out, so that none is given twice.
    """

    name: str = "Untitled"
    parts: dict[PartId, Part] = {}
    controls: dict[ThingId, Control] = {}
    links: dict[ThingId, Link] = {}
    sources: dict[ThingId, Source] = {}
    measures: dict[ThingId, Measure] = {}
    paths: dict[ThingId, Path] = {}
    closures: dict[ThingId, Closure] = {}
    struts: dict[ThingId, Strut] = {}
    constraints: dict[ThingId, AnyConstraint] = {}
    strands: dict[ThingId, Strand] = {}
    treads: dict[ThingId, Tread] = {}
    at: dict[ChannelKey, float] = {}
    poses: dict[ThingId, KeptPose] = {}
    routines: dict[ThingId, Routine] = {}
    alike: dict[ThingId, Alike] = {}
    kits: dict[ThingId, KitUse] = {}
    kit: Kit | None = None
    locked: bool = False
    lengths: LengthUnit = ""
    made: int = 0

    def __repr__(self) -> str:
        """Its name, and how much there is; all of it would be a book."""
        there: dict[str, int] = {
            "part": len(self.parts), "control": len(self.controls), "link": len(self.links),
            "constraint": len(self.constraints), "routine": len(self.routines),
        }  # fmt: skip
        told = [f"{count} {word}{'s' * (count != 1)}" for word, count in there.items() if count]
        return f"<rig {self.name!r}: {', '.join(told) or 'empty'}>"


__all__ = [
    "PAINT",
    "Aim",
    "Alike",
    "Anchor",
    "AnyConstraint",
    "Axis",
    "Beyond",
    "Cam",
    "Closure",
    "ClosureKind",
    "ConstantVolume",
    "Constraint",
    "ConstraintKind",
    "Control",
    "ControlMake",
    "Driving",
    "Face",
    "Follower",
    "Formula",
    "Frame",
    "HandOff",
    "Joint",
    "JointKind",
    "Kept",
    "KeptPose",
    "Kit",
    "KitUse",
    "LabelSide",
    "LengthUnit",
    "Link",
    "LinkKind",
    "Match",
    "Measure",
    "MeasureKind",
    "Motor",
    "Part",
    "Path",
    "PathKind",
    "Pin",
    "Planetary",
    "ProfileKind",
    "Ratio",
    "RatioKind",
    "Reach",
    "Repeat",
    "RepeatAlong",
    "Ride",
    "Rig",
    "Rolling",
    "Routine",
    "RoutineEnds",
    "Rumble",
    "RunAlong",
    "Seat",
    "Shape",
    "Socket",
    "Source",
    "SourceNode",
    "SourcePiece",
    "StandIn",
    "Station",
    "Stops",
    "Strand",
    "StrandKind",
    "Strut",
    "Target",
    "Targeted",
    "Tether",
    "Tie",
    "Tread",
    "Triple",
    "Up",
    "Upright",
    "Way",
    "Waypoint",
]
