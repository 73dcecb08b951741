"""Another channel of a closed linkage leads it: against the closed form of a slider-crank."""

from __future__ import annotations

import math

import numpy as np
import numpy.typing as npt
import pytest
from msgspec.structs import replace

import gremio
from gremio.core.edit.links import add_link
from gremio.core.edit.parts import add_part
from gremio.core.make.lead_instead import lead_instead, leads_now
from gremio.core.problem import GremioError
from gremio.core.rig.channels import key
from gremio.core.rig.find import control_id
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.model import Joint, Part, Ratio, Rig
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.ask import posed
from gremio.core.solve.compiling import compile_rig

CRANK, ROD = 0.4, 1.2
SLIDER, TURNED = ChannelKey("p2 move x"), ChannelKey("p1 turn z")


def pump(home: float = 20.0) -> Rig:
    """A crank from 20° to 160° that leads a slide through a rod, modelled at a crank angle (deg);
    its control tells how far it is from there."""
    crank = math.radians(home)
    tilt = -math.asin(CRANK * math.sin(crank) / ROD)
    build = gremio.Builder("Pump")
    build.part("Crank", turned=(0, 0, crank), joint="spin z")
    build.part("Slider", at=(float(place_of(crank)), 0, 0), joint="slide x")
    build.part("Rod", on="Crank", at=(CRANK, 0, 0), turned=(0, 0, tilt - crank), joint="spin z")
    build.control("Turn", "0 deg", "140 deg")
    build.ratio("Turn", "Crank", 1)
    return gremio.pin(build.rig, "Rod", "Slider", (ROD, 0, 0))


def place_of(crank: npt.ArrayLike) -> np.ndarray:
    """Where the slide is (m) at crank angles; the textbooks' closed form of a slider-crank."""
    across = CRANK * np.sin(crank)
    return CRANK * np.cos(crank) + np.sqrt(ROD**2 - across**2)


def test_the_slide_leads_in_place_of_the_crank_as_far_as_it_went() -> None:
    rig = posed(pump(), {"Turn": "50 deg"}, geometry=geometry_of)
    program = compile_rig(rig, geometry_of)
    assert leads_now(program, SLIDER) == TURNED
    rig, made = lead_instead(rig, SLIDER, geometry=geometry_of)
    control = rig.controls[made]
    low, high = place_of(np.radians([160.0, 20.0])) - place_of(math.radians(20.0))
    assert (control.low, control.high) == pytest.approx((low, high), abs=1e-9)
    assert [c.name for c in rig.controls.values()] == [control.name]
    assert leads_now(compile_rig(rig, geometry_of), TURNED) == SLIDER
    # All stands where it stood, and the crank follows by the inverse of the closed form.
    pose = gremio.solve(rig)
    assert math.degrees(pose.at(TURNED)) == pytest.approx(50.0, abs=1e-6)
    for crank in (35.0, 90.0, 140.0):
        wanted = float(place_of(math.radians(crank)) - place_of(math.radians(20.0)))
        pose = gremio.solve(rig, {control.name: wanted})
        assert math.degrees(pose.at(TURNED)) == pytest.approx(crank - 20.0, abs=1e-6)


def test_a_control_that_leads_other_things_too_stays() -> None:
    rig, lamp = add_part(pump(), Part("Lamp", joint=Joint("spin", "z")))
    rig, _ = add_link(rig, Ratio(key(control_id(rig, "Turn")), key(lamp, "turn z"), 1.0))
    rig, _ = lead_instead(rig, SLIDER, geometry=geometry_of)
    assert sorted(c.name for c in rig.controls.values()) == ["Slider control", "Turn"]
    pose = gremio.solve(rig, {"Turn": "90 deg"})
    assert math.degrees(pose.value("Lamp")) == pytest.approx(90.0)
    assert math.degrees(pose.at(TURNED)) == pytest.approx(0.0, abs=1e-6)


def test_what_nothing_leads_or_a_hand_can_move_is_refused() -> None:
    free = pump()
    free = replace(free, links={})
    assert leads_now(compile_rig(free, geometry_of), SLIDER) == ""
    with pytest.raises(GremioError, match="not solved for"):
        lead_instead(free, SLIDER, geometry=geometry_of)
    with pytest.raises(GremioError, match="not solved for"):
        lead_instead(pump(), TURNED, geometry=geometry_of)


def test_a_dead_centre_is_called_so_and_not_too_many() -> None:
    with pytest.raises(GremioError, match="dead centre"):
        lead_instead(pump(home=0.0), SLIDER, geometry=geometry_of)
