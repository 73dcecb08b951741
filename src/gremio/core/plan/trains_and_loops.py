"""Trains and closed linkages that share channels: what is solved before what, and what together."""

from __future__ import annotations

from collections.abc import Container

from gremio.core.plan.carrying import part_levels
from gremio.core.plan.loop_geometry import moving
from gremio.core.plan.loops import Loop, find_loops
from gremio.core.plan.trains import Fault, Row, Train, solve_trains
from gremio.core.rig.channels import split
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import Rig


def with_loops(
    rig: Rig, rows: list[Row], driven: list[ChannelKey], added: Container[ChannelKey]
) -> tuple[list[Train], list[Fault], list[Loop]]:
    """The trains, the closed linkages, and what is at fault with the trains.

    What other links lead is given in a linkage; a train without a lead of its own is led by what
    a linkage gives it. A train that has several channels of a linkage which neither gives the
    other, or would be led twice by them, is solved with it.
    """
    trains, faults = solve_trains(rows, driven)
    if not rig.closures:
        return trains, faults, []
    computing = [part for level in part_levels(rig)[0] for part in level]
    led = {c for part in rig.parts for c in moving(rig, part) if c in driven or c in added}
    through: set[ThingId] = set()
    while True:
        apart = [row for row in rows if row.link not in through]
        trains, _ = solve_trains(apart, driven)
        given = led | _determined(trains, {*driven})
        together = [row for row in rows if row.link in through]
        loops = find_loops(rig, given, computing, together)
        found = [c for loop in loops for c in loop.found]
        trains, faults = solve_trains(apart, [*driven, *found])
        trains = [half for train in trains for half in _before_and_after(train, set(found))]
        more = _through_loops(rig, trains, apart, faults, loops, given) - through
        if not more:
            return trains, faults, loops
        through |= more


def _determined(trains: list[Train], driven: set[ChannelKey]) -> set[ChannelKey]:
    """The channels of trains that follow from what drives them alone."""
    found = set()
    for train in trains:
        found |= {c for c in train.inputs if c in driven}
        found |= {c for c, share in train.shares.items() if driven.issuperset(share.factors)}
    return found


def _before_and_after(train: Train, found: set[ChannelKey]) -> list[Train]:
    """A train in two, where only some of its members follow from what linkages give (found): what
    gives to linkages is computed before them."""
    early = {c: s for c, s in train.shares.items() if found.isdisjoint(s.factors)}
    if not early or found.isdisjoint(train.inputs):
        return [train]
    inputs = tuple(c for c in train.inputs if c not in found)
    within = {*inputs, *early}
    rows = tuple(row for row in train.rows if within.issuperset(row.factors))
    late = {c: s for c, s in train.shares.items() if c not in early}
    if not rows or not late:
        return [train]
    rest = tuple(row for row in train.rows if row not in rows)
    known = [c for c in early if any(c in row.factors for row in rest)]
    return [Train(inputs, early, rows), Train((*train.inputs, *known), late, rest)]


def _through_loops(
    rig: Rig,
    trains: list[Train],
    rows: list[Row],
    faults: list[Fault],
    loops: list[Loop],
    given: set[ChannelKey],
) -> set[ThingId]:
    """The links of trains that can't be solved before or after the linkages: a train would give
    a linkage one channel from another that it gives, or would hold one by a stop of its own, or
    two of them lead it."""
    open_ones = {c: i for i, loop in enumerate(loops) for c in loop.channels if c not in given}
    found = {c for loop in loops for c in loop.found}
    through: set[ThingId] = set()
    for train in trains:
        # What a train gives a linkage must not come from what that gives the train.
        gives = {open_ones[c] for c in train.shares if c in open_ones}
        led = [c for c in train.inputs if c in found]
        stopped = bool(led) and any(_is_stopped(rig, c) for c in train.shares)
        if stopped or gives & {open_ones[c] for c in led}:
            through |= {row.link for row in train.rows}
    for fault in faults:
        if fault.kind == "twice" and any(d in found for d in fault.drivers):
            through |= _hanging_together(rows, fault.link, given)
    return through


def _is_stopped(rig: Rig, channel: ChannelKey) -> bool:
    owner, name = split(channel)
    if owner in rig.controls:
        return True
    part = rig.parts.get(PartId(owner))
    return part is not None and name in part.stops


def _hanging_together(rows: list[Row], link: ThingId, given: set[ChannelKey]) -> set[ThingId]:
    """The links of the rows that share channels, but for given ones, with the row of a link, and
    with each other."""
    found = {link}
    channels = {c for row in rows if row.link == link for c in row.factors} - given
    while True:
        more = {r.link for r in rows if channels & r.factors.keys()} - found
        if not more:
            return found
        found |= more
        channels |= {c for r in rows if r.link in more for c in r.factors} - given
