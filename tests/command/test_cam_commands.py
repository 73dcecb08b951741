"""Cams and kept poses from the command line."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import pytest

import gremio


@pytest.fixture
def rig(tmp_path: Path) -> Path:
    build = gremio.Builder("Cabin")
    build.part("Door", joint="hinge z")
    build.control("Open", 0.0, 1.0, kind="number", unit="%")
    build.control("Idle", 0.0, 1.0, kind="angle")
    build.cam("Open", {0.0: {"Door": 0.0}, 0.5: {"Door": "30 deg"}, 1.0: {"Door": "80 deg"}})
    made = gremio.keep(build.rig, "Shut")
    file = tmp_path / "cabin.gremio"
    gremio.save(made, file)
    return file


def run(*words: object) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "gremio", *map(str, words)]
    return subprocess.run(command, capture_output=True, text=True, timeout=60)


def test_a_cam_is_written_as_a_table_and_made_of_one(rig: Path, tmp_path: Path) -> None:
    table, taught = tmp_path / "door.csv", tmp_path / "taught.gremio"
    assert run("cam", rig, "Open", "-o", table).returncode == 0
    lines = table.read_text().splitlines()
    assert lines[0] == "Open [%],Door turn z [deg]"
    numbers = [[float(cell) for cell in line.split(",")] for line in lines[1:]]
    assert numbers == [pytest.approx(row) for row in ([0, 0], [50, 30], [100, 80])]
    table.write_text("Open [%],Door turn z [deg]\n0,0\n100,45\n")
    assert run("teach", rig, table, "-o", taught).returncode == 0
    pose = json.loads(run("pose", taught, "--set", "Open=100 %", "--json").stdout)
    assert "0.785398" in json.dumps(pose)


def test_what_is_wrong_is_one_clear_line(rig: Path, tmp_path: Path) -> None:
    found = run("cam", rig, "Idle")
    assert found.returncode == 2
    assert found.stderr.strip() == "gremio: Idle leads no cam. Cams are led by Open."
    table = tmp_path / "door.csv"
    table.write_text("Open,Door turn z [deg]\n0,0\n100,45\n")
    found = run("teach", rig, table, "-o", tmp_path / "x.gremio")
    assert found.returncode == 2 and "'Open' names no unit" in found.stderr
    again = run("teach", rig, table, "-o", tmp_path / "x.gremio", "--unit", "%")
    assert again.returncode == 0


def test_a_kept_pose_is_begun_from(rig: Path) -> None:
    made = gremio.load(rig)
    gremio.save(gremio.keep(gremio.to_pose(made, "Shut"), "Also shut"), rig)
    found = run("pose", rig, "--kept", "Also shut")
    assert found.returncode == 0 and "Door" in found.stdout
    lost = run("pose", rig, "--kept", "Open wide")
    assert lost.returncode == 2 and "Kept are: 'Shut', 'Also shut'" in lost.stderr
