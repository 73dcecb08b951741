"""A hand that does anything in any order: each edit is done or refused in words, the rig is saved,
opened, posed and looked over after it, and undone all the way it is the first to the byte."""

from __future__ import annotations

import math
import random
from collections.abc import Callable

import numpy as np
from msgspec.structs import replace
from tests.attack.conftest import Rounds

import gremio
from gremio.core.edit.builder import shape
from gremio.core.edit.controls import change_control, proposed_control, remove_control, set_values
from gremio.core.edit.desk import keep_pose, make_into
from gremio.core.edit.history import History
from gremio.core.edit.links import add_link, change_link, remove_link
from gremio.core.edit.mounts import set_home_here
from gremio.core.edit.parts import (
    add_part,
    remove_part,
    rename_part,
    set_joint,
    set_parent,
    set_stops,
)
from gremio.core.files import rig_file
from gremio.core.frames import Frame
from gremio.core.problem import GremioError
from gremio.core.rig.channels import freed, key
from gremio.core.rig.ids import PartId
from gremio.core.rig.model import Control, Joint, Part, Ratio, Rig, Stops
from gremio.core.rig.solids import Box
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate

_NUMBERS = [0.0, 1.0, -1.0, 0.3, 1e-9, 1e9, -1e12, math.nan, math.inf, 1e308]
_NAMES = ["A", "A 2", "", " ", "é", "Open", "x" * 300, "Flap turn y"]
_KINDS = ["fixed", "hinge", "spin", "slide", "screw", "cylinder", "wheel", "ball", "planar", "free"]


def a_part(rig: Rig, rng: random.Random) -> PartId:
    return PartId(rng.choice([*rig.parts, "p999", ""]))


def a_channel(rig: Rig, rng: random.Random) -> str:
    names = [c for p, part in rig.parts.items() for c in (key(p, n) for n in freed(part.joint))]
    return rng.choice([*names, *rig.controls, "p1 turn q", "c999"])


def _add(rig: Rig, rng: random.Random) -> Rig:
    on = rng.choice([None, a_part(rig, rng)])
    box = shape(Box(length=1, width=0.1, height=0.1))
    joint = Joint(rng.choice(_KINDS), rng.choice("xyz"))
    return add_part(rig, Part(rng.choice(_NAMES), on, joint=joint, shapes=(box,)))[0]


def _stops(rig: Rig, rng: random.Random) -> Rig:
    part, channel = a_part(rig, rng), rng.choice(["turn y", "move x", "turn z", "scale x", "q"])
    return set_stops(rig, part, channel, Stops(rng.choice(_NUMBERS), rng.choice(_NUMBERS)))


def _control(rig: Rig, rng: random.Random) -> Rig:
    from gremio.core.edit.controls import add_control

    made = proposed_control(rig, a_channel(rig, rng), rng.choice(_NUMBERS))
    return add_control(rig, made)[0]


def _change_control(rig: Rig, rng: random.Random) -> Rig:
    control = rng.choice([*rig.controls, "c999"])
    entry = rig.controls.get(control, Control("New", "angle", "deg", 0.0, 1.0))
    fields = {
        "low": rng.choice(_NUMBERS),
        "high": rng.choice(_NUMBERS),
        "home": rng.choice(_NUMBERS),
    }
    some = dict(rng.sample(sorted(fields.items()), 2))
    return change_control(rig, control, replace(entry, **some))


def _link(rig: Rig, rng: random.Random) -> Rig:
    ends = a_channel(rig, rng), a_channel(rig, rng)
    return add_link(rig, Ratio(*ends, rng.choice(_NUMBERS), rng.choice(_NUMBERS)))[0]


def _change_link(rig: Rig, rng: random.Random) -> Rig:
    link = rng.choice([*rig.links, "k999"])
    return change_link(rig, link, Ratio(a_channel(rig, rng), a_channel(rig, rng), 2.0))


def _put(rig: Rig, rng: random.Random) -> Rig:
    return set_values(rig, {a_channel(rig, rng): rng.choice(_NUMBERS[:7])})


def _home(rig: Rig, rng: random.Random) -> Rig:
    part = a_part(rig, rng)
    pose = evaluate(compile_rig(rig, geometry_of), rig.at).frame(0)
    if part not in pose.program.part_row:
        return rig
    values = {n: pose.at(key(part, n)) for n in freed(rig.parts[part].joint)}
    above = pose.frame_of(rig.parts[part].parent)
    return set_home_here(rig, part, np.linalg.inv(above) @ pose.world(part), values)


EDITS: list[Callable[[Rig, random.Random], Rig]] = [
    _add, _stops, _control, _change_control, _link, _change_link, _put, _home,
    lambda rig, rng: remove_part(rig, a_part(rig, rng)),
    lambda rig, rng: rename_part(rig, a_part(rig, rng), rng.choice(_NAMES)),
    lambda rig, rng: set_parent(
        rig, a_part(rig, rng), rng.choice([None, a_part(rig, rng)]),
        Frame((rng.uniform(-1, 1), 0.0, 0.0)),
    ),
    lambda rig, rng: set_joint(
        rig, a_part(rig, rng), Joint(rng.choice(_KINDS), rng.choice("xyz"))
    ),
    lambda rig, rng: remove_control(rig, rng.choice([*rig.controls, "c999"])),
    lambda rig, rng: remove_link(rig, rng.choice([*rig.links, "k999"])),
    lambda rig, rng: make_into(
        rig, rng.choice([*rig.controls, "c999"]),
        rng.choice(["slider", "dial", "lever", "switch", "pad"]),
    ),
    lambda rig, rng: keep_pose(rig, rng.choice(_NAMES), {a_channel(rig, rng): 0.2})[0],
]  # fmt: skip


def test_edits(rounds: Rounds, hatch: Rig) -> None:
    first = rig_file.encode(hatch)
    for rng in rounds(12):
        history = History(hatch)
        program = compile_rig(hatch, geometry_of)
        for _ in range(25):
            edit = rng.choice(EDITS)
            try:
                rig = edit(history.rig, rng)
            except GremioError:
                continue
            if rig is history.rig:
                continue
            history = history.did("edit", rig)
            data = rig_file.encode(rig)
            assert rig_file.decode(data) == rig
            # Taken over from the older program it is as made anew.
            program = compile_rig(rig, geometry_of, program)
            pose = evaluate(program, rig.at).frame(0)
            fresh = evaluate(compile_rig(rig, geometry_of), rig.at).frame(0)
            assert np.array_equal(pose.worlds, fresh.worlds, equal_nan=True)
            assert np.isfinite(pose.worlds).all() or pose.notes
            gremio.inspect(rig, pose)
        while history.done:
            history = history.undo()
        assert rig_file.encode(history.rig) == first
