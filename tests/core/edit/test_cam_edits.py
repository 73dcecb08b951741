"""Stations, followers and ranges of a cam, as edits."""

from __future__ import annotations

import math

import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.cams import (
    add_follower,
    as_cam,
    cam_of,
    change_station,
    copy_station,
    merge_stations,
    merge_where_they_meet,
    record_station,
    remove_follower,
    remove_stations,
    set_profile,
    set_range,
    set_slope,
    set_span,
    set_station_value,
    shift_points,
)
from gremio.core.edit.links import add_link, change_link
from gremio.core.edit.parts import remove_part
from gremio.core.problem import GremioError
from gremio.core.rig.cams import as_from_to, as_ratio, is_from_to, told
from gremio.core.rig.find import channel_key, part_id
from gremio.core.rig.model import Cam, Joint, Ratio, Rig


@pytest.fixture
def chest() -> tuple[Rig, str]:
    """A tool chest: a lid, and a tray that rises when it is half open."""
    build = gremio.Builder("Tool chest")
    build.part("Lid", joint="hinge x", stops=("0 deg", "120 deg"))
    build.part("Tray", joint="slide z", stops=("0 m", "0.5 m"))
    build.part("Lamp", joint="spin z")
    build.control("Open", 0.0, 1.0, kind="number")
    build.cam("Open", {0.0: {"Lid": 0.0, "Tray": 0.0}, 0.5: {"Lid": 2.0}, 1.0: {"Tray": 0.4}})
    return build.rig, next(iter(build.rig.links))


def leads(rig: Rig, link: str) -> list[float]:
    return [station.lead for station in cam_of(rig, link).stations]


def test_a_follower_may_be_absent_from_a_station(chest: tuple[Rig, str]) -> None:
    rig, _ = chest
    # The tray goes straight from its first to its last station, past the one that is the lid's.
    pose = gremio.solve(rig, {"Open": 0.5})
    assert pose.value("Lid") == 2.0 and pose.value("Tray") == pytest.approx(0.2)
    assert gremio.solve(rig, {"Open": 0.9}).value("Lid") == 2.0


def test_a_follower_is_added_to_the_stations_there_are_and_taken_out(
    chest: tuple[Rig, str],
) -> None:
    rig, link = chest
    lamp = channel_key(rig, "Lamp")
    more = add_follower(rig, link, lamp, {0: 0.0, 2: 1.5})
    assert gremio.solve(more, {"Open": 0.5}).value("Lamp") == pytest.approx(0.75)
    with pytest.raises(GremioError, match="leads Lamp turn z already"):
        add_follower(more, link, lamp, {})
    less = remove_follower(more, link, channel_key(rig, "Tray"))
    assert gremio.solve(less, {"Open": 1.0}).value("Tray") == 0.0
    less = remove_follower(less, link, lamp)
    with pytest.raises(GremioError, match="last follower"):
        remove_follower(less, link, channel_key(rig, "Lid"))


def test_a_value_is_typed_and_emptied(chest: tuple[Rig, str]) -> None:
    rig, link = chest
    lid = channel_key(rig, "Lid")
    typed = set_station_value(rig, link, 2, lid, 1.0)
    assert gremio.solve(typed, {"Open": 1.0}).value("Lid") == 1.0
    assert set_station_value(typed, link, 2, lid, None) == rig


def test_stations_are_copied_merged_and_removed(chest: tuple[Rig, str]) -> None:
    rig, link = chest
    lid, tray = channel_key(rig, "Lid"), channel_key(rig, "Tray")
    copied = copy_station(rig, link, 1, 0.8)
    assert leads(copied, link) == [0.0, 0.5, 0.8, 1.0]
    assert gremio.solve(copied, {"Open": 0.7}).value("Lid") == 2.0
    with pytest.raises(GremioError, match=r"stands at 0\.5 already"):
        copy_station(copied, link, 0, 0.5)
    merged = merge_stations(rig, link, 1)
    assert cam_of(merged, link).stations[1].values == {lid: 2.0, tray: 0.4}
    assert leads(merged, link) == [0.0, 0.5]
    with pytest.raises(GremioError, match="none after it"):
        merge_stations(merged, link, 1)
    assert leads(remove_stations(rig, link, [0, 2]), link) == [0.5]
    with pytest.raises(GremioError, match="one station at least"):
        remove_stations(rig, link, [0, 1, 2])


def test_the_spans_of_merged_stations_are_those_of_whoever_spoke(chest: tuple[Rig, str]) -> None:
    rig, link = chest
    lid, tray = channel_key(rig, "Lid"), channel_key(rig, "Tray")
    rig = record_station(rig, link, 1.5, {lid: 0.0, tray: 0.0})
    rig = set_span(rig, link, 1, lid, "cycloidal")
    rig = set_span(rig, link, 2, tray, "3-4-5")
    assert cam_of(merge_stations(rig, link, 1), link).stations[1].spans == {
        lid: "cycloidal",
        tray: "3-4-5",
    }


def test_two_stations_do_not_stand_at_one_lead_value(chest: tuple[Rig, str]) -> None:
    rig, link = chest
    station = replace(cam_of(rig, link).stations[1], lead=1.0)
    with pytest.raises(GremioError, match="Another station stands at Open = 1"):
        change_station(rig, link, 1, station)
    # A hand-written file may say so all the same: the cam is left out, told, and mended.
    cam = cam_of(rig, link)
    broken = replace(rig, links={link: replace(cam, stations=(*cam.stations, station))})
    found = [f for f in gremio.inspect(broken) if f.note.code == "cam-together"]
    assert "Two stations of the cam that Open leads stand at 1" in found[0].note.text
    mended = found[0].mends[0].edit(broken)
    assert leads(mended, link) == [0.0, 0.5, 1.0]
    assert merge_where_they_meet(mended, link) == mended


def test_points_move_together_and_pass_nothing(chest: tuple[Rig, str]) -> None:
    rig, link = chest
    lid, tray = channel_key(rig, "Lid"), channel_key(rig, "Tray")
    moved = shift_points(rig, link, [(lid, 1), (tray, 2)], 0.2, {lid: -0.5, tray: 0.1})
    assert leads(moved, link) == pytest.approx([0.0, 0.7, 1.2])
    assert cam_of(moved, link).stations[1].values == {lid: 1.5}
    assert cam_of(moved, link).stations[2].values == pytest.approx({tray: 0.5})
    stopped = shift_points(rig, link, [(lid, 1)], 3.0, {})
    assert 0.99 < leads(stopped, link)[1] < 1.0
    stopped = shift_points(rig, link, [(lid, 1)], -3.0, {})
    assert 0.0 < leads(stopped, link)[1] < 0.01


def test_a_slope_bends_a_free_profile(chest: tuple[Rig, str]) -> None:
    rig, link = chest
    lid = channel_key(rig, "Lid")
    rig = set_span(rig, link, 0, lid, "free")
    flat = set_slope(set_slope(rig, link, 0, lid, 0.0), link, 1, lid, 0.0)
    steep = set_slope(flat, link, 0, lid, 20.0)
    assert gremio.solve(flat, {"Open": 0.1}).value("Lid") < 0.3
    assert gremio.solve(steep, {"Open": 0.1}).value("Lid") > 1.0


# ── from–to cams ──


def test_a_from_to_carries_on_or_holds() -> None:
    # 15° for every metre (common practice, no source): 4 m to 60°, and beyond.
    build = gremio.Builder("Trolley")
    build.part("Trolley", joint="slide x")
    build.part("Wheel", joint="spin y")
    rig, link = add_link(
        build.rig,
        as_cam(build.rig, Ratio("p1 move x", "p2 turn y", 1.0), "straight"),
    )
    rig = set_range(rig, link, (0.0, 4.0), {"p2 turn y": (0.0, math.radians(60))})
    cam = cam_of(rig, link)
    assert is_from_to(cam)
    assert gremio.solve(rig, {"Trolley": 1.0}).value("Wheel") == pytest.approx(math.radians(15))
    assert gremio.solve(rig, {"Trolley": 9.0}).value("Wheel") == pytest.approx(math.radians(60))
    on = change_link(rig, link, replace(cam, before="carry on", after="carry on"))
    assert gremio.solve(on, {"Trolley": 9.0}).value("Wheel") == pytest.approx(math.radians(135))
    assert gremio.solve(on, {"Trolley": -2.0}).value("Wheel") == pytest.approx(math.radians(-30))
    with pytest.raises(GremioError, match="has no width"):
        set_range(rig, link, (2.0, 2.0), {})
    turned = set_range(rig, link, (4.0, 0.0), {"p2 turn y": (0.0, 1.0)})
    assert gremio.solve(turned, {"Trolley": 0.0}).value("Wheel") == 1.0


def test_one_lead_leads_several_with_axes_swapped() -> None:
    build = gremio.Builder("Table")
    build.part("Table", joint="planar z")
    build.control("Slide", "0 m", "2 m", kind="length")
    x, y = (f"p1 move {axis}" for axis in "xy")
    rig, link = add_link(
        build.rig, as_cam(build.rig, Ratio(next(iter(build.rig.controls)), x, 1.0), "straight")
    )
    rig = add_follower(rig, link, y, {0: 1.0, 1: 0.0})
    pose = gremio.solve(rig, {"Slide": 0.5})
    assert is_from_to(cam_of(rig, link))
    assert (pose.at(x), pose.at(y)) == pytest.approx((0.5, 0.75))


def test_a_cam_becomes_a_from_to_between_its_ends(chest: tuple[Rig, str]) -> None:
    rig, link = chest
    made = as_from_to(cam_of(rig, link))
    assert made is not None and is_from_to(made)
    rig = change_link(rig, link, made)
    pose = gremio.solve(rig, {"Open": 0.25})
    assert pose.value("Tray") == pytest.approx(0.1) and pose.value("Lid") == pytest.approx(0.5)
    one = remove_stations(rig, link, [0])
    assert as_from_to(cam_of(one, link)) is None and as_ratio(cam_of(one, link)) is None


# ── what is no more ──


def test_a_cam_goes_on_without_a_follower_that_is_gone(chest: tuple[Rig, str]) -> None:
    rig, _ = chest
    less = remove_part(rig, part_id(rig, "Lid"))
    (cam,) = less.links.values()
    assert isinstance(cam, Cam) and [f.channel for f in cam.followers] == ["p2 move z"]
    assert gremio.solve(less, {"Open": 0.5}).value("Tray") == pytest.approx(0.2)
    # As a file may have it: the joint of a follower is fixed.
    lid = part_id(rig, "Lid")
    fixed = replace(rig, parts={**rig.parts, lid: replace(rig.parts[lid], joint=Joint("fixed"))})
    notes = gremio.solve(fixed).notes
    assert [note.code for note in notes] == ["led-grounded"]
    assert "take it out of the cam from Open to Lid turn x, Tray" in notes[0].text
    assert gremio.solve(fixed, {"Open": 0.5}).value("Tray") == pytest.approx(0.2)


def test_one_station_is_told(chest: tuple[Rig, str]) -> None:
    rig, link = chest
    one = remove_stations(rig, link, [1, 2])
    notes = [f.note.text for f in gremio.inspect(one) if f.note.code == "cam-one-station"]
    assert notes[0].startswith("Lid turn x stands still: one station of its cam speaks of it.")
    assert len(notes) == 2


def test_a_dwell_carries_its_value_over(chest: tuple[Rig, str]) -> None:
    rig, link = chest
    lid = channel_key(rig, "Lid")
    for lead, value in ((0.7, 1.0), (0.8, 1.5), (1.0, 0.2)):
        rig = record_station(rig, link, lead, {lid: value})

    def values(rig: Rig) -> list[float]:
        return [value for _, value in told(cam_of(rig, link), lid)]

    at = leads(rig, link)
    assert values(rig) == [0.0, 2.0, 1.0, 1.5, 0.2]
    later = set_span(rig, link, at.index(0.7), lid, "dwell")
    assert values(later) == [0.0, 2.0, 1.0, 1.0, 0.2]
    # One before it takes it along, since nothing jumped there.
    both = set_span(later, link, at.index(0.5), lid, "dwell")
    assert values(both) == [0.0, 2.0, 2.0, 2.0, 0.2]
    assert gremio.solve(both, {"Open": 0.75}).value("Lid") == 2.0
    # What is one already stays as it is, steps among it.
    steps = set_profile(rig, link, lid, "dwell")
    assert values(set_span(steps, link, at.index(0.7), lid, "dwell")) == values(rig)
