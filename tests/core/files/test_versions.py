from __future__ import annotations

import json
from pathlib import Path

import msgspec
import numpy as np
import pytest

import gremio
from gremio.core.files import rig_file
from gremio.core.files.atomic import FileProblem
from gremio.core.files.steps import VERSION
from gremio.core.rig.constraints import CONSTRAINTS
from gremio.core.rig.find import constraint_id, part_id
from gremio.core.rig.model import Rig

KEPT = Path(__file__).parents[2] / "files" / "versions"
FILES = sorted(KEPT.glob("*.gremio"))


@pytest.mark.parametrize("file", FILES, ids=lambda file: file.stem)
def test_a_file_of_every_version_poses_as_it_did(file: Path) -> None:
    """The poses beside each file were written by the Gremio that wrote the file; but for bolts on
    the boiler of the first, which stood 0.5° askew there and now stand square on it."""
    opened = rig_file.open_file(file)
    assert opened.unknown == ()
    for kept in json.loads(file.with_suffix(".poses.json").read_text()):
        pose = gremio.solve(opened.rig, kept["values"])
        for part in pose.program.part_ids:
            there = np.array(kept["worlds"][opened.rig.parts[part].name])
            assert pose.world(part) == pytest.approx(there, abs=1e-12)


def test_there_is_a_file_of_every_older_version() -> None:
    assert {rig_file.open_file(file).version for file in FILES} >= set(range(1, VERSION))


def test_words_and_numbers_of_version_1_are_raised() -> None:
    rig = rig_file.open_file(KEPT / "v1-constraints.gremio").rig
    kinds = {constraint.kind for constraint in rig.constraints.values()}
    assert "run along" in kinds and kinds <= set(CONSTRAINTS)
    grips = [c.grip for c in rig.constraints.values() if c.name == "Crate ride"]
    assert grips == [0.6], "what was put among the values stands in its thing"
    rivet, spoke = (rig.parts[part_id(rig, name)].repeat for name in ("Rivet", "Spoke"))
    assert rivet is not None and (rivet.count, rivet.pitch) == (7, 0.25)
    assert spoke is not None and spoke.pitch == 0.5
    text = (KEPT / "v1-constraints.gremio").read_text()
    assert "influence" in text and "follow path" in text
    raised = rig_file.encode(rig).decode()
    assert "influence" not in raised and "follow path" not in raised.replace("Cart follow path", "")
    assert f"{constraint_id(rig, 'Lamp pin')} grip" in [k.follower for k in rig.links.values()
                                                       if hasattr(k, "text")]  # fmt: skip


@pytest.mark.parametrize("file", FILES, ids=lambda file: file.stem)
def test_opening_and_saving_gives_the_same_bytes_ever_after(file: Path) -> None:
    rig = rig_file.open_file(file).rig
    once = rig_file.encode(rig)
    assert rig_file.decode(once) == rig and rig_file.encode(rig_file.decode(once)) == once


def _with(change: dict, where: tuple[str, ...]) -> bytes:
    plain = msgspec.to_builtins(rig_file.RigFile(VERSION, _small()))
    place = plain
    for step in where:
        place = place.setdefault(step, {})
    place.update(change)
    return json.dumps(plain).encode()


def _small() -> Rig:
    build = gremio.Builder("Small")
    build.part("Hatch", joint="hinge y")
    build.control("Open", 0, 1, kind="angle")
    build.ratio("Open", "Hatch", 2.0)
    return build.rig


@pytest.mark.parametrize(
    ("change", "where", "told"),
    [
        ({"mood": "fine"}, ("rig",), "mood"),
        ({"damping": 3.0}, ("rig", "links", "k3"), "links.k3.damping"),
        ({"colour": "red"}, ("rig", "parts", "p1"), "parts.p1.colour"),
        ({"k9": {"link": "spring", "lead": "c2"}}, ("rig", "links"),
         "links.k9 of the kind 'spring'"),
        ({"x9": {"kind": "glue", "name": "G", "part": "p1", "channels": []}}, ("rig",
         "constraints"),
         "constraints.x9 of the kind 'glue'"),
        ({"make": "joystick"}, ("rig", "controls", "c2"), "controls.c2.make 'joystick'"),
        ({"tides": {"t1": {}}}, ("rig",), "tides"),
    ],
)  # fmt: skip
def test_what_is_not_known_is_told_and_the_file_opens_to_be_read(
    change: dict, where: tuple[str, ...], told: str, tmp_path: Path
) -> None:
    data = _with(change, where)
    opened = rig_file.decoded(data)
    assert [place.removeprefix("rig.") for place in opened.unknown] == [told]
    assert part_id(opened.rig, "Hatch") in opened.rig.parts, "all that is known is there"
    file = tmp_path / "newer.gremio"
    file.write_bytes(data)
    # A script would lose it on saving, and is told so.
    with pytest.raises(FileProblem, match="does not know"):
        gremio.load(file)


def test_two_things_of_one_name_are_told_apart_and_noted() -> None:
    opened = rig_file.open_file(KEPT / "v1-links.gremio")
    assert [note.code for note in opened.notes] == ["name-twice"]
    names = [
        thing.name for things in (opened.rig.parts, opened.rig.paths) for thing in things.values()
    ]
    assert len(names) == len(set(names)) and {"Rail", "Rail 2"} <= set(names)


def test_the_older_file_is_kept_beside_the_new_one(tmp_path: Path) -> None:
    file = tmp_path / "winch.gremio"
    file.write_bytes((KEPT / "v1-links.gremio").read_bytes())
    opened = rig_file.open_file(file)
    kept = rig_file.keep_older(opened, file)
    assert kept == tmp_path / "winch.v1.gremio"
    rig_file.write(opened.rig, file)
    assert kept.read_bytes() == (KEPT / "v1-links.gremio").read_bytes()
    assert rig_file.keep_older(rig_file.open_file(file), file) is None, "it is of this version now"
