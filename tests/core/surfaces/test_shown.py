"""What is seen of a material, checked by the letter of glTF 2.0 (3.9.2, 3.9.4) and of
KHR_texture_transform."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image
from tests.core.files.textured import picture

from gremio.core.surfaces.looks import Look, Material, Picture, Texture
from gremio.core.surfaces.shown import shown

CORNERS = np.array([[0, 1, 2]])
PLACES = np.array([[0, 0], [1, 0], [0, 1]], dtype=np.float32)


def look(base: dict[str, object], **more: object) -> Look:
    texture = Texture("", {"wrapS": 33071}, {"": Picture("", picture((90, 60, 30)), "image/png")})
    tree = {"pbrMetallicRoughness": base, **more}
    colours = np.array([[0.5, 1, 1, 0.5]] * 3, dtype=np.float32)
    numbers = {"TEXCOORD_0": PLACES, "TEXCOORD_1": PLACES * 3, "COLOR_0": colours}
    return Look(CORNERS, Material(tree, (texture,)), numbers)


def test_factor_and_colours_are_multiplied_and_the_picture_is_laid() -> None:
    found = shown(look({"baseColorFactor": [0.5, 0.5, 1, 1], "baseColorTexture": {"index": 0}}))
    assert found is not None
    assert found.tint[0, 0] == pytest.approx([0.25, 0.5, 1, 1])
    assert found.pixels.shape == (4, 8, 4)
    assert tuple(found.pixels[0, 0]) == (10, 20, 30, 255)
    assert found.laid[0] == pytest.approx(PLACES)
    assert found.wrap == ("clamp", "repeat") and not found.blends


def test_how_much_is_seen_through_is_as_the_material_says() -> None:
    base = {"baseColorFactor": [1, 1, 1, 0.5]}
    for mode, cutoff, blends, there in (
        ("OPAQUE", 0.0, False, 1.0), ("MASK", 0.3, False, 0.25), ("BLEND", 0.0, True, 0.25),
    ):  # fmt: skip
        found = shown(look(base, alphaMode=mode, alphaCutoff=0.3))
        assert found is not None
        assert (found.cutoff, found.blends) == (cutoff, blends)
        assert found.tint[0, 0, 3] == pytest.approx(there)


def test_a_picture_is_moved_and_turned_as_its_material_says() -> None:
    """A quarter turn anticlockwise, as one sees it, of the places: what lay to the right of the
    corner lies above it, at less than nothing, for a picture is counted downwards."""
    moved = {"offset": [0.5, 0.25], "rotation": np.pi / 2, "scale": [2, 1], "texCoord": 1}
    told = {"index": 0, "extensions": {"KHR_texture_transform": moved}}
    found = shown(look({"baseColorTexture": told}))
    assert found is not None
    assert found.laid[0] == pytest.approx(np.array([[0.5, 0.25], [0.5, -5.75], [3.5, 0.25]]))


def test_a_large_picture_is_shown_smaller_and_a_broken_one_not_at_all() -> None:
    data = io.BytesIO()
    Image.new("RGB", (5000, 10), (200, 0, 0)).save(data, "PNG")
    base = {"baseColorTexture": {"index": 0}}
    for content, size in ((data.getvalue(), (4, 2048)), (data.getvalue()[:60], (1, 1))):
        one = look(base)
        assert one.material is not None
        texture = Texture("", {}, {"": Picture("", content, "image/png")})
        found = shown(Look(CORNERS, Material(one.material.tree, (texture,)), one.numbers))
        assert found is not None and found.pixels.shape[:2] == size


def test_a_surface_with_nothing_of_its_own_is_a_matter_of_paint() -> None:
    assert shown(Look(CORNERS, None, {"TEXCOORD_0": PLACES})) is None
