"""In what lengths are shown, and a control made one of another kind: nothing moves by it."""

from __future__ import annotations

import math

import pytest

import gremio
from gremio.core.edit.controls import set_kind
from gremio.core.edit.formulas import write
from gremio.core.edit.whole import rename_rig, set_lengths
from gremio.core.files import rig_file
from gremio.core.problem import GremioError
from gremio.core.rig.channels import key
from gremio.core.rig.find import channel_key, control_id, part_id
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import meant_unit, shown_unit
from gremio.core.rig.solids import Box, Cylinder
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.ask import posed


def _text(rig: Rig) -> str:
    return rig_file.encode(rig).decode()


@pytest.fixture
def rig() -> Rig:
    build = gremio.Builder("Hatch")
    build.part("Frame", Box(2.0, 1.0, 0.1))
    build.part("Button", Box(0.04, 0.04, 0.01), on="Frame", joint="slide z")
    build.part("Slide", Box(1.0, 0.1, 0.1), on="Frame", joint="slide x")
    build.control("Open", "0 deg", "90 deg")
    build.ratio("Open", "Slide", 0.49)
    return build.rig


def test_small_parts_are_told_in_millimetres_where_no_unit_is_chosen(rig: Rig) -> None:
    assert shown_unit(rig, channel_key(rig, "Button move z")) == "mm"
    assert shown_unit(rig, channel_key(rig, "Slide move x")) == "m"
    inches = set_lengths(rig, "in")
    assert shown_unit(inches, channel_key(inches, "Button move z")) == "in"
    assert shown_unit(inches, channel_key(inches, "Slide move x")) == "in"
    # A control keeps the unit that was chosen for it.
    assert shown_unit(inches, channel_key(inches, "Open")) == "deg"
    with pytest.raises(GremioError, match="no unit"):
        set_lengths(rig, "parsec")  # type: ignore[arg-type]


def test_a_bare_number_in_a_formula_means_the_same_however_lengths_are_shown(rig: Rig) -> None:
    button = channel_key(rig, "Button move z")
    assert meant_unit(rig, button) == "m"
    led, _ = write(rig, button, "0.002 * 3")
    for unit in ("", "mm", "in"):
        assert gremio.solve(set_lengths(led, unit)).value("Button") == pytest.approx(0.006)


def test_the_unit_of_a_rig_goes_through_its_file(rig: Rig) -> None:
    text = _text(set_lengths(rig, "in"))
    assert '"lengths": "in"' in text and '"lengths"' not in _text(rig)


def test_a_kind_is_changed_and_nothing_moves(rig: Rig) -> None:
    """0 to 90° are 0 to 90 as bare numbers, and back; the follower stands where it stood."""
    opened = posed(rig, {"Open": "46 deg"}, geometry=geometry_of)
    stood = gremio.solve(opened).value("Slide")
    control = control_id(rig, "Open")
    bare = set_kind(opened, control, "number")
    entry = bare.controls[control]
    assert (entry.low, entry.high, entry.unit) == (0.0, pytest.approx(90.0), "")
    assert gremio.solve(bare).value("Open") == pytest.approx(46.0)
    assert gremio.solve(bare).value("Slide") == pytest.approx(stood)
    back = set_kind(bare, control, "angle").controls[control]
    assert (back.low, back.high) == (0.0, pytest.approx(math.pi / 2))


def test_a_control_made_a_length_takes_the_way_of_what_it_leads(rig: Rig) -> None:
    control = control_id(rig, "Open")
    made = set_kind(posed(rig, {"Open": "90 deg"}, geometry=geometry_of), control, "length")
    entry = made.controls[control]
    assert entry.high == pytest.approx(0.49 * math.pi / 2) and entry.unit == "m"
    pose = gremio.solve(made)
    assert pose.value("Open") == pytest.approx(pose.value("Slide"))


def test_a_cam_goes_along_with_the_kind_of_its_lead(lock: Rig) -> None:
    rig = lock
    control = control_id(rig, "Upper gates")
    made = set_kind(rig, control, "number")
    for at in (0.0, 12.3, 30.0, 47.5, 74.0):
        one = gremio.solve(rig, {"Upper gates": math.radians(at)})
        two = gremio.solve(made, {"Upper gates": at})
        for part in ("Upper gate, east", "Upper gate, west"):
            assert two.value(part) == pytest.approx(one.value(part), abs=1e-12)


def test_a_rig_is_renamed(rig: Rig) -> None:
    assert rename_rig(rig, " Lock ").name == "Lock"
    with pytest.raises(GremioError, match="name"):
        rename_rig(rig, "  ")


def test_stops_of_a_small_part_are_told_in_its_unit(rig: Rig) -> None:
    assert shown_unit(rig, key(part_id(rig, "Button"), "high stop move z")) == "mm"


def test_a_kind_that_is_none_is_refused(rig: Rig) -> None:
    with pytest.raises(GremioError, match="can't be of the kind 'banana'"):
        set_kind(rig, control_id(rig, "Open"), "banana")  # type: ignore[arg-type]


def test_what_leads_a_control_and_kept_poses_mean_what_they_meant() -> None:
    build = gremio.Builder("Hatch")
    build.part("Gate", joint="hinge z")
    for name in ("Wheel", "Crank"):
        build.control(name, "0 deg", "90 deg")
    build.ratio("Wheel", "Crank", 0.5)
    build.ratio("Crank", "Gate", 1)
    rig = gremio.keep(posed(build.rig, {"Wheel": "60 deg"}, geometry=geometry_of), "Ajar")
    crank, wheel = (control_id(rig, name) for name in ("Crank", "Wheel"))
    for control in (crank, wheel):
        made = set_kind(rig, control, "number")
        pose = gremio.solve(gremio.to_pose(made, "Ajar"))
        assert math.degrees(pose.value("Gate")) == pytest.approx(30.0)
    assert gremio.solve(set_kind(rig, crank, "number")).at(key(crank)) == pytest.approx(30.0)
    assert set_kind(set_kind(rig, crank, "number"), crank, "angle").poses == rig.poses


def test_what_drives_a_carriage_keeps_its_kind() -> None:
    build = gremio.Builder("Cart")
    build.part("Bed", Box(2.0, 1.0, 0.2), at=(0, 0, 0.5))
    for name, x, y in (("FL", 0.8, 0.5), ("FR", 0.8, -0.5), ("RL", -0.8, 0.5)):
        wheel = gremio.shape(Cylinder(0.5, 0.1), turned=("90 deg", 0, 0))
        build.part(name, wheel, on="Bed", at=(x, y, -0.25))
    rig = gremio.carriage(build.rig, "Bed", ["FL", "FR", "RL"], ["FL", "FR"])
    with pytest.raises(GremioError, match="counts in its unit"):
        set_kind(rig, control_id(rig, "Bed steering"), "number")
