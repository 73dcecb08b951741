"""New parts stand beside what is there, and are as large as fits it."""

from __future__ import annotations

import numpy as np
import pytest

import gremio
from gremio.core.make.new_parts import add_beside, scaled
from gremio.core.rig.model import Rig
from gremio.core.rig.solids import Box, Cylinder, Plate, SpurGear

_BOX = Box(1.0, 0.6, 0.4)
_NONE = np.zeros((0, 3))


def test_the_first_part_stands_on_the_ground() -> None:
    rig, part = add_beside(Rig(), "Box", _BOX, _NONE)
    low = gremio.solve(rig).world(part)[2, 3] - 0.2
    assert low == pytest.approx(0.0) and rig.parts[part].shapes[0].solid == _BOX


def test_the_next_one_stands_beside_it() -> None:
    rig, _ = add_beside(Rig(), "Box", _BOX, _NONE)
    corners = np.array([[-0.5, -0.3, 0.0], [0.5, 0.3, 0.4]])
    rig, part = add_beside(rig, "Bar", Cylinder(0.5, 1.0), corners)
    bar = rig.parts[part].shapes[0].solid
    assert gremio.solve(rig).world(part)[0, 3] - bar.diameter / 2 > 0.5


def test_in_a_pocket_watch_a_part_is_small_and_a_gear_has_its_neighbours_module() -> None:
    build = gremio.Builder("Watch")
    build.part("Plate", Cylinder(0.04, 0.002))
    rig, box = add_beside(build.rig, "Box", _BOX, _NONE)
    assert rig.parts[box].shapes[0].solid == Box(0.01, 0.006, 0.004)
    gear = SpurGear(module=0.02, teeth=24, width=0.1, bore=0.1)
    rig, first = add_beside(rig, "First", gear, _NONE)
    assert rig.parts[first].shapes[0].solid.module == pytest.approx(0.0002)
    build.part("Wheel", SpurGear(module=0.0003, teeth=60, width=0.0015, bore=0.001))
    rig, second = add_beside(build.rig, "Second", gear, _NONE)
    found = rig.parts[second].shapes[0].solid
    assert (found.module, found.width) == pytest.approx((0.0003, 0.0015))
    assert found.bore == pytest.approx(0.0015) and found.teeth == 24


def test_holes_grow_along_and_counts_do_not() -> None:
    plate = scaled(Plate(1.0, 0.6, 0.05, holes=((0.3, 0.0, 0.2),)), 0.5)
    assert plate == Plate(0.5, 0.3, 0.025, holes=((0.15, 0.0, 0.1),))


def test_an_empty_mount_has_no_shape() -> None:
    rig, part = add_beside(Rig(), "Mount", None, _NONE)
    assert rig.parts[part].shapes == ()
