from __future__ import annotations

import json
import math
from pathlib import Path

import numpy as np
import pinocchio
import pytest
from msgspec.structs import replace
from typer.testing import CliRunner

import gremio
from gremio.command.main import app
from gremio.core.edit.builder import shape
from gremio.core.edit.links import add_link
from gremio.core.files import rig_file
from gremio.core.files.atomic import FileProblem
from gremio.core.files.sources import model_shelf
from gremio.core.files.urdf_in import read_urdf
from gremio.core.files.urdf_out import write_urdf
from gremio.core.frames import Frame
from gremio.core.plan.joints import APPLIED
from gremio.core.rig.cams import cam_through
from gremio.core.rig.channels import freed, key
from gremio.core.rig.model import Joint, Part, Ratio, Rig, Shape, Stops
from gremio.core.rig.solids import Ball, Box, Cylinder, SpurGear
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate

SINGLE = ("fixed", "hinge", "spin", "slide", "cylinder", "wheel", "ball")


def random_rig(rng: np.random.Generator, count: int = 14) -> Rig:
    parts: dict[str, Part] = {}
    for index in range(count):
        turn = rng.normal(size=4)
        turn /= np.linalg.norm(turn)
        kind = str(rng.choice(SINGLE))
        axis = str(rng.choice(["x", "y"] if kind == "wheel" else ["x", "y", "z"]))
        parent = None if index == 0 else f"p{rng.integers(index)}"
        frame = Frame(tuple(rng.normal(size=3)), tuple(turn))
        parts[f"p{index}"] = Part(f"Part {index}", parent, frame, Joint(kind, axis))
    return Rig(parts=parts)


@pytest.mark.parametrize("seed", range(5))
def test_written_frames_against_pinocchio(seed: int, tmp_path: Path) -> None:
    """Another library reads what was written, and puts every link where the pose has it."""
    rng = np.random.default_rng(seed)
    rig = random_rig(rng)
    file = tmp_path / "machine.urdf"
    write_urdf(rig, file, model_shelf())
    model = pinocchio.buildModelFromUrdf(str(file))
    data = model.createData()
    values = {
        key(p, c): float(rng.uniform(-3, 3))
        for p, part in rig.parts.items()
        for c in freed(part.joint)
    }
    q = pinocchio.neutral(model)
    for channel, value in values.items():
        owner, name = channel.split(" ", 1)
        part = rig.parts[owner]
        last = [c for c in APPLIED if c in freed(part.joint)][-1]
        joint = f"{part.name} joint" if name == last else f"{part.name} {name} joint"
        index = model.getJointId(joint)
        place = model.joints[index].idx_q
        if model.joints[index].nq == 2:
            q[place : place + 2] = math.cos(value), math.sin(value)
        else:
            q[place] = value
    pinocchio.framesForwardKinematics(model, data, q)
    pose = evaluate(compile_rig(rig, geometry_of), values).frame(0)
    for part_id, part in rig.parts.items():
        frame = data.oMf[model.getFrameId(part.name)]
        assert pose.world(part_id) == pytest.approx(frame.homogeneous, abs=1e-9)


@pytest.mark.parametrize("seed", range(4))
def test_read_frames_against_pinocchio(seed: int, tmp_path: Path) -> None:
    """A URDF with oblique axes stands and moves as another library says."""
    rng = np.random.default_rng(100 + seed)
    text = ['<robot name="crane"><link name="base"/>']
    kinds = ["revolute", "prismatic", "continuous", "fixed"]
    names = ["base"]
    for i in range(10):
        kind = kinds[int(rng.integers(4))]
        axis = rng.normal(size=3)
        axis = axis / np.linalg.norm(axis) if i % 2 else np.eye(3)[i % 3] * (-1) ** i
        xyz, rpy = rng.normal(size=3), rng.uniform(-3, 3, 3)
        words = [" ".join(map(repr, map(float, v))) for v in (xyz, rpy, axis)]
        text.append(
            f'<link name="l{i}"/><joint name="j{i}" type="{kind}">'
            f'<parent link="{rng.choice(names)}"/>'
            f'<child link="l{i}"/><origin xyz="{words[0]}" rpy="{words[1]}"/>'
            f'<axis xyz="{words[2]}"/>'
            '<limit lower="-4" upper="4" effort="0" velocity="0"/></joint>'
        )
        names.append(f"l{i}")
    file = tmp_path / "crane.urdf"
    file.write_text("".join(text) + "</robot>")
    rig, notes = read_urdf(file, model_shelf())
    assert notes == []
    model = pinocchio.buildModelFromUrdf(str(file))
    data, q, values = model.createData(), pinocchio.neutral(model), {}
    for control_id, control in rig.controls.items():
        value = float(rng.uniform(-3, 3))
        values[control.name] = min(max(value, control.low), control.high)
        index = model.getJointId(control.name)
        place = model.joints[index].idx_q
        if model.joints[index].nq == 2:
            q[place : place + 2] = math.cos(values[control.name]), math.sin(values[control.name])
        else:
            q[place] = values[control.name]
        assert control_id in rig.controls
    pinocchio.framesForwardKinematics(model, data, q)
    pose = gremio.solve(rig, values)
    for name in names:
        there = data.oMf[model.getFrameId(name)].homogeneous
        assert pose.part(name).world == pytest.approx(there, abs=1e-9)


AXES = ("0 0 -1", "0.6 0 0.8", "-1 0 0", "0.36 0.48 -0.8")


@pytest.mark.parametrize("axis", AXES)
@pytest.mark.parametrize("kind", ["revolute", "prismatic"])
def test_an_axis_any_way_comes_in_poses_and_goes_out_with_every_frame(
    axis: str, kind: str, tmp_path: Path
) -> None:
    """Each link keeps the frame its file gives it, against another library: read, as the command
    tells it, and written out again."""
    file = tmp_path / "arm.urdf"
    file.write_text(
        '<robot name="arm"><link name="base"/><link name="arm"/><link name="tip"/>'
        f'<joint name="swing" type="{kind}"><parent link="base"/><child link="arm"/>'
        f'<origin xyz="0.3 -0.2 1" rpy="0.4 0.2 -0.7"/><axis xyz="{axis}"/>'
        '<limit lower="-2" upper="2" effort="0" velocity="0"/></joint>'
        '<joint name="end" type="fixed"><parent link="arm"/><child link="tip"/>'
        '<origin xyz="0 0.5 0.1" rpy="0 0 0.3"/></joint></robot>'
    )
    rig, notes = read_urdf(file, model_shelf())
    assert notes == []
    again = tmp_path / "again.urdf"
    assert write_urdf(rig, again, model_shelf()) == []
    saved = tmp_path / "arm.gremio"
    rig_file.write(rig, saved)
    for value in (-1.3, 0.0, 0.9):
        model = pinocchio.buildModelFromUrdf(str(file))
        back = pinocchio.buildModelFromUrdf(str(again))
        unit = "rad" if kind == "revolute" else "m"
        told = CliRunner().invoke(
            app, ["pose", str(saved), "--set", f"swing={value} {unit}", "--json"]
        )
        assert told.exit_code == 0, told.output
        parts = json.loads(told.output)["parts"]
        pose = gremio.solve(rig, {"swing": value})
        (joint,) = [rig.parts[p] for p in rig.parts if rig.parts[p].name == "arm"]
        assert freed(joint.joint)
        for name in ("arm", "tip"):
            there = _frame(model, "swing", value, name)
            assert pose.part(name).world == pytest.approx(there, abs=1e-9)
            assert np.reshape(parts[name]["world"], (4, 4)) == pytest.approx(there, abs=1e-9)
            sign = _frame(back, back.names[1], value, name)
            assert sign == pytest.approx(there, abs=1e-9)


def _frame(model: pinocchio.Model, joint: str, value: float, link: str) -> np.ndarray:
    data, q = model.createData(), pinocchio.neutral(model)
    q[model.joints[model.getJointId(joint)].idx_q] = value
    pinocchio.framesForwardKinematics(model, data, q)
    return data.oMf[model.getFrameId(link)].homogeneous


def test_shapes_colours_stops_and_ratios_go_out_and_come_back(tmp_path: Path) -> None:
    build = gremio.Builder("Winch")
    build.part("Frame", shape(Box(length=2, width=1, height=0.5), (0, 0, 0.25), paint="#cfa76b"))
    build.part(
        "Drum", shape(Cylinder(diameter=0.4, height=1), turned=("90 deg", 0, 0)),
        on="Frame", at=(0, 0, 1), joint="hinge y", stops=("-90 deg", "90 deg"),
    )  # fmt: skip
    gear = SpurGear(module=0.01, teeth=20, width=0.05)
    build.part(
        "Gear", shape(gear), shape(Ball(diameter=0.1)), on="Frame", at=(1, 0, 1), joint="spin y"
    )
    build.control("Crank", "-90 deg", "90 deg")
    build.ratio("Crank", "Drum", 0.5)
    build.ratio("Drum", "Gear", -3)
    file = tmp_path / "winch.urdf"
    assert write_urdf(build.rig, file, model_shelf()) == []
    back, notes = read_urdf(file, model_shelf())
    assert notes == []
    names = {part.name: part for part in back.parts.values()}
    assert set(names) == {"ground", "Frame", "Drum", "Gear"}
    assert names["Drum"].stops == {"turn y": Stops(-math.pi / 2, math.pi / 2)}
    assert names["Frame"].shapes[0].paint == "#cfa76b"
    assert isinstance(names["Gear"].shapes[1].solid, Ball)
    assert (tmp_path / "winch-meshes" / "gear-1.stl").exists()
    assert [c.name for c in back.controls.values()] == ["Drum joint"]
    pose = gremio.solve(back, {"Drum joint": 0.5})
    assert pose.value("Gear") == pytest.approx(-1.5)
    was = gremio.solve(build.rig, {"Crank": 1.0})
    for name in ("Frame", "Drum", "Gear"):
        assert pose.part(name).world == pytest.approx(was.part(name).world, abs=1e-9)


def test_what_urdf_can_not_carry_is_listed(tmp_path: Path, hatch: Rig) -> None:
    flap, shutter = "p2 turn y", "p3 turn y"
    rig, _ = add_link(hatch, cam_through(flap, shutter, [(0, 0), (1, 1)]))
    soft = replace(rig.parts["p2"], stops={"turn y": Stops(-1.5, 0.0, soft=0.2)})
    stretched = replace(rig.parts["p1"], mount=Frame(scale=(2.0, 2.0, 2.0)))
    rig = replace(rig, parts={**rig.parts, "p1": stretched, "p2": soft})
    notes = write_urdf(rig, tmp_path / "hatch.urdf", model_shelf())
    assert {n.code for n in notes} == {"urdf-scale", "urdf-link", "urdf-soft"}
    assert any("the cam from Flap to Shutter" in n.text for n in notes)


def test_the_demo_goes_out_and_comes_back(tmp_path: Path, lock: Rig) -> None:
    file = tmp_path / "lock.urdf"
    write_urdf(lock, file, model_shelf())
    back, notes = read_urdf(file, model_shelf())
    assert notes == [] and not gremio.solve(back).notes
    was, now = gremio.solve(lock), gremio.solve(back)
    for part in lock.parts.values():
        assert now.part(part.name).world[:3, 3] == pytest.approx(was.part(part.name).world[:3, 3])


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("", "no whole XML"),
        ("<robot", "no whole XML"),
        ("<model/>", "begins with <model>"),
        ("<robot/>", "has no links"),
        ('<!DOCTYPE robot [<!ENTITY a "b">]><robot>&a;</robot>', "document type"),
        ('<robot><link name="a"/><joint name="j" type="fixed"><parent link="a"/>'
         '<child link="b"/></joint></robot>',
         "has the child 'b', which is no link"),
        ('<robot><link name="a"/><link name="b"/><joint name="j" type="magic"><parent link="a"/>'
         '<child link="b"/></joint></robot>', "is of type 'magic'"),
        ('<robot><link name="a"/><link name="b"/><joint name="j" type="fixed"><parent link="a"/>'
         '<child link="b"/></joint><joint name="k" type="fixed"><parent link="b"/><child link="a"/>'
         "</joint></robot>", "in a ring"),
    ],
)  # fmt: skip
def test_a_broken_urdf_gets_a_clear_message(text: str, message: str, tmp_path: Path) -> None:
    file = tmp_path / "broken.urdf"
    file.write_text(text)
    with pytest.raises(FileProblem, match=message):
        read_urdf(file, model_shelf())


def test_what_is_odd_in_a_urdf_is_noted_and_read_on(tmp_path: Path) -> None:
    file = tmp_path / "odd.urdf"
    file.write_text(
        '<robot name="odd"><material name="rust"><color rgba="0.5 0.25 0 1"/></material>'
        '<link name="a"><visual><geometry><mesh filename="package://odd/lost.stl"/></geometry></visual>'
        '<visual><geometry><sphere radius="0.5"/></geometry><material name="rust"/></visual>'
        '<visual><geometry><mesh filename="odd.dae"/></geometry></visual><collision/></link>'
        '<link name="b"/><joint name="j" type="revolute"><parent link="a"/><child link="b"/>'
        '<origin xyz="1 two 3"/><axis xyz="0 0 0"/><limit lower="1" upper="-1"/>'
        '<mimic joint="nobody"/></joint></robot>'
    )
    rig, notes = read_urdf(file, model_shelf())
    assert {n.code for n in notes} == {
        "urdf-mesh", "urdf-number", "urdf-axis", "urdf-limits", "urdf-mimic", "urdf-left-out",
    }  # fmt: skip
    assert rig.parts["p1"].shapes == (Shape(Ball(diameter=1.0), paint="#804000"),)
    assert isinstance(next(iter(rig.links.values())), Ratio)


def test_constraints_and_strands_are_told_as_left_out(tmp_path: Path) -> None:
    build = gremio.Builder("Hoist")
    build.part("Post")
    build.part("Hook", at=(0.4, 0, 0), joint="slide z")
    build.part("Crate", at=(1, 0, 0))
    rig = gremio.constrain(build.rig, "ride", "Crate", "Hook")
    rig = gremio.strand(rig, "rope", ("Post", (0, 0, 1)), ("Hook", (0, 0, 0)))
    told = write_urdf(rig, tmp_path / "hoist.urdf", model_shelf())
    notes = {note.code: note.text for note in told}
    assert "Crate rides on Hook" in notes["urdf-constraint"] and "Rope" in notes["urdf-strand"]
