from __future__ import annotations

import math
import string

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

import gremio
from gremio.core.edit.formulas import read, shown, write
from gremio.core.edit.parts import rename_part
from gremio.core.formula.names import Names, completions
from gremio.core.formula.parse import FUNCTIONS, kept_text, parse, shown_text
from gremio.core.formula.run import plan
from gremio.core.formula.tree import FormulaError
from gremio.core.frames import Frame
from gremio.core.problem import GremioError
from gremio.core.rig.model import Control, Formula, Joint, Part, Rig, Shape, Stops
from gremio.core.rig.solids import SpurGear
from gremio.core.solve.backward import Hand, Held, move


@pytest.fixture
def yard() -> Rig:
    """Arms that slide and turn, a pinion of 32 teeth, and two controls."""
    gear = Shape(SpurGear(module=0.01, teeth=32, width=0.05))
    return Rig(
        parts={
            "p1": Part("Left arm", joint=Joint("slide", "y")),
            "p2": Part("Right arm", joint=Joint("slide", "y")),
            "p3": Part("Pinion", joint=Joint("spin", "z"), shapes=(gear,)),
            "p4": Part("Upper gate, east", joint=Joint("hinge", "z")),
            "p5": Part("Jib", joint=Joint("free")),
            "p6": Part("Wheel, 72 teeth", joint=Joint("spin", "x")),
        },
        controls={
            "c1": Control("Travel", "length", "m", -10.0, 10.0),
            "c2": Control("Share", "number", "", 0.0, 1.0),
        },
    )


def result(rig: Rig, follower: str, text: str, **values: float) -> float:
    """What a channel gets from a formula."""
    rig, _ = write(rig, follower, text)
    pose = gremio.solve(rig, {name.replace("_", " "): v for name, v in values.items()})
    assert pose.notes == []
    return pose.at(follower)


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("(Left arm.y + Right arm.y) / 2", 1.5),
        ("mean(Left arm.y, Right arm.y)", 1.5),
        ("sum(Left arm.y, Right arm.y, 0.5 m)", 3.5),
        ("max(Left arm.y, Right arm.y) - min(Left arm.y, Right arm.y)", 1.0),
        ("clamp(Left arm.y * 10, 0, 250 mm)", 0.25),
        ("wrap(Right arm.y + 3.5 m, 0, 4 m)", 1.5),
        ("remap(Share, 0, 1, 2 m, 6 m)", 3.0),
        ("smooth(Share, 0, 1) * 1 m", 3 * 0.25**2 - 2 * 0.25**3),
        ("choose(Share < 0.5 and not Share > 1, 2 m, 3 m)", 2.0),
        ("choose(Share = 0.25 or Share > 9, Left arm.y, 0)", 1.0),
        ("sqrt(Left arm.y ^ 2 + Right arm.y ^ 2)", math.sqrt(5)),
        ("hypot(Left arm.y, Right arm.y)", math.sqrt(5)),
        ("round(Right arm.y * 1.13, 0.5 m)", 2.5),
        ("floor(2.7) * 1 m + ceil(0.2) * 1 m + abs(-2) * 1 m + sign(-3) * 1 m", 4.0),
        ("-2 ^ 2 * 1 m", -4.0),
        ("2 ^ 3 ^ 2 * 1 mm", 0.512),
        ("Pinion.turn * Pinion.module * Pinion.teeth / 2", 0.5 * 0.16),
        ("10 - 2 - 3", 5.0),
        ("1 ft + 6 in", 0.4572),
        ("50 % * 2 m", 1.0),
        ("2 × 3 m − 1 m", 5.0),
    ],
)
def test_arithmetic_anyone_can_read(yard: Rig, text: str, value: float) -> None:
    given_values = {"Left_arm": 1.0, "Right_arm": 2.0, "Share": 0.25, "Pinion": 0.5}
    assert result(yard, "p5 move x", text, **given_values) == pytest.approx(value)


@pytest.mark.parametrize(
    ("text", "value", "read_as"),
    [
        ("-Pinion.turn * 12/32", -0.1875, "an angle"),
        ("Travel / 0.25 m", 8.0, "an arc in radians"),
        ("30", math.radians(30), "a bare number, in °"),
        ("atan2(1 m, 1 m)", math.pi / 4, "an angle"),
        ("asin(0.5)", math.pi / 6, "an angle"),
        ("sin(30 deg) * 1 turn", math.pi, "an angle"),
        ("2 * pi * 1 rad", 2 * math.pi, "an angle"),
        ("90°", math.pi / 2, "an angle"),
    ],
)
def test_what_a_turn_takes(yard: Rig, text: str, value: float, read_as: str) -> None:
    assert result(yard, "p4 turn z", text, Pinion=0.5, Travel=2.0) == pytest.approx(value)
    assert read_as in read(yard, "p4 turn z", text).read_as


@pytest.mark.parametrize(
    ("text", "message", "word"),
    [
        ("Travel", "divide by a radius", "Travel"),
        ("Travel * Travel", r"length\^2", "Travel * Travel"),
        ("Pinion.turn + 10", "write for example 10 deg", "10"),
        ("Pinion.turn + Travel", "can't be added to an angle", "Travel"),
        ("sin(30) * 1 deg", r"write sin\(30 deg\)", "30"),
        ("Pinion.lift", "Pinion has no 'lift'. Its channels: .turn", ".lift"),
        ("Jib.turn", "Jib has no 'turn'", ".turn"),
        ("Jib", "say which of its channels", "Jib"),
        ("Winch.turn", "Nothing here is called 'Winch'", "Winch"),
        ("__import__", "is no sign that a formula has", "_"),
        ("Pinion.__class__", "is missing before this|has no|does not fit|is no sign", None),
        ("eval(1)", "Nothing here is called 'eval'", "eval"),
        ("clamp(1 deg)", r"clamp takes 3 values \(kept between", "clamp"),
        ("min", "min needs brackets", "min"),
        ("(1 deg", "bracket is not closed", "("),
        ("1 deg +", "ends too early", ""),
        ("1 deg 2", "A sign such as", "2"),
        ("", "The formula is empty", ""),
        ("distance(Jib, 1 m)", "distance takes two parts", "1 m"),
        ("2 ^ Travel", "takes a bare number", "2 ^ Travel"),
        ("Travel ^ Share", "raised to a number that is written out", "Share"),
        ('"Nobody".turn', "nothing called 'Nobody'", '"Nobody"'),
    ],
)
def test_errors_point_at_the_word(yard: Rig, text: str, message: str, word: str | None) -> None:
    with pytest.raises(FormulaError, match=message) as refused:
        write(yard, "p4 turn z", text)
    if word is not None:
        assert text[refused.value.start : refused.value.end] == word


def test_what_is_too_long_or_too_deep_is_refused(yard: Rig) -> None:
    with pytest.raises(FormulaError, match="400 letters"):
        write(yard, "p4 turn z", "1 deg + " * 100 + "1 deg")
    for deep in ("(" * 100 + "1" + ")" * 100, "2" + "^2" * 90, "abs(" * 60 + "1" + ")" * 60):
        with pytest.raises(FormulaError, match="nested too deeply"):
            write(yard, "p4 turn z", deep)


def test_a_power_bomb_has_no_value_and_ends_at_once(yard: Rig) -> None:
    rig, _ = write(yard, "p4 turn z", "9^9^9^9")
    (note,) = gremio.solve(rig).notes
    assert note.code == "formula-undefined" and note.part == "Upper gate, east"


def test_a_division_by_zero_is_told_with_the_value_where_it_happens(yard: Rig) -> None:
    rig, _ = write(yard, "p4 turn z", "1 deg / Share")
    pose = gremio.solve(rig, {"Share": 0.0})
    (note,) = pose.notes
    assert "has no value where Share is 0" in note.text and "clamp" in note.text
    assert math.isfinite(pose.value("Upper gate, east"))
    poses = gremio.run(rig, {"Share": np.array([0.5, 0.0, 0.25])})
    assert poses.channel("p4 turn z") == pytest.approx(np.radians([2.0, 0.0, 4.0]))
    assert [len(poses.frame(i).notes) for i in range(3)] == [0, 1, 0]


def test_renaming_a_part_rewrites_its_formulas(yard: Rig) -> None:
    rig, link = write(yard, "p4 turn z", "Pinion.turn * 2 + Wheel, 72 teeth.turn")
    rig = rename_part(rig, "p3", "Brass - pinion")
    formula = rig.links[link]
    assert isinstance(formula, Formula)
    assert shown(rig, formula) == '"Brass - pinion".turn * 2 + Wheel, 72 teeth.turn'
    assert kept_text(shown(rig, formula), Names(rig)) == formula.text
    assert gremio.solve(rig, {"Brass - pinion": 0.5, "Wheel, 72 teeth": 0.1}).value(
        "Upper gate, east"
    ) == pytest.approx(1.1)


@settings(max_examples=60, deadline=None)
@given(st.text(string.ascii_letters + string.digits + " ,-+.()*", min_size=1, max_size=14))
def test_any_name_can_stand_in_a_formula(name: str) -> None:
    rig = Rig(
        parts={
            "p1": Part(name, joint=Joint("spin", "z")),
            "p2": Part("Gate", joint=Joint("hinge", "z")),
        }
    )
    kept = "{p1 turn z} * 2 + {p2 turn z} - 1 deg"
    names = Names(rig, frozenset(FUNCTIONS))
    assert kept_text(shown_text(kept, names), names) == kept


@settings(max_examples=150, deadline=None)
@given(st.text(max_size=40))
def test_no_text_does_more_than_refuse(text: str) -> None:
    rig = Rig(
        parts={
            "p1": Part("Gate", joint=Joint("hinge", "z")),
            "p2": Part("A", joint=Joint("spin", "z")),
        }
    )
    try:
        write(rig, "p1 turn z", text)
    except GremioError as refused:
        assert str(refused)


def test_every_function_against_numpy() -> None:
    """Run over two formulas and three frames at once, as arrays."""
    x = np.array([[0.1, 0.5, 0.9], [0.2, 0.3, 0.4]])
    for name, numpy_name in {
        "sin": "sin", "cos": "cos", "tan": "tan", "asin": "arcsin", "acos": "arccos",
        "atan": "arctan", "sqrt": "sqrt", "exp": "exp", "log": "log", "abs": "abs",
    }.items():  # fmt: skip
        made = plan(parse(f"{name}({{c2}})"))
        assert made.run([x]) == pytest.approx(getattr(np, numpy_name)(x)), name


def test_two_that_set_are_refused_and_one_that_adds_is_not(yard: Rig) -> None:
    rig, first = write(yard, "p4 turn z", "Pinion.turn")
    rig = replace(rig, links={**rig.links})
    again, same = write(rig, "p4 turn z", "Pinion.turn * 2")
    assert same == first and len(again.links) == 1
    rig, _ = write(rig, "p4 turn z", "10 deg", adds=True)
    pose = gremio.solve(rig, {"Pinion": 0.2})
    assert pose.value("Upper gate, east") == pytest.approx(0.2 + math.radians(10))


def test_a_formula_that_leads_itself_is_refused(yard: Rig) -> None:
    rig, _ = write(yard, "p3 turn z", "Upper gate, east.turn")
    with pytest.raises(
        GremioError,
        match=r"Pinion leads Upper gate, east leads Pinion|"
        r"Upper gate, east leads Pinion leads Upper gate, east",
    ):
        write(rig, "p4 turn z", "Pinion.turn * 2")
    with pytest.raises(GremioError, match="Upper gate, east leads Upper gate, east"):
        write(yard, "p4 turn z", "Upper gate, east.turn + 1 deg")


def test_distance_and_angle_between_parts(yard: Rig) -> None:
    parts = {**yard.parts, "p7": Part("Claw", "p5", Frame((0.0, 3.0, 4.0)), Joint("hinge", "x"))}
    rig = replace(yard, parts=parts)
    assert result(rig, "p1 move y", "distance(Jib, Claw)") == pytest.approx(5.0)
    assert result(rig, "p4 turn z", "angle(Jib, Claw)", Claw=-0.4) == pytest.approx(0.4)
    assert result(rig, "p1 move y", "distance(Jib, Pinion) * 2", Jib_move_x=3.0) == pytest.approx(
        6.0
    )
    with pytest.raises(GremioError, match="leads"):
        write(rig, "p7 turn x", "angle(Jib, Claw)")


def test_a_hand_on_a_led_part_finds_its_lead(yard: Rig) -> None:
    rig, _ = write(yard, "p4 turn z", "sin(Pinion.turn) * 40 deg")
    pose = gremio.solve(rig, {"Pinion": 0.1})
    hand = move(pose.program, pose, "p4 turn z", math.radians(20))
    assert isinstance(hand, Hand) and hand.channel == "p3 turn z"
    assert math.sin(hand.value) == pytest.approx(0.5, abs=1e-9)
    rig, _ = write(yard, "p4 turn z", "30 deg")
    pose = gremio.solve(rig)
    assert isinstance(move(pose.program, pose, "p4 turn z", 1.0), Held)


def test_a_formula_is_stopped_like_anything_else(yard: Rig) -> None:
    gate = replace(yard.parts["p4"], stops={"turn z": Stops(0.0, 0.5)})
    rig = replace(yard, parts={**yard.parts, "p4": gate})
    rig, _ = write(rig, "p4 turn z", "Pinion.turn * 3")
    pose = gremio.solve(rig, {"Pinion": 1.0})
    assert pose.value("Upper gate, east") == 0.5
    assert [n.code for n in pose.notes] == ["stop-reached"]


def test_typing_completes_names_and_channels(yard: Rig) -> None:
    names = Names(yard)
    assert completions(names, "2 * Le") == ["2 * Left arm", "2 * Left arm.y"]
    assert "Upper gate, east.turn" in completions(names, "upp")
    assert "Pinion.turn + Jib.turn z" in completions(names, "Pinion.turn + Jib.t")


def test_a_formula_in_a_file_that_makes_no_sense_is_told_and_left_out(yard: Rig) -> None:
    rig = replace(yard, links={"k1": Formula("p4 turn z", "{c1} + +")})
    (note,) = gremio.solve(rig).notes
    assert note.code == "formula-wrong" and "ends too early" in note.text
    rig = replace(yard, links={"k1": Formula("p4 turn z", "{p99 turn z}")})
    (note,) = gremio.solve(rig).notes
    assert note.code == "link-lost"


@pytest.mark.parametrize(("signs", "value"), [("-", -3), ("--", 3), ("- - -", -3), ("-+-", 3)])
def test_signs_before_a_number_turn_it_round_each_time(yard: Rig, signs: str, value: int) -> None:
    assert result(yard, "p1 move y", f"{signs}3 m") == value
