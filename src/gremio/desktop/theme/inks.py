"""The two inks and their papers, by day and by night. No toolkit."""

from __future__ import annotations

import functools

from gremio.core.records import Record


class Inks(Record, frozen=True):
    """Colours as "#rrggbb". hand: what a hand can move. time: keys, frames, warnings."""

    paper: str
    panel: str
    ink: str
    second: str
    rule: str
    wash: str
    hand: str
    time: str
    field: str
    night: bool


DAY = Inks(
    paper="#F4F0E6",
    panel="#FBF9F3",
    ink="#1E2A32",
    second="#5C666F",
    rule="#CFC8B8",
    wash="#EBE5D6",
    hand="#C4452D",
    time="#9A6B0C",
    field="#FFFFFF",
    night=False,
)
NIGHT = Inks(
    paper="#1C242B",
    panel="#232C34",
    ink="#ECE7DA",
    second="#9AA5AE",
    rule="#39444D",
    wash="#2F3A43",
    hand="#E8674C",
    time="#D9A53A",
    field="#1C242B",
    night=True,
)


@functools.lru_cache(maxsize=4096)
def rgb(colour: str) -> tuple[float, float, float]:
    """Red, green and blue from 0 to 1."""
    red, green, blue = (int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5))
    return red, green, blue
