"""Constraints as blocks: what each gives, and what that depends on."""

from __future__ import annotations

from collections.abc import Iterable

from gremio.core.plan.blocks import Block
from gremio.core.plan.carrying import carriers, free_keys
from gremio.core.problem import Note
from gremio.core.rig.channels import freed, key, split
from gremio.core.rig.constraints import (
    CONSTRAINTS,
    constraint_words,
    numbers,
    parts_of,
    targets_of,
    wrong_with,
)
from gremio.core.rig.ids import GROUND, ChannelKey, ThingId
from gremio.core.rig.model import AnyConstraint, Constraint, Rig
from gremio.core.rig.numbers import exists, label, numbers_of


def constraint_blocks(rig: Rig, notes: list[Note]) -> list[Block]:
    """A block for each constraint that can be computed; adds notes for those that can't."""
    blocks = []
    for constraint_id, constraint in rig.constraints.items():
        name = rig.parts[constraint.part].name if constraint.part in rig.parts else ""
        if constraint.off:
            continue
        if wrong := wrong_with(rig, constraint):
            notes.append(Note("constraint-lost", name, wrong))
            continue
        writes = tuple(given_by(rig, constraint))
        if not writes:
            text = (
                f"{constraint_words(rig, constraint)}, but every channel it could give is grounded "
                f"by the joint of {name}. Free one on its Card, or remove the constraint."
            )
            notes.append(Note("constraint-grounded", name, text, "warning"))
            continue
        if _rides_on(rig, constraint):
            notes.append(tied_to_itself(rig, constraint, []))
            continue
        every = _constraint_reads(rig, constraint_id, constraint)
        reads = tuple(dict.fromkeys(c for c in every if c not in writes))
        blocks.append(Block(reads, writes, (constraint_id,), constraint=constraint_id))
    return blocks


def given_by(rig: Rig, constraint: Constraint) -> list[ChannelKey]:
    """Keys of the channels that a constraint gives, as far as joints free them."""
    if constraint.kind == "reach":
        chain = carriers(rig, constraint.part)
        keys = map(ChannelKey, constraint.channels)
        return [c for c in keys if split(c)[0] in chain and exists(rig, c)]
    free = freed(rig.parts[constraint.part].joint)
    return [key(constraint.part, c) for c in constraint.channels if c in free]


def _rides_on(rig: Rig, constraint: Constraint) -> bool:
    """Whether a target is carried by the constrained part, or by another that it moves."""
    moved = {constraint.part, *(split(c)[0] for c in given_by(rig, constraint))}
    return any(moved & set(carriers(rig, target)) for target in parts_of(rig, constraint))


def _constraint_reads(
    rig: Rig, constraint_id: ThingId, constraint: AnyConstraint
) -> Iterable[ChannelKey]:
    """Keys of the channels that a constraint depends on: its own numbers, what moves its
    targets and what carries its part, and what it looks at of the part itself."""
    # What moves it along comes before how much it counts.
    for number in sorted(numbers(rig, constraint), key=lambda n: n.startswith(("grip", "weight"))):
        yield key(constraint_id, number)
    for target in parts_of(rig, constraint):
        for carrier in carriers(rig, target):
            yield from free_keys(rig, carrier)
    for carrier in carriers(rig, constraint.part)[1:]:
        yield from free_keys(rig, carrier)
    looked_at = CONSTRAINTS[constraint.kind].looks_at
    yield from (c for c in free_keys(rig, constraint.part) if split(c)[1] in looked_at)
    if constraint.kind == "seat":
        # The surface follows the dimensions of its solids.
        on = targets_of(constraint)[0].on or GROUND
        yield from (c for c in numbers_of(rig, on) if split(c)[1].startswith("shape "))


def tied_to_itself(rig: Rig, constraint: Constraint, through: list[ChannelKey]) -> Note:
    """The note on a constraint that would run after itself. through: keys of the channels that
    lead each other round; none where a target is carried by what the constraint moves."""
    told = constraint_words(rig, constraint)
    name = rig.parts[constraint.part].name
    if _rides_on(rig, constraint):
        moved = {constraint.part, *(split(c)[0] for c in given_by(rig, constraint))}
        riding, name = next(
            (t, rig.parts[m].name)
            for t in parts_of(rig, constraint) for m in carriers(rig, t) if m in moved
        )  # fmt: skip
        text = (
            f"{told}, but {rig.parts[riding].name} is carried by {name}: it would run after itself."
            " Choose another target, or mount one of them elsewhere."
        )
        return Note("constraint-cycle", name, text)
    names = [label(rig, channel) for channel in through]
    chain = " leads ".join([*names, names[0]]) if names else told
    text = f"{told}, which closes a ring: {chain}. It has no beginning; choose another target."
    return Note("constraint-cycle", name, text)
