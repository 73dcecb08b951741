"""What can be wrong, said so that a person can act on it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

import msgspec

Severity = Literal["error", "warning", "info"]


class GremioError(Exception):
    """Something asked for can't be done; the text names the thing and the way out."""


class NotFound(GremioError):
    """A name that nothing in the rig has."""


class Note(msgspec.Struct, frozen=True):
    """One finding about a rig or a pose.

    code: a short stable word, for scripts ("stop-reached", "led-twice").
    part: the name of the part or control it is about; "" when it is about the rig.
    text: the whole message for a person.
    severity: "error" keeps the rig from being what it says, "warning" does not.
    """

    code: str
    part: str
    text: str
    severity: Severity = "error"


def counted_words(count: int, word: str) -> str:
    """A count with its word: "1 station", "3 stations"."""
    return f"{count:,} {word}{'' if count == 1 else 's'}"


def with_article(word: str) -> str:
    """A word after its article: "a spur gear", "an internal gear"."""
    return f"{'an' if word[:1].lower() in 'aeiou' else 'a'} {word}"


def listed(names: Iterable[str]) -> str:
    """Names as people list them: "Boom, Stick and Slew"."""
    every = list(names)
    return " and ".join([", ".join(every[:-1]), every[-1]] if len(every) > 1 else every)
