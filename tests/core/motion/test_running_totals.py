"""Motors: what rates add up to, against scipy.integrate.quad and closed forms."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy.integrate import quad
from scipy.interpolate import PchipInterpolator

import gremio
from gremio.core.edit.controls import change_control, remove_control
from gremio.core.edit.parts import remove_part
from gremio.core.make.motors import with_motor
from gremio.core.mechanics.profiles import value
from gremio.core.quantity import UNITS, show
from gremio.core.rig.channels import key
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Rig
from gremio.core.solve.cam_steps import cam_profile
from gremio.core.typed import parse

TURN = 2 * math.pi


def capstan() -> gremio.Builder:
    b = gremio.Builder("Capstan")
    b.part("Capstan", joint="spin z")
    b.part("Drum", joint="spin z", at=(1, 0, 0))
    b.control("Speed", "-2 turn/s", "2 turn/s", kind="rate", unit="turn/s")
    b.ratio("Capstan turn z", "Drum turn z", -0.5)
    return b


def driven(*keys: tuple[float, float], profile: str = "smooth", **routine: object) -> Rig:
    rig = gremio.motor(capstan().rig, "Speed", "Capstan turn z")
    length = max(time for time, _ in keys)
    rig = gremio.routine(rig, "Haul", length, **routine)  # type: ignore[arg-type]
    for time, speed in keys:
        rig = gremio.key(rig, time, {"Speed": speed * TURN}, profile=profile)  # type: ignore[arg-type]
    return rig


@settings(max_examples=25, deadline=None)
@given(st.lists(st.floats(-2, 2), min_size=3, max_size=7), st.integers(0, 2**31))
def test_running_totals_are_those_of_quad(speeds: list[float], seed: int) -> None:
    rng = np.random.default_rng(seed)
    times = np.concatenate([[0.0], np.cumsum(rng.uniform(0.2, 3.0, len(speeds) - 1))])
    rig = driven(*zip(times.tolist(), speeds, strict=True))
    rate = PchipInterpolator(times, np.array(speeds) * TURN)
    asked = np.sort(rng.uniform(0, times[-1], 4))
    turns = gremio.bake(rig, times=asked).value("Capstan turn z")
    for time, turn in zip(asked, turns, strict=True):
        wanted = sum(
            quad(rate, a, min(b, time), epsabs=1e-12)[0] for a, b in pairwise(times) if a < time
        )
        assert turn == pytest.approx(wanted, abs=1e-9)


def test_it_goes_on_through_trains_and_backwards() -> None:
    rig = driven((0, 1.0), (2, 1.0), (4, -1.0), profile="straight")
    baked = gremio.bake(rig, times=[2.0, 3.0, 4.0])
    # 2 turns, then half a turn more, and half a turn back.
    assert baked.value("Capstan turn z") / TURN == pytest.approx([2.0, 2.5, 2.0])
    assert baked.value("Drum turn z") / TURN == pytest.approx([-1.0, -1.25, -1.0])


@pytest.mark.parametrize("profile", ["cycloidal", "modified sine", "ease into rest", "straight"])
def test_any_law_is_that_of_quad_anywhere(profile: str) -> None:
    rig = driven((0, 0.0), (1.3, 2.0), (3, -0.7), profile=profile)
    (routine,) = rig.routines.values()
    ((channel, cam),) = routine.keys.items()
    curve = cam_profile(cam, channel)
    asked = [0.2, 1.3, 1.9, 2.71, 3.0]
    turns = gremio.bake(rig, times=asked).value("Capstan turn z")
    for time, turn in zip(asked, turns, strict=True):
        rate = lambda t: float(value(curve, t))  # noqa: E731
        wanted = sum(
            quad(rate, a, min(b, time), epsabs=1e-12)[0]
            for a, b in ((0.0, 1.3), (1.3, 3.0))
            if a < time
        )
        assert turn == pytest.approx(wanted, abs=1e-8)


def test_keys_beyond_the_range_of_a_lever_go_as_far_as_it_does() -> None:
    """What is keyed at 2 turns a second, on a lever that ends at 1."""
    rig = driven((0, 0.0), (2, 2.0), profile="straight")
    ((lever, speed),) = rig.controls.items()
    rig = change_control(rig, lever, replace(speed, low=-TURN, high=TURN))
    turns = gremio.bake(rig, times=[1.0, 2.0]).value("Capstan turn z") / TURN
    assert turns == pytest.approx([0.5, 1.5], abs=1e-6)


def test_two_motors_on_one_shaft_add_up() -> None:
    b = capstan()
    b.control("Other", "-2 turn/s", "2 turn/s", kind="rate", unit="turn/s")
    rig = gremio.motor(b.rig, "Speed", "Capstan turn z", phase=0.5)
    rig = gremio.motor(rig, "Other", "Capstan turn z")
    rig = gremio.key(gremio.routine(rig, "Haul", 2.0), 0.0, {"Speed": TURN, "Other": TURN / 4})
    turn = gremio.bake(rig, times=[2.0]).value("Capstan turn z")
    assert turn == pytest.approx([0.5 + 2.5 * TURN])


@pytest.mark.parametrize("profile", ["cycloidal", "harmonic", "3-4-5", "modified sine"])
def test_laws_that_are_no_cubics_add_up_to_the_mean(profile: str) -> None:
    """Symmetric laws rise by half of the way times the time: their integral is the mean."""
    rig = driven((0, 0.0), (3, 2.0), profile=profile)
    assert gremio.bake(rig, times=[3.0]).value("Capstan turn z")[0] / TURN == pytest.approx(
        3.0, abs=1e-10
    )


def test_the_same_at_whatever_rate_and_in_whatever_order() -> None:
    rig = driven((0, 0.3), (1.7, 2.0), (5, -1.2))
    times = np.linspace(0, 5, 41)
    one = gremio.bake(rig, times=times).value("Capstan turn z")
    order = np.random.default_rng(1).permutation(41)
    two = gremio.bake(rig, times=times[order]).value("Capstan turn z")
    assert (one[order] == two).all()
    alone = [gremio.bake(rig, times=[t]).value("Capstan turn z")[0] for t in times[::8]]
    assert (one[::8] == alone).all()
    # Whole seconds are frames of 24 and of 25 alike.
    films = [gremio.bake(rig, rate=rate).value("Capstan turn z") for rate in (24, 25)]
    assert (films[0][::24] == films[1][::25]).all()


def test_a_rate_by_a_formula_and_by_a_cam_is_added_up() -> None:
    b = capstan()
    b.control("Lever", 0.0, 1.0, kind="number", unit="")
    rig = gremio.formula(b.rig, "Speed", "Lever * Lever * 1 turn / 1 s")
    rig = gremio.motor(rig, "Speed", "Capstan turn z")
    rig = gremio.routine(rig, "Haul", 4.0)
    rig = gremio.key(rig, 4.0, {"Lever": 1.0}, profile="straight")
    turns = gremio.bake(rig, times=[1.0, 2.0, 4.0]).value("Capstan turn z") / TURN
    # The integral of (t / 4)².
    assert turns == pytest.approx(np.array([1.0, 8.0, 64.0]) / 48, abs=1e-9)


def test_rounds_go_on_and_to_and_fro_goes_on_too() -> None:
    keys = ((0, 0.0), (2, 1.0))
    once = driven(*keys, profile="straight")
    assert gremio.bake(once, times=[4.0]).value("Capstan turn z")[0] / TURN == pytest.approx(3.0)
    rounds = driven(*keys, profile="straight", ends="round")
    assert gremio.bake(rounds, times=[6.0]).value("Capstan turn z")[0] / TURN == pytest.approx(3.0)
    fro = driven(*keys, profile="straight", ends="to and fro")
    assert gremio.bake(fro, times=[4.0, 3.0]).value("Capstan turn z") / TURN == pytest.approx(
        [2.0, 1.75]
    )


def test_it_begins_at_its_phase_and_where_the_routine_does() -> None:
    rig = gremio.motor(capstan().rig, "Speed", "Capstan turn z", phase="90 deg")
    rig = gremio.routine(rig, "Haul", 2.0, start={"Capstan turn z": "10 deg"})
    rig = gremio.key(rig, 0.0, {"Speed": 0.0})
    assert math.degrees(gremio.bake(rig, times=[1.0]).value("Capstan turn z")[0]) == pytest.approx(
        100
    )


def test_without_a_routine_a_hand_turns_it() -> None:
    rig = gremio.motor(capstan().rig, "Speed", "Capstan turn z")
    assert gremio.solve(rig, {"Capstan turn z": 1.0}).value("Drum", "turn z") == pytest.approx(-0.5)


def test_what_does_not_go_together_is_said() -> None:
    b = capstan()
    b.control("Lever", 0.0, 1.0, kind="number", unit="")
    b.part("Hook", joint="slide x")
    with pytest.raises(gremio.GremioError, match="turns in a time"):
        gremio.motor(b.rig, "Lever", "Capstan turn z")
    with pytest.raises(gremio.GremioError, match="a speed"):
        gremio.motor(b.rig, "Speed", "Hook move x")


def test_a_rate_that_is_led_by_its_own_total_is_refused_with_both_named() -> None:
    rig = gremio.motor(capstan().rig, "Speed", "Capstan turn z")
    with pytest.raises(gremio.GremioError):
        gremio.formula(rig, "Speed", "Drum.turn / 1 s")


@pytest.mark.parametrize(("text", "kind", "value"), [
    ("2 turn/s", "rate", 2 * TURN), ("-90 °/s", "rate", -math.pi / 2), ("30 rpm", "rate", math.pi),
    ("1.5 turns/s", "rate", 1.5 * TURN), ("250 mm/s", "speed", 0.25), ("0,4 m/s", "speed", 0.4),
    ("3 Hz", "frequency", 3.0), ("4 rad/s", "rate", 4.0), ("1 + 1/2 m/s", "speed", None),
])  # fmt: skip
def test_rates_are_typed_with_their_units(text: str, kind: str, value: float | None) -> None:
    if value is None:
        with pytest.raises(gremio.GremioError):
            parse("1 turn", kind)  # type: ignore[arg-type]
        return
    assert parse(text, kind) == pytest.approx(value)  # type: ignore[arg-type]


@pytest.mark.parametrize("unit", [name for name, one in UNITS.items()
                                  if one.kind in ("rate", "speed", "frequency")])  # fmt: skip
def test_what_is_shown_is_read_back(unit: str) -> None:
    value = 1.25 * UNITS[unit].size
    shown = show(value, unit, decimals=4)
    assert parse(shown, UNITS[unit].kind) == pytest.approx(value, rel=1e-9)


def test_a_lever_made_another_kind_stops_the_motor_and_it_is_said() -> None:
    rig = gremio.motor(capstan().rig, "Speed", "Capstan turn z")
    # As an edit would find it: the rig was looked at before.
    assert not [one for one in gremio.inspect(rig) if one.note.severity == "error"]
    ((lever, speed),) = rig.controls.items()
    changed = change_control(rig, lever, replace(speed, kind="angle", unit="deg"))
    (told,) = [one.note for one in gremio.inspect(changed) if one.note.severity == "error"]
    assert told.code == "link-wrong" and "Speed" in told.text
    back = change_control(changed, lever, speed)
    assert not [one for one in gremio.inspect(back) if one.note.severity == "error"]


def test_a_motor_with_its_lever_in_one_act_is_removed_with_either() -> None:
    b = gremio.Builder("Winch")
    b.part("Drum", joint="spin z")
    b.part("Sledge", joint="slide x", stops=(0.0, 1.0))
    drum, sledge = (key(part_id(b.rig, name), way)
                    for name, way in (("Drum", "turn z"), ("Sledge", "move x")))  # fmt: skip
    rig, lever = with_motor(b.rig, drum)
    assert show(rig.controls[lever].high, rig.controls[lever].unit) == "2.00 turns/s"
    rig, other = with_motor(rig, sledge)
    assert (rig.controls[other].unit, rig.controls[other].high) == ("m/s", 0.5)
    with pytest.raises(gremio.GremioError, match="has a motor already"):
        with_motor(rig, drum)
    assert len(remove_control(rig, lever).links) == 1
    assert len(remove_part(rig, part_id(rig, "Drum")).links) == 1


def test_a_motor_that_spins_up_goes_after_what_is_asked() -> None:
    """Asked for 2 turns a second at once, at half a turn a second more each second it takes 4 s and
    4 turns to come to it (s = a t²/2, any handbook), and stops as slowly."""
    b = gremio.Builder("Capstan")
    b.part("Capstan", joint="spin z")
    b.control("Speed", "-3 turn/s", "3 turn/s", kind="rate", unit="turn/s")
    rig = gremio.motor(b.rig, "Speed", "Capstan turn z", spin_up="0.5 turn/s")
    rig = gremio.routine(rig, "Haul", "12 s")
    for time, speed in ((0.0, "0 turn/s"), (1.0, "0 turn/s"), (1.0 + 1e-4, "2 turn/s"),
                        (7.0, "2 turn/s"), (7.0 + 1e-4, "0 turn/s")):  # fmt: skip
        rig = gremio.key(rig, time, {"Speed": speed}, profile="straight")
    times = np.array([1.0, 3.0, 5.0, 7.0, 9.0, 11.0, 12.0, 20.0])
    turned = gremio.bake(rig, times=times).value("Capstan turn z") / (2 * math.pi)
    wanted = [0.0, 1.0, 4.0, 8.0, 11.0, 12.0, 12.0, 12.0]
    assert turned == pytest.approx(wanted, abs=2e-4)
    # Where it is not asked to change faster than it can, it runs as is asked.
    slow = gremio.motor(b.rig, "Speed", "Capstan turn z", spin_up="50 turn/s")
    plain = gremio.motor(b.rig, "Speed", "Capstan turn z")
    found = []
    for one in (slow, plain):
        one = gremio.key(one, 0, {"Speed": 0.0})
        one = gremio.key(one, 4, {"Speed": 6.0})
        found.append(gremio.bake(one, times=np.linspace(0, 9, 60)).value("Capstan turn z"))
    assert abs(found[0] - found[1]).max() < 1e-6
    order = np.random.default_rng(0).permutation(len(times))
    again = gremio.bake(rig, times=times[order]).value("Capstan turn z") / (2 * math.pi)
    assert (again == turned[order]).all()
    with pytest.raises(gremio.GremioError, match="0, at once, or more"):
        gremio.motor(b.rig, "Speed", "Capstan turn z", spin_up=-1.0)
