"""Dragging what is led: the input that brings it where the hand is, or why there is none."""

from __future__ import annotations

import math

import pytest

import gremio
from gremio.core.edit.controls import set_values
from gremio.core.edit.links import add_link
from gremio.core.rig.cams import cam_through
from gremio.core.rig.find import channel_key, control_id
from gremio.core.rig.model import Cam, Follower, Ratio, Rig, Station
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.backward import Hand, Held, led_parts, move
from gremio.core.solve.compiling import compile_rig


def pull(rig: Rig, name: str, wanted: float) -> Hand | Held:
    return move(compile_rig(rig, geometry_of), gremio.solve(rig), channel_key(rig, name), wanted)


def pulled(rig: Rig, name: str, wanted: float) -> gremio.Pose:
    """The pose after the hand has moved."""
    answer = pull(rig, name, wanted)
    assert isinstance(answer, Hand)
    return gremio.solve(set_values(rig, {answer.channel: answer.value}))


@pytest.fixture
def crane() -> Rig:
    """A jib and a winch with a control each, a hook and a flag not yet led."""
    build = gremio.Builder("Crane")
    build.part("Jib", joint="hinge y")
    build.part("Winch", joint="spin x")
    build.part("Hook", joint="slide z", stops=("-2 m", "2 m"))
    build.part("Flag", joint="spin z")
    build.control("Raise", "0 deg", "90 deg")
    build.control("Wind", "0 turn", "4 turn", unit="turn")
    build.ratio("Raise", "Jib", 1)
    build.ratio("Wind", "Winch", 1)
    return build.rig


def test_a_formula_is_turned_back_by_the_lead_that_changes_it(crane: Rig) -> None:
    rig = gremio.formula(crane, "Hook", "sin(Jib.turn) * 1.5 m")
    pose = pulled(rig, "Hook", 0.75)
    assert pose.value("Raise") == pytest.approx(math.radians(30), abs=1e-9)
    assert pose.value("Hook") == pytest.approx(0.75, abs=1e-9)


def test_a_formula_wanted_beyond_its_reach_comes_as_near_as_it_can(crane: Rig) -> None:
    rig = gremio.formula(crane, "Hook", "Jib.turn / 1 turn * 2 m")
    assert pulled(rig, "Hook", 1.5).value("Hook") == pytest.approx(0.5)


def test_a_formula_that_no_lead_changes_says_so(crane: Rig) -> None:
    rig = gremio.formula(crane, "Hook", "0 * Jib.turn / 1 turn * 1 m + 0.25 m")
    answer = pull(rig, "Hook", 1.0)
    assert isinstance(answer, Held) and "the formula for Hook" in answer.text


def test_a_ratio_of_zero_never_moves(crane: Rig) -> None:
    rig, _ = add_link(crane, Ratio(channel_key(crane, "Raise"), channel_key(crane, "Flag"), 0.0))
    answer = pull(rig, "Flag", 1.0)
    assert isinstance(answer, Held) and "so it never moves" in answer.text


def test_a_hand_that_pulls_past_a_cam_ends_at_its_highest_station(crane: Rig) -> None:
    ends = [(0.0, 0.0), (1.0, 0.5), (math.pi / 2, 0.2)]
    cam = cam_through(channel_key(crane, "Raise"), channel_key(crane, "Hook"), ends)
    rig, _ = add_link(crane, cam)
    assert pulled(rig, "Hook", 5.0).value("Raise") == pytest.approx(1.0)


def test_a_cam_that_repeats_is_turned_in_the_round_it_is_in(crane: Rig) -> None:
    wind, hook = channel_key(crane, "Wind"), channel_key(crane, "Hook")
    turn = 2 * math.pi
    points = ((0.0, 0.0), (turn / 2, 0.4), (turn, 0.0))
    stations = tuple(Station(x, {hook: y}) for x, y in points)
    cam = Cam(wind, (Follower(hook, "cycloidal"),), stations, before="repeat", after="repeat")
    rig, _ = add_link(crane, cam)
    rig = set_values(rig, {control_id(rig, "Wind"): 2.4 * turn})
    pose = pulled(rig, "Hook", 0.1)
    assert pose.value("Hook") == pytest.approx(0.1)
    assert 2.0 * turn < pose.value("Wind") < 2.5 * turn


def test_what_is_added_stays_when_the_rest_is_pulled(crane: Rig) -> None:
    raise_key, wind, flag = (channel_key(crane, n) for n in ("Raise", "Wind", "Flag"))
    rig, _ = add_link(crane, Ratio(raise_key, flag, 2.0))
    rig, _ = add_link(rig, Ratio(wind, flag, 0.1, adds=True))
    rig = set_values(rig, {control_id(rig, "Wind"): 5.0})
    pose = pulled(rig, "Flag", 1.5)
    assert pose.value("Flag") == pytest.approx(1.5)
    assert pose.value("Raise") == pytest.approx(0.5) and pose.value("Wind") == 5.0


def test_a_channel_that_is_only_added_to_is_moved_itself(crane: Rig) -> None:
    wind, flag = channel_key(crane, "Wind"), channel_key(crane, "Flag")
    rig, _ = add_link(crane, Ratio(wind, flag, 0.5, adds=True))
    rig = set_values(rig, {control_id(rig, "Wind"): 2.0})
    pose = pulled(rig, "Flag", 3.0)
    assert pose.value("Flag") == pytest.approx(3.0) and pose.value("Wind") == 2.0


def test_a_wheel_that_rolls_is_moved_by_what_carries_it() -> None:
    build = gremio.Builder("Cart")
    build.part("Bed", joint="slide x")
    build.part("Wheel", on="Bed", joint="spin y")
    answer = pull(gremio.roll(build.rig, "Wheel", 0.2), "Wheel", 1.0)
    assert isinstance(answer, Held) and "Move what carries it" in answer.text


def test_a_locked_train_says_so() -> None:
    build = gremio.Builder("Locked")
    for name in "ABC":
        build.part(name, joint="spin z")
    for one, two, ratio in (("A", "B", -1.0), ("B", "C", -1.0), ("C", "A", -1.0)):
        build.ratio(one, two, ratio)
    answer = pull(build.rig, "A", 1.0)
    assert isinstance(answer, Held) and "locked" in answer.text


def test_a_grounded_channel_says_so(crane: Rig) -> None:
    jib = channel_key(crane, "Jib").split()[0]
    answer = move(compile_rig(crane, geometry_of), gremio.solve(crane), f"{jib} move x", 1.0)
    assert answer == Held("move x of Jib is grounded.")


def test_the_parts_a_lead_reaches_run_through_what_it_leads(crane: Rig) -> None:
    rig = gremio.formula(crane, "Hook", "Jib.turn / 1 turn * 1 m")
    program = compile_rig(rig, geometry_of)
    reached = {rig.parts[p].name for p in led_parts(program, control_id(rig, "Raise"))}
    assert reached == {"Jib", "Hook"}
