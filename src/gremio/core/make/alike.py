"""Two sides kept alike: what is changed on one side is changed on the other, in the same edit.

A record of pairs of ids says which thing of one side is which of the other. When something of a
side is another than before, that side is mirrored anew, and what the mirror shows is put in the
place of the other side's things; their ids and names stay.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from msgspec.structs import replace

from gremio.core.edit.change import must_have, new_id, with_entry, without
from gremio.core.make.removing import removed
from gremio.core.make.side_words import SIDES
from gremio.core.make.twins import Plane, Twin, twin
from gremio.core.rig.channels import key, split
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.links import followers
from gremio.core.rig.model import Alike, Rig, Routine
from gremio.core.rig.rekeyed import rekeyed
from gremio.core.rig.things import THINGS
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate

# What belongs to a side, by where it stands in a rig.
_FIELDS = tuple(record.field for record in THINGS if record.moves and record.field != "sources")


def keep_alike(made: Twin, plane: Plane, *, same_way: bool = False) -> Rig:
    """The rig of a twin that is kept alike with its original."""
    rig, record_id = new_id(made.rig, "a")
    there = {i for field in _FIELDS for i in getattr(rig, field)}
    pairs = {one: two for one, two in made.ids.items() if two in there}
    record = Alike(pairs, plane.axis, plane.on, plane.at, same_way)
    return replace(rig, alike=with_entry(rig.alike, record_id, record))


def part_them(rig: Rig, record_id: ThingId) -> Rig:
    """The rig in which two sides are not kept alike any more; both stay as they are. Raises
    NotFound."""
    must_have(rig.alike, record_id, "pair of sides")
    return replace(rig, alike=without(rig.alike, record_id))


def alike_with(rig: Rig, thing: ThingId) -> tuple[ThingId, ThingId] | None:
    """Id of the record by which a thing is kept alike with another, and the other's id."""
    for record_id, record in rig.alike.items():
        if thing in record.pairs:
            return record_id, record.pairs[thing]
        for one, two in record.pairs.items():
            if two == thing:
                return record_id, one
    return None


def kept_alike(before: Rig, after: Rig, *, geometry: GeometryOf) -> Rig:
    """A rig after an edit, with what the edit changed on one of two sides changed on the other."""
    for record_id, record in list(after.alike.items()):
        if before.alike.get(record_id) != record:
            continue
        one, two = set(record.pairs), set(record.pairs.values())
        if not _roots(after, one) or not _roots(after, two):
            # A side is gone; the other stays, by itself.
            after = part_them(after, record_id)
        elif _changed(before, after, one):
            after = _followed(after, record_id, record.pairs, geometry)
        elif _changed(before, after, two):
            back = {b: a for a, b in record.pairs.items()}
            after = _followed(after, record_id, back, geometry, back=True)
    return after


def as_mirrored(rig: Rig, record_id: ThingId, *, geometry: GeometryOf) -> Rig:
    """The rig with the other side as the mirror has the first, of a record (id). Raises
    NotFound."""
    record = must_have(rig.alike, record_id, "pair of sides")
    return _followed(rig, record_id, record.pairs, geometry)


def _roots(rig: Rig, side: set[ThingId]) -> list[PartId]:
    """The parts of a side that are on none of it."""
    return [i for i, part in rig.parts.items() if i in side and part.parent not in side]


def _bare(thing: Any) -> Any:
    """A thing without what each side has for itself: what it is called, and what is written."""
    own = {field: "" for field in ("name", "note") if hasattr(thing, field)}
    return replace(thing, **own) if own else thing


def _changed(before: Rig, after: Rig, side: set[ThingId]) -> bool:
    """Whether something of a side is another, new or gone."""
    for field in _FIELDS:
        was, now = getattr(before, field), getattr(after, field)
        if was is now:
            continue
        for thing in side:
            one, two = was.get(thing), now.get(thing)
            if one is not two and (one is None or two is None or _bare(one) != _bare(two)):
                return True
    if before.parts is not after.parts:
        for part_id, part in after.parts.items():
            if part.parent in side and part_id not in side:
                # Made on it, or mounted on it now.
                was = before.parts.get(part_id)
                if was is None or was.parent not in side:
                    return True
    if before.links is not after.links:
        for link_id, link in after.links.items():
            led = {split(c)[0] for c in followers(link)}
            if link_id not in before.links and led <= side:
                return True
    if before.routines is not after.routines:
        return _keys_of(before, side) != _keys_of(after, side)
    return False


def _keys_of(rig: Rig, side: set[ThingId]) -> list[Any]:
    """What routines say of a side."""
    return [
        (
            {c: cam for c, cam in routine.keys.items() if split(c)[0] in side},
            {c: v for c, v in routine.start.items() if split(c)[0] in side},
            {p: h for p, h in routine.carried.items() if p in side},
        )
        for routine in rig.routines.values()
    ]


def _followed(
    rig: Rig,
    record_id: ThingId,
    pairs: Mapping[ThingId, ThingId],
    geometry: GeometryOf,
    *,
    back: bool = False,
) -> Rig:
    """The rig whose other side is as the mirror has the first. back: the record says the pairs the
    other way round."""
    record = rig.alike[record_id]
    there = {i for field in _FIELDS for i in getattr(rig, field)}
    for one, two in pairs.items():
        # With a part goes what it carried, so that it may be gone by now.
        if one not in there and two in {i for field in _FIELDS for i in getattr(rig, field)}:
            home = evaluate(compile_rig(rig, geometry), {}).frame(0)
            rig = removed(rig, two, home)
    pairs = {one: two for one, two in pairs.items() if one in there}
    doubled = any(one in rig.controls for one in pairs)
    made = twin(
        rig,
        _roots(rig, set(pairs)),
        Plane(record.axis, record.on, record.at),
        crossing="own" if doubled else "share",
        same_way=record.same_way,
        sides=SIDES,
        geometry=geometry,
    )
    # What the mirror shows has ids of its own; those of the other side take its place.
    known = {fresh: pairs.get(one, fresh) for one, fresh in made.ids.items()}
    known |= _row_paths(rig, made, known)

    def key_of(text: str) -> str:
        owner, name = split(ChannelKey(text))
        return key(known[owner], name) if owner in known else text

    changed: dict[str, Any] = {}
    for field in _FIELDS:
        now, shown = dict(getattr(rig, field)), getattr(made.rig, field)
        for one, fresh in made.ids.items():
            if one not in getattr(rig, field):
                continue
            target = known[fresh]
            if fresh not in shown:
                # What can't be said there is not there.
                now.pop(target, None)
                continue
            thing = rekeyed(shown[fresh], type(shown[fresh]), key_of)
            present = now.get(target)
            if present is not None:
                own = {f: getattr(present, f) for f in ("name", "note") if hasattr(present, f)}
                thing = replace(thing, **own)
            elif hasattr(thing, "name"):
                thing = replace(thing, name=shown[fresh].name)
            now[target] = thing
        if field == "paths":
            for fresh in made.rig.paths.keys() - rig.paths.keys() - set(made.ids.values()):
                path = made.rig.paths[fresh]
                present = now.get(known[fresh])
                name = path.name if present is None else present.name
                now[known[fresh]] = replace(rekeyed(path, type(path), key_of), name=name)
        changed[field] = now
    routines = {
        i: _routine(routine, made.rig.routines[i], known, key_of)
        for i, routine in rig.routines.items()
    }
    all_pairs = {one: known[fresh] for one, fresh in made.ids.items()
                 if any(known[fresh] in things for things in changed.values())}  # fmt: skip
    if back:
        all_pairs = {two: one for one, two in all_pairs.items()}
    alike = with_entry(rig.alike, record_id, replace(record, pairs=all_pairs))
    return replace(rig, **changed, routines=routines, alike=alike, made=made.rig.made)


def _row_paths(rig: Rig, made: Twin, known: Mapping[ThingId, ThingId]) -> dict[ThingId, ThingId]:
    """Of paths that the mirror made for rows alone: that which the row of the other side has."""
    found: dict[ThingId, ThingId] = {}
    for path_id in made.rig.paths.keys() - rig.paths.keys() - set(made.ids.values()):
        found[path_id] = path_id
        for fresh, target in known.items():
            shown, present = made.rig.parts.get(PartId(fresh)), rig.parts.get(PartId(target))
            rows = [p.repeat for p in (shown, present) if p is not None and p.repeat is not None]
            if len(rows) == 2 and rows[0].path == path_id and rows[1].path in rig.paths:
                found[path_id] = rows[1].path
    return found


def _routine(
    routine: Routine, shown: Routine, known: Mapping[ThingId, ThingId], key_of: Any
) -> Routine:
    """A routine whose keys, beginning and hand-offs of the other side are as the mirror has it."""
    other = set(known.values())
    keys = {c: cam for c, cam in routine.keys.items() if split(c)[0] not in other}
    start = {c: v for c, v in routine.start.items() if split(c)[0] not in other}
    carried = {p: h for p, h in routine.carried.items() if p not in other}
    for channel, cam in shown.keys.items():
        if split(channel)[0] in known:
            keys[ChannelKey(key_of(channel))] = rekeyed(cam, type(cam), key_of)
    for channel, value in shown.start.items():
        if split(channel)[0] in known:
            start[ChannelKey(key_of(channel))] = value
    for part, hand_offs in shown.carried.items():
        if part in known:
            carried[PartId(known[part])] = tuple(
                replace(h, carrier=None if h.carrier is None
                        else PartId(known.get(h.carrier, h.carrier)))
                for h in hand_offs
            )  # fmt: skip
    return replace(routine, keys=keys, start=start, carried=carried)
