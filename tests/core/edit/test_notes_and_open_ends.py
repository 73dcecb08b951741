"""What is written about things, and controls that go on beyond their range."""

from __future__ import annotations

import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.controls import change_control, set_values
from gremio.core.edit.notes import note_of
from gremio.core.edit.parts import remove_part
from gremio.core.files import rig_file
from gremio.core.inspect.ledger import cell, ledger_rows, typed_value, with_note
from gremio.core.rig.channels import key
from gremio.core.rig.find import channel_key, control_id, part_id
from gremio.core.rig.model import Control
from gremio.core.rig.scales import around, shown


def _trolley(**control: object) -> gremio.Builder:
    b = gremio.Builder("Quay")
    b.part("Trolley", joint="slide x")
    b.control("Travel", -5.0, 5.0, kind="length", **control)  # type: ignore[arg-type]
    b.ratio("Travel", "Trolley move x", 1.0)
    return b


def test_an_open_control_goes_on_and_a_closed_one_ends() -> None:
    closed, open_ended = _trolley().rig, _trolley(open=True).rig
    assert gremio.solve(closed, {"Travel": 42.0}).value("Trolley", "move x") == 5.0
    assert gremio.solve(open_ended, {"Travel": 42.0}).value("Trolley", "move x") == 42.0
    assert gremio.solve(open_ended, {"Travel": -1e4}).value("Trolley", "move x") == -1e4


def test_closing_it_brings_it_back_into_its_range() -> None:
    rig = _trolley(open=True, home=9.0).rig
    travel = control_id(rig, "Travel")
    rig = set_values(rig, {key(travel): 42.0})
    closed = change_control(rig, travel, replace(rig.controls[travel], open=False))
    assert closed.controls[travel].home == 5.0
    assert gremio.solve(closed).value("Trolley", "move x") == 5.0


def test_a_sweep_of_an_open_control_is_of_what_is_shown_of_it() -> None:
    poses = gremio.sweep(_trolley(open=True).rig, "Travel", 3)
    moves = poses.channel(channel_key(poses.program.rig, "Trolley move x"))
    assert moves.tolist() == [-5.0, 0.0, 5.0]


@pytest.mark.parametrize("value", [5.0, 5.5, 42.0, -5.1, -99.0])
def test_the_scale_runs_along_with_the_hand(value: float) -> None:
    entry = Control("Travel", "length", "m", -5.0, 5.0, open=True, scale=(0.0, 100.0))
    seen = around(entry, value)
    assert seen.low <= value <= seen.high
    assert seen.high - seen.low == pytest.approx(10.0)
    # What is read at a value stays what it is.
    assert shown(seen, value) == shown(entry, value)


def test_what_is_read_has_a_unit_of_its_own() -> None:
    rig = _trolley(scale=(0.0, 10.0), scale_unit="bar").rig
    entry = rig.controls[control_id(rig, "Travel")]
    assert shown(entry, 0.0) == "5 bar"
    b = gremio.Builder("Quay")
    with pytest.raises(gremio.GremioError, match="without figures"):
        b.control("Pressure", 0.0, 1.0, kind="number", scale=(0, 10), scale_unit="m3")


def test_the_ledger_reads_a_led_control_as_the_desk_does() -> None:
    b = _trolley(scale=(0.0, 10.0), scale_unit="bar")
    b.control("Valve", 0.0, 1.0, kind="number")
    b.ratio("Valve", "Travel", 5.0)
    (row,) = [r for r in ledger_rows(gremio.solve(b.rig).program) if r.follower == "Travel"]
    assert cell(gremio.solve(b.rig, {"Valve": 1.0}), row, "Value") == "10 bar"
    for typed in ("7.5 bar", "7.5", "7,5 bar"):
        assert typed_value(b.rig, row, typed) == pytest.approx(2.5)
    with pytest.raises(gremio.GremioError):
        typed_value(b.rig, row, "7.5 m")


def test_a_note_is_kept_with_the_file_and_goes_with_its_thing() -> None:
    rig = gremio.write_note(_trolley().rig, "Trolley", "Runs on the  quay rails.\nGrease it.")
    rig = gremio.write_note(rig, "Travel", "As the driver calls it")
    rig = gremio.write_note(rig, "Trolley move x", "One for one")
    again = rig_file.decode(rig_file.encode(rig))
    assert again == rig
    assert note_of(again, part_id(again, "Trolley")).endswith("Grease it.")
    (row,) = ledger_rows(gremio.solve(again).program)
    told = cell(gremio.solve(again), row, "Note")
    assert told == "One for one · Runs on the quay rails. Grease it."
    typed = with_note(again, row, "Two for one")
    assert note_of(typed, row.link_id) == "Two for one"
    gone = remove_part(again, part_id(again, "Trolley"))
    assert b"Grease" not in rig_file.encode(gone)


def test_a_note_moves_nothing_and_can_be_taken_away() -> None:
    rig = _trolley().rig
    noted = gremio.write_note(rig, "Trolley", "Heavy")
    one, two = gremio.solve(rig, {"Travel": 1.5}), gremio.solve(noted, {"Travel": 1.5})
    assert one.value("Trolley", "move x") == two.value("Trolley", "move x")
    assert gremio.write_note(noted, "Trolley", "  ") == rig


def test_what_can_not_be_written_about_is_said() -> None:
    rig = _trolley().rig
    with pytest.raises(gremio.NotFound, match="Trolley"):
        gremio.write_note(rig, "Troley", "x")
    with pytest.raises(gremio.GremioError, match="4000"):
        gremio.write_note(rig, "Trolley", "x" * 4001)
