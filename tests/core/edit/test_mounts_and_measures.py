"""Mounts, homes, scale and measures: what is seen stays, and what counts is counted anew."""

from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.controls import set_values
from gremio.core.edit.links import add_link
from gremio.core.edit.measures import add_measure, change_measure, remove_measure
from gremio.core.edit.mounts import place_part, set_home_here
from gremio.core.edit.parts import change_part, set_stops
from gremio.core.edit.prepare import has_scale, mount_along, mount_as, without_scale
from gremio.core.frames import Frame
from gremio.core.problem import GremioError
from gremio.core.rig.find import channel_key, control_id, part_id
from gremio.core.rig.model import (
    Anchor,
    Cam,
    Follower,
    Measure,
    Planetary,
    Rig,
    Station,
    Stops,
)
from gremio.core.rig.solids import Box
from gremio.core.shape.measure import is_fixed, measured
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.axes import channel_frame


@pytest.fixture
def mill() -> Rig:
    """Three wheels on one axle line, a hopper that slides, and two controls."""
    build = gremio.Builder("Mill")
    wheel = gremio.shape(Box(length=1.0, width=0.2, height=0.1))
    for name in ("Sun", "Ring", "Arm", "Sail"):
        build.part(name, wheel, joint="spin z")
    build.part("Hopper", wheel, at=(0, 0, 2), joint="slide z", stops=("-1 m", "1 m"))
    build.control("Wind", "0 turn", "3 turn", unit="turn")
    build.control("Trim", "0 turn", "1 turn", unit="turn")
    return build.rig


def home_here(rig: Rig, name: str) -> Rig:
    """Set the home of a root part where it stands."""
    part, pose = part_id(rig, name), gremio.solve(rig)
    return set_home_here(rig, part, pose.world(part), pose.part_of(part).channels)


def same_worlds(before: Rig, after: Rig) -> bool:
    one, two = gremio.solve(before), gremio.solve(after)
    return all(np.allclose(one.world(p), two.world(p), atol=1e-12) for p in before.parts)


def test_a_new_home_moves_nothing_where_a_cam_leads(mill: Rig) -> None:
    wind, sail, hopper = (channel_key(mill, n) for n in ("Wind", "Sail", "Hopper"))
    stations = (
        Station(0.0, {sail: 0.2, hopper: -0.5}),
        Station(10.0, {sail: 1.4, hopper: 0.5}),
    )
    rig, _ = add_link(mill, Cam(wind, (Follower(sail), Follower(hopper)), stations))
    rig = set_values(rig, {control_id(rig, "Wind"): 4.0})
    for name in ("Sail", "Hopper"):
        moved = home_here(rig, name)
        assert gremio.solve(moved).value(name) == pytest.approx(0.0, abs=1e-12)
        for wind_at in (0.0, 4.0, 9.0):
            at = {control_id(rig, "Wind"): wind_at}
            assert same_worlds(set_values(rig, at), set_values(moved, at))


def test_a_new_home_moves_nothing_where_a_part_leads_a_cam(mill: Rig) -> None:
    sail, hopper = channel_key(mill, "Sail"), channel_key(mill, "Hopper")
    stations = (Station(0.0, {hopper: 0.0}), Station(3.0, {hopper: 0.9}))
    rig, _ = add_link(mill, Cam(sail, (Follower(hopper),), stations))
    rig = set_values(rig, {sail: 1.2})
    moved = home_here(rig, "Sail")
    assert same_worlds(rig, moved)
    assert same_worlds(set_values(rig, {sail: 2.0}), set_values(moved, {sail: 0.8}))


def test_a_new_home_moves_nothing_where_a_formula_leads(mill: Rig) -> None:
    rig = gremio.formula(mill, "Hopper", "Sail.turn / 1 turn * 0.8 m + 0.1 m")
    sail = channel_key(rig, "Sail")
    rig = set_values(rig, {sail: 1.5})
    for name in ("Sail", "Hopper"):
        moved = home_here(rig, name)
        assert same_worlds(rig, moved)
        shift = 1.5 if name == "Sail" else 0.0
        further = set_values(moved, {sail: 3.0 - shift})
        assert same_worlds(set_values(rig, {sail: 3.0}), further)


def test_a_new_home_moves_nothing_in_a_planetary_set(mill: Rig) -> None:
    sun, ring, arm = (channel_key(mill, n) for n in ("Sun", "Ring", "Arm"))
    rig, _ = add_link(mill, Planetary(sun, ring, arm, 3.0))
    rig = set_values(rig, {sun: 1.0, ring: 0.4})
    for name in ("Sun", "Ring", "Arm"):
        assert same_worlds(rig, home_here(rig, name))


def test_stops_are_counted_from_the_new_home(mill: Rig) -> None:
    hopper = channel_key(mill, "Hopper")
    moved = home_here(set_values(mill, {hopper: 0.25}), "Hopper")
    stops = moved.parts[part_id(moved, "Hopper")].stops["move z"]
    assert (stops.low, stops.high) == pytest.approx((-1.25, 0.75))


def test_a_home_of_several_channels_that_count_is_refused() -> None:
    build = gremio.Builder("Boom")
    build.part("Boom", joint="cylinder z")
    boom = part_id(build.rig, "Boom")
    rig = set_stops(build.rig, boom, "move z", Stops(-1.0, 1.0))
    with pytest.raises(GremioError, match="can't be counted from another home"):
        home_here(set_values(rig, {f"{boom} move z": 0.5}), "Boom")


def test_a_part_at_home_keeps_its_home(mill: Rig) -> None:
    assert home_here(mill, "Sail") is mill


# ── mounts ─────────────────────────────────────────────────────────────


def test_placing_a_part_takes_what_it_carries_along(hatch: Rig) -> None:
    flap, bolt = part_id(hatch, "Flap"), part_id(hatch, "Bolt")
    moved = place_part(hatch, flap, Frame((0.0, 0.0, 0.4)))
    before, after = gremio.solve(hatch), gremio.solve(moved)
    for part in (flap, bolt):
        assert after.world(part)[:3, 3] - before.world(part)[:3, 3] == pytest.approx([0, 0, 0.4])


def test_an_axis_is_laid_along_a_direction_the_short_way(hatch: Rig, rng) -> None:
    flap = part_id(hatch, "Flap")
    for _ in range(20):
        way = rng.normal(size=3)
        for axis in "xyz":
            moved = mount_along(hatch, flap, axis, way)
            pose = gremio.solve(moved)
            laid = channel_frame(pose, flap, "turn y")[:3, "xyz".index(axis)]
            assert pose.world(flap) == pytest.approx(gremio.solve(hatch).world(flap), abs=1e-9)
            there = gremio.solve(hatch).world(flap)[:3, :3] @ (way / np.linalg.norm(way))
            assert abs(float(laid @ there)) == pytest.approx(1.0)
            old = gremio.solve(hatch).world(flap)[:3, "xyz".index(axis)]
            assert float(laid @ old) >= -1e-12


def test_a_mount_is_turned_square_and_nothing_seen_moves(hatch: Rig) -> None:
    flap, bolt = part_id(hatch, "Flap"), part_id(hatch, "Bolt")
    turned = mount_along(hatch, flap, "y", [0.3, 1.0, -0.2])
    square = mount_as(turned, flap, np.eye(3))
    joint = channel_frame(gremio.solve(square), flap, "turn y")
    assert joint[:3, :3] == pytest.approx(np.eye(3), abs=1e-12)
    assert gremio.solve(square).world(bolt) == pytest.approx(
        gremio.solve(turned).world(bolt), abs=1e-12
    )


# ── stray scale ────────────────────────────────────────────────────────


def stretched(rig: Rig, name: str, scale: tuple[float, float, float]) -> Rig:
    part = part_id(rig, name)
    mount = replace(rig.parts[part].mount, scale=scale)
    return change_part(rig, part, replace(rig.parts[part], mount=mount))


def test_scale_is_taken_out_of_a_slide_with_its_stops(mill: Rig) -> None:
    hopper = channel_key(mill, "Hopper")
    rig = set_values(stretched(mill, "Hopper", (1.0, 1.0, -2.0)), {hopper: 0.3})
    plain = without_scale(rig, part_id(rig, "Hopper"))
    assert not has_scale(plain.parts[part_id(plain, "Hopper")])
    stops = plain.parts[part_id(plain, "Hopper")].stops["move z"]
    assert (stops.low, stops.high) == (-2.0, 2.0)
    there = [gremio.solve(r).world(part_id(r, "Hopper"))[:3, 3] for r in (rig, plain)]
    assert there[0] == pytest.approx(there[1])


def test_scale_that_would_shear_or_is_counted_stays_and_says_why(mill: Rig) -> None:
    uneven = stretched(mill, "Sail", (1.0, 2.0, 1.0))
    with pytest.raises(GremioError, match="Sail turns in an uneven scale"):
        without_scale(uneven, part_id(uneven, "Sail"))
    led = gremio.formula(stretched(mill, "Hopper", (2.0, 2.0, 2.0)), "Hopper", "0.2 m")
    with pytest.raises(GremioError, match="A link counts the moves of Hopper"):
        without_scale(led, part_id(led, "Hopper"))


def test_a_shape_askew_in_an_uneven_scale_is_told() -> None:
    build = gremio.Builder("Askew")
    tilted = gremio.shape(Box(length=1.0, width=1.0, height=1.0), (0, 0, 0), (0, 0, "30 deg"))
    build.part("Crate", tilted)
    rig = stretched(build.rig, "Crate", (1.0, 3.0, 1.0))
    with pytest.raises(GremioError, match="Crate stands askew in an uneven scale"):
        without_scale(rig, part_id(rig, "Crate"))


# ── measures ───────────────────────────────────────────────────────────


def test_a_measure_that_a_formula_uses_stays(mill: Rig) -> None:
    ends = tuple(Anchor(part_id(mill, n), at=(0.0, 0.0, 0.0)) for n in ("Sail", "Hopper"))
    rig, measure = add_measure(mill, Measure("Drop", "distance", ends))
    led = gremio.formula(rig, "Arm", "Drop / 1 m * 1 turn")
    assert gremio.solve(led).value("Arm") == pytest.approx(2 * 2 * math.pi)
    with pytest.raises(GremioError, match="The formula for Arm turn z uses Drop"):
        remove_measure(led, measure)
    assert remove_measure(rig, measure).measures == {}


def test_a_measure_has_a_unit_of_its_kind_and_a_name_of_its_own(mill: Rig) -> None:
    ends = (Anchor(part_id(mill, "Sail")),)
    with pytest.raises(GremioError, match="Long measures a length, which has no unit 'deg'"):
        add_measure(mill, Measure("Long", "size", ends, "deg"))
    rig, measure = add_measure(mill, Measure("Long", "size", ends))
    with pytest.raises(GremioError, match="'Sail' is already the name"):
        change_measure(rig, measure, replace(rig.measures[measure], name="Sail"))
    longer = change_measure(rig, measure, replace(rig.measures[measure], unit="mm"))
    assert longer.measures[measure].unit == "mm"


@pytest.mark.parametrize(("axis", "size"), [("x", 1.0), ("y", 0.2), ("z", 0.1)])
def test_the_size_of_a_part_along_its_own_axes(mill: Rig, axis, size: float) -> None:
    sail = part_id(mill, "Sail")
    measure = Measure("Size", "size", (Anchor(sail),), axis=axis)
    turned = set_values(mill, {channel_key(mill, "Sail"): 0.7})
    assert measured(turned, measure, gremio.solve(turned).world, geometry_of) == pytest.approx(size)
    assert is_fixed(measure)


def test_a_measure_of_what_is_gone_is_no_number(mill: Rig) -> None:
    sail = part_id(mill, "Sail")
    world = gremio.solve(mill).world
    for ends in ((Anchor("p99"),), (Anchor(sail, feature=9999),), (Anchor(sail, shape=4),)):
        assert math.isnan(measured(mill, Measure("Edge", "length", ends), world, geometry_of))
    lone = Measure("Gap", "distance", (Anchor(sail),))
    assert math.isnan(measured(mill, lone, world, geometry_of)) and not is_fixed(
        Measure("Gap", "distance", (Anchor(sail), Anchor("p99")))
    )
