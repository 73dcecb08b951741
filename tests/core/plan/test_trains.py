from __future__ import annotations

import math

import numpy as np
import pytest
import sympy

import gremio
from gremio.core.edit.links import add_link
from gremio.core.frames import Frame
from gremio.core.plan.trains import Row, solve_trains
from gremio.core.problem import GremioError
from gremio.core.rig.model import Control, Joint, Part, Planetary, Ratio, Rig, Stops
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.backward import Hand, Held, drive_line, move
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate

SPIN = Joint("spin", "y")


def gears(*names: str, **links: Ratio | Planetary) -> Rig:
    """Parts that spin about y, called g1, g2 …, with links between them."""
    parts = {f"g{i}": Part(name, joint=SPIN) for i, name in enumerate(names, 1)}
    return Rig(parts=parts, links=dict(links))


def turn(number: int) -> str:
    return f"g{number} turn y"


def test_three_gears_in_a_row() -> None:
    # 60, 20 and 45 teeth turn 1 : −3 : +1.333 (common practice, no source).
    rig = gears(
        "A", "B", "C", k1=Ratio(turn(1), turn(2), -60 / 20), k2=Ratio(turn(2), turn(3), -20 / 45)
    )
    pose = gremio.solve(rig, {"A": "1 turn"})
    assert pose.value("B") == pytest.approx(-3 * 2 * math.pi)
    assert pose.value("C") == pytest.approx(1.3333333333 * 2 * math.pi)


@pytest.mark.parametrize("pulled", ["A", "B", "C"])
def test_any_member_turns_the_rest(pulled: str) -> None:
    rig = gears("A", "B", "C", k1=Ratio(turn(1), turn(2), -3.0), k2=Ratio(turn(3), turn(2), 2.0))
    program = compile_rig(rig, geometry_of)
    pose = evaluate(program, {}).frame(0)
    number = "ABC".index(pulled) + 1
    hand = move(program, pose, turn(number), 0.7)
    assert isinstance(hand, Hand)
    there = evaluate(program, {hand.channel: hand.value}).frame(0)
    a, b, c = (there.at(turn(i)) for i in (1, 2, 3))
    assert {"A": a, "B": b, "C": c}[pulled] == pytest.approx(0.7)
    assert b == pytest.approx(-3 * a) and b == pytest.approx(2 * c)


def test_a_control_anywhere_in_a_train_is_its_lead() -> None:
    rig = gears("A", "B", "C", k1=Ratio(turn(1), turn(2), -3.0), k2=Ratio(turn(2), turn(3), 0.5))
    rig = Rig(parts=rig.parts, controls={"c1": Control("Crank", "angle", "deg", -9.0, 9.0)},
              links={**rig.links, "k3": Ratio(turn(3), "c1", 1.0)})  # fmt: skip
    pose = gremio.solve(rig, {"Crank": 1.5})
    assert [pose.value(n) for n in "CBA"] == pytest.approx([1.5, 3.0, -1.0])
    assert drive_line(pose.program, turn(1)) == ["c1", turn(3), turn(2), turn(1)]


def test_a_loop_that_agrees_turns_and_one_that_does_not_is_locked() -> None:
    links = {"k1": Ratio(turn(1), turn(2), -2.0), "k2": Ratio(turn(2), turn(3), -2.0)}
    agreeing = gears("Gate", "Beam", "Rack", **links, k3=Ratio(turn(1), turn(3), 4.0))
    pose = gremio.solve(agreeing, {"Gate": 0.5})
    assert pose.notes == [] and pose.value("Rack") == pytest.approx(2.0)
    locked = gears("Gate", "Beam", "Rack", **links, k3=Ratio(turn(3), turn(1), -0.25))
    pose = gremio.solve(locked)
    (note,) = pose.notes
    assert note.code == "train-locked"
    assert "leads" in note.text and all(name in note.text for name in ("Gate", "Beam", "Rack"))
    assert "once round gives × -1" in note.text
    held = move(pose.program, pose, turn(2), 1.0)
    assert isinstance(held, Held) and "locked" in held.text
    assert pose.value("Beam") == 0.0


def test_a_locking_ratio_can_be_made_and_is_told() -> None:
    rig = gears("A", "B", k1=Ratio(turn(1), turn(2), -2.0))
    rig, _ = add_link(rig, Ratio(turn(2), turn(1), 2.0))
    assert [n.code for n in gremio.solve(rig).notes] == ["train-locked"]


def test_ratios_that_start_apart_can_not_be_put_together() -> None:
    rig = gears("A", "B", k1=Ratio(turn(1), turn(2), -2.0))
    with pytest.raises(GremioError, match="start at different places"):
        add_link(rig, Ratio(turn(1), turn(2), -2.0, offset=0.1))


def test_a_train_stops_as_one_when_a_member_is_at_its_stop() -> None:
    parts = {
        "g1": Part("Wheel", joint=SPIN),
        "g2": Part("Gate", joint=SPIN, stops={"turn y": Stops(-0.5, 0.25)}),
        "g3": Part("Flap", joint=SPIN),
    }
    links = {"k1": Ratio(turn(1), turn(2), 0.1), "k2": Ratio(turn(1), turn(3), -1.0)}
    pose = gremio.solve(Rig(parts=parts, links=links), {"Wheel": 100.0})
    assert pose.value("Gate") == 0.25
    assert pose.value("Wheel") == pytest.approx(2.5) and pose.value("Flap") == pytest.approx(-2.5)
    assert [n.part for n in pose.notes] == ["Gate"]


def test_willis_for_a_planetary_set() -> None:
    # Ring held: sun ÷ carrier = 1 + z_r/z_s (Willis; see "Values to check against").
    zs, zr = 20, 64
    rig = gears("Sun", "Ring", "Carrier", k1=Planetary(turn(1), turn(2), turn(3), zr / zs))
    pose = gremio.solve(rig, {"Sun": 1.0, "Ring": 0.0})
    assert 1.0 / pose.value("Carrier") == pytest.approx(1 + zr / zs)
    pose = gremio.solve(rig, {"Sun": 0.3, "Ring": -0.7})
    s, r, c = (pose.value(n) for n in ("Sun", "Ring", "Carrier"))
    assert s * zs + r * zr == pytest.approx(c * (zs + zr))


def test_a_planetary_set_made_of_its_meshes_is_the_same() -> None:
    """Sun and planet, planet and ring, each seen from the arm that carries the planet."""
    zs, zp, zr = 20, 22, 64
    parts = {
        "g1": Part("Sun", joint=SPIN),
        "g2": Part("Ring", joint=SPIN),
        "g3": Part("Arm", joint=SPIN),
        "g4": Part("Planet", "g3", Frame((0.1, 0.0, 0.0)), SPIN),
    }
    links = {
        "k1": Ratio(turn(1), turn(4), -zs / zp, carrier=turn(3)),
        "k2": Ratio(turn(4), turn(2), zp / zr, carrier=turn(3)),
    }
    pose = gremio.solve(Rig(parts=parts, links=links), {"Sun": 0.9, "Arm": 0.2})
    s, r, c = (pose.value(n) for n in ("Sun", "Ring", "Arm"))
    assert s * zs + r * zr == pytest.approx(c * (zs + zr))


def test_a_differential_against_sympy() -> None:
    left, right, cage, shaft = sympy.symbols("left right cage shaft")
    solved = sympy.solve(
        [sympy.Eq(left + right, 2 * cage), sympy.Eq(cage, shaft * sympy.Rational(13, 41))],
        [left, cage],
    )
    rig = gears(
        "Left", "Right", "Cage", "Shaft",
        k1=Planetary(turn(1), turn(2), turn(3), 1.0), k2=Ratio(turn(4), turn(3), 13 / 41),
    )  # fmt: skip
    for values in ({"Shaft": 3.0, "Right": 0.4}, {"Shaft": -7.0, "Right": 2.0}):
        pose = gremio.solve(rig, _inputs(rig, values))
        given = {shaft: pose.value("Shaft"), right: pose.value("Right")}
        assert pose.value("Left") == pytest.approx(float(solved[left].subs(given)))
        assert pose.value("Cage") == pytest.approx(float(solved[cage].subs(given)))


def _inputs(rig: Rig, wanted: dict[str, float]) -> dict[str, float]:
    """Set members one after another through whatever inputs the train has."""
    program = compile_rig(rig, geometry_of)
    train = program.trains[turn(1)]
    assert len(train.inputs) == 2
    names = {f"g{i} turn y": part.name for i, part in enumerate(rig.parts.values(), 1)}
    rows = []
    for name in wanted:
        channel = next(c for c, n in names.items() if n == name)
        share = train.shares.get(channel)
        factors = share.factors if share else {channel: 1.0}
        rows.append([factors.get(c, 0.0) for c in train.inputs])
    solved = np.linalg.solve(np.array(rows), np.array(list(wanted.values())))
    return {names[c]: float(v) for c, v in zip(train.inputs, solved, strict=True)}


def test_too_many_leads_on_a_differential_are_told() -> None:
    rig = gears("Left", "Right", "Cage", k1=Planetary(turn(1), turn(2), turn(3), 1.0))
    controls = {f"c{i}": Control(f"Hand {i}", "angle", "deg", -9.0, 9.0) for i in (1, 2, 3)}
    links = {f"m{i}": Ratio(f"c{i}", turn(i), 1.0) for i in (1, 2, 3)}
    two = Rig(
        parts=rig.parts,
        controls=controls,
        links={**rig.links, "m1": links["m1"], "m2": links["m2"]},
    )
    pose = gremio.solve(two, {"Hand 1": 1.0, "Hand 2": 2.0})
    assert pose.notes == [] and pose.value("Cage") == pytest.approx(1.5)
    three = Rig(parts=rig.parts, controls=controls, links={**rig.links, **links})
    (note,) = gremio.solve(three).notes
    assert note.code == "led-twice" and "has a lead already" in note.text


def test_a_chain_of_three_hundred_against_numpy(rng: np.random.Generator) -> None:
    count = 300
    rows, ratios = [], {}
    for i in range(1, count):
        above = int(rng.integers(i))
        ratios[i] = (above, float(rng.uniform(0.5, 2)) * rng.choice([-1, 1]))
        rows.append(Row({f"x{i}": 1.0, f"x{above}": -ratios[i][1]}, 0.25, f"k{i}"))
    rng.shuffle(rows)
    (train,), faults = solve_trains(rows, [])
    assert not faults and len(train.inputs) == 1 and len(train.shares) == count - 1
    matrix, right = np.zeros((count, count)), np.full(count, 0.25)
    for i, (above, ratio) in ratios.items():
        matrix[i, i], matrix[i, above] = 1.0, -ratio
    start = int(train.inputs[0][1:])
    matrix[0], right[0] = 0.0, 1.7
    matrix[0, start] = 1.0
    solved = np.linalg.solve(matrix, right)
    for channel, share in train.shares.items():
        value = share.factors[train.inputs[0]] * 1.7 + share.constant
        assert value == pytest.approx(solved[int(channel[1:])], rel=1e-9)


def test_a_ratio_may_add_to_what_a_channel_has() -> None:
    controls = {
        "c1": Control("Travel", "angle", "deg", -9.0, 9.0),
        "c2": Control("Trim", "angle", "deg", -9.0, 9.0),
    }
    links = {"k1": Ratio("c1", turn(1), 2.0), "k2": Ratio("c2", turn(1), 0.5, adds=True)}
    rig = Rig(parts=gears("Wheel").parts, controls=controls, links=links)
    pose = gremio.solve(rig, {"Travel": 1.0, "Trim": 3.0})
    assert pose.value("Wheel") == pytest.approx(3.5) and pose.notes == []
    hand = move(pose.program, pose, turn(1), 4.5)
    assert isinstance(hand, Hand) and hand.channel == "c1"
    assert hand.value == pytest.approx(1.5)


def test_a_screw_turns_as_it_moves_and_moves_as_it_turns() -> None:
    # Tr 20 × 4: 4 mm a turn (ISO 2904, from memory).
    rig = Rig(parts={"g1": Part("Spindle", joint=Joint("screw", "z", lead=0.004))})
    program = compile_rig(rig, geometry_of)
    pose = evaluate(program, {}).frame(0)
    for channel, wanted in (("g1 move z", 0.01), ("g1 turn z", 5 * math.pi)):
        hand = move(program, pose, channel, wanted)
        assert isinstance(hand, Hand)
        there = evaluate(program, {hand.channel: hand.value}).frame(0)
        assert there.at("g1 move z") == pytest.approx(0.01)
        assert there.at("g1 turn z") == pytest.approx(5 * math.pi)


def test_a_soft_stop_slows_down_and_ends_on_the_stop() -> None:
    part = Part("Door", joint=Joint("hinge", "z"), stops={"turn z": Stops(-0.5, 1.0, soft=0.2)})
    rig = Rig(parts={"g1": part})
    asked = np.linspace(-1.0, 1.5, 501)
    there = gremio.run(rig, {"Door": asked}).channel("g1 turn z")
    assert there.max() == 1.0 and there.min() == -0.5
    speed = np.diff(there) / np.diff(asked)
    assert speed.max() <= 1 + 1e-9 and np.abs(np.diff(speed)).max() < 0.03
    middle = (asked > -0.29) & (asked < 0.79)
    assert there[middle] == pytest.approx(asked[middle])
    pose = evaluate(compile_rig(rig, geometry_of), {}).frame(0)
    hand = move(pose.program, pose, "g1 turn z", 0.93)
    assert isinstance(hand, Hand)
    assert evaluate(pose.program, {hand.channel: hand.value}).frame(0).at("g1 turn z") == (
        pytest.approx(0.93)
    )


def test_what_rests_on_a_soft_stop_at_home_is_at_home() -> None:
    part = Part("Door", joint=Joint("hinge", "z"), stops={"turn z": Stops(0.0, 1.0, soft=0.2)})
    rig = Rig(parts={"g1": part})
    there = gremio.run(rig, {"Door": [-0.3, 0.0, 0.1, 0.95]}).channel("g1 turn z")
    assert there[:3].tolist() == [0.0, 0.0, 0.1] and 0.9 < there[3] < 0.95
