"""Switching constraints on and off, and taking them away, without a part being moved by it."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec.structs import replace

from gremio.core.edit.change import must_have, without
from gremio.core.edit.constraints import (
    change_constraint,
    given_by_others,
    given_keys,
    remove_constraint,
)
from gremio.core.edit.controls import set_values
from gremio.core.edit.parts import remove_part, set_joint
from gremio.core.make.constraining import constrain, keep_offset
from gremio.core.problem import GremioError
from gremio.core.rig.channels import SCALES, freed, key
from gremio.core.rig.constraints import targets_of
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import Rig, Target
from gremio.core.solve.pose import Pose


def switch(rig: Rig, constraint_id: ThingId, on: bool, pose: Pose) -> Rig:
    """The rig with a constraint switched on or off, its part staying where it stands in the
    pose: switched on, it keeps what is then between part and target."""
    constraint = must_have(rig.constraints, constraint_id, "constraint")
    if on == (not constraint.off):
        return rig
    if not on:
        rig = set_values(rig, _standing(rig, constraint_id, pose))
        return change_constraint(rig, constraint_id, replace(constraint, off=True))
    rig = change_constraint(rig, constraint_id, replace(constraint, off=False))
    return keep_offset(rig, constraint_id, pose)


def _standing(rig: Rig, constraint_id: ThingId, pose: Pose) -> dict[ChannelKey, float]:
    """Where the channels that a constraint gives stand, of those that a hand can put."""
    program = pose.program
    found = {}
    for channel in given_keys(rig, constraint_id):
        row = program.channel_row.get(channel)
        if row is not None and program.inputs[row]:
            found[channel] = pose.at(channel)
    return found


def release(rig: Rig, constraint_ids: Iterable[ThingId], pose: Pose, *, leave: bool = True) -> Rig:
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


def _grounded_again(rig: Rig, part: PartId, channels: list[str]) -> Rig:
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


def remove_and_leave(rig: Rig, part: PartId, pose: Pose) -> Rig:
    """The rig without a part and all that is mounted on it; what was constrained to it alone
    stays where it stands in the pose."""
    before = set(rig.constraints)
    lost = before - set(remove_part(rig, part).constraints)
    staying = [i for i in rig.constraints if i in lost and rig.constraints[i].part != part]
    return remove_part(release(rig, staying, pose), part)


def swapped(rig: Rig, constraint_id: ThingId, pose: Pose) -> tuple[Rig, ThingId]:
    """The rig with part and target of a constraint the other way about, and its id. Refuses
    where the first target is no part."""
    constraint = must_have(rig.constraints, constraint_id, "constraint")
    target = targets_of(constraint)[0] if targets_of(constraint) else Target()
    if target.on is None or target.path:
        raise GremioError(
            "Only a part can be constrained, and the target is none. Choose another target first."
        )
    released = release(rig, [constraint_id], pose)
    back = [Target(constraint.part)]
    geometry = pose.program.geometry
    return constrain(released, constraint.kind, target.on, back, geometry=geometry)
