"""Making constraints, and what they keep, without a part being moved by it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import assert_never, cast, get_args

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.edit.change import must_have, without
from gremio.core.edit.constraints import (
    add_constraint,
    change_constraint,
    usual_name,
)
from gremio.core.edit.controls import set_values
from gremio.core.edit.parts import set_joint
from gremio.core.frames import IDENTITY, Frame, carried, frame_of, matrix, triple
from gremio.core.make.volume import longest_axis
from gremio.core.mechanics import turns
from gremio.core.plan.carrying import carriers
from gremio.core.problem import GremioError
from gremio.core.rig.channels import SCALES, freed, key
from gremio.core.rig.constraints import CONSTRAINTS, adds_to, constraints_of, targets_of
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.links import followers
from gremio.core.rig.model import (
    Aim,
    AnyConstraint,
    ConstantVolume,
    Constraint,
    ConstraintKind,
    Joint,
    Match,
    Pin,
    Reach,
    Ride,
    Rig,
    RunAlong,
    Seat,
    Target,
    Targeted,
    Tether,
    Way,
)
from gremio.core.shape.geometry import GeometryOf
from gremio.core.shape.paths import along, length, way_to
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.constraint_goals import axis_of, offset_of, seat_frame
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.pose import Pose


def constrain(
    rig: Rig,
    kind: ConstraintKind,
    part: PartId,
    targets: Sequence[Target] = (),
    *,
    geometry: GeometryOf,
    keep: bool | None = None,
    channels: Sequence[ChannelKey] = (),
) -> tuple[Rig, ThingId]:
    """The rig with a constraint on a part (by id), and the constraint's id.

    geometry: finds the surface of a solid. keep: whether what is between part and target now is
    kept, else the part is brought to it; by the kind where it is None. channels: what it should
    give; without them, what the kind usually gives. What the part's joint leaves of them is
    given; where it leaves none, the joint is given them. Raises GremioError.
    """
    must_have(rig.parts, part, "part")
    if kind not in CONSTRAINTS:
        raise GremioError(f"There is no constraint {kind!r}. There are: {', '.join(CONSTRAINTS)}.")
    record = CONSTRAINTS[kind]
    stood = _pose(rig, geometry)
    given: tuple[str, ...] = ()
    if kind == "reach":
        gives: tuple[str, ...] = _chain(rig, part, stood)
    else:
        if kind == "constant volume" and not channels:
            # The longest side stretches, at first, and the others follow.
            longest = longest_axis(rig, part, geometry)
            channels = tuple(ChannelKey(scale) for scale in SCALES if scale != longest)
        rig, gives, given = _with_freedoms(rig, part, kind, channels)
    bare = record.struct(usual_name(rig, kind, part), part, gives, freed=given)
    if isinstance(bare, Targeted):
        bare = replace(bare, targets=tuple(targets))
    made = cast(AnyConstraint, bare)
    begin = _BEGINNINGS.get(kind)
    if begin is not None and targets:
        made = begin(_pose(rig, geometry), made)
    rig, made_id = add_constraint(rig, made)
    if isinstance(made, RunAlong):
        rig = set_values(rig, {key(made_id, "way"): _way_now(rig, made, stood)})
    kept = record.keeps if keep is None else keep
    return (keep_offset(rig, made_id, stood) if kept else rig), made_id


def _pose(rig: Rig, geometry: GeometryOf) -> Pose:
    return evaluate(compile_rig(rig, geometry), rig.at).frame(0)


def _with_freedoms(
    rig: Rig, part: PartId, kind: ConstraintKind, channels: Sequence[str]
) -> tuple[Rig, tuple[str, ...], tuple[str, ...]]:
    """The rig with a part's joint given what a constraint needs where it leaves nothing of it;
    the names of the channels to give, and of those that the joint was given."""
    joint = rig.parts[part].joint
    usual = channels or CONSTRAINTS[kind].usually
    taken = {c for i in constraints_of(rig, part) for c in rig.constraints[i].channels}
    wanted = [c for c in usual if c not in taken]
    if not wanted:
        name = rig.parts[part].name
        raise GremioError(
            f"{name} has all that this would give it from another constraint. Remove that first, "
            "or add a target to it."
        )
    free = [c for c in wanted if c in freed(joint)]
    if free:
        return rig, tuple(free), ()
    needs = SCALES if kind == "constant volume" else tuple(wanted)
    given = tuple(c for c in needs if c not in freed(joint))
    grounded = tuple(c for c in joint.grounded if c not in given)
    changed = Joint(joint.kind, joint.axis, joint.lead, (*joint.freed, *given), grounded)
    return set_joint(rig, part, changed), tuple(wanted), given


def chain_of(rig: Rig, part: PartId) -> list[ChannelKey]:
    """Keys of the channels that move a part, its own and those of what carries it, from the
    ground outward; not its scales."""
    return [
        key(carrier, channel)
        for carrier in reversed(carriers(rig, part))
        for channel in freed(rig.parts[carrier].joint)
        if not channel.startswith("scale")
    ]


def _chain(rig: Rig, part: PartId, pose: Pose) -> tuple[ChannelKey, ...]:
    """Every joint from a part down to the ground that nothing else leads, by key."""
    channels = tuple(c for c in chain_of(rig, part) if c not in pose.program.drives)
    if not channels:
        raise GremioError(
            f"Nothing that carries {rig.parts[part].name} is free to move: every joint is fixed or "
            "led. Give one a joint (J), or remove what leads it."
        )
    return channels


def _with_distance(pose: Pose, one: AnyConstraint) -> AnyConstraint:
    """A tether as long as its part is from its first target now."""
    assert isinstance(one, Tether)
    away = _target_point(pose, one) - _stands(pose, one)[:3, 3]
    return replace(one, distance=float(np.linalg.norm(away)))


def _with_likeliest_axis(pose: Pose, one: AnyConstraint) -> AnyConstraint:
    """An aim with the axis of its part that points most nearly at the target; a seat with the
    one that is most nearly upright."""
    assert isinstance(one, Aim | Seat)
    stands = _stands(pose, one)
    goal = np.array([0.0, 0.0, 1.0])
    if isinstance(one, Aim):
        goal = _target_point(pose, one) - stands[:3, 3]
    turned = turns.turn_of(stands)
    ways = get_args(Way)
    best = max(ways, key=lambda way: float(turned @ axis_of(way) @ goal) + 1e-9 * (way == "x"))
    return replace(one, axis=best)


# What a new constraint of a kind takes from how things stand.
_BEGINNINGS: dict[ConstraintKind, Callable[[Pose, AnyConstraint], AnyConstraint]] = {
    "aim": _with_likeliest_axis,
    "seat": _with_likeliest_axis,
    "tether": _with_distance,
}


def _stands(pose: Pose, constraint: Constraint) -> Array:
    """(4, 4) where the constraint's part stands."""
    return pose.world(constraint.part)


def _target_point(pose: Pose, constraint: Constraint) -> Array:
    """(3,) the first target's point, or its path's place nearest to the part, in the world."""
    target = targets_of(constraint)[0]
    path = pose.program.rig.paths.get(target.path)
    if path is not None:
        frame = pose.frame_of(path.on)
        way = way_to(path, _inside(frame, _stands(pose, constraint)[:3, 3])[None])
        place = along(path, way)[0, :3, 3]
        on_path: Array = carried(frame, place)
        return on_path
    frame = pose.frame_of(target.on)
    result: Array = carried(frame, target.at)
    return result


def _inside(frame: Array, place: Array) -> Array:
    """(3,) a place of the world in a frame (4, 4)."""
    result: Array = np.linalg.inv(frame[:3, :3]) @ (place - frame[:3, 3])
    return result


def _way_now(rig: Rig, constraint: RunAlong, pose: Pose) -> float:
    """The way along its path (m) that is nearest to where a part stands."""
    path = rig.paths[constraint.targets[0].path]
    frame = pose.frame_of(path.on)
    return float(way_to(path, _inside(frame, _stands(pose, constraint)[:3, 3])[None])[0])


# ── what is kept between part and target ───────────────────────────


def keep_offset(rig: Rig, constraint_id: ThingId, pose: Pose) -> Rig:
    """The rig with a constraint that keeps what is between part and target in a pose, so that
    nothing moves: where a part stands on what it rides on, how far off it is, how it is turned.

    pose: of this rig, or of one without the constraint.
    """
    constraint = must_have(rig.constraints, constraint_id, "constraint")
    stands = _stands(pose, constraint)
    if adds_to(constraint):
        # What is added to where the part is put is counted from its mount.
        stands = _mount(pose, constraint.part)
    kept: AnyConstraint
    match constraint:
        case Ride() | Pin() | Match():
            targets = tuple(
                replace(t, offset=_kept(constraint.kind, pose.frame_of(t.on), t, stands))
                for t in constraint.targets
            )
            kept = replace(constraint, targets=targets)
        case RunAlong():
            rig = set_values(rig, _way_values(rig, constraint_id, constraint, pose))
            kept = replace(constraint, offset=_off_path(rig, constraint, pose, stands))
        case Aim() | Seat():
            kept = _kept_turn(rig, constraint_id, constraint, stands, pose.program.geometry)
        case Tether():
            away = _target_point(pose, constraint) - stands[:3, 3]
            kept = replace(constraint, distance=float(np.linalg.norm(away)))
        case ConstantVolume() | Reach():
            return rig
        case _:
            assert_never(constraint)
    return change_constraint(rig, constraint_id, kept)


def told_in(rig: Rig, constraint_id: ThingId, by_share: bool) -> Rig:
    """The rig with the way along a path told as a share of its length, or in metres; the part
    stays where it is."""
    constraint = must_have(rig.constraints, constraint_id, "constraint")
    if not isinstance(constraint, RunAlong) or constraint.by_share == by_share:
        return rig
    whole = length(rig.paths[constraint.targets[0].path])
    way, share = key(constraint_id, "way"), key(constraint_id, "share")
    rig = change_constraint(rig, constraint_id, replace(constraint, by_share=by_share))
    before, after, factor = (way, share, 1 / whole) if by_share else (share, way, whole)
    value = rig.at.get(before, 0.0) * factor
    return set_values(replace(rig, at=without(rig.at, before)), {after: value})


def snap(rig: Rig, constraint_id: ThingId) -> Rig:
    """The rig with a constraint that keeps nothing between part and target: the part goes to
    its target, points straight at it, or stands as the path goes."""
    snapped = must_have(rig.constraints, constraint_id, "constraint")
    if isinstance(snapped, Targeted):
        targets = tuple(replace(t, offset=IDENTITY) for t in snapped.targets)
        snapped = replace(snapped, targets=targets)
    if isinstance(snapped, Aim | Seat | RunAlong):
        snapped = replace(snapped, offset=IDENTITY)
    if isinstance(snapped, Seat):
        snapped = replace(snapped, stand_off=0.0)
    return change_constraint(rig, constraint_id, snapped)


def keeps_something(constraint: AnyConstraint) -> bool:
    """Whether something is kept between part and target."""
    offsets = [offset_of(constraint), *(target.offset for target in targets_of(constraint))]
    off = isinstance(constraint, Seat) and constraint.stand_off != 0.0
    return off or any(offset != IDENTITY for offset in offsets)


def _mount(pose: Pose, part: PartId) -> Array:
    """(4, 4) where a part stands with its own channels at home."""
    entry = pose.program.rig.parts[part]
    above = pose.frame_of(entry.parent)
    result: Array = above @ matrix(entry.mount) @ matrix(entry.own)
    return result


def _kept(kind: ConstraintKind, frame: Array, target: Target, stands: Array) -> Frame:
    if kind == "pin":
        x, y, z = stands[:3, 3] - frame[:3, :3] @ target.at - frame[:3, 3]
        return Frame((float(x), float(y), float(z)))
    if kind == "ride":
        return frame_of(np.linalg.inv(frame) @ stands)
    turned = np.eye(4)
    turned[:3, :3] = turns.turn_of(frame).T @ turns.turn_of(stands)
    sizes = [np.linalg.norm(m[:3, :3], axis=0) for m in (stands, frame)]
    turned[:3, :3] *= sizes[0] / sizes[1]
    return frame_of(turned)


def _way_values(
    rig: Rig, constraint_id: ThingId, constraint: RunAlong, pose: Pose
) -> dict[ChannelKey, float]:
    way = _way_now(rig, constraint, pose)
    if constraint.by_share:
        whole = length(rig.paths[constraint.targets[0].path])
        return {key(constraint_id, "share"): way / whole if whole else 0.0}
    return {key(constraint_id, "way"): way}


def _off_path(rig: Rig, constraint: RunAlong, pose: Pose, stands: Array) -> Frame:
    path = rig.paths[constraint.targets[0].path]
    frame = pose.frame_of(path.on)
    way = np.array([_way_now(rig, constraint, pose)])
    found = frame @ along(path, way, constraint.banked_for)[0]
    return frame_of(np.linalg.inv(found) @ stands)


def _kept_turn(
    rig: Rig,
    constraint_id: ThingId,
    constraint: Aim | Seat,
    stands: Array,
    geometry: GeometryOf,
) -> Aim | Seat:
    """An aim or a seat that keeps how its part stands, and how far off a surface it is."""
    bare = replace(constraint, offset=IDENTITY, off=False, grip=1.0)
    if isinstance(bare, Seat):
        bare = replace(bare, stand_off=0.0)
    tried = replace(rig, constraints={**rig.constraints, constraint_id: bare})
    # Whatever leads how much it holds, it is all that is looked at here.
    leading = [i for i, k in tried.links.items() if key(constraint_id, "grip") in followers(k)]
    tried = replace(tried, links=without(tried.links, *leading))
    snapped = _pose(tried, geometry)
    want = snapped.poses.wants.get(constraint_id)
    if want is None or not want.has[0]:
        return constraint
    aside = (0.0, 0.0, 0.0)
    if want.place is not None and want.normal is not None:
        gap = stands[:3, 3] - want.place[0]
        off = float(gap @ want.normal[0])
        aside = triple(seat_frame(want.normal[0]).T @ (gap - off * want.normal[0]))
        constraint = replace(constraint, offset=Frame(aside))
        if isinstance(constraint, Seat):
            constraint = replace(constraint, stand_off=off)
    if want.turn is None:
        return constraint
    now = turns.turn_of(stands)
    if want.whole:
        kept = want.turn[0].T @ now
    else:
        goal = want.turn[0] @ axis_of(constraint.axis)
        kept = turns.least(now.T @ goal, axis_of(constraint.axis))
    turned = np.eye(4)
    turned[:3, :3], turned[:3, 3] = kept, aside
    return replace(constraint, offset=frame_of(turned))


def with_target(rig: Rig, constraint_id: ThingId, target: Target, pose: Pose) -> Rig:
    """The rig with one more target of a constraint; where the others are kept off the part, so
    is this one."""
    constraint = must_have(rig.constraints, constraint_id, "constraint")
    if not isinstance(constraint, Targeted):
        raise GremioError(f"{constraint.name} has no targets. Nothing can be added to them.")
    kept = keeps_something(constraint) and constraint.kind in ("ride", "pin", "match")
    if kept:
        adds = adds_to(constraint)
        stands = _mount(pose, constraint.part) if adds else _stands(pose, constraint)
        offset = _kept(constraint.kind, pose.frame_of(target.on), target, stands)
        target = replace(target, offset=offset)
    more = replace(constraint, targets=(*constraint.targets, target))
    rig = change_constraint(rig, constraint_id, more)
    if constraint.kind == "aim" and keeps_something(constraint):
        return keep_offset(rig, constraint_id, pose)
    return rig
