"""What a form is declared of: fields with their word, what they show, and the edit they make.

A field reads the rig, and gives back a rig; what is done with that, and what happens when it is
refused, is the form's affair.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import Any

from PyQt6.QtWidgets import QWidget

from gremio.core.frames import Triple
from gremio.core.quantity import Kind
from gremio.core.records import Record
from gremio.core.rig.ids import NOTHING, ChannelKey, ThingId
from gremio.core.rig.model import Rig


class Number(Record, frozen=True):
    """A number that is a channel, by its key: it can be typed, led, copied, and made a control.

    word: beside it. name: by which it is found; the channel's own where it is "". optional: it
    may be empty, and then runs free. bare: the unit stands beside it, in the word. put: what a
    typed number (SI) does, where that is more than to stand there.
    """

    word: str
    key: ChannelKey
    name: str = ""
    optional: bool = False
    bare: bool = False
    help: str = ""
    put: Callable[[float], object] | None = None


class Amount(Record, frozen=True):
    """A quantity that is no channel. get: what is shown (SI), None for an empty field. set: the
    rig with another one. what: the edit, as undo says it: "banking" of the thing."""

    word: str
    kind: Kind
    get: Callable[[Rig], float | None]
    set: Callable[[Rig, Any], Rig]
    what: str
    name: str = ""
    unit: str | None = None
    bare: bool = False
    narrow: bool = False
    optional: bool = False
    decimals: int | None = None
    help: str = ""
    placeholder: str = ""


class Pick(Record, frozen=True):
    """A choice among a few. entries: what each is called, and what it means. key: of the number
    that it is, where that is a channel."""

    word: str
    entries: Mapping[str, Any]
    get: Callable[[Rig], Any]
    set: Callable[[Rig, Any], Rig]
    what: str
    name: str = ""
    key: ChannelKey = NOTHING


class Line(Record, frozen=True):
    """A line of text."""

    word: str
    get: Callable[[Rig], str]
    set: Callable[[Rig, str], Rig]
    what: str
    name: str = ""
    placeholder: str = ""
    digits: bool = False


class Act(Record, frozen=True):
    """A word on a small button, that does something. name: by which it is found, where that is
    another. main: it is the one that its Card is for."""

    words: str
    do: Callable[[], object]
    help: str = ""
    name: str = ""
    narrow: bool = False
    main: bool = False


class Title(Record, frozen=True):
    """The name of a thing, at the head of its Card. rename: an edit; None for a thing that is
    called what it is. more: what can be done with the thing that is not done often."""

    get: Callable[[Rig], str]
    rename: Callable[[Rig, str], Rig] | None = None
    more: Sequence[Act] = ()


class Check(Record, frozen=True):
    """Something that is so, or not."""

    word: str
    get: Callable[[Rig], bool]
    set: Callable[[Rig, bool], Rig]
    what: str


class Several(Record, frozen=True):
    """A row of fields under one word."""

    word: str
    fields: Sequence[Number | Amount | Pick | Act | Menu]


class Rail(Record, frozen=True):
    """A channel with its stops, as an instrument that can be pulled, stops too. soft: the field
    of the soft way before them, where there are stops."""

    key: ChannelKey
    low: Number
    high: Number
    soft: Amount | None = None


class Own(Record, frozen=True):
    """What is made by the Card itself, under a word or across the whole width."""

    make: Callable[[], Sequence[QWidget]]
    word: str = ""


class Head(Record, frozen=True):
    """The head of a section, which folds: what comes after it belongs to it, up to the next one.

    gist: what it says on its line while it is folded, or where it holds nothing. folded: at
    first. name: lasting, where the text is not.
    """

    text: str
    gist: str | Callable[[], str] = ""
    folded: bool = False
    name: str = ""


class Words(Record, frozen=True):
    """Words in the second ink; a function is asked again whenever something moves. digits: they
    are figures. help: what is told on hovering."""

    text: str | Callable[[], str]
    digits: bool = False
    word: str = ""
    help: str = ""


class Menu(Record, frozen=True):
    """A word on a small button that opens a menu. entries: in it. chosen: is told which."""

    words: str
    entries: Sequence[str]
    chosen: Callable[[str], object]
    name: str = ""
    help: str = ""


class Thing(Record, frozen=True):
    """A slab that shows another thing of the rig when it is clicked."""

    symbol: str
    text: str
    more: str
    thing: ThingId


class Ground(Record, frozen=True):
    """Words that stand on the ground hatch, and what changes them."""

    word: str
    text: str
    menu: Menu | None = None
    help: str = ""


class Rule(Record, frozen=True):
    """A thin line across."""


Field = (
    Number | Amount | Pick | Line | Title | Check | Several | Head | Words | Act | Menu | Thing
    | Ground | Rule | Rail | Own
)  # fmt: skip


def three(
    word: str,
    kind: Kind,
    get: Callable[[Rig], Triple],
    set: Callable[[Rig, Triple], Rig],
    what: str,
    name: str,
) -> Several:
    """Three numbers in a row: a place, a turn, a direction."""

    def put(index: int, rig: Rig, value: float) -> Rig:
        x, y, z = (value if i == index else v for i, v in enumerate(get(rig)))
        return set(rig, (x, y, z))

    def one(index: int, axis: str) -> Amount:
        return Amount("", kind, lambda rig: get(rig)[index], partial(put, index), what,
                      f"{name} {axis}", narrow=True)  # fmt: skip

    return Several(word, [one(index, axis) for index, axis in enumerate("xyz")])
