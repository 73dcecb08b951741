"""Rumbles: bound, mean, spectrum, nothing at nothing, and the same everywhere."""

from __future__ import annotations

import json
import subprocess
import sys

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import trapezoid
from scipy.signal import periodogram

import gremio
from gremio.core.edit.controls import set_kind
from gremio.core.edit.formulas import shown
from gremio.core.make.copying import copy_part, leads_outside
from gremio.core.make.motors import with_motor
from gremio.core.make.rumbles import with_rumble
from gremio.core.mechanics.rumble import shake
from gremio.core.rig.channels import key
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.model import Formula, Rig, Rumble
from gremio.core.solve.backward import Hand, Held, move
from gremio.core.solve.pulling import pull

KEPT = [0.43710652322031546, 0.24237935887659476, 0.2403703484257221, 0.007065273987258841]


def pump_house(**how: object) -> Rig:
    b = gremio.Builder("Pump house")
    b.part("Engine", joint="free")
    b.part("Flywheel", on="Engine", joint="spin z")
    b.control("Amount", 0.0, 1.0, kind="number", unit="%")
    shares = {"Engine move z": "4 mm", "Engine turn x": "0.5 deg"}
    return gremio.rumble(b.rig, "Amount", shares, **how)  # type: ignore[arg-type]


@settings(max_examples=40, deadline=None)
@given(st.floats(0.1, 100), st.integers(0, 2**40), st.floats(0, 1))
def test_it_never_goes_beyond_its_bound_and_its_mean_is_nothing(
    speed: float, seed: int, smoothness: float
) -> None:
    times = np.linspace(0, 400 / speed, 40_001)
    shaken = shake(times, speed, seed, smoothness)
    assert np.abs(shaken).max() <= 1.0
    # The mean of a sine over T is at most 2 / (ω T): here ω T is 2 π · 0.75 · 400 at least.
    assert abs(trapezoid(shaken, times)) / times[-1] < 2e-3


@pytest.mark.parametrize(("smoothness", "highest"), [(1.0, 1.25), (0.0, 10.0)])
def test_its_spectrum_lies_in_its_octaves(smoothness: float, highest: float) -> None:
    """By scipy.signal.periodogram: nothing below 3/4 of the speed, nor above the last octave."""
    rate, speed = 1000.0, 8.0
    shaken = shake(np.arange(0, 64, 1 / rate), speed, 3, smoothness)
    hertz, power = periodogram(shaken, rate, window="hann")
    inside = (hertz > 0.74 * speed) & (hertz < (highest + 0.02) * speed)
    assert power[inside].sum() > 0.999 * power.sum()


def test_at_nothing_it_stands_exactly_and_at_more_it_is_in_proportion() -> None:
    rig = gremio.routine(pump_house(), "Start", 4.0)
    rig = gremio.key(rig, 0.0, {"Amount": 0.0}, profile="straight")
    still = gremio.bake(rig)
    assert (still.value("Engine move z") == 0.0).all()
    half = gremio.bake(gremio.key(rig, 0.0, {"Amount": 0.5}))
    whole = gremio.bake(gremio.key(rig, 0.0, {"Amount": 1.0}))
    assert np.ptp(whole.value("Engine move z")) > 0.001
    assert np.abs(whole.value("Engine move z")).max() <= 0.004
    assert whole.value("Engine move z") == pytest.approx(2 * half.value("Engine move z"), abs=1e-15)
    times = whole.times
    assert whole.value("Engine move z") == pytest.approx(0.004 * shake(times, 8.0, 1, 0.5))
    assert whole.value("Engine turn x") == pytest.approx(np.radians(0.5) * shake(times, 8, 2, 0.5))


def test_any_order_of_times_gives_the_same() -> None:
    rig = gremio.routine(pump_house(seed=9, speed="12 Hz"), "Start", 4.0)
    rig = gremio.key(rig, 0.0, {"Amount": 1.0})
    times = np.linspace(0, 4, 33)
    order = np.random.default_rng(4).permutation(33)
    one = gremio.bake(rig, times=times).world("Flywheel")
    two = gremio.bake(rig, times=times[order]).world("Flywheel")
    assert (one[order] == two).all()


def test_another_process_says_the_same() -> None:
    code = (
        "import json; import numpy as np; from gremio.core.mechanics.rumble import shake;"
        "print(json.dumps(shake(np.linspace(0, 9, 50), 7.5, 42, 0.3).tolist()))"
    )
    said = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert json.loads(said.stdout) == shake(np.linspace(0, 9, 50), 7.5, 42, 0.3).tolist()


def test_the_waves_are_those_of_this_seed_on_every_machine() -> None:
    """Values written down once, so that another version of a library would be told."""
    found = shake(np.array([0.0, 0.5, 1.0, 10.0]), 8.0, 1, 0.5)
    assert found == pytest.approx(KEPT, abs=1e-12)


def test_it_can_be_led_and_a_hand_takes_the_middle_along() -> None:
    b = gremio.Builder("Cart")
    b.part("Cart", joint="slide x")
    b.part("Box", on="Cart", joint="slide z")
    b.control("Travel", 0.0, 10.0, kind="length", unit="m")
    b.control("Amount", 0.0, 1.0, kind="number", unit="%")
    b.ratio("Travel", "Cart move x", 1.0)
    rig = gremio.rumble(b.rig, "Amount", {"Box move z": 0.02})
    rig = gremio.formula(rig, "Amount", "min(100, 100 * Travel / 1 m)")
    rig = gremio.routine(rig, "Roll", 4.0)
    rig = gremio.key(rig, 4.0, {"Travel": 4.0}, profile="straight")
    rig = gremio.key(rig, 0.0, {"Box move z": 1.0})
    baked = gremio.bake(rig, times=[0.0, 2.0, 2.013])
    assert baked.value("Box move z")[0] == 1.0
    assert baked.value("Box move z")[1:] == pytest.approx(
        1.0 + 0.02 * shake(np.array([2.0, 2.013]), 8.0, 1, 0.5)
    )


@pytest.mark.parametrize(("how", "told"), [
    ({"speed": 0.0}, "Hz"), ({"speed": "-2 Hz"}, "Hz"), ({"smoothness": 1.5}, "smoothness"),
    ({"seed": -1}, "seed"), ({"speed": float("nan")}, "Hz"),
])  # fmt: skip
def test_what_no_shaking_can_have_is_said(how: dict[str, object], told: str) -> None:
    with pytest.raises(gremio.GremioError, match=told):
        pump_house(**how)


def test_one_act_shakes_all_that_a_joint_leaves_free() -> None:
    b = gremio.Builder("House")
    b.part("Engine", joint="free")
    b.part("Wall")
    rig, amount = with_rumble(b.rig, part_id(b.rig, "Engine"))
    assert rig.controls[amount].name == "Engine rumble" and rig.controls[amount].home == 0.0
    links = [link for link in rig.links.values() if isinstance(link, Rumble)]
    assert len(links) == 6 and len({link.seed for link in links}) == 6
    assert not [one for one in gremio.inspect(rig) if one.note.severity == "error"]
    with pytest.raises(gremio.GremioError, match="joint first"):
        with_rumble(rig, part_id(rig, "Wall"))
    gone = gremio.solve(rig, {"Engine rumble": 1.0, "clock": 0.37})
    assert abs(gone.value("Engine", "move x")) > 0.0


def test_a_hand_pulls_what_shakes_or_is_driven_and_not_what_leads_it() -> None:
    b = gremio.Builder("Winch")
    b.part("Sledge", joint="slide x", stops=(0.0, 1.0))
    b.part("Drum", at=(0, 2, 0), joint="spin z")
    b.control("Turn", -10.0, 10.0, kind="angle", unit="deg")
    b.part("Wheel", at=(0, 4, 0), joint="spin z")
    b.ratio("Turn", "Wheel turn z", 2.0)
    rig, _ = with_rumble(b.rig, part_id(b.rig, "Sledge"))
    rig, _ = with_rumble(rig, part_id(rig, "Wheel"))
    rig, _ = with_motor(rig, key(part_id(rig, "Drum"), "turn z"))
    pose = gremio.solve(rig, {"Sledge rumble": 0.5, "clock": 0.3})
    sledge, drum, wheel = (part_id(rig, name) for name in ("Sledge", "Drum", "Wheel"))
    hand = pull(pose.program, pose, sledge, (0.0, 0.0, 0.0), (0.4, 0.0, 0.0))
    assert isinstance(hand, Hand) and hand.channel == key(sledge, "move x")
    hand = pull(pose.program, pose, drum, (0.5, 0.0, 0.0), (0.4, 2.3, 0.0))
    assert isinstance(hand, Hand) and hand.channel == key(drum, "turn z")
    assert hand.value == pytest.approx(np.arctan2(0.3, 0.4))
    # What a control turns too is turned by that.
    hand = pull(pose.program, pose, wheel, (0.5, 0.0, 0.0), (0.49, 4.1, 0.0))
    assert isinstance(hand, Hand) and hand.channel == key(control_id(rig, "Turn"))


def test_a_formula_of_the_clock_goes_with_it_and_no_hand_moves_it() -> None:
    b = gremio.Builder("Lamp")
    b.part("Lamp", joint="hinge z")
    rig = gremio.formula(b.rig, "Lamp turn z", "20 deg * sin(clock * 1 turn / 4 s)")
    (link,) = rig.links.values()
    assert isinstance(link, Formula)
    assert shown(rig, link) == "20 deg * sin(clock * 1 turn / 4 s)"
    assert gremio.solve(rig, {"clock": 1.0}).value("Lamp", "turn z") == pytest.approx(
        np.radians(20)
    )
    rig = gremio.routine(rig, "Swing", 4.0)
    swing = gremio.bake(rig, times=[0.0, 1.0, 2.0, 3.0]).value("Lamp turn z")
    assert np.degrees(swing) == pytest.approx([0, 20, 0, -20])
    pose = gremio.solve(rig)
    lamp = part_id(rig, "Lamp")
    held = move(pose.program, pose, key(lamp, "turn z"), 0.1)
    assert isinstance(held, Held) and "follows the clock" in held.text
    held = pull(pose.program, pose, lamp, (1.0, 0.0, 0.0), (0.9, 0.3, 0.0))
    assert isinstance(held, Held) and "follows the clock" in held.text


def test_a_part_of_ones_own_called_clock_is_meant_before_the_time() -> None:
    b = gremio.Builder("Tower")
    b.part("Hand", joint="hinge z")
    b.control("clock", 0.0, 12.0, kind="number", unit="")
    rig = gremio.formula(b.rig, "Hand turn z", "clock * 30 deg")
    assert gremio.solve(rig, {"clock": 3.0}).value("Hand", "turn z") == pytest.approx(np.pi / 2)


def test_a_copy_shakes_by_an_amount_of_its_own_and_nothing_is_asked() -> None:
    b = gremio.Builder("Houses")
    b.part("House", joint="slide z")
    house = part_id(b.rig, "House")
    rig, _ = with_rumble(b.rig, house)
    assert leads_outside(rig, house) == []
    rig, _ = copy_part(rig, house)
    pose = gremio.solve(rig, {"House rumble 2": 1.0, "clock": 0.3})
    assert pose.value("House", "move z") == 0.0
    assert pose.value("House 2", "move z") != 0.0


def test_an_amount_counted_otherwise_shakes_as_far() -> None:
    rig = gremio.routine(pump_house(), "Start", 1.0)
    rig = gremio.key(rig, 0.0, {"Amount": 0.5})
    before = gremio.bake(rig).value("Engine move z")
    ((amount, _),) = rig.controls.items()
    after = gremio.bake(set_kind(rig, amount, "length")).value("Engine move z")
    assert after == pytest.approx(before, abs=1e-15)
