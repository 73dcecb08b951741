"""A routine followed bit by bit, stopped anywhere, and asked from two threads: the same poses."""

from __future__ import annotations

import itertools
import threading
import time

import numpy as np
import pytest
from tests.core.motion.test_hand_offs import handed
from tests.core.solve.test_patience import never_repeats

import gremio
from gremio.core.arrays import Array
from gremio.core.edit.parts import add_part
from gremio.core.motion.routines import Run
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Joint, Part, Rig
from gremio.core.script.posing import surfaces_of
from gremio.core.solve import loop_steps
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.patience import asking


def rolling(length: float = 30.0) -> Rig:
    """A wagon that is keyed to and fro, its wheel, and a drum on a motor."""
    b = gremio.Builder("Roll")
    b.part("Wagon", joint="slide x", at=(0, 0, 0.5))
    b.part("Wheel", joint="spin y", on="Wagon")
    b.part("Drum", joint="spin z", at=(0, 3, 0))
    b.control("Speed", -10.0, 10.0, kind="rate", unit="rad/s")
    rig = gremio.motor(
        gremio.roll(b.rig, "Wheel turn y", 0.5), "Speed", "Drum turn z", spin_up="2 rad/s"
    )
    rig = gremio.routine(rig, "To and fro", length)
    for at, where in ((0.0, 0.0), (length / 3, 7.0), (length, -4.0)):
        rig = gremio.key(rig, at, {"Wagon move x": where, "Speed": where})
    return rig


def with_wheel(rig: Rig, on: str) -> Rig:
    """A wheel more, that rolls by how a part carries it."""
    wheel = Part("Wheel", parent=part_id(rig, on), joint=Joint("spin", "y"))
    return gremio.roll(add_part(rig, wheel)[0], "Wheel turn y", 0.3)


def carried_on() -> Rig:
    """A lamp handed from one carrier to the next, and a wheel on one of them."""
    return with_wheel(handed(3), "Trolley")


def swinging() -> Rig:
    """A wheel on what a linkage with a long way swings to and fro."""
    rig = gremio.routine(with_wheel(never_repeats(100.0), "Rod"), "Swing", 2.0)
    rig = gremio.key(rig, 0.0, {"Turn": 0.0})
    return gremio.key(rig, 2.0, {"Turn": 3.0})


def run_of(rig: Rig) -> Run:
    (entry,) = rig.routines.values()
    return Run(compile_rig(rig, surfaces_of(rig)), entry)


def follow(run: Run) -> None:
    while run.go_on():
        pass


RIGS = [rolling(), carried_on(), swinging()]
NAMES = ["rolling", "carried on", "swinging"]


def times_of(run: Run) -> Array:
    return np.linspace(0.0, run.routine.length, 61)


@pytest.mark.parametrize("rig", RIGS, ids=NAMES)
def test_followed_bit_by_bit_it_is_the_same_to_the_bit(rig: Rig) -> None:
    run, whole = run_of(rig), run_of(rig)
    times = times_of(run)
    expected = whole.at(times).worlds
    reached = [run.reached()]
    assert not run.ready(run.routine.length)
    while run.go_on():
        reached.append(run.reached())
        here = [t for t in times if run.ready(t)]
        if here:
            assert (run.at(here[-1:]).worlds == expected[len(here) - 1]).all()
    assert len(reached) > 1 and reached == sorted(reached)
    assert run.reached() == run.routine.length
    assert all(run.ready(t) for t in times) and not run.go_on()
    assert (run.at(times).worlds == expected).all()


@pytest.mark.parametrize("rig", RIGS, ids=NAMES)
def test_nothing_of_what_was_stopped_is_kept(rig: Rig, monkeypatch: pytest.MonkeyPatch) -> None:
    """Stopped at any question that is asked on the way, a loop left half-way among them, it goes on
    later to the same poses."""
    monkeypatch.setattr(loop_steps, "_AT_ONCE", 4)
    times = times_of(run_of(rig))
    expected = run_of(rig).at(times).worlds
    asked = itertools.count()

    def counted() -> bool:
        next(asked)
        return True

    with asking(counted):
        follow(run_of(rig))
    questions = next(asked)
    assert questions >= 3
    for stop in range(min(questions, 30)):
        run, left = run_of(rig), itertools.count()
        with (
            asking(lambda left=left, stop=stop: next(left) < stop),  # type: ignore[misc]
            pytest.raises(gremio.GremioError, match="was stopped"),
        ):
            follow(run)
        assert (run.at(times).worlds == expected).all(), stop


def test_it_is_asked_from_another_thread_while_it_is_followed() -> None:
    rig = rolling(60.0)
    run = run_of(rig)
    expected = run_of(rig).at(times_of(run)).worlds

    beside = threading.Thread(target=follow, args=(run,))
    beside.start()
    answers = {}
    while len(answers) < 61:
        time.sleep(0.001)
        for number, at in enumerate(times_of(run)):
            if number not in answers and run.ready(at):
                answers[number] = run.at([at]).worlds[0]
    beside.join()
    assert all((answers[number] == expected[number]).all() for number in range(61))


def test_whoever_is_being_answered_is_not_answered_again_in_between() -> None:
    """While a strip waits for it the window goes on, and asks for what it shows."""
    run, seen = run_of(rolling()), list[bool]()

    def asks() -> bool:
        seen.append(run.ready(0.0))
        return True

    run.go_on()
    run.go_on()
    assert run.ready(0.0)
    with asking(asks):
        run.at([30.0])
    assert seen and not any(seen)
    assert run.ready(30.0)
