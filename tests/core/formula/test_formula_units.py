"""Powers of units, arcs beside angles, and what is refused rather than read in one of two ways."""

from __future__ import annotations

import math

import pytest

import gremio
from gremio.core.edit.formulas import read, write
from gremio.core.files.steps import VERSION, raised
from gremio.core.formula.tree import FormulaError
from gremio.core.quantity import short_number
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.model import Rig


@pytest.fixture
def yard() -> Rig:
    build = gremio.Builder("Yard")
    build.part("Jib", joint="free")
    build.control("Len", "-10 m", "10 m", kind="length")
    build.control("Turn", "-360 deg", "360 deg")
    build.control("Share", 0, 10, kind="number")
    build.control("Gauge", 0, 10, kind="number")
    return build.rig


def key(name: str) -> ChannelKey:
    return ChannelKey("c5" if name == "gauge" else f"p1 {name}")


def value(rig: Rig, channel: str, text: str, **values: float) -> float:
    rig, _ = write(rig, key(channel), text)
    return gremio.solve(rig, values).at(key(channel))


@pytest.mark.parametrize(
    ("channel", "text", "expected"),
    [
        # A unit's power is the unit's, as everywhere in print (ISO 80000-1, 7.2.3).
        ("move x", "12 m^2 / 4 m", 3.0),
        ("move x", "sqrt(9 m^2)", 3.0),
        ("move x", "(3 m)^2 / 3 m", 3.0),
        ("move x", "300 mm^2 / 100 mm", 0.003),
        ("move x", "2 ^ 3 * 1 m", 8.0),
        ("move x", "6 m^-1 * 0.5 m^2", 3.0),
        ("move x", "-2 m^2 / 1 m", -2.0),
        # An angle and an arc (length ÷ radius) are both angles.
        ("turn z", "90 deg - Len / 0.5 m", math.pi / 2 - 4.0),
        ("turn z", "Len / 0.5 m + Turn", 4.0 + 0.3),
        ("turn z", "max(Turn, Len / 0.5 m)", 4.0),
        ("turn z", "2 * Len / 0.5 m", 8.0),
        # Of bare numbers a ratio is one more.
        ("gauge", "1 + Len / 4 m", 1.5),
    ],
)
def test_what_is_read(yard: Rig, channel: str, text: str, expected: float) -> None:
    assert value(yard, channel, text, Len=2.0, Turn=0.3) == pytest.approx(expected, rel=1e-12)


@pytest.mark.parametrize(
    ("channel", "text", "words", "place"),
    [
        ("turn z", "30 + Len / 0.5 m", "30 deg", None),
        ("turn z", "min(30, Len / 0.5 m) * 2", "30 deg", None),
        ("move x", "1 m * sin(30 + Len / 0.5 m)", "30 deg", None),
        ("turn z", "90 deg + (30 + Len / 0.5 m)", "30 deg", None),
        ("gauge", "choose(0 < Share < 1, 2, 1)", "two and two", "<"),
        ("gauge", "choose(Share = 1 = 1, 2, 1)", "two and two", "="),
        ("turn z", "(35 deg)^1e999", "too large", "1e999"),
        ("turn z", "1e400", "too large", "1e400"),
        ("gauge", "sine(Turn)", "Did you mean sin?", "sine"),
        ("gauge", "sqroot(Share)", "Did you mean sqrt?", "sqroot"),
        ("gauge", "Shar + 1", "Did you mean Share?", "Shar"),
        ("gauge", "Sahre + 1", "Did you mean Share?", "Sahre"),
    ],
)
def test_what_is_refused_with_the_way_out(
    yard: Rig, channel: str, text: str, words: str, place: str | None
) -> None:
    with pytest.raises(FormulaError) as problem:
        read(yard, key(channel), text)
    assert words in str(problem.value)
    if place is not None:
        assert text[problem.value.start : problem.value.end] == place


def test_comparisons_two_and_two(yard: Rig) -> None:
    text = "choose(0 < Share and Share < 1, 2, 1)"
    assert value(yard, "gauge", text, Share=0.5) == 2.0
    assert value(yard, "gauge", text, Share=3.0) == 1.0


def test_formulas_of_older_files_keep_what_they_meant() -> None:
    old = {"links": {
        "k1": {"link": "formula", "follower": "p1 move x", "text": "12 m^2 / 48 m"},
        "k2": {"link": "formula", "follower": "p1 move y", "text": "{p1 turn z}^2 * 1 m"},
        "k3": {"link": "formula", "follower": "p1 move z", "text": "2^3 * 1 m + (4 m) ^2 / 1 m"},
        "k4": {"link": "formula", "follower": "p1 scale x", "text": "20 %^2"},
        "k6": {"link": "formula", "follower": "c5", "text": "choose(0 < {c3} < {c4} = 1, 2, 1)"},
        "k7": {"link": "formula", "follower": "c5", "text": "choose(0 < {c3} and {c4} > 1, 2, 1)"},
        "k5": {"link": "ratio", "lead": "p1 move x", "follower": "p1 turn x"},
    }}  # fmt: skip
    new = raised(old, 2)["links"]
    assert VERSION >= 3
    assert new["k1"]["text"] == "(12 m)^2 / 48 m"
    assert new["k6"]["text"] == "choose(((0 < {c3}) < {c4}) = 1, 2, 1)"
    for same in ("k2", "k3", "k4", "k5", "k7"):
        assert new[same] == old["links"][same]


@pytest.mark.parametrize(
    ("number", "written"),
    [(0.9999999999999998, "1"), (0.1 + 0.2, "0.3"), (-2.0, "-2"), (1 / 3, "0.333333333333333")],
)
def test_figures_are_as_short_as_they_are_exact(number: float, written: str) -> None:
    assert short_number(number) == written
    assert float(written) == pytest.approx(number, rel=1e-14)
