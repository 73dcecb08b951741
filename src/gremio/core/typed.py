"""What people type as a value, read by a small grammar that never guesses.

    value   = ["="] sum
    sum     = product { ("+" | "-") product }
    product = signed { ("*" | "/") signed }
    signed  = { "+" | "-" } ( "(" sum ")" [unit] | measure )
    measure = number [unit] { number unit }      6 ft 2 in, 6' 2", 12° 30', 1 min 30 s
    number  = figures | figures "/" figures | figures figures "/" figures

Figures have a decimal point or comma, blanks (plain or thin), points or commas between
thousands, and an exponent. What could be read in two ways is refused with both of them.
"""

from __future__ import annotations

import itertools
import math
import re
import unicodedata
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from gremio.core.problem import GremioError
from gremio.core.quantity import LARGEST, UNIT_WORDS, UNITS, USUAL_UNIT, Kind, Unit

_LONGEST = 80
_DEEPEST = 20
_EXAMPLE: dict[Kind, str] = {
    "length": "250 mm",
    "angle": "35 deg",
    "time": "2 s",
    "number": "0.8",
}
ARTICLE: dict[Kind, str] = {
    "length": "a length",
    "angle": "an angle",
    "time": "a time",
    "number": "a bare number",
}
_BLANK = " \u00a0\u2007\u2009\u202f"
_GROUPED = re.compile(rf"[0-9]{{1,3}}(?:[{_BLANK}][0-9]{{3}})+(?![0-9])")
_FIGURES = re.compile(r"[0-9.,]+")
_DECIMALS = re.compile(
    rf"(?:[{_BLANK}][0-9]{{3}}(?![0-9.,/]))*(?:[{_BLANK}][0-9]{{1,2}}(?![0-9.,/]))?"
)
_EXPONENT = re.compile(r"[eE][+-]?[0-9]+(?![A-Za-z0-9.,])")
_WORD = re.compile(r"[A-Za-z]+|[°%]")
_SIGNS = {"−": "-", "×": "*", "·": "*", "⋅": "*", "÷": "/"}
_MINUTES, _SECONDS = "'’′", '"”″'
# Marks that stand for a smaller unit: of a length, and of an angle (ISO 80000-3).
_MARKS: dict[Kind, tuple[Unit, Unit]] = {
    "length": (UNITS["ft"], UNITS["in"]),
    "angle": (
        Unit("angle", math.pi / 180 / 60, "′", 0),
        Unit("angle", math.pi / 180 / 3600, "″", 0),
    ),
}
_ARC_WORDS = {
    "arcmin": _MARKS["angle"][0],
    "arcsec": _MARKS["angle"][1],
}

Decimal = Literal["", ",", "."]


class QuantityError(GremioError):
    """A text that is not a value of the kind asked for. start, end: the place in the text of
    what can't be read; both 0 where it is the whole."""

    def __init__(self, text: str, start: int = 0, end: int = 0) -> None:
        super().__init__(text)
        self.start, self.end = start, end


class _Unread(Exception):
    """Why, and from where to where, a text can't be read."""

    def __init__(self, why: str, start: int, end: int) -> None:
        super().__init__(why)
        self.why, self.start, self.end = why, start, end


@dataclass(frozen=True)
class Amount:
    """What was read: a value in SI and what kind it is; bare when no unit was written."""

    value: float
    kind: Kind = "number"
    bare: bool = True


@dataclass(frozen=True)
class _Figures:
    """A number as it is written, from start to end. whole: it has neither a decimal nor an
    exponent. grouped: blanks stand between its thousands."""

    value: float
    start: int
    end: int
    whole: bool
    grouped: bool = False


def parse(text: str, kind: Kind, unit: str | None = None, what: str = "This") -> float:
    """The value of a typed text, in SI.

    text: "35 deg", "1,5 m", "6' 2\\"", "3 1/2 in", "=36/20"; a bare number is in `unit`.
    unit: a name of UNITS, the usual one of the kind when None.
    what: what the value is for, for the message.
    Raises QuantityError with the place of what can't be read, and what to write instead.
    """
    amount = read(text, kind, what)
    if amount.bare:
        size = UNITS[USUAL_UNIT[kind] if unit is None else unit].size
        return _finite(amount.value * size, text, what)
    if amount.kind != kind:
        raise QuantityError(
            f"{what} takes {ARTICLE[kind]}, for example {_EXAMPLE[kind]!r}; "
            f"{_short(text)!r} is {ARTICLE[amount.kind]}."
        )
    return amount.value


def parse_bare(text: str, what: str = "This", decimal: Decimal = "") -> float:
    """The value of a typed text without a unit. decimal: the sign that is known to stand before
    decimals, where the text doesn't say. Raises QuantityError."""
    amount = read(text, "number", what, decimal)
    if not amount.bare:
        raise QuantityError(
            f"{what} takes a plain number; {_short(text)!r} has a unit. Write for example '0.8'."
        )
    return amount.value


def parse_list(text: str, kind: Kind, unit: str | None = None, what: str = "This") -> list[float]:
    """The values of a typed text with semicolons, or blanks, between them, in SI.

    Raises QuantityError as `parse` does, and where what stands between blanks could be one
    value as well.
    """
    if ";" in text:
        words = text.split(";")
    else:
        words = re.split(rf",[{_BLANK}]+", text)
        if len(words) == 1:
            words = _apart(text, kind, what)
    return [parse(word, kind, unit, what) for word in words if word.strip()]


def _apart(text: str, kind: Kind, what: str) -> list[str]:
    """A text taken apart at its blanks, with each unit kept at its number."""
    words: list[str] = []
    for word in text.split():
        if words and not re.search(r"[0-9]", word):
            words[-1] += f" {word}"
        else:
            words.append(word)
    for one, two in itertools.pairwise(words):
        try:
            read(f"{one} {two}", kind, what)
        except QuantityError:
            continue
        raise QuantityError(
            f"{what}: {one + ' ' + two!r} can be one value or two. Put a semicolon between values."
        )
    return words


def read(text: str, kind: Kind, what: str = "This", decimal: Decimal = "") -> Amount:
    """What a typed text says, of whatever kind. kind: what is expected, for ' and ", and for the
    message. decimal: as `parse_bare` has it. Raises QuantityError."""
    if not text.strip().removeprefix("=").strip():
        raise QuantityError(f"{what} needs {ARTICLE[kind]}: write for example {_EXAMPLE[kind]!r}.")
    if len(text) > _LONGEST:
        raise QuantityError(
            f"{what} can't read {_short(text)!r}: write a plain value such as {_EXAMPLE[kind]!r}."
        )
    try:
        amount = _Reader(text, kind, decimal).whole()
    except _Unread as problem:
        start, end = problem.start, min(problem.end, len(text))
        piece = text[start:end].strip()
        where = f" at {piece!r}" if piece and piece != text.strip() else ""
        raise QuantityError(
            f"{what} can't read {_short(text)!r}{where}: {problem.why}", start, end
        ) from None
    except ZeroDivisionError:
        raise QuantityError(f"{what}: {_short(text)!r} divides by zero.") from None
    except OverflowError:
        raise QuantityError(f"{what}: {_short(text)!r} is too large a number.") from None
    _finite(amount.value, text, what)
    return amount


class _Reader:
    """Reads a text from its beginning to its end."""

    def __init__(self, text: str, kind: Kind, decimal: Decimal) -> None:
        self.text, self.kind, self.decimal = text, kind, decimal
        self.place, self.depth = 0, 0

    def whole(self) -> Amount:
        self._skip()
        if self._here() == "=":
            self.place += 1
        amount = self._sum()
        self._skip()
        if self.place < len(self.text):
            raise self._unexpected()
        return amount

    # ── signs ──────────────────────────────────────────────────────

    def _here(self) -> str:
        return self.text[self.place : self.place + 1]

    def _begins_number(self) -> bool:
        return self._here() in tuple("0123456789.,") or bool(self._vulgar_here())

    def _skip(self) -> None:
        while self._here() and (self._here().isspace() or self._here() in _BLANK):
            self.place += 1

    def _take(self, signs: str) -> str:
        """The sign that comes next, if it is one of these."""
        self._skip()
        sign = _SIGNS.get(self._here(), self._here())
        if not sign or sign not in signs:
            return ""
        self.place += 1
        return sign

    def _unexpected(self, *, number_before: bool = True) -> _Unread:
        start, text = self.place, self.text
        if start >= len(text):
            return _Unread(f"it ends too early. {self._for_example()}", len(text), len(text))
        match = _WORD.match(text, start) or _FIGURES.match(text, start)
        end = match.end() if match else start + 1
        if text[start] in "^*":
            return _Unread("powers are not read here; write the number out.", start, end)
        if match and match[0][0].isalpha():
            no_number = f"{match[0]!r} is no number. {self._for_example()}"
            why = self._no_unit(match[0]) if number_before else no_number
            return _Unread(why, start, end)
        if text[start] in "0123456789":
            return _Unread("two numbers stand side by side. Write a sign or a unit between.",
                           start, end)  # fmt: skip
        return _Unread(f"this has no meaning here. {self._for_example()}", start, end)

    def _no_unit(self, word: str) -> str:
        near = [name for name in UNIT_WORDS if name.lower() == word.lower()]
        if near:
            return f"{word!r} is no unit; did you mean {near[0]!r}?"
        return f"{word!r} is no unit. {self._for_example()}"

    def _for_example(self) -> str:
        return f"Write for example {_EXAMPLE[self.kind]!r}."

    # ── arithmetic ─────────────────────────────────────────────────

    def _sum(self) -> Amount:
        self.depth += 1
        if self.depth > _DEEPEST:
            raise _Unread("it is nested too deeply.", self.place, self.place + 1)
        start = self.place
        total = self._product()
        while sign := self._take("+-"):
            self._no_mixed_hyphen(start, sign)
            begun = self.place
            other = self._product()
            if (other.kind, other.bare) != (total.kind, total.bare):
                raise _Unread(
                    "only one of the two has that unit. Write the unit on both."
                    if total.bare or other.bare
                    else f"{ARTICLE[other.kind]} can't be added to {ARTICLE[total.kind]}.",
                    begun,
                    self.place,
                )
            value = total.value + (other.value if sign == "+" else -other.value)
            total = Amount(value, total.kind, total.bare)
        self.depth -= 1
        return total

    def _no_mixed_hyphen(self, start: int, sign: str) -> None:
        """6'-2" and 3-1/2 are written for 6' 2" and 3 1/2 as well as for a difference."""
        if sign != "-":
            return
        before, after = self.text[start : self.place - 1], self.text[self.place :]
        if not before.split():
            return
        tight = not before[-1:].isspace() and not after[:1].isspace()
        fraction = re.fullmatch(r"[(+]?[0-9]+", before.split()[-1]) and re.match(
            r"[0-9]+/(?:2|4|8|16|32|64)(?![0-9])", after
        )
        inches = re.search(rf"(?:[{_MINUTES}]|ft|foot|feet)\s*$", before) and re.match(
            rf"\s*[0-9][0-9./ ]*(?:[{_SECONDS}]|in)", after
        )
        if tight and (fraction or inches):
            last = before.split()[-1]
            raise _Unread(
                f"it can mean {last} and {after.strip()} together, or less {after.strip()}. "
                f"Write {last + ' ' + after.strip()!r} or {last + ' - ' + after.strip()!r}.",
                start,
                len(self.text),
            )

    def _product(self) -> Amount:
        total = self._signed()
        while True:
            sign = self._take("*/")
            if not sign:
                return total
            if self._here() in ("*", "/"):
                raise self._unexpected()
            begun = self.place
            other = self._signed()
            total = self._times(total, other, begun) if sign == "*" else self._over(
                total, other, begun)  # fmt: skip

    def _times(self, one: Amount, two: Amount, begun: int) -> Amount:
        if one.kind != "number" and two.kind != "number":
            raise _Unread("of two values that are multiplied one is a bare number.",
                          begun, self.place)  # fmt: skip
        kind = one.kind if one.kind != "number" else two.kind
        return Amount(one.value * two.value, kind, one.bare and two.bare)

    def _over(self, one: Amount, two: Amount, begun: int) -> Amount:
        if two.kind not in ("number", one.kind):
            raise _Unread(f"{ARTICLE[one.kind]} can't be divided by {ARTICLE[two.kind]}.",
                          begun, self.place)  # fmt: skip
        kind = one.kind if two.kind == "number" else "number"
        return Amount(one.value / two.value, kind, one.bare and two.bare)

    def _signed(self) -> Amount:
        minus = False
        while sign := self._take("+-"):
            minus ^= sign == "-"
        amount = self._atom()
        return Amount(-amount.value, amount.kind, amount.bare) if minus else amount

    def _atom(self) -> Amount:
        if not self._take("("):
            return self._measure()
        opened = self.place - 1
        inner = self._sum()
        if not self._take(")"):
            raise _Unread("the bracket is not closed.", opened, opened + 1)
        unit = self._unit() if inner.bare else None
        return Amount(inner.value * unit.size, unit.kind, bare=False) if unit else inner

    # ── numbers with units ─────────────────────────────────────────

    def _measure(self) -> Amount:
        self._skip()
        start, value = self.place, self._number()
        unit = self._unit()
        if unit is None:
            return Amount(value)
        total, last = value * unit.size, unit
        while True:
            self._skip()
            begun = self.place
            if not self._begins_number():
                self.place = begun
                return Amount(total, last.kind, bare=False)
            if self.text[begun - 1] in _MINUTES and re.match(r"[0-9]{3}", self.text[begun:]):
                raise _Unread("this mark can stand for feet or between thousands. Write the "
                              "unit in letters.", start, begun + 3)  # fmt: skip
            value = self._number()
            smaller = self._unit(after=last)
            if smaller is None:
                raise _Unread(f"{self.text[begun : self.place].strip()!r} has no unit. Write one "
                              "after it.", begun, self.place)  # fmt: skip
            if smaller.kind != last.kind or smaller.size >= last.size:
                raise _Unread(f"only a smaller unit of {ARTICLE[last.kind]} can come after "
                              f"{last.symbol}.", begun, self.place)  # fmt: skip
            total, last = total + value * smaller.size, smaller

    def _unit(self, after: Unit | None = None) -> Unit | None:
        """The unit that comes next, if one does. after: the unit before it in the measure."""
        self._skip()
        here = self._here()
        if here and here in _MINUTES + _SECONDS:
            kind = after.kind if after else self.kind
            if kind not in _MARKS:
                raise _Unread("this mark stands for feet, inches, or parts of a degree.",
                              self.place, self.place + 1)  # fmt: skip
            self.place += 1
            return _MARKS[kind][here in _SECONDS]
        match = _WORD.match(self.text, self.place)
        if not match:
            return None
        word = {"°": "deg", "%": "%"}.get(match[0], match[0])
        if word in _ARC_WORDS:
            self.place = match.end()
            return _ARC_WORDS[word]
        named = UNIT_WORDS.get(word if len(word) < 3 else word.lower(), word)
        if named not in UNITS:
            raise _Unread(self._no_unit(match[0]), *match.span())
        self.place = match.end()
        return UNITS[named]

    # ── numbers ────────────────────────────────────────────────────

    def _number(self) -> float:
        """A number: figures, a fraction, or a whole number and a fraction."""
        self._skip()
        if self._vulgar_here():
            return self._vulgar()
        first = self._figures()
        if re.match(r"\s*[/⁄]\s*[0-9.,]", self.text[self.place :]):
            return self._fraction(first)
        place = self.place
        self._skip()
        if first.whole and not first.grouped and self._vulgar_here():
            return first.value + self._vulgar()
        mixed = re.match(r"[0-9]+[/⁄][0-9]+", self.text[self.place :])
        if not (mixed and self.place > place):
            self.place = place
            return first.value
        top, under = self._figures(), self._after_bar()
        if not (first.whole and 0 < top.value < under.value) or first.grouped:
            raise _Unread("only a whole number and a fraction below one stand side by side.",
                          first.start, under.end)  # fmt: skip
        if top.end - top.start == 3:
            raise _Unread("the blank can stand before a fraction or between thousands. Put it "
                          "in brackets.", first.start, under.end)  # fmt: skip
        return first.value + top.value / under.value

    def _vulgar_here(self) -> bool:
        """Whether a fraction that is one sign, such as ½, comes next."""
        here = self._here()
        return (
            bool(here)
            and re.fullmatch("[0-9]+⁄[0-9]+", unicodedata.normalize("NFKD", here)) is not None
        )

    def _vulgar(self) -> float:
        self.place += 1
        return unicodedata.numeric(self.text[self.place - 1])

    def _fraction(self, top: _Figures) -> float:
        """A fraction that is the number of what follows: 3/4 in. Without a unit after it, the
        first number alone, and the bar is read as a division."""
        place = self.place
        self._skip()
        under = self._after_bar()
        end = self.place
        self._skip()
        unit = _WORD.match(self.text, self.place) or self._here() in tuple(_MINUTES + _SECONDS)
        self.place = end
        if not unit:
            self.place = place
            return top.value
        if top.grouped:
            raise _Unread("the blank can stand before a fraction or between thousands. Put it "
                          "in brackets.", top.start, under.end)  # fmt: skip
        before = self.text[: top.start].rstrip()
        if before.endswith(("/", "÷")):
            raise _Unread("what is divided by what can be read in two ways. Write brackets.",
                          top.start, under.end)  # fmt: skip
        return top.value / under.value

    def _after_bar(self) -> _Figures:
        self.place += 1
        self._skip()
        return self._figures()

    def _figures(self) -> _Figures:
        """A number without a fraction."""
        start, text = self.place, self.text
        grouped = _GROUPED.match(text, start)
        blanks = grouped is not None and text[start] != "0"
        end = grouped.end() if grouped and blanks else start
        run = _FIGURES.match(text, end)
        tail = run[0] if run else ""
        if not (blanks or any(sign.isdigit() for sign in tail)):
            raise self._unexpected(number_before=False)
        end += len(tail)
        head = re.sub(rf"[{_BLANK}]", "", text[start : end - len(tail)])
        if blanks and tail and not re.fullmatch(r"[.,][0-9]*", tail):
            raise _Unread("thousands are parted in two ways. Write it without.", start, end)
        plain = self._plain(head, tail, start, end)
        if "." in plain:
            more = _DECIMALS.match(text, end)
            decimals = len(plain) - plain.index(".") - 1
            if more and more[0] and decimals == 3:
                plain += re.sub(rf"[{_BLANK}]", "", more[0])
                end = more.end()
        power = _EXPONENT.match(text, end)
        if power:
            plain, end = plain + power[0], power.end()
        self.place = end
        whole = "." not in plain and not power
        return _Figures(float(plain), start, end, whole, blanks)

    def _plain(self, head: str, tail: str, start: int, end: int) -> str:
        """Figures as Python writes them. head: with blanks between thousands taken out. tail: what
        may have points and commas."""
        points, commas = tail.count("."), tail.count(",")
        if not commas and points <= 1:
            return head + tail
        if not points and commas == 1:
            before, after = tail.split(",")
            if not after:
                raise _Unread("a comma needs decimals after it.", start, end)
            two_ways = len(after) == 3 and re.fullmatch(r"[1-9][0-9]{0,2}", head + before)
            if self.decimal == "." and two_ways and not head:
                return before + after
            if two_ways and not head and self.decimal != ",":
                raise _Unread(
                    f"{tail!r} can be {before}{after} or {before}.{after}. Write one of them.",
                    start, end,
                )  # fmt: skip
            return f"{head}{before}.{after}"
        last = max(tail.rfind("."), tail.rfind(","))
        decimal, other = tail[last], "," if tail[last] == "." else "."
        if tail.count(other) == 0:
            # The same sign several times: it stands between thousands.
            groups, decimals = tail, ""
            other = decimal
        else:
            groups, decimals = tail[:last], tail[last + 1 :]
        if not re.fullmatch(rf"[1-9][0-9]{{0,2}}(?:{re.escape(other)}[0-9]{{3}})+", groups):
            raise _Unread("its points and commas don't part thousands and decimals. Write it "
                          "with one decimal point.", start, end)  # fmt: skip
        return groups.replace(other, "") + (f".{decimals}" if decimals else "")


def decimal_sign(texts: Sequence[str]) -> Decimal:
    """The sign that stands before decimals in some numbers that were written by one hand; ""
    where none of them says, or they disagree."""
    points = commas = False
    for text in texts:
        clean = text.strip().lstrip("+-−")
        commas |= bool(
            re.fullmatch(r"[0-9.]*,[0-9]+", clean)
            and not re.fullmatch(r"[1-9][0-9]{0,2},[0-9]{3}", clean)
        )
        points |= bool(re.fullmatch(r"[0-9,]*\.[0-9]+", clean)) and clean.count(".") == 1
    if points == commas:
        return ""
    return "." if points else ","


def _finite(value: float, text: str, what: str) -> float:
    if not abs(value) <= LARGEST:
        raise QuantityError(f"{what}: {_short(text)!r} is too large a number.")
    return value


def _short(text: str) -> str:
    text = text.strip()
    return text if len(text) <= 40 else text[:37] + "..."
