"""What a player makes between the keys of a GLB is what the machine does: read back at random times
by `scipy`'s own interpolation of turns."""

from __future__ import annotations

import math

import numpy as np
import pygltflib
import pytest
from msgspec.structs import replace
from scipy.spatial.transform import Rotation
from tests.core.files.test_glb_out import FROM_Y_UP, first_of, in_gltf, sampled

import gremio
from gremio.core.edit.builder import shape
from gremio.core.files.glb_keys import needed
from gremio.core.files.glb_out import baked_glb
from gremio.core.files.sources import model_shelf
from gremio.core.problem import GremioError
from gremio.core.rig.find import control_id
from gremio.core.rig.model import Ratio, Repeat, Rig
from gremio.core.rig.solids import Box

SECONDS = 4.0


def block() -> object:
    return shape(Box(length=0.3, width=0.1, height=0.1))


def fast() -> Rig:
    """One turn of a control is 150 of a spindle, with an arm on it that a cam swings."""
    build = gremio.Builder("Fast")
    build.part("Spindle", block(), joint="spin z")
    build.part("Arm", block(), on="Spindle", at=(0.4, 0, 0), joint="hinge y")
    build.control("Crank", "0 turn", "1 turn")
    build.ratio("Crank", "Spindle", 150)
    build.cam("Crank", {0: {"Arm": 0}, "100 deg": {"Arm": "80 deg"}, "1 turn": {"Arm": 0}})
    return build.rig


def worst(rig: Rig, control: str, data: bytes, count: int = 40) -> tuple[float, float]:
    """How far parts are off at random times (m), and turned (rad)."""
    entry = rig.controls[control_id(rig, control)]
    away, turned = 0.0, 0.0
    for time in np.random.default_rng(5).uniform(0, SECONDS, count):
        there = sampled(data, float(time))
        value = entry.low + (entry.high - entry.low) * float(time) / SECONDS
        pose = gremio.solve(rig, {control: value})
        for part_id, part in rig.parts.items():
            want, have = in_gltf(first_of(pose, part_id)), there[part.name]
            away = max(away, float(np.linalg.norm(want[:3, 3] - have[:3, 3])))
            turn = Rotation.from_matrix(want[:3, :3]).inv() * Rotation.from_matrix(have[:3, :3])
            turned = max(turned, float(turn.magnitude()))
    return away, turned


def keys_of(data: bytes) -> list[np.ndarray]:
    """The times of the keys of each sampler."""
    file = pygltflib.GLTF2().load_from_bytes(data)
    found = []
    for sampler in file.animations[0].samplers:
        accessor = file.accessors[sampler.input]
        view = file.bufferViews[accessor.bufferView]
        found.append(np.frombuffer(file.binary_blob(), "<f4", accessor.count, view.byteOffset))
    return found


def test_what_goes_round_often_goes_round_as_often_in_the_file() -> None:
    rig = fast()
    data, notes = baked_glb(rig, model_shelf(), "Crank", SECONDS)
    away, turned = worst(rig, "Crank", data)
    assert away < 1e-4 and turned < math.radians(0.05)
    (note,) = notes
    assert note.severity == "info" and "within 0.1 mm and 0.05°" in note.text
    # A quarter of 150 turns each, and little more.
    many = max(len(times) for times in keys_of(data))
    assert 600 < many < 800
    assert f"{sum(len(times) for times in keys_of(data)):,} keys" in note.text


@pytest.mark.parametrize("control", ["Paddle windlass", "Slew"])
def test_the_lock_is_played_as_it_moves(lock: Rig, control: str) -> None:
    data, notes = baked_glb(lock, model_shelf(), control, SECONDS)
    away, turned = worst(lock, control, data, 5)
    # Places are written in single precision: 1e-6 of the rig's 20 m.
    assert away < 1.2e-4 and turned < math.radians(0.05)
    assert "keys" in notes[-1].text and notes[-1].severity == "info"


def test_what_turns_evenly_needs_a_key_a_quarter_turn_only() -> None:
    build = gremio.Builder("Even")
    build.part("Wheel", block(), joint="spin z")
    build.control("Turn", "0 turn", "2 turn")
    build.ratio("Turn", "Wheel", 1)
    (times,) = keys_of(baked_glb(build.rig, model_shelf(), "Turn", SECONDS)[0])
    assert 9 <= len(times) <= 17 and np.diff(times).max() < SECONDS / 8


def test_keys_on_whole_frames_only_say_how_far_off_they_are_between() -> None:
    rig = fast()
    data, notes = baked_glb(rig, model_shelf(), "Crank", SECONDS, 24)
    for times in keys_of(data):
        assert times * 24 == pytest.approx(np.round(times * 24), abs=1e-4)
        assert len(times) == 97
    (note,) = notes
    assert note.severity == "warning" and " off, at " in note.text
    slow, notes = baked_glb(with_ratio(1.0), model_shelf(), "Crank", SECONDS, 24)
    away, turned = worst(with_ratio(1.0), "Crank", slow)
    assert turned < math.radians(0.6) and away < 2e-3
    with pytest.raises(GremioError, match="at most 1000"):
        baked_glb(rig, model_shelf(), "Crank", SECONDS, -1)


def with_ratio(ratio: float) -> Rig:
    rig = fast()
    links = {
        i: replace(link, ratio=ratio) if isinstance(link, Ratio) else link
        for i, link in rig.links.items()
    }
    return replace(rig, links=links)


def test_copies_come_and_go_when_the_count_is_led() -> None:
    """As many louvres are seen in the file as the count says, at random times."""
    build = gremio.Builder("Louvres")
    build.part("Louvre", block(), repeat=Repeat("line", "y", count=5, pitch=0.2))
    build.control("Many", 1, 5, kind="number")
    build.ratio("Many", "Louvre count", 1)
    rig = build.rig
    data, notes = baked_glb(rig, model_shelf(), "Many", SECONDS)
    assert not [n for n in notes if n.code == "glb-led"]
    for time in np.random.default_rng(2).uniform(0, SECONDS, 40):
        there = sampled_steps(data, float(time))
        value = 1 + 4 * time / SECONDS
        assert sum(there) == math.floor(value)


def sampled_steps(data: bytes, time: float) -> list[bool]:
    """Whether each node has a size at a time, by steps."""
    file = pygltflib.GLTF2().load_from_bytes(data)

    def read(index: int, width: int) -> np.ndarray:
        accessor = file.accessors[index]
        view = file.bufferViews[accessor.bufferView]
        flat = np.frombuffer(file.binary_blob(), "<f4", accessor.count * width, view.byteOffset)
        return flat.reshape(-1, width)

    seen = [not (node.scale and not any(node.scale)) for node in file.nodes]
    for channel in file.animations[0].channels:
        sampler = file.animations[0].samplers[channel.sampler]
        assert channel.target.path == "scale" and sampler.interpolation == "STEP"
        times, sizes = read(sampler.input, 1)[:, 0], read(sampler.output, 3)
        at = max(int(np.searchsorted(times, time, side="right")) - 1, 0)
        seen[channel.target.node] = bool(sizes[at].any())
    return seen


def test_keys_that_others_give_are_left_out() -> None:
    times = np.linspace(0, 1, 101)
    bent = np.where(times < 0.5, times, 0.5)[:, None]
    assert needed(bent, times, 1e-9, turns=False).tolist() == [0, 50, 100]
    round_ = Rotation.from_rotvec(np.outer(times * math.pi, [0, 0, 1])).as_quat()
    kept = needed(round_, times, 1e-7, turns=True)
    assert kept[0] == 0 and kept[-1] == 100 and np.diff(kept).max() < 50


def test_how_far_a_rope_is_off_between_keys_is_told() -> None:
    """An arm swings a quarter round in four whole frames of a second each, a rope from its tip to
    the ground: half way between two keys a player's rope is where its interpolation has it."""
    build = gremio.Builder("Mast")
    build.part("Arm", block(), joint="hinge z")
    build.control("Swing", "0 deg", "90 deg")
    build.ratio("Swing", "Arm", 1)
    rig = gremio.strand(build.rig, "rope", ("Arm", (2, 0, 0)), ("", (3, 1, 0)), thickness=0.02)
    data, notes = baked_glb(rig, model_shelf(), "Swing", SECONDS, 1)
    gaps = []
    for time in (0.5, 1.5, 2.5, 3.5):
        angle = math.radians(90) * time / SECONDS
        tip = np.array([2 * math.cos(angle), 2 * math.sin(angle), 0.0])
        way = np.array([3.0, 1.0, 0.0]) - tip
        longer = way * (1 + 0.12 * 0.02 / np.linalg.norm(way)) / 2
        middle = tip + way / 2
        bar = FROM_Y_UP @ sampled(data, time)["Rope, 1"] @ np.linalg.inv(FROM_Y_UP)
        gaps += [
            np.linalg.norm((bar @ [0, 0, end, 1])[:3] - (middle + 2 * end * longer))
            for end in (-0.5, 0.5)
        ]
    assert max(gaps) > 0.005
    [told] = [note.text for note in notes if note.code == "glb-strands"]
    assert f"up to {1000 * max(gaps):.1f}" in told
