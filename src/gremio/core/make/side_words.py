"""Words that tell two sides apart, which change places in the names of a twin."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from msgspec.structs import replace

from gremio.core.problem import GremioError
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Rig
from gremio.core.rig.things import THINGS

SIDES: tuple[tuple[str, str], ...] = (
    ("left", "right"), ("east", "west"), ("north", "south"), ("port", "starboard"),
    ("upstream", "downstream"), ("near", "far"),
)  # fmt: skip
_AS = "Write them as left/right, east/west."


def sides_of(text: str) -> tuple[tuple[str, str], ...]:
    """Pairs of words, typed "left/right, east/west", or each on a line. Raises GremioError."""
    found = []
    for typed in filter(None, (one.strip() for one in text.replace("\n", ",").split(","))):
        words = [word.strip() for word in typed.split("/")]
        if len(words) != 2:
            raise GremioError(f"{typed!r} is no pair of sides. {_AS}")
        found.append((words[0], words[1]))
    check_sides(found)
    return tuple(found)


def check_sides(sides: Sequence[tuple[str, str]]) -> None:
    """Refuse a pair of words that can't change places."""
    for one, two in sides:
        if not one.strip() or not two.strip() or one.lower() == two.lower():
            raise GremioError(f"'{one}/{two}' is no pair of sides. {_AS}")


def other_side(name: str, sides: Sequence[tuple[str, str]] = SIDES) -> str:
    """A name, with the words for its side changed: "Upper gate, east" is "Upper gate, west".

    Raises GremioError for a pair of words that can't change places.
    """
    check_sides(sides)
    other = {word.lower(): two for pair in sides for word, two in (pair, pair[::-1])}
    if not other:
        return name
    every = sorted(other, key=len, reverse=True)
    words = re.compile(rf"\b({'|'.join(map(re.escape, every))})\b", re.IGNORECASE)

    def changed(found: re.Match[str]) -> str:
        word = other[found[0].lower()]
        if found[0].isupper() and len(found[0]) > 1:
            return word.upper()
        return word.capitalize() if found[0][0].isupper() else word

    return words.sub(changed, name)


def named_as_other_side(
    rig: Rig, before: Rig, ids: Mapping[ThingId, ThingId], sides: Sequence[tuple[str, str]]
) -> Rig:
    """The rig whose twins are named as the other side."""
    fields = [record.field for record in THINGS if record.named and record.moves]
    taken = names_in(rig)
    for field in fields:
        things, had = dict(getattr(rig, field)), getattr(before, field)
        for old, new in ids.items():
            if old not in had or new not in things:
                continue
            wanted = other_side(had[old].name, sides)
            if wanted != had[old].name:
                taken.discard(things[new].name)
                things[new] = replace(things[new], name=free_name(taken, wanted))
                taken.add(things[new].name)
        rig = replace(rig, **{field: things})
    return rig
