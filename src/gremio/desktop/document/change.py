"""What an edit changed, so that views redo the rows concerned and not themselves."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from functools import cached_property
from typing import Any

from msgspec.structs import replace

from gremio.core.plan.touched import differing
from gremio.core.records import Record
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Rig
from gremio.core.rig.things import THINGS

# Where a rig differs in one of these, it is made ready to run anew; names and poses move nothing.
# How lengths are shown stands in what every view shows.
COMPILED = (*(one.field for one in THINGS if one.moves), "lengths")
FIELDS = tuple(field for field in Rig.__struct_fields__ if field != "made")


class Change(Record, frozen=True):
    """From one rig to another. anew: another rig is on the table, or all is to be looked at."""

    before: Rig
    after: Rig
    anew: bool = False

    @cached_property
    def fields(self) -> frozenset[str]:
        """The fields of the rig in which something changed."""
        if self.anew:
            return frozenset(FIELDS)
        return frozenset(f for f in FIELDS if getattr(self.before, f) is not getattr(self.after, f))

    @property
    def compiles(self) -> bool:
        """Whether the rig is to be made ready to run anew."""
        return self.anew or not self.fields.isdisjoint(COMPILED)

    def touches(self, *fields: str) -> bool:
        """Whether something changed in one of some fields."""
        return not self.fields.isdisjoint(fields)

    def things(self, field: str) -> frozenset[ThingId]:
        """Ids of what changed, came, or went in a field."""
        if field not in self.fields:
            return frozenset()
        one: Mapping[ThingId, Any] = getattr(self.before, field)
        two: Mapping[ThingId, Any] = getattr(self.after, field)
        return frozenset({*one, *two}) if self.anew else differing(one, two)

    def renames_only(self, field: str) -> bool:
        """Whether things of a field changed in nothing but their names."""
        one: Mapping[ThingId, Any] = getattr(self.before, field)
        two: Mapping[ThingId, Any] = getattr(self.after, field)
        if self.anew or list(one) != list(two):
            return False
        return all(_but_name(one[i]) == _but_name(two[i]) for i in self.things(field))

    def same_order(self, field: str) -> bool:
        """Whether the things of a field are the same, in the same order."""
        return not self.anew and list(getattr(self.before, field)) == list(
            getattr(self.after, field)
        )


class Offer(Record, frozen=True):
    """Something said of an edit, and what can be had instead of it by one click. words: of the
    click."""

    text: str
    words: str
    do: Callable[[], object]


def only_moves(before: Rig, after: Rig) -> bool:
    """Whether an edit moves things, keys them, or keeps poses, and changes nothing else."""
    same = replace(after, at=before.at, poses=before.poses, routines=before.routines)
    return replace(same, made=before.made) == before


def _but_name(thing: Any) -> Iterable[Any]:
    return [getattr(thing, field) for field in thing.__struct_fields__ if field != "name"]
