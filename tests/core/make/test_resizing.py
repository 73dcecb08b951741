"""A machine made larger: every place so many times as far, every turn as it was (similarity, as in
any book of geometry), whatever it is asked."""

from __future__ import annotations

import math

import numpy as np
import pytest
from tests.core.make.test_twins import MACHINES

import gremio
from gremio.core.make.resizing import resized, sized
from gremio.core.rig.channels import key, split
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.ids import CLOCK
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import kind_of
from gremio.core.rig.solids import Box, Cylinder, Plate, SpurGear
from gremio.core.script.posing import surfaces_of
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.strands import lying
from gremio.core.solve.treads import links_now

shape = gremio.shape


def off(before: Rig, after: Rig, by: float, count: int = 200) -> tuple[float, float]:
    """How far places are off (of the larger), and how far turns, at random inputs."""
    small, large = (compile_rig(rig, surfaces_of(rig)) for rig in (before, after))
    assert small.channel_keys == large.channel_keys
    rng = np.random.default_rng(4)
    asked, more = dict[str, np.ndarray](), dict[str, np.ndarray]()
    for row, channel in enumerate(small.channel_keys):
        if not small.inputs[row] or channel == CLOCK:
            continue
        low, high = float(small.low[row]), float(small.high[row])
        low, high = (v if math.isfinite(v) else d for v, d in ((low, -1.5), (high, 1.5)))
        asked[channel] = rng.uniform(low, high, count)
        long = kind_of(before, channel) in ("length", "speed")
        more[channel] = asked[channel] * (by if long else 1.0)
    one, two = evaluate(small, asked, apart=True).worlds, evaluate(large, more, apart=True).worlds
    places = np.abs(one[..., :3, 3] * by - two[..., :3, 3]).max() / max(by, 1.0)
    return float(places), float(np.abs(one[..., :3, :3] - two[..., :3, :3]).max())


@pytest.mark.parametrize("by", [3.7, 0.01])
@pytest.mark.parametrize("name", MACHINES)
def test_every_place_is_so_many_times_as_far_and_every_turn_the_same(name: str, by: float) -> None:
    rig = MACHINES[name][0]()
    places, turns = off(rig, resized(rig, by), by)
    assert places < 1e-9 and turns < 1e-9


def test_the_whole_lock_goes_through_its_routine_at_half_the_size(lock: Rig) -> None:
    half = resized(lock, 0.5)
    times = [0.0, 3.3, 7.2, 9.1, 13.2, 19.9]
    one, two = gremio.bake(lock, times=times).poses, gremio.bake(half, times=times).poses
    assert np.abs(one.worlds[..., :3, 3] / 2 - two.worlds[..., :3, 3]).max() < 1e-9
    assert np.abs(one.worlds[..., :3, :3] - two.worlds[..., :3, :3]).max() < 1e-9
    for frame in range(len(times)):
        here, there = one.frame(frame), two.frame(frame)
        for tread in lock.treads:
            links = links_now(here, tread).frames[:, :3, 3] / 2
            assert np.abs(links - links_now(there, tread).frames[:, :3, 3]).max() < 1e-8
        for strand, lies in lying(here).items():
            again = lying(there)[strand]
            assert (lies is None) == (again is None)
            if lies is not None and again is not None:
                assert np.abs(lies.places / 2 - again.places).max() < 1e-9
    assert not [note for note in two.program.faults if note not in one.program.faults]


@pytest.mark.parametrize("solid", [Box(1, 2, 3), Plate(2, 1, 0.1, ((0.3, 0.1, 0.2),)),
                                   SpurGear(0.1, 13, 0.3, shift=0.2)],
                         ids=lambda s: type(s).__name__)  # fmt: skip
def test_a_solid_is_so_many_times_as_large(solid: Box) -> None:
    small, large = geometry_of(solid), geometry_of(sized(solid, 0.001))
    assert np.abs(small.vertices * 0.001 - large.vertices).max() < 1e-12
    assert (small.triangles == large.triangles).all()


def test_a_part_of_it_grows_where_it_stands_and_the_rest_stays() -> None:
    b = gremio.Builder("Cart")
    b.part("Body", at=(1, 0, 1), joint="slide x")
    b.part("Wheel", shape(Cylinder(0.5, 0.1)), on="Body", at=(0.4, 0.3, -0.2), joint="spin y")
    b.part("Knob", on="Wheel", at=(0.2, 0, 0), joint="slide x", stops=("0 mm", "50 mm"))
    b.control("Push", "0 mm", "50 mm", kind="length")
    b.ratio("Push", "Knob", 1)
    b.control("Go", "-1 m", "1 m", kind="length")
    b.ratio("Go", "Body", 1)
    rig = gremio.roll(b.rig, "Wheel turn y", 0.25)
    large = resized(rig, 680 / 500, [part_id(rig, "Wheel")])
    wheel = large.parts[part_id(rig, "Wheel")]
    assert wheel.shapes[0].solid == Cylinder(0.68, 0.1 * 1.36)
    assert wheel.mount.at == (0.4, 0.3, -0.2)
    # What leads only what is inside goes along, what leads the rest does not.
    assert large.controls[control_id(rig, "Push")].high == pytest.approx(0.068)
    assert large.controls[control_id(rig, "Go")].high == 1.0
    pose = gremio.solve(large, {"Push": "0.068 m", "Go": 1.0})
    assert pose.value("Knob", "move x") == pytest.approx(0.068)
    # It rolls on what it measures now.
    (rolled,) = gremio.run(large, {"Go": [0.0, 1.0]}).channel(key(part_id(rig, "Wheel"), "turn y"))[
        1:
    ]
    assert abs(rolled) == pytest.approx(1.0 / 0.34)
    assert split(key(part_id(rig, "Wheel"), "turn y"))[1] == "turn y"


@pytest.mark.parametrize("factor", [0.0, -2.0, math.nan, math.inf, 1e9])
def test_what_is_no_factor_is_refused(factor: float) -> None:
    with pytest.raises(gremio.GremioError, match="a factor above zero"):
        resized(Rig(), factor)


def test_a_train_that_is_half_inside_is_named() -> None:
    b = gremio.Builder("Half")
    for name in ("Sun", "Ring", "Arm"):
        b.part(name, joint="slide x")
    from gremio.core.edit.links import add_link
    from gremio.core.rig.find import channel_key
    from gremio.core.rig.model import Planetary

    rig, _ = add_link(b.rig, Planetary(*(channel_key(b.rig, f"{n} move x")
                                         for n in ("Sun", "Ring", "Arm")), 2.0))  # fmt: skip
    with pytest.raises(gremio.GremioError, match="outside of what is resized"):
        resized(rig, 2.0, [part_id(rig, "Sun")])
    assert resized(rig, 2.0).links
