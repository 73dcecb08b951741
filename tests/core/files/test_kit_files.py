"""Kits in files: looked through, put in, and taken up anew."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
import trimesh
from msgspec.structs import replace
from tests.core.make.test_kits import deck, door, keep, surfaces

import gremio
from gremio.core.edit.parts import change_part, set_stops
from gremio.core.files import rig_file
from gremio.core.files.kits import (
    brought_up,
    forget_kit,
    kits_in,
    later,
    later_kits,
    put_kit,
    read_kit,
)
from gremio.core.files.sources import model_shelf
from gremio.core.problem import GremioError
from gremio.core.rig.channels import key
from gremio.core.rig.find import channel_key, control_id, part_id
from gremio.core.rig.model import Rig, Stops
from gremio.core.rig.solids import Box

_ON_HULL = "Hull"


def kept(folder: Path, rig: Rig | None = None) -> Path:
    """A door kept as a kit in a folder."""
    kit, _ = keep(door() if rig is None else rig, "Hinge", dimensions=("Width",))
    assert kit.kit is not None
    told = replace(kit.kit, about="A door of any width", words=("gate", "lid"))
    path = folder / "door.gremio"
    rig_file.write(replace(kit, name="Door", kit=told), path)
    return path


def used(path: Path, width: float = 1.2) -> tuple[Rig, str]:
    """The barge with the door of a file on its hull."""
    rig, kit = deck(), read_kit(path)
    put = put_kit(
        rig, kit, path, on=part_id(rig, _ON_HULL), sizes={channel_key(kit, "Width"): width},
        answers={control_id(kit, "Open"): channel_key(rig, "Crank")},
        geometry=surfaces(rig), shelf=model_shelf(),
    )  # fmt: skip
    return put.rig, put.use


def test_a_folder_is_looked_through(tmp_path: Path) -> None:
    kept(tmp_path)
    rig_file.write(deck(), tmp_path / "barge.gremio")
    (tmp_path / "torn.gremio").write_bytes(b'{"gremio": 5, "rig": {"na')
    (tmp_path / "other.gremio").write_bytes(b"[1, 2]")
    found = {kit.name: kit for kit in kits_in([tmp_path, tmp_path / "none"])}
    assert set(found) == {"Door", "torn", "other"}
    assert "can't be read" in found["torn"].wrong
    assert found["Door"].found_by("gate any") and not found["Door"].found_by("gate crane")


def test_a_rig_that_is_none_is_refused_in_words(tmp_path: Path) -> None:
    rig_file.write(deck(), tmp_path / "barge.gremio")
    with pytest.raises(GremioError, match="is a rig, and no kit"):
        read_kit(tmp_path / "barge.gremio")


def test_a_rig_with_a_kit_comes_back_from_its_file_as_it_was(tmp_path: Path) -> None:
    rig, _ = used(kept(tmp_path))
    file = tmp_path / "deep" / "barge.gremio"
    file.parent.mkdir()
    rig_file.write(rig, file)
    again = rig_file.read(file)
    assert again == rig
    assert str(tmp_path) not in file.read_text()
    assert gremio.solve(again, {"Crank": 0.3}).value("Hinge", "turn z") == pytest.approx(0.3)


def test_what_changed_in_a_kit_is_shown_and_taken_or_left(tmp_path: Path) -> None:
    path = kept(tmp_path)
    rig, use = used(path)
    assert later_kits(rig) == []
    changed = door()
    changed = set_stops(changed, part_id(changed, "Bolt"), "move x", Stops(0.0, 0.06))
    b = gremio.Builder("Door")
    b.rig = gremio.formula(changed, "Leaf move x", "Width / 2 + 0.01 m")
    b.part("Knob", gremio.shape(Box(0.05, 0.05, 0.05)), on="Leaf", at=(0.3, 0, 0), joint="spin y")
    b.ratio("Open", "Knob", 3)
    kept(tmp_path, b.rig)
    assert later_kits(rig) == [use]
    found = later(rig, use, shelf=model_shelf())
    told = {change.difference.text for change in found.changes}
    assert "part Knob is new" in told
    assert "part Bolt: high stop of move x 0.04 m → 0.06 m" in told
    assert not any(change.here for change in found.changes)
    every = [change.difference for change in found.changes]
    up = brought_up(rig, found, every, geometry=surfaces(rig))
    assert later_kits(up) == []
    # As if the later kit had been put in at once, with the same answers.
    fresh, _ = used(path)
    for angle in (0.0, 0.5):
        one, two = gremio.solve(up, {"Crank": angle}), gremio.solve(fresh, {"Crank": angle})
        for name in ("Hinge", "Leaf", "Bolt", "Knob"):
            np.testing.assert_allclose(one.part(name).world, two.part(name).world, atol=1e-12)
    left = brought_up(rig, found, [], geometry=surfaces(rig))
    assert left.parts == rig.parts and later_kits(left) == []


def test_what_was_changed_here_too_is_marked(tmp_path: Path) -> None:
    path = kept(tmp_path)
    rig, use = used(path)
    bolt = part_id(rig, "Bolt")
    rig = set_stops(rig, bolt, "move x", Stops(0.0, 0.05))
    later_door = door()
    later_door = set_stops(later_door, part_id(later_door, "Bolt"), "move x", Stops(0.0, 0.06))
    later_door = set_stops(
        later_door, part_id(later_door, "Hinge"), "turn z", Stops(0.0, math.radians(100))
    )
    kept(tmp_path, later_door)
    found = later(rig, use, shelf=model_shelf())
    here = {change.difference.name: change.here for change in found.changes}
    assert here == {"Bolt": True, "Hinge": False}
    only = [c.difference for c in found.changes if not c.here]
    up = brought_up(rig, found, only, geometry=surfaces(rig))
    assert up.parts[bolt].stops["move x"].high == 0.05
    assert up.parts[part_id(up, "Hinge")].stops["turn z"].high == pytest.approx(math.radians(100))


def test_what_was_renamed_or_removed_here_is_found_by_what_it_was(tmp_path: Path) -> None:
    path = kept(tmp_path)
    rig, use = used(path)
    rig = gremio.rename(rig, "Hinge", "Wicket")
    rig = gremio.remove(rig, "Bolt")
    later_door = door()
    for name in ("Bolt", "Hinge"):
        part = part_id(later_door, name)
        later_door = change_part(later_door, part, replace(later_door.parts[part], note="oiled"))
    kept(tmp_path, later_door)
    found = later(rig, use, shelf=model_shelf())
    assert [c.difference.name for c in found.changes] == ["Hinge"]
    up = brought_up(rig, found, [c.difference for c in found.changes], geometry=surfaces(rig))
    assert up.parts[part_id(up, "Wicket")].note == "oiled"


def test_a_kit_that_is_forgotten_is_the_rigs_own(tmp_path: Path) -> None:
    rig, use = used(kept(tmp_path))
    own = forget_kit(rig, use)
    assert own.kits == {} and own.parts == rig.parts
    assert key(part_id(own, "Leaf"))


def test_a_kit_of_parts_that_were_brought_in_takes_their_model_along(tmp_path: Path) -> None:
    """Also where its nodes are called as ids are; and the model goes on to be known there."""
    scene = trimesh.Scene()
    for name, at in (("p1", 0.0), ("k2", 1.0)):
        scene.add_geometry(
            trimesh.creation.box((0.4, 0.5, 0.6)), node_name=name, geom_name=f"{name} mesh",
            transform=trimesh.transformations.translation_matrix((at, 0.0, 0.0)),
        )  # fmt: skip
    (tmp_path / "models").mkdir()
    model = tmp_path / "models" / "blocks.glb"
    model.write_bytes(scene.export(file_type="glb"))
    rig = gremio.bring_in(gremio.Rig("Blocks"), model)
    (tmp_path / "kits").mkdir()
    gremio.keep_kit(rig, "k2", to=tmp_path / "kits" / "block.gremio", name="Block")
    one = gremio.put_kit(deck(), tmp_path / "kits" / "block.gremio", on="Hull", at=(1, 0, 0))
    # Twice in one rig, the model is there once, and its node is the first of the two.
    one = gremio.put_kit(one, tmp_path / "kits" / "block.gremio", on="Bulwark")
    file = tmp_path / "barge.gremio"
    gremio.save(one, file)
    one = gremio.load(file)
    (source,) = one.sources.values()
    block = part_id(one, "k2")
    assert {node.name: node.part for node in source.nodes} == {"p1": "", "k2": block}
    solid = one.parts[block].shapes[0].solid
    size = np.ptp(model_shelf().surface(one, solid).vertices, axis=0)
    np.testing.assert_allclose(sorted(size), (0.4, 0.5, 0.6), atol=1e-6)
    assert gremio.changes(one, model) == []
    higher = trimesh.transformations.translation_matrix((1.0, 0.7, 0.0))
    scene.graph.update("k2", "world", geometry="k2 mesh", matrix=higher)
    model.write_bytes(scene.export(file_type="glb"))
    (moved,) = gremio.changes(one, model)
    assert moved.text == "k2 is moved by 0.7 m along z"
