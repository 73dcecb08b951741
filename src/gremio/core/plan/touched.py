"""What an edit touched: the things of two rigs that are not the same, and in what they differ."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import compress
from operator import is_not
from typing import TypeVar

from gremio.core.records import Record
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Part, Rig

Id = TypeVar("Id", bound=ThingId)


class Touched(Record, frozen=True):
    """What differs from one rig to another, by id, what came and what went among it.

    things: all that differs but parts, by the field of the rig that it stands in. parts: those
    that differ in anything. built: of these, those that differ in what channels there are: came,
    went, other parent, joint, or kind of solids. placed: in where they stand. stopped: in their
    stops. shaped: in their shapes or how often they are repeated.
    """

    things: Mapping[str, frozenset[ThingId]]
    parts: frozenset[PartId]
    built: frozenset[PartId]
    placed: frozenset[PartId]
    stopped: frozenset[PartId]
    shaped: frozenset[PartId]

    def any(self, *fields: str) -> bool:
        """Whether something differs in one of some fields."""
        return any(self.things.get(field) for field in fields)

    @property
    def moves(self) -> bool:
        """Whether more differs than what parts are called, or struts say."""
        parts = self.built or self.placed or self.stopped or self.shaped
        return bool(parts) or any(those for f, those in self.things.items() if f != "struts")

    @property
    def count(self) -> int:
        """How many things differ."""
        return len(self.parts) + sum(map(len, self.things.values()))


def touched(before: Rig, after: Rig, fields: tuple[str, ...]) -> Touched:
    """What differs from one rig to another in some fields of theirs, the parts among them."""
    things = {
        field: differing(getattr(before, field), getattr(after, field))
        for field in fields
        if field != "parts"
    }
    parts = differing(before.parts, after.parts)
    built, placed, stopped, shaped = set(), set(), set(), set()
    for part in parts:
        one, two = before.parts.get(part), after.parts.get(part)
        if one is None or two is None or _build(one) != _build(two):
            built.add(part)
        if one is None or two is None:
            continue
        if (one.mount, one.own) != (two.mount, two.own):
            placed.add(part)
        if one.stops != two.stops:
            stopped.add(part)
        if (one.shapes, one.repeat, one.shown) != (two.shapes, two.repeat, two.shown):
            shaped.add(part)
    return Touched(
        things, parts, frozenset(built), frozenset(placed), frozenset(stopped), frozenset(shaped)
    )


def differing(before: Mapping[Id, object], after: Mapping[Id, object]) -> frozenset[Id]:
    """Ids of what is not the same thing in two tables."""
    if before is after:
        return frozenset()
    # Without a step of Python for each: tables are long, and looked through at every edit.
    others = map(is_not, map(before.get, after), after.values())
    found = set(compress(after, others))
    if len(before) != len(after) - len(found) or found:
        found.update(i for i in before if i not in after)
    return frozenset(found)


def _build(part: Part) -> tuple[object, ...]:
    """What says which channels a part has, and what carries it."""
    along = None if part.repeat is None else part.repeat.along
    return part.parent, part.joint, along, tuple(type(shape.solid) for shape in part.shapes)
