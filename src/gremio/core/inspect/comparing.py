"""Two rigs compared: by what things are called and what they mean, not by ids or lines of text."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, Literal, NamedTuple

import msgspec

from gremio.core.frames import angles_of_turn
from gremio.core.quantity import UNITS, Kind, show_number_short, with_symbol
from gremio.core.rig.channels import channel_kind, key, split
from gremio.core.rig.ids import ChannelKey, ThingId
from gremio.core.rig.ids import thing as as_thing
from gremio.core.rig.links import followers
from gremio.core.rig.model import Cam, Closure, HandOff, Link, Rig, Routine
from gremio.core.rig.numbers import closure_label, full_label, shown_unit
from gremio.core.rig.rekeyed import replaced
from gremio.core.rig.things import THINGS, ThingRecord

How = Literal["new", "gone", "renamed", "changed"]
# Where in a thing something is said, by fields, keys and places in lists.
Where = tuple[str | int, ...]
# What a thing says of something, in words and units, and where.
Said = tuple[str, Where]
# How a value that is no quantity of a known kind is told, and how near two are taken for one.
_DIGITS = ".9g"
_WORDS = {
    "parent": "carried by",
    "mount at": "stands at",
    "mount turn": "turned",
    "mount scale": "scaled",
    "joint kind": "joint",
    "joint axis": "axis",
    "joint lead": "lead of the screw",
    "repeat count": "how many",
    "low": "low end",
    "high": "high end",
    "shapes": "shapes",
}
_NOTHING: Said = ("", ())
_IN_METRES = ("at", "pitch", "shift", "radius", "lead", "length", "width", "thickness", "sag")


class Difference(NamedTuple):
    """What is otherwise in the second rig. word, name: the kind of thing and what it is called.
    aspect: what of it ("high stop of turn z"); "" for the thing as a whole. before, after: what the
    first and the second say, in words and units. thing: its id in the second rig, or, where it is
    gone, in the first. where: in the thing's data, from its fields on."""

    how: How
    word: str
    name: str
    aspect: str = ""
    before: str = ""
    after: str = ""
    thing: str = ""
    where: Where = ()

    @property
    def text(self) -> str:
        """One line of it."""
        named = f"{self.word} {self.name}".strip()
        if self.how == "renamed":
            return f"{self.word} {self.before} is called {self.after}"
        if self.how != "changed":
            return f"{named} is {self.how}"
        return f"{named}: {self.aspect} {self.before or 'none'} → {self.after or 'none'}"


def compare(one: Rig, two: Rig) -> list[Difference]:
    """What is otherwise in the second of two rigs, kind by kind, in the order of the second."""
    rigs, names = (one, two), (_names(one), _names(two))
    same_ids = all(names[1].get(i, name) == name for i, name in names[0].items())
    renamed = {} if same_ids else _renamed(rigs, names)
    # What refers to a thing is not otherwise because that is called otherwise now.
    names[0].update({old: names[1][new] for old, new in renamed.items()})
    found = list(_of_rig(one, two))
    for record in THINGS:
        if record.field != "sources":
            found += _of_kind(record, rigs, names, renamed, same_ids=same_ids)
    return found + list(_values(one, two, renamed))


def _renamed(rigs: tuple[Rig, Rig], names: tuple[dict[str, str], dict[str, str]]) -> dict[str, str]:
    """Ids of the things of the second rig that are those of the first under another name."""
    found: dict[str, str] = {}
    for record in THINGS:
        if not record.named:
            continue
        here, there = (called(rig, record) for rig in rigs)
        gone = [(i, _told_of(rigs[0], record, record.of(rigs[0])[i], names[0]))
                for n, i in here.items() if n not in there]  # fmt: skip
        for name, new in there.items():
            if name in here or not gone:
                continue
            aspects = _told_of(rigs[1], record, record.of(rigs[1])[new], names[1])
            # Of several that say the same, the one of the same id.
            alike = [i for i, said in gone if said == aspects]
            if alike:
                was = new if new in alike else alike[0]
                found[was] = new
                gone = [one for one in gone if one[0] != was]
    return found


def _names(rig: Rig) -> dict[str, str]:
    """What things are called, by id."""
    return {
        str(i): thing.name for record in THINGS if record.named
        for i, thing in record.of(rig).items()
    }  # fmt: skip


def called(rig: Rig, record: ThingRecord) -> dict[str, ThingId]:
    """Ids of the things of a kind by what they are called; links by what they lead."""
    found: dict[str, ThingId] = {}
    for thing_id, thing in record.of(rig).items():
        name = thing.name if record.named else _told(rig, thing)
        number, free = 1, name
        while free in found:
            number += 1
            free = f"{name} ({number})"
        found[free] = thing_id
    return found


def _told(rig: Rig, thing: Link | Closure) -> str:
    if isinstance(thing, Closure):
        return closure_label(rig, thing)
    return f"to {' and '.join(full_label(rig, c) for c in followers(thing))}"


def _of_kind(
    record: ThingRecord,
    rigs: tuple[Rig, Rig],
    names: tuple[Mapping[str, str], Mapping[str, str]],
    renamed: Mapping[str, str],
    *,
    same_ids: bool,
) -> Iterator[Difference]:
    here, there = (called(rig, record) for rig in rigs)
    things = tuple(record.of(rig) for rig in rigs)
    were = {new: old for old, new in renamed.items()}
    for name, thing_id in there.items():
        after = things[1][thing_id]
        if thing_id in were and name not in here:
            was = things[0][as_thing(were[thing_id])].name
            yield Difference("renamed", record.word, name, "", was, name, thing_id)
            continue
        if name not in here:
            yield Difference("new", record.word, name, thing=thing_id)
            continue
        before = things[0][here[name]]
        if before is after or (same_ids and here[name] == thing_id and before == after):
            continue
        if _named(before, names[0]) == _named(after, names[1]):
            # Most things are as they were: their words are not needed to tell that.
            continue
        one = _aspects(rigs[0], record, before, names[0])
        two = _aspects(rigs[1], record, after, names[1])
        for aspect in dict.fromkeys((*one, *two)):
            (was, at_one), (says, at_two) = one.get(aspect, _NOTHING), two.get(aspect, _NOTHING)
            if was != says:
                yield Difference("changed", record.word, name, aspect, was, says, thing_id,
                                 at_two or at_one)  # fmt: skip
    for name, thing_id in here.items():
        if name not in there and thing_id not in renamed:
            yield Difference("gone", record.word, name, thing=thing_id)


def _told_of(rig: Rig, record: ThingRecord, thing: Any, names: Mapping[str, str]) -> dict[str, str]:
    """What a thing says, by what it is said of; not its name."""
    return {aspect: said for aspect, (said, _) in _aspects(rig, record, thing, names).items()}


def _named(thing: Any, names: Mapping[str, str]) -> Any:
    """What a thing says, with names for ids; its own name as well, for that is the same."""

    def named(text: str) -> str:
        owner, _, channel = text.partition(" ")
        return f"{names[owner]} {channel}" if owner in names else text

    return replaced(msgspec.to_builtins(thing), named)


def _aspects(
    rig: Rig, record: ThingRecord, thing: Any, names: Mapping[str, str]
) -> dict[str, Said]:
    """What a thing says, each in words and units, and where, by what it is said of; not its
    name."""

    def named(text: str) -> str:
        owner, channel = split(ChannelKey(text))
        return f"{names[owner]} {channel}".rstrip() if owner in names else text

    plain = msgspec.to_builtins(thing)
    if record.named:
        plain.pop("name", None)
    told: dict[str, Said] = {}
    if isinstance(thing, Routine):
        for channel, cam in thing.keys.items():
            told[f"keys of {named(channel)}"] = _stations(rig, cam, "s"), ("keys", channel)
        for part, handed in thing.carried.items():
            told[f"who carries {named(part)}"] = _handed(handed, names), ("carried", part)
        plain = {k: v for k, v in plain.items() if k not in ("keys", "carried")}
    elif isinstance(thing, Cam):
        unit = shown_unit(rig, thing.lead)
        told["stations"] = _stations(rig, thing, unit), ("stations",)
        plain = {k: v for k, v in plain.items() if k not in ("stations", "followers")}
    unit = getattr(thing, "unit", "")
    kind: Kind | None = UNITS[unit].kind if unit in UNITS and record.word == "control" else None
    shown = replaced(plain, named)
    for path, where, value in _leaves("", (), shown, plain):
        told[_words(path)] = _shown(path, value, unit if kind else ""), where
    return told


def _stations(rig: Rig, cam: Cam, unit: str) -> str:
    """Where the followers of a cam are at which values of its lead; and how it goes between."""
    told = []
    for station in cam.stations:
        values = [_quantity(v, shown_unit(rig, c)) for c, v in station.values.items()]
        how = [str(law) for law in station.spans.values()]
        how += [f"slope {slope:{_DIGITS}}" for slope in station.slopes.values()]
        between = f" ({', '.join(how)})" if how else ""
        told.append(f"{' and '.join(values)} at {_quantity(station.lead, unit)}{between}")
    laws = sorted({str(follower.profile) for follower in cam.followers})
    return f"{', '.join(told)}; {', '.join(laws)}"


def _handed(hand_offs: tuple[HandOff, ...], names: Mapping[str, str]) -> str:
    """Who carries a part from when on."""
    told = []
    for one in hand_offs:
        carrier = "the ground" if one.carrier is None else names.get(one.carrier, one.carrier)
        place = _shown("at", one.place.at, "")
        settles = f", settling over {one.over:{_DIGITS}} s into {place}" if one.over else ""
        told.append(f"{carrier} from {one.time:{_DIGITS}} s{settles}")
    return ", then ".join(told)


def _leaves(path: str, where: Where, shown: Any, plain: Any) -> Iterator[tuple[str, Where, Any]]:
    """What is said, leaf by leaf: of what, where, and the value. shown: with names for ids; plain:
    as it stands."""
    if isinstance(shown, dict):
        for (field, inner), (at, raw) in zip(shown.items(), plain.items(), strict=True):
            yield from _leaves(f"{path} {field}".lstrip(), (*where, at), inner, raw)
    elif isinstance(shown, list | tuple) and not all(isinstance(v, int | float) for v in shown):
        for index, (inner, raw) in enumerate(zip(shown, plain, strict=True)):
            again = f"{path} {index + 1}" if len(shown) > 1 else path
            yield from _leaves(again, (*where, index), inner, raw)
    else:
        yield path, where, shown


def _words(path: str) -> str:
    parts = path.split()
    if parts[:1] == ["stops"] and len(parts) == 4:
        return f"{parts[3]} stop of {parts[1]} {parts[2]}"
    return _WORDS.get(path, path.replace("_", " "))


def _shown(path: str, value: Any, unit: str) -> str:
    """A value in words and units."""
    last = path.split()[-1] if path else ""
    if isinstance(value, list | tuple):
        numbers = list(map(float, value))
        if last == "turn" and len(numbers) == 4:
            w, x, y, z = numbers
            angles = angles_of_turn((w, x, y, z))
            return ", ".join(_quantity(angle, "deg") for angle in angles)
        if last in _IN_METRES:
            return ", ".join(format(v, _DIGITS) for v in numbers) + " m"
        return ", ".join(format(v, _DIGITS) for v in numbers)
    if isinstance(value, bool) or not isinstance(value, int | float):
        return {True: "yes", False: "no", None: ""}.get(value, str(value))
    if path.startswith("stops "):
        kind = channel_kind(" ".join(path.split()[1:3]))
        return _quantity(value, "deg" if kind == "angle" else "m")
    if unit and last in ("low", "high", "home"):
        return _quantity(value, unit)
    return format(value, _DIGITS) + (" m" if last in _IN_METRES else "")


def _quantity(value: float, unit: str) -> str:
    """With as many digits as it takes to tell two values apart."""
    exact = format(value / UNITS[unit].size, _DIGITS)
    short = show_number_short(value, unit)
    return with_symbol(short if float(short) == float(exact) else exact, unit)


def _of_rig(one: Rig, two: Rig) -> Iterator[Difference]:
    for aspect, field in (("name", "name"), ("lengths in", "lengths"), ("locked", "locked")):
        before, after = getattr(one, field), getattr(two, field)
        if before != after:
            yield Difference("changed", "rig", "", aspect, str(before), str(after), "", (field,))


def _values(one: Rig, two: Rig, renamed: Mapping[str, str]) -> Iterator[Difference]:
    """Where things stand now."""
    stood = {}
    for channel, value in one.at.items():
        owner, name = split(channel)
        now = key(as_thing(renamed.get(owner, owner)), name)
        label = full_label(two, now) if owner in renamed else full_label(one, channel)
        stood[label] = (channel, _quantity(value, shown_unit(one, channel)))
    stand = {full_label(two, c): (c, _quantity(v, shown_unit(two, c))) for c, v in two.at.items()}
    for name in dict.fromkeys((*stood, *stand)):
        one_says, two_says = stood.get(name), stand.get(name)
        before = one_says[1] if one_says else "home"
        after = two_says[1] if two_says else "home"
        if before != after:
            (channel, _), *_rest = [said for said in (two_says, one_says) if said]
            thing = split(channel)[0]
            yield Difference("changed", "", name, "stands at", before, after, thing, (channel,))
