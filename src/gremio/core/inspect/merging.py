"""What is otherwise in another rig taken into this one, difference by difference."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

import msgspec
from msgspec.structs import replace

from gremio.core.edit.change import new_id, with_entry, without
from gremio.core.inspect.comparing import Difference, Where, called
from gremio.core.make.pieces import source_joined, source_known
from gremio.core.make.removing import removed
from gremio.core.plan.arranging import arrange
from gremio.core.problem import GremioError
from gremio.core.rig.channels import key, split
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.ids import thing as as_thing
from gremio.core.rig.model import Rig
from gremio.core.rig.rekeyed import replaced
from gremio.core.rig.things import THINGS, ThingRecord
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate


class Merged(NamedTuple):
    """A rig after taking over. ids: of its things by those of the other rig. told: what went along
    with what was chosen, or could not be taken, in words."""

    rig: Rig
    ids: dict[ThingId, ThingId]
    told: tuple[str, ...] = ()


def same_things(rig: Rig, other: Rig, found: Iterable[Difference]) -> dict[ThingId, ThingId]:
    """Ids of the things of a rig by those of the same things in the other one: of the same name
    and kind, or that were renamed. found: what is otherwise in the other than in the rig."""
    ids: dict[ThingId, ThingId] = {}
    for record in THINGS:
        if record.field == "sources":
            for i, source in other.sources.items():
                if (known := source_known(rig, source)) is not None:
                    ids[i] = known
            continue
        here, there = called(rig, record), called(other, record)
        ids.update({i: here[name] for name, i in there.items() if name in here})
        for one in found:
            if one.how == "renamed" and one.word == record.word and one.before in here:
                ids[as_thing(one.thing)] = here[one.before]
    return ids


def taken_over(
    rig: Rig,
    other: Rig,
    chosen: Sequence[Difference],
    ids: Mapping[ThingId, ThingId],
    *,
    geometry: GeometryOf,
) -> Merged:
    """A rig with some of what is otherwise in another one taken from that. chosen: differences, as
    `compare(…, other)` found them. ids: of the things of the rig by those of the other. What a new
    thing refers to goes along. Raises GremioError where the rig has become another one since."""
    return _Merging(rig, other, dict(ids), geometry).done(chosen)


class _Merging:
    """A rig on the way."""

    def __init__(
        self, rig: Rig, other: Rig, ids: dict[ThingId, ThingId], geometry: GeometryOf
    ) -> None:
        self.rig, self.other, self.ids, self.geometry = rig, other, ids, geometry
        self.before = rig
        self.told: list[str] = []

    def done(self, chosen: Sequence[Difference]) -> Merged:
        """With all that was chosen."""
        new = [as_thing(one.thing) for one in chosen if one.how == "new"]
        self._put_in(new)
        for one in chosen:
            if one.how == "renamed":
                self._rename(one)
            elif one.how == "changed" and one.word == "rig":
                field = str(one.where[0])
                self.rig = replace(self.rig, **{field: getattr(self.other, field)})
            elif one.how == "changed" and not one.word:
                self._stand(ChannelKey(str(one.where[0])))
            elif one.how == "changed":
                self._change(one)
        for one in chosen:
            if one.how == "gone":
                self._remove(as_thing(one.thing))
        known = {note.text for note in arrange(self.before).notes}
        self.told += [note.text for note in arrange(self.rig).notes if note.text not in known]
        return Merged(self.rig, self.ids, tuple(self.told))

    # ── new things ─────────────────────────────────────────────────

    def _put_in(self, new: Sequence[ThingId]) -> None:
        """Put things of the other rig in, with all that they refer to and that is not here."""
        wanted, open_ones = dict.fromkeys(new), list(new)
        while open_ones:
            for needed in self._referred(open_ones.pop()):
                if needed not in self.ids and needed not in wanted:
                    wanted[needed] = None
                    open_ones.append(needed)
                    self._tell_along(needed)
        for old in wanted:
            self.rig, self.ids[old] = new_id(self.rig, old.rstrip("0123456789") or "p")
        for record in THINGS:
            there = record.of(self.other)
            for old in (i for i in there if i in wanted):
                if record.field == "sources":
                    joined = source_joined(None, there[old], self.ids, self.rig)
                    self._set(record, self.ids[old], joined)
                    continue
                thing = self._here(there[old])
                if record.named:
                    free = free_name(names_in(self.rig), there[old].name)
                    thing = replace(thing, name=free)
                self._set(record, self.ids[old], thing)
        for channel, value in self.other.at.items():
            if split(channel)[0] in wanted:
                now = ChannelKey(self._key(channel))
                self.rig = replace(self.rig, at=with_entry(self.rig.at, now, value))

    def _referred(self, thing_id: ThingId) -> set[ThingId]:
        """Ids of the things of the other rig that one of its things refers to."""
        found: set[ThingId] = set()
        _, thing = self._of_other(thing_id)

        def seen(text: str) -> str:
            owner = as_thing(split(ChannelKey(text))[0])
            if any(owner in record.of(self.other) for record in THINGS):
                found.add(owner)
            return text

        replaced(_without_words(msgspec.to_builtins(thing)), seen)
        return found - {thing_id}

    def _tell_along(self, needed: ThingId) -> None:
        record, thing = self._of_other(needed)
        if record.named:
            self.told.append(f"{thing.name} goes along: what was taken refers to it.")

    # ── what is there ──────────────────────────────────────────────

    def _change(self, one: Difference) -> None:
        record, thing = self._of_other(as_thing(one.thing))
        here = self.ids.get(as_thing(one.thing))
        mine = None if here is None else record.of(self.rig).get(here)
        if here is None or mine is None:
            self.told.append(f"{one.text}: left, for {one.name} is not in this rig.")
            return
        missing = [i for i in self._referred(as_thing(one.thing)) if i not in self.ids]
        if missing:
            self._put_in(missing)
            for needed in missing:
                self._tell_along(needed)
        where = tuple(self._key(at) if isinstance(at, str) else at for at in one.where)
        self._set(record, here, _with_leaf(mine, self._here(thing), where))

    def _rename(self, one: Difference) -> None:
        record, thing = self._of_other(as_thing(one.thing))
        here = self.ids.get(as_thing(one.thing))
        things = record.of(self.rig)
        if here is None or here not in things:
            return
        taken = names_in(self.rig) - {things[here].name}
        self._set(record, here, replace(things[here], name=free_name(taken, thing.name)))

    def _stand(self, channel: ChannelKey) -> None:
        owner, name = split(channel)
        here = self.ids.get(as_thing(owner), as_thing(owner))
        now = key(here, name)
        value = self.other.at.get(channel)
        at = dict(self.rig.at)
        at.pop(now, None)
        if value is not None:
            at[now] = value
        self.rig = replace(self.rig, at=at)

    def _remove(self, here: ThingId) -> None:
        """Take a thing of this rig out; it may have gone along with another."""
        if any(here in record.of(self.rig) for record in THINGS):
            pose = evaluate(compile_rig(self.rig, self.geometry), self.rig.at).frame(0)
            self.rig = removed(self.rig, here, pose)

    # ── one thing ──────────────────────────────────────────────────

    def _of_other(self, thing_id: ThingId) -> tuple[ThingRecord, Any]:
        for record in THINGS:
            if thing_id in record.of(self.other):
                return record, record.of(self.other)[thing_id]
        raise GremioError("What is compared has changed since. Compare again.")

    def _here(self, thing: Any) -> Any:
        """A thing of the other rig with the ids of this one; what people wrote stays."""
        plain = msgspec.to_builtins(thing)
        made = {**replaced(plain, self._key), **_words_of(plain)}
        return msgspec.convert(made, type(thing))

    def _key(self, text: str) -> str:
        owner, name = split(ChannelKey(text))
        known = self.ids.get(as_thing(owner))
        return text if known is None else key(known, name)

    def _set(self, record: ThingRecord, thing_id: ThingId, thing: Any) -> None:
        things = with_entry(record.of(self.rig), thing_id, thing)
        self.rig = replace(self.rig, **{record.field: things})


# Texts that are none of a rig's own.
_WRITTEN = ("name", "note", "group", "scale_unit", "positions")


def _words_of(plain: dict[str, Any]) -> dict[str, Any]:
    """What people wrote, which may look like an id."""
    return {field: plain[field] for field in _WRITTEN if field in plain}


def _without_words(plain: dict[str, Any]) -> dict[str, Any]:
    return {field: value for field, value in plain.items() if field not in _WRITTEN}


def leaf(rig: Rig, thing: ThingId, where: Where, ids: Mapping[ThingId, ThingId]) -> Any:
    """What a rig says at a place in one of its things (id), with other ids in place of its own;
    None where it says nothing."""
    record = next((record for record in THINGS if thing in record.of(rig)), None)
    found: Any = None if record is None else record.of(rig)[thing]
    for at in where:
        if isinstance(found, msgspec.Struct):
            found = getattr(found, str(at), None)
        elif isinstance(found, dict):
            found = found.get(at)
        elif isinstance(found, tuple) and isinstance(at, int) and at < len(found):
            found = found[at]
        else:
            return None

    def key_of(text: str) -> str:
        owner, name = split(ChannelKey(text))
        known = ids.get(as_thing(owner))
        return text if known is None else key(known, name)

    return replaced(msgspec.to_builtins(found), key_of)


def _with_leaf(mine: Any, theirs: Any, where: Where) -> Any:
    """A thing with what another says at a place in it; with as much around that as it takes where
    the two are not built alike."""
    if not where:
        return theirs
    at, rest = where[0], where[1:]
    if isinstance(mine, msgspec.Struct) and type(mine) is type(theirs):
        field = str(at)
        inner = _with_leaf(getattr(mine, field), getattr(theirs, field), rest)
        return replace(mine, **{field: inner})
    if isinstance(mine, dict) and isinstance(theirs, dict):
        if at not in theirs:
            return without(mine, at)
        return with_entry(mine, at, _with_leaf(mine.get(at), theirs[at], rest))
    if isinstance(mine, tuple) and isinstance(theirs, tuple) and len(mine) == len(theirs):
        return tuple(
            _with_leaf(m, t, rest) if index == at else m
            for index, (m, t) in enumerate(zip(mine, theirs, strict=True))
        )
    return theirs
