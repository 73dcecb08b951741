"""The scripting face lists what it has, and says what a call does."""

from __future__ import annotations

import math
import pydoc
from pathlib import Path

import numpy as np
import pytest

import gremio
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Rig


def test_dir_and_help_show_all_of_it() -> None:
    assert set(gremio.__all__) <= set(dir(gremio))
    told = pydoc.render_doc(gremio, renderer=pydoc.plaintext)
    for name in gremio.__all__:
        assert getattr(gremio, name).__doc__, name
        assert name in told, name


def test_mirror_and_copy_by_names() -> None:
    b = gremio.Builder("Doors")
    b.part("Frame", at=(0, 3, 0))
    b.part("Door, left", on="Frame", at=(0, 1, 0), joint="hinge z")
    b.control("Open", "0 deg", "90 deg")
    b.ratio("Open", "Door, left", 1)
    rig = gremio.mirror(b.rig, "Door, left", of="Frame")
    pose = gremio.solve(rig, {"Open": "40 deg"})
    assert pose.world(part_id(rig, "Door, right"))[:3, 3].tolist() == pytest.approx([0, 2, 0])
    rig = gremio.copy(rig, "Door, right", aside=(2, 0, 0))
    assert len(rig.parts) == 4
    with pytest.raises(gremio.NotFound, match="Door, lef"):
        gremio.mirror(rig, "Door, lef")
    b.part("Wagon", joint="slide x")
    b.part("Lamp", on="Wagon", at=(1, 1, 0))
    with pytest.warns(UserWarning, match="moves against the mirror"):
        gremio.mirror(b.rig, "Lamp", across="x")


def door() -> Rig:
    b = gremio.Builder("Door")
    b.part("Frame")
    b.part("Leaf", on="Frame", at=(0.5, 0, 0), joint="hinge z")
    b.part("Bolt", on="Leaf", joint="slide x")
    b.control("Open", "0 deg", "90 deg")
    b.ratio("Open", "Leaf", 2)
    return b.rig


def test_poses_are_told_by_names_numbers_and_slices() -> None:
    poses = gremio.sweep(door(), "Open", 10)
    assert len(poses) == 10 and len(poses[2:5]) == 3 and len(poses[np.array([1, 7])]) == 2
    assert [pose.control("Open") for pose in poses] == poses["Open"].tolist()
    assert poses["Leaf turn z"] == pytest.approx(2 * poses["Open"])
    assert poses["Open", "deg"] == pytest.approx(np.linspace(0, 90, 10))
    assert poses[-1].control("Open") == poses["Open"][-1]
    leaf = poses.part("Leaf")
    assert (
        leaf.world.shape == (10, 4, 4) and (leaf.channels["turn z"] == poses["Leaf turn z"]).all()
    )
    with pytest.raises(IndexError, match="10 poses"):
        poses[10]
    with pytest.raises(gremio.NotFound, match="Open"):
        poses["Opn"]
    with pytest.raises(gremio.GremioError, match=r"not told in .mm.*deg"):
        poses["Open", "mm"]


def test_how_fast_a_channel_goes_is_its_derivative() -> None:
    rig = gremio.routine(door(), "Swing", 4, rate=50)
    rig = gremio.key(rig, 0, {"Open": 0.0}, profile="straight")
    rig = gremio.key(rig, 4, {"Open": 1.2})
    baked = gremio.bake(rig)
    assert baked.velocity("Open") == pytest.approx(0.3) and len(baked) == 201
    assert baked.velocity("Leaf turn z") == pytest.approx(0.6)


def test_what_is_printed_is_short_and_nothing_throws(lock: Rig) -> None:
    """A sweep of the lock was a million characters, and to compare two poses threw."""
    poses = gremio.sweep(lock, "Upper gates", 5)
    for thing in (lock, poses, poses[1], poses.program, gremio.bake(lock, times=[0.0, 1.0])):
        assert len(repr(thing)) < 200 and "Saltmarsh" in repr(thing)
    assert poses == poses and poses != gremio.sweep(lock, "Upper gates", 5)
    assert poses[0] != poses[1]
    shown = gremio.solve(lock, {"Upper gates": "99 deg"})._repr_html_()
    assert "<td>Upper gates</td>" in shown and "its range ends at" in shown
    assert gremio.Builder("A <b>").rig == gremio.Builder("A <b>").rig
    assert "&lt;b&gt;" in gremio.solve(gremio.Builder("A <b>").rig)._repr_html_()


def test_a_rig_is_brought_in_renamed_put_removed_and_exported(tmp_path: Path) -> None:
    b = gremio.Builder("Own")
    b.part("Post", gremio.Box(0.2, 0.2, 2))
    b.part("Gate", gremio.Box(1, 0.1, 1), on="Post", joint="hinge z")
    b.control("Open", "0 deg", "90 deg")
    b.ratio("Open", "Gate", 1)
    gremio.export(b.rig, tmp_path / "own.glb")
    rig = gremio.bring_in(gremio.Rig(), tmp_path / "own.glb")
    assert {"Post", "Gate"} <= {part.name for part in rig.parts.values()}
    assert gremio.bring_in(gremio.Rig(), tmp_path / "own.glb", unit="mm") != rig
    with pytest.raises(gremio.GremioError, match="no unit of length"):
        gremio.bring_in(gremio.Rig(), tmp_path / "own.glb", unit="stone")
    rig = gremio.rename(b.rig, "Gate", "Leaf")
    assert gremio.solve(rig, {"Open": "20 deg"}).value("Leaf", "turn z") == pytest.approx(0.349066)
    with pytest.raises(gremio.GremioError, match="already the name"):
        gremio.rename(rig, "Leaf", "Post")
    with pytest.raises(gremio.NotFound, match="There is Post, Leaf, Open"):
        gremio.rename(rig, "Gat", "Leaf")
    rig = gremio.put(rig, {"Open": "30 deg"})
    assert gremio.solve(rig).control("Open") == pytest.approx(math.radians(30))
    told = gremio.export(rig, tmp_path / "leaf.glb", control="Open", seconds=1)
    assert any("keys" in note.text for note in told)
    # A control goes with its links, a part with all it carries.
    rig = gremio.remove(rig, "Open")
    assert not rig.controls and not rig.links and len(rig.parts) == 2
    with pytest.raises(gremio.NotFound, match="Did you mean 'Leaf'"):
        gremio.remove(rig, "Leav")
    assert not gremio.remove(rig, "Post").parts


def test_solids_say_their_units() -> None:
    for name in ("Box", "Cylinder", "Ball", "Tube", "Wedge", "Plate", "SpurGear", "InternalGear",
                 "RackBar"):  # fmt: skip
        assert "metres" in getattr(gremio, name).__doc__
