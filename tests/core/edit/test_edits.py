from __future__ import annotations

import math

import numpy as np
import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.cams import as_cam, record_station, remove_stations
from gremio.core.edit.controls import add_control, change_control, remove_control, set_values
from gremio.core.edit.links import add_link, proposed_ratio, remove_link, swapped
from gremio.core.edit.mounts import move_mount, place_own, set_home_here
from gremio.core.edit.parts import (
    add_part,
    ground_channel,
    remove_part,
    rename_part,
    set_joint,
    set_parent,
    set_repeat,
    set_stops,
)
from gremio.core.edit.paths import remove_path
from gremio.core.frames import Frame, matrix
from gremio.core.problem import GremioError, NotFound
from gremio.core.rig.cams import as_ratio, cam_through
from gremio.core.rig.channels import freed
from gremio.core.rig.find import channel_key, control_id, free_name, part_id
from gremio.core.rig.model import Cam, Control, Joint, Part, Ratio, Repeat, Rig, Stops
from gremio.core.solve.axes import channel_frame


def test_an_edit_leaves_the_older_rig_as_it_was(hatch: Rig) -> None:
    before = dict(hatch.parts)
    flap = part_id(hatch, "Flap")
    after = rename_part(hatch, flap, "Lid")
    assert hatch.parts == before
    assert after.parts[flap].name == "Lid"
    assert after.parts[part_id(hatch, "Frame")] is hatch.parts[part_id(hatch, "Frame")]


def test_a_rename_breaks_no_link(hatch: Rig) -> None:
    renamed = rename_part(hatch, part_id(hatch, "Flap"), "Lid")
    assert gremio.solve(renamed, {"Open": "30 deg"}).value("Lid") == pytest.approx(-math.pi / 6)


def test_ids_last_and_are_never_given_twice(hatch: Rig) -> None:
    rig, first = add_part(hatch, Part("Hook"))
    rig = remove_part(rig, first)
    rig, second = add_part(rig, Part("Hook"))
    assert first != second


def test_a_name_that_is_taken_is_refused(hatch: Rig) -> None:
    with pytest.raises(GremioError, match="'Flap' is already the name"):
        add_part(hatch, Part("Flap"))
    with pytest.raises(GremioError, match="'Open' is already the name"):
        rename_part(hatch, part_id(hatch, "Flap"), "Open")
    with pytest.raises(GremioError, match="can't be empty"):
        rename_part(hatch, part_id(hatch, "Flap"), "  ")
    assert free_name({"Flap", "Flap 2"}, "Flap") == "Flap 3"


def test_a_missing_name_gets_the_nearest_ones(hatch: Rig) -> None:
    with pytest.raises(NotFound, match=r"no part called .Flop.\. Did you mean .Flap."):
        part_id(hatch, "Flop")


def test_a_low_stop_above_the_high_one_is_refused(hatch: Rig) -> None:
    flap = part_id(hatch, "Flap")
    with pytest.raises(GremioError) as refused:
        set_stops(hatch, flap, "turn y", Stops(0.5, 0.1))
    assert "low stop of Flap (28.6°) would be above its high stop (5.7°)" in str(refused.value)
    assert (
        set_stops(hatch, flap, "turn y", Stops(None, 0.1)).parts[flap].stops["turn y"].low is None
    )


def test_stops_on_a_grounded_channel_are_refused(hatch: Rig) -> None:
    with pytest.raises(GremioError, match="turn x of Flap is grounded"):
        set_stops(hatch, part_id(hatch, "Flap"), "turn x", Stops(0.0, 1.0))


def test_a_control_with_an_empty_range_is_refused(hatch: Rig) -> None:
    with pytest.raises(GremioError, match=r"Empty has an empty range, from 5° to 5°"):
        add_control(hatch, Control("Empty", "angle", "deg", math.radians(5), math.radians(5)))
    with pytest.raises(GremioError, match="no unit for its kind"):
        add_control(hatch, Control("Odd", "angle", "mm", 0.0, 1.0))


def test_home_stays_within_the_range(hatch: Rig) -> None:
    control = control_id(hatch, "Open")
    changed = replace(hatch.controls[control], low=0.5, high=1.0)
    assert change_control(hatch, control, changed).controls[control].home == 0.5


def test_a_channel_is_led_once_and_both_links_are_named(hatch: Rig) -> None:
    shutter, flap = channel_key(hatch, "Shutter"), channel_key(hatch, "Flap")
    with pytest.raises(GremioError) as refused:
        add_link(hatch, cam_through(shutter, flap, [(0, 0), (1, 1)]))
    assert "Flap is led twice" in str(refused.value)
    assert "the ratio from Open to Flap" in str(refused.value)
    rig, second = add_control(hatch, Control("Second", "angle", "deg", 0.0, 1.0))
    with pytest.raises(GremioError) as refused:
        add_link(rig, Ratio(second, flap, 1.0))
    text = str(refused.value)
    assert "Flap is led twice" in text
    assert "the ratio from Open to Flap" in text
    assert "the ratio from Second to Flap" in text


def test_a_ring_of_links_is_refused_and_spelled_out(hatch: Rig) -> None:
    flap, shutter, bolt = (channel_key(hatch, n) for n in ("Flap", "Shutter", "Bolt"))
    rig, _ = add_link(hatch, Ratio(shutter, bolt, 0.1))
    rig = remove_link(rig, next(iter(rig.links)))
    rig, _ = add_link(rig, cam_through(bolt, flap, [(0, 0), (1, 1)]))
    with pytest.raises(GremioError) as refused:
        add_link(rig, cam_through(flap, shutter, [(0, 0), (1, 1)]))
    text = str(refused.value)
    chains = ["Flap leads Shutter leads Bolt leads Flap", "Shutter leads Bolt leads Flap leads"]
    assert any(chain in text for chain in [*chains, "Bolt leads Flap leads Shutter leads Bolt"])


def test_a_link_to_a_grounded_channel_is_refused(hatch: Rig) -> None:
    with pytest.raises(GremioError, match="turn z of Frame is grounded"):
        add_link(hatch, Ratio(control_id(hatch, "Open"), f"{part_id(hatch, 'Frame')} turn z", 1.0))


def test_a_part_takes_what_it_carries_and_its_links_with_it(hatch: Rig) -> None:
    rig = remove_part(hatch, part_id(hatch, "Flap"))
    assert [part.name for part in rig.parts.values()] == ["Frame", "Shutter"]
    assert rig.links == {}


def test_a_removed_control_takes_its_links_with_it(hatch: Rig) -> None:
    rig = remove_control(hatch, control_id(hatch, "Open"))
    assert rig.controls == {} and rig.links == {}


def test_a_part_is_not_mounted_on_what_it_carries(hatch: Rig) -> None:
    with pytest.raises(GremioError, match="Frame can't be mounted on Bolt"):
        set_parent(hatch, part_id(hatch, "Frame"), part_id(hatch, "Bolt"), Frame())


def test_a_joint_that_a_link_needs_stays(hatch: Rig) -> None:
    with pytest.raises(GremioError, match="turn y of Flap is used by the ratio from Open"):
        set_joint(hatch, part_id(hatch, "Flap"), Joint("slide", "x"))
    changed = set_joint(hatch, part_id(hatch, "Bolt"), Joint("fixed", "x"))
    assert changed.parts[part_id(hatch, "Bolt")].stops == {}


def test_moving_the_mount_leaves_shapes_and_children_in_place(hatch: Rig) -> None:
    flap, bolt = part_id(hatch, "Flap"), part_id(hatch, "Bolt")
    rig = move_mount(hatch, flap, Frame((0.2, 0.0, 0.1)))
    before, after = gremio.solve(hatch), gremio.solve(rig)
    assert after.world(bolt) == pytest.approx(before.world(bolt), abs=1e-12)
    assert channel_frame(after, flap, "turn y")[:3, 3] == pytest.approx([0.2, 0.0, 0.1])
    # The part keeps the frame it came with; what stands in it stays as it is.
    assert after.world(flap) == pytest.approx(before.world(flap), abs=1e-12)
    assert rig.parts[flap].own.at == pytest.approx((-0.2, 0.0, -0.1))
    assert rig.parts[flap].shapes == hatch.parts[flap].shapes
    turned = {"Open": "30 deg"}
    about = channel_frame(gremio.solve(rig, turned), flap, "turn y")[:3, 3]
    assert about == pytest.approx([0.2, 0.0, 0.1]), "it turns about the new place"


def test_setting_home_moves_nothing_and_counts_from_there(hatch: Rig) -> None:
    flap, control = part_id(hatch, "Flap"), control_id(hatch, "Open")
    posed = set_values(hatch, {control: math.radians(40)})
    pose = gremio.solve(posed)
    frame = pose.world(part_id(hatch, "Frame"))
    local = frame.T @ pose.world(flap)
    rig = set_home_here(posed, flap, local, pose.part_of(flap).channels)
    after = gremio.solve(rig)
    assert after.world(flap) == pytest.approx(pose.world(flap), abs=1e-12)
    assert after.value("Flap") == pytest.approx(0.0, abs=1e-12)
    assert gremio.solve(rig, {"Open": "60 deg"}).value("Flap") == pytest.approx(-math.radians(20))
    assert rig.parts[flap].stops["turn y"].high == pytest.approx(math.radians(40))


def test_a_proposed_ratio_maps_range_onto_stops(hatch: Rig) -> None:
    rig = remove_link(hatch, next(iter(hatch.links)))
    link = proposed_ratio(rig, control_id(rig, "Open"), channel_key(rig, "Bolt"))
    rig, _ = add_link(rig, link)
    assert gremio.solve(rig, {"Open": "90 deg"}).value("Bolt") == pytest.approx(0.08)
    assert gremio.solve(rig, {"Open": "45 deg"}).value("Bolt") == pytest.approx(0.04)


def test_a_ratio_and_a_cam_of_two_stations_do_the_same(hatch: Rig) -> None:
    link_id = next(iter(hatch.links))
    ratio = hatch.links[link_id]
    assert isinstance(ratio, Ratio)
    rig = remove_link(hatch, link_id)
    rig, _ = add_link(rig, as_cam(rig, ratio))
    for angle in ("0 deg", "31 deg", "90 deg"):
        was, now = gremio.solve(hatch, {"Open": angle}), gremio.solve(rig, {"Open": angle})
        assert now.value("Flap") == pytest.approx(was.value("Flap"), abs=1e-12)
    cam = next(iter(rig.links.values()))
    assert isinstance(cam, Cam)
    assert as_ratio(cam).ratio == pytest.approx(ratio.ratio)


def test_swapping_a_ratio_is_its_inverse() -> None:
    there = Ratio("a", "b", -0.25, 0.5)
    back = swapped(there)
    assert back.ratio * (there.ratio * 2.0 + there.offset) + back.offset == pytest.approx(2.0)
    with pytest.raises(GremioError, match="never moves"):
        swapped(Ratio("a", "b", 0.0))


def test_stations_are_recorded_in_order_and_one_stays(hatch: Rig) -> None:
    link_id, flap = next(iter(hatch.links)), channel_key(hatch, "Flap")
    ratio = hatch.links[link_id]
    assert isinstance(ratio, Ratio)
    rig = remove_link(hatch, link_id)
    rig, cam_id = add_link(rig, as_cam(rig, ratio))
    rig = record_station(rig, cam_id, 0.3, {flap: -0.1})
    cam = rig.links[cam_id]
    assert isinstance(cam, Cam)
    assert [station.lead for station in cam.stations] == pytest.approx([0.0, 0.3, math.pi / 2])
    assert gremio.solve(rig, {"Open": 0.3}).value("Flap") == pytest.approx(-0.1)
    rig = remove_stations(rig, cam_id, [1, 2])
    # With one station the follower stands still.
    assert gremio.solve(rig, {"Open": 1.0}).value("Flap") == gremio.solve(rig).value("Flap")
    with pytest.raises(GremioError, match="one station at least"):
        remove_stations(rig, cam_id, [0])


def test_home_is_not_written_down(hatch: Rig) -> None:
    control = control_id(hatch, "Open")
    away = set_values(hatch, {control: 1.0})
    assert away.at == {control: 1.0}
    assert set_values(away, {control: 0.0}).at == {}


@pytest.mark.parametrize("kind", ["fixed", "hinge", "screw", "wheel", "ball", "planar", "free"])
def test_another_joint_leaves_the_part_where_it_is(kind: str) -> None:
    rig = Rig(parts={"p1": Part("Buoy", mount=Frame((1, 2, 3)), joint=Joint("free"))})
    rig = replace(
        rig, at={f"p1 {v} {a}": 0.3 + i for i, v in enumerate(("move", "turn")) for a in "xyz"}
    )
    before = gremio.solve(rig)
    joint = Joint(kind, "y", lead=0.01)  # type: ignore[arg-type]
    changed = set_joint(rig, "p1", joint, before.part("Buoy").channels)
    after = gremio.solve(changed)
    if kind == "screw":  # What a screw keeps of a turn and a move has to fit its lead.
        after = gremio.solve(replace(changed, at={}))
        assert changed.parts["p1"].joint.lead == 0.01
        return
    assert after.part("Buoy").world == pytest.approx(before.part("Buoy").world, abs=1e-9)


def test_a_single_channel_can_be_grounded_or_freed_besides(hatch: Rig) -> None:
    shutter = part_id(hatch, "Shutter")
    rig = ground_channel(hatch, shutter, "move x", False)
    assert freed(rig.parts[shutter].joint) == ("move x", "turn y")
    rig = ground_channel(rig, shutter, "turn y", True)
    assert freed(rig.parts[shutter].joint) == ("move x",)
    rig = ground_channel(ground_channel(rig, shutter, "turn y", False), shutter, "move x", True)
    assert rig.parts[shutter].joint == hatch.parts[shutter].joint
    rig = ground_channel(rig, shutter, "scale z", False)
    pose = gremio.solve(rig, {"Shutter scale z": 2.0})
    assert pose.part("Shutter").world[2, 2] == 2.0


def test_a_screw_needs_a_lead(hatch: Rig) -> None:
    with pytest.raises(GremioError, match="A screw needs a lead"):
        set_joint(hatch, part_id(hatch, "Shutter"), Joint("screw", "z"))


def row_of_rivets() -> Rig:
    build = gremio.Builder("Row")
    build.part("Rivet", repeat=Repeat("line", "x", 4, 0.1))
    build.part("Stud", repeat=Repeat("path", count=3, pitch=0.2))
    build.control("Many", 1, 9, kind="number")
    build.ratio("Many", "Rivet count", 1)
    rig = gremio.path(build.rig, "Seam", [(0, 0, 0), (1, 0, 0)])
    return gremio.path(rig, "Rail", [(0, 1, 0), (1, 1, 0)])


def test_a_repeat_whose_count_is_led_is_kept_until_the_link_is_gone() -> None:
    rig = row_of_rivets()
    with pytest.raises(GremioError, match=r"count of Rivet is used by .*Many.* Remove it first"):
        set_repeat(rig, part_id(rig, "Rivet"), None)
    free = remove_link(rig, next(iter(rig.links)))
    assert set_repeat(free, part_id(rig, "Rivet"), None).parts[part_id(rig, "Rivet")].repeat is None


def test_a_path_goes_when_nothing_follows_it_and_not_before() -> None:
    rig = row_of_rivets()
    seam, rail = rig.paths
    stud = part_id(rig, "Stud")
    along = set_repeat(rig, stud, Repeat("path", count=3, pitch=0.2, path=seam))
    with pytest.raises(GremioError, match="Stud is repeated along Seam"):
        remove_path(along, seam)
    assert list(remove_path(along, rail).paths) == [seam]


def test_a_part_is_put_elsewhere_and_its_joint_stays() -> None:
    build = gremio.Builder("Door")
    build.part("Leaf", at=(1, 0, 0), turned=(0, 0, "30 deg"), joint="hinge z")
    leaf = part_id(build.rig, "Leaf")
    wanted = Frame((3.0, 1.0, 0.5))
    rig = place_own(build.rig, leaf, wanted)
    assert gremio.solve(rig).world(leaf) == pytest.approx(matrix(wanted), abs=1e-12)
    # It still turns about its mount's own place.
    turned = gremio.solve(rig, {"Leaf": math.pi}).world(leaf)
    mount = matrix(rig.parts[leaf].mount)
    half = mount @ np.diag([-1.0, -1, 1, 1]) @ np.linalg.inv(mount)
    assert turned == pytest.approx(half @ matrix(wanted), abs=1e-9)
    assert rig.parts[leaf].mount == build.rig.parts[leaf].mount


def test_home_is_not_set_where_a_link_counts_from_another() -> None:
    """On a joint of several channels; where nothing counts, it is."""
    build = gremio.Builder("Pan")
    build.part("Head", joint="ball")
    build.part("Free", joint="ball")
    build.control("Tilt", "-1 rad", "1 rad")
    build.ratio("Tilt", "Head turn y", 1)
    rig = build.rig
    for name, refused in (("Head", True), ("Free", False)):
        part = part_id(rig, name)
        pose = gremio.solve(rig, {f"{name} turn z": 0.3})
        if refused:
            with pytest.raises(GremioError, match="has stops or links on a joint of several"):
                set_home_here(rig, part, pose.world(part), {"turn z": 0.3})
        else:
            moved = set_home_here(rig, part, pose.world(part), {"turn z": 0.3})
            assert gremio.solve(moved).world(part) == pytest.approx(pose.world(part))
