from __future__ import annotations

from pathlib import Path

import numpy as np
import trimesh
from PIL import Image
from trimesh.visual.material import PBRMaterial

import gremio
from gremio.core.files.bring_in import bring_in
from gremio.core.files.model_in import read_model
from gremio.core.rig.model import Rig
from gremio.desktop.bench.picture import picture
from gremio.desktop.theme.inks import DAY, NIGHT, rgb


def near(pixels: np.ndarray, colour: str, by: int = 3) -> np.ndarray:
    there = np.round(np.array(rgb(colour)) * 255)
    return np.abs(pixels.astype(int) - there).max(axis=2) <= by


def test_a_picture_shows_the_machine_on_paper(lock: Rig) -> None:
    pixels = picture(gremio.solve(lock), (480, 300))
    assert pixels.shape == (300, 480, 3)
    assert near(pixels[:4], DAY.paper, 30).mean() > 0.9
    assert 0.25 < (~near(pixels, DAY.paper, 12)).mean() < 0.9
    assert near(pixels, DAY.ink, 40).sum() > 200


def test_moving_a_control_changes_the_picture_where_it_moves(lock: Rig) -> None:
    shut = picture(gremio.solve(lock), (320, 200))
    again = picture(gremio.solve(lock), (320, 200))
    raised = picture(gremio.solve(lock, {"Paddle windlass": "9 turn"}), (320, 200))
    assert np.array_equal(shut, again)
    share = (shut != raised).any(axis=2).mean()
    assert 0.0005 < share < 0.5


def test_night_is_light_ink_on_dark_paper(lock: Rig) -> None:
    night = picture(gremio.solve(lock), (320, 200), night=True)
    assert night.mean() < 110
    assert near(night[:3], NIGHT.paper, 20).mean() > 0.9


def test_a_model_is_shown_in_its_paint_or_in_its_base_colours(tmp_path: Path) -> None:
    """A green face behind red glass: by the letter of glTF 2.0 (3.9.2)."""
    green, glass = (
        PBRMaterial(baseColorTexture=Image.new("RGB", (4, 4), (0, 160, 0)), name="green"),
        PBRMaterial(baseColorFactor=[255, 0, 0, 128], alphaMode="BLEND", name="glass"),
    )
    scene = trimesh.Scene()
    for name, material, x in (("Back", green, 0.0), ("Front", glass, 0.5)):
        leaf = trimesh.Trimesh(
            [[x, 0, 0], [x, 1, 0], [x, 1, 1], [x, 0, 1]], [[0, 1, 2], [0, 2, 3]], process=False
        )
        laid = np.array([[0, 0], [1, 0], [1, 1], [0, 1]])
        leaf.visual = trimesh.visual.TextureVisuals(uv=laid, material=material)
        scene.add_geometry(leaf, node_name=name, geom_name=name)
    scene.export(tmp_path / "leaves.glb")
    rig, _ = bring_in(Rig("R"), read_model(tmp_path / "leaves.glb", up="z"))
    pose = gremio.solve(rig)
    plain, textured = (picture(pose, (320, 200), textured=on) for on in (False, True))

    def greenest(pixels: np.ndarray) -> int:
        far = pixels.astype(int)
        return int((far[..., 1] - far[..., [0, 2]].max(axis=2)).max())

    assert greenest(plain) < 20 < 100 < greenest(textured)
    # Seen through: what is behind the glass is nearer to green than the glass before the paper.
    red = textured[(textured[..., 0] > 150) & (textured[..., 2] < 100)]
    assert len(red) and red[:, 1].std() > 2


def test_an_empty_rig_is_empty_paper() -> None:
    pixels = picture(gremio.solve(Rig()), (64, 48))
    assert pixels.min() > 150
