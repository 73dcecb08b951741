"""The scripting face lists what it has, and says what a call does."""

from __future__ import annotations

import math
import pydoc
import sys
import types
from pathlib import Path

import numpy as np
import pytest
import trimesh

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


def test_poses_are_written_as_tables() -> None:
    poses = gremio.sweep(door(), "Open", 4)
    rows = poses.to_csv("Open", "Leaf").splitlines()
    assert rows[0] == "Open [rad],Leaf turn z [rad]" and len(rows) == 5
    assert [float(v) for v in rows[-1].split(",")] == [poses["Open"][-1], poses["Leaf"][-1]]
    assert poses.to_csv("Open", shown=True).splitlines()[1:] == ["0.0", "30.0", "60.0", "90.0"]
    assert len(poses.to_csv().splitlines()[0].split(",")) == len(poses.program.channel_keys)
    with pytest.raises(gremio.NotFound, match="Lef"):
        poses.to_csv("Lef")


def test_a_frame_of_pandas_or_a_word_that_it_is_not_there(monkeypatch: pytest.MonkeyPatch) -> None:
    poses = gremio.sweep(door(), "Open", 4)
    monkeypatch.setitem(sys.modules, "pandas", None)
    with pytest.raises(gremio.GremioError, match="needs pandas"):
        poses.to_frame("Open")
    fake = types.SimpleNamespace(DataFrame=lambda values, columns: (values.shape, columns))
    monkeypatch.setitem(sys.modules, "pandas", fake)
    assert poses.to_frame("Open", "Bolt", shown=True) == ((4, 2), ["Open [deg]", "Bolt move x [m]"])


def test_a_picture_is_of_the_pose_and_a_notebook_shows_it(tmp_path: Path) -> None:
    b = gremio.Builder("Mast")
    b.part("Mast", gremio.Cylinder(0.1, 2.0))
    b.part("Arm", gremio.shape(gremio.Box(1.0, 0.05, 0.05), at=(0.5, 0, 0)), on="Mast",
           joint="hinge y")  # fmt: skip
    b.control("Raise", "0 deg", "80 deg")
    b.ratio("Raise", "Arm", -1)
    low = gremio.picture(b.rig, size=(160, 100))
    pose = gremio.solve(b.rig, {"Raise": "70 deg"})
    high = gremio.picture(pose, tmp_path / "arm.png", size=(160, 100))
    assert low.pixels.shape == (100, 160, 3) and (low.pixels != high.pixels).any()
    assert (tmp_path / "arm.png").read_bytes() == high.png == high._repr_png_()
    shown = pose._repr_png_()
    assert shown is not None and shown.startswith(b"\x89PNG")
    assert "data:image/png;base64," in pose._repr_html_() and "<td>70°</td>" in pose._repr_html_()
    with pytest.raises(gremio.GremioError, match="another ending"):
        gremio.picture(pose, tmp_path / "arm.jpg", size=(160, 100))
    with pytest.raises(gremio.GremioError, match="each side is from"):
        gremio.picture(pose, size=(4, 100))


def test_the_kind_of_a_control_is_said_by_its_units() -> None:
    b = gremio.Builder("Winch")
    b.control("Slew", "-0.5 turn", "0.5 turn")
    b.control("Way", "0 mm", "400 mm")
    b.control("Speed", -1, 1, unit="turn/s")
    b.control("Share", 0, 1, kind="number")
    assert [c.kind for c in b.rig.controls.values()] == ["angle", "length", "rate", "number"]
    for ends in ((0, 1), ("0", "1"), ("0 deg", "1 m")):
        with pytest.raises(gremio.GremioError, match="Say what Open goes in"):
            b.control("Open", *ends)
    with pytest.raises(gremio.GremioError, match="can't be in 'degs'"):
        b.control("Open", 0, 1, unit="degs")


def test_a_second_ratio_that_locks_is_told_when_it_is_made() -> None:
    b = gremio.Builder("Train")
    b.part("Pinion", joint="spin z")
    b.part("Wheel", joint="spin z", at=(1, 0, 0))
    b.ratio("Pinion", "Wheel", 0.5)
    with pytest.warns(UserWarning, match="so the train is locked"):
        b.ratio("Pinion", "Wheel", 2)
    with pytest.raises(gremio.GremioError, match=r"Pinion turn z can't be moved.*is locked"):
        gremio.solve(b.rig, {"Pinion": "10 deg"})


def test_a_constraint_has_just_what_its_kind_has() -> None:
    rig = gremio.constrain(door(), "tether", "Bolt", "Frame", distance=0.4, reach="within")
    (tether,) = rig.constraints.values()
    assert getattr(tether, "distance", 0) == 0.4
    with pytest.raises(gremio.GremioError, match="ride has no distance; tether has"):
        gremio.constrain(door(), "ride", "Bolt", "Frame", distance=0.4)
    rig = gremio.constrain(door(), "aim", "Bolt", "Frame", upright="target", toward="Leaf")
    with pytest.raises(TypeError, match="stand"):
        gremio.constrain(door(), "ride", "Bolt", "Frame", standoff=0.4)  # type: ignore[call-arg]


def test_two_rigs_are_merged_and_a_model_is_revised_by_names(tmp_path: Path) -> None:
    later = gremio.rename(door(), "Bolt", "Latch")
    assert gremio.compare(gremio.merge(door(), later), later) == []
    box = trimesh.creation.box((1.0, 2.0, 3.0))
    box.export(tmp_path / "lid.glb")
    rig = gremio.bring_in(gremio.Rig("Lid"), tmp_path / "lid.glb")
    assert gremio.changes(rig, tmp_path / "lid.glb") == []
    box.apply_scale(2.0)
    box.export(tmp_path / "lid.glb")
    (change,) = gremio.changes(rig, tmp_path / "lid.glb")
    assert change.how == "reshaped"
    up = gremio.revise(rig, tmp_path / "lid.glb")
    assert gremio.changes(up, tmp_path / "lid.glb") == []
    with pytest.raises(gremio.GremioError, match="no kind of change"):
        gremio.revise(rig, tmp_path / "lid.glb", ["bent"])
    with pytest.raises(gremio.GremioError, match="no models from files"):
        gremio.changes(door(), tmp_path / "lid.glb")


def test_a_kit_is_kept_put_in_and_brought_up_by_names(tmp_path: Path) -> None:
    b = gremio.Builder("Door")
    b.rig = door()
    b.part("Panel", gremio.shape(gremio.Box(0.8, 0.04, 2)), on="Leaf", joint="slide x")
    b.control("Width", "0.5 m", "2 m", home="0.8 m")
    rig = gremio.formula(b.rig, "Panel length", "Width")
    rig = gremio.formula(rig, "Panel move x", "Width / 2")
    kit = tmp_path / "door.gremio"
    gremio.keep_kit(rig, "Leaf", to=kit, name="Door", words=["gate"], ask=["Width"])
    b = gremio.Builder("Shed")
    b.part("Wall", gremio.Box(3, 0.2, 2))
    b.part("Crank", joint="spin y")
    shed = gremio.put_kit(b.rig, kit, on="Wall", at=("1 m", 0, 0), sizes={"Width": "1.4 m"},
                          answers={"Open": "Crank"})  # fmt: skip
    pose = gremio.solve(shed, {"Crank": "20 deg"})
    assert pose.value("Leaf", "turn z") == pytest.approx(math.radians(40))
    solid = shed.parts[part_id(shed, "Panel")].shapes[0].solid
    assert isinstance(solid, gremio.Box) and solid.length == pytest.approx(1.4)
    rig = gremio.rename(rig, "Bolt", "Latch")
    gremio.keep_kit(rig, "Leaf", to=kit, name="Door", ask=["Width"])
    assert [c.how for c in gremio.kit_changes(shed)] == ["renamed"]
    assert "Latch" in [p.name for p in gremio.update_kits(shed).parts.values()]
    with pytest.raises(gremio.NotFound, match="socket called 'Opn'"):
        gremio.put_kit(b.rig, kit, answers={"Opn": "Crank"})
