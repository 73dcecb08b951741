"""Traces: curves of points whose closed forms any textbook of kinematics has."""

from __future__ import annotations

import csv

import numpy as np
import pytest
from shapely import LinearRing, Point

import gremio
from gremio.core.shape.paths import along

R = 0.3


def cart() -> gremio.Builder:
    """A wheel that rolls along x as its cart does."""
    b = gremio.Builder("Cart")
    b.part("Cart", joint="slide x", at=(0, 0, R))
    b.part("Wheel", on="Cart", joint="spin y")
    b.control("Travel", 0.0, 2 * np.pi * R, kind="length", unit="m")
    b.ratio("Travel", "Cart move x", 1.0)
    b.ratio("Cart move x", "Wheel turn y", 1 / R)
    return b


def test_a_point_of_a_rim_draws_a_cycloid() -> None:
    """x = r (θ − sin θ), z = r (1 − cos θ), of length 8 r. No source: common knowledge."""
    drawn = gremio.trace(cart().rig, "Wheel", (0, 0, -R), control="Travel", steps=2001)
    theta = drawn.leads / R
    assert drawn.points[:, 0] == pytest.approx(R * (theta - np.sin(theta)), abs=1e-12)
    assert drawn.points[:, 2] == pytest.approx(R * (1 - np.cos(theta)), abs=1e-12)
    assert drawn.length == pytest.approx(8 * R, rel=1e-5)


def test_a_point_of_a_crank_rod_draws_its_coupler_curve() -> None:
    """A slider-crank, crank r, rod l: the middle of the rod is at
    (r cos θ + √(l² − r² sin² θ) / 2, r sin θ / 2)."""
    r, rod = 0.2, 0.7
    b = gremio.Builder("Engine")
    b.part("Crank", joint="spin z")
    b.part("Rod", on="Crank", at=(r, 0, 0), joint="spin z")
    b.part("Piston", at=(r + rod, 0, 0), joint="slide x")
    b.control("Turn", 0.0, 2 * np.pi, kind="angle", unit="deg")
    b.ratio("Turn", "Crank turn z", 1.0)
    rig = gremio.pin(b.rig, "Rod", "Piston", (rod, 0, 0), (0, 0, 0))
    drawn = gremio.trace(rig, "Rod", (rod / 2, 0, 0), control="Turn", steps=181)
    theta = drawn.leads
    pin = r * np.cos(theta)
    assert drawn.points[:, 0] == pytest.approx(
        pin + np.sqrt(rod**2 - (r * np.sin(theta)) ** 2) / 2, abs=1e-9
    )
    assert drawn.points[:, 1] == pytest.approx(r * np.sin(theta) / 2, abs=1e-9)
    # It comes back to where it began: a closed path.
    (path,) = drawn.as_path().paths.values()
    assert path.closed and len(path.points) < 180 and path.name == "Rod trace"
    ring = LinearRing([point[:2] for point in path.points])
    far = max(ring.distance(Point(point[:2])) for point in drawn.points)
    assert far <= 1e-4 * drawn.length


def test_a_straight_way_is_a_path_of_two_points() -> None:
    drawn = gremio.trace(cart().rig, "Cart", control="Travel")
    (path,) = drawn.as_path().paths.values()
    assert np.array(path.points) == pytest.approx(np.array([[0, 0, R], [2 * np.pi * R, 0, R]]))


def test_a_trace_through_a_routine_is_that_of_its_frames_and_a_table() -> None:
    rig = gremio.routine(cart().rig, "Roll", 2.0, rate=24)
    rig = gremio.key(rig, 2.0, {"Travel": 1.0}, profile="straight")
    drawn = gremio.trace(rig, "Wheel", (0, 0, -R))
    assert len(drawn.leads) == 49
    world = gremio.bake(rig).world("Wheel")
    for frame, point in zip(world, drawn.points, strict=True):
        full = frame if frame.shape == (4, 4) else np.vstack([frame, [0, 0, 0, 1]])
        assert point == pytest.approx((full @ [0, 0, -R, 1])[:3], abs=1e-15)
    rows = list(csv.reader(drawn.csv().splitlines()))
    assert rows[0] == ["time (s)", "x (m)", "y (m)", "z (m)"]
    assert np.array(rows[1:], dtype=float) == pytest.approx(
        np.column_stack([drawn.leads, drawn.points]), abs=0
    )


def test_its_ticks_stand_where_the_point_was_in_each_step() -> None:
    drawn = gremio.trace(cart().rig, "Wheel", (0, 0, -R), control="Travel", steps=121)
    (path,) = drawn.as_path().paths.values()
    assert len(path.ticks) == 121
    at = along(path, path.ticks)[:, :3, 3]
    assert np.linalg.norm(at - drawn.points, axis=1).max() < 2e-3 * drawn.length
    # Where the rim touches the ground it hardly moves: ticks crowd there.
    apart = np.diff(path.ticks)
    assert apart[0] < 0.1 * apart[60]
    many = gremio.trace(cart().rig, "Wheel", (0, 0, -R), control="Travel", steps=2001)
    assert 100 < len(next(iter(many.as_path().paths.values())).ticks) <= 250


def test_what_draws_nothing_and_what_does_not_go_together_is_said() -> None:
    rig = cart().rig
    with pytest.raises(gremio.GremioError, match="no routine yet"):
        gremio.trace(rig, "Wheel")
    with pytest.raises(gremio.GremioError, match="Say one of them"):
        gremio.trace(rig, "Wheel", control="Travel", routine="Roll")
    with pytest.raises(gremio.GremioError, match="The point of Wheel"):
        gremio.trace(rig, "Wheel", (0, float("nan"), 0), control="Travel")
    b = cart()
    b.part("Post", joint="spin z", at=(5, 0, 0))
    with pytest.raises(gremio.GremioError, match="stands still"):
        gremio.trace(b.rig, "Post", control="Travel").as_path()
