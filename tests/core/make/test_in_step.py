"""Repeats in step with one another, and midway between (no published source: plain geometry)."""

from __future__ import annotations

import math

import numpy as np
import pytest

import gremio
from gremio.core.edit.numbers import set_numbers
from gremio.core.edit.parts import set_repeat
from gremio.core.make.in_step import keep_in_step, midway_between
from gremio.core.rig.channels import key
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Repeat, Rig
from gremio.core.rig.solids import Box
from gremio.core.script.posing import surfaces_of
from gremio.core.solve.repeats import copies

POST = Box(length=0.1, width=0.1, height=1.2)
PANEL = Box(length=0.6, width=0.04, height=0.9)


def _fence(along: Repeat | None, turned: float = 0.0, panel_joint: str = "fixed") -> Rig:
    b = gremio.Builder("Quay")
    b.part("Quay wall", gremio.shape(Box(length=9, width=1, height=1)), at=(1.0, 2.0, 0.0),
           turned=(0.0, 0.0, math.radians(30)))  # fmt: skip
    # A post whose origin is not its middle.
    b.part("Post", gremio.shape(POST, at=(0.05, 0.0, 0.6)), on="Quay wall", at=(0.4, 0.2, 0.5))
    b.part("Panel", gremio.shape(PANEL, at=(0.3, 0.0, 0.45)), at=(3.0, -1.0, 0.7),
           turned=(0.0, 0.0, turned), joint=panel_joint)  # fmt: skip
    return set_repeat(b.rig, part_id(b.rig, "Post"), along)


def _middles(rig: Rig, name: str) -> np.ndarray:
    """(n, 3) the middles of all copies of a part, in the world."""
    pose = gremio.solve(rig)
    part = part_id(rig, name)
    solid = {"Post": (0.05, 0.0, 0.6), "Panel": (0.3, 0.0, 0.45)}[name]
    at = pose.world(part) @ np.append(solid, 1.0)
    return np.array([(move @ at)[:3] for move in copies(pose, part)])


def _midway(rig: Rig) -> Rig:
    ends = part_id(rig, "Post"), part_id(rig, "Panel")
    return midway_between(rig, *ends, gremio.solve(rig), geometry=surfaces_of(rig))


@pytest.mark.parametrize("turned", [0.0, 0.4, math.radians(30), math.radians(210)])
@pytest.mark.parametrize(("count", "pitch"), [(5, 0.8), (2, 0.5), (7, -0.3), (12, 1.25)])
def test_panels_stand_midway_between_posts_however_these_change(
    turned: float, count: int, pitch: float
) -> None:
    rig = _midway(_fence(Repeat("line", "x", count=4, pitch=0.7), turned))
    post = part_id(rig, "Post")
    rig = set_numbers(rig, {key(post, "count"): count, key(post, "pitch"): pitch})
    posts, panels = _middles(rig, "Post"), _middles(rig, "Panel")
    assert len(panels) == count - 1
    along = (posts[1] - posts[0]) / abs(pitch)
    wanted = (posts[:-1] + posts[1:]) / 2
    assert (panels - wanted) @ along == pytest.approx(np.zeros(count - 1), abs=1e-12)
    # Across the row every panel is where the first was put by hand.
    before = _middles(_fence(None, turned), "Panel")[0]
    across = np.array([-along[1], along[0], 0.0])
    assert (panels - before) @ across == pytest.approx(np.zeros(count - 1), abs=1e-12)
    assert panels[:, 2] == pytest.approx(np.full(count - 1, before[2]), abs=1e-12)


def test_the_panels_keep_their_own_hinge() -> None:
    rig = _midway(_fence(Repeat("line", "x", count=4, pitch=0.7), math.radians(30), "hinge x"))
    panel = part_id(rig, "Panel")
    assert rig.parts[panel].joint.kind == "hinge"
    pose = gremio.solve(rig, {"Panel turn x": 0.5})
    assert pose.value("Panel", "turn x") == pytest.approx(0.5)


def test_a_hinge_that_lies_otherwise_is_refused_with_the_way_out() -> None:
    rig = _fence(Repeat("line", "x", count=4, pitch=0.7), 0.4, "hinge x")
    with pytest.raises(gremio.GremioError, match="empty mount"):
        _midway(rig)


@pytest.mark.parametrize("count", [3, 6, 11])
@pytest.mark.parametrize("pitch", [0.0, 0.25])
def test_round_a_circle_too(count: int, pitch: float) -> None:
    rig = _midway(_fence(Repeat("circle", "z", count=4, pitch=pitch)))
    post = part_id(rig, "Post")
    rig = set_numbers(rig, {key(post, "count"): count})
    posts, panels = _middles(rig, "Post"), _middles(rig, "Panel")
    assert len(panels) == (count if pitch == 0.0 else count - 1)
    base = gremio.solve(rig).frame_of(rig.parts[post].parent)
    centre = (base @ np.array([0.4, 0.2, 0.5, 1.0]))[:3]

    def angles(points: np.ndarray) -> np.ndarray:
        found = np.arctan2(*(points - centre)[:, 1::-1].T)
        return np.unwrap(found)

    step = pitch or 2 * math.pi / count
    wanted = angles(posts)[: len(panels)] + step / 2
    off = np.angle(np.exp(1j * (angles(panels) - wanted)))
    assert off == pytest.approx(np.zeros(len(panels)), abs=1e-9)


def test_what_is_not_repeated_is_repeated_in_step_and_goes_the_same_way() -> None:
    rig = _fence(Repeat("line", "x", count=4, pitch=0.7), math.radians(210))
    ends = part_id(rig, "Post"), part_id(rig, "Panel")
    before = _middles(rig, "Panel")[0]
    rig = keep_in_step(rig, *ends, gremio.solve(rig))
    rig = set_numbers(rig, {key(ends[0], "count"): 6, key(ends[0], "pitch"): 0.9})
    posts, panels = _middles(rig, "Post"), _middles(rig, "Panel")
    assert panels[0] == pytest.approx(before, abs=1e-12)
    assert np.diff(panels, axis=0) == pytest.approx(np.diff(posts, axis=0), abs=1e-12)


def test_a_circle_and_a_line_share_their_count_alone() -> None:
    rig = _fence(Repeat("circle", "z", count=6))
    ends = part_id(rig, "Post"), part_id(rig, "Panel")
    rig = set_repeat(rig, ends[1], Repeat("line", "x", count=2, pitch=0.5))
    rig = keep_in_step(rig, *ends, gremio.solve(rig))
    assert len(_middles(rig, "Panel")) == 6
    assert np.linalg.norm(np.diff(_middles(rig, "Panel"), axis=0), axis=1) == pytest.approx(
        np.full(5, 0.5)
    )


def test_what_can_not_be_is_said() -> None:
    rig = _fence(None)
    ends = part_id(rig, "Post"), part_id(rig, "Panel")
    with pytest.raises(gremio.GremioError, match="not repeated"):
        keep_in_step(rig, *ends, gremio.solve(rig))
    with pytest.raises(gremio.GremioError, match="not repeated"):
        _midway(rig)
    led = _midway(_fence(Repeat("line", "x", count=4, pitch=0.7)))
    with pytest.raises(gremio.GremioError):
        keep_in_step(led, *ends, gremio.solve(led))


def test_by_name_from_a_script() -> None:
    rig = _fence(Repeat("line", "x", count=4, pitch=0.7))
    assert gremio.midway(rig, "Post", "Panel") == _midway(rig)
    ends = part_id(rig, "Post"), part_id(rig, "Panel")
    assert gremio.in_step(rig, "Post", "Panel") == keep_in_step(rig, *ends, gremio.solve(rig))
