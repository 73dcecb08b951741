from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gremio.core.quantity import UNITS, QuantityError, parse, show, show_short


@pytest.mark.parametrize(
    ("text", "kind", "value"),
    [
        ("35 deg", "angle", math.radians(35)),
        ("35°", "angle", math.radians(35)),
        ("1.5 turn", "angle", 3 * math.pi),
        ("2 turns", "angle", 4 * math.pi),
        ("0.5 rad", "angle", 0.5),
        ("250 mm", "length", 0.25),
        ("250mm", "length", 0.25),
        # The inch is 25.4 mm and the foot 304.8 mm exactly (ISO 80000-3).
        ("2 in", "length", 0.0508),
        ("1 ft + 6 in", "length", 0.4572),
        ("1.2 km", "length", 1200.0),
        ("1.5 min", "time", 90.0),
        ("250 ms", "time", 0.25),
        ("=36/20", "number", 1.8),
        ("50%", "number", 0.5),
        ("(2 + 3) * 4", "number", 20.0),
        ("−4", "number", -4.0),
        ("1e-3", "number", 0.001),
    ],
)
def test_typed_values(text: str, kind: str, value: float) -> None:
    assert parse(text, kind) == pytest.approx(value, rel=1e-12)  # type: ignore[arg-type]


def test_a_bare_number_is_read_in_the_unit_shown() -> None:
    assert parse("90", "angle", "deg") == pytest.approx(math.pi / 2)
    assert parse("=36/20", "angle", "turn") == pytest.approx(1.8 * 2 * math.pi)
    assert parse("40", "length", "mm") == pytest.approx(0.04)


@pytest.mark.parametrize(
    ("text", "kind", "words"),
    [
        ("35 mm", "angle", ["Flap takes an angle", "35 deg", "is a length"]),
        ("35 deg", "length", ["Flap takes a length", "250 mm", "is an angle"]),
        ("2 m", "number", ["a bare number", "is a length"]),
        ("3 m * 2 m", "length", ["Flap takes a length"]),
        ("1 m + 2 deg", "length", ["can't read"]),
        ("wide", "length", ["can't read 'wide'", "250 mm"]),
        ("", "length", ["needs a length"]),
        ("4 / 0", "number", ["divides by zero"]),
        ("9**9**9", "number", ["can't read"]),
        ("1e999", "length", ["too large"]),
        ("__import__('os')", "number", ["can't read"]),
        ("1" * 400 + "x", "number", ["can't read"]),
    ],
)
def test_what_is_wrong_is_said_with_what_to_write(text: str, kind: str, words: list[str]) -> None:
    with pytest.raises(QuantityError) as problem:
        parse(text, kind, what="Flap")  # type: ignore[arg-type]
    for word in words:
        assert word in str(problem.value)


def test_shown_values() -> None:
    assert show(math.radians(46), "deg") == "46.0 °"
    assert show(6.5 * math.pi, "turn") == "3.25 turns"
    assert show(-1e-9, "m") == "0.000 m"
    assert show_short(math.radians(74), "deg") == "74 °"
    assert show_short(0.25, "m") == "0.25 m"
    assert show_short(200, "") == "200"


@given(st.floats(-1000, 1000), st.sampled_from(sorted(UNITS)))
def test_what_is_shown_reads_back(value: float, unit: str) -> None:
    entry = UNITS[unit]
    shown = show(value * entry.size, unit, decimals=9)
    assert parse(shown, entry.kind, unit) == pytest.approx(value * entry.size, abs=1e-6)
