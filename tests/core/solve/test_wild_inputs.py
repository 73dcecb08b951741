"""What is no plain number is refused by scripts, and told in poses; nothing is without a note."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from tests.core.solve.test_loops import DEG, four_bar

import gremio
from gremio.core.edit.links import add_link
from gremio.core.problem import GremioError
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Ratio, Rig
from gremio.core.solve.evaluate import evaluate

WILD = [math.nan, math.inf, -math.inf, 1e300, -2e9]


def bars() -> Rig:
    return four_bar(0.4, 1.2, 0.8, 1.0, DEG(40), DEG(20.298), DEG(57.325))


@pytest.mark.parametrize("value", WILD)
def test_scripts_refuse_it(value: float) -> None:
    for ask in (gremio.solve, lambda rig, values: gremio.run(rig, values)):
        with pytest.raises(GremioError, match=r"Crank .*plain number"):
            ask(bars(), {"Crank": value})
    with pytest.raises(GremioError, match="plain number"):
        gremio.run(bars(), {"Crank": [0.0, value]})


@pytest.mark.parametrize("value", WILD)
def test_a_pose_stands_at_home_and_says_so(value: float) -> None:
    program = gremio.solve(bars()).program
    crank = f"{part_id(program.rig, 'Crank')} turn z"
    poses = evaluate(program, {crank: np.array([0.3, value, 0.3])})
    assert np.isfinite(poses.channels).all() and np.isfinite(poses.worlds).all()
    assert poses.channel(crank).tolist() == [0.3, 0.0, 0.3]
    assert [n.code for n in poses.frame(1).notes] == ["input-wild"]
    assert poses.frame(0).notes == [] == poses.frame(2).notes
    alone = evaluate(program, {crank: 0.3})
    assert np.array_equal(poses.channels[:, 0], alone.channels[:, 0])


# So many of the greatest proportions there may be go beyond all numbers.
_ROW = 30


def test_what_grows_beyond_all_numbers_is_told() -> None:
    build = gremio.Builder("Row")
    for i in range(_ROW):
        build.part(f"Shaft {i}", joint="spin z")
    rig = build.rig
    shafts = [f"{part_id(rig, f'Shaft {i}')} turn z" for i in range(_ROW)]
    for one, two in itertools.pairwise(shafts):
        rig = add_link(rig, Ratio(one, two, 1e12))[0]
    pose = gremio.solve(rig, {"Shaft 0": 1e5})
    lost = {n.part for n in pose.notes if n.code == "value-lost"}
    wild = {
        rig.parts[part_id(rig, f"Shaft {i}")].name
        for i in range(_ROW)
        if not math.isfinite(pose.at(shafts[i]))
    }
    assert wild == lost != set()


@pytest.mark.parametrize(("ratio", "offset"), [(1e13, 0.0), (1.0, -1e300), (math.nan, 0.0)])
def test_a_proportion_beyond_all_measure_is_refused(ratio: float, offset: float) -> None:
    build = gremio.Builder("Pair")
    build.part("One", joint="spin z")
    build.part("Two", joint="spin z")
    one, two = (f"{part_id(build.rig, name)} turn z" for name in ("One", "Two"))
    with pytest.raises(GremioError, match=r"go up to 1e\+12|plain number"):
        add_link(build.rig, Ratio(one, two, ratio, offset))
