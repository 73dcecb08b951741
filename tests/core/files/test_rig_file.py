from __future__ import annotations

import json
import os
from pathlib import Path

import jsonschema
import numpy as np
import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.controls import set_values
from gremio.core.files import atomic, rig_file
from gremio.core.files.atomic import FileProblem
from gremio.core.rig.find import control_id
from gremio.core.rig.model import Rig, Source


def test_a_saved_rig_opens_as_the_same_rig_in_the_same_pose(lock: Rig, tmp_path: Path) -> None:
    posed = set_values(lock, {control_id(lock, "Upper gates"): 0.7123456789})
    gremio.save(posed, tmp_path / "lock.gremio")
    again = gremio.load(tmp_path / "lock.gremio")
    assert again == posed
    assert np.array_equal(gremio.solve(again).worlds, gremio.solve(posed).worlds)


def test_the_same_rig_gives_the_same_text_that_reads_well(lock: Rig) -> None:
    text = rig_file.encode(lock).decode()
    assert text == rig_file.encode(lock).decode()
    lines = text.splitlines()
    assert max(map(len, lines)) < 140
    assert any(line.strip() == '"name": "Upper gate, east",' for line in lines)


def test_a_saved_rig_follows_the_published_schema(lock: Rig) -> None:
    schema = rig_file.schema()
    jsonschema.Draft202012Validator.check_schema(schema)
    jsonschema.validate(json.loads(rig_file.encode(lock)), schema)
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({"gremio": 1, "rig": {"parts": {"p1": {}}}}, schema)


def test_sources_are_written_relative_and_read_absolute(tmp_path: Path) -> None:
    (tmp_path / "rigs").mkdir()
    source = Source(str(tmp_path / "models" / "hook.glb"), "0" * 64)
    file = tmp_path / "rigs" / "a.gremio"
    gremio.save(Rig(sources={"s1": source}), file)
    assert json.loads(file.read_text())["rig"]["sources"]["s1"]["path"] == "../models/hook.glb"
    moved = tmp_path / "elsewhere"
    (tmp_path / "rigs").rename(moved)
    assert gremio.load(moved / "a.gremio").sources["s1"].path == source.path


WHOLE = rig_file.encode(gremio.Rig(name="Small"))


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (WHOLE[:-9], "not a whole Gremio rig"),
        (b"", "not a whole Gremio rig"),
        (bytes(range(256)) * 4, "not a whole Gremio rig"),
        (b"[1, 2]", "no Gremio version number"),
        (b'{"rig": {}}', "no Gremio version number"),
        (b'{"gremio": "one", "rig": {}}', "no Gremio version number"),
        (b'{"gremio": 99, "rig": {}}', "version 99; this Gremio reads versions 1 to 4"),
        (b'{"gremio": 1, "rig": {"parts": {"p1": {"name": 5}}}}', r"\$.rig.parts"),
        (b'{"gremio": 1, "rig": {}, "extra": 1}', "extra"),
        (b'{"gremio": 1, "rig": ' + b"[" * 200_000 + b"]" * 200_000 + b"}", "nested too deeply"),
        (b"[" * 200_000, "nested too deeply|not a whole"),
        (b'{"gremio": 1, "rig": {"at": {"c1": 1e999}}}', "without end|out of range"),
        (
            b'{"gremio": 1, "rig": {"parts": {"p1": {"name": "A", '
            b'"mount": {"turn": [0, 0, 0, 0]}}}}}',
            "mount or a shape of A",
        ),
    ],
)
def test_a_broken_file_is_told_in_a_clear_line(data: bytes, words: str, tmp_path: Path) -> None:
    file = tmp_path / "broken.gremio"
    file.write_bytes(data)
    with pytest.raises(FileProblem, match=words) as problem:
        gremio.load(file)
    assert "broken.gremio" in str(problem.value)
    assert len(str(problem.value)) < 400


def test_a_file_that_is_too_large_or_not_there(tmp_path: Path) -> None:
    with pytest.raises(FileProblem, match="could not be read: no such file"):
        gremio.load(tmp_path / "none.gremio")
    with pytest.raises(FileProblem, match="is a folder"):
        gremio.load(tmp_path)
    huge = tmp_path / "huge.gremio"
    with huge.open("wb") as file:
        file.truncate(3_000_000_000)
    with pytest.raises(FileProblem, match="3,000 MB; Gremio reads up to 512 MB"):
        gremio.load(huge)


def test_saving_to_a_full_disk_keeps_the_older_file(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "lock.gremio"
    gremio.save(Rig(name="First"), file)

    def full(_handle: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(
        FileProblem, match=r"no space left on device. Free some space, .* is as it was"
    ):
        gremio.save(Rig(name="Second"), file)
    monkeypatch.undo()
    assert gremio.load(file).name == "First"
    assert [entry.name for entry in tmp_path.iterdir()] == ["lock.gremio"]


def test_a_real_full_disk_is_told(lock: Rig) -> None:
    if not Path("/dev/full").exists():
        pytest.skip("this system has no /dev/full")
    with pytest.raises(FileProblem):
        atomic.write(Path("/dev/full/lock.gremio"), rig_file.encode(lock))


def test_saving_to_a_read_only_place_is_told(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def refused(*_args: object, **_kwargs: object) -> None:
        raise OSError(30, "Read-only file system")

    monkeypatch.setattr("tempfile.mkstemp", refused)
    with pytest.raises(FileProblem, match="read-only file system"):
        gremio.save(Rig(), tmp_path / "lock.gremio")


def test_a_saved_file_keeps_its_permissions(tmp_path: Path) -> None:
    file = tmp_path / "lock.gremio"
    gremio.save(Rig(), file)
    file.chmod(0o640)
    gremio.save(Rig(name="Again"), file)
    assert file.stat().st_mode & 0o777 == 0o640


def test_opening_runs_nothing_and_keeps_odd_names(tmp_path: Path) -> None:
    name = "__import__('os').system('true') \u2028 Łódź"
    gremio.save(Rig(name=name), tmp_path / "odd.gremio")
    assert gremio.load(tmp_path / "odd.gremio").name == name


def test_faults_in_a_file_do_not_keep_it_from_opening(hatch: Rig, tmp_path: Path) -> None:
    part = next(iter(hatch.parts))
    broken = replace(hatch, parts={**hatch.parts, "p99": hatch.parts[part]})
    gremio.save(broken, tmp_path / "twice.gremio")
    opened = rig_file.open_file(tmp_path / "twice.gremio")
    assert [n.code for n in opened.notes] == ["name-twice"]
    names = [part.name for part in opened.rig.parts.values()]
    assert len(names) == len(broken.parts) == len(set(names)), "both are told apart"
    assert gremio.solve(opened.rig).notes == []


@pytest.mark.parametrize(
    ("part", "text"),
    [
        ('"links": {"k1": {"link": "rolling", "follower": "p1 turn y", "radius": 0}}', "radius"),
        ('"links": {"k1": {"link": "planetary", "sun": "p1 turn y", "ring": "p2 turn y", '
         '"carrier": "p3 turn y", "ratio": -1}}', "teeth of ring"),
        ('"links": {"k1": {"link": "cam", "lead": "p1 turn y", "followers": [{"channel": '
         '"p2 turn y"}], "stations": [{"lead": 1, "values": {}}, {"lead": 1, "values": {}}]}}',
         "same lead value"),
        ('"links": {"k1": {"link": "rolling", "follower": "p1 turn y", "radius": 1, '
         '"path": "w1"}}, '
         '"paths": {"w1": {"name": "Rail", "points": [[0, 0, 0]]}}', "two different points"),
        ('"links": {"k1": {"link": "rolling", "follower": "p1 turn y", "radius": 1, "path": "w9"}}',
         "a path that is not in the rig"),
        ('"links": {"k1": {"link": "driving", "body": "p1", "travel": "p2 turn y"}}', "grounded"),
        ('"links": {"k1": {"link": "formula", "follower": "p1 turn y", "text": "((("}}',
         "can't be computed"),
        ('"measures": {"m1": {"name": "Gap", "kind": "distance", "ends": []}}', "measure anew"),
        ('"measures": {"m1": {"name": "Gap", "kind": "radius", "ends": [{"part": "p7"}]}}',
         "measure anew"),
    ],
)  # fmt: skip
def test_links_and_measures_that_can_not_be_are_told_and_left_out(part: str, text: str) -> None:
    parts = ", ".join(
        f'"p{i}": {{"name": "P{i}", "joint": {{"kind": "spin", "axis": "y"}}}}' for i in (1, 2, 3)
    )
    rig = rig_file.decode(f'{{"gremio": 1, "rig": {{"parts": {{{parts}}}, {part}}}}}'.encode())
    pose = gremio.solve(rig)
    assert [text in note.text for note in pose.notes] == [True]
    assert np.all(np.isfinite(pose.worlds))
    assert gremio.inspect(rig)


def test_a_number_without_end_is_refused_wherever_it_is() -> None:
    text = '{"gremio": 1, "rig": {"controls": {"c1": {"name": "A", "kind": "angle", "unit": "deg", '
    with pytest.raises(FileProblem, match="Number out of range"):
        rig_file.decode((text + '"low": 0, "high": 1e999}}}}').encode())


def test_the_text_is_laid_out_for_people(lock: Rig) -> None:
    """Two blanks for each level, so that a change of one number is a change of one line."""
    lines = rig_file.encode(lock).decode().splitlines()
    assert lines[0] == "{" and lines[-1] == "}"
    depth = 0
    for line in lines:
        bare = line.lstrip(" ")
        if bare[:1] in "}]":
            depth -= 1
        assert len(line) - len(bare) == 2 * depth, line
        if bare.endswith(("{", "[")):
            depth += 1
    assert max(map(len, lines)) < 400 or depth == 0
