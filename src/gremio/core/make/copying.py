"""Copying a part: with all that is mounted on it, and what ties them in space."""

from __future__ import annotations

from msgspec.structs import replace

from gremio.core.edit.change import must_have, new_id, with_entry
from gremio.core.edit.constraints import add_constraint, usual_name
from gremio.core.edit.parts import add_part, descendants
from gremio.core.rig.channels import key, split
from gremio.core.rig.constraints import constraints_of
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import GROUND, ChannelKey, PartId, ThingId
from gremio.core.rig.model import Aim, AnyConstraint, Path, Reach, Rig, Target, Targeted


def copy_part(rig: Rig, part_id: PartId) -> tuple[Rig, PartId]:
    """The rig with a copy of a part and of all it carries, and the copy's id.

    The copy stands where the part stands, and has the same constraints; those that keep one of
    the parts to another of them keep the copies to each other. Links are not copied: the copy
    is moved by hand.
    """
    must_have(rig.parts, part_id, "part")
    copies: dict[PartId, PartId] = {}
    for old in (part_id, *sorted(descendants(rig, part_id), key=list(rig.parts).index)):
        part = rig.parts[old]
        name = free_name(names_in(rig), part.name)
        parent = copies.get(part.parent or GROUND, part.parent)
        rig, copies[old] = add_part(rig, replace(part, name=name, parent=parent))
    at = {_key_of_copy(k, copies): v for k, v in rig.at.items() if split(k)[0] in copies}
    rig = replace(rig, at={**rig.at, **at})
    paths: dict[ThingId, ThingId] = {}
    for path_id, path in list(rig.paths.items()):
        if path.on in copies:
            rig, paths[path_id] = _copy_path(rig, path, copies[path.on])
    for old in copies:
        for constraint_id in constraints_of(rig, old):
            rig = _copy_constraint(rig, constraint_id, copies, paths)
    return rig, copies[part_id]


def _key_of_copy(channel: ChannelKey, copies: dict[PartId, PartId]) -> ChannelKey:
    owner, name = split(channel)
    return key(copies.get(PartId(owner), owner), name)


def _copy_path(rig: Rig, path: Path, on: PartId) -> tuple[Rig, ThingId]:
    rig, path_id = new_id(rig, "w")
    copy = replace(path, name=free_name(names_in(rig), path.name), on=on)
    return replace(rig, paths=with_entry(rig.paths, path_id, copy)), path_id


def _copy_constraint(
    rig: Rig, constraint_id: ThingId, copies: dict[PartId, PartId], paths: dict[ThingId, ThingId]
) -> Rig:
    constraint = rig.constraints[constraint_id]

    def moved(target: Target) -> Target:
        on, path = copies.get(target.on or GROUND, target.on), paths.get(target.path, target.path)
        return replace(target, on=on, path=path)

    part = copies[constraint.part]
    copy: AnyConstraint = replace(
        constraint, name=usual_name(rig, constraint.kind, part), part=part
    )
    if isinstance(copy, Reach):
        copy = replace(
            copy,
            channels=tuple(_key_of_copy(ChannelKey(channel), copies) for channel in copy.channels),
            stiffness={_key_of_copy(c, copies): v for c, v in copy.stiffness.items()},
        )
    if isinstance(copy, Targeted):
        copy = replace(copy, targets=tuple(moved(target) for target in copy.targets))
    if isinstance(copy, Aim):
        copy = replace(copy, toward=moved(copy.toward))
    rig, made = add_constraint(rig, copy)
    at = {key(made, n): v for k, v in rig.at.items() for o, n in [split(k)] if o == constraint_id}
    return replace(rig, at={**rig.at, **at})
