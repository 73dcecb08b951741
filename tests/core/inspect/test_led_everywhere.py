"""Any number of anything can be led, and is then seen wherever links are seen."""

from __future__ import annotations

import math

import numpy as np
import pytest

import gremio
from gremio.core.edit.controls import add_control, proposed_control
from gremio.core.edit.links import add_link
from gremio.core.edit.parts import set_repeat
from gremio.core.inspect.drive_map import drive_map
from gremio.core.inspect.findings import inspect
from gremio.core.inspect.ledger import cell, ledger_rows
from gremio.core.inspect.reach import reach_of
from gremio.core.problem import GremioError
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Ratio, Repeat, Rig
from gremio.core.rig.numbers import OWNERS, full_label, home_value, number, numbers_of
from gremio.core.rig.solids import Box, SpurGear
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.backward import Hand, Held, drive_line, move
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate


def yard() -> Rig:
    """One of each thing that has numbers."""
    made = gremio.Builder("Yard")
    made.part("Post", gremio.shape(Box(length=0.4, width=0.4, height=2)), joint="spin z")
    made.part("Gear", gremio.shape(SpurGear(module=0.02, teeth=20, width=0.05)), at=(2, 0, 0),
              joint="hinge z", stops=(-1, 2))  # fmt: skip
    made.part("Crate", gremio.shape(Box(length=0.2, width=0.2, height=0.2)), at=(0.1, 0.1, 3),
              joint="free")  # fmt: skip
    made.part("Buoy", gremio.shape(Box(length=0.2, width=0.2, height=0.2)), at=(3, 1, 0),
              joint="free")  # fmt: skip
    made.control("Crank", 0, 3, kind="angle")
    made.ratio("Crank", "Gear turn z", 0.5)
    rig = set_repeat(made.rig, part_id(made.rig, "Gear"), Repeat("line", "x", 3, 0.5))
    rig = gremio.constrain(rig, "seat", "Crate", "Post")
    rig = gremio.constrain(rig, "tether", "Buoy", "Post", "Gear")
    return gremio.strand(rig, "spring", ("Post", (0, 0, 0)), ("Gear", (0, 0, 0)), name="Coil")


EVERY = [(owner.word, full_label(yard(), key), key) for owner in OWNERS
         for thing in owner.things(yard()) for key in numbers_of(yard(), thing)]  # fmt: skip


@pytest.mark.parametrize(("word", "name", "channel"), EVERY, ids=[name for _, name, _ in EVERY])
def test_a_control_is_made_for_it_and_it_is_seen_everywhere(
    word: str, name: str, channel: str
) -> None:
    rig = yard()
    home = home_value(rig, channel)
    before = evaluate(compile_rig(rig, geometry_of), rig.at).frame(0)
    present = before.at(channel)
    if not math.isfinite(present):
        with pytest.raises(GremioError, match="has no value yet"):
            proposed_control(rig, channel, present)
        return
    control = proposed_control(rig, channel, present)
    assert control.low <= control.home <= control.high
    if number(rig, channel).whole:  # type: ignore[union-attr]
        assert control.low == round(control.low) and control.high == round(control.high)
    try:
        rig, made = add_control(rig, control)
        rig, _ = add_link(rig, Ratio(made, channel, 1.0))
    except GremioError as refused:
        # What can't be led says why, and names it.
        assert name.split()[0] in str(refused)
        return
    program = compile_rig(rig, geometry_of)
    assert program.faults == (), program.faults
    low, high = control.low, control.high
    for value in (low, (low + high) / 2, high):
        pose = evaluate(program, {**rig.at, made: value}).frame(0)
        if not number(rig, channel).whole:  # type: ignore[union-attr]
            ends = (number(rig, channel).low, number(rig, channel).high)  # type: ignore[union-attr]
            assert pose.at(channel) == pytest.approx(min(max(value, ends[0]), ends[1]))
        assert np.isfinite(pose.worlds).all() or home != home
    rows = {row.channel: row for row in ledger_rows(program)}
    assert channel in rows
    for column in ("Follower", "Value", "Link", "How", "Lead", "Low stop", "High stop"):
        assert isinstance(cell(pose, rows[channel], column), str)
    assert drive_map(program).node_of(channel)
    assert made in drive_line(program, channel)
    assert reach_of(program, made).low <= control.home
    inspect(rig, pose, geometry=geometry_of)
    assert isinstance(move(program, pose, channel, (low + high) / 2), Hand | Held)
    assert word in ("part", "control", "constraint", "strand")
