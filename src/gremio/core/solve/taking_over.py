"""A program from an older one: what an edit did not touch is taken over, what it did is made
anew. The outcome is the same, bit for bit, as if the rig had been compiled whole."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Rows
from gremio.core.frames import IDENTITY
from gremio.core.plan.arrangement import Arrangement
from gremio.core.plan.arranging import MADE_FROM
from gremio.core.plan.carrying import part_levels
from gremio.core.plan.check import has_faults
from gremio.core.plan.joints import APPLIED
from gremio.core.plan.touched import Touched, touched
from gremio.core.rig.channels import freed, key, split
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.links import members
from gremio.core.rig.model import Rig
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.limits import as_slice
from gremio.core.solve.making import Old
from gremio.core.solve.program import Program, program_of
from gremio.core.solve.rows import Keys, Values, led_ends, own_keys, put, with_used
from gremio.core.solve.tree import JointStep, Tree, columns, every_row, parent_rows

# From so many touched things on, a rig is compiled whole.
_MANY = 400
# What is known of a tree that stands and is jointed as it was.
_OF_TREE = ("own_place", "own_rows", "mount_rows", "joint_table", "_applied")
# What is known of a program in which no more than names differ.
_OF_ALL = (
    *_OF_TREE,
    "growing",
    "turning_under",
    "by_formula",
    "shown_rows",
    "asked_range",
    "leads_to",
    "given_rows",
)


class _Moved(NamedTuple):
    """Where the channels and parts of an older program are now. row: (C + 1,) the new row of
    each old channel, −1 where it is gone. came_from: (C',) the old row of each new one, −1 where
    there was none. part: (P + 1,), part_from: (P',): of parts alike. same: nothing has moved."""

    row: Rows
    came_from: Rows
    part: Rows
    part_from: Rows
    same: bool


def taken_over(
    before: Program, rig: Rig, geometry: GeometryOf, arrangement: Arrangement
) -> Program | None:
    """The program of a rig from that of another; None where it is to be compiled whole: where
    something is wrong with one of the two, where models changed, where parts that were there are
    carried by others, or where very much changed."""
    if before.faults or arrangement.notes or not before.part_ids or not before.channel_keys:
        return None
    change = touched(before.rig, rig, MADE_FROM)
    if change.count > _MANY or change.any("sources") or _carried_by_others(before.rig, rig, change):
        return None
    if has_faults(rig, change):
        return None
    if not change.moves:
        return _renamed(before, rig, geometry, arrangement)
    keys = _keys(before, rig, change)
    if keys is None:
        return None
    moved = _moved(before, keys)
    tree = _tree(before, rig, change, keys, moved)
    led = led_ends(keys.row, arrangement.stops)
    values = _values(before, rig, change, keys, moved, led)
    old = Old(
        before.steps,
        before.arrangement.levels,
        moved.row,
        moved.same,
        tree.part_ids == before.part_ids,
        change,
    )
    found = program_of(rig, geometry, arrangement, keys, tree, led, values, (), before, old)
    if moved.same and not change.placed and not change.built:
        _keep(before, found)
    if found.drives is before.drives and "leads_to" in before.__dict__:
        found.__dict__["leads_to"] = before.leads_to
    return found


def _renamed(before: Program, rig: Rig, geometry: GeometryOf, arrangement: Arrangement) -> Program:
    """The same program, of a rig in which no more than names differ."""
    found = replace(before, rig=rig, geometry=geometry, arrangement=arrangement)
    _keep(before, found, _OF_ALL)
    return found


def _keep(before: Program, found: Program, known: tuple[str, ...] = _OF_TREE) -> None:
    """What is known of an older program's tree, or of all of it, is known of this one's."""
    found.__dict__.update({k: before.__dict__[k] for k in known if k in before.__dict__})


def _carried_by_others(before: Rig, after: Rig, change: Touched) -> bool:
    """Whether a part that is in both rigs is carried by another part."""
    both = (p for p in change.built if p in before.parts and p in after.parts)
    return any(before.parts[p].parent != after.parts[p].parent for p in both)


def _keys(before: Program, rig: Rig, change: Touched) -> Keys | None:
    """The channels now; None where parts are mounted on nothing, or in a ring."""
    old = before.keys
    both = [(before.rig.links.get(i), rig.links.get(i)) for i in change.things["links"]]
    named = {c for pair in both for link in pair if link is not None for c in members(link)}
    # Which numbers are in use can be otherwise only where some were, or are now.
    used_as_before = named.issubset(old.row) and not (named and old.used)
    same = not change.built and not change.any("constraints", "paths")
    same = same and list(before.rig.controls) == list(rig.controls)
    same = same and all(_alike(before.rig, rig, part) for part in change.shaped)
    if same and used_as_before:
        return old
    depth, of_part = old.depth, old.of_part
    # No part is carried by another than before: only where some came or went depths are others.
    if list(before.rig.parts) != list(rig.parts):
        depth, notes = part_levels(rig)
        if notes:
            return None
    anew = change.built | change.shaped
    of_part = {
        part: own_keys(part, rig.parts[part]) if part in anew else of_part[part]
        for level in depth
        for part in level
    }
    return with_used(rig, depth, of_part, (), () if used_as_before and not old.used else None)


def _alike(before: Rig, after: Rig, part: PartId) -> bool:
    """Whether a part that is in both has the same channels."""
    return own_keys(part, before.parts[part]) == own_keys(part, after.parts[part])


def _moved(before: Program, keys: Keys) -> _Moved:
    if keys is before.keys:
        rows = np.append(np.arange(len(keys.keys)), -1)
        parts = np.append(np.arange(len(before.part_ids)), -1)
        return _Moved(rows, rows[:-1], parts, parts[:-1], True)
    part_ids = [part for level in keys.depth for part in level]
    now = {part: i for i, part in enumerate(part_ids)}
    return _Moved(
        np.array([*_rows(keys.row, before.keys.keys), -1], dtype=np.intp),
        np.array(_rows(before.keys.row, keys.keys), dtype=np.intp),
        np.array([*_rows(now, before.part_ids), -1], dtype=np.intp),
        np.array(_rows(before.part_row, part_ids), dtype=np.intp),
        keys.keys == before.keys.keys,
    )


def _rows(row: Mapping[Any, int], every: Sequence[Any]) -> list[int]:
    """The rows of some, −1 for what has none; without a step of Python for each."""
    return list(map(row.get, every, itertools.repeat(-1)))


def _tree(before: Program, rig: Rig, change: Touched, keys: Keys, moved: _Moved) -> Tree:
    """The tree of the parts now."""
    if not change.built and not change.placed and moved.same:
        return Tree(**{name: getattr(before, name) for name in Tree.__struct_fields__})
    part_ids = tuple(part for level in keys.depth for part in level)
    part_row = {part: row for row, part in enumerate(part_ids)}
    if not change.built:
        part_ids, part_row = before.part_ids, before.part_row
    mounts = before.mounts[:, :, moved.part_from]
    fresh = [p for p in (*change.built, *change.placed) if p in part_row]
    if fresh:
        rows = [part_row[part] for part in fresh]
        mounts[:, :, rows] = columns([rig.parts[part].mount for part in fresh])
    own_of = {before.part_ids[row] for row in before.own_parts}
    own_of = (own_of - change.built - change.placed) | {
        part for part in fresh if rig.parts[part].own != IDENTITY
    }
    with_own = sorted(part_row[part] for part in own_of)
    ends = np.cumsum([0, *map(len, keys.depth)]).tolist()
    return Tree(
        part_ids=part_ids,
        part_row=part_row,
        parents=parent_rows(rig, part_ids, part_row, keys.depth)
        if change.built
        else before.parents,
        levels=tuple(itertools.pairwise(ends)),
        mounts=np.ascontiguousarray(mounts),
        owns=columns([rig.parts[part_ids[row]].own for row in with_own]),
        own_parts=np.array(with_own, dtype=np.intp),
        joint_steps=_joint_steps(before, rig, change, keys, moved, part_row),
    )


def _joint_steps(
    before: Program,
    rig: Rig,
    change: Touched,
    keys: Keys,
    moved: _Moved,
    part_row: dict[PartId, int],
) -> tuple[JointStep, ...]:
    """The steps of the joints: those of parts with other joints made anew, the others moved."""
    if moved.same and not change.built:
        return before.joint_steps
    old = {step.channel: step for step in before.joint_steps}
    gone = np.array([before.part_row.get(p, -1) for p in change.built], dtype=np.intp)
    found = []
    for channel in APPLIED:
        parts, rows = np.zeros(0, dtype=np.intp), np.zeros(0, dtype=np.intp)
        if channel in old:
            was, at = (every_row(r) for r in (old[channel].parts, old[channel].rows))
            kept = ~np.isin(was, gone)
            parts, rows = moved.part[was[kept]], moved.row[at[kept]]
        new = [
            (part_row[p], keys.row[key(p, channel)])
            for p in change.built
            if p in rig.parts and channel in freed(rig.parts[p].joint)
        ]
        if new:
            parts = np.append(parts, [part for part, _ in new])
            rows = np.append(rows, [row for _, row in new])
        order = np.argsort(parts, kind="stable")
        if len(order):
            found.append(JointStep(channel, as_slice(parts[order]), as_slice(rows[order])))
    return tuple(found)


def _values(
    before: Program,
    rig: Rig,
    change: Touched,
    keys: Keys,
    moved: _Moved,
    led: dict[int, tuple[int, int]],
) -> Values:
    """Where the channels are at home, and stop."""
    at = moved.came_from
    values = Values(before.home[at], before.low[at], before.high[at], before.soft[:, at])
    rows = set(np.flatnonzero(at < 0).tolist())
    parts = (change.stopped | change.shaped | change.built) & set(rig.parts)
    rows.update(keys.row[c] for part in parts for c in keys.of_part[part])
    rows.update(keys.row[ChannelKey(c)] for c in change.things["controls"] if c in keys.row)
    if change.any("constraints", "paths", "strands", "treads"):
        ours = rig.constraints
        rows.update(row for c, row in keys.row.items() if split(c)[0] in ours)
    rows.update(range(len(keys.keys) - keys.used, len(keys.keys)))
    # What was held within led ends, or is now.
    rows.update(keys.row[c] for c in before.arrangement.stops if c in keys.row)
    put(rig, keys, values, sorted(rows | set(led)), led)
    return values
