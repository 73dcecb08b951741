"""Copying a part: with all that is mounted on it, what ties them in space, and what leads them."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import Literal, get_args

from msgspec.structs import replace

from gremio.core.edit.change import must_have, new_id, numbers_of, with_entry
from gremio.core.edit.closures import add_closure
from gremio.core.edit.constraints import add_constraint, usual_name
from gremio.core.edit.controls import add_control, change_control
from gremio.core.edit.links import add_links
from gremio.core.edit.measures import add_measure
from gremio.core.edit.parts import change_part, descendants
from gremio.core.edit.strands import add_strand
from gremio.core.edit.treads import add_tread
from gremio.core.frames import Triple
from gremio.core.problem import GremioError
from gremio.core.rig.channels import key, split
from gremio.core.rig.constraints import constraints_of
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import CLOCK, GROUND, NOTHING, ChannelKey, PartId, ThingId
from gremio.core.rig.links import followers, members
from gremio.core.rig.model import (
    Aim,
    AnyConstraint,
    Cam,
    Link,
    Path,
    Reach,
    Rig,
    Routine,
    Target,
    Targeted,
)
from gremio.core.rig.numbers import exists
from gremio.core.rig.rekeyed import by_names, rekeyed

# What becomes of a lead that stands outside of what is copied: it leads the copy too, the copy gets
# one of its own, or none.
Crossing = Literal["share", "own", "none"]


def copy_part(
    rig: Rig, part_id: PartId, *, crossing: Crossing = "share", aside: Triple = (0.0, 0.0, 0.0)
) -> tuple[Rig, PartId]:
    """The rig with a copy of a part and of all it carries, and the copy's id.

    What is wholly inside of it is copied too: links, the controls that lead nothing else, the
    constraints, pins, struts, strands, treads and paths; it leads itself then. Routines have keys
    and hand-offs of it as of the original. Constraints to what stands outside stay to that.
    crossing: of leads outside, as `leads_outside` lists them. aside: how far from the original it
    stands (m, in its parent).
    """
    rig, every = copied(rig, [part_id], crossing=crossing, aside=aside)
    return rig, PartId(every[part_id])


def copied(
    rig: Rig,
    roots: Sequence[PartId],
    *,
    crossing: Crossing = "share",
    aside: Triple = (0.0, 0.0, 0.0),
    doubled: bool = True,
) -> tuple[Rig, dict[ThingId, ThingId]]:
    """The rig with copies of some parts and of all they carry, as of one thing, and the ids of all
    copies by those of the originals. crossing, aside: as of one part. doubled: controls that lead
    nothing else are copied too; else they lead the copies as well."""
    for root in roots:
        must_have(rig.parts, root, "part")
    if crossing not in get_args(Crossing):
        among = ", ".join(get_args(Crossing))
        raise GremioError(f"What leads a copy is one of {among}, not {crossing}.")
    x, y, z = numbers_of(aside, (3,), "How far aside a copy stands").tolist()
    rig, copies = _copied_parts(rig, roots)
    rig = _with_parts(rig, roots, copies, (x, y, z))
    every: dict[ThingId, ThingId] = dict(copies.items())
    rig = _with_measures(rig, every, copies)
    for path_id, path in list(rig.paths.items()):
        if path.on in copies:
            rig, every[path_id] = _copy_path(rig, path, copies[path.on])
    for control in leading_inside(rig, set(copies)) if doubled else ():
        rig, every[control] = _copy_control(rig, control, copies)
    if crossing == "own":
        for control in _outside_controls(rig, set(copies)):
            rig, every[control] = _copy_control(rig, control, copies)
    rig = _with_pads(rig, every)
    rig = _with_treads(rig, every, copies)
    rig = _with_closed(rig, every, set(copies))
    for old in copies:
        for constraint_id in constraints_of(rig, old):
            rig, every[constraint_id] = _copy_constraint(rig, constraint_id, copies, every)
    # What leads a grip, or how long a rope is, leads that of the copy.
    # A part that leads from outside can't be doubled, and leads the copy too.
    rig = _with_links(rig, every, set(copies), shared=crossing != "none")
    at = {_key_of_copy(k, every): v for k, v in rig.at.items() if split(k)[0] in every}
    return _with_timed(replace(rig, at={**rig.at, **at}), every, copies), every


def _with_timed(rig: Rig, known: Mapping[ThingId, ThingId], copies: Mapping[PartId, PartId]) -> Rig:
    """The rig whose routines have of copies what they have of the originals: keys, where they
    begin, and who carries them, a copy of the carrier where there is one."""

    def timed(routine: Routine) -> Routine:
        keys, start, carried = dict(routine.keys), dict(routine.start), dict(routine.carried)
        for channel, cam in routine.keys.items():
            if split(channel)[0] in known:
                made = _key_of_copy(channel, known)
                keys[made] = rekeyed(cam, Cam, by_names({channel: made}))
        for channel, value in routine.start.items():
            if split(channel)[0] in known:
                start[_key_of_copy(channel, known)] = value
        for part, hand_offs in routine.carried.items():
            if part in copies:
                carried[copies[part]] = tuple(
                    replace(h, carrier=copies.get(h.carrier or GROUND, h.carrier))
                    for h in hand_offs
                )
        return replace(routine, keys=keys, start=start, carried=carried)

    if not rig.routines:
        return rig
    return replace(rig, routines={i: timed(routine) for i, routine in rig.routines.items()})


def leads_outside(rig: Rig, *roots: PartId) -> list[ThingId]:
    """Ids of what leads some parts, or what they carry, and leads something else besides."""
    for root in roots:
        must_have(rig.parts, root, "part")
    inside = {*roots, *(part for root in roots for part in descendants(rig, root))}
    own = set(leading_inside(rig, inside))
    found: dict[ThingId, None] = {}
    for link in rig.links.values():
        owners = _owners(link)
        if any(o in inside for o in owners):
            found.update(dict.fromkeys(o for o in owners if o not in inside and o not in own))
    return list(found)


def _owners(link: Link) -> list[ThingId]:
    """Ids of the things that a link is of; not the clock, which is everybody's."""
    return [split(channel)[0] for channel in members(link) if channel != CLOCK]


def _copied_parts(rig: Rig, roots: Sequence[PartId]) -> tuple[Rig, dict[PartId, PartId]]:
    """The rig that has given out ids for copies, and these, by those of the parts."""
    order = {part: index for index, part in enumerate(rig.parts)}
    below = {part for root in roots for part in descendants(rig, root)}
    tops = [root for root in dict.fromkeys(roots) if root not in below]
    found: dict[PartId, PartId] = {}
    for old in (*tops, *sorted(below, key=order.__getitem__)):
        rig, new = new_id(rig, "p")
        found[old] = PartId(new)
    return rig, found


def _with_parts(
    rig: Rig, roots: Sequence[PartId], copies: dict[PartId, PartId], aside: Triple
) -> Rig:
    made, taken = dict(rig.parts), names_in(rig)
    for old, new in copies.items():
        part = rig.parts[old]
        name = free_name(taken, part.name)
        taken.add(name)
        parent = copies.get(part.parent or GROUND, part.parent)
        mount = part.mount
        if old in roots and part.parent not in copies:
            x, y, z = (a + b for a, b in zip(mount.at, aside, strict=True))
            mount = replace(mount, at=(x, y, z))
        made[new] = replace(part, name=name, parent=parent, mount=mount)
    return replace(rig, parts=made)


def _with_measures(rig: Rig, every: dict[ThingId, ThingId], copies: Mapping[PartId, PartId]) -> Rig:
    """Measures of nothing but what is copied, which a formula reads that leads something of it."""
    read = {
        owner
        for link in rig.links.values()
        if any(split(channel)[0] in copies for channel in followers(link))
        for owner in _owners(link)
    }
    for measure_id, measure in list(rig.measures.items()):
        if measure_id in read and all(end.part in copies for end in measure.ends):
            ends = tuple(replace(end, part=copies[end.part]) for end in measure.ends)
            name = free_name(names_in(rig), measure.name)
            rig, every[measure_id] = add_measure(rig, replace(measure, name=name, ends=ends))
    return rig


def leading_inside(rig: Rig, inside: Collection[ThingId]) -> list[ThingId]:
    """Controls that lead, and are led by, nothing but what is inside, and one another."""
    touched: dict[ThingId, set[ThingId]] = {}
    for link in rig.links.values():
        owners = set(_owners(link))
        for owner in owners & set(rig.controls):
            touched.setdefault(owner, set()).update(owners - {owner})
    found = set(touched)
    while gone := {c for c in found if not touched[c] <= set(inside) | found}:
        found -= gone
    # A control that leads only other controls inside leads nothing of the part.
    return [c for c in rig.controls if c in found and touched[c] & set(inside)]


def _outside_controls(rig: Rig, inside: Collection[ThingId]) -> list[ThingId]:
    """Controls that lead something inside, and something outside too."""
    own = set(leading_inside(rig, inside))
    found: dict[ThingId, None] = {}
    for link in rig.links.values():
        owners = set(_owners(link))
        if owners & set(inside):
            found.update(dict.fromkeys(o for o in owners if o in rig.controls and o not in own))
    return list(found)


def _copy_control(rig: Rig, control: ThingId, copies: dict[PartId, PartId]) -> tuple[Rig, ThingId]:
    entry = rig.controls[control]
    face = entry.face
    if face is not None and face.on in copies:
        face = replace(face, on=copies[face.on])
    copy = replace(entry, name=free_name(names_in(rig), entry.name), face=face)
    if entry.make == "pad":
        # Its second axis may not be copied yet.
        copy = replace(copy, make="slider", across=NOTHING)
    return add_control(rig, copy)


def _with_pads(rig: Rig, every: Mapping[ThingId, ThingId]) -> Rig:
    """The second axes of pads that were copied; a pad whose second axis was not is a slider."""
    for old, new in every.items():
        entry = rig.controls.get(old)
        if entry is None or entry.make != "pad":
            continue
        across = every.get(entry.across, NOTHING)
        copy = replace(rig.controls[new], across=across, make="pad" if across else "slider")
        rig = change_control(rig, new, copy)
    return rig


def _with_treads(rig: Rig, every: dict[ThingId, ThingId], copies: dict[PartId, PartId]) -> Rig:
    """Treads whose link and wheels are all copied; a link whose tread is not is there once."""
    for tread_id, tread in list(rig.treads.items()):
        if tread.link not in copies:
            continue
        link, wheels = copies[tread.link], [wheel.on or GROUND for wheel in tread.wheels]
        repeat = rig.parts[link].repeat
        if all(wheel in copies for wheel in wheels):
            copy = replace(
                tread,
                name=free_name(names_in(rig), tread.name),
                link=link,
                on=copies.get(tread.on or GROUND, tread.on),
                wheels=tuple(
                    replace(wheel, on=copies[wheel.on or GROUND]) for wheel in tread.wheels
                ),
            )
            rig, every[tread_id] = add_tread(rig, copy)
            repeat = None if repeat is None else replace(repeat, path=every[tread_id])
        else:
            repeat = None
        rig = change_part(rig, link, replace(rig.parts[link], repeat=repeat))
    return rig


def _with_links(
    rig: Rig, every: dict[ThingId, ThingId], inside: set[PartId], *, shared: bool
) -> Rig:
    """Links whose followers are all copied; a lead that is not copied leads the copy too, where it
    is shared."""

    def key_of(text: str) -> str:
        owner, name = split(ChannelKey(text))
        return key(every[owner], name) if owner in every else text

    every_id, controls, found = set(every), set(rig.controls), dict[ThingId, Link]()
    for link_id, link in rig.links.items():
        owners = set(_owners(link))
        led = {split(c)[0] for c in followers(link)}
        # What only shares a lead with it is no part of it.
        if not led <= every_id or not (owners & inside or led - controls):
            continue
        if not shared and not owners <= every_id:
            continue
        made = rekeyed(link, Link, key_of)
        # A link of a tread that is not copied is there once, and has no shift.
        if all(exists(rig, channel) for channel in followers(made)):
            found[link_id] = made
    rig, ids = add_links(rig, list(found.values()))
    every.update(zip(found, ids, strict=True))
    return rig


def _with_closed(rig: Rig, every: dict[ThingId, ThingId], inside: set[PartId]) -> Rig:
    """Pins, struts and strands all of whose parts are copied."""
    for closure_id, closure in list(rig.closures.items()):
        if {closure.one, closure.two} <= set(inside):
            one, two = every[closure.one], every[ThingId(closure.two or GROUND)]
            rig, made = add_closure(rig, replace(closure, one=PartId(one), two=PartId(two)))
            every[closure_id] = made
    for strut in list(rig.struts.values()):
        bodies = {strut.barrel, strut.rod, *strut.stages}
        if bodies <= set(inside) and strut.closure in every:
            rig, strut_id = new_id(rig, "u")
            copy = replace(
                strut,
                name=free_name(names_in(rig), strut.name),
                barrel=PartId(every[strut.barrel]),
                rod=PartId(every[strut.rod]),
                stages=tuple(PartId(every[stage]) for stage in strut.stages),
                closure=every[strut.closure],
            )
            rig = replace(rig, struts=with_entry(rig.struts, strut_id, copy))
    for strand_id, strand in list(rig.strands.items()):
        on = {point.on for point in strand.through if point.on}
        if on and on <= set(inside):
            through = tuple(
                replace(point, on=PartId(every[point.on]) if point.on else point.on)
                for point in strand.through
            )
            name = free_name(names_in(rig), strand.name)
            rig, every[strand_id] = add_strand(rig, replace(strand, name=name, through=through))
    return rig


def _key_of_copy(channel: ChannelKey, copies: Mapping[ThingId, ThingId]) -> ChannelKey:
    owner, name = split(channel)
    return key(copies.get(owner, owner), name)


def _copy_path(rig: Rig, path: Path, on: PartId) -> tuple[Rig, ThingId]:
    rig, path_id = new_id(rig, "w")
    copy = replace(path, name=free_name(names_in(rig), path.name), on=on)
    return replace(rig, paths=with_entry(rig.paths, path_id, copy)), path_id


def _copy_constraint(
    rig: Rig, constraint_id: ThingId, copies: dict[PartId, PartId], paths: dict[ThingId, ThingId]
) -> tuple[Rig, ThingId]:
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
            channels=tuple(_key_of_copy(ChannelKey(channel), paths) for channel in copy.channels),
            stiffness={_key_of_copy(c, paths): v for c, v in copy.stiffness.items()},
        )
    if isinstance(copy, Targeted):
        copy = replace(copy, targets=tuple(moved(target) for target in copy.targets))
    if isinstance(copy, Aim):
        copy = replace(copy, toward=moved(copy.toward))
    return add_constraint(rig, copy)
