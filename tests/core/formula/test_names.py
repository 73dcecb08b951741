"""Names in formulas: what a person writes is kept by ids, and shown again as written."""

from __future__ import annotations

import pytest

import gremio
from gremio.core.edit.builder import shape
from gremio.core.edit.formulas import shown
from gremio.core.edit.parts import rename_part
from gremio.core.problem import GremioError
from gremio.core.rig.find import channel_key, part_id
from gremio.core.rig.model import Formula, Repeat, Rig
from gremio.core.rig.solids import Box, SpurGear


@pytest.fixture
def shed() -> Rig:
    """Names with spaces, a comma, an arithmetic sign; a gear, a repeat, a part of two shapes."""
    build = gremio.Builder("Shed")
    gear = shape(SpurGear(module=0.02, teeth=24, width=0.1))
    build.part("Pinion, east", gear, joint="spin z")
    slat = shape(Box(length=0.6, width=0.1, height=0.02))
    build.part("Louvre", slat, joint="hinge x", repeat=Repeat("line", "z", count=5, pitch=0.2))
    build.part("A - B", slat, shape(Box(length=0.3, width=0.1, height=0.1)), joint="slide x")
    build.part("Float", joint="free")
    build.part("Pointer", joint="spin z")
    build.control("Lift", "0 m", "1 m", kind="length")
    return build.rig


def link_of(rig: Rig, name: str) -> Formula:
    (found,) = [k for k in rig.links.values() if k.follower == channel_key(rig, name)]
    assert isinstance(found, Formula)
    return found


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("Pinion, east.teeth * 1 deg", 24.0),
        ("Louvre.count * 1 deg", 5.0),
        ("Louvre.pitch / 0.1 m * 1 deg", 2.0),
        ('"A - B".shape 2 length / 0.1 m * 1 deg', 3.0),
        ("Pinion, east.module / 1 mm * 1 deg", 20.0),
        ("Float.turn y + 7 deg", 7.0),
        ("Float.x / 1 m * 1 deg", 0.0),
        ('"A - B".x / 1 m * 1 deg', 0.0),
        ("Lift / 1 m * 90 deg", 0.0),
    ],
)
def test_what_is_written_is_read_and_shown_again(shed: Rig, text: str, value: float) -> None:
    rig = gremio.formula(shed, "Pointer", text)
    assert gremio.solve(rig).value("Pointer") == pytest.approx(value * 3.141592653589793 / 180)
    link = link_of(rig, "Pointer")
    assert "Pinion" not in link.text and "Louvre" not in link.text
    assert shown(rig, link) == text


def test_a_name_that_looks_like_arithmetic_is_quoted_after_a_rename(shed: Rig) -> None:
    rig = gremio.formula(shed, "Pointer", "Float.turn y * 2")
    for name, told in (
        ("2nd float", '"2nd float".turn y * 2'),
        ("pi", '"pi".turn y * 2'),
        ("Buoy (red)", '"Buoy (red)".turn y * 2'),
        ("Buoy", "Buoy.turn y * 2"),
    ):
        rig = rename_part(rig, part_id(rig, channel_name(rig)), name)
        assert shown(rig, link_of(rig, "Pointer")) == told
        again = gremio.formula(rig, "Pointer", told)
        assert link_of(again, "Pointer").text == link_of(rig, "Pointer").text


def channel_name(rig: Rig) -> str:
    """The present name of the part that floats."""
    (found,) = [p.name for p in rig.parts.values() if p.joint.kind == "free"]
    return found


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("Pinion, east.y", "has no 'y'"),
        ("Float.turn", "has no 'turn'"),
        ("Louvre.shape 3 length", "has no"),
        ('"Nobody".turn', "nothing called 'Nobody'"),
        ('"Float.turn', "A quote is not closed"),
        ("Floats.turn y", "Floats"),
    ],
)
def test_a_name_that_means_nothing_is_told(shed: Rig, text: str, told: str) -> None:
    with pytest.raises(GremioError) as refused:
        gremio.formula(shed, "Pointer", text)
    assert told in str(refused.value)


def test_a_count_and_a_pitch_are_led_like_any_channel(shed: Rig) -> None:
    rig = gremio.formula(shed, "Louvre count", "3 + 4 * Lift / 1 m")
    rig = gremio.formula(rig, "Louvre pitch", "0.2 m + Lift / 10")
    pose = gremio.solve(rig, {"Lift": "500 mm"})
    assert pose.value("Louvre", "count") == pytest.approx(5.0)
    assert pose.value("Louvre", "pitch") == pytest.approx(0.25)
