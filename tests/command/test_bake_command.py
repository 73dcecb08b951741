"""`gremio bake`: a routine for all its frames, as GLB, CSV and JSON."""

from __future__ import annotations

import json
import math
import subprocess
import sys
from pathlib import Path

import numpy as np
import pygltflib
import pytest

import gremio
from gremio.core.rig.solids import Box


@pytest.fixture
def file(tmp_path: Path) -> Path:
    b = gremio.Builder("Gate")
    b.part("Gate", gremio.shape(Box(length=2, width=0.1, height=1), at=(1, 0, 0)), joint="hinge z")
    b.control("Lift", 0.0, 10.0, kind="number", unit="")
    b.ratio("Lift", "Gate turn z", 0.1)
    rig = gremio.routine(b.rig, "Open", 2.0, rate="29.97")
    rig = gremio.key(rig, 2.0, {"Lift": 8.0}, profile="straight")
    path = tmp_path / "gate.gremio"
    gremio.save(rig, path)
    return path


def run(*words: object) -> subprocess.CompletedProcess[str]:
    return subprocess.run([sys.executable, "-m", "gremio", *map(str, words)],
                          capture_output=True, text=True, check=False)  # fmt: skip


def test_json_has_times_channels_controls_and_world_frames(file: Path, tmp_path: Path) -> None:
    out = tmp_path / "gate.json"
    assert run("bake", file, "-o", out).returncode == 0
    found = json.loads(out.read_text())
    times = np.array(found["times"])
    # 2 s at 30000/1001 are 60 frames and the first.
    assert len(times) == 61 and times[30] == pytest.approx(30 * 1001 / 30000)
    lift = np.array(found["controls"]["Lift"])
    assert lift == pytest.approx(np.minimum(4.0 * times, 8.0), abs=1e-9)
    assert found["channels"]["Gate"]["turn z"] == pytest.approx((0.1 * lift).tolist())
    world = np.array(found["parts"]["Gate"]["world"]).reshape(-1, 4, 4)
    assert world[30][0, 0] == pytest.approx(math.cos(0.1 * lift[30]))
    assert found["notes"] == []


def test_csv_has_a_row_a_frame_at_the_rate_asked(file: Path, tmp_path: Path) -> None:
    out = tmp_path / "gate.csv"
    assert run("bake", file, "--routine", "Open", "--fps", "10", "-o", out).returncode == 0
    lines = out.read_text().splitlines()
    assert lines[0] == "Time [s],Lift,Gate turn z [rad]"
    assert len(lines) == 22 and lines[11].startswith("1.0,4.0,0.4")


def test_glb_has_an_animation_of_the_routine(file: Path, tmp_path: Path) -> None:
    out = tmp_path / "gate.glb"
    assert run("bake", file, "--fps", "25", "-o", out).returncode == 0
    model = pygltflib.GLTF2().load(str(out))
    (animation,) = model.animations
    assert animation.name == "Open"
    times = model.accessors[animation.samplers[0].input]
    assert times.max[0] == pytest.approx(2.0)


@pytest.mark.parametrize(("words", "said"), [
    (("--routine", "Shut", "-o", "x.csv"), "no routine called"),
    (("-o", "x.txt"), "is baked into"),
    (("--fps", "0", "-o", "x.csv"), "frames a second"),
])  # fmt: skip
def test_what_can_not_be_is_said(file: Path, words: tuple[str, ...], said: str) -> None:
    done = run("bake", file, *words)
    assert done.returncode != 0 and said in done.stderr and "Traceback" not in done.stderr
