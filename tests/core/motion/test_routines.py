"""Routines: keys, evaluated to inputs, solved without memory."""

from __future__ import annotations

import csv
import math
import pickle
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from scipy.integrate import solve_ivp
from scipy.interpolate import PchipInterpolator

import gremio
from gremio.core.edit.controls import remove_control, set_kind, set_values
from gremio.core.edit.parts import remove_part, set_joint
from gremio.core.edit.routines import (
    add_routine,
    begin_here,
    change_routine,
    remove_keys,
    retimed,
    set_keys,
)
from gremio.core.files import rig_file
from gremio.core.motion import routines, stopping
from gremio.core.motion.keys import inputs_at
from gremio.core.motion.routines import Run
from gremio.core.rig.channels import key
from gremio.core.rig.find import channel_key, control_id, part_id
from gremio.core.rig.model import Joint, Rig, Routine
from gremio.core.rig.solids import Box, Cylinder
from gremio.core.script.baking import bake_file
from gremio.core.script.posing import surfaces_of
from gremio.core.solve.compiling import compile_rig

shape = gremio.shape
GATE = {"Lift": 0.0}


def gate() -> Rig:
    b = gremio.Builder("Gate")
    b.part("Gate", joint="hinge z")
    b.part("Bell", joint="free", at=(1, 0, 0))
    b.control("Lift", 0.0, 10.0, kind="number", unit="")
    b.ratio("Lift", "Gate turn z", 0.1)
    return b.rig


def keyed(**more: object) -> Rig:
    rig = gremio.routine(gate(), "Open", "8 s", **more)  # type: ignore[arg-type]
    for time, value in ((0.0, 0.0), (2.0, 6.0), (5.0, 6.5), (8.0, 1.0)):
        rig = gremio.key(rig, time, {"Lift": value})
    return rig


def test_smooth_keys_are_the_monotone_cubic_of_scipy() -> None:
    """Fritsch and Butland, as scipy.interpolate.PchipInterpolator has it."""
    times = np.linspace(0, 8, 161)
    baked = gremio.bake(keyed(), times=times)
    wanted = PchipInterpolator([0, 2, 5, 8], [0, 6, 6.5, 1])(times)
    assert baked.value("Lift") == pytest.approx(wanted, abs=1e-12)
    assert baked.value("Gate turn z") == pytest.approx(0.1 * wanted, abs=1e-12)
    assert baked.notes == ()


def test_frames_are_baked_at_the_rate_and_in_the_range_played() -> None:
    rig = keyed(rate="30")
    assert len(gremio.bake(rig).times) == 241
    assert len(gremio.bake(rig, rate="29.97").times) == 241
    (routine_id,) = rig.routines
    rig = change_routine(rig, routine_id, replace(rig.routines[routine_id], play=(1.0, 2.0)))
    assert gremio.bake(rig).times[[0, -1]].tolist() == [1.0, 2.0]


def test_the_first_key_away_from_the_start_leaves_one_there() -> None:
    rig = gremio.routine(gate(), "Open", start={"Lift": 2.0})
    rig = gremio.key(rig, "4 s", {"Lift": 8.0})
    (routine,) = rig.routines.values()
    (cam,) = routine.keys.values()
    assert [(s.lead, *s.values.values()) for s in cam.stations] == [(0.0, 2.0), (4.0, 8.0)]


def test_a_key_at_the_time_of_another_takes_its_place() -> None:
    rig = gremio.key(keyed(), 2.0, {"Lift": 9.0})
    (routine,) = rig.routines.values()
    (cam,) = routine.keys.values()
    assert len(cam.stations) == 4
    assert gremio.bake(rig, times=[2.0]).value("Lift")[0] == 9.0


def test_the_start_is_the_routines_own_and_present_values_are_not_read() -> None:
    rig = gremio.routine(gate(), "Open", start={"Bell move x": "0.5 m"})
    rig = gremio.key(rig, 1.0, {"Lift": 5.0})
    moved = set_values(rig, {channel_key(rig, "Bell move x"): 3.0,
                             channel_key(rig, "Lift"): 9.0})  # fmt: skip
    for one in (rig, moved):
        baked = gremio.bake(one, times=[0.0, 1.0])
        assert baked.value("Bell move x").tolist() == [0.5, 0.5]
        assert baked.value("Lift").tolist() == [0.0, 5.0]
    (routine_id,) = moved.routines
    begun = begin_here(moved, routine_id, moved.at)
    assert gremio.bake(begun, times=[0.0]).value("Bell move x")[0] == 3.0


def test_two_routines_may_key_one_channel_and_neither_links_anything() -> None:
    rig = gremio.key(gremio.routine(keyed(), "Shut"), 1.0, {"Lift": 3.0}, routine="Shut")
    assert gremio.bake(rig, "Open", times=[2.0]).value("Lift")[0] == 6.0
    assert gremio.bake(rig, "Shut", times=[2.0]).value("Lift")[0] == 3.0
    assert len(rig.links) == 1
    assert gremio.solve(rig, {"Lift": 4.0}).value("Gate", "turn z") == pytest.approx(0.4)


def test_round_and_to_and_fro_go_on() -> None:
    times = np.array([0.5, 8.5, 16.5])
    rounds = gremio.bake(keyed(ends="round"), times=times).value("Lift")
    assert rounds == pytest.approx(np.full(3, rounds[0]))
    back = gremio.bake(keyed(ends="to and fro"), times=[3.0, 13.0]).value("Lift")
    assert back[0] == pytest.approx(back[1])


def test_grips_and_counts_are_keyed_as_controls_are() -> None:
    rig = gremio.constrain(gate(), "ride", "Bell", "Gate")
    grip = f"{next(iter(rig.constraints.values())).name} grip"
    rig = gremio.key(rig, 4.0, {grip: 0.0, "Lift": 8.0}, profile="straight")
    rig = gremio.key(rig, 0.0, {grip: 1.0})
    baked = gremio.bake(rig, times=[0.0, 2.0, 4.0])
    assert baked.value(grip).tolist() == [1.0, 0.5, 0.0]
    # Held wholly it goes round with the gate, not held it stays.
    at = baked.world("Bell")[:, :3, 3]
    assert at[2] == pytest.approx([1, 0, 0]) and not np.allclose(at[1], [1, 0, 0])


def test_what_can_not_be_heard_is_told() -> None:
    rig = gremio.key(gate(), 1.0, {"Gate turn z": 0.3})
    (note,) = gremio.bake(rig).notes
    assert note.code == "key-unheard" and "led" in note.text


# ── without memory ─────────────────────────────────────────────────


def trolley() -> Rig:
    b = gremio.Builder("Trolley")
    b.part("Body", shape(Box(length=2, width=1, height=0.3)), at=(0, 0, 0.5))
    for name, x, y in (("FL", 0.7, 0.5), ("FR", 0.7, -0.5), ("RL", -0.7, 0.5), ("RR", -0.7, -0.5)):
        b.part(name, shape(Cylinder(diameter=0.5, height=0.1), turned=("90 deg", 0, 0)),
               at=(x, y, 0.25))  # fmt: skip
    rig = gremio.carriage(b.rig, "Body", ["FL", "FR", "RL", "RR"], ["FL", "FR"])
    rig = gremio.routine(rig, "Round the quay", 6.0)
    for time, travel, steering in ((0, 0, 0), (2, 3.0, 0.3), (4, 2.0, -0.4), (6, 8.0, 0.2)):
        rig = gremio.key(rig, time, {"Body travel": travel, "Body steering": steering})
    return rig


def test_scrubbing_in_any_order_playing_and_baking_agree_to_the_bit() -> None:
    rig = trolley()
    (entry,) = rig.routines.values()
    times = np.concatenate([gremio.bake(rig).times, [0.123456, 3.33333, 5.9999]])
    program = compile_rig(rig, surfaces_of(rig))
    baked = Run(program, entry).at(times).worlds
    rng = np.random.default_rng(3)
    order = rng.permutation(len(times))
    scrubbed = np.empty_like(baked)
    run = Run(compile_rig(rig, surfaces_of(rig)), entry)
    for place in order:
        scrubbed[place] = run.at([times[place]]).worlds[0]
    assert (scrubbed == baked).all()
    grouped = Run(program, entry)
    for part in np.array_split(order, 9):
        assert (grouped.at(times[part]).worlds == baked[part]).all()


def test_the_way_driven_is_that_of_an_integration_by_scipy() -> None:
    """A bicycle's kinematics (as any text on vehicles has it), x' = v cos h, y' = v sin h,
    h' = v tan s / L, of the middle of the unsteered axle: scipy.integrate.solve_ivp."""
    rig = trolley()
    (entry,) = rig.routines.values()
    travel, steering = (key(control_id(rig, f"Body {word}")) for word in ("travel", "steering"))
    base = 1.4

    def of(t: float, channel: str) -> float:
        return float(inputs_at(entry, [t])[channel][0])

    def rate(t: float, state: np.ndarray) -> list[float]:
        h = 1e-5
        v = (of(t + h, travel) - of(t - h, travel)) / (2 * h)
        turn = v * math.tan(of(t, steering)) / base
        return [v * math.cos(state[2]), v * math.sin(state[2]), turn]

    found = solve_ivp(rate, (0, 5.99), [-0.7, 0.0, 0.0], rtol=1e-9, atol=1e-10, max_step=0.05)
    x, y, h = found.y[:, -1]
    world = gremio.bake(rig, times=[5.99]).world("Body")[0]
    axle = world @ [-0.7, 0.0, 0.0, 1.0]
    assert axle[:2] == pytest.approx([x, y], abs=2e-4)
    assert math.atan2(world[1, 0], world[0, 0]) == pytest.approx(h, abs=2e-4)


def test_wheels_begin_where_the_routine_does_not_where_they_stand_now() -> None:
    rig = trolley()
    rolled = set_values(rig, {channel_key(rig, "FL turn y"): 2.0})
    for one in (rig, rolled):
        assert gremio.bake(one, times=[0.0]).value("FL turn y")[0] == 0.0


def test_a_long_way_is_followed_in_blocks_without_a_seam() -> None:
    rig = trolley()
    times = np.linspace(4.2, 4.35, 40)
    worlds = gremio.bake(rig, times=times).world("RL")
    steps = np.linalg.norm(np.diff(worlds[:, :3, 3], axis=0), axis=1)
    assert steps.max() < 3 * np.median(steps) + 1e-9


# ── edits ──────────────────────────────────────────────────────────


def times_of(rig: Rig) -> list[float]:
    (routine,) = rig.routines.values()
    (cam,) = routine.keys.values()
    return [station.lead for station in cam.stations]


def test_keys_are_moved_stretched_mirrored_copied_and_removed() -> None:
    rig = keyed()
    (routine_id,) = rig.routines
    lift = key(control_id(rig, "Lift"))
    chosen = [(lift, 2.0), (lift, 5.0)]
    assert times_of(retimed(rig, routine_id, chosen, lambda t: t + 1.0)) == [0, 3, 6, 8]
    assert times_of(retimed(rig, routine_id, chosen, lambda t: 2 + (t - 2) * 1.5)) == [0, 2, 6.5, 8]
    mirrored = retimed(rig, routine_id, chosen, lambda t: 7.0 - t)
    assert gremio.bake(mirrored, times=[2.0, 5.0]).value("Lift").tolist() == [6.5, 6.0]
    copied = retimed(rig, routine_id, chosen, lambda t: t + 1.0, copies=True)
    assert times_of(copied) == [0, 2, 3, 5, 6, 8]
    assert times_of(remove_keys(rig, routine_id, chosen)) == [0, 8]
    gone = remove_keys(rig, routine_id, [(lift, t) for t in (0.0, 2.0, 5.0, 8.0)])
    assert not gone.routines[routine_id].keys
    # A key that comes to stand on another takes its place.
    assert times_of(retimed(rig, routine_id, [(lift, 2.0)], lambda _t: 5.0)) == [0, 5, 8]
    with pytest.raises(gremio.GremioError, match="outside"):
        retimed(rig, routine_id, chosen, lambda t: t + 5.0)


@pytest.mark.parametrize(("change", "values"), [
    (lambda rig: gremio.set_range(rig, "Lift", 0.0, 20.0), 12.0),
    (lambda rig: set_kind(rig, control_id(rig, "Lift"), "angle"), None),
])  # fmt: skip
def test_a_control_counted_otherwise_is_keyed_as_it_was(change: object, values: object) -> None:
    rig = keyed()
    changed = change(rig)  # type: ignore[operator]
    times = np.linspace(0, 8, 30)
    one, two = (gremio.bake(r, times=times).value("Gate turn z") for r in (rig, changed))
    assert two == pytest.approx(one, abs=1e-9)
    if values is not None:
        assert gremio.bake(changed, times=[2.0]).value("Lift")[0] == pytest.approx(values)


def test_what_goes_takes_its_keys_along_and_a_joint_changed_keeps_them() -> None:
    rig = gremio.key(gate(), 2.0, {"Bell move x": 1.0, "Lift": 4.0})
    assert len(next(iter(rig.routines.values())).keys) == 2
    no_bell = remove_part(rig, part_id(rig, "Bell"))
    assert [c for r in no_bell.routines.values() for c in r.keys] == [key(control_id(rig, "Lift"))]
    no_lift = remove_control(rig, control_id(rig, "Lift"))
    assert all("move x" in c for r in no_lift.routines.values() for c in r.keys)
    b = gremio.Builder("Gate")
    b.part("Gate", joint="hinge z")
    hinged = gremio.key(b.rig, 2.0, {"Gate turn z": 1.0})
    gate_id = part_id(hinged, "Gate")
    turned = set_joint(hinged, gate_id, Joint("hinge", "x"))
    kept = [c for r in turned.routines.values() for c in r.keys]
    assert kept in ([key(gate_id, "turn x")], [key(gate_id, "turn z")])


def test_it_is_kept_in_the_file_and_can_be_sent_to_another_process() -> None:
    rig = keyed(rate="29.97", ends="round")
    again = rig_file.decode(rig_file.encode(rig))
    assert again == rig
    assert pickle.loads(pickle.dumps(again)).routines == rig.routines


@pytest.mark.parametrize("wrong", [
    {"length": 0.0}, {"length": -1.0}, {"length": math.inf}, {"rate": (0, 1)},
    {"rate": (25, 0)}, {"play": (2.0, 1.0)}, {"name": ""},
])  # fmt: skip
def test_a_routine_that_can_not_be_is_refused(wrong: dict[str, object]) -> None:
    rig = keyed()
    (routine_id,) = rig.routines
    with pytest.raises(gremio.GremioError):
        change_routine(rig, routine_id, replace(rig.routines[routine_id], **wrong))


def test_keys_that_can_not_be_are_refused() -> None:
    rig = keyed()
    (routine_id,) = rig.routines
    lift = key(control_id(rig, "Lift"))
    for time, values in ((9.0, {lift: 1.0}), (-1.0, {lift: 1.0}), (1.0, {lift: math.nan}),
                         (1.0, {"p99 turn z": 1.0})):  # fmt: skip
        with pytest.raises(gremio.GremioError):
            set_keys(rig, routine_id, time, values)  # type: ignore[arg-type]
    with pytest.raises(gremio.NotFound, match="Open"):
        gremio.bake(rig, "Opn")
    with pytest.raises(gremio.NotFound, match="no routine"):
        gremio.bake(gate())
    with pytest.raises(gremio.GremioError, match="no plain number"):
        gremio.bake(rig, times=[math.nan])
    with pytest.raises(gremio.GremioError, match="already"):
        add_routine(rig, Routine("Lift"))


def test_keys_that_move_nothing_are_told_by_the_inspection_and_taken_out() -> None:
    b = gremio.Builder("Winch")
    b.part("Drum", joint="spin z")
    b.control("Speed", -1.0, 1.0, kind="rate", unit="turn/s")
    rig = gremio.key(gremio.routine(b.rig, "Haul", 2.0), 1.0, {"Drum turn z": 1.0, "Speed": 0.5})
    assert not [one for one in gremio.inspect(rig) if one.note.code == "key-unheard"]
    rig = gremio.motor(rig, "Speed", "Drum turn z")
    (found,) = [one for one in gremio.inspect(rig) if one.note.code == "key-unheard"]
    assert found.note.text.startswith("In Haul: The keys of Drum turn z move nothing")
    assert "Key Speed instead" in found.note.text
    (mend,) = found.mends
    mended = mend.edit(rig)
    assert not [one for one in gremio.inspect(mended) if one.note.code == "key-unheard"]
    assert gremio.bake(mended, times=[2.0]).value("Drum turn z") == pytest.approx(
        gremio.bake(rig, times=[2.0]).value("Drum turn z")
    )


def test_a_key_is_set_at_a_time_code_and_two_at_one_time_are_refused() -> None:
    b = gremio.Builder("Gate")
    b.control("Lift", 0.0, 1.0, kind="number", unit="")
    rig = gremio.routine(b.rig, "Rise", "2 min", rate="29.97")
    rig = gremio.key(rig, "00:01:00:02", {"Lift": 0.5})
    ((routine_id, made),) = rig.routines.items()
    ((channel, cam),) = made.keys.items()
    # Of drop-frame time code two numbers are left out at the minute: it is frame 1800.
    assert cam.stations[-1].lead == pytest.approx(1800 * 1001 / 30000)
    with pytest.raises(gremio.GremioError, match="left out of the count"):
        gremio.key(rig, "00:01:00:01", {"Lift": 0.5})
    chosen = [(channel, station.lead) for station in cam.stations]
    with pytest.raises(gremio.GremioError, match="one time"):
        retimed(rig, routine_id, chosen, lambda _time: 1.0)


def test_two_keys_at_one_time_in_a_file_count_for_nothing_and_are_told(tmp_path: Path) -> None:
    b = gremio.Builder("Gate")
    b.control("Lift", 0.0, 1.0, kind="number", unit="")
    rig = gremio.key(gremio.routine(b.rig, "Rise", 4.0), 3.0, {"Lift": 0.5})
    gremio.save(rig, tmp_path / "gate.gremio")
    text = (tmp_path / "gate.gremio").read_text()
    assert text.count('"lead": 3.0') == 1
    (tmp_path / "gate.gremio").write_text(text.replace('"lead": 3.0', '"lead": 0.0'))
    rig = gremio.load(tmp_path / "gate.gremio")
    baked = gremio.bake(rig)
    assert (baked.value("Lift") == 0.0).all()
    assert "stand at one time" in baked.notes[0].text
    assert any("stand at one time" in one.note.text for one in gremio.inspect(rig))


def test_a_long_routine_is_written_in_pieces_and_too_much_at_once_is_refused(
    tmp_path: Path,
) -> None:
    """A table of more frames than a piece is what it is whole; and what would not fit is said."""
    rig = gremio.routine(gate(), "Long", 100, rate=25)
    rig = gremio.key(rig, 0, {"Lift": 0.0})
    rig = gremio.key(rig, 100, {"Lift": 9.0})
    bake_file(rig, tmp_path / "long.csv")
    rows = list(csv.reader((tmp_path / "long.csv").read_text().splitlines()))
    assert rows[0] == ["Time [s]", "Lift", "Gate turn z [rad]"] and len(rows) == 2502
    baked = gremio.bake(rig)
    assert [float(row[2]) for row in rows[1:]] == baked.value("Gate turn z").tolist()
    endless = gremio.routine(gate(), "Endless", 1e6, rate=60)
    for ending in (".json", ".glb"):
        with pytest.raises(gremio.GremioError, match="more than are held at once"):
            bake_file(endless, tmp_path / f"endless{ending}")
    assert sorted(p.name for p in tmp_path.iterdir()) == ["long.csv"]


def test_a_table_that_is_stopped_leaves_nothing(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    rig = gremio.key(gremio.routine(gate(), "Long", 100), 0, {"Lift": 0.0})
    (tmp_path / "long.csv").write_text("older")
    monkeypatch.setattr(stopping, "may_go_on", lambda: False)
    with pytest.raises(gremio.GremioError, match="was stopped"):
        bake_file(rig, tmp_path / "long.csv")
    assert [p.name for p in tmp_path.iterdir()] == ["long.csv"]
    assert (tmp_path / "long.csv").read_text() == "older"


def test_what_grew_long_ago_is_found_again_to_the_bit(monkeypatch: pytest.MonkeyPatch) -> None:
    """Only the latest blocks are kept whole; those before are gone along anew from where they
    began."""
    monkeypatch.setattr(routines, "_BLOCKS_KEPT", 2)
    b = gremio.Builder("Roll")
    b.part("Wagon", joint="slide x", at=(0, 0, 0.5))
    b.part("Wheel", joint="spin y", on="Wagon")
    rig = gremio.routine(gremio.roll(b.rig, "Wheel", 0.5), "Far", 60)
    rig = gremio.key(rig, 0, {"Wagon move x": 0.0})
    rig = gremio.key(rig, 60, {"Wagon move x": 30.0})
    (entry,) = rig.routines.values()
    run = Run(compile_rig(rig, surfaces_of(rig)), entry)
    times = np.linspace(0, 60, 301)
    forward = run.at(times).worlds
    assert len(run._blocks) <= 2
    backward = np.array([run.at([time]).worlds[0] for time in times[::-10]])
    assert (backward == forward[::-10]).all()
