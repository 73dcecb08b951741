"""Arranging a rig: whole, or, after an edit, only the islands that it touched.

An arrangement is kept by the identity of what it was made from. From the latest that differs
little, what was not touched is taken over; what follows is the same, block for block, as if all
had been arranged anew. A rig in which something is left out is always arranged whole, for a note
can hang on anything.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable
from functools import cached_property

import msgspec
from msgspec.structs import replace

from gremio.core.plan.arrangement import Arrangement, Place, places_in
from gremio.core.plan.blocks import Block
from gremio.core.plan.carrying import carriers
from gremio.core.plan.islands import (
    Island,
    by_thing,
    islands_of,
    things_of,
    touched_islands,
)
from gremio.core.plan.order import TEETH, arranged_whole
from gremio.core.plan.touched import Touched, touched
from gremio.core.records import Record
from gremio.core.remembered import Bounded
from gremio.core.rig.channels import split
from gremio.core.rig.constraints import all_targets, parts_of
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.links import members
from gremio.core.rig.model import Rig, Rolling
from gremio.core.rig.things import THINGS

# What an arrangement is made from.
MADE_FROM = tuple(one.field for one in THINGS if one.moves)
# What its plan follows besides parts and controls.
_FOLLOWED = ("links", "closures", "constraints", "paths", "measures")
# From so many touched things on, a rig is arranged whole.
_MANY = 400
# How often an island that was touched is joined with others before all is arranged anew.
_ROUNDS = 8


class Kept(Record, frozen=True):
    """An arrangement and a rig that it is of. following: the islands whose plan follows each
    thing, where that is known already."""

    rig: Rig
    arrangement: Arrangement
    following: dict[ThingId, tuple[Island, ...]] | None = None

    @cached_property
    def by_thing(self) -> dict[ThingId, tuple[Island, ...]]:
        """The islands whose plan follows each thing, by its id."""
        if self.following is not None:
            return self.following
        return by_thing(self.rig, self.arrangement.islands)

    @cached_property
    def whole(self) -> bool:
        """Whether nothing is left out, so that an edit touches no more than islands."""
        if self.arrangement.notes:
            return False
        known = {i for island in self.arrangement.islands for i in island.things}
        rig = self.rig
        given = [i for i, one in rig.constraints.items() if not one.off]
        return (
            known.issuperset(rig.links)
            and known.issuperset(rig.closures)
            and (known.issuperset(given))
        )


# An edit that is checked, and then made ready to run, is arranged once. The rig is kept as well,
# so that no other can come to stand at the same place in memory.
_KEPT: Bounded[tuple[int, ...], Kept] = Bounded(lambda _kept: 1, 6)


def arrange(rig: Rig) -> Arrangement:
    """Put the links in the order in which they can be computed.

    Left out, with a note, is what can't be. The same parts and links, wherever they stand, are
    arranged once.
    """
    made_from = tuple(id(getattr(rig, field)) for field in MADE_FROM)
    return _KEPT.of(made_from, lambda _places: _arranged(rig)).arrangement


def _arranged(rig: Rig) -> Kept:
    for kept in _KEPT.latest():
        found = taken_over(kept, rig)
        if found is not None:
            return found
    return Kept(rig, arranged_whole(rig))


def taken_over(kept: Kept, rig: Rig) -> Kept | None:
    """The arrangement of a rig from that of another, but for the islands that were touched;
    None where it can't be had so."""
    change = touched(kept.rig, rig, MADE_FROM)
    if change.count > _MANY or not kept.whole:
        return None
    hit = _hit(kept, rig, change)
    if not hit and not _new_things(rig, change):
        return replace(kept, rig=rig, following=kept.by_thing)
    things = {i for island in hit for i in island.things} | _new_things(rig, change)
    for _ in range(_ROUNDS):
        part = _part_of(rig, things)
        made = arranged_whole(part)
        if made.notes or _counts_teeth(kept, rig, things):
            return None
        new = islands_of(made.levels)
        more = [one for one in _near(kept, rig, new) if one not in hit and _meets(one, new)]
        if not more and not hit and not new:
            return replace(kept, rig=rig, following=kept.by_thing)
        if not more:
            return _merged(kept, rig, hit, Arrangement(made.levels, (), made.stops), new)
        hit += more
        things |= {i for island in more for i in island.things}
    return None


def _hit(kept: Kept, rig: Rig, change: Touched) -> list[Island]:
    """The islands whose plan an edit touched."""
    changed: set[ThingId] = {i for field in _FOLLOWED for i in change.things[field]}
    before, after = kept.rig.controls, rig.controls
    # What a link can do with a control depends on its kind, and on nothing else of it.
    changed |= {
        c for c in change.things["controls"]
        if c not in before or c not in after or before[c].kind != after[c].kind
    }  # fmt: skip
    changed |= change.built
    found = touched_islands(kept.by_thing, changed)
    # Which joints of a linkage are solved for follows where its parts stand.
    moved = touched_islands(kept.by_thing, change.placed)
    return [*found, *(one for one in moved if one.looped and one not in found)]


def _new_things(rig: Rig, change: Touched) -> set[ThingId]:
    """Ids of what came or is another one, and makes blocks: links, closures, constraints, and
    parts that may be screws."""
    every = {i for field in ("links", "closures", "constraints") for i in change.things[field]}
    there = {i for i in every if i in rig.links or i in rig.closures or i in rig.constraints}
    return there | {p for p in change.built if p in rig.parts}


def _part_of(rig: Rig, things: Iterable[ThingId]) -> Rig:
    """A rig of some links, closures and constraints, and of the parts and controls that they
    speak of, with all that carries those."""
    wanted = set(things)
    links = {i: link for i, link in rig.links.items() if i in wanted}
    closures = {i: one for i, one in rig.closures.items() if i in wanted}
    constraints = {i: one for i, one in rig.constraints.items() if i in wanted}
    named: set[ThingId] = {i for i in wanted if i in rig.parts}
    for link in links.values():
        named.update(split(channel)[0] for channel in members(link))
        if isinstance(link, Rolling):
            path = rig.paths.get(link.path)
            ends = (link.on, path.on if path is not None else None)
            named.update(on for on in ends if on is not None)
    for measure in [rig.measures[i] for i in named if i in rig.measures]:
        named.update(end.part for end in measure.ends)
    for closure in closures.values():
        named.update(part for part in (closure.one, closure.two) if part is not None)
    for constraint in constraints.values():
        named.add(constraint.part)
        named.update(parts_of(rig, constraint))
        named.update(target.on for target in all_targets(constraint) if target.on is not None)
    named.update(p for part in list(named) for p in carriers(rig, PartId(part)))
    return msgspec.structs.replace(
        rig,
        parts={i: part for i, part in rig.parts.items() if i in named},
        controls={i: one for i, one in rig.controls.items() if i in named},
        links=links,
        closures=closures,
        constraints=constraints,
    )


def _counts_teeth(kept: Kept, rig: Rig, things: Iterable[ThingId]) -> bool:
    """Whether a link leads what a ratio between teeth may count: that is looked at whole."""
    names = {c for i in things if i in rig.links for c in members(rig.links[i])}
    near = touched_islands(kept.by_thing, {split(c)[0] for c in names})
    names.update(c for island in near for c in island.writes)
    return any(" shape " in c and c.endswith(TEETH) for c in names)


def _near(kept: Kept, rig: Rig, islands: Iterable[Island]) -> list[Island]:
    """The old islands that follow something that new ones follow."""
    return touched_islands(kept.by_thing, {i for one in islands for i in things_of(rig, one)})


def _meets(old: Island, islands: Iterable[Island]) -> bool:
    return any(old.meets(one) for one in islands)


def _merged(
    kept: Kept, rig: Rig, gone: list[Island], made: Arrangement, new: tuple[Island, ...]
) -> Kept:
    """The old arrangement without some islands, and with new ones in their places."""
    place = places_in(rig)
    left = {id(block) for island in gone for block in island.blocks}
    levels: list[tuple[Block, ...]] = []
    for depth in range(max(len(kept.arrangement.levels), len(made.levels))):
        old = kept.arrangement.levels[depth] if depth < len(kept.arrangement.levels) else ()
        more = made.levels[depth] if depth < len(made.levels) else ()
        level = [block for block in old if id(block) not in left] if left else list(old)
        if not more and len(level) == len(old):
            levels.append(old)
            continue
        for block in more:
            level.insert(bisect_left(level, place(block), key=place), block)
        levels.append(tuple(level))
    while levels and not levels[-1]:
        levels.pop()
    lost = {c for island in gone for c in island.writes}
    stops = {c: ends for c, ends in kept.arrangement.stops.items() if c not in lost}
    stops = dict(sorted({**stops, **made.stops}.items()))
    arrangement = Arrangement(tuple(levels), (), stops)
    away = {id(island) for island in gone}
    islands = [one for one in kept.arrangement.islands if id(one) not in away]

    def beginning(island: Island) -> Place:
        return place(island.levels[0][0])

    for island in new:
        islands.insert(bisect_left(islands, beginning(island), key=beginning), island)
    # What is known of the new arrangement is not looked for again.
    arrangement.__dict__["islands"] = tuple(islands)
    following = dict(kept.by_thing)
    for thing in {t for island in gone for t in things_of(kept.rig, island)}:
        following[thing] = tuple(one for one in following[thing] if id(one) not in away)
    for island in new:
        for thing in things_of(rig, island):
            following[thing] = (*following.get(thing, ()), island)
    found = Kept(rig, arrangement, following)
    found.__dict__["whole"] = True
    return found
