"""From the text of a formula to its tree. Nothing in a text is ever run."""

from __future__ import annotations

import difflib
import functools
import math
import re
from fractions import Fraction

from gremio.core.formula.names import Found, Names
from gremio.core.formula.tree import Call, FormulaError, Node, Number, Reference, Span
from gremio.core.quantity import UNIT_WORDS, UNITS
from gremio.core.records import Record
from gremio.core.rig.ids import ChannelKey

LONGEST = 400
_DEEPEST = 40
_NUMBER = re.compile(r"(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?")
_UNIT = re.compile(r"\s*(°|%|[A-Za-z]+)")
# A power right behind a unit is the unit's: 12 m^2 are square metres.
_POWER = re.compile(r"\s*\^\s*([+-]?\d+(?:\.\d+)?)(?![\d.]|[eE]\d)")
_WORD = re.compile(r"[A-Za-z][A-Za-z0-9]*")
_SIGNS = {"≤": "<=", "≥": ">=", "≠": "<>", "−": "-", "·": "*", "×": "*", "÷": "/"}
_OPERATORS = re.compile(r"<=|>=|<>|[-+*/^<>=(),]|[≤≥≠−·×÷]")

_COMPARISONS = ("<", "<=", ">", ">=", "=", "<>")

# How many inputs each function takes, and what it does, in the words of the guide.
FUNCTIONS: dict[str, tuple[int, int, str]] = {
    "sin": (1, 1, "sine of an angle"),
    "cos": (1, 1, "cosine of an angle"),
    "tan": (1, 1, "tangent of an angle"),
    "asin": (1, 1, "angle of a sine"),
    "acos": (1, 1, "angle of a cosine"),
    "atan": (1, 1, "angle of a tangent"),
    "atan2": (2, 2, "angle of a point: y, x"),
    "sqrt": (1, 1, "square root"),
    "hypot": (2, 2, "length of a diagonal"),
    "exp": (1, 1, "e to the power"),
    "log": (1, 1, "natural logarithm"),
    "abs": (1, 1, "without its sign"),
    "sign": (1, 1, "-1, 0 or 1"),
    "floor": (1, 2, "down to a whole number, or to a step"),
    "ceil": (1, 2, "up to a whole number, or to a step"),
    "round": (1, 2, "to the nearest whole number, or step"),
    "min": (1, 32, "the lowest"),
    "max": (1, 32, "the highest"),
    "sum": (1, 32, "all together"),
    "mean": (1, 32, "the middle"),
    "clamp": (3, 3, "kept between: value, low, high"),
    "wrap": (3, 3, "brought round into: value, low, high"),
    "smooth": (3, 3, "0 to 1, easing: value, from, to"),
    "remap": (5, 5, "from a range to a range: value, from, to, new from, new to"),
    "choose": (3, 3, "one of two: condition, then, otherwise"),
    "distance": (2, 2, "between the mounts of two parts"),
    "angle": (2, 2, "between how two parts are turned"),
}


class _Token(Record, frozen=True):
    """A word of a formula. kind: "number", "name", "word", "sign" or "end"."""

    kind: str
    text: str
    span: Span
    value: float = 0.0
    power: Fraction = Fraction(1)


def parse(text: str, names: Names | None = None) -> Node:
    """The tree of a formula. names: to read it as a person writes it; None as it is kept.

    Raises FormulaError, which points at the word.
    """
    return _kept(text) if names is None else _parsed(text, names)


@functools.lru_cache(maxsize=4096)
def _kept(text: str) -> Node:
    """The tree of a formula as it is kept, which the same text always has."""
    return _parsed(text, None)


def _parsed(text: str, names: Names | None) -> Node:
    if not text.strip():
        raise FormulaError("The formula is empty. Write for example: Pinion.turn * 12/32", 0, 0)
    if len(text) > LONGEST:
        raise FormulaError(f"A formula has {LONGEST} letters at most.", LONGEST, len(text))
    return _Reader(_tokens(text, names), names).whole()


def kept_text(text: str, names: Names) -> str:
    """What a person wrote, with keys in braces for names. Raises FormulaError."""
    result, place = "", 0
    for token in _tokens(text, names):
        if token.kind == "name":
            result += text[place : token.span.start] + f"{{{token.text}}}"
            place = token.span.end
    return (result + text[place:]).strip()


def shown_text(text: str, names: Names) -> str:
    """What is kept, as a person would write it."""
    return re.sub(r"\{([^{}]*)\}", lambda match: names.shown(ChannelKey(match[1])), text)


def _tokens(text: str, names: Names | None) -> list[_Token]:
    tokens: list[_Token] = []
    place = 0
    while place < len(text):
        if text[place].isspace():
            place += 1
            continue
        token = _token(text, place, names)
        tokens.append(token)
        place = token.span.end
    tokens.append(_Token("end", "", Span(len(text), len(text))))
    return tokens


def _token(text: str, start: int, names: Names | None) -> _Token:
    if text[start] == "{":
        end = text.find("}", start)
        if end < 0:
            raise FormulaError("A brace is not closed.", start, len(text))
        return _Token("name", text[start + 1 : end], Span(start, end + 1))
    found: Found | None = names.at(text, start) if names is not None else None
    if found is not None:
        return _Token("name", found.key, Span(start, found.end))
    if match := _NUMBER.match(text, start):
        return _quantity(text, match)
    if match := _WORD.match(text, start):
        if text.startswith(".", match.end()):
            near = _near(match[0], names)
            raise FormulaError(f"Nothing here is called {match[0]!r}.{near}", start, match.end())
        return _Token("word", match[0], Span(start, match.end()))
    if match := _OPERATORS.match(text, start):
        return _Token("sign", _SIGNS.get(match[0], match[0]), Span(start, match.end()))
    raise FormulaError(f"{text[start]!r} is no sign that a formula has.", start, start + 1)


def _quantity(text: str, match: re.Match[str]) -> _Token:
    value, end, unit, power = float(match[0]), match.end(), "", Fraction(1)
    word = _UNIT.match(text, end)
    if word:
        named = {"°": "deg", "%": "%"}.get(word[1]) or UNIT_WORDS.get(word[1], "")
        is_call = text[word.end() :].lstrip().startswith("(")
        if named and not is_call:
            unit, end = named, word.end()
            raised = _POWER.match(text, end) if UNITS[unit].kind != "number" else None
            if raised:
                power, end = Fraction(raised[1]), raised.end()
            value *= UNITS[unit].size ** float(power)
    if not math.isfinite(value):
        raise FormulaError(f"{match[0]} is too large a number.", match.start(), end)
    return _Token("number", unit, Span(match.start(), end), value, power)


class _Reader:
    """Reads tokens by the usual order: not, and, or; comparisons; + −; × ÷; sign; power."""

    def __init__(self, tokens: list[_Token], names: Names | None = None) -> None:
        self.tokens, self.place, self.depth, self.names = tokens, 0, 0, names

    @property
    def now(self) -> _Token:
        return self.tokens[self.place]

    def take(self, *signs: str) -> _Token | None:
        """The token, if it is one of these signs or words."""
        token = self.now
        if token.kind in ("sign", "word") and token.text in signs:
            self.place += 1
            return token
        return None

    def whole(self) -> Node:
        node = self.either()
        if self.now.kind != "end":
            raise self._unexpected()
        return node

    def _unexpected(self) -> FormulaError:
        token = self.now
        if token.kind == "end":
            return FormulaError("The formula ends too early.", token.span.start, token.span.end)
        if token.kind == "word":
            text = f"Nothing here is called {token.text!r}.{_near(token.text, self.names)}"
        elif token.kind == "name" or token.kind == "number":
            text = "A sign such as + or * is missing before this."
        else:
            text = f"{token.text!r} does not fit here."
        return FormulaError(text, token.span.start, token.span.end)

    def _pairs(self, below: str, *signs: str) -> Node:
        node: Node = getattr(self, below)()
        while token := self.take(*signs):
            right: Node = getattr(self, below)()
            node = Call(token.text, (node, right), Span(node.span.start, right.span.end))
        return node

    def either(self) -> Node:
        self.depth += 1
        if self.depth > _DEEPEST:
            raise FormulaError("The formula is nested too deeply.", *_ends(self.now.span))
        node = self._pairs("both", "or")
        self.depth -= 1
        return node

    def both(self) -> Node:
        return self._pairs("negated", "and")

    def negated(self) -> Node:
        token = self.take("not")
        if token is None:
            return self.compared()
        inner = self.compared()
        return Call("not", (inner,), Span(token.span.start, inner.span.end))

    def compared(self) -> Node:
        node = self.added()
        token = self.take(*_COMPARISONS)
        if token is None:
            return node
        right = self.added()
        again = self.now
        if self.take(*_COMPARISONS):
            raise FormulaError(
                "Comparisons stand two and two: write for example 0 < x and x < 1.",
                *_ends(again.span),
            )
        return Call(token.text, (node, right), Span(node.span.start, right.span.end))

    def added(self) -> Node:
        return self._pairs("multiplied", "+", "-")

    def multiplied(self) -> Node:
        return self._pairs("signed", "*", "/")

    def signed(self) -> Node:
        minus = 0
        first = self.now.span
        while token := self.take("-", "+"):
            minus += token.text == "-"
        node = self.power()
        if minus % 2:
            return Call("negative", (node,), Span(first.start, node.span.end))
        return node

    def power(self) -> Node:
        node = self.atom()
        if self.take("^"):
            self.depth += 1
            if self.depth > _DEEPEST:
                raise FormulaError("The formula is nested too deeply.", *_ends(self.now.span))
            right = self.signed()
            self.depth -= 1
            return Call("^", (node, right), Span(node.span.start, right.span.end))
        return node

    def atom(self) -> Node:
        token = self.now
        if token.kind == "number":
            self.place += 1
            return Number(token.value, token.text, token.span, token.power)
        if token.kind == "name":
            self.place += 1
            return Reference(ChannelKey(token.text), token.span)
        if token.kind == "word" and token.text == "pi":
            self.place += 1
            return Number(math.pi, "", token.span)
        if token.kind == "word":
            return self._call(token)
        if self.take("("):
            node = self.either()
            if not self.take(")"):
                raise FormulaError("A bracket is not closed.", *_ends(token.span))
            return node
        raise self._unexpected()

    def _call(self, token: _Token) -> Node:
        if token.text not in FUNCTIONS:
            raise self._unexpected()
        self.place += 1
        if not self.take("("):
            raise FormulaError(f"{token.text} needs brackets: {token.text}(…)", *_ends(token.span))
        inputs = [self.either()]
        while self.take(","):
            inputs.append(self.either())
        closing = self.take(")")
        if closing is None:
            raise FormulaError(f"The bracket of {token.text} is not closed.", *_ends(token.span))
        least, most, does = FUNCTIONS[token.text]
        if not least <= len(inputs) <= most:
            count = str(least) if least == most else f"{least} to {most}"
            raise FormulaError(
                f"{token.text} takes {count} values ({does}), not {len(inputs)}.",
                *_ends(token.span),
            )
        return Call(token.text, tuple(inputs), Span(token.span.start, closing.span.end))


class _EarlierReader(_Reader):
    """Reads comparisons one after another, as they once were. chained: where those on the left
    stand, from which sign to which."""

    def whole(self) -> Node:
        self.chained: list[Span] = []
        return super().whole()

    def compared(self) -> Node:
        begun = self.now.span.start
        node, several = self.added(), False
        while token := self.take(*_COMPARISONS):
            if several:
                self.chained.append(Span(begun, self.tokens[self.place - 2].span.end))
            right = self.added()
            node = Call(token.text, (node, right), Span(begun, right.span.end))
            several = True
        return node


def with_comparisons_apart(text: str) -> str:
    """A kept formula of earlier times with brackets round comparisons that others follow, so that
    it means what it meant; as it is where it can't be read."""
    try:
        reader = _EarlierReader(_tokens(text, None))
        reader.whole()
    except FormulaError:
        return text
    signs = [(span.start, "(") for span in reader.chained]
    signs += [(span.end, ")") for span in reader.chained]
    for place, sign in sorted(signs, reverse=True):
        text = text[:place] + sign + text[place:]
    return text


def _near(word: str, names: Names | None) -> str:
    """ " Did you mean sin?", for a word that is like a function or a name; "" for none."""
    known = {name.lower(): name for name in (*FUNCTIONS, "pi", "and", "or", "not")}
    if names is not None:
        known |= {name.lower(): name for name in names.every}
    near = difflib.get_close_matches(word.lower(), known, n=1, cutoff=0.6)
    return f" Did you mean {known[near[0]]}?" if near else ""


def _ends(span: Span) -> tuple[int, int]:
    return span.start, span.end
