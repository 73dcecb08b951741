"""What people type is read as they mean it, or refused."""

from __future__ import annotations

import math
import re
from fractions import Fraction

import pytest
from babel.numbers import NumberFormatError, parse_decimal
from hypothesis import example, given, settings
from hypothesis import strategies as st

from gremio.core.figures import decimal_sign
from gremio.core.quantity import LARGEST, UNITS, Kind, show, show_short
from gremio.core.typed import QuantityError, parse, parse_bare, parse_list

DEG = math.pi / 180
# The inch is 25.4 mm and the foot 304.8 mm exactly, ′ a 60th of a degree (ISO 80000-3).
INCH, FOOT = 0.0254, 0.3048


@pytest.mark.parametrize(
    ("text", "kind", "value"),
    [
        ("35 deg", "angle", 35 * DEG),
        ("35°", "angle", 35 * DEG),
        ("35,5 deg", "angle", 35.5 * DEG),
        ("1.5 turn", "angle", 3 * math.pi),
        ("2 turns", "angle", 4 * math.pi),
        ("1 turn 30°", "angle", 390 * DEG),
        ("0.5 rad", "angle", 0.5),
        ("12° 30'", "angle", 12.5 * DEG),
        ("12°30′", "angle", 12.5 * DEG),
        ("12° 30' 36\"", "angle", 12.51 * DEG),
        ("-0° 30'", "angle", -0.5 * DEG),
        ("250 mm", "length", 0.25),
        ("250mm", "length", 0.25),
        ("1,5 m", "length", 1.5),
        ("1.000 m", "length", 1.0),
        ("0,800 m", "length", 0.8),
        ("1 000 mm", "length", 1.0),
        ("12\u202f345.5 mm", "length", 12.3455),
        ("12\u2009345,5 mm", "length", 12.3455),
        ("1.250,5 mm", "length", 1.2505),
        ("1,250.5 mm", "length", 1.2505),
        ("1,250,000 mm", "length", 1250.0),
        # ISO 80000-1 parts decimals in threes too.
        ("0.304 8 m", "length", 0.3048),
        ("2 in", "length", 2 * INCH),
        ("3 1/2 in", "length", 3.5 * INCH),
        ("3/4 in", "length", 0.75 * INCH),
        ('3/4"', "length", 0.75 * INCH),
        ("3½ in", "length", 3.5 * INCH),
        ("½ in", "length", 0.5 * INCH),
        ("6 ft 2 in", "length", 74 * INCH),
        ("6' 2\"", "length", 74 * INCH),
        ("6′2″", "length", 74 * INCH),
        ("6' 2 1/2\"", "length", 74.5 * INCH),
        ("-6 ft 2 in", "length", -74 * INCH),
        ("6 ft - 2 in", "length", 70 * INCH),
        ("1 ft + 6 in", "length", 18 * INCH),
        ("1 m 20 cm", "length", 1.2),
        ("2 * 3/4 in", "length", 1.5 * INCH),
        ("(2 + 3) * 4 mm", "length", 0.02),
        ("(2 + 3) mm", "length", 0.005),
        ("1 m / 4", "length", 0.25),
        ("50% * 2 m", "length", 1.0),
        ("1.2 km", "length", 1200.0),
        ("1.5 min", "time", 90.0),
        ("1 min 30 s", "time", 90.0),
        ("250 ms", "time", 0.25),
        ("=36/20", "number", 1.8),
        ("6 m / 4 m", "number", 1.5),
        ("50%", "number", 0.5),
        ("0,8", "number", 0.8),
        (",8", "number", 0.8),
        ("1 1/2", "number", 1.5),
        ("6/3/4", "number", 0.5),
        ("(2 + 3) * 4", "number", 20.0),
        ("2 × 3 · 4 ÷ 6", "number", 4.0),
        ("−4", "number", -4.0),
        ("5 - -3", "number", 8.0),
        ("1e-3", "number", 0.001),
    ],
)
def test_typed_values(text: str, kind: Kind, value: float) -> None:
    assert parse(text, kind) == pytest.approx(value, rel=1e-14)


def test_a_bare_number_is_read_in_the_unit_shown() -> None:
    assert parse("90", "angle", "deg") == pytest.approx(math.pi / 2)
    assert parse("=36/20", "angle", "turn") == pytest.approx(1.8 * 2 * math.pi)
    assert parse("40", "length", "mm") == pytest.approx(0.04)
    assert parse("3 1/2", "length", "in") == pytest.approx(3.5 * INCH)
    assert parse("25 * 2", "number", "%") == pytest.approx(0.5)


@pytest.mark.parametrize(
    ("text", "kind", "words", "place"),
    [
        ("35 mm", "angle", ["Flap takes an angle", "35 deg", "is a length"], ""),
        ("35 deg", "length", ["Flap takes a length", "250 mm", "is an angle"], ""),
        ("2 m", "number", ["a bare number", "is a length"], ""),
        ("50%", "length", ["takes a length"], ""),
        ("3 m * 2 m", "length", ["one is a bare number"], "2 m"),
        ("1 m + 2 deg", "length", ["an angle can't be added to a length"], "2 deg"),
        ("1 m + 2", "length", ["Write the unit on both"], "2"),
        ("50% + 0.1", "number", ["Write the unit on both"], "0.1"),
        ("1,000", "length", ["1000 or 1.000"], "1,000"),
        ("-1,250 mm", "length", ["1250 or 1.250"], "1,250"),
        ("1,5,3", "number", ["thousands and decimals"], "1,5,3"),
        ("1.2.3", "number", ["thousands and decimals"], "1.2.3"),
        ("1,", "number", ["decimals after it"], "1,"),
        ("6 ft 2", "length", ["'2' has no unit"], "2"),
        ("1 turn 30", "angle", ["'30' has no unit"], "30"),
        ("6' 2", "length", ["'2' has no unit"], "2"),
        ("12° 30", "angle", ["'30' has no unit"], "30"),
        ("2 in 3 ft", "length", ["smaller unit"], "3 ft"),
        ("1'000 mm", "length", ["feet or between thousands"], "1'000"),
        ("6'-2\"", "length", ["together, or less"], "6'-2\""),
        ("3-1/2", "length", ["3 1/2", "3 - 1/2"], "3-1/2"),
        ("3 500/1000 in", "length", ["between thousands"], "3 500/1000"),
        ("3 4/2 in", "length", ["below one"], "3 4/2"),
        ("6 m / 3 / 4 in", "number", ["two ways"], "3 / 4"),
        ("5 5", "number", ["side by side"], "5"),
        ("1 00", "number", ["side by side"], "00"),
        ("5'", "time", ["feet, inches"], "'"),
        ("2 MM", "length", ["did you mean 'mm'"], "MM"),
        ("2x4", "number", ["'x' is no unit"], "x"),
        ("12 deg C", "angle", ["'C' is no unit"], "C"),
        ("1:30", "time", ["':'"], ":"),
        ("wide", "length", ["can't read 'wide'", "250 mm"], "wide"),
        ("", "length", ["needs a length"], ""),
        ("=", "length", ["needs a length"], ""),
        ("4 / 0", "number", ["divides by zero"], ""),
        ("2 ^ 3", "number", ["powers"], "^"),
        ("9**9**9", "number", ["powers"], "*"),
        ("(3 + 4", "number", ["not closed"], "("),
        ("3 +", "number", ["ends too early"], ""),
        ("1e999", "length", ["too large"], ""),
        ("1e308 * 1e308", "length", ["too large"], ""),
        ("²", "number", ["can't read"], "²"),
        ("٣", "number", ["can't read"], "٣"),
        ("__import__('os')", "number", ["can't read"], "_"),
        ("1" * 400 + "x", "number", ["can't read"], ""),
        ("(" * 60, "number", ["nested too deeply"], "("),
    ],
)
def test_what_is_wrong_is_said_with_its_place_and_what_to_write(
    text: str, kind: Kind, words: list[str], place: str
) -> None:
    with pytest.raises(QuantityError) as problem:
        parse(text, kind, what="Flap")
    for word in words:
        assert word in str(problem.value)
    assert text[problem.value.start : problem.value.end].strip() == place


def test_values_apart_by_blanks_or_semicolons() -> None:
    """A list that Gremio shows reads back; one that could be fewer values is refused."""
    assert parse_list("0; 90 000; 1,5", "number") == [0.0, 90000.0, 1.5]
    assert parse_list("0 30 60", "number") == [0.0, 30.0, 60.0]
    assert parse_list("0, 30, 60", "number") == [0.0, 30.0, 60.0]
    assert parse_list("10 deg 20deg", "angle") == pytest.approx([10 * DEG, 20 * DEG])
    for text in ("90 120", "3 1/2", "6 ft 2 in"):
        with pytest.raises(QuantityError, match="semicolon"):
            parse_list(text, "length")


def test_one_number_of_a_table_says_what_all_mean() -> None:
    assert decimal_sign(["1,000", "2,5"]) == ","
    assert decimal_sign(["1,000", "2.5"]) == "."
    assert decimal_sign(["1,000", "2,000"]) == ""
    assert decimal_sign(["2,5", "2.5"]) == ""
    assert parse_bare("1,000", decimal=",") == 1.0
    assert parse_bare("1,000", decimal=".") == 1000.0
    # A point alone is the decimal point, and yet not where commas are.
    assert decimal_sign(["0,5", "1.250"]) == ","
    with pytest.raises(QuantityError, match=r"1250 or 1\.250"):
        parse_bare("1.250", decimal=",")
    assert parse_bare("1.250,5", decimal=",") == 1250.5
    with pytest.raises(QuantityError, match="has a unit"):
        parse_bare("50%")


@given(st.floats(-1e7, 1e7), st.sampled_from(sorted(UNITS)), st.integers(0, 9))
def test_what_is_shown_reads_back(value: float, unit: str, decimals: int) -> None:
    """To the last figure that is shown, with a hyphen or a minus sign, thin or no blank."""
    entry = UNITS[unit]
    value = max(min(value, 1e8 / entry.size), -1e8 / entry.size)
    for shown in (show(value * entry.size, unit, decimals), show_short(value * entry.size, unit)):
        exact = Fraction(re.sub(r"[^0-9.-]", "", shown))
        for text in (shown, shown.replace(" ", "\u2009").replace("-", "−")):
            assert parse(text, entry.kind, unit) == float(exact) * entry.size


# Locales that part numbers in the ways that are in use: 1,234.5  1.234,5  1 234,5.
LOCALES = ("en_GB", "de_DE", "fr_FR")


def readings(text: str) -> set[float]:
    """What a number can mean to people of several countries, by the Unicode locale data."""
    found = set()
    for locale in LOCALES:
        try:
            found.add(float(parse_decimal(text.replace(" ", "\u202f"), locale, strict=True)))
        except (NumberFormatError, ValueError):
            continue
    return found


@settings(max_examples=600)
@given(st.from_regex(r"[1-9][0-9]{0,3}(?:[.,  ][0-9]{1,4}){0,3}", fullmatch=True))
@example("1,000")
@example("1 000")
@example("1.000")
@example("1.000,000 0")
def test_a_number_never_differs_from_what_a_country_means_by_it(text: str) -> None:
    """Where countries disagree it is refused, but for a point alone, which Gremio itself writes
    before decimals."""
    alone = re.fullmatch(r"[0-9]+\.[0-9]+", text)
    meant = {float(text)} if alone else readings(text)
    try:
        value = parse_bare(text)
    except QuantityError:
        return
    if meant:
        assert meant == {value}
    else:
        # ISO 80000-1: blanks part decimals in threes too, whatever parts what is before them.
        closed = re.sub(r"[  ]", "", text)
        assert (readings(closed) or {float(closed.replace(",", "."))}) == {value}


@given(
    st.integers(0, 400), st.integers(0, 60), st.sampled_from([2, 4, 8, 16, 32]), st.booleans(),
    st.sampled_from(["'", "′", " ft ", "ft "]), st.sampled_from(['"', "″", " in", "inches"]),
)  # fmt: skip
def test_feet_and_inches(
    feet: int, top: int, under: int, minus: bool, foot: str, inch: str
) -> None:
    whole, rest = divmod(top, under)
    inches = f"{whole} {rest}/{under}" if whole and rest else f"{rest}/{under}" if rest else whole
    text = f"{'-' if minus else ''}{feet}{foot} {inches}{inch}"
    meant = (feet * 12 + Fraction(top, under)) * Fraction(254, 10000) * (-1 if minus else 1)
    assert parse(text, "length") == pytest.approx(float(meant), rel=1e-14)


def tree(leaf: st.SearchStrategy[tuple[str, Fraction]]) -> st.SearchStrategy[tuple[str, Fraction]]:
    """Texts of arithmetic, and what they are worth, every bracket written."""
    grown = st.tuples(leaf, st.sampled_from("+-*/"), leaf)

    def put(three: tuple[tuple[str, Fraction], str, tuple[str, Fraction]]) -> tuple[str, Fraction]:
        (one, a), sign, (two, b) = three
        if sign == "/" and not b:
            sign = "+"
        value = {"+": a + b, "-": a - b, "*": a * b, "/": a / b if b else a}[sign]
        return f"({one} {sign} {two})", value

    return grown.map(put)


LEAVES = st.integers(-99, 99).map(lambda n: (str(n), Fraction(n)))


@given(st.recursive(LEAVES, tree, max_leaves=8))
def test_arithmetic(pair: tuple[str, Fraction]) -> None:
    text, meant = pair
    if len(text) <= 80 and abs(meant) <= LARGEST:
        assert parse_bare(text) == pytest.approx(float(meant), rel=1e-9, abs=1e-9)


@settings(max_examples=400)
@given(st.text("0123456789.,+-*/()=' \"°%mftindegsturn½−×\u2009", max_size=24))
def test_any_text_is_a_finite_value_or_refused(text: str) -> None:
    for kind in ("length", "angle", "time", "number"):
        try:
            assert math.isfinite(parse(text, kind))
        except QuantityError as problem:
            assert 0 <= problem.start <= problem.end <= len(text)


@pytest.mark.parametrize("text", ["6' - 2\"", "6' -2\"", "6'- 2\""])
def test_a_hyphen_with_a_blank_beside_it_takes_away(text: str) -> None:
    assert parse(text, "length") == pytest.approx(70 * 0.0254)
    with pytest.raises(QuantityError, match="it can mean"):
        parse("6'-2\"", "length")
