"""Edits on constraints: what ties a part to others in space."""

from __future__ import annotations

import math

from msgspec.structs import replace

from gremio.core.edit.change import (
    check_new_name,
    drop_values_of,
    known_or_new,
    must_have,
    new_id,
    well_formed,
    with_entry,
    without,
)
from gremio.core.edit.links import without_channels_of
from gremio.core.edit.routines import without_keys_of
from gremio.core.plan.arranging import arrange
from gremio.core.plan.carrying import carriers
from gremio.core.plan.constraint_blocks import given_by
from gremio.core.problem import GremioError
from gremio.core.rig.channels import freed, key
from gremio.core.rig.constraints import (
    CONSTRAINTS,
    all_targets,
    constraint_words,
    constraints_of,
    targets_of,
    wrong_with,
)
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import Aim, AnyConstraint, ConstraintKind, Rig, Targeted, Tether


def add_constraint(rig: Rig, constraint: AnyConstraint) -> tuple[Rig, ThingId]:
    """The rig with one more constraint, and its id. Refuses as `change_constraint` does."""
    check_new_name(rig, constraint.name)
    rig, constraint_id = new_id(rig, "x")
    return change_constraint(rig, constraint_id, constraint), constraint_id


def change_constraint(rig: Rig, constraint_id: ThingId, constraint: AnyConstraint) -> Rig:
    """The rig with a constraint in place of the one of this id.

    Refuses a target that is not there or rides on the part, channels that the kind can't give,
    numbers that are none, and what would close a ring.
    """
    present = rig.constraints.get(constraint_id)
    if present == constraint:
        return rig
    known_or_new(rig, rig.constraints, constraint_id, "constraint")
    check_new_name(rig, constraint.name, present.name if present else None)
    if wrong := wrong_with(rig, constraint):
        raise GremioError(wrong)
    told = constraint_words(rig, constraint)
    unknown = unfit_channels(rig, constraint)
    if unknown or not constraint.channels:
        lacks = f"{unknown[0]} is none that it gives" if unknown else "it needs one channel to give"
        among = ", ".join(CONSTRAINTS[constraint.kind].gives) or "the joints that carry it"
        raise GremioError(f"{told}: {lacks}. Choose among {among}.")
    if len(targets_of(constraint)) > CONSTRAINTS[constraint.kind].most_targets:
        raise GremioError(f"{told}: it can have one target only. Take the others out.")
    _check_figures(constraint, told)
    well_formed(constraint, told)
    before = {note.text for note in arrange(rig).notes}
    changed = replace(rig, constraints=with_entry(rig.constraints, constraint_id, constraint))
    new = [note for note in arrange(changed).notes if note.text not in before]
    if new:
        raise GremioError(new[0].text)
    return changed


def _check_figures(constraint: AnyConstraint, told: str) -> None:
    """Refuse numbers that are none, or out of their range."""
    figures = [v for f in constraint.__struct_fields__ for v in [getattr(constraint, f)]
               if isinstance(v, float)]  # fmt: skip
    figures += [v for t in all_targets(constraint) for v in (t.weight, *t.at, *t.offset.at)]
    if not all(map(math.isfinite, figures)):
        raise GremioError(f"{told}: one of its numbers is none. Type it anew.")
    if not 0.0 <= constraint.grip <= 1.0:
        raise GremioError(f"The grip of {constraint.name} goes from 0 to 100 %.")
    below = isinstance(constraint, Tether) and constraint.distance < 0.0
    if below or any(t.weight < 0.0 for t in targets_of(constraint)):
        raise GremioError(f"A distance, or a weight, of {constraint.name} can't be below 0.")


def unfit_channels(rig: Rig, constraint: AnyConstraint) -> list[str]:
    """Of the channels that a constraint should give, those that it can't."""
    if constraint.kind != "reach":
        return [c for c in constraint.channels if c not in CONSTRAINTS[constraint.kind].gives]
    known = {key(p, c) for p in carriers(rig, constraint.part) for c in freed(rig.parts[p].joint)}
    return [c for c in constraint.channels if c not in known]


def rename_constraint(rig: Rig, constraint_id: ThingId, name: str) -> Rig:
    """Give a constraint another name."""
    constraint = must_have(rig.constraints, constraint_id, "constraint")
    check_new_name(rig, name, constraint.name)
    named = replace(constraint, name=name)
    return replace(rig, constraints=with_entry(rig.constraints, constraint_id, named))


def usual_name(rig: Rig, kind: ConstraintKind, part: PartId) -> str:
    """A free name for a new constraint: "Lamp ride"."""
    return free_name(names_in(rig), f"{must_have(rig.parts, part, 'part').name} {kind}")


def remove_constraint(rig: Rig, constraint_id: ThingId) -> Rig:
    """Take out a constraint, with the links of its numbers; its part goes where it is put."""
    must_have(rig.constraints, constraint_id, "constraint")
    rig = without_keys_of(without_channels_of(rig, constraint_id), constraint_id)
    kept = without(rig.constraints, constraint_id)
    return replace(rig, constraints=kept, at=drop_values_of(rig.at, constraint_id))


def without_constraints_of(rig: Rig, part: str) -> Rig:
    """The rig without the constraints on a part, and without it among the targets of others;
    a constraint that has no target left goes too."""
    for constraint_id, constraint in list(rig.constraints.items()):
        lost = [
            t for t in targets_of(constraint)
            if t.on == part or (t.path in rig.paths and rig.paths[t.path].on == part)
        ]  # fmt: skip
        kept = tuple(t for t in targets_of(constraint) if t not in lost)
        if constraint.part == part or (lost and not kept):
            rig = remove_constraint(rig, constraint_id)
            continue
        cut = constraint
        if lost and isinstance(cut, Targeted):
            cut = replace(cut, targets=kept)
        if isinstance(cut, Aim) and cut.toward.on == part:
            cut = replace(cut, upright="none")
        if cut is not constraint:
            rig = replace(rig, constraints=with_entry(rig.constraints, constraint_id, cut))
    return rig


def given_by_others(rig: Rig, constraint_id: ThingId) -> set[str]:
    """Names of the channels of a constraint's part that other constraints give."""
    part = must_have(rig.constraints, constraint_id, "constraint").part
    others = [i for i in constraints_of(rig, part) if i != constraint_id]
    return {channel for i in others for channel in rig.constraints[i].channels}


def given_keys(rig: Rig, constraint_id: ThingId) -> list[ChannelKey]:
    """Keys of the channels that a constraint gives, as far as its part's joint frees them."""
    return given_by(rig, must_have(rig.constraints, constraint_id, "constraint"))
