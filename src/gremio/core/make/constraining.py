"""Making constraints, switching them and taking them away, without a part being moved by it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from gremio.core.frames import IDENTITY, Frame, frame_of, matrix, triple
from gremio.core.mechanics import turns
from gremio.core.problem import GremioError
from gremio.core.rig.carrying import carriers
from gremio.core.rig.channels import SCALES, freed, key
from gremio.core.rig.constraints import USUALLY_GIVES, constraints_of
from gremio.core.rig.edit.change import must_have, without
from gremio.core.rig.edit.constraints import (
    add_constraint,
    change_constraint,
    given_by_others,
    given_keys,
    remove_constraint,
    usual_name,
)
from gremio.core.rig.edit.controls import set_values
from gremio.core.rig.edit.parts import remove_part, set_joint
from gremio.core.rig.model import Constraint, ConstraintKind, Joint, Rig, Target, Way
from gremio.core.shape.paths import along, length, way_to
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.constraint_goals import axis_of, seat_frame
from gremio.core.solve.constraint_steps import GeometryOf
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.pose import Pose
from gremio.core.solve.program import compile_rig

Array = npt.NDArray[np.float64]
_WAYS: tuple[Way, ...] = ("x", "-x", "y", "-y", "z", "-z")
# Kinds that begin with what is between part and target now; the others bring the part there.
KEEPS: tuple[ConstraintKind, ...] = ("ride", "pin", "match", "aim")


def constrain(
    rig: Rig,
    kind: ConstraintKind,
    part: str,
    targets: Sequence[Target] = (),
    keep: bool | None = None,
    geometry: GeometryOf = geometry_of,
    channels: Sequence[str] = (),
) -> tuple[Rig, str]:
    """The rig with a constraint on a part (by id), and the constraint's id.

    channels: what it should give; without them, what the kind usually gives. What the part's
    joint leaves of them is given; where it leaves none, the joint is given them. keep: whether
    what is between part and target now is kept, else the part is brought to it; by the kind
    where it is None. geometry: finds the surface of a solid. Raises GremioError.
    """
    must_have(rig.parts, part, "part")
    if kind == "reach":
        return _reach(rig, part, targets)
    rig, gives, given = _with_freedoms(rig, part, kind, channels)
    constraint = Constraint(
        usual_name(rig, kind, part), kind, part, gives, tuple(targets), freed=given
    )
    if kind in ("aim", "seat"):
        constraint = replace(constraint, axis=_likeliest_axis(rig, constraint))
    if kind == "tether":
        constraint = replace(constraint, distance=_apart(rig, constraint))
    stood = _pose(rig, geometry)
    rig, made = add_constraint(rig, constraint)
    if kind == "follow path":
        rig = set_values(rig, {key(made, "way"): _way_now(rig, constraint, stood)})
    kept = kind in KEEPS if keep is None else keep
    return (keep_offset(rig, made, stood, geometry) if kept else rig), made


def _pose(rig: Rig, geometry: GeometryOf) -> Pose:
    return evaluate(compile_rig(rig, geometry), rig.at).frame(0)


def _with_freedoms(
    rig: Rig, part: str, kind: ConstraintKind, channels: Sequence[str]
) -> tuple[Rig, tuple[str, ...], tuple[str, ...]]:
    """The rig with a part's joint given what a constraint needs where it leaves nothing of it;
    the names of the channels to give, and of those that the joint was given."""
    joint = rig.parts[part].joint
    usual = channels or USUALLY_GIVES[kind]
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


def chain_of(rig: Rig, part: str) -> list[str]:
    """Keys of the channels that move a part, its own and those of what carries it, from the
    ground outward; not its scales."""
    return [
        key(carrier, channel)
        for carrier in reversed(carriers(rig, part))
        for channel in freed(rig.parts[carrier].joint)
        if not channel.startswith("scale")
    ]


def _reach(rig: Rig, part: str, targets: Sequence[Target]) -> tuple[Rig, str]:
    """A chain of every joint from a part down to the ground that nothing else leads."""
    program = compile_rig(rig)
    channels = tuple(c for c in chain_of(rig, part) if c not in program.drives)
    if not channels:
        raise GremioError(
            f"Nothing that carries {rig.parts[part].name} is free to move: every joint is fixed or "
            "led. Give one a joint (J), or remove what leads it."
        )
    name = usual_name(rig, "reach", part)
    return add_constraint(rig, Constraint(name, "reach", part, channels, tuple(targets)))


def _apart(rig: Rig, constraint: Constraint) -> float:
    """How far a part is from its first target now (m)."""
    pose = _pose(rig, geometry_of)
    return float(np.linalg.norm(_target_point(pose, constraint) - _stands(pose, constraint)[:3, 3]))


def _stands(pose: Pose, constraint: Constraint) -> Array:
    """(4, 4) where the constraint's part stands."""
    return pose.world(constraint.part)


def _target_point(pose: Pose, constraint: Constraint) -> Array:
    """(3,) the first target's point, or its path's place nearest to the part, in the world."""
    target = constraint.targets[0]
    path = pose.program.rig.paths.get(target.path)
    if path is not None:
        frame = pose.frame_of(path.on)
        way = way_to(path, _inside(frame, _stands(pose, constraint)[:3, 3])[None])
        place = along(path, way)[0, :3, 3]
        on_path: Array = frame[:3, :3] @ place + frame[:3, 3]
        return on_path
    frame = pose.frame_of(target.on)
    result: Array = frame[:3, :3] @ target.at + frame[:3, 3]
    return result


def _inside(frame: Array, place: Array) -> Array:
    """(3,) a place of the world in a frame (4, 4)."""
    result: Array = np.linalg.inv(frame[:3, :3]) @ (place - frame[:3, 3])
    return result


def _likeliest_axis(rig: Rig, constraint: Constraint) -> Way:
    """Of an aim, the axis of the part that points most nearly at the target; of a seat, the one
    that is most nearly upright."""
    pose = _pose(rig, geometry_of)
    stands = _stands(pose, constraint)
    goal = np.array([0.0, 0.0, 1.0])
    if constraint.kind == "aim" and constraint.targets:
        goal = _target_point(pose, constraint) - stands[:3, 3]
    turned = turns.turn_of(stands)
    return max(_WAYS, key=lambda way: float(turned @ axis_of(way) @ goal) + 1e-9 * (way == "x"))


def _way_now(rig: Rig, constraint: Constraint, pose: Pose) -> float:
    """The way along its path (m) that is nearest to where a part stands."""
    path = rig.paths[constraint.targets[0].path]
    frame = pose.frame_of(path.on)
    return float(way_to(path, _inside(frame, _stands(pose, constraint)[:3, 3])[None])[0])


# ── what is kept between part and target ───────────────────────────


def keep_offset(
    rig: Rig, constraint_id: str, pose: Pose, geometry: GeometryOf = geometry_of
) -> Rig:
    """The rig with a constraint that keeps what is between part and target in a pose, so that
    nothing moves: where a part stands on what it rides on, how far off it is, how it is turned.

    pose: of this rig, or of one without the constraint.
    """
    constraint = must_have(rig.constraints, constraint_id, "constraint")
    stands = _stands(pose, constraint)
    if constraint.adds:
        # What is added to where the part is put is counted from its mount.
        stands = _mount(pose, constraint.part)
    match constraint.kind:
        case "ride" | "pin" | "match":
            targets = tuple(
                replace(t, offset=_kept(constraint.kind, pose.frame_of(t.on), t, stands))
                for t in constraint.targets
            )
            kept = replace(constraint, targets=targets)
        case "follow path":
            rig = set_values(rig, _way_values(rig, constraint_id, constraint, pose))
            kept = replace(constraint, offset=_off_path(rig, constraint, pose, stands))
        case "aim" | "seat":
            kept = _kept_turn(rig, constraint_id, constraint, stands, geometry)
        case "tether":
            away = _target_point(pose, constraint) - stands[:3, 3]
            kept = replace(constraint, distance=float(np.linalg.norm(away)))
        case _:
            return rig
    return change_constraint(rig, constraint_id, kept)


def told_in(rig: Rig, constraint_id: str, by_share: bool) -> Rig:
    """The rig with the way along a path told as a share of its length, or in metres; the part
    stays where it is."""
    constraint = must_have(rig.constraints, constraint_id, "constraint")
    if constraint.by_share == by_share:
        return rig
    whole = length(rig.paths[constraint.targets[0].path])
    way, share = key(constraint_id, "way"), key(constraint_id, "share")
    rig = change_constraint(rig, constraint_id, replace(constraint, by_share=by_share))
    before, after, factor = (way, share, 1 / whole) if by_share else (share, way, whole)
    value = rig.at.get(before, 0.0) * factor
    return set_values(replace(rig, at=without(rig.at, before)), {after: value})


def snap(rig: Rig, constraint_id: str) -> Rig:
    """The rig with a constraint that keeps nothing between part and target: the part goes to
    its target, points straight at it, or stands as the path goes."""
    constraint = must_have(rig.constraints, constraint_id, "constraint")
    targets = tuple(replace(t, offset=IDENTITY) for t in constraint.targets)
    snapped = replace(constraint, targets=targets, offset=IDENTITY, stand_off=0.0)
    return change_constraint(rig, constraint_id, snapped)


def keeps_something(constraint: Constraint) -> bool:
    """Whether something is kept between part and target."""
    offsets = [constraint.offset, *(target.offset for target in constraint.targets)]
    return constraint.stand_off != 0.0 or any(offset != IDENTITY for offset in offsets)


def _mount(pose: Pose, part: str) -> Array:
    entry = pose.program.rig.parts[part]
    above = pose.frame_of(entry.parent)
    result: Array = above @ matrix(entry.mount)
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
    rig: Rig, constraint_id: str, constraint: Constraint, pose: Pose
) -> dict[str, float]:
    way = _way_now(rig, constraint, pose)
    if constraint.by_share:
        whole = length(rig.paths[constraint.targets[0].path])
        return {key(constraint_id, "share"): way / whole if whole else 0.0}
    return {key(constraint_id, "way"): way}


def _off_path(rig: Rig, constraint: Constraint, pose: Pose, stands: Array) -> Frame:
    path = rig.paths[constraint.targets[0].path]
    frame = pose.frame_of(path.on)
    way = np.array([_way_now(rig, constraint, pose)])
    found = frame @ along(path, way, constraint.banked_for)[0]
    return frame_of(np.linalg.inv(found) @ stands)


def _kept_turn(
    rig: Rig,
    constraint_id: str,
    constraint: Constraint,
    stands: Array,
    geometry: GeometryOf,
) -> Constraint:
    """An aim or a seat that keeps how its part stands, and how far off a surface it is."""
    bare = replace(constraint, offset=IDENTITY, stand_off=0.0, off=False, influence=1.0)
    tried = replace(rig, constraints={**rig.constraints, constraint_id: bare})
    tried = replace(tried, at=without(tried.at, key(constraint_id, "influence")))
    snapped = _pose(tried, geometry)
    want = snapped.poses.wants.get(constraint_id)
    if want is None or not want.has[0]:
        return constraint
    aside = (0.0, 0.0, 0.0)
    if want.place is not None and want.normal is not None:
        gap = stands[:3, 3] - want.place[0]
        off = float(gap @ want.normal[0])
        aside = triple(seat_frame(want.normal[0]).T @ (gap - off * want.normal[0]))
        constraint = replace(constraint, stand_off=off, offset=Frame(aside))
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


# ── on and off, and away ───────────────────────────────────────────


def switch(
    rig: Rig, constraint_id: str, on: bool, pose: Pose, geometry: GeometryOf = geometry_of
) -> Rig:
    """The rig with a constraint switched on or off, its part staying where it stands in the
    pose: switched on, it keeps what is then between part and target."""
    constraint = must_have(rig.constraints, constraint_id, "constraint")
    if on == (not constraint.off):
        return rig
    if not on:
        rig = set_values(rig, _standing(rig, constraint_id, pose))
        return change_constraint(rig, constraint_id, replace(constraint, off=True))
    rig = change_constraint(rig, constraint_id, replace(constraint, off=False))
    return keep_offset(rig, constraint_id, pose, geometry)


def _standing(rig: Rig, constraint_id: str, pose: Pose) -> dict[str, float]:
    """Where the channels that a constraint gives stand, of those that a hand can put."""
    program = pose.program
    found = {}
    for channel in given_keys(rig, constraint_id):
        row = program.channel_row.get(channel)
        if row is not None and program.inputs[row]:
            found[channel] = pose.at(channel)
    return found


def release(rig: Rig, constraint_ids: Iterable[str], pose: Pose, leave: bool = True) -> Rig:
    """The rig without some constraints. leave: their parts stay where they stand in the pose,
    as plain placement; else they go home.

    A joint is left as it was before the constraint: where it had been given channels, the place
    goes into the mount.
    """
    for constraint_id in constraint_ids:
        constraint = must_have(rig.constraints, constraint_id, "constraint")
        standing = _standing(rig, constraint_id, pose)
        given = given_keys(rig, constraint_id)
        if leave:
            rig = set_values(rig, standing)
        else:
            rig = replace(rig, at=without(rig.at, *given))
        others = given_by_others(rig, constraint_id)
        rig = remove_constraint(rig, constraint_id)
        back = [c for c in constraint.freed if c not in others]
        rig = _grounded_again(rig, constraint.part, back)
    return rig


def _grounded_again(rig: Rig, part: str, channels: list[str]) -> Rig:
    """A part whose joint has what it was given no more; it stays where it is put."""
    entry = rig.parts[part]
    kept = tuple(c for c in entry.joint.freed if c not in channels)
    joint = replace(entry.joint, freed=kept)
    if joint == entry.joint:
        return rig
    values = {c: rig.at.get(key(part, c), 1.0 if c in SCALES else 0.0) for c in freed(entry.joint)}
    try:
        return set_joint(rig, part, joint, values)
    except GremioError:
        # A link uses one of them by now, so they stay.
        return rig


def remove_and_leave(rig: Rig, part: str, pose: Pose) -> Rig:
    """The rig without a part and all that is mounted on it; what was constrained to it alone
    stays where it stands in the pose."""
    before = set(rig.constraints)
    lost = before - set(remove_part(rig, part).constraints)
    staying = [i for i in rig.constraints if i in lost and rig.constraints[i].part != part]
    return remove_part(release(rig, staying, pose), part)


def swapped(
    rig: Rig, constraint_id: str, pose: Pose, geometry: GeometryOf = geometry_of
) -> tuple[Rig, str]:
    """The rig with part and target of a constraint the other way about, and its id. Refuses
    where the first target is no part."""
    constraint = must_have(rig.constraints, constraint_id, "constraint")
    target = constraint.targets[0] if constraint.targets else Target()
    if target.on is None or target.path:
        raise GremioError(
            "Only a part can be constrained, and the target is none. Choose another target first."
        )
    released = release(rig, [constraint_id], pose)
    return constrain(
        released, constraint.kind, target.on, [Target(constraint.part)], geometry=geometry
    )


def with_target(
    rig: Rig, constraint_id: str, target: Target, pose: Pose, geometry: GeometryOf = geometry_of
) -> Rig:
    """The rig with one more target of a constraint; where the others are kept off the part, so
    is this one."""
    constraint = must_have(rig.constraints, constraint_id, "constraint")
    more = replace(constraint, targets=(*constraint.targets, target))
    kept = keeps_something(constraint) and constraint.kind in ("ride", "pin", "match")
    if kept:
        stands = _mount(pose, constraint.part) if constraint.adds else _stands(pose, constraint)
        offset = _kept(constraint.kind, pose.frame_of(target.on), target, stands)
        more = replace(constraint, targets=(*constraint.targets, replace(target, offset=offset)))
    rig = change_constraint(rig, constraint_id, more)
    if constraint.kind == "aim" and keeps_something(constraint):
        return keep_offset(rig, constraint_id, pose, geometry)
    return rig
