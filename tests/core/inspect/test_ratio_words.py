"""A ratio is told as it was typed, the other way about too."""

from __future__ import annotations

import math

import pytest

import gremio
from gremio.core.edit.links import add_link, pair_of, swapped, typed_ratio, with_pair
from gremio.core.edit.parts import set_joint
from gremio.core.inspect.words import ratio_text, ratio_words
from gremio.core.make.pairs import propose
from gremio.core.problem import GremioError
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Joint, Ratio, Rig, Stops
from gremio.core.rig.solids import SpurGear

INCH = 0.0254


def yard() -> Rig:
    build = gremio.Builder("Yard")
    build.part("Drum", joint="spin z")
    build.part("Slide", joint="slide x")
    build.part("Wheel", joint="spin z")
    return build.rig


def test_for_every_quarter_turn_an_inch_and_a_half() -> None:
    rig = yard()
    drum, slide = (f"{part_id(rig, 'Drum')} turn z", f"{part_id(rig, 'Slide')} move x")
    link = with_pair(Ratio(drum, slide, 1.0), math.pi / 2, 1.5 * INCH)
    assert ratio_words(rig, link) == "0.038 m for every 90°"
    rig = add_link(rig, link)[0]
    moved = gremio.solve(rig, {"Drum": 2 * math.pi}).value("Slide", "move x")
    assert moved == pytest.approx(4 * 1.5 * INCH)
    with pytest.raises(GremioError, match="a lead that moves"):
        with_pair(link, 0.0, 1.0)


@pytest.mark.parametrize(
    ("typed", "told", "value", "turned"),
    [
        ("-12/36", "-12/36", -1 / 3, "-36/12"),
        ("12/-36", "-12/36", -1 / 3, "-36/12"),
        ("36 / 12", "36/12", 3.0, "12/36"),
        ("0,25", "0.25", 0.25, "4"),
        ("1/3 + 1", "4/3", 4 / 3, "0.75"),
    ],
)
def test_bare_ratios(typed: str, told: str, value: float, turned: str) -> None:
    rig = yard()
    ends = f"{part_id(rig, 'Drum')} turn z", f"{part_id(rig, 'Wheel')} turn z"
    link = typed_ratio(Ratio(*ends, 1.0), typed)
    assert link.ratio == pytest.approx(value) and ratio_text(link) == told
    assert ratio_text(swapped(link)) == turned
    # One that has changed since is told as it is.
    assert pair_of(Ratio(*ends, 0.5, pair=(36.0, -12.0))) is None


def test_gears_are_told_by_their_teeth_and_two_on_one_shaft_are_no_pair() -> None:
    build = gremio.Builder("Gears")
    for name, teeth, at in (("One", 36, 0.0), ("Two", 12, 0.024), ("Three", 20, 0.024)):
        gear = SpurGear(module=0.001, teeth=teeth, width=0.01)
        build.part(name, gremio.shape(gear), at=(at, 0, 0.02 * (name == "Three")), joint="spin z")
    rig, pose = build.rig, gremio.solve(build.rig)
    one, two, three = (part_id(rig, n) for n in ("One", "Two", "Three"))
    proposal = propose(rig, pose, one, two)
    assert proposal is not None and ratio_text(proposal.ratio()) == "-36/12"
    assert propose(rig, pose, two, three) is None


def test_stops_go_along_to_another_axis() -> None:
    build = gremio.Builder("Door")
    build.part("Door", joint="hinge z", stops=("-30 deg", "90 deg"))
    door = part_id(build.rig, "Door")
    turned = set_joint(build.rig, door, Joint("hinge", "x"), {"turn z": math.radians(20)})
    stops = turned.parts[door].stops
    assert set(stops) == {"turn x"}
    ends = stops["turn x"]
    assert ends.low is not None and ends.high is not None
    assert [math.degrees(e) for e in (ends.low, ends.high)] == pytest.approx([-50, 70])
    assert isinstance(ends, Stops)
