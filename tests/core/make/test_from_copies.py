"""A joint from a part and a copy of it elsewhere: Chasles' theorem, checked with scipy's turns."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial import KDTree
from scipy.spatial.transform import Rotation

import gremio
from gremio.core.edit.controls import set_values
from gremio.core.edit.parts import set_joint
from gremio.core.files.bring_in import bring_in
from gremio.core.files.model_in import read_model
from gremio.core.files.sources import model_shelf
from gremio.core.frames import carried
from gremio.core.make.from_copies import joint_from_copies, screw_words
from gremio.core.make.vertices import world_vertices
from gremio.core.mechanics.screws import screw_between
from gremio.core.problem import GremioError
from gremio.core.rig.channels import key, main_channel
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Joint, Rig
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.ask import solve

_numbers = st.floats(-3.0, 3.0)
_AXIS = np.array([2.0, -1.0, 2.0]) / 3


def moved(turn: float, slide: float, at: tuple[float, ...] = (0.3, -0.2, 0.5)) -> np.ndarray:
    """(4, 4) a turn about _AXIS through a point, and a slide along it."""
    frame = np.eye(4)
    frame[:3, :3] = Rotation.from_rotvec(turn * _AXIS).as_matrix()
    frame[:3, 3] = at - frame[:3, :3] @ at + slide * _AXIS
    return frame


@given(st.floats(0.01, 3.1), _numbers, st.tuples(_numbers, _numbers, _numbers))
def test_every_displacement_is_a_screw(turn: float, slide: float, at: tuple) -> None:
    before = np.array([[0, 0, 0], [1, 0, 0], [0, 2, 0], [0.3, 0, 1.5]], dtype=float)
    frame = moved(turn, slide, at)
    screw = screw_between(before, carried(frame, before))
    assert screw.turn == pytest.approx(turn, abs=1e-9)
    assert screw.slide == pytest.approx(slide, abs=1e-9)
    assert screw.way == pytest.approx(_AXIS, abs=1e-7)
    # The point is on the axis: it only slides.
    gone = carried(frame, screw.at[None])[0] - screw.at
    assert gone == pytest.approx(slide * _AXIS, abs=1e-7)


def doors(tmp_path: Path, frame: np.ndarray, *, other: bool = False) -> tuple[Rig, GeometryOf]:
    """A door of no simple shape, and what should be its copy, all with their origin at the
    scene's, as scanners and CAD give them."""
    door = trimesh.creation.box((0.9, 0.06, 2.0))
    knob = trimesh.creation.icosphere(2, 0.05)
    knob.apply_translation((0.35, 0.1, -0.1))
    door = trimesh.util.concatenate([door, knob])
    copy = door.copy()
    if other:
        copy.vertices[3] += (0.05, 0.0, 0.0)
    copy.apply_transform(frame)
    scene = trimesh.Scene()
    for name, mesh in (("Door", door), ("Door open", copy)):
        scene.add_geometry(mesh, node_name=name, geom_name=name)
    file = tmp_path / "doors.glb"
    scene.export(file)
    shelf = model_shelf()
    model = read_model(file, up="z")
    shelf.put(model)
    bare = Rig(name="Doors")
    rig, _ = bring_in(bare, model)
    return rig, lambda solid, of=rig: shelf.geometry(of, solid)


@pytest.mark.parametrize(
    ("turn", "slide", "kind", "words"),
    [
        (math.radians(95), 0.0, "hinge", "turns 95°"),
        (0.0, 0.4, "slide", "slides 400"),
        (math.radians(-120), 0.25, "screw", "turns 120° and slides 250"),
    ],
)
def test_both_poses_are_met(
    turn: float, slide: float, kind: str, words: str, tmp_path: Path
) -> None:
    rig, geometry = doors(tmp_path, moved(turn, slide))
    part, copy = part_id(rig, "Door"), part_id(rig, "Door open")
    home = solve(rig, geometry=geometry)
    closed, opened = (world_vertices(rig, home, one, geometry) for one in (part, copy))
    made, screw = joint_from_copies(rig, part, copy, geometry=geometry)
    joint = made.parts[part].joint
    assert joint.kind == kind and list(made.parts) == [part]
    assert screw_words(screw).replace("\u2009", " ").startswith(words)
    main = key(part, main_channel(joint))
    low, high = made.parts[part].stops[main_channel(joint)].low, abs(turn) or slide
    assert low == 0.0 and made.parts[part].stops[main_channel(joint)].high == pytest.approx(high)
    for value, wanted in ((0.0, closed), (high, opened)):
        pose = solve(made, {f"Door {main_channel(joint)}": value}, geometry=geometry)
        assert pose.at(main) == pytest.approx(value, abs=1e-6)
        seen = world_vertices(made, pose, part, geometry)
        # The model's numbers have 24 bits; the order of vertices may be another.
        far, _ = KDTree(wanted).query(seen)
        assert far.max() < 1e-6


def test_what_is_no_copy_or_stands_at_the_same_place_is_refused(tmp_path: Path) -> None:
    rig, geometry = doors(tmp_path, moved(1.0, 0.0), other=True)
    ends = part_id(rig, "Door"), part_id(rig, "Door open")
    with pytest.raises(GremioError, match="not the same shape"):
        joint_from_copies(rig, *ends, geometry=geometry)
    rig, geometry = doors(tmp_path, np.eye(4))
    with pytest.raises(GremioError, match="stand at one place"):
        joint_from_copies(rig, *ends, geometry=geometry)
    with pytest.raises(GremioError, match="bare copy"):
        joint_from_copies(rig, ends[0], ends[0], geometry=geometry)


def test_a_copy_that_is_tied_or_a_part_that_is_not_at_home_is_refused(tmp_path: Path) -> None:
    rig, geometry = doors(tmp_path, moved(1.0, 0.0))
    part, copy = part_id(rig, "Door"), part_id(rig, "Door open")
    tied = gremio.constrain(rig, "aim", "Door", "Door open", keep=False)
    with pytest.raises(GremioError, match="tied to something"):
        joint_from_copies(tied, part, copy, geometry=geometry)
    away = set_values(set_joint(rig, part, Joint("hinge", "z"), {}), {key(part, "turn z"): 0.4})
    with pytest.raises(GremioError, match="Send everything home first"):
        joint_from_copies(away, part, copy, geometry=geometry)
