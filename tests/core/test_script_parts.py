"""Parts, controls and links from a script: a rig goes in, a rig comes out."""

from __future__ import annotations

import math

import numpy as np
import pytest

import gremio
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Rig
from gremio.core.shape.measure import measured


def gate() -> Rig:
    """A gate on its post, on a quay that stands askew."""
    rig = gremio.part(gremio.Rig("Gate"), "Quay", gremio.Box(4, 4, 1), at=(1, 2, 3),
                      turned=(0, 0, "30 deg"))  # fmt: skip
    rig = gremio.part(rig, "Post", gremio.Cylinder(0.2, 2), on="Quay", at=(0, 1, 1.5))
    rig = gremio.part(rig, "Gate", gremio.Box(2, 0.1, 1), on="Post", joint="hinge z",
                      stops=("0 deg", "80 deg"))  # fmt: skip
    rig = gremio.control(rig, "Open", "0 deg", "80 deg")
    return gremio.ratio(rig, "Open", "Gate", 1)


def world(rig: Rig, part: str, **at: str) -> np.ndarray:
    return gremio.solve(rig, at).part(part).world


def test_a_rig_is_built_without_a_builder() -> None:
    build = gremio.Builder("Gate")
    build.part("Quay", gremio.Box(4, 4, 1), at=(1, 2, 3), turned=(0, 0, "30 deg"))
    build.part("Post", gremio.Cylinder(0.2, 2), on="Quay", at=(0, 1, 1.5))
    build.part("Gate", gremio.Box(2, 0.1, 1), on="Post", joint="hinge z",
               stops=("0 deg", "80 deg"))  # fmt: skip
    build.control("Open", "0 deg", "80 deg")
    build.ratio("Open", "Gate", 1)
    assert gate() == build.rig
    rig = gremio.part(gate(), "Bolt", on="Gate", joint="slide x")
    rig = gremio.cam(rig, "Open", {0: {"Bolt": 0}, "80 deg": {"Bolt": "40 mm"}})
    assert gremio.solve(rig, {"Open": "80 deg"}).value("Bolt") == pytest.approx(0.04)


def test_another_joint_leaves_the_part_where_it_is() -> None:
    rig = gremio.put(gremio.unlink(gate(), "Gate"), {"Gate turn z": "25 deg"})
    there = world(rig, "Gate")
    for joint in ("ball", "fixed", "slide x"):
        np.testing.assert_allclose(world(gremio.set_joint(rig, "Gate", joint), "Gate"), there,
                                   atol=1e-12)  # fmt: skip
    with pytest.raises(gremio.GremioError, match="can't have the joint 'hing z'"):
        gremio.set_joint(rig, "Gate", "hing z")


def test_what_is_mounted_elsewhere_stays_and_what_is_placed_goes() -> None:
    rig = gate()
    for on in ("", "Quay"):
        moved = gremio.mount_on(rig, "Gate", on)
        np.testing.assert_allclose(world(moved, "Gate"), world(rig, "Gate"), atol=1e-12)
        assert gremio.solve(moved, {"Open": "10 deg"}).value("Gate") == pytest.approx(
            math.radians(10)
        )
    with pytest.raises(gremio.GremioError, match="Mount Gate elsewhere first"):
        gremio.mount_on(rig, "Post", "Gate")
    placed = gremio.place(rig, "Post", at=("1 m", 0, "1.5 m"))
    quay = world(rig, "Quay")
    np.testing.assert_allclose(world(placed, "Post")[:3, 3], (quay @ [1, 0, 1.5, 1])[:3])
    turned = gremio.place(placed, "Post", turned=(0, 0, "90 deg"))
    np.testing.assert_allclose(world(turned, "Post")[:3, 3], world(placed, "Post")[:3, 3])
    np.testing.assert_allclose(world(turned, "Post")[:3, 0], quay[:3, 1], atol=1e-12)


def test_a_joint_goes_elsewhere_while_its_part_stays() -> None:
    rig = gremio.move_joint(gate(), "Gate", at=(1, 0, 0), along=(0, 1, 0))
    home = world(gate(), "Gate")
    np.testing.assert_allclose(world(rig, "Gate"), home, atol=1e-12)
    turned = world(rig, "Gate", Open="40 deg")
    # The point of the joint, and the way of its axis, stay: it turns about them.
    np.testing.assert_allclose(turned @ [1, 0, 0, 1], home @ [1, 0, 0, 1], atol=1e-12)
    np.testing.assert_allclose(turned[:3, 1], home[:3, 1], atol=1e-12)
    other = gremio.turn_round(gate(), "Gate")
    back = np.linalg.inv(home) @ world(other, "Gate", Open="40 deg")
    ahead = np.linalg.inv(home) @ world(gate(), "Gate", Open="40 deg")
    np.testing.assert_allclose(back, np.linalg.inv(ahead), atol=1e-12)


def test_stops_home_and_links_are_changed_by_the_names_of_channels() -> None:
    rig = gremio.set_stops(gate(), "Gate turn z", "-5 deg", None, soft="2 deg")
    stops = rig.parts[part_id(rig, "Gate")].stops["turn z"]
    assert stops.high is None and stops.low == pytest.approx(math.radians(-5))
    assert stops.soft == pytest.approx(math.radians(2))
    with pytest.raises(gremio.GremioError, match="no channel of a part"):
        gremio.set_stops(rig, "Open", 0, 1)
    free = gremio.put(gremio.unlink(rig, "Gate"), {"Gate": "30 deg"})
    home = gremio.set_home(free, "Gate")
    np.testing.assert_allclose(world(home, "Gate"), world(free, "Gate"), atol=1e-12)
    assert gremio.solve(home).value("Gate") == 0.0
    assert home.parts[part_id(home, "Gate")].stops["turn z"].low == pytest.approx(math.radians(-35))
    with pytest.raises(gremio.GremioError, match="No link leads Gate"):
        gremio.unlink(free, "Gate")


def test_the_whole_is_put_on_the_ground_measured_and_locked() -> None:
    rig = gremio.put_on_ground(gate())
    low = world(rig, "Quay")[2, 3] - 0.5
    assert low == pytest.approx(0.0)
    rig = gremio.measure(rig, "Reach", ("Quay", (0, 0, 0)), ("Gate", (1, 0, 0)))
    (reach,) = rig.measures.values()
    pose = gremio.solve(rig)
    assert measured(rig, reach, pose.world, pose.program.geometry) == pytest.approx(
        math.sqrt(1 + 1 + 1.5**2)
    )
    assert gremio.lock(rig).locked and not gremio.lock(gremio.lock(rig), locked=False).locked
    assert gremio.put_on_ground(gremio.Rig()) == gremio.Rig()


def test_stray_scale_goes_into_the_shapes() -> None:
    rig = gate()
    post = part_id(rig, "Post")
    from msgspec.structs import replace

    stretched = replace(rig.parts[post], mount=replace(rig.parts[post].mount, scale=(2, 2, 2)))
    rig = replace(rig, parts={**rig.parts, post: stretched})
    mended = gremio.take_scale_out(rig, "Post")
    assert mended.parts[post].mount.scale == (1, 1, 1)
    end = [0, 0, 1, 1]
    there = world(mended, "Post") @ (np.diag([2, 2, 2, 1]) @ end)
    np.testing.assert_allclose(there, world(rig, "Post") @ end)
