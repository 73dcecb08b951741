"""Copying a part, with all it carries and what ties it."""

from __future__ import annotations

import numpy as np
import pytest

import gremio
from gremio.core.edit.controls import set_values
from gremio.core.make.copying import copy_part
from gremio.core.problem import GremioError
from gremio.core.rig.channels import key
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Formula, Rig, Targeted
from gremio.core.rig.solids import Box


def crane() -> Rig:
    made = gremio.Builder("Quay")
    made.part("Mast", gremio.shape(Box(length=0.3, width=0.3, height=4)), joint="spin z")
    made.part("Jib", on="Mast", at=(0.5, 0, 3), joint="hinge y")
    made.part("Hook", on="Jib", at=(4, 0, 0), joint="hinge y")
    made.part("Lamp", gremio.shape(Box(length=0.1, width=0.1, height=0.1)), at=(4, 0, 2),
              joint="free")  # fmt: skip
    return made.rig


def test_a_copy_carries_copies_and_stands_where_the_part_stands() -> None:
    rig = crane()
    jib = part_id(rig, "Jib")
    rig = set_values(rig, {key(jib, "turn y"): 0.4})
    rig = gremio.path(rig, "Rail", [(0, 0, 0), (3, 0, 0)], on="Jib")
    made, copy = copy_part(rig, part_id(rig, "Mast"))
    assert sorted(p.name for p in made.parts.values()) == sorted(
        ["Mast", "Jib", "Hook", "Lamp", "Mast 2", "Jib 2", "Hook 2"]
    )
    assert made.parts[part_id(made, "Hook 2")].parent == part_id(made, "Jib 2")
    pose = gremio.solve(made)
    for name in ("Mast", "Jib", "Hook"):
        assert pose.part(f"{name} 2").world == pytest.approx(pose.part(name).world)
    assert made.parts[copy].name == "Mast 2"
    paths = {path.name: path.on for path in made.paths.values()}
    assert paths == {"Rail": jib, "Rail 2": part_id(made, "Jib 2")}
    # The copy goes by itself.
    moved = gremio.solve(made, {"Jib 2": 1.0})
    assert moved.value("Jib", "turn y") == pytest.approx(0.4)


def test_what_ties_the_parts_to_each_other_ties_the_copies_to_each_other() -> None:
    rig = gremio.constrain(crane(), "ride", "Lamp", "Hook")
    made, _ = copy_part(rig, part_id(rig, "Lamp"))
    ties = {made.parts[c.part].name: c for c in made.constraints.values()}
    assert set(ties) == {"Lamp", "Lamp 2"}
    copied = ties["Lamp 2"]
    assert isinstance(copied, Targeted) and copied.targets[0].on == part_id(made, "Hook")
    assert copied.name != ties["Lamp"].name
    pose = gremio.solve(made, {"Mast": 0.7})
    assert pose.part("Lamp 2").world == pytest.approx(pose.part("Lamp").world)


def test_a_chain_that_reaches_is_copied_with_its_own_joints() -> None:
    rig = crane()
    rig = gremio.constrain(rig, "reach", "Hook", "Lamp")
    made, _ = copy_part(rig, part_id(rig, "Mast"))
    for constraint in made.constraints.values():
        name = made.parts[constraint.part].name
        own = {made.parts[channel.split(" ")[0]].name for channel in constraint.channels}
        assert all(one.endswith(" 2") == name.endswith(" 2") for one in own), (name, own)
    pose = gremio.solve(made)
    assert np.isfinite(pose.worlds).all()
    assert pose.part("Hook 2").world == pytest.approx(pose.part("Hook").world, abs=1e-6)


def test_a_part_that_is_not_there_is_not_copied() -> None:
    with pytest.raises(GremioError, match="no part"):
        copy_part(crane(), "p99")


def test_what_leads_a_grip_or_a_rope_leads_that_of_the_copy() -> None:
    """A copy lost what led how much it is held, and how long its rope is."""
    b = gremio.Builder("Hoist")
    b.part("Hook", at=(3, 0, 2))
    b.part("Post")
    b.part("Arm", on="Post", joint="free")
    b.part("Load", on="Arm", at=(0, 0, -1))
    b.control("Hold", 0.0, 1.0, kind="number", unit="%")
    b.control("Slack", "1 m", "2 m", kind="length")
    rig = gremio.constrain(b.rig, "pin", "Arm", "Hook", name="Held")
    rig = gremio.strand(rig, "hose", ("Arm", (0, 0, 0)), ("Load", (0, 0, 0)), length=1.2)
    (rope,) = rig.strands.values()
    rig = gremio.formula(rig, "Held grip", "Hold")
    rig = gremio.formula(rig, f"{rope.name} length", "Slack")
    rig, _ = copy_part(rig, part_id(rig, "Post"))
    pose = gremio.solve(rig, {"Hold": 0.25, "Slack": 1.5})
    grips = [pose.at(key(i, "grip")) for i in rig.constraints]
    lengths = [pose.at(key(i, "length")) for i in rig.strands]
    assert grips == [0.25, 0.25] and lengths == [1.5, 1.5]
    assert len([link for link in rig.links.values() if isinstance(link, Formula)]) == 4
