"""Two rigs compared by names and meanings."""

from __future__ import annotations

import json
import math
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.controls import set_values
from gremio.core.edit.parts import remove_part, rename_part, set_stops
from gremio.core.inspect.comparing import compare
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.model import Rig, Stops
from gremio.core.rig.solids import Box


def texts(one: Rig, two: Rig) -> list[str]:
    return [difference.text for difference in compare(one, two)]


def built(order: str = "gate first") -> Rig:
    """One machine, made in two orders, so that its ids differ."""
    b = gremio.Builder("Gate")

    def gate() -> None:
        b.part("Post", at=(0, 1, 0))
        b.part("Gate", gremio.shape(Box(2, 0.1, 1)), on="Post", joint="hinge z",
               stops=("0 deg", "80 deg"))  # fmt: skip

    def bolt() -> None:
        b.control("Open", "0 deg", "70 deg")
        b.part("Bolt", joint="slide x", stops=("0 mm", "50 mm"))

    for make in (gate, bolt) if order == "gate first" else (bolt, gate):
        make()
    b.ratio("Open", "Gate", 0.5)
    return gremio.formula(b.rig, "Bolt move x", "Gate.turn * 0.02 m / 1 rad")


def test_ids_and_the_order_of_making_mean_nothing() -> None:
    assert list(built().parts) != list(built("bolt first").parts)
    assert texts(built(), built("bolt first")) == []
    assert texts(built(), built()) == []


def test_each_difference_is_told_once_in_words_and_units() -> None:
    one = built()
    two = set_stops(one, part_id(one, "Gate"), "turn z", Stops(0.0, math.radians(75)))
    assert texts(one, two) == ["part Gate: high stop of turn z 80° → 75°"]
    two = gremio.set_range(one, "Open", 0.0, math.radians(72.5))
    assert "control Open: high end 70° → 72.5°" in texts(one, two)
    two = gremio.formula(one, "Bolt move x", "Gate.turn * 0.03 m / 1 rad")
    (told,) = texts(one, two)
    assert told == ("link to Bolt move x: text {Gate turn z} * 0.02 m / 1 rad → "
                    "{Gate turn z} * 0.03 m / 1 rad")  # fmt: skip
    two = set_values(one, {control_id(one, "Open"): math.radians(20)})
    assert texts(one, two) == ["Open: stands at home → 20°"]
    two = gremio.write_note(one, "Gate", "It jams.")
    assert texts(one, two) == ["part Gate: note none → It jams."]


def test_what_is_renamed_is_told_once_and_not_wherever_it_is_meant() -> None:
    one = built()
    two = rename_part(one, part_id(one, "Post"), "Pier")
    assert texts(one, two) == ["part Post is called Pier"]
    # Also where the ids are others, and back.
    again = rename_part(built("bolt first"), part_id(built("bolt first"), "Post"), "Pier")
    assert texts(one, again) == ["part Post is called Pier"]
    assert texts(again, one) == ["part Pier is called Post"]


def test_what_is_new_and_what_is_gone() -> None:
    one = built()
    two = remove_part(one, part_id(one, "Bolt"))
    assert texts(one, two) == ["part Bolt is gone", "link to Bolt move x is gone"]
    assert texts(two, one) == ["part Bolt is new", "link to Bolt move x is new"]


def test_keys_are_told_in_their_units() -> None:
    one = gremio.key(gremio.routine(built(), "Swing", 4), 1, {"Open": "10 deg"})
    two = gremio.key(one, 3, {"Open": "30 deg"})
    (told,) = texts(one, two)
    assert told.startswith("routine Swing: keys of Open 0° at 0 s, 10° at 1 s; smooth → ")
    assert told.endswith("0° at 0 s, 10° at 1 s, 30° at 3 s; smooth")


def test_hand_offs_are_told_in_one_line() -> None:
    one = gremio.key(gremio.routine(built(), "Swing", 4), 1, {"Open": "10 deg"})
    two = gremio.hand_over(gremio.hand_over(one, 1, "Bolt", "Gate"), 2, "Bolt", None)
    (told,) = texts(one, two)
    assert told == ("routine Swing: who carries Bolt none → Gate from 1 s, then the ground "
                    "from 2 s")  # fmt: skip


@pytest.mark.parametrize("seed", range(8))
def test_nothing_that_is_changed_is_left_out(lock: Rig, seed: int) -> None:
    """Any number of any part, control, strand or constraint, by a little."""
    rng = np.random.default_rng(seed)
    fields = ("parts", "controls", "strands", "paths", "struts", "treads")
    things = [(f, i) for f in fields for i in getattr(lock, f)]
    field, thing_id = things[rng.integers(len(things))]
    thing = getattr(lock, field)[thing_id]
    changed = {
        "parts": lambda t: replace(t, mount=replace(t.mount, at=(t.mount.at[0] + 1e-6, 0.0, 1.0))),
        "controls": lambda t: replace(t, high=t.high + 1e-6),
        "strands": lambda t: replace(t, thickness=t.thickness * 1.001),
        "paths": lambda t: replace(t, points=(*t.points[:-1], (9.0, 9.0, 9.0))),
        "struts": lambda t: replace(t, bore=t.bore + 1e-6),
        "treads": lambda t: replace(t, sag=t.sag + 1e-6),
    }[field](thing)
    other = replace(lock, **{field: {**getattr(lock, field), thing_id: changed}})
    (found,) = compare(lock, other)
    assert found.how == "changed" and found.name == thing.name and found.before != found.after


def test_the_command_tells_it_and_ends_with_one(tmp_path: Path) -> None:
    one = built()
    gremio.save(one, tmp_path / "one.gremio")
    gremio.save(rename_part(one, part_id(one, "Post"), "Pier"), tmp_path / "two.gremio")

    def run(*words: str) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "-m", "gremio", "compare", *words]
        return subprocess.run(command, capture_output=True, text=True, check=False, cwd=tmp_path)

    told = run("one.gremio", "two.gremio")
    assert told.returncode == 1 and told.stdout == "part Post is called Pier\n"
    same = run("one.gremio", "one.gremio")
    assert same.returncode == 0 and same.stdout == "Both say the same.\n"
    (found,) = json.loads(run("one.gremio", "two.gremio", "--json").stdout)["differences"]
    assert found["how"] == "renamed" and (found["before"], found["after"]) == ("Post", "Pier")
    assert run("one.gremio", "none.gremio").returncode == 2
