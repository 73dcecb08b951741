"""Names in formulas: what a person writes, and what is kept.

A person writes "Left arm.y * 2"; kept is "{p3 move y} * 2", so that a rename breaks nothing.
"""

from __future__ import annotations

import re
from typing import NamedTuple

from gremio.core.formula.tree import FormulaError
from gremio.core.rig.channels import CHANNELS, free_of, freed, key, split
from gremio.core.rig.ids import CLOCK, ChannelKey, PartId, ThingId
from gremio.core.rig.model import Part, Rig
from gremio.core.rig.numbers import OWNERS, exists, number_word, numbers_of, owner_of

_WORD = re.compile(r"[A-Za-z_]+")
_AFTER = re.compile(r"\.\s*(shape \d+ )?([a-z_]+(?: [xyz]\b)?)")
_NEEDS_QUOTES = re.compile(r"^\s|\s$|^\d|[-+*/^()<>=.≤≥≠]")
_NO_QUOTES = re.compile(r'["{}]')
# Words that mean something else in a formula, so that a name like them is put in quotes.
RESERVED = {"pi", "and", "or", "not"}


class Found(NamedTuple):
    """A name in a text: the key it stands for, and where it ends."""

    key: ChannelKey
    end: int


class Names:
    """All names of a rig, longest first, so that "Upper gate, east" is one name."""

    def __init__(self, rig: Rig, also_reserved: frozenset[str] = frozenset()) -> None:
        self.rig = rig
        self.reserved = RESERVED | also_reserved
        self._ids: dict[str, ThingId] = {}
        for owner in reversed(OWNERS):
            for thing_id, thing in owner.things(rig).items():
                self._ids[thing.name] = thing_id
        for measure_id, measure in rig.measures.items():
            self._ids.setdefault(measure.name, measure_id)
        # A thing of the user's that is called so is meant before the time.
        self._ids.setdefault(CLOCK, ThingId(CLOCK))
        self._by_letter: dict[str, list[str]] = {}
        for name in sorted(self._ids, key=len, reverse=True):
            if name and not self._must_be_quoted(name):
                self._by_letter.setdefault(name[0], []).append(name)

    @property
    def every(self) -> list[str]:
        """All names of things."""
        return list(self._ids)

    def _must_be_quoted(self, name: str) -> bool:
        return bool(_NEEDS_QUOTES.search(name)) or name in self.reserved

    def at(self, text: str, start: int) -> Found | None:
        """The name that begins at a place of a text. Raises FormulaError for a part's name
        with a channel it does not have."""
        if text[start] == '"':
            end = text.find('"', start + 1)
            name = text[start + 1 : end]
            if end < 0 or name not in self._ids:
                raise FormulaError(
                    f"The rig has nothing called {name!r}."
                    if end > 0
                    else "A quote is not closed.",
                    start,
                    end + 1 if end > 0 else len(text),
                )
            return self._channel(text, end + 1, name)
        for name in self._by_letter.get(text[start], ()):
            end = start + len(name)
            whole = end >= len(text) or not (name[-1].isalnum() and text[end].isalnum())
            if text.startswith(name, start) and whole:
                return self._channel(text, end, name)
        return None

    def _channel(self, text: str, end: int, name: str) -> Found:
        thing = self._ids[name]
        if thing not in self.rig.parts:
            return self._number(text, end, thing, name)
        found = self._spelled(text, end, thing)
        if found is not None:
            return found
        match = _AFTER.match(text, end)
        if match is None:
            return Found(thing, end)
        part = self.rig.parts[PartId(thing)]
        word, shape = match[2], match[1]
        for length in (len(word), len(word.split(" ")[0])):
            short = _channel_named(self.rig, thing, part, word[:length], shape)
            if short:
                return Found(short, match.end() - len(word) + length)
        has = ", ".join(f".{_short(part, c)}" for c in free_of(part)) or "none that is free"
        raise FormulaError(
            f"{name} has no {word!r}. Its channels: {has}.", end, max(match.end(), end + 1)
        )

    def _spelled(self, text: str, end: int, thing: ThingId) -> Found | None:
        """A number of a thing spelled out behind its name: "Gate.low stop", "Lamp ride.grip";
        the longest that fits."""
        if not text.startswith(".", end):
            return None
        start = end + 1 + len(text[end + 1 :]) - len(text[end + 1 :].lstrip())
        fitting = [
            (word, channel)
            for channel in numbers_of(self.rig, thing)
            for word in {number_word(self.rig, channel), split(channel)[1]}
            if word and text.startswith(word, start) and not _goes_on(text, start + len(word))
        ]
        if not fitting:
            return None
        word, channel = max(fitting, key=lambda found: len(found[0]))
        return Found(channel, start + len(word))

    def _number(self, text: str, end: int, thing: ThingId, name: str) -> Found:
        """A control or a measure itself, or a number of anything else: "Lamp ride.grip"."""
        found = self._spelled(text, end, thing)
        if found is not None:
            return found
        if thing in self.rig.controls or thing in self.rig.measures or thing == CLOCK:
            return Found(thing, end)
        told = ", ".join(f".{number_word(self.rig, c)}" for c in numbers_of(self.rig, thing))
        raise FormulaError(
            f"{name} needs one of its numbers: {told}.", end, max(len(text), end + 1)
        )

    def shown(self, name_key: ChannelKey) -> str:
        """What a key is called in a formula."""
        if name_key == CLOCK == self._ids[CLOCK]:
            return CLOCK
        thing, rest = split(name_key)
        rig = self.rig
        owner = owner_of(rig, thing)
        named = owner.things(rig)[thing] if owner is not None else rig.measures.get(thing)
        if named is None or _NO_QUOTES.search(named.name):
            return f"{{{name_key}}}"
        name = f'"{named.name}"' if self._must_be_quoted(named.name) else named.name
        if not rest:
            return name
        part = rig.parts.get(PartId(thing))
        if part is not None and (rest in CHANNELS or rest in ("pitch angle", "shift angle")):
            return f"{name}.{_short(part, rest)}"
        if not exists(rig, name_key):
            return f"{{{name_key}}}"
        return f"{name}.{number_word(rig, name_key).replace(' angle', '_angle')}"


def _goes_on(text: str, at: int) -> bool:
    """Whether a word goes on at a place of a text."""
    return at < len(text) and (text[at].isalnum() or text[at] == "_")


def _short(part: Part, channel: str) -> str:
    """A channel after the part's name: ".turn" where it has one turn, ".y" for "move y"."""
    if channel.startswith("move "):
        return channel.removeprefix("move ")
    if channel in ("pitch angle", "shift angle"):
        return channel.removesuffix(" angle")
    turns = [c for c in freed(part.joint) if c.startswith("turn")]
    return "turn" if turns == [channel] else channel


def _channel_named(
    rig: Rig, owner: ThingId, part: Part, word: str, shape: str | None
) -> ChannelKey | None:
    """Key of what a word after a part's name means; None when it means nothing."""
    free = free_of(part)
    if shape is not None:
        found = key(owner, f"shape {int(shape.split()[1]) - 1} {word}")
        return found if exists(rig, found) else None
    if word in ("count", "pitch", "shift"):
        fitting = [c for c in free if c.startswith(word)]
        if fitting:
            return key(owner, fitting[0])
    if word in CHANNELS:
        return key(owner, word) if word in free else None
    if word in ("x", "y", "z"):
        return key(owner, f"move {word}") if f"move {word}" in free else None
    if word in ("turn", "move", "scale"):
        fitting = [c for c in free if c.startswith(word)]
        return key(owner, fitting[0]) if len(fitting) == 1 else None
    for index in range(len(part.shapes)):
        found = key(owner, f"shape {index} {word}")
        if exists(rig, found):
            return found
    return None


def completions(names: Names, typed: str) -> list[str]:
    """What could follow the last word typed: names, and channels after a name and a dot."""
    rig = names.rig
    every = [names.shown(c) for c in (*rig.controls, *rig.measures)]
    others = [o for o in OWNERS if o.word not in ("part", "control")]
    every += [names.shown(c) for o in others for one in o.things(rig) for c in numbers_of(rig, one)]
    for part_id, part in rig.parts.items():
        every += [names.shown(key(part_id, channel)) for channel in free_of(part)]
        every.append(names.shown(part_id))
        if typed.rstrip().endswith(f"{part.name}.") or f"{part.name}." in typed:
            every += [names.shown(channel) for channel in numbers_of(rig, part_id)]
    starts = [0, *(m.end() for m in re.finditer(r"[-+*/^(<>=,]\s*", typed))]
    for start in starts:
        wanted = typed[start:].lstrip('"').lower()
        fitting = [e for e in every if wanted and e.lstrip('"').lower().startswith(wanted)]
        if fitting:
            return sorted(typed[:start] + f for f in fitting)[:12]
    return []
