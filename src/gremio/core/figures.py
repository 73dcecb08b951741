"""Figures as people write them: decimals after a point or a comma, thousands, exponents."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Literal

from gremio.core.records import Record

BLANK = " \u00a0\u2007\u2009\u202f"
FIGURES = re.compile(r"[0-9.,]+")
_GROUPED = re.compile(rf"[0-9]{{1,3}}(?:[{BLANK}][0-9]{{3}})+(?![0-9])")
_DECIMALS = re.compile(
    rf"(?:[{BLANK}][0-9]{{3}}(?![0-9.,/]))*(?:[{BLANK}][0-9]{{1,2}}(?![0-9.,/]))?"
)
_EXPONENT = re.compile(r"[eE][+-]?[0-9]+(?![A-Za-z0-9.,])")
# One group of three behind a sign, before which may stand decimals or thousands.
_TWO_WAYS = re.compile(r"[1-9][0-9]{0,2}[.,][0-9]{3}")

Decimal = Literal["", ",", "."]


class Unread(Exception):
    """Why, and from where to where, a text can't be read."""

    def __init__(self, why: str, start: int, end: int) -> None:
        super().__init__(why)
        self.why, self.start, self.end = why, start, end


class Figures(Record, frozen=True):
    """A number as it is written, from start to end. whole: it has neither a decimal nor an
    exponent. grouped: blanks stand between its thousands."""

    value: float
    start: int
    end: int
    whole: bool
    grouped: bool = False


def read_figures(text: str, start: int, decimal: Decimal) -> Figures | None:
    """The number without a fraction that begins at a place of a text; None where none does.

    decimal: the sign that is known to stand before decimals, where the number doesn't say. Raises
    Unread for what can be read in two ways, or in none.
    """
    grouped = _GROUPED.match(text, start)
    blanks = grouped is not None and text[start] != "0"
    end = grouped.end() if grouped and blanks else start
    run = FIGURES.match(text, end)
    tail = run[0] if run else ""
    if not (blanks or any(sign.isdigit() for sign in tail)):
        return None
    end += len(tail)
    head = re.sub(rf"[{BLANK}]", "", text[start : end - len(tail)])
    if blanks and tail and not re.fullmatch(r"[.,][0-9]*", tail):
        raise Unread("thousands are parted in two ways. Write it without.", start, end)
    plain = _plain(head, tail, decimal, start, end)
    if "." in plain:
        more = _DECIMALS.match(text, end)
        decimals = len(plain) - plain.index(".") - 1
        if more and more[0] and decimals == 3:
            plain += re.sub(rf"[{BLANK}]", "", more[0])
            end = more.end()
    power = _EXPONENT.match(text, end)
    if power:
        plain, end = plain + power[0], power.end()
    return Figures(float(plain), start, end, "." not in plain and not power, blanks)


def _plain(head: str, tail: str, known: Decimal, start: int, end: int) -> str:
    """Figures as Python writes them. head: with blanks between thousands taken out. tail: what
    may have points and commas. known: the decimal sign."""
    points, commas = tail.count("."), tail.count(",")
    two_ways = not head and _TWO_WAYS.fullmatch(tail) is not None
    if not commas and points <= 1:
        # A point alone is the decimal point, but in a table that has commas before decimals.
        if two_ways and known == ",":
            raise _ambiguous(tail, start, end)
        return head + tail
    if not points and commas == 1:
        before, after = tail.split(",")
        if not after:
            raise Unread("a comma needs decimals after it.", start, end)
        if two_ways and known == ".":
            return before + after
        if two_ways and known != ",":
            raise _ambiguous(tail, start, end)
        return f"{head}{before}.{after}"
    last = max(tail.rfind("."), tail.rfind(","))
    other = "," if tail[last] == "." else "."
    if tail.count(other) == 0:
        # The same sign several times: it stands between thousands.
        groups, decimals, other = tail, "", tail[last]
    else:
        groups, decimals = tail[:last], tail[last + 1 :]
    if not re.fullmatch(rf"[1-9][0-9]{{0,2}}(?:{re.escape(other)}[0-9]{{3}})+", groups):
        raise Unread(
            "its points and commas don't part thousands and decimals. Write it with one decimal "
            "point.",
            start,
            end,
        )
    return groups.replace(other, "") + (f".{decimals}" if decimals else "")


def _ambiguous(tail: str, start: int, end: int) -> Unread:
    before, after = re.split("[.,]", tail)
    why = f"{tail!r} can be {before}{after} or {before}.{after}. Write one of them."
    return Unread(why, start, end)


def decimal_sign(texts: Sequence[str]) -> Decimal:
    """The sign that stands before decimals in some numbers that were written by one hand; ""
    where none of them says, or they disagree."""
    points = commas = False
    for text in texts:
        clean = text.strip().lstrip("+-−")
        if _TWO_WAYS.fullmatch(clean):
            continue
        commas |= bool(re.fullmatch(r"[0-9.]*,[0-9]+", clean)) and clean.count(",") == 1
        points |= bool(re.fullmatch(r"[0-9,]*\.[0-9]+", clean)) and clean.count(".") == 1
    if points == commas:
        return ""
    return "." if points else ","
