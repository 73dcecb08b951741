"""A piece of a rig taken out and put into another: it moves there as it moved here."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import trimesh
from msgspec.structs import replace
from tests.core.make.test_twins import MACHINES

import gremio
from gremio.core.edit.parts import add_part
from gremio.core.files import rig_file
from gremio.core.files.bring_in import bring_in
from gremio.core.files.model_in import read_model
from gremio.core.make.pieces import put_in, taken_out
from gremio.core.rig.channels import key, split
from gremio.core.rig.find import control_id, part_id
from gremio.core.rig.model import Face, Frame, Part, Repeat, Rig
from gremio.core.script.posing import surfaces_of
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate

shape = gremio.shape


def test_faces_and_pads_on_what_stays_behind_are_left() -> None:
    """A face on the post, or a second axis, must not come to mean another part there."""
    b = gremio.Builder("Crane")
    b.part("Post")
    b.part("Jib", on="Post", joint="hinge y")
    b.part("Trolley", joint="slide x")
    b.control("Luff", "-1 rad", "1 rad")
    b.control("Run", "-1 m", "1 m")
    b.ratio("Luff", "Jib", 1)
    b.ratio("Run", "Trolley", 1)
    luff, run = (control_id(b.rig, name) for name in ("Luff", "Run"))
    pad = replace(b.rig.controls[luff], make="pad", across=run,
                  face=Face(on=part_id(b.rig, "Post")))  # fmt: skip
    rig = replace(b.rig, controls={**b.rig.controls, luff: pad})
    piece = gremio.take(rig, "Jib")
    (kept,) = piece.controls.values()
    assert kept.face is None and kept.make == "slider" and kept.across == ""
    own = replace(pad, face=Face(on=part_id(rig, "Jib")))
    piece = gremio.take(replace(rig, controls={**rig.controls, luff: own}), "Jib")
    (kept,) = piece.controls.values()
    assert kept.face == Face(on=part_id(piece, "Jib"))


def piece_of(rig: Rig, *names: str) -> Rig:
    return taken_out(rig, [part_id(rig, n) for n in names], geometry=surfaces_of(rig))


@pytest.mark.parametrize("name", MACHINES)
def test_it_does_in_another_rig_what_it_did_in_its_own(name: str, lock: Rig) -> None:
    """At random inputs, in a rig where all names are taken and ids are others."""
    make, roots = MACHINES[name]
    rig = make()
    piece = rig_file.decode(rig_file.encode(piece_of(rig, *roots)))
    other = make()
    other, _ = put_in(other, piece)
    whole, ids = put_in(lock, rig_file.decode(rig_file.encode(piece)))
    for host, known in ((other, _), (whole, ids)):
        small, large = (compile_rig(r, surfaces_of(r)) for r in (rig, host))
        rng = np.random.default_rng(2)
        asked, there = {}, {}
        for row, channel in enumerate(small.channel_keys):
            owner, number = split(channel)
            if small.inputs[row] and owner in known:
                values = rng.uniform(-1, 1, 20)
                asked[channel], there[key(known[owner], number)] = values, values
        one, two = (evaluate(p, v, apart=True).worlds for p, v in ((small, asked), (large, there)))
        for part, row in small.part_row.items():
            assert np.abs(one[:, row] - two[:, large.part_row[known[part]]]).max() < 1e-9
    assert len({thing.name for thing in other.parts.values()}) == 2 * len(rig.parts)


def test_what_leads_others_too_and_what_is_tied_outside_stays_behind() -> None:
    b = gremio.Builder("Pair")
    b.part("Frame", at=(1, 2, 0), turned=(0, 0, 0.4))
    b.part("Left", on="Frame", at=(0, 1, 0), joint="hinge z")
    b.part("Latch", on="Left", at=(0.5, 0, 0), joint="slide x")
    b.part("Right", on="Frame", at=(0, -1, 0), joint="hinge z")
    b.control("Open", "0 deg", "90 deg")
    b.ratio("Open", "Left", 1)
    b.ratio("Open", "Right", -1)
    b.control("Lock", "0 mm", "50 mm", kind="length")
    b.ratio("Lock", "Latch", 1)
    b.part("Eye", on="Frame", at=(1, 0, 0), joint="ball")
    rig = gremio.constrain(b.rig, "aim", "Eye", "Left")
    assert not piece_of(rig, "Eye").constraints and len(piece_of(rig, "Frame").constraints) == 1
    piece = piece_of(rig, "Left")
    assert [part.name for part in piece.parts.values()] == ["Left", "Latch"]
    assert [control.name for control in piece.controls.values()] == ["Lock"]
    assert len(piece.links) == 1 and not piece.constraints
    # It stands where it stood.
    there = gremio.solve(rig).part("Latch").world
    assert np.abs(gremio.solve(piece).part("Latch").world - there).max() < 1e-12
    whole, ids = put_in(rig, piece, part_id(rig, "Right"))
    copy = whole.parts[ids[part_id(rig, "Left")]]
    assert copy.parent == part_id(rig, "Right") and copy.name == "Left 2"
    with pytest.raises(gremio.GremioError, match="Choose what to take"):
        piece_of(rig)


def test_nothing_in_a_piece_means_what_stays_behind() -> None:
    """Rows and wheels along a path of another part; links of a tread without its wheels."""
    b = gremio.Builder("Rows")
    b.part("Wall")
    b.part("Cart", joint="slide x")
    b.part("Wheel", on="Cart", joint="spin y")
    rig = gremio.path(b.rig, "Curb", [(0, 0, 0), (1, 0, 0)], on="Wall")
    (curb,) = rig.paths
    rig = gremio.roll(rig, "Wheel turn y", 0.2, along="Curb")
    stone = Part("Stone", None, Frame(), repeat=Repeat("path", "x", 3, 0.2, curb))
    rig, _ = add_part(rig, stone)
    piece = piece_of(rig, "Cart", "Stone")
    assert not piece.links and not piece.paths
    assert all(part.repeat is None for part in piece.parts.values())
    assert piece_of(rig, "Cart", "Stone", "Wall").links
    for name in ("Drive", "Idler"):
        b.part(name, gremio.Cylinder(0.5, 0.1), at=(1.0 if name == "Idler" else 0, 0, 1),
               joint="spin y")  # fmt: skip
    rig = gremio.tread(b.rig, ["Drive", "Idler"], name="Band")
    (link,) = [part.name for part in rig.parts.values() if part.repeat is not None]
    piece = piece_of(rig, link)
    assert not piece.treads and not piece.links
    assert all(part.repeat is None for part in piece.parts.values())
    assert not compile_rig(piece, surfaces_of(piece)).faults


def test_the_same_by_names_from_a_script() -> None:
    rig = MACHINES["gate"][0]()
    piece = gremio.take(rig, "Gate, east")
    whole = gremio.put_in(rig, piece, "Post")
    assert gremio.solve(whole, {"Open, east 2": 0.3}).value("Gate, east 2", "turn z") == 0.3
    with pytest.raises(gremio.NotFound, match="Pst"):
        gremio.put_in(rig, piece, "Pst")


def test_a_model_is_taken_once_and_along(tmp_path: Path) -> None:
    trimesh.Scene({"Cog": trimesh.creation.box((1, 2, 3))}).export(tmp_path / "own.glb")
    rig, _ = bring_in(Rig(), read_model(tmp_path / "own.glb"))
    (name,) = (part.name for part in rig.parts.values() if part.shapes)
    piece = piece_of(rig, name)
    assert len(piece.sources) == 1
    again, _ = put_in(rig, piece)
    fresh, _ = put_in(Rig(), piece)
    assert len(again.sources) == 1 and len(fresh.sources) == 1
    for whole in (again, fresh):
        for part in whole.parts.values():
            for one in part.shapes:
                assert one.solid.source in whole.sources  # type: ignore[union-attr]
