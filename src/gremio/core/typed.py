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

from gremio.core.figures import BLANK, FIGURES, Decimal, Figures, Unread, read_figures
from gremio.core.problem import GremioError
from gremio.core.quantity import LARGEST, UNIT_WORDS, UNITS, USUAL_UNIT, Kind, Unit
from gremio.core.records import Record

_LONGEST = 80
_DEEPEST = 20
_EXAMPLE: dict[Kind, str] = {
    "length": "250 mm",
    "angle": "35 deg",
    "time": "2 s",
    "number": "0.8",
    "rate": "1.5 turn/s",
    "speed": "0.4 m/s",
    "frequency": "2 Hz",
}
ARTICLE: dict[Kind, str] = {
    "length": "a length",
    "angle": "an angle",
    "time": "a time",
    "number": "a bare number",
    "rate": "turns in a time",
    "speed": "a speed",
    "frequency": "so many a second",
}
_WORD = re.compile(r"[A-Za-z]+|[°%]")
# Units for each second are read as one word.
_A_SECOND = re.compile(r"(turns?|revs?|rad|deg|°|mm|m)/s\b")
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


class QuantityError(GremioError):
    """A text that is not a value of the kind asked for. start, end: the place in the text of
    what can't be read; both 0 where it is the whole."""

    def __init__(self, text: str, start: int = 0, end: int = 0) -> None:
        super().__init__(text)
        self.start, self.end = start, end


class Amount(Record, frozen=True):
    """What was read: a value in SI and what kind it is; bare when no unit was written."""

    value: float
    kind: Kind = "number"
    bare: bool = True


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
        words = re.split(rf",[{BLANK}]+", text)
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
    text = _A_SECOND.sub(lambda found: f"{found[1].replace('°', 'd')}ps", text)
    if not text.strip().removeprefix("=").strip():
        raise QuantityError(f"{what} needs {ARTICLE[kind]}: write for example {_EXAMPLE[kind]!r}.")
    if len(text) > _LONGEST:
        raise QuantityError(
            f"{what} can't read {_short(text)!r}: write a plain value such as {_EXAMPLE[kind]!r}."
        )
    try:
        amount = _Reader(text, kind, decimal).whole()
    except Unread as problem:
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
        while self._here() and (self._here().isspace() or self._here() in BLANK):
            self.place += 1

    def _take(self, signs: str) -> str:
        """The sign that comes next, if it is one of these."""
        self._skip()
        sign = _SIGNS.get(self._here(), self._here())
        if not sign or sign not in signs:
            return ""
        self.place += 1
        return sign

    def _unexpected(self, *, number_before: bool = True) -> Unread:
        start, text = self.place, self.text
        if start >= len(text):
            return Unread(f"it ends too early. {self._for_example()}", len(text), len(text))
        match = _WORD.match(text, start) or FIGURES.match(text, start)
        end = match.end() if match else start + 1
        if text[start] in "^*":
            return Unread("powers are not read here; write the number out.", start, end)
        if match and match[0][0].isalpha():
            no_number = f"{match[0]!r} is no number. {self._for_example()}"
            why = self._no_unit(match[0]) if number_before else no_number
            return Unread(why, start, end)
        if text[start] in "0123456789":
            return Unread("two numbers stand side by side. Write a sign or a unit between.",
                           start, end)  # fmt: skip
        return Unread(f"this has no meaning here. {self._for_example()}", start, end)

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
            raise Unread("it is nested too deeply.", self.place, self.place + 1)
        start = self.place
        total = self._product()
        while sign := self._take("+-"):
            self._no_mixed_hyphen(start, sign)
            begun = self.place
            other = self._product()
            if (other.kind, other.bare) != (total.kind, total.bare):
                raise Unread(
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
            raise Unread(
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
            raise Unread("of two values that are multiplied one is a bare number.",
                          begun, self.place)  # fmt: skip
        kind = one.kind if one.kind != "number" else two.kind
        return Amount(one.value * two.value, kind, one.bare and two.bare)

    def _over(self, one: Amount, two: Amount, begun: int) -> Amount:
        if two.kind not in ("number", one.kind):
            raise Unread(f"{ARTICLE[one.kind]} can't be divided by {ARTICLE[two.kind]}.",
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
            raise Unread("the bracket is not closed.", opened, opened + 1)
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
                raise Unread("this mark can stand for feet or between thousands. Write the "
                              "unit in letters.", start, begun + 3)  # fmt: skip
            value = self._number()
            smaller = self._unit(after=last)
            if smaller is None:
                raise Unread(f"{self.text[begun : self.place].strip()!r} has no unit. Write one "
                              "after it.", begun, self.place)  # fmt: skip
            if smaller.kind != last.kind or smaller.size >= last.size:
                raise Unread(f"only a smaller unit of {ARTICLE[last.kind]} can come after "
                              f"{last.symbol}.", begun, self.place)  # fmt: skip
            total, last = total + value * smaller.size, smaller

    def _unit(self, after: Unit | None = None) -> Unit | None:
        """The unit that comes next, if one does. after: the unit before it in the measure."""
        self._skip()
        here = self._here()
        if here and here in _MINUTES + _SECONDS:
            kind = after.kind if after else self.kind
            if kind not in _MARKS:
                raise Unread("this mark stands for feet, inches, or parts of a degree.",
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
            raise Unread(self._no_unit(match[0]), *match.span())
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
            raise Unread("only a whole number and a fraction below one stand side by side.",
                          first.start, under.end)  # fmt: skip
        if top.end - top.start == 3:
            raise Unread("the blank can stand before a fraction or between thousands. Put it "
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

    def _fraction(self, top: Figures) -> float:
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
            raise Unread("the blank can stand before a fraction or between thousands. Put it "
                          "in brackets.", top.start, under.end)  # fmt: skip
        before = self.text[: top.start].rstrip()
        if before.endswith(("/", "÷")):
            raise Unread("what is divided by what can be read in two ways. Write brackets.",
                          top.start, under.end)  # fmt: skip
        return top.value / under.value

    def _after_bar(self) -> Figures:
        self.place += 1
        self._skip()
        return self._figures()

    def _figures(self) -> Figures:
        """A number without a fraction."""
        found = read_figures(self.text, self.place, self.decimal)
        if found is None:
            raise self._unexpected(number_before=False)
        self.place = found.end
        return found


def _finite(value: float, text: str, what: str) -> float:
    if not abs(value) <= LARGEST:
        raise QuantityError(f"{what}: {_short(text)!r} is too large a number.")
    return value


def _short(text: str) -> str:
    text = text.strip()
    return text if len(text) <= 40 else text[:37] + "..."
