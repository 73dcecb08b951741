"""A program taken over from an older one is the same, bit for bit, as one compiled whole.

Random rigs are edited and undone at random; after every step both ways are compared in channels,
order, arrays, notes, and poses at random inputs. No outside source: the two ways are each other's.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from tests.core.solve.alike import differences

from gremio.core.edit.cams import change_station
from gremio.core.edit.closures import add_closure, remove_closure
from gremio.core.edit.constraints import add_constraint, remove_constraint
from gremio.core.edit.controls import add_control, change_control, remove_control
from gremio.core.edit.links import add_link, change_link, remove_link
from gremio.core.edit.measures import add_measure
from gremio.core.edit.parts import (
    add_part,
    change_part,
    remove_part,
    rename_part,
    set_joint,
    set_parent,
    set_repeat,
    set_stops,
)
from gremio.core.frames import IDENTITY, Frame
from gremio.core.problem import GremioError
from gremio.core.rig.channels import JOINT_KINDS, axes_of, free_of, freed, key
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.model import (
    Aim,
    Anchor,
    Cam,
    Closure,
    Control,
    Follower,
    Formula,
    Joint,
    Match,
    Measure,
    Part,
    Pin,
    Planetary,
    Ratio,
    Repeat,
    Rig,
    Shape,
    Station,
    Stops,
    Target,
)
from gremio.core.rig.numbers import numbers_of
from gremio.core.rig.solids import Box, Cylinder
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig, compile_whole
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.program import Program
from gremio.demo.saltmarsh import saltmarsh_lock

Rng = np.random.Generator
Edit = Callable[[Rig, Rng], Rig]


def _number(rng: Rng) -> float:
    return float(np.round(rng.uniform(-1.5, 1.5), 3))


def _part(rig: Rig, rng: Rng) -> PartId:
    if not rig.parts:
        raise GremioError("No part is there.")
    return list(rig.parts)[rng.integers(len(rig.parts))]


def _frame(rng: Rng) -> Frame:
    turn = rng.normal(size=4)
    turn /= np.linalg.norm(turn)
    return Frame((_number(rng), _number(rng), _number(rng)), tuple(map(float, turn)))


def _joint(rng: Rng) -> Joint:
    kind = JOINT_KINDS[rng.integers(len(JOINT_KINDS))]
    axes = axes_of(kind) or ("z",)
    return Joint(kind, axes[rng.integers(len(axes))], lead=0.01 if kind == "screw" else 0.0)


def _channel(rig: Rig, rng: Rng, *, led: bool = False) -> ChannelKey:
    """A joint's channel, a control, or, now and then, any number of a thing."""
    if not led and rig.controls and rng.random() < 0.5:
        return key(list(rig.controls)[rng.integers(len(rig.controls))])
    for _ in range(8):
        part = _part(rig, rng)
        every = numbers_of(rig, part) if rng.random() < 0.15 else []
        found = every or [key(part, c) for c in free_of(rig.parts[part])]
        if found:
            return found[rng.integers(len(found))]
    raise GremioError("Nothing here moves.")


def _new_part(rig: Rig, rng: Rng) -> Rig:
    parent = _part(rig, rng) if rig.parts and rng.random() < 0.6 else None
    solid = (
        Box(length=0.2, width=0.1, height=0.1)
        if rng.random() < 0.5
        else Cylinder(diameter=0.2, height=0.3)
    )
    own = _frame(rng) if rng.random() < 0.2 else IDENTITY
    part = Part(
        f"Part {rig.made}", parent, _frame(rng), _joint(rng), shapes=(Shape(solid),), own=own
    )
    return add_part(rig, part)[0]


def _ratio(rig: Rig, rng: Rng) -> Rig:
    ends = _channel(rig, rng), _channel(rig, rng, led=True)
    carrier = _channel(rig, rng, led=True) if rng.random() < 0.1 else ChannelKey("")
    return add_link(rig, Ratio(*ends, _number(rng), adds=rng.random() < 0.15, carrier=carrier))[0]


def _planetary(rig: Rig, rng: Rng) -> Rig:
    return add_link(rig, Planetary(*(_channel(rig, rng, led=True) for _ in range(3)), 2.5))[0]


def _cam(rig: Rig, rng: Rng) -> Rig:
    led = {_channel(rig, rng, led=True) for _ in range(rng.integers(1, 4))}
    count = int(rng.integers(2, 6))
    stations = tuple(
        Station(float(i), {c: _number(rng) for c in sorted(led)}) for i in range(count)
    )
    followers = tuple(Follower(c, "3-4-5" if rng.random() < 0.3 else "smooth") for c in sorted(led))
    link = Cam(_channel(rig, rng), followers, stations, adds=rng.random() < 0.2)
    return add_link(rig, link)[0]


def _formula(rig: Rig, rng: Rng) -> Rig:
    follower, lead = _channel(rig, rng, led=True), _channel(rig, rng)
    text = f"{{{lead}}} * {abs(_number(rng)) + 0.1:.2f}"
    if rng.random() < 0.2:
        text = f"sin(distance({{{_part(rig, rng)}}}, {{{_part(rig, rng)}}}) / 1 m) * 1 rad"
    elif rig.measures and rng.random() < 0.3:
        text = f"{{{list(rig.measures)[rng.integers(len(rig.measures))]}}} * 0.5"
    return add_link(rig, Formula(follower, text, adds=rng.random() < 0.1))[0]


def _closure(rig: Rig, rng: Rng) -> Rig:
    two = _part(rig, rng) if rng.random() < 0.7 else None
    return add_closure(rig, Closure(_part(rig, rng), two, at_one=(0.1, 0.0, 0.0)))[0]


def _constraint(rig: Rig, rng: Rng) -> Rig:
    part, name = _part(rig, rng), f"Tie {rig.made}"
    free = freed(rig.parts[part].joint)
    to = (Target(_part(rig, rng) if rng.random() < 0.8 else None, at=(0.1, 0.2, 0.3)),)
    kind = (Pin, Match, Aim)[rng.integers(3)]
    return add_constraint(rig, kind(name, part, free, targets=to))[0]


def _measure(rig: Rig, rng: Rng) -> Rig:
    ends = tuple(Anchor(_part(rig, rng), (_number(rng), 0.0, 0.1)) for _ in range(2))
    return add_measure(rig, Measure(f"Measure {rig.made}", "distance", ends))[0]


def _control(rig: Rig, rng: Rng) -> Rig:
    kind = "angle" if rng.random() < 0.5 else "length"
    unit = "deg" if kind == "angle" else "m"
    return add_control(rig, Control(f"Control {rig.made}", kind, unit, -2.0, 2.0, _number(rng)))[0]


def _some(things: dict, rng: Rng) -> object:  # type: ignore[type-arg]
    if not things:
        raise GremioError("None is there.")
    return list(things)[rng.integers(len(things))]


def _station(rig: Rig, rng: Rng) -> Rig:
    cams = {i: link for i, link in rig.links.items() if isinstance(link, Cam)}
    link = _some(cams, rng)
    at = int(rng.integers(len(cams[link].stations)))
    before = cams[link].stations[at]
    values = {c: v + 0.1 for c, v in before.values.items()}
    return change_station(rig, link, at, replace(before, values=values))


def _other_ratio(rig: Rig, rng: Rng) -> Rig:
    link = _some({i: k for i, k in rig.links.items() if isinstance(k, Ratio)}, rng)
    return change_link(rig, link, replace(rig.links[link], ratio=_number(rng)))


def _switch(rig: Rig, rng: Rng) -> Rig:
    one = _some(rig.constraints, rng)
    changed = replace(rig.constraints[one], off=not rig.constraints[one].off)
    return replace(rig, constraints={**rig.constraints, one: changed})


def _range(rig: Rig, rng: Rng) -> Rig:
    one = _some(rig.controls, rng)
    return change_control(rig, one, replace(rig.controls[one], high=3.0 + _number(rng)))


def _stops(rig: Rig, rng: Rng) -> Rig:
    part = _part(rig, rng)
    free = freed(rig.parts[part].joint)
    if not free:
        return rig
    high = None if rng.random() < 0.3 else 1.0
    stops = Stops(-abs(_number(rng)), high, 0.05 if rng.random() < 0.3 else 0.0)
    return set_stops(rig, part, free[rng.integers(len(free))], stops)


def _solid(rig: Rig, rng: Rng) -> Rig:
    part = _part(rig, rng)
    shapes = (Shape(Box(length=0.3 + abs(_number(rng)), width=0.1, height=0.1)),)
    return change_part(rig, part, replace(rig.parts[part], shapes=shapes))


def _repeated(rig: Rig, rng: Rng) -> Rig:
    repeat = Repeat("line", "x", 3, 0.1) if rng.random() < 0.7 else None
    return set_repeat(rig, _part(rig, rng), repeat)


def _mount(rig: Rig, rng: Rng) -> Rig:
    part = _part(rig, rng)
    own = _frame(rng) if rng.random() < 0.2 else rig.parts[part].own
    return change_part(rig, part, replace(rig.parts[part], mount=_frame(rng), own=own))


def _carried(rig: Rig, rng: Rng) -> Rig:
    parent = _part(rig, rng) if rng.random() < 0.7 else None
    return set_parent(rig, _part(rig, rng), parent, _frame(rng))


EDITS: tuple[Edit, ...] = (
    _new_part, _new_part, _new_part, _control, _ratio, _ratio, _cam, _cam, _formula, _planetary,
    _closure, _constraint, _measure, _station, _other_ratio, _switch, _range, _stops, _solid,
    _repeated, _mount, _mount, _carried,
    lambda rig, rng: rename_part(rig, _part(rig, rng), f"Name {rng.integers(10**6)}"),
    lambda rig, rng: set_joint(rig, _part(rig, rng), _joint(rng)),
    lambda rig, rng: remove_part(rig, _part(rig, rng)),
    lambda rig, rng: remove_link(rig, _some(rig.links, rng)),
    lambda rig, rng: remove_control(rig, _some(rig.controls, rng)),
    lambda rig, rng: remove_closure(rig, _some(rig.closures, rng)),
    lambda rig, rng: remove_constraint(rig, _some(rig.constraints, rng)),
)  # fmt: skip


def begin(rng: Rng) -> Rig:
    """A few parts and controls."""
    rig = Rig()
    for _ in range(int(rng.integers(4, 9))):
        rig = _new_part(rig, rng)
    for _ in range(3):
        rig = _control(rig, rng)
    return rig


def same(program: Program, rng: Rng) -> None:
    """Whether a program is as if it had been compiled whole, and poses alike."""
    whole = compile_whole(program.rig, geometry_of)
    assert list(differences(program, whole)) == []
    assert [i.levels for i in program.islands] == [i.levels for i in whole.islands]
    inputs = {c: _number(rng) for c, free in zip(program.channel_keys, program.inputs, strict=True)
              if free}  # fmt: skip
    one, two = evaluate(program, inputs), evaluate(whole, inputs)
    for a, b in ((one.channels, two.channels), (one.worlds, two.worlds), (one.asked, two.asked)):
        assert a.tobytes() == b.tobytes()
    assert one.frame(0).notes == two.frame(0).notes


@settings(max_examples=40, deadline=None)
@given(seed=st.integers(0, 2**32 - 1))
def test_taken_over_is_compiled_whole(seed: int) -> None:
    rng = np.random.default_rng(seed)
    rig = begin(rng)
    program, done = compile_rig(rig, geometry_of), [rig]
    for _ in range(14):
        if len(done) > 2 and rng.random() < 0.2:
            # Undone, and edited again from there.
            rig = done[rng.integers(len(done))]
        else:
            try:
                rig = EDITS[rng.integers(len(EDITS))](rig, rng)
            except GremioError:
                continue
        program = compile_rig(rig, geometry_of, program)
        same(program, rng)
        done.append(rig)


def test_taken_over_on_the_demo_with_everything_that_it_has() -> None:
    edited_at_random(saltmarsh_lock(), 3, steps=12)


def edited_at_random(rig: Rig, seed: int, *, steps: int) -> None:
    """Edit and undo a rig at random, and compare after every step."""
    rng = np.random.default_rng(seed)
    program, done, taken = compile_rig(rig, geometry_of), [rig], 0
    while len(done) <= steps:
        if len(done) > 2 and rng.random() < 0.15:
            rig = done[rng.integers(len(done))]
        else:
            try:
                changed = EDITS[rng.integers(len(EDITS))](rig, rng)
            except GremioError:
                continue
            # What is wrong in a rig has it compiled whole; one such step in five is enough.
            if compile_whole(changed, geometry_of).faults and rng.random() < 0.8:
                continue
            rig = changed
        program = compile_rig(rig, geometry_of, program)
        taken += not program.faults
        same(program, rng)
        done.append(rig)
    assert taken > steps // 2


@pytest.mark.parametrize("edit", [_mount, _stops, _station, _other_ratio, _ratio, _cam])
def test_the_usual_edits_are_taken_over_and_not_compiled_whole(
    edit: Edit, monkeypatch: pytest.MonkeyPatch
) -> None:
    rng = np.random.default_rng(5)
    made = Rig()
    for i in range(6):
        made, _ = add_part(made, Part(f"Part {i}", joint=Joint("hinge", "z")))
    made, crank = add_control(made, Control("Crank", "angle", "deg", -3.0, 3.0))
    parts = list(made.parts)
    made, _ = add_link(made, Ratio(key(crank), key(parts[0], "turn z"), 0.5))
    led = key(parts[1], "turn z")
    stations = (Station(0.0, {led: 0.0}), Station(1.0, {led: 1.0}))
    made, _ = add_link(made, Cam(key(crank), (Follower(led),), stations))
    program = compile_rig(made, geometry_of)

    def never(*_about: object) -> Program:
        raise AssertionError("compiled whole")

    for _ in range(20):
        try:
            changed = edit(made, rng)
        except GremioError:
            continue
        if compile_whole(changed, geometry_of).faults:
            continue
        with monkeypatch.context() as patch:
            patch.setattr("gremio.core.solve.compiling._made", never)
            same_as = compile_rig(changed, geometry_of, program)
        same(same_as, rng)
        return
    raise AssertionError("no edit was made")
