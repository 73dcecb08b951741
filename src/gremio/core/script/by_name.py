"""Making links and more from a script, by the names of things."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec

from gremio.core.edit.builder import Typed, values_by_key
from gremio.core.edit.closures import add_closure
from gremio.core.edit.constraints import change_constraint
from gremio.core.edit.controls import all_home
from gremio.core.edit.desk import keep_pose, pose_id
from gremio.core.edit.desk import to_pose as blended_to
from gremio.core.edit.formulas import write
from gremio.core.edit.links import add_link
from gremio.core.edit.parts import moved_by
from gremio.core.edit.paths import add_path
from gremio.core.edit.strands import add_strand
from gremio.core.make import teach as teaching
from gremio.core.make.bodies import strut_of_bodies
from gremio.core.make.carriage import LimitOf, make_carriage
from gremio.core.make.constraining import constrain as tie
from gremio.core.make.constraining import keep_offset
from gremio.core.make.driving import drive_to as drive
from gremio.core.make.from_copies import joint_from_copies as joint_between
from gremio.core.make.lead_instead import lead_instead as put_in_lead
from gremio.core.make.meshing import interlock, with_backlash
from gremio.core.make.own_teeth import interlock_own
from gremio.core.make.pairs import propose
from gremio.core.make.releasing import release
from gremio.core.make.strands import shortest_way
from gremio.core.make.struts import make_strut
from gremio.core.mechanics.wheels import STEERING_RANGE
from gremio.core.problem import GremioError, listed
from gremio.core.rig.constraints import CONSTRAINTS, KINDS, constraints_of
from gremio.core.rig.find import channel_key, free_name, named_things, names_in, part_id, path_id
from gremio.core.rig.ids import NOTHING, ChannelKey
from gremio.core.rig.model import (
    Closure,
    ClosureKind,
    ConstraintKind,
    Frame,
    Kept,
    Path,
    PathKind,
    Rig,
    Rolling,
    Strand,
    StrandKind,
    Target,
    Triple,
    Upright,
    Way,
    Waypoint,
)
from gremio.core.script.posing import solve, surfaces_of


def formula(rig: Rig, channel: str, text: str, *, adds: bool = False) -> Rig:
    """The rig with a formula on a channel: formula(rig, "Gate turn z", "Pinion.turn * 12/32").

    channel: by name. adds: add to what the channel has otherwise. Raises FormulaError.
    """
    return write(rig, channel_key(rig, channel), text, adds=adds)[0]


def join(rig: Rig, lead: str, follower: str) -> Rig:
    """The rig with the ratio that the geometry of two parts proposes, led by the first. Of cogs
    that were brought in the teeth are counted, and the second is turned into the spaces of the
    first.

    Raises GremioError where the geometry says nothing.
    """
    ends, surfaces = (part_id(rig, lead), part_id(rig, follower)), surfaces_of(rig)
    proposal = propose(rig, solve(all_home(rig)), *ends, geometry=surfaces)
    if proposal is None:
        raise GremioError(
            f"Nothing on {lead} and {follower} says how they turn together. Give a ratio."
        )
    if proposal.cogs:
        moved = [moved_by(rig, end) for end in ends]
        rig = interlock_own(rig, *moved, geometry=surfaces)
    return add_link(rig, proposal.ratio())[0]


def mesh(
    rig: Rig, fixed: str, moved: str, *, keep_place: bool = False, backlash: float = 0.0
) -> Rig:
    """The rig with one part's teeth placed in the spaces of another's, and their ratio.

    moved goes to the right distance and turns into phase; keep_place: it only turns. backlash:
    play between the flanks along the pitch circles (m), for which it goes a little further away.
    Raises GremioError when there are no teeth, or they are unlike.
    """
    ends = moved_by(rig, part_id(rig, fixed)), moved_by(rig, part_id(rig, moved))
    surfaces = surfaces_of(rig)
    rig = interlock(rig, *ends, keep_place=keep_place, geometry=surfaces)
    rig = join(rig, fixed, moved)
    if backlash:
        rig = with_backlash(rig, *ends, backlash)
        rig = interlock(rig, *ends, keep_place=keep_place, geometry=surfaces)
    return rig


def path(
    rig: Rig,
    name: str,
    points: Sequence[Sequence[float]],
    *,
    closed: bool = False,
    on: str | None = None,
    kind: PathKind = "polyline",
    radii: Sequence[float] = (),
) -> Rig:
    """The rig with a path through points (m), in the frame of a part by name or the ground's.

    kind: polyline, spline, arc or circle (through three points), or wrap, round wheels at the
    points with radii (m). Wheels can roll along it (`roll`), parts be repeated along it, and
    follow it (`constrain`). Raises GremioError.
    """
    corners = tuple((float(x), float(y), float(z)) for x, y, z in points)
    part = None if on is None else part_id(rig, on)
    path = Path(name, corners, closed, part, kind, tuple(map(float, radii)))
    return add_path(rig, path)[0]


def roll(
    rig: Rig, wheel: str, radius: float, along: str = "", *, over: str = "", ball: bool = False
) -> Rig:
    """The rig with a wheel that rolls without slip.

    wheel: its turn by name ("Rear wheel turn y"). radius: m. along: name of a path; ""
    measures the way along its own heading. over: the part that it rolls over by name; "" for the
    ground. ball: it rolls in any direction; its joint frees all three turns. Raises GremioError.
    """
    path = path_id(rig, along) if along else NOTHING
    on = part_id(rig, over) if over else None
    return add_link(rig, Rolling(channel_key(rig, wheel), radius, path, on, ball))[0]


def teach(rig: Rig, lead: str, at: Typed, values: Mapping[str, Typed]) -> Rig:
    """The rig with a station more: teach(rig, "Open door", "30 deg", {"Door": "16 deg"}).

    lead: by name; the cam it leads is taught, or one is made. at: the lead's value, typed or
    SI. values: of channels by name. Raises GremioError, NotFound, QuantityError.
    """
    key = channel_key(rig, lead)
    where = values_by_key(rig, {lead: at})[key]
    return teaching.teach(rig, key, where, values_by_key(rig, values), geometry=surfaces_of(rig))


def pin(
    rig: Rig,
    one: str,
    two: str,
    at_one: Sequence[float] = (0.0, 0.0, 0.0),
    at_two: Sequence[float] = (0.0, 0.0, 0.0),
    rail: Sequence[float] | None = None,
) -> Rig:
    """The rig with two parts tied at a point, so that a loop closes.

    one, two: parts by name; "" for the ground as the second. at_one, at_two: the points in the
    parts' own frames (m). rail: a direction in the second part's frame, along which the first
    point may go; without it the points are kept together. Raises NotFound, GremioError.
    """
    kind: ClosureKind = "pin" if rail is None else "rail"
    second = part_id(rig, two) if two else None
    points = [_three(v) for v in (at_one, at_two, rail or (1.0, 0.0, 0.0))]
    return add_closure(rig, Closure(part_id(rig, one), second, kind, *points))[0]


def joint_from_copies(rig: Rig, part: str, copy: str) -> Rig:
    """The rig with the joint that brings a part (by name) from where it is to where its copy is,
    with stops at both; the copy is taken out. Raises GremioError where it is no copy."""
    ends = part_id(rig, part), part_id(rig, copy)
    return joint_between(rig, *ends, geometry=surfaces_of(rig))[0]


def lead_instead(rig: Rig, channel: str) -> Rig:
    """The rig with a new control of a channel (by name) that leads its closed linkage, in place of
    what leads it now: lead_instead(rig, "Piston"). Raises GremioError where that can't be."""
    found = channel_key(rig, channel)
    return put_in_lead(rig, found, geometry=surfaces_of(rig))[0]


def strut(
    rig: Rig,
    one: str,
    two: str,
    at_one: Sequence[float] = (0.0, 0.0, 0.0),
    at_two: Sequence[float] = (0.0, 0.0, 0.0),
    lengths: tuple[float, ...] | None = None,
    *,
    bodies: tuple[str, str] | None = None,
) -> Rig:
    """The rig with a telescopic strut between two parts, its barrel at the first.

    one, two: parts by name; "" for the ground. at_one, at_two: the places in the parts' own
    frames (m). lengths: of barrel, any stages, and rod (m); without them, such as the travel of the
    machine needs. bodies: two parts by name that become its barrel and rod, the one for the first
    place, the other for the second; the wider is the barrel. Raises NotFound, GremioError.
    """
    ends = [(part_id(rig, name) if name else None, _three(at))
            for name, at in ((one, at_one), (two, at_two))]  # fmt: skip
    surfaces = surfaces_of(rig)
    if bodies is not None:
        parts = part_id(rig, bodies[0]), part_id(rig, bodies[1])
        return strut_of_bodies(rig, ends[0], ends[1], parts, geometry=surfaces)[0]
    return make_strut(rig, ends[0], ends[1], lengths, geometry=surfaces)[0]


# Settings that say themselves what is between part and target.
_KEPT = {"offset", "targets", "stand_off", "distance", "way", "share"}


def constrain(
    rig: Rig,
    kind: ConstraintKind,
    part: str,
    *targets: str | Sequence[float],
    keep: bool | None = None,
    name: str | None = None,
    channels: Sequence[str] = (),
    grip: float | None = None,
    off: bool | None = None,
    adds: bool | None = None,
    offset: Frame | None = None,
    axis: Way | None = None,
    upright: Upright | None = None,
    second: Way | None = None,
    toward: str | None = None,
    reach: Kept | None = None,
    distance: float | None = None,
    stands: bool | None = None,
    stand_off: float | None = None,
    by_share: bool | None = None,
    banked_for: float | None = None,
    tip: Triple | None = None,
    stiffness: Mapping[str, float] | None = None,
) -> Rig:
    """The rig with a constraint: constrain(rig, "ride", "Crate", "Hook").

    kind: ride, pin, match, aim, tether, seat, run along, constant volume or reach. part: by
    name.
    targets: parts or paths by name, "" for the ground, or a point of the ground (m). keep:
    whether what is between part and target now is kept; by the kind where it is None. channels: of
    the part, by name, that it gives; by the kind where there are none. grip: how much it holds, 0
    to 1. off: it gives nothing. adds: it adds to where the part is put.

    Of some kinds only: offset, axis; of aim: upright, second, toward (a part by name); of tether:
    reach (within, outside, at), distance (m); of seat: stands, stand_off (m); of run along:
    by_share, banked_for (m/s); of reach: tip (m), stiffness (by the names of channels). Raises
    NotFound, GremioError for what the kind has not.
    """
    known = next((k for k in KINDS if k == kind), None)
    if known is None:
        raise GremioError(f"There is no constraint {kind!r}. Write one of {', '.join(KINDS)}.")
    given: dict[str, object] = {
        "name": name, "grip": grip, "off": off, "adds": adds, "offset": offset, "axis": axis,
        "upright": upright, "second": second, "reach": reach, "distance": distance,
        "stands": stands, "stand_off": stand_off, "by_share": by_share, "banked_for": banked_for,
        "tip": tip,
        "toward": None if toward is None else Target(part_id(rig, toward)),
        "stiffness": None if stiffness is None
        else {channel_key(rig, n): value for n, value in stiffness.items()},
    }  # fmt: skip
    settings = {setting: value for setting, value in given.items() if value is not None}
    has = CONSTRAINTS[known].struct.__struct_fields__
    for setting in settings:
        if setting not in has:
            others = [k for k in KINDS if setting in CONSTRAINTS[k].struct.__struct_fields__]
            raise GremioError(f"{known} has no {setting}; {listed(others)} has.")
    if known == "reach" and channels:
        # Its joints are told by the names of channels.
        settings["channels"] = tuple(channel_key(rig, channel) for channel in channels)
    stood = solve(rig)
    aims = [_target(rig, target) for target in targets]
    surfaces = surfaces_of(rig)
    at = part_id(rig, part)
    rig, made = tie(
        rig,
        known,
        at,
        aims,
        geometry=surfaces,
        keep=keep,
        channels=tuple(map(ChannelKey, channels)),
    )
    if not settings:
        return rig
    changed = msgspec.structs.replace(rig.constraints[made], **settings)
    rig = change_constraint(rig, made, changed)
    kept = CONSTRAINTS[known].keeps if keep is None else keep
    # What is kept depends on how it holds; what was told to be kept stands.
    return keep_offset(rig, made, stood) if kept and not _KEPT & set(settings) else rig


def leave_in_place(rig: Rig, *parts: str) -> Rig:
    """The rig with the constraints on some parts, by name, turned into plain placement: nothing
    moves. Of all parts where none is named. Raises NotFound."""
    ids = [part_id(rig, name) for name in parts] or list(rig.parts)
    return release(rig, [i for part in ids for i in constraints_of(rig, part)], solve(rig))


def _target(rig: Rig, target: str | Sequence[float]) -> Target:
    if not isinstance(target, str):
        return Target(at=_three(target))
    if not target:
        return Target()
    found = [word for word in ("part", "path") if _called(rig, word, target)]
    if len(found) > 1:
        raise GremioError(
            f"{target!r} is the name of a part and of a path. Rename one of them, so that it is "
            "clear which is meant."
        )
    if found == ["path"]:
        return Target(path=path_id(rig, target))
    return Target(part_id(rig, target))


def _called(rig: Rig, word: str, name: str) -> bool:
    return any(thing.name == name for thing in named_things(rig)[word].values())


def _three(values: Sequence[float]) -> Triple:
    x, y, z = (float(v) for v in values)
    return x, y, z


def strand(
    rig: Rig,
    kind: StrandKind,
    *through: tuple[str, Sequence[float]] | tuple[str, Sequence[float], float, Sequence[float]],
    name: str = "",
    thickness: float | None = None,
    width: float | None = None,
    length: float | None = None,
    turns: float | None = None,
) -> Rig:
    """The rig with a spring, bellows, a hose or a rope:
    strand(rig, "rope", ("Winch", (0, 0, 1)), ("Jib head", (0, 0, 0), 0.2, (0, 1, 0)), ...).

    through: a part by name ("" for the ground) and a point in its frame (m); where a rope goes
    round a sheave, its radius (m) and its axis there as well, on the side that makes it
    shortest. thickness, width, length: (m). turns: how many. Raises NotFound, GremioError.
    """
    ends = []
    for part, at, *sheave in through:
        on = part_id(rig, part) if part else None
        radius, axis = (float(sheave[0]), _three(sheave[1])) if sheave else (0.0, (0.0, 1.0, 0.0))  # type: ignore[arg-type]
        ends.append(Waypoint(on, _three(at), radius, axis))
    called = name or free_name(names_in(rig), kind.capitalize())
    given = {"thickness": thickness, "width": width, "length": length, "turns": turns}
    sizes = {size: value for size, value in given.items() if value is not None}
    made = msgspec.structs.replace(Strand(called, kind, tuple(ends)), **sizes)
    return add_strand(rig, shortest_way(solve(rig), made))[0]


def keep(rig: Rig, name: str) -> Rig:
    """The rig with where everything stands kept under a name, as one of its poses: the Desk, what
    was put by hand, and where what rolls or drives has come to."""
    pose = solve(rig)
    return keep_pose(rig, name, {control: pose.at(control) for control in rig.controls})[0]


def to_pose(rig: Rig, name: str, share: float = 1.0) -> Rig:
    """The rig a share of the way, 0 to 1, from where it stands to a kept pose. Nothing rolls or
    drives on the way there.

    Raises NotFound, which names the poses there are.
    """
    pose = solve(rig)
    start: dict[ChannelKey, float] = {**rig.at, **{c: pose.at(c) for c in rig.controls}}
    return blended_to(rig, start, pose_id(rig, name), share)


def carriage(
    rig: Rig,
    body: str,
    wheels: Sequence[str],
    steered: Sequence[str] = (),
    limit: float = STEERING_RANGE,
    limit_of: LimitOf = "mean",
) -> Rig:
    """The rig with a wheeled carriage made of a body and its wheels, with controls for travel
    and steering. limit: of the steering either way (rad), of the wheel inside the curve, of the
    one outside, or of the middle of their axle (limit_of). Raises GremioError."""
    ids = [part_id(rig, name) for name in wheels]
    turning = [part_id(rig, name) for name in steered]
    return make_carriage(
        rig, part_id(rig, body), ids, turning, limit, limit_of, geometry=surfaces_of(rig)
    )


def drive_to(rig: Rig, body: str, x: float, y: float) -> Rig:
    """The rig with a carriage, by the name of its body, driven from where it stands to a place (m),
    in one arc: it is steered where it stands, and then goes.

    x, y: of its own zero, as its moves say. Raises GremioError where it can't come there so.
    """
    return drive(rig, part_id(rig, body), (x, y), geometry=surfaces_of(rig))
