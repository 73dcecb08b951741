from __future__ import annotations

import csv
import io
import json
import os
import runpy
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import trimesh
from msgspec.structs import replace

import gremio
from gremio.core.rig.model import Ratio, Rig
from gremio.core.rig.solids import Box, SpurGear


@pytest.fixture
def lock_file(lock: Rig, tmp_path: Path) -> Path:
    path = tmp_path / "lock.gremio"
    gremio.save(lock, path)
    return path


def run(*words: object) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "gremio", *map(str, words)]
    return subprocess.run(command, capture_output=True, text=True, timeout=120, check=False)


def test_help_gives_an_example_of_each_command() -> None:
    names = ("open", "demo", "pose", "sweep", "convert", "render", "inspect", "ledger", "schema")
    overview = run("--help").stdout
    for name in names:
        assert name in overview
    for name in ("pose", "render"):
        assert f"Example: gremio {name}" in run(name, "--help").stdout


def test_without_words_it_says_what_it_can_do() -> None:
    done = run()
    assert done.returncode == 0 and done.stderr == ""
    assert done.stdout == run("--help").stdout


def test_pose_as_json(lock_file: Path, lock: Rig) -> None:
    done = run("pose", lock_file, "--set", "Upper gates=46 deg", "--json")
    assert done.returncode == 0 and done.stderr == ""
    answer = json.loads(done.stdout)
    pose = gremio.solve(lock, {"Upper gates": "46 deg"})
    assert set(answer) == {"controls", "parts", "notes"}
    assert answer["controls"]["Upper gates"] == pytest.approx(np.radians(46))
    gate = answer["parts"]["Upper gate, east"]
    assert np.reshape(gate["world"], (4, 4)) == pytest.approx(pose.part("Upper gate, east").world)
    assert gate["channels"] == {"turn z": pose.value("Upper gate, east")}
    assert answer["notes"] == []
    assert list(answer["parts"]) == [part.name for part in lock.parts.values()]


def test_what_was_held_is_a_note_and_not_an_error(lock_file: Path) -> None:
    done = run("pose", lock_file, "--set", "Upper gates=200 deg", "--json")
    assert done.returncode == 0
    (note,) = json.loads(done.stdout)["notes"]
    assert set(note) == {"code", "part", "text"} and note["code"] == "range-end"


def test_a_sweep_is_a_row_a_step(lock_file: Path, tmp_path: Path) -> None:
    out = tmp_path / "gates.csv"
    assert run("sweep", lock_file, "Upper gates", "--steps", 5, "-o", out).returncode == 0
    rows = list(csv.reader(io.StringIO(out.read_text())))
    assert rows[0] == [
        "Upper gates [rad]",
        "Upper gate, east turn z [rad]",
        "Upper gate, west turn z [rad]",
    ]
    assert len(rows) == 6
    assert float(rows[-1][1]) == -float(rows[-1][2]) == pytest.approx(np.radians(74))


def test_converting_there_and_back(lock_file: Path, tmp_path: Path) -> None:
    assert run("convert", lock_file, tmp_path / "a.glb").returncode == 0
    assert run("convert", tmp_path / "a.glb", tmp_path / "b.gremio").returncode == 0
    names = {part.name for part in gremio.load(tmp_path / "b.gremio").parts.values()}
    assert "Upper gate, west" in names
    baked = run("convert", lock_file, tmp_path / "c.glb", "--control", "Upper gates")
    assert baked.returncode == 0
    assert (tmp_path / "c.glb").stat().st_size > (tmp_path / "a.glb").stat().st_size


def test_render_without_a_display(lock_file: Path, tmp_path: Path) -> None:
    out = tmp_path / "lock.png"
    done = run("render", lock_file, "-o", out, "--size", "320x200", "--set", "Upper gates=46 deg")
    assert done.returncode == 0, done.stderr
    assert out.read_bytes()[:8] == b"\x89PNG\r\n\x1a\n"


def test_the_schema_is_json() -> None:
    assert "$defs" in json.loads(run("schema").stdout)


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["pose", "none.gremio"], "none.gremio could not be read"),
        (["pose", "{lock}", "--set", "Upper gates=46 mm"], "Upper gates takes an angle"),
        (["pose", "{lock}", "--set", "Uper gates=1"], "Did you mean 'Upper gates'"),
        (["pose", "{lock}", "--set", "Upper gates"], "is not NAME=VALUE"),
        (["sweep", "{lock}", "Gates"], "no control called 'Gates'"),
        (["sweep", "{lock}", "Upper gates", "--steps", "1"], "two steps at least"),
        (["convert", "{lock}", "out.xyz"], "can't write out.xyz"),
        (["convert", "in.xyz", "out.glb"], "can't read in.xyz"),
        (["convert", "{lock}", "out.csv"], "needs a control to sweep"),
        (["render", "{lock}", "-o", "out.png", "--size", "huge"], "--size 'huge' is no size"),
        (["render", "{lock}", "-o", "out.jpg"], "PNG"),
        (["nonsense"], "nonsense"),
        (["pose"], "argument"),
    ],
)
def test_what_can_not_be_done_is_one_clear_line(
    words: list[str], says: str, lock_file: Path
) -> None:
    done = run(*[word.replace("{lock}", str(lock_file)) for word in words])
    assert done.returncode == 2
    assert done.stderr.startswith("gremio: ") and len(done.stderr.splitlines()) == 1
    assert says in done.stderr


def test_without_a_screen_the_window_says_so() -> None:
    screens = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
    bare = {name: value for name, value in os.environ.items() if name not in screens}
    command = [sys.executable, "-m", "gremio", "demo"]
    done = subprocess.run(
        command, capture_output=True, text=True, timeout=60, check=False, env=bare
    )
    assert done.returncode == 2
    assert "no screen" in done.stderr and len(done.stderr.splitlines()) == 1


def test_a_rig_with_errors_exits_with_one(hatch: Rig, tmp_path: Path) -> None:
    twice = replace(hatch, parts={**hatch.parts, "p99": hatch.parts["p1"]})
    gremio.save(twice, tmp_path / "twice.gremio")
    done = run("pose", tmp_path / "twice.gremio", "--json")
    assert done.returncode == 0
    assert json.loads(done.stdout)["notes"][0]["code"] == "name-twice"
    lost = replace(hatch, links={**hatch.links, "k9": Ratio("p77 turn z", "p1 turn z", 1.0)})
    gremio.save(lost, tmp_path / "lost.gremio")
    done = run("pose", tmp_path / "lost.gremio", "--json")
    assert done.returncode == 1
    assert "not in the rig" in done.stderr
    assert json.loads(done.stdout)["notes"][0]["code"] == "link-lost"


def test_inspect_lists_notes_and_what_would_mend_them(lock: Rig, tmp_path: Path) -> None:
    whole = tmp_path / "lock.gremio"
    gremio.save(lock, whole)
    done = run("inspect", whole)
    assert done.returncode == 0 and "Nothing is wrong." in done.stdout
    build = gremio.Builder("Pair")
    gear = SpurGear(module=0.01, teeth=20, width=0.05)
    for name, x in (("A", 0.0), ("B", 0.19)):
        build.part(name, gremio.shape(gear), at=(x, 0, 0), joint="spin z")
    broken = tmp_path / "pair.gremio"
    gremio.save(gremio.join(build.rig, "A", "B"), broken)
    done = run("inspect", broken, "--json")
    assert done.returncode == 0
    (note,) = json.loads(done.stdout)["notes"]
    assert note["code"] == "gear-distance" and note["part"] == "B"
    assert note["mends"] == ["place B anew", "shift its profile"]
    assert "[place B anew; shift its profile]" in run("inspect", broken).stdout


def test_the_ledger_as_csv(lock_file: Path) -> None:
    done = run("ledger", lock_file, "--set", "Louvres=30 deg")
    rows = {row["Follower"]: row for row in csv.DictReader(io.StringIO(done.stdout))}
    assert done.returncode == 0 and float(rows["Louvre turn y"]["Value"]) == pytest.approx(30)
    assert rows["Louvre bar move z"]["How"] == "= -0.1 m * sin(Louvre.turn)"


def test_urdf_both_ways(lock_file: Path, tmp_path: Path) -> None:
    urdf, back = tmp_path / "lock.urdf", tmp_path / "back.gremio"
    done = run("convert", lock_file, urdf)
    assert done.returncode == 0 and "can't carry the cam from Upper gates" in done.stderr
    assert run("convert", urdf, back).returncode == 0
    names = {part.name for part in gremio.load(back).parts.values()}
    assert {"Lock chamber", "Windlass"} <= names


def test_converting_says_what_a_model_is_measured_in_and_which_way_is_up(tmp_path: Path) -> None:
    trimesh.creation.box((100, 20, 30)).export(tmp_path / "plank.stl")
    done = run(
        "convert", tmp_path / "plank.stl", tmp_path / "a.gremio", "--unit", "mm", "--up", "y"
    )
    assert done.returncode == 0
    pose = gremio.solve(gremio.load(tmp_path / "a.gremio"))
    (part,) = pose.program.rig.parts.values()
    assert part.shapes[0].solid.size == pytest.approx((0.03, 0.1, 0.02))


@pytest.mark.parametrize(
    ("more", "said"),
    [
        (["a.gremio", "b.glb", "--unit", "mm"], "'unit' does nothing in reading a.gremio"),
        (["a.gremio", "b.glb", "--up", "y"], "'up' does nothing"),
        (["a.gremio", "b.glb", "--seconds", "3"], "Name a control too"),
        (
            ["a.gremio", "b.csv", "--control", "Turn", "--fps", "24"],
            "'fps' does nothing in writing",
        ),
        (["a.gremio", "b.urdf", "--control", "Turn"], "'control' does nothing in writing b.urdf"),
        (["m.stl", "b.glb", "--unit", "parsecs"], "no unit of length"),
        (["m.stl", "b.glb", "--up", "w"], "y or z, not w"),
    ],
)
def test_options_that_do_nothing_are_refused(tmp_path: Path, more: list[str], said: str) -> None:
    build = gremio.Builder("A")
    build.part("Wheel", gremio.shape(Box(length=1, width=1, height=1)), joint="spin z")
    build.control("Turn", "0 turn", "1 turn")
    build.ratio("Turn", "Wheel", 1)
    gremio.save(build.rig, tmp_path / "a.gremio")
    trimesh.creation.box((1, 1, 1)).export(tmp_path / "m.stl")
    done = run("convert", *(tmp_path / m if "." in m else m for m in more))
    assert done.returncode == 2 and said in done.stderr
    assert not (tmp_path / more[1]).exists()


def test_it_says_which_it_is_and_what_it_can() -> None:
    assert run("--version").stdout == f"gremio {gremio.__version__}\n"
    told = run().stdout
    assert "Usage:" in told and "--install-completion" in told and told == run("--help").stdout


def test_a_travel_is_baked_at_whole_frames_and_says_how_near_it_is(
    lock_file: Path, tmp_path: Path
) -> None:
    end = tmp_path / "g.glb", "--control", "Upper gates", "--seconds", "2"
    assert (
        "keys; between them every part is within 0.1 mm" in run("convert", lock_file, *end).stderr
    )
    told = run("convert", lock_file, *end, "--fps", "12").stderr
    assert " off, at " in told and "mm" in told


def test_the_command_and_a_script_find_the_same(lock: Rig, tmp_path: Path) -> None:
    """With a model that is not there, a stop that ends a range, and a note of another kind."""
    trimesh.creation.box((1, 1, 1)).export(tmp_path / "crate.stl")
    assert run("convert", tmp_path / "crate.stl", tmp_path / "c.gremio").returncode == 0
    (tmp_path / "crate.stl").unlink()
    gremio.save(lock, tmp_path / "lock.gremio")
    for name in ("c.gremio", "lock.gremio"):
        told = json.loads(run("inspect", tmp_path / name, "--json").stdout)["notes"]
        found = gremio.inspect(gremio.load(tmp_path / name))
        assert [note["text"] for note in told] == [f.note.text for f in found]
    assert any(
        "crate.stl" in f.note.text for f in gremio.inspect(gremio.load(tmp_path / "c.gremio"))
    )


def test_what_hangs_on_itself_is_told_and_ends(tmp_path: Path) -> None:
    build = gremio.Builder("Ring")
    build.part("A")
    build.part("B", on="A")
    one, two = build.rig.parts
    ring = {one: replace(build.rig.parts[one], parent=two), two: build.rig.parts[two]}
    for name, parts in (("ring", ring), ("self", {one: replace(build.rig.parts[one], parent=one)})):
        gremio.save(replace(build.rig, parts=parts), tmp_path / f"{name}.gremio")
        done = run("inspect", tmp_path / f"{name}.gremio")
        assert "Traceback" not in done.stderr and "mounted on" in done.stdout + done.stderr


def test_a_sweep_and_the_ledger_begin_where_they_are_told_and_come_as_json(
    lock_file: Path, lock: Rig
) -> None:
    done = run("sweep", lock_file, "Upper gates", "--steps", 3, "--set", "Winch=1 turn", "--json")
    assert done.returncode == 0
    rows = json.loads(done.stdout)
    assert len(rows) == 3 and rows[-1]["Upper gates [rad]"] == pytest.approx(np.radians(74))
    done = run("ledger", lock_file, "--set", "Upper gates=46 deg", "--json")
    (row,) = [
        row for row in json.loads(done.stdout) if row["Follower"] == "Upper gate, east turn z"
    ]
    gate = gremio.solve(lock, {"Upper gates": "46 deg"}).value("Upper gate, east", "turn z")
    assert row["Value"] == pytest.approx(np.degrees(gate)) and row["Unit"] == "°"
    kept_in = gremio.keep(gremio.put(lock, {"Upper gates": "20 deg"}), "Ajar")
    gremio.save(kept_in, lock_file)
    done = run("ledger", lock_file, "--kept", "Ajar", "--json")
    (row,) = [
        row for row in json.loads(done.stdout) if row["Follower"] == "Upper gate, east turn z"
    ]
    gate = gremio.solve(lock, {"Upper gates": "20 deg"}).value("Upper gate, east", "turn z")
    assert row["Value"] == pytest.approx(np.degrees(gate))
    done = run("inspect", lock_file, "--kept", "Nowhere")
    assert done.returncode == 2 and "Nowhere" in done.stderr


def test_a_later_model_is_told_and_taken_up(tmp_path: Path) -> None:
    box = trimesh.creation.box((1.0, 2.0, 3.0))
    box.export(tmp_path / "lid.glb")
    rig = gremio.bring_in(gremio.Rig("Lid"), tmp_path / "lid.glb")
    file = tmp_path / "lid.gremio"
    gremio.save(rig, file)
    assert run("revise", file, tmp_path / "lid.glb").stdout == "Nothing is otherwise.\n"
    before = file.read_bytes()
    box.apply_scale(2.0)
    box.export(tmp_path / "lid-2.glb")
    done = run("revise", file, tmp_path / "lid-2.glb")
    assert done.returncode == 1 and "is reshaped (" in done.stdout and file.read_bytes() == before
    done = run("revise", file, tmp_path / "lid-2.glb", "--take", "bent")
    assert done.returncode == 2 and "no kind of change" in done.stderr
    done = run("revise", file, tmp_path / "lid-2.glb", "--take", "reshaped,moved", "--json")
    assert done.returncode == 0
    assert [one["how"] for one in json.loads(done.stdout)["changes"]] == ["reshaped"]
    assert gremio.changes(gremio.load(file), tmp_path / "lid-2.glb") == []
    assert (tmp_path / "lid.gremio~").read_bytes() == before


def test_kits_are_listed(tmp_path: Path) -> None:
    told = run("kits").stdout
    assert "Door: A door of any width and height" in told and len(told.splitlines()) >= 12
    found = json.loads(run("kits", "--find", "rope", "--json").stdout)["kits"]
    assert [kit["name"] for kit in found] == ["Winch"]
    assert run("kits", tmp_path).stdout.strip() == ""


def test_the_man_page_says_what_the_command_line_says() -> None:
    root = Path(__file__).parent.parent.parent
    made = runpy.run_path(str(root / "scripts" / "man_page.py"))["manual"]()
    assert (root / "packaging" / "gremio.1").read_text() == made, "Run scripts/man_page.py."


def test_a_window_that_can_not_be_opened_is_told_in_one_line(tmp_path: Path) -> None:
    """What shows itself first says nothing of its own where there is no screen, or no file."""
    bare = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY")}
    bare.pop("QT_QPA_PLATFORM", None)
    for words in (["demo"], ["open"], ["open", str(tmp_path / "none.gremio")]):
        done = subprocess.run(
            [sys.executable, "-m", "gremio", *words],
            capture_output=True, text=True, timeout=120, check=False, env=bare,
        )  # fmt: skip
        assert done.returncode == 2 and done.stderr.count("\n") == 1
        assert "There is no screen" in done.stderr
