"""Edits on strands: springs, bellows, hoses and ropes."""

from __future__ import annotations

import math

from msgspec.structs import replace

from gremio.core.edit.change import (
    check_new_name,
    known_or_new,
    must_have,
    new_id,
    well_formed,
    with_entry,
    without,
)
from gremio.core.problem import GremioError
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Rig, Strand


def add_strand(rig: Rig, strand: Strand) -> tuple[Rig, ThingId]:
    """The rig with one more strand, and its id. Refuses as `change_strand` does."""
    check_new_name(rig, strand.name)
    rig, strand_id = new_id(rig, "v")
    return change_strand(rig, strand_id, strand), strand_id


def change_strand(rig: Rig, strand_id: ThingId, strand: Strand) -> Rig:
    """The rig with a strand in place of the one of this id.

    Refuses fewer than two points, more than two of anything but a rope, both ends at one point
    of one part, sizes that are not above zero, and parts that are not there.
    """
    present = rig.strands.get(strand_id)
    if present == strand:
        return rig
    known_or_new(rig, rig.strands, strand_id, "strand")
    check_new_name(rig, strand.name, present.name if present else None)
    if wrong := wrong_strand(rig, strand):
        raise GremioError(wrong)
    well_formed(strand, strand.name)
    return replace(rig, strands=with_entry(rig.strands, strand_id, strand))


def wrong_strand(rig: Rig, strand: Strand) -> str:
    """What is wrong with a strand, and what to do; "" when nothing is."""
    name, ends = strand.name, strand.through
    if len(ends) < 2 or (len(ends) > 2 and strand.kind != "rope"):
        return f"{name} goes between two points; only a rope goes over others. Pick two."
    if any(end.on is not None and end.on not in rig.parts for end in ends):
        return f"{name} ends on a part that is not in the rig. Choose another, or remove it."
    sizes = (strand.thickness, strand.width, strand.turns)
    numbers = (*sizes, strand.length, *(v for e in ends for v in (*e.at, e.radius, *e.axis)))
    if not all(map(math.isfinite, numbers)):
        return f"A number of {name} is none. Type it anew."
    if not all(size > 0 for size in sizes) or strand.length < 0:
        return f"{name} needs a thickness, a width and turns above zero."
    if any(not any(end.axis) for end in ends if end.radius):
        return f"A sheave of {name} needs an axis that is not 0, 0, 0."
    if len(ends) == 2 and (ends[0].on, ends[0].at) == (ends[1].on, ends[1].at):
        return f"Both ends of {name} are at one point, so it has no length. Move one."
    return ""


def remove_strand(rig: Rig, strand_id: ThingId) -> Rig:
    """Take out a strand."""
    must_have(rig.strands, strand_id, "strand")
    return replace(rig, strands=without(rig.strands, strand_id))


def without_strands_of(rig: Rig, part: str) -> Rig:
    """The rig without the strands that go to a part."""
    gone = [i for i, s in rig.strands.items() if any(end.on == part for end in s.through)]
    return replace(rig, strands=without(rig.strands, *gone)) if gone else rig
