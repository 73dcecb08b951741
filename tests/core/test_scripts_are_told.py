"""What a script gets wrong is said at once, with the way out; what can't be read is not saved."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.controls import add_control, add_leading
from gremio.core.edit.links import add_link
from gremio.core.edit.parts import set_shapes
from gremio.core.files import rig_file
from gremio.core.files.atomic import FileProblem
from gremio.core.problem import GremioError
from gremio.core.rig.model import Control, Ratio, Rig
from gremio.core.rig.solids import Box, Cylinder


def hinge() -> Rig:
    build = gremio.Builder("Hinge")
    build.part("Leaf", Box(length=1, width=0.1, height=2), joint="hinge z")
    return build.rig


def test_a_channel_that_is_none_is_refused_with_those_there_are() -> None:
    pose = gremio.solve(hinge(), {"Leaf": 0.4})
    assert pose.value("Leaf", "turn z") == pose.value("Leaf") == 0.4
    # What is grounded is at home, and a number of it is one too.
    assert pose.value("Leaf", "move x") == 0.0 and pose.value("Leaf", "shown") == 1.0
    with pytest.raises(gremio.NotFound, match="Did you mean 'turn z'"):
        pose.value("Leaf", "turm z")
    with pytest.raises(gremio.NotFound, match=r"called 'banana'. There is move x, move y"):
        pose.value("Leaf", "banana")


def test_a_solid_is_taken_for_a_shape_and_what_is_none_is_refused(tmp_path: Path) -> None:
    rig = hinge()
    gremio.save(rig, tmp_path / "a.gremio")
    assert gremio.load(tmp_path / "a.gremio") == rig
    with pytest.raises(GremioError, match="was given str for a shape"):
        gremio.Builder("B").part("B", "box")  # type: ignore[arg-type]
    (part,) = rig.parts
    with pytest.raises(GremioError, match="was given Cylinder for a shape"):
        set_shapes(rig, part, (Cylinder(diameter=1, height=1),))  # type: ignore[arg-type]


def test_nothing_is_saved_that_could_not_be_opened(tmp_path: Path) -> None:
    """Made by hand past every edit; the file of before stays."""
    file = tmp_path / "a.gremio"
    gremio.save(hinge(), file)
    (part,) = hinge().parts
    spoiled = replace(hinge(), parts={part: replace(hinge().parts[part], shapes=("box",))})  # type: ignore[arg-type]
    with pytest.raises(FileProblem, match="can't be saved: something in it is not what it should"):
        rig_file.write(spoiled, file)
    assert gremio.load(file) == hinge()


def test_controls_made_all_at_once_are_as_those_made_one_by_one() -> None:
    build = gremio.Builder("Row")
    for number in range(6):
        build.part(f"Wheel {number}", joint="spin z")
    controls = [Control(f"Turn {n}", "angle", "deg", -math.pi, math.pi) for n in range(6)]
    channels = [f"{part} turn z" for part in build.rig.parts]
    together = add_leading(build.rig, list(zip(controls, channels, strict=True)))
    single = build.rig
    for control, channel in zip(controls, channels, strict=True):
        single, made = add_control(single, control)
        single, _ = add_link(single, Ratio(made, channel, 1.0))
    assert together == single
    with pytest.raises(GremioError, match=r"leads|led"):
        add_leading(together, [(replace(controls[0], name="Again"), channels[0])])
    with pytest.raises(GremioError):
        add_leading(build.rig, [(controls[0], channels[0]), (controls[0], channels[1])])
